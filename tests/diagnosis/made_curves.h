#pragma once

#include <fmt/format.h>

#include <cmath>
#include <string>

#include "acoustics/enclosure/driver_circuit.h"
#include "base/constants.h"
#include "diagnosis/diagnose.h"

/// Curves and loudspeakers written out for tests of the diagnosis.
namespace lalometer::made {

template <class Value>
Response curve(Quantity quantity, double low, double high, double per_octave, bool phase,
               Value value) {
  const FrequencyAxis axis = FrequencyAxis::logarithmic(low, high, per_octave);
  std::vector<std::complex<double>> values;
  for (const double f : axis.hz()) values.push_back(value(f));
  return *Response::make(axis, std::move(values), quantity, {low, high}, phase);
}

/// Of a level in dB, without phase.
template <class Level>
Response level_of(Level db, double low = 100.0, double per_octave = 48.0) {
  return curve(Quantity::kPressure, low, 18000.0, per_octave, false, [&](double f) {
    return from_level(db(f), 0.0, level_reference(Quantity::kPressure));
  });
}

/// A bell over log f.
inline double bell(double f, double at, double db, double octaves) {
  return db * std::exp(-0.5 * std::pow(std::log2(f / at) / octaves, 2));
}

inline CaseTake at_angle(double degrees, Response curve) {
  return {.name = fmt::format("{} deg", degrees),
          .horizontal_deg = degrees,
          .gate_s = 0.006,
          .curve = std::move(curve)};
}

inline CaseTake alone(const char* driver, Response curve) {
  CaseTake t = at_angle(0.0, std::move(curve));
  t.name = driver;
  t.driver = driver;
  return t;
}

/// A woofer of 130 mm that suits 14 l.
inline DriverParameters woofer() {
  return elements_of({.fs_hz = 42.0,
                      .qms = 4.2,
                      .qes = 0.46,
                      .vas_m3 = 0.0215,
                      .sd_m2 = 0.0132,
                      .re_ohm = 5.6,
                      .le_h = 3e-4});
}

inline CaseMaterial one_cone(double radius_m) {
  CaseMaterial m;
  m.subject.loading = "sealed";
  m.subject.drivers = {{.id = "cone", .role = "fullrange", .radius_m = radius_m}};
  m.subject.baffle = *Baffle::make({.width_m = 0.23,
                                    .height_m = 0.4,
                                    .depth_m = 0.25,
                                    .edge = EdgeShape::kRound,
                                    .edge_size_m = 0.02});
  m.subject.origin_x_m = 0.115;
  m.subject.origin_y_m = 0.25;
  return m;
}

/// A sharp square front of 240 mm with the driver in its middle: all edges alike.
inline void put_on_square_front(CaseMaterial& m) {
  m.subject.baffle = *Baffle::make({.width_m = 0.24,
                                    .height_m = 0.24,
                                    .depth_m = 0.2,
                                    .edge = EdgeShape::kSquare,
                                    .edge_size_m = 0.0});
  m.subject.origin_x_m = m.subject.origin_y_m = 0.12;
}

inline CaseMaterial two_ways() {
  CaseMaterial m = one_cone(0.06);
  m.subject.drivers = {
      {.id = "woofer", .role = "woofer", .y_m = -0.08, .radius_m = 0.06},
      {.id = "tweeter", .role = "tweeter", .y_m = 0.05, .radius_m = 0.012, .high = true}};
  m.subject.crossovers = {{"woofer", "tweeter", 2000.0}};
  return m;
}

inline double probability(const Diagnosis& d, const std::string& cause) {
  double p = 0.0;
  for (const Finding& f : d.findings)
    for (const FindingCause& c : f.causes)
      if (c.cause == cause) p = std::max(p, c.probability);
  for (const FindingCause& c : d.overall)
    if (c.cause == cause) p = std::max(p, c.probability);
  return p;
}

inline const FindingCause* found(const Diagnosis& d, const std::string& cause) {
  for (const Finding& f : d.findings)
    for (const FindingCause& c : f.causes)
      if (c.cause == cause) return &c;
  for (const FindingCause& c : d.overall)
    if (c.cause == cause) return &c;
  return nullptr;
}

}  // namespace lalometer::made
