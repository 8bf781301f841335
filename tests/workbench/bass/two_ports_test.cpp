// A box with two unlike ports by ngspice (tests/reference/two_ports.cir), near fields by the exact
// piston on its own axis (Beranek); the second port also as a passive radiator of its area.
#include <gmock/gmock.h>

#include <sstream>

#include "support/small_box.h"
#include "workbench/bass/join_study.h"

namespace lalometer {
namespace {

using namespace test::small_box;

struct Row {
  double hz;
  Complex cone, first, second;
};

std::vector<Row> ngspice() {
  std::istringstream in(
      test::slurp(std::filesystem::path(LALOMETER_SOURCE) / "tests/reference/two_ports.txt"));
  std::string header;
  std::getline(in, header);
  std::vector<Row> rows;
  double f, a, b, c, d, e, g;
  while (in >> f >> a >> b >> c >> d >> e >> g) rows.push_back({f, {a, b}, {c, d}, {e, g}});
  return rows;
}

Response curve_of(const std::vector<Row>& rows, const std::function<Complex(const Row&)>& p) {
  std::vector<double> hz;
  std::vector<Complex> values;
  for (const Row& row : rows) {
    hz.push_back(row.hz);
    values.push_back(p(row));
  }
  const ValidRange whole{hz.front(), hz.back()};
  return *Response::make(*FrequencyAxis::make(hz), std::move(values), Quantity::kPressure, whole,
                         true);
}

Complex at_a_metre(const Row& row) {
  return Complex(0.0, 2.0 * kPi * row.hz) * kRho * (row.cone + row.first + row.second) /
         (2.0 * kPi);
}

Take take_of(const char* source) {
  Take t;
  t.setup = NearFieldSetup{source, 5.0};
  return t;
}

class TwoPorts : public ::testing::TestWithParam<bool> {};

// Its air moves by pressure and area: without the width it is not summed, and is named.
TEST(NearFieldOfAPort, WithoutItsWidthIsRefusedByName) {
  SubjectGeometry g;
  g.drivers.push_back({.id = "woofer", .role = "woofer", .radius_m = 0.065});
  g.ports.push_back({.id = "tube", .panel = "front"});
  const Response near =
      test::curve_from([](double) { return 1.0; }, Quantity::kPressure, 10.0, 1000.0);
  const Take takes[] = {take_of("woofer"), take_of("tube")};
  const TimeOrigin file{0.0, TimeOrigin::Source::kFile};
  const auto sum = near_fields_of(g, {{&takes[0], &near, file}, {&takes[1], &near, file}}, "", {});
  ASSERT_FALSE(sum.has_value());
  EXPECT_NE(sum.error().text().find("\"tube\": say diameter_mm"), std::string::npos)
      << sum.error().text();
}

TEST_P(TwoPorts, SumAndJoinAreTheCircuits) {
  const bool radiator = GetParam();
  const std::vector<Row> rows = ngspice();
  ASSERT_GT(rows.size(), 150U);
  const double a = std::sqrt(0.0132 / kPi);
  const double second_m = radiator ? 0.06 : 0.017;
  SubjectGeometry g;
  g.drivers.push_back({.id = "woofer", .role = "woofer", .radius_m = a});
  const auto port = [](const char* id, double radius) {
    SubjectPort p{.id = id, .panel = "front", .radius_m = radius};
    return p;
  };
  g.ports.push_back(port("first", 0.025));
  if (radiator)
    g.radiators.push_back({.id = "second", .panel = "back", .radius_m = second_m});
  else
    g.ports.push_back(port("second", second_m));
  const Response cone =
      curve_of(rows, [&](const Row& r) { return before(r.cone, a, 0.005, r.hz); });
  const Response first =
      curve_of(rows, [&](const Row& r) { return before(r.first, 0.025, 0.005, r.hz); });
  const Response second =
      curve_of(rows, [&](const Row& r) { return before(r.second, second_m, 0.005, r.hz); });
  const Take takes[] = {take_of("woofer"), take_of("first"), take_of("second")};
  const TimeOrigin file{0.0, TimeOrigin::Source::kFile};
  const auto near = near_fields_of(
      g, {{&takes[0], &cone, file}, {&takes[1], &first, file}, {&takes[2], &second, file}}, "", {});
  ASSERT_TRUE(near) << near.error().text();
  for (const Row& row : rows) {
    if (row.hz > 200.0) break;
    EXPECT_NEAR(to_level_db(std::abs(value_at(near->half_space, row.hz)), kReferencePressure_pa),
                level(at_a_metre(row)), 0.3)
        << row.hz;
  }
  // The far field of a rig that reads 0.8 dB too much, from 160 Hz on.
  std::vector<Row> high;
  for (const Row& row : rows)
    if (row.hz > 160.0) high.push_back(row);
  const Response far =
      curve_of(high, [](const Row& r) { return at_a_metre(r) * std::pow(10.0, 0.8 / 20.0); });
  Take far_take;
  far_take.setup = FarFieldSetup{};
  const auto joined = joined_response(*near, {&far_take, &far, true}, std::nullopt, "");
  ASSERT_TRUE(joined) << joined.error().text();
  EXPECT_NEAR(joined->level_offset_db, 0.8, 0.3);
  for (const Row& row : rows) {
    if (row.hz < 25.0 || row.hz > 1500.0) continue;
    EXPECT_NEAR(to_level_db(std::abs(value_at(joined->curve, row.hz)), kReferencePressure_pa),
                level(at_a_metre(row)) + 0.8, 0.5)
        << row.hz;
  }
  EXPECT_LT(joined->phase_misfit_deg.value_or(90.0), 10.0);
}

// Two equal woofers of which one was taken: the sum is that of both.
TEST(TwinWoofers, OneNearFieldCountsForBoth) {
  const std::vector<Row> rows = ngspice();
  const double one_m = std::sqrt(0.0132 / 2.0 / kPi);
  SubjectGeometry g;
  g.drivers.push_back({.id = "upper", .role = "woofer", .radius_m = one_m});
  g.drivers.push_back({.id = "lower", .role = "woofer", .radius_m = one_m});
  g.drivers.push_back({.id = "dome", .role = "tweeter", .radius_m = 0.0125});
  const Response cone =
      curve_of(rows, [&](const Row& r) { return before(0.5 * r.cone, one_m, 0.005, r.hz); });
  const Take take = take_of("upper");
  const TimeOrigin file{0.0, TimeOrigin::Source::kFile};
  const auto near = near_fields_of(g, {{&take, &cone, file}}, "", {});
  ASSERT_TRUE(near) << near.error().text();
  for (const Row& row : rows) {
    if (row.hz < 30.0 || row.hz > 200.0) continue;
    EXPECT_NEAR(to_level_db(std::abs(value_at(near->half_space, row.hz)), kReferencePressure_pa),
                level(Complex(0.0, row.hz) * kRho * row.cone), 0.3)
        << row.hz;
  }
  EXPECT_THAT(near->notes, testing::Contains(testing::HasSubstr("lower")));
}

INSTANTIATE_TEST_SUITE_P(PortOrRadiator, TwoPorts, ::testing::Bool());

}  // namespace
}  // namespace lalometer
