#include "exchange/curve_file.h"

#include <algorithm>
#include <cctype>
#include <cmath>

#include "acoustics/curves/flight_time.h"
#include "base/text.h"

namespace lalometer {
namespace {

std::string lower(std::string text) {
  std::transform(text.begin(), text.end(), text.begin(),
                 [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
  return text;
}

}  // namespace

Response curve_of(const TextTable& table, ColumnKind kind, double valid_from_hz) {
  const Quantity quantity = kind == ColumnKind::kImpedance  ? Quantity::kImpedance
                            : kind == ColumnKind::kResponse ? Quantity::kPressure
                                                            : Quantity::kRatio;
  std::vector<double> f;
  std::vector<std::complex<double>> values;
  for (const TableRow& row : table.rows) {
    f.push_back(row.frequency_hz);
    values.push_back(kind == ColumnKind::kImpedance
                         ? std::polar(row.magnitude, row.phase_deg * 3.14159265358979323846 / 180.0)
                         : from_level(row.magnitude, row.phase_deg, level_reference(quantity)));
  }
  const ValidRange valid = intersect({f.front(), f.back()}, {valid_from_hz, f.back()});
  // The table's invariants (rising, above 0, finite) are those of an axis.
  const Response curve = *Response::make(*FrequencyAxis::make(std::move(f)), std::move(values),
                                         quantity, valid, table.has_phase);
  // A list with few points may hold more flight time than its points can follow.
  return kind == ColumnKind::kResponse ? curve.with_flight(flight_time_in(curve)) : curve;
}

std::string curve_text(const Response& curve, const std::vector<std::string>& comments) {
  std::string text;
  for (const std::string& comment : comments) text += "* " + comment + "\n";
  const bool impedance = curve.quantity() == Quantity::kImpedance;
  text += impedance ? "* Hz ohm" : "* Hz dB";
  text += curve.has_phase() ? " degrees\n" : "\n";
  for (std::size_t i = 0; i < curve.size(); ++i) {
    text += shortest(curve.axis()[i]) + "\t" +
            shortest(impedance ? curve.magnitude(i) : curve.level_db(i));
    if (curve.has_phase()) text += "\t" + shortest(curve.phase_deg(i));
    text += "\n";
  }
  return text;
}

namespace {

/// The only number that stands before a unit in a line of lower case, blanks between; the pressure
/// of a calibrator, 94, is none. Nothing where there are two.
std::optional<double> number_before(const std::string& line, const std::string& unit, double low,
                                    double high) {
  std::optional<double> value;
  for (std::size_t at = line.find(unit); at != std::string::npos; at = line.find(unit, at + 1)) {
    std::size_t end = at;
    while (end > 0 && line[end - 1] == ' ') --end;
    std::size_t begin = end;
    while (begin > 0 &&
           std::string_view("0123456789.,+-").find(line[begin - 1]) != std::string_view::npos)
      --begin;
    std::string text = line.substr(begin, end - begin);
    std::replace(text.begin(), text.end(), ',', '.');
    if (text.starts_with('+')) text.erase(0, 1);
    const auto number = parse_number(text);
    if (!number || *number == 94.0) continue;
    if (value) return std::nullopt;
    value = number;
  }
  return value && *value >= low && *value <= high ? value : std::nullopt;
}

}  // namespace

std::optional<ToldSensitivity> told_sensitivity(const std::vector<std::string>& comments) {
  for (const std::string& line : comments) {
    std::string lower = line;
    std::transform(lower.begin(), lower.end(), lower.begin(),
                   [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
    if (lower.find("sens") == std::string::npos) continue;
    ToldSensitivity told{.line = line};
    told.mv_per_pa = number_before(lower, "mv", 0.1, 1000.0);
    const auto level = number_before(lower, "db", -100.0, 20.0);
    if (!told.mv_per_pa && lower.find("v/pa") == std::string::npos) told.dbfs_at_94 = level;
    // dB re 1 V/Pa.
    if (!told.mv_per_pa && !told.dbfs_at_94 && level)
      told.mv_per_pa = 1000.0 * std::pow(10.0, *level / 20.0);
    if (told.mv_per_pa || told.dbfs_at_94) return told;
  }
  return std::nullopt;
}

std::optional<ColumnKind> guessed_kind(const std::string& file_name, const TextTable& table) {
  const std::string name = lower(file_name);
  if (name.ends_with(".frd")) return ColumnKind::kResponse;
  if (name.ends_with(".zma")) return ColumnKind::kImpedance;
  if (name.ends_with(".cal")) return ColumnKind::kCalibration;
  for (const std::string& comment : table.comments) {
    const std::string words = lower(comment);
    if (words.find("ohm") != std::string::npos || words.find("imped") != std::string::npos)
      return ColumnKind::kImpedance;
    if (words.find("db") != std::string::npos) return ColumnKind::kResponse;
  }
  std::vector<double> m;
  for (const TableRow& row : table.rows) m.push_back(row.magnitude);
  std::nth_element(m.begin(), m.begin() + static_cast<std::ptrdiff_t>(m.size() / 2), m.end());
  const auto [low, high] = std::minmax_element(m.begin(), m.end());
  const double middle = m[m.size() / 2];
  if (middle > 45.0 && middle < 140.0) return ColumnKind::kResponse;
  if (*low > 0.5 && middle > 2.0 && middle < 40.0 && *high < 2000.0) return ColumnKind::kImpedance;
  return std::nullopt;
}

}  // namespace lalometer
