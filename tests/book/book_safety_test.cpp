#include <fcntl.h>
#include <sqlite3.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <csignal>
#include <cstdlib>
#include <thread>

#include "book/book_writer.h"
#include "support/books.h"

namespace lalometer {
namespace {

using test::SmallBook;
using test::TemporaryFolder;
using test::text_raw;

void run_sql(const std::filesystem::path& path, const char* sql) {
  sqlite3* database = nullptr;
  ASSERT_EQ(sqlite3_open(path.c_str(), &database), SQLITE_OK);
  EXPECT_EQ(sqlite3_exec(database, sql, nullptr, nullptr, nullptr), SQLITE_OK);
  sqlite3_close(database);
}

/// Raw data of a size that spreads over many pages, different for every number.
RawData big_raw(int number) {
  std::vector<double> x(20000);
  for (std::size_t i = 0; i < x.size(); ++i)
    x[i] = std::sin(static_cast<double>(i) * (1.0 + number));
  return packed_recording(x, x, 48000.0);
}

/// LALOMETER_KILLS asks for more than the usual rounds.
int rounds(int usual) {
  const char* wanted = std::getenv("LALOMETER_KILLS");
  return wanted != nullptr ? std::max(usual, std::atoi(wanted)) : usual;
}

/// Runs `work`, which must not end, in a child that is killed at a random moment.
template <class Work>
void kill_at_some_moment(std::mt19937_64& engine, Work work) {
  const pid_t child = fork();
  ASSERT_GE(child, 0);
  if (child == 0) {
    work();
    _exit(1);
  }
  std::this_thread::sleep_for(std::chrono::microseconds(5000 + engine() % 120000));
  kill(child, SIGKILL);
  int status = 0;
  waitpid(child, &status, 0);
  ASSERT_TRUE(WIFSIGNALED(status)) << "the child must have been at work when it was killed";
}

// Steps of several rows, edits of every kind and undo: each is there wholly or not at all.
TEST(BookSafety, AKilledStepIsThereWhollyOrNotAtAll) {
  std::mt19937_64 engine(21);
  for (int round = 0; round < rounds(25); ++round) {
    const TemporaryFolder folder;
    const auto path = folder / "a.lalo";
    { const SmallBook small(path); }
    kill_at_some_moment(engine, [&] {
      BookWriter writer(*Book::open(path));
      Take take;
      take.subject_id = 1;
      take.variant_id = 1;
      for (int i = 0;; ++i) {
        take.name = std::to_string(i);
        const std::string text = "{\"i\":" + std::to_string(i) + "}";
        Recipe recipe;
        recipe.gate_s = 0.001 * (i + 1);
        const auto kept = writer.run([&](Book& book) {
          return book.together<void>("Import", [&] {
            return book.add_take(take, big_raw(3 * i))
                .and_then([&](Id) { return book.add_take(take, big_raw(3 * i + 1)); })
                .and_then([&](Id) { return book.add_take(take, big_raw(3 * i + 2)); })
                .and_then([&](Id) { return book.set_document(1, "plan", text, "Plan"); })
                .and_then([&] { return book.set_recipe(1, recipe); });
          });
        });
        const auto undone =
            i % 5 == 4 ? writer.run([](Book& book) { return book.undo(); }) : Result<void>();
        if (!kept || !undone) return;
      }
    });

    const auto book = Book::open(path);
    ASSERT_TRUE(book.has_value()) << book.error().text();
    EXPECT_TRUE(book->check_integrity().has_value());
    const auto takes = book->takes();
    ASSERT_TRUE(takes.has_value());
    ASSERT_EQ(takes->size() % 3, 0U) << "round " << round;
    for (std::size_t i = 0; i < takes->size(); ++i)
      EXPECT_EQ((*takes)[i].name, (*takes)[i - i % 3].name);
    if (takes->empty()) continue;
    // Plan and recipe are those of the last step whose takes are there.
    const int last = std::stoi(takes->back().name);
    EXPECT_EQ(book->document(1, "plan"), "{\"i\":" + std::to_string(last) + "}");
    EXPECT_DOUBLE_EQ(book->recipe(1)->gate_s, 0.001 * (last + 1));
  }
}

TEST(BookSafety, KillAtAnyMomentLosesNothingThatWasCommitted) {
  std::mt19937_64 engine(20);
  for (int round = 0; round < rounds(25); ++round) {
    const TemporaryFolder folder;
    const auto path = folder / "a.lalo";
    { const SmallBook small(path); }
    int pipe_ends[2];
    ASSERT_EQ(pipe(pipe_ends), 0);
    kill_at_some_moment(engine, [&] {
      // Takes and edits without end; each is told to the parent after it was committed.
      auto book = Book::open(path);
      Take take;
      take.subject_id = 1;
      take.variant_id = 1;
      for (int i = 0; book.has_value(); ++i) {
        take.name = "take " + std::to_string(i);
        if (!book->add_take(take, big_raw(i))) return;
        if (!book->set_note(1, std::to_string(i))) return;
        if (::write(pipe_ends[1], &i, sizeof(i)) != static_cast<ssize_t>(sizeof(i))) return;
      }
    });
    close(pipe_ends[1]);
    int last_told = -1;
    for (int told = 0;
         read(pipe_ends[0], &told, sizeof(told)) == static_cast<ssize_t>(sizeof(told));)
      last_told = told;
    close(pipe_ends[0]);

    const auto book = Book::open(path);
    ASSERT_TRUE(book.has_value()) << book.error().text();
    EXPECT_TRUE(book->check_integrity().has_value());
    const auto takes = book->takes();
    ASSERT_TRUE(takes.has_value());
    EXPECT_GE(static_cast<int>(takes->size()), last_told + 1) << "round " << round;
    for (std::size_t i = 0; i < takes->size(); ++i)
      EXPECT_EQ(*book->raw((*takes)[i].raw_hash), big_raw(static_cast<int>(i)).bytes);
    if (last_told >= 0) {
      EXPECT_GE(std::stoi(*book->note(1)), last_told);
    }
  }
}

TEST(BookSafety, AFullDiskIsSaidAndEverythingBeforeIsThere) {
  const TemporaryFolder folder;
  const auto path = folder / "a.lalo";
  { const SmallBook small(path); }
  const pid_t child = fork();
  ASSERT_GE(child, 0);
  if (child == 0) {
    // Files may not grow beyond this: the same error path as a disk without room.
    signal(SIGXFSZ, SIG_IGN);
    const rlimit limit{600000, 600000};
    setrlimit(RLIMIT_FSIZE, &limit);
    auto book = Book::open(path);
    Take take;
    take.subject_id = 1;
    take.variant_id = 1;
    for (int i = 0; i < 100; ++i) {
      const auto kept = book->add_take(take, big_raw(i));
      if (kept) continue;
      const bool said = kept.error().code == ErrorCode::kStorage &&
                        kept.error().message.find("disk") != std::string::npos;
      // The book goes on working for what it holds, and the step left nothing half done.
      const bool whole = book->takes().has_value() && static_cast<int>(book->takes()->size()) == i;
      _exit(said && whole && i > 0 ? 0 : 1);
    }
    _exit(2);
  }
  int status = 0;
  waitpid(child, &status, 0);
  EXPECT_TRUE(WIFEXITED(status));
  EXPECT_EQ(WEXITSTATUS(status), 0);
  const auto book = Book::open(path);
  ASSERT_TRUE(book.has_value());
  EXPECT_TRUE(book->check_integrity().has_value());
  EXPECT_GT(book->takes()->size(), 0U);
}

TEST(BookSafety, ABookFromANewerVersionIsRefusedByNameAndLeftAlone) {
  const TemporaryFolder folder;
  { const SmallBook small(folder / "a.lalo"); }
  run_sql(folder / "a.lalo", "PRAGMA user_version = 99");
  const std::string before = test::slurp(folder / "a.lalo");
  const auto book = Book::open(folder / "a.lalo");
  ASSERT_FALSE(book.has_value());
  EXPECT_EQ(book.error().code, ErrorCode::kNewerVersion);
  EXPECT_NE(book.error().message.find("newer"), std::string::npos);
  EXPECT_EQ(test::slurp(folder / "a.lalo"), before);
}

TEST(BookSafety, ForeignFilesAreRefusedAndLeftAlone) {
  const TemporaryFolder folder;
  test::write(folder / "text.lalo",
              "this is a shopping list, not a book, and long enough to hold a header\n");
  test::write(folder / "empty.lalo", "");
  run_sql(folder / "other.lalo", "CREATE TABLE cellar(wine TEXT)");
  for (const char* name : {"text.lalo", "empty.lalo", "other.lalo"}) {
    const std::string before = test::slurp(folder / name);
    const auto book = Book::open(folder / name);
    ASSERT_FALSE(book.has_value()) << name;
    EXPECT_NE(book.error().message.find("not a Lalometer book"), std::string::npos)
        << book.error().text();
    EXPECT_NE(book.error().where.find(name), std::string::npos);
    EXPECT_EQ(test::slurp(folder / name), before) << name;
  }
  EXPECT_EQ(Book::open(folder / "none.lalo").error().code, ErrorCode::kNotFound);
  EXPECT_FALSE(std::filesystem::exists(folder / "none.lalo"));
}

TEST(BookSafety, ATruncatedBookIsSaidToBeDamagedAtEveryLength) {
  const TemporaryFolder folder;
  {
    SmallBook small(folder / "a.lalo");
    for (int i = 0; i < 4; ++i)
      ASSERT_TRUE(small.book.add_take(small.text_take("t"), big_raw(i)).has_value());
    ASSERT_TRUE(small.book.duplicate_to(folder / "whole.lalo").has_value());
  }
  const std::string whole = test::slurp(folder / "whole.lalo");
  for (const double share : {0.002, 0.01, 0.1, 0.5, 0.9}) {
    const auto path = folder / ("cut" + std::to_string(share) + ".lalo");
    test::write(
        path, whole.substr(0, static_cast<std::size_t>(share * static_cast<double>(whole.size()))));
    const auto book = Book::open(path);
    // A cut in the raw pages may open; then reading what is gone must fail in words, not crash or
    // lie.
    if (book.has_value()) {
      EXPECT_FALSE(book->check_integrity().has_value()) << share;
    } else {
      EXPECT_FALSE(book.error().message.empty());
    }
  }
}

// A book on a read-only share: neither the file nor its folder may be written.
TEST(BookSafety, AReadOnlyBookOpensForReadingAndRefusesEdits) {
  const TemporaryFolder folder;
  Id subject = 0;
  {
    const SmallBook small(folder / "a.lalo");
    subject = small.subject;
  }
  using std::filesystem::perms;
  const perms all_read = perms::owner_read | perms::group_read | perms::others_read;
  std::filesystem::permissions(folder / "a.lalo", all_read);
  std::filesystem::permissions(
      folder.path(), all_read | perms::owner_exec | perms::group_exec | perms::others_exec);
  const std::string before = test::slurp(folder / "a.lalo");
  EXPECT_EQ(test::as_nobody([&] {
              auto book = Book::open(folder / "a.lalo");
              if (!book) return 1;
              if (!book->read_only()) return 2;
              if (book->subjects().value_or(std::vector<Subject>{}).size() != 1U) return 3;
              const auto edit = book->rename_subject(subject, "x");
              if (edit.has_value()) return 4;
              return edit.error().code == ErrorCode::kStorage && !edit.error().message.empty() ? 0
                                                                                               : 5;
            }),
            0);
  EXPECT_EQ(test::slurp(folder / "a.lalo"), before);
}

TEST(BookSafety, ANewBookInAReadOnlyFolderIsRefusedInWords) {
  const TemporaryFolder folder;
  using std::filesystem::perms;
  std::filesystem::permissions(folder.path(), perms::owner_read | perms::owner_exec |
                                                  perms::others_read | perms::others_exec);
  EXPECT_EQ(test::as_nobody([&] {
              const auto book = Book::create(folder / "new.lalo");
              return !book && book.error().message.find("folder") != std::string::npos ? 0 : 1;
            }),
            0);
  EXPECT_FALSE(std::filesystem::exists(folder / "new.lalo"));
}

TEST(BookSafety, AnUnwritablePlaceForANewBookIsSaid) {
  const auto book = Book::create("/proc/lalometer/none.lalo");
  ASSERT_FALSE(book.has_value());
  EXPECT_EQ(book.error().code, ErrorCode::kStorage);
  EXPECT_NE(book.error().message.find("folder"), std::string::npos) << book.error().text();
}

TEST(BookSafety, AnExistingFileIsNeverMadeIntoANewBook) {
  const TemporaryFolder folder;
  test::write(folder / "a.lalo", "mine");
  EXPECT_FALSE(Book::create(folder / "a.lalo").has_value());
  EXPECT_EQ(test::slurp(folder / "a.lalo"), "mine");
}

}  // namespace
}  // namespace lalometer
