// What rings on tells a resonance from what two arrivals make.
#include "diagnosis/view/sound/ringing.h"

#include <gmock/gmock.h>

#include "acoustics/decay/impulse_of.h"
#include "diagnosis/made_curves.h"

namespace lalometer {
namespace {

using namespace made;
using testing::HasSubstr;

SeenFeature feature(std::optional<double> rings_q, double own_q = 8.0) {
  SeenFeature f;
  f.q = own_q;
  f.rings_q = rings_q;
  return f;
}

TEST(Ringing, CountsOnlyWhereItWasLookedFor) {
  Claim c(1.0);
  EXPECT_FALSE(saw_ringing(c, feature(std::nullopt), {.rings = 5.0, .not_so = 0.2}));
  saw_no_ringing(c, feature(std::nullopt));
  EXPECT_DOUBLE_EQ(c.odds(), 1.0) << "absent data is no evidence";
  EXPECT_TRUE(saw_ringing(c, feature(0.0), {.rings = 5.0, .not_so = 0.2}));
  EXPECT_NEAR(c.odds(), 0.2, 1e-12);
  EXPECT_EQ(c.against().back(), "nothing rings on there");
  EXPECT_TRUE(saw_ringing(c, feature(0.0, 3.0), {.rings = 5.0, .not_so = 0.2}));
  EXPECT_NEAR(c.odds(), 0.2, 1e-12) << "too broad to ring";
}

TEST(Ringing, AQOutsideWhatTheCauseMakesSpeaksAgainstIt) {
  const RingingOdds cone{.rings = 3.0, .not_so = 0.5, .high_q = 30.0};
  Claim usual(1.0), wall(1.0);
  (void)saw_ringing(usual, feature(9.0), cone);
  (void)saw_ringing(wall, feature(45.0), cone);
  EXPECT_NEAR(usual.odds(), 3.0, 1e-12);
  EXPECT_NEAR(wall.odds(), 0.5, 1e-12);
  EXPECT_THAT(usual.evidence().back(), HasSubstr("Q of 9"));
  Claim edges(1.0);
  saw_no_ringing(edges, feature(9.0));
  EXPECT_LT(edges.odds(), 0.5);
}

/// A response with phase: flat, times what `shape` makes.
template <class Shape>
CaseMaterial with_phase(Shape shape) {
  CaseMaterial m = one_cone(0.06);
  for (const double a : {0.0, 30.0, -30.0}) {
    m.takes.push_back(
        at_angle(a, curve(Quantity::kPressure, 200.0, 18000.0, 48.0, true, [&](double f) {
                   return from_level(86.0, 0.0, level_reference(Quantity::kPressure)) * shape(f);
                 })));
    CaseTake& t = m.takes.back();
    if (a == 0.0)
      t.ridges =
          decay_ridges(impulse_of(t.curve), {0.0, 0.03}, {.low_hz = 260.0, .high_hz = 12000.0});
  }
  return m;
}

// The same peak of some 4 dB by a resonance (1 + g jw/Q ...) and by an arrival 0.5 of the first,
// half a period of 2.4 kHz late: only the first rings.
TEST(Ringing, AResonanceIsToldFromASecondArrivalOfTheSameHeight) {
  using Complex = std::complex<double>;
  const CaseMaterial resonance = with_phase([](double f) {
    const Complex s(0.0, f / 2400.0);
    return (1.0 + 1.6 * s / 9.0 + s * s) / (1.0 + s / 9.0 + s * s);
  });
  const CaseMaterial arrival =
      with_phase([](double f) { return 1.0 + 0.5 * std::polar(1.0, -2.0 * kPi * f / 2400.0); });
  const auto ringing_at_peak = [](const CaseMaterial& m) {
    const CaseView v = view_of(m);
    for (const SeenFeature& f : v.features)
      if (std::abs(std::log2(f.at_hz / 2400.0)) < 0.15) return f.rings_q.value_or(-1.0);
    return -2.0;
  };
  EXPECT_NEAR(ringing_at_peak(resonance), 9.0, 1.5);
  EXPECT_EQ(ringing_at_peak(arrival), 0.0);
}

}  // namespace
}  // namespace lalometer
