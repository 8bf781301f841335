#pragma once

#include <stop_token>

#include "acoustics/signal/sweep.h"
#include "book/book.h"
#include "rig/audio_device.h"

namespace lalometer {

/// What a driver of a kind stands in a sweep. Common practice, no source: a tweeter is not driven
/// below about its resonance, a compression driver not below its horn's cut-off.
struct DriverLimits {
  double lowest_start_hz;
  double highest_drive_v;  ///< rms at the terminals
  std::string caution;     ///< what to look out for; empty where nothing special
};
[[nodiscard]] DriverLimits limits_of(SubjectKind kind);

/// One take as it is wanted.
struct TakeRequest {
  TakeKind kind = TakeKind::kResponse;
  SubjectKind driver = SubjectKind::kLoudspeaker;
  std::string name;
  double sample_rate_hz = 48000.0;
  double start_hz = 10.0;
  double stop_hz = 22000.0;
  double duration_s = 1.4;
  double drive_v = 2.83;  ///< rms of the sweep at the amplifier
  double distance_m = 1.0;
  double horizontal_deg = 0.0;
  double vertical_deg = 0.0;
  double temperature_c = 20.0;
  int repeats = 1;
  std::string sample;          ///< which one of several alike ("A"); empty where there is but one
  std::string condition = {};  ///< "free-air", "in-box", ...; empty where it does not matter
  /// Of a near field: the part before the microphone, distance_m from it. Else: the only driver
  /// that plays.
  std::string source = {};
  std::string flipped = {};  ///< driver whose polarity was flipped for this take
  double gate_s = 0.0;  ///< what the room allows at this stand; 0: not specified
  double added_mass_g = 0.0;
  double test_box_l = 0.0;
  /// Of tones, many at once or one after the other, from start_hz to stop_hz.
  double tones_per_octave = 3.0;
  /// Level that is wanted at 1 m, dB SPL: the drive is then set by it; 0: by drive_v, which is the
  /// most in any case.
  double target_spl_db = 0.0;
  /// The most that it stands, by its drawing (drive_guard.h), and why; 0: nobody told.
  double stands_v = 0.0;
  std::string stands_why = {};
  std::string plan_item = {};  ///< which planned take it fulfils; empty: none
  std::string drawing = {};    ///< mark of the drawing it was made of
  Id subject_id = 0;
  Id variant_id = 0;
};

[[nodiscard]] TakeSetup setup_of(const TakeRequest& request);

/// The request, cut to what the driver stands, and what was changed.
struct LimitedRequest {
  TakeRequest request;
  std::vector<Remark> remarks;
};
[[nodiscard]] LimitedRequest limited(const TakeRequest& request);

/// What came of a run. Accepted: fit to be kept as good; refused ones can still be kept by the
/// user, with their remarks.
struct TakeOutcome {
  Take take;
  Recording recording;
  bool accepted = true;
  int tries = 1;
};

/// Where a run is, for the window.
struct TakeProgress {
  enum class Stage { kPrepare, kPlay, kCheck };
  Stage stage = Stage::kPrepare;
  double done = 0.0;    ///< of the whole run, 0..1
  double left_s = 0.0;  ///< estimate
};
using TakeProgressCallback = std::function<void(const TakeProgress&)>;

/// The played signal: silence (for the noise measure), sweep, silence (for the room to die away).
struct Excitation {
  SweepSpec spec;
  std::vector<double> output;
  Stimulus stimulus;
  std::vector<double> second = {};  ///< reference chirps on an output of their own
};
/// Digital peak for a drive in volts; an error where the rig cannot give that much.
[[nodiscard]] Result<double> amplitude_for(double drive_v, const RigCalibration& rig);
[[nodiscard]] Result<Excitation> excitation_for(const TakeRequest& request,
                                                const RigCalibration& rig);

/// A take's raw data as it is kept: both channels, or what the microphone heard as a WAV.
[[nodiscard]] RawData raw_of(const TakeOutcome& outcome);

/// Prepares, plays, records, checks. Several repeats are averaged; one that disagrees with the
/// others (a door, a cough) is set aside and said so. Stops within 100 ms of a stop request,
/// leaving nothing behind.
[[nodiscard]] Result<TakeOutcome> run_take(AudioDevice& device, const RigCalibration& rig,
                                           const TakeRequest& request, std::stop_token stop,
                                           const TakeProgressCallback& progress);

/// Keeps an outcome in the book, with the rig it was taken on.
[[nodiscard]] Result<Id> keep_take(Book& book, const TakeOutcome& outcome,
                                   const RigCalibration& rig);

}  // namespace lalometer
