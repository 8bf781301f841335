#include "rig/practice/practice_field.h"

#include "support/support.h"

namespace lalometer {
namespace {

/// One woofer in the middle of the kiosk's front, port in the middle of the back.
PracticeSpeaker centred() {
  PracticeSpeaker s = kiosk_two_way(false);
  s.ways.resize(1);
  s.ways[0].ladder.clear();
  s.ways[0].y_m = 0.0;
  s.port = {Panel::kBack, 0.0, 0.0};
  s.origin_y_m = 0.19;
  return s;
}

double level_db(std::complex<double> p) {
  return 20.0 * std::log10(std::abs(p));
}

TEST(PracticeField, IsAlikeToBothSidesOfASymmetricBox) {
  const PracticeSpeaker s = centred();
  for (const double f : {100.0, 900.0, 4000.0}) {
    const auto at = [&](double h, double v) {
      return std::abs(
          PracticeField(s, {.floor_reflection = 0.0, .horizontal_deg = h, .vertical_deg = v})
              .at(f)
              .direct_pa_per_v);
    };
    EXPECT_NEAR(at(40.0, 0.0) / at(-40.0, 0.0), 1.0, 1e-6) << f;
    EXPECT_NEAR(at(0.0, 70.0) / at(0.0, -70.0), 1.0, 1e-6) << f;
    // In the bass the port behind counts as much as the cone before.
    if (f > 500.0) {
      EXPECT_GT(at(0.0, 0.0), at(180.0, 0.0)) << f;
    }
  }
}

// The box turned by hand: a port on the left panel is to a listener at +90 degrees what one on the
// right panel is at -90.
TEST(PracticeField, PanelsFaceTheirOwnWay) {
  const auto port_at = [&](Panel panel, double h) {
    PracticeSpeaker s = centred();
    s.port = {panel, 0.0, 0.0};
    PracticeSpeaker closed = s;
    closed.port_area_m2 = 0.0;
    const PracticeRoom room{.floor_reflection = 0.0, .horizontal_deg = h};
    return std::abs(PracticeField(s, room).at(1500.0).direct_pa_per_v -
                    PracticeField(closed, room).at(1500.0).direct_pa_per_v);
  };
  EXPECT_NEAR(port_at(Panel::kLeft, -90.0) / port_at(Panel::kRight, 90.0), 1.0, 1e-6);
  EXPECT_GT(port_at(Panel::kRight, 90.0), 1.5 * port_at(Panel::kLeft, 90.0));
  EXPECT_GT(port_at(Panel::kBack, 180.0), 1.5 * port_at(Panel::kFront, 180.0));
}

// D. B. Keele, J. Audio Eng. Soc. 22 (1974): half-space level = near-field level + 20 log10(a /
// 2r).
TEST(PracticeField, NearFieldScalesToTheFarFieldByKeelesRule) {
  PracticeSpeaker s = centred();
  s.baffle.reset();
  s.ways[0].box.kind = BoxLoad::Kind::kSealed;
  s.port_area_m2 = 0.0;
  const double a = std::sqrt(s.ways[0].driver.sd_m2 / kPi);
  const PracticeField near(s, {.near_source = "woofer", .near_m = 0.001});
  const PracticeField far(s, {.distance_m = 2.0, .floor_reflection = 0.0});
  for (const double f : {30.0, 100.0, 300.0}) {
    EXPECT_NEAR(level_db(far.at(f).direct_pa_per_v) - level_db(near.at(f).direct_pa_per_v),
                20.0 * std::log10(a / 4.0), 0.2)
        << f;
  }
}

// Path lengths by hand: ceiling 1.4 m above, walls 1.8 m to the side, 1 m apart.
TEST(PracticeField, RoomSendsBackFromEachWallItHas) {
  PracticeSpeaker s = centred();
  s.baffle.reset();
  s.ways[0].box.kind = BoxLoad::Kind::kSealed;
  s.port_area_m2 = 0.0;
  const double f = 40.0;
  const double k = 2.0 * kPi * f / speed_of_sound_m_s(20.0);
  const PracticeOutput out =
      PracticeField(
          s,
          {.floor_reflection = 0.0, .ceiling_m = 1.4, .right_wall_m = 1.8, .wall_reflection = 0.5})
          .at(f);
  std::complex<double> want = 0.0;
  for (const double path : {std::hypot(1.0, 2.8), std::hypot(1.0, 3.6)})
    want += 0.5 / path * std::polar(1.0, -k * (path - 1.0));
  EXPECT_NEAR(std::abs(out.reflected_pa_per_v / out.direct_pa_per_v - want), 0.0, 1e-9);
  // Two parallel walls, two orders: 2 + 2 images.
  const auto reflected = [&](int orders) {
    return std::abs(PracticeField(s, {.floor_reflection = 0.0,
                                      .left_wall_m = 2.0,
                                      .right_wall_m = 2.0,
                                      .wall_reflection = 0.5,
                                      .orders = orders})
                        .at(0.6)
                        .reflected_pa_per_v);
  };
  EXPECT_GT(reflected(2), reflected(1));
}

// A dipole: at its sides front and back cancel, below c/D it falls (common knowledge of the trade).
TEST(PracticeField, OpenBackCancelsToTheSide) {
  PracticeSpeaker s = centred();
  s.open_back = true;
  s.ways[0].box = {};
  s.ways[0].box.kind = BoxLoad::Kind::kOpenBack;
  s.baffle = *Baffle::make({0.21, 0.38, 0.02, EdgeShape::kSquare, 0.0});
  s.ways[0].panel = OpenBaffle{.width_m = 0.21,
                               .height_m = 0.38,
                               .driver_x_m = s.origin_x_m + s.ways[0].x_m,
                               .driver_y_m = s.origin_y_m + s.ways[0].y_m};
  const auto at = [&](double h, double f) {
    return level_db(
        PracticeField(s, {.floor_reflection = 0.0, .horizontal_deg = h}).at(f).direct_pa_per_v);
  };
  EXPECT_LT(at(90.0, 200.0), at(0.0, 200.0) - 12.0);
  EXPECT_NEAR(at(180.0, 200.0), at(0.0, 200.0), 3.0);
}

TEST(PracticeField, OnlyTheNamedDriverPlays) {
  const PracticeSpeaker s = kiosk_two_way(false);
  const auto at = [&](const char* only) {
    return PracticeField(s, {.floor_reflection = 0.0, .only = only}).at(2200.0).direct_pa_per_v;
  };
  EXPECT_NEAR(std::abs(at("woofer") + at("tweeter") - at("")) / std::abs(at("")), 0.0, 1e-9);
  EXPECT_GT(std::abs(at("tweeter")), 0.0);
}

TEST(PracticeCircuits, TableIsTheSolutionItself) {
  const PracticeSpeaker s = kiosk_in_life(false);
  const PracticeCircuits circuits(s);
  std::vector<WayState> states;
  for (double f = 3.0; f < 40000.0; f *= 1.0137) {
    circuits.at(f, states);
    for (std::size_t w = 0; w < 2; ++w) {
      const WayState exact = solve_way(s.ways[w], f);
      ASSERT_NEAR(std::abs(states[w].front / exact.front - 1.0), 0.0, 2e-3) << f;
      ASSERT_NEAR(std::abs(states[w].impedance_ohm / exact.impedance_ohm - 1.0), 0.0, 1e-3) << f;
    }
  }
}

}  // namespace
}  // namespace lalometer
