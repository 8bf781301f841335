#include "acoustics/network/whatif/network_sum.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "acoustics/network/network.h"
#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

const NetworkDriver* driver_of(const std::vector<NetworkDriver>& drivers, const std::string& id) {
  const auto found = std::find_if(drivers.begin(), drivers.end(),
                                  [&](const NetworkDriver& d) { return d.id == id; });
  return found == drivers.end() ? nullptr : &*found;
}

/// Values of a curve over an axis; beyond its ends the last value.
std::vector<Complex> over(const Response& curve, const FrequencyAxis& axis) {
  const auto& own = curve.axis().hz();
  // Curves that were brought to one axis before are summed many times while a value is dragged.
  if (own.size() == axis.size() && std::equal(own.begin(), own.end(), axis.hz().begin()))
    return curve.values();
  return resampled(curve, axis).values();
}

Result<std::vector<const NetworkDriver*>> drivers_of(const DesignedNetwork& network,
                                                     const std::vector<NetworkDriver>& drivers) {
  if (network.branches.empty()) return bad_input("The network has no branch.");
  std::vector<const NetworkDriver*> all;
  for (const DesignBranch& b : network.branches) {
    const NetworkDriver* d = driver_of(drivers, b.driver);
    if (d == nullptr)
      return bad_input(
          fmt::format("There is no take of \"{}\" alone with its impedance.", b.driver));
    const auto axis = d->responses.find(NetworkAngle{});
    if (axis == d->responses.end())
      return bad_input(fmt::format("\"{}\" alone has no response on the axis.", b.driver));
    if (!axis->second.has_phase())
      return bad_input(fmt::format(
          "The response of \"{}\" has no phase: without it nothing can be summed.", b.driver));
    if (!d->impedance.has_phase())
      return bad_input(fmt::format(
          "The impedance of \"{}\" has no phase: what a network does to it is not known.",
          b.driver));
    all.push_back(d);
  }
  return all;
}

/// The rows of the first that all the others have as well.
Result<FrequencyAxis> common_axis(const std::vector<const NetworkDriver*>& drivers) {
  double low = 0.0, high = 1e300;
  for (const NetworkDriver* d : drivers) {
    const FrequencyAxis& axis = d->responses.at({}).axis();
    low = std::max(low, axis.front());
    high = std::min(high, axis.back());
  }
  std::vector<double> hz;
  for (const double f : drivers.front()->responses.at({}).axis().hz())
    if (f >= low * (1.0 - 1e-9) && f <= high * (1.0 + 1e-9)) hz.push_back(f);
  if (hz.size() < 2) return bad_input("The drivers' responses have no band in common.");
  return FrequencyAxis::make(std::move(hz));
}

/// How far a driver of a branch stands from where it was taken.
std::array<double, 3> moved_by(const DesignedNetwork& network, const DesignBranch& branch,
                               const NetworkDriver& driver) {
  std::array<double, 3> by = branch.moved_m;
  if (network.tilt_deg == 0.0) return by;
  const double t = network.tilt_deg * kPi / 180.0;
  const double y = driver.place_m[1] + by[1], z = driver.place_m[2] + by[2];
  by[1] += y * std::cos(t) + z * std::sin(t) - y;
  by[2] += z * std::cos(t) - y * std::sin(t) - z;
  return by;
}

/// Turns a driver's sound by the way that it is nearer to a listener far off.
void move(std::vector<Complex>& pressure, const FrequencyAxis& axis,
          const std::array<double, 3>& by, const NetworkAngle& angle) {
  const double h = angle.horizontal_deg * kPi / 180.0, v = angle.vertical_deg * kPi / 180.0;
  const double nearer_m =
      by[0] * std::sin(h) * std::cos(v) + by[1] * std::sin(v) + by[2] * std::cos(h) * std::cos(v);
  if (nearer_m == 0.0) return;
  for (std::size_t i = 0; i < pressure.size(); ++i)
    pressure[i] *= std::polar(1.0, 2.0 * kPi * axis[i] * nearer_m / kSpeedOfSound20_m_s);
}

double level(Complex p) {
  return 20.0 * std::log10(std::max(std::abs(p), 1e-30));
}

}  // namespace

bool ActivePart::any() const {
  return gain_db != 0.0 || delay_s != 0.0 || !filters.empty() || !sections.empty() || !fir.empty();
}

Complex ActivePart::at(double f) const {
  Complex h = std::pow(10.0, gain_db / 20.0) * std::polar(1.0, -2.0 * kPi * f * delay_s);
  for (const BandFilter& one : filters) h *= biquad_of(one, sample_rate_hz).at(f, sample_rate_hz);
  for (const Biquad& one : sections) h *= one.at(f, sample_rate_hz);
  if (fir.empty()) return h;
  // Horner's rule over the delays.
  const Complex z = std::polar(1.0, -2.0 * kPi * f / sample_rate_hz);
  Complex sum = 0.0;
  for (auto tap = fir.rbegin(); tap != fir.rend(); ++tap) sum = sum * z + *tap;
  return h * sum;
}

BranchStates branch_states(const DesignedNetwork& network, const std::vector<Complex>& driver_ohm,
                           double f) {
  BranchStates out;
  out.transfer.resize(network.branches.size());
  std::vector<NetworkBranch> passive;
  std::vector<std::size_t> at;
  std::size_t amplifiers = 0;
  for (std::size_t b = 0; b < network.branches.size(); ++b) {
    const DesignBranch& branch = network.branches[b];
    const double sign = branch.polarity < 0 ? -1.0 : 1.0;
    if (!branch.active.any()) {
      passive.push_back({switched_on(branch.ladder), driver_ohm[b]});
      at.push_back(b);
      continue;
    }
    const NetworkBranch alone{switched_on(branch.ladder), driver_ohm[b]};
    const NetworkState s = solve_network({&alone, 1}, network.source_ohm, f);
    out.transfer[b] = sign * branch.active.at(f) * s.transfer[0];
    out.load_ohm = s.input_ohm;
    ++amplifiers;
  }
  if (passive.empty()) {
    if (amplifiers != 1) out.load_ohm = 0.0;
    return out;
  }
  const NetworkState s = solve_network(passive, network.source_ohm, f);
  for (std::size_t i = 0; i < at.size(); ++i)
    out.transfer[at[i]] = (network.branches[at[i]].polarity < 0 ? -1.0 : 1.0) * s.transfer[i];
  out.load_ohm = s.input_ohm;
  return out;
}

Result<NetworkSum> network_sum(const DesignedNetwork& network,
                               const std::vector<NetworkDriver>& all) {
  const auto drivers = drivers_of(network, all);
  if (!drivers) return tl::unexpected(drivers.error());
  auto axis = common_axis(*drivers);
  if (!axis) return tl::unexpected(axis.error());
  NetworkSum out{.axis = *std::move(axis)};
  const std::size_t n = out.axis.size();
  std::vector<std::vector<Complex>> ohm;
  std::vector<std::array<double, 3>> moves;
  for (std::size_t b = 0; b < drivers->size(); ++b) {
    const NetworkDriver& d = *(*drivers)[b];
    out.valid = intersect(out.valid, d.responses.at({}).valid());
    ohm.push_back(over(d.impedance, out.axis));
    moves.push_back(moved_by(network, network.branches[b], d));
    std::vector<Complex> ahead = over(d.responses.at({}), out.axis);
    move(ahead, out.axis, moves.back(), {});
    out.branches.push_back({d.id, std::move(ahead), std::vector<Complex>(n)});
  }
  out.load_ohm.resize(n);
  for (std::size_t i = 0; i < n; ++i) {
    std::vector<Complex> here;
    for (const auto& z : ohm) here.push_back(z[i]);
    const BranchStates s = branch_states(network, here, out.axis[i]);
    for (std::size_t b = 0; b < s.transfer.size(); ++b) out.branches[b].transfer[i] = s.transfer[b];
    out.load_ohm[i] = s.load_ohm;
  }
  if (out.load_ohm.front() == Complex(0.0)) out.load_ohm.clear();
  out.sum.assign(n, 0.0);
  for (NetworkSum::Branch& b : out.branches)
    for (std::size_t i = 0; i < n; ++i) out.sum[i] += b.pressure[i] *= b.transfer[i];
  for (const auto& [angle, first] : drivers->front()->responses) {
    if (angle == NetworkAngle{}) continue;
    const bool everywhere =
        std::all_of(drivers->begin(), drivers->end(), [&](const NetworkDriver* d) {
          const auto found = d->responses.find(angle);
          return found != d->responses.end() && found->second.has_phase();
        });
    if (!everywhere) continue;
    std::vector<Complex>& sum = out.angles[angle];
    sum.assign(n, 0.0);
    for (std::size_t b = 0; b < drivers->size(); ++b) {
      std::vector<Complex> p = over((*drivers)[b]->responses.at(angle), out.axis);
      move(p, out.axis, moves[b], angle);
      for (std::size_t i = 0; i < n; ++i) sum[i] += p[i] * out.branches[b].transfer[i];
    }
  }
  return out;
}

std::vector<NetworkCrossing> network_crossings(const NetworkSum& s) {
  // In the order of where their levels' weight lies.
  std::vector<std::pair<double, std::size_t>> order;
  double loudest = -1e300;
  for (const auto& b : s.branches)
    for (const Complex p : b.pressure) loudest = std::max(loudest, level(p));
  for (std::size_t b = 0; b < s.branches.size(); ++b) {
    double weight = 0.0, centre = 0.0;
    for (std::size_t i = 1; i + 1 < s.axis.size(); ++i) {
      const double w =
          std::norm(s.branches[b].pressure[i]) * std::log(s.axis[i + 1] / s.axis[i - 1]);
      weight += w;
      centre += w * std::log(s.axis[i]);
    }
    order.emplace_back(weight > 0.0 ? centre / weight : 0.0, b);
  }
  std::sort(order.begin(), order.end());
  std::vector<NetworkCrossing> all;
  for (std::size_t k = 0; k + 1 < order.size(); ++k) {
    const auto& low = s.branches[order[k].second];
    const auto& high = s.branches[order[k + 1].second];
    std::optional<NetworkCrossing> best;
    double best_level = -1e300;
    for (std::size_t i = 0; i + 1 < s.axis.size(); ++i) {
      const double here = level(low.pressure[i]) - level(high.pressure[i]);
      const double next = level(low.pressure[i + 1]) - level(high.pressure[i + 1]);
      if (here < 0.0 || next >= 0.0) continue;
      const double share = here / (here - next);
      const double at_level =
          level(low.pressure[i]) + share * (level(low.pressure[i + 1]) - level(low.pressure[i]));
      // Far down two noise floors may cross as well.
      if (at_level <= best_level) continue;
      best_level = at_level;
      const double f = s.axis[i] * std::pow(s.axis[i + 1] / s.axis[i], share);
      const auto between = [&](std::size_t at) {
        return std::arg(high.pressure[at] / low.pressure[at]);
      };
      double turn = between(i + 1) - between(i);
      turn = std::remainder(turn, 2.0 * kPi);
      best =
          NetworkCrossing{low.driver, high.driver, f,
                          std::remainder(between(i) + share * turn, 2.0 * kPi) * 180.0 / kPi, 0.0};
    }
    if (!best) continue;
    double deepest = 1e300, louder = 0.0;
    const double reach = std::exp2(1.0 / 3.0);
    for (std::size_t i = 0; i < s.axis.size(); ++i) {
      if (s.axis[i] < best->frequency_hz / reach || s.axis[i] > best->frequency_hz * reach)
        continue;
      const double here = level(low.pressure[i] - high.pressure[i]);
      if (here >= deepest) continue;
      deepest = here;
      louder = std::max(level(low.pressure[i]), level(high.pressure[i]));
    }
    best->reverse_null_db = louder - deepest;
    all.push_back(*best);
  }
  return all;
}

}  // namespace lalometer
