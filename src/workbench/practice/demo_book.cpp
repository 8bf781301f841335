#include "workbench/practice/demo_book.h"

#include "book/description/description_text.h"
#include "workbench/bass/worked.h"
#include "workbench/practice/practice_takes.h"
#include "workbench/taking/take_runner.h"

namespace lalometer {
namespace {

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

/// Three woofers of one batch: two alike, one with a stiffer suspension.
Result<void> add_woofers(Book& book) {
  const char* description = R"({
    "kind": "driver", "loading": "free-air",
    "drivers": [{"id": "woofer", "role": "woofer", "diameter_mm": 165, "sd_cm2": 132,
      "sheet": {"fs_hz": 40, "qts": 0.43, "qes": 0.48, "qms": 4.5, "vas_l": 24, "re_ohm": 5.6, "bl_tm": 7.1,
                "mms_g": 16, "sensitivity_db_2v83_1m": 89}}]})";
  const auto subject = description_from_json(description).and_then([&](const Description& told) {
    return book.add_subject({0, "Kiosk woofers, batch 7", SubjectKind::kWoofer, told});
  });
  if (!subject) return tl::unexpected(subject.error());
  const auto variant = book.add_variant({0, *subject, "As delivered", "run in for two hours"});
  if (!variant) return tl::unexpected(variant.error());
  struct Sample {
    const char* name;
    double softer;  ///< compliance over that of the kiosk's
    double added_g;
  };
  std::uint64_t seed = 70;
  for (const Sample& sample :
       {Sample{"A", 1.0, 0.0}, {"A", 1.0, 10.0}, {"B", 0.985, 0.0}, {"C", 0.86, 0.0}}) {
    PracticeBenchSetup setup = demo_bench(false);
    setup.seed = seed++;
    PracticeWay& way = setup.speaker.ways.front();
    way.driver.cms_m_per_n *= sample.softer;
    setup.bare_driver = PracticeBareDriver{way.id, sample.added_g / 1e3, 0.0};
    PracticeBench bench(setup);
    TakeRequest request =
        request_for(TakeKind::kImpedance, sample.added_g > 0.0 ? "With 10 g added" : "Free air",
                    *subject, *variant);
    request.sample = sample.name;
    request.source = "woofer";
    request.driver = SubjectKind::kWoofer;
    request.condition = sample.added_g > 0.0 ? "added-mass" : "free-air";
    request.added_mass_g = sample.added_g;
    if (auto id = take_one(book, bench, request, {}, {}); !id) return tl::unexpected(id.error());
  }
  return {};
}

/// Woofer and port a few millimetres before each, bare walls, and what they make with the far
/// field.
Result<void> add_near_fields(Book& book, Id subject) {
  const auto variants = book.variants(subject);
  const auto takes = book.takes();
  if (!variants || !takes) return tl::unexpected((variants ? takes.error() : variants.error()));
  std::vector<Take> parts;
  PracticeBenchSetup setup = demo_bench(false);
  setup.seed = 40;
  for (const char* source : {"woofer", "port"}) {
    setup.room.near_source = source;
    PracticeBench bench(setup);
    TakeRequest request = request_for(TakeKind::kNearField, std::string("Near field, ") + source,
                                      subject, variants->front().id);
    request.source = source;
    request.distance_m = setup.room.near_m;
    // The near field is loud.
    request.drive_v = 0.283;
    const auto id = take_one(book, bench, request, {}, {});
    if (!id) return tl::unexpected(id.error());
    const auto take = book.take(*id);
    if (!take) return tl::unexpected(take.error());
    parts.push_back(*take);
  }
  for (const Take& take : *takes)
    if (take.kind() == TakeKind::kResponse && take.variant_id == variants->front().id)
      parts.push_back(take);
  const auto joined = worked_take("join", parts);
  if (!joined) return tl::unexpected(joined.error());
  RawData raw;
  for (const char c : joined->conditions.worked.how) raw.bytes.push_back(static_cast<std::byte>(c));
  return book.add_take(*joined, raw).map([](Id) {});
}

/// The bare kiosk on the turntable, both circles in steps of 10 degrees, and each driver alone
/// ahead: impulse responses, which are quickly made and small.
Result<void> add_angles(Book& book, Id subject) {
  constexpr std::size_t kLength = 4096;
  const auto variants = book.variants(subject);
  if (!variants) return tl::unexpected(variants.error());
  PracticeBenchSetup setup = demo_bench(false);
  const auto circuits = std::make_shared<const PracticeCircuits>(setup.speaker);
  std::vector<std::pair<Take, RawData>> takes;
  const auto add = [&](const PracticeTake& wanted) -> Result<void> {
    setup.seed += 1000003;
    auto made = simulated_take(setup, wanted, 48000.0, {}, circuits);
    if (!made) return tl::unexpected(made.error());
    made->item.take.subject_id = subject;
    made->item.take.variant_id = variants->front().id;
    takes.emplace_back(std::move(made->item.take), std::move(made->item.raw));
    return {};
  };
  for (const bool vertical : {false, true})
    for (int degrees = -170; degrees <= 180; degrees += 10) {
      // Ahead it was swept; behind belongs to both circles.
      if (degrees == 0 || (vertical && degrees == 180)) continue;
      PracticeTake take;
      take.kind = "impulse-response";
      take.length = kLength;
      take.name = vertical
                      ? fmt::format("{}° {}", std::abs(degrees), degrees > 0 ? "up" : "down")
                      : fmt::format("{}° {}", std::abs(degrees), degrees > 0 ? "right" : "left");
      take.id = take.name;
      (vertical ? take.vertical_deg : take.horizontal_deg) = degrees;
      if (auto added = add(take); !added) return added;
    }
  for (const char* driver : {"woofer", "tweeter"}) {
    PracticeTake take;
    take.kind = "impulse-response";
    take.length = kLength;
    take.id = take.name = std::string("On axis, ") + driver + " alone";
    take.driver = driver;
    if (auto added = add(take); !added) return added;
  }
  return book.add_takes(takes).map([](const std::vector<Id>&) {});
}

/// The bare kiosk at one place, from quiet to loud, and quiet once more at the end.
Result<void> add_levels(Book& book, Id subject) {
  const auto variants = book.variants(subject);
  if (!variants) return tl::unexpected(variants.error());
  PracticeBenchSetup setup = demo_bench(false);
  setup.seed = 41;
  PracticeBench bench(setup);
  for (const auto& [name, drive_v] :
       {std::pair("1 V", 1.0), std::pair("2.83 V", 2.83), std::pair("4 V", 4.0),
        std::pair("6 V", 6.0), std::pair("1 V, at the end", 1.0)}) {
    TakeRequest request = request_for(TakeKind::kLevelStep, name, subject, variants->front().id);
    request.drive_v = drive_v;
    request.duration_s = 2.7;
    const auto id = take_one(book, bench, request, {}, {});
    if (!id) return tl::unexpected(id.error());
  }
  // Many tones at once, and those that a subwoofer would leave, each as loud.
  for (const auto& [name, from_hz] :
       {std::pair("Many tones", 20.0), std::pair("Tones from 80 Hz", 80.0)}) {
    TakeRequest request = request_for(TakeKind::kMultitone, name, subject, variants->front().id);
    request.start_hz = from_hz;
    request.stop_hz = 20000.0;
    request.drive_v = 4.0 * std::sqrt(std::log2(20000.0 / from_hz) / std::log2(1000.0));
    request.duration_s = 4.0;
    const auto id = take_one(book, bench, request, {}, {});
    if (!id) return tl::unexpected(id.error());
  }
  return {};
}

}  // namespace

PracticeBenchSetup demo_bench(bool lined) {
  PracticeBenchSetup setup;
  setup.speaker = kiosk_in_life(lined);
  setup.seed = lined ? 20 : 10;
  return setup;
}

Result<void> make_demo_book(const std::filesystem::path& path, DemoExtent extent) {
  auto book = Book::create(path);
  if (!book) return tl::unexpected(book.error());
  const char* description = R"({
    "kind": "loudspeaker", "loading": "vented",
    "drivers": [
      {"id": "woofer", "role": "woofer", "diameter_mm": 165, "sd_cm2": 132, "x_mm": 0, "y_mm": -95, "z_mm": 0,
       "fs_hz": 42, "qms": 4.2, "qes": 0.46, "vas_l": 21.5, "re_ohm": 5.6, "xmax_mm": 4.5, "power_w": 40,
       "ladder": [{"place": "series", "ohm": 0.25, "mh": 0.68}, {"place": "shunt", "ohm": 2.2, "uf": 9.1}]},
      {"id": "tweeter", "role": "tweeter", "diameter_mm": 28, "sd_cm2": 7.5, "x_mm": 0, "y_mm": 60, "z_mm": 0,
       "fs_hz": 820, "qms": 1.9, "qes": 1.35, "vas_l": 0.008, "re_ohm": 5.3, "inverted": true,
       "ladder": [{"place": "series", "ohm": 2.7}, {"place": "series", "uf": 7.5},
                  {"place": "shunt", "ohm": 0.25, "mh": 0.36}]}],
    "box": {"net_volume_l": 14, "inner_width_mm": 178, "inner_height_mm": 348, "inner_depth_mm": 262, "damping": "none"},
    "baffle": {"width_mm": 210, "height_mm": 380, "depth_mm": 300, "edge_radius_mm": 0, "left_mm": 105, "top_mm": 150},
    "ports": [{"id": "port", "panel": "back", "diameter_mm": 50, "length_mm": 130, "count": 1, "x_mm": 0, "y_mm": -120}],
    "crossovers": [{"low": "woofer", "high": "tweeter", "frequency_hz": 2200, "order": 2}]})";
  const auto subject = description_from_json(description).and_then([&](const Description& told) {
    return book->add_subject({0, "Tidal-mill kiosk two-way", SubjectKind::kLoudspeaker, told});
  });
  if (!subject) return tl::unexpected(subject.error());
  int colour = 0;
  struct State {
    const char* name;
    const char* changed;
    bool lined;
    double ql;  ///< 0: as it is
  };
  std::vector<State> states = {
      {"Bare walls", "no damping in the box", false, 0.0},
      {"Lined, 20 mm felt", "20 mm felt on all walls but the front", true, 0.0}};
  if (extent == DemoExtent::kWhole)
    states.push_back(
        {"Bare, cable hole open", "the hole for the cable was not sealed", false, 2.5});
  for (const State& state : states) {
    const auto variant =
        book->add_variant({0, *subject, state.name, state.changed, guessed_change(state.changed)});
    if (!variant) return tl::unexpected(variant.error());
    PracticeBenchSetup setup = demo_bench(state.lined);
    if (state.ql > 0.0) {
      setup.speaker.ways.front().box.ql = state.ql;
      setup.seed = 30;
    }
    PracticeBench bench(setup);
    for (const TakeKind kind : {TakeKind::kImpedance, TakeKind::kResponse}) {
      const std::string name = kind == TakeKind::kImpedance ? "Impedance in box" : "On axis";
      TakeRequest request = request_for(kind, name, *subject, *variant);
      if (kind == TakeKind::kImpedance) request.condition = "in-box";
      const auto id = take_one(*book, bench, request, {}, {});
      if (!id) return tl::unexpected(id.error());
      // The leak waits on the shelf: two states are enough to begin with.
      if (state.ql > 0.0) continue;
      if (auto set = book->set_colour(*id, colour++); !set) return set;
    }
  }
  if (extent == DemoExtent::kWhole) {
    if (auto near = add_near_fields(*book, *subject); !near) return near;
    if (auto angles = add_angles(*book, *subject); !angles) return angles;
    if (auto levels = add_levels(*book, *subject); !levels) return levels;
    if (auto woofers = add_woofers(*book); !woofers) return woofers;
  }
  return book->set_note(*subject,
                        "For the kiosks along the mill race. Heard as a little boomy by the pump "
                        "hall; lining tried against it.");
}

}  // namespace lalometer
