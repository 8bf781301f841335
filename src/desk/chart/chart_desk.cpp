#include "desk/chart/chart_desk.h"

#include <QFile>
#include <QFileInfo>
#include <QMouseEvent>
#include <QPainter>
#include <QWheelEvent>

#include "base/text.h"

namespace lalometer {
namespace {

constexpr double kNear_px = 6.0;
constexpr double kPull_px = 30.0;  ///< of the picture, to each side

}  // namespace

ChartDesk::ChartDesk(BookSession& session, QWidget* parent) : QWidget(parent), session_(session) {
  setObjectName(QStringLiteral("chartDesk"));
  setMouseTracking(true);
  setFocusPolicy(Qt::StrongFocus);
  setMinimumSize(420, 300);
  connect(&session_, &BookSession::bookChanged, this, [this] {
    image_ = {};
    points_.clear();
    take_ = 0;
    update();
    emit changed();
  });
}

void ChartDesk::setTheme(const Theme& theme) {
  theme_ = theme;
  update();
}

void ChartDesk::openFile(const QString& path) {
  take_ = 0;
  const QString why = tr("%1 cannot be read.").arg(path);
  show(
      [path, why]() -> Result<QByteArray> {
        QFile file(path);
        if (!file.open(QIODevice::ReadOnly)) return bad_input(why.toStdString());
        return file.readAll();
      },
      QFileInfo(path).fileName(), 1, false);
}

void ChartDesk::openTake(Id id) {
  const Take* t = session_.take(id);
  if (t == nullptr || t->form != RawForm::kChartPicture) return;
  axes_ = chart_axes_from_json(t->conditions.chart.axes_json);
  const TracedChart chart = t->conditions.chart;
  take_ = id;
  show(
      [book = session_.book().path(), hash = t->raw_hash] {
        return Book::read_raw(book, hash).map([](const std::vector<std::byte>& raw) {
          return QByteArray(reinterpret_cast<const char*>(raw.data()),
                            static_cast<qsizetype>(raw.size()));
        });
      },
      QString::fromStdString(t->raw_name), 1, true);
  points_ = traced_points(chart, axes_);
  emit changed();
}

void ChartDesk::showPage(int page) {
  if (page == page_ || bytes_.isEmpty()) return;
  show([bytes = bytes_]() -> Result<QByteArray> { return bytes; }, name_, page, false);
}

void ChartDesk::show(std::function<Result<QByteArray>()> read, const QString& name, int page,
                     bool keep_axes) {
  busy_ = true;
  struct Ready {
    QByteArray bytes;
    ChartPage page;
    std::shared_ptr<const ChartPixels> pixels;
  };
  const Id take = take_;
  session_.work().start<Ready>(
      this, {WorkKind::kResult, WorkScope::kBook, {}},
      [read = std::move(read), name, page](const WorkContext&) {
        return read().and_then([&](const QByteArray& bytes) {
          return chart_page(bytes, name, page).map([&](ChartPage&& drawn) {
            auto pixels = std::make_shared<const ChartPixels>(pixels_of(drawn.image));
            return Ready{bytes, std::move(drawn), std::move(pixels)};
          });
        });
      },
      [this, name, page, keep_axes, take](Result<Ready> ready) {
        busy_ = false;
        if (take != take_) return;
        if (!ready) {
          if (ready.error().code != ErrorCode::kCancelled)
            emit failed(QString::fromStdString(ready.error().text()));
          return;
        }
        bytes_ = ready->bytes;
        name_ = name;
        page_ = page;
        pages_ = ready->page.pages;
        image_ = ready->page.image;
        pixels_ = std::move(ready->pixels);
        if (!keep_axes) {
          points_.clear();
          const double w = image_.width();
          const double h = image_.height();
          axes_.across = {0.2 * w, 100.0, 0.8 * w, 10000.0, true};
          axes_.up = {0.8 * h, 60.0, 0.2 * h, 90.0, false};
        }
        fitPicture();
        emit changed();
      });
}

void ChartDesk::fitPicture() {
  if (image_.isNull()) return;
  zoom_ = std::min((width() - 20.0) / image_.width(), (height() - 20.0) / image_.height());
  shift_ =
      QPointF(0.5 * (width() - zoom_ * image_.width()), 0.5 * (height() - zoom_ * image_.height()));
  update();
}

QPointF ChartDesk::onDesk(QPointF picture) const {
  return picture * zoom_ + shift_;
}
QPointF ChartDesk::inPicture(QPointF desk) const {
  return (desk - shift_) / zoom_;
}

void ChartDesk::setAxes(const ChartAxes& axes) {
  axes_ = axes;
  update();
  emit changed();
}

void ChartDesk::clearTrace() {
  points_.clear();
  update();
  emit changed();
}

QString ChartDesk::trouble() const {
  if (image_.isNull()) return tr("Open a picture of a chart: PNG, JPEG, or a page of a PDF.");
  if (const std::string why = trouble_of(axes_); !why.empty()) return QString::fromStdString(why);
  if (points_.size() < 2) return tr("Click on the curve: it is followed to both sides.");
  return {};
}

void ChartDesk::keep(const Told& told) {
  if (!trouble().isEmpty() || !session_.isOpen()) return;
  TracedChart chart;
  put_traced(chart, points_, axes_);
  chart.smoothing = told.smoothing;
  chart.drive_told = told.drive_told;
  if (const Take* t = session_.take(take_)) {
    Conditions changed = t->conditions;
    changed.chart = chart;
    changed.drive_v = told.drive_v;
    session_.edit(
        [id = take_, changed](Book& book) {
          return book.set_conditions(id, changed, "Correct a traced chart");
        },
        [this, id = take_](bool done) {
          if (done) emit kept(id);
        });
    return;
  }
  const Take* beside = session_.take(session_.chosenTake());
  Take take;
  take.subject_id = session_.chosenSubject();
  for (const Variant& v : session_.variants())
    if (v.subject_id == take.subject_id && take.variant_id == 0) take.variant_id = v.id;
  if (beside != nullptr) take.variant_id = beside->variant_id;
  if (take.subject_id == 0 || take.variant_id == 0) {
    emit failed(tr("There is no subject yet that this chart could belong to."));
    return;
  }
  if (told.impedance) {
    take.setup = ImpedanceSetup{};
  } else {
    FarFieldSetup far;
    far.place.distance_m = told.distance_m;
    take.setup = far;
  }
  take.form = RawForm::kChartPicture;
  take.name = told.name.toStdString();
  take.conditions.drive_v = told.drive_v;
  take.conditions.chart = chart;
  take.raw_name = name_.toStdString();
  take.taken_at = utc_now();
  RawData raw;
  raw.file_name = take.raw_name;
  const auto* first = reinterpret_cast<const std::byte*>(bytes_.constData());
  raw.bytes.assign(first, first + bytes_.size());
  busy_ = true;
  session_.edit<Id>([take, raw](Book& book) { return book.add_take(take, raw); },
                    [this](const Result<Id>& id) {
                      busy_ = false;
                      if (!id) return;
                      take_ = *id;
                      session_.setLaid(*id, true);
                      emit kept(*id);
                    });
}

ChartDesk::Grip ChartDesk::gripAt(QPointF desk) const {
  const auto x = [&](double px) { return onDesk({px, 0.0}).x(); };
  const auto y = [&](double px) { return onDesk({0.0, px}).y(); };
  if (std::abs(desk.x() - x(axes_.across.first_px)) < kNear_px) return Grip::kFirstHz;
  if (std::abs(desk.x() - x(axes_.across.second_px)) < kNear_px) return Grip::kSecondHz;
  if (std::abs(desk.y() - y(axes_.up.first_px)) < kNear_px) return Grip::kFirstLevel;
  if (std::abs(desk.y() - y(axes_.up.second_px)) < kNear_px) return Grip::kSecondLevel;
  return onTrace(inPicture(desk)) ? Grip::kPull : Grip::kNone;
}

bool ChartDesk::onTrace(QPointF at) const {
  return std::any_of(points_.begin(), points_.end(), [&](const TracedPoint& p) {
    return std::abs(p.x_px - at.x()) < 1.5 && std::abs(p.y_px - at.y()) * zoom_ < 10.0;
  });
}

void ChartDesk::mousePressEvent(QMouseEvent* event) {
  if (image_.isNull()) return;
  grip_start_ = event->position();
  shift_start_ = shift_;
  moved_ = false;
  before_pull_ = points_;
  grip_ = event->button() == Qt::MiddleButton ? Grip::kPan : gripAt(event->position());
}

void ChartDesk::mouseMoveEvent(QMouseEvent* event) {
  if (image_.isNull()) return;
  if (event->buttons() == Qt::NoButton) {
    switch (gripAt(event->position())) {
      case Grip::kFirstHz:
      case Grip::kSecondHz:
        setCursor(Qt::SizeHorCursor);
        break;
      case Grip::kFirstLevel:
      case Grip::kSecondLevel:
      case Grip::kPull:
        setCursor(Qt::SizeVerCursor);
        break;
      default:
        setCursor(Qt::CrossCursor);
    }
    return;
  }
  moved_ = moved_ || (event->position() - grip_start_).manhattanLength() > 3.0;
  if (!moved_) return;
  const QPointF at = inPicture(event->position());
  switch (grip_) {
    case Grip::kFirstHz:
      axes_.across.first_px = at.x();
      break;
    case Grip::kSecondHz:
      axes_.across.second_px = at.x();
      break;
    case Grip::kFirstLevel:
      axes_.up.first_px = at.y();
      break;
    case Grip::kSecondLevel:
      axes_.up.second_px = at.y();
      break;
    case Grip::kPull:
      points_ = before_pull_;
      pull(points_, inPicture(grip_start_).x(), at.y(), kPull_px);
      break;
    case Grip::kPan:
      shift_ = shift_start_ + event->position() - grip_start_;
      break;
    case Grip::kNone:
      return;
  }
  update();
}

void ChartDesk::mouseReleaseEvent(QMouseEvent* event) {
  if (image_.isNull()) return;
  const Grip grip = std::exchange(grip_, Grip::kNone);
  const QPointF at = inPicture(event->position());
  if (!moved_ && event->button() == Qt::LeftButton &&
      (grip == Grip::kNone || grip == Grip::kPull)) {
    follow(at);
    return;
  }
  if (!moved_) return;
  // A scale's line goes onto the grid line it was dropped near.
  const auto snap = [&](bool vertical) {
    return snapped_px(*pixels_, at.x(), at.y(), vertical, std::max(3.0, 5.0 / zoom_));
  };
  if (grip == Grip::kFirstHz) axes_.across.first_px = snap(true);
  if (grip == Grip::kSecondHz) axes_.across.second_px = snap(true);
  if (grip == Grip::kFirstLevel) axes_.up.first_px = snap(false);
  if (grip == Grip::kSecondLevel) axes_.up.second_px = snap(false);
  update();
  emit changed();
}

void ChartDesk::follow(QPointF at) {
  if (busy_) return;
  busy_ = true;
  session_.work().start<std::vector<TracedPoint>>(
      this, {WorkKind::kResult, WorkScope::kBook, {}},
      [pixels = pixels_, at](const WorkContext&) { return trace_line(*pixels, at.x(), at.y()); },
      [this, pixels = pixels_](Result<std::vector<TracedPoint>> traced) {
        busy_ = false;
        if (pixels != pixels_) return;  // another page has come meanwhile
        if (!traced) {
          if (traced.error().code != ErrorCode::kCancelled)
            emit failed(QString::fromStdString(traced.error().text()));
          return;
        }
        points_ = std::move(*traced);
        update();
        emit changed();
      });
}

void ChartDesk::wheelEvent(QWheelEvent* event) {
  if (image_.isNull()) return;
  const double factor = std::pow(1.18, event->angleDelta().y() / 120.0);
  const QPointF at = inPicture(event->position());
  zoom_ = std::clamp(zoom_ * factor, 0.05, 24.0);
  shift_ = event->position() - at * zoom_;
  update();
  event->accept();
}

void ChartDesk::resizeEvent(QResizeEvent*) {
  fitPicture();
}

void ChartDesk::paintEvent(QPaintEvent*) {
  QPainter painter(this);
  painter.fillRect(rect(), theme_.paper);
  if (image_.isNull()) {
    painter.setPen(theme_.quiet);
    painter.setFont(text_font(13));
    painter.drawText(rect().adjusted(40, 0, -40, 0), Qt::AlignCenter | Qt::TextWordWrap,
                     tr("Open the picture of a published chart at the right, or drop it here: PNG, "
                        "JPEG, or a page of a PDF. Its curve is traced and laid beside what was "
                        "measured."));
    return;
  }
  painter.setRenderHint(QPainter::SmoothPixmapTransform, zoom_ < 3.0);
  painter.drawImage(QRectF(shift_, QSizeF(image_.size()) * zoom_), image_);
  painter.setRenderHint(QPainter::Antialiasing, true);
  painter.setFont(text_font(12, true));
  const auto tag = [&](QPointF at, const QString& text, const QColor& colour) {
    const QFontMetricsF metrics(painter.font());
    const QRectF box(at.x(), at.y(), metrics.horizontalAdvance(text) + 10, 18);
    painter.fillRect(box, colour);
    painter.setPen(theme_.sheet);
    painter.drawText(box, Qt::AlignCenter, text);
  };
  for (const auto& [px, value] : {std::pair(axes_.across.first_px, axes_.across.first_value),
                                  std::pair(axes_.across.second_px, axes_.across.second_value)}) {
    const double x = onDesk({px, 0.0}).x();
    painter.setPen(QPen(theme_.accent, 1.4, Qt::DashLine));
    painter.drawLine(QPointF(x, 0), QPointF(x, height()));
    tag({x + 3, height() - 22.0}, QString::fromStdString(frequency_text(value)), theme_.accent);
  }
  for (const auto& [px, value] : {std::pair(axes_.up.first_px, axes_.up.first_value),
                                  std::pair(axes_.up.second_px, axes_.up.second_value)}) {
    const double y = onDesk({0.0, px}).y();
    painter.setPen(QPen(theme_.warn, 1.4, Qt::DashLine));
    painter.drawLine(QPointF(0, y), QPointF(width(), y));
    tag({4.0, y + 3}, QString::fromStdString(three_digits(value)), theme_.warn);
  }
  if (points_.empty()) return;
  QPolygonF line;
  for (const TracedPoint& p : points_) line.push_back(onDesk({p.x_px, p.y_px}));
  // Pale and wide under what was drawn, so that both can be compared.
  QColor pale = theme_.accent;
  pale.setAlpha(70);
  painter.setPen(QPen(pale, 7.0, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
  painter.drawPolyline(line);
  painter.setPen(QPen(theme_.accent, 1.4));
  painter.drawPolyline(line);
}

}  // namespace lalometer
