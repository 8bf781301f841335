#pragma once

#include "acoustics/network/whatif/designed_network.h"
#include "workbench/report/report.h"
#include "workbench/report/report_material.h"

namespace lalometer {

/// Makes a report of a source: a set, or one subject of a book, as read with all its variants.
struct ReportInput {
  ImportPreview source;
  std::string where;    ///< its path, for messages
  std::string variant;  ///< id or name; empty: the one with most takes
  ReportKind kind = ReportKind::kReview;
  /// Kept with the subject; a review tells what it makes of the drivers.
  std::optional<DesignedNetwork> network = std::nullopt;
  /// Other subjects to compare with, each as read: their main variants stand beside this one's.
  std::vector<ImportPreview> others = {};
  std::stop_token stop = {};
  Progress progress = {};
  Parallel parallel = in_turn;
};
/// What a written report needs beside the page: the report, and the takes for its data folder.
struct MadeReport {
  Report report;  ///< all of it, as made; report_chosen() gives what the user wants of it
  std::shared_ptr<const ReportMaterial> material;
  std::string fingerprint;  ///< SHA-256 over all raw data
};
/// Every figure that it states is the commands' own; nothing is stated beyond its validity; what
/// was not measured is named. The same takes give the same report. Errors: nothing to
/// report, a variant that is not there; kCancelled.
[[nodiscard]] Result<MadeReport> made_report(ReportInput input);

/// What a user wants of a made report: sections left out (with the figures that they state) and in
/// order, the conditions last; the tester's verdict and own words, marked where the sentence that
/// they stand for says something else by now.
[[nodiscard]] Report report_chosen(const Report& made, const ReportWish& wish);

}  // namespace lalometer
