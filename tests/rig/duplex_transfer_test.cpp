#include "rig/audio/duplex_transfer.h"

#include <gtest/gtest.h>

#include <cstdlib>
#include <new>

#include "rig/audio/port_audio_device.h"

namespace {
thread_local bool counting = false;
thread_local int allocations = 0;
}  // namespace

#ifndef __SANITIZE_ADDRESS__
// Every allocation of this program passes here; it is counted only while a callback is being
// watched.
[[gnu::noinline]] void* operator new(std::size_t size) {
  if (counting) ++allocations;
  if (void* p = std::malloc(size == 0 ? 1 : size)) return p;
  throw std::bad_alloc();
}
[[gnu::noinline]] void operator delete(void* p) noexcept {
  std::free(p);
}
[[gnu::noinline]] void operator delete(void* p, std::size_t) noexcept {
  std::free(p);
}
#endif

namespace lalometer {
namespace {

TEST(DuplexTransfer, PlaysOnceAndTakesUpBothChannels) {
  const std::vector<double> signal = {0.1, 0.2, 0.3, 0.4, 0.5};
  DuplexTransfer t(signal, {}, {.input_count = 3, .output_count = 2, .measure = 2, .loopback = 0});
  float out[6];
  const float in[9] = {1, 2, 3, 4, 5, 6, 7, 8, 9};
  t.process(in, out, 3, false);
  EXPECT_FLOAT_EQ(out[0], 0.1F);
  EXPECT_FLOAT_EQ(out[1], 0.1F) << "all outputs play";
  EXPECT_FLOAT_EQ(out[4], 0.3F);
  EXPECT_EQ(t.done(), 3U);
  t.process(in, out, 3, true);
  EXPECT_TRUE(t.finished());
  EXPECT_FLOAT_EQ(out[4], 0.0F) << "silence after the end";
  EXPECT_FLOAT_EQ(t.measured()[1], 6.0F);
  EXPECT_FLOAT_EQ(t.loopback()[4], 4.0F);
  EXPECT_EQ(t.complaints(), 1);
}

TEST(DuplexTransfer, PlaysOnTheChosenOutputOnlyAndStandsAMissingInput) {
  DuplexTransfer t(std::vector<double>{0.5, 0.5}, {},
                   {.input_count = 2, .output_count = 3, .output = 1});
  float out[6];
  t.process(nullptr, out, 2, false);
  EXPECT_FLOAT_EQ(out[0], 0.0F);
  EXPECT_FLOAT_EQ(out[1], 0.5F);
  EXPECT_FLOAT_EQ(t.measured()[0], 0.0F);
}

TEST(DuplexTransfer, PlaysChirpsOnTheirOwnOutputAndNeedsNoLoopback) {
  DuplexTransfer t(std::vector<double>{0.5, 0.5}, std::vector<double>{0.25, -0.25},
                   {.input_count = 1,
                    .output_count = 3,
                    .measure = 0,
                    .loopback = -1,
                    .output = 0,
                    .second = 2});
  const std::vector<float> in = {0.125F, 0.25F};
  std::vector<float> out(6, 9.0F);
  t.process(in.data(), out.data(), 2, false);
  EXPECT_EQ(out, (std::vector<float>{0.5F, 0.0F, 0.25F, 0.5F, 0.0F, -0.25F}));
  EXPECT_EQ(t.measured()[1], 0.25F);
  EXPECT_TRUE(t.loopback().empty());
}

TEST(DuplexTransfer, EitherDirectionGoesAlone) {
  DuplexTransfer plays(std::vector<double>{0.5, 0.25}, {}, {.input_count = 0, .output_count = 1});
  std::vector<float> out(2);
  plays.process(nullptr, out.data(), 2, false);
  EXPECT_EQ(out[1], 0.25F);
  EXPECT_TRUE(plays.finished());
  DuplexTransfer hears(std::vector<double>(2, 0.0), {},
                       {.input_count = 1, .output_count = 0, .measure = 0, .loopback = -1});
  const std::vector<float> in = {0.75F, -0.75F};
  hears.process(in.data(), nullptr, 2, true);
  EXPECT_EQ(hears.measured()[1], -0.75F);
  EXPECT_EQ(hears.complaints(), 1);
}

TEST(FoundAgain, AnInterfaceWhoseNumberChanged) {
  const std::vector<AudioInterface> all = {{"ALSA", "Bench: Audio (hw:2,0)"},
                                           {"ALSA", "Twin (hw:3,0)"},
                                           {"ALSA", "Twin (hw:4,0)"},
                                           {"ALSA", "pulse"}};
  EXPECT_EQ(found_again("ALSA: Bench: Audio (hw:1,0)", all), 0U);
  EXPECT_EQ(found_again("ALSA: Twin (hw:4,0)", all), 2U);
  EXPECT_FALSE(found_again("ALSA: Twin (hw:9,0)", all)) << "one of two alike: nobody can tell";
  EXPECT_EQ(found_again("ALSA: pulse", all), 3U);
  EXPECT_FALSE(found_again("ALSA: gone (hw:0,0)", all));
}

TEST(DuplexTransfer, AllocatesNothingInTheCallback) {
#ifdef __SANITIZE_ADDRESS__
  GTEST_SKIP() << "The sanitizer has allocation functions of its own.";
#endif
  DuplexTransfer t(std::vector<double>(4096, 0.25), {}, {});
  std::vector<float> in(512, 0.1F);
  std::vector<float> out(512);
  counting = true;
  allocations = 0;
  for (int i = 0; i < 20; ++i) t.process(in.data(), out.data(), 256, i % 3 == 0);
  const int seen = allocations;
  ::operator delete(::operator new(8));  // that allocations are seen at all
  counting = false;
  EXPECT_EQ(seen, 0);
  EXPECT_EQ(allocations, 1);
  EXPECT_TRUE(t.finished());
}

}  // namespace
}  // namespace lalometer
