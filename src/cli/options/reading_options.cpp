#include "cli/options/reading_options.h"

#include <cmath>

#include "cli/options/option_checks.h"
#include "workbench/taking/stimulus_file.h"

namespace lalometer {

ImportChoices choices_of(const ReadingOptions& o) {
  ImportChoices choices;
  if (o.kind == "response") choices.kind = ColumnKind::kResponse;
  if (o.kind == "impedance") choices.kind = ColumnKind::kImpedance;
  const std::vector<double>& s = o.stimulus;
  const bool repeated = s.size() == 6;
  if (s.size() == 5 || (repeated && !(s[4] >= 1.0 && s[4] == std::round(s[4]) && s[5] >= s[2])))
    throw CLI::ValidationError(
        "--stimulus", "repeats are a whole number, and the period is no shorter than the sweep");
  if (s.size() >= 4) choices.stimulus = Stimulus{s[0], s[1], s[2], s[3], 1.0};
  if (repeated) {
    choices.stimulus->repeats = static_cast<int>(s[4]);
    choices.stimulus->period_s = s[5];
  }
  if (choices.stimulus && (o.chirps || o.chirp_distance_m > 0.0))
    choices.stimulus->chirps.count = kUsualChirps;
  choices.chirp_distance_m = o.chirp_distance_m;
  choices.sweep = o.sweep;
  choices.channel = o.channel;
  choices.loopback_channel = o.loopback_channel;
  return choices;
}

void add_reading_options(CLI::App& command, ReadingOptions& o) {
  command.add_option("--kind", o.kind, "what a text file holds")
      ->check(CLI::IsMember({"response", "impedance"}));
  add_sound_options(command, o);
}

void add_sound_options(CLI::App& command, ReadingOptions& o) {
  command
      .add_option(
          "--stimulus", o.stimulus,
          "a bare recording holds this sweep: start Hz, stop Hz, duration s, lead-in s, and "
          "where it is repeated: how often, and the time from start to start, s")
      ->expected(4, 6)
      ->delimiter(',');
  command.add_flag("--chirps", o.chirps,
                   "with reference chirps as the command stimulus plays them");
  command
      .add_option("--chirp-distance-m", o.chirp_distance_m,
                  "from what played the chirps to the microphone")
      ->check(above_zero());
  command.add_option("--sweep", o.sweep, "which of several sweeps in a recording, from 1")
      ->check(above_zero());
  command.add_option("--channel", o.channel, "channel of the measurement in a sound file, from 0")
      ->check(not_negative());
  command.add_option("--loopback-channel", o.loopback_channel, "channel of the loopback, from 0")
      ->check(not_negative());
}

}  // namespace lalometer
