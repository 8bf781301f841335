#include "rig/audio/duplex_transfer.h"

#include <algorithm>
#include <cassert>

namespace lalometer {

DuplexTransfer::DuplexTransfer(const std::vector<double>& output, const Layout& layout)
    : layout_(layout),
      signal_(output.size()),
      measured_(output.size(), 0.0F),
      loopback_(output.size(), 0.0F) {
  assert(layout.measure < layout.input_count && layout.loopback < layout.input_count);
  assert(layout.output < layout.output_count);
  std::transform(output.begin(), output.end(), signal_.begin(),
                 [](double x) { return static_cast<float>(std::clamp(x, -1.0, 1.0)); });
}

void DuplexTransfer::process(const float* in, float* out, std::size_t frames,
                             bool complaint) noexcept {
  const std::size_t begin = done_.load(std::memory_order_relaxed);
  const std::size_t count = std::min(frames, signal_.size() - begin);
  const auto outputs = static_cast<std::size_t>(layout_.output_count);
  const auto inputs = static_cast<std::size_t>(layout_.input_count);
  for (std::size_t i = 0; i < frames; ++i) {
    const float value = i < count ? signal_[begin + i] : 0.0F;
    for (std::size_t channel = 0; channel < outputs; ++channel) {
      const bool plays = layout_.output < 0 || static_cast<std::size_t>(layout_.output) == channel;
      out[i * outputs + channel] = plays ? value : 0.0F;
    }
  }
  for (std::size_t i = 0; i < count; ++i) {
    measured_[begin + i] =
        in == nullptr ? 0.0F : in[i * inputs + static_cast<std::size_t>(layout_.measure)];
    loopback_[begin + i] =
        in == nullptr ? 0.0F : in[i * inputs + static_cast<std::size_t>(layout_.loopback)];
  }
  if (complaint && count > 0) complaints_.fetch_add(1, std::memory_order_relaxed);
  done_.store(begin + count, std::memory_order_release);
}

}  // namespace lalometer
