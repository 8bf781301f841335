#include "rig/audio/port_audio_device.h"

#include <alsa/asoundlib.h>
#include <fmt/format.h>
#include <jack/jack.h>
#include <portaudio.h>

#include <algorithm>
#include <chrono>
#include <future>
#include <mutex>
#include <thread>

#include "rig/audio/duplex_transfer.h"

namespace lalometer {
namespace {

using namespace std::chrono_literals;

constexpr auto kPatience = 3s;
/// PortAudio's own state is one for the program and not made for several threads.
std::mutex& library_lock() {
  static std::mutex lock;
  return lock;
}

void quiet_alsa(const char*, int, const char*, int, const char*, ...) {}
void quiet_jack(const char*) {}

/// The library, loaded for as long as this lives. Devices are counted when it is loaded, so a fresh
/// look at them needs a fresh load.
class Library {
 public:
  Library() {
    // Looking for devices that are not there is told on standard error at length otherwise.
    snd_lib_error_set_handler(quiet_alsa);
    jack_set_error_function(quiet_jack);
    jack_set_info_function(quiet_jack);
    status_ = Pa_Initialize();
  }
  Library(const Library&) = delete;
  Library& operator=(const Library&) = delete;
  ~Library() {
    if (status_ == paNoError) Pa_Terminate();
  }
  [[nodiscard]] PaError status() const { return status_; }

 private:
  PaError status_;
};

std::string family_of(const PaDeviceInfo& info) {
  const PaHostApiInfo* host = Pa_GetHostApiInfo(info.hostApi);
  return host == nullptr ? "" : host->name;
}

AudioInterface interface_of(const PaDeviceInfo& info) {
  return {family_of(info), info.name, info.maxInputChannels, info.maxOutputChannels,
          info.defaultSampleRate};
}

PaDeviceIndex index_of(const std::string& key) {
  for (PaDeviceIndex i = 0; i < Pa_GetDeviceCount(); ++i) {
    const PaDeviceInfo* info = Pa_GetDeviceInfo(i);
    if (info != nullptr && interface_of(*info).key() == key) return i;
  }
  return paNoDevice;
}

tl::unexpected<Error> device_error(const std::string& what, PaError code, const std::string& key) {
  return fail(ErrorCode::kDevice, fmt::format("{} ({}).", what, Pa_GetErrorText(code)), key);
}

/// Does work on a thread of its own; false where it did not end in time. The thread is then left
/// behind with what it holds.
template <class Work>
bool in_time(Work work) {
  auto done = std::make_shared<std::promise<void>>();
  auto ended = done->get_future();
  std::thread([done, work = std::move(work)]() mutable {
    work();
    done->set_value();
  }).detach();
  return ended.wait_for(kPatience) == std::future_status::ready;
}

}  // namespace

struct PortAudioDevice::Stream {
  std::unique_ptr<Library> library;
  PaStream* handle = nullptr;
  StreamSetup setup{};
  DuplexTransfer::Layout layout;
  /// What the callback works at. Finished transfers stay in `kept` until the stream is closed,
  /// since the callback may still hold one.
  std::atomic<DuplexTransfer*> current = nullptr;
  std::vector<std::unique_ptr<DuplexTransfer>> kept;
  Result<void> opened = {};

  static int callback(const void* in, void* out, unsigned long frames,
                      const PaStreamCallbackTimeInfo*, PaStreamCallbackFlags flags,
                      void* self) noexcept {
    auto* stream = static_cast<Stream*>(self);
    auto* output = static_cast<float*>(out);
    constexpr PaStreamCallbackFlags kTrouble =
        paInputUnderflow | paInputOverflow | paOutputUnderflow | paOutputOverflow;
    if (DuplexTransfer* transfer = stream->current.load(std::memory_order_acquire))
      transfer->process(static_cast<const float*>(in), output, frames, (flags & kTrouble) != 0);
    else
      std::fill_n(output, frames * static_cast<unsigned long>(stream->layout.output_count), 0.0F);
    return paContinue;
  }

  Result<void> open(const std::string& key) {
    library = std::make_unique<Library>();
    if (library->status() != paNoError)
      return device_error("No audio interface can be reached", library->status(), key);
    const PaDeviceIndex index = index_of(key);
    if (index == paNoDevice)
      return fail(ErrorCode::kDevice,
                  "This interface is not there. Plug it in, or choose another one.", key);
    const PaDeviceInfo& info = *Pa_GetDeviceInfo(index);
    const int needed = std::max(setup.measure_input, setup.loopback_input) + 1;
    if (needed > info.maxInputChannels)
      return fail(ErrorCode::kDevice,
                  fmt::format("Input {} was asked for; the interface has {}.", needed,
                              info.maxInputChannels),
                  key);
    if (setup.output + 1 > info.maxOutputChannels || info.maxOutputChannels < 1)
      return fail(ErrorCode::kDevice,
                  fmt::format("Output {} was asked for; the interface has {}.",
                              std::max(1, setup.output + 1), info.maxOutputChannels),
                  key);
    layout.input_count = std::min(std::max(needed, 2), info.maxInputChannels);
    layout.output_count = std::min(std::max(setup.output + 1, 2), info.maxOutputChannels);
    layout.measure = setup.measure_input;
    layout.loopback = setup.loopback_input;
    layout.output = setup.output;
    const PaStreamParameters input{index, layout.input_count, paFloat32,
                                   info.defaultHighInputLatency, nullptr};
    const PaStreamParameters output{index, layout.output_count, paFloat32,
                                    info.defaultHighOutputLatency, nullptr};
    if (const PaError code = Pa_IsFormatSupported(&input, &output, setup.sample_rate_hz);
        code != paFormatIsSupported)
      return device_error(
          fmt::format("The interface does not run at {:.0f} Hz with {} in and {} out",
                      setup.sample_rate_hz, layout.input_count, layout.output_count),
          code, key);
    // Clipping and dither are switched off: samples go out as they are.
    PaError code =
        Pa_OpenStream(&handle, &input, &output, setup.sample_rate_hz, paFramesPerBufferUnspecified,
                      paClipOff | paDitherOff, callback, this);
    if (code == paNoError) code = Pa_StartStream(handle);
    if (code != paNoError) return device_error("The stream did not open", code, key);
    return {};
  }

  void close() {
    if (handle != nullptr) {
      Pa_AbortStream(handle);
      Pa_CloseStream(handle);
      handle = nullptr;
    }
    library.reset();
  }
};

Result<std::vector<AudioInterface>> audio_interfaces() {
  struct Found {
    PaError status = paNoError;
    std::vector<AudioInterface> list;
  };
  auto found = std::make_shared<Found>();
  const bool ended = in_time([found] {
    const std::lock_guard held(library_lock());
    const Library library;
    found->status = library.status();
    for (PaDeviceIndex i = 0; found->status == paNoError && i < Pa_GetDeviceCount(); ++i) {
      const PaDeviceInfo* info = Pa_GetDeviceInfo(i);
      if (info != nullptr && info->maxInputChannels + info->maxOutputChannels > 0)
        found->list.push_back(interface_of(*info));
    }
  });
  if (!ended)
    return fail(ErrorCode::kDevice, "The audio drivers do not answer. Try again, or restart them.");
  if (found->status != paNoError)
    return device_error("The audio drivers cannot be reached", found->status, "");
  return std::move(found->list);
}

PortAudioDevice::PortAudioDevice(std::string key) : key_(std::move(key)) {}

PortAudioDevice::~PortAudioDevice() {
  stop();
}

DeviceAbility PortAudioDevice::ability() const {
  DeviceAbility ability{key_, {}, 0, 0};
  const auto found = audio_interfaces();
  if (!found) return ability;
  for (const AudioInterface& each : *found) {
    if (each.key() != key_) continue;
    ability.input_count = each.input_count;
    ability.output_count = each.output_count;
    ability.sample_rates_hz.assign(std::begin(kAudioRates_hz), std::end(kAudioRates_hz));
  }
  return ability;
}

Result<void> PortAudioDevice::prepare(const StreamSetup& setup) {
  stop();
  auto stream = std::make_shared<Stream>();
  stream->setup = setup;
  const bool ended = in_time([stream, key = key_] {
    const std::lock_guard held(library_lock());
    stream->opened = stream->open(key);
    if (!stream->opened) stream->close();
  });
  if (!ended)
    return fail(ErrorCode::kDevice,
                "The interface does not answer. Pull it out and plug it in again.", key_);
  if (!stream->opened) return stream->opened;
  stream_ = std::move(stream);
  return {};
}

Result<Recording> PortAudioDevice::do_run(const std::vector<double>& output, std::stop_token stop,
                                          const Progress& progress, const Arrivals& arrivals) {
  if (!stream_) return fail(ErrorCode::kDevice, "The stream was not opened.", key_);
  stream_->kept.push_back(std::make_unique<DuplexTransfer>(output, stream_->layout));
  DuplexTransfer& transfer = *stream_->kept.back();
  stream_->current.store(&transfer, std::memory_order_release);
  std::size_t seen = 0;
  auto moved = std::chrono::steady_clock::now();
  std::vector<double> measured;
  std::vector<double> loopback;
  const auto take_up = [&] {
    const std::size_t now = transfer.done();
    const auto from = static_cast<std::ptrdiff_t>(seen);
    const auto heard = transfer.measured();
    const auto looped = transfer.loopback();
    measured.insert(measured.end(), heard.begin() + from,
                    heard.begin() + static_cast<std::ptrdiff_t>(now));
    loopback.insert(loopback.end(), looped.begin() + from,
                    looped.begin() + static_cast<std::ptrdiff_t>(now));
    if (arrivals && now > seen)
      arrivals(std::span(measured).subspan(seen), std::span(loopback).subspan(seen));
    if (now > seen) moved = std::chrono::steady_clock::now();
    seen = now;
  };
  while (seen < transfer.size()) {
    std::this_thread::sleep_for(10ms);
    take_up();
    if (progress) progress(static_cast<double>(seen) / static_cast<double>(transfer.size()));
    if (stop.stop_requested()) {
      this->stop();
      return cancelled();
    }
    if (std::chrono::steady_clock::now() - moved > kPatience - 1s) {
      this->stop();
      return fail(
          ErrorCode::kDevice,
          "The interface has fallen silent in the middle of a take: unplugged, or its driver "
          "stopped. Nothing of this take was kept.",
          key_);
    }
  }
  stream_->current.store(nullptr, std::memory_order_release);
  return Recording{stream_->setup.sample_rate_hz, std::move(measured), std::move(loopback),
                   transfer.complaints()};
}

void PortAudioDevice::stop() {
  if (!stream_) return;
  stream_->current.store(nullptr, std::memory_order_release);
  (void)in_time([stream = stream_] {
    const std::lock_guard held(library_lock());
    stream->close();
  });
  stream_.reset();
}

}  // namespace lalometer
