#include "diagnosis/causes/bench/codes.h"

#include <fmt/format.h>

#include <algorithm>

namespace lalometer {

std::vector<Claim> claims_by_code(const CaseView& v, const char* code, const char* sentence,
                                  const char* next_step) {
  const auto shows = [&](const CaseTake& t) {
    return std::find(t.seen.begin(), t.seen.end(), code) != t.seen.end();
  };
  const std::vector<CaseTake>& takes = v.material->takes;
  const auto first = std::find_if(takes.begin(), takes.end(), shows);
  if (first == takes.end()) return {};
  std::vector<std::int64_t> all;
  for (const CaseTake& t : takes)
    if (shows(t)) all.push_back(t.id);
  const std::size_t count = all.size();
  Claim c(0.5);
  c.saw(12.0, fmt::format(fmt::runtime(sentence), first->name), std::vector{first->id});
  if (count > 1) c.saw(1.5, fmt::format("{} of {} takes have it", count, takes.size()), all);
  c.next_step = next_step;
  return {c};
}

}  // namespace lalometer
