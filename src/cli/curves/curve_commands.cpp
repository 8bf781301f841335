#include "cli/curves/curve_commands.h"

#include <memory>

#include "acoustics/curves/means.h"
#include "base/text.h"
#include "cli/options/option_checks.h"
#include "workbench/studies/curve_studies.h"
#include "workbench/telling/response_told.h"

namespace lalometer {
namespace {

/// All responses of a file, set or book.
Result<std::vector<ImportItem>> responses_of(const Doors& doors, const std::string& path) {
  ImportPreview preview = read_for(doors, path);
  std::vector<ImportItem> found;
  for (ImportItem& item : preview.items)
    if (item.curve && !item.calibration && is_pressure(item.take)) found.push_back(std::move(item));
  if (!found.empty()) return found;
  if (!preview.problems.empty()) return tl::unexpected(preview.problems.front());
  return bad_input("No response was found here.", path);
}

int mean_command(const Doors& doors, const std::vector<std::string>& paths, bool complex) {
  std::vector<Response> curves;
  for (const std::string& path : paths) {
    const auto items = responses_of(doors, path);
    if (!items) return refuse(doors, items.error());
    for (const ImportItem& item : *items) curves.push_back(*item.curve);
  }
  const auto mean = mean_of(curves, complex ? MeanHow::kComplex : MeanHow::kPower);
  if (!mean) return refuse(doors, mean.error());
  return print(doors, told_of(*mean).put("curves", curves.size()));
}

int difference_command(const Doors& doors, const std::string& of, const std::string& from) {
  const auto a = responses_of(doors, of);
  if (!a) return refuse(doors, a.error());
  const auto b = responses_of(doors, from);
  if (!b) return refuse(doors, b.error());
  const auto d = difference_of(*a->front().curve, *b->front().curve);
  if (!d)
    return refuse(doors, {ErrorCode::kBadInput,
                          "The two share no frequencies where both are valid.", of + ", " + from});
  Told told;
  const std::size_t n = d->frequency_hz.size();
  told.put_each("frequency_hz", n, [&](std::size_t i) { return d->frequency_hz[i]; });
  told.put_each("level_db", n, [&](std::size_t i) { return d->level_db[i]; });
  if (!d->half_width_db.empty())
    told.put_each("uncertainty_db", n, [&](std::size_t i) { return d->half_width_db[i]; });
  return print(doors, told.columns_every(8));
}

int offset_command(const Doors& doors, const std::string& path) {
  const ImportPreview preview = read_for(doors, path);
  if (!preview.subject)
    return refuse(doors, preview.problems.empty()
                             ? Error{ErrorCode::kBadInput,
                                     "A measurement set or a book is needed, for the drivers' "
                                     "places.",
                                     path}
                             : preview.problems.front());
  const auto geometry = geometry_of(preview.subject->description, path);
  if (!geometry) return refuse(doors, geometry.error());
  std::vector<TimedTake> takes;
  for (const ImportItem& item : preview.items) {
    if (!item.curve || item.calibration) continue;
    takes.push_back({&item.take, &*item.curve,
                     item.stage ? item.stage->origin
                                : TimeOrigin{.at_s = 0.0, .source = TimeOrigin::Source::kFile}});
  }
  const DriverOffsets found = driver_offsets(*geometry, takes);
  std::vector<Told> rows;
  for (const DriverOffset& one : found.offsets) {
    Told row;
    row.put("driver", one.behind).put("behind", one.of);
    row.put("offset_mm", std::optional(one.offset_m), 1e3).put("opposed", one.opposed);
    rows.push_back(std::move(row));
  }
  return print(doors, Told().put("offsets", Told::Value(std::move(rows))).notes(found.notes));
}

}  // namespace

void add_curve_commands(CLI::App& app, Doors& doors, int& status) {
  struct Options {
    std::vector<std::string> paths;
    bool complex = false;
  };
  auto mean = std::make_shared<Options>();
  CLI::App* command = app.add_subcommand("mean", "mean of responses: of their power, or complex");
  command->add_option("paths", mean->paths, "curves, sets or books")->required();
  command->add_flag("--complex", mean->complex, "of the complex values: repeats at one place");
  add_source_options(*command, doors.choice);
  command->callback(
      [&doors, &status, mean] { status = mean_command(doors, mean->paths, mean->complex); });

  auto pair = std::make_shared<std::pair<std::string, std::string>>();
  command = app.add_subcommand("difference", "level of one response less that of another");
  command->add_option("of", pair->first, "curve")->required();
  command->add_option("from", pair->second, "the one it is held against")->required();
  command->callback(
      [&doors, &status, pair] { status = difference_command(doors, pair->first, pair->second); });

  auto offset = std::make_shared<std::string>();
  command =
      app.add_subcommand("offset", "how far one driver's acoustic centre lies behind another");
  command->add_option("path", *offset, "measurement set or book")->required();
  add_source_options(*command, doors.choice);
  command->callback([&doors, &status, offset] { status = offset_command(doors, *offset); });
}

}  // namespace lalometer
