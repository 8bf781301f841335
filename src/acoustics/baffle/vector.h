#pragma once

#include <cmath>

/// Points and directions in space, metres.
namespace lalometer {

struct Vector {
  double x, y, z;
};
inline Vector operator+(Vector a, Vector b) {
  return {a.x + b.x, a.y + b.y, a.z + b.z};
}
inline Vector operator-(Vector a, Vector b) {
  return {a.x - b.x, a.y - b.y, a.z - b.z};
}
inline Vector operator*(double s, Vector a) {
  return {s * a.x, s * a.y, s * a.z};
}
inline double dot(Vector a, Vector b) {
  return a.x * b.x + a.y * b.y + a.z * b.z;
}
inline double norm(Vector a) {
  return std::sqrt(dot(a, a));
}

}  // namespace lalometer
