#include "workbench/simulating.h"

#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "acoustics/enclosure/port.h"
#include "base/constants.h"
#include "base/text.h"
#include "exchange/audio_file.h"
#include "exchange/subject_geometry.h"
#include "workbench/importing.h"
#include "workbench/take_runner.h"

namespace lalometer {
namespace {

using Json = nlohmann::json;

double number(const Json& json, const char* key, double fallback) {
  const auto found = json.find(key);
  return found != json.end() && found->is_number() ? found->get<double>() : fallback;
}

/// Overrides a driver by what the subject tells of it.
void describe_driver(DriverParameters& driver, const Json& json) {
  const QuotedParameters quoted{.fs_hz = number(json, "fs_hz", driver.fs_hz()),
                                .qms = number(json, "qms", driver.qms()),
                                .qes = number(json, "qes", driver.qes()),
                                .vas_m3 = number(json, "vas_l", driver.vas_m3() * 1e3) / 1e3,
                                .sd_m2 = number(json, "sd_cm2", driver.sd_m2 * 1e4) / 1e4,
                                .re_ohm = number(json, "re_ohm", driver.re_ohm),
                                .le_h = number(json, "le_mh", driver.le_h * 1e3) / 1e3};
  DriverParameters described = elements_of(quoted);
  if (!json.contains("le_mh")) {
    described.le2_h = driver.le2_h;
    described.re2_ohm = driver.re2_ohm;
  }
  driver = described;
}

double flight_s(const PracticeRoom& room) {
  return room.distance_m / speed_of_sound_m_s(room.temperature_c);
}

Json truth_of(const PracticeBenchSetup& bench, double drive_v) {
  Json truth{{"drive_v", drive_v},
             {"distance_m", bench.room.distance_m},
             {"latency_samples", bench.latency_samples}};
  for (const char* key :
       {"frequency_hz", "level_db", "phase_deg", "impedance_ohm", "impedance_phase_deg"})
    truth[key] = Json::array();
  const FrequencyAxis axis = FrequencyAxis::logarithmic(10.0, 20000.0, 24.0);
  const PracticeField field(bench.speaker, bench.room);
  for (const double f : axis.hz()) {
    const PracticeOutput out = field.at(f);
    const auto p =
        out.direct_pa_per_v * drive_v * std::polar(1.0, 2.0 * kPi * f * flight_s(bench.room));
    truth["frequency_hz"].push_back(f);
    truth["level_db"].push_back(to_level_db(std::abs(p), kReferencePressure_pa));
    truth["phase_deg"].push_back(std::arg(p) * 180.0 / kPi);
    truth["impedance_ohm"].push_back(std::abs(out.impedance_ohm));
    truth["impedance_phase_deg"].push_back(std::arg(out.impedance_ohm) * 180.0 / kPi);
  }
  return truth;
}

TakeRequest request_for(TakeKind kind, std::string name, Id subject, Id variant) {
  TakeRequest request;
  request.kind = kind;
  request.name = std::move(name);
  request.duration_s = kind == TakeKind::kImpedance ? 2.7 : 1.4;
  request.drive_v = kind == TakeKind::kImpedance ? 1.0 : 2.83;
  if (kind == TakeKind::kImpedance) request.start_hz = 5.0;
  request.subject_id = subject;
  request.variant_id = variant;
  return request;
}

/// Takes and keeps one; a refusal by the checks is an error here, since nobody is there to repeat
/// it.
Result<Id> take_one(Book& book, PracticeBench& bench, const TakeRequest& request,
                    std::stop_token stop, const Progress& progress) {
  const auto tell = [&](const TakeProgress& p) {
    if (progress) progress(p.done);
  };
  return run_take(bench, bench.setup().rig, request, stop, tell)
      .and_then([&](const TakeOutcome& outcome) -> Result<Id> {
        for (const Remark& r : outcome.take.remarks) {
          if (r.weight == Remark::Weight::kRefusal)
            return fail(ErrorCode::kDevice, r.text + " " + r.advice, request.name);
        }
        return keep_take(book, outcome, bench.setup().rig);
      });
}

}  // namespace

Result<PracticeSpeaker> practice_speaker_of(const std::string& description_json,
                                            const std::string& where) {
  const Json subject = Json::parse(description_json, nullptr, false);
  if (!subject.is_object()) return bad_input("The subject is not a JSON object.", where);
  const std::string loading = subject.value("loading", std::string("vented"));
  if (loading != "vented" && loading != "sealed") {
    return bad_input(
        fmt::format("The practice bench plays vented and sealed boxes so far, not \"{}\".",
                    loading),
        where);
  }
  const Json box = subject.value("box", Json::object());
  PracticeSpeaker speaker = kiosk_two_way(box.value("damping", std::string("none")) != "none");
  const Json drivers = subject.value("drivers", Json::array());
  int woofers = 0;
  int tweeters = 0;
  for (const Json& driver : drivers) {
    const std::string role = driver.value("role", std::string());
    const bool low = role == "woofer" || role == "subwoofer";
    if (!low && role != "tweeter")
      return bad_input(
          fmt::format("The practice bench has no \"{}\" yet, only a woofer and a tweeter.", role),
          where);
    describe_driver(speaker.ways[low ? 0 : 1].driver, driver);
    speaker.ways[low ? 0 : 1].y_m = number(driver, "y_mm", 0.0) / 1e3;
    ++(low ? woofers : tweeters);
  }
  if (woofers > 1 || tweeters > 1)
    return bad_input("The practice bench plays one woofer and one tweeter so far.", where);
  const auto geometry = geometry_of(description_json, where);
  if (!geometry) return tl::unexpected(geometry.error());
  // Without a told baffle the practice loudspeaker stands in a large wall.
  speaker.baffle = geometry->baffle;
  speaker.origin_x_m = geometry->origin_x_m;
  speaker.origin_y_m = geometry->origin_y_m;
  speaker.ways[0].box.volume_m3 =
      number(box, "net_volume_l", speaker.ways[0].box.volume_m3 * 1e3) / 1e3;
  const Json ports = subject.value("ports", Json::array());
  if (loading == "sealed") {
    speaker.ways[0].box.kind = BoxLoad::Kind::kSealed;
  } else if (!ports.empty()) {
    const PortGeometry port{number(ports[0], "diameter_mm", 50.0) / 1e3,
                            number(ports[0], "length_mm", 130.0) / 1e3,
                            static_cast<int>(number(ports[0], "count", 1.0))};
    speaker.ways[0].box.tuning_hz =
        helmholtz_hz(speaker.ways[0].box.volume_m3, {port}, kSpeedOfSound20_m_s);
    speaker.port.y_m = number(ports[0], "y_mm", 0.0) / 1e3;
    speaker.port.panel =
        ports[0].value("panel", std::string("front")) == "back" ? Panel::kBack : Panel::kFront;
    speaker.port_area_m2 = port.count * kPi * port.diameter_m * port.diameter_m / 4.0;
  } else {
    speaker.ways[0].box.tuning_hz = number(box, "tuning_hz", speaker.ways[0].box.tuning_hz);
  }
  if (!(speaker.ways[0].box.volume_m3 > 0.0) || !(speaker.ways[0].box.tuning_hz > 0.0) ||
      !std::isfinite(speaker.ways[0].box.tuning_hz)) {
    return bad_input("The box needs a volume above 0 and ports with sizes above 0.", where);
  }
  return speaker;
}

Result<void> simulate_set(const std::filesystem::path& subject_file,
                          const std::filesystem::path& folder, std::uint64_t seed,
                          std::stop_token stop, const Progress& progress) {
  const auto bytes = file_bytes(subject_file);
  if (!bytes) return tl::unexpected(bytes.error());
  Json root =
      Json::parse(reinterpret_cast<const char*>(bytes->data()),
                  reinterpret_cast<const char*>(bytes->data()) + bytes->size(), nullptr, false);
  if (!root.is_object()) return bad_input("This is not a JSON object.", subject_file.string());
  const Json subject_json = root.value("subject", root);
  const auto speaker = practice_speaker_of(subject_json.dump(), subject_file.string());
  if (!speaker) return tl::unexpected(speaker.error());

  PracticeBenchSetup setup = demo_bench(false);
  setup.speaker = *speaker;
  setup.seed = seed;
  const Json bench_json = root.value("bench", Json::object());
  setup.room.temperature_c = number(bench_json, "temperature_c", 20.0);
  setup.room.origin_height_m = number(bench_json, "floor_m", 1.2);
  setup.room.distance_m = number(bench_json, "distance_m", 1.0);
  PracticeBench bench(setup);

  // The set is made by way of a book that lives only for this: one path from bench to files.
  std::error_code ignored;
  std::filesystem::create_directories(folder, ignored);
  const std::filesystem::path scratch = folder / ".simulating.lalo";
  std::filesystem::remove(scratch, ignored);
  auto book = Book::create(scratch);
  if (!book) return tl::unexpected(book.error());
  const auto outcome = [&]() -> Result<void> {
    Subject subject{0, subject_json.value("name", std::string("Simulated")),
                    DriverKind::kLoudspeaker, subject_json.dump()};
    const auto subject_id = book->add_subject(subject);
    if (!subject_id) return tl::unexpected(subject_id.error());
    const auto variant_id = book->add_variant({0, *subject_id, "As described", ""});
    if (!variant_id) return tl::unexpected(variant_id.error());
    TakeRequest impedance =
        request_for(TakeKind::kImpedance, "Impedance", *subject_id, *variant_id);
    TakeRequest response = request_for(TakeKind::kResponse, "On axis", *subject_id, *variant_id);
    response.sample_rate_hz = impedance.sample_rate_hz =
        number(bench_json, "sample_rate_hz", 48000.0);
    response.distance_m = setup.room.distance_m;
    response.temperature_c = setup.room.temperature_c;
    const auto half = [&](double from) {
      return [&, from](double done) {
        if (progress) progress(from + 0.5 * done);
      };
    };
    return take_one(*book, bench, impedance, stop, half(0.0))
        .and_then([&](Id) { return take_one(*book, bench, response, stop, half(0.5)); })
        .and_then([&](Id) { return export_subject(*book, *subject_id, folder); })
        .and_then([&] {
          return write_file(folder / "truth.json", truth_of(bench.setup(), 2.83).dump() + "\n");
        });
  }();
  { const Book closed = std::move(*book); }
  std::filesystem::remove(scratch, ignored);
  return outcome;
}

PracticeBenchSetup demo_bench(bool lined) {
  PracticeBenchSetup setup;
  setup.speaker = kiosk_two_way(lined);
  setup.seed = lined ? 20 : 10;
  return setup;
}

Result<void> make_demo_book(const std::filesystem::path& path) {
  auto book = Book::create(path);
  if (!book) return tl::unexpected(book.error());
  const char* description = R"({
    "kind": "loudspeaker", "loading": "vented",
    "drivers": [
      {"id": "woofer", "role": "woofer", "diameter_mm": 165, "sd_cm2": 132, "x_mm": 0, "y_mm": -95, "z_mm": 0},
      {"id": "tweeter", "role": "tweeter", "diameter_mm": 28, "sd_cm2": 7.5, "x_mm": 0, "y_mm": 60, "z_mm": 0}],
    "box": {"net_volume_l": 14, "inner_width_mm": 178, "inner_height_mm": 348, "inner_depth_mm": 262, "damping": "none"},
    "baffle": {"width_mm": 210, "height_mm": 380, "depth_mm": 300, "edge_radius_mm": 0, "left_mm": 105, "top_mm": 150},
    "ports": [{"id": "port", "panel": "back", "diameter_mm": 50, "length_mm": 130, "count": 1, "x_mm": 0, "y_mm": -120}],
    "crossovers": [{"low": "woofer", "high": "tweeter", "frequency_hz": 2200, "order": 2}]})";
  const auto subject =
      book->add_subject({0, "Tidal-mill kiosk two-way", DriverKind::kLoudspeaker, description});
  if (!subject) return tl::unexpected(subject.error());
  int colour = 0;
  const std::pair<const char*, const char*> variants[] = {
      {"Bare walls", "no damping in the box"},
      {"Lined, 20 mm felt", "20 mm felt on all walls but the front"}};
  for (int i = 0; i < 2; ++i) {
    const auto variant = book->add_variant({0, *subject, variants[i].first, variants[i].second});
    if (!variant) return tl::unexpected(variant.error());
    PracticeBench bench(demo_bench(i == 1));
    for (const TakeKind kind : {TakeKind::kImpedance, TakeKind::kResponse}) {
      const std::string name = kind == TakeKind::kImpedance ? "Impedance in box" : "On axis";
      const auto id = take_one(*book, bench, request_for(kind, name, *subject, *variant), {}, {});
      if (!id) return tl::unexpected(id.error());
      if (auto set = book->set_colour(*id, colour++); !set) return set;
    }
  }
  return book->set_note(*subject,
                        "For the kiosks along the mill race. Heard as a little boomy by the pump "
                        "hall; lining tried against it.");
}

}  // namespace lalometer
