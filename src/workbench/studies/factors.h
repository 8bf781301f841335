#pragma once

#include <optional>
#include <string>
#include <vector>

#include "workbench/studies/comparison.h"

/// Series in which several things were varied: what each of them does, and whether they work on one
/// another.
namespace lalometer {

/// What was varied, read from what the variants say of themselves.
struct Factors {
  std::vector<std::string> names;                ///< "long wing"
  std::vector<std::vector<std::string>> levels;  ///< of each: "40 mm", "60 mm", by size
  std::vector<std::vector<std::size_t>> of;      ///< [member][factor] -> level
};
/// Sentences like "long wing 60 mm, short wing 20 mm" (number and unit after the name or before it,
/// "name: word" too; parts between commas or semicolons).
/// @return nothing where fewer than two factors vary, or a member does not name each of them once.
[[nodiscard]] std::optional<Factors> factors_in(const std::vector<std::string>& sentences);

/// One aim over two factors; other factors averaged over.
struct FactorTable {
  SeriesAim aim = SeriesAim::kSmoothness;
  std::string unit;  ///< "dB", "Hz", "ohm"
  std::string row_name, column_name;
  std::vector<std::string> row_levels, column_levels;
  std::vector<std::vector<std::optional<double>>> cells = {};
  /// From the lowest level to the highest, over an additive model (least squares).
  Estimate row_effect = {}, column_effect = {};
  /// Largest double difference of four cells; nothing where no four cells are there.
  std::optional<Estimate> interaction = {};
  bool row_real = false, column_real = false, interaction_real = false;
  std::string told = {};  ///< in a sentence
};
/// Of what the members say of themselves, else of their names; empty where nothing was varied so.
[[nodiscard]] std::vector<FactorTable> factor_tables(const SeriesComparison& series,
                                                     const std::vector<ComparedMember>& members);
/// For every aim that all members have a figure for, and every two factors. Uncertainties are those
/// of single figures (what repeats differ by) through the model; the largest of several double
/// differences must exceed what the largest of as many would be by chance (Bonferroni).
[[nodiscard]] std::vector<FactorTable> factor_tables(const SeriesComparison& series,
                                                     const Factors& factors);

}  // namespace lalometer
