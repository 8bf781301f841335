#include "workbench/bass/box_check.h"

#include <cmath>

#include "acoustics/enclosure/enclosure_model.h"
#include "base/constants.h"
#include "book/description/driver_parameters.h"

namespace lalometer {
namespace {

constexpr double kSoundBox_ql = 10.0;

ExpectedBass solved(const EnclosureDesign& design, std::string basis) {
  const FrequencyAxis axis = FrequencyAxis::logarithmic(10.0, 500.0, 48.0);
  const EnclosureCurves curves = solve_enclosure(design, axis);
  ExpectedBass out{.axis = axis, .level_db = {}, .basis = std::move(basis)};
  for (const auto& p : curves.pressure_pa)
    out.level_db.push_back(to_level_db(std::abs(p), kReferencePressure_pa));
  return out;
}

/// Mean of measured less expected over a range, dB; nothing where the curve is not valid there.
std::optional<double> mean_off(const Response& curve, const ExpectedBass& e, double low,
                               double high) {
  if (!curve.valid().contains(low) || !curve.valid().contains(high)) return std::nullopt;
  double sum = 0.0;
  double count = 0.0;
  for (std::size_t i = 0; i < curve.size(); ++i) {
    const double f = curve.axis()[i];
    if (f < low || f > high) continue;
    sum += curve.level_db(i) - value_between(e.axis, e.level_db, f);
    count += 1.0;
  }
  return count > 0.0 ? std::optional(sum / count) : std::nullopt;
}

}  // namespace

std::optional<ExpectedBass> expected_bass(const Description& d) {
  const auto geometry = geometry_of(d, "");
  if (!geometry || geometry->loading != "vented") return std::nullopt;
  const std::vector<PortGeometry> ports = geometry->pipes();
  if (ports.empty()) return std::nullopt;
  const auto volume = geometry->acoustic_volume_m3();
  if (!volume) return std::nullopt;
  const DescribedDriver* low = nullptr;
  for (const DescribedDriver& driver : d.drivers) {
    const bool bass = !is_high_driver(driver.role) && role_or_woofer(driver) != "midrange";
    // Of several only one circuit would be known.
    if (bass && low != nullptr) return std::nullopt;
    if (bass) low = &driver;
  }
  if (low == nullptr) return std::nullopt;
  const auto parameters = parameters_of(*low, "");
  if (!parameters || parameters->usual) return std::nullopt;
  EnclosureDesign design{.driver = parameters->elements,
                         .load = vented_load(*volume, ports, kSoundBox_ql, 0.0, 0.0)};
  return solved(design, "the driver's parameters and the box's sizes");
}

std::optional<ExpectedBass> expected_bass(const BoxFit& fit) {
  if (fit.notch_hz) return std::nullopt;
  // Only ratios count: any area will do, and a box of a litre.
  constexpr double kVolume_m3 = 1e-3;
  const QuotedParameters quoted{.fs_hz = fit.driver_fs_hz.value,
                                .qms = fit.driver_qms.value,
                                .qes = fit.driver_qes.value,
                                .vas_m3 = fit.alpha.value * kVolume_m3,
                                .sd_m2 = 0.01,
                                .re_ohm = fit.re_ohm.value,
                                .le_h = 1e-6};
  BoxLoad load;
  load.kind = BoxLoad::Kind::kVented;
  load.volume_m3 = kVolume_m3;
  load.tuning_hz = fit.fb_hz.value;
  load.ql = kSoundBox_ql;
  if (fit.qa) load.qa = fit.qa->value;
  return solved({.driver = elements_of(quoted), .load = load}, "the impedance in the box");
}

std::optional<MissingOutput> missing_output(const NearFields& near, const ExpectedBass& expected) {
  if (!near.fb_hz) return std::nullopt;
  const double fb = near.fb_hz->value;
  const auto above =
      mean_off(near.half_space, expected, 2.5 * fb, std::min(5.0 * fb, near.valid_to_hz));
  const auto about = mean_off(near.half_space, expected, 0.8 * fb, 1.25 * fb);
  if (!above || !about) return std::nullopt;
  MissingOutput out{.missing_db = *above - *about, .basis = expected.basis};
  const ValidRange reference{2.5 * fb, std::min(5.0 * fb, near.valid_to_hz)};
  // Parameters a few per cent off move the knee by some tenths (common practice, no source).
  constexpr double kModel_db = 0.7;
  out.half_width_db =
      std::hypot(bass_deviation_db(near, near.half_space, fb, reference), kModel_db);
  return out;
}

std::vector<ConeWave> cone_waves(const NearFields& near, const SubjectGeometry& g,
                                 const std::vector<Wiggle>* impedance, double c) {
  constexpr double kPredicted = 0.06;
  constexpr double kImpedance = 0.04;
  std::vector<BoxMode> modes;
  if (g.inner && !near.cone_waves.empty())
    modes = box_modes(*g.inner, 1.1 * near.cone_waves.back().frequency_hz,
                      inner_speed_m_s(g.damping, c));
  std::vector<ConeWave> out;
  for (const Departure& dip : near.cone_waves) {
    ConeWave wave{.dip = dip};
    double nearest = kPredicted;
    for (const BoxMode& mode : modes) {
      const double off = std::abs(std::log(mode.frequency_hz / dip.frequency_hz));
      if (off > nearest) continue;
      nearest = off;
      constexpr const char* kSides[] = {"width", "height", "depth"};
      wave.predicted.clear();
      for (std::size_t k = 0; k < 3; ++k)
        if (mode.order[k] > 0)
          wave.predicted += (wave.predicted.empty() ? "box " : " and ") + std::string(kSides[k]);
      wave.predicted_hz = mode.frequency_hz;
    }
    double close = kImpedance;
    if (impedance != nullptr) {
      for (const Wiggle& w : *impedance) {
        const double off = std::abs(std::log(w.frequency_hz.value / dip.frequency_hz));
        if (off > close) continue;
        close = off;
        wave.impedance_hz = w.frequency_hz.value;
      }
    }
    out.push_back(std::move(wave));
  }
  return out;
}

}  // namespace lalometer
