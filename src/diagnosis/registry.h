#pragma once

#include <vector>

#include "diagnosis/cause.h"

/// Every cause: a line here and a file in causes/.
#define LALOMETER_CAUSES(CAUSE) \
  CAUSE(edge_diffraction)       \
  CAUSE(baffle_step)            \
  CAUSE(beaming)                \
  CAUSE(dipole_cancellation)    \
  CAUSE(cavity_resonance)       \
  CAUSE(driver_breakup)         \
  CAUSE(suspension_resonance)   \
  CAUSE(cabinet_standing_wave)  \
  CAUSE(port_pipe_resonance)    \
  CAUSE(panel_resonance)        \
  CAUSE(box_leak)               \
  CAUSE(overdamped_port)        \
  CAUSE(mistuned_box)           \
  CAUSE(passive_radiator_notch) \
  CAUSE(crossover_phase)        \
  CAUSE(driver_polarity)        \
  CAUSE(source_spacing_lobing)  \
  CAUSE(directivity_mismatch)   \
  CAUSE(notch_filter)           \
  CAUSE(reflection)             \
  CAUSE(noise)                  \
  CAUSE(mains_hum)              \
  CAUSE(clipping)               \
  CAUSE(sample_variation)       \
  CAUSE(gate_too_short)         \
  CAUSE(microphone_too_close)

namespace lalometer {

namespace causes {
#define LALOMETER_DECLARE_CAUSE(name) [[nodiscard]] Cause name();
LALOMETER_CAUSES(LALOMETER_DECLARE_CAUSE)
#undef LALOMETER_DECLARE_CAUSE
}  // namespace causes

[[nodiscard]] const std::vector<Cause>& all_causes();

}  // namespace lalometer
