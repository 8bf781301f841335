#include "exchange/text_table.h"

#include <algorithm>
#include <cmath>
#include <complex>
#include <cstdint>
#include <string_view>

#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

void append_utf8(std::string& out, std::uint32_t code) {
  const auto put = [&](std::uint32_t byte) { out.push_back(static_cast<char>(byte)); };
  if (code < 0x80) {
    put(code);
  } else if (code < 0x800) {
    put(0xC0U | (code >> 6U));
    put(0x80U | (code & 0x3FU));
  } else if (code < 0x10000) {
    put(0xE0U | (code >> 12U));
    put(0x80U | ((code >> 6U) & 0x3FU));
    put(0x80U | (code & 0x3FU));
  } else {
    put(0xF0U | (code >> 18U));
    put(0x80U | ((code >> 12U) & 0x3FU));
    put(0x80U | ((code >> 6U) & 0x3FU));
    put(0x80U | (code & 0x3FU));
  }
}

std::string from_utf16(std::span<const std::byte> bytes, bool big_endian) {
  std::string out;
  std::uint32_t high = 0;
  for (std::size_t i = 0; i + 1 < bytes.size(); i += 2) {
    const auto a = std::to_integer<std::uint32_t>(bytes[i]);
    const auto b = std::to_integer<std::uint32_t>(bytes[i + 1]);
    const std::uint32_t unit = big_endian ? (a << 8U) | b : (b << 8U) | a;
    if (unit >= 0xD800 && unit < 0xDC00) {
      high = unit;
    } else if (unit >= 0xDC00 && unit < 0xE000 && high != 0) {
      append_utf8(out, 0x10000 + ((high - 0xD800) << 10U) + (unit - 0xDC00));
      high = 0;
    } else {
      append_utf8(out, unit);
    }
  }
  return out;
}

bool valid_utf8(std::string_view text) {
  for (std::size_t i = 0; i < text.size();) {
    const auto byte = static_cast<unsigned char>(text[i]);
    const std::size_t more = byte < 0x80          ? 0
                             : (byte >> 5U) == 6  ? 1
                             : (byte >> 4U) == 14 ? 2
                             : (byte >> 3U) == 30 ? 3
                                                  : 9;
    if (more == 9 || i + more >= text.size() + (more == 0 ? 1 : 0)) return false;
    for (std::size_t k = 1; k <= more; ++k) {
      if ((static_cast<unsigned char>(text[i + k]) >> 6U) != 2) return false;
    }
    i += more + 1;
  }
  return true;
}

bool is_blank(char c) {
  return c == ' ' || c == '\t' || c == '\v' || c == '\f';
}

std::string_view trimmed(std::string_view text) {
  while (!text.empty() && is_blank(text.front())) text.remove_prefix(1);
  while (!text.empty() && is_blank(text.back())) text.remove_suffix(1);
  return text;
}

bool marked_comment(std::string_view line) {
  return line.starts_with('*') || line.starts_with('#') || line.starts_with(';') ||
         line.starts_with('"') || line.starts_with("//");
}

struct Line {
  std::size_t number;
  std::string_view text;
};

std::vector<Line> lines_of(const std::string& text) {
  std::vector<Line> lines;
  std::size_t start = 0;
  std::size_t number = 1;
  for (std::size_t i = 0; i <= text.size(); ++i) {
    if (i < text.size() && text[i] != '\n' && text[i] != '\r') continue;
    lines.push_back({number++, trimmed(std::string_view(text).substr(start, i - start))});
    if (i + 1 < text.size() && text[i] == '\r' && text[i + 1] == '\n') ++i;
    start = i + 1;
  }
  return lines;
}

/// How the columns of a file are kept apart.
struct Form {
  bool semicolons = false;     ///< columns end at semicolons
  bool decimal_comma = false;  ///< commas belong to the numbers
};

std::vector<std::string> columns_of(std::string_view line, Form form) {
  std::vector<std::string> columns;
  std::string current;
  bool pending_separator =
      false;  // an explicit separator with nothing behind it yet: a missing number
  const auto finish = [&] {
    if (!current.empty()) columns.push_back(std::move(current));
    current.clear();
  };
  for (const char c : line) {
    const bool explicit_separator = c == ';' || (c == ',' && !form.decimal_comma);
    if (explicit_separator) {
      if (current.empty() && (pending_separator || columns.empty())) columns.emplace_back();
      finish();
      pending_separator = true;
    } else if (is_blank(c)) {
      finish();
    } else {
      current.push_back(c == ',' ? '.' : c);
      pending_separator = false;
    }
  }
  finish();
  return columns;
}

bool digit(char c) {
  return c >= '0' && c <= '9';
}

/// A comma between two digits, in a line that has another separator and no decimal point, belongs
/// to the number.
bool looks_decimal_comma(std::string_view line) {
  bool inner_comma = false;
  bool other_separator = false;
  for (std::size_t i = 0; i < line.size(); ++i) {
    if (line[i] == '.') return false;
    if (line[i] == ';' || is_blank(line[i])) other_separator = true;
    if (line[i] != ',') continue;
    const bool inner = i > 0 && i + 1 < line.size() && digit(line[i - 1]) && digit(line[i + 1]);
    if (!inner) return false;
    inner_comma = true;
  }
  return inner_comma && other_separator;
}

bool starts_like_number(std::string_view line) {
  std::size_t i = 0;
  if (i < line.size() && (line[i] == '+' || line[i] == '-')) ++i;
  if (i < line.size() && (line[i] == '.' || line[i] == ',')) ++i;
  return i < line.size() && digit(line[i]);
}

bool starts_with_non_finite(std::string_view line) {
  std::string token;
  for (const char c : line) {
    if (is_blank(c) || c == ',' || c == ';') break;
    if (c != '+' && c != '-') token.push_back(static_cast<char>(c | 0x20));
  }
  return token == "nan" || token == "inf" || token == "infinity";
}

std::string place(const std::string& file_name, std::size_t line) {
  return fmt::format("{}:{}", file_name, line);
}

Result<void> check_row(const TableRow& row, ColumnKind kind, const std::string& where) {
  if (!(row.frequency_hz > 0.0)) {
    return bad_input(
        fmt::format("Frequencies must be above 0 Hz, found {}.", shortest(row.frequency_hz)),
        where);
  }
  const double m = row.magnitude;
  const auto absurd = [&](const char* unit, const char* range) {
    return bad_input(fmt::format("{} {} cannot be meant: {}.", shortest(m), unit, range), where);
  };
  if (kind == ColumnKind::kImpedance && !(m > 0.0 && m <= 1e6))
    return absurd("ohm", "an impedance lies above 0 and up to 1 megohm");
  if (kind == ColumnKind::kResponse && !(m >= -300.0 && m <= 250.0))
    return absurd("dB", "a level lies within -300 and 250 dB");
  if (kind == ColumnKind::kCalibration && !(std::abs(m) <= 120.0))
    return absurd("dB", "a correction lies within 120 dB");
  if (!(std::abs(row.phase_deg) <= 1e7))
    return bad_input(fmt::format("A phase of {} degrees cannot be meant.", shortest(row.phase_deg)),
                     where);
  if (row.frequency_hz > 1e7)
    return bad_input(
        fmt::format("A frequency of {} Hz cannot be meant.", shortest(row.frequency_hz)), where);
  return {};
}

/// Sorts the rows and averages those of one frequency: levels in dB and ohms as they stand, phases
/// as directions.
void put_in_order(TextTable& table) {
  const auto rising = [](const TableRow& a, const TableRow& b) {
    return a.frequency_hz < b.frequency_hz;
  };
  if (!std::is_sorted(table.rows.begin(), table.rows.end(), rising)) {
    std::stable_sort(table.rows.begin(), table.rows.end(), rising);
    table.notes.emplace_back("The rows were not in order of frequency and were sorted.");
  }
  std::vector<TableRow> merged;
  std::size_t repeated = 0;
  for (std::size_t i = 0; i < table.rows.size();) {
    std::size_t end = i;
    double magnitude = 0.0;
    std::complex<double> direction;
    while (end < table.rows.size() && table.rows[end].frequency_hz == table.rows[i].frequency_hz) {
      magnitude += table.rows[end].magnitude;
      direction += std::polar(1.0, table.rows[end].phase_deg * kPi / 180.0);
      ++end;
    }
    TableRow row = table.rows[i];
    if (end - i > 1) {
      row.magnitude = magnitude / static_cast<double>(end - i);
      row.phase_deg = std::arg(direction) * 180.0 / kPi;
      repeated += end - i - 1;
    }
    merged.push_back(row);
    i = end;
  }
  if (repeated > 0)
    table.notes.push_back(fmt::format("{} rows repeated a frequency and were averaged.", repeated));
  table.rows = std::move(merged);
}

}  // namespace

Result<std::string> decoded_text(std::span<const std::byte> bytes, const std::string& file_name) {
  const auto at = [&](std::size_t i) {
    return i < bytes.size() ? std::to_integer<unsigned>(bytes[i]) : 256U;
  };
  if (at(0) == 0xFF && at(1) == 0xFE) return from_utf16(bytes.subspan(2), false);
  if (at(0) == 0xFE && at(1) == 0xFF) return from_utf16(bytes.subspan(2), true);
  std::size_t zero_even = 0;
  std::size_t zero_odd = 0;
  const std::size_t sampled = std::min<std::size_t>(bytes.size(), 4096);
  for (std::size_t i = 0; i < sampled; ++i) {
    if (at(i) == 0) ++(i % 2 == 0 ? zero_even : zero_odd);
  }
  if (zero_odd > sampled / 3 && zero_even == 0) return from_utf16(bytes, false);
  if (zero_even > sampled / 3 && zero_odd == 0) return from_utf16(bytes, true);
  if (zero_even + zero_odd > 0) return bad_input("This is not a text file.", file_name);
  const std::size_t skip = at(0) == 0xEF && at(1) == 0xBB && at(2) == 0xBF ? 3 : 0;
  std::string text(reinterpret_cast<const char*>(bytes.data()) + skip, bytes.size() - skip);
  if (valid_utf8(text)) return text;
  std::string converted;
  for (const char c : text) append_utf8(converted, static_cast<unsigned char>(c));
  return converted;
}

namespace {

/// The rows of numbers as they are read, and what is only known after all of them.
class RowReader {
 public:
  RowReader(TextTable& table, Form form, ColumnKind kind, const std::string& file_name)
      : table_(table), form_(form), kind_(kind), file_name_(file_name) {}

  Result<void> read(const Line& line) {
    const std::string where = place(file_name_, line.number);
    const std::vector<std::string> columns = columns_of(line.text, form_);
    double numbers[3] = {0.0, 0.0, 0.0};
    const std::size_t count = std::min<std::size_t>(columns.size(), 3);
    for (std::size_t i = 0; i < count; ++i) {
      const auto number = parse_number(columns[i]);
      // A heading that starts with a number and goes on in words ("8 ohm driver", a date) is no
      // broken row, where it stands above the rows.
      if (!number && i == 0 && table_.rows.empty()) {
        table_.comments.emplace_back(line.text);
        return {};
      }
      if (!number) {
        const std::string found =
            columns[i].empty() ? "nothing" : fmt::format("\"{}\"", columns[i]);
        return bad_input(fmt::format("Column {} should be a number, found {}.", i + 1, found),
                         where);
      }
      if (!std::isfinite(*number)) {
        return bad_input(
            fmt::format("Column {} is {}, which is not a finite number.", i + 1, columns[i]),
            where);
      }
      numbers[i] = *number;
    }
    if (count < 2)
      return bad_input(fmt::format("The row \"{}\" has no second column.", line.text), where);
    const TableRow row{line.number, numbers[0], numbers[1], numbers[2]};
    if (auto checked = check_row(row, kind_, where); !checked) return checked;
    if (count == 3)
      ++with_phase_;
    else if (first_without_phase_ == 0)
      first_without_phase_ = line.number;
    extra_columns_ = extra_columns_ || columns.size() > 3;
    table_.rows.push_back(row);
    return {};
  }

  Result<void> finish() {
    if (table_.rows.size() < 2) {
      return bad_input(
          fmt::format("A curve needs at least 2 rows of numbers, found {}.", table_.rows.size()),
          file_name_);
    }
    if (with_phase_ > 0 && first_without_phase_ > 0) {
      return bad_input("This row has no phase, though others in the file have one.",
                       place(file_name_, first_without_phase_));
    }
    table_.has_phase = with_phase_ > 0;
    if (extra_columns_) table_.notes.emplace_back("Columns after the third were not read.");
    return {};
  }

 private:
  TextTable& table_;
  Form form_;
  ColumnKind kind_;
  const std::string& file_name_;
  bool extra_columns_ = false;
  std::size_t with_phase_ = 0;
  std::size_t first_without_phase_ = 0;
};

}  // namespace

Result<TextTable> read_text_table(std::span<const std::byte> bytes, const std::string& file_name,
                                  ColumnKind kind) {
  const Result<std::string> text = decoded_text(bytes, file_name);
  if (!text) return tl::unexpected(text.error());
  TextTable table;
  std::vector<Line> data;
  for (const Line& line : lines_of(*text)) {
    if (line.text.empty()) continue;
    const bool number = starts_like_number(line.text) || starts_with_non_finite(line.text);
    if (!marked_comment(line.text) && number) {
      data.push_back(line);
    } else {
      table.comments.emplace_back(trimmed(
          line.text.substr(std::min(line.text.find_first_not_of("*#;\"/ \t"), line.text.size()))));
    }
  }
  // The form is one for the whole file: a row such as "20 80" must not switch it back.
  Form form;
  const auto has_point = [](const Line& l) { return l.text.find('.') != std::string_view::npos; };
  if (std::none_of(data.begin(), data.end(), has_point)) {
    form.decimal_comma = std::any_of(data.begin(), data.end(),
                                     [](const Line& l) { return looks_decimal_comma(l.text); });
  }

  RowReader rows(table, form, kind, file_name);
  for (const Line& line : data) {
    if (auto read = rows.read(line); !read) return tl::unexpected(read.error());
  }
  if (auto whole = rows.finish(); !whole) return tl::unexpected(whole.error());
  put_in_order(table);
  if (table.rows.size() < 2)
    return bad_input("All rows are at one frequency; a curve needs two.", file_name);
  return table;
}

}  // namespace lalometer
