#include "book/book.h"

#include "book/json.h"
#include "support/books.h"

namespace lalometer {
namespace {

using test::SmallBook;
using test::TemporaryFolder;
using test::text_raw;

TEST(Book, KeepsTakesWithTheirConditionsOverReopening) {
  const TemporaryFolder folder;
  {
    SmallBook small(folder / "a.lalo");
    Take take = small.text_take("On axis");
    take.conditions.distance_m = 1.25;
    take.conditions.sample = "B";
    take.conditions.stimulus = {10.0, 22000.0, 1.4, 0.25, 0.2};
    take.conditions.more_json["mic_serial"] = "\"none\"";
    take.remarks = {{Remark::Weight::kDoubt, "low-level", "quiet", "turn up"}};
    const auto id = small.book.add_take(take, text_raw("100 80\n200 81\n"));
    ASSERT_TRUE(id.has_value()) << id.error().text();
  }
  const auto book = Book::open(folder / "a.lalo");
  ASSERT_TRUE(book.has_value());
  const auto takes = book->takes();
  ASSERT_EQ(takes->size(), 1U);
  const Take& take = takes->front();
  EXPECT_EQ(take.name, "On axis");
  EXPECT_EQ(take.conditions.distance_m, 1.25);
  EXPECT_EQ(take.conditions.sample, "B");
  EXPECT_EQ(*book->samples(take.subject_id), std::vector<std::string>{"B"});
  EXPECT_EQ(take.conditions.stimulus, (Stimulus{10.0, 22000.0, 1.4, 0.25, 0.2}));
  EXPECT_EQ(take.conditions.more_json.at("mic_serial"), "\"none\"");
  ASSERT_EQ(take.remarks.size(), 1U);
  EXPECT_EQ(take.remarks[0].weight, Remark::Weight::kDoubt);
  EXPECT_FALSE(take.taken_at.empty());
  EXPECT_EQ(*book->raw(take.raw_hash), text_raw("100 80\n200 81\n").bytes);
  EXPECT_EQ(*Book::read_raw(book->path(), take.raw_hash), *book->raw(take.raw_hash));
}

TEST(Book, UndoAndRedoWalkThroughEditsInOrder) {
  const TemporaryFolder folder;
  SmallBook small(folder / "a.lalo");
  const Id take = *small.book.add_take(small.text_take("first"), text_raw("100 80\n200 81\n"));
  Recipe recipe;
  recipe.gate_s = 0.0031;
  ASSERT_TRUE(small.book.rename_take(take, "second").has_value());
  ASSERT_TRUE(small.book.set_recipe(small.subject, recipe).has_value());
  ASSERT_TRUE(small.book.remove_take(take).has_value());
  EXPECT_EQ(small.book.takes()->size(), 0U);
  EXPECT_EQ(small.book.undo_name(), "Remove a take");
  ASSERT_TRUE(small.book.undo().has_value());
  EXPECT_EQ(small.book.takes()->size(), 1U);
  ASSERT_TRUE(small.book.undo().has_value());
  EXPECT_EQ(small.book.recipe(small.subject)->gate_s, Recipe{}.gate_s);
  ASSERT_TRUE(small.book.undo().has_value());
  EXPECT_EQ(small.book.takes()->front().name, "first");
  ASSERT_TRUE(small.book.redo().has_value());
  EXPECT_EQ(small.book.takes()->front().name, "second");
  ASSERT_TRUE(small.book.redo().has_value());
  EXPECT_EQ(*small.book.recipe(small.subject), recipe);
  ASSERT_TRUE(small.book.redo().has_value());
  EXPECT_EQ(small.book.takes()->size(), 0U);
  EXPECT_EQ(small.book.redo_name(), "");
}

TEST(Book, AnEditAfterUndoForgetsWhatWasUndone) {
  const TemporaryFolder folder;
  SmallBook small(folder / "a.lalo");
  ASSERT_TRUE(small.book.rename_subject(small.subject, "one").has_value());
  ASSERT_TRUE(small.book.undo().has_value());
  ASSERT_TRUE(small.book.rename_subject(small.subject, "two").has_value());
  EXPECT_EQ(small.book.redo_name(), "");
  EXPECT_EQ(small.book.subjects()->front().name, "two");
}

TEST(Book, UndoKeepsQuotesAndNewLines) {
  const TemporaryFolder folder;
  SmallBook small(folder / "a.lalo");
  const std::string wild = "it's 'odd' \"text\"\nwith; a line -- and more\t§";
  ASSERT_TRUE(small.book.set_note(small.subject, wild).has_value());
  ASSERT_TRUE(small.book.set_note(small.subject, "plain").has_value());
  ASSERT_TRUE(small.book.undo().has_value());
  EXPECT_EQ(*small.book.note(small.subject), wild);
}

TEST(Book, TakingIsNotAnEditAndCannotBeUndoneAway) {
  const TemporaryFolder folder;
  SmallBook small(folder / "a.lalo");
  ASSERT_TRUE(small.book.rename_subject(small.subject, "renamed").has_value());
  ASSERT_TRUE(
      small.book.add_take(small.text_take("kept"), text_raw("100 80\n200 81\n")).has_value());
  while (!small.book.undo_name().empty()) ASSERT_TRUE(small.book.undo().has_value());
  EXPECT_EQ(small.book.takes()->size(), 1U);
}

TEST(Book, TakesOfOneCallAreKeptAllOrNone) {
  const TemporaryFolder folder;
  SmallBook small(folder / "a.lalo");
  Take broken = small.text_take("broken");
  broken.variant_id = 999;  // no such variant: the foreign key refuses it
  EXPECT_FALSE(small.book
                   .add_takes({{small.text_take("good"), text_raw("1 2\n3 4\n")},
                               {broken, text_raw("5 6\n7 8\n")}})
                   .has_value());
  EXPECT_EQ(small.book.takes()->size(), 0U);
}

TEST(Book, KeepsOneRawForTwoTakesOfTheSameBytes) {
  const TemporaryFolder folder;
  SmallBook small(folder / "a.lalo");
  const Id a = *small.book.add_take(small.text_take("a"), text_raw("1 2\n3 4\n"));
  const Id b = *small.book.add_take(small.text_take("b"), text_raw("1 2\n3 4\n"));
  EXPECT_EQ(small.book.take(a)->raw_hash, small.book.take(b)->raw_hash);
}

TEST(Book, KeepsACalibrationOnceWithItsCurves) {
  const TemporaryFolder folder;
  SmallBook small(folder / "a.lalo");
  RigCalibration rig;
  rig.input_pa_per_unit = 12.5;
  rig.microphone_correction =
      test::curve_from([](double f) { return std::polar(1.0 + f / 1e6, 0.1); }, Quantity::kRatio,
                       20.0, 20000.0, 3.0);
  const Id id = *small.book.add_rig(rig);
  EXPECT_EQ(*small.book.add_rig(rig), id);
  const auto back = small.book.rig(id);
  EXPECT_EQ(back->input_pa_per_unit, 12.5);
  ASSERT_TRUE(back->microphone_correction.has_value());
  EXPECT_EQ(back->microphone_correction->values(), rig.microphone_correction->values());
}

TEST(Book, DuplicateIsWholeAndLeavesAnExistingFileAlone) {
  const TemporaryFolder folder;
  SmallBook small(folder / "a.lalo");
  ASSERT_TRUE(small.book.add_take(small.text_take("t"), text_raw("1 2\n3 4\n")).has_value());
  ASSERT_TRUE(small.book.duplicate_to(folder / "b.lalo").has_value());
  const auto copy = Book::open(folder / "b.lalo");
  ASSERT_TRUE(copy.has_value());
  EXPECT_EQ(copy->takes()->size(), 1U);
  test::write(folder / "c.lalo", "mine");
  EXPECT_FALSE(small.book.duplicate_to(folder / "c.lalo").has_value());
  EXPECT_EQ(test::slurp(folder / "c.lalo"), "mine");
}

TEST(Book, TwoConnectionsSeeEachOthersCommits) {
  const TemporaryFolder folder;
  SmallBook small(folder / "a.lalo");
  auto other = Book::open(folder / "a.lalo");
  ASSERT_TRUE(other.has_value());
  const auto before = small.book.foreign_changes();
  ASSERT_TRUE(other->rename_subject(small.subject, "from next door").has_value());
  EXPECT_NE(small.book.foreign_changes(), before);
  EXPECT_EQ(small.book.subjects()->front().name, "from next door");
  EXPECT_EQ(small.book.undo_name(), "Add a variant") << "undo is each window's own";
}

TEST(PackedRecording, ComesBackToFloatPrecision) {
  const std::vector<double> a = {0.0, 0.5, -1.0, 1e-7};
  const std::vector<double> b = {1.0, -0.25, 0.125, 0.3};
  const UnpackedRecording back = unpacked_recording(packed_recording(a, b, 48000.0).bytes);
  test::expect_near(back.measured, a, 1e-12);
  test::expect_near(back.loopback, b, 2e-8);
}

}  // namespace
}  // namespace lalometer
