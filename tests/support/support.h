#pragma once

#include <gtest/gtest.h>

#include <cmath>
#include <complex>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <random>
#include <span>
#include <string>
#include <vector>

#include "acoustics/spectrum/response.h"
#include "base/constants.h"

namespace lalometer::test {

/// A folder of its own for a test, gone afterwards.
class TemporaryFolder {
 public:
  TemporaryFolder() {
    std::string pattern = (std::filesystem::temp_directory_path() / "lalometer-XXXXXX").string();
    path_ = mkdtemp(pattern.data());
  }
  TemporaryFolder(const TemporaryFolder&) = delete;
  TemporaryFolder& operator=(const TemporaryFolder&) = delete;
  ~TemporaryFolder() {
    std::error_code ignored;
    std::filesystem::permissions(path_, std::filesystem::perms::owner_all, ignored);
    std::filesystem::remove_all(path_, ignored);
  }
  [[nodiscard]] const std::filesystem::path& path() const { return path_; }
  [[nodiscard]] std::filesystem::path operator/(const std::string& name) const {
    return path_ / name;
  }

 private:
  std::filesystem::path path_;
};

inline void write(const std::filesystem::path& path, const std::string& text) {
  std::ofstream(path, std::ios::binary) << text;
}

inline std::string slurp(const std::filesystem::path& path) {
  std::ifstream in(path, std::ios::binary);
  return {std::istreambuf_iterator<char>(in), std::istreambuf_iterator<char>()};
}

/// Normals of a fixed sequence, the same on every platform.
class Normals {
 public:
  explicit Normals(std::uint64_t seed) : engine_(seed) {}
  double operator()() {
    const auto uniform = [this] {
      return (static_cast<double>(engine_() >> 11U) + 0.5) * 0x1.0p-53;
    };
    const double radius = std::sqrt(-2.0 * std::log(uniform()));
    return radius * std::cos(2.0 * kPi * uniform());
  }

 private:
  std::mt19937_64 engine_;
};

/// Compares element by element and names the first that is off; NaN never passes.
inline void expect_near(std::span<const double> got, std::span<const double> want,
                        double tolerance) {
  ASSERT_EQ(got.size(), want.size());
  for (std::size_t i = 0; i < got.size(); ++i) {
    ASSERT_TRUE(std::isfinite(got[i])) << "at " << i;
    ASSERT_NEAR(got[i], want[i], tolerance) << "at " << i;
  }
}

/// A curve from a function of frequency over a log axis.
template <class Function>
Response curve_from(Function value, Quantity quantity, double low_hz = 10.0,
                    double high_hz = 20000.0, double per_octave = 48.0) {
  FrequencyAxis axis = FrequencyAxis::logarithmic(low_hz, high_hz, per_octave);
  std::vector<std::complex<double>> values;
  for (std::size_t i = 0; i < axis.size(); ++i) values.push_back(value(axis[i]));
  const ValidRange whole{axis.front(), axis.back()};
  return *Response::make(std::move(axis), std::move(values), quantity, whole, true);
}

/// Letters and digits of a parameter's `what`, for the names of parameterised tests.
inline constexpr auto name_of_case = [](const auto& one) {
  std::string name = one.param.what;
  std::erase_if(name, [](char c) { return std::isalnum(static_cast<unsigned char>(c)) == 0; });
  return name;
};

inline double wrapped_deg(double degrees) {
  return degrees - 360.0 * std::round(degrees / 360.0);
}

}  // namespace lalometer::test
