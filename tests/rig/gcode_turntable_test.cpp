#include "rig/serial/gcode_turntable.h"

#include <gmock/gmock.h>

#include <cmath>
#include <thread>

#include "rig/practice/practice_serial_table.h"

namespace lalometer {
namespace {

using namespace std::chrono_literals;
using ::testing::HasSubstr;

/// A table on a pseudo-terminal and what drives it over that line.
struct Line {
  explicit Line(TableFaults faults = {}, double seconds_per_degree = 0.0)
      : table(faults, seconds_per_degree), turntable(setup()) {}
  GcodeTableSetup setup() const {
    GcodeTableSetup s;
    s.line = table.line();
    s.steps_per_degree = 44.4;
    s.home_switch = true;
    s.settle_s = 0.0;
    return s;
  }
  PracticeSerialTable table;
  GcodeTurntable turntable;
};

TEST(SerialLine, AMissingOneIsNamedWithAdviceAndListedOnesHavePaths) {
  const auto missing = SerialLine::open("/dev/ttyNOT", 115200);
  ASSERT_FALSE(missing.has_value());
  EXPECT_THAT(missing.error().text(), HasSubstr("/dev/ttyNOT"));
  EXPECT_THAT(missing.error().text(), HasSubstr("Plug the table in"));
  EXPECT_THAT(SerialLine::open("/dev/null", 115200).error().text(), HasSubstr("not a serial line"));
  EXPECT_FALSE(SerialLine::open("/dev/ttyNOT", 12345).has_value()) << "no usual speed";
  for (const SerialPortInfo& port : serial_ports())
    EXPECT_TRUE(port.path.is_absolute()) << port.path;
}

TEST(GcodeTurntable, FindsHomeAndTurnsOverARealLine) {
  Line l;
  ASSERT_FALSE(l.table.line().empty());
  const auto ready = l.turntable.prepare({});
  ASSERT_TRUE(ready.has_value()) << ready.error().text();
  EXPECT_NEAR(l.table.steps_per_unit(), 44.4, 1e-9);
  for (const double angle : {10.0, -170.0, 180.0, 0.0}) {
    ASSERT_TRUE(l.turntable.turn_to(angle, {}).has_value());
    EXPECT_NEAR(l.table.true_deg(), angle, 1e-6);
    EXPECT_NEAR(l.turntable.position_deg(), angle, 1e-6);
  }
  EXPECT_THAT(l.table.heard(), ::testing::IsSupersetOf({"G90", "G28 A", "G1 A10.0000 F1200.0"}));
}

TEST(GcodeTurntable, RefusesWhatItsLimitsForbid) {
  Line l;
  GcodeTableSetup narrow = l.setup();
  narrow.lowest_deg = -90.0;
  GcodeTurntable table(narrow);
  ASSERT_TRUE(table.prepare({}).has_value());
  EXPECT_FALSE(table.turn_to(-100.0, {}).has_value());
  EXPECT_NEAR(l.table.true_deg(), 0.0, 1e-9);
}

TEST(GcodeTurntable, SaysThatTheTableIsStuck) {
  Line l;
  ASSERT_TRUE(l.turntable.prepare({}).has_value());
  l.table.stick(PracticeSerialTable::Stuck::kReported);
  const auto turned = l.turntable.turn_to(30.0, {});
  ASSERT_FALSE(turned.has_value());
  EXPECT_THAT(turned.error().text(), HasSubstr("stalled"));
  EXPECT_NEAR(l.turntable.position_deg(), 0.0, 1e-9) << "it is still where it was";
}

TEST(GcodeTurntable, GivesUpOnATableThatSaysNothing) {
  Line l;
  ASSERT_TRUE(l.turntable.prepare({}).has_value());
  l.table.stick(PracticeSerialTable::Stuck::kSilent);
  const auto turned = l.turntable.turn_to(30.0, {});
  ASSERT_FALSE(turned.has_value());
  EXPECT_THAT(turned.error().text(), HasSubstr("does not answer"));
}

TEST(GcodeTurntable, ACablePulledOutInMidMoveIsSaid) {
  Line l({}, 0.001);
  ASSERT_TRUE(l.turntable.prepare({}).has_value());
  l.table.pull_out_at(47.0);
  const auto turned = l.turntable.turn_to(90.0, {});
  ASSERT_FALSE(turned.has_value());
  EXPECT_THAT(turned.error().text(), HasSubstr("pulled out"));
  EXPECT_LT(l.table.true_deg(), 50.0);
  EXPECT_FALSE(l.turntable.turn_to(0.0, {}).has_value()) << "and again";
}

TEST(GcodeTurntable, AStopRequestEndsAMove) {
  Line l({}, 0.02);
  ASSERT_TRUE(l.turntable.prepare({}).has_value());
  std::stop_source stop;
  std::jthread later([&] {
    std::this_thread::sleep_for(200ms);
    stop.request_stop();
  });
  const auto turned = l.turntable.turn_to(180.0, stop.get_token());
  ASSERT_FALSE(turned.has_value());
  EXPECT_EQ(turned.error().code, ErrorCode::kCancelled);
}

TEST(GcodeTurntable, TheEmergencyStopHaltsTheTable) {
  Line l({}, 0.02);
  ASSERT_TRUE(l.turntable.prepare({}).has_value());
  std::jthread later([&] {
    std::this_thread::sleep_for(200ms);
    l.turntable.stop();
  });
  EXPECT_FALSE(l.turntable.turn_to(180.0, {}).has_value());
  EXPECT_LT(std::abs(l.table.true_deg()), 170.0);
  EXPECT_FALSE(l.turntable.turn_to(0.0, {}).has_value()) << "it has to be prepared again";
}

TEST(SerialLine, NamesWhatIsWrong) {
  EXPECT_THAT(SerialLine::open("/dev/ttyNOT", 115200).error().text(),
              HasSubstr("Plug the table in"));
  EXPECT_FALSE(SerialLine::open("/dev/null", 115200).has_value());
  EXPECT_FALSE(SerialLine::open("/dev/ttyNOT", 123).has_value());
}

}  // namespace
}  // namespace lalometer
