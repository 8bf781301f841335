#pragma once

#include <string>
#include <vector>

#include "book/book.h"

namespace lalometer {

/// How good somebody's verdicts on practice cases are, from those a book holds.
struct LearnerRecord {
  int given = 0;
  int right = 0;
  /// Of verdicts whose sureness was said: how many of a band were right.
  struct Band {
    int from_percent = 0, to_percent = 0;
    int given = 0, right = 0;
  };
  std::vector<Band> bands;  ///< of 0 to 40, 40 to 60, 60 to 80, 80 to 100 %; those with verdicts
  int with_sureness = 0;
  double surer_than_right = 0.0;  ///< mean sureness less the share right, −1 .. 1
  /// Causes that were there, and how often they were named.
  struct Cause {
    std::string cause;
    int there = 0, named = 0;
  };
  std::vector<Cause> missed;  ///< those not always named, the oftenest missed first
};
[[nodiscard]] LearnerRecord learner_record(const Book& book);

/// "You were right in 9 of 14. Of 7 verdicts at 80 to 100 %, 6 were right. …" Empty without any.
[[nodiscard]] std::string told(const LearnerRecord& record);

}  // namespace lalometer
