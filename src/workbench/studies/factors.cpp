#include "workbench/studies/factors.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "acoustics/curves/additive_fit.h"
#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

struct Part {
  std::string name, level;
};

std::string trimmed(const std::string& text) {
  const auto from = text.find_first_not_of(" \t");
  if (from == std::string::npos) return {};
  return text.substr(from, text.find_last_not_of(" \t.") - from + 1);
}

constexpr const char* kDigits = "0123456789";
constexpr const char* kSpaces = " \t";

bool digit(char c) {
  return c >= '0' && c <= '9';
}

std::string with_unit(const std::string& number, const std::string& unit) {
  return unit.empty() ? number : number + " " + unit;
}

/// "60 mm long wing": a number, a unit of at most three letters, a name that does not end in a
/// figure.
std::optional<Part> number_first(const std::string& text) {
  constexpr std::size_t kLongestUnit = 3;
  std::size_t at = !text.empty() && (text[0] == '+' || text[0] == '-') ? 1 : 0;
  if (at >= text.size() || !digit(text[at])) return std::nullopt;
  at = text.find_first_not_of(kDigits, at);
  if (at != std::string::npos && text[at] == '.' && at + 1 < text.size() && digit(text[at + 1]))
    at = text.find_first_not_of(kDigits, at + 1);
  if (at == std::string::npos || digit(text.back())) return std::nullopt;
  const std::string number = text.substr(0, at);
  const auto unit_from = text.find_first_not_of(kSpaces, at);
  const auto unit_to = text.find_first_of(kSpaces, unit_from);
  if (unit_to == std::string::npos) return std::nullopt;
  const std::string unit = text.substr(unit_from, unit_to - unit_from);
  if (unit.size() > kLongestUnit || unit.find_first_of(kDigits) != std::string::npos)
    return std::nullopt;
  return Part{trimmed(text.substr(unit_to)), with_unit(number, unit)};
}

/// "long wing 60 mm", "short wing = 20": a name, a number, a unit or none.
std::optional<Part> number_last(const std::string& text) {
  const auto last_digit = text.find_last_of(kDigits);
  if (last_digit == std::string::npos) return std::nullopt;
  const std::string unit = trimmed(text.substr(last_digit + 1));
  if (unit.find_first_of(kSpaces) != std::string::npos) return std::nullopt;
  std::size_t from = last_digit;
  const auto over_digits = [&] {
    while (from > 0 && digit(text[from - 1])) --from;
  };
  over_digits();
  if (from > 1 && text[from - 1] == '.' && digit(text[from - 2])) {
    --from;
    over_digits();
  }
  if (from > 0 && (text[from - 1] == '+' || text[from - 1] == '-')) --from;
  std::string name = trimmed(text.substr(0, from));
  while (!name.empty() && (name.back() == ':' || name.back() == '='))
    name = trimmed(name.substr(0, name.size() - 1));
  if (name.empty()) return std::nullopt;
  return Part{name, with_unit(text.substr(from, last_digit + 1 - from), unit)};
}

/// "felt: no".
std::optional<Part> named_word(const std::string& text) {
  const auto colon = text.find_first_of(":=");
  if (colon == 0 || colon == std::string::npos) return std::nullopt;
  const std::string word = trimmed(text.substr(colon + 1));
  if (word.empty()) return std::nullopt;
  return Part{trimmed(text.substr(0, colon)), word};
}

std::optional<Part> part_of(const std::string& text) {
  if (const auto part = number_first(text)) return part;
  if (const auto part = number_last(text)) return part;
  return named_word(text);
}

std::vector<Part> parts_of(const std::string& sentence) {
  std::vector<Part> parts;
  std::string rest = sentence;
  while (!rest.empty()) {
    const auto end = rest.find_first_of(",;");
    if (const auto part = part_of(trimmed(rest.substr(0, end)))) parts.push_back(*part);
    rest = end == std::string::npos ? std::string() : rest.substr(end + 1);
  }
  return parts;
}

/// Numbers by size, words by the alphabet.
bool smaller(const std::string& a, const std::string& b) {
  const double x = std::atof(a.c_str());
  const double y = std::atof(b.c_str());
  return x != y ? x < y : a < b;
}

struct Aim {
  SeriesAim aim;
  const char* unit;
  double half_width;  ///< of a single figure, 95 %
  std::optional<double> (*figure)(const MemberFigures& m);
};

std::vector<Aim> aims_of(const SeriesComparison& s) {
  // As much as the ranking calls alike, between two: a single figure has 1 / sqrt(2) of it.
  const double one = 1.0 / std::sqrt(2.0);
  return {{SeriesAim::kSmoothness, "dB", 0.25 * s.repeat_db * one,
           [](const MemberFigures& m) { return m.roughness_db; }},
          {SeriesAim::kExtension, "Hz", kExtensionAlike_hz * one,
           [](const MemberFigures& m) { return m.f6_hz; }},
          {SeriesAim::kOutput, "dB", 0.5 * s.repeat_db * one,
           [](const MemberFigures& m) {
             return m.level_db ? std::optional(m.level_db->value) : std::nullopt;
           }},
          {SeriesAim::kDecay, "ms", kDecayAlike_ms * one,
           [](const MemberFigures& m) { return m.ring_ms; }},
          {SeriesAim::kLoad, "ohm", kLoadAlike_ohm * one,
           [](const MemberFigures& m) { return m.minimum_ohm; }}};
}

Estimate effect_of(const Shift& shift, double half_width) {
  return {shift.value, half_width * shift.spread};
}

/// How many half-widths of 95 % the largest of n normal deviations stays under, 19 times of 20.
double largest_of(std::size_t n) {
  // Normal quantile of 1 - 0.025 / n, by bisection of the error function.
  double low = 1.9, high = 6.0;
  for (int i = 0; i < 50; ++i) {
    const double mid = 0.5 * (low + high);
    (std::erfc(mid / std::sqrt(2.0)) > 0.05 / static_cast<double>(n) ? low : high) = mid;
  }
  return low / kTwoSided95;
}

void fill_cells(FactorTable& t, const Factors& f, std::size_t row, std::size_t column,
                const std::vector<double>& y) {
  const std::size_t rows = t.row_levels.size();
  const std::size_t columns = t.column_levels.size();
  std::vector<std::vector<std::pair<double, int>>> sums(
      rows, std::vector<std::pair<double, int>>(columns, {0.0, 0}));
  for (std::size_t i = 0; i < y.size(); ++i) {
    auto& [sum, count] = sums[f.of[i][row]][f.of[i][column]];
    sum += y[i];
    ++count;
  }
  t.cells.assign(rows, std::vector<std::optional<double>>(columns));
  for (std::size_t r = 0; r < rows; ++r)
    for (std::size_t c = 0; c < columns; ++c)
      if (sums[r][c].second > 0) t.cells[r][c] = sums[r][c].first / sums[r][c].second;
}

struct Corner {
  std::size_t r0 = 0, r1 = 0, c0 = 0, c1 = 0;
};

/// The four cells whose rows differ most otherwise than its columns would have it.
std::optional<Corner> widest(const FactorTable& t, std::size_t& tried, double& difference) {
  std::optional<Corner> best;
  for (std::size_t r0 = 0; r0 < t.cells.size(); ++r0)
    for (std::size_t r1 = r0 + 1; r1 < t.cells.size(); ++r1)
      for (std::size_t c0 = 0; c0 < t.cells[0].size(); ++c0)
        for (std::size_t c1 = c0 + 1; c1 < t.cells[0].size(); ++c1) {
          if (!t.cells[r0][c0] || !t.cells[r0][c1] || !t.cells[r1][c0] || !t.cells[r1][c1])
            continue;
          ++tried;
          const double d =
              (*t.cells[r1][c1] - *t.cells[r1][c0]) - (*t.cells[r0][c1] - *t.cells[r0][c0]);
          if (best && std::abs(d) <= std::abs(difference)) continue;
          best = Corner{r0, r1, c0, c1};
          difference = d;
        }
  return best;
}

std::string said(const FactorTable& t, const std::optional<Corner>& corner) {
  const auto moves = [&](const std::string& name, const std::vector<std::string>& levels,
                         const Estimate& e, bool real) {
    if (!real) return fmt::format("{} makes no difference that repeats would not", name);
    return fmt::format("{} {} rather than {}: {:+.2f} ± {:.2f} {}", name, levels.back(),
                       levels.front(), e.value, e.half_width, t.unit);
  };
  std::string text =
      fmt::format("{}: {}; {}.", capitalised(word_of(t.aim)),
                  moves(t.row_name, t.row_levels, t.row_effect, t.row_real),
                  moves(t.column_name, t.column_levels, t.column_effect, t.column_real));
  if (!t.interaction) return text + " Whether they work on one another cannot be seen.";
  if (!t.interaction_real) return text + " Each does the same whatever the other is.";
  const auto step = [&](std::size_t row) {
    return *t.cells[row][corner->c1] - *t.cells[row][corner->c0];
  };
  return text + fmt::format(
                    " They work on one another: {} {} rather than {} makes {:+.2f} {} with "
                    "{} {}, and {:+.2f} with {}.",
                    t.column_name, t.column_levels[corner->c1], t.column_levels[corner->c0],
                    step(corner->r0), t.unit, t.row_name, t.row_levels[corner->r0],
                    step(corner->r1), t.row_levels[corner->r1]);
}

}  // namespace

std::optional<Factors> factors_in(const std::vector<std::string>& sentences) {
  if (sentences.size() < 3) return std::nullopt;
  std::vector<std::map<std::string, std::string>> told;
  for (const std::string& sentence : sentences) {
    std::map<std::string, std::string> one;
    for (const Part& p : parts_of(sentence))
      if (!one.emplace(p.name, p.level).second) return std::nullopt;
    told.push_back(std::move(one));
  }
  Factors f;
  for (const auto& [name, level] : told.front()) {
    std::vector<std::string> levels;
    bool all = true;
    for (const auto& one : told) {
      const auto found = one.find(name);
      all = all && found != one.end();
      if (all && std::find(levels.begin(), levels.end(), found->second) == levels.end())
        levels.push_back(found->second);
    }
    if (!all || levels.size() < 2) continue;
    std::sort(levels.begin(), levels.end(), smaller);
    f.names.push_back(name);
    f.levels.push_back(std::move(levels));
  }
  if (f.names.size() < 2) return std::nullopt;
  for (const auto& one : told) {
    std::vector<std::size_t> row;
    for (std::size_t k = 0; k < f.names.size(); ++k)
      row.push_back(static_cast<std::size_t>(
          std::find(f.levels[k].begin(), f.levels[k].end(), one.at(f.names[k])) -
          f.levels[k].begin()));
    f.of.push_back(std::move(row));
  }
  return f;
}

std::vector<FactorTable> factor_tables(const SeriesComparison& s, const Factors& f) {
  std::vector<FactorTable> all;
  for (const Aim& aim : aims_of(s)) {
    std::vector<double> y;
    for (const MemberFigures& m : s.members)
      if (const auto figure = aim.figure(m)) y.push_back(*figure);
    if (y.size() != s.members.size() || y.size() != f.of.size()) continue;
    std::vector<std::size_t> counts;
    for (const auto& levels : f.levels) counts.push_back(levels.size());
    const auto shifts = additive_fit(counts, f.of, y);
    if (!shifts) continue;
    for (std::size_t a = 0; a < f.names.size(); ++a)
      for (std::size_t b = a + 1; b < f.names.size(); ++b) {
        FactorTable t{.aim = aim.aim,
                      .unit = aim.unit,
                      .row_name = f.names[a],
                      .column_name = f.names[b],
                      .row_levels = f.levels[a],
                      .column_levels = f.levels[b]};
        fill_cells(t, f, a, b, y);
        t.row_effect = effect_of((*shifts)[a], aim.half_width);
        t.column_effect = effect_of((*shifts)[b], aim.half_width);
        t.row_real = std::abs(t.row_effect.value) > t.row_effect.half_width;
        t.column_real = std::abs(t.column_effect.value) > t.column_effect.half_width;
        std::size_t tried = 0;
        double difference = 0.0;
        const auto corner = widest(t, tried, difference);
        if (corner) {
          // Four single figures; cells that hold several are better known, which is left aside.
          t.interaction = Estimate{difference, 2.0 * aim.half_width * largest_of(tried)};
          t.interaction_real = std::abs(difference) > t.interaction->half_width;
        }
        t.told = said(t, corner);
        all.push_back(std::move(t));
      }
  }
  return all;
}

std::vector<FactorTable> factor_tables(const SeriesComparison& s,
                                       const std::vector<ComparedMember>& members) {
  std::vector<std::string> changed, names;
  for (const ComparedMember& m : members) {
    changed.push_back(m.changed);
    names.push_back(m.name);
  }
  std::optional<Factors> f = factors_in(changed);
  if (!f) f = factors_in(names);
  return f ? factor_tables(s, *f) : std::vector<FactorTable>();
}

}  // namespace lalometer
