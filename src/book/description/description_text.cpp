#include "book/description/description_text.h"

#include <cmath>
#include <nlohmann/json.hpp>
#include <set>
#include <type_traits>

#include "base/hash.h"
#include "base/json_text.h"

namespace lalometer {
namespace {

using Json = nlohmann::ordered_json;

/// The members of each type, told once for reading and writing: f.value(key, member),
/// f.object(key, optional member), f.list(key, members), and figures inside their owner.
template <class Visitor, class T>
void visit(Visitor& f, T& t) {
  using Plain = std::remove_const_t<T>;
  if constexpr (std::is_same_v<Plain, DriverFigures>) {
    f.value("re_ohm", t.re_ohm), f.value("fs_hz", t.fs_hz), f.value("qms", t.qms);
    f.value("qes", t.qes), f.value("qts", t.qts), f.value("vas_l", t.vas_l);
    f.value("le_mh", t.le_mh), f.value("mms_g", t.mms_g), f.value("bl_tm", t.bl_tm);
    f.value("sensitivity_db_2v83_1m", t.sensitivity_db_2v83_1m);
  } else if constexpr (std::is_same_v<Plain, DescribedLadderPart>) {
    f.value("place", t.place), f.value("ohm", t.ohm), f.value("mh", t.mh), f.value("uf", t.uf);
    f.list("parallel", t.parallel), f.list("series", t.series);
  } else if constexpr (std::is_same_v<Plain, DescribedWaveguide>) {
    f.value("throat_mm", t.throat_mm), f.value("mouth_mm", t.mouth_mm);
    f.value("half_angle_deg", t.half_angle_deg);
  } else if constexpr (std::is_same_v<Plain, DescribedDriver>) {
    f.value("id", t.id), f.value("role", t.role);
    f.value("diameter_mm", t.diameter_mm), f.value("sd_cm2", t.sd_cm2);
    f.value("x_mm", t.x_mm), f.value("y_mm", t.y_mm), f.value("z_mm", t.z_mm);
    visit(f, t.figures);
    f.value("xmax_mm", t.xmax_mm), f.value("power_w", t.power_w);
    f.value("breakup_hz", t.breakup_hz), f.value("delay_ms", t.delay_ms);
    f.value("inverted", t.inverted);
    f.list("ladder", t.ladder);
    f.object("waveguide", t.waveguide);
    f.sheet(t);
  } else if constexpr (std::is_same_v<Plain, DescribedBaffle>) {
    f.value("width_mm", t.width_mm), f.value("height_mm", t.height_mm);
    f.value("depth_mm", t.depth_mm), f.value("left_mm", t.left_mm), f.value("top_mm", t.top_mm);
    f.value("edge_radius_mm", t.edge_radius_mm), f.value("edge_chamfer_mm", t.edge_chamfer_mm);
  } else if constexpr (std::is_same_v<Plain, DescribedBox>) {
    f.value("net_volume_l", t.net_volume_l), f.value("inner_width_mm", t.inner_width_mm);
    f.value("inner_height_mm", t.inner_height_mm), f.value("inner_depth_mm", t.inner_depth_mm);
    f.value("damping", t.damping), f.value("ql", t.ql), f.value("qa", t.qa);
    f.value("qp", t.qp), f.value("tuning_hz", t.tuning_hz);
  } else if constexpr (std::is_same_v<Plain, DescribedPort>) {
    f.value("id", t.id), f.value("panel", t.panel), f.value("diameter_mm", t.diameter_mm);
    f.value("length_mm", t.length_mm), f.value("count", t.count);
    f.value("slot_height_mm", t.slot_height_mm), f.value("flare_radius_mm", t.flare_radius_mm);
    f.value("x_mm", t.x_mm), f.value("y_mm", t.y_mm);
  } else if constexpr (std::is_same_v<Plain, DescribedRadiator>) {
    f.value("id", t.id), f.value("panel", t.panel), f.value("diameter_mm", t.diameter_mm);
    f.value("sd_cm2", t.sd_cm2), f.value("moving_mass_g", t.moving_mass_g);
    f.value("fs_hz", t.fs_hz), f.value("qms", t.qms);
    f.value("x_mm", t.x_mm), f.value("y_mm", t.y_mm);
  } else if constexpr (std::is_same_v<Plain, DescribedWings>) {
    f.value("left_mm", t.left_mm), f.value("right_mm", t.right_mm);
  } else if constexpr (std::is_same_v<Plain, DescribedCrossover>) {
    f.value("low", t.low), f.value("high", t.high);
    f.value("frequency_hz", t.frequency_hz), f.value("order", t.order);
  } else {
    static_assert(std::is_same_v<Plain, Description>);
    f.value("loading", t.loading);
    f.list("drivers", t.drivers);
    f.object("baffle", t.baffle);
    f.object("box", t.box);
    f.list("ports", t.ports);
    f.list("passive_radiators", t.passive_radiators);
    f.object("wings", t.wings);
    f.list("crossovers", t.crossovers);
  }
}

/// Takes what it understands out of an object; the rest is what was not read.
class Reader {
 public:
  Reader(const Json& json, std::string place, std::string& problem)
      : json_(json), place_(std::move(place)), problem_(problem) {}

  void value(const char* key, std::optional<double>& to) {
    const Json* found = find(key);
    if (found == nullptr || !found->is_number()) return;
    to = found->get<double>();
    read_.insert(key);
  }
  void value(const char* key, std::string& to) {
    const Json* found = find(key);
    if (found == nullptr || !found->is_string()) return;
    to = found->get<std::string>();
    read_.insert(key);
  }
  void value(const char* key, bool& to) {
    const Json* found = find(key);
    if (found == nullptr || !found->is_boolean()) return;
    to = found->get<bool>();
    read_.insert(key);
  }
  template <class T>
  void object(const char* key, std::optional<T>& to) {
    const Json* found = find(key);
    if (found == nullptr || !found->is_object()) return;
    to = whole<T>(*found, place_ + key);
    read_.insert(key);
  }
  template <class T>
  void list(const char* key, std::vector<T>& to) {
    const Json* found = find(key);
    if (found == nullptr || !found->is_array()) return;
    for (std::size_t i = 0; i < found->size(); ++i) {
      const std::string at = fmt::format("{}{}[{}]", place_, key, i);
      if (!(*found)[i].is_object()) {
        if (problem_.empty()) problem_ = at + " should be an object.";
        return;
      }
      to.push_back(whole<T>((*found)[i], at));
    }
    read_.insert(key);
  }
  void sheet(DescribedDriver& d) {
    const Json* found = find("sheet");
    if (found == nullptr || !found->is_object()) return;
    Reader own(*found, place_ + "sheet.", problem_);
    visit(own, d.sheet);
    d.unread_sheet = own.rest();
    read_.insert("sheet");
  }
  [[nodiscard]] Unread rest(const std::set<std::string>& but = {}) const {
    Unread unread;
    for (const auto& [key, value] : json_.items()) {
      if (!read_.contains(key) && !but.contains(key)) unread.push_back({key, dumped(value)});
    }
    return unread;
  }

 private:
  [[nodiscard]] const Json* find(const char* key) const {
    const auto found = json_.find(key);
    return found == json_.end() ? nullptr : &*found;
  }
  template <class T>
  T whole(const Json& json, const std::string& at) {
    T made;
    Reader own(json, at + ".", problem_);
    visit(own, made);
    made.unread = own.rest();
    return made;
  }

  const Json& json_;
  std::string place_;
  std::string& problem_;
  std::set<std::string> read_;
};

class Writer {
 public:
  explicit Writer(Json& json) : json_(json) {}

  void value(const char* key, const std::optional<double>& from) {
    if (!from || !std::isfinite(*from)) return;
    // Whole numbers as people write them.
    if (*from == std::round(*from) && std::abs(*from) < 1e15)
      json_[key] = static_cast<std::int64_t>(*from);
    else
      json_[key] = *from;
  }
  void value(const char* key, const std::string& from) {
    if (!from.empty()) json_[key] = from;
  }
  void value(const char* key, bool from) {
    if (from) json_[key] = true;
  }
  template <class T>
  void object(const char* key, const std::optional<T>& from) {
    if (from) json_[key] = whole(*from);
  }
  template <class T>
  void list(const char* key, const std::vector<T>& from) {
    for (const T& one : from) json_[key].push_back(whole(one));
  }
  void sheet(const DescribedDriver& d) {
    Json own = Json::object();
    Writer writer(own);
    visit(writer, d.sheet);
    writer.add(d.unread_sheet);
    if (!own.empty()) json_["sheet"] = std::move(own);
  }
  void add(const Unread& unread) {
    for (const UnreadMember& m : unread) {
      if (!json_.contains(m.key)) json_[m.key] = parsed_ordered_json(m.json);
    }
  }

 private:
  template <class T>
  static Json whole(const T& from) {
    Json json = Json::object();
    Writer writer(json);
    visit(writer, from);
    writer.add(from.unread);
    return json;
  }
  Json& json_;
};

}  // namespace

Result<Description> description_from_json(const std::string& text, const std::string& where) {
  const Json json = parsed_ordered_json(text);
  if (!json.is_object()) return bad_input("The subject is not a JSON object.", where);
  std::string problem;
  Description d;
  Reader reader(json, "", problem);
  visit(reader, d);
  if (!problem.empty()) return bad_input(problem, where);
  d.unread = reader.rest({"name", "kind"});
  return d;
}

std::string to_json(const Description& d) {
  Json json = Json::object();
  Writer writer(json);
  visit(writer, d);
  writer.add(d.unread);
  return dumped(json);
}

std::string drawing_mark(const std::string& kept_text) {
  return sha256_hex(kept_text).substr(0, 16);
}

}  // namespace lalometer
