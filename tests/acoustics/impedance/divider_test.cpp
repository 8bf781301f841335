#include "acoustics/impedance/divider.h"

#include "support/support.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;
using test::curve_from;

Complex load(double f) {
  return 6.0 + Complex(0.0, 2.0 * kPi * f * 0.0005);
}

TEST(Divider, UndoesItsOwnRatio) {
  const Response ratio =
      curve_from([](double f) { return load(f) / (load(f) + 27.0); }, Quantity::kRatio);
  const auto z = impedance_by_divider(ratio, 27.0, 0.0);
  ASSERT_TRUE(z.has_value());
  for (std::size_t i = 0; i < z->size(); ++i)
    ASSERT_LT(std::abs(z->value(i) - load(z->axis()[i])), 1e-9);
}

TEST(Divider, TakesTheCableOff) {
  const Response ratio = curve_from(
      [](double f) { return (load(f) + 0.3) / (load(f) + 0.3 + 27.0); }, Quantity::kRatio);
  const auto z = impedance_by_divider(ratio, 27.0, 0.3);
  ASSERT_TRUE(z.has_value());
  EXPECT_LT(std::abs(z->value(0) - load(z->axis()[0])), 1e-9);
}

TEST(Divider, RefusesAnOpenCircuitByName) {
  const Response ratio = curve_from([](double) { return 1.0; }, Quantity::kRatio);
  const auto z = impedance_by_divider(ratio, 27.0, 0.0);
  ASSERT_FALSE(z.has_value());
  EXPECT_NE(z.error().message.find("leads"), std::string::npos);
}

// Any linear two-port: gain error, phase, input impedance of 40 kohm, resistor off by 4 %, cable of
// 0.2 ohm.
TEST(JigCalibration, UndoesAnythingLinear) {
  const auto seen = [](double f, Complex z) {
    const Complex with_cable = z + 0.2;
    const Complex loaded = with_cable * 40000.0 / (with_cable + 40000.0);
    return 1.03 * std::polar(1.0, -f / 50000.0) * loaded / (loaded + 27.0 * 1.04);
  };
  const auto curve = [&](auto z) {
    return curve_from([&](double f) { return seen(f, z(f)); }, Quantity::kRatio);
  };
  const JigCalibration jig{curve([](double) { return Complex(1e12); }),
                           curve([](double) { return Complex(0.0); }),
                           curve([](double) { return Complex(10.0); }), 10.0};
  const auto z = impedance_by_calibration(curve(load), jig);
  ASSERT_TRUE(z.has_value());
  for (std::size_t i = 0; i < z->size(); ++i)
    ASSERT_LT(std::abs(z->value(i) - load(z->axis()[i])), 1e-5) << z->axis()[i];
}

}  // namespace
}  // namespace lalometer
