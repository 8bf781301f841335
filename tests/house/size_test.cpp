#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>
#include <map>
#include <string>
#include <vector>

/// The house stays small enough to hold in the head: functions, files and rooms have a limit.
namespace {

constexpr std::size_t kLongestFunction = 79;  ///< lines, signature and braces included
constexpr std::size_t kLongestFile = 450;
constexpr std::size_t kMostFiles = 14;  ///< of a room, at one level

std::vector<std::string> lines_of(const std::filesystem::path& file) {
  std::vector<std::string> lines;
  std::ifstream in(file);
  for (std::string line; std::getline(in, line);) lines.push_back(line);
  return lines;
}

bool begins_a_scope(const std::string& head) {
  for (const char* word : {"namespace", "struct", "class", "enum", "union", "extern"}) {
    if (head.starts_with(word)) return true;
  }
  return false;
}

/// Functions of a formatted file stand at the left edge and end with a brace there.
void check_functions(const std::filesystem::path& file, const std::vector<std::string>& lines) {
  std::size_t signature = 0;
  bool in_signature = false;
  bool in_body = false;
  for (std::size_t i = 0; i < lines.size(); ++i) {
    const std::string& line = lines[i];
    if (in_body) {
      if (line != "}" && line != "};") continue;
      EXPECT_LE(i - signature + 1, kLongestFunction)
          << file.string() << ":" << signature + 1 << "  " << lines[signature];
      in_body = in_signature = false;
      continue;
    }
    if (line.empty() || line[0] == '/' || line[0] == '#' || line[0] == '}') {
      in_signature = false;
      continue;
    }
    if (!in_signature && line[0] != ' ') {
      signature = i;
      in_signature = true;
    }
    if (in_signature && line.back() == '{') {
      in_body = !begins_a_scope(lines[signature]);
      in_signature = in_body;
    } else if (line.back() == ';') {
      in_signature = false;
    }
  }
}

TEST(House, FunctionsFilesAndRoomsStaySmall) {
  const std::filesystem::path root(LALOMETER_SOURCE);
  std::map<std::filesystem::path, std::size_t> rooms;
  for (const char* part : {"src", "tests", "benchmarks"}) {
    for (const auto& entry : std::filesystem::recursive_directory_iterator(root / part)) {
      const std::string ending = entry.path().extension().string();
      if (ending != ".h" && ending != ".cpp") continue;
      const std::vector<std::string> lines = lines_of(entry.path());
      EXPECT_LE(lines.size(), kLongestFile) << entry.path();
      if (std::string(part) != "src") continue;
      ++rooms[entry.path().parent_path()];
      check_functions(entry.path(), lines);
    }
  }
  EXPECT_GT(rooms.size(), 20U) << "the sources were not found";
  for (const auto& [room, files] : rooms) EXPECT_LE(files, kMostFiles) << room;
}

}  // namespace
