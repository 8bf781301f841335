#include "workbench/networks/material_stones.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "acoustics/baffle/diffraction.h"
#include "acoustics/spectrum/figures.h"
#include "base/constants.h"
#include "book/description/driver_parameters.h"

namespace lalometer {
namespace {

constexpr double kLowest_hz = 60.0, kHighest_hz = 12000.0;

/// What a driver will play, from where it can meet its neighbours.
struct Band {
  double from_hz = kLowest_hz, to_hz = kHighest_hz;
};

Band band_of(const NetworkMaterial& m, const std::string& id) {
  Band band;
  band.from_hz = std::max(kLowest_hz, m.valid_from_hz);
  for (const CrossoverWindow& w : network_windows(m)) {
    const double from = w.from_hz.value_or(w.to_hz.value_or(2000.0) / 2.0);
    const double middle = std::sqrt(from * std::max(from, w.to_hz.value_or(2.0 * from)));
    if (w.high == id) band.from_hz = middle;
    if (w.low == id) band.to_hz = middle;
  }
  return band;
}

std::optional<double> level_in(const NetworkMaterial& m, const NetworkDriver& d) {
  Band b = band_of(m, d.id);
  const auto ahead = d.responses.find(NetworkAngle{});
  if (ahead == d.responses.end()) return std::nullopt;
  const Response& r = ahead->second;
  b.from_hz = std::max({b.from_hz * 1.2, r.valid().low_hz, r.axis().front()});
  b.to_hz = std::min({b.to_hz / 1.2, r.valid().high_hz, r.axis().back()});
  return b.to_hz > 1.2 * b.from_hz ? mean_level_db(r, b.from_hz, b.to_hz) : std::nullopt;
}

Result<BuildingStone> step_stone(const NetworkMaterial& m, const NetworkDriver& d) {
  const SubjectDriver* told = m.geometry ? m.geometry->driver(d.id) : nullptr;
  if (told == nullptr || !m.geometry->baffle)
    return bad_input(fmt::format(
        "The step of {} is reckoned from its baffle: describe width, height and place.", d.id));
  const auto piston = m.geometry->piston(*told);
  if (!piston) return tl::unexpected(piston.error());
  // As far up as it will play: beyond, what stands before it has another load.
  constexpr double kTop_hz = 3000.0;
  const FrequencyAxis axis = FrequencyAxis::logarithmic(
      40.0, std::clamp(0.7 * band_of(m, d.id).to_hz, 300.0, kTop_hz), 12.0);
  const BafflePoint at = point_at(piston->x_m(), piston->y_m(), 2.0, 0.0, 0.0);
  std::vector<double> db;
  for (const auto& p : baffle_response(*m.geometry->baffle, *piston, at, axis, kSpeedOfSound20_m_s,
                                       DiffractionEffort::kCoarse))
    db.push_back(20.0 * std::log10(std::abs(p)));
  return baffle_step_stone(d, {axis.hz().begin(), axis.hz().end()}, db);
}

Result<BuildingStone> pad_for(const NetworkMaterial& m, const NetworkDriver& d) {
  const auto own = level_in(m, d);
  std::optional<double> quietest;
  for (const NetworkDriver& other : m.drivers)
    if (other.id != d.id)
      if (const auto level = level_in(m, other); level && (!quietest || *level < *quietest))
        quietest = level;
  if (!own || !quietest)
    return bad_input(fmt::format("How much louder {} is cannot be told from these takes.", d.id));
  if (*own - *quietest < 0.5)
    return bad_input(fmt::format("{} is no louder than the others in its band.", d.id));
  const Band b = band_of(m, d.id);
  return pad_stone(d, *own - *quietest, std::sqrt(b.from_hz * b.to_hz));
}

bool plays_high(const NetworkMaterial& m, const std::string& id) {
  for (const CrossoverWindow& w : network_windows(m))
    if (w.high == id) return true;
  return false;
}

}  // namespace

Result<BuildingStone> stone_for(const NetworkMaterial& m, const std::string& id, StoneKind kind,
                                const Ladder& ladder) {
  const auto found = std::find_if(m.drivers.begin(), m.drivers.end(),
                                  [&](const NetworkDriver& d) { return d.id == id; });
  if (found == m.drivers.end()) return bad_input(fmt::format("There is no take of \"{}\".", id));
  NetworkDriver d = *found;
  const bool first = kind == StoneKind::kBaffleStep || kind == StoneKind::kNotch;
  if (first && !ladder.empty()) {
    const Ladder on = switched_on(ladder);
    std::vector<std::complex<double>> seen;
    for (std::size_t i = 0; i < d.impedance.size(); ++i)
      seen.push_back(solve_ladder(on, d.impedance.value(i), d.impedance.axis()[i]).input_ohm);
    d.impedance = *Response::make(d.impedance.axis(), std::move(seen), Quantity::kImpedance,
                                  d.impedance.valid(), d.impedance.has_phase());
  }
  switch (kind) {
    case StoneKind::kBaffleStep:
      return step_stone(m, d);
    case StoneKind::kNotch: {
      const Band b = band_of(m, id);
      // A break-up is heard through a slope as well: two octaves beyond.
      return notch_stone(d, std::max(b.from_hz, 300.0), std::min(b.to_hz * 4.0, 16000.0));
    }
    case StoneKind::kPad:
      return pad_for(m, d);
    case StoneKind::kCoilAcross:
      return coil_stone(d);
    case StoneKind::kPeakAcross:
      break;
  }
  return resonance_stone(d);
}

StoneList stones_of(const NetworkMaterial& m) {
  StoneList list;
  for (const NetworkDriver& d : m.drivers) {
    const bool high = plays_high(m, d.id);
    for (const StoneKind kind : {StoneKind::kBaffleStep, StoneKind::kNotch, StoneKind::kPad,
                                 StoneKind::kCoilAcross, StoneKind::kPeakAcross}) {
      // The edges' step lies below an upper driver's band.
      if (kind == StoneKind::kBaffleStep && high) continue;
      auto stone = stone_for(m, d.id, kind);
      if (stone)
        list.stones.push_back(*std::move(stone));
      else
        list.why_not.push_back(stone.error().message);
    }
  }
  return list;
}

}  // namespace lalometer
