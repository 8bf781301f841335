#pragma once

#include <optional>
#include <string>
#include <vector>

#include "acoustics/baffle/baffle.h"
#include "book/description/description.h"
#include "workbench/reading/lane_content.h"

/// A subject's geometry as something that is drawn and moved: its description as parts with sizes,
/// edited one grip at a time, and what is impossible about it said at its part. Nothing of the
/// description that a drawing does not know is lost.
namespace lalometer {

struct DrawnPart {
  enum class Kind { kDriver, kPort, kRadiator };
  Kind kind = Kind::kDriver;
  std::size_t index = 0;  ///< in its list of the description
  std::string id;
  std::string role;
  std::string panel = "front";
  double x_mm = 0.0;  ///< from the baffle's origin
  double y_mm = 0.0;
  double radius_mm = 0.0;  ///< of the moving part, or of a round port
  double height_mm = 0.0;  ///< of a slot, whose width is twice the radius; 0: round
  double length_mm = 0.0;  ///< of a port
  std::vector<std::string> problems;
};

struct DrawnSubject {
  bool has_baffle = false;
  double width_mm = 0.0;
  double height_mm = 0.0;
  double depth_mm = 0.0;
  double left_mm = 0.0;  ///< from the baffle's left edge to the origin
  double top_mm = 0.0;   ///< from its top edge to the origin
  EdgeShape edge = EdgeShape::kSquare;
  double edge_mm = 0.0;
  double inner_width_mm = 0.0;  ///< 0: not specified
  double inner_height_mm = 0.0;
  double inner_depth_mm = 0.0;
  std::optional<double> net_volume_l;
  double left_wing_mm = 0.0;  ///< of an open baffle
  double right_wing_mm = 0.0;
  std::string loading;
  std::vector<DrawnPart> parts;
  std::vector<std::string> problems;  ///< of the box as a whole
};
[[nodiscard]] DrawnSubject drawn_subject(const Description& description);

/// What a hand moves: a part, or an outer edge of the box.
struct DrawingGrip {
  enum class Kind { kPart, kLeft, kRight, kTop, kBottom, kBack, kPortEnd };
  Kind kind = Kind::kPart;
  std::size_t part = 0;  ///< in DrawnSubject::parts
};

/// The description with a part at another place, or with an edge moved. Edges leave the parts where
/// they are; the inner dimensions keep the walls' thickness and the net volume its share of the
/// inside. Sizes stop at 20 mm.
[[nodiscard]] Description with_part_at(Description description, const DrawnPart& part, double x_mm,
                                       double y_mm);
[[nodiscard]] Description with_edge_moved(Description description, DrawingGrip::Kind edge,
                                          double by_mm);
/// A figure of the box as a whole.
enum class BoxFigure { kWidth, kHeight, kDepth, kEdgeRadius, kEdgeChamfer, kNetVolume };
[[nodiscard]] Description with_figure(Description description, BoxFigure figure, double value);
/// A figure of one part; the length is a port's.
enum class PartFigure { kDiameter, kLength };
[[nodiscard]] Description with_part_figure(Description description, const DrawnPart& part,
                                           PartFigure figure, double value_mm);
/// A box and a driver to begin with, for a subject whose description has none.
[[nodiscard]] Description with_first_box(Description description);

/// Live values beside the drawing, a name and a figure each.
[[nodiscard]] std::vector<KeyFigure> drawing_figures(const Description& description,
                                                     std::optional<std::size_t> part);

/// What the edges do to a driver of the drawing: a lane with the modelled curve re the same driver
/// in an infinite baffle, on the 0 degree axis at 1 m.
enum class EdgeEffort {
  kMoving,  ///< within a frame, while something is dragged
  kStill,   ///< some ms; of a shallow box the edges alone
  kSolved,  ///< a new shallow box takes half a second; for a worker
};
[[nodiscard]] LaneContent edge_lane(const Description& description, std::size_t part,
                                    EdgeEffort effort);
/// Whether kSolved tells more than kStill.
[[nodiscard]] bool needs_solving(const Description& description);

}  // namespace lalometer
