#include "cli/stimulus_command.h"

#include <filesystem>
#include <memory>

#include "cli/option_checks.h"
#include "cli/output.h"
#include "workbench/taking/stimulus_file.h"

namespace lalometer {
namespace {

struct StimulusOptions {
  std::string target;
  StimulusWish wish;
};

int stimulus_command(const Doors& doors, const StimulusOptions& o) {
  const std::string ending = std::filesystem::path(o.target).extension().string();
  if (ending != ".wav" && ending != ".flac")
    return refuse(doors, {ErrorCode::kBadInput, "A stimulus is a .wav or a .flac.", o.target});
  const auto file = stimulus_file(o.wish);
  if (!file) return refuse(doors, file.error());
  const auto written =
      audio_bytes(file->sound, ending == ".flac" ? AudioFormat::kFlac24 : AudioFormat::kWav24)
          .and_then([&](const std::vector<std::byte>& bytes) {
            return write_file(o.target, std::span(bytes));
          });
  if (!written) return refuse(doors, written.error());
  const Stimulus& s = file->stimulus;
  Told stimulus;
  stimulus.put("type", "exponential-sweep")
      .put("start_hz", s.start_hz)
      .put("stop_hz", s.stop_hz)
      .put("duration_s", s.duration_s)
      .put("lead_in_s", s.lead_in_s)
      .put("amplitude", s.amplitude);
  if (s.repeats > 1) stimulus.put("repeats", s.repeats).put("period_s", s.period_s);
  Told told;
  told.put("written", o.target)
      .put("sample_rate_hz", file->sound.sample_rate_hz)
      .put("length_s",
           static_cast<double>(file->sound.channels[0].size()) / file->sound.sample_rate_hz)
      .put("stimulus", std::move(stimulus))
      .note(
          "Start softly: a sweep at full level can burn a tweeter. Hearing protection above 85 "
          "dB(A).");
  return print(doors, told);
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
  command->callback([&doors, &status, o] { status = stimulus_command(doors, *o); });
}

}  // namespace lalometer
