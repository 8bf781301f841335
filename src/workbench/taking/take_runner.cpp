#include "workbench/taking/take_runner.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "acoustics/signal/deconvolve.h"
#include "acoustics/signal/recording/recording_checks.h"
#include "base/text.h"
#include "exchange/audio_file.h"
#include "workbench/taking/by_sound.h"
#include "workbench/taking/level/tones_runner.h"
#include "workbench/taking/take_checks.h"

namespace lalometer {
namespace {

constexpr double kLeadIn_s = 0.25;
/// Kept after the sweep: converter latency and a room's first half second.
constexpr double kTail_s = 0.6;
/// A take whose samples were lost or doubled is simply played again, so often at most.
constexpr int kSecondTries = 2;
/// Of the played peak: room for the converter's own filter.
constexpr double kHighestAmplitude = 0.9;

bool refused(const std::vector<Remark>& remarks) {
  return std::any_of(remarks.begin(), remarks.end(),
                     [](const Remark& r) { return r.weight == Remark::Weight::kRefusal; });
}

/// The converter or its driver stumbled; nothing else is wrong, so that trying again may help.
bool only_lost(const std::vector<Remark>& remarks) {
  return std::all_of(remarks.begin(), remarks.end(), [](const Remark& r) {
    return r.weight != Remark::Weight::kRefusal || r.code == "lost-samples";
  });
}

/// How far two recordings of one sweep lie apart, as rms of the difference over rms; alignment is
/// exact because both are cut at their loopback's latency.
double distance_between(const std::vector<double>& a, const std::vector<double>& b) {
  std::vector<double> difference(a.size());
  std::transform(a.begin(), a.end(), b.begin(), difference.begin(), std::minus<>());
  return rms_of(difference) / std::max(rms_of(a), 1e-12);
}

/// Mean of the repeats that agree. Returns how many were set aside.
std::size_t average(std::vector<Recording>& repeats, Recording& mean, const Excitation& excitation,
                    RepeatSpread& spread) {
  std::vector<double> strangeness(repeats.size(), 0.0);
  for (std::size_t i = 0; i < repeats.size(); ++i) {
    std::vector<double> distances;
    for (std::size_t j = 0; j < repeats.size(); ++j) {
      if (j != i) distances.push_back(distance_between(repeats[i].measured, repeats[j].measured));
    }
    std::nth_element(distances.begin(),
                     distances.begin() + static_cast<std::ptrdiff_t>(distances.size() / 2),
                     distances.end());
    if (!distances.empty()) strangeness[i] = distances[distances.size() / 2];
  }
  std::vector<double> sorted = strangeness;
  std::sort(sorted.begin(), sorted.end());
  // With two repeats nobody can tell which one is wrong; from three on the middle one sets the
  // measure.
  const double usual = sorted[(sorted.size() - 1) / 2];
  const double limit = repeats.size() < 3 ? 1e300 : std::max(2.0 * usual, 1e-4);
  std::size_t used = 0;
  std::vector<std::vector<double>> alike;
  mean = repeats.front();
  std::fill(mean.measured.begin(), mean.measured.end(), 0.0);
  std::fill(mean.loopback.begin(), mean.loopback.end(), 0.0);
  for (std::size_t i = 0; i < repeats.size(); ++i) {
    if (strangeness[i] > limit) continue;
    ++used;
    alike.push_back(repeats[i].measured);
    for (std::size_t n = 0; n < mean.measured.size(); ++n) {
      mean.measured[n] += repeats[i].measured[n];
      mean.loopback[n] += repeats[i].loopback[n];
    }
  }
  for (auto* channel : {&mean.measured, &mean.loopback}) {
    for (double& x : *channel) x /= static_cast<double>(used);
  }
  spread = spread_of_repeats(
      alike, excitation.spec,
      static_cast<std::size_t>(excitation.stimulus.lead_in_s * mean.sample_rate_hz));
  return repeats.size() - used;
}

/// What came back of all repeats.
struct Repeats {
  std::vector<Recording> good;
  Recording last;
  std::vector<Remark> remarks;  ///< of the first good one
  std::vector<Remark> refusal;  ///< of the last bad one
  int second_tries = 0;
  int complaints = 0;  ///< of the audio driver
};

/// Plays all repeats; one that only lost samples is played again a few times.
Result<Repeats> played(AudioDevice& device, const TakeRequest& request,
                       const Excitation& excitation, std::stop_token stop,
                       const std::function<void(TakeProgress::Stage, double)>& tell) {
  Repeats all;
  const double share = 1.0 / request.repeats;
  for (int i = 0; i < request.repeats; ++i) {
    auto recording = device.run(excitation.output, stop, [&](double done) {
      tell(TakeProgress::Stage::kPlay, share * (i + 0.98 * done));
    });
    if (!recording) return tl::unexpected(recording.error());
    if (stop.stop_requested()) return cancelled();
    tell(TakeProgress::Stage::kCheck, share * (i + 0.98));
    std::vector<Remark> found = check_recording(*recording, excitation, request.kind);
    all.last = std::move(*recording);
    all.complaints += all.last.xrun_count;
    if (!refused(found)) {
      if (all.good.empty()) all.remarks = std::move(found);
      all.good.push_back(all.last);
    } else if (all.second_tries < kSecondTries && only_lost(found)) {
      ++all.second_tries;
      --i;
    } else {
      all.refusal = std::move(found);
    }
  }
  return all;
}

/// The recording to keep, and what is to be said of the repeats behind it.
Recording joined(Repeats& all, int wanted, const Excitation& excitation, Take& take) {
  std::vector<Remark>& remarks = take.remarks;
  if (all.good.empty()) {
    remarks.insert(remarks.end(), all.refusal.begin(), all.refusal.end());
    return std::move(all.last);
  }
  Recording mean;
  remarks.insert(remarks.end(), all.remarks.begin(), all.remarks.end());
  const std::size_t aside = average(all.good, mean, excitation, take.conditions.repeats) +
                            static_cast<std::size_t>(wanted) - all.good.size();
  const auto note = [&](const char* code, std::string text) {
    remarks.push_back({Remark::Weight::kNote, code, std::move(text), ""});
  };
  if (aside > 0)
    note("repeat-set-aside",
         fmt::format("{} of {} repeats disagreed with the others and were set aside.", aside,
                     wanted));
  if (all.second_tries > 0) {
    note("played-again", fmt::format("Samples were lost; it was played again ({} of at most {}).",
                                     all.second_tries, kSecondTries));
  } else if (all.complaints > 0) {
    note("driver-complained", "The audio driver complained of lost samples, but none are missing.");
  }
  return mean;
}

Take take_of(const TakeRequest& request, const Stimulus& stimulus) {
  Take take;
  take.subject_id = request.subject_id;
  take.variant_id = request.variant_id;
  take.setup = setup_of(request);
  take.form = RawForm::kRecording;
  take.name = request.name;
  take.sample_rate_hz = request.sample_rate_hz;
  take.conditions.drive_v = request.drive_v;
  take.conditions.temperature_c = request.temperature_c;
  take.conditions.sample = request.sample;
  if (request.kind != TakeKind::kNearField) take.conditions.driver = request.source;
  take.conditions.polarity_flipped = request.flipped;
  take.plan_item = request.plan_item;
  take.drawing = request.drawing;
  take.conditions.stimulus = stimulus;
  return take;
}

}  // namespace

DriverLimits limits_of(SubjectKind kind) {
  switch (kind) {
    case SubjectKind::kTweeter:
      return {500.0, 2.83,
              "Tweeters burn quickly: the sweep starts at 500 Hz, and a protection capacitor in "
              "series is wise."};
    case SubjectKind::kCompressionDriver:
      return {500.0, 2.0,
              "Compression drivers need their horn and a protection capacitor; the sweep starts at "
              "500 Hz."};
    case SubjectKind::kMidrange:
      return {60.0, 2.83, "Midrange drivers have little excursion: the sweep starts at 60 Hz."};
    case SubjectKind::kWoofer:
      return {5.0, 6.0, ""};
    case SubjectKind::kSubwoofer:
      return {5.0, 10.0, ""};
    case SubjectKind::kFullrange:
      return {10.0, 4.0, ""};
    case SubjectKind::kLoudspeaker:
      return {5.0, 6.0, ""};
  }
  return {500.0, 2.0, ""};
}

TakeSetup setup_of(const TakeRequest& r) {
  const Placement place{r.distance_m, r.horizontal_deg, r.vertical_deg, {}};
  switch (r.kind) {
    case TakeKind::kNearField:
      return NearFieldSetup{r.source, r.distance_m * 1e3};
    case TakeKind::kImpedance:
      return ImpedanceSetup{r.condition, r.added_mass_g, r.test_box_l};
    case TakeKind::kLevelStep:
      return LevelStepSetup{place};
    case TakeKind::kMultitone:
      return MultitoneSetup{place, {}};
    case TakeKind::kSteadyTones:
      return SteadyTonesSetup{place, r.condition == "near-field" ? r.source : "", {}};
    case TakeKind::kResponse:
    case TakeKind::kUnknown:
      break;
  }
  return FarFieldSetup{place, r.condition};
}

LimitedRequest limited(const TakeRequest& request) {
  LimitedRequest result{request, {}};
  const DriverLimits limits = limits_of(request.driver);
  // An impedance sweep through the jig drives a tweeter with a few milliwatts; it may pass the
  // resonance.
  const double lowest = request.kind == TakeKind::kImpedance
                            ? std::min(limits.lowest_start_hz, 20.0)
                            : limits.lowest_start_hz;
  if (request.start_hz < lowest) {
    result.request.start_hz = lowest;
    result.remarks.push_back({Remark::Weight::kNote, "start-limited",
                              fmt::format("The sweep was made to start at {} for a {}.",
                                          frequency_text(lowest), word_of(request.driver)),
                              limits.caution});
  }
  if (request.drive_v > limits.highest_drive_v) {
    result.request.drive_v = limits.highest_drive_v;
    result.remarks.push_back(
        {Remark::Weight::kNote, "level-limited",
         fmt::format("The drive was cut from {} V to {} V for a {}.", three_digits(request.drive_v),
                     three_digits(limits.highest_drive_v), word_of(request.driver)),
         limits.caution});
  }
  if (request.stands_v > 0.0 && result.request.drive_v > request.stands_v) {
    result.remarks.push_back(
        {Remark::Weight::kNote, "level-limited",
         fmt::format("The drive was cut from {} V to {} V: {}.",
                     three_digits(result.request.drive_v), three_digits(request.stands_v),
                     request.stands_why),
         "Begin the sweep higher, or check the travel and power in its drawing."});
    result.request.drive_v = request.stands_v;
  }
  return result;
}

Result<double> amplitude_for(double drive_v, const RigCalibration& rig) {
  const double amplitude = drive_v * std::sqrt(2.0) / rig.output_v_per_unit;
  if (amplitude <= kHighestAmplitude) return amplitude;
  return bad_input(
      fmt::format("{} V needs {:.0f} dB more than the rig can give.", three_digits(drive_v),
                  20.0 * std::log10(amplitude / kHighestAmplitude)),
      rig.rig_name);
}

Result<Excitation> excitation_for(const TakeRequest& r, const RigCalibration& rig) {
  if (rests_on_sound(rig, r.kind)) return excitation_by_sound(r, rig);
  return SweepSpec::make_synchronised({r.start_hz, std::min(r.stop_hz, 0.48 * r.sample_rate_hz),
                                       r.duration_s, r.sample_rate_hz})
      .and_then([&](const SweepSpec& spec) -> Result<Excitation> {
        const auto digital = amplitude_for(r.drive_v, rig);
        if (!digital) return tl::unexpected(digital.error());
        const double amplitude = *digital;
        Excitation e{
            spec, {}, {spec.start_hz(), spec.stop_hz(), spec.duration_s(), kLeadIn_s, amplitude}};
        const std::vector<double> sweep = faded_sweep(spec);
        const auto lead = static_cast<std::size_t>(kLeadIn_s * r.sample_rate_hz);
        const auto tail = static_cast<std::size_t>(kTail_s * r.sample_rate_hz);
        e.output.assign(lead + sweep.size() + tail, 0.0);
        for (std::size_t i = 0; i < sweep.size(); ++i) e.output[lead + i] = amplitude * sweep[i];
        return e;
      });
}

namespace {

using TellStage = std::function<void(TakeProgress::Stage, double)>;

/// All repeats lie in one recording; one that only lost samples is played again a few times.
Result<TakeOutcome> heard_outcome(AudioDevice& device, const RigCalibration& rig,
                                  const TakeRequest& request, const Excitation& excitation,
                                  std::stop_token stop, const TellStage& tell) {
  TakeOutcome outcome;
  outcome.tries = 0;
  for (;;) {
    auto recording =
        device.run(Playing(excitation.output, excitation.second), stop,
                   [&](double done) { tell(TakeProgress::Stage::kPlay, 0.98 * done); });
    if (!recording) return tl::unexpected(recording.error());
    if (stop.stop_requested()) return cancelled();
    ++outcome.tries;
    tell(TakeProgress::Stage::kCheck, 0.98);
    outcome.take = take_of(request, excitation.stimulus);
    make_heard(outcome.take, excitation.stimulus, rig, recording->sample_rate_hz);
    outcome.take.remarks = check_heard(*recording, outcome.take);
    outcome.accepted = !refused(outcome.take.remarks);
    outcome.recording = std::move(*recording);
    if (outcome.accepted || outcome.tries > kSecondTries || !only_lost(outcome.take.remarks)) break;
  }
  if (outcome.accepted && outcome.tries > 1)
    outcome.take.remarks.push_back(
        {Remark::Weight::kNote, "played-again",
         fmt::format("Samples were lost; it was played again ({} of at most {}).",
                     outcome.tries - 1, kSecondTries),
         ""});
  return outcome;
}

/// Inputs with a clock of their own start anew each time: what repeats would gain a longer sweep
/// gains too.
TakeRequest as_one_sweep(TakeRequest request) {
  request.duration_s *= request.repeats;
  request.repeats = 1;
  return request;
}

}  // namespace

Result<TakeOutcome> run_take(AudioDevice& device, const RigCalibration& rig,
                             const TakeRequest& wanted, std::stop_token stop,
                             const TakeProgressCallback& progress) {
  auto [request, limit_remarks] = limited(wanted);
  if (plays_tones(request.kind))
    return run_tones(device, rig, request, stop, progress).map([&](TakeOutcome outcome) {
      std::vector<Remark>& remarks = outcome.take.remarks;
      remarks.insert(remarks.begin(), limit_remarks.begin(), limit_remarks.end());
      return outcome;
    });
  const bool by_sound = rests_on_sound(rig, request.kind);
  if (!by_sound && !device.one_clock()) request = as_one_sweep(request);
  const Result<Excitation> excitation = excitation_for(request, rig);
  if (!excitation) return tl::unexpected(excitation.error());
  const double length_s = static_cast<double>(excitation->output.size()) / request.sample_rate_hz;
  const double whole_s = length_s * (by_sound ? 1 : request.repeats);
  const auto tell = [&](TakeProgress::Stage stage, double done) {
    if (progress) progress({stage, done, (1.0 - done) * whole_s});
  };
  tell(TakeProgress::Stage::kPrepare, 0.0);
  StreamSetup setup = stream_of(rig, request.kind, request.sample_rate_hz);
  if (!excitation->second.empty()) {
    setup.output = 0;
    setup.second_output = 1;
  }
  if (auto ready = device.prepare(setup); !ready) return tl::unexpected(ready.error());
  if (by_sound) {
    auto outcome = heard_outcome(device, rig, request, *excitation, stop, tell);
    device.stop();
    if (!outcome) return tl::unexpected(outcome.error());
    outcome->take.remarks.insert(outcome->take.remarks.begin(), limit_remarks.begin(),
                                 limit_remarks.end());
    outcome->take.accepted = outcome->accepted;
    tell(TakeProgress::Stage::kCheck, 1.0);
    return *std::move(outcome);
  }
  Result<Repeats> repeats = played(device, request, *excitation, stop, tell);
  device.stop();
  if (!repeats) return tl::unexpected(repeats.error());

  TakeOutcome outcome;
  outcome.tries = request.repeats + repeats->second_tries;
  outcome.accepted = !repeats->good.empty();
  outcome.take = take_of(request, excitation->stimulus);
  outcome.take.remarks = limit_remarks;
  outcome.recording = joined(*repeats, request.repeats, *excitation, outcome.take);
  outcome.take.sample_rate_hz = outcome.recording.sample_rate_hz;
  outcome.take.accepted = outcome.accepted;
  tell(TakeProgress::Stage::kCheck, 1.0);
  return outcome;
}

RawData raw_of(const TakeOutcome& outcome) {
  const Recording& r = outcome.recording;
  if (outcome.take.form == RawForm::kRecording)
    return packed_recording(r.measured, r.loopback, r.sample_rate_hz);
  std::vector<std::vector<double>> channels = {r.measured};
  if (outcome.take.form == RawForm::kSoundFile && !r.loopback.empty())
    channels.push_back(r.loopback);
  auto bytes = audio_bytes({r.sample_rate_hz, std::move(channels), ""}, AudioFormat::kWavFloat32);
  return {bytes ? *std::move(bytes) : std::vector<std::byte>(), r.sample_rate_hz, 0,
          outcome.take.raw_name};
}

Result<Id> keep_take(Book& book, const TakeOutcome& outcome, const RigCalibration& rig) {
  return book.add_rig(rig).and_then([&](Id rig_id) {
    Take take = outcome.take;
    take.rig_id = rig_id;
    take.taken_at = utc_now();
    return book.add_take(take, raw_of(outcome));
  });
}

}  // namespace lalometer
