#include "workbench/networks/out/filters_out.h"

#include <fmt/format.h>

#include <algorithm>

#include "acoustics/signal/fft.h"
#include "base/text.h"
#include "exchange/audio_file.h"
#include "workbench/telling/told.h"

namespace lalometer {
namespace {

std::vector<Biquad> sections_of(const ActivePart& a) {
  std::vector<Biquad> all;
  for (const BandFilter& f : a.filters) all.push_back(biquad_of(f, a.sample_rate_hz));
  all.insert(all.end(), a.sections.begin(), a.sections.end());
  return all;
}

}  // namespace

std::string filters_json(const DesignedNetwork& network) {
  std::vector<Told> branches;
  for (const DesignBranch& b : network.branches) {
    if (!b.active.any()) continue;
    std::vector<Told> biquads;
    for (const Biquad& q : sections_of(b.active))
      biquads.emplace_back()
          .put("b", Told::Value(std::vector<double>(q.b.begin(), q.b.end())))
          .put("a", Told::Value(std::vector<double>(q.a.begin(), q.a.end())));
    branches.emplace_back()
        .put("driver", b.driver)
        .put("polarity", b.polarity)
        .put("gain_db", b.active.gain_db)
        .put("delay_ms", 1e3 * b.active.delay_s)
        .put("sample_rate_hz", b.active.sample_rate_hz)
        .put("biquads", Told::Value(std::move(biquads)));
  }
  Told told;
  told.put("branches", Told::Value(std::move(branches)));
  return json_text(told, 2) + "\n";
}

std::string filters_text(const DesignedNetwork& network) {
  std::string text = "# b0 b1 b2 a1 a2; y = b0 x + b1 x' + b2 x'' - a1 y' - a2 y''\n";
  for (const DesignBranch& b : network.branches) {
    if (!b.active.any()) continue;
    text += fmt::format("# {}: polarity {}, gain {} dB, delay {} ms, {} Hz\n", b.driver, b.polarity,
                        shortest(b.active.gain_db), shortest(1e3 * b.active.delay_s),
                        shortest(b.active.sample_rate_hz));
    for (const Biquad& q : sections_of(b.active))
      text += fmt::format("{} {} {} {} {}\n", shortest(q.b[0]), shortest(q.b[1]), shortest(q.b[2]),
                          shortest(q.a[1]), shortest(q.a[2]));
  }
  return text;
}

std::vector<BranchImpulse> filter_impulses(const DesignedNetwork& network) {
  constexpr std::size_t kTaps = 16384;
  const RealTransform transform(kTaps);
  std::vector<BranchImpulse> all;
  for (const DesignBranch& b : network.branches) {
    if (!b.active.any()) continue;
    Spectrum spectrum(transform.bin_count());
    for (std::size_t k = 0; k < spectrum.size(); ++k)
      spectrum[k] = static_cast<double>(b.polarity) *
                    b.active.at(static_cast<double>(k) * b.active.sample_rate_hz /
                                static_cast<double>(kTaps));
    // A real signal's ends are real.
    spectrum.back() = spectrum.back().real();
    Samples taps(kTaps);
    transform.inverse(spectrum, taps);
    all.push_back({b.driver, b.active.sample_rate_hz, {taps.begin(), taps.end()}});
  }
  return all;
}

Result<void> write_filters(const std::filesystem::path& file, const DesignedNetwork& network) {
  const std::vector<BranchImpulse> impulses = filter_impulses(network);
  if (impulses.empty())
    return bad_input("No branch has an amplifier of its own: there are no filters.", file.string());
  const std::string ending = file.extension().string();
  if (ending == ".json") return write_file(file, filters_json(network));
  if (ending == ".txt") return write_file(file, filters_text(network));
  if (ending != ".wav") return bad_input("Filters are .json, .txt or .wav.", file.string());
  AudioData audio;
  audio.sample_rate_hz = impulses.front().sample_rate_hz;
  for (const BranchImpulse& one : impulses) {
    if (one.sample_rate_hz != audio.sample_rate_hz)
      return bad_input("The branches' sample rates differ: one WAV has one.", file.string());
    audio.channels.emplace_back(one.taps.begin(), one.taps.end());
  }
  const auto bytes = audio_bytes(audio, AudioFormat::kWavFloat32);
  return bytes ? write_file(file, *bytes) : tl::unexpected(bytes.error());
}

}  // namespace lalometer
