#include "diagnosis/remedies.h"

#include <string_view>

namespace lalometer {
namespace {

struct Remedy {
  std::string_view cause;
  const char* sentence;
};

constexpr Remedy kRemedies[] = {
    {"edge-diffraction",
     "Round the edges (30 mm and more), lay felt round the driver, or move it so that no two edges "
     "lie equally far. A filter makes the other angles worse."},
    {"baffle-step",
     "Shelve the treble down in the network: it costs up to 6 dB of sensitivity, less near a "
     "wall."},
    {"driver-breakup",
     "Cross over lower or steeper, or trap it in the network; distortion below it stays."},
    {"suspension-resonance",
     "A driver with another surround; damping its rim may help. An equaliser fills it at all "
     "angles, "
     "the ringing stays."},
    {"cabinet-standing-wave",
     "Line the walls that face each other, or put a loose filling where the air moves, a quarter "
     "of "
     "the way in; too much before a port costs bass."},
    {"port-pipe-resonance",
     "Put the port on the back, shorten or bend it, or a thin lining in its middle; a filter also "
     "cuts the cone."},
    {"panel-resonance",
     "Brace the wall off its middle, or a damping layer on it; filling does nothing."},
    {"box-leak", "Seal joints, cable hole, driver gasket and dust cap; take the impedance again."},
    {"overdamped-port", "Clear what lies before the port's inner end for one diameter at least."},
    {"mistuned-box",
     "Change the port's length: longer tunes lower. Of a sealed box the volume or the filling."},
    {"crossover-phase",
     "Move a driver to and fro, delay it, or change a slope until both are in step where they "
     "meet."},
    {"driver-polarity", "Swap the two wires of one driver."},
    {"source-spacing-lobing",
     "Drivers closer together or a lower crossover; else aim the axis at the listener's ears."},
    {"directivity-mismatch",
     "A lower crossover, a smaller lower driver, or a waveguide on the upper one; no filter mends "
     "it."},
    {"beaming", "A smaller driver or a lower crossover; aim it, where that cannot be."},
    {"dipole-cancellation",
     "A wider panel or wings move it down; the driver off the middle spreads it."},
    {"cavity-resonance", "Shallower wings, unequal ones, or felt inside them."},
    {"passive-radiator-notch",
     "A heavier or softer radiator moves its notch down, out of the band."},
    {"notch-filter", "Bridge the trap, or tune it to what it was meant for."},
    {"reflection", "Move everything away, gate before it, or absorb where the sound strikes."},
    {"noise", "Wait for quiet, come closer, use longer sweeps or more repeats."},
    {"mains-hum", "One outlet for all, signal away from mains cables, balanced lines."},
    {"clipping", "Less gain before the converter, or less drive."},
    {"sample-variation",
     "Take several and sort them by pairs; a network fits only what it was measured on."},
    {"gate-too-short", "More distance to every surface, or the near field for the bass."},
    {"microphone-too-close",
     "Three times the baffle's width and more, or the near field right at the cone."},
};

}  // namespace

std::string remedy_of(const std::string& cause) {
  for (const Remedy& r : kRemedies)
    if (r.cause == cause) return r.sentence;
  return {};
}

}  // namespace lalometer
