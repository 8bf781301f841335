#include "rig/practice/motor.h"

#include "acoustics/signal/fft.h"
#include "support/support.h"

namespace lalometer {
namespace {

constexpr double kRate = 48000.0;

/// The driver and box of tests/reference/motor.py.
DriverParameters driver() {
  return {.re_ohm = 5.6,
          .le_h = 0.25e-3,
          .le2_h = 0.6e-3,
          .re2_ohm = 2.6,
          .bl_tm = 6.5,
          .mms_kg = 0.0135,
          .cms_m_per_n = 1.06e-3,
          .rms_kg_per_s = 0.85,
          .sd_m2 = 0.0132};
}

BoxLoad box() {
  return {.kind = BoxLoad::Kind::kVented,
          .volume_m3 = 0.014,
          .ql = 9.0,
          .qa = 60.0,
          .qp = 60.0,
          .tuning_hz = 48.0};
}

MotorCurves curves() {
  return {.bl_travel_m = 0.0045,
          .kms_travel_m = 0.005,
          .bl_centre_m = 0.0004,
          .kms_rest_m = -0.0003,
          .le_share = 0.15};
}

std::vector<double> sine(double volts, double f, double seconds) {
  std::vector<double> u(static_cast<std::size_t>(seconds * kRate));
  for (std::size_t i = 0; i < u.size(); ++i)
    u[i] = volts * std::sin(2.0 * kPi * f * static_cast<double>(i) / kRate);
  return u;
}

/// Amplitude of the n-th harmonic over the last eight periods.
double harmonic(const std::vector<double>& x, double f, int n) {
  const auto count = static_cast<std::size_t>(std::lround(8.0 * kRate / f));
  std::complex<double> sum = 0.0;
  for (std::size_t i = x.size() - count; i < x.size(); ++i)
    sum += x[i] * std::polar(1.0, -2.0 * kPi * n * f * static_cast<double>(i) / kRate);
  return 2.0 * std::abs(sum) / static_cast<double>(count);
}

// Reference: SciPy 1.10, LSODA at 1e-9, tests/reference/motor.py.
TEST(Motor, HarmonicsAreThoseOfAnIndependentIntegrator) {
  struct Case {
    double volts, f, v1, h2, h3, travel_mm;
  };
  for (const Case& c : {Case{4.0, 30.0, 0.476537, 0.006440, 0.011188, 2.5820},
                        {12.0, 30.0, 1.550636, 0.005151, 0.214244, 8.6915},
                        {12.0, 80.0, 1.519241, 0.005325, 0.006020, 3.0497}}) {
    const MotorRun run =
        run_motor(driver(), box(), curves(), sine(c.volts, c.f, 40.0 / c.f), kRate);
    const double v1 = harmonic(run.velocity_m_s, c.f, 1);
    EXPECT_NEAR(v1 / c.v1, 1.0, 1e-3) << c.f;
    EXPECT_NEAR(harmonic(run.velocity_m_s, c.f, 2) / v1, c.h2, 2e-4) << c.f;
    EXPECT_NEAR(harmonic(run.velocity_m_s, c.f, 3) / v1, c.h3, 2e-4) << c.f;
    double travel = 0.0;
    for (std::size_t i = run.excursion_m.size() - 12800; i < run.excursion_m.size(); ++i)
      travel = std::max(travel, std::abs(run.excursion_m[i]));
    EXPECT_NEAR(travel * 1e3, c.travel_mm, 0.02) << c.f;
  }
}

// Two ways to one figure: time domain and equivalent circuit.
TEST(Motor, WithoutBentCurvesItIsTheEquivalentCircuit) {
  for (const double f : {20.0, 48.0, 120.0, 1000.0, 5000.0}) {
    const MotorRun run = run_motor(driver(), box(), std::nullopt, sine(2.0, f, 1.0), kRate);
    const double want = 2.0 * std::abs(solve_driver(driver(), box(), f).cone_velocity_m_s_per_v);
    EXPECT_NEAR(harmonic(run.velocity_m_s, f, 1) / want, 1.0, 2e-3) << f;
  }
}

// Power series: the second harmonic's share grows with the level, the third's with its square.
TEST(Motor, DistortionGrowsByItsOrder) {
  const auto share = [](double volts, int n) {
    const MotorRun run = run_motor(driver(), box(), curves(), sine(volts, 30.0, 1.4), kRate);
    return harmonic(run.velocity_m_s, 30.0, n) / harmonic(run.velocity_m_s, 30.0, 1);
  };
  EXPECT_NEAR(share(0.4, 2) / share(0.2, 2), 2.0, 0.1);
  EXPECT_NEAR(share(0.4, 3) / share(0.2, 3), 4.0, 0.3);
}

// Heat balance by hand: settled, the coil is warmer by its power times its thermal resistance, and
// that power falls as the warm coil's resistance grows. Temperature coefficient of copper 0.0039/K:
// CRC Handbook.
TEST(Motor, CoilWarmsByItsPower) {
  MotorCurves warm = curves();
  warm.bl_travel_m = warm.kms_travel_m = 1.0;  // linear but for the heat
  warm.le_share = 0.0;
  warm.coil_k_per_w = 4.0;
  warm.coil_j_per_k = 0.05;  // 0.2 s: settled after 2 s
  const MotorRun run = run_motor(driver(), {}, warm, sine(20.0, 1000.0, 2.0), kRate);
  const std::complex<double> cold_ohm = solve_driver(driver(), {}, 1000.0).impedance_ohm;
  double warmer_k = 0.0;
  for (int i = 0; i < 50; ++i) {
    const double re_ohm = 5.6 * (1.0 + 0.0039 * warmer_k);
    warmer_k = 4.0 * 0.5 * 400.0 * re_ohm / std::norm(cold_ohm + re_ohm - 5.6);
  }
  EXPECT_GT(warmer_k, 20.0) << "warm enough to tell";
  EXPECT_NEAR(run.warmer_k / warmer_k, 1.0, 0.03);
  warm.warm_k = 50.0;
  const MotorRun hot = run_motor(driver(), {}, warm, sine(1.0, 1000.0, 0.02), kRate);
  const MotorRun cold = run_motor(driver(), {}, std::nullopt, sine(1.0, 1000.0, 0.02), kRate);
  EXPECT_LT(harmonic(hot.velocity_m_s, 1000.0, 1), 0.95 * harmonic(cold.velocity_m_s, 1000.0, 1));
}

TEST(Motor, PortLosesAtHighSpeed) {
  MotorCurves lossy = curves();
  lossy.port_loss_factor = 1.0;
  BoxLoad piped = box();
  piped.pipe = PortPipe{0.00196, 0.17};
  const auto port = [&](double volts) {
    const MotorRun run = run_motor(driver(), piped, lossy, sine(volts, 48.0, 1.0), kRate);
    return harmonic(run.port_m3_s, 48.0, 1) / volts;
  };
  EXPECT_LT(port(14.0), 0.9 * port(0.5));
}

}  // namespace
}  // namespace lalometer
