#include "acoustics/impedance/thiele_small.h"

#include <fmt/format.h>

#include <array>
#include <cmath>

#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

/// Level of one acoustic watt into half a space at 1 m: p^2 = rho c W / (2 pi r^2).
double one_watt_db() {
  return 10.0 * std::log10(kAirDensity_kg_m3 * kSpeedOfSound20_m_s / (2.0 * kPi)) -
         20.0 * std::log10(kReferencePressure_pa);
}

/// Order of DriverFit::covariance.
enum Known { kFs, kQms, kRes, kRe, kCreep, kKnown };
using Gradient = std::array<double, kKnown>;

double variance_of(const DriverFit& fit, const Gradient& g) {
  double variance = 0.0;
  for (std::size_t a = 0; a < kKnown; ++a) {
    for (std::size_t b = 0; b < kKnown; ++b)
      variance += g[a] * g[b] * fit.covariance[a * kKnown + b];
  }
  return variance;
}

/// ln of a figure by the two fits and by what was put in by hand.
struct Logarithmic {
  Gradient free = {};
  Gradient other = {};
  double sd = 0.0;
  double mass = 0.0;
  double volume = 0.0;
};

/// Relative half-width: what scatters in each fit, the rig's smooth error, which both share, and
/// the hand's.
double half_width(const Logarithmic& of, const DriverFit& free, const DriverFit& other,
                  const HandUncertainty& hand) {
  double variance = variance_of(free, of.free) + variance_of(other, of.other);
  for (std::size_t row = 0; row < free.calibration.size(); ++row) {
    double moved = 0.0;
    for (std::size_t k = 0; k < kKnown; ++k) {
      moved += of.free[k] * free.calibration[row][k];
      if (row < other.calibration.size()) moved += of.other[k] * other.calibration[row][k];
    }
    variance += moved * moved;
  }
  const double by_hand = std::hypot(of.sd * hand.sd_percent, of.mass * hand.mass_percent,
                                    of.volume * hand.volume_percent) /
                         100.0;
  return std::hypot(kTwoSided95 * std::sqrt(std::max(0.0, variance)), by_hand);
}
Logarithmic operator*(double k, const Logarithmic& x) {
  Logarithmic y = x;
  for (double& v : y.free) v *= k;
  for (double& v : y.other) v *= k;
  y.sd *= k;
  y.mass *= k;
  y.volume *= k;
  return y;
}
Logarithmic operator+(const Logarithmic& a, const Logarithmic& b) {
  Logarithmic y = a;
  for (std::size_t i = 0; i < kKnown; ++i) {
    y.free[i] += b.free[i];
    y.other[i] += b.other[i];
  }
  y.sd += b.sd;
  y.mass += b.mass;
  y.volume += b.volume;
  return y;
}

std::optional<std::string> not_the_same_driver(const DriverFit& a, const DriverFit& b,
                                               const char* what) {
  const double ratio = b.re_ohm.value / a.re_ohm.value;
  if (ratio < 1.0 / 1.1 || ratio > 1.1) {
    return fmt::format(
        "Re is {} ohm in free air and {} ohm {}: not the same driver, or not the same jig.",
        three_digits(a.re_ohm.value), three_digits(b.re_ohm.value), what);
  }
  return std::nullopt;
}

/// All mechanical figures from the moving mass, whose logarithm depends on both fits as `by` says.
void mechanical(ThieleSmall& t, const DriverFit& free_air, const DriverFit& other, double sd_m2,
                double mms, const Logarithmic& by, const HandUncertainty& hand) {
  const double fs = t.fs_hz.value;
  const double ws = 2.0 * kPi * fs;
  const double c = kSpeedOfSound20_m_s;
  const auto told = [&](double value, const Logarithmic& of) {
    return from_relative(value, half_width(of, free_air, other, hand));
  };
  Logarithmic ln_fs;
  ln_fs.free[kFs] = 1.0;
  Logarithmic ln_qms;
  ln_qms.free[kQms] = 1.0;
  Logarithmic ln_re;
  ln_re.free[kRe] = 1.0;
  Logarithmic ln_res;
  ln_res.free[kRes] = 1.0;
  const Logarithmic ln_qes = ln_qms + ln_re + (-1.0) * ln_res;
  const double cms = 1.0 / (ws * ws * mms);
  const double vas = kAirDensity_kg_m3 * c * c * sd_m2 * sd_m2 * cms;
  const Logarithmic ln_cms = (-2.0) * ln_fs + (-1.0) * by;
  Logarithmic ln_vas = ln_cms;
  ln_vas.sd += 2.0;
  t.mms_kg = told(mms, by);
  t.cms_m_per_n = told(cms, ln_cms);
  t.vas_m3 = told(vas, ln_vas);
  t.rms_kg_per_s = told(ws * mms / t.qms.value, ln_fs + by + (-1.0) * ln_qms);
  t.bl_tm = told(std::sqrt(ws * mms * t.re_ohm.value / t.qes.value),
                 0.5 * (ln_fs + by + ln_re + (-1.0) * ln_qes));
  const double efficiency = 4.0 * kPi * kPi * fs * fs * fs * vas / (c * c * c * t.qes.value);
  const Logarithmic ln_efficiency = 3.0 * ln_fs + ln_vas + (-1.0) * ln_qes;
  t.efficiency = told(efficiency, ln_efficiency);
  const double at_1w = one_watt_db() + 10.0 * std::log10(efficiency);
  t.sensitivity_1w_db =
      Estimate{at_1w, 10.0 / std::log(10.0) * t.efficiency->half_width / t.efficiency->value};
  // 2.83 V is 8 V^2: into Re that is 8 / Re watts.
  const Estimate louder = told(1.0, ln_efficiency + (-1.0) * ln_re);
  t.sensitivity_2v83_db = Estimate{at_1w + 10.0 * std::log10(8.0089 / t.re_ohm.value),
                                   10.0 / std::log(10.0) * louder.half_width};
}

}  // namespace

ThieleSmall electrical_parameters(const DriverFit& f) {
  ThieleSmall t{.re_ohm = f.re_ohm,
                .fs_hz = f.fs_hz,
                .qms = f.qms,
                .qes = f.qes,
                .qts = f.qts,
                .le_h = f.le_1khz_h,
                .vas_m3 = {},
                .mms_kg = {},
                .cms_m_per_n = {},
                .rms_kg_per_s = {},
                .bl_tm = {},
                .sensitivity_2v83_db = {},
                .sensitivity_1w_db = {},
                .efficiency = {},
                .notes = f.notes};
  return t;
}

namespace {

void name_term(ThieleSmall& t, const char* what, double percent) {
  if (percent > 0.0)
    t.notes.push_back(fmt::format("Uncertainties count {} % for {}.", shortest(percent), what));
}

Result<void> by_added_mass(ThieleSmall& t, const DriverFit& free_air, double sd_m2,
                           const AddedMass& added, const HandUncertainty& hand) {
  if (auto other = not_the_same_driver(free_air, added.fit, "with the mass"))
    return bad_input(*other);
  const double ratio = free_air.fs_hz.value / added.fit.fs_hz.value;
  const double stiffer = free_air.stiffness_ratio(added.fit.fs_hz.value);
  const double shift = ratio * ratio * stiffer - 1.0;
  if (!(shift > 0.0)) {
    return bad_input(fmt::format(
        "The added mass did not lower the resonance ({} in free air, {} with it): the two curves "
        "are exchanged, or the mass did not stick.",
        frequency_text(free_air.fs_hz.value), frequency_text(added.fit.fs_hz.value)));
  }
  // ln Mms = ln m - ln(shift); d shift / d ln fs = 2 (shift + 1).
  Logarithmic by;
  by.free[kFs] = -2.0 * (shift + 1.0) / shift;
  by.other[kFs] = 2.0 * (shift + 1.0) / shift;
  // Creep makes the suspension stiffer by about its number for each decade.
  if (free_air.creep) by.free[kCreep] = (shift + 1.0) / shift * std::log10(ratio);
  by.mass = 1.0;
  mechanical(t, free_air, added.fit, sd_m2, added.mass_kg / shift, by, hand);
  name_term(t, "the added mass", hand.mass_percent);
  if (shift < 0.2) {
    t.notes.push_back(fmt::format(
        "The mass lowered fs by only {:.0f} %; one that lowers it by 20 to 50 % gives sharper "
        "figures (common practice, no source).",
        100.0 * (1.0 - 1.0 / ratio)));
  }
  const double drop = added.fit.res_ohm() / free_air.res_ohm();
  if (drop < 0.8 || drop > 1.25) {
    t.notes.push_back(
        fmt::format("The impedance peak is {:.0f} % {} with the mass; it should stay: the mass "
                    "may rub or have moved "
                    "during the sweep.",
                    100.0 * std::abs(drop - 1.0), drop < 1.0 ? "lower" : "higher"));
  }
  return {};
}

Result<void> by_test_box(ThieleSmall& t, const DriverFit& free_air, double sd_m2,
                         const TestBox& box, const HandUncertainty& hand) {
  if (auto other = not_the_same_driver(free_air, box.fit, "in the box")) return bad_input(*other);
  const double rise =
      box.fit.fs_hz.value * box.fit.qes.value / (free_air.fs_hz.value * free_air.qes.value);
  if (!(rise > 1.0) || !(box.fit.fs_hz.value > free_air.fs_hz.value)) {
    return bad_input(fmt::format(
        "The box did not raise the resonance ({} in free air, {} in it): the curves are "
        "exchanged, or the box leaks widely.",
        frequency_text(free_air.fs_hz.value), frequency_text(box.fit.fs_hz.value)));
  }
  const double c = kSpeedOfSound20_m_s;
  const double vas = box.volume_m3 * (rise - 1.0);
  const double cms = vas / (kAirDensity_kg_m3 * c * c * sd_m2 * sd_m2);
  const double ws = 2.0 * kPi * t.fs_hz.value;
  // ln Mms = -2 ln ws - ln Vas; ln Vas moves by rise / (rise - 1) with ln(fc Qec) - ln(fs Qes).
  const double k = rise / (rise - 1.0);
  Logarithmic by;
  by.free = {-2.0 + k, k, -k, k};
  by.other = {-k, -k, k, -k};
  // Vas is the box's volume's; what becomes of it in Mms goes by the area.
  by.volume = -1.0;
  by.sd = 2.0;
  mechanical(t, free_air, box.fit, sd_m2, 1.0 / (ws * ws * cms), by, hand);
  name_term(t, "the test box's volume", hand.volume_percent);
  const double plain = box.volume_m3 * (std::pow(box.fit.fs_hz.value / t.fs_hz.value, 2) - 1.0);
  if (std::abs(plain / vas - 1.0) > 0.1 + t.vas_m3->half_width / vas) {
    t.notes.push_back(fmt::format(
        "By the frequencies alone Vas would be {} l: the air load differs in the box, or it "
        "leaks.",
        three_digits(plain * 1e3)));
  }
  return {};
}

}  // namespace

Result<ThieleSmall> thiele_small(const DriverFit& free_air, double sd_m2,
                                 const std::optional<AddedMass>& added,
                                 const std::optional<TestBox>& box, const HandUncertainty& hand) {
  ThieleSmall t = electrical_parameters(free_air);
  if (added || box) {
    name_term(t, "the effective area", hand.sd_percent);
    const Result<void> told = added ? by_added_mass(t, free_air, sd_m2, *added, hand)
                                    : by_test_box(t, free_air, sd_m2, *box, hand);
    if (!told) return tl::unexpected(told.error());
  }
  if (t.mms_kg && t.mms_kg->half_width > 0.3 * t.mms_kg->value) {
    return bad_input(fmt::format(
        "{} moved the resonance from {} to {} only: the mechanical figures would be uncertain by "
        "{:.0f} %.",
        added ? "The added mass" : "The test box", frequency_text(t.fs_hz.value),
        frequency_text(added ? added->fit.fs_hz.value : box->fit.fs_hz.value),
        100.0 * t.mms_kg->half_width / t.mms_kg->value));
  }
  return t;
}

std::optional<DriverParameters> driver_parameters(const ThieleSmall& t, const DriverFit& f,
                                                  double sd_m2) {
  if (!t.mms_kg) return std::nullopt;
  DriverParameters d{.re_ohm = t.re_ohm.value,
                     .le_h = t.le_h.value,
                     .bl_tm = t.bl_tm->value,
                     .mms_kg = t.mms_kg->value,
                     .cms_m_per_n = t.cms_m_per_n->value,
                     .rms_kg_per_s = t.rms_kg_per_s->value,
                     .sd_m2 = sd_m2};
  if (f.coil.model == CoilModel::kShunted) {
    d.le_h = f.coil.parameters[0];
    d.le2_h = f.coil.parameters[1];
    d.re2_ohm = f.coil.parameters[2];
  }
  return d;
}

ThieleSmall mean_of_repeats(const std::vector<ThieleSmall>& repeats) {
  ThieleSmall mean = repeats.front();
  const auto over = [&](Estimate ThieleSmall::*figure) {
    std::vector<Estimate> all;
    for (const ThieleSmall& one : repeats) all.push_back(one.*figure);
    mean.*figure = mean_of_repeats(all);
  };
  const auto over_told = [&](std::optional<Estimate> ThieleSmall::*figure) {
    std::vector<Estimate> all;
    for (const ThieleSmall& one : repeats) {
      if (one.*figure) all.push_back(*(one.*figure));
    }
    mean.*figure = all.empty() ? std::nullopt : std::optional(mean_of_repeats(all));
  };
  for (const auto figure : {&ThieleSmall::re_ohm, &ThieleSmall::fs_hz, &ThieleSmall::qms,
                            &ThieleSmall::qes, &ThieleSmall::qts, &ThieleSmall::le_h})
    over(figure);
  for (const auto figure :
       {&ThieleSmall::vas_m3, &ThieleSmall::mms_kg, &ThieleSmall::cms_m_per_n,
        &ThieleSmall::rms_kg_per_s, &ThieleSmall::bl_tm, &ThieleSmall::sensitivity_2v83_db,
        &ThieleSmall::sensitivity_1w_db, &ThieleSmall::efficiency})
    over_told(figure);
  return mean;
}

std::vector<Comparison> against_sheet(const ThieleSmall& m, const Quoted& quoted) {
  std::vector<Comparison> all;
  const auto add = [&](const char* name, const char* unit, const std::optional<double>& value,
                       const std::optional<Estimate>& measured, double scale, double tolerance,
                       bool level = false) {
    if (!value || !measured || (!level && !(*value > 0.0))) return;
    const Estimate told{measured->value * scale, measured->half_width * scale};
    const double difference = level ? told.value - *value : 100.0 * (told.value / *value - 1.0);
    const bool alike = std::abs(told.value - *value) <= told.half_width;
    const auto verdict = alike                               ? Comparison::Verdict::kAlike
                         : std::abs(difference) <= tolerance ? Comparison::Verdict::kWithin
                                                             : Comparison::Verdict::kOutside;
    all.push_back({name, unit, *value, told, difference, verdict});
  };
  add("Re", "ohm", quoted.re_ohm, m.re_ohm, 1.0, 10.0);
  add("fs", "Hz", quoted.fs_hz, m.fs_hz, 1.0, 15.0);
  add("Qms", "", quoted.qms, m.qms, 1.0, 15.0);
  add("Qes", "", quoted.qes, m.qes, 1.0, 15.0);
  add("Qts", "", quoted.qts, m.qts, 1.0, 15.0);
  add("Vas", "l", quoted.vas_l, m.vas_m3, 1e3, 25.0);
  add("Mms", "g", quoted.mms_g, m.mms_kg, 1e3, 10.0);
  add("Bl", "T m", quoted.bl_tm, m.bl_tm, 1.0, 10.0);
  add("Le", "mH", quoted.le_mh, m.le_h, 1e3, 25.0);
  add("sensitivity", "dB", quoted.sensitivity_db, m.sensitivity_2v83_db, 1.0, 1.5, true);
  return all;
}

}  // namespace lalometer
