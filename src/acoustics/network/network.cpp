#include "acoustics/network/network.h"

#include <Eigen/Dense>
#include <algorithm>

#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;
constexpr double kWire_ohm = 1e-9;
constexpr std::size_t kGround = 0;
constexpr std::size_t kSource = 1;

/// An admittance between two nodes.
struct Element {
  std::size_t from;
  std::size_t to;
  Complex admittance;
};

class Circuit {
 public:
  explicit Circuit(double frequency_hz) : frequency_hz_(frequency_hz) {}

  std::size_t node() { return nodes_++; }
  void add(std::size_t from, std::size_t to, Complex impedance) {
    if (std::abs(impedance) < kWire_ohm) impedance = kWire_ohm;
    elements_.push_back({from, to, 1.0 / impedance});
  }

  /// A part and all inside it, between two nodes; elements are noted by their path.
  void add_part(const LadderPart& part, std::size_t from, std::size_t to, std::size_t branch,
                std::vector<std::size_t>& path) {
    LadderPart own = part;
    own.parts.clear();
    const bool has_own =
        own.resistance_ohm > 0.0 || own.inductance_h > 0.0 || own.capacitance_f > 0.0;
    std::size_t here = from;
    if (has_own || part.parts.empty()) {
      const std::size_t next = part.parts.empty() ? to : node();
      note(branch, path);
      add(here, next, own.impedance_ohm(frequency_hz_));
      here = next;
    }
    for (std::size_t i = 0; i < part.parts.size(); ++i) {
      path.push_back(i);
      const bool last = part.join == LadderPart::Join::kParallel || i + 1 == part.parts.size();
      const std::size_t end = last ? to : node();
      add_part(part.parts[i], here, end, branch, path);
      if (!last) here = end;
      path.pop_back();
    }
  }

  /// Voltages at all nodes for one volt at the source.
  [[nodiscard]] std::vector<Complex> solved() const {
    const auto n = static_cast<Eigen::Index>(nodes_) - 2;
    std::vector<Complex> volts(nodes_, 0.0);
    volts[kSource] = 1.0;
    if (n <= 0) return volts;
    Eigen::MatrixXcd y = Eigen::MatrixXcd::Zero(n, n);
    Eigen::VectorXcd i = Eigen::VectorXcd::Zero(n);
    const auto row = [](std::size_t node) { return static_cast<Eigen::Index>(node) - 2; };
    for (const Element& e : elements_) {
      for (const auto& [a, b] : {std::pair{e.from, e.to}, std::pair{e.to, e.from}}) {
        if (a < 2) continue;
        y(row(a), row(a)) += e.admittance;
        if (b >= 2) y(row(a), row(b)) -= e.admittance;
        if (b == kSource) i(row(a)) += e.admittance;
      }
    }
    const Eigen::VectorXcd v = y.partialPivLu().solve(i);
    for (Eigen::Index k = 0; k < n; ++k) volts[static_cast<std::size_t>(k) + 2] = v(k);
    return volts;
  }

  [[nodiscard]] std::vector<PartState> parts(const std::vector<Complex>& volts) const {
    std::vector<PartState> states;
    for (const Noted& one : noted_) {
      const Element& e = elements_[one.element];
      const Complex across = volts[e.from] - volts[e.to];
      states.push_back({one.branch, one.path, across, across * e.admittance});
    }
    return states;
  }
  [[nodiscard]] Complex current_from_source(const std::vector<Complex>& volts) const {
    Complex sum = 0.0;
    for (const Element& e : elements_) {
      if (e.from == kSource) sum += (volts[e.from] - volts[e.to]) * e.admittance;
      if (e.to == kSource) sum -= (volts[e.from] - volts[e.to]) * e.admittance;
    }
    return sum;
  }

 private:
  void note(std::size_t branch, const std::vector<std::size_t>& path) {
    noted_.push_back({elements_.size(), branch, path});
  }
  struct Noted {
    std::size_t element;
    std::size_t branch;
    std::vector<std::size_t> path;
  };
  double frequency_hz_;
  std::size_t nodes_ = 2;
  std::vector<Element> elements_;
  std::vector<Noted> noted_;
};

}  // namespace

NetworkState solve_network(std::span<const NetworkBranch> branches, double source_ohm,
                           double frequency_hz) {
  Circuit circuit(frequency_hz);
  std::size_t terminals = kSource;
  if (source_ohm > 0.0) {
    terminals = circuit.node();
    circuit.add(kSource, terminals, source_ohm);
  }
  std::vector<std::size_t> loads;
  for (std::size_t b = 0; b < branches.size(); ++b) {
    std::size_t here = terminals;
    for (std::size_t i = 0; i < branches[b].ladder.size(); ++i) {
      const LadderPart& part = branches[b].ladder[i];
      std::vector<std::size_t> path = {i};
      if (part.place == LadderPart::Place::kShunt) {
        circuit.add_part(part, here, kGround, b, path);
        continue;
      }
      const std::size_t next = circuit.node();
      circuit.add_part(part, here, next, b, path);
      here = next;
    }
    circuit.add(here, kGround, branches[b].load_ohm);
    loads.push_back(here);
  }
  const std::vector<Complex> volts = circuit.solved();
  NetworkState state;
  state.input_ohm = 1.0 / circuit.current_from_source(volts) - source_ohm;
  for (const std::size_t node : loads) state.transfer.push_back(volts[node]);
  state.parts = circuit.parts(volts);
  return state;
}

}  // namespace lalometer
