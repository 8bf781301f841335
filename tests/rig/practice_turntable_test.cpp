#include "rig/practice/practice_turntable.h"

#include <gtest/gtest.h>

namespace lalometer {
namespace {

TEST(PracticeTurntable, GoesWhereItIsTold) {
  PracticeTurntable table;
  ASSERT_TRUE(table.prepare({}).has_value());
  for (const double angle : {10.0, 180.0, -170.0, 0.0}) {
    ASSERT_TRUE(table.turn_to(angle, {}).has_value());
    EXPECT_NEAR(table.position_deg(), angle, 1e-9);
    EXPECT_NEAR(table.true_deg(), angle, 1e-9);
  }
  EXPECT_FALSE(table.turn_to(200.0, {}).has_value());
  EXPECT_NEAR(table.position_deg(), 0.0, 1e-9) << "a refused move changes nothing";
}

// By hand: a play of 1 degree is half a degree behind in the direction of excursion.
TEST(PracticeTurntable, BacklashShowsWhereTheDirectionTurns) {
  PracticeTurntable table({.backlash_deg = 1.0});
  ASSERT_TRUE(table.turn_to(30.0, {}).has_value());
  EXPECT_NEAR(table.true_deg(), 29.5, 1e-9);
  ASSERT_TRUE(table.turn_to(40.0, {}).has_value());
  EXPECT_NEAR(table.true_deg(), 39.5, 1e-9);
  ASSERT_TRUE(table.turn_to(20.0, {}).has_value());
  EXPECT_NEAR(table.true_deg(), 20.5, 1e-9);
}

TEST(PracticeTurntable, ErrsWithoutKnowing) {
  PracticeTurntable missing({.missed_per_move = 1.0, .missed_deg = 10.0});
  ASSERT_TRUE(missing.turn_to(50.0, {}).has_value());
  EXPECT_NEAR(missing.position_deg(), 50.0, 1e-9);
  EXPECT_NEAR(missing.true_deg(), 40.0, 1e-9);
  PracticeTurntable slipping({.slip_at_deg = 25.0, .slip_deg = 7.0});
  ASSERT_TRUE(slipping.turn_to(20.0, {}).has_value());
  EXPECT_NEAR(slipping.true_deg(), 20.0, 1e-9);
  ASSERT_TRUE(slipping.turn_to(30.0, {}).has_value());
  EXPECT_NEAR(slipping.true_deg(), 37.0, 1e-9);
  ASSERT_TRUE(slipping.prepare({}).has_value());
  EXPECT_NEAR(slipping.true_deg(), 7.0, 1e-9) << "home does not mend a slip";
}

TEST(PracticeTurntable, SaysThatItIsStuckAndStopsWhenAsked) {
  PracticeTurntable table({.stuck = true});
  EXPECT_EQ(table.prepare({}).error().code, ErrorCode::kDevice);
  EXPECT_EQ(table.turn_to(10.0, {}).error().code, ErrorCode::kDevice);
  PracticeTurntable slow({}, 1.0);
  std::stop_source stop;
  stop.request_stop();
  EXPECT_EQ(slow.turn_to(90.0, stop.get_token()).error().code, ErrorCode::kCancelled);
  EXPECT_LT(slow.position_deg(), 1.0);
}

}  // namespace
}  // namespace lalometer
