#include "acoustics/placement/stand.h"

#include <gtest/gtest.h>

#include <cmath>

namespace lalometer {
namespace {

constexpr double kC = 343.0;

struct Room {
  const char* what;
  Stand stand;
  double gate_ms;
  const char* limited_by;
};

// By hand, c = 343 m/s: later way = mirrored way - direct way, by Pythagoras.
//  1. 1.2 m high, 1 m away: sqrt(1 + 2.4^2) - 1 = 1.600 m, 4.665 ms.
//  2. the same under a ceiling of 2.2 m: sqrt(1 + 2^2) - 1 = 1.2361 m, 3.604 ms.
//  3. a wall 0.5 m to the right: sqrt(1 + 1) - 1 = 0.4142 m, 1.208 ms.
//  4. a wall 0.6 m behind the loudspeaker: 1.2 m, 3.499 ms.
//  5. microphone lower, 2 m away, 1.5 and 0.5 m: sqrt(4 + 4) - sqrt(4 + 1) = 0.5924 m, 1.727 ms.
const Room kRooms[] = {
    {"floor only", {.speaker_height_m = 1.2, .microphone_height_m = 1.2}, 4.665, "floor"},
    {"low ceiling", {.ceiling_m = 2.2}, 3.604, "ceiling"},
    {"narrow", {.ceiling_m = 2.4, .left_m = 2.0, .right_m = 0.5}, 1.208, "right wall"},
    {"near the wall behind",
     {.ceiling_m = 2.6, .behind_speaker_m = 0.6, .behind_microphone_m = 3.0},
     3.499,
     "wall behind the loudspeaker"},
    {"low microphone",
     {.distance_m = 2.0, .speaker_height_m = 1.5, .microphone_height_m = 0.5},
     1.727,
     "floor"},
};

TEST(Stand, GatesAreThoseOfTheHand) {
  for (const Room& room : kRooms) {
    const GateAllowance got = allowance_of(room.stand, kC);
    ASSERT_TRUE(got.gate_s.has_value()) << room.what;
    EXPECT_NEAR(*got.gate_s * 1e3, room.gate_ms, 0.001) << room.what;
    EXPECT_EQ(got.limited_by, room.limited_by) << room.what;
    EXPECT_NEAR(got.valid_from_hz * *got.gate_s, 1.0, 1e-12) << room.what;
  }
}

TEST(Stand, TheBounceLiesWhereTheMirrorPutsIt) {
  const auto found =
      reflections_of({.distance_m = 2.0, .speaker_height_m = 1.5, .microphone_height_m = 0.5}, kC);
  ASSERT_EQ(found.size(), 1U);
  EXPECT_NEAR(found.front().along, 0.75, 1e-12);
}

TEST(Stand, TheGroundPlaneHasNoFloorReflection) {
  EXPECT_FALSE(allowance_of({.ground_plane = true}, kC).gate_s.has_value());
}

TEST(Stand, WhatIsSuggestedLetsALongerGateThanAnyNeighbour) {
  const Stand room{
      .distance_m = 1.6, .speaker_height_m = 0.8, .microphone_height_m = 1.0, .ceiling_m = 2.5};
  const Stand best = suggested(room, 0.38, 2.0);
  EXPECT_NEAR(best.distance_m, 1.14, 1e-12);
  const double gate = *allowance_of(best, kC).gate_s;
  EXPECT_GT(gate, *allowance_of(room, kC).gate_s);
  for (const double off : {-0.1, 0.1}) {
    Stand other = best;
    other.speaker_height_m += off;
    other.microphone_height_m += off;
    EXPECT_LT(*allowance_of(other, kC).gate_s, gate);
    other = best;
    other.distance_m += 0.1;
    EXPECT_LT(*allowance_of(other, kC).gate_s, gate);
  }
}

TEST(Stand, FarFieldIsWhereTheRimIsHardlyFarther) {
  const double far = far_field_m(0.4);
  EXPECT_NEAR(std::hypot(far, 0.2) / far, 1.0138, 1e-4);
  // An eighth of a wavelength: 0.4^2 / (8 * 1.2) = 16.7 mm, of 133 mm at 2572 Hz.
  EXPECT_NEAR(far_field_up_to_hz(0.4, 1.2, kC), 2572.5, 0.1);
}

TEST(Stand, SaysWhatCannotBe) {
  EXPECT_TRUE(trouble_of({}).empty());
  EXPECT_FALSE(trouble_of({.distance_m = 0.0}).empty());
  EXPECT_FALSE(trouble_of({.ceiling_m = 1.0}).empty());
  EXPECT_FALSE(trouble_of({.left_m = 0.0}).empty());
  EXPECT_FALSE(trouble_of({.speaker_height_m = 0.0}).empty());
}

}  // namespace
}  // namespace lalometer
