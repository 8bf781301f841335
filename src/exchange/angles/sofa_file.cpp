#include "exchange/angles/sofa_file.h"

#include <netcdf.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <map>

#include "base/constants.h"

namespace lalometer {
namespace {

using Complex = std::complex<double>;

/// An open netCDF file; closed at the end.
class File {
 public:
  explicit File(int id) : id_(id) {}
  File(const File&) = delete;
  File& operator=(const File&) = delete;
  ~File() { nc_close(id_); }
  [[nodiscard]] int id() const { return id_; }

  [[nodiscard]] std::string text(int variable, const char* name) const {
    std::size_t length = 0;
    nc_type type = NC_NAT;
    if (nc_inq_att(id_, variable, name, &type, &length) != NC_NOERR) return {};
    if (type == NC_CHAR) {
      std::string value(length, '\0');
      nc_get_att_text(id_, variable, name, value.data());
      while (!value.empty() && value.back() == '\0') value.pop_back();
      return value;
    }
    if (type == NC_STRING && length == 1) {
      char* value = nullptr;
      if (nc_get_att_string(id_, variable, name, &value) != NC_NOERR || value == nullptr) return {};
      std::string copy(value);
      nc_free_string(1, &value);
      return copy;
    }
    return {};
  }

  struct Values {
    std::vector<std::size_t> shape;
    std::vector<double> numbers;
    int id = -1;
  };
  [[nodiscard]] std::optional<Values> read(const char* name) const {
    Values v;
    if (nc_inq_varid(id_, name, &v.id) != NC_NOERR) return std::nullopt;
    int count = 0;
    nc_inq_varndims(id_, v.id, &count);
    std::vector<int> dimensions(static_cast<std::size_t>(count));
    nc_inq_vardimid(id_, v.id, dimensions.data());
    std::size_t all = 1;
    constexpr std::size_t kMost = 200'000'000;
    for (const int d : dimensions) {
      std::size_t length = 0;
      nc_inq_dimlen(id_, d, &length);
      v.shape.push_back(length);
      all *= length;
      if (all > kMost) return std::nullopt;
    }
    v.numbers.resize(all);
    if (nc_get_var_double(id_, v.id, v.numbers.data()) != NC_NOERR) return std::nullopt;
    return v;
  }

 private:
  int id_;
};

struct Place {
  double azimuth_deg;
  double elevation_deg;
  double distance_m;
};

/// Row k of a position variable [n or 1][3], spherical or cartesian.
Place place_of(const File& file, const File::Values& positions, std::size_t k) {
  const std::size_t rows = positions.shape.empty() ? 0 : positions.shape.front();
  const std::size_t row = rows > 1 ? std::min(k, rows - 1) : 0;
  // The last dimension may be a measurement's: its first value counts.
  const std::size_t inner = positions.shape.size() > 2 ? positions.shape[2] : 1;
  const auto at = [&](std::size_t c) { return positions.numbers[(row * 3 + c) * inner]; };
  const std::string type = file.text(positions.id, "Type");
  if (type == "cartesian") {
    const double x = at(0), y = at(1), z = at(2);
    const double r = std::sqrt(x * x + y * y + z * z);
    return {std::atan2(y, x) * 180.0 / kPi, r > 0.0 ? std::asin(z / r) * 180.0 / kPi : 0.0, r};
  }
  return {at(0), at(1), at(2)};
}

double wrapped(double degrees) {
  const double w = std::remainder(degrees, 360.0);
  return w <= -180.0 + 1e-9 ? w + 360.0 : w;
}

/// Onto one of the two circles; nothing for directions between them.
std::optional<SofaDirection> on_circle(const Place& p) {
  constexpr double kOff_deg = 0.6;
  SofaDirection d;
  d.distance_m = p.distance_m > 0.01 ? p.distance_m : 1.0;
  const double azimuth = wrapped(p.azimuth_deg);
  if (std::abs(p.elevation_deg) < kOff_deg) {
    d.horizontal_deg = azimuth;
    return d;
  }
  if (std::abs(azimuth) < kOff_deg || std::abs(p.elevation_deg) > 90.0 - kOff_deg) {
    d.vertical_deg = p.elevation_deg;
    return d;
  }
  if (std::abs(azimuth) > 180.0 - kOff_deg) {
    d.vertical_deg = p.elevation_deg > 0.0 ? 180.0 - p.elevation_deg : -180.0 - p.elevation_deg;
    return d;
  }
  return std::nullopt;
}

Error trouble(const std::string& what, const std::filesystem::path& path) {
  return {ErrorCode::kBadInput, what, path.string()};
}

/// How a data variable [M][R][N] counts directions.
struct Layout {
  std::size_t measurements, receivers, points;
  bool by_receiver;
};

std::optional<Layout> layout_of(const File::Values& data) {
  if (data.shape.size() < 3) return std::nullopt;
  Layout l{data.shape[0], data.shape[1], data.shape[2], false};
  l.by_receiver = l.receivers > 1;
  return l;
}

}  // namespace

Result<SofaSet> read_sofa(const std::filesystem::path& path) {
  int id = 0;
  if (nc_open(path.string().c_str(), NC_NOWRITE, &id) != NC_NOERR)
    return tl::unexpected(trouble("This is no AES69 file: it cannot be opened as netCDF.", path));
  const File file(id);
  SofaSet set;
  set.convention = file.text(NC_GLOBAL, "SOFAConventions");
  set.title = file.text(NC_GLOBAL, "Title");
  if (file.text(NC_GLOBAL, "Conventions") != "SOFA" && set.convention.empty())
    return tl::unexpected(trouble("This netCDF file is no AES69 (SOFA) file.", path));
  const auto real = file.read("Data.Real");
  const auto imaginary = file.read("Data.Imag");
  const auto impulses = file.read("Data.IR");
  const File::Values* data = real ? &*real : impulses ? &*impulses : nullptr;
  const auto layout = data != nullptr ? layout_of(*data) : std::nullopt;
  if (!layout || (real && (!imaginary || imaginary->numbers.size() != real->numbers.size())))
    return tl::unexpected(
        trouble("It holds neither transfer functions (Data.Real, Data.Imag) nor impulse responses "
                "(Data.IR).",
                path));
  const auto receivers = file.read("ReceiverPosition");
  auto positions = layout->by_receiver ? receivers : file.read("SourcePosition");
  if (!layout->by_receiver && (!positions || positions->shape.front() < layout->measurements))
    if (const auto listeners = file.read("ListenerPosition");
        listeners && listeners->shape.front() >= layout->measurements)
      positions = listeners;
  if (!positions) return tl::unexpected(trouble("It tells no positions of its receivers.", path));
  const auto frequencies = file.read("N");
  const auto rate = file.read("Data.SamplingRate");
  std::optional<FrequencyAxis> axis;
  std::size_t first = 0;
  if (real) {
    if (!frequencies || frequencies->numbers.size() != layout->points)
      return tl::unexpected(trouble("Its transfer functions come without frequencies (N).", path));
    // 0 Hz is no place on a logarithmic axis.
    while (first < frequencies->numbers.size() && !(frequencies->numbers[first] > 0.0)) ++first;
    auto made =
        FrequencyAxis::make({frequencies->numbers.begin() + static_cast<std::ptrdiff_t>(first),
                             frequencies->numbers.end()});
    if (!made) return tl::unexpected(trouble(made.error().message, path));
    axis = *std::move(made);
  } else if (!rate || !(rate->numbers.front() > 0.0)) {
    return tl::unexpected(trouble("Its impulse responses come without a sampling rate.", path));
  }
  const std::size_t count = layout->by_receiver ? layout->receivers : layout->measurements;
  for (std::size_t k = 0; k < count; ++k) {
    auto direction = on_circle(place_of(file, *positions, k));
    if (!direction) {
      ++set.off_circles;
      continue;
    }
    const std::size_t from = k * layout->points;
    if (real) {
      std::vector<Complex> values;
      for (std::size_t i = first; i < layout->points; ++i)
        values.emplace_back(real->numbers[from + i], imaginary->numbers[from + i]);
      const ValidRange whole{axis->front(), axis->back()};
      auto curve = Response::make(*axis, std::move(values), Quantity::kPressure, whole, true);
      if (!curve) return tl::unexpected(trouble(curve.error().message, path));
      direction->response = *std::move(curve);
    } else {
      ImpulseResponse h;
      h.sample_rate_hz = rate->numbers.front();
      h.excited = {0.0, 0.5 * h.sample_rate_hz};
      h.samples.assign(
          impulses->numbers.begin() + static_cast<std::ptrdiff_t>(from),
          impulses->numbers.begin() + static_cast<std::ptrdiff_t>(from + layout->points));
      direction->impulse = std::move(h);
    }
    set.directions.push_back(*std::move(direction));
  }
  if (set.directions.empty())
    return tl::unexpected(
        trouble("None of its directions lies on the horizontal or the vertical "
                "circle.",
                path));
  return set;
}

namespace {

/// Writing stops at the first failure and keeps it.
class Writer {
 public:
  explicit Writer(int id) : id_(id) {}
  void text(int variable, const char* name, const std::string& value) {
    check(nc_put_att_text(id_, variable, name, value.size(), value.data()));
  }
  int dimension(const char* name, std::size_t length) {
    int d = 0;
    check(nc_def_dim(id_, name, length, &d));
    return d;
  }
  int variable(const char* name, const std::vector<int>& dimensions) {
    int v = 0;
    check(nc_def_var(id_, name, NC_DOUBLE, static_cast<int>(dimensions.size()), dimensions.data(),
                     &v));
    return v;
  }
  void put(int variable, const std::vector<double>& values) {
    check(nc_put_var_double(id_, variable, values.data()));
  }
  void check(int status) {
    if (status != NC_NOERR && status_ == NC_NOERR) status_ = status;
  }
  [[nodiscard]] int status() const { return status_; }

 private:
  int id_;
  int status_ = NC_NOERR;
};

/// Azimuth and elevation of a direction on one of the circles.
std::pair<double, double> sphere_of(const SofaDirection& d) {
  if (d.vertical_deg == 0.0) return {d.horizontal_deg, 0.0};
  if (std::abs(d.vertical_deg) <= 90.0) return {0.0, d.vertical_deg};
  return {180.0, d.vertical_deg > 0.0 ? 180.0 - d.vertical_deg : -180.0 - d.vertical_deg};
}

void put_globals(Writer& w, const SofaSet& set, bool phased) {
  const std::pair<const char*, std::string> globals[] = {
      {"Conventions", "SOFA"},
      {"Version", "2.1"},
      {"SOFAConventions", "FreeFieldDirectivityTF"},
      {"SOFAConventionsVersion", "1.1"},
      {"APIName", "Lalometer"},
      {"APIVersion", LALOMETER_VERSION},
      {"ApplicationName", "Lalometer"},
      {"ApplicationVersion", LALOMETER_VERSION},
      {"AuthorContact", ""},
      {"Organization", ""},
      {"License", "No license provided, ask the author for permission"},
      {"DataType", "TF"},
      {"RoomType", "free field"},
      {"DateCreated", "1970-01-01 00:00:00"},
      {"DateModified", "1970-01-01 00:00:00"},
      {"Title", set.title},
      {"DatabaseName", ""},
      {"Comment", phased ? "" : "The curves have no phase: it stands as 0."}};
  for (const auto& [name, value] : globals) w.text(NC_GLOBAL, name, value.empty() ? " " : value);
}

}  // namespace

Result<void> write_sofa(const SofaSet& set, const std::filesystem::path& path) {
  const auto curve = [](const SofaDirection& d) { return d.response.has_value(); };
  if (set.directions.empty() || !std::all_of(set.directions.begin(), set.directions.end(), curve))
    return tl::unexpected(trouble("There are no responses to be written.", path));
  int id = 0;
  if (nc_create(path.string().c_str(), NC_NETCDF4 | NC_NOCLOBBER, &id) != NC_NOERR)
    return tl::unexpected(trouble("It cannot be written here, or is there already.", path));
  Writer w(id);
  const FrequencyAxis& axis = set.directions.front().response->axis();
  const std::size_t directions = set.directions.size();
  bool phased = true;
  for (const SofaDirection& d : set.directions) phased = phased && d.response->has_phase();
  put_globals(w, set, phased);
  const int m = w.dimension("M", 1);
  const int r = w.dimension("R", directions);
  const int n = w.dimension("N", axis.size());
  const int e = w.dimension("E", 1);
  const int c = w.dimension("C", 3);
  const int i = w.dimension("I", 1);
  const auto position = [&](const char* name, const std::vector<int>& dimensions, bool sphere) {
    const int v = w.variable(name, dimensions);
    w.text(v, "Type", sphere ? "spherical" : "cartesian");
    w.text(v, "Units", sphere ? "degree, degree, metre" : "metre");
    return v;
  };
  const int listener = position("ListenerPosition", {i, c}, false);
  const int receiver = position("ReceiverPosition", {r, c, i}, true);
  const int source = position("SourcePosition", {i, c}, false);
  const int emitter = position("EmitterPosition", {e, c, i}, false);
  const int view = position("SourceView", {i, c}, false);
  const int up = position("SourceUp", {i, c}, false);
  const int hertz = w.variable("N", {n});
  w.text(hertz, "LongName", "frequency");
  w.text(hertz, "Units", "hertz");
  const int real = w.variable("Data.Real", {m, r, n});
  const int imaginary = w.variable("Data.Imag", {m, r, n});
  w.check(nc_enddef(id));
  std::vector<double> places;
  std::vector<double> reals;
  std::vector<double> imaginaries;
  for (const SofaDirection& d : set.directions) {
    const auto [azimuth, elevation] = sphere_of(d);
    places.insert(places.end(), {azimuth, elevation, d.distance_m});
    const Response own =
        d.response->axis().size() == axis.size() ? *d.response : resampled(*d.response, axis);
    for (const Complex& v : own.values()) {
      reals.push_back(v.real());
      imaginaries.push_back(v.imag());
    }
  }
  w.put(listener, {0.0, 0.0, 0.0});
  w.put(receiver, places);
  w.put(source, {0.0, 0.0, 0.0});
  w.put(emitter, {0.0, 0.0, 0.0});
  w.put(view, {1.0, 0.0, 0.0});
  w.put(up, {0.0, 0.0, 1.0});
  w.put(hertz, {axis.hz().begin(), axis.hz().end()});
  w.put(real, reals);
  w.put(imaginary, imaginaries);
  w.check(nc_close(id));
  if (w.status() != NC_NOERR) {
    std::error_code ignored;
    std::filesystem::remove(path, ignored);
    return tl::unexpected(trouble(std::string("Writing failed: ") + nc_strerror(w.status()), path));
  }
  return {};
}

}  // namespace lalometer
