#pragma once

#include "support/support.h"
#include "workbench/results/analysis.h"
#include "workbench/taking/take_runner.h"

namespace lalometer::test {

/// A take of something that only delays and scales, analysed as a user would read it (no gate, no
/// smoothing), is flat within 0.01 dB and 0.1 degree from 20 Hz to 20 kHz.
inline void expect_flat(const TakeOutcome& outcome, const RigCalibration& rig, double gain,
                        double delay_s) {
  RigCalibration flat = rig;
  flat.input_pa_per_unit = flat.loopback_v_per_unit = 1.0;
  Recipe recipe;
  recipe.gated = false;
  recipe.smoothing = 0;
  const Recording& r = outcome.recording;
  const AnalysisInput input{
      outcome.take, packed_recording(r.measured, r.loopback, r.sample_rate_hz).bytes, flat, recipe};
  const auto stage = impulse_stage(input, {});
  ASSERT_TRUE(stage.has_value());
  const Response curve = curve_stage(*stage, recipe).curve;
  const FrequencyAxis& axis = curve.axis();
  double worst_db = 0.0;
  double worst_deg = 0.0;
  int compared = 0;
  for (std::size_t i = 0; i < axis.size(); ++i) {
    if (axis[i] < 20.0 || axis[i] > 20000.0) continue;
    const std::complex<double> h = curve.values()[i] / (gain * outcome.take.conditions.drive_v) *
                                   std::polar(1.0, 2.0 * kPi * axis[i] * (delay_s - stage->origin.at_s));
    const double off_db = std::abs(20.0 * std::log10(std::abs(h)));
    const double off_deg = std::abs(std::arg(h)) * 180.0 / kPi;
    ASSERT_TRUE(std::isfinite(off_db) && std::isfinite(off_deg)) << axis[i] << " Hz";
    worst_db = std::max(worst_db, off_db);
    worst_deg = std::max(worst_deg, off_deg);
    ++compared;
  }
  EXPECT_GT(compared, 100) << "the axis holds the band";
  EXPECT_LT(worst_db, 0.01);
  EXPECT_LT(worst_deg, 0.1);
}

}  // namespace lalometer::test
