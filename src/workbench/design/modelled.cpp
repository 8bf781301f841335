#include "workbench/design/modelled.h"

#include <cmath>
#include <nlohmann/json.hpp>

#include "acoustics/spectrum/response.h"
#include "base/constants.h"
#include "base/json_text.h"
#include "workbench/design/baffle_prediction.h"
#include "workbench/practice/practice_subject.h"

namespace lalometer {

Result<ModelledCurves> modelled_curves(const std::string& description_json,
                                       const std::string& where) {
  const nlohmann::json root = parsed_json(description_json);
  if (!root.is_object() || !root.contains("drivers") || !root["drivers"].is_array() ||
      root["drivers"].empty())
    return bad_input("The description names no drivers: nothing can be modelled.", where);
  const auto speaker = practice_speaker_of(description_json, where);
  if (!speaker) return tl::unexpected(speaker.error());
  const FrequencyAxis axis = FrequencyAxis::logarithmic(20.0, 20000.0, 48.0);
  ModelledCurves m;
  m.frequency_hz.assign(axis.hz().begin(), axis.hz().end());
  const PracticeField field(*speaker, {.distance_m = 1.0, .floor_reflection = 0.0});
  for (const double f : m.frequency_hz) {
    const PracticeOutput out = field.at(f);
    m.level_db.push_back(to_level_db(std::abs(out.direct_pa_per_v) * 2.83, kReferencePressure_pa));
    m.impedance_ohm.push_back(std::abs(out.impedance_ohm));
    m.impedance_phase_deg.push_back(std::arg(out.impedance_ohm) * 180.0 / kPi);
  }
  if (const auto geometry = geometry_of(description_json, where); geometry && geometry->baffle) {
    for (const SubjectDriver& d : geometry->drivers) {
      if (const auto p = predict_diffraction(*geometry, d.id, 1.0, axis))
        m.edges.push_back({d.id, p->level_db});
    }
  }
  for (const auto& driver : root["drivers"]) {
    for (const char* key : {"fs_hz", "qms", "qes", "vas_l", "re_ohm"}) {
      if (driver.is_object() && driver.contains(key)) continue;
      m.usual_drivers.push_back(driver.is_object() ? driver.value("id", std::string("driver"))
                                                   : std::string("driver"));
      break;
    }
  }
  return m;
}

}  // namespace lalometer
