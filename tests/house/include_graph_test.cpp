#include <gtest/gtest.h>

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <map>
#include <string>
#include <vector>

namespace {

/// Floors of the house, from the ground. A room includes from itself and from rooms below.
const std::map<std::string, int> kFloors = {{"base", 0},      {"acoustics", 1}, {"diagnosis", 2},
                                            {"book", 3},      {"exchange", 4},  {"rig", 5},
                                            {"workbench", 6}, {"paper", 7},     {"desk", 8}, {"cli", 8}};

/// Libraries that stay behind one room's wall.
const std::map<std::string, std::string> kWalls = {
    {"SQLiteCpp/", "book"},   {"sqlite3.h", "book"},  {"sndfile.h", "exchange"},
    {"fftw3.h", "acoustics"}, {"CLI/", "cli"},        {"openssl/", "base"},
    {"portaudio.h", "rig"},   {"pa_", "rig"},         {"jack/", "rig"},
    {"termios.h", "rig"},     {"Eigen/", "acoustics"}, {"cairo", "paper"},
    {"pango/", "paper"},      {"librsvg/", "paper"}};

/// JSON is read and written at the border only: what is kept, and what goes in and out.
const std::vector<std::string> kJsonRooms = {"base/",
                                             "book/",
                                             "exchange/",
                                             "workbench/keeping/",
                                             "workbench/practice/files/",
                                             "workbench/telling/told.cpp"};

/// What an include line names, without its quotes or brackets; empty for other lines.
std::string included_by(const std::string& line) {
  const auto hash = line.find_first_not_of(" \t");
  if (hash == std::string::npos || line.compare(hash, 8, "#include") != 0) return {};
  const auto open = line.find_first_of("\"<", hash);
  const auto close = open == std::string::npos ? open : line.find_first_of("\">", open + 1);
  return close == std::string::npos ? std::string() : line.substr(open + 1, close - open - 1);
}

TEST(House, NoRoomIncludesFromARoomAboveIt) {
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
      const std::string target = included_by(line);
      if (target.empty()) continue;
      const std::string other = target.substr(0, target.find('/'));
      if (target.find('/') != std::string::npos && kFloors.contains(other) && other != room) {
        EXPECT_LT(kFloors.at(other), kFloors.at(room)) << entry.path() << " includes " << target;
      }
      for (const auto& [header, owner] : kWalls) {
        if (target.starts_with(header)) {
          EXPECT_EQ(room, owner) << entry.path() << " includes " << target;
        }
      }
      if (target.starts_with("nlohmann/") || target.starts_with("base/json_text")) {
        const std::string place = std::filesystem::relative(entry.path(), source).string();
        EXPECT_TRUE(std::any_of(kJsonRooms.begin(), kJsonRooms.end(),
                                [&](const auto& one) { return place.starts_with(one); }))
            << entry.path() << " includes " << target;
      }
      EXPECT_FALSE(target.starts_with("QJson")) << entry.path() << ": there is one JSON library";
      if (target.starts_with("Q") && target.find('/') == std::string::npos && room != "desk") {
        ADD_FAILURE() << entry.path() << " includes " << target << ": Qt belongs to the desk";
      }
    }
  }
  EXPECT_GT(files, 50) << "the sources were not found";
}

}  // namespace
