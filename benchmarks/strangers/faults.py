"""Twenty-six causes, one at a time, in loudspeakers that are sound otherwise; and sound ones."""

import numpy as np

from designs import System, alive_of, bass_box, boxed, crossed, pressure, two_way, woofer
from loudspeaker import C, Front, copy
from session import Session


def usual(rng, **changes):
    day = Session(points=int(rng.choice([24, 48, 48, 96])), noise_db=rng.uniform(0.02, 0.08),
                  gate_ms=rng.uniform(5.0, 9.0))
    pick = rng.integers(4)
    if pick == 1:
        day.sides = [0, 15, 30, 45, 60]
    if pick == 2:
        day.sides = list(range(-90, 91, 15))
        day.up = list(range(-45, 46, 15))
        day.up.remove(0)
    if pick == 3 and rng.random() < 0.8:  # a lean set
        day.free_air = rng.random() < 0.3
        day.near = rng.random() < 0.3
        day.up = [] if rng.random() < 0.7 else day.up
    day.alone = rng.random() < 0.35
    for name, value in changes.items():
        setattr(day, name, value)
    return day


def sound(rng):
    pick = rng.integers(5)
    if pick == 0:
        s = bass_box(rng, rng.choice(["sealed", "vented"]))
        return s, usual(rng, gate_ms=rng.uniform(6, 12))
    return two_way(rng), usual(rng)


def edge_diffraction(rng):
    s = two_way(rng, cross=False)
    half = rng.uniform(0.1, 0.125)
    s.front = Front(half, half, half, s.front.bottom, 0.0)
    for d in s.drivers:
        d.x = 0.0
    boxed(rng, s, s.loading)
    crossed(rng, s, angles=(15.0, 30.0, 45.0))
    return s, usual(rng, large_baffle=rng.random() < 0.4)


def baffle_step(rng):
    return two_way(rng, mind_edges=False), usual(rng)


def driver_breakup(rng):
    s = two_way(rng, cross=False)
    at = rng.uniform(1.7, 2.6) * C / (2 * np.pi * s.drivers[0].radius)  # ka: where cones begin to bend
    s.extra["cross_hz"] = max(s.extra["cross_hz"], 1.25 * at)
    q = rng.uniform(6, 16)
    crossed(rng, s)
    s.drivers[0].bends.append((at, q, rng.choice([-1, 1]) * rng.uniform(1.2, 2.4) / q * 1.6, 0.012))
    return s, usual(rng)


def suspension_resonance(rng):
    s = two_way(rng, cross=False)
    crossed(rng, s)
    s.drivers[0].surround = (rng.uniform(0.06, 0.12), rng.uniform(550, 1300), rng.uniform(4, 9),
                             rng.uniform(0.12, 0.22))
    return s, usual(rng)


def cabinet_standing_wave(rng):
    s = two_way(rng, loading=rng.choice(["sealed", "vented"]))
    s.box.wave_q = rng.uniform(35, 60)
    s.box.driver_at = rng.uniform(0.08, 0.2)
    if s.box.height < 0.26:
        s.box.height *= 1.5
        s.box.depth /= 1.5
    return s, usual(rng)


def loud_pipe(rng):
    """Wider and longer at the same tuning, until the pipe is as loud as two thirds of the cone."""
    s = two_way(rng, loading="vented")
    s.vent.front = True
    s.vent.q = rng.uniform(35, 60)
    s.box.port_at = 0.97
    while True:
        a = np.sqrt(s.vent.area / np.pi)
        f = C / (2 * (s.vent.length + 1.46 * a)) * np.geomspace(0.9, 1.1, 60)
        alive = alive_of(s, s.drivers[0], f)
        loud = np.max(np.abs(alive.vent / alive.cone))
        if loud > 0.66 or s.vent.length > 0.3:
            return s, loud
        whole = 1.2 * (s.vent.length + 1.46 * a)
        s.vent.area *= 1.2
        s.vent.length = whole - 1.46 * np.sqrt(s.vent.area / np.pi)


def port_pipe_resonance(rng):
    s, loud = max((loud_pipe(rng) for _ in range(4)), key=lambda one: min(one[1], 0.9))
    return s, usual(rng)


def panel_resonance(rng):
    s = two_way(rng)
    s.box.panel = (rng.uniform(220, 600), rng.uniform(28, 50), rng.uniform(0.012, 0.022))
    return s, usual(rng, gate_ms=rng.uniform(18, 30), points=96)


def box_leak(rng):
    s = two_way(rng) if rng.random() < 0.6 else bass_box(rng, rng.choice(["sealed", "vented"]))
    s.box.leak = rng.uniform(1.8, 3.6)
    return s, usual(rng)


def overdamped_port(rng):
    s = two_way(rng, loading="vented")
    s.vent.resist = rng.uniform(1.5, 3.5)
    return s, usual(rng)


def mistuned_box(rng):
    pick = rng.integers(3)
    if pick == 0:
        s = two_way(rng, loading="sealed")
        small = rng.uniform(3.5, 5.0)
        s.box.volume /= small
        s.box.height /= small ** 0.5
        s.box.depth /= small ** 0.5
        s.drivers[0].bl *= 0.85
    else:
        s = two_way(rng, loading="vented")
        a = np.sqrt(s.vent.area / np.pi)
        by = rng.uniform(1.5, 1.75) if pick == 1 else rng.uniform(0.5, 0.62)
        whole = (s.vent.length + 1.46 * a) / by**2
        if whole < 1.46 * a + 0.01:
            s.vent.area *= (1.46 * a + 0.03) / whole
            whole = 0.03 + 1.46 * np.sqrt(s.vent.area / np.pi)
        s.vent.length = min(whole - 1.46 * np.sqrt(s.vent.area / np.pi), 0.45)
    return s, usual(rng)


def crossover_phase(rng):
    s = two_way(rng)
    f = np.array([s.crossing])
    wanted = rng.choice([-1, 1]) * np.radians(rng.uniform(78, 108))
    now = np.angle(pressure(s, f, only="woofer") / pressure(s, f, only="tweeter"))[0]
    s.drivers[-1].z += (wanted - now) / (2 * np.pi) * C / s.crossing * -1.0
    return s, usual(rng)


def driver_polarity(rng):
    s = two_way(rng)
    s.network.flip *= -1
    return s, usual(rng, flip=rng.random() < 0.4)


def source_spacing_lobing(rng):
    s = two_way(rng, spacing=rng.uniform(0.3, 0.42))
    day = usual(rng)
    day.up = sorted(set(day.up) | {-20, -10, 10, 20})
    return s, day


def directivity_mismatch(rng):
    s = two_way(rng, size=0.034, cross=False)
    s.extra["cross_hz"] = rng.uniform(2600, 3300)
    s.drivers[0].bends = []
    s.drivers[0].coil = 0.15e-3
    crossed(rng, s, angles=(0.0,))
    day = usual(rng)
    day.sides = sorted(set(day.sides) | {45, 60})
    return s, day


def beaming(rng):
    d = woofer(rng, rng.choice([0.0134, 0.0215]))
    d.role = "fullrange"
    d.coil, d.coil_power, d.bends = 0.05e-3, 0.6, []
    half = d.radius * rng.uniform(1.4, 1.7)
    s = System([d], "", Front(half, half, half, half * 1.8))
    boxed(rng, s, "sealed")
    return s, usual(rng, sides=[0, 15, 30, 45, 60])


def open_panel(rng, wings):
    d = woofer(rng, 0.0215)
    d.fs, d.coil = rng.uniform(38, 50), 0.3e-3
    half = rng.uniform(0.16, 0.24)
    s = System([d], "open-baffle", Front(half, half * 1.01, half * 1.3, half * 1.6))
    s.wings = wings
    day = usual(rng, sides=[0, 15, 30, 45, 60, 90, 120, 150, 180], near=False, free_air=True,
                gate_ms=rng.uniform(15, 30))
    return s, day


def dipole_cancellation(rng):
    return open_panel(rng, 0.0)


def cavity_resonance(rng):
    return open_panel(rng, rng.uniform(0.12, 0.24))


def passive_radiator_notch(rng):
    s = two_way(rng, loading="passive-radiator")
    cab = s.box.volume / (1.2 * C * C)
    fb2 = 1 / (s.vent.mass / s.vent.sd**2 * cab) / (2 * np.pi) ** 2
    share = rng.uniform(0.72, 0.88)  # of the tuning, which its own spring raises
    s.vent.fs = np.sqrt(fb2) * share / np.sqrt(1 - share**2)
    s.vent.q = rng.uniform(9, 16)
    return s, usual(rng, gate_ms=rng.uniform(30, 60))


def notch_filter(rng):
    s = two_way(rng)
    s.network.trap = (s.crossing * rng.uniform(0.35, 0.6), rng.uniform(2.5, 5), rng.uniform(6, 14))
    return s, usual(rng)


def reflection(rng):
    s, _ = sound(rng)
    return s, usual(rng, wall=(rng.uniform(0.2, 0.45), rng.uniform(0.35, 0.9)))


def noise(rng):
    s, _ = sound(rng)
    return s, usual(rng, noise_db=rng.uniform(0.5, 1.0))


def mains_hum(rng):
    s, _ = sound(rng)
    return s, usual(rng, hum=(rng.choice([50.0, 60.0]), rng.uniform(3, 8)), near=True, points=48)


def clipping(rng):
    s, _ = sound(rng)
    return s, usual(rng, clipped=rng.uniform(0.5, 0.8), sides=[15, 30])


def sample_variation(rng):
    s = two_way(rng)
    other = copy(s, drivers=[copy(d) for d in s.drivers])
    d = other.drivers[rng.integers(2)]
    if d.role == "woofer":
        d.mms *= rng.uniform(1.15, 1.3)
        d.bl *= rng.uniform(0.8, 0.88)
    else:
        d.bl *= rng.uniform(0.72, 0.85)
    return s, usual(rng, samples=[other])


def gate_too_short(rng):
    s = two_way(rng)
    return s, usual(rng, gate_ms=rng.uniform(1.4, 2.1), cut_gate=True)


def microphone_too_close(rng):
    s = two_way(rng)
    return s, usual(rng, distance=s.front.width * rng.uniform(0.8, 1.3))


def harder(rng, day):
    """The same day with less of everything."""
    day.points = int(rng.choice([12, 12, 24]))
    day.noise_db = max(day.noise_db, rng.uniform(0.05, 0.2))
    day.phase = bool(rng.random() < 0.5)
    day.sizes = bool(rng.random() < 0.7)
    day.free_air = day.free_air and bool(rng.random() < 0.6)
    day.near = day.near and bool(rng.random() < 0.6)
    if rng.random() < 0.5:
        day.sides = [h for h in day.sides if h >= 0]
    if rng.random() < 0.4:
        day.up = []


def second_fault(rng, s, day, first):
    """One more, of those that do not hide behind the first; its name, or none."""
    two = len(s.drivers) > 1
    can = {"reflection": True, "noise": not day.cut_gate, "mains-hum": day.near and s.box is not None,
           "suspension-resonance": s.drivers[0].surround is None and s.box is not None,
           "box-leak": s.box is not None and first not in ("overdamped-port", "mistuned-box"),
           "driver-polarity": two and first not in ("crossover-phase", "source-spacing-lobing", "driver-breakup"),
           "notch-filter": two and first not in ("crossover-phase", "driver-polarity", "suspension-resonance")}
    name = str(rng.choice(sorted(n for n, ok in can.items() if ok and n != first)))
    if name == "reflection":
        day.wall = (rng.uniform(0.25, 0.45), rng.uniform(0.4, 0.9))
    if name == "noise":
        day.noise_db = rng.uniform(0.5, 1.0)
    if name == "mains-hum":
        day.hum, day.points = (rng.choice([50.0, 60.0]), rng.uniform(3, 8)), 48
    if name == "suspension-resonance":
        s.drivers[0].surround = (rng.uniform(0.06, 0.12), rng.uniform(550, 1300), rng.uniform(4, 9),
                                 rng.uniform(0.12, 0.22))
    if name == "box-leak":
        s.box.leak = rng.uniform(1.8, 3.6)
    if name == "driver-polarity":
        s.network.flip *= -1
    if name == "notch-filter":
        s.network.trap = (s.crossing * rng.uniform(0.35, 0.6), rng.uniform(2.5, 5), rng.uniform(6, 14))
    return name


KINDS = {name.replace("_", "-"): make for name, make in list(globals().items())
         if callable(make) and getattr(make, "__module__", "") == __name__
         and name not in ("usual", "open_panel", "loud_pipe", "harder", "second_fault")}
