#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>
#include <map>
#include <regex>
#include <string>

namespace {

/// Floors of the house, from the ground. A room includes from itself and from rooms below.
const std::map<std::string, int> kFloors = {{"base", 0},      {"acoustics", 1}, {"diagnosis", 2},
                                            {"book", 3},      {"exchange", 4},  {"rig", 5},
                                            {"workbench", 6}, {"desk", 7},      {"cli", 7}};

/// Libraries that stay behind one room's wall.
const std::map<std::string, std::string> kWalls = {
    {"SQLiteCpp/", "book"},   {"sqlite3.h", "book"}, {"sndfile.h", "exchange"},
    {"fftw3.h", "acoustics"}, {"CLI/", "cli"},       {"openssl/", "base"}};

TEST(House, NoRoomIncludesFromARoomAboveIt) {
  const std::regex include(R"(^\s*#include\s+["<]([^">]+)[">])");
  const std::filesystem::path source = std::filesystem::path(LALOMETER_SOURCE) / "src";
  int files = 0;
  for (const auto& entry : std::filesystem::recursive_directory_iterator(source)) {
    const std::string ending = entry.path().extension().string();
    if (ending != ".h" && ending != ".cpp") continue;
    ++files;
    const std::string room = (*std::filesystem::relative(entry.path(), source).begin()).string();
    ASSERT_TRUE(kFloors.contains(room)) << entry.path() << " stands in no known room";
    std::ifstream in(entry.path());
    std::string line;
    while (std::getline(in, line)) {
      std::smatch match;
      if (!std::regex_search(line, match, include)) continue;
      const std::string target = match[1];
      const std::string other = target.substr(0, target.find('/'));
      if (target.find('/') != std::string::npos && kFloors.contains(other) && other != room) {
        EXPECT_LT(kFloors.at(other), kFloors.at(room)) << entry.path() << " includes " << target;
      }
      for (const auto& [header, owner] : kWalls) {
        if (target.starts_with(header)) {
          EXPECT_EQ(room, owner) << entry.path() << " includes " << target;
        }
      }
      if (target.starts_with("Q") && target.find('/') == std::string::npos && room != "desk") {
        ADD_FAILURE() << entry.path() << " includes " << target << ": Qt belongs to the desk";
      }
    }
  }
  EXPECT_GT(files, 50) << "the sources were not found";
}

}  // namespace
