#pragma once

#include <filesystem>
#include <span>
#include <vector>

#include "acoustics/signal/recording/recording_checks.h"
#include "base/result.h"

namespace lalometer {

/// Sound as channels of doubles, full scale 1.0. All channels equally long.
struct AudioData {
  double sample_rate_hz = 0.0;
  std::vector<std::vector<double>> channels;
  std::string format;                   ///< "24-bit WAV", for messages
  std::vector<std::string> notes = {};  ///< doubts about the file itself, for the user
  std::vector<Loudest> loudest = {};    ///< of each channel, where a file was read
};

/// WAV or FLAC of any rate, channel count and sample format that libsndfile reads, from bytes in
/// memory. A file that ends before its header says (a copy that was cut off) is read as far as it
/// goes, with a note.
[[nodiscard]] Result<AudioData> read_audio(std::span<const std::byte> bytes,
                                           const std::string& file_name);

enum class AudioFormat { kWavFloat32, kWav24, kFlac24 };
/// Whole file as bytes. Precondition: at least one channel, all equally long.
[[nodiscard]] Result<std::vector<std::byte>> audio_bytes(const AudioData& audio,
                                                         AudioFormat format);

/// The whole of a file. Errors name it.
[[nodiscard]] Result<std::vector<std::byte>> file_bytes(const std::filesystem::path& path);
/// Writes beside the target and renames, so that a failed write leaves what was there before.
[[nodiscard]] Result<void> write_file(const std::filesystem::path& path,
                                      std::span<const std::byte> bytes);
[[nodiscard]] Result<void> write_file(const std::filesystem::path& path, const std::string& text);

}  // namespace lalometer
