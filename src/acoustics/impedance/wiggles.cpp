#include "acoustics/impedance/wiggles.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>

#include "acoustics/impedance/loop_seeker.h"
#include "acoustics/impedance/network_ground.h"
#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

constexpr std::size_t kMost = 24;
constexpr double kExplained = 0.8;
constexpr double kTallest = 60.0;  ///< percent; more is an impedance peak

using Ground = std::function<Complex(double frequency_hz)>;

/// One stretch of the curve.
struct Stretch {
  std::vector<double> frequency_hz;
  std::vector<Complex> z;  ///< ohm; real where there is no phase
  bool has_phase;
};

Stretch stretch_of(const Response& z, double low_hz, double high_hz) {
  Stretch out{{}, {}, z.has_phase()};
  for (std::size_t i = 0; i < z.size(); ++i) {
    const double at = z.axis()[i];
    if (at < low_hz || at > high_hz || !z.valid().contains(at)) continue;
    if (!(std::abs(z.value(i)) > 0.0)) continue;
    out.frequency_hz.push_back(at);
    out.z.push_back(z.has_phase() ? z.value(i) : Complex(z.magnitude(i)));
  }
  return out;
}

/// The logarithm of the curve over its ground.
std::vector<Complex> departures(const Stretch& part, const Ground& ground) {
  std::vector<Complex> e;
  Complex turned = 1.0;
  for (std::size_t i = 0; i < part.z.size(); ++i) {
    const Complex under = ground(part.frequency_hz[i]);
    if (!part.has_phase) {
      e.emplace_back(std::log(std::abs(part.z[i]) / std::abs(under)));
      continue;
    }
    // Counted from the point before, so that the phase never jumps by a turn.
    const Complex ratio = part.z[i] / under;
    const Complex step = std::log(ratio / turned);
    e.push_back(e.empty() ? step : e.back() + step);
    turned = ratio;
  }
  return e;
}

/// Loops over a ground, in the order in which they were found.
std::vector<LoopTrial> loops_over(const Stretch& part, const Ground& ground,
                                  const WiggleSearch& search, LoopSeeker& seeker) {
  seeker.look_at(departures(part, ground));
  std::vector<LoopTrial> told;
  for (std::size_t round = 0; round < kMost; ++round) {
    const LoopTrial t = seeker.strongest();
    if (t.significance < LoopSeeker::kThreshold) break;
    seeker.take_out(t);
    const double percent = 100.0 * std::abs(t.height);
    // Broad or badly shaped: a bend of the curve. It is out of the way now.
    if (t.q < search.least_q || t.explained < kExplained || percent < search.least_percent ||
        percent > kTallest)
      continue;
    if (search.humps.contains(std::exp(t.log_f)) && t.q < search.least_q_there) continue;
    // What a strong one leaves behind, not being a perfect resonance, is no second one.
    const bool left_over = std::any_of(told.begin(), told.end(), [&](const LoopTrial& w) {
      return std::abs(w.log_f - t.log_f) < 1.2 / w.q &&
             std::abs(t.height) < 0.35 * std::abs(w.height);
    });
    if (!left_over) told.push_back(t);
  }
  return told;
}

/// Where no model was fitted a network's broad poles are the ground. They would follow a loop as
/// far as broad poles can: what was found is taken out, and the ground laid anew.
std::vector<LoopTrial> loops_over_network(const Stretch& part, const WiggleSearch& search) {
  WiggleSearch sharper = search;
  sharper.least_q = std::max(search.least_q, search.least_q_over_network);
  LoopSeeker seeker(part.frequency_hz, part.has_phase, sharper.least_q);
  std::vector<LoopTrial> told;
  for (int round = 0; round < 3; ++round) {
    std::vector<Complex> without = part.z;
    for (const LoopTrial& t : told) {
      for (std::size_t i = 0; i < without.size(); ++i)
        without[i] /=
            std::exp(t.height * loop_shape(std::log(part.frequency_hz[i]) - t.log_f, t.q));
    }
    const auto ground = network_ground(part.frequency_hz, without, search.least_q);
    if (!ground) return told;
    told = loops_over(
        part, [&](double f) { return ground->at(f); }, sharper, seeker);
    if (told.empty()) break;
  }
  return told;
}

/// As wiggles, where another stretch has not found them before.
void add_wiggles(const Response& z, const std::vector<LoopTrial>& told,
                 std::vector<Wiggle>& found) {
  const std::vector<Wiggle> before = found;
  for (const LoopTrial& t : told) {
    const double frequency_hz = std::exp(t.log_f);
    const bool known = std::any_of(before.begin(), before.end(), [&](const Wiggle& w) {
      return std::abs(std::log(w.frequency_hz.value / frequency_hz)) < 1.0 / w.q;
    });
    if (known) continue;
    const double spread = kTwoSided95 * frequency_hz / (2.0 * t.q * std::sqrt(t.significance));
    found.push_back({{frequency_hz, spread},
                     std::abs(t.height) * std::abs(value_at(z, frequency_hz)),
                     100.0 * std::abs(t.height),
                     t.q,
                     t.significance});
  }
}

}  // namespace

std::vector<Wiggle> find_wiggles(const Response& z, const FittedImpedance* smooth,
                                 const WiggleSearch& search, const Parallel& parallel) {
  constexpr std::size_t kLeastPoints = 32;
  const double to =
      smooth != nullptr ? std::min(search.high_hz, search.model_to_hz) : search.low_hz;
  const auto over_model = [&]() -> std::vector<LoopTrial> {
    if (smooth == nullptr) return {};
    const Stretch part = stretch_of(z, search.low_hz, to);
    if (part.z.size() < kLeastPoints) return {};
    LoopSeeker seeker(part.frequency_hz, part.has_phase, search.least_q);
    return loops_over(
        part, [&](double f) { return smooth->at(f); }, search, seeker);
  };
  const auto above = [&]() -> std::vector<LoopTrial> {
    if (to >= search.high_hz) return {};
    const Stretch part = stretch_of(z, smooth != nullptr ? 0.8 * to : to, search.high_hz);
    if (part.z.size() < kLeastPoints) return {};
    if (part.has_phase) return loops_over_network(part, search);
    LoopSeeker seeker(part.frequency_hz, part.has_phase, search.least_q);
    return loops_over(
        part, [](double) { return Complex(1.0); }, search, seeker);
  };
  std::array<std::vector<LoopTrial>, 2> told;
  parallel(told.size(), [&](std::size_t i) { told[i] = i == 0 ? over_model() : above(); });
  std::vector<Wiggle> found;
  for (const std::vector<LoopTrial>& each : told) add_wiggles(z, each, found);
  std::sort(found.begin(), found.end(),
            [](const Wiggle& a, const Wiggle& b) { return a.height_percent > b.height_percent; });
  return found;
}

}  // namespace lalometer
