#include "exchange/chart/chart_trace.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <nlohmann/json.hpp>
#include <optional>

#include "base/json_text.h"
#include "exchange/chart/broken_line.h"
#include "exchange/chart/line_pixels.h"
#include "exchange/json_read.h"

namespace lalometer {
namespace {

using Json = nlohmann::json;

/// How far around a place a line is looked for: a gap of dashes, and what a hand is off by.
constexpr int kNear_px = 9;

double gap(const Run& a, const Run& b) {
  return std::max({0.0, a.top - b.bottom, b.top - a.bottom});
}

/// Follows the line from its start to one side.
std::vector<Step> followed(const ChartPixels& p, const Coverage& line, const Rules& rules,
                           const Step& start, int side, double width_px) {
  std::vector<Step> path{start};
  const int longest_gap = std::max(14, p.width / 40);
  int missed = 0;
  for (int x = start.x + side; x >= 0 && x < p.width; x += side) {
    const Step& last = path.back();
    // Its course, by what was followed just before.
    double slope = 0.0;
    const std::size_t back = std::min<std::size_t>(path.size() - 1, 5);
    if (back > 0) {
      const Step& earlier = path[path.size() - 1 - back];
      slope = (last.run.middle - earlier.run.middle) / (last.x - earlier.x);
    }
    const double ahead = std::abs(x - last.x);
    const double expected = last.run.middle + slope * (x - last.x);
    const double reach =
        std::max({5.0, 2.0 * width_px, 1.5 * std::abs(slope) * ahead + 3.0}) + 0.3 * (ahead - 1.0);
    const Run* best = nullptr;
    double least = 1e300;
    const std::vector<Run> runs = runs_of(p, line, rules, x);
    for (const Run& run : runs) {
      const double apart = gap(run, last.run);
      if (apart > reach) continue;
      // Over a gap only what lies on its course.
      const Run due{expected - 0.5 * width_px, expected + 0.5 * width_px, expected};
      if (ahead > 2.0 && gap(run, due) > std::max(5.0, 2.0 * width_px) + 0.5 * ahead) continue;
      const double cost = apart + 0.4 * std::abs(run.middle - expected);
      if (cost >= least) continue;
      least = cost;
      best = &run;
    }
    if (best == nullptr) {
      if (++missed > longest_gap) break;
      continue;
    }
    missed = 0;
    path.push_back({x, *best});
  }
  return path;
}

double value_of(const std::vector<Step>& path, std::size_t i, double width_px) {
  const Run& run = path[i].run;
  if (run.length() < 2.5 * width_px || i == 0 || i + 1 == path.size()) return run.middle;
  const double centre = 0.5 * (run.top + run.bottom);
  const double before = path[i - 1].run.middle;
  const double after = path[i + 1].run.middle;
  const double turn = 0.2 * run.length();
  // Up and down again within a column: its tip.
  if (before > centre + turn && after > centre + turn) return run.top + 0.5 * width_px;
  if (before < centre - turn && after < centre - turn) return run.bottom - 0.5 * width_px;
  return centre;
}

}  // namespace

double ChartAxis::value_at(double px) const {
  const double t = (px - first_px) / (second_px - first_px);
  return logarithmic ? first_value * std::pow(second_value / first_value, t)
                     : first_value + t * (second_value - first_value);
}

double ChartAxis::px_of(double value) const {
  const double t = logarithmic
                       ? std::log(value / first_value) / std::log(second_value / first_value)
                       : (value - first_value) / (second_value - first_value);
  return first_px + t * (second_px - first_px);
}

std::string trouble_of(const ChartAxes& axes) {
  for (const ChartAxis* axis : {&axes.across, &axes.up}) {
    const char* what = axis == &axes.across ? "frequency" : "level";
    if (std::abs(axis->first_px - axis->second_px) < 4.0)
      return fmt::format("The two places of the {} scale lie on each other.", what);
    if (axis->first_value == axis->second_value)
      return fmt::format("The two places of the {} scale have one value.", what);
    if (axis->logarithmic && !(axis->first_value > 0.0 && axis->second_value > 0.0))
      return fmt::format("A logarithmic {} scale has values above 0.", what);
  }
  if (!(axes.across.first_value > 0.0 && axes.across.second_value > 0.0))
    return "Frequencies are above 0.";
  return {};
}

std::string to_json(const ChartAxes& axes) {
  const auto one = [](const ChartAxis& a) {
    return Json{{"first_px", a.first_px},
                {"first_value", a.first_value},
                {"second_px", a.second_px},
                {"second_value", a.second_value},
                {"logarithmic", a.logarithmic}};
  };
  return dumped(Json{{"across", one(axes.across)}, {"up", one(axes.up)}});
}

ChartAxes chart_axes_from_json(const std::string& text) {
  ChartAxes axes;
  const Json json = parsed_json(text);
  if (!json.is_object()) return axes;
  const auto read = [&](const char* key, ChartAxis& a) {
    const auto found = json.find(key);
    if (found == json.end() || !found->is_object()) return;
    a.first_px = json_number(*found, "first_px", a.first_px);
    a.first_value = json_number(*found, "first_value", a.first_value);
    a.second_px = json_number(*found, "second_px", a.second_px);
    a.second_value = json_number(*found, "second_value", a.second_value);
    if (const auto log = found->find("logarithmic"); log != found->end() && log->is_boolean())
      a.logarithmic = log->get<bool>();
  };
  read("across", axes.across);
  read("up", axes.up);
  return axes;
}

Result<std::vector<TracedPoint>> trace_line(const ChartPixels& p, double x_px, double y_px) {
  const auto x0 = static_cast<int>(x_px);
  const auto y0 = static_cast<int>(y_px);
  if (p.width < 8 || p.height < 8 || x0 < 0 || y0 < 0 || x0 >= p.width || y0 >= p.height)
    return bad_input("This place lies outside of the picture.");
  const Colour ground = ground_of(p);
  // The pixel near the place that is the least like the ground, nearer ones first.
  Colour line = ground;
  int line_x = x0;
  int line_y = y0;
  double best = 0.0;
  for (int y = std::max(0, y0 - kNear_px); y <= std::min(p.height - 1, y0 + kNear_px); ++y)
    for (int x = std::max(0, x0 - kNear_px); x <= std::min(p.width - 1, x0 + kNear_px); ++x) {
      const Colour c = pixel(p, x, y);
      const double score = distance(c, ground) - 10.0 * std::hypot(x - x0, y - y0);
      if (score <= best) continue;
      best = score;
      line = c;
      line_x = x;
      line_y = y;
    }
  if (distance(line, ground) < 60.0)
    return bad_input("There is no line near this place that stands out of the ground.");
  const Coverage coverage(p, ground, line);
  const Rules rules = rules_of(p, coverage, line_x, line_y);
  const std::vector<Run> here = runs_of(p, coverage, rules, line_x);
  const Run* start = nullptr;
  for (const Run& run : here)
    if (run.top - 1.5 <= line_y && line_y <= run.bottom + 1.5) start = &run;
  if (start == nullptr) return bad_input("There is no line near this place.");
  // Its width, where it runs flat: the shorter half of the runs nearby.
  std::vector<double> lengths;
  for (int x = std::max(0, line_x - 30); x <= std::min(p.width - 1, line_x + 30); ++x)
    for (const Run& run : runs_of(p, coverage, rules, x))
      if (std::abs(run.middle - start->middle) < 40.0) lengths.push_back(run.length());
  std::sort(lengths.begin(), lengths.end());
  const double width_px = lengths.empty() ? 2.0 : std::max(1.0, lengths[lengths.size() / 4]);
  const Step first{line_x, *start};
  std::vector<Step> path = followed(p, coverage, rules, first, -1, width_px);
  std::reverse(path.begin(), path.end());
  const std::vector<Step> right = followed(p, coverage, rules, first, 1, width_px);
  path.insert(path.end(), right.begin() + 1, right.end());
  // Dashes: each by itself leads nowhere.
  if (std::vector<Step> pieces = followed_pieces(p, coverage, rules, first, width_px);
      !pieces.empty())
    path = std::move(pieces);
  if (path.size() < 8) return bad_input("The line could not be followed from this place.");
  std::vector<TracedPoint> points;
  for (std::size_t i = 0; i < path.size(); ++i)
    points.push_back({path[i].x + 0.5, value_of(path, i, width_px)});
  return points;
}

double snapped_px(const ChartPixels& p, double x_px, double y_px, bool vertical, double reach_px) {
  const Colour ground = ground_of(p);
  const int size = vertical ? p.width : p.height;
  const double at = vertical ? x_px : y_px;
  // How unlike the ground each line of pixels is, over the middle of the picture and near the
  // place.
  const auto unlike = [&](int k) {
    double sum = 0.0;
    const int other = vertical ? p.height : p.width;
    const double middle = vertical ? y_px : x_px;
    for (int i = 0; i < other; ++i) {
      const double weight = std::abs(i - middle) < 12.0 ? 4.0 : 0.25;
      sum += weight * distance(vertical ? pixel(p, k, i) : pixel(p, i, k), ground);
    }
    return sum;
  };
  const int from = std::max(0, static_cast<int>(at - reach_px));
  const int to = std::min(size - 1, static_cast<int>(at + reach_px));
  std::vector<double> sums;
  for (int k = from; k <= to; ++k) sums.push_back(unlike(k));
  if (sums.empty()) return at;
  const double least = *std::min_element(sums.begin(), sums.end());
  const auto top = std::max_element(sums.begin(), sums.end());
  if (*top < 1.3 * least + 500.0) return at;
  // The middle of the line, by its neighbours.
  const auto peak = static_cast<int>(top - sums.begin());
  double weight = 0.0;
  double sum = 0.0;
  for (int k = std::max(0, peak - 1);
       k <= std::min<int>(static_cast<int>(sums.size()) - 1, peak + 1); ++k) {
    const double w = sums[static_cast<std::size_t>(k)] - least;
    weight += w;
    sum += w * (from + k + 0.5);
  }
  return sum / weight;
}

void put_traced(TracedChart& chart, const std::vector<TracedPoint>& points, const ChartAxes& axes) {
  std::map<double, std::pair<double, int>> by_frequency;
  for (const TracedPoint& point : points) {
    const double f = axes.across.value_at(point.x_px);
    const double v = axes.up.value_at(point.y_px);
    if (!(f > 0.0) || !std::isfinite(f) || !std::isfinite(v)) continue;
    auto& cell = by_frequency[f];
    cell.first += v;
    ++cell.second;
  }
  chart.frequency_hz.clear();
  chart.value.clear();
  for (const auto& [f, cell] : by_frequency) {
    chart.frequency_hz.push_back(f);
    chart.value.push_back(cell.first / cell.second);
  }
  chart.axes_json = to_json(axes);
}

std::vector<TracedPoint> traced_points(const TracedChart& chart, const ChartAxes& axes) {
  std::vector<TracedPoint> points;
  for (std::size_t i = 0; i < chart.frequency_hz.size(); ++i)
    points.push_back({axes.across.px_of(chart.frequency_hz[i]), axes.up.px_of(chart.value[i])});
  std::sort(points.begin(), points.end(),
            [](const TracedPoint& a, const TracedPoint& b) { return a.x_px < b.x_px; });
  return points;
}

void pull(std::vector<TracedPoint>& points, double x_px, double y_px, double reach_px) {
  double nearest = 1e300;
  double off = 0.0;
  for (const TracedPoint& point : points) {
    const double away = std::abs(point.x_px - x_px);
    if (away >= nearest) continue;
    nearest = away;
    off = y_px - point.y_px;
  }
  if (nearest > reach_px) {
    // Beyond what was traced: one more point.
    points.push_back({x_px, y_px});
    std::sort(points.begin(), points.end(),
              [](const TracedPoint& a, const TracedPoint& b) { return a.x_px < b.x_px; });
    return;
  }
  for (TracedPoint& point : points) {
    const double share = std::abs(point.x_px - x_px) / reach_px;
    if (share < 1.0) point.y_px += off * std::pow(1.0 - share * share, 2);
  }
}

}  // namespace lalometer
