#pragma once

#include <QObject>
#include <memory>

#include "desk/session/work.h"
#include "rig/practice/practice_bench.h"
#include "rig/practice/practice_turntable.h"
#include "rig/serial/gcode_turntable.h"
#include "workbench/taking/take_runner.h"

namespace lalometer {

/// The practice bench with a microphone that is a device of its own, 44.1 kHz and 73 ppm off.
inline const std::string kPracticeMicrophone = "practice: microphone";

/// How the bench is wired: kept on this machine, not in the book, since a book travels.
struct RigWiring {
  std::string name = {};      ///< by which it is kept and found again
  std::string interface_key;  ///< of the inputs; empty: the practice bench; kPracticeMicrophone
  std::string output_key;     ///< of the outputs; empty: the same interface
  double sample_rate_hz = 48000.0;
  int output = StreamSetup::kAllOutputs;
  int second_output = 1;  ///< plays reference chirps, where a second loudspeaker does
  int measure_input = 0;
  int loopback_input = 1;
  int jig_input = 0;
  enum class Table { kByHand, kPractice, kSerial };
  Table table = Table::kPractice;
  GcodeTableSetup serial = {};
};

/// Interface, jig and turntable as they are chosen: the practice bench's, or real ones. The devices
/// are used by one run at a time; changing the wiring in between makes them anew.
class WiredRig : public QObject {
  Q_OBJECT
 public:
  explicit WiredRig(Work& work, QObject* parent = nullptr);
  ~WiredRig() override;

  [[nodiscard]] const RigWiring& wiring() const { return wiring_; }
  /// Does nothing while a run has the devices: they would go from under it.
  void setWiring(const RigWiring& wiring);
  [[nodiscard]] bool isPractice() const {
    return wiring_.interface_key.empty() || wiring_.interface_key == kPracticeMicrophone;
  }
  /// Rigs that were wired on this machine before, by name.
  [[nodiscard]] static std::vector<RigWiring> kept();
  /// Under which it and its calibration are kept.
  [[nodiscard]] static std::string nameOf(const RigWiring& wiring);

  /// With the chosen channels put in, whatever a run asks for.
  [[nodiscard]] AudioDevice& device();
  /// Nothing where it is turned by hand.
  [[nodiscard]] Turntable* table();
  [[nodiscard]] PracticeBenchSetup& practiceSetup() { return bench_->setup(); }
  [[nodiscard]] PracticeTurntable& practiceTable() { return practice_table_; }
  /// Whether somebody at this (real) rig has yet to read the cautions; asks for it where so.
  [[nodiscard]] bool cautionsDue();
  void acknowledgeCautions();
  /// Interface and table serve one run at a time: false where another one has them. Interface
  /// thread.
  [[nodiscard]] bool claim();
  void release() { claimed_ = false; }
  [[nodiscard]] bool claimed() const { return claimed_; }
  /// Tells the simulated stand what a real one has by itself.
  void aim(const TakeRequest& request);

 signals:
  void changed();
  void cautionsAsked();

 private:
  class Wired;
  void make();
  RigWiring wiring_;
  bool claimed_ = false;
  std::unique_ptr<PracticeBench> bench_;
  PracticeTurntable practice_table_;
  std::unique_ptr<AudioDevice> real_;
  std::unique_ptr<GcodeTurntable> serial_;
  std::unique_ptr<Wired> wired_;
};

}  // namespace lalometer
