"""The twenty-six causes in chain.py's loudspeakers."""

import copy

import numpy as np

from chain import C, F, RHO, Driver, Session, Speaker, Vent, even_out, loud


def session(rng, **more):
    c = Session()
    c.points = float(rng.choice([24, 48, 48, 96, -10]))
    c.smooth = int(rng.choice([0, 0, 24, 48]))
    c.phase = rng.random() < 0.7
    c.flight = rng.random() < 0.2
    c.gate = rng.uniform(0.004, 0.0058)
    c.whole = rng.random() < 0.25
    c.r = float(rng.choice([1.0, 1.0, 1.2, 2.0]))
    c.hiss = rng.uniform(-72, -60)
    c.sides = [[0, 10, 20, 30, 45, 60, 75], [0, 15, 30, 60], [-60, -30, 0, 30, 60], [0, 30, 45], list(range(-80, 81, 20))][rng.integers(5)]
    c.up = [[], [], [-10, 10], [-30, -15, 15, 30]][rng.integers(4)]
    c.near, c.free = rng.random() < 0.8, rng.random() < 0.75
    c.alone, c.flip = rng.random() < 0.3, rng.random() < 0.25
    c.impulses = rng.random() < 0.2
    c.drive = rng.random() < 0.8
    c.repeats = int(rng.choice([1, 1, 2]))
    c.gaps = rng.random() < 0.12
    for k, v in more.items():
        setattr(c, k, v)
    return c


def wide_open(rng, **more):
    """Out of doors on a pole: no copies for 40 ms."""
    return session(rng, **{"gate": 0.25, "points": 96.0, "smooth": 0, "impulses": False, "outside": True, **more})


def bass_of(rng, a, role="woofer", name="lf", ys=(0.0,)):
    scale = a / 0.065
    d = Driver(name, role, a, ys=ys, fs=rng.uniform(35, 52) / scale**0.7, qms=rng.uniform(2.5, 7), qes=rng.uniform(0.3, 0.44), mms=0.0135 * scale**2.6 * rng.uniform(0.85, 1.2),
               re=rng.uniform(3.2, 6.2), le=rng.uniform(0.1, 0.5) * 1e-3)
    d.modes = [(rng.uniform(2.4, 3.0) * C / (2 * np.pi * a), rng.uniform(1.2, 2.0), 0.1, rng.uniform(0.2, 0.5))]
    return d


def dome(rng, plain=False):
    kind = 0 if plain else rng.integers(4)
    if kind == 2:
        return Driver("hf", "tweeter", 0.02, flat=(rng.uniform(0.008, 0.025), rng.uniform(0.04, 0.07)), fs=500, qms=1.5, qes=4.0, mms=1e-4, re=5.0, le=0.01e-3)
    if kind == 3:
        return Driver("hf", "compression-driver", 0.012, cover=(rng.uniform(0.6, 0.9), rng.uniform(0.4, 0.7), rng.uniform(0.12, 0.16)), fs=650, qms=2, qes=0.9, mms=0.3e-3, re=5.6,
                      le=0.04e-3)
    return Driver("hf", "tweeter", rng.uniform(0.0118, 0.0145), fs=rng.uniform(600, 1000), qms=rng.uniform(1.2, 3), qes=1.0, mms=0.3e-3, re=rng.uniform(3.5, 5.8), le=0.03e-3)


def reach_of(d):
    return max(d.cover[2] / 2 if d.cover else 0.0, d.flat[1] / 2 if d.flat else 0.0, 1.2 * d.a, 0.03)


def cabinet(rng, s, loading):
    d = s.drivers[0]
    n = len(d.ys)
    vas = RHO * C * C * d.sd**2 / (n * d.mms * (2 * np.pi * d.fs) ** 2)
    qts = 1 / (1 / d.qms + 1 / d.qes)
    if loading == "sealed":
        d.qes *= 1.4
        qts = 1 / (1 / d.qms + 1 / d.qes)
        volume = vas / max((rng.uniform(0.62, 0.78) / qts) ** 2 - 1, 0.7)
    else:
        volume, fb = 15 * vas * qts**2.87 * rng.uniform(0.85, 1.15), d.fs * 0.42 * qts**-0.9 * rng.uniform(0.95, 1.05)
    w = s.width - 0.036
    deep = float(np.clip(np.sqrt(volume / w / 1.6), 0.12, 0.42))
    high = volume / w / deep
    s.inside = (w, high, deep)
    s.depth, s.height = deep + 0.036, max(s.height, high + 0.036)
    s.at = float(rng.uniform(0.4, 0.6))
    s.lining = rng.uniform(3.0, 5.0)
    s.loading = loading
    if loading == "vented":
        r = 0.33 * d.a * np.sqrt(n)
        for _ in range(50):
            length = np.pi * r * r * C * C / ((2 * np.pi * fb) ** 2 * volume) - 1.43 * r
            r *= 1.05 if length < 0.045 else 0.96 if length > 0.2 else 1.0
        s.vent = Vent(np.pi * r * r, float(np.clip(length, 0.02, 0.3)), back=bool(rng.random() < 0.5), x=float(rng.uniform(0.15, 0.35)), y=min(d.ys) - 1.3 * d.a - r)
    if loading == "passive-radiator":
        sd, fp = d.sd * rng.uniform(1.2, 2.0), fb * rng.uniform(0.3, 0.5)
        s.vent = Vent(sd, mass=sd**2 * RHO * C * C / volume / ((2 * np.pi * fb) ** 2 - (2 * np.pi * fp) ** 2), fs=fp, q=rng.uniform(5, 10), back=True, x=0.5)
    return s


def tuning(s):
    stiff = RHO * C * C / s.volume
    if s.vent is None:
        return s.drivers[0].fs * 1.5
    if s.vent.mass:
        return np.sqrt(s.vent.fs**2 + s.vent.area**2 * stiff / s.vent.mass / (4 * np.pi**2))
    r = np.sqrt(s.vent.area / np.pi)
    return np.sqrt(stiff * s.vent.area / (RHO * (s.vent.length + 1.43 * r))) / (2 * np.pi)


def pair(rng, loading=None, a=None, gap=None, high=None, even=True, cross=None, two_bass=None, **more):
    low = bass_of(rng, a or float(rng.choice([0.04, 0.052, 0.065, 0.078])))
    high = high or dome(rng)
    near = 1.2 * low.a + reach_of(high) + 0.004
    apart = gap or near + rng.uniform(0.0, 0.01)
    double = rng.random() < 0.15 and gap is None if two_bass is None else two_bass
    if double:
        low.ys, top = (-apart, apart), 0.0
    else:
        low.ys, top = (-apart / 2,), apart / 2
    high.ys = (top,)
    high.z = rng.uniform(-0.004, 0.0)
    s = Speaker([low, high], 2.4 * low.a + rng.uniform(0.015, 0.06), 0.0, 0.2, round_=rng.uniform(0.008, 0.02))
    s.height = (2 * apart + 2.5 * low.a if double else apart + 2.6 * low.a + 2 * reach_of(high)) + 0.02
    cabinet(rng, s, loading or str(rng.choice(["vented", "vented", "sealed", "passive-radiator"])))
    s.crossings = [cross or min(rng.uniform(1700, 2500), 0.9 * C / apart if not double else 0.55 * C / apart, 1.15 * 2.0 * C / (2 * np.pi * low.a))]
    s.crossings[0] = max(s.crossings[0], 1300.0)
    s.order = int(rng.choice([2, 4, 4]))
    s.passive = rng.random() < 0.6
    for k, v in more.items():
        setattr(s, k, v)
    return even_out(s, rng) if even else s


def tower(rng):
    low = bass_of(rng, float(rng.choice([0.078, 0.1])))
    mid = bass_of(rng, float(rng.choice([0.04, 0.05])), "midrange", "mf")
    mid.fs, mid.qes, mid.own_box = rng.uniform(55, 80), 0.5, rng.uniform(0.002, 0.005)
    high = dome(rng)
    up = 1.2 * mid.a + reach_of(high) + 0.004
    down = 1.2 * mid.a + 1.2 * low.a + 0.02
    mid.ys, high.ys, low.ys = (0.0,), (up,), (-down,)
    s = Speaker([low, mid, high], 2.4 * low.a + 0.02, 2 * (down + 1.3 * low.a), 0.3, round_=0.012)
    cabinet(rng, s, str(rng.choice(["vented", "sealed"])))
    s.crossings, s.order, s.passive = [rng.uniform(280, 450), rng.uniform(2200, 3000)], 4, False
    return even_out(s, rng)


def sound(rng, two=False):
    pick = 0 if two else rng.integers(6)
    if pick == 5:
        s = Speaker([bass_of(rng, 0.1, "subwoofer")], 0.36, 0.36, 0.36)
        cabinet(rng, s, str(rng.choice(["sealed", "vented"])))
        return s, wide_open(rng, sides=[0], up=[], smooth=0, points=48.0)
    if pick == 4:
        return tower(rng), session(rng)
    return pair(rng), session(rng)


def stronger_until(make, wanted, strengths, where):
    """The first strength by which the axis moves by so many dB within a range."""
    plain = loud(make(0.0).pressure())
    for k in strengths:
        s = make(k)
        off = (loud(s.pressure()) - plain)[(F > where[0]) & (F < where[1])]
        if np.max(np.abs(off - np.median(off))) > wanted:
            break
    return s


def edge_diffraction(rng):
    s = pair(rng, even=False, gap=float(rng.uniform(0.11, 0.14)), high=dome(rng, True), two_bass=False, round_=0.0)
    s.width = max(s.width, rng.uniform(0.2, 0.28))
    s.height = max(s.height, s.width + 0.16)
    up = s.height / 2 - s.width / 2 - s.drivers[1].ys[0]  # left, right and top equally far
    for d in s.drivers:
        d.ys = tuple(y + up for y in d.ys)
    s.vent = s.vent and copy.copy(s.vent)
    return even_out(s.forget(), rng, (1.6, 2.2), (15.0, 30.0, 45.0)), session(rng, wall=rng.random() < 0.4, smooth=int(rng.choice([0, 24])))


def baffle_step(rng):
    s = pair(rng, even=False, two_bass=False)
    s.even = False
    return even_out(s.forget(), rng), session(rng, near=True)


def driver_breakup(rng):
    a = float(rng.choice([0.065, 0.078]))
    hz, q = rng.uniform(1.6, 2.4) * C / (2 * np.pi * a), rng.uniform(6, 14)
    s = pair(rng, a=a, two_bass=False, cross=hz * rng.uniform(1.25, 1.6))
    way = float(rng.choice([-1, 1]))

    def made(k):
        one = copy.deepcopy(s).forget()
        one.drivers[0].modes.append((hz, q, 0.05 + 0.2 * k, way * k * 0.5))
        return one

    return stronger_until(made, rng.uniform(2.5, 4.5), np.linspace(0.1, 3, 40), (hz * 0.8, hz * 1.25)), session(rng, smooth=int(rng.choice([0, 48])))


def suspension_resonance(rng):
    s = pair(rng, a=float(rng.choice([0.052, 0.065, 0.078])), two_bass=False)
    hz, q = rng.uniform(550, 1150), rng.uniform(4, 9)

    def made(k):
        one = copy.deepcopy(s).forget()
        one.drivers[0].modes.append((hz, q, -0.9 * k, -k))
        return one

    return stronger_until(made, rng.uniform(2.0, 3.5), np.linspace(0.05, 2, 50), (hz * 0.75, hz * 1.3)), session(rng)


def cabinet_standing_wave(rng):
    s = pair(rng, loading=str(rng.choice(["sealed", "vented"])), even=False, two_bass=False)
    w, h, d = s.inside
    if h < 0.28:
        s.inside = (w, 0.3, h * d / 0.3)
        s.height = max(s.height, 0.336)
    s.lining = rng.uniform(25, 50)
    s.at = float(rng.choice([0.12, 0.18, 0.85]))
    s = even_out(s.forget(), rng)
    c = session(rng)
    if rng.random() < 0.35:
        other = copy.deepcopy(s).forget()
        other.lining = 5.0
        c.variants = [("felt", "30 mm felt on the walls", other)]
    return s, c


def port_pipe_resonance(rng):
    s = pair(rng, loading="vented", even=False, two_bass=False)
    v = s.vent
    v.back, v.rub, v.x = False, 0.006, 0.04
    s.at, s.lining, aligned = 0.9, 3.0, tuning(s)
    wanted, best = rng.uniform(0.7, 1.1), (9.0, v.area, v.length)
    for area in v.area * np.geomspace(1.0, 4.0, 12):
        for length in np.linspace(0.07, 0.3, 24):
            v.area, v.length = area, length
            if abs(tuning(s) / aligned - 1) > 0.1:
                continue
            hz = C / (2 * (length + 1.43 * np.sqrt(area / np.pi)))
            f = np.linspace(0.85 * hz, 1.15 * hz, 100)
            u, out, _, _ = s.flows(f)
            best = min(best, (abs(np.max(np.abs(out / u)) - wanted), area, length))
    v.area, v.length = best[1:]
    v.y = min(s.drivers[0].ys) - 1.2 * s.drivers[0].a - np.sqrt(v.area / np.pi)
    s.height = max(s.height, 2.2 * (np.sqrt(v.area / np.pi) - v.y))
    return even_out(s.forget(), rng), session(rng, near=True, gaps=False)


def panel_resonance(rng):
    s = pair(rng, two_bass=False)
    hz, q = rng.uniform(220, 520), rng.uniform(26, 45)

    def made(k):
        one = copy.deepcopy(s).forget()
        one.wall = (hz, q, 0.01 * k) if k else ()
        return one

    return stronger_until(made, rng.uniform(1.5, 3.0), np.geomspace(0.1, 40, 90), (hz * 0.9, hz * 1.1)), wide_open(rng)


def box_leak(rng):
    s = pair(rng)
    s.leak = rng.uniform(1.7, 3.2) / (2 * np.pi * tuning(s) * s.volume / (RHO * C * C))
    return s.forget(), session(rng)


def overdamped_port(rng):
    s = pair(rng, loading="vented")
    r = np.sqrt(s.vent.area / np.pi)
    s.vent.choke = 2 * np.pi * tuning(s) * RHO * (s.vent.length + 1.43 * r) / s.vent.area / rng.uniform(1.4, 3.2)
    return s.forget(), session(rng)


def mistuned_box(rng):
    if rng.random() < 0.35:
        s = pair(rng, loading="sealed", even=False, two_bass=False)
        by = rng.uniform(2.8, 4.5)
        w, h, d = s.inside
        s.inside = (w, h / by**0.5, d / by**0.5)
        s.drivers[0].qes *= 1.3
        return even_out(s.forget(), rng), session(rng)
    s = pair(rng, loading="vented", two_bass=False)
    by = rng.uniform(1.5, 1.8) if rng.random() < 0.5 else rng.uniform(0.5, 0.6)
    r = np.sqrt(s.vent.area / np.pi)
    whole = (s.vent.length + 1.43 * r) / by**2
    if whole < 1.43 * r + 0.01:
        wider = ((1.43 * r + 0.03) / whole) ** 1.4
        s.vent.area *= wider
        whole *= wider
        r = np.sqrt(s.vent.area / np.pi)
    s.vent.length = float(np.clip(whole - 1.43 * r, 0.01, 0.7))
    return s.forget(), session(rng)


def crossover_phase(rng):
    s = pair(rng)
    name = s.drivers[rng.integers(2)].name
    s.late[name] = s.late.get(name, 0.0) + rng.uniform(80, 110) / 360 / s.crossings[0]
    return s.forget(), session(rng)


def driver_polarity(rng):
    s = pair(rng) if rng.random() < 0.7 else tower(rng)
    name = s.drivers[-1].name
    s.sign[name] = -s.sign.get(name, 1)
    return s.forget(), session(rng)


def source_spacing_lobing(rng):
    return pair(rng, gap=float(rng.uniform(0.28, 0.38)), cross=float(rng.uniform(1900, 2500)), two_bass=False), session(rng, up=[-30, -20, -10, 10, 20, 30])


def directivity_mismatch(rng):
    s = pair(rng, a=float(rng.choice([0.085, 0.1])), even=False, high=dome(rng, True), cross=float(rng.uniform(2500, 3000)), two_bass=False)
    s.drivers[0].modes = []
    return even_out(s, rng, window=(0.0,)), session(rng, sides=[0, 15, 30, 45, 60])


def beaming(rng):
    d = bass_of(rng, float(rng.choice([0.052, 0.065, 0.078])), "fullrange")
    d.modes, d.le = [], 0.03e-3
    s = Speaker([d], 2.8 * d.a, 3.4 * d.a, 0.2, round_=0.01)
    cabinet(rng, s, "sealed")
    return even_out(s, rng, window=(0.0,)), session(rng, sides=[0, 15, 30, 45, 60])


def open_panel(rng, frame):
    d = bass_of(rng, 0.09, "fullrange")
    d.modes, d.le, d.qes = [], 0.1e-3, 0.7
    s = Speaker([d], rng.uniform(0.3, 0.45), rng.uniform(0.4, 0.6), 0.02, loading="open-baffle", frame=frame)
    return s, wide_open(rng, sides=list(range(0, 81, 10)) + list(range(100, 181, 20)), near=False)


def dipole_cancellation(rng):
    return open_panel(rng, 0.0)


def cavity_resonance(rng):
    return open_panel(rng, rng.uniform(0.14, 0.24))


def passive_radiator_notch(rng):
    s = pair(rng, loading="passive-radiator")
    s.vent.fs, s.vent.q = tuning(s) * rng.uniform(0.9, 1.3), rng.uniform(8, 14)
    return s.forget(), wide_open(rng, near=True)


def notch_filter(rng):
    s = pair(rng, passive=True)
    s.trap = (s.crossings[0] * rng.uniform(0.3, 0.6), rng.uniform(2, 5), s.drivers[0].re * rng.uniform(1.0, 2.4))
    return s.forget(), session(rng)


def reflection(rng):
    return pair(rng), session(rng, gate=0.0055, table=(rng.uniform(0.25, 0.45), rng.uniform(0.35, 0.85)))


def noise(rng):
    return pair(rng), session(rng, hiss=rng.uniform(-32, -27), repeats=2, smooth=0, impulses=False)


def mains_hum(rng):
    return pair(rng), wide_open(rng, hum=(float(rng.choice([50, 60])), rng.uniform(4, 9)), near=True)


def clipping(rng):
    return pair(rng), session(rng, clip=rng.uniform(0.4, 0.8), sides=[20, 40])


def sample_variation(rng):
    s = pair(rng)
    other = copy.deepcopy(s).forget()
    d = other.drivers[rng.integers(2)]
    if d is other.drivers[0]:
        d.mms *= rng.uniform(1.2, 1.35)
        d.qes *= rng.uniform(1.2, 1.5)
    else:
        other.gain[d.name] = 10 ** (rng.choice([-1, 1]) * rng.uniform(1.5, 3.0) / 20)
    return s, session(rng, units=[other] if rng.random() < 0.6 else [other, copy.deepcopy(s)], impulses=False)


def gate_too_short(rng):
    return pair(rng), session(rng, gate=rng.uniform(0.0012, 0.002), whole=True, impulses=False, smooth=0)


def microphone_too_close(rng):
    s = pair(rng)
    return s, session(rng, r=round(float(s.width * rng.uniform(0.7, 1.2)), 2))


KINDS = {name.replace("_", "-"): make for name, make in list(globals().items())
         if callable(make) and getattr(make, "__module__", "") == __name__
         and name not in ("session", "wide_open", "bass_of", "dome", "reach_of", "cabinet", "tuning", "pair", "tower", "stronger_until", "open_panel")}
