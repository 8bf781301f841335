#include "acoustics/network/whatif/as_built.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace lalometer {
namespace {

using Complex = std::complex<double>;

constexpr double kLevel_db = 0.7;
constexpr double kLoad_db = 0.26;  // 3 %
constexpr double kAsDrawn = 1.6;   // rms in those units
/// Before looking: most boards are right, and no single mistake stands out.
constexpr double kPriorDrawn = 0.5;

struct Place {
  std::size_t branch, part;
};

std::string name_of(const LadderPart& p, std::size_t branch, const DesignedNetwork& n,
                    std::size_t at) {
  if (!p.name.empty()) return p.name;
  if (!p.parts.empty()) return fmt::format("part {} of {}", at + 1, n.branches[branch].driver);
  const auto letter = [](const LadderPart& one) {
    return one.inductance_h > 0.0    ? 'L'
           : one.capacitance_f > 0.0 ? 'C'
           : one.parts.empty()       ? 'R'
                                     : ' ';
  };
  int number = 0;
  for (std::size_t i = 0; i <= at; ++i)
    number += letter(n.branches[branch].ladder[i]) == letter(p) ? 1 : 0;
  return fmt::format("{}{} of {}", letter(p), number, n.branches[branch].driver);
}

bool same_kind(const LadderPart& a, const LadderPart& b) {
  return a.parts.empty() && b.parts.empty() && (a.inductance_h > 0.0) == (b.inductance_h > 0.0) &&
         (a.capacitance_f > 0.0) == (b.capacitance_f > 0.0);
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
    for (std::size_t i = 0; i < n.branches[b].ladder.size(); ++i) places.push_back({b, i});
  }
  for (std::size_t a = 0; a + 1 < n.branches.size(); ++a) {
    DesignedNetwork swapped = n;
    std::swap(swapped.branches[a].driver, swapped.branches[a + 1].driver);
    add(fmt::format("{} and {} are on each other's branch", n.branches[a].driver,
                    n.branches[a + 1].driver),
        swapped);
  }
  for (const Place& p : places) {
    const LadderPart& part = n.branches[p.branch].ladder[p.part];
    const std::string name = name_of(part, p.branch, n, p.part);
    const bool line = part.place == LadderPart::Place::kSeries;
    LadderPart instead{.place = part.place};
    // An open line or a short across leave nothing of the branch.
    DesignedNetwork missing = n, bridged = n;
    if (line) {
      instead.resistance_ohm = 1e6;
      missing.branches[p.branch].ladder[p.part] = instead;
      bridged.branches[p.branch].ladder[p.part].off = true;
    } else {
      missing.branches[p.branch].ladder[p.part].off = true;
      instead.resistance_ohm = 0.02;
      bridged.branches[p.branch].ladder[p.part] = instead;
    }
    add(name + " is missing", missing);
    add(name + " is bridged", bridged);
    if (!part.parts.empty()) continue;
    for (const double factor : {0.1, 0.33, 0.5, 2.0, 3.0, 10.0}) {
      DesignedNetwork other = n;
      LadderPart& changed = other.branches[p.branch].ladder[p.part];
      if (changed.inductance_h > 0.0)
        changed.inductance_h *= factor;
      else if (changed.capacitance_f > 0.0)
        changed.capacitance_f *= factor;
      else
        changed.resistance_ohm *= factor;
      add(fmt::format("{} is {} times its value", name, factor), other);
    }
  }
  for (std::size_t i = 0; i < places.size(); ++i)
    for (std::size_t k = i + 1; k < places.size(); ++k) {
      const LadderPart& a = n.branches[places[i].branch].ladder[places[i].part];
      const LadderPart& b = n.branches[places[k].branch].ladder[places[k].part];
      if (!same_kind(a, b)) continue;
      DesignedNetwork swapped = n;
      LadderPart& x = swapped.branches[places[i].branch].ladder[places[i].part];
      LadderPart& y = swapped.branches[places[k].branch].ladder[places[k].part];
      std::swap(x.inductance_h, y.inductance_h);
      std::swap(x.capacitance_f, y.capacitance_f);
      std::swap(x.resistance_ohm, y.resistance_ohm);
      add(fmt::format("{} and {} are swapped", name_of(a, places[i].branch, n, places[i].part),
                      name_of(b, places[k].branch, n, places[k].part)),
          swapped);
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

Result<AsBuilt> as_built(const DesignedNetwork& network, const std::vector<NetworkDriver>& drivers,
                         const BuiltTakes& takes) {
  if (!takes.sound && !takes.load)
    return bad_input("Take what was built: its response on the axis, its impedance, or both.");
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
