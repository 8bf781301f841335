#include "acoustics/network/whatif/as_built.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

namespace lalometer {
namespace {

using Complex = std::complex<double>;

constexpr double kLevel_db = 0.7;
constexpr double kLoad_db = 0.26;  // 3 %
constexpr double kAsDrawn = 1.6;   // rms in those units
/// Before looking: most boards are right, and no single mistake stands out.
constexpr double kPriorDrawn = 0.5;

/// A part of a ladder, or one inside it.
struct Place {
  std::size_t branch;
  std::vector<std::size_t> path;
  std::string name;
  /// What it stands in: a row, in which one part open is all open, or beside others, where one
  /// bridged is all bridged.
  std::optional<LadderPart::Join> within = std::nullopt;
};

LadderPart& at(DesignedNetwork& n, const Place& p) {
  LadderPart* part = &n.branches[p.branch].ladder[p.path.front()];
  for (std::size_t i = 1; i < p.path.size(); ++i) part = &part->parts[p.path[i]];
  return *part;
}
const LadderPart& at(const DesignedNetwork& n, const Place& p) {
  return at(const_cast<DesignedNetwork&>(n), p);
}

char letter_of(const LadderPart& p) {
  return p.inductance_h > 0.0 ? 'L' : p.capacitance_f > 0.0 ? 'C' : 'R';
}

/// Groups and all that is in them; elements are counted by kind through the whole branch, as the
/// list of parts counts them.
void add_places(std::vector<Place>& all, const Ladder& parts, const Place& inside,
                const std::string& driver, std::map<char, int>& counted) {
  for (std::size_t i = 0; i < parts.size(); ++i) {
    if (parts[i].off) continue;
    Place place = inside;
    place.path.push_back(i);
    if (!parts[i].name.empty())
      place.name = parts[i].name;
    else if (!parts[i].parts.empty())
      place.name = fmt::format("part {} of {}", i + 1, driver);
    if (parts[i].parts.empty()) {
      const char letter = letter_of(parts[i]);
      const int number = ++counted[letter];
      if (place.name.empty()) place.name = fmt::format("{}{} of {}", letter, number, driver);
    }
    all.push_back(place);
    place.name.clear();
    place.within = parts[i].join;
    add_places(all, parts[i].parts, place, driver, counted);
  }
}

bool same_kind(const LadderPart& a, const LadderPart& b) {
  return a.parts.empty() && b.parts.empty() && letter_of(a) == letter_of(b);
}

/// One part missing, bridged, or of another value.
void add_part_mistakes(std::vector<BuiltOtherwise>& all, const DesignedNetwork& n,
                       const Place& place) {
  constexpr double kOpen_ohm = 1e6, kShort_ohm = 0.02;
  const LadderPart& part = at(n, place);
  const auto add = [&](std::string what, const LadderPart& instead) {
    DesignedNetwork made = n;
    at(made, place) = instead;
    all.push_back({std::move(what), std::move(made)});
  };
  if (place.within != LadderPart::Join::kSeries)
    add(place.name + " is missing", {.place = part.place, .resistance_ohm = kOpen_ohm});
  if (place.within != LadderPart::Join::kParallel)
    add(place.name + " is bridged", {.place = part.place, .resistance_ohm = kShort_ohm});
  if (!part.parts.empty()) return;
  for (const double factor : {0.1, 0.33, 0.5, 2.0, 3.0, 10.0}) {
    LadderPart other = part;
    (other.inductance_h > 0.0    ? other.inductance_h
     : other.capacitance_f > 0.0 ? other.capacitance_f
                                 : other.resistance_ohm) *= factor;
    add(fmt::format("{} is {} times its value", place.name, factor), other);
  }
}

/// All single mistakes.
std::vector<BuiltOtherwise> mistakes(const DesignedNetwork& n) {
  std::vector<BuiltOtherwise> all;
  const auto add = [&](std::string what, DesignedNetwork made) {
    all.push_back({std::move(what), std::move(made)});
  };
  std::vector<Place> places;
  for (std::size_t b = 0; b < n.branches.size(); ++b) {
    DesignedNetwork turned = n;
    turned.branches[b].polarity = -turned.branches[b].polarity;
    // Of two, either turned gives the same sum.
    if (n.branches.size() == 2 && b == 1)
      add(fmt::format("{} is turned round against {}", n.branches[1].driver, n.branches[0].driver),
          turned);
    else if (n.branches.size() > 2)
      add(n.branches[b].driver + " is turned round", turned);
    std::map<char, int> counted;
    add_places(places, n.branches[b].ladder, {.branch = b, .path = {}, .name = {}},
               n.branches[b].driver, counted);
  }
  for (std::size_t a = 0; a + 1 < n.branches.size(); ++a) {
    DesignedNetwork swapped = n;
    std::swap(swapped.branches[a].driver, swapped.branches[a + 1].driver);
    add(fmt::format("{} and {} are on each other's branch", n.branches[a].driver,
                    n.branches[a + 1].driver),
        swapped);
  }
  for (const Place& p : places) add_part_mistakes(all, n, p);
  for (std::size_t i = 0; i < places.size(); ++i)
    for (std::size_t k = i + 1; k < places.size(); ++k) {
      if (!same_kind(at(n, places[i]), at(n, places[k]))) continue;
      DesignedNetwork swapped = n;
      LadderPart& x = at(swapped, places[i]);
      LadderPart& y = at(swapped, places[k]);
      std::swap(x.inductance_h, y.inductance_h);
      std::swap(x.capacitance_f, y.capacitance_f);
      std::swap(x.resistance_ohm, y.resistance_ohm);
      add(fmt::format("{} and {} are swapped", places[i].name, places[k].name), swapped);
    }
  return all;
}

/// Mean square departure per row, rows of a third of an octave counting once; how many there were.
struct Misfit {
  double square = 0.0, rows = 0.0, level_off_db = 0.0;
};

Result<Misfit> misfit_of(const DesignedNetwork& n, const std::vector<NetworkDriver>& drivers,
                         const BuiltTakes& takes) {
  const auto s = network_sum(n, drivers);
  if (!s) return tl::unexpected(s.error());
  std::vector<double> level, load;
  const double step = std::exp2(1.0 / 12.0);
  const double low = std::max(s->axis.front(), 20.0), high = std::min(s->axis.back(), 20000.0);
  for (double f = low; f <= high; f *= step) {
    const std::size_t i = s->axis.bracket(f);
    const double at = s->axis[i];
    if (takes.sound && s->valid.contains(at) && takes.sound->valid().contains(at) &&
        at > takes.sound->axis().front() && at < takes.sound->axis().back())
      level.push_back(20.0 * std::log10(std::abs(value_at(*takes.sound, at)) /
                                        std::max(std::abs(s->sum[i]), 1e-30)));
    if (takes.load && !s->load_ohm.empty() && at > takes.load->axis().front() &&
        at < takes.load->axis().back())
      load.push_back(20.0 *
                     std::log10(std::abs(value_at(*takes.load, at)) / std::abs(s->load_ohm[i])));
  }
  if (level.empty() && load.empty())
    return bad_input("The takes of what was built share no band with the drivers'.");
  Misfit m;
  if (!level.empty()) {
    // The middle one: a mistake in one band must not lift all.
    std::vector<double> sorted = level;
    std::nth_element(sorted.begin(),
                     sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() / 2), sorted.end());
    m.level_off_db = sorted[sorted.size() / 2];
  }
  // Nothing is 20 times as far off as takes differ: beyond, it is just wrong.
  const auto add = [&](double off, double usual) {
    m.square += std::pow(std::clamp(off / usual, -20.0, 20.0), 2);
    m.rows += 1.0;
  };
  for (const double x : level) add(x - m.level_off_db, kLevel_db);
  for (const double x : load) add(x, kLoad_db);
  return m;
}

}  // namespace

Result<AsBuilt> as_built(const DesignedNetwork& network, const std::vector<NetworkDriver>& all_of,
                         const BuiltTakes& takes) {
  if (!takes.sound && !takes.load)
    return bad_input("Take what was built: its response on the axis, its impedance, or both.");
  // What was taken off the axis is not needed, and would be summed some hundred times.
  std::vector<NetworkDriver> drivers = all_of;
  for (NetworkDriver& d : drivers)
    std::erase_if(d.responses, [](const auto& one) { return one.first != NetworkAngle{}; });
  const auto drawn = misfit_of(network, drivers, takes);
  if (!drawn) return tl::unexpected(drawn.error());
  AsBuilt out;
  out.misfit = std::sqrt(drawn->square / drawn->rows);
  out.level_off_db = drawn->level_off_db;
  std::vector<BuiltOtherwise> all = mistakes(network);
  // Neighbours of a third of an octave depart together: four rows count as one.
  const auto log_odds = [](const Misfit& m) { return -0.5 * m.square / 4.0; };
  const double log_drawn = log_odds(*drawn) + std::log(kPriorDrawn);
  const double prior =
      std::log((1.0 - kPriorDrawn) / static_cast<double>(std::max<std::size_t>(all.size(), 1)));
  double highest = log_drawn;
  std::vector<double> logs;
  for (BuiltOtherwise& one : all) {
    const auto m = misfit_of(one.network, drivers, takes);
    one.misfit = m ? std::sqrt(m->square / m->rows) : 1e9;
    one.level_off_db = m ? m->level_off_db : 0.0;
    logs.push_back(m ? log_odds(*m) + prior : -1e300);
    highest = std::max(highest, logs.back());
  }
  double sum = std::exp(log_drawn - highest);
  for (const double l : logs) sum += std::exp(l - highest);
  for (std::size_t i = 0; i < all.size(); ++i)
    all[i].probability = std::exp(logs[i] - highest) / sum;
  const double as_drawn = std::exp(log_drawn - highest) / sum;
  std::stable_sort(all.begin(), all.end(), [](const BuiltOtherwise& a, const BuiltOtherwise& b) {
    return a.probability > b.probability;
  });
  std::erase_if(all, [](const BuiltOtherwise& o) { return o.probability < 0.02; });
  out.otherwise = std::move(all);
  out.as_drawn = as_drawn > 0.5 && out.misfit < kAsDrawn;
  if (!out.as_drawn && !out.otherwise.empty())
    out.level_off_db = out.otherwise.front().level_off_db;
  if (out.as_drawn)
    out.told = fmt::format(
        "Built as drawn: the takes lie within {:.1f} times what takes differ by.", out.misfit);
  else if (!out.otherwise.empty() && out.otherwise.front().misfit < 2.0 * kAsDrawn)
    out.told = fmt::format("{} ({:.0f} %): with that the takes fit {:.1f} times as well.",
                           out.otherwise.front().what, 100.0 * out.otherwise.front().probability,
                           out.misfit / std::max(out.otherwise.front().misfit, 0.1));
  else
    out.told = fmt::format(
        "Not as drawn (the takes depart {:.1f} times as far as takes differ), and no single "
        "mistake "
        "of the usual ones explains it: look for two, or for another driver.",
        out.misfit);
  return out;
}

}  // namespace lalometer
