#include "workbench/sharing/orbit_importing.h"

#include <algorithm>
#include <atomic>
#include <cctype>
#include <cmath>
#include <set>

#include "base/text.h"
#include "exchange/angles/angle_names.h"
#include "exchange/angles/sofa_file.h"
#include "exchange/audio_file.h"
#include "exchange/curve_file.h"

namespace lalometer {
namespace {

namespace fs = std::filesystem;

std::string angle_text(const Placement& place) {
  return place.vertical_deg != 0.0 ? fmt::format("vertical {:+.4g}°", place.vertical_deg)
                                   : fmt::format("horizontal {:+.4g}°", place.horizontal_deg);
}

RawData text_raw(const Response& curve, const std::string& name) {
  const std::string text = curve_text(curve, {});
  const auto bytes = std::as_bytes(std::span(text.data(), text.size()));
  RawData raw;
  raw.bytes.assign(bytes.begin(), bytes.end());
  raw.file_name = name;
  return raw;
}

}  // namespace

void read_angle_folder(ImportPreview& preview, const fs::path& folder, const ImportChoices& choices,
                       const std::stop_token& stop, const Progress& progress,
                       const Parallel& parallel) {
  static const std::set<std::string> kEndings = {".frd", ".txt", ".csv", ".wav", ".flac"};
  std::vector<fs::path> files;
  std::error_code ignored;
  for (const auto& entry : fs::directory_iterator(folder, ignored)) {
    std::string ending = entry.path().extension().string();
    std::transform(ending.begin(), ending.end(), ending.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    if (entry.is_regular_file(ignored) && kEndings.contains(ending)) files.push_back(entry.path());
  }
  std::sort(files.begin(), files.end());
  if (files.empty()) {
    preview.problems.push_back(
        {ErrorCode::kBadInput,
         "This folder holds neither a set.json nor response files whose names carry the angle.",
         folder.string()});
    return;
  }
  ImportChoices own = choices;
  if (!own.kind) own.kind = ColumnKind::kResponse;
  std::vector<ImportPreview> read(files.size());
  std::atomic<std::size_t> done = 0;
  parallel(files.size(), [&](std::size_t i) {
    if (stop.stop_requested() || !angle_of_name(files[i].filename().string())) return;
    read[i] = preview_import({files[i]}, own, stop);
    if (progress) progress(static_cast<double>(++done) / static_cast<double>(files.size()));
  });
  if (stop.stop_requested()) return;
  std::vector<ImportItem> items;
  for (std::size_t i = 0; i < files.size(); ++i) {
    const auto angle = angle_of_name(files[i].filename().string());
    if (!angle) {
      preview.problems.push_back({ErrorCode::kBadInput,
                                  "Its name tells no angle (h30, v-10, 30deg…).",
                                  files[i].string()});
      continue;
    }
    ImportPreview& one = read[i];
    for (Error& problem : one.problems) preview.problems.push_back(std::move(problem));
    for (ImportItem& item : one.items) {
      FarFieldSetup setup;
      (angle->vertical ? setup.place.vertical_deg : setup.place.horizontal_deg) = angle->degrees;
      item.take.setup = setup;
      item.take.conditions.distance_told = false;
      item.understood = angle_text(setup.place) + ", " + item.understood;
      items.push_back(std::move(item));
    }
  }
  const auto order = [](const ImportItem& item) {
    const Placement place = place_of(item.take);
    return place.vertical_deg != 0.0 ? 1000.0 + place.vertical_deg : place.horizontal_deg;
  };
  std::stable_sort(items.begin(), items.end(),
                   [&](const ImportItem& a, const ImportItem& b) { return order(a) < order(b); });
  for (ImportItem& item : items) preview.items.push_back(std::move(item));
}

void read_sofa_into(ImportPreview& preview, const fs::path& path, const std::stop_token& stop,
                    const Parallel& parallel) {
  auto set = read_sofa(path);
  if (!set) {
    preview.problems.push_back(set.error());
    return;
  }
  std::vector<ImportItem> items;
  for (SofaDirection& d : set->directions) {
    if (stop.stop_requested()) return;
    ImportItem item;
    FarFieldSetup setup;
    setup.place.distance_m = d.distance_m;
    setup.place.horizontal_deg = d.horizontal_deg;
    setup.place.vertical_deg = d.vertical_deg;
    item.take.setup = setup;
    item.take.name = angle_text(setup.place);
    item.file = fmt::format("{}: {}", path.filename().string(), item.take.name);
    if (d.response) {
      item.take.form = RawForm::kTextFile;
      // The flight time is in them: AES69 sources sound at their place.
      item.take.conditions.delay_included = true;
      item.raw = text_raw(*d.response, item.take.name + ".frd");
    } else {
      item.take.form = RawForm::kImpulseFile;
      AudioData sound{d.impulse->sample_rate_hz, {d.impulse->samples}, ""};
      auto bytes = audio_bytes(sound, AudioFormat::kWavFloat32);
      if (!bytes) {
        preview.problems.push_back(bytes.error());
        continue;
      }
      item.raw.bytes = std::move(*bytes);
      item.raw.sample_rate_hz = d.impulse->sample_rate_hz;
      item.raw.file_name = item.take.name + ".wav";
      item.take.sample_rate_hz = d.impulse->sample_rate_hz;
      item.take.conditions.pa_per_unit = 1.0;
    }
    items.push_back(std::move(item));
  }
  Recipe recipe;
  recipe.smoothing = 0;
  recipe.gated = false;
  add_described(
      preview, std::move(items),
      [&](ImportItem& item) { return describe_item(item, recipe, stop); }, stop, {}, parallel);
  if (set->off_circles > 0)
    preview.problems.push_back(
        {ErrorCode::kBadInput,
         fmt::format("{} directions lie between the horizontal and the vertical circle and were "
                     "left out.",
                     set->off_circles),
         path.string()});
}

Result<void> export_sofa(const ImportPreview& source, const std::string& title,
                         const fs::path& path) {
  SofaSet set;
  set.title = title;
  for (const ImportItem& item : source.items) {
    if (!item.curve || item.calibration || item.take.kind() != TakeKind::kResponse ||
        !is_measured(item.take))
      continue;
    const Placement place = place_of(item.take);
    SofaDirection d;
    d.horizontal_deg = place.horizontal_deg;
    d.vertical_deg = place.vertical_deg;
    d.distance_m = place.distance_m;
    const bool there = std::any_of(set.directions.begin(), set.directions.end(), [&](auto& have) {
      return have.horizontal_deg == d.horizontal_deg && have.vertical_deg == d.vertical_deg;
    });
    if (there) continue;
    const double flight_s =
        place.distance_m / speed_of_sound_m_s(item.take.conditions.temperature_c);
    const Response& curve = *item.curve;
    const Response own =
        set.directions.empty() ? curve : resampled(curve, set.directions.front().response->axis());
    d.response = own.has_phase() ? without_delay(own, -flight_s) : own;
    set.directions.push_back(std::move(d));
  }
  if (set.directions.empty())
    return bad_input("There is no response at any angle to be written.", path.string());
  return write_sofa(set, path);
}

std::string spoken_angle(const Take& take) {
  return angle_text(place_of(take));
}

std::optional<Placement> angle_told(const std::string& text, Placement place) {
  const auto is_letter = [](char c) { return std::isalpha(static_cast<unsigned char>(c)) != 0; };
  const auto letter = std::find_if(text.begin(), text.end(), is_letter);
  const bool vertical = letter != text.end() && (*letter == 'v' || *letter == 'V');
  const std::size_t at = text.find_first_of("+-0123456789");
  if (at == std::string::npos) return std::nullopt;
  // Behind the number nothing but the sign of degrees.
  std::string number = text.substr(at);
  while (number.ends_with(' ') || number.ends_with("°"))
    number.resize(number.size() - (number.ends_with(' ') ? 1 : std::string_view("°").size()));
  const auto degrees = parse_number(number);
  if (!degrees || !(std::abs(*degrees) <= 180.0)) return std::nullopt;
  place.horizontal_deg = vertical ? 0.0 : *degrees;
  place.vertical_deg = vertical ? *degrees : 0.0;
  return place;
}

}  // namespace lalometer
