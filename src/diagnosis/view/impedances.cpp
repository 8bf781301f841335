#include "diagnosis/view/impedances.h"

#include <algorithm>
#include <cmath>
#include <complex>

#include "acoustics/impedance/box_signature.h"
#include "base/constants.h"
#include "diagnosis/view/bass/pipe.h"
#include "diagnosis/view/drivers.h"
#include "diagnosis/view/mains.h"

namespace lalometer {
namespace {

constexpr double kC = kSpeedOfSound20_m_s;
constexpr double kBassHump = 0.12;  // over what is around it
constexpr double kBass_hz = 200.0;
constexpr double kBroadest_q = 2.8;  // of a surround's loop in free air
constexpr double kMode = 0.05;       // how far off the inner sizes may be
constexpr double kGuessedMode = 0.08;
constexpr double kBeside = 0.11;  // a dip or a peak that a wave makes, from the wave itself

/// A take without the rows that the mains spoilt.
const CaseTake* kept(CaseView& v, const CaseTake& take) {
  auto clean = std::make_shared<CaseTake>(take);
  clean->curve = without_mains(take.curve);
  return v.cleaned.emplace_back(std::move(clean)).get();
}

/// Which impedances there are of what the box loads.
void find_impedances(CaseView& v) {
  for (const CaseTake& t : v.material->takes) {
    if (t.kind != CaseTake::Kind::kImpedance || !plays_low(v.material->subject, t.driver)) continue;
    const bool free = t.condition == "free-air";
    const bool other = t.condition == "added-mass" || t.condition == "test-box";
    if (free && v.free_impedance == nullptr) v.free_impedance = kept(v, t);
    if (!free && !other && t.variant == v.variant && v.box_impedance == nullptr)
      v.box_impedance = kept(v, t);
  }
}

std::optional<ImpedancePeak> upper_hump_of(const Response& z) {
  std::optional<ImpedancePeak> upper;
  for (const ImpedancePeak& p : impedance_peaks(z, kBassHump))
    if (p.frequency_hz < kBass_hz && (!upper || p.frequency_hz > upper->frequency_hz)) upper = p;
  return upper;
}

/// What fits of them say.
void fit_impedances(CaseView& v) {
  const CaseMaterial& m = *v.material;
  if (v.free_impedance != nullptr)
    if (auto fit = fit_driver(v.free_impedance->curve)) v.free_air = *std::move(fit);
  if (v.box_impedance == nullptr) return;
  const Response& z = v.box_impedance->curve;
  for (const ImpedancePeak& p : impedance_peaks(z, kBassHump)) {
    if (p.frequency_hz >= kBass_hz) continue;
    if (v.bass_humps++ > 0) continue;
    v.lower_hump_in_range = z.axis().front() < 0.2 * p.frequency_hz;
    v.begins_below_humps = z.axis().front() < 0.8 * p.frequency_hz;
  }
  const std::string& loading = m.subject.loading;
  if (loading == "vented" || loading == "passive-radiator") {
    if (auto fit = fit_box(z, loading == "vented" ? BackLoad::kVented : BackLoad::kRadiator))
      v.box = *std::move(fit);
  } else if (loading == "sealed") {
    if (auto fit = fit_driver(z, {.in_closed_box = true})) v.closed = *std::move(fit);
  }
}

/// Where a box loses, and whether a sealed one is tight: after the fits.
void find_losses(CaseView& v) {
  if (v.box_impedance == nullptr) return;
  const CaseSubject& s = v.material->subject;
  const Response& z = v.box_impedance->curve;
  const bool crossed = !s.crossovers.empty() || has_unlike_drivers(s);
  const DriverFit* free = v.free_air ? &*v.free_air : nullptr;
  if (s.loading == "sealed") v.tightness = tightness_of(z, free, crossed);
  if (s.loading != "vented") return;
  if (v.box) {
    v.losses = loss_kinds(z, *v.box, free, crossed);
    return;
  }
  const auto hump = upper_hump_of(z);
  if (!hump) return;
  if (const auto start = free != nullptr ? box_from_free_air(z, *free, hump->frequency_hz)
                                         : box_from_humps(z, *hump))
    v.losses = loss_kinds(z, *start, free, crossed);
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
  search.high_hz = 20000.0;  // a short ground bends with its loops
  return search;
}

/// How far off a loop's place may be seen, natural logarithm: what is beside it moves the top of a
/// broad one.
double place_spread(const Wiggle& w) {
  return std::clamp(0.6 / w.q, 0.03, 0.15);
}

const Wiggle* same_place(const Wiggle& w, const std::vector<Wiggle>& all) {
  for (const Wiggle& o : all)
    if (std::abs(std::log(o.frequency_hz.value / w.frequency_hz.value)) <
        std::max(place_spread(o), place_spread(w)))
      return &o;
  return nullptr;
}

/// The nearest wave of the box.
void match(SeenWiggle& s, const CaseSubject& subject, const std::vector<BoxMode>& modes) {
  const double f = s.wiggle.frequency_hz.value;
  for (const BoxMode& mode : modes) {
    const int whole = mode.order[0] + mode.order[1] + mode.order[2];
    if (whole == 0 || whole > (subject.inner ? 3 : 1)) continue;
    const double off = std::abs(std::log(f / mode.frequency_hz));
    if (off >= s.mode_off || off > (subject.inner ? kMode : kGuessedMode)) continue;
    s.mode_off = off;
    const char* const words[3] = {"width", "height", "depth"};
    s.mode = whole == 1 ? std::string(words[mode.order[0] > 0   ? 0
                                            : mode.order[1] > 0 ? 1
                                                                : 2])
                        : "higher";
  }
}

/// Where the inner sizes are not told, only the simplest waves can be foretold; of two that were
/// found another stands at the root of their squares' sum, and one at twice each.
void match_higher(std::vector<SeenWiggle>& all) {
  constexpr double kExact = 0.015;
  std::vector<std::pair<double, std::string>> simple;
  for (const SeenWiggle& s : all)
    if (!s.mode.empty()) simple.emplace_back(s.wiggle.frequency_hz.value, s.mode);
  for (SeenWiggle& s : all) {
    if (!s.mode.empty()) continue;
    const double f = s.wiggle.frequency_hz.value;
    const auto take = [&](double wave) {
      const double off = std::abs(std::log(f / wave));
      if (off >= std::min(kExact, s.mode_off)) return;
      s.mode_off = off;
      s.mode = "higher";
    };
    for (const auto& [one, name] : simple) {
      take(2.0 * one);
      for (const auto& [other, its] : simple)
        if (its > name) take(std::hypot(one, other));
    }
  }
}

/// An impedance whose loops are sought.
struct Looked {
  const Response* curve;
  const FittedImpedance* motor;
  WiggleSearch search;
  bool damping = false;  ///< of a variant that changed it; else the port
  std::vector<Wiggle> found = {};
};

/// Variants that changed the damping or the port.
void add_variants(const CaseView& v, const WiggleSearch& search, std::vector<Looked>& all) {
  for (const CaseTake& t : v.material->takes) {
    if (t.kind != CaseTake::Kind::kImpedance || t.variant == v.variant || t.condition == "free-air")
      continue;
    const auto variant =
        std::find_if(v.material->variants.begin(), v.material->variants.end(),
                     [&](const CaseVariant& each) { return each.id == t.variant; });
    if (variant == v.material->variants.end()) continue;
    const bool damping = variant->change == "damping";
    if (!damping && variant->change != "port") continue;
    all.push_back({.curve = &t.curve, .motor = nullptr, .search = search, .damping = damping});
  }
}

/// What became of the loops there.
void follow(CaseView& v, const Looked& variant) {
  for (SeenWiggle& w : v.wiggles) {
    const Wiggle* there = same_place(w.wiggle, variant.found);
    const double left = there == nullptr ? 0.0 : there->height_percent / w.wiggle.height_percent;
    (variant.damping ? w.damped : w.port_changed) = left;
  }
}

/// The box's inside; where it was not told, its outside less the usual walls.
std::optional<InnerBox> inside_of(const CaseSubject& s) {
  constexpr double kWalls_m = 0.036;  // two of 18 mm, common practice
  if (s.inner || !s.baffle) return s.inner;
  if (s.loading != "sealed" && s.loading != "vented" && s.loading != "passive-radiator") return {};
  const InnerBox box{s.baffle->width_m() - kWalls_m, s.baffle->height_m() - kWalls_m,
                     s.baffle->depth_m() - kWalls_m};
  const bool closed = std::min({box.width_m, box.height_m, box.depth_m}) > 0.05;
  return closed ? std::optional(box) : std::nullopt;
}

/// Waves of the box's air.
std::vector<BoxMode> modes_of(const CaseSubject& s) {
  const auto inner = inside_of(s);
  return inner ? box_modes(*inner, 2500.0, inner_speed_m_s(s.damping, kC)) : std::vector<BoxMode>();
}

/// Loops of the impedance in the box and in free air, and beside that search the losses.
void find_wiggles_of(CaseView& v, const Parallel& parallel) {
  const CaseMaterial& m = *v.material;
  const WiggleSearch search = search_of(v);
  std::vector<Looked> all;
  if (v.free_air) {
    WiggleSearch own = search;
    own.model_to_hz = v.free_air->fitted_to_hz;
    own.humps = {1.0, 0.0};
    // No network is in it, whose bends broad loops could be.
    own.least_q = kBroadest_q;
    all.push_back({.curve = &v.free_impedance->curve, .motor = &v.free_air->motor, .search = own});
  }
  const std::size_t box = all.size();
  if (v.box_impedance != nullptr) {
    const FittedImpedance* motor = v.box ? &v.box->motor : v.closed ? &v.closed->motor : nullptr;
    all.push_back({.curve = &v.box_impedance->curve, .motor = motor, .search = search});
    add_variants(v, search, all);
  }
  parallel(all.size() + 1, [&](std::size_t i) {
    if (i < all.size())
      all[i].found = find_wiggles(*all[i].curve, all[i].motor, all[i].search, parallel);
    else
      find_losses(v);
  });
  std::optional<std::vector<Wiggle>>& free = v.free_wiggles;
  if (box > 0) free = std::move(all.front().found);
  if (box == all.size()) return;
  const std::vector<BoxMode> modes = modes_of(m.subject);
  for (const Wiggle& w : all[box].found) {
    SeenWiggle s{.wiggle = w};
    if (free) s.in_free_air = same_place(w, *free) != nullptr;
    match(s, m.subject, modes);
    v.wiggles.push_back(s);
  }
  if (!m.subject.inner) match_higher(v.wiggles);
  for (std::size_t i = box + 1; i < all.size(); ++i) follow(v, all[i]);
}

/// Whether an impedance's rows lie close enough to show a loop as sharp as a feature; a loop of
/// that Q spans 1.4 / Q octaves.
bool shows(const CaseTake& impedance, const SeenFeature& f) {
  constexpr double kRowsInALoop = 1.7;
  const FrequencyAxis& axis = impedance.curve.axis();
  if (axis.size() < 2) return false;
  const std::size_t i = axis.bracket(f.at_hz);
  return std::log2(axis[i + 1] / axis[i]) * kRowsInALoop < 1.4 / f.q;
}

/// Whether a loop of that Q would have been told from a bend of the impedance in the box.
bool stands_out(const CaseView& v, const SeenFeature& f) {
  const WiggleSearch search = search_of(v);
  return f.q > (f.at_hz < search.model_to_hz ? search.least_q : search.least_q_over_network);
}

/// Which features they belong to.
void match_features(CaseView& v) {
  const std::vector<BoxMode> modes = modes_of(v.material->subject);
  const std::optional<std::vector<Wiggle>>& free = v.free_wiggles;
  for (const CasePort& p : v.material->subject.ports)
    if (const auto pipe = pipe_hz(v, p))
      for (SeenWiggle& w : v.wiggles)
        w.pipe_off = std::min(w.pipe_off, std::abs(std::log(w.wiggle.frequency_hz.value / *pipe)));
  for (SeenFeature& f : v.features) {
    const auto near = [&](double hz) { return std::abs(std::log(hz / f.at_hz)); };
    if (v.box_impedance != nullptr) {
      f.wiggle_box = 0.0;
      for (const SeenWiggle& w : v.wiggles)
        if (near(w.wiggle.frequency_hz.value) < 0.06)
          f.wiggle_box = std::max(*f.wiggle_box, w.wiggle.height_percent);
      if (*f.wiggle_box == 0.0 && !(shows(*v.box_impedance, f) && stands_out(v, f)))
        f.wiggle_box.reset();
    }
    // A wave makes a dip on one side of itself and a peak on the other.
    const auto other_side = [&](double hz) {
      return std::any_of(v.features.begin(), v.features.end(), [&](const SeenFeature& o) {
        return o.feature.height_db * f.feature.height_db < 0.0 &&
               (o.at_hz - hz) * (f.at_hz - hz) < 0.0 && std::abs(std::log(o.at_hz / hz)) < kBeside;
      });
    };
    f.at_mode = std::any_of(modes.begin(), modes.end(), [&](const BoxMode& mode) {
      const int whole = mode.order[0] + mode.order[1] + mode.order[2];
      if (whole == 0 || (whole > 1 && !v.material->subject.inner)) return false;
      const double off = near(mode.frequency_hz);
      return off < kMode || (off < kBeside && other_side(mode.frequency_hz));
    });
    for (const SeenWiggle& w : v.wiggles)
      f.at_mode = f.at_mode || (!w.mode.empty() && !w.in_free_air.value_or(false) &&
                                near(w.wiggle.frequency_hz.value) < kBeside);
    if (!free) continue;
    f.wiggle_free = 0.0;
    // A resonance beside the sound that passes it makes a dip on one side and a peak on the other,
    // each up to its bandwidth away from it.
    const double rings_q = f.rings_q.value_or(0.0) > 0.0 ? *f.rings_q : f.q;
    const double reach = std::clamp(0.7 / rings_q, 0.06, 0.13);
    for (const Wiggle& w : *free)
      if (near(w.frequency_hz.value) < std::max(reach, place_spread(w)) &&
          w.height_percent > *f.wiggle_free) {
        f.wiggle_free = w.height_percent;
        f.free_loop_hz = w.frequency_hz.value;
        f.free_loop_q = w.q;
      }
    if (*f.wiggle_free == 0.0 && v.free_impedance != nullptr && !shows(*v.free_impedance, f))
      f.wiggle_free.reset();
    if (v.free_air && f.wiggle_free.value_or(0.0) > 0.0) {
      const std::complex<double> whole = v.free_air->motor.at(f.at_hz);
      const std::complex<double> motional =
          whole - v.free_air->re_ohm.value - v.free_air->coil.impedance_ohm(f.at_hz);
      const double share = std::max(std::abs(motional) / std::abs(whole), 1e-3);
      const double of_motion = 0.01 * *f.wiggle_free / share;
      // A loop larger than the whole motional part is not of the motion alone.
      if (of_motion < 1.2) f.by_loop_db = 20.0 * std::log10(1.0 + 0.5 * of_motion);
    }
  }
}

}  // namespace

double SeenFeature::moves_as_one() const {
  // Between the two: found on simulated drivers, 0.5 to 1.1 times as much where a surround moves,
  // from 1.6 where the cone bends.
  constexpr double kEven = 1.3;
  // What is sharp is not seen in full by the rows of a list.
  constexpr double kSharp_q = 12.0;
  const double most = q > kSharp_q ? 2.5 : 8.0;
  const double more = std::abs(feature.height_db) / std::max(by_loop_db.value_or(0.0), 0.05);
  return std::clamp(std::pow(kEven / more, 4.0), 1.0 / most, most);
}

void look_at_impedances(CaseView& v, const ImpedanceSide* known, const Parallel& parallel) {
  find_impedances(v);
  if (known != nullptr) {
    static_cast<ImpedanceSide&>(v) = *known;
  } else {
    fit_impedances(v);
    find_wiggles_of(v, parallel);
  }
  match_features(v);
}

}  // namespace lalometer
