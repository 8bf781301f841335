#include <sqlite3.h>

#include "book/book.h"
#include "support/books.h"

namespace lalometer {
namespace {

using test::TemporaryFolder;

/// A book as version 1 wrote it, from tests/book/version_1.sql.
void make_version_1(const std::filesystem::path& path) {
  const std::string sql = test::slurp(std::string(LALOMETER_SOURCE) + "/tests/book/version_1.sql");
  sqlite3* database = nullptr;
  ASSERT_EQ(sqlite3_open(path.c_str(), &database), SQLITE_OK);
  char* problem = nullptr;
  ASSERT_EQ(sqlite3_exec(database, sql.c_str(), nullptr, nullptr, &problem), SQLITE_OK) << problem;
  sqlite3_close(database);
}

int number_of(const std::filesystem::path& path, const char* sql) {
  sqlite3* database = nullptr;
  int number = -1;
  sqlite3_open(path.c_str(), &database);
  sqlite3_exec(
      database, sql,
      [](void* to, int, char** values, char**) {
        *static_cast<int*>(to) = std::stoi(values[0]);
        return 0;
      },
      &number, nullptr);
  sqlite3_close(database);
  return number;
}

const Take& named(const std::vector<Take>& takes, const std::string& name) {
  for (const Take& t : takes)
    if (t.name == name) return t;
  ADD_FAILURE() << "no take " << name;
  return takes.front();
}

TEST(Migration, KeepsACopyOfTheOldBookBesideTheNewOne) {
  const TemporaryFolder folder;
  make_version_1(folder / "a.lalo");
  ASSERT_TRUE(Book::open(folder / "a.lalo").has_value());
  EXPECT_EQ(number_of(folder / "a.lalo.version-1", "PRAGMA user_version"), 1);
  EXPECT_EQ(number_of(folder / "a.lalo.version-1", "SELECT count(recipe) FROM subject"), 1);
  EXPECT_EQ(number_of(folder / "a.lalo", "PRAGMA user_version"), 2);
  // Opened again it is a book of today: no second copy, nothing changes.
  const auto again = Book::open(folder / "a.lalo");
  ASSERT_TRUE(again.has_value());
  EXPECT_TRUE(again->check_integrity().has_value());
  EXPECT_EQ(again->takes()->size(), 9U);
}

TEST(Migration, TakesGetTheSetupTheyReallyHad) {
  const TemporaryFolder folder;
  make_version_1(folder / "a.lalo");
  const auto book = Book::open(folder / "a.lalo");
  ASSERT_TRUE(book.has_value()) << book.error().text();
  const std::vector<Take> takes = *book->takes();
  EXPECT_EQ(named(takes, "With mass").setup, TakeSetup(ImpedanceSetup{"added-mass", 10.0, 0.0}));
  EXPECT_EQ(named(takes, "With mass").conditions.sample, "A");
  const Take& woofer = named(takes, "Near field, woofer");
  EXPECT_EQ(woofer.setup, TakeSetup(NearFieldSetup{"woofer", 5.0}));
  EXPECT_EQ(woofer.conditions.driver, "") << "the source stood in the driver's place";
  EXPECT_EQ(woofer.plan_item, "s/near-woofer");
  EXPECT_EQ(woofer.drawing, "abc");
  EXPECT_TRUE(woofer.conditions.more_json.empty());
  EXPECT_EQ(named(takes, "Near field, port").setup, TakeSetup(NearFieldSetup{"port", 5.0}));
  const Take& axis = named(takes, "0");
  EXPECT_EQ(axis.setup, TakeSetup(FarFieldSetup{{1.5, 0.0, 0.0, ""}, ""}));
  EXPECT_EQ(axis.conditions.polarity_flipped, "tweeter");
  EXPECT_EQ(axis.conditions.more_json.at("shelf_mark"), "7");
  EXPECT_EQ(axis.note, "on axis");
  EXPECT_EQ(axis.colour, 0);
  const Take& tones = named(takes, "Tones");
  EXPECT_EQ(tones.setup, TakeSetup(MultitoneSetup{{2.0, 0.0, 0.0, ""}, {31.5, 97.1}}));
  EXPECT_EQ(tones.conditions.spl_db, 86.0);
  EXPECT_EQ(named(takes, "From the future").kind(), TakeKind::kUnknown);
  EXPECT_EQ(kind_word(named(takes, "From the future").setup), "tilt");
}

TEST(Migration, RecipesVariantsAndDocumentsFindTheirPlaces) {
  const TemporaryFolder folder;
  make_version_1(folder / "a.lalo");
  const auto book = Book::open(folder / "a.lalo");
  ASSERT_TRUE(book.has_value());
  const Recipe far = *book->recipe(1, TakeRole::kFarField);
  EXPECT_EQ(far, (Recipe{0.0031, true, false, 12}));
  EXPECT_EQ(*book->recipe(1, TakeRole::kNearField), (Recipe{0.0031, false, false, 12}))
      << "near fields lose the far field's gate";
  const auto variants = *book->variants(1);
  EXPECT_EQ(variants[0].change, "damping");
  EXPECT_EQ(variants[1].change, "damping");
  EXPECT_EQ(variants[2].change, "port");
  EXPECT_EQ(book->document(1, "plan"), R"({"purpose":"x"})");
  EXPECT_EQ(book->document(1, "box-candidates"), R"({"power_w":30})");
  EXPECT_EQ(book->document(1, "practice"), R"({"case":"one","verdict":""})");
  EXPECT_EQ(book->document(0, "rig"), R"({"rig_name":"Mine"})");
  EXPECT_EQ(book->document(0, "plan-templates"), R"({"mine":{}})");
  EXPECT_EQ(book->document(0, "stand"),
            R"({"behind_microphone_m":3.0,"ceiling_m":2.4,"distance_m":1.5,"ground_plane":true,)"
            R"("microphone_height_m":1.25,"right_m":2.0,"speaker_height_m":1.2})");
  EXPECT_EQ(book->view("lanes"), R"([{"kind":"level"}])");
  EXPECT_EQ(book->view("plan/1"), "");
}

TEST(Migration, AnglesAndNearFieldsBecomeGroups) {
  const TemporaryFolder folder;
  make_version_1(folder / "a.lalo");
  const auto book = Book::open(folder / "a.lalo");
  ASSERT_TRUE(book.has_value());
  const auto groups = *book->groups();
  ASSERT_EQ(groups.size(), 2U);
  const std::vector<Take> takes = *book->takes();
  for (const TakeGroup& g : groups) {
    if (g.kind == GroupKind::kOrbit) {
      EXPECT_EQ(named(takes, "30").group_id, g.id);
      EXPECT_EQ(named(takes, "axis").group_id, g.id);
      EXPECT_NE(named(takes, "0").group_id, g.id) << "another variant";
    } else {
      EXPECT_EQ(g.kind, GroupKind::kNearField);
      EXPECT_EQ(named(takes, "Near field, port").group_id, g.id);
    }
  }
}

TEST(Migration, AnOldBookThatCannotBeWrittenIsReadAsItWouldBeAfterwards) {
  const TemporaryFolder folder;
  make_version_1(folder / "a.lalo");
  const std::string before = test::slurp(folder / "a.lalo");
  using std::filesystem::perms;
  const perms all_read = perms::owner_read | perms::group_read | perms::others_read;
  std::filesystem::permissions(folder / "a.lalo", all_read);
  std::filesystem::permissions(
      folder.path(), all_read | perms::owner_exec | perms::group_exec | perms::others_exec);
  const int code = test::as_nobody([&] {
    const auto book = Book::open(folder / "a.lalo");
    if (!book) return 1;
    if (!book->read_only()) return 2;
    const auto takes = book->takes();
    return takes && takes->size() == 9U && book->raw("h1").has_value() ? 0 : 3;
  });
  EXPECT_EQ(code, 0);
  EXPECT_EQ(test::slurp(folder / "a.lalo"), before);
}

}  // namespace
}  // namespace lalometer
