#include "book/json.h"

#include <nlohmann/json.hpp>

#include "base/json_text.h"

namespace lalometer {
namespace {

using Json = nlohmann::json;

/// A damaged column reads as empty: the raw data and the rest of the row stay reachable.
Json parsed(const std::string& text) {
  Json json = parsed_json(text);
  return json.is_object() || json.is_array() ? json : Json::object();
}

template <class T>
void read(const Json& json, const char* key, T& value) {
  const auto found = json.find(key);
  if (found == json.end()) return;
  if constexpr (std::is_same_v<T, bool>) {
    if (found->is_boolean()) value = found->get<bool>();
  } else if constexpr (std::is_arithmetic_v<T>) {
    if (found->is_number()) value = found->get<T>();
  } else {
    if (found->is_string()) value = found->get<T>();
  }
}

Json curve_json(const Response& curve) {
  Json json{{"frequency_hz", Json::array()}, {"real", Json::array()}, {"imaginary", Json::array()}};
  for (std::size_t i = 0; i < curve.size(); ++i) {
    json["frequency_hz"].push_back(curve.axis()[i]);
    json["real"].push_back(curve.value(i).real());
    json["imaginary"].push_back(curve.value(i).imag());
  }
  json["has_phase"] = curve.has_phase();
  return json;
}

std::optional<Response> curve_from(const Json& json) {
  try {
    auto axis = FrequencyAxis::make(json.at("frequency_hz").get<std::vector<double>>());
    const auto real = json.at("real").get<std::vector<double>>();
    const auto imaginary = json.at("imaginary").get<std::vector<double>>();
    if (!axis || real.size() != imaginary.size()) return std::nullopt;
    std::vector<std::complex<double>> values(real.size());
    for (std::size_t i = 0; i < real.size(); ++i) values[i] = {real[i], imaginary[i]};
    const ValidRange whole{axis->front(), axis->back()};
    auto curve = Response::make(std::move(*axis), std::move(values), Quantity::kRatio, whole,
                                json.value("has_phase", true));
    if (curve) return *curve;
  } catch (const Json::exception&) {
    // A calibration that cannot be read is none; the window says that it is missing.
  }
  return std::nullopt;
}

}  // namespace

namespace {

/// Columns of different lengths are none.
RepeatSpread repeats_from(const Json& json) {
  RepeatSpread spread;
  read(json, "count", spread.count);
  const auto column = [&](const char* key) {
    std::vector<double> values;
    if (const auto found = json.find(key); found != json.end() && found->is_array())
      for (const Json& value : *found)
        if (value.is_number()) values.push_back(value.get<double>());
    return values;
  };
  spread.frequency_hz = column("frequency_hz");
  spread.relative = column("relative");
  spread.coherence = column("coherence");
  const std::size_t rows = spread.frequency_hz.size();
  if (spread.relative.size() != rows || spread.coherence.size() != rows ||
      !FrequencyAxis::make(spread.frequency_hz))
    return {.count = spread.count};
  return spread;
}

Json chirps_json(const ChirpTrain& t) {
  return {{"count", t.count},           {"start_hz", t.start_hz}, {"stop_hz", t.stop_hz},
          {"duration_s", t.duration_s}, {"period_s", t.period_s}, {"gap_s", t.gap_s}};
}

ChirpTrain chirps_from(const Json& json) {
  ChirpTrain t;
  read(json, "count", t.count);
  read(json, "start_hz", t.start_hz);
  read(json, "stop_hz", t.stop_hz);
  read(json, "duration_s", t.duration_s);
  read(json, "period_s", t.period_s);
  read(json, "gap_s", t.gap_s);
  return t;
}

}  // namespace

namespace {

Json worked_json(const WorkedFrom& w) {
  return {{"how", w.how}, {"takes", w.takes}, {"at_hz", w.at_hz}};
}

WorkedFrom worked_from(const Json& json) {
  WorkedFrom w;
  read(json, "how", w.how);
  read(json, "at_hz", w.at_hz);
  if (const auto takes = json.find("takes"); takes != json.end() && takes->is_array())
    for (const Json& id : *takes)
      if (id.is_number_integer()) w.takes.push_back(id.get<Id>());
  return w;
}

Json chart_json(const TracedChart& c) {
  return {{"axes", parsed_json(c.axes_json)},
          {"frequency_hz", c.frequency_hz},
          {"value", c.value},
          {"smoothing", c.smoothing},
          {"drive_told", c.drive_told}};
}

std::vector<double> numbers(const Json& json, const char* key) {
  std::vector<double> values;
  if (const auto found = json.find(key); found != json.end() && found->is_array())
    for (const Json& value : *found)
      if (value.is_number()) values.push_back(value.get<double>());
  return values;
}

/// Columns of different lengths are none.
TracedChart chart_from(const Json& json) {
  TracedChart c;
  if (const auto axes = json.find("axes"); axes != json.end()) c.axes_json = dumped(*axes);
  read(json, "smoothing", c.smoothing);
  read(json, "drive_told", c.drive_told);
  c.frequency_hz = numbers(json, "frequency_hz");
  c.value = numbers(json, "value");
  if (c.frequency_hz.size() != c.value.size()) c.frequency_hz = c.value = {};
  return c;
}

}  // namespace

std::string to_json(const Conditions& c) {
  Json more = Json::object();
  for (const auto& [key, value] : c.more_json) more[key] = parsed_json(value);
  Json json{{"drive_v", c.drive_v},
            {"temperature_c", c.temperature_c},
            {"delay_included", c.delay_included},
            {"driver", c.driver},
            {"polarity_flipped", c.polarity_flipped},
            {"spl_db", c.spl_db},
            {"channel", c.channel},
            {"gate_s", c.gate_s},
            {"pa_per_v", c.pa_per_v},
            {"pa_per_unit", c.pa_per_unit},
            {"distance_told", c.distance_told},
            {"t0_s", c.t0_s},
            {"loopback_channel", c.loopback_channel},
            {"start_hz", c.stimulus.start_hz},
            {"stop_hz", c.stimulus.stop_hz},
            {"duration_s", c.stimulus.duration_s},
            {"lead_in_s", c.stimulus.lead_in_s},
            {"amplitude", c.stimulus.amplitude},
            {"more", more}};
  if (c.stimulus.repeats > 1) {
    json["sweep_repeats"] = c.stimulus.repeats;
    json["sweep_period_s"] = c.stimulus.period_s;
  }
  if (c.stimulus.chirps.count > 0) {
    json["sweep_chirps"] = chirps_json(c.stimulus.chirps);
    json["chirp_distance_m"] = c.chirp_distance_m;
  }
  if (c.sweep > 0) json["sweep"] = c.sweep;
  if (!c.worked.how.empty()) json["worked"] = worked_json(c.worked);
  if (!c.chart.frequency_hz.empty()) json["chart"] = chart_json(c.chart);
  if (c.repeats.count > 1) {
    json["repeats"] = {{"count", c.repeats.count},
                       {"frequency_hz", c.repeats.frequency_hz},
                       {"relative", c.repeats.relative},
                       {"coherence", c.repeats.coherence}};
  }
  return json.dump();
}

Conditions conditions_from_json(const std::string& text) {
  const Json json = parsed(text);
  Conditions c;
  read(json, "drive_v", c.drive_v);
  read(json, "temperature_c", c.temperature_c);
  read(json, "delay_included", c.delay_included);
  read(json, "driver", c.driver);
  read(json, "polarity_flipped", c.polarity_flipped);
  read(json, "spl_db", c.spl_db);
  read(json, "channel", c.channel);
  read(json, "gate_s", c.gate_s);
  read(json, "pa_per_v", c.pa_per_v);
  read(json, "pa_per_unit", c.pa_per_unit);
  read(json, "distance_told", c.distance_told);
  read(json, "t0_s", c.t0_s);
  read(json, "loopback_channel", c.loopback_channel);
  read(json, "start_hz", c.stimulus.start_hz);
  read(json, "stop_hz", c.stimulus.stop_hz);
  read(json, "duration_s", c.stimulus.duration_s);
  read(json, "lead_in_s", c.stimulus.lead_in_s);
  read(json, "amplitude", c.stimulus.amplitude);
  read(json, "sweep_repeats", c.stimulus.repeats);
  read(json, "sweep_period_s", c.stimulus.period_s);
  read(json, "sweep", c.sweep);
  read(json, "chirp_distance_m", c.chirp_distance_m);
  if (const auto chirps = json.find("sweep_chirps"); chirps != json.end() && chirps->is_object())
    c.stimulus.chirps = chirps_from(*chirps);
  if (const auto worked = json.find("worked"); worked != json.end() && worked->is_object())
    c.worked = worked_from(*worked);
  if (const auto chart = json.find("chart"); chart != json.end() && chart->is_object())
    c.chart = chart_from(*chart);
  if (const auto repeats = json.find("repeats"); repeats != json.end() && repeats->is_object())
    c.repeats = repeats_from(*repeats);
  if (const auto more = json.find("more"); more != json.end() && more->is_object()) {
    for (const auto& [key, value] : more->items()) c.more_json[key] = dumped(value);
  }
  return c;
}

std::string to_json(const std::vector<Remark>& remarks) {
  Json json = Json::array();
  for (const Remark& r : remarks) {
    json.push_back({{"weight", static_cast<int>(r.weight)},
                    {"code", r.code},
                    {"text", r.text},
                    {"advice", r.advice}});
  }
  return dumped(json);
}

std::vector<Remark> remarks_from_json(const std::string& text) {
  std::vector<Remark> remarks;
  for (const Json& json : parsed(text)) {
    Remark r;
    int weight = 0;
    read(json, "weight", weight);
    r.weight = weight == 2   ? Remark::Weight::kRefusal
               : weight == 1 ? Remark::Weight::kDoubt
                             : Remark::Weight::kNote;
    read(json, "code", r.code);
    read(json, "text", r.text);
    read(json, "advice", r.advice);
    remarks.push_back(std::move(r));
  }
  return remarks;
}

std::string to_json(const Recipe& r) {
  return Json{{"gate_s", r.gate_s},
              {"gated", r.gated},
              {"continue_tail", r.continue_tail},
              {"smoothing", r.smoothing}}
      .dump();
}

Recipe recipe_from_json(const std::string& text) {
  const Json json = parsed(text);
  Recipe r;
  read(json, "gate_s", r.gate_s);
  read(json, "gated", r.gated);
  read(json, "continue_tail", r.continue_tail);
  read(json, "smoothing", r.smoothing);
  return r;
}

std::string to_json(const RigCalibration& rig) {
  Json json{{"rig_name", rig.rig_name},
            {"output_v_per_unit", rig.output_v_per_unit},
            {"loopback_v_per_unit", rig.loopback_v_per_unit},
            {"input_pa_per_unit", rig.input_pa_per_unit},
            {"jig_v_per_unit", rig.jig_v_per_unit},
            {"reference_ohm", rig.reference_ohm},
            {"cable_ohm", rig.cable_ohm}};
  if (rig.time != TimeBase::kLoopback) json["time"] = word_of(rig.time);
  if (rig.time == TimeBase::kChirps) {
    json["chirps_by_second"] = rig.chirps_by_second;
    json["chirp_distance_m"] = rig.chirp_distance_m;
  }
  json["level_known"] = rig.level_known;
  if (rig.impedance_uncertainty_percent != 1.0)
    json["impedance_uncertainty_percent"] = rig.impedance_uncertainty_percent;
  json["microphone_correction_name"] = rig.microphone_correction_name;
  if (rig.calibrator_hz) json["calibrator_hz"] = *rig.calibrator_hz;
  if (rig.microphone_thd_percent > 0.0) {
    json["microphone_thd_percent"] = rig.microphone_thd_percent;
    json["microphone_thd_db_spl"] = rig.microphone_thd_db_spl;
  }
  if (rig.microphone_correction_deg != 0.0)
    json["microphone_correction_deg"] = rig.microphone_correction_deg;
  if (rig.microphone_correction)
    json["microphone_correction"] = curve_json(*rig.microphone_correction);
  if (rig.jig) {
    json["jig"] = {{"open", curve_json(rig.jig->open)},
                   {"shorted", curve_json(rig.jig->shorted)},
                   {"known", curve_json(rig.jig->known)},
                   {"known_ohm", rig.jig->known_ohm}};
  }
  if (rig.inputs) json["inputs"] = curve_json(*rig.inputs);
  if (rig.jig_inputs) json["jig_inputs"] = curve_json(*rig.jig_inputs);
  if (!rig.taken_at.empty()) json["taken_at"] = rig.taken_at;
  return dumped(json);
}

RigCalibration rig_from_json(const std::string& text) {
  const Json json = parsed(text);
  RigCalibration rig;
  read(json, "rig_name", rig.rig_name);
  read(json, "output_v_per_unit", rig.output_v_per_unit);
  read(json, "loopback_v_per_unit", rig.loopback_v_per_unit);
  read(json, "input_pa_per_unit", rig.input_pa_per_unit);
  read(json, "jig_v_per_unit", rig.jig_v_per_unit);
  read(json, "reference_ohm", rig.reference_ohm);
  read(json, "cable_ohm", rig.cable_ohm);
  read(json, "impedance_uncertainty_percent", rig.impedance_uncertainty_percent);
  read(json, "microphone_correction_name", rig.microphone_correction_name);
  read(json, "microphone_correction_deg", rig.microphone_correction_deg);
  read(json, "microphone_thd_percent", rig.microphone_thd_percent);
  read(json, "microphone_thd_db_spl", rig.microphone_thd_db_spl);
  if (json.contains("microphone_correction"))
    rig.microphone_correction = curve_from(json["microphone_correction"]);
  if (json.contains("jig")) {
    const Json& jig = json["jig"];
    auto open = curve_from(jig.value("open", Json()));
    auto shorted = curve_from(jig.value("shorted", Json()));
    auto known = curve_from(jig.value("known", Json()));
    if (open && shorted && known)
      rig.jig = JigCalibration{*open, *shorted, *known, jig.value("known_ohm", 10.0)};
  }
  if (json.contains("inputs")) rig.inputs = curve_from(json["inputs"]);
  if (json.contains("jig_inputs")) rig.jig_inputs = curve_from(json["jig_inputs"]);
  if (json.contains("taken_at") && json["taken_at"].is_object()) {
    for (const auto& [what, when] : json["taken_at"].items())
      if (when.is_string()) rig.taken_at[what] = when.get<std::string>();
  }
  std::string time;
  read(json, "time", time);
  rig.time = time_base_of(time).value_or(TimeBase::kLoopback);
  read(json, "chirps_by_second", rig.chirps_by_second);
  read(json, "chirp_distance_m", rig.chirp_distance_m);
  read(json, "level_known", rig.level_known);
  // Sensitivities kept before the frequency was: calibrators sound at 1 kHz (common practice).
  if (rig.taken_at.contains("sensitivity")) rig.calibrator_hz = 1000.0;
  if (json.contains("calibrator_hz")) {
    double hz = 0.0;
    read(json, "calibrator_hz", hz);
    if (hz > 0.0) rig.calibrator_hz = hz;
  }
  return rig;
}

}  // namespace lalometer
