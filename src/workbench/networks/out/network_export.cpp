#include "workbench/networks/out/network_export.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "acoustics/impedance/box_signature.h"
#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

/// Counts nodes and elements, and writes them down.
class Netlist {
 public:
  int node() { return ++nodes_; }
  void part(const LadderPart& p, const std::string& from, const std::string& to) {
    LadderPart own = p;
    own.parts.clear();
    // Its own elements in series, then what is inside it.
    std::vector<std::pair<char, double>> elements;
    if (own.inductance_h > 0.0) elements.emplace_back('L', own.inductance_h);
    if (own.capacitance_f > 0.0) elements.emplace_back('C', own.capacitance_f);
    if (own.resistance_ohm > 0.0) elements.emplace_back('R', own.resistance_ohm);
    std::string here = from;
    for (std::size_t i = 0; i < elements.size(); ++i) {
      const bool last = i + 1 == elements.size() && p.parts.empty();
      const std::string next = last ? to : fmt::format("n{}", node());
      text_ += fmt::format("{}{} {} {} {}", elements[i].first, ++count_, here, next,
                           shortest(elements[i].second));
      text_ += p.name.empty() ? "\n" : fmt::format(" ; {}\n", p.name);
      here = next;
    }
    if (elements.empty() && p.parts.empty()) wire(from, to);
    for (std::size_t i = 0; i < p.parts.size(); ++i) {
      const bool last = p.join == LadderPart::Join::kParallel || i + 1 == p.parts.size();
      const std::string next = last ? to : fmt::format("n{}", node());
      part(p.parts[i], here, next);
      if (!last) here = next;
    }
  }
  void wire(const std::string& from, const std::string& to) {
    text_ += fmt::format("R{} {} {} 1n\n", ++count_, from, to);
  }
  void line(const std::string& text) { text_ += text + '\n'; }
  [[nodiscard]] const std::string& text() const { return text_; }

 private:
  int nodes_ = 0, count_ = 0;
  std::string text_;
};

/// The driver as its usual circuit: resistance, coil, and the resonance as coil, capacitor and
/// resistor side by side, for each impedance peak.
void add_driver(Netlist& out, const Response& z, const std::string& id, const std::string& node) {
  const auto lowest = impedance_minimum(z, z.axis().front(), 2000.0);
  const double re = lowest ? lowest->magnitude_ohm : std::abs(z.value(0));
  const double top_hz = std::min(z.axis().back(), 10000.0);
  const double coil = z.has_phase() ? value_at(z, top_hz).imag() / (2.0 * kPi * top_hz) : 0.0;
  out.line(
      fmt::format("* {}: a circuit near its measured impedance; sums are computed on that", id));
  std::string here = node;
  const auto element = [&](char kind, const std::string& from, const std::string& to,
                           double value) {
    LadderPart p{.place = LadderPart::Place::kSeries};
    (kind == 'R' ? p.resistance_ohm : kind == 'L' ? p.inductance_h : p.capacitance_f) = value;
    out.part(p, from, to);
  };
  std::vector<ImpedancePeak> peaks = impedance_peaks(z);
  std::erase_if(peaks, [&](const ImpedancePeak& p) { return p.frequency_hz > 5000.0; });
  const auto next = [&] { return fmt::format("n{}", out.node()); };
  for (const ImpedancePeak& p : peaks) {
    // Its Q by where it has fallen to the root of peak times Re (Small 1972).
    const double wanted = std::sqrt(p.magnitude_ohm * re);
    double above = p.frequency_hz;
    while (above < 2.0 * p.frequency_hz && std::abs(value_at(z, above)) > wanted) above *= 1.002;
    const double width = above / p.frequency_hz - p.frequency_hz / above;
    const double q = std::sqrt(p.magnitude_ohm / re) / std::max(width, 0.02);
    const double res = p.magnitude_ohm - re;
    const double w = 2.0 * kPi * p.frequency_hz;
    const std::string to = next();
    element('R', here, to, res);
    element('L', here, to, res / (w * q));
    element('C', here, to, q / (w * res));
    here = to;
  }
  if (coil > 0.0) {
    const std::string to = next();
    element('L', here, to, coil);
    here = to;
  }
  element('R', here, "0", re);
}

}  // namespace

std::string parts_csv(const std::vector<PartLoad>& parts) {
  std::string text = "driver,part,value,unit,peak_a,watt\n";
  for (const PartLoad& p : parts)
    text += fmt::format("{},{},{},{},{:.3f},{:.3f}\n", p.driver, p.part, shortest(p.value), p.unit,
                        p.peak_a, p.watt);
  return text;
}

std::string spice_netlist(const DesignedNetwork& network, const NetworkMaterial& material) {
  Netlist out;
  out.line("* crossover network: 1 V at the amplifier");
  out.line("V1 amp 0 AC 1");
  std::string terminals = "amp";
  if (network.source_ohm > 0.0) {
    terminals = "terminals";
    out.part({.place = LadderPart::Place::kSeries, .resistance_ohm = network.source_ohm}, "amp",
             terminals);
  }
  for (const DesignBranch& b : network.branches) {
    out.line(fmt::format("* branch of {}{}", b.driver,
                         b.polarity < 0 ? ", connected the wrong way round" : ""));
    if (b.active.any())
      out.line("* its gain, delay and filters act before an amplifier of its own: not in here");
    std::string here = terminals;
    for (const LadderPart& part : switched_on(b.ladder)) {
      if (part.place == LadderPart::Place::kShunt) {
        out.part(part, here, "0");
        continue;
      }
      const std::string next = fmt::format("n{}", out.node());
      out.part(part, here, next);
      here = next;
    }
    out.wire(here, b.driver);
    for (const NetworkDriver& d : material.drivers)
      if (d.id == b.driver) add_driver(out, d.impedance, d.id, b.driver);
  }
  out.line(".ac dec 100 20 20k");
  std::string voltages;
  for (const DesignBranch& b : network.branches) voltages += fmt::format(" v({})", b.driver);
  out.line(".print ac" + voltages);
  out.line(".end");
  return out.text();
}

}  // namespace lalometer
