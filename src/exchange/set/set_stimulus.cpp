#include "exchange/set/set_stimulus.h"

#include "base/text.h"

namespace lalometer {
namespace {

using Json = nlohmann::ordered_json;

Result<void> read_chirps(const Json& stimulus, const std::string& where, ChirpTrain& chirps) {
  const auto found = stimulus.find("chirps");
  if (found == stimulus.end() || !found->is_object()) return {};
  SetReader reader(*found, where + ": chirps");
  const ChirpTrain usual;
  chirps = {
      static_cast<int>(reader.number("count", 0.0)), reader.number("start_hz", usual.start_hz),
      reader.number("stop_hz", usual.stop_hz),       reader.number("duration_s", usual.duration_s),
      reader.number("period_s", usual.period_s),     reader.number("gap_s", usual.gap_s)};
  reader.require(chirps.count >= 2 && chirps.count <= 100,
                 "\"count\" of chirps on each side of the sweep is 2 or more.");
  reader.require(chirps.start_hz > 0.0 && chirps.stop_hz > chirps.start_hz,
                 "\"start_hz\" lies above 0 and below \"stop_hz\".");
  reader.require(
      chirps.duration_s > 0.0 && chirps.gap_s > 0.0 && chirps.period_s > chirps.duration_s,
      "Chirps last, stand apart from the sweep, and do not overlap.");
  return reader.outcome();
}

}  // namespace

Result<void> read_stimulus(const Json& json, const std::string& where, Stimulus& stimulus) {
  const auto found = json.find("stimulus");
  if (found == json.end() || !found->is_object()) return {};
  SetReader s(*found, where + ": stimulus");
  stimulus = {s.number("start_hz", 0.0), s.number("stop_hz", 0.0), s.number("duration_s", 0.0),
              s.number("lead_in_s", 0.0), s.number("amplitude", 1.0)};
  stimulus.repeats = static_cast<int>(s.number("repeats", 1.0));
  stimulus.period_s = s.number("period_s", 0.0);
  s.require(stimulus.repeats >= 1, "\"repeats\" must be at least 1.");
  s.require(stimulus.repeats == 1 || stimulus.period_s >= stimulus.duration_s,
            "\"repeats\" needs \"period_s\", no shorter than the sweep.");
  return s.outcome().and_then([&] { return read_chirps(*found, where, stimulus.chirps); });
}

Result<void> check_stimulus(const Conditions& c, const AudioData& audio, const std::string& where) {
  const Stimulus& s = c.stimulus;
  if (!(s.start_hz > 0.0 && s.stop_hz > s.start_hz && s.duration_s > 0.0 && s.lead_in_s >= 0.0 &&
        s.amplitude > 0.0)) {
    return bad_input(
        "A sweep's stimulus needs start_hz > 0, stop_hz above it, duration_s > 0, lead_in_s >= 0 "
        "and amplitude > 0.",
        where);
  }
  if (s.stop_hz > 0.5 * audio.sample_rate_hz) {
    return bad_input(
        fmt::format("The sweep runs to {} Hz, above half of the file's sample rate of {} Hz.",
                    shortest(s.stop_hz), shortest(audio.sample_rate_hz)),
        where);
  }
  const double length_s = static_cast<double>(audio.channels[0].size()) / audio.sample_rate_hz;
  if (length_s < s.lead_in_s + s.duration_s) {
    return bad_input(fmt::format("The file lasts {} s, but lead-in and sweep take {} s.",
                                 three_digits(length_s), three_digits(s.lead_in_s + s.duration_s)),
                     where);
  }
  return {};
}

nlohmann::ordered_json stimulus_json(const Stimulus& s) {
  Json json{{"type", "exponential-sweep"}, {"start_hz", s.start_hz},   {"stop_hz", s.stop_hz},
            {"duration_s", s.duration_s},  {"lead_in_s", s.lead_in_s}, {"amplitude", s.amplitude}};
  if (s.repeats > 1) {
    json["repeats"] = s.repeats;
    json["period_s"] = s.period_s;
  }
  if (const ChirpTrain& t = s.chirps; t.count > 0) {
    json["chirps"] = {{"count", t.count},       {"start_hz", t.start_hz},
                      {"stop_hz", t.stop_hz},   {"duration_s", t.duration_s},
                      {"period_s", t.period_s}, {"gap_s", t.gap_s}};
  }
  return json;
}

}  // namespace lalometer
