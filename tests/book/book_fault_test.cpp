#include <sqlite3.h>

#include <cstring>

#include "support/books.h"

namespace lalometer {
namespace {

/// SQLite's own file system with a fuse: the n-th write (or sync) from arming on fails, and all
/// after it.
class FaultyDisk {
 public:
  static FaultyDisk& instance() {
    static FaultyDisk disk;
    return disk;
  }
  void arm(int fail_at) {
    left_ = fail_at;
    armed_ = true;
    struck_ = false;
  }
  void disarm() { armed_ = false; }
  [[nodiscard]] bool struck() const { return struck_; }

 private:
  FaultyDisk() : real_(sqlite3_vfs_find(nullptr)), own_(*real_) {
    own_.zName = "faulty";
    own_.szOsFile = real_->szOsFile + static_cast<int>(sizeof(File));
    own_.xOpen = [](sqlite3_vfs*, const char* name, sqlite3_file* file, int flags, int* out) {
      auto& disk = instance();
      auto* wrapped = reinterpret_cast<File*>(file);
      wrapped->base.pMethods = nullptr;
      wrapped->inner = reinterpret_cast<sqlite3_file*>(wrapped + 1);
      const int code = disk.real_->xOpen(disk.real_, name, wrapped->inner, flags, out);
      if (code != SQLITE_OK || wrapped->inner->pMethods == nullptr) return code;
      disk.methods_ = *wrapped->inner->pMethods;
      disk.patch();
      wrapped->base.pMethods = &disk.methods_;
      return code;
    };
    sqlite3_vfs_register(&own_, 1);
  }

  struct File {
    sqlite3_file base;
    sqlite3_file* inner;
  };
  static sqlite3_file* inner(sqlite3_file* file) { return reinterpret_cast<File*>(file)->inner; }
  bool strike() {
    if (!armed_) return false;
    if (left_-- > 0) return false;
    struck_ = true;
    return true;
  }
  void patch() {
    methods_.xClose = [](sqlite3_file* f) { return inner(f)->pMethods->xClose(inner(f)); };
    methods_.xRead = [](sqlite3_file* f, void* p, int n, sqlite3_int64 at) {
      return inner(f)->pMethods->xRead(inner(f), p, n, at);
    };
    methods_.xWrite = [](sqlite3_file* f, const void* p, int n, sqlite3_int64 at) {
      return instance().strike() ? SQLITE_FULL : inner(f)->pMethods->xWrite(inner(f), p, n, at);
    };
    methods_.xTruncate = [](sqlite3_file* f, sqlite3_int64 n) {
      return inner(f)->pMethods->xTruncate(inner(f), n);
    };
    methods_.xSync = [](sqlite3_file* f, int flags) {
      return instance().strike() ? SQLITE_IOERR_FSYNC : inner(f)->pMethods->xSync(inner(f), flags);
    };
    methods_.xFileSize = [](sqlite3_file* f, sqlite3_int64* n) {
      return inner(f)->pMethods->xFileSize(inner(f), n);
    };
    methods_.xLock = [](sqlite3_file* f, int level) {
      return inner(f)->pMethods->xLock(inner(f), level);
    };
    methods_.xUnlock = [](sqlite3_file* f, int level) {
      return inner(f)->pMethods->xUnlock(inner(f), level);
    };
    methods_.xCheckReservedLock = [](sqlite3_file* f, int* out) {
      return inner(f)->pMethods->xCheckReservedLock(inner(f), out);
    };
    methods_.xFileControl = [](sqlite3_file* f, int op, void* p) {
      return inner(f)->pMethods->xFileControl(inner(f), op, p);
    };
    methods_.xSectorSize = [](sqlite3_file* f) {
      return inner(f)->pMethods->xSectorSize(inner(f));
    };
    methods_.xDeviceCharacteristics = [](sqlite3_file* f) {
      return inner(f)->pMethods->xDeviceCharacteristics(inner(f));
    };
    methods_.xShmMap = [](sqlite3_file* f, int page, int size, int extend, void volatile** out) {
      return inner(f)->pMethods->xShmMap(inner(f), page, size, extend, out);
    };
    methods_.xShmLock = [](sqlite3_file* f, int offset, int n, int flags) {
      return inner(f)->pMethods->xShmLock(inner(f), offset, n, flags);
    };
    methods_.xShmBarrier = [](sqlite3_file* f) { inner(f)->pMethods->xShmBarrier(inner(f)); };
    methods_.xShmUnmap = [](sqlite3_file* f, int gone) {
      return inner(f)->pMethods->xShmUnmap(inner(f), gone);
    };
    methods_.iVersion = 2;  // without memory-mapped reading, which would go past the fuse
  }

  sqlite3_vfs* real_;
  sqlite3_vfs own_;
  sqlite3_io_methods methods_{};
  int left_ = 0;
  bool armed_ = false;
  bool struck_ = false;
};

// The first write fails, then the second, and so on until none does; after each the book is whole
// and holds either all of the step or nothing of it.
template <class Step, class Happened>
void fail_everywhere(Step step, Happened happened) {
  FaultyDisk& disk = FaultyDisk::instance();
  int faults = 0;
  for (int fail_at = 0;; ++fail_at) {
    ASSERT_LT(fail_at, 500) << "the step never gets through";
    const test::TemporaryFolder folder;
    bool kept = false;
    {
      test::SmallBook small(folder / "a.lalo");
      disk.arm(fail_at);
      const Result<void> outcome = step(small);
      disk.disarm();
      kept = outcome.has_value();
      if (!kept) {
        EXPECT_EQ(outcome.error().code, ErrorCode::kStorage);
        EXPECT_FALSE(outcome.error().message.empty());
      }
    }
    const auto book = Book::open(folder / "a.lalo");
    ASSERT_TRUE(book.has_value()) << "after fault " << fail_at << ": " << book.error().text();
    EXPECT_TRUE(book->check_integrity().has_value()) << fail_at;
    if (kept) {
      EXPECT_TRUE(happened(*book)) << "said to be kept, but it is not there; fault " << fail_at;
    }
    if (!disk.struck()) break;
    ++faults;
  }
  EXPECT_GT(faults, 1) << "the fuse was never reached";
}

TEST(BookFaults, ATakeIsKeptWhollyOrSaidNotToBe) {
  fail_everywhere(
      [](test::SmallBook& small) {
        std::vector<double> x(6000, 0.25);
        return small.book.add_take(small.text_take("t"), packed_recording(x, x, 48000.0))
            .map([](Id) {});
      },
      [](const Book& book) {
        return book.takes()->size() == 1 && book.raw(book.takes()->front().raw_hash).has_value();
      });
}

TEST(BookFaults, AnEditIsKeptWhollyOrSaidNotToBe) {
  fail_everywhere(
      [](test::SmallBook& small) { return small.book.rename_subject(small.subject, "renamed"); },
      [](const Book& book) { return book.subjects()->front().name == "renamed"; });
}

TEST(BookFaults, AfterAFailedEditUndoStillTakesBackTheOneBefore) {
  const test::TemporaryFolder folder;
  FaultyDisk& disk = FaultyDisk::instance();
  test::SmallBook small(folder / "a.lalo");
  ASSERT_TRUE(small.book.rename_subject(small.subject, "first").has_value());
  disk.arm(0);
  EXPECT_FALSE(small.book.rename_subject(small.subject, "second").has_value());
  disk.disarm();
  EXPECT_EQ(small.book.subjects()->front().name, "first");
  ASSERT_TRUE(small.book.undo().has_value());
  EXPECT_EQ(small.book.subjects()->front().name, "Kiosk");
}

}  // namespace
}  // namespace lalometer
