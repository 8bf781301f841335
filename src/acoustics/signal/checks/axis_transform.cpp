#include "acoustics/signal/checks/axis_transform.h"

#include <algorithm>
#include <cmath>
#include <mutex>

#include "acoustics/signal/fft.h"
#include "base/constants.h"

namespace lalometer {
namespace {

constexpr std::size_t kLines = 12;  ///< that a frequency is read from
/// For a transform of at least twice the length: pi times the lines times 1 - 1/4.
constexpr double kShape = 0.75 * kPi * static_cast<double>(kLines);

/// Bessel's I0, by its power series.
double bessel_i0(double x) {
  const double quarter = 0.25 * x * x;
  double term = 1.0;
  double sum = 1.0;
  for (int k = 1; k < 100 && term > 1e-17 * sum; ++k) {
    term *= quarter / (static_cast<double>(k) * static_cast<double>(k));
    sum += term;
  }
  return sum;
}

/// The weight of a line that lies so many lines from a frequency.
double share_of(double apart) {
  const double u = 2.0 * apart / static_cast<double>(kLines);
  return std::abs(u) < 1.0 ? bessel_i0(kShape * std::sqrt(1.0 - u * u)) : 0.0;
}

/// Its transform, at so many turns from one line to the next; |turns| <= 1/4.
double transform_of_share(double turns) {
  const double w = kPi * static_cast<double>(kLines) * turns;
  const double root = std::sqrt(kShape * kShape - w * w);
  return static_cast<double>(kLines) * std::sinh(root) / root;
}

}  // namespace

AxisTransform::AxisTransform(std::size_t length, double sample_rate_hz, const FrequencyAxis& axis)
    : length_(length),
      rate_hz_(sample_rate_hz),
      axis_(axis),
      size_(fast_length(std::max<std::size_t>(length, 2 * kLines)) * 2),
      weight_(length) {
  const auto size = static_cast<double>(size_);
  for (std::size_t i = 0; i < length; ++i)
    weight_[i] =
        1.0 / transform_of_share((static_cast<double>(i) - static_cast<double>(middle())) / size);
  for (const double f : axis.hz()) {
    const double turns = std::min(f / sample_rate_hz, 0.5);
    turn_.push_back(2.0 * kPi * turns);
    step_.push_back(std::polar(1.0, -turn_.back()));
    to_end_.push_back(std::polar(1.0, -turn_.back() * static_cast<double>(length - middle())));
    const double line = turns * size;
    const auto first = static_cast<std::ptrdiff_t>(std::floor(line)) -
                       (static_cast<std::ptrdiff_t>(kLines) / 2 - 1);
    at_.push_back(first);
    for (std::size_t k = 0; k < kLines; ++k)
      share_.push_back(share_of(line - static_cast<double>(first) - static_cast<double>(k)));
  }
}

std::shared_ptr<const AxisTransform> AxisTransform::kept(std::size_t length, double sample_rate_hz,
                                                         const FrequencyAxis& axis) {
  constexpr std::size_t kMost = 4;
  static std::mutex guard;
  static std::vector<std::shared_ptr<const AxisTransform>> last;  // the newest in front
  // Whoever comes second waits: it would make the same.
  const std::scoped_lock lock(guard);
  const auto found = std::find_if(last.begin(), last.end(), [&](const auto& one) {
    return one->length_ == length && one->rate_hz_ == sample_rate_hz && one->axis_ == axis;
  });
  if (found != last.end()) {
    std::rotate(last.begin(), found, found + 1);
  } else {
    last.insert(last.begin(), std::make_shared<const AxisTransform>(length, sample_rate_hz, axis));
    if (last.size() > kMost) last.pop_back();
  }
  return last.front();
}

std::vector<std::complex<double>> AxisTransform::of(std::span<const double> x) const {
  Samples laid(size_, 0.0);
  const std::size_t count = std::min(x.size(), length_);
  for (std::size_t i = 0; i < count; ++i)
    laid[i < middle() ? size_ + i - middle() : i - middle()] = x[i] * weight_[i];
  const RealTransform transform(size_);
  // The lines below 0 and above half the rate mirror those within, so that a frequency near an end
  // finds all of its own.
  constexpr std::size_t kBeyond = kLines;
  const std::size_t count_of_lines = transform.bin_count();
  Spectrum lines(count_of_lines);
  transform.forward(laid, lines);
  std::vector<std::complex<double>> all(count_of_lines + 2 * kBeyond);
  std::copy(lines.begin(), lines.end(), all.begin() + kBeyond);
  for (std::size_t k = 1; k <= kBeyond; ++k) {
    all[kBeyond - k] = std::conj(lines[k]);
    all[kBeyond + count_of_lines - 1 + k] = std::conj(lines[count_of_lines - 1 - k]);
  }
  std::vector<std::complex<double>> values(at_.size());
  for (std::size_t i = 0; i < values.size(); ++i) {
    const std::complex<double>* line = all.data() + (at_[i] + static_cast<std::ptrdiff_t>(kBeyond));
    const double* share = share_.data() + i * kLines;
    double re = 0.0, im = 0.0;
    for (std::size_t k = 0; k < kLines; ++k) {
      re += share[k] * line[k].real();
      im += share[k] * line[k].imag();
    }
    values[i] = {re, im};
  }
  return values;
}

}  // namespace lalometer
