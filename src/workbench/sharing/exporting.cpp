#include "workbench/sharing/exporting.h"

#include <algorithm>
#include <cctype>

#include "exchange/audio_file.h"
#include "exchange/curve_file.h"
#include "exchange/set/measurement_set.h"
#include "workbench/bass/worked.h"
#include "workbench/results/analysis.h"
#include "workbench/results/corrections.h"
#include "workbench/sharing/sources.h"

namespace lalometer {
namespace {

AudioData sound_of(std::span<const std::byte> raw, double sample_rate_hz) {
  UnpackedRecording recording = unpacked_recording(raw);
  return {sample_rate_hz, {std::move(recording.measured), std::move(recording.loopback)}, ""};
}

/// A name that every file system takes.
std::string plain_name(const std::string& name) {
  std::string plain;
  for (const char c : name) {
    if (std::isalnum(static_cast<unsigned char>(c)) != 0)
      plain.push_back(static_cast<char>(std::tolower(static_cast<unsigned char>(c))));
    else if (!plain.empty() && plain.back() != '-')
      plain.push_back('-');
  }
  while (!plain.empty() && plain.back() == '-') plain.pop_back();
  return plain.empty() ? "take" : plain;
}

/// A curve that is not a microphone's own: as text, with its origin.
RawData text_of(const Response& curve, const std::vector<std::string>& comments) {
  const std::string text = curve_text(valid_part(curve), comments);
  const auto bytes = std::as_bytes(std::span(text.data(), text.size()));
  return {.bytes = {bytes.begin(), bytes.end()}, .file_name = {}};
}

/// A worked or published curve as a set's text, marked as no measurement.
bool as_text(const Book& book, const Take& take, int number, SetTake& item) {
  const auto a = analysis_from(book, take);
  if (!a) return false;
  item.raw = text_of(a->curve, {spoken_kind(take), take.name});
  item.raw.file_name = fmt::format("{:02d}-{}{}", number, plain_name(take.name),
                                   take.kind() == TakeKind::kImpedance ? ".zma" : ".frd");
  item.take.form = RawForm::kTextFile;
  item.take.conditions.more_json[std::string(kNotMeasured)] =
      take.form == RawForm::kWorked ? "\"worked\"" : "\"published\"";
  item.take.conditions.worked = {};
  item.take.conditions.chart = {};
  return true;
}

/// The gate of a response or near field, and the smoothing that it is read with where that is
/// wanted.
void tell_recipe(const Book& book, Take& take, bool as_read) {
  const bool near = take.kind() == TakeKind::kNearField;
  if (!near && take.kind() != TakeKind::kResponse) return;
  const auto recipe =
      book.recipe(take.subject_id, near ? TakeRole::kNearField : TakeRole::kFarField);
  if (!recipe) return;
  if (recipe->gated) take.conditions.gate_s = recipe->gate_s;
  if (as_read && recipe->smoothing > 0)
    take.conditions.more_json["smoothing"] = fmt::format("{}", recipe->smoothing);
}

/// The raw data of a measured take, as a set holds it, and what makes it read back the same.
Result<void> put_measured(const Book& book, const Take& take, const std::vector<std::byte>& raw,
                          bool as_read, SetTake& item) {
  tell_recipe(book, item.take, as_read);
  if (take.form == RawForm::kTextFile) item.take.conditions.gate_s = take.conditions.gate_s;
  if (take.form != RawForm::kRecording) {
    item.raw.bytes = raw;
    // What was heard without a loopback, or came with a set: its microphone belongs to it.
    if (const auto rig = book.rig(take.rig_id); rig && take.form == RawForm::kSweepFile) {
      item.microphone_correction = rig->microphone_correction;
      item.take.conditions.pa_per_v = heard_pa_per_v(take, *rig);
    }
  } else if (take.kind() == TakeKind::kImpedance) {
    // A set knows impedance as a curve only; the recording stays in the book.
    const auto a = analysis_from(book, take);
    if (!a) return tl::unexpected(a.error());
    const std::string text =
        curve_text(valid_part(a->curve), {take.name, "taken " + take.taken_at});
    const auto bytes = std::as_bytes(std::span(text.data(), text.size()));
    item.raw.bytes.assign(bytes.begin(), bytes.end());
    item.raw.file_name += ".zma";
    item.take.form = RawForm::kTextFile;
  } else {
    auto bytes = audio_bytes(sound_of(raw, take.sample_rate_hz), AudioFormat::kWavFloat32);
    if (!bytes) return tl::unexpected(bytes.error());
    item.raw.bytes = std::move(*bytes);
    item.raw.file_name += ".wav";
    item.take.form = RawForm::kSweepFile;
    item.take.conditions.channel = 0;
    item.take.conditions.loopback_channel = 1;
    const auto rig = book.rig(take.rig_id);
    // The sensitivity that makes levels absolute again when the set is read back.
    if (rig) {
      // Nobody knows the volts and pascals of a rig that was not calibrated.
      if (rig->level_known)
        item.take.conditions.pa_per_v = rig->input_pa_per_unit / rig->loopback_v_per_unit;
      item.microphone_correction = rig->microphone_correction;
    }
  }
  return {};
}

/// Variants under plain names of their own; the names by id.
std::map<Id, std::string> named_variants(MeasurementSet& set,
                                         const std::vector<Variant>& variants) {
  std::map<Id, std::string> variant_names;
  for (const Variant& v : variants) {
    std::string id = plain_name(v.name);
    while (std::any_of(set.variants.begin(), set.variants.end(),
                       [&](auto& have) { return have.first == id; }))
      id += "-b";
    variant_names[v.id] = id;
    set.variants.emplace_back(id, v);
  }
  return variant_names;
}

}  // namespace

Result<void> export_take(const Book& book, Id id, const std::filesystem::path& path) {
  const auto take = book.take(id);
  if (!take) return tl::unexpected(take.error());
  const std::string ending = path.extension().string();
  if (ending == ".wav" || ending == ".flac") {
    const auto raw = book.raw(take->raw_hash);
    if (!raw) return tl::unexpected(raw.error());
    if (take->form == RawForm::kTextFile || !is_measured(*take))
      return bad_input("This take came as a curve and has no sound.", take->name);
    if (take->form != RawForm::kRecording) return write_file(path, *raw);
    const AudioFormat format = ending == ".flac" ? AudioFormat::kFlac24 : AudioFormat::kWavFloat32;
    return audio_bytes(sound_of(*raw, take->sample_rate_hz), format)
        .and_then([&](const std::vector<std::byte>& bytes) { return write_file(path, bytes); });
  }
  return analysis_from(book, *take).and_then([&](const Analysis& a) {
    const Conditions& c = take->conditions;
    std::vector<std::string> comments = {take->name, "taken " + take->taken_at};
    if (is_pressure(*take)) {
      comments.push_back(fmt::format("{} V, {} m, {}", c.drive_v, place_of(*take).distance_m,
                                     a.calibrated ? "dB re 20 uPa" : "dB re full scale"));
      if (a.gate_s)
        comments.push_back(
            fmt::format("gate {:.3f} ms, valid from {:.1f} Hz", *a.gate_s * 1e3, 1.0 / *a.gate_s));
      else
        comments.push_back(fmt::format("valid from {:.1f} Hz to {:.0f} Hz",
                                       std::max(a.curve.valid().low_hz, a.curve.axis().front()),
                                       std::min(a.curve.valid().high_hz, a.curve.axis().back())));
      if (a.joined)
        comments.push_back(
            fmt::format("near and far field joined at {:.0f} Hz, near field raised "
                        "by {:.2f} dB",
                        a.joined->joined_at_hz, a.joined->level_offset_db));
      if (take->form == RawForm::kChartPicture) comments.push_back("traced from " + take->raw_name);
    }
    return write_file(path, curve_text(valid_part(a.curve), comments));
  });
}

Result<void> export_subject(const Book& book, Id subject_id, const std::filesystem::path& folder,
                            std::stop_token stop, const Progress& progress, bool as_read) {
  MeasurementSet set;
  const auto subjects = book.subjects();
  if (!subjects) return tl::unexpected(subjects.error());
  const auto found = std::find_if(subjects->begin(), subjects->end(),
                                  [&](const Subject& s) { return s.id == subject_id; });
  if (found == subjects->end())
    return fail(ErrorCode::kNotFound, "This subject is not in the book.", book.path().string());
  set.subject = *found;
  const auto variants = book.variants(subject_id);
  const auto takes = book.takes();
  if (!variants) return tl::unexpected(variants.error());
  if (!takes) return tl::unexpected(takes.error());
  std::map<Id, std::string> variant_names = named_variants(set, *variants);
  int number = 0;
  for (const Take& take : *takes) {
    if (take.subject_id != subject_id || !take.accepted) continue;
    if (stop.stop_requested()) return cancelled();
    if (progress)
      progress(static_cast<double>(&take - takes->data()) / static_cast<double>(takes->size()));
    const auto raw = book.raw(take.raw_hash);
    if (!raw) return tl::unexpected(raw.error());
    SetTake item{fmt::format("{:02d}-{}", ++number, plain_name(take.name)),
                 variant_names[take.variant_id],
                 take,
                 {}};
    item.raw.file_name = fmt::format("{:02d}-{}", number,
                                     take.raw_name.empty() ? plain_name(take.name) : take.raw_name);
    item.take.conditions.gate_s = 0.0;
    if (!is_measured(take)) {
      // What it was worked out of is beside it; where that is gone there is nothing to write.
      if (as_text(book, take, number, item))
        set.takes.push_back(std::move(item));
      else
        --number;
      continue;
    }
    if (auto put = put_measured(book, take, *raw, as_read, item); !put) return put;
    set.takes.push_back(std::move(item));
  }
  return write_set(set, folder);
}

Result<void> export_source(const std::filesystem::path& source, const std::string& subject,
                           const std::filesystem::path& folder, std::stop_token stop) {
  if (!is_book(source)) {
    const auto set = read_set(source);
    if (!set) return tl::unexpected(set.error());
    return write_set(*set, folder);
  }
  const auto book = Book::open(source);
  if (!book) return tl::unexpected(book.error());
  const auto subjects = book->subjects();
  if (!subjects) return tl::unexpected(subjects.error());
  for (const Subject& s : *subjects)
    if (s.name == subject || (subject.empty() && subjects->size() == 1))
      return export_subject(*book, s.id, folder, stop, {}, true);
  return fail(ErrorCode::kNotFound, fmt::format("There is no subject \"{}\".", subject),
              source.string());
}

}  // namespace lalometer
