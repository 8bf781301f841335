#include "workbench/practice/files/case_list.h"

#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>

#include "base/json_text.h"

namespace lalometer {
namespace {

using Json = nlohmann::json;

Json kiosk() {
  return parsed_json(R"({"kind": "loudspeaker", "loading": "vented",
    "drivers": [
      {"id": "woofer", "role": "woofer", "diameter_mm": 165, "sd_cm2": 132, "x_mm": 0, "y_mm": -95},
      {"id": "tweeter", "role": "tweeter", "diameter_mm": 28, "sd_cm2": 7.5, "x_mm": 18, "y_mm": 60}],
    "baffle": {"width_mm": 210, "height_mm": 380, "depth_mm": 300, "edge_radius_mm": 12, "left_mm": 105, "top_mm": 150},
    "box": {"net_volume_l": 14, "inner_width_mm": 178, "inner_height_mm": 348, "inner_depth_mm": 262, "damping": "lined"},
    "ports": [{"id": "port", "panel": "back", "diameter_mm": 50, "length_mm": 130, "x_mm": 0, "y_mm": -120}],
    "crossovers": [{"low": "woofer", "high": "tweeter", "frequency_hz": 2200, "order": 2}]})");
}

/// One wide-band driver without a crossover: what the driver does is not hidden by a filter.
Json single() {
  Json s = kiosk();
  s["drivers"] = parsed_json(
      R"([{"id": "cone", "role": "fullrange", "diameter_mm": 130, "sd_cm2": 82, "x_mm": 14, "y_mm": 30}])");
  s["box"]["net_volume_l"] = 9;
  s["crossovers"] = Json::array();
  s["baffle"] = parsed_json(
      R"({"width_mm": 180, "height_mm": 300, "depth_mm": 240, "edge_radius_mm": 15, "left_mm": 90, "top_mm": 150})");
  s["box"] = parsed_json(
      R"({"net_volume_l": 7.2, "inner_width_mm": 148, "inner_height_mm": 268, "inner_depth_mm": 208, "damping": "lined"})");
  s["ports"] = parsed_json(
      R"([{"id": "port", "panel": "back", "diameter_mm": 45, "length_mm": 110, "x_mm": 0, "y_mm": -90}])");
  return s;
}

Json tall() {
  Json s = kiosk();
  s["baffle"] = parsed_json(
      R"({"width_mm": 200, "height_mm": 980, "depth_mm": 240, "edge_radius_mm": 12, "left_mm": 100, "top_mm": 240})");
  s["box"] = parsed_json(
      R"({"net_volume_l": 28, "inner_width_mm": 164, "inner_height_mm": 940, "inner_depth_mm": 204, "damping": "lined"})");
  s["drivers"][0]["y_mm"] = 80;
  s["drivers"][1]["y_mm"] = 190;
  s["ports"][0]["y_mm"] = -640;
  s["ports"][0]["diameter_mm"] = 60;
  return s;
}

Json open_panel() {
  Json s = kiosk();
  s["loading"] = "open-baffle";
  s["ports"] = Json::array();
  s["wings"] = {{"left_mm", 60}, {"right_mm", 60}};
  s["baffle"]["width_mm"] = 300;
  s["baffle"]["left_mm"] = 150;
  return s;
}

Json square_narrow() {
  Json s = kiosk();
  s["drivers"][1]["x_mm"] = 0;
  s["drivers"][1]["y_mm"] = 45;
  s["baffle"] = parsed_json(
      R"({"width_mm": 200, "height_mm": 380, "depth_mm": 300, "edge_radius_mm": 0, "left_mm": 100, "top_mm": 145})");
  return s;
}

/// The usual takes: impedance, on axis, and one or two angles to the side.
Json usual_takes(const std::vector<int>& angles = {30}) {
  Json takes = parsed_json(R"([{"id": "impedance", "kind": "impedance", "name": "Impedance in box"},
    {"id": "h000", "kind": "sweep", "name": "On axis"}])");
  for (const int angle : angles)
    takes.push_back({{"id", fmt::format("h{:03d}", angle)},
                     {"kind", "sweep"},
                     {"name", fmt::format("{}° to the side", angle)},
                     {"horizontal_deg", angle}});
  return takes;
}

/// Impedance and response of both of a pair.
Json pair_takes() {
  return parsed_json(R"([{"id": "z1", "kind": "impedance", "name": "Impedance", "variant": "first"},
    {"id": "r1", "kind": "sweep", "name": "On axis", "variant": "first"},
    {"id": "z2", "kind": "impedance", "name": "Impedance", "variant": "second"},
    {"id": "r2", "kind": "sweep", "name": "On axis", "variant": "second"}])");
}

std::string plan(const Json& subject, const Json& faults, const Json& takes = usual_takes(),
                 const Json& variants = Json::array()) {
  Json root{{"subject", subject}, {"faults", faults}, {"takes", takes}};
  if (!variants.empty()) root["variants"] = variants;
  return dumped(root);
}

Json fault(const char* word, const Json& figures = Json::object()) {
  Json json = figures;
  json["fault"] = word;
  return Json::array({json});
}

/// Two variants of which one is as it should be.
Json before_and_after(const char* after, const Json& faults_after) {
  return Json::array({{{"id", "first"}, {"name", "First of the pair"}},
                      {{"id", "second"}, {"name", after}, {"faults", faults_after}}});
}

void add_cases_1(std::vector<PracticeCase>& all) {
  all.push_back(
      {"wrong-way-round",
       "The hole in the voice",
       1,
       "The guide's voice at the wheel pit sounds hollow, as if through a door. It came back from "
       "repair like that.",
       plan(kiosk(), fault("driver-polarity")),
       {"driver-polarity", "edge-diffraction", "notch-filter", "baffle-step"},
       {"driver-polarity"},
       "From 2 to 3.4 kHz, round the crossover, a trough of some 6 dB lies on the axis; 30 degrees "
       "to the side it is hardly there, since the ways differ. The model of the drawing has no "
       "such trough, and the impedance, which knows nothing of polarity, is as modelled: that "
       "rules out a filter. Turn one driver's leads round.",
       2600.0});
  all.push_back(
      {"organ-of-the-mill",
       "Boom at the sluice",
       1,
       "Every word with an u booms. The box was built from the drawing; the tube was cut from what "
       "was left over.",
       plan(kiosk(), fault("mistuned-box", {{"factor", 1.42}})),
       {"mistuned-box", "box-leak", "overdamped-port", "cabinet-standing-wave"},
       {"mistuned-box"},
       "The minimum between the two impedance peaks lies near 62 Hz, where the model of the "
       "drawing has it just below 50: the tube is too short. The peaks are as high as they should "
       "be, so nothing leaks and nothing chokes the port.",
       62.0});
  all.push_back(
      {"voice-of-the-mains",
       "Hum in the turbine hall",
       1,
       "Nobody is sure whether it is the loudspeaker or the hall. The takes do not look clean.",
       plan(kiosk(), fault("mains-hum", {{"rms_pa", 0.25}})),
       {"mains-hum", "noise", "clipping", "reflection"},
       {"mains-hum"},
       "Three narrow spikes in the impedance, at 50, 100 and 150 Hz, with a ragged line between "
       "them: no box and no driver makes whole multiples of the mains. Above, the curves are calm, "
       "which broad noise would not leave alone, and of the responses a long sweep keeps most of "
       "it away. Look for a ground loop or a cable beside the mains.",
       50.0});
  all.push_back(
      {"too-hot",
       "Too hot",
       1,
       "Turned up so that the meter dances. Louder is safer, is it not?",
       plan(kiosk(), fault("clipping", {{"gain", 45}})),
       {"clipping", "driver-breakup", "noise", "lost-samples"},
       {"clipping"},
       "The remark says it: samples at full scale, sixteen thousand of them. What is clipped is "
       "lost, and what is analysed of it looks like a fault of the loudspeaker: an impedance of "
       "30 ohm from end to end, a level of 118 dB. Take it again with less gain.",
       0.0});
}

void add_cases_2(std::vector<PracticeCase>& all) {
  all.push_back(
      {"thin-air",
       "Thin air",
       2,
       "The second one of the pair has less bass than the first. Same drawing, same driver, other "
       "carpenter.",
       plan(kiosk(), Json::array(), pair_takes(),
            before_and_after("Second of the pair", fault("box-leak", {{"ql", 1.8}}))),
       {"box-leak", "mistuned-box", "overdamped-port", "sample-variation"},
       {"box-leak"},
       "Both impedance peaks of the second are lower and broader, the lower one most, and the "
       "minimum "
       "between them is shallower though it stays near the same frequency. A wrong port would move "
       "it, "
       "stuffing would take the upper peak first. Air gets out: feel along the joints, or close "
       "them "
       "with putty and take the impedance again.",
       50.0});
  all.push_back(
      {"good-intentions",
       "Good intentions",
       2,
       "Somebody read that more wool is better. Since then the bass has gone soft.",
       plan(kiosk(), Json::array(), pair_takes(),
            before_and_after("Stuffed", fault("overdamped-port"))),
       {"overdamped-port", "box-leak", "mistuned-box", "panel-resonance"},
       {"overdamped-port"},
       "The upper peak has melted into one broad impedance peak and the saddle has filled: the "
       "port hardly "
       "moves air any more, the box behaves almost as if it were closed. Keep the way between cone "
       "and port free, and line the walls instead.",
       60.0});
  all.push_back(
      {"against-the-wall",
       "Against the wall",
       2,
       "Measured where there was room: beside the oak wall of the granary. The curve is combed.",
       plan(kiosk(), fault("reflection", {{"distance_m", 0.4}, {"factor", 0.8}})),
       {"reflection", "edge-diffraction", "port-pipe-resonance", "crossover-phase"},
       {"reflection"},
       "In the impulse response a second arrival comes about 0.8 ms after the first, well inside "
       "the "
       "gate: 0.28 m of detour. Peaks follow one another at equal distances in hertz, not in "
       "octaves. "
       "The loudspeaker has no part in it. Move it away, or gate shorter and read from higher up.",
       1800.0});
  all.push_back(
      {"tall-and-narrow",
       "The tall one",
       2,
       "A pillar for the entrance. Male speakers sound as if they stood in a pipe.",
       plan(tall(), fault("cabinet-standing-wave")),
       {"cabinet-standing-wave", "panel-resonance", "suspension-resonance", "baffle-step"},
       {"cabinet-standing-wave"},
       "Inside it is 940 mm tall: half a wavelength at 182 Hz. Just above, near 190 Hz, the "
       "impedance has a small sharp wiggle, and a smaller one at twice that; cone and port move it "
       "up a little from the bare box's own. The model of the drawing, which says that the walls "
       "are lined, has it far flatter. Wool in the middle of the height works best, where the air "
       "moves most.",
       190.0});
}

void add_cases_3(std::vector<PracticeCase>& all) {
  all.push_back(
      {"restless-rim",
       "The restless rim",
       3,
       "A new driver in a box that used to be fine. Around one kilohertz something is odd.",
       plan(
           single(),
           fault("suspension-resonance",
                 {{"frequency_hz", 1050}, {"mass_share", 0.09}, {"area_share", 0.2}}),
           parsed_json(
               R"([{"id": "free", "kind": "impedance", "name": "Impedance in free air", "condition": "free-air"},
              {"id": "impedance", "kind": "impedance", "name": "Impedance in box"},
              {"id": "h000", "kind": "sweep", "name": "On axis"},
              {"id": "h030", "kind": "sweep", "name": "30° to the side", "horizontal_deg": 30}])")),
       {"suspension-resonance", "cabinet-standing-wave", "panel-resonance", "edge-diffraction"},
       {"suspension-resonance"},
       "The wiggle near 1.05 kHz is in the impedance in free air as well: the box cannot be the "
       "cause, nor its edges, which the impedance never sees. The surround moves by itself, in "
       "step "
       "below and against the cone above its resonance: a peak followed by a dip, at every angle.",
       1050.0});
  all.push_back(
      {"where-it-bends",
       "Where it bends",
       3,
       "Sibilants sting. The makers of the driver promise a smooth cone up to ten kilohertz.",
       plan(single(), fault("driver-breakup", {{"frequency_hz", 5200}, {"q", 11}})),
       {"driver-breakup", "edge-diffraction", "port-pipe-resonance", "beaming"},
       {"driver-breakup"},
       "The peak near 5.2 kHz stays at the same frequency at 30 degrees, where an edge's would "
       "move, "
       "and the impedance has a faint wiggle there. Above it the level falls for good and narrows "
       "less than a rigid cone of its size would: only its middle still plays.",
       5200.0});
  all.push_back(
      {"singing-wall",
       "The wall that sings along",
       3,
       "The panels were planed thin to save weight for the hanging kiosk. Something drones.",
       plan(kiosk(),
            fault("panel-resonance", {{"frequency_hz", 290}, {"area_cm2", 550}, {"kg_per_m2", 5}})),
       {"panel-resonance", "cabinet-standing-wave", "box-leak", "mistuned-box"},
       {"panel-resonance"},
       "A bump of some 2 dB near 290 Hz, alike at all angles, and hardly more than a hair in the "
       "impedance. It fits none of the inner dimensions: the lowest wave of this box is at 493 Hz. "
       "A side wall gives way. Press a hand on it during a slow sweep, then brace it off centre.",
       290.0});
  all.push_back(
      {"uneven-pair",
       "The uneven pair",
       3,
       "Left and right of the water wheel. The left one seems nearer than the right.",
       plan(kiosk(), Json::array(), pair_takes(),
            before_and_after("Second of the pair",
                             fault("sample-variation",
                                   {{"fs_percent", 14}, {"re_percent", 6}, {"level_db", -1.6}}))),
       {"sample-variation", "box-leak", "mistuned-box", "driver-polarity"},
       {"sample-variation"},
       "The minimum between the peaks is where it was, so box and port are alike; the peaks have "
       "moved and have other heights, and the woofer's range is a decibel or two down while the "
       "tweeter's is not. Two drivers of one kind that are not alike: swap them, and the "
       "difference goes along.",
       46.0});
}

void add_cases_4(std::vector<PracticeCase>& all) {
  all.push_back(
      {"nothing-broken",
       "Nothing is broken",
       4,
       "A dip in the middle of the treble. The workshop wants to fill it with an equaliser.",
       plan(square_narrow(), Json::array(), usual_takes({20, 40})),
       {"edge-diffraction", "driver-polarity", "notch-filter", "driver-breakup"},
       {"edge-diffraction"},
       "The tweeter sits 100 mm from both side edges and from the top edge, all square: three "
       "waves come equally late, and add up to a dip near 3.1 kHz. At 20 and 40 degrees it is "
       "elsewhere, and the impedance is calm and as modelled. Filling it would make every other "
       "angle worse. Move the tweeter off the middle, or round the edges.",
       3100.0});
  all.push_back(
      {"late-by-a-hair",
       "Late by a hair",
       4,
       "The delay of the active version was set by ear. Straight ahead it is a bit thin.",
       plan(kiosk(), fault("crossover-phase", {{"delay_ms", 0.15}}), usual_takes({30, 60})),
       {"crossover-phase", "edge-diffraction", "notch-filter", "driver-breakup"},
       {"crossover-phase"},
       "A bump near 1.4 kHz, below the crossover, and a trough near 2.8 kHz, above it; the model "
       "of the drawing has neither. Turned polarity would give the trough alone, and none of this "
       "shows in the impedance, as a filter's fault would. One driver lags: by its phase some 0.15 "
       "ms, 5 cm of way.",
       2800.0});
  all.push_back(
      {"dip-by-design",
       "A dip by design",
       4,
       "Bought second-hand, with a crossover board nobody has a diagram of.",
       plan(kiosk(), fault("notch-filter", {{"frequency_hz", 1000}})),
       {"notch-filter", "edge-diffraction", "suspension-resonance", "crossover-phase"},
       {"notch-filter"},
       "A dip of some 12 dB near 0.9 kHz, at every angle. The impedance lies below the model under "
       "it and above the model beyond: current flows past the driver through a trap. Diffraction "
       "leaves the impedance alone, and a suspension's wiggle is narrow.",
       920.0});
  all.push_back({"open-gate",
                 "Open at the back",
                 2,
                 "A panel without a box for the weir. The driver reached down to fifty hertz in "
                 "its test box.",
                 plan(open_panel(), Json::array(), usual_takes({45, 80})),
                 {"dipole-cancellation", "box-leak", "mistuned-box", "baffle-step"},
                 {"dipole-cancellation"},
                 "Below some 400 Hz the level falls 6 dB per octave: front and back meet round the "
                 "edge. To the "
                 "side it nearly vanishes. The single impedance peak is the driver's own "
                 "resonance, since there "
                 "is no box. Wider wings, or a boost and a strong cone, are what helps.",
                 300.0});
  std::stable_sort(all.begin(), all.end(),
                   [](const auto& a, const auto& b) { return a.grade < b.grade; });
}

}  // namespace

std::vector<PracticeCase> case_list() {
  std::vector<PracticeCase> all;
  add_cases_1(all);
  add_cases_2(all);
  add_cases_3(all);
  add_cases_4(all);
  return all;
}

}  // namespace lalometer
