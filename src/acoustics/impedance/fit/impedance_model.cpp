#include "acoustics/impedance/fit/impedance_model.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;
constexpr double kCoilReference_hz = 1000.0;

/// The coil's impedance and its derivatives by theta. `n`: the numbers themselves, logarithms
/// undone; @param x ln(f / 1 kHz).
Complex coil_at(CoilModel model, const std::array<double, 4>& n, double w, double x,
                std::span<Complex> d) {
  const auto set = [&](std::size_t k, Complex value) {
    if (!d.empty()) d[k] = value;
  };
  switch (model) {
    case CoilModel::kPlain: {
      const Complex z(0.0, w * n[0]);
      set(0, z);
      return z;
    }
    case CoilModel::kShunted: {
      const Complex first(0.0, w * n[0]);
      // R2 parallel j w L2 = R2 t (t + j) / (1 + t^2), t = w L2 / R2.
      const double t = w * n[1] / n[2];
      const Complex both = n[2] * t / (1.0 + t * t) * Complex(t, 1.0);
      set(0, first);
      set(1, both * both * Complex(0.0, -1.0 / (w * n[1])));
      set(2, both * both / n[2]);
      return first + both;
    }
    case CoilModel::kPowerLaw: {
      const Complex z = std::polar(n[0] * std::exp(n[1] * x), 0.5 * kPi * n[1]);
      set(0, z);
      set(1, z * Complex(x, 0.5 * kPi));
      return z;
    }
    case CoilModel::kTwoPower: {
      const double r = n[0] * std::exp(n[2] * x);
      const double reactance = n[1] * std::exp(n[3] * x);
      set(0, r);
      set(1, Complex(0.0, reactance));
      set(2, r * x);
      set(3, Complex(0.0, reactance * x));
      return {r, reactance};
    }
  }
  return 0.0;
}

/// 1 / z with a single division: divisions are what takes the time here.
Complex inverse(Complex z) {
  return std::conj(z) * (1.0 / std::norm(z));
}

/// Which numbers of a coil are kept as logarithms.
bool logarithmic(CoilModel model, std::size_t k) {
  if (model == CoilModel::kPowerLaw) return k == 0;
  if (model == CoilModel::kTwoPower) return k < 2;
  return true;
}

}  // namespace

std::size_t coil_size(CoilModel model) {
  switch (model) {
    case CoilModel::kPlain:
      return 1;
    case CoilModel::kShunted:
      return 3;
    case CoilModel::kPowerLaw:
      return 2;
    case CoilModel::kTwoPower:
      return 4;
  }
  return 0;
}

std::complex<double> VoiceCoil::impedance_ohm(double frequency_hz) const {
  std::array<double, 4> numbers{};
  std::copy_n(parameters.begin(), std::min(parameters.size(), numbers.size()), numbers.begin());
  return coil_at(model, numbers, 2.0 * kPi * frequency_hz,
                 std::log(frequency_hz / kCoilReference_hz), {});
}

double VoiceCoil::inductance_h(double frequency_hz) const {
  return impedance_ohm(frequency_hz).imag() / (2.0 * kPi * frequency_hz);
}

const char* VoiceCoil::name() const {
  switch (model) {
    case CoilModel::kPlain:
      return "plain inductance";
    case CoilModel::kShunted:
      return "inductance with a shorted turn";
    case CoilModel::kPowerLaw:
      return "power law (Leach)";
    case CoilModel::kTwoPower:
      return "two power laws (Wright)";
  }
  return "";
}

ImpedanceModel::ImpedanceModel(MotorShape shape) : shape_(shape) {
  const auto take = [this](Slot slot, std::size_t count) {
    places_[slot] = size_;
    size_ += count;
  };
  take(kRe, 1);
  take(kFs, 1);
  take(kQms, 1);
  take(kRes, 1);
  take(kCoil, coil_size(shape.coil));
  if (shape.back != BackLoad::kNone) {
    take(kAlpha, 1);
    take(kTuning, 1);
    take(kLeak, 1);
  }
  if (shape.back == BackLoad::kRadiator) {
    take(kOwn, 1);
    take(kOwnQ, 1);
  }
  if (shape.absorbing) take(kAbsorption, 1);
  if (shape.port_loss) take(kPortLoss, 1);
  if (shape.creep) take(kCreep, 1);
  if (shape.second) take(kSecond, 3);
  if (shape.crossover) take(kCrossover, 4);
}

/// Theta with its logarithms undone: once for a curve, not at each of its points.
struct ImpedanceModel::Numbers {
  double re, fs, qms, res;
  std::array<double, 4> coil;
  double alpha, tuning, ql, own, own_q;
  double absorption;  ///< 1 / QA
  double port;        ///< 1 / QP
  double creep;
  std::array<double, 3> second;
  std::array<double, 4> crossover;  ///< C and R across the driver, L before it, C across all
};

ImpedanceModel::Numbers ImpedanceModel::numbers(std::span<const double> theta) const {
  const auto value = [&](Slot slot) { return std::exp(theta[at(slot)]); };
  Numbers n{};
  n.re = value(kRe);
  n.fs = value(kFs);
  n.qms = value(kQms);
  n.res = value(kRes);
  n.tuning = n.ql = n.own_q = 1.0;
  for (std::size_t k = 0; k < coil_size(shape_.coil); ++k) {
    const double x = theta[at(kCoil) + k];
    n.coil[k] = logarithmic(shape_.coil, k) ? std::exp(x) : x;
  }
  if (shape_.back != BackLoad::kNone) {
    n.alpha = value(kAlpha);
    n.tuning = value(kTuning);
    n.ql = value(kLeak);
  }
  if (shape_.back == BackLoad::kRadiator) {
    n.own = value(kOwn);
    n.own_q = value(kOwnQ);
  }
  if (shape_.absorbing) n.absorption = 1.0 / value(kAbsorption);
  if (shape_.port_loss) n.port = 1.0 / value(kPortLoss);
  if (shape_.creep) n.creep = theta[at(kCreep)];
  for (std::size_t k = 0; shape_.second && k < 3; ++k)
    n.second[k] = std::exp(theta[at(kSecond) + k]);
  for (std::size_t k = 0; shape_.crossover && k < 4; ++k)
    n.crossover[k] = std::exp(theta[at(kCrossover) + k]);
  return n;
}

std::complex<double> ImpedanceModel::passed(std::span<const double> theta, double f) const {
  const Numbers n = numbers(theta);
  const double v = f / n.tuning;
  const Complex leak(0.0, -1.0 / (v * n.ql));
  const Complex branch(v * v - n.own * n.own,
                       -v * (n.own / n.own_q + n.port * (shape_.port_loss_rises ? v : 1.0)));
  const Complex damped(1.0, v * n.absorption);
  return -1.0 / (branch * (1.0 / damped + leak) - 1.0);
}

std::complex<double> ImpedanceModel::point(const Numbers& n, double f, double log_f,
                                           std::span<std::complex<double>> g) const {
  const bool derive = !g.empty();
  const double w = 2.0 * kPi * f;
  const double u = f / n.fs;
  const Complex spring(0.0, -n.qms / u);
  const Complex mass(0.0, n.qms * u);
  Complex decade = 0.0;  // log10(j u)
  Complex stiff = 1.0;
  if (shape_.creep) {
    decade = Complex(std::log10(u), 0.5 * kPi / std::log(10.0));
    stiff = inverse(1.0 - n.creep * decade);
  }
  Complex air = 0.0;    // alpha B
  Complex slope = 0.0;  // -alpha B^2, for the derivatives of E = 1 / B
  Complex leak = 0.0;
  Complex branch = 1.0;
  Complex damped = 1.0;
  const double v = f / n.tuning;
  if (shape_.back != BackLoad::kNone) {
    leak = Complex(0.0, -1.0 / (v * n.ql));
    branch = Complex(v * v - n.own * n.own,
                     -v * (n.own / n.own_q + n.port * (shape_.port_loss_rises ? v : 1.0)));
    damped = Complex(1.0, v * n.absorption);
    const Complex b = damped * branch * inverse(branch + damped * (leak * branch - 1.0));
    air = n.alpha * b;
    slope = -air * b;
  }
  const Complex d = 1.0 + mass + spring * (stiff + air);
  const Complex per_d = inverse(d);
  const Complex motional = n.res * per_d;
  Complex z = n.re + motional;
  z += coil_at(shape_.coil, n.coil, w, log_f - std::log(kCoilReference_hz),
               derive ? g.subspan(at(kCoil), coil_size(shape_.coil)) : std::span<Complex>());
  if (derive) {
    const Complex by_d = -motional * per_d;
    g[at(kRe)] = shape_.fixed_re ? 0.0 : n.re;
    g[at(kRes)] = motional;
    g[at(kQms)] = by_d * (d - 1.0);
    g[at(kFs)] =
        by_d * (spring * (stiff + air) - mass - spring * stiff * stiff * n.creep / std::log(10.0));
    if (shape_.creep) g[at(kCreep)] = by_d * spring * stiff * stiff * decade;
    if (shape_.back != BackLoad::kNone) {
      const Complex by_e = by_d * spring * slope;
      const Complex per_branch = inverse(branch);
      const Complex by_branch = by_e * per_branch * per_branch;
      const Complex damping(0.0, n.own * v / n.own_q);
      const double rising = shape_.port_loss_rises ? v : 1.0;
      const Complex port(0.0, v * n.port * rising);
      g[at(kAlpha)] = by_d * spring * air;
      g[at(kLeak)] = -by_e * leak;
      const Complex per_damped = shape_.absorbing ? inverse(damped) : Complex(1.0);
      const Complex by_absorption = by_e * (damped - 1.0) * per_damped * per_damped;
      g[at(kTuning)] =
          by_e * leak +
          by_branch * (damping + (shape_.port_loss_rises ? 2.0 : 1.0) * port - 2.0 * v * v) +
          by_absorption;
      if (shape_.port_loss) g[at(kPortLoss)] = by_branch * port;
      if (shape_.absorbing) g[at(kAbsorption)] = by_absorption;
      if (shape_.back == BackLoad::kRadiator) {
        g[at(kOwn)] = by_branch * (-2.0 * n.own * n.own - damping);
        g[at(kOwnQ)] = by_branch * damping;
      }
    }
  }
  if (shape_.second) z += second_peak(n, f, g);
  return shape_.crossover ? behind_crossover(n, w, z, g) : z;
}

std::complex<double> ImpedanceModel::second_peak(const Numbers& n, double f,
                                                 std::span<Complex> g) const {
  const std::size_t k = at(kSecond);
  const double u2 = f / n.second[1];
  const Complex d2(1.0, n.second[2] * (u2 - 1.0 / u2));
  const Complex per_d2 = inverse(d2);
  const Complex other = n.second[0] * per_d2;
  if (!g.empty()) {
    g[k] = other;
    g[k + 1] = other * per_d2 * Complex(0.0, n.second[2] * (u2 + 1.0 / u2));
    g[k + 2] = -other * per_d2 * (d2 - 1.0);
  }
  return other;
}

std::complex<double> ImpedanceModel::behind_crossover(const Numbers& n, double w, Complex z,
                                                      std::span<Complex> g) const {
  const auto [c_across, r_across, l_before, c_all] = n.crossover;
  const Complex lag(1.0, w * c_across * r_across);
  const Complex charge(0.0, w * c_across);  // the branch's admittance, times lag
  // What of the driver's current or voltage each element leaves over.
  const Complex beside = lag * inverse(lag + z * charge);
  const Complex inner = z * beside;
  const Complex before = inner + Complex(0.0, w * l_before);
  const Complex all(0.0, w * c_all);
  const Complex left = inverse(1.0 + before * all);
  const Complex whole = before * left;
  if (!g.empty()) {
    const Complex by_before = left * left;
    const Complex by_inner = by_before * inner * inner;
    const Complex per_z = by_before * beside * beside;
    for (Complex& one : g) one *= per_z;
    const Complex per_lag = inverse(lag);
    const Complex by_charge = by_inner * charge * per_lag * per_lag;
    const std::size_t k = at(kCrossover);
    g[k] = -by_charge;
    g[k + 1] = by_charge * (lag - 1.0);
    g[k + 2] = by_before * Complex(0.0, w * l_before);
    g[k + 3] = -whole * whole * all;
  }
  return whole;
}

std::complex<double> ImpedanceModel::evaluate(std::span<const double> theta, double f,
                                              std::span<std::complex<double>> g) const {
  return point(numbers(theta), f, std::log(f), g);
}

std::complex<double> ImpedanceModel::uncrossed(std::span<const double> theta, double f) const {
  ImpedanceModel bare(*this);
  bare.shape_.crossover = false;
  return bare.evaluate(theta, f, {});
}

CurveModel ImpedanceModel::over(std::span<const double> frequency_hz) const {
  std::vector<double> logs;
  for (const double f : frequency_hz) logs.push_back(std::log(f));
  return [this, frequency_hz, logs = std::move(logs), one = std::vector<Complex>(size_)](
             std::span<const double> theta, std::span<Complex> values,
             std::span<Complex> jacobian) mutable {
    const std::size_t n = frequency_hz.size();
    const Numbers given = numbers(theta);
    for (std::size_t i = 0; i < n; ++i) {
      values[i] =
          point(given, frequency_hz[i], logs[i], jacobian.empty() ? std::span<Complex>() : one);
      for (std::size_t k = 0; k < size_ && !jacobian.empty(); ++k) jacobian[k * n + i] = one[k];
    }
  };
}

VoiceCoil ImpedanceModel::coil(std::span<const double> theta) const {
  VoiceCoil coil{shape_.coil, {}};
  for (std::size_t k = 0; k < coil_size(shape_.coil); ++k) {
    const double x = theta[at(kCoil) + k];
    coil.parameters.push_back(logarithmic(shape_.coil, k) ? std::exp(x) : x);
  }
  return coil;
}

Response FittedImpedance::over(const FrequencyAxis& axis) const {
  std::vector<Complex> z(axis.size());
  for (std::size_t i = 0; i < axis.size(); ++i) z[i] = at(axis[i]);
  return *Response::make(axis, std::move(z), Quantity::kImpedance, {}, true);
}

std::vector<FitRange> ImpedanceModel::limits() const {
  const auto range = [](double low, double high) {
    return FitRange{std::log(low), std::log(high)};
  };
  std::vector<FitRange> all(size_, range(1e-6, 1e6));
  all[at(kRe)] = range(0.05, 2000.0);
  all[at(kFs)] = range(1.0, 30000.0);
  all[at(kQms)] = range(0.05, 200.0);
  all[at(kRes)] = range(1e-3, 1e5);
  const std::size_t c = at(kCoil);
  switch (shape_.coil) {
    case CoilModel::kPlain:
      all[c] = range(1e-8, 1.0);
      break;
    case CoilModel::kShunted:
      all[c] = range(1e-8, 1.0);
      all[c + 1] = range(1e-7, 1.0);
      all[c + 2] = range(1e-2, 1e4);
      break;
    case CoilModel::kPowerLaw:
      all[c] = range(1e-4, 1e4);
      all[c + 1] = {0.05, 1.0};
      break;
    case CoilModel::kTwoPower:
      all[c] = range(1e-5, 1e4);
      all[c + 1] = range(1e-4, 1e4);
      // A resistance that hardly rises is no coil's: it would stand for Re.
      all[c + 2] = {0.3, 2.0};
      all[c + 3] = {0.05, 1.2};
      break;
  }
  if (shape_.back != BackLoad::kNone) {
    all[at(kAlpha)] = range(0.01, 100.0);
    all[at(kTuning)] = range(1.0, 2000.0);
    all[at(kLeak)] = range(0.3, 3e5);
  }
  if (shape_.back == BackLoad::kRadiator) {
    all[at(kOwn)] = range(0.02, 3.0);
    all[at(kOwnQ)] = range(0.5, 200.0);
  }
  // Losses up to none: a limit that the data see would lay on one loss what the other has not.
  if (shape_.absorbing) all[at(kAbsorption)] = range(0.3, 3e5);
  if (shape_.port_loss) all[at(kPortLoss)] = range(0.3, 3e5);
  if (shape_.creep) all[at(kCreep)] = {0.0, 0.35};
  if (shape_.second) {
    const std::size_t k = at(kSecond);
    all[k] = range(1e-3, 1e4);
    all[k + 1] = range(5.0, 30000.0);
    all[k + 2] = range(0.2, 50.0);
  }
  if (shape_.crossover) {
    const std::size_t k = at(kCrossover);
    all[k] = range(1e-8, 3e-4);
    all[k + 1] = range(1e-2, 200.0);
    all[k + 2] = range(1e-7, 2e-2);
    all[k + 3] = range(1e-8, 3e-4);
  }
  return all;
}

}  // namespace lalometer
