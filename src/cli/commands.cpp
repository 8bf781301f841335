#include "cli/commands.h"

#include <fmt/format.h>
#include <unistd.h>

#include <CLI/CLI.hpp>
#include <cmath>
#include <filesystem>
#include <memory>
#include <ostream>

#include "acoustics/spectrum/smoothing.h"
#include "base/constants.h"
#include "base/log.h"
#include "base/text.h"
#include "base/work_owner.h"
#include "cli/curves/angle_commands.h"
#include "cli/curves/bass_commands.h"
#include "cli/curves/curve_commands.h"
#include "cli/curves/level_commands.h"
#include "cli/design_commands.h"
#include "cli/diagnose_command.h"
#include "cli/impedance_commands.h"
#include "cli/import_command.h"
#include "cli/network/network_command.h"
#include "cli/options/option_checks.h"
#include "cli/options/reading_options.h"
#include "cli/output.h"
#include "cli/report/report_command.h"
#include "cli/stimulus_command.h"
#include "exchange/audio_file.h"
#include "exchange/curve_file.h"
#include "workbench/practice/simulating.h"
#include "workbench/results/analysis.h"
#include "workbench/sharing/exporting.h"
#include "workbench/sharing/importing.h"
#include "workbench/sharing/orbit_importing.h"
#include "workbench/sharing/sources.h"
#include "workbench/telling/response_told.h"

namespace lalometer {
namespace {

namespace fs = std::filesystem;

struct ResponseOptions {
  std::string path;
  double gate_ms = 0.0;
  int smooth = 0;
  ReadingOptions reading;
};

/// The take of a file or set that `response` speaks of: the response nearest to the axis, curves
/// before recordings.
Result<ImportItem> chosen_response(const Doors& doors, const ResponseOptions& o,
                                   std::optional<Stand>& stand) {
  const ImportPreview preview = read_for(doors, o.path, choices_of(o.reading));
  const ImportItem* best = nullptr;
  double best_angle = 1e9;
  for (const ImportItem& item : preview.items) {
    if (item.calibration || !is_pressure(item.take) || !item.curve) continue;
    const Placement place = place_of(item.take);
    // A near field is no answer where there is a response.
    const double angle = std::abs(place.horizontal_deg) + std::abs(place.vertical_deg) +
                         (item.take.kind() == TakeKind::kNearField ? 1e6 : 0.0);
    if (angle < best_angle) {
      best = &item;
      best_angle = angle;
    }
  }
  stand = preview.stand;
  if (best != nullptr) return *best;
  if (!preview.problems.empty()) return tl::unexpected(preview.problems.front());
  if (!preview.items.empty()) {
    return bad_input(
        "This holds no response (an impedance or a correction was found; --kind says otherwise).",
        o.path);
  }
  return bad_input("No response was found here.", o.path);
}

/// What comes after the direct sound, named where the set tells of its bench.
void put_reflections(Told& told, const Analysis& a, const Take& take,
                     const std::optional<Stand>& stand) {
  std::vector<Told> rows;
  const double c = speed_of_sound_m_s(take.conditions.temperature_c);
  for (const LateSound& late : a.later) {
    const double delay_s = late.time_s - a.arrival_s;
    Told row;
    row.put("later_ms", 1e3 * delay_s)
        .put("level_db", late.level_db)
        .put("longer_way_m", delay_s * c);
    std::string name;
    if (stand) {
      Stand here = *stand;
      here.distance_m = place_of(take).distance_m;
      name = named_reflection(here, delay_s, c).name;
    }
    row.put("surface", name.empty() ? Told::Value(nullptr) : Told::Value(name));
    rows.push_back(std::move(row));
  }
  told.put("reflections", Told::Value(std::move(rows)));
}

int response_command(const Doors& doors, const ResponseOptions& o) {
  std::optional<Stand> stand;
  const auto item = chosen_response(doors, o, stand);
  if (!item) return refuse(doors, item.error());
  Told told;
  std::optional<double> arrival_s;
  std::optional<double> reflection_s;
  TimeOrigin origin{.at_s = 0.0, .source = TimeOrigin::Source::kFile};
  const bool plain = o.gate_ms <= 0.0 && o.smooth == 0;
  const double own_gate_s = item->take.conditions.gate_s;
  if (item->take.form == RawForm::kTextFile) {
    const auto table = read_text_table(item->raw.bytes, o.path, ColumnKind::kResponse);
    if (!table) return refuse(doors, table.error());
    if (o.gate_ms > 0.0) {
      return refuse(
          doors,
          {ErrorCode::kBadInput,
           "A gate needs an impulse response or a recorded sweep; this is a curve.", item->file});
    }
    told = plain ? told_of(*table, own_gate_s)
                 : told_of(smoothed(curve_of(*table, ColumnKind::kResponse,
                                             own_gate_s > 0.0 ? 1.0 / own_gate_s : 0.0),
                                    o.smooth));
    told.notes(item->notes).note("Curves on file hold no arrival.");
  } else if (!item->stage) {
    told = told_of(plain ? *item->curve : smoothed(*item->curve, o.smooth));
    told.notes(item->notes).note(item->understood + ": it holds no arrival.");
  } else {
    Recipe recipe;
    if (item->recipe && plain) {
      recipe = *item->recipe;  // of a book: as the window shows it
    } else {
      recipe.smoothing = o.smooth;
      recipe.gate_s = o.gate_ms > 0.0 ? o.gate_ms / 1e3 : own_gate_s;
      recipe.gated = recipe.gate_s > 0.0;
    }
    const Analysis result = curve_stage(*item->stage, recipe);
    told = told_of(result.curve);
    told.notes(result.notes);
    arrival_s = result.arrival_s;
    reflection_s = result.first_reflection_s;
    origin = result.origin;
    if (!reflection_s) told.note("No reflection stands out after the direct sound.");
    put_reflections(told, result, item->take, stand);
    if (!item->stage->start_known) {
      if (arrival_s && reflection_s)
        told.note(fmt::format("The first reflection comes {:.2f} ms after the arrival.",
                              1e3 * (*reflection_s - *arrival_s)));
      arrival_s = reflection_s = std::nullopt;
    }
    if (item->stage->sweeps_found > 0) {
      told.put("sweeps_found", item->stage->sweeps_found);
      const auto& drift = item->stage->drift;
      told.put("drift_ppm",
               drift ? std::optional(Estimate{drift->ppm, drift->uncertainty_ppm}) : std::nullopt,
               1.0);
      if (!drift) told.note("drift_ppm: no pulse stands out to tell it by.");
    }
  }
  told.put("arrival_s", arrival_s).put("first_reflection_s", reflection_s);
  told.put("time_origin", std::string(word_of(origin.source)));
  if (arrival_s) told.put("time_origin_s", origin.at_s);
  return print(doors, told.put("take", item->take.name));
}

int export_command(Doors doors, const std::string& book_path, const std::string& target, Id take,
                   Id subject) {
  if (fs::path(target).extension() == ".sofa") {
    const ImportPreview source = read_for(doors, book_path);
    if (source.items.empty() && !source.problems.empty())
      return refuse(doors, source.problems.front());
    const auto written =
        export_sofa(source, source.subject ? source.subject->name : std::string(), target);
    if (!written) return refuse(doors, written.error());
    return print(doors, Told().put("written", target));
  }
  const auto book = Book::open(book_path);
  if (!book) return refuse(doors, book.error());
  if (take == 0 && subject == 0) {
    const auto subjects = book->subjects();
    if (!subjects) return refuse(doors, subjects.error());
    if (subjects->size() != 1) {
      doors.err << fmt::format("The book holds {} subjects; say --subject or --take:\n",
                               subjects->size());
      for (const Subject& s : *subjects)
        doors.err << fmt::format("  --subject {}  {}\n", s.id, s.name);
      return kWrongUsage;
    }
    subject = subjects->front().id;
  }
  const auto done =
      take != 0 ? export_take(*book, take, target) : export_subject(*book, subject, target);
  if (!done) return refuse(doors, done.error());
  return print(doors, Told().put("written", target));
}

int simulate_command(Doors doors, const std::string& subject, const std::string& folder,
                     std::uint64_t seed) {
  const auto done =
      simulate_set(subject, folder, seed, {}, terminal_progress("simulating"), on_threads());
  if (!done) return refuse(doors, done.error());
  return print(doors, Told().put("written", folder).put("truth", folder + "/truth.json"));
}

/// A set, a book or a file: is it usable, and what is in it.
int validate_command(Doors doors, const std::string& path, const ReadingOptions& o) {
  Told told;
  told.put("path", path).put("valid", true);
  std::error_code ignored;
  const bool is_set = fs::is_directory(path, ignored) || fs::path(path).extension() == ".json";
  if (fs::path(path).extension() == ".lalo") {
    const auto book = Book::open(path);
    if (!book) return refuse(doors, book.error());
    if (auto whole = book->check_integrity(); !whole) return refuse(doors, whole.error());
    const auto takes = book->takes();
    if (!takes) return refuse(doors, takes.error());
    told.put("takes", takes->size());
  } else if (is_set) {
    const auto set = read_set(path);
    if (!set) return refuse(doors, set.error());
    told.put("takes", set->takes.size()).notes(set->notes);
  } else {
    const ImportPreview preview = preview_import({path}, choices_of(o));
    if (!preview.problems.empty()) return refuse(doors, preview.problems.front());
    told.put("takes", preview.items.size()).notes(preview.items.front().notes);
    told.put("understood", preview.items.front().understood);
  }
  return print(doors, told.notes({}));
}

void add_response(CLI::App& app, Doors& doors, int& status) {
  auto response = std::make_shared<ResponseOptions>();
  CLI::App* command =
      app.add_subcommand("response", "frequency response of a file or a set's on-axis take");
  command
      ->add_option("path", response->path,
                   "curve, impulse response, recorded sweep, or measurement set")
      ->required();
  command->add_option("--gate-ms", response->gate_ms, "gate length after the arrival, ms")
      ->check(above_zero());
  command->add_option("--smooth", response->smooth, "1/N octave")->check(CLI::Range(0, 96));
  add_reading_options(*command, response->reading);
  add_source_options(*command, doors.choice);
  command->callback([&doors, &status, response] { status = response_command(doors, *response); });
}

void add_export(CLI::App& app, Doors& doors, int& status) {
  struct ExportOptions {
    std::string book;
    std::string target;
    Id take = 0;
    Id subject = 0;
  };
  auto out = std::make_shared<ExportOptions>();
  CLI::App* command =
      app.add_subcommand("export", "a take as a file, or a subject as a measurement set");
  command->add_option("book", out->book, "book")->required();
  command->add_option("target", out->target, "file (.frd, .zma, .txt, .csv, .wav, .flac) or folder")
      ->required();
  CLI::Option* take_option =
      command->add_option("--take", out->take, "id of one take")->check(above_zero());
  command->add_option("--subject", out->subject, "id of a subject")
      ->check(above_zero())
      ->excludes(take_option);
  command->callback([&doors, &status, out] {
    status = export_command(doors, out->book, out->target, out->take, out->subject);
  });
}

void add_simulate(CLI::App& app, Doors& doors, int& status) {
  struct SimulateOptions {
    std::string description;
    std::string folder;
    std::uint64_t seed = 1;
  };
  auto simulate = std::make_shared<SimulateOptions>();
  CLI::App* command = app.add_subcommand(
      "simulate", "takes of a described loudspeaker on the practice bench, with their truth");
  command->add_option("subject", simulate->description, "SUBJECT.json: a set's subject (and bench)")
      ->required();
  command->add_option("folder", simulate->folder, "where the measurement set goes")->required();
  command->add_option("--seed", simulate->seed, "of the noise");
  command->callback([&doors, &status, simulate] {
    status = simulate_command(doors, simulate->description, simulate->folder, simulate->seed);
  });
}

void add_validate(CLI::App& app, Doors& doors, int& status) {
  auto candidate = std::make_shared<std::string>();
  auto reading = std::make_shared<ReadingOptions>();
  CLI::App* command = app.add_subcommand("validate", "whether a set, a book or a file can be used");
  command->add_option("path", *candidate, "set, book or file")->required();
  add_reading_options(*command, *reading);
  command->callback([&doors, &status, candidate, reading] {
    status = validate_command(doors, *candidate, *reading);
  });
}

void add_file_commands(CLI::App& app, Doors& doors, int& status) {
  add_response(app, doors, status);
  add_import_command(app, doors, status);
  add_export(app, doors, status);
  add_simulate(app, doors, status);
  add_validate(app, doors, status);
}

}  // namespace

int run_cli(int argc, const char* const* argv, std::ostream& out, std::ostream& err) {
  CLI::App app("Loudspeaker measurements: every analysis without the window.", "lalometer-cli");
  app.require_subcommand(1);
  app.fallthrough();
  Doors doors{out, err};
  app.add_flag("--json", doors.json, "print one JSON object");
  std::string log_path;
  app.add_option("--log", log_path, "write a log into this file")
      ->each([&](const std::string& file) {
        if (const auto started = start_log(file); !started)
          throw CLI::ValidationError("--log", started.error().text());
        std::string line = "lalometer-cli";
        for (int i = 1; i < argc; ++i) line += fmt::format(" {}", argv[i]);
        log_line(LogWeight::kEvent, line);
      });
  app.set_version_flag("--version", "lalometer-cli " LALOMETER_VERSION);
  int status = kDone;

  add_file_commands(app, doors, status);
  add_design_commands(app, doors, status);
  add_angle_commands(app, doors, status);
  add_bass_commands(app, doors, status);
  add_level_commands(app, doors, status);
  add_diagnose_command(app, doors, status);
  add_network_command(app, doors, status);
  add_report_command(app, doors, status);
  add_curve_commands(app, doors, status);
  add_impedance_commands(app, doors, status);
  add_stimulus_command(app, doors, status);

  try {
    app.parse(argc, argv);
  } catch (const CLI::Success& help) {
    return app.exit(help, out, err);
  } catch (const CLI::ParseError& problem) {
    app.exit(problem, err, err);
    return kWrongUsage;
  }
  log_line(LogWeight::kEvent, fmt::format("status {}", status));
  return status;
}

}  // namespace lalometer
