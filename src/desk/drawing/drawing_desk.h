#pragma once

#include <QWidget>

#include "desk/drawing/subject_view.h"
#include "desk/parts/desk_part.h"
#include "desk/session/book_session.h"

namespace lalometer {

class CurvePreview;

/// The chosen subject's drawing and, under it, what its edges do to the chosen driver. It holds the
/// description that is being edited: shown at once, kept as one step of undo when a hand lets go.
class DrawingDesk : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  explicit DrawingDesk(BookSession& session, QWidget* parent = nullptr);

  void setTheme(const Theme& theme) override;
  [[nodiscard]] SubjectView* view() { return view_; }
  [[nodiscard]] const Description& description() const { return description_; }
  [[nodiscard]] std::optional<std::size_t> chosenPart() const { return view_->chosen(); }
  void choosePart(std::optional<std::size_t> part);
  /// Shows a changed description; `done` keeps it in the book.
  void edit(Description description, bool done);
  /// Lays a map of ripple by place over the front until the next change.
  void showRipple(SubjectView::RippleMap map);
  [[nodiscard]] const LaneContent& edges() const { return edges_; }

 signals:
  void changed();  ///< description or chosen part, also in mid-drag

 private:
  void follow();
  void moveGrip(const DrawingGrip& grip, double right_mm, double up_mm, bool done);
  void refresh(bool moving);
  /// A shallow box's bass needs a solved panel: on a worker, shown if nothing changed meanwhile.
  void solveEdges();

  BookSession& session_;
  SubjectView* view_;
  CurvePreview* curve_;
  Description kept_;         ///< as the book has it
  Description description_;  ///< as it is shown
  int keeping_ = 0;          ///< changes on their way into the book
  Id subject_ = 0;
  LaneContent edges_;
  WorkId solving_ = 0;
};

}  // namespace lalometer
