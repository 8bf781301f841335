#include "desk/report/paper_view.h"

#include <QMouseEvent>
#include <QPainter>

namespace lalometer {
namespace {

constexpr int kGap_px = 16;

}  // namespace

PaperView::PaperView(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("paperView"));
  setMouseTracking(true);
}

void PaperView::setTheme(const Theme& theme) {
  theme_ = theme;
  update();
}

void PaperView::setPaper(std::vector<QImage> pages, std::vector<PaperPlace> places, double scale) {
  pages_ = std::move(pages);
  places_ = std::move(places);
  scale_ = scale;
  int width = 0, height = kGap_px;
  for (const QImage& page : pages_) {
    width = std::max(width, static_cast<int>(page.deviceIndependentSize().width()));
    height += static_cast<int>(page.deviceIndependentSize().height()) + kGap_px;
  }
  setMinimumSize(width + 2 * kGap_px, height);
  update();
}

QPointF PaperView::cornerOf(int page) const {
  double y = kGap_px;
  for (int i = 0; i + 1 < page && i < pageCount(); ++i)
    y += pages_[static_cast<std::size_t>(i)].deviceIndependentSize().height() + kGap_px;
  const double own =
      page >= 1 && page <= pageCount()
          ? pages_[static_cast<std::size_t>(page - 1)].deviceIndependentSize().width()
          : 0.0;
  return {std::max(0.0, 0.5 * (width() - own)), y};
}

QRectF PaperView::rectOf(const PaperPlace& p) const {
  const QPointF corner = cornerOf(p.page);
  return {corner.x() + scale_ * p.x, corner.y() + scale_ * p.y, scale_ * p.width,
          scale_ * p.height};
}

QRectF PaperView::placeOf(const std::string& key) const {
  for (const PaperPlace& p : places_)
    if (p.key == key) return rectOf(p);
  return {};
}

void PaperView::choose(const std::string& key) {
  chosen_ = key;
  update();
}

const PaperPlace* PaperView::placeAt(QPointF at) const {
  for (const PaperPlace& p : places_)
    if (rectOf(p).contains(at)) return &p;
  return nullptr;
}

void PaperView::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.fillRect(rect(), theme_.paper);
  for (int i = 0; i < pageCount(); ++i) {
    const QImage& page = pages_[static_cast<std::size_t>(i)];
    const QRectF area(cornerOf(i + 1), page.deviceIndependentSize());
    painter.drawImage(area, page);
    painter.setPen(theme_.line);
    painter.drawRect(area);
  }
  painter.setRenderHint(QPainter::Antialiasing);
  for (const PaperPlace& p : places_) {
    if (p.key != pointed_ && p.key != chosen_) continue;
    QColor wash = theme_.accent;
    wash.setAlpha(p.key == chosen_ ? 40 : 18);
    painter.setPen(QPen(theme_.accent, p.key == chosen_ ? 1.5 : 0.8));
    painter.setBrush(p.figure ? Qt::NoBrush : QBrush(wash));
    painter.drawRoundedRect(rectOf(p).adjusted(-3, -2, 3, 2), 3, 3);
  }
}

void PaperView::mouseMoveEvent(QMouseEvent* event) {
  const PaperPlace* place = placeAt(event->position());
  const std::string key = place == nullptr ? std::string() : place->key;
  setCursor(place == nullptr ? Qt::ArrowCursor : Qt::PointingHandCursor);
  if (key == pointed_) return;
  pointed_ = key;
  setToolTip(place == nullptr ? QString()
             : place->figure  ? tr("Shows the score that made it.")
                              : tr("Write it in your own words."));
  update();
}

void PaperView::leaveEvent(QEvent*) {
  pointed_.clear();
  update();
}

void PaperView::mousePressEvent(QMouseEvent* event) {
  const PaperPlace* place = placeAt(event->position());
  if (place == nullptr || event->button() != Qt::LeftButton) return;
  // What is told by the signal may lay the paper anew.
  const QString key = QString::fromStdString(place->key);
  if (place->figure)
    emit figureClicked(key);
  else
    emit sentenceClicked(key);
}

}  // namespace lalometer
