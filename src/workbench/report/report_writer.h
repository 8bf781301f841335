#pragma once

#include "workbench/report/report.h"
#include "workbench/telling/told.h"

namespace lalometer {

/// "49.3 ± 0.8 Hz": two digits of the half-width where its first is 1, else one; without a
/// half-width three digits.
[[nodiscard]] std::string stated_text(double value, std::optional<double> uncertainty,
                                      const std::string& unit);
/// The unit as print has it: "ohm" is "Ω".
[[nodiscard]] std::string printed_unit(const std::string& unit);

/// Fills a report: what it states is taken from what the commands tell, so that both are one.
class ReportWriter {
 public:
  explicit ReportWriter(Report& report) : report_(report) {}

  void begin(std::string id, std::string title);
  /// Takes the section in, unless nothing stands in it.
  void end();

  /// States a figure and gives it as text; nothing where the command could not determine it.
  /// @param key  of the told members; one inside another by a dot: "preference.score".
  [[nodiscard]] std::optional<std::string> state(const std::string& command, const Told& told,
                                                 const std::string& key);
  /// The plain number of a stated figure; states nothing.
  [[nodiscard]] static std::optional<double> number(const Told& told, const std::string& key);
  /// Adds a sentence under a key of its own.
  void say(const std::string& key, std::string text);
  /// Several sentences as they are told elsewhere.
  void say_all(const std::string& key, const std::vector<std::string>& texts);
  void table(ReportTable table);
  void picture(ReportPicture picture);
  void card(std::string name, const std::optional<std::string>& value, std::string basis);
  void highlight(std::string sentence) { report_.highlights.push_back(std::move(sentence)); }
  /// What was not measured, and why; what to say on the command line is cut off.
  void missing(std::string sentence);

 private:
  Report& report_;
  ReportSection section_ = {};
};

}  // namespace lalometer
