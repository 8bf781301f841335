#include "acoustics/spectrum/bode_phase.h"

#include "acoustics/curves/flight_time.h"
#include "support/support.h"

namespace lalometer {
namespace {

template <class Function>
Response curve_of(const FrequencyAxis& axis, Function h) {
  std::vector<std::complex<double>> values;
  for (const double f : axis.hz()) values.push_back(h(f));
  return *Response::make(axis, std::move(values), Quantity::kRatio, {axis.front(), axis.back()},
                         true);
}

std::complex<double> high_pass(double f, double corner_hz) {
  const std::complex<double> s(0.0, f / corner_hz);
  return s * s / (1.0 + std::sqrt(2.0) * s + s * s);
}

// The phase of an analogue filter follows from its magnitude (Bode 1945); the truth is the
// filter's own formula. Between points the magnitude is no straight line: finer points, closer.
TEST(BodePhase, GivesAFiltersOwnPhaseFromItsMagnitude) {
  for (const double points : {12.0, 48.0}) {
    const auto axis = FrequencyAxis::logarithmic(20.0, 20000.0, points);
    const Response truth = curve_of(axis, [](double f) {
      const std::complex<double> s(0.0, f / 6000.0);
      return high_pass(f, 90.0) / (1.0 + s);
    });
    const Response found = with_minimum_phase(truth, {12.0, -6.0});
    for (std::size_t i = 0; i < axis.size(); ++i) {
      // At 20 kHz the slope is not yet the tail's: -5.5 instead of -6 dB an octave.
      const double allowed = axis[i] > 5000.0 ? 3.0 : points < 20.0 ? 1.5 : 0.3;
      EXPECT_NEAR(std::arg(found.value(i) / truth.value(i)) * 180.0 / kPi, 0.0, allowed) << axis[i];
    }
  }
}

// The even grid's short cut against the whole relation, and against the filter's own phase; twice,
// since what depends on the grid alone is kept, and the second is longer.
TEST(BodePhase, OnAnEvenGridIsTheSame) {
  for (const double top_hz : {8000.0, 20000.0}) {
    const auto axis = FrequencyAxis::logarithmic(20.0, top_hz, 24.0);
    const Response truth = curve_of(axis, [](double f) { return high_pass(f, 90.0); });
    std::vector<double> logs;
    for (std::size_t i = 0; i < axis.size(); ++i) logs.push_back(std::log(truth.magnitude(i)));
    const auto phase = minimum_phase_on_grid(logs, std::log(2.0) / 24.0, 2.0, 0.0);
    const double order = 20.0 * std::log10(2.0);  // dB an octave
    const Response whole = with_minimum_phase(truth, {2.0 * order, 0.0});
    for (std::size_t i = 0; i < axis.size(); ++i) {
      EXPECT_NEAR(std::remainder(phase[i] - std::arg(whole.value(i)), 2.0 * kPi), 0.0, 1e-9)
          << axis[i];
      EXPECT_NEAR(std::remainder(phase[i] - std::arg(truth.value(i)), 2.0 * kPi), 0.0, 0.02)
          << axis[i];
    }
  }
}

// A slope of 6n dB an octave without end turns the phase by 90 n degrees, everywhere alike.
TEST(BodePhase, OfAnEndlessSlopeIsAQuarterTurnForEachOrder) {
  const auto axis = FrequencyAxis::logarithmic(100.0, 10000.0, 7.3);
  const double order = 20.0 * std::log10(2.0);  // dB an octave
  const Response found =
      with_minimum_phase(curve_of(axis, [](double f) { return f * 1e-3; }), {order, order});
  for (std::size_t i = 0; i < axis.size(); ++i) EXPECT_NEAR(found.phase_deg(i), 90.0, 1e-6);
}

TEST(BodePhase, KnowsTheSlopesOfAnAxisEnds) {
  const auto axis = FrequencyAxis::logarithmic(5.0, 20000.0, 24.0);
  const TailSlopes slopes = end_slopes(curve_of(axis, [](double f) { return high_pass(f, 90.0); }));
  EXPECT_NEAR(slopes.below_db, 12.0, 0.1);
  EXPECT_NEAR(slopes.above_db, 0.0, 0.01);
}

// 12 points an octave at 1 m: from 2.9 kHz on the phase turns by more than half a turn from one
// point to the next, and the shortest way is the wrong one.
TEST(FlightTime, IsFoundInAListWithFewPoints) {
  for (const double flight_s : {0.5 / 343.0, 1.0 / 343.0, 4.0 / 343.0}) {
    const auto axis = FrequencyAxis::logarithmic(20.0, 20000.0, 12.0);
    const auto h = [&](double f) {
      return high_pass(f, 60.0) * std::polar(1.0, -2.0 * kPi * f * flight_s);
    };
    const Response sparse = curve_of(axis, h);
    const double found_s = flight_time_in(sparse);
    EXPECT_NEAR(found_s, flight_s, 5e-6);
    const Response known = sparse.with_flight(found_s);
    const auto fine = FrequencyAxis::logarithmic(30.0, 18000.0, 96.0);
    const Response between = resampled(known, fine);
    for (std::size_t i = 0; i < fine.size(); ++i)
      EXPECT_LT(std::abs(std::arg(between.value(i) / h(fine[i]))) * 180.0 / kPi, 3.0) << fine[i];
  }
}

TEST(FlightTime, IsLeftAloneWhereThePhaseIsFollowed) {
  const auto axis = FrequencyAxis::logarithmic(20.0, 20000.0, 96.0);
  EXPECT_EQ(
      flight_time_in(curve_of(
          axis,
          [](double f) { return high_pass(f, 60.0) * std::polar(1.0, -2.0 * kPi * f * 1e-4); })),
      0.0);
}

}  // namespace
}  // namespace lalometer
