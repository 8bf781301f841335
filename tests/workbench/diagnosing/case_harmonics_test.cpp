// Sweeps through a motor that bends, with a dip before it (as of a network) or behind it (as of a
// cone or an edge), from the file to what the diagnosis makes of their harmonics.
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "acoustics/signal/fft.h"
#include "acoustics/signal/sweep.h"
#include "base/work_owner.h"
#include "diagnosis/diagnose.h"
#include "diagnosis/view/sound/harmonics.h"
#include "diagnosis/view/view.h"
#include "exchange/audio_file.h"
#include "support/support.h"
#include "workbench/bass/worked.h"
#include "workbench/diagnosing/case_of_import.h"
#include "workbench/diagnosing/case_study.h"
#include "workbench/diagnosing/take_hearing.h"
#include "workbench/sharing/importing.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;
constexpr double kRate = 48000.0;
constexpr double kDip_hz = 1500.0;

/// A second-order dip of 8 dB, Q 2 of its poles' half.
Complex dip(double f) {
  const Complex s(0.0, f / kDip_hz);
  return (s * s + 0.4 * s + 1.0) / (s * s + 1.0 * s + 1.0);
}

template <class Transfer>
std::vector<double> through(const std::vector<double>& x, Transfer transfer) {
  const RealTransform fft(1U << 18U);
  Samples in(fft.size(), 0.0);
  std::copy(x.begin(), x.end(), in.begin());
  Spectrum bins(fft.bin_count());
  fft.forward(in, bins);
  for (std::size_t k = 0; k < bins.size(); ++k)
    bins[k] *= transfer(static_cast<double>(k) * kRate / static_cast<double>(fft.size()));
  fft.inverse(bins, in);
  return {in.begin(), in.begin() + static_cast<std::ptrdiff_t>(x.size())};
}

enum class Dip { kBefore, kBehind };

/// A set with one recorded sweep.
/// @param bends  of the motor's square and cube; 0: a straight one. @param hum  of the recorder
void write_set(const std::filesystem::path& folder, Dip where, double bends, double hum = 0.0) {
  const auto spec = *SweepSpec::make({20.0, 20000.0, 2.0, kRate});
  std::vector<double> x(24000, 0.0);
  for (const double s : exponential_sweep(spec)) x.push_back(0.5 * s);
  x.resize(x.size() + 24000, 0.0);
  std::vector<double> y =
      through(x, [&](double f) { return where == Dip::kBefore ? dip(f) : Complex(1.0); });
  for (double& v : y) v += bends * (v * v + v * v * v);
  y = through(y, [&](double f) {
    const Complex s(0.0, f / 50.0);
    const Complex flight = std::polar(1.0, -2.0 * kPi * f * (1.0 / kSpeedOfSound20_m_s + 0.002));
    return flight * s * s / (s * s + 1.4 * s + 1.0) *
           (where == Dip::kBehind ? dip(f) : Complex(1.0));
  });
  test::Normals noise(11);
  for (std::size_t i = 0; i < y.size(); ++i)
    y[i] = 0.2 * y[i] + 1e-6 * noise() +
           hum * std::sin(2.0 * kPi * 50.0 * static_cast<double>(i) / kRate);
  const auto bytes = *audio_bytes({kRate, {y}, ""}, AudioFormat::kWavFloat32);
  test::write(folder / "axis.wav",
              std::string(reinterpret_cast<const char*>(bytes.data()), bytes.size()));
  const nlohmann::json set = {{"format", "lalometer-set"},
                              {"version", 1},
                              {"subject",
                               {{"name", "Sluice"},
                                {"kind", "loudspeaker"},
                                {"loading", "sealed"},
                                {"drivers",
                                 {{{"id", "cone"},
                                   {"role", "fullrange"},
                                   {"diameter_mm", 180},
                                   {"sd_cm2", 150},
                                   {"x_mm", 0},
                                   {"y_mm", 0}}}}}},
                              {"takes",
                               {{{"id", "axis"},
                                 {"kind", "sweep"},
                                 {"file", "axis.wav"},
                                 {"horizontal_deg", 0},
                                 {"distance_m", 1.0},
                                 {"drive_v", 2.83},
                                 {"gate_ms", 8.0},
                                 {"channel", 0},
                                 {"stimulus",
                                  {{"type", "exponential-sweep"},
                                   {"start_hz", 20},
                                   {"stop_hz", 20000},
                                   {"duration_s", 2.0},
                                   {"lead_in_s", 0.5},
                                   {"amplitude", 0.5}}}}}}};
  test::write(folder / "set.json", set.dump());
}

CaseMaterial material_of(Dip where, double bends) {
  const test::TemporaryFolder folder;
  write_set(folder.path(), where, bends);
  auto material = case_of(preview_import({folder.path()}, {}, {}), "set");
  EXPECT_TRUE(material.has_value());
  return *std::move(material);
}

const SeenFeature* the_dip(const CaseView& v) {
  for (const SeenFeature& f : v.features)
    if (f.feature.height_db < 0.0 && std::abs(std::log2(f.at_hz / kDip_hz)) < 0.2) return &f;
  return nullptr;
}

TEST(CaseHarmonicsTest, ADipBehindTheMotorIsInItsHarmonicsAndOneBeforeItIsNot) {
  for (const Dip where : {Dip::kBefore, Dip::kBehind}) {
    const CaseMaterial m = material_of(where, 0.05);
    ASSERT_FALSE(m.takes.front().harmonics.empty());
    const CaseView v = view_of(m);
    const SeenFeature* f = the_dip(v);
    ASSERT_NE(f, nullptr);
    ASSERT_TRUE(f->in_harmonics.has_value());
    if (where == Dip::kBefore)
      EXPECT_LT(*f->in_harmonics, 0.2);
    else
      EXPECT_NEAR(*f->in_harmonics, 1.0, 0.3);
  }
}

TEST(CaseHarmonicsTest, AStraightMotorsHarmonicsTellNothing) {
  const CaseMaterial m = material_of(Dip::kBefore, 0.0);
  const CaseView v = view_of(m);
  const SeenFeature* f = the_dip(v);
  ASSERT_NE(f, nullptr);
  EXPECT_FALSE(f->in_harmonics.has_value());
}

TEST(CaseHarmonicsTest, WhatTheyTellIsWeighedAndSaid) {
  for (const Dip where : {Dip::kBefore, Dip::kBehind}) {
    const CaseMaterial m = material_of(where, 0.05);
    const CaseView v = view_of(m);
    const SeenFeature* f = the_dip(v);
    ASSERT_NE(f, nullptr);
    const auto weighed = [&](const char* cause) {
      Claim c(1.0);
      c.feature = static_cast<std::size_t>(f - v.features.data());
      weigh_harmonics(v, cause, c);
      return c;
    };
    const bool behind = where == Dip::kBehind;
    EXPECT_EQ(weighed("driver-breakup").odds() > 1.2, behind);
    EXPECT_EQ(weighed("notch-filter").odds() < 0.8, behind);
    EXPECT_EQ(weighed("baffle-step").odds(), 1.0) << "may be either";
    const Claim cone = weighed("driver-breakup");
    ASSERT_EQ(cone.evidence().size() + cone.against().size(), 1U);
    EXPECT_EQ(cone.evidence().size(), behind ? 1U : 0U);
  }
}

/// A set's only take, taken into a book, as the window has it.
class InABook {
 public:
  explicit InABook(const ImportPreview& preview) {
    auto book = *Book::create(folder_ / "case.lalo");
    EXPECT_TRUE(take_in(book, preview, {}).has_value());
    const auto subjects = *book.subjects();
    const auto takes = *book.takes();
    in_ = {.name = subjects[0].name,
           .description = subjects[0].description,
           .drawing = subjects[0].drawing_mark,
           .takes = {*inputs_from(book, takes[0])}};
  }
  HeardOnAxis heard() { return **store_.get(heard_on_axis_node(in_.takes[0]), making_); }
  Diagnosis diagnosis() { return **store_.get(case_node(in_), making_); }

 private:
  test::TemporaryFolder folder_;
  CaseInputs in_;
  ResultStore store_ = ResultStore(1 << 28);
  Making making_ = {store_, {}, on_threads()};
};

TEST(CaseHarmonicsTest, BothDoorsHearTheSame) {
  const test::TemporaryFolder folder;
  write_set(folder.path(), Dip::kBehind, 0.05, 0.01);
  const ImportPreview preview = preview_import({folder.path()}, {}, {});
  const CaseMaterial by_command = *case_of(preview, "set");
  InABook in_window(preview);
  const HeardOnAxis heard = in_window.heard();
  const CaseTake& take = by_command.takes.front();
  ASSERT_EQ(heard.harmonics.size(), 2U);
  ASSERT_EQ(take.harmonics.size(), 2U);
  for (std::size_t k = 0; k < 2; ++k) {
    EXPECT_NEAR(heard.harmonics[k].valid().low_hz, take.harmonics[k].valid().low_hz, 1e-6);
    EXPECT_NEAR(value_at(heard.harmonics[k], 1500.0).real(),
                value_at(take.harmonics[k], 1500.0).real(), 1e-9);
  }
  ASSERT_TRUE(heard.ridges && take.ridges);
  EXPECT_EQ(heard.ridges->size(), take.ridges->size());
  for (const Diagnosis& d : {diagnose(by_command), in_window.diagnosis()}) {
    ASSERT_EQ(d.overall.size(), 1U);
    EXPECT_EQ(d.overall.front().cause, "mains-hum") << "in the silence before the sweep";
  }
}

}  // namespace
}  // namespace lalometer
