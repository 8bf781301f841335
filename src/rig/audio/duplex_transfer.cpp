#include "rig/audio/duplex_transfer.h"

#include <algorithm>
#include <cassert>

namespace lalometer {

DuplexTransfer::DuplexTransfer(std::span<const double> output, std::span<const double> second,
                               const Layout& layout)
    : layout_(layout),
      signal_(output.size()),
      second_(output.size(), 0.0F),
      measured_(layout.input_count > 0 ? output.size() : 0, 0.0F),
      loopback_(layout.input_count > 0 && layout.loopback >= 0 ? output.size() : 0, 0.0F) {
  assert(layout.input_count == 0 ||
         (layout.measure < layout.input_count && layout.loopback < layout.input_count));
  assert(layout.output < layout.output_count || layout.output_count == 0);
  const auto to_float = [](double x) { return static_cast<float>(std::clamp(x, -1.0, 1.0)); };
  std::transform(output.begin(), output.end(), signal_.begin(), to_float);
  std::transform(
      second.begin(),
      second.begin() + static_cast<std::ptrdiff_t>(std::min(second.size(), output.size())),
      second_.begin(), to_float);
}

void DuplexTransfer::process(const float* in, float* out, std::size_t frames,
                             bool complaint) noexcept {
  const std::size_t begin = done_.load(std::memory_order_relaxed);
  const std::size_t count = std::min(frames, signal_.size() - begin);
  const auto outputs = static_cast<std::size_t>(layout_.output_count);
  const auto inputs = static_cast<std::size_t>(layout_.input_count);
  for (std::size_t i = 0; i < frames; ++i) {
    for (std::size_t channel = 0; channel < outputs; ++channel) {
      const bool second =
          layout_.second >= 0 && static_cast<std::size_t>(layout_.second) == channel;
      const bool first =
          !second && (layout_.output < 0 || static_cast<std::size_t>(layout_.output) == channel);
      float value = 0.0F;
      if (i < count && first) value = signal_[begin + i];
      if (i < count && second) value = second_[begin + i];
      out[i * outputs + channel] = value;
    }
  }
  const auto heard = [&](std::vector<float>& to, int channel) {
    if (to.empty()) return;
    for (std::size_t i = 0; i < count; ++i)
      to[begin + i] = in == nullptr ? 0.0F : in[i * inputs + static_cast<std::size_t>(channel)];
  };
  heard(measured_, layout_.measure);
  heard(loopback_, layout_.loopback);
  if (complaint && count > 0) complaints_.fetch_add(1, std::memory_order_relaxed);
  done_.store(begin + count, std::memory_order_release);
}

}  // namespace lalometer
