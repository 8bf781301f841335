#include "acoustics/signal/checks/gate.h"

#include "support/support.h"

namespace lalometer {
namespace {

constexpr double kRate_hz = 48000.0;

ImpulseResponse pulse_at(double gain, std::size_t at) {
  ImpulseResponse h{.samples = std::vector<double>(4000, 0.0),
                    .sample_rate_hz = kRate_hz,
                    .zero_at = 100.0,
                    .excited = {10.0, 23000.0}};
  h.samples[at] = gain;
  return h;
}

FrequencyAxis axis() {
  return FrequencyAxis::logarithmic(100.0, 20000.0, 12.0);
}

TEST(Gate, OfAPulseIsFlatWithoutPhase) {
  const ImpulseResponse h = pulse_at(0.5, 340);
  const Response r = gated_response(h, {.arrival_s = 240.0 / kRate_hz, .length_s = 0.004}, axis(),
                                    Quantity::kRatio);
  for (std::size_t i = 0; i < r.size(); ++i) {
    ASSERT_NEAR(std::abs(r.value(i)), 0.5, 1e-9) << r.axis()[i];
    ASSERT_NEAR(r.phase_deg(i), 0.0, 1e-6) << r.axis()[i];
  }
}

TEST(Gate, ClaimsNothingBelowOneOverItsLength) {
  const Response r = gated_response(pulse_at(1.0, 340), {.arrival_s = 0.005, .length_s = 0.0045},
                                    axis(), Quantity::kRatio);
  EXPECT_NEAR(r.valid().low_hz, 222.22, 0.01);
  EXPECT_DOUBLE_EQ(valid_from_hz(0.004), 250.0);
}

TEST(Gate, LeavesOutWhatComesAfterIt) {
  ImpulseResponse h = pulse_at(1.0, 340);
  h.samples[340 + 230] = 0.7;  // 4.8 ms later
  const Response r = gated_response(h, {.arrival_s = 240.0 / kRate_hz, .length_s = 0.004}, axis(),
                                    Quantity::kRatio);
  for (std::size_t i = 0; i < r.size(); ++i) ASSERT_NEAR(r.level_db(i), 0.0, 1e-6);
}

/// High-pass tail of a box: 1 - a exp(-t / tau) ramps; spectrum 1 - a / (1 + j w tau) at a fine
/// rate.
TEST(Gate, ContinuedTailIsNearerTheTruthThanACutOne) {
  constexpr double kTau_s = 0.004;
  ImpulseResponse h = pulse_at(1.0, 340);
  const double step = std::exp(-1.0 / (kTau_s * kRate_hz));
  double tail = (1.0 - step) * 0.9;
  for (std::size_t i = 340; i < h.samples.size(); ++i) {
    h.samples[i] -= tail;
    tail *= step;
  }
  const auto truth = [&](double f) {
    return 1.0 - 0.9 * (1.0 - step) / (1.0 - step * std::polar(1.0, -2.0 * kPi * f / kRate_hz));
  };
  const auto worst = [&](GateTail kind) {
    const Response r =
        gated_response(h, {.arrival_s = 240.0 / kRate_hz, .length_s = 0.004, .tail = kind}, axis(),
                       Quantity::kRatio);
    double error = 0.0;
    for (std::size_t i = 0; i < r.size(); ++i) {
      if (r.axis()[i] < 250.0) continue;
      const double off = r.level_db(i) - to_level_db(std::abs(truth(r.axis()[i])), 1.0);
      EXPECT_TRUE(std::isfinite(off)) << r.axis()[i];
      error = std::max(error, std::abs(off));
    }
    return error;
  };
  EXPECT_LT(worst(GateTail::kContinued), 0.1);
  EXPECT_GT(worst(GateTail::kCut), 0.3);
}

TEST(Gate, OutsideTheResponseGivesZeros) {
  const Response r = gated_response(pulse_at(1.0, 340), {.arrival_s = 10.0, .length_s = 0.004},
                                    axis(), Quantity::kRatio);
  for (std::size_t i = 0; i < r.size(); ++i) ASSERT_EQ(std::abs(r.value(i)), 0.0);
}

// A delay is a straight phase: 2 pi f tau, to a hundredth of a degree at 20 kHz, also between
// samples.
TEST(SpectrumOnAxis, TakesAFractionalDelayOutOfThePhase) {
  std::vector<double> x(64, 0.0);
  x[10] = 1.0;
  const FrequencyAxis a = axis();
  const auto values = spectrum_on_axis(x, kRate_hz, 9.75, a);
  for (std::size_t i = 0; i < a.size(); ++i) {
    const double want = -360.0 * a[i] * 0.25 / kRate_hz;
    ASSERT_NEAR(std::arg(values[i]) * 180.0 / kPi, want, 0.01) << a[i];
  }
}

// Against the sum itself, term by term: lengths of one sample, odd, even, and of a second's part;
// at frequencies that fall on no line of a transform, to half the rate.
TEST(SpectrumOnAxis, IsTheSumItself) {
  for (const std::size_t length : {1U, 7U, 264U, 3001U}) {
    std::vector<double> x(length);
    double sum = 0.0;
    for (std::size_t i = 0; i < length; ++i) {
      x[i] = std::sin(0.7 * static_cast<double>(i * i)) + 0.3;  // no order in it
      sum += std::abs(x[i]);
    }
    const FrequencyAxis a = FrequencyAxis::logarithmic(15.0, 24000.0, 7.0);
    const auto values = spectrum_on_axis(x, kRate_hz, 3.3, a);
    for (std::size_t i = 0; i < a.size(); ++i) {
      std::complex<double> want = 0.0;
      for (std::size_t n = 0; n < length; ++n)
        want +=
            x[n] * std::polar(1.0, -2.0 * kPi * a[i] / kRate_hz * (static_cast<double>(n) - 3.3));
      ASSERT_LT(std::abs(values[i] - want), 1e-10 * sum) << length << " at " << a[i];
    }
  }
}

TEST(Gate, PhaseCountsFromTheTimeThatIsAskedFor) {
  const ImpulseResponse h = pulse_at(1.0, 340);
  const Gate gate{.arrival_s = 240.0 / kRate_hz, .length_s = 0.004};
  const Response as_it_is = gated_response(h, gate, axis(), Quantity::kRatio);
  const Response later = gated_response(h, gate, axis(), Quantity::kRatio, gate.arrival_s + 2e-5);
  const Response turned = without_delay(as_it_is, 2e-5);
  for (std::size_t i = 0; i < later.size(); ++i)
    ASSERT_LT(std::abs(later.value(i) - turned.value(i)), 1e-9);
}

}  // namespace
}  // namespace lalometer
