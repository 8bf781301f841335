#include "book/book_writer.h"

#include <gtest/gtest.h>

#include <atomic>
#include <thread>

#include "support/books.h"

namespace lalometer {
namespace {

using test::SmallBook;
using test::TemporaryFolder;

TEST(BookWriterTest, ChangesOfSeveralThreadsAllHappenAndNoneIsTorn) {
  const TemporaryFolder folder;
  const auto path = folder / "a.lalo";
  const SmallBook small(path);
  BookWriter writer(*Book::open(path));
  std::atomic<int> failed = 0;
  const auto work = [&](const std::string& who) {
    for (int i = 0; i < 20; ++i) {
      Take take = small.text_take(who + std::to_string(i));
      const auto done = writer.run([&](Book& book) {
        return book.together<void>("Two takes", [&] {
          const RawData raw = test::text_raw("100 " + std::to_string(i) + "\n200 1\n");
          return book.add_take(take, raw)
              .and_then([&](Id) { return book.add_take(take, raw); })
              .map([](Id) {});
        });
      });
      failed += done ? 0 : 1;
    }
  };
  std::thread a(work, "a");
  std::thread b(work, "b");
  a.join();
  b.join();
  EXPECT_EQ(failed, 0);
  const auto takes = *Book::open(path)->takes();
  ASSERT_EQ(takes.size(), 80U);
  for (std::size_t i = 0; i < takes.size(); i += 2)
    EXPECT_EQ(takes[i].name, takes[i + 1].name) << "nothing came in between";
}

TEST(BookWriterTest, NamesOfTheStepsFollowWhatWasDone) {
  const TemporaryFolder folder;
  const auto path = folder / "a.lalo";
  const SmallBook small(path);
  BookWriter writer(*Book::open(path));
  EXPECT_EQ(writer.undo_name(), "");
  ASSERT_TRUE(
      writer.run([&](Book& book) { return book.set_note(small.subject, "x"); }).has_value());
  const std::string name = writer.undo_name();
  EXPECT_NE(name, "");
  EXPECT_EQ(writer.redo_name(), "");
  ASSERT_TRUE(writer.run([](Book& book) { return book.undo(); }).has_value());
  EXPECT_EQ(writer.undo_name(), "");
  EXPECT_EQ(writer.redo_name(), name);
}

TEST(BookWriterTest, AFailedChangeLeavesNothingAndGivesItsReason) {
  const TemporaryFolder folder;
  const auto path = folder / "a.lalo";
  const SmallBook small(path);
  BookWriter writer(*Book::open(path));
  const auto outcome = writer.run([&](Book& book) {
    return book.together<Id>("Two takes", [&]() -> Result<Id> {
      if (auto first = book.add_take(small.text_take("one"), test::text_raw("1 2\n3 4\n")); !first)
        return first;
      return bad_input("the second is not there", "b.frd");
    });
  });
  ASSERT_FALSE(outcome.has_value());
  EXPECT_EQ(outcome.error().where, "b.frd");
  EXPECT_EQ(Book::open(path)->takes()->size(), 0U);
  EXPECT_EQ(writer.undo_name(), "");
}

}  // namespace
}  // namespace lalometer
