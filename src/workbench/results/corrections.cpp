#include "workbench/results/corrections.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "acoustics/signal/fft.h"
#include "acoustics/spectrum/bode_phase.h"
#include "base/text.h"

namespace lalometer {
namespace {

/// No measuring microphone is so far from flat at 1 kHz; its file tells levels, not deviations.
constexpr double kAbsolute_db = 10.0;
constexpr double kUsualReference_hz = 1000.0;

double magnitude_near(const Response& curve, double frequency_hz) {
  return std::abs(
      value_at(curve, std::clamp(frequency_hz, curve.axis().front(), curve.axis().back())));
}

/// Divides a spectrum on even steps.
template <class Bins>
void divide(Bins& bins, double step_hz, const Response& correction) {
  for (std::size_t k = 0; k < bins.size(); ++k) {
    const double f = std::clamp(static_cast<double>(k) * step_hz, correction.axis().front(),
                                correction.axis().back());
    bins[k] /= value_at(correction, f);
  }
}

}  // namespace

std::optional<Response> applied_correction(const RigCalibration& rig,
                                           std::vector<std::string>& notes) {
  if (!rig.microphone_correction) return std::nullopt;
  const Response& file = *rig.microphone_correction;
  double unity = 1.0;
  if (rig.calibrator_hz) {
    unity = magnitude_near(file, *rig.calibrator_hz);
  } else {
    const double at_reference = magnitude_near(file, kUsualReference_hz);
    const double off_db = to_level_db(at_reference, 1.0);
    if (std::abs(off_db) > kAbsolute_db) {
      unity = at_reference;
      notes.push_back(
          fmt::format("The microphone's correction tells absolute levels: its {:.1f} dB at {} were "
                      "taken for 0.",
                      off_db, frequency_text(kUsualReference_hz)));
    }
  }
  std::vector<std::complex<double>> values = file.values();
  for (auto& value : values) value /= std::max(unity, 1e-12);
  const Response curve = *Response::make(file.axis(), std::move(values), file.quantity(),
                                         file.valid(), file.has_phase());
  return curve.has_phase() ? curve : with_minimum_phase(curve);
}

void take_out(const Response& correction, ImpulseResponse& h) {
  const std::size_t n = fast_length(2 * h.samples.size()) / 2 * 2;
  Spectrum bins = real_spectrum(h.samples, n);
  divide(bins, h.sample_rate_hz / static_cast<double>(n), correction);
  bins.front() = bins.front().real();
  bins.back() = bins.back().real();
  Samples time(n);
  RealTransform(n).inverse(bins, time);
  std::copy_n(time.begin(), h.samples.size(), h.samples.begin());
}

void take_out(const Response& correction, UncutSpectrum& spectrum) {
  divide(spectrum.bins, spectrum.step_hz, correction);
}

double heard_pa_per_v(const Take& take, const RigCalibration& rig) {
  const bool taken_here = rig.time != TimeBase::kLoopback && take.conditions.loopback_channel < 0;
  if (!taken_here) return take.conditions.pa_per_v;
  return rig.level_known ? rig.input_pa_per_unit / rig.output_v_per_unit : 0.0;
}

}  // namespace lalometer
