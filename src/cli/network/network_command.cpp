#include "cli/network/network_command.h"

#include <fmt/format.h>

#include <CLI/CLI.hpp>
#include <cmath>
#include <memory>

#include "acoustics/network/design/crossover_design.h"
#include "acoustics/network/whatif/as_built.h"
#include "acoustics/network/whatif/tolerance.h"
#include "base/text.h"
#include "base/work_owner.h"
#include "cli/options/option_checks.h"
#include "cli/options/reading_options.h"
#include "cli/output.h"
#include "exchange/audio_file.h"
#include "exchange/network/network_file.h"
#include "exchange/network/target_file.h"
#include "workbench/networks/network_material.h"
#include "workbench/networks/out/filters_out.h"
#include "workbench/networks/out/network_export.h"
#include "workbench/telling/network/network_told.h"

namespace lalometer {
namespace {

struct NetworkOptions {
  std::string set, file, design, series, netlist, parts_csv, filters;
  std::string built_sound, built_load;  ///< files of what was built
  std::string target;                   ///< file of a drawn target
  double tolerance_percent = 0.0, samples_db = 0.0;
  bool window = false, stones = false;
  int parts = 0;
  double power_w = 10.0;
  ReadingOptions reading;
};

/// "low=woofer,high=tweeter,frequency=2000,slope=linkwitz-riley-4"
Result<CrossoverWish> wish_of(const NetworkOptions& o) {
  const std::string where = "--design";
  CrossoverWish wish;
  bool met = false;
  std::string rest = o.design;
  while (!rest.empty()) {
    const auto end = rest.find(',');
    const std::string one = rest.substr(0, end);
    rest = end == std::string::npos ? std::string() : rest.substr(end + 1);
    const auto is = one.find('=');
    const std::string key = one.substr(0, is);
    const std::string value = is == std::string::npos ? std::string() : one.substr(is + 1);
    if (key == "low") {
      wish.low = value;
    } else if (key == "high") {
      wish.high = value;
    } else if (key == "frequency") {
      const auto hz = parse_number(value);
      if (!hz || !(*hz > 0.0))
        return bad_input(fmt::format("\"{}\" is no frequency.", value), where);
      wish.frequency_hz = *hz;
      met = true;
    } else if (key == "slope") {
      const auto dash = value.rfind('-');
      const std::string shape = value.substr(0, dash);
      const double order =
          dash == std::string::npos ? 0.0 : parse_number(value.substr(dash + 1)).value_or(0.0);
      if (shape == "butterworth")
        wish.shape = FilterShape::kButterworth;
      else if (shape == "linkwitz-riley")
        wish.shape = FilterShape::kLinkwitzRiley;
      else if (shape == "bessel")
        wish.shape = FilterShape::kBessel;
      else
        return bad_input(fmt::format("\"{}\" is no slope: butterworth-N, linkwitz-riley-N or "
                                     "bessel-N.",
                                     value),
                         where);
      if (order < 1.0 || order > 4.0 || order != std::floor(order))
        return bad_input(fmt::format("\"{}\" has no order of 1 to 4.", value), where);
      wish.order = static_cast<int>(order);
    } else if (double* number = key == "tilt"       ? &wish.target.slope_db_per_octave
                                : key == "dip"      ? &wish.target.dip_db
                                : key == "dip-from" ? &wish.target.dip_from_hz
                                : key == "dip-to"   ? &wish.target.dip_to_hz
                                                    : nullptr) {
      const auto read = parse_number(value);
      if (!read || !std::isfinite(*read))
        return bad_input(fmt::format("\"{}\" of {} is no number.", value, key), where);
      *number = *read;
    } else {
      return bad_input(fmt::format("\"{}\" is not known: low, high, frequency, slope, tilt, dip, "
                                   "dip-from and dip-to are.",
                                   key),
                       where);
    }
  }
  if (wish.low.empty() || wish.high.empty() || !met)
    return bad_input("A design needs low=ID, high=ID and frequency=HZ.", where);
  if (!(wish.target.dip_from_hz > 0.0) || !(wish.target.dip_to_hz > wish.target.dip_from_hz))
    return bad_input("A dip reaches from dip-from=HZ up to dip-to=HZ.", where);
  if (!o.target.empty()) {
    const auto drawn = read_target(o.target);
    if (!drawn) return tl::unexpected(drawn.error());
    wish.target.drawn = *drawn;
  }
  wish.series = o.series == "E12"   ? PartSeries::kE12
                : o.series == "E24" ? PartSeries::kE24
                                    : PartSeries::kAny;
  wish.most_parts = o.parts;
  wish.parallel = on_threads();
  return wish;
}

/// The first curve of a file, of the kind that is wanted.
Result<Response> curve_in(const std::string& file, const ReadingOptions& reading, bool ohm,
                          const Doors& doors) {
  ImportChoices choices = choices_of(reading);
  if (ohm) choices.kind = ColumnKind::kImpedance;
  const ImportPreview preview = read_for(doors, file, choices);
  for (const ImportItem& item : preview.items)
    if (item.curve && (item.curve->quantity() == Quantity::kImpedance) == ohm) return *item.curve;
  if (!preview.problems.empty()) return tl::unexpected(preview.problems.front());
  return bad_input(ohm ? "No impedance was found here." : "No response was found here.", file);
}

Result<BuiltTakes> built_of(const NetworkOptions& o, const Doors& doors) {
  BuiltTakes built;
  if (!o.built_sound.empty()) {
    auto curve = curve_in(o.built_sound, o.reading, false, doors);
    if (!curve) return tl::unexpected(curve.error());
    built.sound = *std::move(curve);
  }
  if (!o.built_load.empty()) {
    auto curve = curve_in(o.built_load, o.reading, true, doors);
    if (!curve) return tl::unexpected(curve.error());
    built.load = *std::move(curve);
  }
  return built;
}

int network_command(const Doors& doors, const NetworkOptions& o) {
  if (o.file.empty() && o.design.empty() && !o.window && !o.stones)
    return refuse(doors, {ErrorCode::kBadInput,
                          "Say what to try: a network file, --design, --window or --stones.", ""});
  const bool writes = !o.netlist.empty() || !o.parts_csv.empty() || !o.filters.empty();
  if (o.file.empty() && o.design.empty() && writes)
    return refuse(doors, {ErrorCode::kBadInput,
                          "There is no network to write: give its file, or --design.", ""});
  if (!o.file.empty() && !o.design.empty())
    return refuse(doors, {ErrorCode::kBadInput, "A network file or --design, not both.", o.file});
  const ImportPreview preview = read_for(doors, o.set, choices_of(o.reading));
  const auto material = network_material(preview, o.set);
  if (!material) return refuse(doors, material.error());
  std::optional<CrossoverDesign> design;
  DesignedNetwork network;
  if (!o.file.empty()) {
    auto read = read_network(o.file);
    if (!read) return refuse(doors, read.error());
    network = *std::move(read);
  } else if (!o.design.empty()) {
    const auto wish = wish_of(o);
    if (!wish) return refuse(doors, wish.error());
    auto found = crossover_design(material->drivers, *wish);
    if (!found) return refuse(doors, found.error());
    network = found->network;
    design = *std::move(found);
  }
  Told told;
  if (!network.branches.empty()) {
    const auto sum = network_sum(network, material->drivers);
    if (!sum) {
      Error error = sum.error();
      if (error.where.empty()) error.where = o.set;
      return refuse(doors, error);
    }
    told = told_of(*sum, network, *material, o.power_w);
  } else {
    told.notes(material->notes);
  }
  if ((o.tolerance_percent > 0.0 || o.samples_db > 0.0) && !network.branches.empty()) {
    const double p = o.tolerance_percent;
    const auto band = tolerance_band(network, material->drivers,
                                     {.coil_percent = p,
                                      .capacitor_percent = p,
                                      .resistor_percent = p,
                                      .driver_db = o.samples_db});
    if (!band) return refuse(doors, band.error());
    tell(told, *band);
  }
  if (!o.built_sound.empty() || !o.built_load.empty()) {
    const auto built = built_of(o, doors);
    if (!built) return refuse(doors, built.error());
    const auto judged = as_built(network, material->drivers, *built);
    if (!judged) return refuse(doors, judged.error());
    tell(told, *judged);
  }
  if (design) tell(told, *design);
  if (o.window) tell(told, network_windows(*material));
  if (o.stones) tell(told, stones_of(*material));
  for (const auto& [path, text] :
       {std::pair{o.netlist, spice_netlist(network, *material)},
        std::pair{o.parts_csv, parts_csv(part_loads(network, material->drivers, o.power_w))}})
    if (!path.empty())
      if (const auto written = write_file(path, text); !written)
        return refuse(doors, written.error());
  if (!o.filters.empty())
    if (const auto written = write_filters(o.filters, network); !written)
      return refuse(doors, written.error());
  for (const Error& problem : preview.problems) told.note(problem.text());
  return print(doors, told);
}

}  // namespace

void add_network_command(CLI::App& app, Doors& doors, int& status) {
  auto o = std::make_shared<NetworkOptions>();
  CLI::App* command =
      app.add_subcommand("network", "what a crossover does to drivers that were taken alone");
  command->add_option("set", o->set, "measurement set or book")->required();
  command->add_option("network", o->file, "network file");
  command->add_flag("--window", o->window, "from where to where two drivers can meet, and why");
  command->add_flag("--stones", o->stones,
                    "first values of baffle step, notch, pad and impedance compensation");
  command->add_option("--target", o->target, "what the sum should do: a file of Hz and dB");
  command->add_option("--design", o->design,
                      "find a network: low=ID,high=ID,frequency=HZ,slope=linkwitz-riley-4");
  command->add_option("--series", o->series, "values of parts")
      ->check(CLI::IsMember({"E12", "E24"}));
  command->add_option("--parts", o->parts, "at most so many")->check(CLI::Range(2, 16));
  command->add_option("--power-w", o->power_w, "pink noise for the load of the parts")
      ->check(above_zero());
  command->add_option("--tolerance", o->tolerance_percent, "spread of all parts, per cent")
      ->check(CLI::Range(0.1, 50.0));
  command
      ->add_option("--samples", o->samples_db,
                   "spread of the drivers' levels from sample to sample, dB (standard deviation)")
      ->check(CLI::Range(0.01, 10.0));
  command->add_option("--built", o->built_sound,
                      "response of the built loudspeaker on the axis: what was wired otherwise");
  command->add_option("--built-impedance", o->built_load, "and its impedance");
  command->add_option("--netlist", o->netlist, "the circuit for a SPICE, as a file");
  command->add_option("--parts-csv", o->parts_csv, "the list of parts, as a file");
  command->add_option("--filters", o->filters,
                      "filters of branches with amplifiers of their own: .json, .txt or .wav");
  add_sound_options(*command, o->reading);
  add_source_options(*command, doors.choice);
  command->callback([&doors, &status, o] { status = network_command(doors, *o); });
}

}  // namespace lalometer
