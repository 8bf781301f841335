#pragma once

#include <complex>
#include <functional>
#include <nlohmann/json.hpp>

#include "base/constants.h"
#include "support/support.h"

/// A box written out apart from the program: Small's equivalent circuit (J. Audio Eng. Soc. 21
/// (1973) 363), the piston on its own axis (Beranek), what one part adds at another's microphone.
namespace lalometer::test::small_box {

using Complex = std::complex<double>;
using json = nlohmann::json;

inline constexpr double kC = 343.2;
inline constexpr double kRho = 1.204;

struct Box {
  double fs_hz = 38.0, qms = 4.5, qes = 0.42, vas_m3 = 0.03, sd_m2 = 0.0132;
  double volume_m3 = 0.014, fb_hz = 46.0, ql = 8.0;
  double port_m = 0.025;  ///< radius
  bool vented = true;
};

/// Volume velocities of cone and port for 2.83 V.
inline std::pair<Complex, Complex> flows(const Box& b, double f) {
  const Complex s(0.0, 2.0 * kPi * f);
  const double ws = 2.0 * kPi * b.fs_hz;
  const double cms = b.vas_m3 / (kRho * kC * kC * b.sd_m2 * b.sd_m2);
  const double mms = 1.0 / (ws * ws * cms);
  const double re = 5.6;
  const double bl = std::sqrt(ws * mms * re / b.qes);
  const double cab = b.volume_m3 / (kRho * kC * kC);
  const double wb = 2.0 * kPi * b.fb_hz;
  const double map = 1.0 / (wb * wb * cab);
  const Complex air = 1.0 / (s * cab + wb * cab / b.ql + (b.vented ? 1.0 / (s * map) : 0.0));
  const Complex zm =
      ws * mms / b.qms + s * mms + 1.0 / (s * cms) + bl * bl / re + b.sd_m2 * b.sd_m2 * air;
  const Complex cone = b.sd_m2 * 2.83 * bl / re / zm;
  return {cone, b.vented ? -cone * air / (s * map) : 0.0};
}

inline Complex before(Complex flow, double a, double z, double f) {
  const double k = 2.0 * kPi * f / kC;
  return kRho * kC * flow / (kPi * a * a) * (1.0 - std::polar(1.0, -k * (std::hypot(z, a) - z)));
}
inline Complex from_afar(Complex flow, double d, double f) {
  return Complex(0.0, 2.0 * kPi * f) * kRho * flow / (2.0 * kPi * d) *
         std::polar(1.0, -2.0 * kPi * f * d / kC);
}
inline Complex half_space(const Box& b, double f) {
  const auto [cone, port] = flows(b, f);
  return Complex(0.0, 2.0 * kPi * f) * kRho * (cone + port) / (2.0 * kPi);
}
inline double level(Complex p) {
  return 20.0 * std::log10(std::abs(p) / 20e-6);
}

inline std::string rows(const std::vector<double>& hz, const std::function<Complex(double)>& p) {
  std::string text;
  for (const double f : hz)
    text += fmt::format("{:.5f} {:.5f} {:.5f}\n", f, level(p(f)), std::arg(p(f)) * 180.0 / kPi);
  return text;
}
inline std::vector<double> bass_hz() {
  std::vector<double> hz;
  for (double f = 10.0; f < 2000.0; f *= std::exp2(1.0 / 48.0)) hz.push_back(f);
  return hz;
}

/// The kiosk: 210 x 380 x 300 mm, the woofer in the middle, the port 105 mm beside it on the front.
inline json set_of(const Box& b) {
  json set = json::parse(R"({"format": "lalometer-set", "version": 1, "subject": {"name": "Kiosk",
    "kind": "loudspeaker", "baffle": {"width_mm": 210, "height_mm": 380, "depth_mm": 300,
    "left_mm": 105, "top_mm": 190}, "ports": []}, "takes": []})");
  set["subject"]["loading"] = b.vented ? "vented" : "sealed";
  set["subject"]["drivers"] = {
      {{"id", "woofer"}, {"role", "woofer"}, {"sd_cm2", b.sd_m2 * 1e4}, {"x_mm", 0}, {"y_mm", 0}}};
  set["takes"].push_back({{"id", "nf-w"},
                          {"kind", "near-field"},
                          {"file", "w.frd"},
                          {"source", "woofer"},
                          {"distance_mm", 5}});
  if (!b.vented) return set;
  set["subject"]["ports"] = {{{"id", "port"},
                              {"panel", "front"},
                              {"diameter_mm", 2e3 * b.port_m},
                              {"length_mm", 130},
                              {"count", 1},
                              {"x_mm", 0},
                              {"y_mm", -150}}};
  set["takes"].push_back({{"id", "nf-p"},
                          {"kind", "near-field"},
                          {"file", "p.frd"},
                          {"source", "port"},
                          {"distance_mm", 4}});
  return set;
}

inline void write_near(const TemporaryFolder& folder, const Box& b, double crosstalk = 1.0) {
  const double a = std::sqrt(b.sd_m2 / kPi);
  const auto hz = bass_hz();
  test::write(folder / "w.frd", rows(hz, [&](double f) {
                const auto [cone, port] = flows(b, f);
                return before(cone, a, 0.005, f) +
                       crosstalk * from_afar(port, std::hypot(0.15, 0.005), f);
              }));
  if (!b.vented) return;
  test::write(folder / "p.frd", rows(hz, [&](double f) {
                const auto [cone, port] = flows(b, f);
                return before(port, b.port_m, 0.004, f) +
                       crosstalk * from_afar(cone, std::hypot(0.15, 0.004), f);
              }));
}

}  // namespace lalometer::test::small_box
