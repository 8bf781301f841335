#include "base/log.h"

#include <gmock/gmock.h>

#include "support/support.h"

namespace lalometer {
namespace {

using ::testing::ContainsRegex;
using ::testing::HasSubstr;

TEST(Log, BeginsWithVersionAndSystemAndKeepsALineALine) {
  const test::TemporaryFolder folder;
  const auto file = folder / "deep" / "a.log";
  ASSERT_TRUE(start_log(file).has_value()) << "missing folders are made";
  EXPECT_EQ(log_file(), file);
  log_line(LogWeight::kTrouble, "the line is gone\nX 2026 forged");
  const std::string text = test::slurp(file);
  EXPECT_THAT(text, HasSubstr(std::string("lalometer ") + LALOMETER_VERSION));
  EXPECT_THAT(text, ContainsRegex("W the line is gone X 2026 forged\n"));
  EXPECT_EQ(std::count(text.begin(), text.end(), '\n'), 2);
}

TEST(Log, ADayOfTroubleDoesNotFillTheDisk) {
  const test::TemporaryFolder folder;
  ASSERT_TRUE(start_log(folder / "a.log").has_value());
  const std::string long_line(1000, 'x');
  for (int i = 0; i < 6000; ++i) log_line(LogWeight::kEvent, long_line);
  std::uintmax_t all = 0;
  for (const auto& entry : std::filesystem::directory_iterator(folder.path()))
    all += entry.file_size();
  EXPECT_LT(all, 3.2 * 1024 * 1024);
  EXPECT_GT(all, 1024 * 1024) << "and what happened before is still there";
}

TEST(Log, AFileThatCannotBeMadeIsAnErrorWithItsPath) {
  const auto started = start_log("/proc/none/a.log");
  ASSERT_FALSE(started.has_value());
  EXPECT_THAT(started.error().text(), HasSubstr("/proc/none/a.log"));
}

}  // namespace
}  // namespace lalometer
