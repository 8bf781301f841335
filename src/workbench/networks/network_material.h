#pragma once

#include "acoustics/network/whatif/network_sum.h"
#include "book/description/description.h"
#include "book/description/subject_geometry.h"
#include "workbench/beams/lobe_study.h"
#include "workbench/sharing/importing.h"

namespace lalometer {

/// What a subject's takes give to try networks on.
struct NetworkMaterial {
  std::vector<NetworkDriver> drivers =
      {};  ///< those with sound and impedance, in the subject's order
  std::optional<SubjectGeometry> geometry = std::nullopt;
  double valid_from_hz = 0.0;  ///< of the responses on the axis: the gate
  /// Above it THD stays under 3 %, by driver, of sweeps by themselves; 0: everywhere.
  std::vector<std::pair<std::string, double>> clean_from_hz = {};
  std::vector<std::string> notes = {};
};

/// A take with its curve and, of sweeps on the axis, where its THD stays under 3 %.
struct NetworkTake {
  const Take* take;
  const Response* curve;
  std::optional<double> clean_from_hz = std::nullopt;
};
/// Each driver alone (Conditions::driver; of a subject with one driver every take), brought to
/// 2.83 V at its terminals; its impedance in the box, where there is none in free air with a note.
/// Takes of the whole, flipped or in a large baffle are left aside. Of two of one angle the first.
/// Error: no driver has both.
[[nodiscard]] Result<NetworkMaterial> network_material(
    const std::vector<NetworkTake>& takes, const std::optional<SubjectGeometry>& geometry,
    const std::string& where);
/// Of a set; of several variants the one with most takes of single drivers.
[[nodiscard]] Result<NetworkMaterial> network_material(const ImportPreview& set,
                                                       const std::string& where);

/// What a subject tells of its drivers' motors, for how far their cones go: of those whose
/// parameters are all told.
void add_motors(NetworkMaterial& material, const Description& description);

/// Every response over the first driver's rows that all have on the axis, so that sums need no
/// interpolation any more. Impedances keep their own: what parts must stand is counted from 20 Hz.
void bring_to_one_axis(NetworkMaterial& material);

/// For every two neighbours among the drivers, the lower one first: by the crossovers that the
/// subject tells, else by their resonances. A resonance that is not told is the impedance's.
[[nodiscard]] std::vector<CrossoverWindow> network_windows(const NetworkMaterial& material);

}  // namespace lalometer
