#include "desk/drawing/drawing_desk.h"

#include <QVBoxLayout>
#include <cmath>

#include "desk/parts/curve_preview.h"

namespace lalometer {
namespace {

/// A hand near the centre line means the centre line.
double snapped(double mm) {
  return std::abs(mm) < 2.5 ? 0.0 : std::round(mm);
}

}  // namespace

DrawingDesk::DrawingDesk(BookSession& session, QWidget* parent)
    : QWidget(parent), session_(session) {
  setObjectName(QStringLiteral("drawingDesk"));
  auto* layout = new QVBoxLayout(this);
  layout->setContentsMargins(0, 0, 0, 0);
  layout->setSpacing(0);
  view_ = new SubjectView(this);
  curve_ = new CurvePreview(this);
  curve_->setObjectName(QStringLiteral("edgeCurve"));
  curve_->setFixedHeight(190);
  layout->addWidget(view_, 1);
  layout->addWidget(curve_);
  connect(view_, &SubjectView::partChosen, this, [this](int part) {
    choosePart(part < 0 ? std::nullopt : std::optional(static_cast<std::size_t>(part)));
  });
  connect(view_, &SubjectView::gripMoved, this, &DrawingDesk::moveGrip);
  connect(view_, &SubjectView::partNudged, this, [this](double right_mm, double up_mm) {
    const DrawnSubject s = drawn_subject(kept_);
    if (!view_->chosen() || *view_->chosen() >= s.parts.size()) return;
    const DrawnPart& part = s.parts[*view_->chosen()];
    edit(with_part_at(kept_, part, part.x_mm + right_mm, part.y_mm + up_mm), true);
  });
  connect(view_, &SubjectView::gripCancelled, this, [this] { edit(kept_, false); });
  connect(&session_, &BookSession::rowsChanged, this, &DrawingDesk::follow);
  connect(&session_, &BookSession::laidChanged, this, &DrawingDesk::follow);
  if (session_.isOpen()) follow();
}

void DrawingDesk::setTheme(const Theme& theme) {
  view_->setTheme(theme);
  curve_->setTheme(theme);
}

void DrawingDesk::follow() {
  const Id id = session_.chosenSubject();
  const Subject* subject = session_.subject(id);
  const Description kept = subject != nullptr ? subject->description : Description{};
  if (id == subject_ && (kept == kept_ || keeping_ > 0)) return;
  const bool other = id != subject_;
  subject_ = id;
  kept_ = description_ = kept;
  if (other) {
    // A driver to begin with, so that there is something to see.
    const DrawnSubject drawn = drawn_subject(kept_);
    view_->setSubject(drawn);
    view_->setChosen(drawn.parts.empty() ? std::nullopt : std::optional<std::size_t>(0));
  }
  refresh(false);
}

void DrawingDesk::choosePart(std::optional<std::size_t> part) {
  if (part != view_->chosen()) view_->setRipple(std::nullopt);
  view_->setChosen(part);
  refresh(false);
}

void DrawingDesk::edit(Description description, bool done) {
  // A map of places holds for one driver and one box.
  if (description != description_) view_->setRipple(std::nullopt);
  description_ = std::move(description);
  refresh(!done);
  if (!done || description_ == kept_) return;
  if (session_.book().read_only()) {
    emit session_.failed(tr("This book can only be read here: the drawing was not changed."));
    description_ = kept_;
    refresh(false);
    return;
  }
  kept_ = description_;
  // While it is being kept, rows that are read in between still show what was there before.
  ++keeping_;
  session_.edit([subject = subject_, description = description_](
                    Book& book) { return book.set_description(subject, description); },
                [this](bool) {
                  --keeping_;
                  follow();
                });
}

void DrawingDesk::moveGrip(const DrawingGrip& grip, double right_mm, double up_mm, bool done) {
  using Kind = DrawingGrip::Kind;
  const DrawnSubject start = drawn_subject(kept_);
  switch (grip.kind) {
    case Kind::kPart:
      if (grip.part < start.parts.size()) {
        const DrawnPart& part = start.parts[grip.part];
        edit(with_part_at(kept_, part, snapped(part.x_mm + right_mm), snapped(part.y_mm + up_mm)),
             done);
      }
      break;
    case Kind::kPortEnd:
      if (grip.part < start.parts.size()) {
        const DrawnPart& part = start.parts[grip.part];
        const double by = part.panel == "front" ? right_mm : -right_mm;
        edit(with_part_figure(kept_, part, PartFigure::kLength,
                              std::max(std::round(part.length_mm + by), 1.0)),
             done);
      }
      break;
    case Kind::kLeft:
      edit(with_edge_moved(kept_, grip.kind, -std::round(right_mm)), done);
      break;
    case Kind::kRight:
    case Kind::kBack:
      edit(with_edge_moved(kept_, grip.kind, std::round(right_mm)), done);
      break;
    case Kind::kTop:
      edit(with_edge_moved(kept_, grip.kind, std::round(up_mm)), done);
      break;
    case Kind::kBottom:
      edit(with_edge_moved(kept_, grip.kind, -std::round(up_mm)), done);
      break;
  }
}

void DrawingDesk::showRipple(SubjectView::RippleMap map) {
  view_->setRipple(std::move(map));
}

void DrawingDesk::refresh(bool moving) {
  view_->setSubject(drawn_subject(description_));
  edges_ = edge_lane(description_, view_->chosen().value_or(static_cast<std::size_t>(-1)),
                     moving ? EdgeEffort::kMoving : EdgeEffort::kStill);
  curve_->setContent(edges_);
  session_.work().stop(solving_);
  solving_ = 0;
  if (!moving && !edges_.curves().empty() && needs_solving(description_)) solveEdges();
  emit changed();
}

void DrawingDesk::solveEdges() {
  solving_ = session_.work().start<LaneContent>(
      this, {},
      [description = description_, part = *view_->chosen()](const WorkContext&) {
        return Result<LaneContent>(edge_lane(description, part, EdgeEffort::kSolved));
      },
      [this, description = description_, part = *view_->chosen()](Result<LaneContent>&& lane) {
        if (!lane || description != description_ || view_->chosen() != part) return;
        solving_ = 0;
        edges_ = std::move(*lane);
        curve_->setContent(edges_);
        emit changed();
      });
}

}  // namespace lalometer
