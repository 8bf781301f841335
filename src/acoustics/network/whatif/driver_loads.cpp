#include <algorithm>
#include <cmath>
#include <limits>

#include "acoustics/impedance/box_signature.h"
#include "acoustics/network/whatif/network_sum.h"
#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

constexpr double kLow_hz = 20.0, kHigh_hz = 20000.0;
constexpr double kCrest = 4.0;  // 12 dB
constexpr std::size_t kSteps = 240;

Complex impedance_at(const NetworkDriver& d, double f) {
  return value_at(d.impedance,
                  std::clamp(f, d.impedance.axis().front(), d.impedance.axis().back()));
}

/// Branches that share an amplifier with this one.
DesignedNetwork sharing(const DesignedNetwork& network, std::size_t branch) {
  DesignedNetwork out{.source_ohm = network.source_ohm};
  if (network.branches[branch].active.any()) {
    out.branches = {network.branches[branch]};
    return out;
  }
  for (const DesignBranch& b : network.branches)
    if (!b.active.any()) out.branches.push_back(b);
  return out;
}

}  // namespace

double excursion_m_per_v(const NetworkDriver& d, double f) {
  if (!d.motor || !(d.motor->bl_tm > 0.0)) return std::numeric_limits<double>::quiet_NaN();
  const double w = 2.0 * kPi * f;
  const Complex z = impedance_at(d, f);
  const Complex moving = z - Complex(d.motor->re_ohm, w * d.motor->le_h);
  return std::abs(moving) / (std::abs(z) * d.motor->bl_tm * w);
}

NetworkStates network_states(const DesignedNetwork& network,
                             const std::vector<NetworkDriver>& drivers) {
  NetworkStates out;
  std::vector<const NetworkDriver*> of;
  double low = kLow_hz, high = kHigh_hz;
  for (const DesignBranch& b : network.branches) {
    const auto found = std::find_if(drivers.begin(), drivers.end(),
                                    [&](const NetworkDriver& d) { return d.id == b.driver; });
    if (found == drivers.end()) return out;
    of.push_back(&*found);
    low = std::max(low, found->impedance.axis().front());
    high = std::min(high, found->impedance.axis().back());
  }
  if (of.empty() || !(high > low)) return out;
  out.transfer.resize(of.size());
  const FrequencyAxis axis = FrequencyAxis::logarithmic(low, high, 24.0);
  for (const double f : axis.hz()) {
    std::vector<Complex> ohm;
    for (const NetworkDriver* d : of) ohm.push_back(impedance_at(*d, f));
    const BranchStates s = branch_states(network, ohm, f);
    out.hz.push_back(f);
    if (s.load_ohm != 0.0) out.load_ohm.push_back(s.load_ohm);
    for (std::size_t b = 0; b < of.size(); ++b) out.transfer[b].push_back(s.transfer[b]);
  }
  return out;
}

std::vector<DriverLoad> driver_loads(const DesignedNetwork& network,
                                     const std::vector<NetworkDriver>& drivers, double power_w) {
  std::vector<DriverLoad> all;
  for (std::size_t b = 0; b < network.branches.size(); ++b) {
    const DesignedNetwork shared = sharing(network, b);
    std::vector<const NetworkDriver*> of;
    std::size_t own = 0;
    for (const DesignBranch& branch : shared.branches)
      for (const NetworkDriver& d : drivers) {
        if (d.id != branch.driver) continue;
        if (d.id == network.branches[b].driver) own = of.size();
        of.push_back(&d);
      }
    if (of.size() != shared.branches.size()) continue;
    const NetworkDriver& driver = *of[own];
    double smallest = 1e300, volts2 = 0.0, watt = 0.0, metres2 = 0.0;
    for (std::size_t k = 0; k <= kSteps; ++k) {
      const double f = kLow_hz * std::pow(kHigh_hz / kLow_hz,
                                          static_cast<double>(k) / static_cast<double>(kSteps));
      std::vector<Complex> ohm;
      for (const NetworkDriver* d : of) ohm.push_back(impedance_at(*d, f));
      const BranchStates s = branch_states(shared, ohm, f);
      smallest = std::min(smallest, std::abs(s.load_ohm));
      // Equal power in equal ratios, by the trapezoidal rule.
      const double weight = (k == 0 || k == kSteps ? 0.5 : 1.0) / static_cast<double>(kSteps);
      const double v2 = weight * std::norm(s.transfer[own]);
      volts2 += v2;
      watt += v2 * ohm[own].real() / std::norm(ohm[own]);
      if (driver.motor) metres2 += v2 * std::pow(excursion_m_per_v(driver, f), 2);
    }
    const double noise2 = power_w * nominal_impedance_ohm(smallest).value_or(smallest);
    DriverLoad load{driver.id, std::sqrt(noise2 * volts2), noise2 * watt};
    if (driver.motor) {
      load.peak_mm = 1e3 * kCrest * std::sqrt(noise2 * metres2);
      if (driver.motor->xmax_m > 0.0) load.xmax_mm = 1e3 * driver.motor->xmax_m;
    }
    all.push_back(std::move(load));
  }
  return all;
}

}  // namespace lalometer
