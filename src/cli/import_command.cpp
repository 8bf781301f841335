#include "cli/import_command.h"

#include <filesystem>
#include <memory>

#include "cli/options/reading_options.h"
#include "workbench/sharing/by_plan.h"

namespace lalometer {
namespace {

Result<Book> open_or_create(const std::filesystem::path& path) {
  std::error_code ignored;
  return std::filesystem::exists(path, ignored) ? Book::open(path) : Book::create(path);
}

struct ImportOptions {
  std::vector<std::string> files;
  std::string book;
  bool preview_only = false;
  bool by_plan = false;
  std::string subject;  ///< whose plan; empty: the only one there is
  ReadingOptions reading;
};

/// The sweeps that came, named by the plan that the book keeps for a subject.
Result<ImportTarget> named_by_plan(const ImportOptions& o, ImportPreview& preview) {
  const auto book = Book::open(o.book);
  if (!book) return tl::unexpected(book.error());
  const auto subjects = book->subjects();
  if (!subjects) return tl::unexpected(subjects.error());
  const Subject* chosen = nullptr;
  for (const Subject& one : *subjects)
    if (one.name == o.subject || (o.subject.empty() && subjects->size() == 1)) chosen = &one;
  if (chosen == nullptr)
    return bad_input(fmt::format("Say whose plan it is (--subject); the book has {} subjects.",
                                 subjects->size()),
                     o.book);
  const std::vector<WantedTake> wanted = wanted_of(*book, chosen->id);
  if (wanted.empty())
    return bad_input(fmt::format("No plan of {} misses a take with a microphone.", chosen->name),
                     o.book);
  const std::size_t sweeps = preview.items.size();
  const std::size_t named = name_by_plan(preview, wanted, chosen->drawing_mark);
  if (named < sweeps || named < wanted.size())
    preview.problems.push_back(
        {ErrorCode::kBadInput,
         fmt::format("{} sweeps came, the plan misses {} takes: the first {} were named in order. "
                     "Look whether they are the right ones.",
                     sweeps, wanted.size(), named),
         ""});
  return ImportTarget{chosen->id, 0};
}

int import_command(Doors doors, const ImportOptions& o) {
  ImportChoices choices = choices_of(o.reading);
  choices.split = true;
  ImportPreview preview =
      preview_import({o.files.begin(), o.files.end()}, choices, {}, {}, on_threads());
  ImportTarget target;
  if (o.by_plan) {
    const auto named = named_by_plan(o, preview);
    if (!named) return refuse(doors, named.error());
    target = *named;
  }
  std::vector<Told> items;
  std::vector<std::string> problems;
  std::vector<Id> kept;
  for (const ImportItem& item : preview.items) {
    items.emplace_back()
        .put("file", item.file)
        .put("name", item.take.name)
        .put("understood", item.understood)
        .notes(item.notes);
    if (!doors.json) doors.out << fmt::format("{}: {}\n", item.file, item.understood);
  }
  bool unusable = preview.items.empty();
  for (const Error& problem : preview.problems) {
    problems.push_back(problem.text());
    doors.err << problem.text() << '\n';
    unusable = unusable || !problem.where.empty();
  }
  // All or none: one unusable file keeps everything out, as the contract of a script wants it.
  if (unusable) return kUnusable;
  if (!o.preview_only) {
    auto book = open_or_create(o.book);
    if (!book) return refuse(doors, book.error());
    const auto ids = take_in(*book, preview, target);
    if (!ids) return refuse(doors, ids.error());
    kept = *ids;
    if (!doors.json) doors.out << fmt::format("{} takes are in {}\n", ids->size(), o.book);
  }
  if (!doors.json) return kDone;
  return print(doors, Told()
                          .put("items", std::move(items))
                          .put("problems", std::move(problems))
                          .put("take_ids", std::move(kept)));
}

}  // namespace

void add_import_command(CLI::App& app, Doors& doors, int& status) {
  auto import = std::make_shared<ImportOptions>();
  CLI::App* command = app.add_subcommand("import", "takes files or sets into a book");
  command->add_option("files", import->files, "curves, sound files, measurement sets")->required();
  CLI::Option* into =
      command->add_option("--book", import->book, "book; made where it is not there");
  command->add_flag("--preview", import->preview_only, "only say what was understood")
      ->excludes(into);
  CLI::Option* by_plan = command->add_flag(
      "--by-plan", import->by_plan,
      "the sweeps of a recorded session are the takes that the book's plan misses, in its order");
  by_plan->needs(into);
  command->add_option("--subject", import->subject, "whose plan, by name")->needs(by_plan);
  add_reading_options(*command, import->reading);
  command->callback([&doors, &status, import] {
    if (import->book.empty() && !import->preview_only)
      throw CLI::RequiredError("--book or --preview");
    status = import_command(doors, *import);
  });
}

}  // namespace lalometer
