#pragma once

#include <atomic>
#include <filesystem>
#include <mutex>
#include <string>
#include <thread>
#include <vector>

#include "rig/practice/practice_turntable.h"

namespace lalometer {

/// The practice turntable behind a motion controller on a pseudo-terminal: what a serial turntable
/// is to the program, so that the serial code runs for real. Speaks the words that GcodeTurntable
/// uses.
class PracticeSerialTable {
 public:
  enum class Stuck { kNo, kReported, kSilent };

  explicit PracticeSerialTable(TableFaults faults = {}, double seconds_per_degree = 0.0);
  PracticeSerialTable(const PracticeSerialTable&) = delete;
  PracticeSerialTable& operator=(const PracticeSerialTable&) = delete;
  ~PracticeSerialTable();

  /// The line to open; empty where the machine gives no pseudo-terminal.
  [[nodiscard]] const std::filesystem::path& line() const { return line_; }
  [[nodiscard]] double true_deg() const { return true_deg_; }
  [[nodiscard]] double steps_per_unit() const { return steps_per_unit_; }
  [[nodiscard]] bool halted() const { return halted_; }
  /// Everything that was said to it.
  [[nodiscard]] std::vector<std::string> heard() const;

  /// The motor hums and nothing turns: told by a sensor, or not specified at all.
  void stick(Stuck how) { stuck_ = how; }
  /// The cable is pulled out once the next move has come so far (degrees on the table's own scale).
  void pull_out_at(double angle_deg);
  void pull_out();

 private:
  void serve(const std::stop_token& stop);
  void obey(const std::string& line, const std::stop_token& stop);
  void answer(const std::string& text);
  void take_in();
  [[nodiscard]] bool told_to_stand();
  void move_to(double angle_deg, const std::stop_token& stop);

  PracticeTurntable table_;
  std::filesystem::path line_;
  int master_ = -1;
  int slave_ = -1;
  std::atomic<double> true_deg_ = 0.0;
  std::atomic<double> steps_per_unit_ = 0.0;
  std::atomic<bool> halted_ = false;
  std::atomic<Stuck> stuck_ = Stuck::kNo;
  std::atomic<double> pull_at_deg_ = 1e9;
  mutable std::mutex lock_;
  std::vector<std::string> heard_;
  std::string pending_;
  std::jthread server_;
};

}  // namespace lalometer
