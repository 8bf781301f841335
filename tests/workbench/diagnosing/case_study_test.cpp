#include "workbench/diagnosing/case_study.h"

#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "cli/cli_support.h"
#include "support/books.h"
#include "support/support.h"
#include "workbench/bass/worked.h"
#include "workbench/sharing/importing.h"
#include "workbench/telling/case/case_told.h"

namespace lalometer {
namespace {

using nlohmann::json;
using test::run;

/// Lists written out: a driver in a box whose cone rings at 2.6 kHz, at all angles and in free air.
std::string set_in(const test::TemporaryFolder& folder) {
  json takes = json::array();
  const auto list = [&](const std::string& name, const auto& value) {
    std::string text;
    for (double f = 20.0; f < 20000.0; f *= std::exp2(1.0 / 48.0))
      text += fmt::format("{:.3f} {:.4f}\n", f, value(f));
    test::write(folder / name, text);
  };
  for (const int a : {0, 20, -20, 40}) {
    const std::string name = fmt::format("h{}.frd", a);
    list(name, [](double f) {
      return 86.0 + 6.0 * std::exp(-std::pow(std::log2(f / 2600.0) / 0.12, 2));
    });
    takes.push_back({{"id", name},
                     {"kind", "response"},
                     {"file", name},
                     {"horizontal_deg", a},
                     {"distance_m", 1.0},
                     {"drive_v", 2.83},
                     {"gate_ms", 6.0}});
  }
  const auto ohm = [](double f) {
    return std::abs(6.0 + std::complex<double>(0.0, 2e-3 * f) +
                    30.0 / (1.0 + std::complex<double>(0.0, 4.0) * (f / 60.0 - 60.0 / f)) +
                    0.6 / (1.0 + std::complex<double>(0.0, 14.0) * (f / 2600.0 - 2600.0 / f)));
  };
  list("free.zma", ohm);
  takes.push_back({{"id", "free"},
                   {"kind", "impedance"},
                   {"file", "free.zma"},
                   {"condition", "free-air"},
                   {"driver", "cone"}});
  const json set = {{"format", "lalometer-set"},
                    {"version", 1},
                    {"subject",
                     {{"name", "Turnstile"},
                      {"kind", "loudspeaker"},
                      {"loading", "sealed"},
                      {"drivers",
                       {{{"id", "cone"},
                         {"role", "fullrange"},
                         {"diameter_mm", 120},
                         {"sd_cm2", 75},
                         {"x_mm", 0},
                         {"y_mm", 40}}}},
                      {"baffle",
                       {{"width_mm", 220},
                        {"height_mm", 360},
                        {"depth_mm", 200},
                        {"edge_radius_mm", 20},
                        {"left_mm", 110},
                        {"top_mm", 180}}}}},
                    {"takes", takes}};
  test::write(folder / "set.json", set.dump());
  return folder.path().string();
}

double breakup_of(const Diagnosis& d) {
  double p = 0.0;
  for (const Finding& f : d.findings)
    for (const FindingCause& c : f.causes)
      if (c.cause == "driver-breakup") p = std::max(p, c.probability);
  return p;
}

TEST(CaseStudyTest, TheWindowsCaseIsTheCommandLinesAndOneTakeMoreIsOneCurveMore) {
  const test::TemporaryFolder folder;
  std::filesystem::create_directories(folder / "set");
  const std::string set = set_in(folder);
  auto book = *Book::create(folder / "case.lalo");
  const auto ids = take_in(book, preview_import({set}, {}, {}), {});
  ASSERT_TRUE(ids.has_value());
  const auto takes = *book.takes();
  const auto subjects = *book.subjects();
  CaseInputs in{.name = subjects[0].name,
                .description = subjects[0].description,
                .drawing = subjects[0].drawing_mark,
                .takes = {},
                .variants = *book.variants(subjects[0].id)};
  for (const Take& t : takes)
    if (is_case_take(t)) in.takes.push_back(*inputs_from(book, t));
  ASSERT_EQ(in.takes.size(), 5U);
  ResultStore store(1 << 26);
  const auto whole = store.get(case_node(in), {store, {}});
  ASSERT_TRUE(whole.has_value());
  const double p = breakup_of(**whole);
  EXPECT_GT(p, 0.5);
  // The other door.
  const json told = run({"diagnose", set, "--json"}).parsed();
  double by_command = 0.0;
  for (const json& f : told["findings"])
    for (const json& c : f["causes"])
      if (c["cause"] == "driver-breakup")
        by_command = std::max(by_command, c["probability"].get<double>());
  EXPECT_NEAR(by_command, p, 1e-6);
  // Its takes are named, so that the score can lay them.
  for (const Finding& f : (*whole)->findings)
    for (const std::int64_t id : f.shown_by)
      EXPECT_NE(std::find(ids->begin(), ids->end(), id), ids->end());
  // Without a take the key is another, and what was read is not read again.
  const std::size_t before = store.size();
  CaseInputs less = in;
  less.takes.pop_back();
  EXPECT_NE(case_node(less).key, case_node(in).key);
  const auto fewer = store.get(case_node(less), {store, {}});
  ASSERT_TRUE(fewer.has_value());
  EXPECT_LT(breakup_of(**fewer), p) << "free air was what made it sure";
  EXPECT_EQ(store.size(), before + 2) << "the case and what its impedances say are new";
  // Without a response what the impedances said stays, and the case is the one made anew.
  CaseInputs fewer_angles = in;
  fewer_angles.takes.erase(fewer_angles.takes.begin() + 1);
  const auto kept = store.get(case_node(fewer_angles), {store, {}});
  EXPECT_EQ(store.size(), before + 3) << "the case alone is new";
  ResultStore other(1 << 26);
  const auto anew = other.get(case_node(fewer_angles), {other, {}});
  EXPECT_EQ(json_text(told_of(**kept), 0), json_text(told_of(**anew), 0));
}

TEST(CaseStudyTest, AStoppedCaseIsCancelled) {
  const test::TemporaryFolder folder;
  const std::string set = set_in(folder);
  auto book = *Book::create(folder / "case.lalo");
  ASSERT_TRUE(take_in(book, preview_import({set}, {}, {}), {}).has_value());
  const auto takes = *book.takes();
  CaseInputs in;
  for (const Take& t : takes) in.takes.push_back(*inputs_from(book, t));
  std::stop_source stop;
  stop.request_stop();
  ResultStore store(1 << 26);
  const auto made = store.get(case_node(in), {store, stop.get_token()});
  ASSERT_FALSE(made.has_value());
  EXPECT_EQ(made.error().code, ErrorCode::kCancelled);
}

}  // namespace
}  // namespace lalometer
