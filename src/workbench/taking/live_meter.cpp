#include "workbench/taking/live_meter.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <random>

#include "acoustics/impedance/divider.h"
#include "acoustics/signal/recording/recording_checks.h"
#include "acoustics/signal/fft.h"
#include "acoustics/spectrum/bands.h"
#include "base/text.h"

namespace lalometer {
namespace {

constexpr std::size_t kFrame = 16384;
constexpr std::size_t kHop = 4096;
constexpr std::size_t kKept = 32768;
constexpr std::size_t kNoisePeriod = 65536;
constexpr double kHold_s = 3.0;
constexpr double kClipping = 0.999;

/// Complex amplitude of a frequency, Hann-weighted.
std::complex<double> amplitude_at(std::span<const double> x, double f, double rate) {
  std::complex<double> sum = 0.0;
  double weight = 0.0;
  const std::complex<double> turn = std::polar(1.0, -2.0 * kPi * f / rate);
  std::complex<double> phase = 1.0;
  for (std::size_t i = 0; i < x.size(); ++i) {
    const double w =
        0.5 - 0.5 * std::cos(2.0 * kPi * static_cast<double>(i) / static_cast<double>(x.size()));
    sum += w * x[i] * phase;
    weight += w;
    phase *= turn;
  }
  return 2.0 * sum / weight;
}

std::vector<double> pink_period(const LiveSource& source, double rate) {
  Spectrum bins(kNoisePeriod / 2 + 1, 0.0);
  std::mt19937 engine(1);
  for (std::size_t k = 1; k + 1 < bins.size(); ++k) {
    const double f = static_cast<double>(k) * rate / static_cast<double>(kNoisePeriod);
    if (f < source.start_hz || f > source.stop_hz) continue;
    bins[k] = std::polar(1.0 / std::sqrt(f), 2.0 * kPi * static_cast<double>(engine()) * 0x1.0p-32);
  }
  Samples period(kNoisePeriod);
  RealTransform(kNoisePeriod).inverse(bins, period);
  return {period.begin(), period.end()};
}

}  // namespace

Result<std::vector<double>> live_signal(const LiveSource& s, const RigCalibration& rig,
                                        double rate) {
  std::vector<double> x(static_cast<std::size_t>(std::max(s.seconds, 0.1) * rate), 0.0);
  if (s.signal == LiveSignal::kSilence) return x;
  if (!(s.frequency_hz >= 1.0 && s.frequency_hz < 0.45 * rate && s.start_hz >= 1.0 &&
        s.stop_hz > s.start_hz))
    return bad_input(
        fmt::format("Frequencies between 1 Hz and {} can be played.", frequency_text(0.45 * rate)));
  const double stop_hz = std::min(s.stop_hz, 0.45 * rate);
  std::vector<double> noise;
  double scale = std::sqrt(2.0) * s.drive_v / rig.output_v_per_unit;
  if (s.signal == LiveSignal::kPinkNoise) {
    noise = pink_period(s, rate);
    scale = s.drive_v / rig.output_v_per_unit / rms_of(noise);
  }
  const double octaves = std::log(stop_hz / s.start_hz);
  const double whole_s = static_cast<double>(x.size()) / rate;
  for (std::size_t i = 0; i < x.size(); ++i) {
    const double t = static_cast<double>(i) / rate;
    const double fade = std::min({1.0, t / 0.05, (whole_s - t) / 0.05});
    double value = 0.0;
    if (s.signal == LiveSignal::kTone) value = std::sin(2.0 * kPi * s.frequency_hz * t);
    if (s.signal == LiveSignal::kSlowSweep)
      value =
          std::sin(2.0 * kPi * s.start_hz * whole_s / octaves * std::expm1(octaves * t / whole_s));
    if (s.signal == LiveSignal::kPinkNoise) value = noise[i % kNoisePeriod];
    x[i] = scale * fade * value;
  }
  if (peak_of(x) > 0.95)
    return bad_input(fmt::format("{} V are more than the rig gives.", three_digits(s.drive_v)));
  return x;
}

LiveMeter::LiveMeter(const RigCalibration& rig, Hookup hookup, double sample_rate_hz,
                     std::optional<double> tone_hz)
    : rig_(rig), hookup_(hookup), rate_(sample_rate_hz), tone_hz_(tone_hz) {}

void LiveMeter::take_up(std::span<const double> measured, std::span<const double> loopback) {
  measured_.insert(measured_.end(), measured.begin(), measured.end());
  loopback_.insert(loopback_.end(), loopback.begin(), loopback.end());
  now_s_ += static_cast<double>(measured.size()) / rate_;
  peaks_.push_back({now_s_, peak_of(measured), peak_of(loopback)});
  std::erase_if(peaks_, [&](const Peak& p) { return p.at_s < now_s_ - kHold_s; });
  since_frame_ += measured.size();
  while (since_frame_ >= kHop && measured_.size() >= kFrame) {
    new_frame();
    since_frame_ -= kHop;
  }
  for (std::vector<double>* kept : {&measured_, &loopback_}) {
    if (kept->size() > kKept)
      kept->erase(kept->begin(), kept->end() - static_cast<std::ptrdiff_t>(kKept));
  }
}

void LiveMeter::new_frame() {
  const RealTransform transform(kFrame);
  Samples frame(kFrame);
  const std::size_t from = measured_.size() - kFrame;
  for (std::size_t i = 0; i < kFrame; ++i) {
    const double w =
        0.5 - 0.5 * std::cos(2.0 * kPi * static_cast<double>(i) / static_cast<double>(kFrame));
    frame[i] = w * measured_[from + i];
  }
  Spectrum bins(transform.bin_count());
  transform.forward(frame, bins);
  power_.resize(bins.size(), 0.0);
  // Two sides, and the window's mean square of 3/8: the sum over bins is the signal's mean square.
  const double per_bin = 2.0 / (0.375 * static_cast<double>(kFrame) * static_cast<double>(kFrame));
  const double share = first_ ? 1.0 : static_cast<double>(kHop) / rate_;  // about a second
  first_ = false;
  for (std::size_t k = 0; k < bins.size(); ++k)
    power_[k] += share * (per_bin * std::norm(bins[k]) - power_[k]);
}

LiveReading LiveMeter::reading() const {
  LiveReading reading;
  // Pa peak (or V peak) per full scale; levels are rms re 20 uPa (or 1 V).
  const bool jig = hookup_ == Hookup::kImpedanceJig;
  const double unit = jig ? rig_.jig_v_per_unit : rig_.input_pa_per_unit;
  const double reference = jig ? 1.0 : kReferencePressure_pa;
  const auto level = [&](double mean_square) {
    return 10.0 * std::log10(std::max(mean_square, 1e-24) * unit * unit / (reference * reference));
  };
  const std::size_t eighth = std::min(measured_.size(), static_cast<std::size_t>(rate_ / 8.0));
  const std::span<const double> last = std::span(measured_).last(eighth);
  reading.level_db = level(std::pow(rms_of(last), 2));
  reading.measured_peak = peak_of(last);
  reading.loopback_peak = peak_of(std::span(loopback_).last(std::min(eighth, loopback_.size())));
  for (const Peak& p : peaks_) {
    reading.measured_hold = std::max(reading.measured_hold, p.measured);
    reading.loopback_hold = std::max(reading.loopback_hold, p.loopback);
  }
  reading.clipped = std::max(reading.measured_hold, reading.loopback_hold) >= kClipping;
  if (!power_.empty()) {
    const double step = rate_ / static_cast<double>(kFrame);
    for (const Band& band : fractional_octave_bands(20.0, std::min(20000.0, 0.45 * rate_), 6)) {
      // Shares of the bins at both ends, so that narrow bands at low frequencies are not empty.
      double sum = 0.0;
      for (std::size_t k = 1; k < power_.size(); ++k) {
        const double low = (static_cast<double>(k) - 0.5) * step;
        const double high = low + step;
        if (high <= band.low_hz) continue;
        if (low >= band.high_hz) break;
        sum += power_[k] * (std::min(high, band.high_hz) - std::max(low, band.low_hz)) / step;
      }
      reading.band_hz.push_back(band.centre_hz);
      reading.band_db.push_back(level(sum));
    }
  }
  if (tone_hz_ && measured_.size() >= kFrame) {
    const std::span<const double> x = std::span(measured_).last(kFrame);
    const std::complex<double> tone = amplitude_at(x, *tone_hz_, rate_);
    LiveTone seen;
    seen.frequency_hz = *tone_hz_;
    seen.level_db = level(0.5 * std::norm(tone));
    double harmonics = 0.0;
    for (int n = 2; n <= 5 && n * *tone_hz_ < 0.45 * rate_; ++n) {
      const double a =
          std::norm(amplitude_at(x, n * *tone_hz_, rate_)) / std::max(std::norm(tone), 1e-30);
      seen.harmonic_db.push_back(10.0 * std::log10(std::max(a, 1e-20)));
      harmonics += a;
    }
    seen.thd_percent = 100.0 * std::sqrt(harmonics);
    if (jig && loopback_.size() >= kFrame) {
      const std::complex<double> before =
          amplitude_at(std::span(loopback_).last(kFrame), *tone_hz_, rate_);
      if (std::abs(before) > 1e-6) {
        const auto ratio =
            Response::make(*FrequencyAxis::make({*tone_hz_ * 0.999, *tone_hz_ * 1.001}),
                           std::vector<std::complex<double>>(
                               2, tone * rig_.jig_v_per_unit / (before * rig_.loopback_v_per_unit)),
                           Quantity::kRatio, {0.0, rate_}, true);
        const auto z = rig_.jig ? impedance_by_calibration(*ratio, *rig_.jig)
                                : impedance_by_divider(*ratio, rig_.reference_ohm, rig_.cable_ohm);
        if (z) seen.impedance_ohm = z->values().front();
      }
    }
    reading.tone = seen;
  }
  return reading;
}

std::optional<bool> moves_outward(std::span<const double> impulse) {
  const double peak = peak_of(impulse);
  if (!(peak > 0.0)) return std::nullopt;
  for (std::size_t i = 0; i < impulse.size(); ++i) {
    if (std::abs(impulse[i]) < 0.25 * peak) continue;
    // The half wave that reaches it, at its top.
    double top = impulse[i];
    for (std::size_t k = i; k < impulse.size() && impulse[k] * impulse[i] > 0.0; ++k)
      if (std::abs(impulse[k]) > std::abs(top)) top = impulse[k];
    return top > 0.0;
  }
  return std::nullopt;
}

}  // namespace lalometer
