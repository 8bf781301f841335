#include "diagnosis/diagnose.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "base/text.h"
#include "diagnosis/next_step.h"
#include "diagnosis/registry.h"
#include "diagnosis/swaps.h"
#include "diagnosis/view/meeting/untold.h"
#include "diagnosis/view/sound/harmonics.h"

namespace lalometer {
namespace {

constexpr double kWorthTelling = 0.03;

struct Named {
  const char* word;
  Claim claim;
};

FindingSeverity severity_of(double size_db, double q, double probability) {
  const double size = std::abs(size_db);
  // Broad ones are heard at lower levels than sharp ones (Toole and Olive 1988).
  const double heard = q < 2.0 ? 1.0 : q < 8.0 ? 1.5 : 3.0;
  if (probability < 0.5 || size < heard) return FindingSeverity::kMinor;
  return size < 3.0 * heard ? FindingSeverity::kAudible : FindingSeverity::kSevere;
}

/// The ratios are shy: what has even odds by them is true a little oftener; of what has less, less
/// is true, of the rest more. But nothing is as sure as all its evidence together. Set on ensembles
/// of several simulators (docs/accuracy.md, "Diagnosis").
constexpr double kSharper = 2.0;
constexpr double kSharperYet = 3.1;  // above even odds
constexpr double kOftener = 0.1;
constexpr double kSure = 3.3;  // a probability of 0.964
constexpr double kSlower = 0.25;

double calibrated(double p) {
  const double even = std::log(p / (1.0 - p));
  double logit = (even > 0.0 ? kSharperYet : kSharper) * even + kOftener;
  if (logit > kSure) logit = kSure + kSlower * (logit - kSure);
  return 1.0 / (1.0 + std::exp(-logit));
}

/// Of claims on one thing: each one's odds against all others and against an ordinary loudspeaker.
std::vector<FindingCause> competed(const CaseView& v, const std::vector<const Named*>& claims) {
  double sum = 1.0;
  for (const Named* n : claims) sum += n->claim.odds();
  std::vector<FindingCause> causes;
  for (const Named* n : claims) {
    FindingCause cause{n->word, calibrated(n->claim.odds() / sum), n->claim.evidence(),
                       n->claim.against()};
    const std::string lead = n->claim.feature ? v.features[*n->claim.feature].leads : std::string();
    for (const auto& [sentence, by] : n->claim.told_by())
      if (auto ids = takes_of(v, by, lead); !ids.empty()) cause.told_by[sentence] = std::move(ids);
    for (const auto& [sentence, takes] : n->claim.told_by_takes())
      for (const std::int64_t id : takes)
        if (id != 0) cause.told_by[sentence].push_back(id);
    causes.push_back(std::move(cause));
  }
  std::stable_sort(causes.begin(), causes.end(), [](const FindingCause& a, const FindingCause& b) {
    return a.probability > b.probability;
  });
  std::erase_if(causes, [](const FindingCause& c) { return c.probability < kWorthTelling; });
  return causes;
}

/// The takes in which a place of the sound is looked at: the axis, one to the side, one up or down,
/// the near field and the driver alone.
std::vector<std::int64_t> sound_of(const CaseView& v, const std::string& lead) {
  std::vector<std::int64_t> ids;
  const auto put = [&](const CaseTake* t) {
    if (t != nullptr && t->id != 0 && std::find(ids.begin(), ids.end(), t->id) == ids.end())
      ids.push_back(t->id);
  };
  put(v.axis_take);
  const CaseTake* side = nullptr;
  const CaseTake* up = nullptr;
  for (const CaseTake* t : v.responses()) {
    const auto nearer = [&](double CaseTake::*angle, double wanted, const CaseTake* than) {
      return t->*angle > 5.0 &&
             (than == nullptr || std::abs(t->*angle - wanted) < std::abs(than->*angle - wanted));
    };
    if (t->vertical_deg == 0.0 && nearer(&CaseTake::horizontal_deg, 30.0, side)) side = t;
    if (t->horizontal_deg == 0.0 && nearer(&CaseTake::vertical_deg, 15.0, up)) up = t;
  }
  put(side);
  put(up);
  for (const CaseTake& t : v.material->takes) {
    const bool own = t.variant == v.variant && t.sample == v.sample && !lead.empty();
    if (own && t.kind == CaseTake::Kind::kNearField && t.source == lead) put(&t);
    if (own && t.kind == CaseTake::Kind::kResponse && t.driver == lead && t.horizontal_deg == 0.0 &&
        t.vertical_deg == 0.0)
      put(&t);
  }
  return ids;
}

std::vector<std::int64_t> impedances_of(const CaseView& v) {
  std::vector<std::int64_t> ids;
  for (const CaseTake* t : {v.box_impedance, v.free_impedance})
    if (t != nullptr && t->id != 0) ids.push_back(t->id);
  return ids;
}

const Named* strongest(const std::vector<const Named*>& claims) {
  return *std::max_element(claims.begin(), claims.end(), [](const Named* a, const Named* b) {
    return a->claim.odds() < b->claim.odds();
  });
}

Finding of_feature(const CaseView& v, const SeenFeature& f,
                   const std::vector<const Named*>& claims) {
  Finding out{.frequency_hz = f.at_hz,
              .low_hz = f.low_hz,
              .high_hz = f.high_hz,
              .shape = f.feature.height_db < 0.0 ? FindingShape::kDip : FindingShape::kPeak,
              .size_db = f.feature.height_db};
  out.causes = competed(v, claims);
  const double p = out.causes.empty() ? 0.0 : out.causes.front().probability;
  out.severity = severity_of(out.size_db, f.q, p);
  out.correctable_by_eq = strongest(claims)->claim.equalise;
  out.next_step = strongest(claims)->claim.next_step;
  return out;
}

Finding of_wiggle(const CaseView& v, const SeenWiggle& w, const std::vector<const Named*>& claims) {
  const double f = w.wiggle.frequency_hz.value;
  Finding out{.frequency_hz = f,
              .low_hz = f * (1.0 - 0.5 / w.wiggle.q),
              .high_hz = f * (1.0 + 0.5 / w.wiggle.q),
              .shape = FindingShape::kWiggle,
              .size_db = 20.0 * std::log10(1.0 + w.wiggle.height_percent / 100.0)};
  out.causes = competed(v, claims);
  const double p = out.causes.empty() ? 0.0 : out.causes.front().probability;
  out.severity = p < 0.3                         ? FindingSeverity::kNone
                 : w.wiggle.height_percent < 4.0 ? FindingSeverity::kMinor
                                                 : FindingSeverity::kAudible;
  out.next_step = strongest(claims)->claim.next_step;
  return out;
}

/// The next take over all causes; those that nothing speaks for are a little possible still.
std::optional<NextTake> next_of_all(const CaseView& view, const Diagnosis& d) {
  constexpr double kStillPossible = 0.03;
  std::map<std::string, double> most;
  for (const Cause& cause : all_causes()) most[cause.word] = kStillPossible;
  const auto put = [&](const FindingCause& c) {
    // The most undecided of a cause's findings is what a take is for.
    double& p = most[c.cause];
    if (std::abs(c.probability - 0.5) < std::abs(p - 0.5)) p = c.probability;
  };
  for (const Finding& f : d.findings)
    for (const FindingCause& c : f.causes) put(c);
  for (const FindingCause& c : d.overall) put(c);
  std::vector<FindingCause> causes;
  for (const auto& [word, p] : most) causes.push_back({word, p});
  return next_take(view, causes);
}

/// What is at a place, without a feature of the reference curve.
Finding of_place(const std::vector<FindingCause>& causes, const Named& first) {
  const Claim& c = first.claim;
  Finding f{.frequency_hz = c.at_hz,
            .low_hz = c.low_hz > 0.0 ? c.low_hz : c.at_hz,
            .high_hz = c.high_hz > 0.0 ? c.high_hz : c.at_hz,
            .shape = c.shape,
            .size_db = c.size_db,
            .causes = causes};
  f.severity = severity_of(f.size_db, 1.0, causes.front().probability);
  f.correctable_by_eq = c.equalise;
  f.next_step = c.next_step;
  return f;
}

/// What every loudspeaker of its kind has is a trait beside a fault that it need not have: front
/// and back of any open panel cancel, its frame need not resonate.
void leave_traits(std::vector<Named>& named) {
  constexpr double kLikely = 1.5;  // odds
  const auto is = [](const Named& n, const char* word) { return std::string_view(n.word) == word; };
  const bool resonates = std::any_of(named.begin(), named.end(), [&](const Named& n) {
    return is(n, "cavity-resonance") && n.claim.odds() > kLikely;
  });
  if (!resonates) return;
  for (Named& n : named)
    if (is(n, "dipole-cancellation"))
      n.claim.saw(0.05, "any open panel has it; this one's frame resonates, which it need not");
}

/// A loop of the impedance at a feature of the response is the same thing: where a cause speaks of
/// both, the feature's claim, which sees the loop and more, speaks alone; what other causes say of
/// the loop competes with what is likely there.
void join_loops(const CaseView& view, std::vector<Named>& named) {
  constexpr double kSame = 0.04;
  constexpr double kLikely = 1.0;  // odds
  const auto of = [&](const Named& loop, const Named& other) {
    if (!other.claim.feature) return false;
    const double loop_hz = view.wiggles[*loop.claim.wiggle].wiggle.frequency_hz.value;
    const SeenFeature& f = view.features[*other.claim.feature];
    return std::abs(std::log(f.at_hz / loop_hz)) < kSame ||
           std::abs(std::log(f.free_loop_hz.value_or(f.at_hz) / loop_hz)) < kSame;
  };
  const std::vector<Named> told = named;
  std::erase_if(named, [&](const Named& n) {
    return n.claim.wiggle && std::any_of(told.begin(), told.end(), [&](const Named& one) {
             return std::string_view(one.word) == n.word && of(n, one);
           });
  });
  for (Named& n : named) {
    if (!n.claim.wiggle) continue;
    const auto likely = std::find_if(told.begin(), told.end(), [&](const Named& one) {
      return one.claim.odds() > kLikely && of(n, one);
    });
    if (likely == told.end()) continue;
    n.claim.feature = likely->claim.feature;
    n.claim.wiggle.reset();
  }
}

/// A resonance of the driver makes a dip on one side of itself and a peak on the other: both are
/// the same cause's, and what one of them says is said of both.
void join_sides(const CaseView& view, std::vector<Named>& named) {
  constexpr double kLoop = 0.4;        // per cent, of the loop in free air
  constexpr double kApart = 0.35;      // of the frequencies' logarithm
  constexpr double kUnclaimed = 0.05;  // odds of a cause that cannot have the other side
  const auto claim_of = [&](std::size_t feature, std::string_view word) -> Claim* {
    for (Named& n : named)
      if (n.claim.feature == feature && n.word == word) return &n.claim;
    return nullptr;
  };
  for (std::size_t i = 0; i < view.features.size(); ++i) {
    for (std::size_t j = i + 1; j < view.features.size(); ++j) {
      const SeenFeature& a = view.features[i];
      const SeenFeature& b = view.features[j];
      if (a.feature.height_db * b.feature.height_db > 0.0 ||
          std::abs(std::log(a.at_hz / b.at_hz)) > kApart || a.wiggle_free.value_or(0.0) < kLoop ||
          a.wiggle_free != b.wiggle_free)
        continue;
      for (const char* word : {"suspension-resonance", "driver-breakup"}) {
        Claim* one = claim_of(i, word);
        Claim* other = claim_of(j, word);
        if (one == nullptr && other == nullptr) continue;
        const double here = one != nullptr ? one->odds() : kUnclaimed;
        const double there = other != nullptr ? other->odds() : kUnclaimed;
        const double both = std::sqrt(here * there);
        const auto say = [&](Claim* c, double own, const SeenFeature& beside) {
          if (c != nullptr)
            c->saw(both / own, fmt::format("the {} at {} is the same resonance's",
                                           beside.feature.height_db < 0.0 ? "dip" : "peak",
                                           frequency_text(beside.at_hz)));
        };
        say(one, here, b);
        say(other, there, a);
      }
    }
  }
}

Diagnosis of_view(const CaseView& view) {
  std::vector<Named> named;
  for (const Cause& cause : all_causes())
    for (Claim& claim : cause.claims(view)) {
      weigh_swaps(view, cause.word, claim);
      weigh_harmonics(view, cause.word, claim);
      named.push_back({cause.word, std::move(claim)});
    }
  leave_traits(named);
  join_loops(view, named);
  join_sides(view, named);
  std::map<std::size_t, std::vector<const Named*>> by_feature;
  std::map<std::size_t, std::vector<const Named*>> by_wiggle;
  std::map<std::string, std::vector<const Named*>> by_group;
  Diagnosis d;
  for (const Named& n : named) {
    if (n.claim.feature) {
      by_feature[*n.claim.feature].push_back(&n);
    } else if (n.claim.wiggle) {
      by_wiggle[*n.claim.wiggle].push_back(&n);
    } else {
      const std::string alone = std::string("alone ") + n.word + std::to_string(n.claim.at_hz);
      by_group[n.claim.group.empty() ? alone : n.claim.group].push_back(&n);
    }
  }
  for (const auto& [group, claims] : by_group) {
    const auto causes = competed(view, claims);
    if (causes.empty()) continue;
    if (strongest(claims)->claim.at_hz > 0.0) {
      d.findings.push_back(of_place(causes, *strongest(claims)));
      d.findings.back().shown_by = sound_of(view, {});
      continue;
    }
    const auto shown = view.box_impedance != nullptr ? impedances_of(view) : sound_of(view, {});
    for (const FindingCause& cause : causes) {
      d.overall.push_back(cause);
      d.overall.back().shown_by = shown;
    }
  }
  for (const auto& [i, claims] : by_feature) {
    Finding f = of_feature(view, view.features[i], claims);
    f.shown_by = sound_of(view, view.features[i].leads);
    if (!f.causes.empty()) d.findings.push_back(std::move(f));
  }
  for (const auto& [i, claims] : by_wiggle) {
    Finding f = of_wiggle(view, view.wiggles[i], claims);
    f.shown_by = impedances_of(view);
    if (!f.causes.empty()) d.findings.push_back(std::move(f));
  }
  for (Finding& f : d.findings)
    if (const auto next = next_take(view, f.causes)) {
      f.next_step = next->sentence;
      f.next_take = next->code;
    }
  return d;
}

/// Variants that are states of their own, not one take to try something: on the axis, and with
/// nearly as many takes as the main one.
std::vector<std::string> other_states(const CaseView& main) {
  std::map<std::string, std::pair<int, bool>> having;  // takes, and whether the axis is there
  for (const CaseTake& t : main.material->takes) {
    auto& [count, on_axis] = having[t.variant];
    ++count;
    on_axis |= t.kind == CaseTake::Kind::kResponse && t.horizontal_deg == 0.0 &&
               t.vertical_deg == 0.0 && t.driver.empty() && t.condition.empty();
  }
  const int least = std::max(2, (3 * having[main.variant].first + 4) / 5);
  std::vector<std::string> ids;
  for (const auto& [id, has] : having)
    if (id != main.variant && !id.empty() && has.first >= least &&
        (has.second || main.axis_take == nullptr))
      ids.push_back(id);
  return ids;
}

bool told_already(const Diagnosis& d, const std::string& cause) {
  constexpr double kTold = 0.35;
  const auto is = [&](const FindingCause& c) { return c.cause == cause && c.probability > kTold; };
  return std::any_of(d.overall.begin(), d.overall.end(), is) ||
         std::any_of(d.findings.begin(), d.findings.end(), [&](const Finding& f) {
           return std::any_of(f.causes.begin(), f.causes.end(), is);
         });
}

/// What another state has and the main one does not: it came with what was changed.
void add_state(Diagnosis& d, const Diagnosis& state, const std::string& name) {
  const Diagnosis before = d;
  for (Finding f : state.findings) {
    if (f.causes.front().probability <= 0.5 || told_already(before, f.causes.front().cause))
      continue;
    f.variant = name;
    d.findings.push_back(std::move(f));
  }
  for (FindingCause c : state.overall) {
    if (c.probability <= 0.5 || told_already(before, c.cause)) continue;
    c.variant = name;
    d.overall.push_back(std::move(c));
  }
}

void sort_by_weight(Diagnosis& d) {
  const auto rank = [](const Finding& f) {
    return f.causes.front().probability * (1.0 + static_cast<double>(f.severity));
  };
  std::stable_sort(d.findings.begin(), d.findings.end(),
                   [&](const Finding& a, const Finding& b) { return rank(a) > rank(b); });
  std::stable_sort(
      d.overall.begin(), d.overall.end(),
      [](const FindingCause& a, const FindingCause& b) { return a.probability > b.probability; });
}

}  // namespace

bool Diagnosis::clean() const {
  const auto sure = [](const FindingCause& c) { return c.probability > 0.5; };
  return std::none_of(overall.begin(), overall.end(), sure) &&
         std::none_of(findings.begin(), findings.end(), [&](const Finding& f) {
           return std::any_of(f.causes.begin(), f.causes.end(), sure);
         });
}

const std::vector<Cause>& all_causes() {
#define LALOMETER_MAKE_CAUSE(name) causes::name(),
  static const std::vector<Cause> all = {LALOMETER_CAUSES(LALOMETER_MAKE_CAUSE)};
#undef LALOMETER_MAKE_CAUSE
  return all;
}

namespace {

Diagnosis diagnosed(const CaseMaterial& material, const ImpedanceSide* known,
                    const Parallel& parallel) {
  const CaseView view = view_of(material, main_variant(material), known, parallel);
  Diagnosis d = of_view(view);
  const std::vector<std::string> others = other_states(view);
  std::vector<Diagnosis> states(others.size());
  parallel(others.size(),
           [&](std::size_t i) { states[i] = of_view(view_of(material, others[i])); });
  for (std::size_t i = 0; i < others.size(); ++i) {
    const CaseVariant* variant = material.variant(others[i]);
    add_state(d, states[i], variant == nullptr ? others[i] : variant->spoken());
  }
  sort_by_weight(d);
  if (const auto next = next_of_all(view, d)) {
    d.next_step = next->sentence;
    d.next_take = next->code;
  }
  if (view.axis_take == nullptr)
    d.notes.emplace_back(
        "No response on the axis was taken: its dips and peaks are not looked at.");
  if (view.box_impedance == nullptr)
    d.notes.emplace_back("No impedance in the box was taken: the box is judged by sound alone.");
  return d;
}

}  // namespace

Diagnosis diagnose(const CaseMaterial& material, const ImpedanceSide* known,
                   const Parallel& parallel) {
  const std::vector<SoughtCrossover> sought = sought_crossovers(material);
  if (sought.empty()) return diagnosed(material, known, parallel);
  CaseMaterial with = material;
  for (const SoughtCrossover& each : sought) with.subject.crossovers.push_back(each.crossover);
  Diagnosis d = diagnosed(with, known, parallel);
  for (const SoughtCrossover& each : sought)
    d.notes.push_back(fmt::format("No crossover is told: {}.", spoken(each)));
  return d;
}

}  // namespace lalometer
