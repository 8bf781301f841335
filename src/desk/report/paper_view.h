#pragma once

#include <QImage>
#include <QWidget>
#include <vector>

#include "desk/parts/desk_part.h"
#include "paper/page/pdf_page.h"

namespace lalometer {

/// The pages of a report as they will be, one under the other. What the hand points at is framed;
/// a click tells which figure or sentence it is.
class PaperView : public QWidget, public DeskPart {
  Q_OBJECT
 public:
  explicit PaperView(QWidget* parent = nullptr);
  void setTheme(const Theme& theme) override;
  /// @param pages  each of one size, at `scale` pixels a point.
  void setPaper(std::vector<QImage> pages, std::vector<PaperPlace> places, double scale);
  [[nodiscard]] int pageCount() const { return static_cast<int>(pages_.size()); }
  /// Where a figure or sentence stands on the widget; empty where it does not.
  [[nodiscard]] QRectF placeOf(const std::string& key) const;
  void choose(const std::string& key);

 signals:
  void figureClicked(const QString& id);
  void sentenceClicked(const QString& key);

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void leaveEvent(QEvent* event) override;

 private:
  [[nodiscard]] QRectF rectOf(const PaperPlace& place) const;
  [[nodiscard]] QPointF cornerOf(int page) const;
  [[nodiscard]] const PaperPlace* placeAt(QPointF at) const;

  Theme theme_ = Theme::light();
  std::vector<QImage> pages_;
  std::vector<PaperPlace> places_;
  double scale_ = 1.0;  ///< pixels a point
  std::string pointed_, chosen_;
};

}  // namespace lalometer
