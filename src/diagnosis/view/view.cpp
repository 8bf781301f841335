#include "diagnosis/view/view.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "acoustics/baffle/diffraction.h"
#include "acoustics/impedance/box_signature.h"
#include "base/constants.h"

namespace lalometer {
namespace {

constexpr double kC = kSpeedOfSound20_m_s;
constexpr double kPerOctave = 48.0;
constexpr double kLeast_db = 1.2;
constexpr double kMode = 0.05;  // how far off the inner sizes may be

bool is_response(const CaseTake& t) {
  return t.kind == CaseTake::Kind::kResponse;
}

/// The state that most takes are of.
std::string main_of(const CaseMaterial& m, std::string CaseTake::*member) {
  std::map<std::string, int> counts;
  std::vector<std::string> order;
  for (const CaseTake& t : m.takes) {
    if (counts[t.*member]++ == 0) order.push_back(t.*member);
  }
  std::string best = order.empty() ? std::string() : order.front();
  for (const std::string& each : order)
    if (counts[each] > counts[best]) best = each;
  return best;
}

std::vector<double> level_on(const Response& curve, const FrequencyAxis& axis) {
  std::vector<double> out;
  const ValidRange valid = intersect(curve.valid(), {curve.axis().front(), curve.axis().back()});
  for (const double f : axis.hz())
    out.push_back(valid.contains(f)
                      ? to_level_db(std::abs(value_at(curve, f)), level_reference(curve.quantity()))
                      : std::numeric_limits<double>::quiet_NaN());
  return out;
}

/// Finite all over a range: what lies outside takes its end's value, so that means can be made.
std::vector<double> filled(std::vector<double> y) {
  double last = 0.0;
  bool any = false;
  for (double& v : y) {
    if (std::isfinite(v)) {
      if (!any)
        for (double& before : y) {
          if (&before == &v) break;
          before = v;
        }
      any = true;
      last = v;
    } else {
      v = last;
    }
  }
  return y;
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
  return shared_by(f, own, {look(*v.axis, filled(found->second))});
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

/// What the edges make of a driver on the axis, dB.
std::optional<std::vector<double>> edges_of(const CaseView& v, const std::string& id) {
  const CaseSubject& s = v.material->subject;
  const CaseDriver* d = s.driver(id);
  if (d == nullptr || !s.baffle || !(d->radius_m > 0.0) || v.axis_take == nullptr ||
      s.loading == "open-baffle")
    return std::nullopt;
  const auto piston =
      BafflePiston::make(*s.baffle, s.origin_x_m + d->x_m, s.origin_y_m + d->y_m, d->radius_m);
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

/// What every other take says of a feature.
void ask_others(CaseView& v, SeenFeature& s, const std::vector<double>& own, Look look) {
  const CaseMaterial& m = *v.material;
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
    if (t.variant != v.variant || !t.condition.empty()) continue;
    const bool on_axis = t.horizontal_deg == 0.0 && t.vertical_deg == 0.0;
    if (!t.driver.empty()) {
      if (t.driver == s.leads && on_axis) alone.add(share);
      continue;
    }
    if (t.sample != v.sample) {
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

void find_features(CaseView& v) {
  v.outstanding_db = outstanding(*v.axis, filled(v.level_db));
  std::map<std::string, std::vector<double>> stands;
  for (const CaseDriver& d : v.material->subject.drivers)
    if (auto edges = edges_of(v, d.id)) {
      stands[d.id] = outstanding(*v.axis, filled(*edges));
      v.edges[d.id] = *std::move(edges);
    }
  // A sixth of an octave leaves a third of what neighbouring rows scatter.
  const double scatter = scatter_db(v.axis_take->curve, 300.0, 10000.0).value_or(0.0);
  const double least = std::max(kLeast_db, 1.4 * scatter);
  for (const CurveFeature& f : features_of(*v.axis, v.outstanding_db, 1.15 * v.valid.low_hz,
                                           std::min(v.valid.high_hz / 1.1, 16000.0), least)) {
    SeenFeature s = seen_at(v, f);
    ask_others(v, s, v.outstanding_db, outstanding);
    if (const auto foretold = stands.find(s.leads); foretold != stands.end()) {
      s.from_edges = std::clamp(shared_by(f, v.outstanding_db, {foretold->second}), -1.0, 1.5);
      for (std::size_t i = f.from; i < f.to; ++i)
        if (foretold->second[i] * f.height_db > 0.0 &&
            std::abs(foretold->second[i]) > std::abs(s.edges_db))
          s.edges_db = foretold->second[i];
    }
    v.features.push_back(s);
  }
}

/// What is too narrow for the broad look: walls, mostly. A scatter of the rows is none.
void find_sharp_features(CaseView& v) {
  constexpr double kHighest = 2000.0;
  constexpr double kOverScatter = 7.0;
  const std::vector<double> fine = finely(*v.axis, filled(v.level_db));
  std::vector<double> size;
  for (std::size_t i = 0; i < fine.size(); ++i)
    if ((*v.axis)[i] > v.valid.low_hz && (*v.axis)[i] < 2.0 * kHighest)
      size.push_back(std::abs(fine[i]));
  if (size.size() < 24) return;
  const auto middle = size.begin() + static_cast<std::ptrdiff_t>(size.size() / 2);
  std::nth_element(size.begin(), middle, size.end());
  const double least = std::max(0.7, kOverScatter * *middle);
  for (const CurveFeature& f : features_of(*v.axis, fine, std::max(1.1 * v.valid.low_hz, 70.0),
                                           std::min(kHighest, v.valid.high_hz), least)) {
    SeenFeature s = seen_at(v, f);
    if (s.high_hz / s.low_hz > std::exp2(0.3)) continue;
    s.sharp = true;
    // By what stands higher than half of it.
    std::size_t wide = 0;
    for (std::size_t i = f.from; i < f.to; ++i)
      wide += std::abs(fine[i]) > 0.5 * std::abs(f.height_db) ? 1U : 0U;
    s.q = kPerOctave / (std::log(2.0) * static_cast<double>(wide));
    ask_others(v, s, fine, finely);
    const auto broad =
        std::find_if(v.features.begin(), v.features.end(), [&](const SeenFeature& other) {
          return !other.sharp && other.feature.height_db * f.height_db > 0.0 &&
                 std::abs(std::log(other.at_hz / s.at_hz)) < 0.05;
        });
    // What the broad look has smeared is one feature with what the finer look shows.
    if (broad == v.features.end())
      v.features.push_back(s);
    else if (std::abs(f.height_db) > 1.2 * std::abs(broad->feature.height_db))
      *broad = s;
  }
}

/// Dips and peaks by turns that lie evenly in Hz: a second arrival.
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

/// Which impedances there are, and what fits of them say.
void fit_impedances(CaseView& v) {
  const CaseMaterial& m = *v.material;
  for (const CaseTake& t : m.takes) {
    if (t.kind != CaseTake::Kind::kImpedance) continue;
    const bool free = t.condition == "free-air";
    const bool other = t.condition == "added-mass" || t.condition == "test-box";
    if (free && v.free_impedance == nullptr) v.free_impedance = &t;
    if (!free && !other && t.variant == v.variant && v.box_impedance == nullptr)
      v.box_impedance = &t;
  }
  if (v.free_impedance != nullptr)
    if (auto fit = fit_driver(v.free_impedance->curve)) v.free_air = *std::move(fit);
  if (v.box_impedance == nullptr) return;
  const Response& z = v.box_impedance->curve;
  for (const ImpedancePeak& p : impedance_peaks(z, 0.12))
    if (p.frequency_hz < 200.0 && v.bass_humps++ == 0)
      v.lower_hump_in_range = z.axis().front() < 0.2 * p.frequency_hz;
  const std::string& loading = m.subject.loading;
  if (loading == "vented" || loading == "passive-radiator") {
    if (auto fit = fit_box(z, loading == "vented" ? BackLoad::kVented : BackLoad::kRadiator))
      v.box = *std::move(fit);
    if (v.box && loading == "vented")
      v.losses = loss_kinds(z, *v.box, v.free_air ? &*v.free_air : nullptr);
  } else if (loading == "sealed") {
    if (auto fit = fit_driver(z, {.in_closed_box = true})) v.closed = *std::move(fit);
  }
}

WiggleSearch search_of(const CaseView& v) {
  WiggleSearch search;
  if (v.box) {
    search.model_to_hz = v.box->fitted_to_hz;
    search.humps = {0.7 * v.box->fl_hz.value, 1.4 * v.box->fh_hz.value};
  } else if (v.closed) {
    search.model_to_hz = v.closed->fitted_to_hz;
  }
  search.least_percent = 0.3;
  search.low_hz = v.box ? 1.5 * v.box->fh_hz.value : 60.0;
  search.high_hz = 8000.0;
  return search;
}

const Wiggle* same_place(const Wiggle& w, const std::vector<Wiggle>& all) {
  for (const Wiggle& o : all)
    if (std::abs(std::log(o.frequency_hz.value / w.frequency_hz.value)) < 0.03) return &o;
  return nullptr;
}

/// The nearest wave of the box, and the port's pipe.
void match(SeenWiggle& s, const CaseSubject& subject, const std::vector<BoxMode>& modes) {
  const double f = s.wiggle.frequency_hz.value;
  for (const BoxMode& mode : modes) {
    const int whole = mode.order[0] + mode.order[1] + mode.order[2];
    if (whole == 0 || whole > 3) continue;
    const double off = std::abs(std::log(f / mode.frequency_hz));
    if (off >= s.mode_off || off > kMode) continue;
    s.mode_off = off;
    const char* const words[3] = {"width", "height", "depth"};
    s.mode = whole == 1 ? std::string(words[mode.order[0] > 0   ? 0
                                            : mode.order[1] > 0 ? 1
                                                                : 2])
                        : "higher";
  }
  for (const CasePort& p : subject.ports)
    s.pipe_off = std::min(s.pipe_off, std::abs(std::log(f / pipe_resonance_hz(p.geometry, kC))));
}

/// What became of the loops where another variant changed the damping or the port.
void follow_variants(CaseView& v, const WiggleSearch& search) {
  for (const CaseTake& t : v.material->takes) {
    if (t.kind != CaseTake::Kind::kImpedance || t.variant == v.variant || t.condition == "free-air")
      continue;
    const auto variant =
        std::find_if(v.material->variants.begin(), v.material->variants.end(),
                     [&](const CaseVariant& each) { return each.id == t.variant; });
    if (variant == v.material->variants.end()) continue;
    const bool damping = variant->change == "damping";
    if (!damping && variant->change != "port") continue;
    const auto others = find_wiggles(t.curve, nullptr, search);
    for (SeenWiggle& w : v.wiggles) {
      const Wiggle* there = same_place(w.wiggle, others);
      const double left = there == nullptr ? 0.0 : there->height_percent / w.wiggle.height_percent;
      (damping ? w.damped : w.port_changed) = left;
    }
  }
}

/// Loops of the impedance in the box, of those in free air, and which features they belong to.
void find_wiggles_of(CaseView& v) {
  if (v.box_impedance == nullptr) return;
  const CaseMaterial& m = *v.material;
  const Response& z = v.box_impedance->curve;
  const FittedImpedance* motor = v.box ? &v.box->motor : v.closed ? &v.closed->motor : nullptr;
  const WiggleSearch search = search_of(v);
  std::optional<std::vector<Wiggle>> free;
  if (v.free_air) {
    WiggleSearch own = search;
    own.model_to_hz = v.free_air->fitted_to_hz;
    own.humps = {1.0, 0.0};
    free = find_wiggles(v.free_impedance->curve, &v.free_air->motor, own);
  }
  std::vector<BoxMode> modes;
  if (m.subject.inner)
    modes = box_modes(*m.subject.inner, 2500.0, inner_speed_m_s(m.subject.damping, kC));
  for (const Wiggle& w : find_wiggles(z, motor, search)) {
    SeenWiggle s{.wiggle = w};
    if (free) s.in_free_air = same_place(w, *free) != nullptr;
    match(s, m.subject, modes);
    v.wiggles.push_back(s);
  }
  follow_variants(v, search);
  for (SeenFeature& f : v.features) {
    double box = 0.0;
    for (const SeenWiggle& w : v.wiggles)
      if (std::abs(std::log(w.wiggle.frequency_hz.value / f.at_hz)) < 0.06) {
        box = std::max(box, w.wiggle.height_percent);
      }
    f.wiggle_box = box;
    for (const BoxMode& mode : modes)
      f.at_mode = f.at_mode || (mode.order[0] + mode.order[1] + mode.order[2] > 0 &&
                                std::abs(std::log(mode.frequency_hz / f.at_hz)) < kMode);
    if (!free) continue;
    f.wiggle_free = 0.0;
    for (const Wiggle& w : *free)
      if (std::abs(std::log(w.frequency_hz.value / f.at_hz)) < 0.06)
        f.wiggle_free = std::max(*f.wiggle_free, w.height_percent);
  }
}

}  // namespace

const CaseDriver* CaseSubject::driver(const std::string& id) const {
  for (const CaseDriver& d : drivers)
    if (d.id == id) return &d;
  return nullptr;
}

std::string leading_driver(const CaseSubject& s, double f) {
  for (const CaseDriver& d : s.drivers) {
    const bool plays =
        std::none_of(s.crossovers.begin(), s.crossovers.end(), [&](const CaseCrossover& x) {
          return (x.low == d.id && f > x.frequency_hz) || (x.high == d.id && f < x.frequency_hz);
        });
    if (plays) return d.id;
  }
  return {};
}

double CaseView::ka(const std::string& id, double f) const {
  const CaseDriver* d = material->subject.driver(id);
  return d != nullptr && d->radius_m > 0.0 ? 2.0 * kPi * f * d->radius_m / kC : 1.0;
}

std::vector<const CaseTake*> CaseView::responses() const {
  std::vector<const CaseTake*> all;
  for (const CaseTake& t : material->takes)
    if (is_response(t) && t.variant == variant && t.sample == sample && t.driver.empty() &&
        t.condition.empty() && t.flipped.empty())
      all.push_back(&t);
  return all;
}

CaseView view_of(const CaseMaterial& material) {
  CaseView v{.material = &material};
  v.variant = main_of(material, &CaseTake::variant);
  v.sample = main_of(material, &CaseTake::sample);
  for (const CaseTake* t : v.responses())
    if (t->horizontal_deg == 0.0 && t->vertical_deg == 0.0 && v.axis_take == nullptr)
      v.axis_take = t;
  v.axis = FrequencyAxis::logarithmic(20.0, 20000.0, kPerOctave);
  for (const CaseTake& t : material.takes)
    if (t.kind != CaseTake::Kind::kImpedance) v.levels[&t] = level_on(t.curve, *v.axis);
  if (v.axis_take != nullptr) {
    v.level_db = v.levels[v.axis_take];
    v.valid = intersect(v.axis_take->curve.valid(),
                        {v.axis_take->curve.axis().front(), v.axis_take->curve.axis().back()});
    find_features(v);
    find_comb(v);
    find_sharp_features(v);
  }
  fit_impedances(v);
  find_wiggles_of(v);
  return v;
}

}  // namespace lalometer
