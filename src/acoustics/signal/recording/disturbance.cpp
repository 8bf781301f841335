#include "acoustics/signal/recording/disturbance.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <vector>

#include "acoustics/signal/fft.h"
#include "acoustics/signal/recording/recording_checks.h"
#include "base/constants.h"

namespace lalometer {
namespace {

constexpr std::size_t kFrame = 4096;
constexpr std::size_t kHop = 2048;
constexpr double kOver_db = 15.0;
constexpr double kUnderSweep_db = -40.0;
/// From here on after the sweep has left a band its dying away is known, and then judged.
constexpr double kKnown_s = 0.1;
constexpr double kDying_s = 0.35;
/// No room that people measure in dies away more slowly: 60 dB in 3 s.
constexpr double kSlowest_db_per_s = 20.0;
/// What rises by so much over all that was there is no beat between two modes.
constexpr double kRise_db = 15.0;
/// Over the silence: from here on a level belongs to the dying away.
constexpr double kClear_db = 6.0;
/// Below, a third octave holds a mode or two, which may beat; there one band alone is a doubt.
constexpr double kSingleModes_hz = 200.0;
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

/// How quickly a band dies away, learnt as it goes.
class Dying {
 public:
  void see(double t, double level_db) {
    n_ += 1.0;
    st_ += t;
    sl_ += level_db;
    stt_ += t * t;
    stl_ += t * level_db;
  }
  /// Never faster than half of what was seen: later parts of a room die away more slowly.
  [[nodiscard]] double slope_db_per_s() const {
    const double spread = n_ * stt_ - st_ * st_;
    if (n_ < 4.0 || spread <= 0.0) return -kSlowest_db_per_s;
    return std::min(0.5 * (n_ * stl_ - st_ * sl_) / spread, -kSlowest_db_per_s);
  }

 private:
  double n_ = 0.0, st_ = 0.0, sl_ = 0.0, stt_ = 0.0, stl_ = 0.0;
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
  const auto played_hz = [&](double t) {
    return sweep_frequency_hz(spec, std::clamp(t, 0.0, spec.duration_s()));
  };
  // Highest frequency that the sweep, and its spread in a frame, left so long ago.
  const auto left_hz = [&](double begins, double ago_s) {
    return begins < ago_s ? 0.0 : played_hz(begins - ago_s) / 1.6 - frames.lobe_hz();
  };
  // In dB, at the last frame's time: what the band's own dying away may still be.
  std::vector<double> expected_db(bands.size(), -300.0);
  std::vector<Dying> dying(bands.size());
  std::optional<Disturbance> worst;
  double last_s = 0.0;
  for (const Seen& seen : all) {
    const double begins =
        (static_cast<double>(seen.at) - static_cast<double>(stimulus_start)) / rate;
    const double ends = begins + static_cast<double>(kFrame) / rate;
    const double above =
        begins > spec.duration_s() ? 1e9 : kHighestHarmonic * played_hz(ends) + frames.lobe_hz();
    std::vector<bool> risen(bands.size(), false);
    std::vector<double> over_db(bands.size(), 0.0);
    for (std::size_t b = 0; b < bands.size(); ++b) {
      const double level = 10.0 * std::log10(seen.powers[b] + 1e-300);
      over_db[b] = level - 10.0 * std::log10(quiet[b]);
      expected_db[b] += dying[b].slope_db_per_s() * (begins - last_s);
      const bool loud =
          over_db[b] >= kOver_db && level - 10.0 * std::log10(loudest) >= kUnderSweep_db;
      if (bands[b].low_hz >= above) {
        risen[b] = loud;
      } else if (bands[b].high_hz <= left_hz(begins, kDying_s)) {
        risen[b] = loud && level > expected_db[b] + kRise_db;
      }
      if (bands[b].high_hz <= left_hz(begins, kKnown_s)) {
        expected_db[b] = std::max(expected_db[b], level);
        if (!risen[b] && over_db[b] > kClear_db) dying[b].see(begins, level);
      }
    }
    last_s = begins;
    for (std::size_t b = 0; b < bands.size(); ++b) {
      if (!risen[b]) continue;
      const bool beside = (b > 0 && risen[b - 1]) || (b + 1 < bands.size() && risen[b + 1]);
      const bool certain = beside || bands[b].centre_hz > kSingleModes_hz;
      if (worst && (worst->certain > certain ||
                    (worst->certain == certain && over_db[b] <= worst->above_quiet_db)))
        continue;
      worst =
          Disturbance{static_cast<double>(seen.at) / rate, bands[b].centre_hz, over_db[b], certain};
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
