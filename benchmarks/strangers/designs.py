"""Random sound loudspeakers: a driver in a box that suits it, a network that an optimiser found."""

from dataclasses import dataclass, field

import numpy as np
from scipy.optimize import minimize

from loudspeaker import (C, RHO, Alive, Box, Driver, Front, Network, Port, Radiator, copy, driven,
                         heard, microphone)

TWO_VOLTS = 2.83


@dataclass
class System:
    drivers: list
    loading: str
    front: Front = None
    box: Box = None
    vent: object = None
    network: Network = None
    crossing: float = 0.0
    wings: float = 0.0  # of an open frame, their depth
    extra: dict = field(default_factory=dict)

    def driver(self, role):
        return next((d for d in self.drivers if d.role == role), None)


def alive_of(s, d, f):
    bass = d.role != "tweeter"
    if not bass:
        return driven(copy(d, behind=4e-6 if not d.behind else d.behind), f)
    if s.box is None:
        return driven(d, f)
    return driven(d, f, s.box, s.vent)


def voltages(s, f):
    """Of each driver per volt at the input, and the load."""
    loads = {d.name: 1.0 / alive_of(s, d, f).current for d in s.drivers}
    if s.network is None:
        ones = np.ones_like(f, dtype=complex)
        total = sum(1.0 / z for z in loads.values())
        return {name: ones for name in loads}, 1.0 / total
    low, high = s.drivers[0].name, s.drivers[-1].name
    a, b, load = s.network.branches(f, loads[low], loads[high])
    return {low: a, high: b}, load


def frame_factor(s, f):
    """What a frame of wings does to what leaves the rear: its air column, by its depth."""
    if not s.wings:
        return 1.0
    k = 2 * np.pi * f / C
    length = s.wings + 0.3 * s.front.width
    return 1.0 / (np.cos(k * length) + 1j * 0.5 * np.sin(k * length) * np.minimum(1.0, k * 0.1 + 0.12))


def pressure(s, f, h=0.0, v=0.0, distance=1.0, only=None, flipped=None, front="own", volts=TWO_VOLTS):
    """At the microphone; with `only` one driver plays through its branch."""
    mic = microphone(h, v, distance)
    baffle = s.front if front == "own" else front
    at, _ = voltages(s, f)
    total = np.zeros_like(f, dtype=complex)
    for d in s.drivers:
        if only and d.name != only:
            continue
        a = alive_of(s, d, f)
        drive = at[d.name] * volts * (-1.0 if flipped == d.name else 1.0)
        place = (d.x, d.y, d.z)
        total += heard(f, a.cone * drive, place, d.radius, baffle, mic, distance)
        if s.loading == "open-baffle":
            back = (d.x, d.y, -s.wings)
            total -= heard(f, a.cone * drive * frame_factor(s, f), back, d.radius, baffle, mic,
                           distance, behind=True)
        if d.role == "tweeter" or s.box is None:
            continue
        if s.vent is not None:
            facing = isinstance(s.vent, Radiator) or s.vent.front
            radius = np.sqrt((s.vent.sd if isinstance(s.vent, Radiator) else s.vent.area) / np.pi)
            spot = s.extra.get("vent_at", (0.0, d.y - 0.2))
            total += heard(f, a.vent * drive, (spot[0], spot[1], 0.0 if facing else -s.box.depth),
                           radius, baffle, mic, distance, behind=not facing)
        total += heard(f, a.others * drive, (d.x, d.y, 0.0), 0.05, baffle, mic, distance)
    return total


def level(p):
    return 20 * np.log10(np.maximum(np.abs(p) / np.sqrt(1.0) / 20e-6, 1e-9))


def woofer(rng, size=None):
    sd = size or rng.choice([0.0086, 0.0134, 0.0215])
    fs = rng.uniform(34, 58) * (0.0134 / sd) ** 0.25
    qts = rng.uniform(0.30, 0.42)
    qms = rng.uniform(3.0, 7.0)
    qes = 1.0 / (1.0 / qts - 1.0 / qms)
    mms = 0.0145 * (sd / 0.0134) ** 1.3 * rng.uniform(0.85, 1.25)
    re = rng.uniform(5.4, 6.6)
    bl = np.sqrt(2 * np.pi * fs * mms * re / qes)
    fold = 2.2 * C / (2 * np.pi * np.sqrt(sd / np.pi))  # where its own bending begins
    return Driver("woofer", "woofer", sd, fs, qms, mms, bl, re, coil=rng.uniform(0.2, 0.5) * 1e-3,
                  coil_power=rng.uniform(0.6, 0.8), creep=rng.uniform(0.03, 0.1),
                  z=-rng.uniform(0.01, 0.025), bends=[(fold, 2.2, 0.12, 0.01)])


def tweeter(rng):
    sd = rng.uniform(6.5, 8.0) * 1e-4
    mms = rng.uniform(0.28, 0.4) * 1e-3
    fs = rng.uniform(650, 900)
    re = rng.uniform(4.8, 6.0)
    qes = rng.uniform(0.8, 1.3)
    bl = np.sqrt(2 * np.pi * fs * mms * re / qes)
    return Driver("tweeter", "tweeter", sd, fs, rng.uniform(2.0, 3.5), mms, bl, re,
                  coil=0.03e-3, coil_power=0.6, creep=0.0, behind=1e-3)


def boxed(rng, s, kind, loss=None):
    """A box whose tuning suits its driver."""
    d = s.drivers[0]
    vas = RHO * C * C * d.sd**2 / (d.mms * (2 * np.pi * d.fs) ** 2)
    qes = 2 * np.pi * d.fs * d.mms * d.re / d.bl**2
    qts = 1 / (1 / qes + 1 / d.qms)
    if kind == "sealed":
        ratio = (rng.uniform(0.66, 0.8) / qts) ** 2 - 1.0
        volume = vas / max(ratio, 0.5)
        fb = None
    else:
        volume = vas * 15.0 * qts**2.87 * rng.uniform(0.85, 1.15)
        fb = d.fs * 0.42 * qts**-0.9 * rng.uniform(0.95, 1.05)
    width = s.front.width - 0.036
    height = s.front.top + s.front.bottom - 0.036
    depth = np.clip(volume * 1.1 / (width * height), 0.14, 0.5)
    volume_fits = width * height * depth / 1.1
    if kind != "sealed" or volume_fits > volume:
        height = np.clip(volume * 1.1 / (width * depth), 0.18, height)
    volume = width * height * depth / 1.1
    s.box = Box(volume, height, width, depth, wave_q=rng.uniform(6, 11),
                loss=rng.uniform(35, 90) if kind != "sealed" else rng.uniform(12, 40),
                driver_at=rng.uniform(0.32, 0.46), port_at=rng.uniform(0.7, 0.9))
    s.loading = kind
    if kind == "vented":
        a = np.sqrt(d.sd / np.pi) * rng.uniform(0.33, 0.42)
        area = np.pi * a * a
        length = area * (C / (2 * np.pi * fb)) ** 2 / volume - 1.46 * a
        while length > 0.2:
            a *= 0.92
            area = np.pi * a * a
            length = area * (C / (2 * np.pi * fb)) ** 2 / volume - 1.46 * a
        length = max(length, 0.04)
        s.vent = Port(area, length, q=rng.uniform(12, 22), front=False,
                      x=0.0, y=-0.15)
        s.extra["vent_at"] = (0.0, d.y - rng.uniform(-0.04, 0.05))
        s.vent.y = s.extra["vent_at"][1]
    if kind == "passive-radiator":
        sd = d.sd * rng.uniform(1.2, 1.8)
        fp = fb * rng.uniform(0.42, 0.55)
        cab = volume / (RHO * C * C)
        total = (2 * np.pi * fb) ** 2 - (2 * np.pi * fp) ** 2
        s.vent = Radiator(sd, sd**2 / (cab * total), fp, q=rng.uniform(8, 14))
        s.extra["vent_at"] = (0.0, d.y - rng.uniform(0.0, 0.03))
        s.extra["vent_behind"] = True
    return s


def crossed(rng, s, mind_edges=True, angles=(0.0, 15.0, 30.0)):
    """A network for an even listening window, by search from a textbook's."""
    f = np.geomspace(150, 14000, 72)
    low, high = s.drivers[0], s.drivers[-1]
    at = rng.uniform(0.85, 1.1) * s.extra.get("cross_hz", 2300.0)
    z = {d.name: 1.0 / alive_of(s, d, f).current for d in s.drivers}
    bare = copy_system(s, network=None)
    own = "own" if mind_edges else None
    raw = {d.name: [pressure(bare, f, h=a, only=d.name, front=own) for a in angles] for d in s.drivers}
    if not mind_edges:  # without edges a front is a wall: the same as far as the network goes
        raw = {k: [0.7 * p for p in v] for k, v in raw.items()}
    pass_db = np.median(level(raw[low.name][0])[(f > 400) & (f < 1200)])
    over = np.median(level(raw[high.name][0])[f > 4000]) - pass_db
    pad = 5.0 * (10 ** (max(over + 2.0, 0.0) / 20) - 1.0) + 0.5
    start = np.array([6.0 * 1.5 / (2 * np.pi * at), 1 / (2 * np.pi * at * 6.0 * 1.3), 1.5,
                      1 / (2 * np.pi * at * 7.0 * 1.2), 4.5 / (2 * np.pi * at), pad])

    def cost(logs, flip):
        n = Network(np.exp(logs), flip)
        a, b, load = n.branches(f, z[low.name], z[high.name])
        window = 0.0
        for i in range(len(angles)):
            window = window + np.abs(a * raw[low.name][i] + b * raw[high.name][i]) ** 2 / len(angles)
        flat = 10 * np.log10(window)
        even = np.std(flat)
        axis = level(a * raw[low.name][0] + b * raw[high.name][0])
        la, lb = level(a * raw[low.name][0]), level(b * raw[high.name][0])
        turn = np.abs(np.angle(a * raw[low.name][0] / (b * raw[high.name][0])))
        both = np.exp(-(((la - lb) / 5.0) ** 2))
        phase = np.sum(both * turn**2) / max(np.sum(both), 0.3)
        cross = f[np.argmin(np.abs(la - lb) + 30 * (f < 1200))]
        off = np.log2(cross / at)
        heat = np.maximum(3.3 - np.abs(load), 0.0).max()
        odd = np.sum(np.maximum(np.abs(logs - np.log(start)) - 1.2, 0.0) ** 2)
        return even + 0.5 * np.std(axis) + 0.5 * phase + 1.5 * off * off + 2.0 * heat + odd

    best = None
    for flip in (1.0, -1.0):
        found = minimize(cost, np.log(start), args=(flip,), method="Nelder-Mead",
                         options={"maxiter": 420, "xatol": 1e-3, "fatol": 1e-3})
        if best is None or found.fun < best[0]:
            best = (found.fun, Network(np.exp(found.x), flip))
    s.network = best[1]
    s.extra["cost"] = best[0]
    a, b, _ = s.network.branches(f, z[low.name], z[high.name])
    la, lb = level(a * raw[low.name][0]), level(b * raw[high.name][0])
    s.crossing = float(f[np.argmin(np.abs(la - lb) + 30 * (f < 1200))])
    return s


def copy_system(s, **changes):
    return copy(s, **changes)


def two_way(rng, **asked):
    """The best of a few: not every woofer meets every tweeter."""
    best = None
    for _ in range(5):
        s = drawn_two_way(rng, **asked)
        if best is None or s.extra.get("cost", 0.0) < best.extra.get("cost", 0.0):
            best = s
        if best.extra.get("cost", 0.0) < 1.35:
            break
    return best


def drawn_two_way(rng, loading=None, size=None, mind_edges=True, spacing=None, cross=True, shape=None):
    low = woofer(rng, size)
    high = tweeter(rng)
    frame = 1.22 * low.radius
    width = 2 * frame * rng.uniform(1.08, 1.3)
    apart = spacing or frame + rng.uniform(0.052, 0.066)
    low.y = -apart
    above = rng.uniform(0.07, 0.12)
    below = apart + frame * rng.uniform(1.2, 2.2)
    aside = rng.choice([0.0, rng.uniform(0.01, 0.03)])
    front = shape or Front(width / 2 - aside, width / 2 + aside, above, below,
                           rng.uniform(0.003, 0.012))
    low.x = 0.0 if shape else (front.right - front.left) / 2
    s = System([low, high], "", front)
    s.extra["cross_hz"] = rng.uniform(1900, 2500) * (0.0134 / low.sd) ** 0.2
    kind = loading or rng.choice(["vented", "sealed", "vented"])
    boxed(rng, s, kind)
    if cross:
        crossed(rng, s, mind_edges)
    return s


def bass_box(rng, loading):
    """A woofer in a box, nothing else: a subwoofer or a half-made loudspeaker."""
    low = woofer(rng)
    frame = 1.22 * low.radius
    width = 2 * frame * rng.uniform(1.1, 1.4)
    s = System([low], "", Front(width / 2, width / 2, frame * 1.2, frame * rng.uniform(1.6, 3.0)))
    boxed(rng, s, loading)
    return s
