#include "workbench/design/predictions.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "acoustics/baffle/diffraction.h"
#include "acoustics/baffle/rules.h"
#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

constexpr double kC = kSpeedOfSound20_m_s;

std::string mm(double metres) {
  return three_digits(metres * 1e3) + " mm";
}

/// Where a driver leads: a third of an octave beyond its crossovers. Farther out its edges matter
/// little.
struct Range {
  double low_hz = 20.0;
  double high_hz = 20000.0;
  [[nodiscard]] bool contains(double f) const { return f >= low_hz && f <= high_hz; }
};
Range working_range(const SubjectGeometry& g, const SubjectDriver& driver) {
  Range range;
  for (const SubjectCrossover& x : g.crossovers) {
    const double beyond = std::exp2(1.0 / 3.0);
    if (x.high == driver.id) range.low_hz = std::max(range.low_hz, x.frequency_hz / beyond);
    if (x.low == driver.id) range.high_hz = std::min(range.high_hz, x.frequency_hz * beyond);
  }
  return range;
}

class Collector {
 public:
  void at(PredictionGroup group, std::string name, std::string sentence, double hz) {
    band(group, std::move(name), std::move(sentence), hz, hz);
  }
  void band(PredictionGroup group, std::string name, std::string sentence, double low,
            double high) {
    all_.push_back({group, std::move(name), std::move(sentence), low, high});
  }
  [[nodiscard]] std::vector<Prediction> rising() {
    std::stable_sort(all_.begin(), all_.end(), [](const Prediction& a, const Prediction& b) {
      return a.centre_hz() < b.centre_hz();
    });
    return std::move(all_);
  }

 private:
  std::vector<Prediction> all_;
};

void box_predictions(const SubjectGeometry& g, Collector& out) {
  const std::vector<PortGeometry> ports = g.pipes();
  if (!ports.empty() && g.net_volume_m3) {
    const double tuning = helmholtz_hz(*g.acoustic_volume_m3(), ports, kC);
    out.at(PredictionGroup::kBox, "tuning",
           fmt::format(
               "The air in the port against {} l of the box: here the cone moves least and the "
               "port plays. The impedance has its valley.",
               three_digits(*g.net_volume_m3 * 1e3)),
           tuning);
  }
  for (const SubjectPort& port : g.ports) {
    if (!port.geometry) continue;
    out.at(
        PredictionGroup::kBox, "port pipe",
        fmt::format("The port of {} rings like a pipe open at both ends, half a wavelength long.",
                    mm(port.geometry->length_m)),
        pipe_resonance_hz(*port.geometry, kC));
  }
  if (!g.inner) return;
  const double c = inner_speed_m_s(g.damping, kC);
  for (const auto& [name, length] : {std::pair{"height", g.inner->height_m},
                                     {"width", g.inner->width_m},
                                     {"depth", g.inner->depth_m}}) {
    out.at(PredictionGroup::kWave, fmt::format("box {} wave", name),
           fmt::format("Half a wavelength fits the inner {} of {}. It shows as a wiggle in the "
                       "impedance and comes out of cone and port; a lining shrinks it.",
                       name, mm(length)),
           0.5 * c / length);
  }
}

/// Where the edge model of the lowest driver passes -5 dB and -1 dB re the infinite baffle.
std::optional<Range> step_band(const SubjectGeometry& g, const BafflePiston& piston) {
  const FrequencyAxis axis = FrequencyAxis::logarithmic(20.0, 3000.0, 24.0);
  const BafflePoint at = point_at(g.origin_x_m, g.origin_y_m, 2.0, 0.0, 0.0);
  const auto box = baffle_response(*g.baffle, piston, at, axis, kC, DiffractionEffort::kCoarse);
  std::optional<double> low;
  for (std::size_t i = 0; i < box.size(); ++i) {
    const double db = 20.0 * std::log10(std::abs(box[i]));
    if (!low && db > -5.0) low = axis[i];
    if (low && db > -1.0) return Range{*low, axis[i]};
  }
  return std::nullopt;
}

void baffle_predictions(const SubjectGeometry& g, Collector& out) {
  if (!g.baffle) return;
  bool step_told = false;
  for (const SubjectDriver& driver : g.drivers) {
    const auto piston = g.piston(driver);
    if (!piston) continue;
    if (!step_told) {
      if (const auto band = step_band(g, *piston)) {
        out.band(PredictionGroup::kStep, "baffle step",
                 fmt::format("Below, the sound goes round the box of {} width and is 6 dB less in "
                             "front; above, the front carries it.",
                             mm(g.baffle->width_m())),
                 band->low_hz, band->high_hz);
        step_told = true;
      }
    }
    const Range range = working_range(g, driver);
    const std::vector<EdgeRule> edges = edge_rules(*g.baffle, *piston, kC);
    const std::vector<EqualEdges> equal = equal_edges(edges);
    const auto tell = [&](const std::string& names, double distance, bool several) {
      const double dip = kC / distance;
      if (!range.contains(dip)) return;
      out.at(PredictionGroup::kEdge, fmt::format("{}: {}", driver.id, names),
             fmt::format(
                 "{} from the {}: {} wave comes one wavelength later and inverted, a dip on the "
                 "axis that fills in off it. Leave it to the cabinet, not to an equaliser.",
                 mm(distance), driver.id, several ? "their common" : "the edge's"),
             dip);
    };
    for (const EqualEdges& group : equal) {
      tell(fmt::format("edges {}", fmt::join(group.names, ", ")), group.distance_m, true);
    }
    for (const EdgeRule& edge : edges) {
      const bool grouped = std::any_of(equal.begin(), equal.end(), [&](const EqualEdges& e) {
        return std::find(e.names.begin(), e.names.end(), edge.name) != e.names.end();
      });
      if (!grouped) tell("edge " + edge.name, edge.distance_m, false);
    }
  }
}

void driver_predictions(const SubjectGeometry& g, Collector& out) {
  for (const SubjectDriver& driver : g.drivers) {
    if (!driver.radius_m) continue;
    // ka = 2: 4.8 dB less at 90 degrees, 2 J1(2) / 2 (Beranek, Acoustics: piston directivity).
    const double from = 2.0 * kC / (2.0 * kPi * *driver.radius_m);
    const double to = std::min(working_range(g, driver).high_hz, 20000.0);
    if (from >= to) continue;
    out.band(PredictionGroup::kBeaming, fmt::format("{} beams", driver.id),
             fmt::format("Above, the wavelength is shorter than the circumference of {}: the sides "
                         "get less and less.",
                         mm(2.0 * kPi * *driver.radius_m)),
             from, to);
  }
  for (const SubjectCrossover& x : g.crossovers) {
    const double third = std::exp2(1.0 / 3.0);
    out.band(PredictionGroup::kCrossover, "crossover",
             fmt::format("{} and {} both play around {}; their phase decides the sum, and in which "
                         "direction it points.",
                         x.low, x.high, frequency_text(x.frequency_hz)),
             x.frequency_hz / third, x.frequency_hz * third);
    const SubjectDriver* low = g.driver(x.low);
    const SubjectDriver* high = g.driver(x.high);
    if (low == nullptr || high == nullptr) continue;
    const double apart = std::hypot(low->x_m - high->x_m, low->y_m - high->y_m);
    if (apart <= 0.0) continue;
    out.at(
        PredictionGroup::kCrossover, "centres 1 λ",
        fmt::format("{} and {} lie {} apart. A crossover above this frequency has nulls within 30° "
                    "in their plane.",
                    x.low, x.high, mm(apart)),
        kC / apart);
  }
}

}  // namespace

double Prediction::centre_hz() const {
  return std::sqrt(low_hz * high_hz);
}

std::vector<Prediction> predictions_of(const SubjectGeometry& g, const PredictionContext& context) {
  Collector out;
  box_predictions(g, out);
  baffle_predictions(g, out);
  driver_predictions(g, out);
  if (context.gate_s > 0.0) {
    out.at(PredictionGroup::kLimit, "gate limit",
           fmt::format("A gate of {:.2f} ms says nothing below 1/T.", context.gate_s * 1e3),
           1.0 / context.gate_s);
  }
  if (context.reflection_s > 0.0) {
    out.at(PredictionGroup::kLimit, "reflection dip",
           fmt::format("The first reflection comes {:.2f} ms late: without a gate it would cancel "
                       "here, at half a wavelength.",
                       context.reflection_s * 1e3),
           0.5 / context.reflection_s);
  }
  return out.rising();
}

}  // namespace lalometer
