#include "diagnosis/view/bass/losses.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <complex>

#include "acoustics/enclosure/driver_circuit.h"
#include "base/constants.h"
#include "diagnosis/view/features.h"

namespace lalometer {
namespace {

/// Stuffing before the port may damp the air of the box a little as well.
/// Its own loss is a flow resistance, or grows with the frequency as a rough pipe's.
enum class Loss {
  kLeak,
  kLeakAndAir,
  kLeakAndPort,
  kPort,
  kPortAndAir,
  kPipe,
  kPipeAndAir,
  kAbsorption
};

/// An ordinary box's own.
constexpr double kUsualLeak = 14.0;
constexpr double kLinedAir = 20.0;
constexpr double kUsualPort = 25.0;
constexpr std::size_t kCount = 9;  // fs, Qms, Qes, alpha, fB, the loss, Re, coil, capacitor: logs
using Point = std::array<double, kCount>;

struct Target {
  std::vector<double> frequency_hz;
  std::vector<double> log_z;
  std::array<bool, kCount> held = {};
  Loss loss = Loss::kLeak;
};

double misfit(const Point& p, const Target& t) {
  const double re = std::exp(p[6]);
  const DriverParameters driver = elements_of({.fs_hz = std::exp(p[0]),
                                               .qms = std::exp(p[1]),
                                               .qes = std::exp(p[2]),
                                               .vas_m3 = 0.02,
                                               .sd_m2 = 0.013,
                                               .re_ohm = re,
                                               .le_h = std::exp(p[7])});
  BoxLoad box{.kind = BoxLoad::Kind::kVented};
  box.volume_m3 = 0.02 / std::exp(p[3]);
  box.tuning_hz = std::exp(p[4]);
  const double q = std::exp(p[5]);
  const bool leak =
      t.loss == Loss::kLeak || t.loss == Loss::kLeakAndAir || t.loss == Loss::kLeakAndPort;
  box.ql = leak ? q : kUsualLeak;
  if (t.loss == Loss::kLeakAndAir) box.qa = kLinedAir;
  if (t.loss == Loss::kLeakAndPort) {
    box.qp = kUsualPort;
    box.qa = kLinedAir;
  }
  const bool pipe =
      t.loss == Loss::kPipe || t.loss == Loss::kPipeAndAir || t.loss == Loss::kLeakAndPort;
  if (t.loss == Loss::kPort || t.loss == Loss::kPortAndAir || (pipe && !leak)) box.qp = q;
  if (t.loss == Loss::kPortAndAir || t.loss == Loss::kPipeAndAir) box.qa = 2.0 * q;
  if (pipe) {
    constexpr double kArea_m2 = 20e-4;
    const double w = 2.0 * kPi * box.tuning_hz / kSpeedOfSound20_m_s;
    box.pipe = PortPipe{kArea_m2, kArea_m2 / (w * w * box.volume_m3)};
  }
  if (t.loss == Loss::kAbsorption) box.qa = q;
  double sum = 0.0;
  for (std::size_t i = 0; i < t.frequency_hz.size(); ++i) {
    std::complex<double> z = solve_driver(driver, box, t.frequency_hz[i]).impedance_ohm;
    // What a crossover has across.
    if (!t.held[8])
      z = 1.0 /
          (1.0 / z + std::complex<double>(0.0, 2.0 * kPi * t.frequency_hz[i] * std::exp(p[8])));
    sum += std::pow(std::log(std::abs(z)) - t.log_z[i], 2);
  }
  return std::sqrt(sum / static_cast<double>(t.frequency_hz.size()));
}

/// The simplex of Nelder and Mead (Computer Journal 7 (1965) 308) over what is not held.
double least(Point& best, const Target& t) {
  std::vector<std::size_t> free;
  for (std::size_t i = 0; i < kCount; ++i)
    if (!t.held[i]) free.push_back(i);
  std::vector<std::pair<double, Point>> simplex = {{misfit(best, t), best}};
  for (const std::size_t i : free) {
    Point p = best;
    p[i] += i == 5 || i > 6 ? 0.4 : 0.06;
    simplex.emplace_back(misfit(p, t), p);
  }
  const auto order = [&] {
    std::sort(simplex.begin(), simplex.end(),
              [](const auto& a, const auto& b) { return a.first < b.first; });
  };
  for (int round = 0; round < 350; ++round) {
    order();
    if (simplex.back().first - simplex.front().first < 1e-7) break;
    Point middle = {};
    for (std::size_t k = 0; k + 1 < simplex.size(); ++k)
      for (std::size_t i = 0; i < kCount; ++i)
        middle[i] += simplex[k].second[i] / static_cast<double>(simplex.size() - 1);
    const auto moved = [&](double by) {
      Point p = middle;
      for (const std::size_t i : free) p[i] += by * (middle[i] - simplex.back().second[i]);
      return std::pair(misfit(p, t), p);
    };
    auto next = moved(1.0);
    if (next.first < simplex.front().first) {
      if (auto farther = moved(2.0); farther.first < next.first) next = farther;
    } else if (next.first >= simplex[simplex.size() - 2].first) {
      next = moved(next.first < simplex.back().first ? 0.5 : -0.5);
      if (next.first >= simplex.back().first) {
        for (std::size_t k = 1; k < simplex.size(); ++k) {
          for (const std::size_t i : free)
            simplex[k].second[i] += 0.5 * (simplex.front().second[i] - simplex[k].second[i]);
          simplex[k].first = misfit(simplex[k].second, t);
        }
        continue;
      }
    }
    simplex.back() = next;
  }
  order();
  best = simplex.front().second;
  return simplex.front().first;
}

}  // namespace

std::optional<LossKinds> loss_kinds(const Response& z, const BoxFit& fit, const DriverFit* free_air,
                                    bool crossed) {
  Target t;
  for (double f = 0.7 * fit.fl_hz.value; f < 1.5 * fit.fh_hz.value; f *= std::exp2(1.0 / 16)) {
    const double at = std::abs(value_at(z, f));
    if (!(at > 0.0) || !std::isfinite(at)) continue;
    t.frequency_hz.push_back(f);
    t.log_z.push_back(std::log(at));
  }
  if (t.frequency_hz.size() < 12) return std::nullopt;
  const bool free = free_air != nullptr;
  const auto log_of = [](double x) { return std::log(std::max(x, 1e-6)); };
  Point start = {
      log_of(free ? free_air->fs_hz.value : fit.driver_fs_hz.value),
      log_of(free ? free_air->qms.value : fit.driver_qms.value),
      log_of(free ? free_air->qes.value : fit.driver_qes.value),
      log_of(fit.alpha.value),
      log_of(fit.fb_hz.value),
      log_of(fit.ql ? fit.ql->value : 5.0),
      log_of(fit.re_ohm.value),
      log_of((free ? std::max(free_air->le_1khz_h.value, 1e-5) : 2e-4) + (crossed ? 6e-4 : 0.0)),
      std::log(4e-6)};
  // The suspension's resonance moves a little with the box's air load; the losses do not.
  t.held[1] = free;
  t.held[7] = !crossed;
  t.held[8] = !crossed;
  LossKinds out;
  const double rows = scatter_db(z, 0.6 * fit.fl_hz.value, 6.0 * fit.fh_hz.value).value_or(0.02);
  out.unexplained = fit.misfit_percent / (100.0 * std::expm1(std::max(rows, 0.004) / 8.686));
  out.whole = z.axis().front() < 0.75 * fit.fl_hz.value;
  const auto of = [&](Loss loss, double& q) {
    Point p = start;
    t.loss = loss;
    // A simplex that has shrunk too early is set up anew.
    double m = least(p, t);
    for (int again = 0; again < 3; ++again) m = least(p, t);
    q = std::exp(p[5]);
    return m;
  };
  out.leak = of(Loss::kLeak, out.leak_q);
  for (const Loss kind : {Loss::kLeakAndAir, Loss::kLeakAndPort}) {
    double q = 0.0;
    if (const double m = of(kind, q); m < out.leak) {
      out.leak = m;
      out.leak_q = q;
    }
  }
  out.port = of(Loss::kPort, out.port_q);
  for (const Loss kind : {Loss::kPortAndAir, Loss::kPipe, Loss::kPipeAndAir}) {
    double q = 0.0;
    if (const double m = of(kind, q); m < out.port) {
      out.port = m;
      out.port_q = q;
    }
  }
  out.absorption = of(Loss::kAbsorption, out.absorption_q);
  return out;
}

bool LossKinds::exact() const {
  constexpr double kExact = 0.004;
  return whole && std::min({leak, port, absorption}) < kExact;
}

double LossKinds::ratio(double other, double own) const {
  const double most = exact() ? 20.0 : whole ? 6.0 : 3.0;
  return std::clamp(std::pow(other / std::max(own, 1e-4), exact() ? 2.5 : 1.3), 1.0 / most, most);
}

double LossKinds::leak_explains() const {
  constexpr double kEven = 3.4;
  const double most = exact() ? 4.0 : 15.0;
  return std::clamp(std::pow(kEven / unexplained, 3.0), exact() ? 0.25 : 0.03, most);
}

}  // namespace lalometer
