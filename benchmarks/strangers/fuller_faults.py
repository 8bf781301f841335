"""The twenty-six causes in fuller.py's loudspeakers."""

import copy

import numpy as np

from fuller import C, RHO, Cabinet, Day, Hole, Part, Whole, corrected


def day(rng, **more):
    d = Day()
    d.grid = "bins" if rng.random() < 0.2 else "log"
    d.points = float(rng.choice([24, 48, 60, 96]))
    d.smooth = int(rng.choice([0, 0, 24, 48]))
    d.phase = str(rng.choice(["yes", "yes", "no", "flight"]))
    d.drive = rng.random() < 0.8
    d.noise_db = rng.uniform(-54, -44)
    d.gate_ms = round(rng.uniform(4.0, 9.0), 2)
    d.r = float(rng.choice([1.0, 1.0, 1.5, 2.0, 3.0]))
    d.sides = [[0, 15, 30, 45, 60], [0, 10, 20, 30, 40, 50, 60, 70, 80, 90], [0, 30, 60], list(range(-90, 91, 30)), list(range(-170, 181, 10))][rng.integers(5)]
    d.up = [[], [], [-15, 15], [-20, -10, 10, 20], list(range(-40, 0, 10)) + list(range(10, 41, 10))][rng.integers(5)]
    d.near, d.free = rng.random() < 0.8, rng.random() < 0.75
    d.alone, d.flip = rng.random() < 0.25, rng.random() < 0.2
    d.sizes = rng.random() < 0.9
    d.repeats = int(rng.choice([1, 1, 2, 3]))
    d.impulses = rng.random() < 0.15
    d.jig = rng.uniform(0.001, 0.006)
    for k, v in more.items():
        setattr(d, k, v)
    return d


def cone(rng, a, role="woofer", name="woofer"):
    big = a / 0.066
    p = Part(name, role, a, fs=rng.uniform(34, 55) / big**0.8, qms=rng.uniform(3, 8), mms=0.014 * big**2.7 * rng.uniform(0.85, 1.2), re=rng.uniform(3.3, 6.4),
             le=rng.uniform(0.15, 0.6) * 1e-3, qes=rng.uniform(0.32, 0.46), thin=rng.uniform(0.5, 1.5))
    # Every cone bends somewhere, well damped.
    p.outer = [(0.1, rng.uniform(2.6, 3.2) * C / (2 * np.pi * a), rng.uniform(1.2, 2.0), rng.uniform(0.1, 0.2))]
    return p


def top(rng):
    pick = rng.integers(5)
    if pick == 0:  # a ribbon
        return Part("ribbon", "tweeter", 0.012, strip=(0.009, rng.uniform(0.05, 0.08)), fs=350, qms=1.2, qes=6.0, mms=6e-5, re=4.0, le=0.01e-3)
    t = Part("tweeter", "tweeter", rng.uniform(0.0115, 0.0145), fs=rng.uniform(600, 950), qms=rng.uniform(1.5, 3), qes=1.1, mms=0.3e-3, re=rng.uniform(3.4, 5.8), le=0.03e-3)
    if pick == 1:
        t.mouth = rng.uniform(0.05, 0.07)
    return t


def box(rng, s, loading):
    p = s.parts[0]
    vas = RHO * C * C * p.sd**2 / (p.mms * (2 * np.pi * p.fs) ** 2)
    qts = 1 / (1 / p.qms + 1 / p.qes)
    if loading == "sealed":
        p.qes *= 1.35
        qts = 1 / (1 / p.qms + 1 / p.qes)
        volume = vas / max((rng.uniform(0.62, 0.8) / qts) ** 2 - 1, 0.6)
    else:
        volume = vas * rng.uniform(0.75, 1.1) * (qts / 0.38) ** 2.3
        fb = p.fs * (0.39 / qts) ** 0.9 * rng.uniform(0.94, 1.05)
    wide = s.width - 0.038
    deep = np.clip((volume / wide) ** 0.5 * rng.uniform(0.75, 1.0), 0.12, 0.45)
    high = volume / wide / deep
    s.height = max(s.height, high + 0.038)
    s.depth = deep + 0.038
    y = p.y / high + 0.5 if high > 2.4 * p.a else 0.5
    s.cabinet = Cabinet((wide, high, deep), q=rng.uniform(4, 8), absorb=rng.uniform(15, 40) if loading == "sealed" else rng.uniform(40, 100),
                        at=(0.5, float(np.clip(y, 0.3, 0.7)), 0.02), hole_at=(0.5, float(rng.uniform(0.12, 0.25)), float(rng.choice([0.02, 0.9]))))
    s.loading = loading
    if loading == "vented":
        r = 0.32 * p.a
        for _ in range(60):
            length = np.pi * r * r * C * C / ((2 * np.pi * fb) ** 2 * volume) - 1.41 * r
            r *= 1.06 if length < 0.04 else 0.95 if length > 0.2 else 1.0
        s.hole = Hole(np.pi * r * r, float(np.clip(length, 0.02, 0.3)), rng.uniform(14, 26), front=bool(s.cabinet.hole_at[2] < 0.5), y=p.y - 1.8 * p.a)
    if loading == "passive-radiator":
        sd, fp = p.sd * rng.uniform(1.3, 2.0), fb * rng.uniform(0.3, 0.5)
        s.hole = Hole(sd, q=rng.uniform(4, 9), fs=fp, front=False)
        cab = volume / (RHO * C * C)
        s.hole.mass = sd**2 / cab / ((2 * np.pi * fb) ** 2 - (2 * np.pi * fp) ** 2)
    return s


def two(rng, loading=None, a=None, spacing=None, high=None, fit=True, cross=None, order=None):
    low = cone(rng, a or float(rng.choice([0.042, 0.052, 0.066, 0.08])))
    high = high or top(rng)
    size = max(high.mouth, (high.strip or (0, 0.05))[1] / 2, 0.03)
    gap = spacing or 1.2 * low.a + size + rng.uniform(0.0, 0.012)
    coaxial = spacing is None and rng.random() < 0.2
    if coaxial:
        gap, high.mouth = 0.0, 0.0
        high.z = -0.01
    low.y, high.y = -gap * 0.5, gap * 0.5
    s = Whole([low, high], 2.4 * low.a + rng.uniform(0.02, 0.07), 2.4 * low.a + gap + 2 * size + 0.03, 0.25, "", round_=rng.uniform(0.006, 0.02))
    box(rng, s, loading or str(rng.choice(["vented", "vented", "sealed", "passive-radiator"])))
    s.order = order or int(rng.choice([2, 4, 4]))
    s.crossings = [cross or min(rng.uniform(1700, 2600), (0.9 if gap else 9.0) * C / max(gap, 1e-3), 1.9 * C / (2 * np.pi * low.a) * 1.15)]
    s.active = rng.random() < 0.5
    return corrected(s, rng) if fit else s


def three(rng):
    low = cone(rng, float(rng.choice([0.08, 0.1, 0.125])))
    mid = cone(rng, float(rng.choice([0.04, 0.052])), "midrange", "mid")
    mid.fs, mid.qes, mid.mms, mid.own_volume = rng.uniform(60, 90), 0.5, mid.mms * 0.6, rng.uniform(0.0025, 0.005)
    high = top(rng)
    size = max(high.mouth, (high.strip or (0, 0.05))[1] / 2, 0.03)
    up = 1.2 * mid.a + size + 0.004
    down = 1.2 * mid.a + 1.2 * low.a + rng.uniform(0.01, 0.05)
    mid.y, high.y, low.y = 0.05, 0.05 + up, 0.05 - down
    s = Whole([low, mid, high], 2.4 * low.a + rng.uniform(0.01, 0.04), 2 * (down + 1.3 * low.a), 0.3, "", round_=rng.uniform(0.006, 0.02))
    box(rng, s, str(rng.choice(["vented", "sealed"])))
    s.crossings = [rng.uniform(300, 480), rng.uniform(2300, 3200)]
    s.order = 4
    s.active = rng.random() < 0.5
    return corrected(s, rng)


def sound(rng, only_two=False):
    pick = 0 if only_two else rng.integers(8)
    if pick == 7:
        sub = Whole([cone(rng, float(rng.choice([0.1, 0.125])), "subwoofer", "sub")], 0.35, 0.35, 0.35, "")
        box(rng, sub, str(rng.choice(["sealed", "vented"])))
        sub.width = sub.height = max(sub.width, 0.35)
        return sub, day(rng, gate_ms=40.0, sides=[0], up=[], impulses=False, alone=False, smooth=0)
    if pick == 6:
        return Whole([top(rng)], 2.0, 2.0, 0.02, "large-baffle"), day(rng, near=False, alone=False, flip=False)
    if pick in (4, 5):
        return three(rng), day(rng)
    return two(rng), day(rng)


def edge_diffraction(rng):
    s = two(rng, fit=False, high=Part("tweeter", "tweeter", 0.0125, fs=750, qms=2, qes=1.1, mms=0.3e-3, re=4.5, le=0.03e-3), spacing=0.12)
    s.round_ = 0.001
    s.width = max(s.width, rng.uniform(0.2, 0.26))
    s.height = max(s.height, s.width + 0.2)
    lift = s.height / 2 - s.width / 2 - s.parts[1].y
    for p in s.parts:
        p.y += lift
    corrected(s, rng, (15.0, 30.0, 45.0))
    return s, day(rng, wall=rng.random() < 0.4, smooth=0)


def baffle_step(rng):
    s = two(rng, fit=False)
    s.step_made_up = False
    return corrected(s, rng, (0.0,)), day(rng, r=float(rng.choice([1.0, 2.0])))


def driver_breakup(rng):
    s = two(rng, a=float(rng.choice([0.066, 0.08])))
    at = min(rng.uniform(1.5, 2.4) * C / (2 * np.pi * s.parts[0].a), 0.85 * s.crossings[0])
    q = rng.uniform(6, 14)
    s.parts[0].outer.append((0.02 * rng.uniform(0.6, 1.4), at, q, rng.choice([-1, 1]) * rng.uniform(0.9, 1.6) / q))
    return s, day(rng, smooth=0)


def suspension_resonance(rng):
    s = two(rng, a=float(rng.choice([0.052, 0.066, 0.08])))
    s.parts[0].outer.append((rng.uniform(0.05, 0.11), rng.uniform(550, 1200), rng.uniform(4, 9), rng.uniform(0.13, 0.22)))
    return s, day(rng)


def cabinet_standing_wave(rng):
    s = two(rng, loading=str(rng.choice(["sealed", "vented"])))
    w, h, d = s.cabinet.size
    if h < 0.25:
        s.cabinet.size = (w, 0.3, d * h / 0.3)
        s.height = max(s.height, 0.338)
    s.cabinet.q = rng.uniform(35, 60)
    s.cabinet.at = (0.5, float(rng.choice([0.15, 0.85])), 0.03)
    return s, day(rng)


def port_pipe_resonance(rng):
    while True:
        s = two(rng, loading="vented")
        s.hole.front, s.hole.q = True, rng.uniform(40, 60)
        s.cabinet.hole_at = (0.5, 0.04, 0.03)
        for _ in range(14):
            r = np.sqrt(s.hole.area / np.pi)
            f = C / (2 * (s.hole.length + 1.41 * r)) * np.geomspace(0.9, 1.1, 80)
            u, hole, _, _ = s.circuit(f, s.parts[0])
            if np.max(np.abs(hole / u)) > 0.75 or s.hole.length > 0.3:
                break
            whole = 1.2 * (s.hole.length + 1.41 * r)
            s.hole.area *= 1.2
            s.hole.length = whole - 1.41 * np.sqrt(s.hole.area / np.pi)
        if np.max(np.abs(hole / u)) > 0.6:
            return s, day(rng)


def panel_resonance(rng):
    s = two(rng)
    s.cabinet.panel = (rng.uniform(200, 550), rng.uniform(28, 50), rng.uniform(0.012, 0.022))
    return s, day(rng, gate_ms=25.0, grid="log", points=96.0, smooth=0, impulses=False)


def box_leak(rng):
    s = two(rng)
    b = s.cabinet
    b.leak = rng.uniform(1.8, 3.4) / (2 * np.pi * s.rests_at() * b.volume / (RHO * C * C))
    return s, day(rng)


def overdamped_port(rng):
    s = two(rng, loading="vented")
    r = np.sqrt(s.hole.area / np.pi)
    s.hole.resist = 2 * np.pi * s.rests_at() * RHO * (s.hole.length + 1.41 * r) / s.hole.area / rng.uniform(1.5, 3.5)
    return s, day(rng)


def mistuned_box(rng):
    if rng.random() < 0.35:
        s = two(rng, loading="sealed", fit=False)
        by = rng.uniform(3.0, 4.5)
        w, h, d = s.cabinet.size
        s.cabinet.size = (w, h / by**0.5, d / by**0.5)
        s.parts[0].qes *= 1.25
        return corrected(s, rng), day(rng)
    s = two(rng, loading="vented")
    by = rng.uniform(1.5, 1.75) if rng.random() < 0.5 else rng.uniform(0.52, 0.62)
    r = np.sqrt(s.hole.area / np.pi)
    whole = (s.hole.length + 1.41 * r) / by**2
    if whole < 1.41 * r + 0.01:
        s.hole.area *= ((1.41 * r + 0.03) / whole) ** 1.5
        r2 = np.sqrt(s.hole.area / np.pi)
        whole = max(whole * s.hole.area / (np.pi * r * r), 1.41 * r2 + 0.01)
        r = r2
    s.hole.length = min(whole - 1.41 * r, 0.6)
    return s, day(rng)


def crossover_phase(rng):
    s = two(rng)
    s.late["woofer" if rng.random() < 0.5 else s.parts[1].name] = rng.uniform(82, 108) / 360 / s.cross
    return s, day(rng)


def driver_polarity(rng):
    s = two(rng) if rng.random() < 0.7 else three(rng)
    s.signs[s.parts[-1].name] = -1
    return s, day(rng)


def source_spacing_lobing(rng):
    s = two(rng, spacing=rng.uniform(0.3, 0.4), cross=rng.uniform(1900, 2400))
    return s, day(rng, up=[-30, -20, -10, 10, 20, 30])


def directivity_mismatch(rng):
    s = two(rng, a=float(rng.choice([0.085, 0.1])), fit=False, cross=rng.uniform(2500, 3200), high=Part("tweeter", "tweeter", 0.0125, fs=750, qms=2, qes=1.1, mms=0.3e-3, re=4.5, le=0.03e-3))
    s.parts[0].thin = 0.2
    s.parts[0].outer = []
    corrected(s, rng, (0.0,))
    return s, day(rng, sides=[0, 15, 30, 45, 60] if rng.random() < 0.5 else list(range(-90, 91, 15)))


def beaming(rng):
    p = cone(rng, float(rng.choice([0.052, 0.066, 0.08])), "fullrange", "cone")
    p.outer, p.le, p.thin = [], 0.03e-3, 0.2
    s = Whole([p], 2.8 * p.a, 3.5 * p.a, 0.2, "")
    box(rng, s, "sealed")
    corrected(s, rng, (0.0,))
    return s, day(rng, sides=[0, 15, 30, 45, 60])


def panel_of(rng, wings):
    p = cone(rng, 0.09, "fullrange", "cone")
    p.le, p.outer, p.qes = 0.1e-3, [], 0.7
    s = Whole([p], rng.uniform(0.3, 0.46), rng.uniform(0.4, 0.6), 0.02, "open-baffle", wings=wings)
    s.round_ = 0.0
    return s, day(rng, sides=list(range(0, 181, 15)), near=False, gate_ms=20.0, alone=False, flip=False)


def dipole_cancellation(rng):
    return panel_of(rng, 0.0)


def cavity_resonance(rng):
    return panel_of(rng, rng.uniform(0.14, 0.25))


def passive_radiator_notch(rng):
    s = two(rng, loading="passive-radiator")
    fb, cab = s.rests_at(), s.cabinet.volume / (RHO * C * C)
    s.hole.fs = fb * rng.uniform(0.95, 1.4)
    s.hole.q = rng.uniform(8, 15)
    return s, day(rng, gate_ms=40.0, near=True, smooth=0)


def notch_filter(rng):
    s = two(rng)
    s.active = False
    s.trap = (s.cross * rng.uniform(0.3, 0.6), rng.uniform(2, 5), s.parts[0].re * rng.uniform(0.9, 2.4))
    return s, day(rng)


def reflection(rng):
    s, d = sound(rng, True)
    d.echoes = [(rng.uniform(0.2, 0.45), rng.uniform(0.4, 1.2))]
    return s, d


def noise(rng):
    s, d = sound(rng, True)
    d.noise_db, d.smooth, d.impulses = rng.uniform(-19, -14), 0, False
    return s, d


def mains_hum(rng):
    s, d = sound(rng, True)
    d.hum, d.near, d.grid, d.points, d.smooth, d.impulses = (float(rng.choice([50, 60])), rng.uniform(4, 9)), True, "log", 60.0, 0, False
    return s, d


def clipping(rng):
    s, d = sound(rng, True)
    d.clip, d.sides, d.up = rng.uniform(0.45, 0.8), [15, 30], []
    return s, d


def sample_variation(rng):
    s = two(rng)
    other = copy.deepcopy(s)
    p = other.parts[rng.integers(2)]
    if p.role == "woofer":
        p.mms *= rng.uniform(1.2, 1.35)
        p.qes *= rng.uniform(1.3, 1.6)
    else:
        other.signs[p.name] = 10 ** (rng.choice([-1, 1]) * rng.uniform(1.5, 3) / 20)
    return s, day(rng, others=[other], impulses=False)


def gate_too_short(rng):
    s, d = sound(rng, True)
    d.gate_ms, d.cut, d.impulses, d.smooth = round(rng.uniform(1.3, 2.0), 2), True, False, 0
    return s, d


def microphone_too_close(rng):
    s = two(rng)
    return s, day(rng, r=round(s.width * rng.uniform(0.8, 1.3), 2))


KINDS = {name.replace("_", "-"): make for name, make in list(globals().items())
         if callable(make) and getattr(make, "__module__", "") == __name__
         and name not in ("day", "cone", "top", "box", "two", "three", "panel_of")}
