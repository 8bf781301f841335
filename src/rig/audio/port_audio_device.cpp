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
  std::vector<AudioInterface> all;
  for (PaDeviceIndex i = 0; i < Pa_GetDeviceCount(); ++i) {
    const PaDeviceInfo* info = Pa_GetDeviceInfo(i);
    all.push_back(info == nullptr ? AudioInterface{} : interface_of(*info));
  }
  const auto found = found_again(key, all);
  return found ? static_cast<PaDeviceIndex>(*found) : paNoDevice;
}

tl::unexpected<Error> device_error(const std::string& what, PaError code, const std::string& key) {
  return fail(ErrorCode::kDevice, fmt::format("{} ({}).", what, Pa_GetErrorText(code)), key);
}

/// What an interface runs at, in words: "44.1 kHz".
std::string rates_of(const PaStreamParameters* input, const PaStreamParameters* output) {
  std::string words;
  for (const double rate : kAudioRates_hz) {
    if (Pa_IsFormatSupported(input, output, rate) != paFormatIsSupported) continue;
    words += fmt::format("{}{:g}", words.empty() ? "" : ", ", rate / 1e3);
  }
  return words;
}

/// Why an interface did not open, and the way on.
tl::unexpected<Error> not_opened(PaError code, double rate_hz, const PaStreamParameters* input,
                                 const PaStreamParameters* output, const std::string& key) {
  if (code == paDeviceUnavailable)
    return fail(
        ErrorCode::kDevice,
        "Another program holds this interface, often the desktop's sound server. Close what "
        "plays or records, or choose the sound server's own interface in the list (pulse, "
        "pipewire, JACK).",
        key);
  if (code == paInvalidSampleRate) {
    const std::string rates = rates_of(input, output);
    return fail(ErrorCode::kDevice,
                rates.empty()
                    ? fmt::format("The interface does not run at {:g} kHz.", rate_hz / 1e3)
                    : fmt::format("The interface runs at {} kHz, not at {:g}: choose "
                                  "that rate on the rig page.",
                                  rates, rate_hz / 1e3),
                key);
  }
  return device_error("The interface did not open", code, key);
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

namespace {

/// Both directions of an interface, or one of them, open and running.
struct Side {
  PaStream* handle = nullptr;
  DuplexTransfer::Layout layout;
  double rate_hz = 0.0;
  /// What the callback works at.
  std::atomic<DuplexTransfer*> current = nullptr;

  static int callback(const void* in, void* out, unsigned long frames,
                      const PaStreamCallbackTimeInfo*, PaStreamCallbackFlags flags,
                      void* self) noexcept {
    auto* side = static_cast<Side*>(self);
    auto* output = static_cast<float*>(out);
    constexpr PaStreamCallbackFlags kTrouble =
        paInputUnderflow | paInputOverflow | paOutputUnderflow | paOutputOverflow;
    if (DuplexTransfer* transfer = side->current.load(std::memory_order_acquire))
      transfer->process(static_cast<const float*>(in), output, frames, (flags & kTrouble) != 0);
    else
      std::fill_n(output, frames * static_cast<unsigned long>(side->layout.output_count), 0.0F);
    return paContinue;
  }

  /// @param other_rates  an input of its own takes another rate where it must.
  Result<void> open(std::optional<PaDeviceIndex> in, std::optional<PaDeviceIndex> out, double rate,
                    bool other_rates, const std::string& key) {
    PaStreamParameters input{};
    PaStreamParameters output{};
    if (in)
      input = {*in, layout.input_count, paFloat32, Pa_GetDeviceInfo(*in)->defaultHighInputLatency,
               nullptr};
    if (out)
      output = {*out, layout.output_count, paFloat32,
                Pa_GetDeviceInfo(*out)->defaultHighOutputLatency, nullptr};
    const PaStreamParameters* from = in ? &input : nullptr;
    const PaStreamParameters* to = out ? &output : nullptr;
    rate_hz = rate;
    PaError code = Pa_IsFormatSupported(from, to, rate_hz);
    for (const double other : {48000.0, 44100.0, 96000.0}) {
      if (!other_rates || code != paInvalidSampleRate) break;
      rate_hz = other;
      code = Pa_IsFormatSupported(from, to, rate_hz);
    }
    if (code != paFormatIsSupported) return not_opened(code, rate, from, to, key);
    // Clipping and dither are switched off: samples go out as they are.
    code = Pa_OpenStream(&handle, from, to, rate_hz, paFramesPerBufferUnspecified,
                         paClipOff | paDitherOff, callback, this);
    if (code == paNoError) code = Pa_StartStream(handle);
    if (code != paNoError) return not_opened(code, rate, from, to, key);
    return {};
  }
  void close() {
    if (handle == nullptr) return;
    Pa_AbortStream(handle);
    Pa_CloseStream(handle);
    handle = nullptr;
  }
};

}  // namespace

struct PortAudioDevice::Stream {
  std::unique_ptr<Library> library;
  Side main;   ///< both directions, or the inputs alone
  Side apart;  ///< the outputs, where they are another interface
  bool two = false;
  StreamSetup setup{};
  /// Finished transfers stay until the stream is closed, since the callback may still hold one.
  std::vector<std::unique_ptr<DuplexTransfer>> kept;
  Result<void> opened = {};

  Result<void> open(const std::string& key, const std::string& output_key) {
    library = std::make_unique<Library>();
    if (library->status() != paNoError)
      return device_error("No audio interface can be reached", library->status(), key);
    const PaDeviceIndex in = index_of(key);
    two = !output_key.empty() && output_key != key;
    const PaDeviceIndex out = two ? index_of(output_key) : in;
    for (const auto& [index, name] : {std::pair(in, key), std::pair(out, two ? output_key : key)})
      if (index == paNoDevice)
        return fail(ErrorCode::kDevice,
                    "This interface is not there. Plug it in, or choose another one.", name);
    const PaDeviceInfo& inputs = *Pa_GetDeviceInfo(in);
    const PaDeviceInfo& outputs = *Pa_GetDeviceInfo(out);
    const int needed = std::max(setup.measure_input, setup.loopback_input) + 1;
    if (needed > inputs.maxInputChannels)
      return fail(ErrorCode::kDevice,
                  fmt::format("Input {} was asked for; the interface has {}.", needed,
                              inputs.maxInputChannels),
                  key);
    const int highest = std::max({setup.output, setup.second_output, 0}) + 1;
    if (highest > outputs.maxOutputChannels)
      return fail(ErrorCode::kDevice,
                  fmt::format("Output {} was asked for; the interface has {}.", highest,
                              outputs.maxOutputChannels),
                  two ? output_key : key);
    DuplexTransfer::Layout layout{
        .input_count = std::min(std::max(needed, 2), inputs.maxInputChannels),
        .output_count = std::min(std::max(highest, 2), outputs.maxOutputChannels),
        .measure = setup.measure_input,
        .loopback = setup.loopback_input,
        .output = setup.output,
        .second = setup.second_output};
    if (!two) {
      main.layout = layout;
      return main.open(in, out, setup.sample_rate_hz, false, key);
    }
    apart.layout = layout;
    apart.layout.input_count = 0;
    main.layout = layout;
    main.layout.output_count = 0;
    main.layout.output = main.layout.second = -1;
    return apart.open(std::nullopt, out, setup.sample_rate_hz, false, output_key).and_then([&] {
      return main.open(in, std::nullopt, setup.sample_rate_hz, true, key);
    });
  }

  /// Lets the callbacks play and record; the returned one tells how far it is.
  DuplexTransfer& begin(const Playing& playing) {
    if (!two) {
      kept.push_back(std::make_unique<DuplexTransfer>(playing.output, playing.second, main.layout));
      main.current.store(kept.back().get(), std::memory_order_release);
      return *kept.back();
    }
    // Two interfaces never start at once, and their buffers differ: half a second more.
    constexpr double kLonger_s = 0.5;
    const double length_s =
        static_cast<double>(playing.output.size()) / setup.sample_rate_hz + kLonger_s;
    const std::vector<double> silence(static_cast<std::size_t>(length_s * main.rate_hz), 0.0);
    kept.push_back(std::make_unique<DuplexTransfer>(playing.output, playing.second, apart.layout));
    DuplexTransfer* out = kept.back().get();
    kept.push_back(
        std::make_unique<DuplexTransfer>(silence, std::span<const double>(), main.layout));
    main.current.store(kept.back().get(), std::memory_order_release);
    apart.current.store(out, std::memory_order_release);
    return *kept.back();
  }
  void end() {
    main.current.store(nullptr, std::memory_order_release);
    apart.current.store(nullptr, std::memory_order_release);
  }
  void close() {
    main.close();
    apart.close();
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

std::string without_number(const std::string& key) {
  const std::size_t from = key.find(" (hw:");
  if (from == std::string::npos) return key;
  const std::size_t to = key.find(')', from);
  return to == std::string::npos ? key : key.substr(0, from) + key.substr(to + 1);
}

std::optional<std::size_t> found_again(const std::string& key,
                                       const std::vector<AudioInterface>& all) {
  std::optional<std::size_t> found;
  for (std::size_t i = 0; i < all.size(); ++i)
    if (all[i].key() == key) return i;
  for (std::size_t i = 0; i < all.size(); ++i) {
    if (without_number(all[i].key()) != without_number(key)) continue;
    if (found) return std::nullopt;
    found = i;
  }
  return found;
}

PortAudioDevice::PortAudioDevice(std::string key, std::string output_key)
    : key_(std::move(key)), output_key_(std::move(output_key)) {}

PortAudioDevice::~PortAudioDevice() {
  stop();
}

DeviceAbility PortAudioDevice::ability() const {
  DeviceAbility ability{key_, {}, 0, 0};
  const auto found = audio_interfaces();
  if (!found) return ability;
  const auto in = found_again(key_, *found);
  const auto out = found_again(output_key_.empty() ? key_ : output_key_, *found);
  if (in) ability.input_count = (*found)[*in].input_count;
  if (out) ability.output_count = (*found)[*out].output_count;
  if (in && out)
    ability.sample_rates_hz.assign(std::begin(kAudioRates_hz), std::end(kAudioRates_hz));
  return ability;
}

Result<void> PortAudioDevice::prepare(const StreamSetup& setup) {
  stop();
  auto stream = std::make_shared<Stream>();
  stream->setup = setup;
  const bool ended = in_time([stream, key = key_, output_key = output_key_] {
    const std::lock_guard held(library_lock());
    stream->opened = stream->open(key, output_key);
    if (!stream->opened) stream->close();
  });
  if (!ended)
    return fail(ErrorCode::kDevice,
                "The interface does not answer. Pull it out and plug it in again.", key_);
  if (!stream->opened) return stream->opened;
  stream_ = std::move(stream);
  return {};
}

Result<Recording> PortAudioDevice::do_run(const Playing& playing, std::stop_token stop,
                                          const Progress& progress, const Arrivals& arrivals) {
  if (!stream_) return fail(ErrorCode::kDevice, "The stream was not opened.", key_);
  DuplexTransfer& transfer = stream_->begin(playing);
  std::size_t seen = 0;
  auto moved = std::chrono::steady_clock::now();
  Recording recording{.sample_rate_hz = stream_->main.rate_hz,
                      .measured = {},
                      .loopback = {},
                      .one_clock = !stream_->two};
  const auto take_up = [&] {
    const std::size_t now = transfer.done();
    const auto from = static_cast<std::ptrdiff_t>(seen);
    const auto added = [&](std::vector<double>& to, std::span<const float> all) {
      if (all.empty()) return;
      to.insert(to.end(), all.begin() + from, all.begin() + static_cast<std::ptrdiff_t>(now));
    };
    added(recording.measured, transfer.measured());
    added(recording.loopback, transfer.loopback());
    if (arrivals && now > seen)
      arrivals(std::span(recording.measured).subspan(seen),
               recording.loopback.empty()
                   ? std::span<const double>()
                   : std::span<const double>(recording.loopback).subspan(seen));
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
  stream_->end();
  for (const auto& each : stream_->kept) recording.xrun_count += each->complaints();
  return recording;
}

double PortAudioDevice::input_rate_hz() const {
  return stream_ ? stream_->main.rate_hz : 0.0;
}

void PortAudioDevice::stop() {
  if (!stream_) return;
  stream_->end();
  (void)in_time([stream = stream_] {
    const std::lock_guard held(library_lock());
    stream->close();
  });
  stream_.reset();
}

}  // namespace lalometer
