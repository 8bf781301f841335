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
    take.setup = FarFieldSetup{{1.25, 0.0, 0.0, {}}, {}};
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
  EXPECT_EQ(place_of(take).distance_m, 1.25);
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

TEST(Book, UndoTakesATakeFromTheShelfAndItsRawDataStay) {
  const TemporaryFolder folder;
  SmallBook small(folder / "a.lalo");
  const Id id = *small.book.add_take(small.text_take("kept"), text_raw("100 80\n200 81\n"));
  const std::string hash = small.book.take(id)->raw_hash;
  ASSERT_TRUE(small.book.undo().has_value());
  EXPECT_EQ(small.book.takes()->size(), 0U);
  EXPECT_TRUE(small.book.raw(hash).has_value());
  ASSERT_TRUE(small.book.redo().has_value());
  EXPECT_EQ(small.book.takes()->front().name, "kept");
}

TEST(Book, ChangesTogetherAreOneStepAndAllOrNone) {
  const TemporaryFolder folder;
  SmallBook small(folder / "a.lalo");
  const auto both = [&](Id second) {
    return small.book.together<void>("Both", [&]() -> Result<void> {
      return small.book.rename_subject(small.subject, "new name").and_then([&] {
        Take take = small.text_take("t");
        take.variant_id = second;
        return small.book.add_take(take, text_raw("100 80\n200 81\n")).map([](Id) {});
      });
    });
  };
  EXPECT_FALSE(both(999).has_value()) << "there is no such variant";
  EXPECT_EQ(small.book.subjects()->front().name, "Kiosk");
  ASSERT_TRUE(both(small.variant).has_value());
  EXPECT_EQ(small.book.undo_name(), "Both");
  ASSERT_TRUE(small.book.undo().has_value());
  EXPECT_EQ(small.book.subjects()->front().name, "Kiosk");
  EXPECT_EQ(small.book.takes()->size(), 0U);
  ASSERT_TRUE(small.book.redo().has_value());
  EXPECT_EQ(small.book.subjects()->front().name, "new name");
  EXPECT_EQ(small.book.takes()->size(), 1U);
}

// Two windows on one book: undoing a rename in one must not take back what the other one did.
TEST(Book, AStepOfWhichAPartWasChangedElsewhereIsUndoneInItsRestAndThatIsSaid) {
  const TemporaryFolder folder;
  SmallBook small(folder / "a.lalo");
  Book other = *Book::open(folder / "a.lalo");
  ASSERT_TRUE(
      small.book
          .together<void>("Both",
                          [&] {
                            return small.book.rename_subject(small.subject, "here").and_then([&] {
                              return small.book.set_note(small.subject, "heard here");
                            });
                          })
          .has_value());
  ASSERT_TRUE(other.rename_subject(small.subject, "there").has_value());
  const auto undone = small.book.undo();
  ASSERT_FALSE(undone.has_value());
  EXPECT_NE(undone.error().message.find("a part of this"), std::string::npos);
  EXPECT_EQ(small.book.subjects()->front().name, "there");
  EXPECT_EQ(*small.book.note(small.subject), "") << "the rest is undone";
}

TEST(Book, UndoLeavesAloneWhatAnotherWindowChanged) {
  const TemporaryFolder folder;
  SmallBook small(folder / "a.lalo");
  Book other = *Book::open(folder / "a.lalo");
  ASSERT_TRUE(small.book.rename_subject(small.subject, "here").has_value());
  ASSERT_TRUE(other.set_note(small.subject, "from there").has_value());
  Recipe recipe;
  recipe.gate_s = 0.006;
  ASSERT_TRUE(other.set_recipe(small.subject, recipe).has_value());
  ASSERT_TRUE(small.book.undo().has_value());
  EXPECT_EQ(small.book.subjects()->front().name, "Kiosk");
  EXPECT_EQ(*small.book.note(small.subject), "from there");
  EXPECT_EQ(*small.book.recipe(small.subject), recipe);
  // The same column changed over there: it is left as it is, and that is said.
  ASSERT_TRUE(small.book.redo().has_value());
  ASSERT_TRUE(other.rename_subject(small.subject, "there").has_value());
  const auto undone = small.book.undo();
  ASSERT_FALSE(undone.has_value());
  EXPECT_NE(undone.error().message.find("Somebody else"), std::string::npos);
  EXPECT_EQ(small.book.subjects()->front().name, "there");
  EXPECT_EQ(small.book.redo_name(), "") << "a step that was given up is not redone";
}

TEST(Book, DocumentsAreStepsOfUndoPerSubjectAndKind) {
  const TemporaryFolder folder;
  SmallBook small(folder / "a.lalo");
  EXPECT_EQ(small.book.document(small.subject, "plan"), "");
  ASSERT_TRUE(small.book.set_document(small.subject, "plan", "one", "Plan").has_value());
  ASSERT_TRUE(small.book.set_document(small.subject, "plan", "two", "Plan").has_value());
  ASSERT_TRUE(small.book.set_document(0, "plan", "of the book", "Plan").has_value());
  EXPECT_EQ(small.book.document(small.subject, "plan"), "two");
  EXPECT_EQ(small.book.document(0, "plan"), "of the book");
  for (int i = 0; i < 2; ++i) ASSERT_TRUE(small.book.undo().has_value());
  EXPECT_EQ(small.book.document(small.subject, "plan"), "one");
  EXPECT_EQ(small.book.document(0, "plan"), "");
}

TEST(Book, RolesHaveRecipesOfTheirOwnAndNearFieldsNoGate) {
  const TemporaryFolder folder;
  SmallBook small(folder / "a.lalo");
  EXPECT_TRUE(small.book.recipe(small.subject, TakeRole::kFarField)->gated);
  EXPECT_FALSE(small.book.recipe(small.subject, TakeRole::kNearField)->gated);
  Recipe near;
  near.smoothing = 6;
  ASSERT_TRUE(small.book.set_recipe(small.subject, near, TakeRole::kNearField).has_value());
  EXPECT_EQ(small.book.recipe(small.subject, TakeRole::kNearField)->smoothing, 6);
  EXPECT_EQ(small.book.recipe(small.subject, TakeRole::kFarField)->smoothing, 24);
}

TEST(Book, TakesOfOneKindJoinTheirGroupAsTheyComeIn) {
  const TemporaryFolder folder;
  SmallBook small(folder / "a.lalo");
  const auto add = [&](const TakeSetup& setup, double drive_v = 2.83) {
    Take take = small.text_take("t");
    take.setup = setup;
    take.conditions.drive_v = drive_v;
    const Id id = *small.book.add_take(take, text_raw("100 80\n200 81\n"));
    return small.book.take(id)->group_id;
  };
  const auto angle = [](double degrees) { return FarFieldSetup{{1.0, degrees, 0.0, {}}, {}}; };
  EXPECT_EQ(add(angle(0.0)), 0);
  EXPECT_EQ(add(angle(30.0)), 0) << "two angles are no orbit yet";
  const Id orbit = add(angle(60.0));
  EXPECT_NE(orbit, 0);
  EXPECT_EQ(add(angle(90.0)), orbit);
  EXPECT_EQ(add(angle(-30.0), 8.0), 0) << "another drive";
  EXPECT_EQ(add(NearFieldSetup{"woofer", 5.0}), 0);
  const Id near = add(NearFieldSetup{"port", 5.0});
  EXPECT_NE(near, 0);
  EXPECT_NE(near, orbit);
  ASSERT_EQ(small.book.groups()->size(), 2U);
  EXPECT_EQ(small.book.groups()->front().kind, GroupKind::kOrbit);
  // Undone with the take that made it.
  ASSERT_TRUE(small.book.undo().has_value());
  const auto left = small.book.takes();
  ASSERT_TRUE(left.has_value());
  for (const Take& t : *left) {
    if (t.kind() == TakeKind::kNearField) {
      EXPECT_EQ(t.group_id, 0);
    }
  }
}

TEST(Book, UnknownKindsAreKeptWholeAndReadAsNothingElse) {
  const TemporaryFolder folder;
  SmallBook small(folder / "a.lalo");
  Take take = small.text_take("tilted");
  take.setup = UnknownSetup{"tilt", R"({"kind":"tilt","slope":3})"};
  const Id id = *small.book.add_take(take, text_raw("100 80\n200 81\n"));
  const Take back = *small.book.take(id);
  EXPECT_EQ(back.setup, take.setup);
  EXPECT_EQ(back.kind(), TakeKind::kUnknown);
  EXPECT_FALSE(is_pressure(back));
  EXPECT_EQ(spoken_kind(back), "tilt (not read by this version)");
}

TEST(Book, TheCacheForgetsTheOldestBeyondItsLimit) {
  const TemporaryFolder folder;
  SmallBook small(folder / "a.lalo");
  const std::vector<std::byte> bytes(1000);
  for (int i = 0; i < 8; ++i) small.book.keep_derived("k" + std::to_string(i), bytes, 5000);
  int kept = 0;
  for (int i = 0; i < 8; ++i) kept += small.book.derived("k" + std::to_string(i)).empty() ? 0 : 1;
  EXPECT_EQ(kept, 5);
  EXPECT_TRUE(small.book.derived("k2").empty());
  EXPECT_EQ(small.book.derived("k7").size(), 1000U);
  EXPECT_EQ(Book::read_derived(small.book.path(), "k7").size(), 1000U);
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
