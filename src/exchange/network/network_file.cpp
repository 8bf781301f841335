#include "exchange/network/network_file.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <fstream>
#include <iterator>
#include <nlohmann/json.hpp>

#include "base/json_text.h"
#include "exchange/audio_file.h"
#include "exchange/json_read.h"

namespace lalometer {
namespace {

using Json = nlohmann::json;

/// A number of a member; an error where it is there and none.
Result<double> number(const Json& json, const char* key, double fallback,
                      const std::string& where) {
  const auto found = json.find(key);
  if (found == json.end() || found->is_null()) return fallback;
  if (!found->is_number() || !std::isfinite(found->get<double>()))
    return bad_input(fmt::format("\"{}\" is not a number.", key), where);
  return found->get<double>();
}

Result<LadderPart> part_of(const Json& json, bool top, const std::string& where) {
  if (!json.is_object()) return bad_input("A part is a JSON object.", where);
  const std::string place = json_text(json, "place");
  if (top && place != "series" && place != "shunt")
    return bad_input("A part of a ladder is \"place\": \"series\" or \"shunt\".", where);
  LadderPart part{.place =
                      place == "shunt" ? LadderPart::Place::kShunt : LadderPart::Place::kSeries};
  part.name = json_text(json, "name");
  part.off = json.value("off", Json(false)) == Json(true);
  const struct {
    const char* key;
    double* value;
    double scale;
  } elements[] = {{"ohm", &part.resistance_ohm, 1.0},
                  {"mh", &part.inductance_h, 1e-3},
                  {"uf", &part.capacitance_f, 1e-6}};
  for (const auto& e : elements) {
    const auto value = number(json, e.key, 0.0, where);
    if (!value) return tl::unexpected(value.error());
    if (*value < 0.0) return bad_input(fmt::format("\"{}\" is below 0.", e.key), where);
    *e.value = *value * e.scale;
  }
  const bool parallel = json.contains("parallel"), series = json.contains("series");
  if (parallel && series)
    return bad_input("A part holds \"parallel\" or \"series\" parts, not both.", where);
  if (parallel) part.join = LadderPart::Join::kParallel;
  const char* inside = parallel ? "parallel" : "series";
  if (!parallel && !series) {
    if (part.resistance_ohm <= 0.0 && part.inductance_h <= 0.0 && part.capacitance_f <= 0.0)
      return bad_input("A part needs \"ohm\", \"mh\", \"uf\" or parts inside it.", where);
    return part;
  }
  if (!json[inside].is_array() || json[inside].empty())
    return bad_input(fmt::format("\"{}\" is a list of parts.", inside), where);
  for (std::size_t i = 0; i < json[inside].size(); ++i) {
    auto one = part_of(json[inside][i], false, fmt::format("{}.{}[{}]", where, inside, i));
    if (!one) return one;
    part.parts.push_back(std::move(*one));
  }
  return part;
}

Result<void> add_filter(ActivePart& active, const Json& json, const std::string& where) {
  if (!json.is_object()) return bad_input("A filter is a JSON object.", where);
  if (json.contains("type") || json.contains("frequency_hz")) {
    const std::string type = json_text(json, "type", "peaking");
    BandFilter f;
    bool known = false;
    for (const BiquadKind kind :
         {BiquadKind::kPeaking, BiquadKind::kLowShelf, BiquadKind::kHighShelf})
      if (type == word_of(kind)) {
        f.kind = kind;
        known = true;
      }
    if (!known)
      return bad_input(
          fmt::format("\"{}\" is no type of filter: peaking, low-shelf or high-shelf.", type),
          where);
    f.frequency_hz = json_number(json, "frequency_hz", 0.0);
    f.gain_db = json_number(json, "gain_db", 0.0);
    f.q = json_number(json, "q", 0.0);
    if (!(f.frequency_hz > 0.0) || !(f.q > 0.0) || f.frequency_hz >= active.sample_rate_hz / 2.0)
      return bad_input("A filter needs frequency_hz below half the sample rate and q above 0.",
                       where);
    active.filters.push_back(f);
    return {};
  }
  Biquad section;
  const auto read = [&](const char* key, std::array<double, 3>& to) {
    const auto found = json.find(key);
    if (found == json.end() || !found->is_array() || found->size() != 3) return false;
    for (std::size_t i = 0; i < 3; ++i) {
      if (!(*found)[i].is_number()) return false;
      to[i] = (*found)[i].get<double>();
    }
    return true;
  };
  if (!read("b", section.b) || !read("a", section.a) || section.a[0] == 0.0)
    return bad_input(
        "A filter is \"type\" with frequency_hz, gain_db and q, or \"b\" and \"a\" of "
        "three coefficients each.",
        where);
  for (double& x : section.b) x /= section.a[0];
  for (std::size_t i = 2; i-- > 0;) section.a[i + 1] /= section.a[0];
  section.a[0] = 1.0;
  active.sections.push_back(section);
  return {};
}

Result<void> add_fir(ActivePart& active, const Json& json, const std::filesystem::path& folder,
                     const std::string& where) {
  if (const auto taps = json.find("fir_taps"); taps != json.end()) {
    if (!taps->is_array() || taps->empty())
      return bad_input("\"fir_taps\" is a list of numbers.", where);
    for (const Json& tap : *taps) {
      if (!tap.is_number()) return bad_input("\"fir_taps\" is a list of numbers.", where);
      active.fir.push_back(tap.get<double>());
    }
    return {};
  }
  const std::string name = json_text(json, "fir");
  if (name.empty()) return {};
  const std::filesystem::path file = folder / name;
  const auto bytes = file_bytes(file);
  if (!bytes) return tl::unexpected(bytes.error());
  const auto audio = read_audio(*bytes, file.string());
  if (!audio) return tl::unexpected(audio.error());
  if (audio->channels.empty() || audio->channels.front().empty())
    return bad_input("The filter's WAV holds nothing.", where);
  active.fir.assign(audio->channels.front().begin(), audio->channels.front().end());
  active.sample_rate_hz = audio->sample_rate_hz;
  return {};
}

Result<DesignBranch> branch_of(const Json& json, const std::filesystem::path& folder,
                               const std::string& where) {
  if (!json.is_object()) return bad_input("A branch is a JSON object.", where);
  DesignBranch b;
  b.driver = json_text(json, "driver");
  if (b.driver.empty()) return bad_input("A branch needs the id of its \"driver\".", where);
  const auto polarity = number(json, "polarity", 1.0, where);
  const auto gain = number(json, "gain_db", 0.0, where);
  const auto delay = number(json, "delay_ms", 0.0, where);
  const auto rate = number(json, "sample_rate_hz", 48000.0, where);
  for (const auto* one : {&polarity, &gain, &delay, &rate})
    if (!*one) return tl::unexpected(one->error());
  if (std::abs(*polarity) != 1.0) return bad_input("\"polarity\" is 1 or -1.", where);
  if (!(*rate > 0.0)) return bad_input("\"sample_rate_hz\" must be above 0.", where);
  b.polarity = *polarity < 0.0 ? -1 : 1;
  b.active.gain_db = *gain;
  b.active.delay_s = *delay / 1e3;
  b.active.sample_rate_hz = *rate;
  if (json.contains("moved_mm")) {
    const Json& moved = json["moved_mm"];
    if (!moved.is_array() || moved.size() != 3 || !moved[0].is_number() || !moved[1].is_number() ||
        !moved[2].is_number())
      return bad_input("\"moved_mm\" is [right, up, forward].", where);
    for (std::size_t i = 0; i < 3; ++i) b.moved_m[i] = moved[i].get<double>() / 1e3;
  }
  if (auto fir = add_fir(b.active, json, folder, where); !fir) return tl::unexpected(fir.error());
  for (const char* key : {"filters", "ladder"})
    if (json.contains(key) && !json[key].is_array())
      return bad_input(fmt::format("\"{}\" is a list.", key), where);
  const Json filters = json.value("filters", Json::array());
  for (std::size_t i = 0; i < filters.size(); ++i)
    if (auto added = add_filter(b.active, filters[i], fmt::format("{}.filters[{}]", where, i));
        !added)
      return tl::unexpected(added.error());
  const Json ladder = json.value("ladder", Json::array());
  for (std::size_t i = 0; i < ladder.size(); ++i) {
    auto part = part_of(ladder[i], true, fmt::format("{}.ladder[{}]", where, i));
    if (!part) return tl::unexpected(part.error());
    b.ladder.push_back(std::move(*part));
  }
  return b;
}

}  // namespace

Result<DesignedNetwork> network_from_json(const std::string& text, const std::string& where,
                                          const std::filesystem::path& folder) {
  const Json json = parsed_json(text);
  if (!json.is_object()) return bad_input("This is no JSON object.", where);
  DesignedNetwork out;
  const auto source = number(json, "source_ohm", 0.0, where);
  if (!source) return tl::unexpected(source.error());
  if (*source < 0.0) return bad_input("\"source_ohm\" is below 0.", where);
  out.source_ohm = *source;
  const auto tilt = number(json, "tilt_deg", 0.0, where);
  if (!tilt) return tl::unexpected(tilt.error());
  if (std::abs(*tilt) > 45.0) return bad_input("\"tilt_deg\" is -45 to 45.", where);
  out.tilt_deg = *tilt;
  const auto branches = json.find("branches");
  if (branches == json.end() || !branches->is_array() || branches->empty())
    return bad_input("A network is a list of \"branches\".", where);
  for (std::size_t i = 0; i < branches->size(); ++i) {
    auto branch = branch_of((*branches)[i], folder, fmt::format("{}: branches[{}]", where, i));
    if (!branch) return tl::unexpected(branch.error());
    for (const DesignBranch& other : out.branches)
      if (other.driver == branch->driver)
        return bad_input(fmt::format("\"{}\" has two branches.", other.driver),
                         fmt::format("{}: branches[{}]", where, i));
    out.branches.push_back(std::move(*branch));
  }
  return out;
}

Result<DesignedNetwork> read_network(const std::filesystem::path& file) {
  std::ifstream in(file, std::ios::binary);
  if (!in) return tl::unexpected(Error{ErrorCode::kNotFound, "Cannot be read.", file.string()});
  const std::string text(std::istreambuf_iterator<char>(in), {});
  return network_from_json(text, file.string(), file.parent_path());
}

}  // namespace lalometer
