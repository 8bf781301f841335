#include "desk/score/picture/lane_picture.h"

#include <QCoreApplication>
#include <QPainter>
#include <QPainterPath>
#include <cmath>

#include "desk/score/picture/curve_raster.h"
#include "desk/score/picture/lane_handles.h"
#include "desk/score/picture/map_picture.h"
#include "desk/score/picture/mark_layout.h"

namespace lalometer {
namespace {

QString tick_label(const Tick& tick) {
  return QString::fromStdString(tick.label).replace(u'-', QChar(0x2212));
}

/// Lines and numbers of the scale on the left. A lane of marks has none, and an empty one neither.
void draw_left_scale(QPainter& painter, const LanePictureInput& in) {
  const LaneGeometry& g = in.geometry;
  const QRectF plot = plot_rect(g);
  if (in.content.curves().empty() && in.content.find<ValueMap>() == nullptr) return;
  const QFontMetricsF metrics(painter.font());
  const double lowest = plot.bottom() - (in.content.over_frequency() ? 2 : 0);
  const QString unit =
      in.content.left.quantity == AxisQuantity::kAngle ? QStringLiteral("°") : QString();
  for (const Tick& tick : axis_ticks(in.content.left, g.up.low, g.up.high, plot.height(), 26.0)) {
    const double y = std::floor(g.up.px(tick.value)) + 0.5;
    painter.setPen(tick.strong ? in.theme.line : in.theme.faint);
    painter.drawLine(QPointF(plot.left(), y), QPointF(plot.right(), y));
    if (y < plot.top() + 4 || y > lowest) continue;
    painter.setPen(in.theme.quiet);
    const QString label = tick_label(tick) + unit;
    painter.drawText(QPointF(plot.left() - 5 - metrics.horizontalAdvance(label), y + 4), label);
  }
}

void draw_right_scale(QPainter& painter, const LanePictureInput& in) {
  const LaneGeometry& g = in.geometry;
  const QRectF plot = plot_rect(g);
  if (in.content.curves(Side::kRight).empty()) return;
  const QString unit =
      in.content.right.quantity == AxisQuantity::kAngle ? QStringLiteral("°") : QString();
  painter.setPen(in.theme.quiet);
  for (const Tick& tick :
       axis_ticks(in.content.right, g.right.low, g.right.high, plot.height(), 22.0)) {
    const double y = g.right.px(tick.value);
    if (tick.label.empty() || y < plot.top() + 4 || y > plot.bottom() - 2) continue;
    painter.drawText(QPointF(plot.right() + 3, y + 4), tick_label(tick) + unit);
  }
}

/// A lane that is not over frequency has numbers of its own under it; one of them carries the unit:
/// zero, or the first.
void draw_own_axis(QPainter& painter, const LanePictureInput& in, const std::vector<Tick>& ticks) {
  const LaneGeometry& g = in.geometry;
  const auto zero = std::find_if(ticks.begin(), ticks.end(),
                                 [](const Tick& t) { return t.value == 0.0 && !t.label.empty(); });
  const auto first =
      std::find_if(ticks.begin(), ticks.end(), [](const Tick& t) { return !t.label.empty(); });
  const auto named = zero != ticks.end() ? zero : first;
  painter.setPen(in.theme.quiet);
  for (auto tick = ticks.begin(); tick != ticks.end(); ++tick) {
    QString label = tick_label(*tick);
    if (tick == named && !in.content.across.unit.empty()) {
      if (in.content.across.quantity != AxisQuantity::kAngle) label += u' ';
      label += QString::fromStdString(in.content.across.unit);
    }
    painter.drawText(QRectF(g.across.px(tick->value) - 30, g.up.bottom_px + 2, 60, kOwnAxis_px - 2),
                     Qt::AlignCenter, label);
  }
}

void draw_grid(QPainter& painter, const LanePictureInput& in) {
  const LaneGeometry& g = in.geometry;
  const QRectF plot = plot_rect(g);
  painter.setRenderHint(QPainter::Antialiasing, false);
  const std::vector<Tick> across =
      axis_ticks(in.content.across, g.across.low, g.across.high, plot.width(), 48.0);
  for (const Tick& tick : across) {
    painter.setPen(tick.strong ? in.theme.line : in.theme.faint);
    const double x = std::floor(g.across.px(tick.value)) + 0.5;
    painter.drawLine(QPointF(x, plot.top()), QPointF(x, plot.bottom()));
  }
  painter.setFont(text_font(11));
  draw_left_scale(painter, in);
  draw_right_scale(painter, in);
  if (!in.content.over_frequency()) draw_own_axis(painter, in, across);
}

void hatch(QPainter& painter, const QRectF& area, const Theme& theme) {
  if (area.width() < 1.0) return;
  painter.save();
  painter.setClipRect(area);
  painter.setRenderHint(QPainter::Antialiasing, true);
  QColor wash = theme.paper;
  wash.setAlpha(150);
  painter.fillRect(area, wash);
  painter.setPen(QPen(theme.line, 0.7));
  // One slant for all lanes, anchored at the picture's corner, so that neighbours line up.
  for (double x = std::floor((area.left() - area.height()) / 9.0) * 9.0; x < area.right();
       x += 9.0) {
    painter.drawLine(QPointF(x, area.bottom()), QPointF(x + area.height(), area.top()));
  }
  painter.restore();
}

void draw_bands(QPainter& painter, const LanePictureInput& in) {
  const LaneGeometry& g = in.geometry;
  const QRectF plot = plot_rect(g);
  const auto px = [&](double value) {
    if (value <= g.across.low) return plot.left();
    return value >= g.across.high ? plot.right() : g.across.px(value);
  };
  for (const InvalidBand& band : in.content.invalid()) {
    const double left = px(band.low);
    const double right = px(band.high);
    hatch(painter, QRectF(QPointF(left, plot.top()), QPointF(right, plot.bottom())), in.theme);
    if (band.text.empty()) continue;
    painter.setFont(text_font(11));
    const QString text = QString::fromStdString(band.text);
    const double width = QFontMetricsF(painter.font()).horizontalAdvance(text) + 10;
    if (width + 12 >= right - left) continue;
    const QRectF box(left + 6, plot.bottom() - 21, width, 16);
    painter.fillRect(box, in.theme.sheet);
    painter.setPen(in.theme.quiet);
    painter.drawText(box, Qt::AlignCenter, text);
  }
}

/// Screen points of a series within or outside its validity; the other part becomes a break.
std::vector<PixelPoint> screen_points(const Series& s, const AcrossMapping& across,
                                      const UpMapping& up, double ratio, bool valid_part) {
  std::vector<PixelPoint> points;
  points.reserve(s.x.size());
  // One logarithm a point: this runs for every point of every curve while something moves.
  const double log_low = std::log(across.low);
  const double log_scale =
      (across.right_px - across.left_px) * ratio / std::log(across.high / across.low);
  const double line_scale = (across.right_px - across.left_px) * ratio / (across.high - across.low);
  const auto across_px = [&](double x) {
    return across.logarithmic ? (std::log(x) - log_low) * log_scale : (x - across.low) * line_scale;
  };
  const double margin_low = across.value(across.left_px - 8.0);
  const double margin_high = across.value(across.right_px + 8.0);
  for (std::size_t i = 0; i < s.x.size(); ++i) {
    const double x = s.x[i];
    if (x < margin_low || x > margin_high) continue;
    const bool valid = x >= s.valid_low && x <= s.valid_high;
    const double y = valid == valid_part ? up.px(s.y[i]) * ratio : std::nan("");
    points.push_back({static_cast<float>(across_px(x)), static_cast<float>(y)});
  }
  return thinned(points);
}

/// The interval about a curve, where it is valid, as a pale band.
void draw_spread(QPainter& painter, const Series& s, const AcrossMapping& across,
                 const UpMapping& up, double ratio, QColor colour) {
  Series edge = s;
  const auto points = [&](double sign) {
    for (std::size_t i = 0; i < s.y.size(); ++i) edge.y[i] = s.y[i] + sign * s.spread[i];
    return screen_points(edge, across, up, ratio, true);
  };
  QPolygonF band;
  for (const PixelPoint& p : points(1.0))
    if (std::isfinite(p.y)) band.push_back({p.x, p.y});
  const auto below = points(-1.0);
  for (auto p = below.rbegin(); p != below.rend(); ++p)
    if (std::isfinite(p->y)) band.push_back({p->x, p->y});
  colour.setAlpha(48);
  painter.setPen(Qt::NoPen);
  painter.setBrush(colour);
  painter.drawPolygon(band);
}

/// Curves on a picture of the plot alone, so that nothing leaves the plot.
void draw_curves(QImage& image, const LanePictureInput& in) {
  const LaneGeometry& g = in.geometry;
  const double ratio = in.device_ratio;
  const QRect area(static_cast<int>(g.across.left_px * ratio),
                   static_cast<int>(g.up.top_px * ratio),
                   static_cast<int>((g.across.right_px - g.across.left_px) * ratio),
                   static_cast<int>((g.up.bottom_px - g.up.top_px) * ratio));
  if (area.width() < 2 || area.height() < 2) return;
  QImage plot = image.copy(area);
  plot.setDevicePixelRatio(1.0);
  CurveRaster raster(plot);
  UpMapping up = g.up;
  UpMapping right = g.right;
  for (UpMapping* m : {&up, &right}) {
    m->bottom_px -= m->top_px;
    m->top_px = 0.0;
  }
  const bool quick = in.quality == PictureQuality::kCoarse && coarse_differs(in.content);
  const auto draw = [&](const Series& s, const UpMapping& mapping, double width, int alpha) {
    const CurveStyle style = curve_style(s.style, in.theme.dark);
    QColor colour = style.colour;
    colour.setAlpha(alpha);
    std::vector<double> dash;
    for (const double d : style.dash_px) dash.push_back(d * ratio);
    const std::vector<PixelPoint> points = screen_points(s, g.across, mapping, ratio, true);
    if (quick)
      raster.draw_by_columns(points, width * ratio, colour, dash);
    else
      raster.draw(points, width * ratio, colour, dash);
    if (s.valid_low > g.across.low || s.valid_high < g.across.high) {
      colour.setAlpha(alpha / 3);
      const double dots[] = {1.5 * ratio, 3.5 * ratio};
      raster.draw(screen_points(s, g.across, mapping, ratio, false),
                  std::max(width - 0.3, 1.0) * ratio, colour, dots);
    }
  };
  for (const Series& s : in.content.curves()) {
    if ((!s.chosen && !in.content.all_spreads) || s.spread.size() != s.y.size()) continue;
    QPainter painter(&plot);
    painter.setRenderHint(QPainter::Antialiasing, !quick);
    draw_spread(painter, s, g.across, up, ratio, curve_style(s.style, in.theme.dark).colour);
  }
  for (const Series& s : in.content.curves(Side::kRight)) draw(s, right, 1.0, 150);
  for (const Series& s : in.content.curves()) {
    if (!s.chosen) draw(s, up, in.curve_width_px, 235);
  }
  for (const Series& s : in.content.curves()) {
    if (s.chosen) draw(s, up, in.curve_width_px + 0.6, 255);
  }
  QPainter painter(&image);
  painter.setCompositionMode(QPainter::CompositionMode_Source);
  painter.drawImage(QPointF(area.left() / ratio, area.top() / ratio), [&] {
    plot.setDevicePixelRatio(ratio);
    return plot;
  }());
}

/// A piece of a curve's own line, for its name.
void draw_sample(QPainter& painter, const CurveStyle& style, QPointF from, double length) {
  QPen pen(style.colour, 1.8);
  if (!style.dash_px.isEmpty()) {
    QList<qreal> pattern;
    for (const double d : style.dash_px) pattern.push_back(d / 1.8);
    pen.setDashPattern(pattern);
    pen.setCapStyle(Qt::FlatCap);
  }
  painter.setPen(pen);
  painter.drawLine(from, from + QPointF(length, 0));
}

struct CurveName {
  const Series* series;
  QString text;
};

/// The curves' names in the order they are told apart: the chosen one first; of a family only that.
std::vector<CurveName> curve_names(const LaneContent& content) {
  constexpr std::size_t kFamily = 12;
  std::vector<CurveName> names;
  for (const bool chosen : {true, false}) {
    for (const Series& s : content.curves()) {
      if (s.chosen != chosen || (!chosen && content.curves().size() > kFamily)) continue;
      const QString text = QString::fromStdString(s.label);
      const bool there = std::any_of(names.begin(), names.end(),
                                     [&](const CurveName& n) { return n.text == text; });
      if (!there) names.push_back({&s, text});
    }
  }
  return names;
}

/// In the strip over the plot: title, what the lane shows, and from the right the curves' names,
/// each with a piece of its line; what finds no room is counted.
void draw_heading(QPainter& painter, const LanePictureInput& in) {
  const LaneGeometry& g = in.geometry;
  const double base = g.up.top_px - 5.0;
  painter.setRenderHint(QPainter::Antialiasing, true);
  painter.setFont(text_font(13, true));
  painter.setPen(in.theme.ink);
  const QString title = QString::fromStdString(in.content.title);
  painter.drawText(QPointF(g.across.left_px, base), title);
  const double after =
      g.across.left_px + QFontMetricsF(painter.font()).horizontalAdvance(title) + 9;
  constexpr double kSample_px = 14.0;
  constexpr double kMostName_px = 150.0;
  std::vector<CurveName> names = curve_names(in.content);
  double x = g.across.right_px;
  if (const auto* map = in.content.find<ValueMap>())
    x -= draw_map_legend(painter, *map, QPointF(x, base), in.theme);
  const QFont small = text_font(11);
  const QFontMetricsF metrics(small);
  const QString subtitle = QString::fromStdString(in.content.subtitle);
  // Names may take what half of the subtitle leaves.
  const double least =
      after + std::min(metrics.horizontalAdvance(subtitle), 0.4 * (g.across.right_px - after)) + 14;
  std::size_t shown = 0;
  for (const CurveName& name : names) {
    painter.setFont(text_font(11, name.series->chosen));
    const QFontMetricsF own(painter.font());
    const QString text = own.elidedText(name.text, Qt::ElideRight, kMostName_px);
    const double width = kSample_px + 5.0 + own.horizontalAdvance(text);
    if (x - width < least + (shown + 1 < names.size() ? 26.0 : 0.0)) break;
    x -= width;
    const CurveStyle style = curve_style(name.series->style, in.theme.dark);
    draw_sample(painter, style, QPointF(x, base - 4.0), kSample_px);
    painter.setPen(style.colour);
    painter.drawText(QPointF(x + kSample_px + 5.0, base), text);
    x -= 12.0;
    ++shown;
  }
  painter.setFont(small);
  painter.setPen(in.theme.quiet);
  const std::size_t rest = std::max(in.content.curves().size(), names.size()) - shown;
  if (rest > 0 && !names.empty()) {
    const QString more = QStringLiteral("+%1").arg(rest);
    x -= metrics.horizontalAdvance(more);
    painter.drawText(QPointF(x, base), more);
    x -= 12.0;
  }
  // Nothing is dropped in silence: what has no room for its name is counted too.
  if (const std::size_t hidden = unnamed(placed_marks(in.content, g)); hidden > 0) {
    const QString text = QCoreApplication::translate("lane", "%n without room for a name", nullptr,
                                                     static_cast<int>(hidden));
    x -= metrics.horizontalAdvance(text);
    painter.drawText(QPointF(x, base), text);
    x -= 12.0;
  }
  painter.drawText(QPointF(after, base),
                   metrics.elidedText(subtitle, Qt::ElideRight, x - after - 4.0));
}

}  // namespace

bool coarse_differs(const LaneContent& content) {
  constexpr std::size_t kFewCurves = 8;
  return content.find<ValueMap>() != nullptr ||
         content.curves().size() + content.curves(Side::kRight).size() > kFewCurves;
}

LaneGeometry lane_geometry(const LaneContent& content, double width, double height,
                           FrequencyRange frequency, LaneRange values) {
  LaneGeometry g;
  g.width = width;
  g.height = height;
  const bool shared = content.over_frequency();
  g.across = {shared ? frequency.low_hz : content.across.low,
              shared ? frequency.high_hz : content.across.high, kLeftGutter_px,
              width - kRightGutter_px, content.across.scale == AxisScale::kLogarithmic};
  const double bottom = height - (shared ? 0.0 : kOwnAxis_px);
  const bool decades = content.left.scale == AxisScale::kLogarithmic;
  // A range that was kept for another scale may reach below zero.
  if (decades && values.low <= 0.0) values = {content.left.low, content.left.high};
  g.up = {values.low, values.high, kHeading_px, bottom, decades};
  g.right = {content.right.low, content.right.high, kHeading_px, bottom,
             content.right.scale == AxisScale::kLogarithmic};
  return g;
}

QImage lane_picture(const LanePictureInput& in) {
  const LaneGeometry& g = in.geometry;
  QImage image(static_cast<int>(std::ceil(g.width * in.device_ratio)),
               static_cast<int>(std::ceil(g.height * in.device_ratio)), QImage::Format_RGB32);
  image.setDevicePixelRatio(in.device_ratio);
  image.fill(in.theme.paper);
  {
    QPainter painter(&image);
    painter.fillRect(plot_rect(g), in.theme.sheet);
    if (const auto* map = in.content.find<ValueMap>())
      draw_map(painter, *map, in.content.find<ContourLayer>(), g, in.theme, in.quality);
    draw_grid(painter, in);
    draw_bands(painter, in);
  }
  draw_curves(image, in);
  QPainter painter(&image);
  draw_handles(painter, in);
  draw_heading(painter, in);
  if (in.content.blank()) {
    painter.setPen(in.theme.quiet);
    painter.setFont(text_font(13));
    const QString text = QString::fromStdString(in.content.empty_text);
    const QRectF area = plot_rect(g).adjusted(20, 18, -20, 0);
    constexpr auto kHow = Qt::AlignCenter | Qt::TextWordWrap;
    painter.fillRect(painter.boundingRect(area, kHow, text).adjusted(-8, -3, 8, 3), in.theme.sheet);
    painter.drawText(area, kHow, text);
  }
  painter.setRenderHint(QPainter::Antialiasing, false);
  painter.setPen(in.theme.line);
  painter.setBrush(Qt::NoBrush);
  painter.drawRect(plot_rect(g).adjusted(0, 0, -1, -1));
  return image;
}

}  // namespace lalometer
