#include "acoustics/network/design/building_stones.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "acoustics/impedance/box_signature.h"
#include "acoustics/network/design/ladder_fit.h"
#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;
using Place = LadderPart::Place;

double db_of(double ratio) {
  return 20.0 * std::log10(std::max(ratio, 1e-12));
}

Complex held(const Response& curve, double f) {
  return value_at(curve, std::clamp(f, curve.axis().front(), curve.axis().back()));
}

LadderPart coil(double henry, Place place) {
  return {.place = place, .resistance_ohm = coil_resistance_ohm(henry), .inductance_h = henry};
}
LadderPart capacitor(double farad, Place place) {
  return {.place = place, .capacitance_f = farad};
}
LadderPart resistor(double ohm, Place place) {
  return {.place = place, .resistance_ohm = ohm};
}

/// Parts beside one another in the line.
LadderPart beside(std::vector<LadderPart> parts) {
  return {.place = Place::kSeries, .join = LadderPart::Join::kParallel, .parts = std::move(parts)};
}
/// Parts in a row across the line.
LadderPart across(std::vector<LadderPart> parts) {
  return {.place = Place::kShunt, .parts = std::move(parts)};
}

const ElementRange kOhm{std::log(0.1), std::log(1000.0)};
const ElementRange kHenry{std::log(0.01e-3), std::log(100e-3)};
const ElementRange kFarad{std::log(0.1e-6), std::log(2000e-6)};

double start(double value, const ElementRange& range) {
  return std::clamp(std::log(value), range.low + 1e-6, range.high - 1e-6);
}

std::vector<double> fitted(const LadderResidual& residual, LadderTheta theta,
                           const std::vector<ElementRange>& ranges) {
  constexpr int kRounds = 80;
  std::vector<double> values = fitted_ladder(residual, std::move(theta), ranges, kRounds, {}).theta;
  for (double& v : values) v = std::exp(v);
  return values;
}

double mean(const std::vector<double>& values) {
  double sum = 0.0;
  for (const double v : values) sum += v;
  return sum / static_cast<double>(std::max<std::size_t>(values.size(), 1));
}

void take_mean_off(std::vector<double>& values) {
  const double m = mean(values);
  for (double& v : values) v -= m;
}

/// The level of the response on the axis, 24 rows an octave between two frequencies.
struct Levels {
  std::vector<double> hz, db;
};
Levels levels_of(const Response& r, double from, double to) {
  Levels all;
  constexpr double kPerOctave = 24.0;
  for (double f = from; f <= to * (1.0 + 1e-9); f *= std::exp2(1.0 / kPerOctave)) {
    const Complex p = value_at(r, f);
    if (!std::isfinite(p.real())) continue;
    all.hz.push_back(f);
    all.db.push_back(db_of(std::abs(p) / kReferencePressure_pa));
  }
  return all;
}

/// The straight line over log f through what lies half an octave to an octave beside a place.
struct Run {
  double middle_db = 0.0, slope_db = 0.0;  ///< an octave
  double centre_hz = 1.0;
  [[nodiscard]] double at(double hz) const {
    return middle_db + slope_db * std::log2(hz / centre_hz);
  }
};
Run run_beside(const Levels& all, std::size_t at) {
  double n = 0.0, x = 0.0, y = 0.0, xx = 0.0, xy = 0.0;
  for (std::size_t i = 0; i < all.hz.size(); ++i) {
    const double away = std::log2(all.hz[i] / all.hz[at]);
    if (std::abs(away) < 0.5 || std::abs(away) > 1.0) continue;
    n += 1.0;
    x += away;
    y += all.db[i];
    xx += away * away;
    xy += away * all.db[i];
  }
  const double spread = n * xx - x * x;
  if (!(spread > 0.0)) return {all.db[at], 0.0, all.hz[at]};
  const double slope = (n * xy - x * y) / spread;
  return {(y - slope * x) / n, slope, all.hz[at]};
}

/// How far a place stands above the higher of the lowest levels within an octave to each side: the
/// brink of a fall is no peak.
double prominence_at(const Levels& all, std::size_t at) {
  double left = all.db[at], right = all.db[at];
  for (std::size_t i = 0; i < all.hz.size(); ++i) {
    const double away = std::log2(all.hz[i] / all.hz[at]);
    if (away > -1.0 && away < 0.0) left = std::min(left, all.db[i]);
    if (away < 1.0 && away > 0.0) right = std::min(right, all.db[i]);
  }
  return all.db[at] - std::max(left, right);
}

const Response* on_axis(const NetworkDriver& d) {
  const auto found = d.responses.find(NetworkAngle{});
  return found == d.responses.end() ? nullptr : &found->second;
}

}  // namespace

std::string_view word_of(StoneKind kind) {
  switch (kind) {
    case StoneKind::kBaffleStep:
      return "baffle-step";
    case StoneKind::kNotch:
      return "notch";
    case StoneKind::kPad:
      return "pad";
    case StoneKind::kCoilAcross:
      return "coil-compensation";
    case StoneKind::kPeakAcross:
      break;
  }
  return "resonance-compensation";
}

Result<BuildingStone> baffle_step_stone(const NetworkDriver& d, const std::vector<double>& hz,
                                        const std::vector<double>& step_db) {
  constexpr double kLeast_db = 1.0;
  // From far below to where it no longer rises: what ripples above is edges, not the step.
  double lowest = 1e300, highest = -1e300;
  for (const double db : step_db) lowest = std::min(lowest, db);
  std::size_t end = 0;
  for (std::size_t i = 0; i < hz.size(); ++i)
    if (step_db[i] > highest + 0.02) {
      highest = step_db[i];
      end = i + 1;
    }
  if (end < 4 || highest - lowest < kLeast_db)
    return bad_input(fmt::format("{} rises by less than {:.0f} dB: there is no step to take back.",
                                 d.id, kLeast_db));
  std::vector<Complex> ohm;
  for (const double f : hz) ohm.push_back(held(d.impedance, f));
  const auto taken = [&](double r, double l, std::size_t i) {
    const Complex s(0.0, 2.0 * kPi * hz[i]);
    const Complex z = 1.0 / (1.0 / r + 1.0 / (s * l + coil_resistance_ohm(l)));
    return db_of(std::abs(ohm[i] / (ohm[i] + z)));
  };
  // Over the peak of the sharp edges the shelf would take too much: up to half an octave beyond it.
  std::vector<double> wanted = step_db;
  const auto residual = [&](const LadderTheta& t) {
    std::vector<double> r;
    for (std::size_t i = 0; i < hz.size() && hz[i] < 1.4 * hz[end - 1]; ++i)
      r.push_back(wanted[i] + taken(std::exp(t[0]), std::exp(t[1]), i));
    take_mean_off(r);
    return r;
  };
  const double middle = std::sqrt(hz.front() * hz[end - 1]);
  const double z = std::abs(held(d.impedance, middle));
  const double r0 = z * (std::pow(10.0, (highest - lowest) / 20.0) - 1.0);
  // A much larger resistor would leave a coil alone: a slope, no shelf.
  const ElementRange shelf{std::log(0.25 * r0), std::log(1.5 * r0)};
  const std::vector<double> v = fitted(
      residual, {start(r0, shelf), start(r0 / (2.0 * kPi * middle), kHenry)}, {shelf, kHenry});
  BuildingStone stone{StoneKind::kBaffleStep, d.id, {}, true, middle, 0.0, {}};
  stone.parts = {beside({coil(v[1], Place::kSeries), resistor(v[0], Place::kSeries)})};
  stone.db = taken(v[0], v[1], 0) - taken(v[0], v[1], end - 1);
  stone.told = fmt::format(
      "Takes up to {:.1f} dB off {} above {}, where its baffle begins to carry: so much less "
      "sensitivity.",
      stone.db, d.id, frequency_text(middle));
  return stone;
}

Result<BuildingStone> notch_stone(const NetworkDriver& d, double from_hz, double to_hz) {
  constexpr double kLeast_db = 1.5;
  const Response* r = on_axis(d);
  if (r == nullptr)
    return bad_input(fmt::format("\"{}\" alone has no response on the axis.", d.id));
  const double low = std::max(from_hz / 2.0, std::max(r->axis().front(), r->valid().low_hz));
  const Levels all = levels_of(*r, low, std::min(to_hz * 2.0, r->axis().back()));
  double height = 0.0;
  std::size_t top = 0;
  for (std::size_t i = 1; i + 1 < all.hz.size(); ++i) {
    if (all.hz[i] < from_hz || all.hz[i] > to_hz) continue;
    if (all.db[i] < all.db[i - 1] || all.db[i] < all.db[i + 1]) continue;
    const double stands =
        std::min(all.db[i] - run_beside(all, i).at(all.hz[i]), prominence_at(all, i));
    if (stands <= height) continue;
    height = stands;
    top = i;
  }
  if (height < kLeast_db)
    return bad_input(fmt::format("No peak of {} from {} to {} stands out by {:.1f} dB.", d.id,
                                 frequency_text(from_hz), frequency_text(to_hz), kLeast_db));
  const double f0 = all.hz[top], w0 = 2.0 * kPi * f0;
  std::vector<Complex> ohm;
  for (const double f : all.hz) ohm.push_back(held(d.impedance, f));
  const auto taken = [&](const std::vector<double>& v, std::size_t i) {
    const Complex s(0.0, 2.0 * kPi * all.hz[i]);
    const Complex z = 1.0 / (1.0 / v[0] + 1.0 / (s * v[1] + coil_resistance_ohm(v[1])) + s * v[2]);
    return db_of(std::abs(ohm[i] / (ohm[i] + z)));
  };
  // To the run of what lies beside it, but no more than it stands out; what lies lower stays.
  const Run run = run_beside(all, top);
  const double lift = all.db[top] - height - run.at(f0);
  const auto residual = [&](const LadderTheta& t) {
    const std::vector<double> v{std::exp(t[0]), std::exp(t[1]), std::exp(t[2])};
    std::vector<double> y;
    for (std::size_t i = 0; i < all.hz.size(); ++i) {
      const double away = std::abs(std::log2(all.hz[i] / f0));
      if (away >= 1.0) continue;
      const double wanted = away < 0.5 ? std::min(all.db[i], run.at(all.hz[i]) + lift) : all.db[i];
      y.push_back(all.db[i] + taken(v, i) - wanted);
    }
    return y;
  };
  const double r0 = std::abs(ohm[top]) * (std::pow(10.0, height / 20.0) - 1.0);
  constexpr double kQ = 3.0;
  const std::vector<double> v = fitted(
      residual, {start(r0, kOhm), start(r0 / (kQ * w0), kHenry), start(kQ / (r0 * w0), kFarad)},
      {kOhm, kHenry, kFarad});
  BuildingStone stone{StoneKind::kNotch, d.id, {}, true, f0, -taken(v, top), {}};
  stone.parts = {beside({coil(v[1], Place::kSeries), capacitor(v[2], Place::kSeries),
                         resistor(v[0], Place::kSeries)})};
  stone.told =
      fmt::format("Takes {:.1f} dB off the peak of {} at {}.", stone.db, d.id, frequency_text(f0));
  if (stone.db < 0.7 * height)
    stone.told += fmt::format(
        " It stands {:.1f} dB high: before an impedance that rises a trap does no more. Put in "
        "what "
        "stands against its coil first.",
        height);
  return stone;
}

Result<BuildingStone> pad_stone(const NetworkDriver& d, double db, double hz) {
  if (!(db >= 0.5) || !(db <= 30.0))
    return bad_input(fmt::format("A pad takes 0.5 to 30 dB off; {} would need {:.1f}.", d.id, db));
  const double z = std::abs(held(d.impedance, hz));
  const double rest = std::pow(10.0, -db / 20.0);
  BuildingStone stone{StoneKind::kPad, d.id, {}, false, hz, db, {}};
  stone.parts = {resistor(z * (1.0 - rest), Place::kSeries),
                 resistor(z * rest / (1.0 - rest), Place::kShunt)};
  stone.told = fmt::format("Takes {:.1f} dB off {} and keeps {:.1f} Ω for what stands before it.",
                           db, d.id, z);
  return stone;
}

Result<BuildingStone> coil_stone(const NetworkDriver& d) {
  constexpr double kLeastRise = 1.2;
  const Response& z = d.impedance;
  double from = 100.0;
  for (const ImpedancePeak& p : impedance_peaks(z)) from = std::max(from, p.frequency_hz);
  const double top = std::min(20000.0, z.axis().back());
  const auto least = impedance_minimum(z, from, top);
  if (!least || std::abs(held(z, top)) < kLeastRise * least->magnitude_ohm)
    return bad_input(fmt::format(
        "The impedance of {} rises by less than a fifth: there is little to flatten.", d.id));
  std::vector<double> hz;
  std::vector<Complex> ohm;
  for (double f = least->frequency_hz; f <= top; f *= std::exp2(1.0 / 12.0)) {
    hz.push_back(f);
    ohm.push_back(held(z, f));
  }
  const auto together = [&](double r, double c, std::size_t i) {
    return 1.0 / (1.0 / ohm[i] + 1.0 / (r + 1.0 / Complex(0.0, 2.0 * kPi * hz[i] * c)));
  };
  const auto residual = [&](const LadderTheta& t) {
    std::vector<double> y;
    for (std::size_t i = 0; i < hz.size(); ++i)
      y.push_back(std::log(std::abs(together(std::exp(t[0]), std::exp(t[1]), i))));
    take_mean_off(y);
    return y;
  };
  const double r = least->magnitude_ohm;
  const double henry = std::max(held(z, top).imag(), 0.01) / (2.0 * kPi * top);
  const std::vector<double> v =
      fitted(residual, {start(1.25 * r, kOhm), start(henry / (r * r), kFarad)}, {kOhm, kFarad});
  double low = 1e300, high = 0.0;
  for (std::size_t i = 0; i < hz.size(); ++i) {
    low = std::min(low, std::abs(together(v[0], v[1], i)));
    high = std::max(high, std::abs(together(v[0], v[1], i)));
  }
  BuildingStone stone{StoneKind::kCoilAcross, d.id, {}, false, least->frequency_hz, 0.0, {}};
  stone.parts = {across({resistor(v[0], Place::kShunt), capacitor(v[1], Place::kShunt)})};
  stone.told = fmt::format(
      "Holds the impedance of {} between {:.1f} and {:.1f} Ω above {}; without it {:.1f} Ω.", d.id,
      low, high, frequency_text(least->frequency_hz), std::abs(held(z, top)));
  return stone;
}

Result<BuildingStone> resonance_stone(const NetworkDriver& d) {
  const Response& z = d.impedance;
  const ImpedancePeak* highest = nullptr;
  const std::vector<ImpedancePeak> peaks = impedance_peaks(z);
  for (const ImpedancePeak& p : peaks)
    if (highest == nullptr || p.magnitude_ohm > highest->magnitude_ohm) highest = &p;
  if (highest == nullptr) return bad_input(fmt::format("The impedance of {} has no peak.", d.id));
  const double f0 = highest->frequency_hz, w0 = 2.0 * kPi * f0;
  const double below = highest->magnitude_ohm / (1.0 + highest->prominence);
  std::vector<double> hz;
  std::vector<Complex> ohm;
  for (double f = std::max(z.axis().front(), f0 / 3.0); f <= std::min(z.axis().back(), 3.0 * f0);
       f *= std::exp2(1.0 / 24.0)) {
    hz.push_back(f);
    ohm.push_back(held(z, f));
  }
  const auto model = [&](const LadderTheta& t, std::size_t i) {
    const Complex s(0.0, 2.0 * kPi * hz[i]);
    return std::exp(t[0]) + s * std::exp(t[4]) +
           1.0 / (std::exp(-t[1]) + 1.0 / (s * std::exp(t[2])) + s * std::exp(t[3]));
  };
  const bool phase = z.has_phase();
  const auto residual = [&](const LadderTheta& t) {
    std::vector<double> y;
    for (std::size_t i = 0; i < hz.size(); ++i) {
      const Complex off = std::log(model(t, i) / ohm[i]);
      y.push_back(off.real());
      if (phase) y.push_back(off.imag());
    }
    return y;
  };
  const ElementRange wide{std::log(1e-7), std::log(10.0)};
  const double q = 2.0;
  const std::vector<double> v =
      fitted(residual,
             {start(below, kOhm), start(highest->magnitude_ohm - below, kOhm),
              start(below / (w0 * q), wide), start(q / (w0 * below), wide), start(1e-4, wide)},
             {kOhm, kOhm, wide, wide, wide});
  const double r = v[0], l = v[3] * r * r, c = v[2] / (r * r);
  BuildingStone stone{StoneKind::kPeakAcross, d.id, {}, false, f0, 0.0, {}};
  const double total = r + r * r / v[1];
  stone.parts = {across({coil(l, Place::kShunt), capacitor(c, Place::kShunt),
                         resistor(std::max(total - coil_resistance_ohm(l), 0.1), Place::kShunt)})};
  stone.told = fmt::format("Takes the impedance peak of {} at {}: {:.1f} Ω beside {:.1f} Ω.", d.id,
                           frequency_text(f0), highest->magnitude_ohm, r);
  return stone;
}

void put_stone(DesignBranch& branch, const BuildingStone& stone) {
  Ladder& ladder = branch.ladder;
  auto at = stone.first ? ladder.begin() : ladder.end();
  // What mends a driver's impedance stands at the driver itself, behind a pad.
  if (stone.kind == StoneKind::kPad)
    while (at != ladder.begin() && (at - 1)->place == Place::kShunt && !(at - 1)->parts.empty())
      --at;
  ladder.insert(at, stone.parts.begin(), stone.parts.end());
}

}  // namespace lalometer
