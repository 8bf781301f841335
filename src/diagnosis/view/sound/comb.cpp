#include "diagnosis/view/sound/comb.h"

#include <algorithm>
#include <cmath>

#include "base/constants.h"
#include "diagnosis/view/mains.h"
#include "diagnosis/view/repeats.h"

namespace lalometer {

void find_comb(CaseView& v) {
  constexpr std::size_t kLeast = 5;
  constexpr double kEven = 0.3;
  for (std::size_t first = 0; first + kLeast <= v.features.size();) {
    std::size_t last = first + 1;
    const auto step = [&](std::size_t i) { return v.features[i].at_hz - v.features[i - 1].at_hz; };
    while (last < v.features.size() &&
           v.features[last].feature.height_db * v.features[last - 1].feature.height_db < 0.0 &&
           (last == first + 1 || std::abs(step(last) / step(last - 1) - 1.0) < kEven))
      ++last;
    if (last - first >= kLeast) {
      for (std::size_t i = first; i < last; ++i) v.features[i].in_comb = true;
      v.comb_hz = 2.0 * (v.features[last - 1].at_hz - v.features[first].at_hz) /
                  static_cast<double>(last - first - 1);
    }
    first = std::max(last - 1, first + 1);
  }
  if (v.comb_hz <= 0.0) return;
  // Higher up, others stand between.
  for (std::size_t i = 1; i < v.features.size(); ++i) {
    const double gap = v.features[i].at_hz - v.features[i - 1].at_hz;
    if (std::abs(gap / (0.5 * v.comb_hz) - 1.0) < 0.45)
      v.features[i].in_comb = v.features[i - 1].in_comb = true;
  }
}

namespace {

/// Of the rows themselves: between them a comb may turn faster than they can follow.
std::optional<SecondArrival> arrival_in(const Response& curve, double least_s, double most_s,
                                        double top_hz = 12000.0) {
  const ValidRange valid = curve.valid();
  return second_arrival(curve.axis(), levels_of(curve),
                        {1.05 * valid.low_hz, std::min(valid.high_hz, top_hz)}, least_s, most_s);
}

// Below 4 kHz a delay need not be tried as finely.
constexpr double kRoughly_hz = 4000.0;

/// At another angle: where a large driver's own nulls stand higher up, by what lies below them.
std::optional<SecondArrival> arrival_aside(const Response& curve, double about_s, double turning) {
  const double least_s = about_s * (1.0 - turning);
  const double most_s = about_s * (1.0 + turning);
  const auto whole = arrival_in(curve, least_s, most_s);
  return whole ? whole : arrival_in(curve, least_s, most_s, kRoughly_hz);
}

/// One dip may pass for the first of a comb: a copy is in the treble as it is in the middle.
bool in_both_halves(const SecondArrival& copy, const Response& curve) {
  constexpr double kMiddle_hz = 1600.0;
  constexpr double kTop_hz = 6500.0;
  constexpr double kExplains = 0.3;
  const std::vector<double> level = levels_of(curve);
  const double low_hz = 1.05 * curve.valid().low_hz;
  const auto has = [&](ValidRange range) {
    return explained_by(copy, curve.axis(), level, range).value_or(0.0) > kExplains;
  };
  return has({low_hz, kMiddle_hz}) && has({kMiddle_hz, kTop_hz});
}

}  // namespace

namespace {

/// Where dips and peaks of a comb stand: a peak at each whole turn, a dip half-way.
/// @param most_db  larger ones are not its own
void mark_teeth(CaseView& v, double delay_s, double most_db) {
  constexpr double kNear = 0.14;  // of a turn
  constexpr double kTop_hz = 8000.0;
  for (SeenFeature& f : v.features) {
    const double turns = f.at_hz * delay_s - (f.feature.height_db < 0.0 ? 0.5 : 0.0);
    f.in_comb = f.at_hz < kTop_hz && std::abs(turns - std::round(turns)) < kNear &&
                std::abs(f.feature.height_db) < most_db;
  }
}

}  // namespace

void seek_comb(CaseView& v) {
  constexpr double kNearest_m = 0.2;  // of the detour; what is nearer is the box's own
  constexpr double kLatest_s = 0.006;
  constexpr double kExplains = 0.5;
  constexpr double kLeast_share = 0.08;
  constexpr double kOfTurning = 0.1;
  const auto& baffle = v.material->subject.baffle;
  const double nearest_m =
      std::max(kNearest_m, baffle ? 0.8 * std::max(baffle->width_m(), baffle->height_m()) : 0.0);
  constexpr double kAbout = 0.04;
  const auto roughly =
      arrival_in(v.axis_take->curve, nearest_m / kSpeedOfSound20_m_s, kLatest_s, kRoughly_hz);
  if (!roughly) return;
  const auto own = arrival_in(v.axis_take->curve, roughly->delay_s * (1.0 - kAbout),
                              roughly->delay_s * (1.0 + kAbout));
  if (!own || own->explained < kExplains || own->share < kLeast_share ||
      !in_both_halves(*own, v.axis_take->curve))
    return;
  // It is there at other angles too, a little sooner or later.
  int asked = 0;
  int there = 0;
  for (const CaseTake* t : v.responses()) {
    if (t == v.axis_take || t->vertical_deg != 0.0 || std::abs(t->horizontal_deg) > 46.0) continue;
    const bool has = arrival_aside(t->curve, own->delay_s, kOfTurning).has_value();
    if (!has && taken_again(*v.axis_take, *t)) return;
    ++asked;
    there += has ? 1 : 0;
  }
  if (2 * there < asked) return;
  v.comb_hz = 1.0 / own->delay_s;
  constexpr double kAny_db = 1e3;
  mark_teeth(v, own->delay_s, kAny_db);
}

void mark_left_teeth(CaseView& v) {
  const auto own = v.arrivals.find(v.axis_take);
  if (own == v.arrivals.end()) return;
  constexpr double kLeft = 0.6;
  const double share = std::min(std::abs(own->second.share), 0.9);
  mark_teeth(v, own->second.delay_s, kLeft * 10.0 * std::log10((1.0 + share) / (1.0 - share)));
}

bool take_out_comb(CaseView& v) {
  constexpr double kWide = 0.15;
  constexpr double kOfTurning = 0.08;  // of the delay from one angle to another
  const double about_s = 1.0 / v.comb_hz;
  const auto own = arrival_in(v.axis_take->curve, about_s * (1.0 - kWide), about_s * (1.0 + kWide));
  if (!own) return false;
  const auto mains_hz = told_mains_hz(mains_in(*v.material));
  for (const CaseTake& t : v.material->takes) {
    if (t.kind != CaseTake::Kind::kResponse || t.variant != v.variant) continue;
    const auto its = &t == v.axis_take ? own : arrival_aside(t.curve, own->delay_s, kOfTurning);
    if (!its) continue;
    v.arrivals.emplace(&t, *its);
    v.levels.at(&t) = level_on(without(*its, without_mains(t.curve, mains_hz)), *v.axis);
  }
  v.level_db = v.levels.at(v.axis_take);
  return true;
}

}  // namespace lalometer
