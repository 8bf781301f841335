"""The twenty-six causes in plain.py's loudspeakers."""

import numpy as np

from plain import C, Day, Speaker, Way
import copy as copying


def day(rng, **more):
    d = Day(per_octave=int(rng.choice([24, 24, 48, 96])), noise=rng.uniform(0.01, 0.06), gate_ms=rng.uniform(4.5, 8.0),
            distance=float(rng.choice([1.0, 1.0, 1.5, 2.0])))
    sides = [[0, 10, 20, 30, 45, 60], [0, 15, 30, 45, 60, 75, 90], list(range(-60, 61, 20)), [0, 30, 60],
             list(range(-180, 180, 30)), list(range(-90, 91, 10))][rng.integers(6)]
    d.sides = sides
    if rng.random() < 0.4:
        d.up = [[], [-10, 10], [-30, -20, -10, 10, 20, 30], [-15, 15]][rng.integers(4)]
    d.near = rng.random() < 0.85
    d.free_air = rng.random() < 0.8
    d.alone = rng.random() < 0.3
    d.flip = rng.random() < 0.2
    d.sizes = rng.random() < 0.9
    d.repeats = int(rng.choice([1, 1, 1, 3]))
    for k, v in more.items():
        setattr(d, k, v)
    return d


def speaker(rng, loading=None, ways=2, spacing=None, radius=None):
    a = radius or rng.choice([0.042, 0.053, 0.066, 0.082])
    loading = loading or rng.choice(["sealed", "vented"])
    low = Way("W" if rng.random() < 0.5 else "woofer", "woofer", a, 0.0, re=rng.uniform(3.2, 6.5), le=rng.uniform(0.1e-3, 0.6e-3),
              fs=rng.uniform(38, 62) * 0.066 / a, qms=rng.uniform(2.5, 7), qes=rng.uniform(0.5, 0.65) if loading == "sealed" else rng.uniform(0.35, 0.5), mms=17e-3 * (a / 0.066) ** 2.9)
    mms, w0 = low.mms, 2 * np.pi * low.fs
    vas = 1.2 * C**2 * low.sd**2 / (mms * w0**2)
    qts = 1 / (1 / low.qms + 1 / low.qes)
    s = Speaker([low], width=2 * a + rng.uniform(0.05, 0.1), height=0, depth=0, loading=loading)
    if loading == "sealed":
        s.volume = vas / ((rng.uniform(0.65, 0.85) / qts) ** 2 - 1)
        s.ql, s.qa = rng.uniform(20, 60), rng.uniform(8, 40)
    else:
        s.volume = vas * rng.uniform(0.8, 1.1) * (qts / 0.4) ** 2.4
        s.fb = low.fs * (0.4 / qts) ** 0.9 * rng.uniform(0.93, 1.05)
        s.ql = rng.uniform(9, 18)
    if loading == "vented":
        s.port_radius = 0.3 * a
        while s.port_length < 0.05:
            s.port_radius *= 1.08
        while s.port_length > 0.22:
            s.port_radius *= 0.95
        s.qp = rng.uniform(40, 90)
    if loading == "passive-radiator":
        sd = low.sd * rng.uniform(1.3, 1.8)
        fp = rng.uniform(0.25, 0.45) * s.fb
        cab = s.volume / (1.2 * C**2)
        stiff = 1 / cab
        mass = stiff / ((2 * np.pi * s.fb) ** 2 - (2 * np.pi * fp) ** 2) * sd**2
        s.pr = {"sd": sd, "mass": mass, "fs": fp, "q": rng.uniform(3, 6)}
    inner = s.volume * 1.05
    s.depth = rng.uniform(0.8, 1.3) * np.sqrt(inner / (s.width - 0.036)) + 0.036
    s.height = max(inner / (s.width - 0.036) / (s.depth - 0.036) + 0.036, 2 * a + 0.12)
    s.rounding = rng.uniform(1200, 2600)
    if ways == 2:
        gap = spacing or a + 0.05 + rng.uniform(0.0, 0.015)
        low.y = -gap / 2
        s.height = max(s.height, 2 * a + 0.05 + gap)
        s.ways.append(Way("T" if low.name == "W" else "tweeter", "tweeter", 0.0125, gap / 2, re=rng.uniform(3.2, 6), le=0.03e-3, fs=rng.uniform(600, 1000),
                          qms=2.0, qes=1.0, mms=0.35e-3, level=0.0))
        s.cross = min(rng.uniform(0.75, 1.0) * C / gap, 0.42 * C / a * rng.uniform(0.9, 1.2), 3400)
        s.order = int(rng.choice([2, 4, 4]))
        s.active = rng.random() < 0.35
        s.ways[1].level = -20 * np.log10(0.75) + 0.0
        balance(s)
    return s


def balance(s):
    """The tweeter as loud as the woofer about the crossing."""
    f = np.array([s.cross * 0.35])
    g = np.array([s.cross * 3.0])
    low = np.abs(s.pressure(f, only=s.ways[0].name))[0]
    high = np.abs(s.pressure(g, only=s.ways[1].name))[0]
    s.ways[1].level += 20 * np.log10(low / high)


def sound(rng):
    pick = rng.integers(6)
    if pick == 0:
        s = speaker(rng, ways=1)
        s.flat_front = True
        return s, day(rng, per_octave=48)
    return speaker(rng, rng.choice(["sealed", "vented", "vented", "passive-radiator"]) if pick < 4 else None), day(rng)


def edge_diffraction(rng):
    s = speaker(rng)
    s.rounding, s.edges = 20000.0, 0.85
    s.width = max(s.width, 0.2)
    s.height = max(s.height, s.width + 2 * s.ways[1].y)
    lift = 0.5 * s.height - 0.5 * s.width - s.ways[1].y  # as far from the top as from the sides
    for w in s.ways:
        w.y += lift
    return s, day(rng, wall=rng.random() < 0.4)


def baffle_step(rng):
    s = speaker(rng)
    s.flat_front = False
    return s, day(rng)


def driver_breakup(rng):
    s = speaker(rng)
    w = s.ways[0]
    f0 = rng.uniform(1.8, 3.2) * C / (2 * np.pi * w.radius)
    s.cross = max(s.cross, f0 / rng.uniform(0.7, 0.9))
    balance(s)
    q = rng.uniform(5, 14)
    w.sound.append((f0, q, rng.choice([-1, 1, 1]) * rng.uniform(3, 6)))
    w.in_air.append((f0, q, w.re * rng.uniform(0.03, 0.08)))
    return s, day(rng)


def suspension_resonance(rng):
    s = speaker(rng)
    w = s.ways[0]
    f0, q = rng.uniform(600, 1300), rng.uniform(3, 8)
    w.sound.append((f0, q, -rng.uniform(2.5, 5)))
    w.in_air.append((f0 * rng.uniform(0.98, 1.02), q, w.re * rng.uniform(0.03, 0.08)))
    return s, day(rng, near=True)


def cabinet_standing_wave(rng):
    s = speaker(rng)
    w = s.ways[0]
    f0, q = C / (2 * (max(s.height, s.depth) - 0.036)), rng.uniform(10, 25)
    w.sound.append((f0 * rng.uniform(0.99, 1.01), q, rng.choice([-1, -1, 1]) * rng.uniform(2, 5)))
    w.in_box.append((f0, q, w.re * rng.uniform(0.04, 0.12)))
    if s.loading == "vented":
        s.port_bells.append((f0, q, rng.uniform(1.5, 5)))
    return s, day(rng, gate_ms=rng.uniform(8, 15), per_octave=48, free_air=True)


def port_pipe_resonance(rng):
    """As loud as half the cone and more, at the half wave of the whole pipe."""
    s = speaker(rng, "vented")
    while s.port_length < 0.14:
        s.port_radius *= 1.05
    f0, q = C / (2 * (s.port_length + 1.46 * s.port_radius)), rng.uniform(12, 30)
    u, port, _ = s.velocity(np.array([f0]), s.ways[0])
    loud = rng.uniform(0.5, 0.9) * np.abs(u / port)[0]
    s.port_bells.append((f0, q, loud))
    s.ways[0].in_box.append((f0, q, s.ways[0].re * rng.uniform(0.01, 0.03)))
    return s, day(rng, near=True, gate_ms=rng.uniform(8, 12), per_octave=48)


def panel_resonance(rng):
    s = speaker(rng)
    f0, q = rng.uniform(200, 600), rng.uniform(25, 50)
    s.all_over.append((f0, q, rng.choice([-1, 1]) * rng.uniform(2, 4)))
    s.ways[0].in_box.append((f0, q, s.ways[0].re * rng.uniform(0.005, 0.012)))
    return s, day(rng, gate_ms=rng.uniform(20, 40), per_octave=96)


def box_leak(rng):
    s = speaker(rng, ways=int(rng.choice([1, 2])))
    s.ql = rng.uniform(1.8, 4.0)
    return s, day(rng)


def overdamped_port(rng):
    s = speaker(rng, "vented")
    s.qp = rng.uniform(1.5, 3.5)
    return s, day(rng)


def mistuned_box(rng):
    s = speaker(rng)
    w = s.ways[0]
    if s.loading == "sealed":
        ratio = 1 + (rng.uniform(1.25, 1.7) * (1 / w.qms + 1 / w.qes)) ** 2 - 1
        s.volume = 1.2 * C**2 * w.sd**2 / (w.mms * (2 * np.pi * w.fs) ** 2) / (ratio - 1)
    else:
        s.fb *= rng.choice([rng.uniform(1.45, 1.7), rng.uniform(0.5, 0.65)])
        while s.port_length < 0.02:
            s.port_radius *= 1.1
    return s, day(rng)


def crossover_phase(rng):
    s = speaker(rng)
    s.ways[1].delay = rng.choice([-1, 1]) * rng.uniform(85, 110) / 360 / s.cross
    return s, day(rng)


def driver_polarity(rng):
    s = speaker(rng)
    s.ways[1].sign = -1
    return s, day(rng)


def source_spacing_lobing(rng):
    s = speaker(rng)
    gap = rng.uniform(1.7, 2.3) * C / s.cross
    s.ways[0].y, s.ways[1].y = -gap / 2, gap / 2
    s.height = gap + 2 * s.ways[0].radius + 0.05
    return s, day(rng, up=[-30, -20, -10, 10, 20, 30])


def directivity_mismatch(rng):
    s = speaker(rng, radius=float(rng.choice([0.082, 0.1])))
    s.cross = rng.uniform(2800, 3600)
    balance(s)
    d = day(rng)
    d.sides = [h for h in d.sides if abs(h) <= 90] if max(d.sides) >= 60 else [0, 15, 30, 45, 60]
    return s, d


def beaming(rng):
    s = speaker(rng, "sealed", ways=1, radius=float(rng.choice([0.06, 0.085])))
    s.ways[0].role, s.ways[0].le = "fullrange", 0.02e-3
    return s, day(rng, sides=[0, 10, 20, 30, 45, 60])


def open_frame(rng, wings):
    s = speaker(rng, "open-baffle", ways=1, radius=0.09)
    s.width, s.height, s.depth, s.wings = rng.uniform(0.3, 0.5), 0.0, 0.02, wings
    s.height = s.width * rng.uniform(1.0, 1.3)
    s.ways[0].role = "fullrange"
    return s, day(rng, sides=list(range(0, 181, 15)), gate_ms=rng.uniform(15, 30))


def dipole_cancellation(rng):
    return open_frame(rng, 0.0)


def cavity_resonance(rng):
    return open_frame(rng, rng.uniform(0.15, 0.25))


def passive_radiator_notch(rng):
    s = speaker(rng, "passive-radiator")
    p = s.pr
    fp = rng.uniform(0.62, 0.8) * s.fb
    cab = s.volume / (1.2 * C**2)
    p["mass"] = 1 / cab / ((2 * np.pi * s.fb) ** 2 - (2 * np.pi * fp) ** 2) * p["sd"] ** 2
    p["fs"], p["q"] = fp, rng.uniform(8, 15)
    return s, day(rng, near=True, gate_ms=40.0)


def notch_filter(rng):
    s = speaker(rng)
    s.active = False
    s.trap = (s.cross * rng.uniform(0.3, 0.6), rng.uniform(2, 5), rng.uniform(5, 12))
    return s, day(rng)


def reflection(rng):
    s = speaker(rng)
    return s, day(rng, echo=(rng.uniform(0.15, 0.4), rng.uniform(0.4, 1.2)))


def noise(rng):
    return speaker(rng), day(rng, noise=rng.uniform(0.6, 1.2))


def mains_hum(rng):
    s = speaker(rng)
    there = 20 * np.log10(np.abs(s.pressure(np.array([100.0])))[0] / 2e-5)
    return s, day(rng, hum=there + rng.uniform(4, 9), distance=1.0, gate_ms=50.0, per_octave=48)


def clipping(rng):
    return speaker(rng), day(rng, clip=rng.uniform(0.45, 0.75))


def sample_variation(rng):
    s = speaker(rng)
    other = copying.deepcopy(s)
    way = other.ways[rng.integers(2)]
    if way.role == "woofer":
        way.sound.append((rng.uniform(300, 900), rng.uniform(0.7, 2), rng.choice([-1, 1]) * rng.uniform(2, 3.5)))
    else:
        way.level += rng.choice([-1, 1]) * rng.uniform(1.5, 3)
    return s, day(rng, other=other)


def gate_too_short(rng):
    return speaker(rng), day(rng, gate_ms=rng.uniform(1.2, 2.0), cut=True)


def microphone_too_close(rng):
    s = speaker(rng)
    return s, day(rng, distance=rng.uniform(0.18, 0.28))


KINDS = {name.replace("_", "-"): make for name, make in list(globals().items())
         if callable(make) and getattr(make, "__module__", "") == __name__
         and name not in ("day", "speaker", "balance", "open_frame")}
