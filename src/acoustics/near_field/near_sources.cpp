#include "acoustics/near_field/near_sources.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

double distance(const NearSource& a, const NearSource& b) {
  const double across = std::hypot(a.x_m - b.x_m, a.y_m - b.y_m);
  // Round the box, not through it.
  return a.panel == b.panel ? std::hypot(across, a.z_m - b.z_m) : across + std::abs(a.z_m - b.z_m);
}

}  // namespace

Complex near_impedance(double a, double z, double f, double c) {
  const double k = 2.0 * kPi * f / c;
  const Complex rim = std::polar(1.0, -k * (std::hypot(z, a) - z));
  return kAirDensity_kg_m3 * c / (kPi * a * a) * (1.0 - rim);
}

Complex crosstalk_impedance(const NearSource& from, const NearSource& to, double f, double c) {
  const double d = std::max(std::hypot(distance(from, to), to.microphone_m), from.radius_m);
  const double k = 2.0 * kPi * f / c;
  const double gain = from.panel == to.panel ? 1.0 : 0.5;
  // The microphone's own distance is out of its take's phase.
  return Complex(0.0, 2.0 * kPi * f) * kAirDensity_kg_m3 * gain / (2.0 * kPi * d) *
         std::polar(1.0, -k * (d - to.microphone_m));
}

std::vector<std::vector<Complex>> volume_velocities(const std::vector<NearSource>& sources,
                                                    const std::vector<Response>& pressures,
                                                    double c, double share) {
  const std::size_t n = sources.size();
  const FrequencyAxis& axis = pressures.front().axis();
  std::vector<std::vector<Complex>> out(n, std::vector<Complex>(axis.size()));
  const auto size = static_cast<Eigen::Index>(n);
  Eigen::MatrixXcd z(size, size);
  Eigen::VectorXcd p(size);
  for (std::size_t i = 0; i < axis.size(); ++i) {
    const double f = axis[i];
    for (std::size_t a = 0; a < n; ++a) {
      const auto row = static_cast<Eigen::Index>(a);
      p(row) = pressures[a].value(i);
      for (std::size_t b = 0; b < n; ++b) {
        Complex& cell = z(row, static_cast<Eigen::Index>(b));
        if (a == b)
          cell = near_impedance(sources[a].radius_m, sources[a].microphone_m, f, c) /
                 static_cast<double>(sources[a].count);
        else if (sources[a].placed && sources[b].placed)
          cell = share * crosstalk_impedance(sources[b], sources[a], f, c);
        else
          cell = 0.0;
      }
    }
    const Eigen::VectorXcd u = z.partialPivLu().solve(p);
    for (std::size_t a = 0; a < n; ++a) out[a][i] = u(static_cast<Eigen::Index>(a));
  }
  return out;
}

namespace {

/// What a box's ratio of flows leaves unexplained, relative, rms.
double unexplained(const FrequencyAxis& axis, const std::vector<Complex>& ratio, double middle_hz) {
  const auto n = static_cast<Eigen::Index>(axis.size());
  Eigen::MatrixXd m = Eigen::MatrixXd::Zero(2 * n, 4);
  Eigen::VectorXd b(2 * n);
  for (Eigen::Index i = 0; i < n; ++i) {
    const auto k = static_cast<std::size_t>(i);
    const double x = axis[k] / middle_hz;
    // Near the tuning the ratio is nothing, and its own size no measure.
    const double w = 1.0 / std::max(std::abs(ratio[k]), 0.2);
    m(2 * i, 0) = w;
    m(2 * i, 1) = w * x * x;
    m(2 * i + 1, 2) = w * x;
    m(2 * i + 1, 3) = w / x;
    b(2 * i) = w * ratio[k].real();
    b(2 * i + 1) = w * ratio[k].imag();
  }
  const Eigen::VectorXd x = m.colPivHouseholderQr().solve(b);
  return std::sqrt((m * x - b).squaredNorm() / static_cast<double>(2 * n));
}

}  // namespace

CrosstalkShare crosstalk_share(const std::vector<NearSource>& sources,
                               const std::vector<Response>& pressures,
                               const std::vector<bool>& cone, double least_hz, double c) {
  constexpr double kMost = 1.3;
  constexpr double kStep = 0.05;
  constexpr double kUnexplained = 0.04;
  constexpr double kFrom = 0.45;
  constexpr double kTo = 1.8;
  std::vector<double> hz;
  for (const double f : pressures.front().axis().hz())
    if (f > kFrom * least_hz && f < kTo * least_hz) hz.push_back(f);
  const auto axis = FrequencyAxis::make(hz);
  if (!axis || axis->size() < 12) return {};
  std::vector<Response> parts;
  for (const Response& p : pressures) parts.push_back(resampled(p, *axis));
  std::vector<double> left;
  for (double share = 0.0; share < kMost + 0.5 * kStep; share += kStep) {
    const auto u = volume_velocities(sources, parts, c, share);
    std::vector<Complex> ratio(axis->size());
    for (std::size_t i = 0; i < ratio.size(); ++i) {
      Complex cones = 0.0;
      Complex ports = 0.0;
      for (std::size_t k = 0; k < u.size(); ++k) (cone[k] ? cones : ports) += u[k][i];
      ratio[i] = cones / ports;
    }
    left.push_back(unexplained(*axis, ratio, least_hz));
  }
  const auto best =
      static_cast<std::size_t>(std::min_element(left.begin(), left.end()) - left.begin());
  if (left[best] > kUnexplained) return {};
  // Squares of departures are a parabola in the share, told best over some steps.
  const std::size_t reach = 3;
  const std::size_t middle = std::clamp(best, reach, left.size() - 1 - reach);
  const auto square = [&](std::size_t i) { return left[i] * left[i]; };
  const double bend = (square(middle - reach) - 2.0 * square(middle) + square(middle + reach)) /
                      static_cast<double>(reach * reach);
  if (!(bend > 0.0)) return {};
  const double off = 0.5 * (square(middle - reach) - square(middle + reach)) /
                     static_cast<double>(2 * reach) * 2.0 / bend;
  const double at = static_cast<double>(middle) + off;
  // Neighbouring points hang together: two count as one.
  constexpr double kTogether = 2.0;
  const double rows = 2.0 * static_cast<double>(axis->size()) / kTogether;
  CrosstalkShare share;
  share.half_width = std::min(
      CrosstalkShare::kUsualShareOff,
      kStep * kTwoSided95 * std::sqrt(square(best) / std::max(rows - 5.0, 1.0) / (0.5 * bend)));
  share.told = share.half_width < CrosstalkShare::kUsualShareOff;
  if (share.told) share.value = kStep * std::clamp(at, 0.0, static_cast<double>(left.size() - 1));
  return share;
}

std::vector<std::optional<double>> crosstalk_db(const std::vector<NearSource>& sources,
                                                const std::vector<std::vector<Complex>>& u,
                                                const FrequencyAxis& axis, double low_hz,
                                                double high_hz, double c, double share) {
  std::vector<std::optional<double>> out(sources.size());
  for (std::size_t a = 0; a < sources.size(); ++a) {
    if (!sources[a].placed) continue;
    for (std::size_t i = 0; i < axis.size(); ++i) {
      const double f = axis[i];
      if (f < low_hz || f > high_hz) continue;
      Complex others = 0.0;
      for (std::size_t b = 0; b < sources.size(); ++b)
        if (b != a && sources[b].placed)
          others += share * crosstalk_impedance(sources[b], sources[a], f, c) * u[b][i];
      const Complex own = near_impedance(sources[a].radius_m, sources[a].microphone_m, f, c) /
                          static_cast<double>(sources[a].count) * u[a][i];
      const double db =
          20.0 * std::log10(std::max(std::abs(others), 1e-30) / std::max(std::abs(own), 1e-30));
      out[a] = std::max(out[a].value_or(-200.0), db);
    }
  }
  return out;
}

double near_field_limit_hz(double radius_m, double c) {
  return c / (2.0 * kPi * radius_m);
}

}  // namespace lalometer
