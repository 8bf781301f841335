#pragma once

#include <algorithm>
#include <atomic>
#include <cstddef>
#include <span>
#include <vector>

namespace lalometer {

/// One signal going out while two channels come in: the part of a real interface that runs in the
/// audio callback. Everything it needs is made beforehand; process() neither allocates nor locks
/// nor throws.
class DuplexTransfer {
 public:
  struct Layout {
    int input_count = 2;
    int output_count = 2;
    int measure = 0;
    int loopback = 1;
    int output = -1;  ///< -1: all outputs play the signal
    int second = -1;  ///< plays the second signal and nothing else
  };

  /// One direction alone: no inputs (what is played is counted), or no outputs (`output` is silence
  /// as long as is to be recorded).
  /// Precondition: measure, loopback < input_count; output, second < output_count. loopback -1:
  /// none.
  DuplexTransfer(std::span<const double> output, std::span<const double> second,
                 const Layout& layout);

  /// Interleaved buffers of `frames` frames. `in` may be null where the driver gave nothing:
  /// silence is written in its place, so that the samples tell. After the end, outputs are silent.
  void process(const float* in, float* out, std::size_t frames, bool complaint) noexcept;

  [[nodiscard]] std::size_t size() const { return signal_.size(); }
  /// Frames that have come in so far; those before it may be read by one other thread.
  [[nodiscard]] std::size_t done() const noexcept { return done_.load(std::memory_order_acquire); }
  [[nodiscard]] bool finished() const noexcept { return done() == size(); }
  [[nodiscard]] int complaints() const noexcept {
    return complaints_.load(std::memory_order_relaxed);
  }
  [[nodiscard]] std::span<const float> measured() const {
    return std::span(measured_).first(std::min(done(), measured_.size()));
  }
  [[nodiscard]] std::span<const float> loopback() const {
    return std::span(loopback_).first(std::min(done(), loopback_.size()));
  }

 private:
  static_assert(std::atomic<std::size_t>::is_always_lock_free);

  Layout layout_;
  std::vector<float> signal_;
  std::vector<float> second_;
  std::vector<float> measured_;
  std::vector<float> loopback_;
  std::atomic<std::size_t> done_ = 0;
  std::atomic<int> complaints_ = 0;
};

}  // namespace lalometer
