#include "workbench/studies/comparison.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <numeric>

#include "acoustics/decay/impulse_of.h"
#include "acoustics/decay/ridges.h"
#include "acoustics/impedance/box_signature.h"
#include "acoustics/spectrum/figures.h"
#include "acoustics/spectrum/smoothing.h"
#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

constexpr std::array kAims = {"smoothness", "extension", "output", "decay", "load"};

/// What two takes of one thing usually differ by where nobody has tried: coils warm up, suspensions
/// ease, boxes are screwed down again (common practice, no source).
double usual_repeat(const std::string& key) {
  if (key == "ql" || key == "qa") return 0.1;
  if (key == "re_ohm") return 0.01;
  return key.ends_with("_hz") ? 0.005 : 0.02;
}

/// Mean level over a logarithmic axis, where valid.
std::optional<double> mean_level(const Response& curve, double low, double high) {
  double sum = 0.0;
  double width = 0.0;
  for (std::size_t i = 0; i + 1 < curve.size(); ++i) {
    const double a = curve.axis()[i];
    const double b = curve.axis()[i + 1];
    if (a < std::max(low, curve.valid().low_hz) || b > std::min(high, curve.valid().high_hz))
      continue;
    const double w = std::log(b / a);
    sum += 0.5 * (curve.level_db(i) + curve.level_db(i + 1)) * w;
    width += w;
  }
  // Less than an octave is no mean of the band.
  if (width < 0.69) return std::nullopt;
  return sum / width;
}

Response mean_of(const std::vector<Response>& all) {
  const FrequencyAxis axis = all.front().axis();
  std::vector<std::complex<double>> values(axis.size(), 0.0);
  ValidRange valid = all.front().valid();
  for (const Response& one : all) {
    const Response on = resampled(one, axis);
    valid = intersect(valid, on.valid());
    // Means of levels: repeats differ by a microphone a centimetre off, whose phase would cancel.
    for (std::size_t i = 0; i < axis.size(); ++i)
      values[i] += std::complex<double>(on.level_db(i) / static_cast<double>(all.size()));
  }
  for (auto& v : values) v = from_level(v.real(), 0.0, level_reference(all.front().quantity()));
  return *Response::make(axis, std::move(values), all.front().quantity(), valid, false);
}

std::optional<double> roughness(const Response& curve) {
  const Response smooth = smoothed(curve, 1);
  double sum = 0.0;
  std::size_t n = 0;
  const double low = std::max(100.0, curve.valid().low_hz * 1.2);
  const double high = std::min(10000.0, curve.valid().high_hz / 1.2);
  for (std::size_t i = 0; i < curve.size(); ++i) {
    if (curve.axis()[i] < low || curve.axis()[i] > high) continue;
    sum += std::pow(curve.level_db(i) - smooth.level_db(i), 2);
    ++n;
  }
  if (n < 12) return std::nullopt;
  return std::sqrt(sum / static_cast<double>(n));
}

std::optional<double> lower_limit(const Response& curve, double reference_db, double below) {
  for (std::size_t i = curve.size(); i-- > 0;) {
    const double f = curve.axis()[i];
    if (f > 1000.0 || !curve.valid().contains(f)) continue;
    if (curve.level_db(i) < reference_db - below) {
      // The dip of a reflection is not the end of the bass: all below has to stay down.
      double highest = -400.0;
      for (std::size_t k = 0; k <= i; ++k) {
        if (curve.valid().contains(curve.axis()[k])) highest = std::max(highest, curve.level_db(k));
      }
      if (highest < reference_db - below + 1.0) return f;
    }
  }
  return std::nullopt;
}

/// Rms difference of a member's repeats from their mean, as the 95 % half-width of one.
std::optional<double> repeat_error(const std::vector<ComparedMember>& members) {
  double sum = 0.0;
  double freedom = 0.0;
  for (const ComparedMember& m : members) {
    if (m.responses.size() < 2) continue;
    const Response mean = mean_of(m.responses);
    double here = 0.0;
    double points = 0.0;
    for (const Response& one : m.responses) {
      const Response on = resampled(one, mean.axis());
      for (std::size_t i = 0; i < mean.size(); ++i) {
        const double f = mean.axis()[i];
        if (!mean.valid().contains(f) || f < 100.0 || f > 10000.0) continue;
        here += std::pow(on.level_db(i) - mean.level_db(i), 2);
        points += 1.0;
      }
    }
    if (points == 0.0) continue;
    const auto n = static_cast<double>(m.responses.size());
    sum += here / (points / n);
    freedom += n - 1.0;
  }
  if (freedom < 1.0) return std::nullopt;
  return kTwoSided95 * std::sqrt(2.0 * sum / freedom);
}

double ring_ms(const Response& curve) {
  constexpr double kHeard_db = -20.0;
  const double low = std::max(1.3 * curve.valid().low_hz, 20.0);
  const double high = std::min(curve.valid().high_hz / 1.3, 10000.0);
  double longest = 0.0;
  // As long as a row's neighbours know.
  for (const Ridge& r : decay_ridges(impulse_of(curve), {0.0, std::min(8.0 / low, 0.2)},
                                     {.low_hz = low, .high_hz = high}))
    if (r.share_db > kHeard_db) longest = std::max(longest, 1e3 * r.decay_s.value);
  return longest;
}

MemberFigures member_figures(const ComparedMember& m, ImpedanceRole role,
                             std::optional<double> re_ohm) {
  MemberFigures out{m.id, m.name, {}, {}, {}, {}, {}, {}, {}};
  if (!m.impedances.empty())
    if (const auto low = impedance_minimum(m.impedances.front()))
      out.minimum_ohm = low->magnitude_ohm;
  std::map<std::string, std::vector<Estimate>> repeats;
  for (std::size_t i = 0; i < m.impedances.size(); ++i) {
    const double calibration_percent =
        i < m.calibration_percent.size() ? m.calibration_percent[i] : kUsualCalibration_percent;
    const ImpedanceReading reading =
        read_impedance(m.impedances[i], role, re_ohm, calibration_percent);
    if (!reading.refusal.empty()) {
      out.refusal = reading.refusal;
      continue;
    }
    const auto figures = figures_of(reading);
    if (repeats.empty()) {
      out.impedance = figures;
      out.wiggles = reading.wiggles;
    }
    for (const ReadFigure& f : figures) repeats[f.key].push_back(f.value);
  }
  for (ReadFigure& f : out.impedance) {
    f.value = mean_of_repeats(repeats[f.key]);
    // One take cannot tell how the next would come out.
    if (m.impedances.size() < 2)
      f.value.half_width = std::hypot(f.value.half_width, usual_repeat(f.key) * f.value.value);
  }
  if (!m.responses.empty()) {
    out.response = mean_of(m.responses);
    const auto level = mean_level(*out.response, 300.0, 3000.0);
    if (level) {
      std::vector<Estimate> each;
      for (const Response& one : m.responses) {
        if (const auto l = mean_level(one, 300.0, 3000.0)) each.push_back({*l, 0.0});
      }
      out.level_db = each.size() > 1 ? mean_of_repeats(each) : Estimate{*level, 0.0};
      out.f6_hz = lower_limit(*out.response, *level, 6.0);
    }
    out.roughness_db = roughness(*out.response);
    if (m.responses.front().has_phase()) out.ring_ms = ring_ms(m.responses.front());
  }
  return out;
}

/// Means over a third of an octave: of some hundred single points one always stands out.
std::vector<double> over_thirds(const std::vector<double>& hz, const std::vector<double>& db) {
  const double reach = std::exp2(1.0 / 6.0);
  std::vector<double> out;
  std::size_t from = 0;
  std::size_t to = 0;
  double sum = 0.0;
  for (const double f : hz) {
    while (to < hz.size() && hz[to] <= f * reach) sum += db[to++];
    while (hz[from] < f / reach) sum -= db[from++];
    out.push_back(sum / static_cast<double>(to - from));
  }
  return out;
}

PairDifference pair_of(const std::vector<MemberFigures>& members, std::size_t a, std::size_t b,
                       double repeat_db) {
  PairDifference pair;
  pair.a = a;
  pair.b = b;
  for (const ReadFigure& f : members[a].impedance) {
    const ReadFigure* other = figure_of(members[b], f.key);
    if (other == nullptr || !compared_figure(f.key)) continue;
    const double spread = std::hypot(f.value.half_width, other->value.half_width);
    const double difference = other->value.value - f.value.value;
    pair.figures.push_back(
        {f.key, f.name, f.unit, difference, spread, std::abs(difference) > spread});
    pair.real = pair.real || pair.figures.back().real;
  }
  const auto& ra = members[a].response;
  const auto& rb = members[b].response;
  if (ra && rb) {
    const Response on = resampled(*rb, ra->axis());
    const ValidRange valid = intersect(ra->valid(), on.valid());
    std::vector<double> difference;
    std::vector<double> at;
    for (std::size_t i = 0; i < ra->size(); ++i) {
      const double f = ra->axis()[i];
      if (!valid.contains(f) || f < 20.0 || f > 20000.0) continue;
      difference.push_back(on.level_db(i) - ra->level_db(i));
      at.push_back(f);
    }
    if (!difference.empty()) {
      const auto n = static_cast<double>(difference.size());
      const double mean = std::accumulate(difference.begin(), difference.end(), 0.0) / n;
      double square = 0.0;
      for (const double d : difference) square += std::pow(d - mean, 2);
      const std::vector<double> smooth = over_thirds(at, difference);
      std::size_t largest = 0;
      for (std::size_t i = 0; i < smooth.size(); ++i) {
        if (std::abs(smooth[i]) > std::abs(smooth[largest])) largest = i;
      }
      pair.mean_db = mean;
      pair.rms_db = std::sqrt(square / n);
      pair.largest_db = smooth[largest];
      pair.largest_at_hz = at[largest];
      pair.real = pair.real || std::abs(smooth[largest]) > repeat_db;
    }
  }
  return pair;
}

/// Distance of two members, in units of what samples usually differ by: 1.5 Hz or 3 % in fs, 0.5
/// dB (common practice, no source).
double distance(const PairDifference& pair, const std::vector<MemberFigures>& members) {
  double sum = 0.0;
  for (const FigureDifference& f : pair.figures) {
    const ReadFigure* own = figure_of(members[pair.a], f.key);
    if (own == nullptr || own->value.value == 0.0) continue;
    const double usual = f.key == "ql" ? 0.3 : (f.unit == "Hz" ? 0.03 : 0.05);
    sum += std::pow(f.difference / own->value.value / usual, 2);
  }
  if (pair.mean_db) sum += std::pow(*pair.mean_db / 0.5, 2) + std::pow(*pair.rms_db / 0.5, 2);
  return std::sqrt(sum);
}

/// Places by one criterion, smaller value first; equal places where the difference is within
/// `alike`.
void place(SeriesComparison& s, const std::vector<std::pair<std::size_t, double>>& values,
           double alike, const std::string& what, const std::string& unit, double sign) {
  if (values.size() < 2) return;
  auto sorted = values;
  std::sort(sorted.begin(), sorted.end(), [](auto& a, auto& b) { return a.second < b.second; });
  double current = 1.0;
  double leader = sorted.front().second;
  for (std::size_t i = 0; i < sorted.size(); ++i) {
    if (sorted[i].second - leader > alike) {
      current = static_cast<double>(i) + 1.0;
      leader = sorted[i].second;
    }
    RankLine& line = *std::find_if(s.ranking.begin(), s.ranking.end(),
                                   [&](const RankLine& l) { return l.member == sorted[i].first; });
    line.score += current;
    line.reasons.push_back(
        unit == "dB" ? fmt::format("{} {:.2f} dB", what, sign * sorted[i].second)
                     : fmt::format("{} {} {}", what, three_digits(sign * sorted[i].second), unit));
  }
}

void rank(SeriesComparison& s, const std::vector<SeriesAim>& aims) {
  const auto asked = [&](SeriesAim aim) {
    return std::find(aims.begin(), aims.end(), aim) != aims.end();
  };
  for (std::size_t i = 0; i < s.members.size(); ++i) s.ranking.push_back({i, 0.0, {}});
  std::vector<std::pair<std::size_t, double>> smooth, deep, loud, loops, leaks, rings, loads;
  for (std::size_t i = 0; i < s.members.size(); ++i) {
    const MemberFigures& m = s.members[i];
    if (m.roughness_db) smooth.emplace_back(i, *m.roughness_db);
    if (m.f6_hz) deep.emplace_back(i, *m.f6_hz);
    if (m.level_db) loud.emplace_back(i, -m.level_db->value);
    if (m.ring_ms) rings.emplace_back(i, *m.ring_ms);
    if (m.minimum_ohm) loads.emplace_back(i, -*m.minimum_ohm);
    if (!m.impedance.empty()) {
      double sum = 0.0;
      for (const Wiggle& w : m.wiggles) sum += w.height_percent;
      loops.emplace_back(i, sum);
    }
    if (const ReadFigure* ql = figure_of(m, "ql")) leaks.emplace_back(i, -ql->value.value);
  }
  if (asked(SeriesAim::kSmoothness)) place(s, smooth, 0.25 * s.repeat_db, "roughness", "dB", 1.0);
  if (asked(SeriesAim::kExtension)) place(s, deep, kExtensionAlike_hz, "F6", "Hz", 1.0);
  if (asked(SeriesAim::kOutput)) place(s, loud, 0.5 * s.repeat_db, "output", "dB", -1.0);
  if (asked(SeriesAim::kDecay)) place(s, rings, kDecayAlike_ms, "rings for", "ms", 1.0);
  if (asked(SeriesAim::kLoad)) place(s, loads, kLoadAlike_ohm, "lowest impedance", "ohm", -1.0);
  // Where nothing was heard, the impedance still tells of standing waves and leaks.
  if (smooth.size() < 2) {
    place(s, loops, 0.5, "loops in the impedance", "% in all", 1.0);
    place(s, leaks, 1.0, "QL", "", -1.0);
  }
  std::stable_sort(s.ranking.begin(), s.ranking.end(),
                   [](const RankLine& a, const RankLine& b) { return a.score < b.score; });
  const bool any = std::any_of(s.ranking.begin(), s.ranking.end(),
                               [](const RankLine& l) { return !l.reasons.empty(); });
  if (!any) s.ranking.clear();
}

}  // namespace

const char* word_of(SeriesAim aim) {
  return kAims[static_cast<std::size_t>(aim)];
}

std::optional<SeriesAim> series_aim(std::string_view word) {
  for (std::size_t i = 0; i < kAims.size(); ++i)
    if (word == kAims[i]) return static_cast<SeriesAim>(i);
  return std::nullopt;
}

SeriesComparison compared(const std::vector<ComparedMember>& told_members, ImpedanceRole role,
                          const ComparisonOptions& options) {
  SeriesComparison s;
  const auto& [re_ohm, free_air, aims, stop, parallel] = options;
  if (free_air != nullptr && role == ImpedanceRole::kClosedBox) {
    if (const auto fit = fit_driver(*free_air, {.re_ohm = re_ohm})) s.driver_fs_hz = fit->fs_hz;
  }
  // One band for all: means over different bands cannot be compared.
  ValidRange common;
  for (const ComparedMember& m : told_members)
    for (const Response& r : m.responses)
      common = intersect(common, intersect(r.valid(), {r.axis().front(), r.axis().back()}));
  std::vector<ComparedMember> members = told_members;
  if (common.low_hz < common.high_hz) {
    for (ComparedMember& m : members)
      for (Response& r : m.responses) r = r.with_valid(intersect(r.valid(), common));
  }
  // Each member by itself, so that they may be read side by side.
  s.members.resize(members.size());
  parallel(members.size(), [&](std::size_t i) {
    if (!stop.stop_requested()) s.members[i] = member_figures(members[i], role, options.re_ohm);
  });
  if (const auto repeats = repeat_error(members)) {
    s.repeat_db = *repeats;
    s.repeat_measured = true;
  } else {
    s.notes.emplace_back(
        "No take was repeated: levels closer than 1 dB, frequencies within 0.5 %, Qs within 2 % "
        "and "
        "QL within 10 % count as alike (common practice, no source).");
  }
  for (const MemberFigures& m : s.members) {
    if (!m.refusal.empty()) s.notes.push_back(m.name + ": " + m.refusal);
  }
  for (std::size_t a = 0; a < s.members.size(); ++a) {
    for (std::size_t b = a + 1; b < s.members.size(); ++b)
      s.pairs.push_back(pair_of(s.members, a, b, s.repeat_db));
  }
  std::vector<double> apart;
  for (const PairDifference& p : s.pairs) apart.push_back(distance(p, s.members));
  const auto told = [&](const PairDifference& p) { return !p.figures.empty() || p.mean_db; };
  if (!s.pairs.empty() && std::all_of(s.pairs.begin(), s.pairs.end(), told)) {
    s.nearest_pair =
        static_cast<std::size_t>(std::min_element(apart.begin(), apart.end()) - apart.begin());
    if (s.members.size() > 2) {
      // The one whose nearest fellow is farthest, where that is much farther than the others'.
      std::vector<double> nearest(s.members.size(), 1e300);
      for (std::size_t i = 0; i < s.pairs.size(); ++i) {
        nearest[s.pairs[i].a] = std::min(nearest[s.pairs[i].a], apart[i]);
        nearest[s.pairs[i].b] = std::min(nearest[s.pairs[i].b], apart[i]);
      }
      const auto odd = std::max_element(nearest.begin(), nearest.end());
      std::vector<double> others;
      for (auto it = nearest.begin(); it != nearest.end(); ++it) {
        if (it != odd) others.push_back(*it);
      }
      const double usual = *std::max_element(others.begin(), others.end());
      if (*odd > 1.0 && *odd > 2.0 * usual)
        s.odd_one_out = static_cast<std::size_t>(odd - nearest.begin());
    }
  }
  rank(s, aims);
  return s;
}

}  // namespace lalometer
