#include "workbench/studies/wiggle_causes.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "acoustics/enclosure/box_modes.h"
#include "base/constants.h"
#include "base/text.h"

namespace lalometer {
namespace {

constexpr double kMatch = 0.04;

struct Candidate {
  std::string cause;
  std::string name;
  std::string sentence;
  double frequency_hz;
};

std::string mode_name(const BoxMode& mode) {
  const char* const words[3] = {"width", "height", "depth"};
  int axes = 0;
  int axis = 0;
  for (int i = 0; i < 3; ++i) {
    if (mode.order[static_cast<std::size_t>(i)] > 0) {
      ++axes;
      axis = i;
    }
  }
  if (axes != 1)
    return fmt::format("box wave {}-{}-{}", mode.order[0], mode.order[1], mode.order[2]);
  const int order = mode.order[static_cast<std::size_t>(axis)];
  return order == 1 ? fmt::format("box {} wave", words[axis])
                    : fmt::format("box {} wave, order {}", words[axis], order);
}

std::vector<Candidate> candidates(const SubjectGeometry& g, double highest_hz) {
  std::vector<Candidate> all;
  if (g.inner) {
    const double c = inner_speed_m_s(g.damping, kSpeedOfSound20_m_s);
    for (const BoxMode& mode : box_modes(*g.inner, highest_hz, c)) {
      const int whole = mode.order[0] + mode.order[1] + mode.order[2];
      if (whole == 0 || whole > 3) continue;
      all.push_back({"cabinet-standing-wave", mode_name(mode),
                     fmt::format("{} lies at {} by the inner sizes", mode_name(mode),
                                 frequency_text(mode.frequency_hz)),
                     mode.frequency_hz});
    }
  }
  for (const SubjectPort& port : g.ports) {
    if (!port.geometry) continue;
    const double f = pipe_resonance_hz(*port.geometry, kSpeedOfSound20_m_s);
    all.push_back({"port-pipe-resonance", "port pipe",
                   fmt::format("the port's air column rings at {}", frequency_text(f)), f});
  }
  return all;
}

class Weigher {
 public:
  WiggleCause& of(const std::string& cause) {
    for (WiggleCause& c : causes_) {
      if (c.cause == cause) return c;
    }
    return causes_.emplace_back(WiggleCause{cause, 0.0, {}, {}});
  }
  std::vector<WiggleCause> finished() {
    std::erase_if(causes_, [](const WiggleCause& c) { return c.weight <= 0.0; });
    double sum = 0.0;
    for (const WiggleCause& c : causes_) sum += c.weight;
    for (WiggleCause& c : causes_) c.weight /= sum;
    std::stable_sort(
        causes_.begin(), causes_.end(),
        [](const WiggleCause& a, const WiggleCause& b) { return a.weight > b.weight; });
    return std::move(causes_);
  }

 private:
  std::vector<WiggleCause> causes_;
};

ExplainedWiggle explain(const Wiggle& w, const std::vector<Candidate>& all,
                        const WiggleContext& context) {
  ExplainedWiggle out{w, "not predicted", {}};
  Weigher weigh;
  const double f = w.frequency_hz.value;
  // What always may be: a wall, a brace, a loose part.
  WiggleCause& panel = weigh.of("panel-resonance");
  panel.weight = 0.15;
  panel.evidence.emplace_back("walls and braces ring anywhere between 100 and 1000 Hz");
  if (f > 1500.0) panel.weight = 0.03;
  double best = 0.0;
  int near = 0;
  for (const Candidate& c : all) near += std::abs(std::log(c.frequency_hz / f)) < kMatch ? 1 : 0;
  for (const Candidate& c : all) {
    const double off = std::log(f / c.frequency_hz);
    if (std::abs(off) > 2.0 * kMatch) continue;
    const double fit = std::exp(-0.5 * std::pow(off / (0.5 * kMatch), 2)) / std::max(1, near);
    WiggleCause& cause = weigh.of(c.cause);
    cause.weight += fit;
    cause.evidence.push_back(fmt::format("{}, {:.1f} % {}", c.sentence, 100.0 * std::abs(off),
                                         off < 0 ? "above" : "below"));
    if (fit > best) {
      best = fit;
      out.name = c.name;
    }
  }
  if (context.free_air) {
    const char* own = f < 1500.0 ? "suspension-resonance" : "driver-breakup";
    if (const Wiggle* same = same_wiggle(w, *context.free_air)) {
      WiggleCause& driver = weigh.of(own);
      driver.weight += 3.0;
      driver.evidence.push_back(fmt::format("the driver has it in free air too ({:.1f} % at {})",
                                            same->height_percent,
                                            frequency_text(same->frequency_hz.value)));
      for (const char* box : {"cabinet-standing-wave", "port-pipe-resonance", "panel-resonance"}) {
        weigh.of(box).weight *= 0.1;
        weigh.of(box).against.emplace_back("it is there without the box");
      }
      out.name = "in the driver itself";
    } else {
      for (const char* box : {"cabinet-standing-wave", "port-pipe-resonance", "panel-resonance"})
        weigh.of(box).evidence.emplace_back("the driver alone does not have it");
    }
  } else if (all.empty() || best < 0.3) {
    WiggleCause& driver = weigh.of(f < 1500.0 ? "suspension-resonance" : "driver-breakup");
    driver.weight += 0.2;
    driver.against.emplace_back("the driver was not taken in free air");
  }
  for (const WiggleContext::Other& other : context.others) {
    const Wiggle* same = same_wiggle(w, other.wiggles);
    const bool shrunk = same == nullptr || same->height_percent < 0.6 * w.height_percent;
    if (other.damping_changed) {
      WiggleCause& wave = weigh.of("cabinet-standing-wave");
      if (shrunk && wave.weight > 0.0) {
        wave.weight += 0.7;
        wave.evidence.push_back(same == nullptr ? fmt::format("gone with “{}”", other.variant)
                                                : fmt::format("smaller with “{}”", other.variant));
      } else if (!shrunk) {
        wave.weight *= 0.4;
        wave.against.push_back(fmt::format("as high with “{}”", other.variant));
      }
    }
    if (other.port_changed) {
      WiggleCause& pipe = weigh.of("port-pipe-resonance");
      if (same == nullptr && pipe.weight > 0.0) {
        pipe.weight += 0.7;
        pipe.evidence.push_back(fmt::format("not there with “{}”", other.variant));
      } else if (same != nullptr) {
        pipe.weight *= 0.4;
        pipe.against.push_back(fmt::format("the same with “{}”", other.variant));
      }
    }
  }
  out.causes = weigh.finished();
  return out;
}

}  // namespace

const Wiggle* same_wiggle(const Wiggle& wiggle, const std::vector<Wiggle>& others) {
  const Wiggle* nearest = nullptr;
  double least = 0.03;
  for (const Wiggle& o : others) {
    const double off = std::abs(std::log(o.frequency_hz.value / wiggle.frequency_hz.value));
    if (off < least && std::abs(std::log10(o.q / wiggle.q)) < 0.5) {
      least = off;
      nearest = &o;
    }
  }
  return nearest;
}

std::vector<ExplainedWiggle> explained(const std::vector<Wiggle>& wiggles,
                                       const WiggleContext& context) {
  double highest = 500.0;
  for (const Wiggle& w : wiggles) highest = std::max(highest, 1.2 * w.frequency_hz.value);
  const std::vector<Candidate> all = context.geometry != nullptr
                                         ? candidates(*context.geometry, highest)
                                         : std::vector<Candidate>();
  std::vector<ExplainedWiggle> out;
  for (const Wiggle& w : wiggles) out.push_back(explain(w, all, context));
  return out;
}

}  // namespace lalometer
