#include "workbench/sharing/sources.h"

#include <gmock/gmock.h>

#include <filesystem>

#include "exchange/audio_file.h"
#include "support/books.h"
#include "workbench/results/analysis.h"
#include "workbench/sharing/exporting.h"

/// One form for whatever a command reads; and sound files that are not what they promise.
namespace lalometer {
namespace {

using test::SmallBook;
using test::TemporaryFolder;
using ::testing::HasSubstr;

const char* const kRows = "100 80 10\n200 81 20\n400 82 30\n";

/// A book with two variants, a curve in each, and one refused.
struct TwoVariants {
  explicit TwoVariants(const std::filesystem::path& path) : small(path) {
    lined = *small.book.add_variant({0, small.subject, "Lined", "felt"});
    Take take = small.text_take("On axis");
    bare_take = *small.book.add_take(take, test::text_raw(kRows));
    take.accepted = false;
    refused_take = *small.book.add_take(take, test::text_raw("100 1 1\n200 1 1\n"));
    take.accepted = true;
    take.variant_id = lined;
    lined_take = *small.book.add_take(take, test::text_raw("100 70 0\n200 71 0\n"));
  }
  SmallBook small;
  Id lined = 0;
  Id bare_take = 0;
  Id refused_take = 0;
  Id lined_take = 0;
};

TEST(Sources, AFileASetAndABookGiveTheSameCurve) {
  const TemporaryFolder folder;
  test::write(folder / "axis.frd", kRows);
  const auto path = folder / "a.lalo";
  const TwoVariants two(path);
  std::filesystem::create_directory(folder / "set");
  ASSERT_TRUE(export_subject(two.small.book, two.small.subject, folder / "set").has_value());
  const ImportPreview file = read_source(folder / "axis.frd", {}, {});
  const ImportPreview set = read_source(folder / "set", {}, {});
  const ImportPreview set_file = read_source(folder / "set" / "set.json", {}, {});
  const ImportPreview book = read_source(path, {}, {0, {}, "Bare"});
  ASSERT_EQ(file.items.size(), 1U);
  ASSERT_EQ(book.items.size(), 1U);
  ASSERT_FALSE(set.items.empty());
  EXPECT_EQ(set.items.size(), set_file.items.size());
  const Response& want = *file.items[0].curve;
  for (const ImportItem* item : {&book.items[0], &set.items[0]}) {
    ASSERT_EQ(item->curve->size(), want.size());
    for (std::size_t i = 0; i < want.size(); ++i)
      // The book's own recipe smooths by 1/24 octave.
      EXPECT_NEAR(item->curve->level_db(i), want.level_db(i), item == &book.items[0] ? 0.01 : 1e-9)
          << item->file;
  }
}

TEST(Sources, OfABookATakeAVariantOrTheAcceptedOnes) {
  const TemporaryFolder folder;
  const auto path = folder / "a.lalo";
  const TwoVariants two(path);
  EXPECT_TRUE(is_book(path));
  EXPECT_EQ(read_source(path, {}, {}).items.size(), 2U) << "what was refused is left out";
  const ImportPreview lined = read_source(path, {}, {0, {}, "Lined"});
  ASSERT_EQ(lined.items.size(), 1U);
  EXPECT_EQ(lined.items[0].take.id, two.lined_take);
  const ImportPreview named = read_source(path, {}, {two.refused_take, {}, {}});
  ASSERT_EQ(named.items.size(), 1U) << "unless it is asked for by its number";
  EXPECT_EQ(named.items[0].take.id, two.refused_take);
  EXPECT_EQ(Book::open(path)->takes()->size(), 3U) << "reading changes nothing";
}

TEST(Sources, WhatABookDoesNotHaveIsSaidWithWhatItHas) {
  const TemporaryFolder folder;
  const auto path = folder / "a.lalo";
  TwoVariants two(path);
  const auto problem = [&](const SourceChoice& choice) {
    const ImportPreview preview = read_source(path, {}, choice);
    EXPECT_TRUE(preview.items.empty());
    return preview.problems.empty() ? std::string() : preview.problems[0].text();
  };
  EXPECT_THAT(problem({0, {}, "Leaky"}), HasSubstr("\"Bare\", \"Lined\""));
  EXPECT_THAT(problem({0, "Other", {}}), HasSubstr("the book has \"Kiosk\""));
  EXPECT_THAT(problem({4711, {}, {}}), HasSubstr("no take 4711"));
  ASSERT_TRUE(two.small.book.add_subject({0, "Second", SubjectKind::kWoofer}).has_value());
  EXPECT_THAT(problem({}), HasSubstr("--subject"));
}

TEST(Sources, AStopEndsTheReadingOfABook) {
  const TemporaryFolder folder;
  const auto path = folder / "a.lalo";
  const TwoVariants two(path);
  std::stop_source stop;
  stop.request_stop();
  const ImportPreview preview = read_source(path, {}, {}, stop.get_token());
  EXPECT_TRUE(preview.items.empty());
  ASSERT_EQ(preview.problems.size(), 1U);
  EXPECT_EQ(preview.problems[0].code, ErrorCode::kCancelled);
}

constexpr Stimulus kSweep{
    .start_hz = 20.0, .stop_hz = 20000.0, .duration_s = 0.2, .lead_in_s = 0.01, .amplitude = 0.5};

std::vector<std::byte> sound(std::size_t count, double level) {
  AudioData audio{
      .sample_rate_hz = 48000.0, .channels = {std::vector<double>(count)}, .format = {}};
  for (std::size_t i = 0; i < count; ++i)
    audio.channels[0][i] = level * std::sin(0.05 * static_cast<double>(i));
  return *audio_bytes(audio, AudioFormat::kWavFloat32);
}

std::string sound_problem(const std::filesystem::path& path, const std::vector<std::byte>& bytes) {
  EXPECT_TRUE(write_file(path, bytes).has_value());
  const ImportPreview preview = read_source(path, {.kind = {}, .stimulus = kSweep}, {});
  EXPECT_TRUE(preview.items.empty());
  return preview.problems.empty() ? std::string() : preview.problems[0].text();
}

TEST(Sources, ARecordingShorterThanItsSweepIsRefusedAndNamed) {
  const TemporaryFolder folder;
  for (const std::size_t count : {2U, 7U, 64U, 4800U}) {
    const std::string problem = sound_problem(folder / "short.wav", sound(count, 0.1));
    EXPECT_THAT(problem, HasSubstr("short.wav")) << count;
    EXPECT_THAT(problem, HasSubstr("sweep")) << count;
  }
}

TEST(Sources, ASilentRecordingIsRefused) {
  const TemporaryFolder folder;
  EXPECT_THAT(sound_problem(folder / "still.wav", sound(24000, 0.0)), HasSubstr("silent"));
}

TEST(Sources, AFileThatWasCutOffIsReadAsFarAsItGoesAndThatIsSaid) {
  const TemporaryFolder folder;
  std::vector<std::byte> bytes = sound(24000, 0.1);
  bytes.resize(bytes.size() - 40000);
  const auto audio = read_audio(bytes, "half.wav");
  ASSERT_TRUE(audio.has_value());
  EXPECT_LT(audio->channels[0].size(), 24000U);
  EXPECT_GT(audio->channels[0].size(), 13000U);
  ASSERT_EQ(audio->notes.size(), 1U);
  EXPECT_THAT(audio->notes[0], HasSubstr("cut off"));
  const auto whole = read_audio(sound(24000, 0.1), "whole.wav");
  EXPECT_TRUE(whole->notes.empty());
}

/// Where a set names a file outside its folder, by whatever way.
TEST(Sources, NoSetReachesOutOfItsFolder) {
  const TemporaryFolder folder;
  test::write(folder / "secret.frd", kRows);
  std::filesystem::create_directory(folder / "set");
  std::filesystem::create_symlink(folder / "secret.frd", folder / "set" / "link.frd");
  for (const std::string& name : {std::string("../secret.frd"), (folder / "secret.frd").string(),
                                  std::string("link.frd"), std::string("./x/../../secret.frd")}) {
    test::write(
        folder / "set" / "set.json",
        R"({"format":"lalometer-set","version":1,"subject":{"name":"K","kind":"loudspeaker"},
                    "takes":[{"id":"a","kind":"response","file":")" +
            name + "\"}]}");
    const ImportPreview preview = read_source(folder / "set", {}, {});
    EXPECT_TRUE(preview.items.empty()) << name;
    ASSERT_FALSE(preview.problems.empty()) << name;
    EXPECT_THAT(preview.problems[0].text(), HasSubstr("outside the set's folder")) << name;
  }
}

}  // namespace
}  // namespace lalometer
