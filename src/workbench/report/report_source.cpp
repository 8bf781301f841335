#include "workbench/report/report_source.h"

#include "exchange/network/network_file.h"
#include "workbench/sharing/sources.h"

namespace lalometer {
namespace {

std::optional<DesignedNetwork> kept_network(const std::filesystem::path& source,
                                            const std::string& subject) {
  if (!is_book(source)) return std::nullopt;
  const auto book = Book::open(source);
  if (!book) return std::nullopt;
  const auto subjects = book->subjects();
  if (!subjects) return std::nullopt;
  for (const Subject& s : *subjects) {
    if (s.name != subject && !(subject.empty() && subjects->size() == 1)) continue;
    const std::string kept = book->document(s.id, "network");
    if (kept.empty()) return std::nullopt;
    if (auto network = network_from_json(kept, "network")) return *std::move(network);
  }
  return std::nullopt;
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
