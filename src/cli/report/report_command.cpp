#include "cli/report/report_command.h"

#include <CLI/CLI.hpp>
#include <memory>

#include "base/work_owner.h"
#include "cli/output.h"
#include "paper/report_writing.h"
#include "workbench/keeping/report_keeping.h"
#include "workbench/report/report_source.h"

namespace lalometer {
namespace {

struct ReportOptions {
  std::string source, out, kind, form, verdict, like;
  std::vector<std::string> with;
  bool iec = false;
};

/// A line for a figure: what it is called, which command tells it, and what it is.
Told told_of(const StatedFigure& f) {
  Told told;
  told.put("name", f.name).put("command", f.command);
  told.put("value", f.value).put("uncertainty", f.uncertainty);
  told.put("unit", f.unit).put("valid", f.valid);
  return told;
}

int report_command(const Doors& doors, const ReportOptions& o) {
  const std::string ending = std::filesystem::path(o.out).extension().string();
  const auto form = report_form(!o.form.empty()     ? o.form
                                : ending == ".pdf"  ? "pdf"
                                : ending == ".html" ? "html"
                                                    : "folder");
  ReportWish wish = kept_report_wish(o.source, doors.choice.subject);
  if (!o.like.empty()) {
    const auto found = kept_report_template(o.source, o.like);
    if (!found) return refuse(doors, found.error());
    wish = like_template(*found, wish);
  }
  if (!o.with.empty()) wish.with = o.with;
  if (!o.kind.empty()) wish.kind = report_kind(o.kind).value_or(ReportKind::kReview);
  if (!o.verdict.empty()) wish.verdict = o.verdict;
  if (o.iec) wish.iec_proportions = true;
  // Other variants are part of the case: none is left out in reading.
  ReportInput input = report_input(o.source, doors.choice.subject, doors.choice.variant, wish);
  input.progress = terminal_progress("report");
  input.parallel = on_threads();
  const auto made = made_report(std::move(input));
  if (!made) return refuse(doors, made.error());
  const Report report = report_chosen(made->report, wish);
  const auto written = write_report(*made, report, wish, *form, o.out);
  if (!written) return refuse(doors, written.error());
  Told told;
  std::vector<std::string> files;
  for (const std::filesystem::path& file : *written) files.push_back(file.string());
  told.put("written", Told::Value(std::move(files)));
  std::vector<Told> figures;
  for (const StatedFigure& f : report.figures) figures.push_back(told_of(f));
  told.put("figures", Told::Value(std::move(figures)));
  told.put("kind", word_of(made->report.kind)).put("fingerprint", made->fingerprint);
  return print(doors, told.notes(made->report.missing));
}

}  // namespace

void add_report_command(CLI::App& app, Doors& doors, int& status) {
  auto o = std::make_shared<ReportOptions>();
  CLI::App* command = app.add_subcommand(
      "report", "a review, driver sheet, comparison or case as PDF, HTML page or folder");
  command->add_option("source", o->source, "measurement set, folder, file or book")->required();
  command->add_option("out", o->out, "file or folder to write")->required();
  command->add_option("--kind", o->kind, "what is told")
      ->check(CLI::IsMember({"review", "driver", "comparison", "case"}));
  command->add_option("--format", o->form, "by the name's ending otherwise")
      ->check(CLI::IsMember({"pdf", "html", "folder"}));
  command->add_option("--verdict", o->verdict, "the tester's own, on the first page");
  command->add_flag("--iec-proportions", o->iec, "level figures by IEC 60263, 25 dB a decade");
  command->add_option("--template", o->like, "as this template of the book has it");
  command->add_option("--with", o->with, "of a book: other subjects to compare with");
  add_source_options(*command, doors.choice);
  command->callback([&doors, &status, o] { status = report_command(doors, *o); });
}

}  // namespace lalometer
