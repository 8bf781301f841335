// Attribution by swapping: the same take with one thing changed.
#include "diagnosis/swaps.h"

#include <gmock/gmock.h>

#include "diagnosis/made_curves.h"
#include "diagnosis/registry.h"
#include "diagnosis/view/view.h"

namespace lalometer {
namespace {

using namespace made;
using testing::HasSubstr;

double probability(const Diagnosis& d, const char* cause) {
  const FindingCause* c = found(d, cause);
  return c == nullptr ? 0.0 : c->probability;
}

/// What the swaps say of a cause of the only dip.
std::string said_of(const CaseMaterial& m, const char* cause) {
  const CaseView v = view_of(m);
  Claim claim(1.0);
  for (std::size_t i = 0; i < v.features.size(); ++i)
    if (std::abs(std::log2(v.features[i].at_hz / 900.0)) < 0.1) claim.feature = i;
  EXPECT_TRUE(claim.feature.has_value());
  weigh_swaps(v, cause, claim);
  std::string text;
  for (const std::string& each : claim.evidence()) text += "+ " + each;
  for (const std::string& each : claim.against()) text += "- " + each;
  return text;
}

/// A cone in a box with a dip of 4 dB, Q 6, at 900 Hz; a second variant keeps `share` of it.
CaseMaterial swapped(const char* change, double share, double dip_db = -4.0) {
  CaseMaterial m = one_cone(0.06);
  m.variants = {{"as built", ""}, {"other", change}};
  const auto curve = [&](double part) {
    return level_of([=](double f) { return 86.0 + bell(f, 900.0, part * dip_db, 0.12); });
  };
  for (const double a : {0.0, 30.0, -30.0}) {
    m.takes.push_back(at_angle(a, curve(1.0)));
    m.takes.back().variant = "as built";
  }
  m.takes.push_back(at_angle(0.0, curve(share)));
  m.takes.back().variant = "other";
  return m;
}

TEST(Swaps, WhatGoesWithTheDriverIsTheDrivers) {
  const Diagnosis before = diagnose(swapped("", 0.0));
  const Diagnosis gone = diagnose(swapped("driver", 0.0));
  const Diagnosis stays = diagnose(swapped("driver", 1.0));
  const auto drivers_own = [](const Diagnosis& d) {
    return std::max(probability(d, "driver-breakup"), probability(d, "suspension-resonance"));
  };
  EXPECT_GT(drivers_own(gone), drivers_own(before) + 0.1);
  EXPECT_LT(drivers_own(stays), drivers_own(before));
  EXPECT_EQ(said_of(swapped("driver", 0.0), "driver-breakup"),
            "+ with the driver changed (“other”) the dip is gone: 0 % is left");
  EXPECT_EQ(said_of(swapped("driver", 1.0), "driver-breakup"),
            "- with the driver changed (“other”) the dip stays, within 0.1 dB");
  EXPECT_EQ(said_of(swapped("driver", 0.0), "edge-diffraction").front(), '-');
}

TEST(Swaps, ASentenceIsToldByTheTwoTakesThatItCompares) {
  CaseMaterial m = swapped("driver", 0.0);
  for (std::size_t i = 0; i < m.takes.size(); ++i)
    m.takes[i].id = static_cast<std::int64_t>(i + 21);
  const CaseTake& changed = m.takes.back();
  const auto axis = std::find_if(m.takes.begin(), m.takes.end(), [](const CaseTake& t) {
    return t.kind == CaseTake::Kind::kResponse && t.horizontal_deg == 0.0;
  });
  const Diagnosis d = diagnose(m);
  const FindingCause* cone = found(d, "suspension-resonance");
  ASSERT_NE(cone, nullptr);
  const std::string sentence = "with the driver changed (“other”) the dip is gone: 0 % is left";
  ASSERT_TRUE(cone->told_by.contains(sentence));
  EXPECT_THAT(cone->told_by.at(sentence), testing::ElementsAre(axis->id, changed.id));
}

TEST(Swaps, WhatIsLessThanTwoTakesDifferByProvesNothing) {
  // 2.2 dB of which 1.3 are left: less than a decibel went.
  EXPECT_EQ(said_of(swapped("driver", 0.6, -2.2), "driver-breakup"), "");
}

TEST(Swaps, TwoThingsChangedAtOnceProveNothing) {
  CaseMaterial m = swapped("driver", 0.0);
  m.variants[0].change = "damping";
  EXPECT_EQ(said_of(m, "driver-breakup"), "");
  m.variants[1].change = "damping";  // lined otherwise
  EXPECT_THAT(said_of(m, "cabinet-standing-wave"), HasSubstr("with the damping changed"));
}

// A pair of which the second is at fault: each state with its own takes is looked at, and what only
// one has is told of that one.
TEST(Swaps, AStateWithItsOwnTakesIsDiagnosedToo) {
  CaseMaterial m = two_ways();
  m.variants = {{"1", "", "first of the pair"}, {"2", "", "second of the pair"}};
  for (const char* variant : {"1", "2"})
    for (const double a : {0.0, 30.0, -30.0, 60.0}) {
      const double null_db = *variant == '2' ? -18.0 : 0.0;
      m.takes.push_back(at_angle(a, level_of([=](double f) {
                                   return 86.0 +
                                          bell(f, 2000.0, a == 0.0 ? null_db : 0.4 * null_db, 0.25);
                                 })));
      m.takes.back().variant = variant;
    }
  const Diagnosis d = diagnose(m);
  ASSERT_FALSE(d.findings.empty());
  EXPECT_EQ(d.findings[0].causes[0].cause, "driver-polarity");
  EXPECT_EQ(d.findings[0].variant, "second of the pair");
  // One take to try something is no state.
  std::erase_if(m.takes,
                [](const CaseTake& t) { return t.variant == "2" && t.horizontal_deg != 0.0; });
  EXPECT_EQ(found(diagnose(m), "driver-polarity"), nullptr);
}

TEST(Swaps, AnotherSampleWithTheSameDipClearsTheUnit) {
  CaseMaterial m = swapped("", 1.0);
  for (CaseTake& t : m.takes) t.sample = t.variant == "other" ? "B" : "A";
  for (CaseTake& t : m.takes) t.variant = "as built";
  EXPECT_THAT(said_of(m, "driver-breakup"), HasSubstr("the other sample has the dip too"));
}

// The table itself: a change takes away what it changes, of all causes in the list, and no
// geometry goes with a driver.
TEST(Swaps, EveryRuleNamesCausesOfTheList) {
  int goes = 0;
  for (const char* change :
       {"damping", "port", "panel", "box", "baffle", "driver", "crossover", "place"}) {
    int here = 0;
    for (const Cause& cause : all_causes())
      here += effect_of(change, cause.word) == SwapEffect::kGoes ? 1 : 0;
    EXPECT_GE(here, 1) << change;
    goes += here;
  }
  EXPECT_EQ(goes, 15) << "a word that is no cause would count less";
  EXPECT_EQ(effect_of("driver", "edge-diffraction"), SwapEffect::kStays);
  EXPECT_EQ(effect_of("baffle", "edge-diffraction"), SwapEffect::kGoes);
  EXPECT_EQ(effect_of("other", "edge-diffraction"), SwapEffect::kOpen);
}

}  // namespace
}  // namespace lalometer
