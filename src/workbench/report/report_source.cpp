#include "workbench/report/report_source.h"

#include "exchange/network/network_file.h"
#include "workbench/sharing/sources.h"

namespace lalometer {
namespace {

std::optional<DesignedNetwork> kept_network(const std::filesystem::path& source,
                                            const std::string& subject) {
  const std::string kept = kept_document(source, subject, "network");
  if (kept.empty()) return std::nullopt;
  auto network = network_from_json(kept, "network");
  return network ? std::optional(*std::move(network)) : std::nullopt;
}

}  // namespace

ReportInput report_input(const std::filesystem::path& source, const std::string& subject,
                         const std::string& variant, const ReportWish& wish, std::stop_token stop) {
  SourceChoice choice;
  choice.subject = subject;
  ReportInput in{.source = read_source(source, {}, choice, stop),
                 .where = source.string(),
                 .variant = variant,
                 .kind = wish.kind,
                 .network = kept_network(source, subject)};
  if (wish.kind == ReportKind::kComparison)
    for (const std::string& other : wish.with) {
      choice.subject = other;
      in.others.push_back(read_source(source, {}, choice, stop));
    }
  in.stop = stop;
  return in;
}

}  // namespace lalometer
