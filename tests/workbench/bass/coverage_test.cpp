// Stated intervals of the bass figures against boxes whose truth is known: Small's circuit, noise,
// microphones that stand half a millimetre off, areas told 3 % wrong (95 %).
#include "support/small_box.h"
#include "workbench/bass/join_study.h"

namespace lalometer {
namespace {

using namespace test::small_box;

struct Counted {
  int inside = 0;
  int told = 0;
  double widest = 0.0;
  void add(const std::optional<Estimate>& e, double truth) {
    if (!e) return;
    ++told;
    inside += std::abs(e->value - truth) <= e->half_width ? 1 : 0;
    widest = std::max(widest, e->half_width / truth);
  }
  [[nodiscard]] double share() const { return static_cast<double>(inside) / told; }
};

Take near_take(const char* source, double mm) {
  Take t;
  t.setup = NearFieldSetup{source, mm};
  return t;
}

Response curve(const std::function<Complex(double)>& p, double noise, test::Normals& normal,
               double low, double high) {
  std::vector<double> hz;
  std::vector<Complex> values;
  for (double f = low; f < high; f *= std::exp2(1.0 / 48.0)) {
    hz.push_back(f);
    values.push_back(p(f) * (1.0 + noise * Complex(normal(), normal())));
  }
  const ValidRange whole{hz.front(), hz.back()};
  return *Response::make(*FrequencyAxis::make(hz), std::move(values), Quantity::kPressure, whole,
                         true);
}

TEST(BassCoverage, TuningFallsAndOffsetOfTwoHundredBoxes) {
  test::Normals normal(11);
  const auto between = [&](double low, double high) {
    // Evenly, by the normal's own distribution.
    return low + (high - low) * 0.5 * std::erfc(-normal() / std::sqrt(2.0));
  };
  Counted fb, f3, f6, f10, offset;
  for (int n = 0; n < 200; ++n) {
    Box b;
    b.sd_m2 = std::exp(between(std::log(0.008), std::log(0.05)));
    b.fs_hz = between(24.0, 55.0);
    b.volume_m3 = b.sd_m2 * between(0.8, 2.0);
    b.vas_m3 = b.sd_m2 * between(1.0, 4.0);
    b.fb_hz = b.fs_hz * between(0.8, 1.3);
    b.ql = between(5.0, 15.0);
    b.qes = between(0.3, 0.55);
    const double a = std::sqrt(b.sd_m2 / kPi);
    b.port_m = a * between(0.3, 0.55);
    const double noise = between(0.001, 0.01);
    const double share = between(0.5, 1.1);
    const double zc = 0.005 + 0.0005 * normal();
    const double zp = 0.005 + 0.0005 * normal();
    const double drift[2] = {std::pow(10.0, 0.05 * normal() / 20.0),
                             std::pow(10.0, 0.05 * normal() / 20.0)};
    SubjectGeometry g;
    g.drivers.push_back(
        {.id = "woofer", .role = "woofer", .radius_m = a * std::sqrt(1.0 + 0.015 * normal())});
    SubjectPort port{.id = "port", .panel = "front"};
    port.radius_m = b.port_m * std::sqrt(1.0 + 0.015 * normal());
    port.y_m = 0.21;
    g.ports.push_back(port);
    g.baffle = *Baffle::make({0.4, 0.7, 0.3, EdgeShape::kSquare, 0.0});
    g.origin_x_m = 0.2;
    g.origin_y_m = 0.25;
    const auto at_cone = [&](double f) {
      const auto [cone, out] = flows(b, f);
      return drift[0] * (before(cone, a, zc, f) + share * from_afar(out, 0.21, f));
    };
    const auto at_port = [&](double f) {
      const auto [cone, out] = flows(b, f);
      return drift[1] * (before(out, b.port_m, zp, f) + share * from_afar(cone, 0.21, f));
    };
    const Response cone = curve(at_cone, noise, normal, 10.0, 1500.0);
    const Response out = curve(at_port, noise, normal, 10.0, 1500.0);
    const Take takes[2] = {near_take("woofer", 5.0), near_take("port", 5.0)};
    const TimeOrigin file{0.0, TimeOrigin::Source::kFile};
    const std::vector<NearTake> near = {{&takes[0], &cone, file}, {&takes[1], &out, file}};
    // In a wall: no cabinet's edges stand between what is compared.
    SubjectGeometry wall = g;
    const auto sum = near_fields_of(wall, near, "", {});
    ASSERT_TRUE(sum) << sum.error().text();
    const double high = sum->valid_to_hz;
    double mean = 0.0;
    int count = 0;
    for (double f = high / 3.0; f < high; f *= 1.005, ++count) mean += level(half_space(b, f));
    mean /= count;
    const auto falls = [&](double by) {
      double f = 0.5 * high;
      while (level(half_space(b, f)) > mean - by) f *= 0.9995;
      return f;
    };
    // A far field off by what rigs are off, with the ripple that reflections leave in a gate: some
    // three independent waves an octave.
    const double rig_db = 0.6 * normal();
    const double ripple_db = 0.3;
    double phases[24];
    for (double& p : phases) p = 2.0 * kPi * between(0.0, 1.0);
    const auto at_metre = [&](double f) {
      double ripple = 0.0;
      for (int k = 0; k < 24; ++k)
        ripple += std::cos(2.0 * kPi * std::log2(f) * (0.25 + 0.11 * k) + phases[k]);
      return half_space(b, f) *
             std::pow(10.0, (rig_db + ripple_db * ripple / std::sqrt(12.0)) / 20.0);
    };
    const Response far = curve(at_metre, 0.003, normal, 200.0, 4000.0);
    Take far_take;
    far_take.setup = FarFieldSetup{};
    NearFields in_wall = *sum;
    in_wall.full_space = std::nullopt;
    if (const auto joined = joined_response(in_wall, {&far_take, &far, true}, std::nullopt, ""))
      offset.add(Estimate{joined->level_offset_db + 10.0, joined->offset_deviation_db},
                 rig_db + 10.0);
    fb.add(sum->fb_hz, b.fb_hz);
    f3.add(sum->f3_hz, falls(3.0));
    f6.add(sum->f6_hz, falls(6.0));
    f10.add(sum->f10_hz, falls(10.0));
  }
  for (const auto& [name, c] :
       {std::pair("fB", fb), {"F3", f3}, {"F6", f6}, {"F10", f10}, {"offset", offset}}) {
    std::printf("%s: %.1f %% of %d inside, widest %.1f %%\n", name, 100.0 * c.share(), c.told,
                100.0 * c.widest);
    EXPECT_GE(c.told, 190) << name;
    // 200 cases tell 95 % within 3 % (twice the binomial deviation).
    EXPECT_GE(c.share(), 0.92) << name;
    EXPECT_LE(c.share(), 0.99) << name;
  }
}

}  // namespace
}  // namespace lalometer
