#include "diagnosis/view/view.h"

#include <algorithm>
#include <cmath>

#include "base/constants.h"
#include "diagnosis/view/drivers.h"
#include "diagnosis/view/impedances.h"
#include "diagnosis/view/mains.h"
#include "diagnosis/view/repeats.h"
#include "diagnosis/view/sound/seeking.h"

namespace lalometer {
namespace {

constexpr double kC = kSpeedOfSound20_m_s;
constexpr double kPerOctave = 48.0;
constexpr double kUsualCone_m = 0.055;  // where no size is told: a cone of 130 mm

/// The whole loudspeaker as it is, at any angle.
bool is_whole(const CaseTake& t) {
  return t.kind == CaseTake::Kind::kResponse && t.driver.empty() && t.condition.empty() &&
         t.flipped.empty();
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

}  // namespace

const CaseDriver* CaseSubject::driver(const std::string& id) const {
  for (const CaseDriver& d : drivers)
    if (d.id == id) return &d;
  return nullptr;
}

const CaseVariant* CaseMaterial::variant(const std::string& id) const {
  for (const CaseVariant& each : variants)
    if (each.id == id) return &each;
  return nullptr;
}

double CaseView::ka(const std::string& id, double f) const {
  const CaseDriver* d = material->subject.driver(id);
  return 2.0 * kPi * f * (d != nullptr && d->radius_m > 0.0 ? d->radius_m : kUsualCone_m) / kC;
}

double CaseView::loop_ka(const SeenWiggle& w) const {
  constexpr double kAbove = 1.42;
  const double f = w.wiggle.frequency_hz.value;
  double largest = ka(leading_driver(material->subject, f), f);
  for (const CaseCrossover& x : material->subject.crossovers)
    if (f > x.frequency_hz && f < kAbove * x.frequency_hz)
      largest = std::max(largest, ka(x.low, f));
  if (w.in_free_air.value_or(false) && free_impedance != nullptr && !free_impedance->driver.empty())
    largest = std::max(largest, ka(free_impedance->driver, f));
  return largest;
}

std::vector<const CaseTake*> CaseView::responses() const {
  std::vector<const CaseTake*> all;
  for (const CaseTake& t : material->takes)
    if (is_whole(t) && t.variant == variant && t.sample == sample) all.push_back(&t);
  return all;
}

std::vector<std::size_t> axis_takes(const CaseMaterial& material) {
  const std::string sample = main_of(material, &CaseTake::sample);
  std::map<std::string, std::size_t> first;
  for (std::size_t i = 0; i < material.takes.size(); ++i) {
    const CaseTake& t = material.takes[i];
    if (is_whole(t) && t.sample == sample && t.horizontal_deg == 0.0 && t.vertical_deg == 0.0)
      first.emplace(t.variant, i);
  }
  std::vector<std::size_t> all;
  for (const auto& [variant, i] : first) all.push_back(i);
  return all;
}

std::string main_variant(const CaseMaterial& material) {
  return main_of(material, &CaseTake::variant);
}

CaseView view_of(const CaseMaterial& material) {
  return view_of(material, main_variant(material));
}

ImpedanceSide impedance_side(const CaseMaterial& material, const Parallel& parallel) {
  CaseView v;
  v.material = &material;
  v.variant = main_variant(material);
  look_at_impedances(v, nullptr, parallel);
  return v;
}

CaseView view_of(const CaseMaterial& material, const std::string& variant,
                 const ImpedanceSide* known, const Parallel& parallel) {
  CaseView v;
  v.material = &material;
  v.variant = variant;
  v.sample = main_of(material, &CaseTake::sample);
  for (const std::size_t i : axis_takes(material))
    if (material.takes[i].variant == variant) v.axis_take = &material.takes[i];
  v.axis = FrequencyAxis::logarithmic(20.0, 20000.0, kPerOctave);
  const auto mains_hz = told_mains_hz(mains_in(material));
  std::vector<std::vector<double>*> levels(material.takes.size(), nullptr);
  for (std::size_t i = 0; i < levels.size(); ++i)
    if (material.takes[i].kind != CaseTake::Kind::kImpedance)
      levels[i] = &v.levels[&material.takes[i]];
  parallel(levels.size(), [&](std::size_t i) {
    if (levels[i] != nullptr)
      *levels[i] = level_on(without_mains(material.takes[i].curve, mains_hz), *v.axis);
  });
  if (v.axis_take != nullptr) {
    v.level_db = v.levels[v.axis_take];
    v.valid = intersect(v.axis_take->curve.valid(),
                        {v.axis_take->curve.axis().front(), v.axis_take->curve.axis().back()});
    v.repeats_off_db = axis_apart_db(v);
    seek_features(v);
  }
  look_at_impedances(v, known, parallel);
  return v;
}

}  // namespace lalometer
