#include "workbench/report/report_making.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/hash.h"
#include "workbench/report/sections/driver_section.h"
#include "workbench/report/sections/network_section.h"
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

std::string title_of(ReportKind kind, const ImportPreview& source, bool several) {
  std::string name = source.subject ? source.subject->name : "";
  if (name.empty() && !source.items.empty()) name = source.items.front().take.name;
  if (name.empty()) name = "Measurement";
  switch (kind) {
    case ReportKind::kDriver:
      return name + ": driver sheet";
    case ReportKind::kComparison:
      return name + (several ? ": compared" : ": variants compared");
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
  r.title = title_of(r.kind, in.source, !in.others.empty());
  r.date = date_of(in.source);
  out.fingerprint = fingerprint_of(in.source);
  for (const ImportPreview& other : in.others) {
    if (other.items.empty())
      return other.problems.empty() ? bad_input("Nothing was measured there.", in.where)
                                    : tl::unexpected(other.problems.front());
    if (r.kind == ReportKind::kComparison && other.subject)
      r.subtitle += (r.subtitle.empty() ? "against " : ", ") + other.subject->name;
  }
  ReportWriter w(r);
  if (r.kind == ReportKind::kDriver) {
    sections::put_driver(w, in.source, in.where);
  } else if (r.kind == ReportKind::kComparison) {
    sections::put_comparison(w, in.source, in.others);
    if (r.sections.empty())
      return bad_input(r.missing.empty() ? "There is nothing to compare." : r.missing.front(),
                       in.where);
  }
  // Drivers alone may be of another variant than the whole: of all of them.
  ReportSection network;
  if (in.network && r.kind == ReportKind::kReview) {
    sections::put_network(w, in.source, *in.network, in.where);
    if (!r.sections.empty()) {
      network = std::move(r.sections.back());
      r.sections.pop_back();
    }
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
    if (!network.empty()) r.sections.push_back(std::move(network));
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
