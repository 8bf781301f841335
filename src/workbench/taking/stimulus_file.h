#pragma once

#include "book/records.h"
#include "exchange/audio_file.h"

namespace lalometer {

/// What any player can play, for recorders that do not know this program.
struct StimulusWish {
  double start_hz = 20.0;
  double stop_hz = 20000.0;
  double duration_s = 3.0;  ///< lengthened by up to a period of `start_hz` (make_synchronised())
  double lead_in_s = 0.5;
  double sample_rate_hz = 48000.0;
  double amplitude = 0.5;  ///< peak re full scale
  int repeats = 1;
  double period_s = 0.0;  ///< from start to start; 0: two seconds more than the sweep
};

struct StimulusFile {
  AudioData sound;    ///< one channel, two seconds of silence at its end
  Stimulus stimulus;  ///< as a set tells it
};

/// The sweep without fades: it begins at zero, and so the ideal sweep is exactly its reference (a
/// fade of 0.5 ms at the end would be 0.05 dB at 16 kHz). Wishes that cannot be are refused.
[[nodiscard]] Result<StimulusFile> stimulus_file(const StimulusWish& wish);

}  // namespace lalometer
