#include "acoustics/signal/checks/disturbance.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <vector>

#include "acoustics/signal/checks/recording_checks.h"
#include "acoustics/signal/fft.h"
#include "base/constants.h"

namespace lalometer {
namespace {

constexpr std::size_t kFrame = 4096;
constexpr std::size_t kHop = 2048;
constexpr double kOver_db = 15.0;
constexpr double kUnderSweep_db = -40.0;
constexpr double kDying_s = 0.35;
constexpr double kHighestHarmonic = 8.0;
constexpr double kLobe_bins = 6.0;  ///< half the window's main lobe, and the sweep's own spread

/// Four-term Blackman-Harris, -92 dB (F. Harris, Proc. IEEE 66 (1978) 51).
std::vector<double> frame_window() {
  std::vector<double> w(kFrame);
  for (std::size_t i = 0; i < kFrame; ++i) {
    const double x = 2.0 * kPi * static_cast<double>(i) / static_cast<double>(kFrame);
    w[i] =
        0.35875 - 0.48829 * std::cos(x) + 0.14128 * std::cos(2.0 * x) - 0.01168 * std::cos(3.0 * x);
  }
  return w;
}

/// Third octaves from 31.5 Hz to 8 kHz as spans of bins.
struct Third {
  double centre_hz;
  double low_hz;
  double high_hz;
};
std::vector<Third> thirds() {
  std::vector<Third> all;
  for (int i = -15; i <= 9; ++i) {
    const double centre = 1000.0 * std::exp2(i / 3.0);
    all.push_back({centre, centre * std::exp2(-1.0 / 6.0), centre * std::exp2(1.0 / 6.0)});
  }
  return all;
}

class Frames {
 public:
  explicit Frames(double rate) : rate_(rate), transform_(kFrame), bins_(transform_.bin_count()) {}

  /// Power per third octave of the frame that starts there.
  std::vector<double> powers(std::span<const double> x, std::size_t start) {
    Samples frame(kFrame);
    for (std::size_t i = 0; i < kFrame; ++i) frame[i] = window_[i] * x[start + i];
    transform_.forward(frame, bins_);
    std::vector<double> powers;
    for (const Third& t : thirds_) {
      const double step = rate_ / static_cast<double>(kFrame);
      const auto from = static_cast<std::size_t>(std::ceil(t.low_hz / step));
      const auto to = std::min(static_cast<std::size_t>(t.high_hz / step) + 1, bins_.size());
      double sum = 0.0;
      for (std::size_t k = from; k < std::max(to, from + 1) && k < bins_.size(); ++k)
        sum += std::norm(bins_[k]);
      powers.push_back(sum);
    }
    return powers;
  }
  [[nodiscard]] const std::vector<Third>& bands() const { return thirds_; }
  [[nodiscard]] double lobe_hz() const { return kLobe_bins * rate_ / static_cast<double>(kFrame); }

 private:
  double rate_;
  RealTransform transform_;
  Spectrum bins_;
  std::vector<double> window_ = frame_window();
  std::vector<Third> thirds_ = thirds();
};

}  // namespace

std::optional<Disturbance> find_disturbance(std::span<const double> recording,
                                            const SweepSpec& spec, std::size_t stimulus_start) {
  const double rate = spec.sample_rate_hz();
  if (stimulus_start < kFrame + kHop || recording.size() < stimulus_start + 2 * kFrame)
    return std::nullopt;
  Frames frames(rate);
  const std::vector<Third>& bands = frames.bands();
  std::vector<double> quiet(bands.size(), 1e-30);
  for (std::size_t at = 0; at + kFrame <= stimulus_start; at += kHop / 2) {
    const std::vector<double> now = frames.powers(recording, at);
    for (std::size_t b = 0; b < bands.size(); ++b) quiet[b] = std::max(quiet[b], now[b]);
  }
  double loudest = 1e-30;
  struct Seen {
    std::size_t at;
    std::vector<double> powers;
  };
  std::vector<Seen> all;
  for (std::size_t at = stimulus_start; at + kFrame <= recording.size(); at += kHop) {
    all.push_back({at, frames.powers(recording, at)});
    for (const double p : all.back().powers) loudest = std::max(loudest, p);
  }
  std::optional<Disturbance> worst;
  for (const Seen& seen : all) {
    const double begins =
        (static_cast<double>(seen.at) - static_cast<double>(stimulus_start)) / rate;
    const double ends = begins + static_cast<double>(kFrame) / rate;
    const auto played = [&](double t) {
      return sweep_frequency_hz(spec, std::clamp(t, 0.0, spec.duration_s()));
    };
    const double below =
        begins < kDying_s ? 0.0 : played(begins - kDying_s) / 1.6 - frames.lobe_hz();
    const double above =
        begins > spec.duration_s() ? 1e9 : kHighestHarmonic * played(ends) + frames.lobe_hz();
    for (std::size_t b = 0; b < bands.size(); ++b) {
      if (bands[b].high_hz > below && bands[b].low_hz < above) continue;
      const double over = 10.0 * std::log10(seen.powers[b] / quiet[b]);
      const double under = 10.0 * std::log10(seen.powers[b] / loudest);
      if (over < kOver_db || under < kUnderSweep_db) continue;
      if (!worst || over > worst->above_quiet_db)
        worst = Disturbance{static_cast<double>(seen.at) / rate, bands[b].centre_hz, over};
    }
  }
  return worst;
}

std::optional<Hum> find_hum(std::span<const double> silence, double sample_rate_hz) {
  const auto n = silence.size();
  if (static_cast<double>(n) < 0.2 * sample_rate_hz) return std::nullopt;
  std::vector<double> windowed(n);
  double weight = 0.0;
  for (std::size_t i = 0; i < n; ++i) {
    const double w =
        0.5 - 0.5 * std::cos(2.0 * kPi * static_cast<double>(i) / static_cast<double>(n));
    windowed[i] = w * silence[i];
    weight += w;
  }
  const auto amplitude = [&](double f) {
    std::complex<double> sum = 0.0;
    const std::complex<double> turn = std::polar(1.0, -2.0 * kPi * f / sample_rate_hz);
    std::complex<double> phase = 1.0;
    for (const double x : windowed) {
      sum += x * phase;
      phase *= turn;
    }
    return 2.0 * std::abs(sum) / weight;
  };
  std::optional<Hum> found;
  for (const double mains : {50.0, 60.0}) {
    double teeth = 0.0;
    double gaps = 0.0;
    for (int k = 1; k <= 4; ++k) {
      teeth += std::pow(amplitude(k * mains), 2);
      gaps += 0.5 * std::pow(amplitude((k - 0.5) * mains), 2) +
              0.5 * std::pow(amplitude((k + 0.5) * mains), 2);
    }
    if (teeth < 10.0 * gaps) continue;
    const double level = std::sqrt(0.5 * teeth);
    if (!found || level > found->level) found = Hum{mains, level};
  }
  return found;
}

}  // namespace lalometer
