#include "workbench/studies/what_changed.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"

namespace lalometer {

/// Figures that say something of the member; ratios and the coil follow from others.
bool compared_figure(const std::string& key) {
  static const std::vector<std::string> keys = {"fs_hz", "fc_hz",    "qts",   "qtc",   "qes",
                                                "qms",   "re_ohm",   "fb_hz", "fl_hz", "fh_hz",
                                                "ql",    "notch_hz", "qa"};
  return std::find(keys.begin(), keys.end(), key) != keys.end();
}

const ReadFigure* figure_of(const MemberFigures& member, const std::string& key) {
  for (const ReadFigure& f : member.impedance) {
    if (f.key == key) return &f;
  }
  return nullptr;
}

namespace {

/// Two loops closer than this are one that moved a little.
constexpr double kSameLoop = 0.06;

const Wiggle* same_loop(const Wiggle& wiggle, const std::vector<Wiggle>& others) {
  const Wiggle* same = nullptr;
  for (const Wiggle& o : others) {
    if (std::abs(std::log(o.frequency_hz.value / wiggle.frequency_hz.value)) < kSameLoop &&
        (same == nullptr || o.height_percent > same->height_percent))
      same = &o;
  }
  return same;
}

void loops_changed(const MemberFigures& before, const MemberFigures& after,
                   std::vector<Change>& changes) {
  for (const Wiggle& w : before.wiggles) {
    const std::string at = frequency_text(w.frequency_hz.value);
    const Wiggle* same = same_loop(w, after.wiggles);
    if (same == nullptr) {
      changes.push_back({fmt::format("the loop at {} ({:.1f} %) is gone", at, w.height_percent),
                         Change::Sense::kWon});
    } else if (same->height_percent < 0.75 * w.height_percent) {
      changes.push_back({fmt::format("the loop at {} shrank from {:.1f} to {:.1f} %", at,
                                     w.height_percent, same->height_percent),
                         Change::Sense::kWon});
    } else if (same->height_percent > 1.33 * w.height_percent) {
      changes.push_back({fmt::format("the loop at {} grew from {:.1f} to {:.1f} %", at,
                                     w.height_percent, same->height_percent),
                         Change::Sense::kCost});
    }
  }
  for (const Wiggle& o : after.wiggles) {
    if (same_loop(o, before.wiggles) == nullptr)
      changes.push_back({fmt::format("a loop at {} is new ({:.1f} %)",
                                     frequency_text(o.frequency_hz.value), o.height_percent),
                         Change::Sense::kCost});
  }
}

}  // namespace

std::vector<Change> what_changed(const MemberFigures& before, const MemberFigures& after,
                                 double repeat_db, const std::optional<Estimate>& driver_fs_hz) {
  std::vector<Change> changes;
  for (const ReadFigure& f : before.impedance) {
    const ReadFigure* other = figure_of(after, f.key);
    if (other == nullptr || !compared_figure(f.key) || !differ(f.value, other->value)) continue;
    Change::Sense sense = Change::Sense::kOpen;
    // A loss more is a price; other figures are neither good nor bad by themselves.
    if (f.key == "ql" || f.key == "qa")
      sense = other->value.value < f.value.value ? Change::Sense::kCost : Change::Sense::kWon;
    changes.push_back(
        {fmt::format("{} went from {} to {}", f.name, with_uncertainty(f.value, f.unit),
                     with_uncertainty(other->value, f.unit)),
         sense});
  }
  const ReadFigure* fc_before = figure_of(before, "fc_hz");
  const ReadFigure* fc_after = figure_of(after, "fc_hz");
  if (driver_fs_hz && fc_before != nullptr && fc_after != nullptr &&
      differ(fc_before->value, fc_after->value)) {
    if (const auto gain = stuffing_gain(*driver_fs_hz, fc_before->value, fc_after->value)) {
      changes.push_back(
          {fmt::format(
               "the air acts {} times as large, {:.0f} % of what an ideal filling could win",
               with_uncertainty(gain->volume_ratio, ""), 100.0 * gain->share_of_limit),
           gain->volume_ratio.value > 1.0 ? Change::Sense::kWon : Change::Sense::kCost});
    }
  }
  loops_changed(before, after, changes);
  if (before.level_db && after.level_db) {
    const double more = after.level_db->value - before.level_db->value;
    if (std::abs(more) > repeat_db)
      changes.push_back({fmt::format("the level is {:+.1f} dB (300 Hz to 3 kHz)", more),
                         more > 0.0 ? Change::Sense::kWon : Change::Sense::kCost});
  }
  return changes;
}

std::string in_words(const std::vector<Change>& changes) {
  if (changes.empty()) return "Nothing beyond repeat error.";
  std::string text;
  const std::pair<Change::Sense, const char*> heads[] = {{Change::Sense::kWon, "Won: "},
                                                         {Change::Sense::kCost, "Cost: "},
                                                         {Change::Sense::kOpen, "Changed: "}};
  for (const auto& [sense, head] : heads) {
    std::string part;
    for (const Change& c : changes) {
      if (c.sense == sense) part += (part.empty() ? "" : "; ") + c.text;
    }
    if (!part.empty()) text += (text.empty() ? "" : " ") + std::string(head) + part + ".";
  }
  return text;
}

}  // namespace lalometer
