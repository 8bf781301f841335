#include "diagnosis/view/sound/seeking.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "acoustics/baffle/diffraction.h"
#include "base/constants.h"
#include "diagnosis/view/drivers.h"
#include "diagnosis/view/repeats.h"
#include "diagnosis/view/sound/comb.h"
#include "diagnosis/view/sound/features.h"
#include "diagnosis/view/sound/harmonics.h"

namespace lalometer {
namespace {

constexpr double kC = kSpeedOfSound20_m_s;
constexpr double kPerOctave = 48.0;
constexpr double kLeast_db = 1.2;
constexpr double kOverLeft = 1.8;  // of what a second arrival leaves, rms

bool is_response(const CaseTake& t) {
  return t.kind == CaseTake::Kind::kResponse;
}

/// Share of a feature that another curve has; nothing where it is not valid there.
std::optional<double> share_in(const CaseView& v, const CurveFeature& f, const CaseTake& take,
                               const std::vector<double>& own,
                               std::vector<double> (*look)(const FrequencyAxis&,
                                                           const std::vector<double>&)) {
  const auto found = v.levels.find(&take);
  if (found == v.levels.end()) return std::nullopt;
  for (std::size_t i = f.from; i < f.to; ++i)
    if (!std::isfinite(found->second[i])) return std::nullopt;
  return shared_by(f, own, {look(*v.axis, with_ends(found->second))});
}

class Mean {
 public:
  void add(std::optional<double> x) {
    if (!x) return;
    sum_ += *x;
    ++count_;
  }
  [[nodiscard]] std::optional<double> value() const {
    return count_ > 0 ? std::optional(sum_ / count_) : std::nullopt;
  }

 private:
  double sum_ = 0.0;
  int count_ = 0;
};

/// A driver on a front. One that reaches into the round of an edge is taken as large as the flat
/// part lets it.
std::optional<BafflePiston> piston_on(const Baffle& baffle, double x_m, double y_m,
                                      double radius_m) {
  constexpr double kLeast = 0.7;
  constexpr double kStep = 0.05;
  for (double share = 1.0; share > kLeast; share -= kStep)
    if (auto piston = BafflePiston::make(baffle, x_m, y_m, share * radius_m)) return *piston;
  return std::nullopt;
}

/// What the edges make of a driver on the axis, dB.
std::optional<std::vector<double>> edges_of(const CaseView& v, const std::string& id) {
  const CaseSubject& s = v.material->subject;
  const CaseDriver* d = s.driver(id);
  if (d == nullptr || !s.baffle || !(d->radius_m > 0.0) || v.axis_take == nullptr ||
      s.loading == "open-baffle")
    return std::nullopt;
  const auto piston =
      piston_on(*s.baffle, s.origin_x_m + d->x_m, s.origin_y_m + d->y_m, d->radius_m);
  if (!piston) return std::nullopt;
  const BafflePoint at =
      point_at(s.origin_x_m, s.origin_y_m, std::max(v.axis_take->distance_m, 0.3), 0.0, 0.0);
  const FrequencyAxis coarse = FrequencyAxis::logarithmic(100.0, 16000.0, 24.0);
  const auto p = baffle_response(*s.baffle, *piston, at, coarse, kC, DiffractionEffort::kFine);
  std::vector<double> level;
  for (const auto& x : p) level.push_back(to_level_db(std::abs(x), 1.0));
  std::vector<double> out;
  for (const double f : v.axis->hz())
    out.push_back(f < coarse.front() || f > coarse.back() ? std::numeric_limits<double>::quiet_NaN()
                                                          : value_between(coarse, level, f));
  return out;
}

/// How a curve stands out, looked at broadly or finely.
using Look = std::vector<double> (*)(const FrequencyAxis&, const std::vector<double>&);

/// What a variant has otherwise than the one that is looked at; empty: not told, or two things.
std::string changed_in(const CaseView& v, const std::string& variant) {
  const CaseVariant* own = v.material->variant(v.variant);
  const CaseVariant* other = v.material->variant(variant);
  if (other == nullptr) return {};
  if (own == nullptr || own->change.empty() || own->change == other->change) return other->change;
  return other->change.empty() ? own->change : std::string();
}

/// On the axis, all drivers, the same sample, another variant.
void see_swap(const CaseView& v, SeenFeature& s, const CaseTake& t, std::optional<double> share) {
  if (!share || !t.driver.empty() || !t.condition.empty() || t.sample != v.sample ||
      t.horizontal_deg != 0.0 || t.vertical_deg != 0.0)
    return;
  const std::string change = changed_in(v, t.variant);
  if (!change.empty())
    s.swaps.push_back({change, v.material->variant(t.variant)->spoken(), *share, t.id});
}

/// Where two drivers meet both play: the one that has the feature by itself, where a take tells.
std::string who_has(const CaseView& v, const SeenFeature& s, const std::vector<double>& own,
                    Look look) {
  constexpr double kMeet_octaves = 0.5;
  constexpr double kHas = 0.5;
  for (const CaseCrossover& x : v.material->subject.crossovers) {
    const std::string& other = s.leads == x.low ? x.high : x.low;
    if ((s.leads != x.low && s.leads != x.high) ||
        std::abs(std::log2(s.at_hz / x.frequency_hz)) > kMeet_octaves)
      continue;
    Mean leads, beside;
    for (const CaseTake& t : v.material->takes) {
      if (!is_response(t) || t.driver.empty() || !t.flipped.empty() || !t.condition.empty() ||
          t.variant != v.variant || t.horizontal_deg != 0.0 || t.vertical_deg != 0.0)
        continue;
      if (t.driver == s.leads) leads.add(share_in(v, s.feature, t, own, look));
      if (t.driver == other) beside.add(share_in(v, s.feature, t, own, look));
    }
    if (beside.value().value_or(0.0) > kHas && *beside.value() > leads.value().value_or(0.0) + kHas)
      return other;
  }
  return s.leads;
}

/// What every other take says of a feature.
void ask_others(CaseView& v, SeenFeature& s, const std::vector<double>& own, Look look) {
  const CaseMaterial& m = *v.material;
  s.leads = who_has(v, s, own, look);
  const CaseDriver* lead = m.subject.driver(s.leads);
  // Above ka = 1 a near field is none any more.
  const bool small = lead != nullptr && s.at_hz * lead->radius_m < kC / (2.0 * kPi);
  Mean horizontal, vertical, baffle, near, alone, others, behind;
  for (const CaseTake& t : m.takes) {
    if (&t == v.axis_take) continue;
    const auto share = share_in(v, s.feature, t, own, look);
    if (t.kind == CaseTake::Kind::kNearField && t.source == s.leads && t.variant == v.variant &&
        small)
      near.add(share);
    if (!is_response(t) || !t.flipped.empty()) continue;
    if (t.condition == "large-baffle" && (t.driver.empty() || t.driver == s.leads)) {
      baffle.add(share);
      continue;
    }
    if (t.variant != v.variant) see_swap(v, s, t, share);
    if (t.variant != v.variant || !t.condition.empty()) continue;
    const bool on_axis = t.horizontal_deg == 0.0 && t.vertical_deg == 0.0;
    if (!t.driver.empty()) {
      if (t.driver == s.leads && on_axis) alone.add(share);
      continue;
    }
    if (t.sample != v.sample) {
      if (on_axis && share) s.other_takes.push_back(t.id);
      if (on_axis) others.add(share);
      continue;
    }
    const double h = std::abs(t.horizontal_deg);
    const double up = std::abs(t.vertical_deg);
    if (up == 0.0 && h >= 19.0 && h <= 61.0) horizontal.add(share);
    if (up == 0.0 && h >= 110.0) behind.add(share);
    if (h == 0.0 && up >= 9.0 && up <= 46.0) vertical.add(share);
  }
  s.horizontal = horizontal.value();
  s.vertical = vertical.value();
  s.large_baffle = baffle.value();
  s.near = near.value();
  s.alone = alone.value();
  s.others = others.value();
  s.behind = behind.value();
}

SeenFeature seen_at(const CaseView& v, const CurveFeature& f) {
  SeenFeature s{
      .feature = f, .at_hz = f.at_hz, .low_hz = (*v.axis)[f.from], .high_hz = (*v.axis)[f.to - 1]};
  s.q = f.at_hz / std::max(s.high_hz - s.low_hz, 1.0);
  s.leads = leading_driver(v.material->subject, f.at_hz);
  for (const CaseCrossover& x : v.material->subject.crossovers)
    s.crossover_octaves =
        std::min(s.crossover_octaves, std::abs(std::log2(f.at_hz / x.frequency_hz)));
  return s;
}

/// The slowest turn at a feature, of those loud enough to make a feature of such a size.
std::optional<double> ringing(const CaseView& v, const SeenFeature& s) {
  constexpr double kLoud_db = -24.0;
  if (!v.axis_take->ridges || s.at_hz < 1.5 * v.valid.low_hz || s.at_hz > 12000.0)
    return std::nullopt;
  double q = 0.0;
  for (const Ridge& r : *v.axis_take->ridges)
    if (r.share_db > kLoud_db && r.frequency_hz.value > 0.97 * s.low_hz &&
        r.frequency_hz.value < 1.03 * s.high_hz)
      q = std::max(q, r.q());
  return q;
}

/// What all angles in front have in common: the mean of their levels, in which the noise of one
/// take and what edges and spacing do at one angle wash out. Nothing of fewer than three.
std::optional<std::vector<double>> common_level(const CaseView& v) {
  constexpr std::size_t kLeast = 3;
  std::vector<const std::vector<double>*> levels;
  for (const CaseTake* t : v.responses())
    if (std::abs(t->horizontal_deg) <= 61.0 && std::abs(t->vertical_deg) <= 46.0 &&
        (t->horizontal_deg == 0.0 || t->vertical_deg == 0.0))
      levels.push_back(&v.levels.at(t));
  if (levels.size() < kLeast) return std::nullopt;
  std::vector<double> mean(v.level_db.size(), 0.0);
  for (const auto* level : levels)
    for (std::size_t i = 0; i < mean.size(); ++i) mean[i] += (*level)[i];
  for (double& x : mean) x /= static_cast<double>(levels.size());
  return mean;
}

/// What the edges make of what plays at each frequency, as it stands out: of two drivers that meet
/// in phase, by their shares.
std::vector<double> edges_standing(const CaseView& v) {
  if (v.edges.empty()) return {};
  const CaseSubject& s = v.material->subject;
  std::vector<double> level;
  for (std::size_t i = 0; i < v.axis->size(); ++i) {
    double sum = 0.0;
    double shares = 0.0;
    for (const auto& [id, edges] : v.edges) {
      const double share = plays_share(s, *s.driver(id), (*v.axis)[i]);
      sum += share * std::pow(10.0, edges[i] / 20.0);
      shares += share;
    }
    level.push_back(20.0 * std::log10(sum / shares));
  }
  return outstanding(*v.axis, with_ends(level));
}

/// How the features of a level stand against the edges that the drawing foretells.
void see_edges(SeenFeature& s, const std::vector<double>& own, const std::vector<double>& stands) {
  if (stands.empty()) return;
  const CurveFeature& f = s.feature;
  s.from_edges = std::clamp(shared_by(f, own, {stands}), -1.0, 1.5);
  for (std::size_t i = f.from; i < f.to; ++i)
    if (stands[i] * f.height_db > 0.0 && std::abs(stands[i]) > std::abs(s.edges_db))
      s.edges_db = stands[i];
}

/// A feature of a level, and what all other takes say of it.
SeenFeature asked(CaseView& v, const CurveFeature& f, const std::vector<double>& own,
                  const std::vector<double>& stands) {
  SeenFeature s = seen_at(v, f);
  ask_others(v, s, own, outstanding);
  s.rings_q = ringing(v, s);
  s.in_harmonics = share_in_harmonics(*v.axis_take, f, *v.axis, own);
  // Where nobody told how large that driver is, another one's edges are not its.
  if (v.edges.contains(s.leads)) see_edges(s, own, stands);
  return s;
}

/// Near a cone there are no edges and no room: what is small on the axis may be plain there, while
/// the cone is small against the wavelength.
void look_near(CaseView& v, const std::vector<double>& stands) {
  constexpr double kLeastNear_db = 0.8;
  constexpr double kLowest_hz = 150.0;
  constexpr double kLargest_ka = 1.9;
  constexpr double kSame = 0.09;
  for (const CaseTake& t : v.material->takes) {
    if (t.kind != CaseTake::Kind::kNearField || t.variant != v.variant || t.sample != v.sample)
      continue;
    const CaseDriver* cone = v.material->subject.driver(t.source);
    if (cone == nullptr || !(cone->radius_m > 0.0)) continue;
    const std::vector<double> own = outstanding(*v.axis, with_ends(v.levels.at(&t)));
    const double scatter = scatter_db(t.curve, 200.0, 2000.0).value_or(0.0);
    const double high_hz =
        std::min(t.curve.valid().high_hz, kLargest_ka * kC / (2.0 * kPi * cone->radius_m)) / 1.1;
    for (const CurveFeature& f :
         features_of(*v.axis, own, std::max(kLowest_hz, 1.15 * v.valid.low_hz), high_hz,
                     std::max(kLeastNear_db, 1.4 * scatter))) {
      const bool known = std::any_of(v.features.begin(), v.features.end(), [&](const auto& o) {
        return std::abs(std::log(o.at_hz / f.at_hz)) < kSame;
      });
      if (known || leading_driver(v.material->subject, f.at_hz) != t.source) continue;
      v.features.push_back(asked(v, f, own, stands));
    }
  }
}

/// Whether it stands out of what repeats of the reference differ by there, and is in them.
bool in_repeats(const CaseView& v, const SeenFeature& s, const std::vector<double>& own,
                Look look) {
  constexpr double kOver = 1.8;
  constexpr double kMost = 0.4;  // of its size
  if (v.repeats_off_db.empty()) return true;
  if (std::abs(s.feature.height_db) < kOver * v.repeats_off_db[v.axis->bracket(s.at_hz)])
    return false;
  return std::none_of(v.material->takes.begin(), v.material->takes.end(), [&](const CaseTake& t) {
    return taken_again(*v.axis_take, t) &&
           share_in(v, s.feature, t, own, look).value_or(1.0) < kMost;
  });
}

void find_features(CaseView& v) {
  v.outstanding_db = outstanding(*v.axis, with_ends(v.level_db));
  for (const CaseDriver& d : v.material->subject.drivers)
    if (auto edges = edges_of(v, d.id)) v.edges[d.id] = *std::move(edges);
  const std::vector<double> stands = edges_standing(v);
  // A sixth of an octave leaves a third of what neighbouring rows scatter.
  const double scatter = scatter_db(v.axis_take->curve, 300.0, 10000.0).value_or(0.0);
  const auto arrival = v.arrivals.find(v.axis_take);
  const double of_comb = arrival == v.arrivals.end() ? 0.0 : kOverLeft * arrival->second.left_db;
  const double least = std::max({kLeast_db, 1.4 * scatter, of_comb});
  for (const CurveFeature& f : features_of(*v.axis, v.outstanding_db, 1.15 * v.valid.low_hz,
                                           std::min(v.valid.high_hz / 1.1, 16000.0), least)) {
    SeenFeature s = asked(v, f, v.outstanding_db, stands);
    if (in_repeats(v, s, v.outstanding_db, outstanding)) v.features.push_back(std::move(s));
  }
  look_near(v, stands);
}

double rows_an_octave(const Response& curve, double at_hz) {
  const std::size_t i = curve.axis().bracket(at_hz);
  return 1.0 / std::log2(curve.axis()[i + 1] / curve.axis()[i]);
}

/// What is too narrow for the broad look: walls, mostly. A scatter of the rows is none.
void find_sharp_features(CaseView& v, const std::vector<double>& level_db) {
  // Cones bend higher up than walls; where rows lie too far apart their kinks stand out as well.
  constexpr double kDense = 40.0;  // rows an octave
  const double highest_hz = rows_an_octave(v.axis_take->curve, 2500.0) > kDense ? 4500.0 : 2000.0;
  constexpr double kOverScatter = 7.0;
  // Nearer to its end a list's run leans on what is not there: a third of an octave.
  constexpr double kOfItsEnd = 1.26;
  const std::vector<double> fine = finely(*v.axis, with_ends(level_db));
  std::vector<double> size;
  for (std::size_t i = 0; i < fine.size(); ++i)
    if ((*v.axis)[i] > v.valid.low_hz && (*v.axis)[i] < 2.0 * highest_hz)
      size.push_back(std::abs(fine[i]));
  if (size.size() < 24) return;
  const auto middle = size.begin() + static_cast<std::ptrdiff_t>(size.size() / 2);
  std::nth_element(size.begin(), middle, size.end());
  const double least = std::max(0.7, kOverScatter * *middle);
  for (const CurveFeature& f :
       features_of(*v.axis, fine, std::max(1.1 * v.valid.low_hz, 70.0),
                   std::min(highest_hz, v.valid.high_hz / kOfItsEnd), least)) {
    SeenFeature s = seen_at(v, f);
    // What goes on beyond where it is looked for was not seen whole.
    if (s.high_hz / s.low_hz > std::exp2(0.3) || s.high_hz > 0.98 * highest_hz) continue;
    s.sharp = true;
    // By what stands higher than half of it.
    std::size_t wide = 0;
    for (std::size_t i = f.from; i < f.to; ++i)
      wide += std::abs(fine[i]) > 0.5 * std::abs(f.height_db) ? 1U : 0U;
    s.q = kPerOctave / (std::log(2.0) * static_cast<double>(wide));
    if (!in_repeats(v, s, fine, finely)) continue;
    ask_others(v, s, fine, finely);
    s.rings_q = ringing(v, s);
    const auto broad =
        std::find_if(v.features.begin(), v.features.end(), [&](const SeenFeature& other) {
          return !other.sharp && other.feature.height_db * f.height_db > 0.0 &&
                 std::abs(std::log(other.at_hz / s.at_hz)) < 0.05;
        });
    // What the broad look has smeared is one feature with what the finer look shows.
    const bool known = std::any_of(v.features.begin(), v.features.end(), [&](const SeenFeature& o) {
      return o.sharp && std::abs(std::log(o.at_hz / s.at_hz)) < 0.05;
    });
    if (known) continue;
    if (broad == v.features.end())
      v.features.push_back(s);
    else if (std::abs(f.height_db) > 1.2 * std::abs(broad->feature.height_db))
      *broad = s;
  }
}

void find_sharp(CaseView& v) {
  find_sharp_features(v, v.level_db);
  if (const auto common = common_level(v)) find_sharp_features(v, *common);
}

/// What a comb hides: looked for once more without it.
void find_beside_comb(CaseView& v) {
  constexpr double kWasThere = 0.35;
  const std::vector<double> with_it = outstanding(*v.axis, with_ends(v.level_db));
  if (!take_out_comb(v)) return;
  std::vector<SeenFeature> comb;
  for (SeenFeature& f : v.features)
    if (f.in_comb) comb.push_back(std::move(f));
  v.features.clear();
  find_features(v);
  find_sharp(v);
  // Where the copy is softer than where it was told from, taking it out makes what was not there.
  // Nor can it be taken out where the rows lie farther apart than half a tooth.
  const FrequencyAxis& rows = v.axis_take->curve.axis();
  const auto between_rows = [&](double hz) {
    const std::size_t i = rows.bracket(hz);
    return rows[i + 1] - rows[i];
  };
  std::erase_if(v.features, [&](const SeenFeature& f) {
    return between_rows(f.at_hz) > 0.5 * v.comb_hz ||
           (!f.sharp && shared_by(f.feature, v.outstanding_db, {with_it}) < kWasThere);
  });
  mark_left_teeth(v);
  v.features.insert(v.features.begin(), std::make_move_iterator(comb.begin()),
                    std::make_move_iterator(comb.end()));
  std::stable_sort(v.features.begin(), v.features.end(),
                   [](const SeenFeature& a, const SeenFeature& b) { return a.at_hz < b.at_hz; });
}

}  // namespace

void seek_features(CaseView& v) {
  find_features(v);
  find_comb(v);
  if (v.comb_hz <= 0.0) seek_comb(v);
  if (v.comb_hz > 0.0)
    find_beside_comb(v);
  else
    find_sharp(v);
}

}  // namespace lalometer
