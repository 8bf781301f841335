#pragma once

#include <optional>
#include <vector>

#include "diagnosis/view/view.h"

/// Ports that are heard as pipes, and what stands beside them.
namespace lalometer {

/// Tuning by net volume and ports, Hz; nothing where they are not fully told.
[[nodiscard]] std::optional<double> drawn_tuning_hz(const CaseSubject& subject);

/// First resonance of a port's air column, Hz: by its sizes; where its length is not told and it is
/// the only one, by the length that volume, width and measured tuning leave it, and by where its
/// near field stands out while the cone's does not (within a third of that); else nothing.
[[nodiscard]] std::optional<double> pipe_hz(const CaseView& view, const CasePort& port);

/// Whether it is the near field that tells it there.
[[nodiscard]] bool pipe_by_near_field(const CaseView& view, const CasePort& port);

/// Where the reference curve has a port's pipe by 2 dB and more, within 12 % of pipe_hz().
[[nodiscard]] std::vector<double> heard_pipes_hz(const CaseView& view);
/// Twice or three times as high as one that is heard: its next resonances.
[[nodiscard]] bool at_pipes_overtone(const CaseView& view, double hz);
/// Whether a place lies within a third of one: cone and pipe add up on one side and cancel on the
/// other, so that dips and peaks stand there which are no one else's.
[[nodiscard]] bool beside_heard_pipe(const CaseView& view, double hz);

}  // namespace lalometer
