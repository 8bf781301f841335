#include "workbench/report/report_making.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/hash.h"
#include "workbench/report/sections/driver_section.h"
#include "workbench/report/sections/report_sections.h"

namespace lalometer {
namespace {

/// Over the raw data of all takes, in an order that does not depend on how they were read.
std::string fingerprint_of(const ImportPreview& preview) {
  std::vector<std::string> hashes;
  for (const ImportItem& item : preview.items) hashes.push_back(sha256_hex(item.raw.bytes));
  std::sort(hashes.begin(), hashes.end());
  return sha256_hex(fmt::format("{}", fmt::join(hashes, "\n")));
}

std::string date_of(const ImportPreview& preview) {
  constexpr std::size_t kDay = 10;
  std::string newest;
  for (const ImportItem& item : preview.items)
    newest = std::max(newest, item.take.taken_at.substr(0, kDay));
  return newest;
}

std::string title_of(ReportKind kind, const ImportPreview& source) {
  std::string name = source.subject ? source.subject->name : "";
  if (name.empty() && !source.items.empty()) name = source.items.front().take.name;
  if (name.empty()) name = "Measurement";
  switch (kind) {
    case ReportKind::kDriver:
      return name + ": driver sheet";
    case ReportKind::kComparison:
      return name + ": variants compared";
    case ReportKind::kCase:
      return name + ": findings";
    case ReportKind::kReview:
      break;
  }
  return name;
}

}  // namespace

Result<MadeReport> made_report(ReportInput in) {
  MadeReport out;
  Report& r = out.report;
  r.kind = in.kind;
  r.title = title_of(r.kind, in.source);
  r.date = date_of(in.source);
  out.fingerprint = fingerprint_of(in.source);
  ReportWriter w(r);
  if (r.kind == ReportKind::kDriver) {
    sections::put_driver(w, in.source, in.where);
  } else if (r.kind == ReportKind::kComparison) {
    sections::put_comparison(w, in.source);
    if (r.sections.empty())
      return bad_input(r.missing.empty() ? "There is nothing to compare." : r.missing.front(),
                       in.where);
  }
  auto material = report_material(std::move(in.source), in.variant, in.where, in.stop, in.progress,
                                  in.parallel);
  if (!material) return tl::unexpected(material.error());
  out.material = *std::move(material);
  const ReportMaterial& m = *out.material;
  if (r.kind != ReportKind::kComparison && !m.variant.empty()) r.subtitle = m.variant;
  const ReportScore score = report_score(m);
  const sections::SectionInput input{m, score};
  if (r.kind == ReportKind::kReview) {
    sections::put_response(w, input);
    sections::put_bass(w, input);
    sections::put_impedance(w, input);
    sections::put_angles(w, input);
    sections::put_decay(w, input);
    sections::put_distortion(w, input);
    sections::put_case(w, input, false);
  } else if (r.kind == ReportKind::kCase) {
    sections::put_case(w, input, true);
    sections::put_response(w, input);
    sections::put_impedance(w, input);
  } else if (r.kind == ReportKind::kDriver) {
    if (m.ahead != nullptr) sections::put_response(w, input);
    if (m.levels) sections::put_distortion(w, input);
  }
  if (r.sections.empty() && r.missing.empty())
    return bad_input("There is nothing to report here.", in.where);
  sections::put_conditions(w, m, out.fingerprint);
  if (in.progress) in.progress(1.0);
  return out;
}

}  // namespace lalometer
