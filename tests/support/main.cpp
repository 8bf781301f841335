#include <gtest/gtest.h>

#if defined(__SANITIZE_ADDRESS__)
/// What fontconfig keeps for the life of a process (its patterns and caches) is no leak of ours; it
/// comes with the text of a report.
extern "C" const char* __lsan_default_suppressions();
extern "C" const char* __lsan_default_suppressions() {
  return "leak:libfontconfig\nleak:libpango\n";
}
#endif

int main(int argc, char** argv) {
  ::testing::InitGoogleTest(&argc, argv);
  return RUN_ALL_TESTS();
}
