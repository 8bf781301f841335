#include "workbench/networks/sum_bumps.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/constants.h"
#include "base/text.h"
#include "diagnosis/view/sound/features.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

std::vector<double> levels(const std::vector<Complex>& values, double reference) {
  std::vector<double> db;
  db.reserve(values.size());
  for (const Complex v : values) db.push_back(to_level_db(std::max(std::abs(v), 1e-12), reference));
  return db;
}

std::string told_of(const SumBump& b) {
  const std::string what =
      fmt::format("The {} of {:.1f} dB at {}", b.height_db > 0.0 ? "bump" : "dip",
                  std::abs(b.height_db), frequency_text(b.at_hz));
  switch (b.cause) {
    case SumBump::Cause::kDriver:
      return fmt::format("{} is {}'s own: it has it without a network.", what, b.driver);
    case SumBump::Cause::kNetwork:
      return fmt::format("{} is the network's: so does the voltage at {}.", what, b.driver);
    case SumBump::Cause::kBetween:
      break;
  }
  return fmt::format("{} lies between the drivers: {}", what,
                     b.fill
                         ? "their phase there makes it."
                         : "they cancel there, and more voltage cancels as well. Do not fill it.");
}

}  // namespace

std::string_view word_of(SumBump::Cause cause) {
  return cause == SumBump::Cause::kDriver    ? "driver"
         : cause == SumBump::Cause::kNetwork ? "network"
                                             : "between-drivers";
}

std::vector<SumBump> sum_bumps(const NetworkSum& s) {
  const std::vector<double> level = levels(s.sum, kReferencePressure_pa);
  const double low = std::max(s.axis.front(), s.valid.low_hz) * 1.2;
  const double high = std::min({s.axis.back(), s.valid.high_hz, 16000.0}) / 1.1;
  const std::vector<CurveFeature> features =
      features_of(s.axis, outstanding(s.axis, level), low, high);
  if (features.empty()) return {};
  struct Share {
    std::vector<double> own, voltage, others;
  };
  std::vector<Share> shares;
  for (const NetworkSum::Branch& b : s.branches) {
    const std::vector<double> with = levels(b.pressure, kReferencePressure_pa);
    const std::vector<double> voltage = levels(b.transfer, 1.0);
    std::vector<double> own = with, others = level;
    for (std::size_t i = 0; i < with.size(); ++i) {
      own[i] -= voltage[i];
      others[i] -= with[i];
    }
    shares.push_back(
        {outstanding(s.axis, own), outstanding(s.axis, voltage), outstanding(s.axis, others)});
  }
  std::vector<SumBump> all;
  for (const CurveFeature& f : features) {
    const std::size_t at = s.axis.bracket(f.at_hz);
    std::size_t louder = 0;
    for (std::size_t b = 1; b < s.branches.size(); ++b)
      if (std::abs(s.branches[b].pressure[at]) > std::abs(s.branches[louder].pressure[at]))
        louder = b;
    SumBump bump{.at_hz = f.at_hz, .height_db = f.height_db, .driver = s.branches[louder].driver};
    bump.by_driver_db = shares[louder].own[at];
    bump.by_network_db = shares[louder].voltage[at];
    bump.by_other_db = shares[louder].others[at];
    const double sign = f.height_db > 0.0 ? 1.0 : -1.0;
    const double driver = sign * bump.by_driver_db, network = sign * bump.by_network_db;
    const double other = sign * bump.by_other_db;
    bump.cause = driver >= network && driver >= other ? SumBump::Cause::kDriver
                 : network >= other                   ? SumBump::Cause::kNetwork
                                                      : SumBump::Cause::kBetween;
    // Less than the louder one by itself: the others take away.
    const bool cancels = std::abs(s.sum[at]) < 0.8 * std::abs(s.branches[louder].pressure[at]);
    bump.fill = !(bump.cause == SumBump::Cause::kBetween && f.height_db < 0.0 && cancels);
    bump.told = told_of(bump);
    all.push_back(std::move(bump));
  }
  return all;
}

}  // namespace lalometer
