#pragma once

#include <gtest/gtest.h>

#include <nlohmann/json.hpp>
#include <sstream>

#include "cli/commands.h"

namespace lalometer::test {

struct Outcome {
  int status;
  std::string out;
  std::string err;
  [[nodiscard]] nlohmann::json parsed() const { return nlohmann::json::parse(out); }
};

inline Outcome run(std::vector<std::string> words) {
  words.insert(words.begin(), "lalometer-cli");
  std::vector<const char*> argv;
  for (const std::string& word : words) argv.push_back(word.c_str());
  std::ostringstream out;
  std::ostringstream err;
  const int status = run_cli(static_cast<int>(argv.size()), argv.data(), out, err);
  return {status, out.str(), err.str()};
}

}  // namespace lalometer::test
