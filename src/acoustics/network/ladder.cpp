#include "acoustics/network/ladder.h"

#include <optional>

#include "base/constants.h"

namespace lalometer {

std::complex<double> LadderPart::impedance_ohm(double frequency_hz) const {
  const double w = 2.0 * kPi * frequency_hz;
  const double capacitive = capacitance_f > 0.0 ? -1.0 / (w * capacitance_f) : 0.0;
  std::complex<double> own(resistance_ohm, w * inductance_h + capacitive);
  std::complex<double> admittance = 0.0;
  for (const LadderPart& part : parts) {
    const std::complex<double> z = part.impedance_ohm(frequency_hz);
    if (join == Join::kSeries) own += z;
    // A wire beside other parts shorts them.
    if (join == Join::kParallel && z == 0.0) return own;
    if (join == Join::kParallel) admittance += 1.0 / z;
  }
  return admittance == 0.0 ? own : own + 1.0 / admittance;
}

LadderState solve_ladder(const Ladder& ladder, std::complex<double> load_ohm, double frequency_hz) {
  std::complex<double> z = load_ohm;
  std::complex<double> transfer = 1.0;
  for (auto part = ladder.rbegin(); part != ladder.rend(); ++part) {
    const std::complex<double> own = part->impedance_ohm(frequency_hz);
    if (part->place == LadderPart::Place::kSeries) {
      transfer *= z / (z + own);
      z += own;
    } else {
      z = z * own / (z + own);
    }
  }
  return {z, transfer};
}

namespace {

/// Nothing where all of it is off.
std::optional<LadderPart> without_off(const LadderPart& part) {
  if (part.off) return std::nullopt;
  LadderPart kept = part;
  kept.parts.clear();
  for (const LadderPart& one : part.parts)
    if (auto inner = without_off(one)) kept.parts.push_back(*std::move(inner));
  const bool own = kept.resistance_ohm > 0.0 || kept.inductance_h > 0.0 || kept.capacitance_f > 0.0;
  if (!part.parts.empty() && kept.parts.empty() && !own) return std::nullopt;
  return kept;
}

}  // namespace

Ladder switched_on(const Ladder& ladder) {
  Ladder on;
  for (const LadderPart& part : ladder)
    if (auto kept = without_off(part)) on.push_back(*std::move(kept));
  return on;
}

}  // namespace lalometer
