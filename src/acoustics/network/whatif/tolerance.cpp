#include "acoustics/network/whatif/tolerance.h"

#include <algorithm>
#include <cmath>
#include <random>

#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

/// Even and normal numbers that are the same on every machine.
class Chance {
 public:
  explicit Chance(std::uint64_t seed) : engine_(seed) {}
  double even() { return 2.0 * (static_cast<double>(engine_() >> 11) + 0.5) * 0x1.0p-53 - 1.0; }
  double normal() {
    const double radius = std::sqrt(-2.0 * std::log(0.5 * (even() + 1.0)));
    return radius * std::cos(kPi * even());
  }

 private:
  std::mt19937_64 engine_;
};

void spread(LadderPart& part, const ToleranceWish& w, Chance& chance) {
  // A coil's own resistance goes with its wire, not with the resistors' tolerance.
  const double resistor =
      part.inductance_h > 0.0 || part.capacitance_f > 0.0 ? 0.0 : w.resistor_percent;
  part.inductance_h *= 1.0 + w.coil_percent / 100.0 * chance.even();
  part.capacitance_f *= 1.0 + w.capacitor_percent / 100.0 * chance.even();
  part.resistance_ohm *= 1.0 + resistor / 100.0 * chance.even();
  for (LadderPart& one : part.parts) spread(one, w, chance);
}

}  // namespace

Result<ToleranceBand> tolerance_band(const DesignedNetwork& network,
                                     const std::vector<NetworkDriver>& drivers,
                                     const ToleranceWish& w) {
  const auto drawn = network_sum(network, drivers);
  if (!drawn) return tl::unexpected(drawn.error());
  const std::size_t n = drawn->axis.size();
  // What the drivers are by themselves on this axis, computed once.
  std::vector<std::vector<Complex>> sound, ohm;
  for (const DesignBranch& b : network.branches) {
    const auto d = std::find_if(drivers.begin(), drivers.end(),
                                [&](const NetworkDriver& one) { return one.id == b.driver; });
    sound.push_back(resampled(d->responses.at({}), drawn->axis).values());
    ohm.push_back(resampled(d->impedance, drawn->axis).values());
  }
  Chance chance(w.seed);
  std::vector<std::vector<double>> off(n);
  ToleranceBand out;
  out.lowest_ohm = drawn->load_ohm.empty() ? 0.0 : 1e300;
  for (int trial = 0; trial < w.trials; ++trial) {
    DesignedNetwork one = network;
    std::vector<double> gains;
    for (DesignBranch& b : one.branches) {
      for (LadderPart& part : b.ladder) spread(part, w, chance);
      gains.push_back(std::pow(10.0, w.driver_db * chance.normal() / 20.0));
    }
    for (std::size_t i = 0; i < n; ++i) {
      std::vector<Complex> here;
      for (const auto& z : ohm) here.push_back(z[i]);
      const BranchStates s = branch_states(one, here, drawn->axis[i]);
      Complex sum = 0.0;
      for (std::size_t b = 0; b < s.transfer.size(); ++b)
        sum += gains[b] * s.transfer[b] * sound[b][i];
      off[i].push_back(std::abs(20.0 * std::log10(std::max(std::abs(sum), 1e-30) /
                                                  std::max(std::abs(drawn->sum[i]), 1e-30))));
      if (out.lowest_ohm > 0.0) out.lowest_ohm = std::min(out.lowest_ohm, std::abs(s.load_ohm));
    }
  }
  for (std::size_t i = 0; i < n; ++i) {
    auto& here = off[i];
    const auto at = here.begin() +
                    static_cast<std::ptrdiff_t>(std::min(here.size() - 1, here.size() * 95 / 100));
    std::nth_element(here.begin(), at, here.end());
    out.half_width_db.push_back(*at);
    if (*at <= out.widest_db) continue;
    out.widest_db = *at;
    out.widest_at_hz = drawn->axis[i];
  }
  return out;
}

}  // namespace lalometer
