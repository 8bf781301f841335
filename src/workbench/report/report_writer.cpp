#include "workbench/report/report_writer.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"

namespace lalometer {
namespace {

/// A member, or a member of a member; with the told object that it stands in.
std::pair<const Told*, const Told::Value*> member(const Told& told, const std::string& key) {
  const auto dot = key.find('.');
  if (dot == std::string::npos) return {&told, told.find(key)};
  const Told::Value* outer = told.find(key.substr(0, dot));
  const auto* object = outer == nullptr ? nullptr : std::get_if<Told::Object>(outer);
  if (object == nullptr || *object == nullptr) return {nullptr, nullptr};
  return member(**object, key.substr(dot + 1));
}

std::string with_decimals(double value, int decimals) {
  return fmt::format("{:.{}f}", value, std::max(decimals, 0));
}

}  // namespace

std::string_view word_of(ReportKind kind) {
  switch (kind) {
    case ReportKind::kDriver:
      return "driver";
    case ReportKind::kComparison:
      return "comparison";
    case ReportKind::kCase:
      return "case";
    case ReportKind::kReview:
      break;
  }
  return "review";
}

std::optional<ReportKind> report_kind(std::string_view word) {
  for (const ReportKind kind :
       {ReportKind::kReview, ReportKind::kDriver, ReportKind::kComparison, ReportKind::kCase})
    if (word_of(kind) == word) return kind;
  return std::nullopt;
}

std::string printed_unit(const std::string& unit) {
  if (unit == "ohm") return "Ω";
  if (unit == "percent") return "%";
  if (unit == "deg") return "°";
  return unit;
}

std::string stated_text(double value, std::optional<double> uncertainty, const std::string& unit) {
  std::string scaled_unit = printed_unit(unit);
  if (unit == "Hz" && std::abs(value) >= 1000.0) {
    value /= 1000.0;
    if (uncertainty) *uncertainty /= 1000.0;
    scaled_unit = "kHz";
  }
  const std::string tail = scaled_unit.empty()  ? ""
                           : scaled_unit == "°" ? scaled_unit
                                                : " " + scaled_unit;
  if (!uncertainty || !(*uncertainty > 0.0)) return three_digits(value) + tail;
  int decimals = -static_cast<int>(std::floor(std::log10(*uncertainty)));
  if (*uncertainty * std::pow(10.0, decimals) < 1.95) ++decimals;  // 1 would say too little
  // No more than four digits of the value: what is known to a millionth is not printed so.
  const int most = 3 - static_cast<int>(std::floor(std::log10(std::max(std::abs(value), 1e-9))));
  decimals = std::min(decimals, most);
  const double step = std::pow(10.0, -decimals);
  if (decimals < 0)
    return fmt::format("{:.0f} ± {:.0f}{}", std::round(value / step) * step,
                       std::ceil(*uncertainty / step - 0.5) * step, tail);
  const std::string half = with_decimals(*uncertainty, decimals);
  if (std::stod(half) == 0.0) return with_decimals(value, decimals) + tail;
  return with_decimals(value, decimals) + " ± " + half + tail;
}

void ReportWriter::begin(std::string id, std::string title) {
  section_ = {std::move(id), std::move(title)};
}

void ReportWriter::end() {
  if (!section_.empty()) report_.sections.push_back(std::move(section_));
  section_ = {};
}

std::optional<double> ReportWriter::number(const Told& told, const std::string& key) {
  const auto [object, value] = member(told, key);
  if (value == nullptr) return std::nullopt;
  if (const auto* plain = std::get_if<double>(value))
    return std::isfinite(*plain) ? std::optional(*plain) : std::nullopt;
  if (const auto* estimate = std::get_if<Estimate>(value)) return estimate->value;
  return std::nullopt;
}

std::optional<std::string> ReportWriter::state(const std::string& command, const Told& told,
                                               const std::string& key) {
  const auto [object, value] = member(told, key);
  // A command that has no such figure says nothing of it.
  if (value == nullptr) return std::nullopt;
  StatedFigure f{key, command};
  const std::string own = key.substr(key.rfind('.') + 1);  // all of it where there is no dot
  f.unit = unit_of(own);
  f.value = number(told, key);
  f.valid = f.value.has_value();
  f.section = section_.id;
  if (f.valid) {
    if (const auto* estimate = std::get_if<Estimate>(value)) f.uncertainty = estimate->half_width;
    for (const auto& [name, half] : object->spread())
      if (name == own) f.uncertainty = half;
    // Some have it as a member beside: "score_uncertainty".
    if (!f.uncertainty) f.uncertainty = number(*object, own + "_uncertainty");
  }
  const auto there = [&](const StatedFigure& one) {
    return one.name == f.name && one.command == f.command && one.value == f.value;
  };
  if (std::none_of(report_.figures.begin(), report_.figures.end(), there))
    report_.figures.push_back(f);
  if (!f.valid) return std::nullopt;
  return stated_text(*f.value, f.uncertainty, f.unit);
}

void ReportWriter::missing(std::string sentence) {
  if (const auto option = sentence.find("say --"); option != std::string::npos)
    sentence = sentence.substr(0, sentence.find_last_of(":,;", option)) + ".";
  report_.missing.push_back(std::move(sentence));
}

void ReportWriter::say(const std::string& key, std::string text) {
  if (!text.empty()) section_.blocks.emplace_back(ReportSentence{key, std::move(text)});
}

void ReportWriter::say_all(const std::string& key, const std::vector<std::string>& texts) {
  for (std::size_t i = 0; i < texts.size(); ++i) say(fmt::format("{}.{}", key, i + 1), texts[i]);
}

void ReportWriter::table(ReportTable table) {
  if (!table.rows.empty()) section_.blocks.emplace_back(std::move(table));
}

void ReportWriter::picture(ReportPicture picture) {
  if (!picture.content.blank()) section_.blocks.emplace_back(std::move(picture));
}

void ReportWriter::card(std::string name, const std::optional<std::string>& value,
                        std::string basis) {
  if (value) report_.cards.push_back({std::move(name), *value, std::move(basis), section_.id});
}

}  // namespace lalometer
