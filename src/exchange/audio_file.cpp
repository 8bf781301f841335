#include "exchange/audio_file.h"

#include <sndfile.h>

#include <algorithm>
#include <cstring>
#include <fstream>
#include <memory>
#include <optional>
#include <system_error>

namespace lalometer {
namespace {

/// A file in memory for libsndfile's callbacks: read where it lies, or written to `made`.
struct Memory {
  std::span<const std::byte> bytes;
  std::vector<std::byte> made = {};
  sf_count_t at = 0;

  static Memory& of(void* self) { return *static_cast<Memory*>(self); }
  static sf_count_t length(void* self) { return static_cast<sf_count_t>(of(self).bytes.size()); }
  static sf_count_t seek(sf_count_t offset, int whence, void* self) {
    Memory& m = of(self);
    const sf_count_t base = whence == SEEK_SET ? 0 : whence == SEEK_CUR ? m.at : length(self);
    m.at = std::max<sf_count_t>(base + offset, 0);
    return m.at;
  }
  static sf_count_t read(void* out, sf_count_t count, void* self) {
    Memory& m = of(self);
    const sf_count_t have = std::clamp<sf_count_t>(length(self) - m.at, 0, count);
    if (have > 0) std::memcpy(out, m.bytes.data() + m.at, static_cast<std::size_t>(have));
    m.at += have;
    return have;
  }
  static sf_count_t write(const void* in, sf_count_t count, void* self) {
    Memory& m = of(self);
    if (m.at + count > length(self)) m.made.resize(static_cast<std::size_t>(m.at + count));
    m.bytes = m.made;
    std::memcpy(m.made.data() + m.at, in, static_cast<std::size_t>(count));
    m.at += count;
    return count;
  }
  static sf_count_t tell(void* self) { return of(self).at; }
};

SF_VIRTUAL_IO callbacks() {
  return {Memory::length, Memory::seek, Memory::read, Memory::write, Memory::tell};
}

using Handle = std::unique_ptr<SNDFILE, int (*)(SNDFILE*)>;

std::string format_name(int format) {
  const char* sample = "";
  switch (format & SF_FORMAT_SUBMASK) {
    case SF_FORMAT_PCM_S8:
    case SF_FORMAT_PCM_U8:
      sample = "8-bit ";
      break;
    case SF_FORMAT_PCM_16:
      sample = "16-bit ";
      break;
    case SF_FORMAT_PCM_24:
      sample = "24-bit ";
      break;
    case SF_FORMAT_PCM_32:
      sample = "32-bit ";
      break;
    case SF_FORMAT_FLOAT:
      sample = "32-bit float ";
      break;
    case SF_FORMAT_DOUBLE:
      sample = "64-bit float ";
      break;
    default:
      break;
  }
  return std::string(sample) + ((format & SF_FORMAT_TYPEMASK) == SF_FORMAT_FLAC ? "FLAC" : "WAV");
}

std::uint32_t number_at(std::span<const std::byte> bytes, std::size_t at) {
  std::uint32_t value = 0;
  for (std::size_t i = 0; i < 4; ++i)
    value |= std::to_integer<std::uint32_t>(bytes[at + i]) << (8U * i);
  return value;
}

/// Bytes of sound that a WAV file's header promises and the file does not hold; 0 where all is
/// there. The library reads what there is and says nothing.
std::uint64_t missing_sound(std::span<const std::byte> bytes) {
  const auto is = [&](std::size_t at, const char* id) {
    return std::memcmp(bytes.data() + at, id, 4) == 0;
  };
  if (bytes.size() < 12 || !is(0, "RIFF") || !is(8, "WAVE")) return 0;
  for (std::size_t at = 12; at + 8 <= bytes.size();) {
    const std::uint64_t size = number_at(bytes, at + 4);
    if (is(at, "data")) {
      const std::uint64_t there = bytes.size() - at - 8;
      // What is written to a pipe cannot know its length: then it says the most there can be.
      constexpr std::uint64_t kNotKnown = 0xFFFFFF00;
      return size < kNotKnown && size > there ? size - there : 0;
    }
    at += 8 + size + size % 2;
  }
  return 0;
}

/// A file's frames by pieces that stay in the cache. Floats are read as such: the library would
/// turn each into a double by itself.
class Pieces {
 public:
  Pieces(SNDFILE* file, const SF_INFO& info, std::size_t most)
      : file_(file), floats_((info.format & SF_FORMAT_SUBMASK) == SF_FORMAT_FLOAT) {
    const std::size_t samples = most * static_cast<std::size_t>(info.channels);
    if (floats_)
      single_.resize(samples);
    else
      double_.resize(samples);
  }
  /// Adds the next frames to the channels.
  /// @return how many there were.
  std::size_t read_on(std::size_t frames, std::vector<std::vector<double>>& channels) {
    const auto wanted = static_cast<sf_count_t>(frames);
    const sf_count_t got = floats_ ? sf_readf_float(file_, single_.data(), wanted)
                                   : sf_readf_double(file_, double_.data(), wanted);
    const auto there = static_cast<std::size_t>(std::max<sf_count_t>(got, 0));
    floats_ ? add(single_, there, channels) : add(double_, there, channels);
    return there;
  }

 private:
  template <typename Number>
  static void add(const std::vector<Number>& piece, std::size_t frames,
                  std::vector<std::vector<double>>& channels) {
    const std::size_t count = channels.size();
    const auto end = piece.begin() + static_cast<std::ptrdiff_t>(frames * count);
    if (count == 1) channels.front().insert(channels.front().end(), piece.begin(), end);
    for (std::size_t c = 0; count > 1 && c < count; ++c)
      for (std::size_t i = c; i < frames * count; i += count) channels[c].push_back(piece[i]);
  }

  SNDFILE* file_;
  bool floats_;
  std::vector<float> single_ = {};
  std::vector<double> double_ = {};
};

/// The first sample that is no number, or an absurd one.
/// @param energy  of these samples and perhaps more: one such is in the sum of all.
std::optional<std::size_t> odd_sample(std::span<const double> x, double energy) {
  constexpr double kMost = 1e9;
  if (energy < kMost * kMost) return std::nullopt;
  const auto odd =
      std::find_if_not(x.begin(), x.end(), [](double s) { return s > -kMost && s < kMost; });
  if (odd == x.end()) return std::nullopt;
  return static_cast<std::size_t>(odd - x.begin());
}

}  // namespace

Result<AudioData> read_audio(std::span<const std::byte> bytes, const std::string& file_name) {
  Memory memory{.bytes = bytes};
  SF_VIRTUAL_IO io = callbacks();
  SF_INFO info{};
  const Handle file(sf_open_virtual(&io, SFM_READ, &info, &memory), sf_close);
  if (!file)
    return bad_input(std::string("This sound file cannot be read: ") + sf_strerror(nullptr),
                     file_name);
  const int type = info.format & SF_FORMAT_TYPEMASK;
  if (type != SF_FORMAT_WAV && type != SF_FORMAT_WAVEX && type != SF_FORMAT_RF64 &&
      type != SF_FORMAT_FLAC) {
    return bad_input("Sound is read from WAV and FLAC files only.", file_name);
  }
  if (info.frames < 1 || info.channels < 1 || info.samplerate < 1)
    return bad_input("This sound file is empty.", file_name);
  const auto channels = static_cast<std::size_t>(info.channels);
  const auto frames = static_cast<std::size_t>(info.frames);
  if (frames > std::size_t{1} << 28U)
    return bad_input("This sound file is longer than can be a measurement.", file_name);
  AudioData audio{static_cast<double>(info.samplerate), {}, format_name(info.format)};
  audio.channels.resize(channels);
  audio.loudest.resize(channels);
  for (auto& channel : audio.channels) channel.reserve(frames);
  constexpr std::size_t kAtOnce = 4096;
  Pieces pieces(file.get(), info, std::min(frames, kAtOnce));
  for (std::size_t at = 0; at < frames;) {
    const std::size_t wanted = std::min(kAtOnce, frames - at);
    const std::size_t got = pieces.read_on(wanted, audio.channels);
    if (got < wanted) {
      return bad_input(fmt::format("The file ends after {} of {} samples.", at + got, info.frames),
                       file_name);
    }
    std::optional<std::size_t> odd;
    for (std::size_t c = 0; c < channels; ++c) {
      const auto here = std::span(audio.channels[c]).subspan(at);
      audio.loudest[c].hear(here, at);
      if (const auto first = odd_sample(here, audio.loudest[c].energy))
        odd = std::min(*first, odd.value_or(wanted));
    }
    if (odd)
      return bad_input(fmt::format("Sample {} is not a finite number.", at + *odd), file_name);
    at += wanted;
  }
  if (const std::uint64_t missing = missing_sound(bytes); missing > 0) {
    audio.notes.push_back(fmt::format(
        "The file is cut off: its header promises {} bytes of sound more than there are.",
        missing));
  }
  return audio;
}

Result<std::vector<std::byte>> audio_bytes(const AudioData& audio, AudioFormat format) {
  Memory memory;
  SF_VIRTUAL_IO io = callbacks();
  SF_INFO info{};
  info.samplerate = static_cast<int>(audio.sample_rate_hz);
  info.channels = static_cast<int>(audio.channels.size());
  info.format = format == AudioFormat::kWavFloat32 ? SF_FORMAT_WAV | SF_FORMAT_FLOAT
                : format == AudioFormat::kWav24    ? SF_FORMAT_WAV | SF_FORMAT_PCM_24
                                                   : SF_FORMAT_FLAC | SF_FORMAT_PCM_24;
  const std::size_t frames = audio.channels.front().size();
  std::vector<double> interleaved;
  interleaved.reserve(frames * audio.channels.size());
  for (std::size_t i = 0; i < frames; ++i) {
    for (const auto& channel : audio.channels) interleaved.push_back(channel[i]);
  }
  {
    const Handle file(sf_open_virtual(&io, SFM_WRITE, &info, &memory), sf_close);
    if (!file)
      return bad_input(std::string("This sound cannot be written: ") + sf_strerror(nullptr));
    sf_command(file.get(), SFC_SET_CLIPPING, nullptr, SF_TRUE);
    // The peak chunk bears the time of writing: two exports of one take must be the same bytes.
    sf_command(file.get(), SFC_SET_ADD_PEAK_CHUNK, nullptr, SF_FALSE);
    if (sf_writef_double(file.get(), interleaved.data(), static_cast<sf_count_t>(frames)) !=
        static_cast<sf_count_t>(frames)) {
      return fail(ErrorCode::kStorage, "The sound could not be written in full.");
    }
  }
  return std::move(memory.made);
}

Result<std::vector<std::byte>> file_bytes(const std::filesystem::path& path) {
  std::error_code problem;
  if (!std::filesystem::exists(path, problem))
    return fail(ErrorCode::kNotFound, "There is no such file.", path.string());
  if (!std::filesystem::is_regular_file(path, problem))
    return bad_input("This is not a file.", path.string());
  std::ifstream in(path, std::ios::binary);
  if (!in) return fail(ErrorCode::kStorage, "The file may not be read.", path.string());
  const auto size = std::filesystem::file_size(path, problem);
  if (problem || size > std::uintmax_t{1} << 31U)
    return bad_input("The file is too large.", path.string());
  std::vector<std::byte> bytes(static_cast<std::size_t>(size));
  in.read(reinterpret_cast<char*>(bytes.data()), static_cast<std::streamsize>(size));
  if (!in)
    return fail(ErrorCode::kStorage, "The file could not be read to its end.", path.string());
  return bytes;
}

Result<void> write_file(const std::filesystem::path& path, std::span<const std::byte> bytes) {
  const std::filesystem::path draft = path.string() + ".part";
  std::error_code problem;
  {
    std::ofstream out(draft, std::ios::binary | std::ios::trunc);
    out.write(reinterpret_cast<const char*>(bytes.data()),
              static_cast<std::streamsize>(bytes.size()));
    out.flush();
    if (!out) {
      out.close();
      std::filesystem::remove(draft, problem);
      return fail(ErrorCode::kStorage,
                  "The file could not be written (disk full or folder read-only). What was there "
                  "before is as it was.",
                  path.string());
    }
  }
  std::filesystem::rename(draft, path, problem);
  if (problem) {
    std::filesystem::remove(draft, problem);
    return fail(ErrorCode::kStorage, "The file could not be put in place.", path.string());
  }
  return {};
}

Result<void> write_file(const std::filesystem::path& path, const std::string& text) {
  return write_file(path, std::as_bytes(std::span(text.data(), text.size())));
}

}  // namespace lalometer
