#include "exchange/audio_file.h"

#include <cmath>
#include <cstring>
#include <limits>

#include "support/support.h"

namespace lalometer {
namespace {

AudioData sample_audio() {
  AudioData audio{44100.0, {{}, {}, {}}, ""};
  for (int i = 0; i < 1000; ++i) {
    for (int c = 0; c < 3; ++c)
      audio.channels[static_cast<std::size_t>(c)].push_back(0.9 * std::sin(0.01 * i * (c + 1)));
  }
  return audio;
}

TEST(AudioFile, ComesBackInEveryFormat) {
  const AudioData audio = sample_audio();
  const std::pair<AudioFormat, double> formats[] = {{AudioFormat::kWavFloat32, 6e-8},
                                                    {AudioFormat::kWav24, 1.3e-7},
                                                    {AudioFormat::kFlac24, 1.3e-7}};
  for (const auto& [format, step] : formats) {
    const auto bytes = audio_bytes(audio, format);
    ASSERT_TRUE(bytes.has_value()) << bytes.error().text();
    const auto back = read_audio(*bytes, "x.wav");
    ASSERT_TRUE(back.has_value()) << back.error().text();
    EXPECT_EQ(back->sample_rate_hz, 44100.0);
    ASSERT_EQ(back->channels.size(), 3U);
    for (std::size_t c = 0; c < 3; ++c)
      test::expect_near(back->channels[c], audio.channels[c], step);
  }
}

TEST(AudioFile, RefusesNoiseTextAndEmptiness) {
  for (const std::string& text : {std::string(), std::string("RIFF"), std::string(2000, 'x')}) {
    const auto audio = read_audio(std::as_bytes(std::span(text.data(), text.size())), "bad.wav");
    ASSERT_FALSE(audio.has_value());
    EXPECT_EQ(audio.error().where, "bad.wav");
  }
}

TEST(AudioFile, ANaNSampleIsNamed) {
  AudioData audio = sample_audio();
  auto bytes = *audio_bytes(audio, AudioFormat::kWavFloat32);
  const float nan = std::nanf("");
  std::memcpy(bytes.data() + bytes.size() - 12 * 10, &nan, sizeof(nan));
  const auto back = read_audio(bytes, "nan.wav");
  ASSERT_FALSE(back.has_value());
  EXPECT_NE(back.error().message.find("finite"), std::string::npos);
}

// Long files are read piece by piece: nothing is lost or moved at the seams, of one channel or of
// three, and a bad sample far in is named by its own number.
TEST(AudioFile, LongOnesComeBackSampleForSample) {
  for (const std::size_t channels : {1U, 3U}) {
    AudioData audio{48000.0, std::vector(channels, std::vector<double>(9001)), ""};
    for (std::size_t c = 0; c < channels; ++c)
      for (std::size_t i = 0; i < 9001; ++i)
        audio.channels[c][i] = static_cast<double>(
            static_cast<float>(std::sin(0.37 * static_cast<double>(i * (c + 1)))));
    const auto bytes = *audio_bytes(audio, AudioFormat::kWavFloat32);
    const auto back = read_audio(bytes, "long.wav");
    ASSERT_TRUE(back.has_value());
    EXPECT_EQ(back->channels, audio.channels);
    audio.channels.back()[8192] = std::numeric_limits<double>::infinity();
    const auto bad = read_audio(*audio_bytes(audio, AudioFormat::kWavFloat32), "bad.wav");
    ASSERT_FALSE(bad.has_value());
    EXPECT_NE(bad.error().message.find("8192"), std::string::npos) << bad.error().message;
  }
}

TEST(WriteFile, LeavesWhatWasThereWhenItCannotWrite) {
  const test::TemporaryFolder folder;
  std::filesystem::create_directory(folder / "taken");
  test::write(folder / "taken" / "inside", "mine");
  EXPECT_FALSE(write_file(folder / "taken", std::string("new")).has_value());
  EXPECT_EQ(test::slurp(folder / "taken" / "inside"), "mine");
  EXPECT_FALSE(std::filesystem::exists(folder / "taken.part"));
}

}  // namespace
}  // namespace lalometer
