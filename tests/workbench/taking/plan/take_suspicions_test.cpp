#include "workbench/taking/plan/take_suspicions.h"

#include <gmock/gmock.h>

#include <cmath>

#include "acoustics/spectrum/bands.h"
#include "base/constants.h"
#include "workbench/taking/plan/take_queue.h"

namespace lalometer {
namespace {

/// A loudspeaker that falls off to the side above 1 kHz: `slope` dB per octave at 90 degrees.
TakeSketch at(double angle_deg, double slope = 6.0) {
  TakeSketch s;
  s.angle_deg = angle_deg;
  s.distance_m = 1.0;
  s.drive_v = 2.83;
  s.arrival_s = 2.9e-3;
  for (const Band& band : fractional_octave_bands(200.0, 16000.0, 6)) {
    const double octaves = std::max(0.0, std::log2(band.centre_hz / 1000.0));
    s.level_db.push_back(88.0 - slope * octaves * std::pow(angle_deg / 90.0, 2));
  }
  return s;
}

std::vector<std::string> codes(const TakeSketch& now, const std::vector<TakeSketch>& before) {
  std::vector<std::string> found;
  for (const Remark& r : suspicions(now, before)) {
    EXPECT_EQ(r.weight, Remark::Weight::kDoubt);
    EXPECT_FALSE(r.advice.empty());
    found.push_back(r.code);
  }
  return found;
}

using ::testing::ElementsAre;
using ::testing::IsEmpty;

TEST(Suspicions, AnOrbitThatGoesWellHasNone) {
  std::vector<TakeSketch> before;
  for (double a = 0.0; a <= 180.0; a += 10.0) {
    EXPECT_THAT(codes(at(a), before), IsEmpty()) << a;
    before.push_back(at(a));
  }
  EXPECT_THAT(codes(at(-10.0), before), IsEmpty()) << "the other half begins anew";
}

/// An open baffle: the cosine's figure of eight below its peak, beams above; on the sides a rest of
/// the room, -30 dB and late.
TakeSketch dipole_at(double angle_deg) {
  TakeSketch s = at(angle_deg, 4.0);
  const double cosine = std::abs(std::cos(angle_deg * kPi / 180.0));
  const double pattern = std::max(cosine, 0.03);
  for (double& level : s.level_db) level += 20.0 * std::log10(pattern);
  if (cosine < 0.05) s.arrival_s += 1.6e-3;
  return s;
}

TEST(Suspicions, AnOpenBafflesNullIsNoSlippedTable) {
  std::vector<TakeSketch> before;
  for (double a = 0.0; a <= 180.0; a += 10.0) {
    EXPECT_THAT(codes(dipole_at(a), before), IsEmpty()) << a;
    before.push_back(dipole_at(a));
  }
  // In steps of 30 degrees too, and its gain is still watched.
  TakeSketch loud = dipole_at(40.0);
  for (double& level : loud.level_db) level += 4.5;
  EXPECT_THAT(codes(loud, {dipole_at(0.0), dipole_at(10.0), dipole_at(20.0), dipole_at(30.0)}),
              ElementsAre("level-jump"));
}

TEST(Suspicions, ATableThatStoodStillIsSeen) {
  TakeSketch still = at(50.0);
  still.angle_deg = 60.0;
  EXPECT_THAT(codes(still, {at(40.0), at(50.0)}), ElementsAre("angle-unchanged"));
  TakeSketch near_axis = at(0.0);
  near_axis.angle_deg = 10.0;
  EXPECT_THAT(codes(near_axis, {at(0.0)}), IsEmpty()) << "near the axis nothing changes anyhow";
}

TEST(Suspicions, ATableThatTurnedTooFarIsSeenInFrontOnly) {
  TakeSketch far = at(90.0);
  far.angle_deg = 30.0;
  EXPECT_THAT(codes(far, {at(10.0), at(20.0)}), ElementsAre("angle-jump"));
  TakeSketch behind = at(240.0);
  behind.angle_deg = 130.0;
  EXPECT_THAT(codes(behind, {at(110.0), at(120.0)}), IsEmpty());
}

TEST(Suspicions, AMicrophoneThatSlippedIsHeardByItsArrivalAndLevel) {
  TakeSketch slipped = at(20.0);
  slipped.arrival_s += 0.4e-3;
  EXPECT_THAT(codes(slipped, {at(0.0), at(10.0)}), ElementsAre("microphone-moved"));
  TakeSketch louder = at(20.0);
  for (double& db : louder.level_db) db += 5.0;
  EXPECT_THAT(codes(louder, {at(0.0), at(10.0)}), ::testing::Contains("level-jump"));
}

TEST(Suspicions, TakesOfAnotherKindAreNoNeighbours) {
  TakeSketch near = at(0.0);
  near.condition = "near-field";
  near.arrival_s = 0.02e-3;
  EXPECT_THAT(codes(near, {at(0.0), at(10.0)}), IsEmpty());
  TakeSketch louder = at(10.0);
  louder.drive_v = 5.66;
  for (double& db : louder.level_db) db += 6.0;
  EXPECT_THAT(codes(louder, {at(0.0)}), IsEmpty());
  TakeSketch laid_down = at(20.0);
  laid_down.vertical = true;
  laid_down.arrival_s += 1e-3;
  EXPECT_THAT(codes(laid_down, {at(0.0), at(10.0)}), IsEmpty());
}

TEST(Suspicions, TheDifferenceIsReadAboveOneKilohertz) {
  TakeSketch a = at(0.0);
  TakeSketch b = at(0.0);
  for (std::size_t i = 0; i < b.level_db.size(); ++i) b.level_db[i] += i < 6 ? 9.0 : 1.0;
  EXPECT_NEAR(difference_db(a, b), 1.0, 1e-9);
  EXPECT_EQ(difference_db(a, a), 0.0);
}

}  // namespace
}  // namespace lalometer
