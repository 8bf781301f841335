#include "cli/stimulus_command.h"

#include <cmath>
#include <filesystem>
#include <memory>

#include "cli/options/option_checks.h"
#include "cli/output.h"
#include "workbench/taking/stimulus_file.h"

namespace lalometer {
namespace {

struct StimulusOptions {
  std::string target;
  StimulusWish wish;
  bool chirps = false;
  double multitone = 0.0;  ///< tones to an octave; 0: a sweep
  double part_from_hz = 0.0;
  double in_turn = 0.0;  ///< the same, one after the other
};

Result<void> write_sound(const AudioData& sound, const std::string& target) {
  const bool flac = std::filesystem::path(target).extension() == ".flac";
  return audio_bytes(sound, flac ? AudioFormat::kFlac24 : AudioFormat::kWav24)
      .and_then([&](const std::vector<std::byte>& bytes) {
        return write_file(target, std::span(bytes));
      });
}

/// What both kinds tell, the stimulus in the middle.
Told told_of(const AudioData& sound, const std::string& target, double count_in_s, Told stimulus) {
  Told told;
  told.put("written", target)
      .put("sample_rate_hz", sound.sample_rate_hz)
      .put("length_s", static_cast<double>(sound.channels[0].size()) / sound.sample_rate_hz)
      .put("channels", static_cast<double>(sound.channels.size()));
  if (count_in_s > 0.0) told.put("count_in_s", count_in_s);
  told.put("stimulus", std::move(stimulus))
      .note(
          "Start softly: a sweep at full level can burn a tweeter. Hearing protection above 85 "
          "dB(A).");
  return told;
}

Told told_of(const Stimulus& s) {
  Told stimulus;
  stimulus.put("type", "exponential-sweep")
      .put("start_hz", s.start_hz)
      .put("stop_hz", s.stop_hz)
      .put("duration_s", s.duration_s)
      .put("lead_in_s", s.lead_in_s)
      .put("amplitude", s.amplitude);
  if (s.repeats > 1) stimulus.put("repeats", s.repeats).put("period_s", s.period_s);
  if (const ChirpTrain& t = s.chirps; t.count > 0) {
    Told chirps;
    chirps.put("count", t.count)
        .put("start_hz", t.start_hz)
        .put("stop_hz", t.stop_hz)
        .put("duration_s", t.duration_s)
        .put("period_s", t.period_s)
        .put("gap_s", t.gap_s);
    stimulus.put("chirps", std::move(chirps));
  }
  return stimulus;
}

int multitone_command(const Doors& doors, const StimulusOptions& o) {
  const StimulusWish& w = o.wish;
  const auto file = multitone_file({.tones = {.low_hz = w.start_hz,
                                              .high_hz = w.stop_hz,
                                              .tones_per_octave = o.multitone,
                                              .sample_rate_hz = w.sample_rate_hz,
                                              .part_from_hz = o.part_from_hz},
                                    .duration_s = w.duration_s,
                                    .lead_in_s = w.lead_in_s,
                                    .amplitude = w.amplitude,
                                    .count_in = w.count_in});
  if (!file) return refuse(doors, file.error());
  if (const auto written = write_sound(file->sound, o.target); !written)
    return refuse(doors, written.error());
  Told stimulus;
  stimulus.put("type", "multitone")
      .put("tones_hz", Told::Value(file->tones.tones_hz))
      .put("duration_s", file->duration_s)
      .put("lead_in_s", w.lead_in_s)
      .put("amplitude", w.amplitude)
      .put("crest_factor_db", 20.0 * std::log10(file->tones.crest));
  return print(doors, told_of(file->sound, o.target, file->count_in_s, std::move(stimulus)));
}

int steady_command(const Doors& doors, const StimulusOptions& o) {
  const StimulusWish& w = o.wish;
  const auto file = steady_file({.tones = {.low_hz = w.start_hz,
                                           .high_hz = w.stop_hz,
                                           .tones_per_octave = o.in_turn,
                                           .sample_rate_hz = w.sample_rate_hz},
                                 .lead_in_s = w.lead_in_s,
                                 .amplitude = w.amplitude,
                                 .count_in = w.count_in});
  if (!file) return refuse(doors, file.error());
  if (const auto written = write_sound(file->sound, o.target); !written)
    return refuse(doors, written.error());
  Told stimulus;
  stimulus.put("type", "steady-tones")
      .put("tones_hz", Told::Value(file->tones.tones_hz()))
      .put("lead_in_s", w.lead_in_s)
      .put("amplitude", w.amplitude);
  return print(doors, told_of(file->sound, o.target, file->count_in_s, std::move(stimulus)));
}

int stimulus_command(const Doors& doors, const StimulusOptions& o) {
  const std::string ending = std::filesystem::path(o.target).extension().string();
  if (ending != ".wav" && ending != ".flac")
    return refuse(doors, {ErrorCode::kBadInput, "A stimulus is a .wav or a .flac.", o.target});
  if (o.multitone > 0.0) return multitone_command(doors, o);
  if (o.in_turn > 0.0) return steady_command(doors, o);
  StimulusWish wish = o.wish;
  if (o.chirps || wish.chirps_by_second) wish.chirps.count = kUsualChirps;
  const auto file = stimulus_file(wish);
  if (!file) return refuse(doors, file.error());
  if (const auto written = write_sound(file->sound, o.target); !written)
    return refuse(doors, written.error());
  return print(doors, told_of(file->sound, o.target, file->count_in_s, told_of(file->stimulus)));
}

}  // namespace

void add_stimulus_command(CLI::App& app, Doors& doors, int& status) {
  auto o = std::make_shared<StimulusOptions>();
  CLI::App* command = app.add_subcommand("stimulus", "writes a sweep for any player");
  command->add_option("target", o->target, "OUT.wav or OUT.flac")->required();
  const auto number = [&](const char* name, double& value, const char* text) {
    command->add_option(name, value, text)->check(above_zero())->capture_default_str();
  };
  number("--start-hz", o->wish.start_hz, "where the sweep begins");
  number("--stop-hz", o->wish.stop_hz, "where it ends");
  number("--duration-s", o->wish.duration_s, "of one sweep");
  number("--sample-rate", o->wish.sample_rate_hz, "Hz");
  number("--amplitude", o->wish.amplitude, "peak re full scale");
  command->add_option("--lead-in-s", o->wish.lead_in_s, "silence before it")
      ->check(not_negative())
      ->capture_default_str();
  command
      ->add_option("--repeats", o->wish.repeats, "like sweeps: the clocks' drift follows exactly")
      ->check(above_zero());
  command->add_option("--period-s", o->wish.period_s, "from start to start")->check(above_zero());
  command->add_flag("--chirps", o->chirps,
                    "reference chirps before and after each sweep: common time and the drift");
  command->add_flag("--chirps-by-second", o->wish.chirps_by_second,
                    "the same on a second channel, for a loudspeaker that stays where it is");
  command->add_option("--count-in", o->wish.count_in, "short tones a second apart before it")
      ->check(above_zero());
  command
      ->add_option("--multitone", o->multitone,
                   "tones at once instead of a sweep, so many to an octave")
      ->check(above_zero());
  command
      ->add_option("--part-from-hz", o->part_from_hz,
                   "of these tones only those from here on: parts are compared with the whole")
      ->check(above_zero());
  command
      ->add_option("--in-turn", o->in_turn,
                   "single tones one after the other, so many to an octave (up to 24)")
      ->check(above_zero());
  command->callback([&doors, &status, o] { status = stimulus_command(doors, *o); });
}

}  // namespace lalometer
