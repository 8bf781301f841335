#include "desk/networks/network_view.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <cmath>

namespace lalometer {
namespace {

constexpr double kLong = 62.0, kThick = 30.0;  // an element along its leads, and across
constexpr double kLeft = 70.0, kTop = 26.0, kGap = 14.0;
constexpr double kPerPixel = 1.012;

/// The elements that a part itself has, in the order in which they stand.
std::vector<ElementKind> kinds_of(const LadderPart& p) {
  std::vector<ElementKind> kinds;
  if (p.inductance_h > 0.0) kinds.push_back(ElementKind::kCoil);
  if (p.capacitance_f > 0.0) kinds.push_back(ElementKind::kCapacitor);
  // A coil's or a capacitor's own resistance is no part of its own.
  if (p.resistance_ohm > 0.0 && kinds.size() != 1) kinds.push_back(ElementKind::kResistor);
  return kinds;
}

}  // namespace

NetworkView::NetworkView(QWidget* parent) : QWidget(parent) {
  setObjectName(QStringLiteral("networkView"));
  setFocusPolicy(Qt::StrongFocus);
  setMinimumHeight(150);
  setAccessibleName(tr("The network, drawn"));
  setToolTip(
      tr("Click an element and drag up or down, or turn the wheel, to change its value; "
         "Delete removes it."));
}

void NetworkView::setTheme(const Theme& theme) {
  theme_ = theme;
  update();
}

void NetworkView::setNetwork(const DesignedNetwork& network,
                             const std::optional<NetworkPlace>& chosen) {
  network_ = network;
  chosen_ = chosen;
  lay();
  update();
}

QRectF NetworkView::placeOf(const NetworkPlace& place) const {
  for (const Drawn& d : drawn_)
    if (d.place == place) return d.rect;
  return {};
}

/// Along its leads, and across.
QSizeF NetworkView::sizeOf(const LadderPart& part, bool upright) {
  double along = kLong * static_cast<double>(kinds_of(part).size());
  double across = kinds_of(part).empty() ? 0.0 : kThick;
  const bool parallel = part.join == LadderPart::Join::kParallel;
  double inner_along = 0.0, inner_across = 0.0;
  for (const LadderPart& one : part.parts) {
    const QSizeF s = sizeOf(one, upright);
    if (parallel) {
      inner_along = std::max(inner_along, s.width());
      inner_across += s.height() + (upright ? 26.0 : 8.0);
    } else {
      inner_along += s.width();
      inner_across = std::max(inner_across, s.height());
    }
  }
  along += inner_along;
  across = std::max(across, inner_across);
  return {along, across};
}

double NetworkView::layPart(const LadderPart& part, NetworkPlace place, QPointF at, bool upright,
                            bool off) {
  off = off || part.off;
  const auto moved = [&](QPointF p, double along, double across) {
    return upright ? p + QPointF(across, along) : p + QPointF(along, across);
  };
  double along = 0.0;
  for (const ElementKind kind : kinds_of(part)) {
    place.kind = kind;
    const QPointF corner = moved(at, along, -kThick / 2.0);
    drawn_.push_back({place,
                      QRectF(corner, upright ? QSizeF(kThick, kLong) : QSizeF(kLong, kThick)),
                      upright, off});
    along += kLong;
  }
  const bool parallel = part.join == LadderPart::Join::kParallel;
  const double whole = sizeOf(part, upright).width();
  double beside = 0.0;
  for (std::size_t i = 0; i < part.parts.size(); ++i) {
    NetworkPlace inner = place;
    inner.path.push_back(i);
    const QPointF start = moved(at, along, beside);
    const double length = layPart(part.parts[i], inner, start, upright, off);
    if (!parallel) {
      along += length;
      continue;
    }
    // To both rails of the group.
    const QPointF end = moved(at, whole, beside);
    wires_.push_back({moved(start, length, 0.0), end});
    wires_.push_back({moved(at, along, 0.0), start});
    wires_.push_back({end, moved(at, whole, 0.0)});
    beside += sizeOf(part.parts[i], upright).height() + (upright ? 26.0 : 8.0);
  }
  return whole;
}

void NetworkView::lay() {
  drawn_.clear();
  wires_.clear();
  dots_.clear();
  ends_.clear();
  double y = kTop + kThick / 2.0;
  for (std::size_t b = 0; b < network_.branches.size(); ++b) {
    const DesignBranch& branch = network_.branches[b];
    double deepest = kLong, thick = 0.0;
    for (const LadderPart& p : branch.ladder) {
      const QSizeF s = sizeOf(p, p.place == LadderPart::Place::kShunt);
      if (p.place == LadderPart::Place::kShunt)
        deepest = std::max(deepest, s.width());
      else
        thick = std::max(thick, s.height());
    }
    const double ground = y + std::max(deepest, thick + 8.0) + kGap;
    double x = kLeft;
    ends_.emplace_back(QRectF(4.0, y - 16.0, kLeft - 12.0, 32.0), tr("amplifier"));
    wires_.push_back({QPointF(kLeft - 8.0, y), QPointF(x, y)});
    for (std::size_t i = 0; i < branch.ladder.size(); ++i) {
      const LadderPart& p = branch.ladder[i];
      const NetworkPlace place{b, {i}, ElementKind::kCoil};
      if (p.place == LadderPart::Place::kSeries) {
        const double length = layPart(p, place, {x, y}, false, false);
        x += length;
        continue;
      }
      const double wide = std::max(sizeOf(p, true).height(), kThick) + 52.0;
      wires_.push_back({QPointF(x, y), QPointF(x + wide, y)});
      const QPointF top(x + 22.0, y);
      dots_.push_back(top);
      const double length = layPart(p, place, top, true, false);
      wires_.push_back({top + QPointF(0.0, length), QPointF(top.x(), ground)});
      dots_.push_back({top.x(), ground});
      x += wide;
    }
    wires_.push_back({QPointF(x, y), QPointF(x + 18.0, y)});
    const QString name =
        QString::fromStdString(branch.driver) + (branch.polarity < 0 ? tr(" (turned)") : QString());
    ends_.emplace_back(QRectF(x + 18.0, y - 16.0, 92.0, 32.0), name);
    wires_.push_back({QPointF(kLeft / 2.0, ground), QPointF(x + 64.0, ground)});
    wires_.push_back({QPointF(kLeft / 2.0, ground), QPointF(kLeft / 2.0, y + 16.0)});
    wires_.push_back({QPointF(x + 64.0, ground), QPointF(x + 64.0, y + 16.0)});
    y = ground + kTop + kThick / 2.0 + 6.0;
  }
  setMinimumHeight(static_cast<int>(std::max(150.0, y)));
}

void NetworkView::paintElement(QPainter& p, const Drawn& one) const {
  const bool chosen = chosen_ && *chosen_ == one.place;
  const QColor ink = one.off ? theme_.faint : chosen ? theme_.accent : theme_.ink;
  p.save();
  if (chosen) {
    p.setPen(Qt::NoPen);
    p.setBrush(theme_.accent_soft);
    p.drawRoundedRect(one.rect.adjusted(2, 2, -2, -2), 4, 4);
  }
  p.setPen(QPen(ink, chosen ? 2.0 : 1.5));
  p.setBrush(Qt::NoBrush);
  p.translate(one.rect.center());
  if (one.upright) p.rotate(90.0);
  const double half = kLong / 2.0, body = 15.0;
  p.drawLine(QPointF(-half, 0), QPointF(-body, 0));
  p.drawLine(QPointF(body, 0), QPointF(half, 0));
  switch (one.place.kind) {
    case ElementKind::kCoil: {
      QPainterPath turns(QPointF(-body, 0));
      for (int i = 0; i < 3; ++i) turns.arcTo(-body + 10.0 * i, -5, 10, 10, 180, -180);
      p.drawPath(turns);
      break;
    }
    case ElementKind::kCapacitor:
      p.drawLine(QPointF(-body, 0), QPointF(-3, 0));
      p.drawLine(QPointF(3, 0), QPointF(body, 0));
      p.drawLine(QPointF(-3, -8), QPointF(-3, 8));
      p.drawLine(QPointF(3, -8), QPointF(3, 8));
      break;
    case ElementKind::kResistor:
      p.drawRect(QRectF(-body, -5, 2.0 * body, 10));
      break;
  }
  p.restore();
  p.setFont(text_font(11, chosen));
  p.setPen(one.off ? theme_.faint : chosen ? theme_.accent : theme_.quiet);
  const QString value =
      one.off ? tr("off")
              : QString::fromStdString(spoken_value(one.place.kind, value_of(network_, one.place)));
  if (one.upright)
    p.drawText(QRectF(one.rect.right() - 3, one.rect.center().y() - 8, 60, 16),
               Qt::AlignLeft | Qt::AlignVCenter, value);
  else
    p.drawText(QRectF(one.rect.left() - 10, one.rect.top() - 11, one.rect.width() + 20, 16),
               Qt::AlignCenter, value);
}

void NetworkView::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  p.fillRect(rect(), theme_.paper);
  p.setPen(QPen(theme_.ink, 1.5));
  for (const Wire& w : wires_) p.drawLine(w.from, w.to);
  p.setBrush(theme_.ink);
  for (const QPointF& dot : dots_) p.drawEllipse(dot, 2.2, 2.2);
  for (const auto& [rect, name] : ends_) {
    p.setPen(QPen(theme_.line, 1.0));
    p.setBrush(theme_.sheet);
    p.drawRoundedRect(rect, 4, 4);
    p.setPen(theme_.ink);
    p.setFont(text_font(11, true));
    p.drawText(rect, Qt::AlignCenter, name);
  }
  for (const Drawn& one : drawn_) paintElement(p, one);
  if (network_.branches.empty()) {
    p.setPen(theme_.quiet);
    p.drawText(rect(), Qt::AlignCenter, tr("No network yet."));
  }
}

const NetworkView::Drawn* NetworkView::elementAt(QPointF at) const {
  for (const Drawn& d : drawn_)
    if (d.rect.contains(at)) return &d;
  return nullptr;
}

void NetworkView::mousePressEvent(QMouseEvent* event) {
  const Drawn* hit = elementAt(event->position());
  if (hit == nullptr || event->button() != Qt::LeftButton) return;
  chosen_ = hit->place;
  pressed_ = event->position();
  pressed_value_ = value_of(network_, *chosen_);
  dragging_ = false;
  const NetworkPlace place = hit->place;  // the drawing is laid anew meanwhile
  emit chosen(place);
}

void NetworkView::mouseMoveEvent(QMouseEvent* event) {
  if (!event->buttons().testFlag(Qt::LeftButton) || !chosen_ || pressed_value_ <= 0.0) return;
  const double up = pressed_.y() - event->position().y();
  if (!dragging_ && std::abs(up) < 3.0) return;
  dragging_ = true;
  emit valueAsked(*chosen_, pressed_value_ * std::pow(kPerPixel, up), false);
}

void NetworkView::mouseReleaseEvent(QMouseEvent*) {
  if (dragging_ && chosen_) emit valueAsked(*chosen_, value_of(network_, *chosen_), true);
  dragging_ = false;
  pressed_value_ = 0.0;
}

void NetworkView::step(double factor, bool done) {
  if (!chosen_) return;
  const double value = value_of(network_, *chosen_);
  if (value > 0.0) emit valueAsked(*chosen_, value * factor, done);
}

void NetworkView::wheelEvent(QWheelEvent* event) {
  const Drawn* hit = elementAt(event->position());
  if (hit == nullptr || !chosen_ || !(hit->place == *chosen_)) return event->ignore();
  step(std::pow(1.02, event->angleDelta().y() / 40.0), true);
  event->accept();
}

void NetworkView::chooseNext(int by) {
  if (drawn_.empty()) return;
  std::size_t at = 0;
  const std::size_t n = drawn_.size();
  for (std::size_t i = 0; i < n; ++i)
    if (chosen_ && drawn_[i].place == *chosen_)
      at = (i + n + static_cast<std::size_t>(by + static_cast<int>(n))) % n;
  const NetworkPlace place = drawn_[at].place;
  emit chosen(place);
}

/// The keys of the drawing are not the window's while it has the focus: Delete would take a take.
bool NetworkView::event(QEvent* event) {
  if (event->type() == QEvent::ShortcutOverride) {
    const int key = static_cast<QKeyEvent*>(event)->key();
    for (const int own : {Qt::Key_Delete, Qt::Key_Up, Qt::Key_Down, Qt::Key_Left, Qt::Key_Right})
      if (key == own) {
        event->accept();
        return true;
      }
  }
  return QWidget::event(event);
}

void NetworkView::keyPressEvent(QKeyEvent* event) {
  const bool fine = event->modifiers().testFlag(Qt::ShiftModifier);
  switch (event->key()) {
    case Qt::Key_Up:
      return step(fine ? 1.01 : 1.1, true);
    case Qt::Key_Down:
      return step(1.0 / (fine ? 1.01 : 1.1), true);
    case Qt::Key_Right:
      return chooseNext(1);
    case Qt::Key_Left:
      return chooseNext(-1);
    case Qt::Key_Delete:
      if (chosen_) emit removeAsked(*chosen_);
      return;
    default:
      QWidget::keyPressEvent(event);
  }
}

}  // namespace lalometer
