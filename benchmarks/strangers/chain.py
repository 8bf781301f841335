"""Loudspeakers taken as one takes them: every response is an impulse in a room with noise, gated, transformed and read off on a list.

A fourth theory, nothing shared with the others: cones as sums of modes, boxes as a closed duct's Green's function with driver, port,
leak and wall tapped in, edges by Biot and Tolstoy's exact wedge (Svensson, Fred and Vanderkooy 1999), panels as thin plates, passive
ladders on the drivers' real impedances with a broad correction before them.
"""

import json
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from scipy.io import wavfile
from scipy.signal import fftconvolve, hilbert
from scipy.special import j1

RHO, C = 1.2, 343.6
RATE, N = 96000, 1 << 16
F = np.fft.rfftfreq(N, 1 / RATE)
F[0] = F[1]


def loud(p):
    return 20 * np.log10(np.maximum(np.abs(p), 1e-12) / 2e-5)


def broad(f, level, octaves):
    """A level averaged over so many octaves."""
    grid = np.linspace(np.log2(5), np.log2(45000), 1200)
    on = np.interp(grid, np.log2(f), level)
    n = max(int(octaves / (grid[1] - grid[0])), 1) | 1
    shape = np.hanning(n + 2)[1:-1]
    on = np.convolve(np.pad(on, n // 2, "edge"), shape / shape.sum(), "valid")
    return np.interp(np.log2(f), grid, on)


def least_phase(level):
    """A filter of that level over F and of minimum phase."""
    both = np.concatenate([level, level[-2:0:-1]]) * np.log(10) / 20
    return np.exp(np.conj(hilbert(both)))[: len(level)]


@dataclass
class Driver:
    name: str
    role: str
    a: float
    ys: tuple = (0.0,)
    x: float = 0.0
    z: float = 0.0
    fs: float = 40.0
    qms: float = 4.0
    qes: float = 0.4
    mms: float = 0.015
    re: float = 5.6
    le: float = 0.3e-3
    modes: list = field(default_factory=list)  # (hz, Q, height of the coil's motion, of the sound's)
    flat: tuple = ()  # width and height of a strip
    cover: tuple = ()  # coverage of a horn, horizontally and vertically, rad, and its mouth's width
    own_box: float = 0.0

    @property
    def sd(self):
        return (self.flat[0] * self.flat[1] if self.flat else np.pi * self.a**2) * len(self.ys)

    def motion(self, f):
        """Velocity of the coil and of the sound over the force; of all cones together."""
        w, w0, m = 2j * np.pi * f, 2 * np.pi * self.fs, self.mms * len(self.ys)
        rigid = 1 / (m * (w + w0 / self.qms + w0 * w0 / w * (1 + 0.03j)))
        coil, sound = rigid, rigid
        for hz, q, own, far in self.modes:
            wn = 2 * np.pi * hz
            # Height over the rigid motion at its own place.
            bell = (1 / (m * wn)) * (w * wn / q) / (wn * wn + w * w + w * wn / q)
            coil, sound = coil + own * bell, sound + far * bell
        return coil, sound

    def electric(self, f, load):
        """Volume velocity over the voltage, and the impedance. @param load  acoustic impedance behind."""
        n = len(self.ys)
        bl = np.sqrt(2 * np.pi * self.fs * self.mms * self.re / self.qes)
        ze = (self.re + 2j * np.pi * f * self.le / (1 + 1j * (f / 4000) ** 0.5)) / n
        coil, sound = self.motion(f)
        load = load + RHO * C * C / (2j * np.pi * f * self.own_box) if self.own_box else load
        back = 1 + self.sd**2 * sound * load
        z = ze + bl * bl * coil / back
        return self.sd * sound * bl / back / z, z

    def lobe(self, f, h, v):
        k = 2 * np.pi * f / C
        sh, sv = np.sin(h) * np.cos(v), np.sin(v)
        if self.flat:
            return np.sinc(k * self.flat[0] * sh / (2 * np.pi)) * np.sinc(k * self.flat[1] * sv / (2 * np.pi))
        if self.cover:
            hold = 1 / (1 + (C / (f * self.cover[2])) ** 2)
            s = (h / self.cover[0]) ** 2 + (v / self.cover[1]) ** 2
            return 10 ** (-0.3 * hold * s / (1 + 0.1 * s))
        s = np.sqrt(max(0.0, 1 - (np.cos(h) * np.cos(v)) ** 2)) if abs(h) < np.pi / 2 else 1.0
        u = np.maximum(k * self.a * s, 1e-6)
        first = 2 * j1(u) / u
        return np.sqrt(first**2 + 2e-3)


@dataclass
class Vent:
    """A pipe, or a cone without a coil."""

    area: float
    length: float = 0.0
    rub: float = 0.012
    choke: float = 0.0
    mass: float = 0.0
    fs: float = 0.0
    q: float = 7.0
    x: float = 0.1  # along the duct
    y: float = -0.15
    back: bool = False

    def taps(self, f):
        """Impedance at the inner end, and what leaves of what enters."""
        w = 2j * np.pi * f
        if self.mass:
            w0 = 2 * np.pi * self.fs
            return self.mass / self.area**2 * (w + w0 / self.q + w0 * w0 / w), np.ones_like(w)
        r, z0 = np.sqrt(self.area / np.pi), RHO * C / self.area
        k = 2 * np.pi * f / C
        gamma = 1j * k + self.rub * np.sqrt(f / 100) * (0.03 / r)
        end = z0 * ((k * r) ** 2 / (2 if not self.back else 4) / (1 + (k * r) ** 2 / 2) + 0.82j * k * r / (1 + (k * r) ** 2 / 3)) + self.choke
        cosh, sinh = np.cosh(gamma * self.length), np.sinh(gamma * self.length)
        return z0 * (end * cosh + z0 * sinh) / (z0 * cosh + end * sinh) + 0.6j * k * r * z0, z0 / (z0 * cosh + end * sinh)


@dataclass
class Speaker:
    drivers: list
    width: float
    height: float
    depth: float
    loading: str = ""
    inside: tuple = ()
    lining: float = 8.0  # the duct's Q
    at: float = 0.4  # of the driver, along the longest inside
    vent: Vent = None
    leak: float = 0.0  # acoustic ohms
    wall: tuple = ()  # Hz, Q, mobile volume over the box's compliance
    round_: float = 0.0
    crossings: list = field(default_factory=list)
    order: int = 4
    passive: bool = False
    trap: tuple = ()  # Hz, Q, ohm, in series with all
    late: dict = field(default_factory=dict)
    sign: dict = field(default_factory=dict)
    gain: dict = field(default_factory=dict)
    frame: float = 0.0  # of an open panel
    even: bool = True  # whether the correction makes up for the step
    corrections: dict = field(default_factory=dict)
    seen: dict = field(default_factory=dict)

    @property
    def volume(self):
        return self.inside[0] * self.inside[1] * self.inside[2]

    @property
    def ways(self):
        return self.drivers

    @property
    def cross(self):
        return self.crossings[-1] if self.crossings else 0.0

    def at_list(self, f, h=0.0):
        return np.interp(f, F, np.abs(self.pressure(h)))

    def forget(self):
        self.seen = {}
        return self

    def flows(self, f):
        """Per volt at the first driver: cone, vent, wall; and that driver's impedance."""
        d = self.drivers[0]
        if not self.inside:
            u, z = d.electric(f, 0.0)
            return u, None, None, z
        length = max(self.inside)
        area = self.volume / length
        k = 2 * np.pi * f / C * (1 - 0.5j / self.lining)
        green = lambda a, b: -1j * RHO * C / area * np.cos(k * min(a, b) * length) * np.cos(k * (1 - max(a, b)) * length) / np.sin(k * length)
        taps, out = [], []
        if self.vent:
            z, through = self.vent.taps(f)
            taps.append((self.vent.x, 1 / z))
            out.append(through)
        if self.leak:
            taps.append((0.3, 1 / (self.leak + 2j * np.pi * f * 20.0)))
        if self.wall:
            hz, q, share = self.wall
            w, wn = 2j * np.pi * f, 2 * np.pi * hz
            compliance = share * self.volume / (RHO * C * C)
            taps.append((0.55, w * compliance * wn * wn / (wn * wn + w * w + w * wn / q)))
        n = len(taps)
        m = np.zeros((len(f), n, n), complex)
        b = np.zeros((len(f), n), complex)
        for i, (xi, _) in enumerate(taps):
            b[:, i] = green(xi, self.at)
            for j, (xj, y) in enumerate(taps):
                m[:, i, j] = (i == j) + green(xi, xj) * y
        p = np.linalg.solve(m, b[..., None])[..., 0] if n else b
        own = green(self.at, self.at) - sum(green(self.at, x) * y * p[:, i] for i, (x, y) in enumerate(taps))
        u, z = d.electric(f, own)
        vent = -u * p[:, 0] * taps[0][1] * out[0] if self.vent else None
        wall = -u * p[:, -1] * taps[-1][1] if self.wall else None
        return u, vent, wall, z

    def part(self, f, d):
        """Volume velocity of a driver per volt, and its impedance."""
        if d is self.drivers[0]:
            flows = self.flows(f)
            return flows[0], flows[3]
        return d.electric(f, 0.0)

    def ladder(self, f, d, z):
        """What a passive branch passes, and the load it is."""
        w, i = 2j * np.pi * f, self.drivers.index(d)
        one, load = np.ones_like(w), z
        if not self.passive or len(self.drivers) == 1:
            return one, load
        if i < len(self.drivers) - 1:
            f0, r = self.crossings[i], d.re
            zobel = r + 1 / (w * d.le / r**2 * 1.2)
            down = 1 / (1 / load + 1 / zobel + w / (2 * np.pi * f0 * 2 * r))
            series = w * 2 * r / (2 * np.pi * f0) + 0.25
            one, load = one * down / (series + down), series + down
        if i > 0:
            f0, r = self.crossings[i - 1], d.re
            down = 1 / (1 / load + 1 / (w * 2 * r / (2 * np.pi * f0) + 0.2))
            series = 1 / (w / (2 * np.pi * f0 * 2 * r)) + 0.6 * r
            one, load = one * down / (series + down), series + down
        return one, load

    def terminals(self, f):
        if not self.passive:
            return self.part(f, self.drivers[0])[1]
        sum_ = sum(1 / self.ladder(f, d, self.part(f, d)[1])[1] for d in self.drivers)
        return 1 / sum_ + self.trapped(f)

    def trapped(self, f):
        if not self.trap:
            return 0.0
        hz, q, ohm = self.trap
        return ohm / (1 + 1j * q * (f / hz - hz / f))

    def drive(self, f, d):
        """Voltage at a driver per volt of the amplifier, with all that is before it."""
        key = ("drive", d.name)
        if f is F and key in self.seen:
            return self.seen[key]
        z = self.part(f, d)[1]
        h = self.ladder(f, d, z)[0]
        if self.trap:
            whole = self.terminals(f)
            h = h * (whole - self.trapped(f)) / whole
        if d.name in self.corrections:
            level = self.corrections[d.name]
            fix = least_phase(level)
            h = h * (fix if f is F else np.interp(f, F, fix.real) + 1j * np.interp(f, F, fix.imag))
        h = h * self.sign.get(d.name, 1) * self.gain.get(d.name, 1.0) * np.exp(-2j * np.pi * f * self.late.get(d.name, 0.0))
        if f is F:
            self.seen[key] = h
        return h

    def edges(self, d, y, h, v, r, wall=False):
        """Over F: what the edges add, re the half-space's direct sound; and the direct sound's own factor."""
        key = ("edge", d.name if d else "", y, h, v, r)
        if key in self.seen:
            return self.seen[key]
        x = d.x if d else 0.0
        plate = self.loading == "open-baffle"
        nu = 0.5 if plate else 2 / 3
        receiver = r * np.array([np.sin(h) * np.cos(v), np.sin(v), np.cos(h) * np.cos(v)])
        source = np.array([x, y, 0.0])
        way = np.linalg.norm(receiver - source)
        total = np.zeros(1 << 15)
        fine = RATE * 4
        w2, h2 = self.width / 2, self.height / 2
        for along, level, size in ((1, w2, h2), (1, -w2, h2), (0, h2, w2), (0, -h2, w2)):
            across = 1 - along
            count = max(int(2 * size / 0.002), 60)
            t = (np.arange(count) + 0.5) / count * 2 * size - size
            q = np.zeros((count, 3))
            q[:, along], q[:, across] = t, level
            m, l = np.linalg.norm(q - source, axis=1), np.linalg.norm(q - receiver, axis=1)
            rs = abs(level - source[across])
            out = (receiver[across] - level) * np.sign(level - source[across])
            rr = np.hypot(out, receiver[2])
            theta = np.pi - np.arctan2(receiver[2], out)
            theta = theta if plate else min(theta, 1.5 * np.pi)
            ch = np.maximum((m * l + (t - source[along]) * (t - receiver[along])) / (rs * rr), 1.0)
            eta = np.arccosh(ch)
            beta = sum(2 * np.sin(nu * s) / (np.cosh(nu * eta) - np.cos(nu * s) + 1e-9) for s in (np.pi + theta, np.pi - theta))
            share = -nu / (8 * np.pi) * beta / (m * l) * (2 * size / count) * way
            at = (m + l - way) / C * fine
            i = np.clip(at.astype(int), 0, len(total) - 2)
            np.add.at(total, i, share * (1 - (at - i)))
            np.add.at(total, i + 1, share * (at - i))
        n = N * 4
        edge = np.fft.rfft(total, n)[: len(F)]
        edge *= 1 / (1 + (F * 4 * self.round_ / C) ** 2)  # a rounded edge turns what is shorter than itself less
        lateral = d.lobe(F, np.pi / 2 * 0.999, 0.0) if d else 1.0
        front = np.cos(h) * np.cos(v) > 1e-6
        if not plate:
            # Of the first order only: below, a box is as if it were not there.
            low = (0.5 - (1.0 if front else 0.0)) / edge[0].real if abs(edge[0]) > 0.05 else 1.0
            edge = edge * (1 + (low - 1) / (1 + (F * 3.5 * self.width / C) ** 2))
        self.seen[key] = (1.0 if front else 0.0, edge * lateral, way)
        return self.seen[key]

    def pressure(self, h=0.0, v=0.0, r=1.0, only=None, flip=None, wall=False):
        """Over F, degrees, m, 1 V."""
        h, v = np.radians(h), np.radians(v)
        w, p = 2j * np.pi * F, np.zeros(len(F), complex)
        lone = 2 * np.pi * F / C
        for d in self.drivers:
            if only and d.name != only:
                continue
            u = self.part(F, d)[0] * self.drive(F, d) * (-1 if flip == d.name else 1)
            for y in d.ys:
                if wall or self.loading in ("large-baffle", "free-air"):
                    there = r * np.array([np.sin(h) * np.cos(v), np.sin(v), np.cos(h) * np.cos(v)]) - np.array([d.x, y, 0])
                    shape, way = d.lobe(F, h, v), np.linalg.norm(there)
                else:
                    direct, edge, way = self.edges(d, y, h, v, r)
                    shape = direct * d.lobe(F, h, v) + edge
                    if self.loading == "open-baffle":
                        back, behind, _ = self.edges(d, y, np.pi - h, v, r)
                        hollow = 1.0
                        if self.frame:
                            mouth = np.sqrt(self.width * self.height / np.pi)
                            end = (lone * mouth) ** 2 / 4 + 0.61j * lone * mouth
                            end = end / (1 + np.abs(end))
                            hollow = np.exp(1j * lone * self.frame * np.cos(h) * -1) / (np.cos(lone * self.frame) + 1j * end * np.sin(lone * self.frame) + 0.05)
                        shape = shape - (back * d.lobe(F, np.pi - h, v) + behind) * hollow
                p = p + w * RHO * u / len(d.ys) / (2 * np.pi * way) * shape * np.exp(-1j * lone * (way - r - d.z * np.cos(h)))
        if self.inside and not only or (only == self.drivers[0].name and self.inside):
            pushed = self.drive(F, self.drivers[0])
            _, vent, panel, _ = self.flows(F)
            if vent is not None:
                d, y = self.drivers[0], self.vent.y
                if self.vent.back:
                    k = 1 / (2 + 0.5 * (lone * self.width) ** 2) * np.exp(-1j * lone * self.depth)
                else:
                    direct, edge, _ = self.edges(d, y, h, v, r)
                    k = direct + edge
                p = p + w * RHO * vent * pushed / (2 * np.pi * r) * k
            if panel is not None:
                p = p + w * RHO * panel * pushed / (4 * np.pi * r) * np.exp(-1j * lone * self.depth / 2)
        return p


def even_out(s, rng, widths=(0.4, 0.9), window=(0.0, 15.0, 30.0)):
    """Target slopes over what the listening window is, its ripple left in."""
    s.corrections, s.seen = {}, {}
    octaves = rng.uniform(*widths)
    levels = {}
    for d in s.drivers:
        own = [np.abs(s.pressure(h, 0.0, 1.0, only=d.name, wall=not s.even)) ** 2 for h in window]
        levels[d.name] = broad(F, 10 * np.log10(np.mean(own, axis=0) / 4e-10 + 1e-9), octaves)
    low = s.drivers[0]
    middle = (F > 120) & (F < (s.crossings[0] if s.crossings else 3000))
    aim = np.median(levels[low.name][middle]) - 3.0
    bottom = 60.0 if low.a > 0.03 else 120.0
    for k, d in enumerate(s.drivers):
        target = np.zeros_like(F) + aim
        if k < len(s.crossings):
            target = target - 20 * np.log10(1 + (F / s.crossings[k]) ** s.order)
        if k > 0:
            target = target - 20 * np.log10(1 + (s.crossings[k - 1] / F) ** s.order)
        fix = np.clip(target - levels[d.name], -40, 14)
        if k == 0:  # the bass stays the box's
            knee = bottom * 2.0
            fix = np.where(F < knee, np.interp(knee, F, fix), fix)
        fix = np.where(F > 17000, np.interp(17000, F, fix), fix)
        s.corrections[d.name] = fix
    s.seen = {k: v for k, v in s.seen.items() if k[0] == "edge"}
    # What is left between neighbours: time of the centres, and sometimes a sign.
    for k, f0 in enumerate(s.crossings):
        about = np.searchsorted(F, f0 * 2.0 ** np.linspace(-0.8, 0.8, 60))
        lower, upper = (s.pressure(only=d.name)[about] for d in s.drivers[k : k + 2])
        tries = [(np.mean(loud(lower + sign * upper * np.exp(-2j * np.pi * F[about] * t))), sign, t) for sign in (1, -1) for t in np.linspace(-0.5, 0.5, 61) / f0]
        _, sign, t = max(tries)
        name = s.drivers[k + 1].name
        s.sign[name] = sign * s.sign.get(name, 1)
        for d in s.drivers[: k + 1] if t < 0 else s.drivers[k + 1 : k + 2]:
            s.late[d.name] = s.late.get(d.name, 0.0) + abs(t)
        s.seen = {key: v for key, v in s.seen.items() if key[0] == "edge"}
    return s


@dataclass
class Session:
    """How and where it was taken."""

    points: float = 48.0  # an octave; below 0: the transform's own bins
    smooth: int = 0
    phase: bool = True
    flight: bool = False
    gate: float = 0.006
    whole: bool = False  # lists from 20 Hz whatever the gate
    r: float = 1.0
    hiss: float = -58.0  # dB of the impulse's peak, white, over its length
    sides: list = field(default_factory=lambda: [0, 15, 30, 45, 60])
    up: list = field(default_factory=list)
    near: bool = True
    free: bool = True
    box: bool = True
    alone: bool = False
    flip: bool = False
    wall: bool = False
    impulses: bool = False
    drive: bool = True
    repeats: int = 1
    table: tuple = ()  # size and m of a surface's copy
    hum: tuple = ()
    clip: float = 0.0
    units: list = field(default_factory=list)
    variants: list = field(default_factory=list)  # (id, what changed, speaker)
    rig: float = 0.003
    gaps: bool = False  # no inner sizes
    outside: bool = False


class Taker:
    def __init__(self, folder, speaker, session, rng):
        self.to, self.s, self.c, self.rng, self.takes = Path(folder), speaker, session, rng, []
        self.to.mkdir(parents=True, exist_ok=True)
        self.bends = rng.normal(0, 0.12, 4)  # of the microphone
        self.room = [(rng.uniform(2.1, 3.2), 0.7), (rng.uniform(3.0, 4.0), 0.6), (rng.uniform(4.0, 6.0), 0.5)]

    def sounded(self, p, r, quiet=0.0, room=True):
        """The impulse as it is recorded: arrival after 1 ms, copies off the room, noise."""
        cut = 1 / (1 + (F / 30000) ** 12)
        pulse = np.fft.irfft(p * cut * np.exp(-2j * np.pi * F * 1e-3), N)
        out = pulse.copy()
        hear = self.room if room and not self.c.outside else []
        if self.c.table:
            hear = hear + [(self.c.table[1], self.c.table[0])]
        for more, size in hear:
            late = more / C
            out += np.fft.irfft(p * cut * size * r / (r + more) / (1 + (F / 7000) ** 2) ** 0.5 * np.exp(-2j * np.pi * F * (1e-3 + late)), N) if more > 1.9 else (
                np.fft.irfft(p * cut * size / (1 + (F / 11000) ** 2) ** 0.5 * np.exp(-2j * np.pi * F * (1e-3 + late)), N))
        white = self.rng.normal(size=N) * np.abs(pulse).max() * 10 ** ((self.c.hiss + quiet) / 20)
        return out + white

    def gated(self, x, gate):
        t = np.arange(N) / RATE - 1e-3
        w = np.where(t < 0.5 * gate, 1.0, 0.5 + 0.5 * np.cos(np.pi * np.clip((t / gate - 0.5) / 0.5, 0, 1))) * (t < gate) * (t > -0.8e-3)
        return np.fft.rfft(x * w) * np.exp(2j * np.pi * F * 1e-3)

    def list(self, name, p, low, high, r=0.0):
        """Reads a transform off on a list."""
        c = self.c
        if c.points < 0:
            f = np.arange(np.ceil(low / -c.points), high / -c.points) * -c.points
        else:
            f = low * 2.0 ** (np.arange(int(np.log2(high / low) * c.points) + 1) / c.points)
        if c.hum:
            for k in (1, 2, 3, 4, 5, 6, 7, 9):
                i = np.argmin(np.abs(F - c.hum[0] * k))
                p[i - 1 : i + 2] = p[i - 1 : i + 2] * (1 + np.array([0.5, 1, 0.5]) * (10 ** (c.hum[1] / k**0.5 / 20) - 1) * np.exp(1j * self.rng.uniform(-1, 1)))
        level = loud(p)
        if c.smooth:
            half = 2 ** (0.5 / c.smooth)
            sums = np.concatenate([[0], np.cumsum(np.abs(p) ** 2)])
            lo, hi = np.searchsorted(F, f / half), np.searchsorted(F, f * half)
            hi = np.maximum(hi, lo + 1)
            mean = (sums[np.minimum(hi, len(F))] - sums[lo]) / (hi - lo)
            on = 10 * np.log10(mean / 4e-10 + 1e-12)
        else:
            on = np.interp(f, F, level)
        x = np.log2(f / 800) / 5
        on = on + self.bends @ np.stack([np.ones_like(f), x, x * x, np.sin(4 * x)])
        turn = np.degrees(np.interp(f, F, np.unwrap(np.angle(p))) - (2 * np.pi * f * r / C if c.flight and r else 0.0))
        cols = [f, on] + ([(turn + 180) % 360 - 180] if c.phase else [])
        with open(self.to / name, "w") as out:
            out.write("* Hz dB" + (" deg" if c.phase else "") + "\n")
            np.savetxt(out, np.stack(cols, 1), fmt="%.4f")

    def response(self, name, h, v, extra=None, s=None, **how):
        s, c = s or self.s, self.c
        p = s.pressure(h, v, c.r, **how) * 2.83
        x = self.sounded(p, c.r)
        take = {"id": name, "horizontal_deg": h, "vertical_deg": v, "distance_m": c.r, **(extra or {})}
        if c.drive:
            take["drive_v"] = 2.83
        if c.impulses:
            whole = np.concatenate([np.zeros(int(RATE * c.r / C)), x[int(RATE * 1e-3) :]])[: N // 2]
            wavfile.write(self.to / f"{name}.wav", RATE, (whole / 100).astype(np.float32))
            self.takes.append({**take, "kind": "impulse-response", "file": f"{name}.wav", "channel": 0, "t0_s": 0.0})
            return
        low = 20.0 if c.whole else max(1.0 / c.gate, 20.0)
        self.list(f"{name}.frd", self.gated(x, c.gate), low, 20000.0, c.r)
        take.update({"kind": "response", "file": f"{name}.frd", "gate_ms": round(c.gate * 1e3, 2)})
        if c.flight:
            take["delay_included"] = True
        self.takes.append(take)

    def close(self, name, source, s, of, area, other, apart, extra=None):
        """A microphone 5 mm before a cone or a vent; the other one is heard too."""
        k = 2 * np.pi * F / C
        a = np.sqrt(area / np.pi)
        p = RHO * C * of / area * (np.exp(-0.005j * k) - np.exp(-1j * k * np.hypot(a, 0.005)))
        if other is not None:
            p = p + 1j * k * RHO * C * other / (2 * np.pi * apart)
        p = p * s.drive(F, s.drivers[0]) * 2.83
        saved, self.c.table = self.c.table, ()
        x = self.sounded(p, 0.005, quiet=-10.0, room=False)
        self.c.table = saved
        self.list(f"{name}.frd", np.fft.rfft(x) * np.exp(2j * np.pi * F * 1e-3), 12.0 if self.c.points > 0 else -self.c.points, 1500.0)
        take = {"id": name, "kind": "near-field", "source": source, "file": f"{name}.frd", **(extra or {})}
        if self.c.drive:
            take["drive_v"] = 2.83
        self.takes.append(take)

    def ohms(self, name, z, f, extra):
        z = z * (1 + self.c.rig * self.rng.normal() + 0.0008 * (self.rng.normal(size=len(f)) + 1j * self.rng.normal(size=len(f))))
        with open(self.to / f"{name}.zma", "w") as out:
            out.write("* Hz ohm deg\n")
            np.savetxt(out, np.stack([f, np.abs(z), np.degrees(np.angle(z))], 1), fmt="%.5g")
        self.takes.append({"id": name, "kind": "impedance", "file": f"{name}.zma", **extra})

    def bass(self, s, tag, extra):
        f = np.geomspace(8, 22000, 900)
        first = s.drivers[0]
        if self.c.box and s.inside:
            self.ohms("z-box" + tag, s.terminals(f), f, {"condition": "in-box", **({} if s.passive or len(s.drivers) == 1 else {"driver": first.name}), **extra})
        if self.c.near and s.inside:
            u, vent, _, _ = s.flows(F)
            n = len(first.ys)
            # Round a corner half of it, and farther.
            apart = 2 * (s.depth + 0.1) if s.vent and s.vent.back else abs(s.vent.y - first.ys[0]) if s.vent else 1.0
            self.close("near-cone" + tag, first.name, s, u / n, first.sd / n, vent, apart, extra)
            if vent is not None:
                self.close("near-vent" + tag, "radiator" if s.vent.mass else "port", s, vent, s.vent.area, u, apart, extra)

    def all(self):
        s, c = self.s, self.c
        if c.units:
            for unit, one in zip("ABC", [s] + c.units):
                for k in (1, 2):
                    self.response(f"{unit}-{k}", 0, 0, {"sample": unit}, s=one)
        else:
            for h in c.sides:
                for k in range(c.repeats if h == 0 else 1):
                    self.response(f"hor{h:+d}" + (f"-again{k}" if k else ""), h, 0)
            for v in c.up:
                self.response(f"ver{v:+d}", 0, v)
            last = s.drivers[-1].name
            if len(s.drivers) > 1 and c.alone:
                for d in s.drivers:
                    self.response("only-" + d.name, 0, 0, {"driver": d.name}, only=d.name)
            if len(s.drivers) > 1 and c.flip:
                self.response("turned", 0, 0, {"polarity_flipped": last}, flip=last)
            if c.wall:
                self.response("in-wall", 0, 0, {"condition": "large-baffle", "driver": last}, only=last, wall=True)
        if c.clip:
            self.recorded()
        self.bass(s, "", {"variant": "as-is"} if c.variants else {})
        for name, _, other in c.variants:
            self.bass(other, "-" + name, {"variant": name})
        if c.free:
            f = np.geomspace(8, 22000, 900)
            for d in s.drivers[:2]:
                if d.role != "tweeter" and not d.own_box and len(d.ys) == 1:
                    self.ohms(f"z-{d.name}", d.electric(f, 0.0)[1], f, {"condition": "free-air", "driver": d.name})
        variants = {"variants": [{"id": "as-is", "changed": ""}] + [{"id": n, "changed": what} for n, what, _ in c.variants]} if c.variants else {}
        if c.variants:
            for t in self.takes:
                if t["kind"] != "impedance" or t.get("condition") != "free-air":
                    t.setdefault("variant", "as-is")
        (self.to / "set.json").write_text(json.dumps({"format": "lalometer-set", "version": 1, "subject": self.subject(), "takes": self.takes, **variants}))

    def recorded(self):
        rate, long, lead = 48000, 2.5, 0.4
        t = np.arange(int(rate * long)) / rate
        k = np.log(20000 / 20)
        sweep = 0.5 * np.sin(2 * np.pi * 20 * long / k * (np.exp(t / long * k) - 1))
        pulse = np.fft.irfft(self.s.pressure(0, 0, self.c.r)[: N // 4 + 1] / (1 + (F[: N // 4 + 1] / 21000) ** 20), N // 2)
        delay = int(self.c.r / C * rate)
        x = fftconvolve(np.concatenate([np.zeros(int(lead * rate) + delay), sweep, np.zeros(rate)]), pulse)[: int(rate * (lead + long + 1))]
        x = x / np.abs(x).max() + self.rng.normal(0, 2e-4, len(x))
        x = np.clip(x, -self.c.clip, self.c.clip) / self.c.clip
        wavfile.write(self.to / "sweep.wav", rate, (x * 0.95).astype(np.float32))
        self.takes.append({"id": "sweep", "kind": "sweep", "file": "sweep.wav", "channel": 0, "horizontal_deg": 0, "vertical_deg": 0, "distance_m": self.c.r,
                           "stimulus": {"type": "exponential-sweep", "start_hz": 20, "stop_hz": 20000, "duration_s": long, "lead_in_s": lead, "amplitude": 0.5}})

    def subject(self):
        s = self.s
        mm = lambda m: round(1e3 * float(m), 1)
        drivers = []
        for d in s.drivers:
            for i, y in enumerate(d.ys):
                drivers.append({"id": d.name + (str(i + 1) if i else ""), "role": d.role, "x_mm": mm(d.x), "y_mm": mm(y), "z_mm": mm(d.z),
                                "sd_cm2": round(1e4 * d.sd / len(d.ys), 2), **({} if d.flat else {"diameter_mm": mm(2.3 * d.a)})})
        out = {"name": "Chain", "kind": "loudspeaker" if s.loading not in ("free-air", "large-baffle") else "driver", "loading": s.loading, "drivers": drivers}
        if s.loading not in ("free-air", "large-baffle"):
            out["baffle"] = {"width_mm": mm(s.width), "height_mm": mm(s.height), "depth_mm": mm(s.depth), "edge_radius_mm": mm(s.round_),
                             "left_mm": mm(s.width / 2), "top_mm": mm(s.height / 2)}
        if s.inside:
            out["box"] = {"net_volume_l": round(1e3 * s.volume, 2)}
            if not self.c.gaps:
                w, h, d = s.inside
                out["box"].update({"inner_width_mm": mm(w), "inner_height_mm": mm(h), "inner_depth_mm": mm(d)})
        if s.vent and s.vent.mass:
            out["passive_radiators"] = [{"id": "radiator", "panel": "back", "sd_cm2": round(1e4 * s.vent.area, 1), "moving_mass_g": round(1e3 * s.vent.mass, 1)}]
        elif s.vent:
            out["ports"] = [{"id": "port", "panel": "back" if s.vent.back else "front", "diameter_mm": mm(2 * np.sqrt(s.vent.area / np.pi)),
                             "length_mm": mm(s.vent.length), "count": 1, "x_mm": 0, "y_mm": mm(s.vent.y)}]
        if s.frame:
            out["wings"] = {"left_mm": mm(s.frame), "right_mm": mm(s.frame)}
        if s.crossings:
            out["crossovers"] = [{"low": a.name, "high": b.name, "frequency_hz": round(f), "order": s.order} for a, b, f in zip(s.drivers, s.drivers[1:], s.crossings)]
        return out
