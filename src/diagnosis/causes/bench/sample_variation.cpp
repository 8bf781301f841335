#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "acoustics/impedance/box_signature.h"
#include "base/text.h"
#include "diagnosis/registry.h"
#include "diagnosis/view/repeats.h"

/// Two of a kind that differ where repeats do not.
namespace lalometer {
namespace {

struct Apart {
  double rms_db = 0.0;
  double third_db = 0.0;  ///< the most that a third of an octave lies off the mean difference
  double at_hz = 0.0;
};

/// Two responses from the same place, 200 Hz to 10 kHz.
Apart apart(const FrequencyAxis& axis, const std::vector<double>& one,
            const std::vector<double>& two) {
  std::vector<double> hz;
  std::vector<double> off;
  double sum = 0.0;
  double square = 0.0;
  for (std::size_t i = 0; i < one.size(); ++i) {
    const double d = one[i] - two[i];
    if (!std::isfinite(d) || axis[i] < 200.0 || axis[i] > 10000.0) continue;
    hz.push_back(axis[i]);
    off.push_back(d);
    sum += d;
    square += d * d;
  }
  Apart out;
  if (off.empty()) return out;
  const double count = static_cast<double>(off.size());
  out.rms_db = std::sqrt(square / count);
  for (std::size_t from = 0, to = 0; to < off.size(); ++to) {
    while (hz[to] > hz[from] * std::exp2(1.0 / 3.0)) ++from;
    // A whole third, not what is left at the low end.
    if (hz[to] < hz.front() * std::exp2(0.3)) continue;
    double third = 0.0;
    for (std::size_t i = from; i <= to; ++i) third += off[i] - sum / count;
    third = std::abs(third) / static_cast<double>(to - from + 1);
    if (third <= out.third_db) continue;
    out.third_db = third;
    out.at_hz = std::sqrt(hz[from] * hz[to]);
  }
  return out;
}

/// What takes of one sample at one place differ by, rms over all such pairs; nothing where none was
/// repeated.
std::optional<double> repeats_db(const CaseView& v) {
  double square = 0.0;
  double count = 0.0;
  for (const CaseTake& a : v.material->takes)
    for (const CaseTake& b : v.material->takes) {
      if (&b <= &a || !taken_again(a, b)) continue;
      square += std::pow(apart(*v.axis, v.levels.at(&a), v.levels.at(&b)).rms_db, 2);
      count += 1.0;
    }
  return count > 0.0 ? std::optional(std::sqrt(square / count)) : std::nullopt;
}

std::vector<Claim> claims(const CaseView& v) {
  // Apart by more than good pairs are (common practice, no source); where repeats tell how exact
  // the takes are, less is plain, and what is no more than three times theirs is nothing.
  const std::optional<double> repeats = repeats_db(v);
  const double rms_db =
      repeats ? std::max(std::clamp(8.0 * *repeats, 0.5, 0.8), 3.0 * *repeats) : 0.8;
  const double third_db =
      repeats ? std::max(std::clamp(12.0 * *repeats, 0.8, 1.3), 4.0 * *repeats) : 1.3;
  std::vector<Claim> all;
  // Impedances of the same state, of other samples.
  double off = 0.0;
  std::string which;
  std::string kind;
  std::vector<std::int64_t> takes;
  for (const CaseTake& a : v.material->takes)
    for (const CaseTake& b : v.material->takes) {
      if (&b <= &a || a.kind != b.kind || a.sample == b.sample || a.condition != b.condition ||
          a.variant != b.variant || a.driver != b.driver || a.source != b.source)
        continue;
      if (a.kind == CaseTake::Kind::kImpedance) {
        const auto one = impedance_peaks(a.curve, 0.3);
        const auto two = impedance_peaks(b.curve, 0.3);
        if (one.empty() || two.empty()) continue;
        const double percent =
            100.0 * std::abs(std::log(one.front().frequency_hz / two.front().frequency_hz));
        if (percent / 5.0 > off) {
          off = percent / 5.0;
          which = a.sample + " and " + b.sample;
          kind = fmt::format("their resonances are {:.0f} % apart", percent);
          takes = {a.id, b.id};
        }
      } else if (a.horizontal_deg == b.horizontal_deg && a.vertical_deg == b.vertical_deg) {
        const Apart seen = apart(*v.axis, v.levels.at(&a), v.levels.at(&b));
        if (seen.rms_db / rms_db > off) {
          off = seen.rms_db / rms_db;
          which = a.sample + " and " + b.sample;
          kind = fmt::format("their levels differ by {:.1f} dB rms", seen.rms_db);
          takes = {a.id, b.id};
        }
        if (seen.third_db / third_db > off) {
          off = seen.third_db / third_db;
          which = a.sample + " and " + b.sample;
          kind = fmt::format("their levels differ by {:.1f} dB over a third of an octave at {}",
                             seen.third_db, frequency_text(seen.at_hz));
          takes = {a.id, b.id};
        }
      }
    }
  if (off < 0.7) return all;
  Claim c(0.3);
  c.saw(off > 1.5 ? 12.0 : off > 1.0 ? 3.0 : 0.8, fmt::format("{}: {}", which, kind), takes);
  if (repeats)
    c.saw(off > 1.0 ? 2.0 : 0.7,
          fmt::format("the same one taken again is off by {:.2f} dB rms", *repeats));
  c.next_step = "Take both again, put back between: what repeats do not explain is the sample.";
  all.push_back(std::move(c));
  return all;
}

}  // namespace

Cause causes::sample_variation() {
  return {"sample-variation", claims};
}

}  // namespace lalometer
