#include "exchange/text_table.h"

#include <gmock/gmock.h>

#include "exchange/curve_file.h"
#include "support/support.h"

namespace lalometer {
namespace {

using ::testing::HasSubstr;

Result<TextTable> read(const std::string& text, ColumnKind kind = ColumnKind::kResponse) {
  return read_text_table(std::as_bytes(std::span(text.data(), text.size())), "some.frd", kind);
}

struct Form {
  const char* what;
  std::string text;
};

class Forms : public ::testing::TestWithParam<Form> {};

// docs/file-formats.md: every form says the same three rows.
TEST_P(Forms, SayTheSameRows) {
  const auto table = read(GetParam().text);
  ASSERT_TRUE(table.has_value()) << table.error().text();
  ASSERT_EQ(table->rows.size(), 3U);
  EXPECT_TRUE(table->has_phase);
  const double want[3][3] = {{20.5, 80.1, -3.5}, {100.0, 81.25, 0.0}, {2000.0, 79.0, 45.0}};
  for (std::size_t i = 0; i < 3; ++i) {
    EXPECT_EQ(table->rows[i].frequency_hz, want[i][0]);
    EXPECT_EQ(table->rows[i].magnitude, want[i][1]);
    EXPECT_EQ(table->rows[i].phase_deg, want[i][2]);
  }
}

std::string utf16(const std::string& text, bool big, bool mark) {
  std::string out = mark ? (big ? "\xFE\xFF" : "\xFF\xFE") : "";
  for (const char c : text) out += big ? std::string{'\0', c} : std::string{c, '\0'};
  return out;
}

const std::string kBlanks = "20.5 80.1 -3.5\n100 81.25 0\n2000 79 45\n";

INSTANTIATE_TEST_SUITE_P(
    TextTable, Forms,
    ::testing::Values(
        Form{"blanks", kBlanks}, Form{"tabs", "20.5\t80.1\t-3.5\n100\t81.25\t0\n2000\t79\t45\n"},
        Form{"commas", "20.5,80.1,-3.5\n100,81.25,0\n2000,79,45\n"},
        Form{"commas and blanks", "20.5, 80.1, -3.5\n100, 81.25, 0\n2000, 79, 45\n"},
        Form{"semicolons", "20.5;80.1;-3.5\n100;81.25;0\n2000;79;45\n"},
        Form{"decimal commas and semicolons", "20,5;80,1;-3,5\n100;81,25;0\n2000;79;45\n"},
        Form{"decimal commas and tabs", "20,5\t80,1\t-3,5\n100\t81,25\t0\n2000\t79\t45\n"},
        Form{"decimal commas and blanks", "20,5 80,1 -3,5\n100 81,25 0\n2000 79 45\n"},
        Form{"carriage returns", "20.5 80.1 -3.5\r100 81.25 0\r2000 79 45\r"},
        Form{"both line ends", "20.5 80.1 -3.5\r\n100 81.25 0\r\n2000 79 45"},
        Form{"byte order mark", "\xEF\xBB\xBF" + kBlanks},
        Form{"latin-1 comment", "* gr\xFC\xDF\n" + kBlanks},
        Form{"utf-16 little", utf16(kBlanks, false, true)},
        Form{"utf-16 big", utf16(kBlanks, true, true)},
        Form{"utf-16 without mark", utf16(kBlanks, false, false)},
        Form{"comments of all kinds",
             "* a\n# b\n; c\n\"d\"\n// e\nFreq dB deg\n\n" + kBlanks + "# end\n"},
        Form{"exponents and signs", "+2.05e1 8.01E+1 -3.5\n1e2 81.25 -0\n2.0e3 79 +45\n"}),
    test::name_of_case);

struct Mistake {
  const char* what;
  std::string text;
  const char* place;
  const char* found;
  ColumnKind kind = ColumnKind::kResponse;
};

class Mistakes : public ::testing::TestWithParam<Mistake> {};

TEST_P(Mistakes, AreErrorsThatNamePlaceAndReason) {
  const auto table = read(GetParam().text, GetParam().kind);
  ASSERT_FALSE(table.has_value());
  EXPECT_EQ(table.error().code, ErrorCode::kBadInput);
  EXPECT_THAT(table.error().where, HasSubstr(GetParam().place));
  EXPECT_THAT(table.error().message, HasSubstr(GetParam().found));
}

INSTANTIATE_TEST_SUITE_P(
    TextTable, Mistakes,
    ::testing::Values(
        Mistake{"missing magnitude", "100 80\n200\n300 81\n", "some.frd:2", "no second column"},
        Mistake{"empty column", "100;80\n200;;3\n", "some.frd:2", "nothing"},
        Mistake{"not a number", "100 80\n# c\n200 abc\n", "some.frd:3", "\"abc\""},
        Mistake{"nan", "100 80\n200 nan\n", "some.frd:2", "finite"},
        Mistake{"infinite frequency", "100 80\ninf 80\n", "some.frd:2", "finite"},
        Mistake{"broken frequency", "100 80\n2x0 81\n", "some.frd:2", "2x0"},
        Mistake{"words after a number", "165 mm woofer, 8 ohm\n100 80\n", "some.frd:1", "mm"},
        Mistake{"zero frequency", "0 80\n100 81\n", "some.frd:1", "above 0"},
        Mistake{"negative frequency", "10 80\n-100 81\n", "some.frd:2", "above 0"},
        Mistake{"one row", "100 80\n", "some.frd", "at least 2 rows"},
        Mistake{"no row", "nothing here\n", "some.frd", "found 0"},
        Mistake{"phase missing in one row", "100 80 1\n200 81\n300 82 3\n", "some.frd:2",
                "no phase"},
        Mistake{"absurd level", "100 80\n200 9999\n", "some.frd:2", "9999"},
        Mistake{"impedance of nothing", "100 8\n200 0\n", "some.frd:2", "ohm",
                ColumnKind::kImpedance},
        Mistake{"negative impedance", "100 8\n200 -4\n", "some.frd:2", "ohm",
                ColumnKind::kImpedance},
        Mistake{"binary", std::string("\x89PNG\0\1\0\0\3", 9), "some.frd", "not a text file"}),
    test::name_of_case);

TEST(TextTable, SortsRowsOutOfOrderAndSaysSo) {
  const auto table = read("300 83\n100 81\n200 82\n");
  ASSERT_TRUE(table.has_value());
  EXPECT_EQ(table->rows[0].frequency_hz, 100.0);
  ASSERT_EQ(table->notes.size(), 1U);
  EXPECT_THAT(table->notes[0], HasSubstr("sorted"));
}

TEST(TextTable, AveragesRepeatedFrequenciesAndSaysSo) {
  const auto table = read("100 80 170\n100 82 -170\n200 81 0\n");
  ASSERT_TRUE(table.has_value());
  ASSERT_EQ(table->rows.size(), 2U);
  EXPECT_EQ(table->rows[0].magnitude, 81.0);
  EXPECT_NEAR(std::abs(table->rows[0].phase_deg), 180.0, 1e-9)
      << "directions, not numbers, are averaged";
  EXPECT_THAT(table->notes[0], HasSubstr("averaged"));
}

TEST(CurveFile, WritingThenReadingGivesBackTheSameNumbers) {
  test::Normals normal(11);
  for (const ColumnKind kind : {ColumnKind::kResponse, ColumnKind::kImpedance}) {
    const Quantity quantity =
        kind == ColumnKind::kImpedance ? Quantity::kImpedance : Quantity::kPressure;
    const Response r = test::curve_from(
        [&](double) { return std::polar(0.3 + std::abs(normal()), normal()); }, quantity);
    const std::string text = curve_text(r, {"a comment"});
    const auto table = read(text, kind);
    ASSERT_TRUE(table.has_value()) << table.error().text();
    const Response back = curve_of(*table, kind);
    ASSERT_EQ(back.size(), r.size());
    for (std::size_t i = 0; i < r.size(); ++i) {
      ASSERT_EQ(back.axis()[i], r.axis()[i]);
      ASSERT_LT(std::abs(back.value(i) - r.value(i)), 1e-13 * std::abs(r.value(i)));
    }
  }
}

TEST(GuessedKind, GoesByEndingThenCommentsThenNumbers) {
  const TextTable plain = *read("100 8\n200 9\n");
  EXPECT_EQ(guessed_kind("a.frd", plain), ColumnKind::kResponse);
  EXPECT_EQ(guessed_kind("A.ZMA", plain), ColumnKind::kImpedance);
  EXPECT_EQ(guessed_kind("mic.cal", plain), ColumnKind::kCalibration);
  EXPECT_EQ(guessed_kind("a.txt", *read("* Hz Ohm\n100 80\n200 81\n")), ColumnKind::kImpedance);
  EXPECT_EQ(guessed_kind("a.txt", *read("100 80\n200 81\n")), ColumnKind::kResponse);
  EXPECT_EQ(guessed_kind("a.txt", plain), ColumnKind::kImpedance);
  EXPECT_FALSE(guessed_kind("a.txt", *read("100 -1\n200 0.2\n")).has_value())
      << "nobody can tell: the user must";
}

TEST(ToldSensitivity, IsReadInTheUsualShapesAndInNoOther) {
  const auto level =
      told_sensitivity({"made at 20 degrees", "Sensitivity -18.2 dB FS at 94 dB SPL"});
  ASSERT_TRUE(level);
  EXPECT_DOUBLE_EQ(*level->dbfs_at_94, -18.2);
  EXPECT_FALSE(level->mv_per_pa);
  EXPECT_DOUBLE_EQ(*told_sensitivity({"sens. factor = -1,4dB"})->dbfs_at_94, -1.4);
  const auto voltage = told_sensitivity({"SENSITIVITY: 12.5 mV/Pa"});
  ASSERT_TRUE(voltage);
  EXPECT_DOUBLE_EQ(*voltage->mv_per_pa, 12.5);
  const auto volts = told_sensitivity({"sensitivity -38 dB re 1 V/Pa"});
  ASSERT_TRUE(volts);
  EXPECT_FALSE(volts->dbfs_at_94) << "not re full scale";
  EXPECT_NEAR(*volts->mv_per_pa, 12.59, 0.01);
  EXPECT_FALSE(told_sensitivity({"-18.2 dB"})) << "of what?";
  EXPECT_FALSE(told_sensitivity({"sensitivity -18 dB or -20 dB"})) << "which one?";
  EXPECT_FALSE(told_sensitivity({"sensitivity -400 dB"})) << "absurd";
  EXPECT_FALSE(told_sensitivity({}));
}

}  // namespace
}  // namespace lalometer
