#include "workbench/sharing/sources.h"

#include <algorithm>
#include <fstream>

#include "workbench/bass/worked.h"

namespace lalometer {
namespace {

std::string names_of(const std::vector<std::string>& names) {
  std::string text;
  for (const std::string& name : names) text += (text.empty() ? "\"" : ", \"") + name + "\"";
  return text;
}

/// The row of the wanted name; the only one where none is named.
template <class Row>
Result<const Row*> named(const std::vector<Row>& rows, const std::string& name, const char* what,
                         const std::string& where) {
  std::vector<std::string> names;
  for (const Row& row : rows) {
    if (row.name == name) return &row;
    names.push_back(row.name);
  }
  if (name.empty() && rows.size() == 1) return &rows.front();
  return bad_input(
      name.empty()
          ? fmt::format("Say which {} (--{}): the book has {}.", what, what, names_of(names))
          : fmt::format("There is no {} \"{}\"; the book has {}.", what, name, names_of(names)),
      where);
}

/// A curve that is worked out of others, as if it had come as text.
Result<ImportItem> worked_item(const Book& book, ImportItem item, const std::stop_token& stop) {
  return analysis_from(book, item.take, stop).map([&](const Analysis& made) {
    item.curve = made.curve;
    item.notes = made.notes;
    item.understood = spoken_kind(item.take);
    return item;
  });
}

Result<ImportPreview> read_book(const Book& book, const SourceChoice& choice,
                                const std::stop_token& stop, const Progress& progress,
                                const Parallel& parallel) {
  const std::string where = book.path().string();
  const auto subjects = book.subjects();
  auto takes = book.takes();
  if (!subjects || !takes) return tl::unexpected((subjects ? takes.error() : subjects.error()));
  std::string wanted = choice.subject;
  if (choice.take != 0) {
    const auto one = std::find_if(takes->begin(), takes->end(),
                                  [&](const Take& t) { return t.id == choice.take; });
    if (one == takes->end())
      return fail(ErrorCode::kNotFound, fmt::format("There is no take {}.", choice.take), where);
    for (const Subject& s : *subjects)
      if (s.id == one->subject_id) wanted = s.name;
  }
  const auto subject = named(*subjects, wanted, "subject", where);
  if (!subject) return tl::unexpected(subject.error());
  const auto variants = book.variants((*subject)->id);
  if (!variants) return tl::unexpected(variants.error());
  Id variant_id = 0;
  if (!choice.variant.empty()) {
    const auto variant = named(*variants, choice.variant, "variant", where);
    if (!variant) return tl::unexpected(variant.error());
    variant_id = (*variant)->id;
  }
  ImportPreview preview;
  preview.subject = **subject;
  for (const Variant& v : *variants) preview.variants.emplace_back(std::to_string(v.id), v);
  std::erase_if(*takes, [&](const Take& t) {
    return t.subject_id != (*subject)->id || (choice.take != 0 && t.id != choice.take) ||
           (choice.take == 0 && (!t.accepted || !is_measured(t))) ||
           (variant_id != 0 && t.variant_id != variant_id);
  });
  std::vector<ImportItem> items;
  for (Take& take : *takes) {
    if (stop.stop_requested()) return cancelled();
    ImportItem item;
    item.file = take.raw_name.empty() ? take.name : take.raw_name;
    item.variant_id = std::to_string(take.variant_id);
    auto raw = book.raw(take.raw_hash);
    const auto rig = book.rig(take.rig_id);
    const auto recipe = book.recipe(take.subject_id, role_of(take.kind()));
    if (!raw) return tl::unexpected(raw.error());
    if (!rig) return tl::unexpected(rig.error());
    if (!recipe) return tl::unexpected(recipe.error());
    item.raw = {std::move(*raw), take.sample_rate_hz, 0, take.raw_name};
    item.rig = *rig;
    item.recipe = *recipe;
    item.take = std::move(take);
    if (item.take.form == RawForm::kWorked) {
      auto made = worked_item(book, item, stop);
      if (!made) return tl::unexpected(made.error());
      item = *std::move(made);
    }
    items.push_back(std::move(item));
  }
  const auto describe = [&](ImportItem& item) -> Result<void> {
    if (item.take.form == RawForm::kWorked) return {};
    return describe_item(item, *item.recipe, stop);
  };
  add_described(preview, std::move(items), describe, stop, progress, parallel);
  if (stop.stop_requested()) return cancelled();
  return preview;
}

}  // namespace

bool is_book(const std::filesystem::path& path) {
  std::ifstream in(path, std::ios::binary);
  char magic[16] = {};
  in.read(magic, sizeof(magic));
  return in && std::string_view(magic, 15) == "SQLite format 3";
}

ImportPreview read_source(const std::filesystem::path& path, const ImportChoices& choices,
                          const SourceChoice& choice, std::stop_token stop,
                          const Progress& progress, const Parallel& parallel) {
  if (!is_book(path)) return preview_import({path}, choices, stop, progress, parallel);
  auto preview = Book::open(path).and_then(
      [&](const Book& book) { return read_book(book, choice, stop, progress, parallel); });
  if (preview) return std::move(*preview);
  ImportPreview none;
  none.problems.push_back(preview.error());
  return none;
}

std::string kept_document(const std::filesystem::path& path, const std::string& subject,
                          const std::string& kind) {
  if (!is_book(path)) return {};
  const auto book = Book::open(path);
  if (!book) return {};
  const auto subjects = book->subjects();
  if (!subjects) return {};
  for (const Subject& s : *subjects)
    if (s.name == subject || (subject.empty() && subjects->size() == 1))
      return book->document(s.id, kind);
  return {};
}

}  // namespace lalometer
