#include "workbench/design/modelled.h"

#include <cmath>

#include "acoustics/spectrum/response.h"
#include "base/constants.h"
#include "book/description/driver_parameters.h"
#include "workbench/design/baffle_prediction.h"
#include "workbench/practice/practice_subject.h"

namespace lalometer {

Result<ModelledCurves> modelled_curves(const Description& description,
                                       const std::string& where) {
  if (description.drivers.empty())
    return bad_input("The description names no drivers: nothing can be modelled.", where);
  const auto speaker = practice_speaker_of(description, where);
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
  if (const auto geometry = geometry_of(description, where); geometry && geometry->baffle) {
    for (const SubjectDriver& d : geometry->drivers) {
      if (const auto p = predict_diffraction(*geometry, d.id, 1.0, axis))
        m.edges.push_back({d.id, p->level_db});
    }
  }
  for (const DescribedDriver& driver : description.drivers) {
    if (const auto p = parameters_of(driver, where); p && p->usual)
      m.usual_drivers.push_back(driver.id.empty() ? "driver" : driver.id);
  }
  return m;
}

}  // namespace lalometer
