#include "workbench/report/report_writer.h"

#include <gmock/gmock.h>

#include "workbench/keeping/report_keeping.h"
#include "workbench/report/report_making.h"

namespace lalometer {
namespace {

TEST(StatedText, ShowsAsMuchAsIsKnown) {
  EXPECT_EQ(stated_text(49.2987, 0.81, "Hz"), "49.3 ± 0.8 Hz");
  EXPECT_EQ(stated_text(49.2987, 0.152, "Hz"), "49.30 ± 0.15 Hz");
  EXPECT_EQ(stated_text(172.08, 64.7, "Hz"), "170 ± 60 Hz");
  EXPECT_EQ(stated_text(2204.3, 31.0, "Hz"), "2.20 ± 0.03 kHz");
  EXPECT_EQ(stated_text(5.9652, std::nullopt, "ohm"), "5.97 Ω");
  EXPECT_EQ(stated_text(13.2, 0.00001, "g"), "13.20 g") << "no more digits than mean something";
  EXPECT_EQ(stated_text(-4.545, 0.74, "deg"), "-4.5 ± 0.7°");
}

class Writing : public ::testing::Test {
 protected:
  Report report_;
  ReportWish wish_;
  Told told() {
    Told t;
    t.put_apart("fb_hz", Estimate{49.3, 0.8});
    t.put("ql", nullptr);
    t.put("preference", Told().put("score", 5.2).put("score_uncertainty", 0.3));
    return t;
  }
};

TEST_F(Writing, StatesWhatTheCommandTellsAndWhatItCouldNot) {
  ReportWriter w(report_);
  EXPECT_EQ(w.state("box-impedance", told(), "fb_hz"), "49.3 ± 0.8 Hz");
  EXPECT_EQ(w.state("box-impedance", told(), "ql"), std::nullopt);
  EXPECT_EQ(w.state("spin", told(), "preference.score"), "5.2 ± 0.3");
  EXPECT_EQ(w.state("spin", told(), "preference.none"), std::nullopt);
  ASSERT_EQ(report_.figures.size(), 3U) << "of what it has no word for it says nothing";
  EXPECT_EQ(report_.figures[0].uncertainty, 0.8);
  EXPECT_FALSE(report_.figures[1].valid);
  EXPECT_EQ(report_.figures[2].uncertainty, 0.3);
  (void)w.state("box-impedance", told(), "fb_hz");
  EXPECT_EQ(report_.figures.size(), 3U) << "once is enough";
}

TEST_F(Writing, APrintedReasonNamesNoOptionOfACommand) {
  ReportWriter w(report_);
  w.missing("Not measured: All are of single drivers: say --driver.");
  w.missing("The impedance was not measured.");
  EXPECT_EQ(report_.missing[0], "Not measured: All are of single drivers.");
  EXPECT_EQ(report_.missing[1], "The impedance was not measured.");
}

// What a tester wrote stays; where the figures under it have changed it is marked.
TEST_F(Writing, ATestersOwnWordsStandAndAreMarkedWhenFiguresChange) {
  wish_.edits = {{"bass.f3", "Plays down to 45 Hz.", "F3 45 Hz."},
                 {"bass.fb", "Tuned low.", "Tuned to 49 Hz."}};
  ReportWriter w(report_);
  w.begin("bass", "Bass");
  w.say("bass.f3", "F3 45 Hz.");
  w.say("bass.fb", "Tuned to 52 Hz.");
  w.say("bass.else", "Nothing else.");
  w.end();
  const Report chosen = report_chosen(report_, wish_);
  ASSERT_EQ(chosen.sections.size(), 1U);
  const auto& first = std::get<ReportSentence>(chosen.sections[0].blocks[0]);
  const auto& second = std::get<ReportSentence>(chosen.sections[0].blocks[1]);
  EXPECT_EQ(first.shown(), "Plays down to 45 Hz.");
  EXPECT_FALSE(first.outdated);
  EXPECT_EQ(second.shown(), "Tuned low.");
  EXPECT_TRUE(second.outdated);
  EXPECT_FALSE(std::get<ReportSentence>(chosen.sections[0].blocks[2]).own.has_value());
}

TEST_F(Writing, SectionsAreLeftOutWithTheirFiguresAndStandInTheUsersOrder) {
  ReportWriter w(report_);
  w.begin("empty", "Empty");
  w.end();
  EXPECT_TRUE(report_.sections.empty()) << "what says nothing does not stand";
  for (const char* id : {"response", "bass", "decay", "conditions"}) {
    w.begin(id, id);
    w.card(id, w.state(id, told(), "fb_hz"), "");
    w.say(std::string(id) + ".a", "Something.");
    w.end();
  }
  wish_.left_out = {"decay"};
  wish_.order = {"conditions", "bass"};
  const Report chosen = report_chosen(report_, wish_);
  ASSERT_EQ(chosen.sections.size(), 3U);
  EXPECT_EQ(chosen.sections[0].id, "bass");
  EXPECT_EQ(chosen.sections[1].id, "response");
  EXPECT_EQ(chosen.sections[2].id, "conditions") << "the appendix stays the last";
  EXPECT_EQ(chosen.figures.size(), 3U);
  EXPECT_EQ(chosen.cards.size(), 3U);
}

TEST(ReportKeeping, AWishComesBackAsItWas) {
  ReportWish wish;
  wish.kind = ReportKind::kCase;
  wish.verdict = "Sound.\nTwice heard.";
  wish.left_out = {"decay"};
  wish.order = {"case", "bass"};
  wish.iec_proportions = true;
  wish.edits = {{"bass.f3", "Low.", "F3 45 Hz."}};
  wish.with = {"Weir"};
  EXPECT_EQ(report_wish_from_json(to_json(wish)), wish);
  EXPECT_EQ(report_wish_from_json("no json"), ReportWish{});
  EXPECT_EQ(report_wish_from_json(R"({"kind": "poem", "edits": [7]})"), ReportWish{});
}

TEST(ReportKeeping, ATemplateIsWhatOtherSubjectsCanUse) {
  ReportWish own;
  own.kind = ReportKind::kCase;
  own.left_out = {"decay"};
  own.verdict = "Sound.";
  own.edits = {{"a", "b", "c"}};
  const auto kept =
      report_templates_from_json(to_json(std::vector<ReportTemplate>{{"Short", own}}));
  ASSERT_EQ(kept.size(), 1U);
  EXPECT_EQ(kept[0].name, "Short");
  EXPECT_TRUE(kept[0].wish.verdict.empty()) << "a verdict is of one loudspeaker";
  ReportWish other;
  other.verdict = "Loud.";
  const ReportWish like = like_template(kept[0], other);
  EXPECT_EQ(like.kind, ReportKind::kCase);
  EXPECT_EQ(like.left_out, own.left_out);
  EXPECT_EQ(like.verdict, "Loud.");
  EXPECT_TRUE(like.edits.empty());
  EXPECT_TRUE(report_templates_from_json("{}").empty());
}

}  // namespace
}  // namespace lalometer
