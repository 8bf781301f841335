#pragma once

#include <QImage>
#include <QTimer>
#include <QWidget>
#include <memory>

#include "desk/parts/desk_part.h"
#include "desk/score/picture/lane_picture.h"
#include "desk/score/score_state.h"
#include "desk/session/work.h"

namespace lalometer {

/// The stacked lanes over one frequency axis. It shows contents that it is given and reports what
/// the hand does; it computes nothing. Pictures of lanes are cached: the cursor is drawn over them,
/// moving things get a coarse picture at once and a fine one from a worker when they rest.
class ScoreView : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  struct Lane {
    std::string kind;
    double weight = 1.0;
    bool fitted = true;  ///< scale follows the data
    LaneRange values{0.0, 1.0};
    LaneContent content;
  };

  ScoreView(Work& work, ScoreState& state, QWidget* parent = nullptr);

  void setTheme(const Theme& theme) override;
  /// Lanes with their contents; heights and order come from the caller's list.
  void setLanes(std::vector<Lane> lanes);
  [[nodiscard]] const std::vector<Lane>& lanes() const { return lanes_; }
  /// New contents for a lane that stays as it is.
  void setContent(std::size_t lane, LaneContent content);
  /// Whether lanes can be added and hidden by hand; true by default.
  void setArrangeable(bool arrangeable) { arrangeable_ = arrangeable; }
  /// Width of the curves' pen; 1.5 by default.
  void setCurveWidth(double px);

  void fit();
  void zoom(double factor) { zoomAt(state_.cursorHz(), factor); }
  void pan(double octaves);
  void moveLane(std::size_t from, std::size_t to);
  void removeLane(std::size_t lane);
  void resizeLane(std::size_t lane, double weight);
  [[nodiscard]] std::size_t chosenLane() const { return chosen_; }
  void chooseLane(std::size_t lane);

  /// Whole score as a picture, for files.
  [[nodiscard]] QImage picture(QSize size, double device_ratio);

  /// Geometry, for the tests and for tool tips.
  [[nodiscard]] QRectF laneRect(std::size_t lane) const;
  [[nodiscard]] LaneGeometry geometryOf(std::size_t lane) const;
  /// The mark whose thread runs through the lanes now.
  [[nodiscard]] const std::optional<LaneMark>& thread() const { return thread_; }
  /// True while a coarse picture is shown.
  [[nodiscard]] bool settling() const override { return settle_.isActive() || pending_ > 0; }

 signals:
  void lanesArranged();  ///< order, heights or scales were changed by hand
  void gateDragged(double seconds, bool done);
  void joinDragged(qint64 take, double hz, bool done);
  void smoothingAsked(int steps);  ///< finer (above 0) or coarser
  void curveChosen(qint64 take);
  void takeDropped(qint64 take);
  void filesDropped(const QStringList& paths);
  void laneMenuAsked(const QPoint& global, int lane);

 protected:
  void paintEvent(QPaintEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void mouseDoubleClickEvent(QMouseEvent* event) override;
  void wheelEvent(QWheelEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void contextMenuEvent(QContextMenuEvent* event) override;
  void dragEnterEvent(QDragEnterEvent* event) override;
  void dropEvent(QDropEvent* event) override;
  void leaveEvent(QEvent* event) override;
  bool event(QEvent* event) override;

 private:
  struct Grip {
    enum class Kind {
      kNone,
      kCursor,
      kPan,
      kGate,
      kJoin,
      kLaneEdge,
      kLaneTitle
    } kind = Kind::kNone;
    std::size_t lane = 0;
    QPointF start;
    FrequencyRange range;
    LaneRange values{0.0, 1.0};
    double weights[2] = {1.0, 1.0};
  };

  void zoomAt(double hz, double factor);
  void arrangementChanged();
  void invalidate();
  void refresh(std::size_t lane, PictureQuality quality);
  void startFine();
  void tellProportion();
  [[nodiscard]] LanePictureInput pictureInput(std::size_t lane, PictureQuality quality) const;
  [[nodiscard]] Grip gripAt(QPointF at) const;
  [[nodiscard]] std::size_t laneAt(QPointF at) const;
  [[nodiscard]] double plotLeft() const { return kLeftGutter_px; }
  [[nodiscard]] double plotRight() const { return width() - kRightGutter_px; }
  [[nodiscard]] AcrossMapping across() const;
  void updateCursorStrip();
  void drawCursor(QPainter& painter);
  void drawHeld(QPainter& painter);
  void drawAxis(QPainter& painter);
  void drawHandles(QPainter& painter);
  void drawThread(QPainter& painter);
  /// Lanes whose rows are times: a line where they are looked at, and a hand on it.
  [[nodiscard]] bool showsTime(std::size_t lane) const;
  void drawTimeCursor(QPainter& painter);
  void moveTimeTo(QPointF at);
  [[nodiscard]] const LaneMark* markAt(QPointF at) const;
  /// Where a click adds a lane, and where one hides this lane.
  [[nodiscard]] QRectF addRect() const;
  [[nodiscard]] QRectF hideRect(std::size_t lane) const;
  void moveGrip(QPointF at, Qt::KeyboardModifiers modifiers);
  void dragJoin(double x, bool done);
  void chooseCurveAt(QPointF at);

  Work& work_;
  ScoreState& state_;
  Theme theme_ = Theme::light();
  std::vector<Lane> lanes_;
  std::vector<QImage> pictures_;
  std::vector<bool> stale_;  ///< pictures of contents that have changed since
  bool advanced_ = false;    ///< painting has drawn one of them since this was last asked
  std::size_t chosen_ = 0;
  double curve_width_px_ = 1.5;
  Grip grip_;
  double drop_line_y_ = -1.0;
  bool arrangeable_ = true;
  std::optional<LaneMark> thread_;  ///< mark under the mouse, drawn through all lanes
  std::size_t hovered_ = static_cast<std::size_t>(-1);
  int last_cursor_x_ = -1;
  QTimer settle_;
  quint64 generation_ = 0;
  int pending_ = 0;
};

inline constexpr double kFrequencyAxis_px = 34.0;
inline constexpr double kLaneGap_px = 8.0;
/// Mime type of takes dragged from the shelf.
inline constexpr const char* kTakeMime = "application/x-lalometer-take";

}  // namespace lalometer
