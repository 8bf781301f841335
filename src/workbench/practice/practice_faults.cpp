#include "workbench/practice/practice_faults.h"

#include <algorithm>
#include <cmath>
#include <functional>

#include "acoustics/network/textbook_ladder.h"
#include "base/constants.h"

namespace lalometer {
namespace {

/// What a fault changes, with its figures.
struct Change {
  PracticeBenchSetup& bench;
  const PracticeFault& fault;
  std::string where;

  [[nodiscard]] double figure(const char* key, double usual) const {
    const auto told = fault.figures.find(key);
    return told == fault.figures.end() ? usual : told->second;
  }
  /// The driver that is named, else the first with a box, else the first.
  [[nodiscard]] Result<PracticeWay*> way(bool highest = false) const {
    std::vector<PracticeWay>& ways = bench.speaker.ways;
    if (!fault.driver.empty()) {
      PracticeWay* named = bench.speaker.way(fault.driver);
      if (named == nullptr)
        return bad_input(fmt::format("There is no driver \"{}\".", fault.driver), where);
      return named;
    }
    if (ways.empty()) return bad_input("The loudspeaker has no driver.", where);
    return highest ? &ways.back() : &ways.front();
  }
  /// All ways in a box; an error where there is none.
  [[nodiscard]] Result<std::vector<PracticeWay*>> boxed(const char* what) const {
    std::vector<PracticeWay*> all;
    for (PracticeWay& way : bench.speaker.ways) {
      if (way.box.kind != BoxLoad::Kind::kFreeAir && way.box.kind != BoxLoad::Kind::kOpenBack)
        all.push_back(&way);
    }
    if (all.empty()) return bad_input(fmt::format("{} needs a box.", what), where);
    return all;
  }
  [[nodiscard]] Result<std::vector<PracticeWay*>> vented(const char* what) const {
    return boxed(what).and_then([&](const auto& all) -> Result<std::vector<PracticeWay*>> {
      for (const PracticeWay* way : all)
        if (way->box.kind == BoxLoad::Kind::kVented) return all;
      return bad_input(fmt::format("{} needs a vented box.", what), where);
    });
  }
};

double radius_m(const PracticeWay& way) {
  return std::sqrt(way.driver.sd_m2 / kPi);
}

Result<void> driver_breakup(const Change& c) {
  return c.way().map([&](PracticeWay* way) {
    // A 65 mm cone first bends near 4.2 kHz, a 10 mm dome far above hearing (common practice).
    const double usual = 4200.0 * 0.065 / radius_m(*way);
    const double f = c.figure("frequency_hz", usual);
    way->driver.modes.push_back(
        {f, c.figure("q", 12.0), c.figure("mass_share", 0.07), c.figure("area_share", 0.35)});
    way->breakup_hz = f;
  });
}

Result<void> suspension_resonance(const Change& c) {
  return c.way().map([&](PracticeWay* way) {
    way->driver.modes.push_back({c.figure("frequency_hz", 1150.0 * 0.065 / radius_m(*way)),
                                 c.figure("q", 5.0), c.figure("mass_share", 0.06),
                                 c.figure("area_share", 0.12)});
  });
}

Result<void> cabinet_standing_wave(const Change& c) {
  return c.boxed("A standing wave").and_then([&](const auto& ways) -> Result<void> {
    for (PracticeWay* way : ways) {
      if (!way->box.waves) {
        return bad_input("A standing wave needs the box's inner width, height and depth.", c.where);
      }
      way->box.waves = way->box.waves->undamped();
    }
    return {};
  });
}

Result<void> port_pipe(const Change& c) {
  return c.vented("The pipe of a port").and_then([&](const auto& ways) -> Result<void> {
    for (PracticeWay* way : ways) {
      if (!way->box.pipe)
        return bad_input("The pipe of a port needs its diameter and length.", c.where);
      way->box.qp = c.figure("qp", 150.0);
    }
    c.bench.speaker.port.panel = Panel::kFront;
    return {};
  });
}

Result<void> panel_resonance(const Change& c) {
  return c.boxed("A panel").map([&](const auto& ways) {
    const double area = c.figure("area_cm2", 450.0) / 1e4;
    const double mass = area * c.figure("kg_per_m2", 6.0);
    const double w = 2.0 * kPi * c.figure("frequency_hz", 320.0);
    const PassiveRadiator panel{area, mass, 1.0 / (w * w * mass), w * mass / c.figure("q", 30.0)};
    for (PracticeWay* way : ways) way->box.panel = panel;
    c.bench.speaker.yielding = {Panel::kLeft, 0.0, 0.0};
    c.bench.speaker.yielding_area_m2 = area;
  });
}

Result<void> box_leak(const Change& c) {
  return c.boxed("A leak").map([&](const auto& ways) {
    for (PracticeWay* way : ways) way->box.ql = c.figure("ql", 2.5);
    c.bench.speaker.leak_area_m2 = 1e-4;
  });
}

Result<void> overdamped_port(const Change& c) {
  return c.vented("A choked port").map([&](const auto& ways) {
    for (PracticeWay* way : ways) {
      way->box.qp = c.figure("qp", 3.0);
      way->box.qa = c.figure("qa", 6.0);
    }
  });
}

Result<void> mistuned_box(const Change& c) {
  return c.vented("A mistuned box").map([&](const auto& ways) {
    const double factor = c.figure("factor", 1.35);
    for (PracticeWay* way : ways) {
      // Tuning goes with the root of area over length: the port is as much shorter.
      way->box.tuning_hz *= factor;
      if (way->box.pipe) way->box.pipe->acoustic_length_m /= factor * factor;
    }
  });
}

Result<void> driver_polarity(const Change& c) {
  return c.way(true).map([](PracticeWay* way) { way->inverted = !way->inverted; });
}

Result<void> crossover_phase(const Change& c) {
  return c.way(true).map(
      [&](PracticeWay* way) { way->delay_s += c.figure("delay_ms", 0.16) / 1e3; });
}

Result<void> notch_filter(const Change& c) {
  return c.way().map([&](PracticeWay* way) {
    way->ladder.push_back(
        trap(c.figure("frequency_hz", 1600.0), c.figure("q", 1.2), c.figure("ohm", 2.2)));
    // Across a voltage source a trap does nothing: it needs something to work against.
    way->ladder.insert(way->ladder.begin(), {.place = LadderPart::Place::kSeries,
                                             .resistance_ohm = c.figure("series_ohm", 1.5)});
  });
}

Result<void> sample_variation(const Change& c) {
  return c.way().map([&](PracticeWay* way) {
    DriverParameters& d = way->driver;
    d.cms_m_per_n /= std::pow(1.0 + c.figure("fs_percent", 6.0) / 100.0, 2);
    d.re_ohm *= 1.0 + c.figure("re_percent", 4.0) / 100.0;
    d.bl_tm *= std::pow(10.0, c.figure("level_db", -0.9) / 20.0);
  });
}

Result<void> reflection(const Change& c) {
  c.bench.room.right_wall_m = c.figure("distance_m", 0.45);
  c.bench.room.wall_reflection = c.figure("factor", 0.7);
  return {};
}

Result<void> noise(const Change& c) {
  c.bench.microphone_noise_pa = c.figure("rms_pa", 0.03);
  return {};
}

Result<void> mains_hum(const Change& c) {
  c.bench.mains_hum_pa = c.figure("rms_pa", 0.05);
  c.bench.mains_hz = c.figure("mains_hz", 50.0);
  return {};
}

Result<void> clipping(const Change& c) {
  c.bench.faults.input_gain *= c.figure("gain", 30.0);
  return {};
}

Result<void> too_close(const Change& c) {
  c.bench.room.distance_m = c.figure("distance_m", 0.2);
  return {};
}

PracticeFaults::Samples stretch(const Change& c, double at_s, double count) {
  return {c.figure("at_s", at_s),
          static_cast<std::size_t>(std::max(c.figure("count", count), 1.0))};
}

Result<void> lost_samples(const Change& c) {
  c.bench.faults.lost = stretch(c, 0.8, 64.0);
  return {};
}

Result<void> doubled_samples(const Change& c) {
  c.bench.faults.doubled = stretch(c, 0.8, 64.0);
  return {};
}

Result<void> door_slam(const Change& c) {
  c.bench.faults.slam = stretch(c, 0.8, 12000.0);
  return {};
}

Result<void> wrong_rate(const Change& c) {
  c.bench.faults.true_rate_hz = c.figure("rate_hz", 44100.0);
  return {};
}

Result<void> clock_drift(const Change& c) {
  c.bench.faults.clock_ppm = c.figure("ppm", 120.0);
  return {};
}

Result<void> microphone_error(const Change& c) {
  const double tilt = c.figure("db_per_octave", 0.4);
  std::vector<double> f;
  std::vector<std::complex<double>> values;
  for (double at = 5.0; at < 48000.0; at *= 1.06) {
    f.push_back(at);
    values.emplace_back(std::pow(10.0, tilt * std::log2(at / 1000.0) / 20.0), 0.0);
  }
  const ValidRange all{f.front(), f.back()};
  c.bench.microphone_error = *Response::make(*FrequencyAxis::make(std::move(f)), std::move(values),
                                             Quantity::kRatio, all, false);
  return {};
}

Result<void> rub(const Change& c) {
  return c.way().and_then([&](PracticeWay* way) -> Result<void> {
    if (!way->motor)
      return bad_input(fmt::format("{} has no motor that could touch.", way->id), c.where);
    way->motor->rub_at_m = c.figure("at_mm", 1.0) / 1e3;
    way->motor->rub_pa = c.figure("pa", 0.02);
    return {};
  });
}

Result<void> jig_resistor(const Change& c) {
  c.bench.jig_resistor_error = c.figure("percent", 3.0) / 100.0;
  return {};
}

struct Switch {
  FaultKind kind;
  Result<void> (*apply)(const Change&);
};

const std::vector<Switch>& switches() {
  static const std::vector<Switch> all = {
      {{"driver-breakup", "The cone bends: a peak, and less of it radiates above."},
       driver_breakup},
      {{"suspension-resonance", "The surround moves by itself: a wiggle, a dip above it."},
       suspension_resonance},
      {{"cabinet-standing-wave", "Nothing lies on the walls: the waves of the box ring."},
       cabinet_standing_wave},
      {{"port-pipe-resonance", "The port faces the listener and sounds as an organ pipe."},
       port_pipe},
      {{"panel-resonance", "A side wall gives way at its resonance."}, panel_resonance},
      {{"box-leak", "The box is not tight."}, box_leak},
      {{"overdamped-port", "Stuffing lies in front of the port."}, overdamped_port},
      {{"mistuned-box", "The port is not of the length that the papers say."}, mistuned_box},
      {{"driver-polarity", "One driver is connected the wrong way round."}, driver_polarity},
      {{"crossover-phase", "One driver lags behind at the crossover."}, crossover_phase},
      {{"notch-filter", "The crossover holds a trap that nothing asks for."}, notch_filter},
      {{"sample-variation", "The driver is not like its papers: fs, Re and level are off."},
       sample_variation},
      {{"reflection", "A surface stands near."}, reflection},
      {{"noise", "The room is loud."}, noise},
      {{"mains-hum", "The mains hum in the microphone's line."}, mains_hum},
      {{"clipping", "The input is set too high."}, clipping},
      {{"microphone-too-close", "The microphone stands too near for a far field."}, too_close},
      {{"lost-samples", "The interface drops samples."}, lost_samples},
      {{"doubled-samples", "The interface delivers samples twice."}, doubled_samples},
      {{"door-slam", "A door slams during the sweep."}, door_slam},
      {{"wrong-rate", "The converter runs at another rate than it says."}, wrong_rate},
      {{"clock-drift", "Input and output clocks run apart."}, clock_drift},
      {{"microphone-error", "The microphone is not as its file says."}, microphone_error},
      {{"rub", "A voice coil touches its gap."}, rub},
      {{"jig-resistor", "The jig's resistor is not of its printed value."}, jig_resistor},
  };
  return all;
}

}  // namespace

const std::vector<FaultKind>& fault_kinds() {
  static const std::vector<FaultKind> kinds = [] {
    std::vector<FaultKind> list;
    for (const Switch& one : switches()) list.push_back(one.kind);
    return list;
  }();
  return kinds;
}

Result<void> add_fault(PracticeBenchSetup& bench, const PracticeFault& fault,
                       const std::string& where) {
  const auto found = std::find_if(switches().begin(), switches().end(),
                                  [&](const Switch& one) { return one.kind.word == fault.word; });
  if (found == switches().end()) {
    std::string known;
    for (const Switch& one : switches()) known += (known.empty() ? "" : ", ") + one.kind.word;
    return bad_input(
        fmt::format("\"{}\" is no fault of the practice bench. It has {}.", fault.word, known),
        where);
  }
  return found->apply({bench, fault, fmt::format("{}: {}", where, fault.word)});
}

}  // namespace lalometer
