#pragma once

#include <QImage>
#include <QWidget>
#include <memory>

#include "desk/chart/chart_picture.h"
#include "desk/parts/desk_part.h"
#include "desk/session/book_session.h"

namespace lalometer {

/// The picture of a published chart, to be traced: its scales are set by four lines that are
/// dragged onto known places, a click on the curve follows it, dragging along it corrects. Scroll
/// zooms at the pointer, the middle button pans.
class ChartDesk : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  ChartDesk(BookSession& session, QWidget* parent = nullptr);
  void setTheme(const Theme& theme) override;

  /// A file that is to be traced; nothing is in the book before keep().
  void openFile(const QString& path);
  /// A chart that the book has already, to be corrected.
  void openTake(Id take);
  void showPage(int page);
  [[nodiscard]] int page() const { return page_; }
  [[nodiscard]] int pages() const { return pages_; }
  [[nodiscard]] bool hasPicture() const { return !image_.isNull(); }

  [[nodiscard]] const ChartAxes& axes() const { return axes_; }
  void setAxes(const ChartAxes& axes);
  [[nodiscard]] const std::vector<TracedPoint>& points() const { return points_; }
  /// What hinders keeping, in words; empty: nothing.
  [[nodiscard]] QString trouble() const;
  [[nodiscard]] QString name() const { return name_; }
  [[nodiscard]] Id take() const { return take_; }
  void clearTrace();

  struct Told {
    QString name;
    bool impedance = false;
    int smoothing = 0;
    bool drive_told = false;
    double drive_v = 2.83;
    double distance_m = 1.0;
  };
  /// Into the book, as a take of the chosen variant, or as a correction of the one it came from.
  void keep(const Told& told);
  [[nodiscard]] bool settling() const override { return busy_; }

  /// Places in the picture and on the desk.
  [[nodiscard]] QPointF onDesk(QPointF picture) const;
  [[nodiscard]] QPointF inPicture(QPointF desk) const;

 signals:
  void changed();
  void kept(qint64 take);
  void failed(const QString& message);

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void wheelEvent(QWheelEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;

 private:
  enum class Grip { kNone, kFirstHz, kSecondHz, kFirstLevel, kSecondLevel, kPull, kPan };
  /// @param read  the picture's file; called on another thread.
  void show(std::function<Result<QByteArray>()> read, const QString& name, int page,
            bool keep_axes);
  void fitPicture();
  void follow(QPointF picture);
  [[nodiscard]] Grip gripAt(QPointF desk) const;
  [[nodiscard]] bool onTrace(QPointF picture) const;

  BookSession& session_;
  Theme theme_ = Theme::light();
  QByteArray bytes_;
  QString name_;
  QImage image_;
  std::shared_ptr<const ChartPixels> pixels_;  ///< of `image_`; none where that is empty
  int page_ = 1;
  int pages_ = 1;
  Id take_ = 0;
  ChartAxes axes_;
  std::vector<TracedPoint> points_;
  std::vector<TracedPoint> before_pull_;
  double zoom_ = 1.0;
  QPointF shift_;
  Grip grip_ = Grip::kNone;
  QPointF grip_start_;
  QPointF shift_start_;
  bool moved_ = false;
  bool busy_ = false;
};

}  // namespace lalometer
