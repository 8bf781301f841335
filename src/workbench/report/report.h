#pragma once

#include <optional>
#include <string>
#include <variant>
#include <vector>

#include "workbench/reading/lane_layers.h"

/// A report as it will stand on paper, in HTML or in the window: plain values, made of what was
/// measured (report_making.h); paper/ writes it down.
namespace lalometer {

enum class ReportKind { kReview, kDriver, kComparison, kCase };
/// "review", "driver", "comparison", "case".
[[nodiscard]] std::string_view word_of(ReportKind kind);
[[nodiscard]] std::optional<ReportKind> report_kind(std::string_view word);

/// A figure that the report states: what the command of that name tells of the same takes.
struct StatedFigure {
  std::string name;     ///< the command's key: "f3_hz"
  std::string command;  ///< "splice"
  std::optional<double> value = std::nullopt;
  std::optional<double> uncertainty = std::nullopt;  ///< half-width of the 95 % interval
  std::string unit = {};
  bool valid = true;         ///< false: could not be determined
  std::string section = {};  ///< id of the section that states it
};

/// A sentence, made from figures; a tester's own words stand instead where there are some.
struct ReportSentence {
  std::string key;   ///< names it for edits: "bass.f3"
  std::string text;  ///< as made
  std::optional<std::string> own = std::nullopt;
  bool outdated = false;  ///< the tester's words were written of other figures
  [[nodiscard]] const std::string& shown() const { return own ? *own : text; }
};
struct ReportTable {
  std::vector<std::string> head;
  std::vector<std::vector<std::string>> rows;
  std::string caption = {};
};
struct ReportPicture {
  std::string id;  ///< file name without ending: "spinorama"
  LaneContent content;
  std::string caption;
  double height = 0.4;  ///< of its width
};
using ReportBlock = std::variant<ReportSentence, ReportTable, ReportPicture>;

struct ReportSection {
  std::string id;  ///< "bass"
  std::string title;
  std::vector<ReportBlock> blocks = {};
  [[nodiscard]] bool empty() const { return blocks.empty(); }
};

/// One of the figures that matter, on the first page.
struct ReportCard {
  std::string name, value, basis;
  std::string section = {};
};

struct Report {
  ReportKind kind = ReportKind::kReview;
  std::string title;
  std::string subtitle;
  std::string verdict = {};  ///< the tester's
  std::vector<ReportCard> cards = {};
  std::vector<std::string> highlights = {};  ///< the findings that matter most, three at most
  std::vector<ReportSection> sections = {};  ///< the summary first, the conditions last
  std::vector<std::string> missing = {};     ///< what was not measured, each in a sentence
  std::vector<StatedFigure> figures = {};
  std::string date = {};  ///< of the newest take, "2026-05-04"; empty: nobody told
};

/// What a user chooses of a report; kept with the subject.
struct ReportWish {
  ReportKind kind = ReportKind::kReview;
  std::string verdict = {};
  std::vector<std::string> left_out = {};  ///< ids of sections
  std::vector<std::string> order = {};     ///< ids; those that are not named follow as usual
  bool iec_proportions = false;            ///< level figures by IEC 60263
  std::vector<std::string> with = {};      ///< other subjects to compare with, by name
  /// A tester's own words: key, words, and what the sentence said when they were written.
  struct Edit {
    std::string key, words, of;
    friend bool operator==(const Edit&, const Edit&) = default;
  };
  std::vector<Edit> edits = {};
  friend bool operator==(const ReportWish&, const ReportWish&) = default;
};

}  // namespace lalometer
