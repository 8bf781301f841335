#include "acoustics/enclosure/port.h"

#include <algorithm>
#include <cmath>

#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

double end_correction(PortEnd end) {
  return end == PortEnd::kFree ? 0.613 : 0.849;
}

double corrections_m(const PortGeometry& port) {
  const bool mirrored = port.slot_height_m > 0.0 && port.along_wall;
  const double inner = end_correction(port.inner) * (mirrored ? std::sqrt(2.0) : 1.0);
  return (inner + end_correction(port.outer)) * port.equivalent_radius_m() - port.flare_radius_m;
}

double one_area_m2(const PortGeometry& port) {
  return port.slot_height_m > 0.0 ? port.diameter_m * port.slot_height_m
                                  : kPi * port.diameter_m * port.diameter_m / 4.0;
}

}  // namespace

double PortGeometry::area_m2() const {
  return count * one_area_m2(*this);
}

double PortGeometry::equivalent_radius_m() const {
  return std::sqrt(one_area_m2(*this) / kPi);
}

double acoustic_length_m(const PortGeometry& port) {
  return port.length_m + corrections_m(port);
}

double helmholtz_hz(double volume_m3, const std::vector<PortGeometry>& ports, double c) {
  double sum = 0.0;
  for (const PortGeometry& port : ports) sum += port.area_m2() / acoustic_length_m(port);
  return c / (2.0 * kPi) * std::sqrt(sum / volume_m3);
}

Result<double> port_length_for(double tuning_hz, double volume_m3, const PortGeometry& port,
                               double c) {
  const double w = 2.0 * kPi * tuning_hz / c;
  const double length = port.area_m2() / (w * w * volume_m3) - corrections_m(port);
  if (!(length > 0.0)) {
    return bad_input(
        fmt::format("A port of {} cm² cannot tune {} l to {}: even without any length it tunes "
                    "lower. Take less "
                    "area or a larger box.",
                    three_digits(port.area_m2() * 1e4), three_digits(volume_m3 * 1e3),
                    frequency_text(tuning_hz)));
  }
  return length;
}

std::optional<double> note_hz(std::string_view name) {
  constexpr std::string_view kLetters = "C.D.EF.G.A.B";
  if (name.size() < 2) return std::nullopt;
  const std::size_t letter = name[0] == '.' ? std::string_view::npos : kLetters.find(name[0]);
  if (letter == std::string_view::npos) return std::nullopt;
  int semitone = static_cast<int>(letter);
  std::size_t at = 1;
  if (name[at] == '#' || name[at] == 'b') semitone += name[at++] == '#' ? 1 : -1;
  if (at + 1 != name.size() || name[at] < '0' || name[at] > '9') return std::nullopt;
  semitone += 12 * (name[at] - '0' + 1);  // C-1 is 0, A4 is 69
  return 440.0 * std::exp2((semitone - 69) / 12.0);
}

double pipe_resonance_hz(const PortGeometry& port, double c) {
  return 0.5 * c / acoustic_length_m(port);
}

std::optional<std::string> clearance_problem(const PortGeometry& port, double inner_depth_m) {
  if (port.length_m >= inner_depth_m) {
    return fmt::format("The port of {} mm is longer than the box is deep inside ({} mm).",
                       three_digits(port.length_m * 1e3), three_digits(inner_depth_m * 1e3));
  }
  const double wanted = 2.0 * port.equivalent_radius_m();
  if (inner_depth_m - port.length_m < wanted) {
    return fmt::format("The port ends {} mm before the wall; a port diameter ({} mm) is wanted.",
                       three_digits((inner_depth_m - port.length_m) * 1e3),
                       three_digits(wanted * 1e3));
  }
  return std::nullopt;
}

Result<double> net_volume_m3(const VolumeLedger& l) {
  const double net = l.gross_m3 - l.drivers_m3 - l.ports_m3 - l.braces_m3 - l.crossover_m3;
  if (!(net > 0.0)) {
    return bad_input(fmt::format(
        "Of {} l gross nothing is left: drivers {} l, ports {} l, braces {} l, crossover {} l.",
        three_digits(l.gross_m3 * 1e3), three_digits(l.drivers_m3 * 1e3),
        three_digits(l.ports_m3 * 1e3), three_digits(l.braces_m3 * 1e3),
        three_digits(l.crossover_m3 * 1e3)));
  }
  return net;
}

}  // namespace lalometer
