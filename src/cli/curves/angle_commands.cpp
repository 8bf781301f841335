#include "cli/curves/angle_commands.h"

#include <memory>

#include "base/work_owner.h"
#include "cli/options/option_checks.h"
#include "exchange/audio_file.h"
#include "exchange/curve_file.h"
#include "workbench/telling/angles_told.h"

namespace lalometer {
namespace {

struct SpinOptions {
  std::string path;
  double horizontal_axis_deg = 0.0;
  double vertical_axis_deg = 0.0;
  bool mirror = false;
  bool no_extension = false;
  std::string driver;
};

Result<OrbitMaterial> material_for(const Doors& doors, const SpinOptions& o) {
  const ImportPreview source = read_for(doors, o.path);
  if (source.items.empty() && !source.problems.empty())
    return tl::unexpected(source.problems.front());
  OrbitWish wish;
  wish.variant = doors.choice.variant;
  wish.driver = o.driver;
  wish.mirror = o.mirror;
  wish.extend = !o.no_extension;
  auto material = orbit_material(source, wish, o.path, on_threads());
  if (!material) return material;
  for (const Error& problem : source.problems) material->notes.push_back(problem.text());
  return material;
}

void add_set_options(CLI::App& command, const std::shared_ptr<SpinOptions>& o, Doors& doors) {
  command
      .add_option("path", o->path,
                  "measurement set, folder of responses named by angle, AES69 file, or book")
      ->required();
  command.add_flag("--mirror", o->mirror, "a side that was not taken is the other one");
  command.add_flag("--no-extension", o->no_extension,
                   "nothing below the gate, though near fields are there");
  command.add_option("--driver", o->driver, "takes of this driver alone");
  add_source_options(command, doors.choice);
}

int spin_command(const Doors& doors, const SpinOptions& o) {
  auto material = material_for(doors, o);
  if (!material) return refuse(doors, material.error());
  AngleView view;
  view.horizontal_axis_deg = o.horizontal_axis_deg;
  view.vertical_axis_deg = o.vertical_axis_deg;
  const auto taken = std::make_shared<const OrbitMaterial>(*std::move(material));
  return print(doors, told_of(angle_reading(taken, view, foretold_of(*taken, view.fall_db))));
}

struct EqualiseOptions : SpinOptions {
  std::string target;
  std::string of = "listening-window";
  double from_hz = 0.0;
  double to_hz = 0.0;
  int filters = 5;
  double max_boost_db = 3.0;
  double sample_rate_hz = 48000.0;
};

int equalise_command(const Doors& doors, const EqualiseOptions& o) {
  const auto material = material_for(doors, o);
  if (!material) return refuse(doors, material.error());
  EqualiseWish wish;
  wish.of = *equalise_for(o.of);
  wish.slope =
      o.target == "slope" || (o.target.empty() && wish.of == EqualiseFor::kPredictedInRoom);
  if (!o.target.empty() && o.target != "flat" && o.target != "slope") {
    const auto bytes = file_bytes(o.target);
    if (!bytes) return refuse(doors, bytes.error());
    const auto table = read_text_table(*bytes, o.target, ColumnKind::kResponse);
    if (!table) return refuse(doors, table.error());
    std::vector<double> hz;
    for (const auto& row : table->rows) {
      hz.push_back(row.frequency_hz);
      wish.target_db.push_back(row.magnitude);
    }
    auto axis = FrequencyAxis::make(std::move(hz));
    if (!axis) return refuse(doors, {axis.error().code, axis.error().message, o.target});
    wish.target_axis = *std::move(axis);
  }
  if (o.from_hz > 0.0) wish.from_hz = o.from_hz;
  if (o.to_hz > 0.0) wish.to_hz = o.to_hz;
  wish.filters = o.filters;
  wish.max_boost_db = o.max_boost_db;
  wish.sample_rate_hz = o.sample_rate_hz;
  const auto advice = equalise_advice(*material, wish, o.path);
  if (!advice) return refuse(doors, advice.error());
  return print(doors, told_of(*material, *advice, o.sample_rate_hz));
}

void add_spin(CLI::App& app, Doors& doors, int& status) {
  auto o = std::make_shared<SpinOptions>();
  CLI::App* command = app.add_subcommand(
      "spin", "CTA-2034-A averages, indices, in-room estimate and preference rating");
  add_set_options(*command, o, doors);
  command->add_option("--horizontal-axis", o->horizontal_axis_deg,
                      "listening axis to the right of the 0° axis, degrees");
  command->add_option("--vertical-axis", o->vertical_axis_deg, "the same upward");
  command->callback([&doors, &status, o] { status = spin_command(doors, *o); });
}

void add_directivity(CLI::App& app, Doors& doors, int& status) {
  struct Options : SpinOptions {
    std::string plane = "horizontal";
    double level_db = -6.0;
  };
  auto o = std::make_shared<Options>();
  CLI::App* command = app.add_subcommand(
      "directivity", "beamwidth, coverage, separation of angles, index and map of one plane");
  add_set_options(*command, o, doors);
  command->add_option("--plane", o->plane, "horizontal or vertical")
      ->check(CLI::IsMember({"horizontal", "vertical"}));
  command->add_option("--level", o->level_db, "of the beamwidth, dB re the axis")
      ->check(CLI::Range(-40.0, -0.5));
  command->callback([&doors, &status, o] {
    const auto material = material_for(doors, *o);
    if (!material) {
      status = refuse(doors, material.error());
      return;
    }
    const Plane plane = o->plane == "vertical" ? Plane::kVertical : Plane::kHorizontal;
    BeamModels models;
    if (material->geometry)
      models = beam_models(*material->geometry, plane, -o->level_db, material->distance_m,
                           material->speed_of_sound_m_s);
    status =
        print(doors, told_of(*material, circle_reading(*material, plane, -o->level_db, models)));
  });
}

void add_equalise(CLI::App& app, Doors& doors, int& status) {
  auto o = std::make_shared<EqualiseOptions>();
  CLI::App* command =
      app.add_subcommand("equalise", "parametric filters, and what must not be equalised");
  add_set_options(*command, o, doors);
  command->add_option("--target", o->target, "flat, slope (its own trend), or a curve's file");
  command->add_option("--for", o->of, "what is brought to the target")
      ->check(CLI::IsMember({"on-axis", "listening-window", "predicted-in-room"}));
  command->add_option("--from", o->from_hz, "Hz; F3 or the gate's limit otherwise")
      ->check(above_zero());
  command->add_option("--to", o->to_hz, "Hz; 16 kHz otherwise")->check(above_zero());
  command->add_option("--filters", o->filters, "at most so many")->check(CLI::Range(0, 20));
  command->add_option("--max-boost", o->max_boost_db, "of each filter and of their sum, dB")
      ->check(CLI::Range(0.0, 24.0));
  command->add_option("--sample-rate", o->sample_rate_hz, "of the coefficients, Hz")
      ->check(CLI::Range(8000.0, 768000.0));
  command->callback([&doors, &status, o] { status = equalise_command(doors, *o); });
}

}  // namespace

void add_angle_commands(CLI::App& app, Doors& doors, int& status) {
  add_spin(app, doors, status);
  add_directivity(app, doors, status);
  add_equalise(app, doors, status);
}

}  // namespace lalometer
