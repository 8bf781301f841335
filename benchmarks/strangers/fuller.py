"""Fuller loudspeakers: three ways, coaxials, waveguides, ribbons, subwoofers, drivers by themselves; and days with other
habits: bins of a transform, smoothing, flight time left in, no drive told.

A third theory beside designs.py and plain.py, nothing shared: cones of two masses, boxes as sums of all their waves in three
dimensions, edges by a line integral with obliquity, corrections of minimum phase as an active loudspeaker has them.
"""

import json
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from scipy.io import wavfile
from scipy.signal import fftconvolve
from scipy.special import j1

RHO, C = 1.19, 344.2
P0 = 2e-5


def db(p):
    return 20 * np.log10(np.maximum(np.abs(p), 1e-12) / P0)


@dataclass
class Part:
    """A driver. Its outer mass hangs on its inner one: (share of mass, Hz, Q, share of area)."""

    name: str
    role: str
    a: float
    y: float = 0.0
    x: float = 0.0
    z: float = 0.0
    fs: float = 40.0
    qms: float = 4.0
    qes: float = 0.4
    mms: float = 0.015
    re: float = 5.6
    le: float = 0.4e-3
    outer: list = field(default_factory=list)
    mouth: float = 0.0  # radius of a waveguide's
    strip: tuple = None  # width and height of a ribbon
    own_volume: float = 0.0  # behind it, shut off from the box
    thin: float = 0.0  # how fast the radiating part shrinks

    @property
    def sd(self):
        return self.strip[0] * self.strip[1] if self.strip else np.pi * self.a**2

    @property
    def bl(self):
        return np.sqrt(2 * np.pi * self.fs * self.mms * self.re / self.qes)

    def masses(self, f):
        """Mechanical impedance without the air behind, and what radiates re a rigid cone."""
        w = 2j * np.pi * f
        w0 = 2 * np.pi * self.fs
        stiff = w0 * w0 * self.mms
        z = w * self.mms + w0 * self.mms / self.qms + stiff / w * (1 - 0.05 * np.log10(w / 2j / np.pi / self.fs + 0j))
        shape = 1.0 + 0j * f
        for share, f0, q, area in self.outer:
            m = share * self.mms
            k, r = m * (2 * np.pi * f0) ** 2, m * 2 * np.pi * f0 / q
            hang = k / w + r
            follows = hang / (w * m + hang)
            z = z + w * m * (follows - 1)
            shape = shape + area * (follows - 1)
        return z, shape

    def coil(self, f):
        return self.re + self.le * 2e3 * np.pi * (1j * f / 1e3) ** 0.68

    def directs(self, f, h, v):
        k = 2 * np.pi * f / C
        if self.strip:
            side = np.sinc(k * self.strip[0] * np.sin(h) / (2 * np.pi))
            up = np.sinc(k * self.strip[1] * np.sin(v) / (2 * np.pi))
            return side * up
        s = np.sqrt(1 - (np.cos(h) * np.cos(v)) ** 2)
        a = self.a / (1 + self.thin * (k * self.a / 3) ** 2) ** 0.25
        if self.mouth:  # a wide piston below, a cone of constant width above
            a = np.minimum(self.mouth * 0.9, 2.3 / k)
            a = np.maximum(a, self.a)
        x = np.maximum(k * a * s, 1e-6)
        out = 2 * j1(x) / x
        if self.mouth:
            out = np.sqrt(out**2 + 0.02)
        return out


@dataclass
class Hole:
    """A pipe or a passive radiator, at a place of the box."""

    area: float
    length: float = 0.0
    q: float = 30.0
    resist: float = 0.0
    mass: float = 0.0
    fs: float = 0.0
    front: bool = True
    y: float = -0.2

    def through(self, f):
        """Impedance from inside, and what leaves re what enters."""
        w = 2j * np.pi * f
        if self.mass:
            w0 = 2 * np.pi * self.fs
            return self.mass / self.area**2 * (w + w0 / self.q + w0 * w0 / w), 1.0 + 0j * f
        r = np.sqrt(self.area / np.pi)
        k = 2 * np.pi * f / C * (1 - 0.5j / self.q)
        z0 = RHO * C / self.area
        out = z0 * ((2 * np.pi * f / C * r) ** 2 / 4 + 0.6133j * 2 * np.pi * f / C * r) + self.resist
        cos, sin = np.cos(k * self.length), np.sin(k * self.length)
        top, bottom = out * cos + 1j * z0 * sin, cos + 1j * out / z0 * sin
        return top / bottom + w * RHO * 0.8 * r / self.area, 1 / bottom


@dataclass
class Cabinet:
    size: tuple  # inner width, height, depth
    q: float = 7.0
    absorb: float = 50.0
    leak: float = 0.0  # resistance, Pa s/m3; 0: tight
    panel: tuple = None  # Hz, Q, share of the air's spring
    at: tuple = (0.5, 0.6, 0.02)  # of the woofer, shares of the size
    hole_at: tuple = (0.5, 0.15, 0.02)

    @property
    def volume(self):
        return float(np.prod(self.size))

    def spring(self, f, one, two, soft):
        w = 2 * np.pi * f
        c2 = RHO * C * C / self.volume
        total = 0j * f
        for n in np.ndindex(3, 4, 3):
            kn = np.pi * np.array(n) / self.size
            wn = C * np.linalg.norm(kn)
            if wn == 0.0 or wn > 2 * np.pi * 3000:
                continue
            shape = lambda p: np.prod(np.cos(np.pi * np.array(n) * np.array(p))) * np.sinc(kn[0] * soft / np.pi) * np.sinc(kn[1] * soft / np.pi)
            weight = 2 ** np.count_nonzero(n)
            total = total + weight * shape(one) * shape(two) / (wn * wn - w * w + 1j * w * wn / self.q)
        return 1j * w * c2 * total


@dataclass
class Whole:
    parts: list
    width: float
    height: float
    depth: float
    loading: str
    cabinet: Cabinet = None
    hole: Hole = None
    crossings: list = field(default_factory=list)
    order: int = 4
    round_: float = 0.01
    step_made_up: bool = True
    signs: dict = field(default_factory=dict)
    late: dict = field(default_factory=dict)
    trap: tuple = None  # Hz, Q, ohm
    wings: float = 0.0
    active: bool = False
    gain: float = 1.0
    corrections: dict = field(default_factory=dict)

    @property
    def ways(self):
        return self.parts

    @property
    def cross(self):
        return self.crossings[-1] if self.crossings else 0.0

    def circuit(self, f, part, boxed=True):
        """Volume velocity of cone, hole and leak per volt, and the impedance at the coil."""
        w = 2j * np.pi * f
        zm, shape = part.masses(f)
        hole = leak = 0j * f
        if boxed and part.own_volume:
            zm = zm + RHO * C * C * part.sd**2 / part.own_volume / w
        elif boxed and self.cabinet and part is self.parts[0]:
            b = self.cabinet
            w0 = 2 * np.pi * self.rests_at()
            cab = b.volume / (RHO * C * C)
            y = w * cab + w0 * cab / b.absorb
            slit = 1 / (b.leak * (1 + w / (2 * np.pi * 350))) if b.leak else 0.0
            y = y + slit
            wall = 0.0
            if b.panel:
                u = f / b.panel[0]
                wall = b.panel[2] * w * cab / (1 - u * u + 1j * u / b.panel[1])
                y = y + wall
            z = 1 / y
            soft = part.a
            dd = z + b.spring(f, b.at, b.at, soft)
            if self.hole:
                zh, out = self.hole.through(f)
                dh = z + b.spring(f, b.at, b.hole_at, soft)
                hh = z + b.spring(f, b.hole_at, b.hole_at, 0.02)
                share = dh / (zh + hh)
                load = dd - dh * share
                hole = -share * out
                inside = z * (1 - share)
            else:
                load, inside = dd, z
            leak = -inside * (slit + wall)
            zm = zm + part.sd**2 * load
        ze = part.coil(f)
        z = ze + part.bl**2 / zm
        u = part.bl / (z * zm) * part.sd
        return u * shape, u * hole, u * leak, z

    def rests_at(self):
        p, b = self.parts[0], self.cabinet
        if self.hole is None:
            vas = RHO * C * C * p.sd**2 / (p.mms * (2 * np.pi * p.fs) ** 2)
            return p.fs * np.sqrt(1 + vas / b.volume)
        cab = b.volume / (RHO * C * C)
        h = self.hole
        if h.mass:
            return np.sqrt(1 / (h.mass / h.area**2 * cab)) / 2 / np.pi
        r = np.sqrt(h.area / np.pi)
        return np.sqrt(h.area / (RHO * (h.length + 1.41 * r) * cab)) / 2 / np.pi

    def rim(self, part, n=160):
        """Points along the front's edges, with each one's share."""
        x0, x1 = -self.width / 2 - part.x, self.width / 2 - part.x
        y0, y1 = -self.height / 2 - part.y, self.height / 2 - part.y
        per = n // 4
        t = (np.arange(per) + 0.5) / per
        xs = np.concatenate([x0 + (x1 - x0) * t, x0 + (x1 - x0) * t, np.full(per, x0), np.full(per, x1)])
        ys = np.concatenate([np.full(per, y0), np.full(per, y1), y0 + (y1 - y0) * t, y0 + (y1 - y0) * t])
        step = np.concatenate([np.full(2 * per, (x1 - x0) / per), np.full(2 * per, (y1 - y0) / per)])
        out = np.concatenate([np.full(per, -y0), np.full(per, y1), np.full(per, -x0), np.full(per, x1)])
        r = np.hypot(xs, ys)
        return xs, ys, r, step * out / r**2 / (2 * np.pi)

    def edges(self, f, part, h, v):
        """What the front makes of a source in a wall; the microphone far away."""
        k = 2 * np.pi * f / C
        xs, ys, r, share = self.rim(part)
        cos = np.cos(h) * np.cos(v)
        way = r - xs * np.sin(h) * np.cos(v) - ys * np.sin(v) * np.cos(h)
        sent = np.exp(-1j * np.outer(k, way)) @ share
        if self.loading == "open-baffle":
            return (1 if cos > 1e-9 else -1) * (1 - sent) * min(1.0, abs(cos) ** 0.3 + 0.02)
        soft = np.exp(-((k * self.round_) ** 1.5) / 6)
        narrow = 1 / np.sqrt(1 + (k * part.a / 2.2) ** 2) if not part.mouth else 1 / np.sqrt(1 + (k * part.mouth / 1.8) ** 2)
        lit = 1 / (1 + np.exp(-6 * cos)) if abs(cos) < 0.6 else float(cos > 0)
        again = np.exp(-1j * k * (self.depth + 0.5 * self.width)) * 0.12 / (1 + (k * self.width / 2) ** 2)
        return lit - (lit - 0.5) * sent * soft * narrow - again

    def filters(self, f, part):
        g = 1.0 + 0j * f
        i = self.parts.index(part)
        s = 1j * f

        def slope(f0, high):
            u = s / f0
            if self.order == 4:
                low = 1 / (u * u + np.sqrt(2) * u + 1) ** 2
                return low * (u**4 if high else 1)
            low = 1 / (u * u + 2 * u + 1)
            return low * (-u * u if high else 1)

        if self.crossings:
            if i > 0:
                g = g * slope(self.crossings[i - 1], True)
            if i < len(self.parts) - 1:
                g = g * slope(self.crossings[i], False)
            # A three-way's woofer and tweeter turn alike through the slopes that they do not have themselves.
            if len(self.parts) == 3 and i == 0:
                g = g * (slope(self.crossings[1], True) + slope(self.crossings[1], False))
            if len(self.parts) == 3 and i == 2:
                g = g * (slope(self.crossings[0], True) + slope(self.crossings[0], False))
        if part.name in self.corrections:
            at, logs = self.corrections[part.name]
            g = g * np.exp(np.interp(np.log(f), at, logs.real) + 1j * np.interp(np.log(f), at, logs.imag))
        if self.trap and i == 0:
            f0, q, ohm = self.trap
            _, _, _, z = self.circuit(f, part)
            trap = ohm / (1 + 1j * q * (f / f0 - f0 / f))
            g = g * z / (z + trap)
        return g * self.signs.get(part.name, 1)

    def pressure(self, f, h=0.0, v=0.0, r=1.0, only=None, flipped=None, wall=False, bare=False):
        h, v = np.radians(h), np.radians(v)
        mic = r * np.array([np.sin(h) * np.cos(v), np.sin(v) * np.cos(h) if h == 0 else np.sin(v), np.cos(h) * np.cos(v)])
        k = 2 * np.pi * f / C
        total = 0j * f
        for part in self.parts:
            if only and part.name != only:
                continue
            cone, hole, leak, _ = self.circuit(f, part)
            place = np.array([part.x, part.y, part.z])
            way = np.linalg.norm(mic - place)
            th, tv = np.arctan2(mic[0] - part.x, abs(mic[2])), np.arctan2(mic[1] - part.y, np.hypot(mic[0], mic[2]))
            if mic[2] < 0:
                th = np.pi - th
            edge = 1.0 if wall else self.edges(f, part, th, tv)
            p = cone * part.directs(f, min(abs(th), np.pi / 2), tv) * edge
            if part is self.parts[0] and self.cabinet:
                # The vent and what leaks, round the box: a source without a front above 300 Hz.
                p = p + (hole + leak) * (0.5 if not wall else 1.0) * (1 + 1j * f / 250) / (1 + 1j * f / 600 * (1.2 if self.hole and self.hole.front else 3))
            p = p * 1j * k * RHO * C / (2 * np.pi) * np.exp(-1j * k * (way - r)) / way
            if not bare:
                p = p * self.filters(f, part) * np.exp(-2j * np.pi * f * self.late.get(part.name, 0.0))
            if flipped == part.name:
                p = -p
            total = total + p
        if self.wings:
            f0 = C / (4 * (self.wings + 0.25 * self.width))
            u = f / f0
            total = total * (1 + (0.9 if mic[2] > 0 else 1.6) * 1j * u / 3.5 / (1 - u * u + 1j * u / 3.5))
        return total * self.gain * 2.83

    def terminals(self, f):
        zs = [self.circuit(f, p)[3] for p in self.parts]
        if self.active or len(self.parts) == 1:
            return zs[0] + (self.trap_ohm(f) if self.trap else 0)
        w = 2j * np.pi * f
        y = 0
        for i, (part, z) in enumerate(zip(self.parts, zs)):
            if i == 0:
                z = z + (self.trap_ohm(f) if self.trap else 0)
            if i < len(self.parts) - 1:
                f0 = self.crossings[i]
                z = w * part.re * 1.25 / (2 * np.pi * f0) + 1 / (w / (2 * np.pi * f0 * part.re * 1.25) + 1 / z)
            if i > 0:
                f0 = self.crossings[i - 1]
                z = 1.5 + 1 / (w / (2 * np.pi * f0 * part.re * 1.2)) + 1 / (1 / (w * part.re * 1.2 / (2 * np.pi * f0)) + 1 / z)
            y = y + 1 / z
        return 1 / y

    def trap_ohm(self, f):
        f0, q, ohm = self.trap
        return ohm / (1 + 1j * q * (f / f0 - f0 / f))


def minimum_phase(at, magnitude):
    """ln of the complex gain over ln f, from its magnitude."""
    n = 1 << 15
    f = np.fft.rfftfreq(n, 1 / 96000)
    f[0] = f[1]
    logs = np.interp(np.log(f), at, np.log(magnitude))
    cep = np.fft.irfft(logs, n)
    cep[1 : n // 2] *= 2
    cep[n // 2 + 1 :] = 0
    full = np.fft.rfft(cep)
    return at, np.log(magnitude) + 1j * np.interp(np.exp(at), f, full.imag)


def corrected(s, rng, window=(0.0, 10.0, 20.0, 30.0)):
    """Every way made even over the window, as its designer would, third octaves at a time."""
    at = np.linspace(np.log(20), np.log(22000), 480)
    f = np.exp(at)
    for i, part in enumerate(s.parts):
        saw = np.mean([np.abs(s.pressure(f, h, 0, 2.0, only=part.name, bare=True, wall=not s.step_made_up)) ** 2 for h in window], axis=0)
        width = int(480 / 10 / 3)
        smooth = np.convolve(np.log(saw) / 2, np.ones(width) / width, "same")
        low = s.crossings[i - 1] * 0.35 if i > 0 else max(180.0, 2.5 * (s.rests_at() if s.cabinet else part.fs))
        high = s.crossings[i] * 3.0 if i < len(s.crossings) else 15000.0
        a, b = np.searchsorted(f, low), np.searchsorted(f, min(high, 15000.0))
        smooth[:a], smooth[b:] = smooth[a], smooth[b - 1]
        # A tweeter's own fall below is left to the slopes.
        gain = np.exp(np.clip(-smooth + np.log(P0 * 10 ** (87 / 20)) * 1.0, -6, 6))
        s.corrections[part.name] = minimum_phase(at, gain)
    return s


@dataclass
class Day:
    grid: str = "log"
    points: float = 48
    smooth: int = 0
    phase: str = "yes"  # yes, no, flight
    drive: bool = True
    sides: list = field(default_factory=lambda: [0, 15, 30, 45, 60])
    up: list = field(default_factory=list)
    noise_db: float = -48.0
    gate_ms: float = 6.0
    r: float = 1.0
    near: bool = True
    free: bool = True
    alone: bool = False
    flip: bool = False
    wall: bool = False
    sizes: bool = True
    impulses: bool = False
    cut: bool = False
    echoes: list = field(default_factory=list)
    hum: tuple = None
    clip: float = 0.0
    others: list = field(default_factory=list)
    repeats: int = 1
    jig: float = 0.003


class Keeper:
    def __init__(self, folder, s, day, rng):
        self.folder, self.s, self.day, self.rng, self.takes = Path(folder), s, day, rng, []
        self.folder.mkdir(parents=True, exist_ok=True)
        self.slope = rng.normal(0, 0.15, 3)

    def axis(self, low, high):
        if self.day.grid == "bins":
            step = max(2.0, min(12.0, low / 2))
            return np.arange(np.ceil(low / step), high / step) * step
        n = int(np.log2(high / low) * self.day.points)
        return low * 2.0 ** (np.arange(n + 1) / self.day.points)

    def smoothed(self, f, p):
        if not self.day.smooth:
            return p
        half = 2 ** (0.5 / self.day.smooth)
        power = np.concatenate([[0], np.cumsum(np.abs(p) ** 2 * np.gradient(f))])
        edge = np.concatenate([[f[0]], f])
        mean = (np.interp(np.minimum(f * half, f[-1]), edge, power) - np.interp(np.maximum(f / half, f[0]), edge, power)) / (
            np.minimum(f * half, f[-1]) - np.maximum(f / half, f[0]))
        return np.sqrt(np.maximum(mean, 1e-20)) * np.exp(1j * np.angle(p))

    def table(self, name, f, p, r=None):
        day, n = self.day, len(f)
        loud = np.sqrt(np.mean(np.abs(p) ** 2))
        p = p + loud * 10 ** (day.noise_db / 20) * np.sqrt(np.clip(200 / f, 0.5, 4)) * (self.rng.normal(size=n) + 1j * self.rng.normal(size=n)) / np.sqrt(2)
        if day.hum:
            mains, up = day.hum
            for k in (1, 2, 3, 4, 5, 6, 8):
                i = np.argmin(np.abs(f - mains * k))
                if abs(f[i] / mains / k - 1) < 0.015:
                    p[i] = p[i] + np.abs(p[i]) * (10 ** (up * self.rng.uniform(0.6, 1.1) / k**0.6 / 20) - 1) * np.exp(1j * self.rng.uniform(-0.6, 0.6))
        p = self.smoothed(f, p)
        x = np.log10(f / 600) / 1.5
        size = db(p) + self.slope @ np.stack([np.ones_like(f), x, x * x])
        turn = np.degrees(np.angle(p * (np.exp(-2j * np.pi * f * r / C) if r and day.phase == "flight" else 1)))
        cols = [f, size] + ([turn] if day.phase != "no" else [])
        np.savetxt(self.folder / name, np.stack(cols, 1), fmt=["%.3f", "%.3f", "%.2f"][: len(cols)], delimiter="  ")

    def room(self, f, p):
        for size, way in self.day.echoes:
            p = p * (1 + size / (1 + (f / 9000) ** 2) * np.exp(-2j * np.pi * f * way / C))
        return p

    def far(self, f, h, v, s=None, **more):
        s, day = s or self.s, self.day
        if not day.cut:
            return self.room(f, s.pressure(f, h, v, day.r, **more))
        n, rate = 1 << 15, 96000
        g = np.fft.rfftfreq(n, 1 / rate)
        g[0] = g[1]
        x = np.fft.irfft(self.room(g, s.pressure(g, h, v, day.r, **more)) * np.exp(-2j * np.pi * g * 0.001) / (1 + (g / 28000) ** 10), n)
        t = np.arange(n) / rate - 0.001
        end = day.gate_ms / 1e3
        x = x * np.where(t < 0.6 * end, 1, np.clip(0.5 + 0.5 * np.cos(np.pi * (t / end - 0.6) / 0.4), 0, 1) * (t < end))
        return np.interp(f, g, (q := np.fft.rfft(x) * np.exp(2j * np.pi * g * 0.001)).real) + 1j * np.interp(f, g, q.imag)

    def impulse(self, name, h, v, **more):
        n, rate = 16384, 48000
        f = np.fft.rfftfreq(n, 1 / rate)
        f[0] = f[1]
        p = self.room(f, self.s.pressure(f, h, v, self.day.r, **more)) / (1 + (f / 22000) ** 24)
        x = np.fft.irfft(p * np.exp(-2j * np.pi * f * self.day.r / C), n)
        x = x + self.rng.normal(0, np.abs(x).max() * 10 ** (self.day.noise_db / 20) * 0.03, n)
        wavfile.write(self.folder / name, rate, (x / 50).astype(np.float32))

    def response(self, name, h, v, take=None, **more):
        day = self.day
        take = {"id": name, "horizontal_deg": h, "vertical_deg": v, "distance_m": day.r, **(take or {})}
        if day.impulses:
            self.impulse(name + ".wav", h, v, **more)
            self.takes.append({**take, "kind": "impulse-response", "file": name + ".wav", "channel": 0, "t0_s": 0.0})
            return
        f = self.axis(20.0 if day.cut else max(1000 / day.gate_ms, 20.0), 20000.0)
        self.table(name + ".txt", f, self.far(f, h, v, **more), day.r)
        take.update({"kind": "response", "file": name + ".txt", "gate_ms": day.gate_ms})
        if day.drive:
            take["drive_v"] = 2.83
        if day.phase == "flight":
            take["delay_included"] = True
        self.takes.append(take)

    def ohms(self, take, name, z, f):
        z = z * (1 + self.day.jig * (self.rng.normal(size=len(f)) + 1j * self.rng.normal(size=len(f))) / 3)
        np.savetxt(self.folder / name, np.stack([f, np.abs(z), np.degrees(np.angle(z))], 1), fmt="%.4g")
        self.takes.append({"id": name[:-4], "kind": "impedance", "file": name, **take})

    def close(self, name, source, f, u, radius, beside=0.0):
        k = 2 * np.pi * f / C
        p = RHO * C * u / (np.pi * radius**2) * (1 - np.exp(-1j * k * radius)) + 1j * k * RHO * C * beside / (2 * np.pi * 0.3)
        p = p * 2.83 * self.s.gain * self.s.filters(f, self.s.parts[0])
        self.table(name + ".txt", f, p)
        take = {"id": name, "kind": "near-field", "source": source, "file": name + ".txt"}
        if self.day.drive:
            take["drive_v"] = 2.83
        self.takes.append(take)

    def recording(self):
        rate, long, lead = 48000, 3.0, 0.3
        t = np.arange(int(rate * long)) / rate
        k = np.log(20000 / 15)
        sweep = 0.4 * np.sin(2 * np.pi * 15 * long / k * (np.exp(t / long * k) - 1))
        n = 1 << 14
        g = np.fft.rfftfreq(n, 1 / rate)
        g[0] = g[1]
        ir = np.fft.irfft(self.room(g, self.s.pressure(g, 0, 0, self.day.r)) * np.exp(-2j * np.pi * g * self.day.r / C) / (1 + (g / 22000) ** 24), n)
        x = fftconvolve(np.concatenate([np.zeros(int(lead * rate)), sweep, np.zeros(rate)]), ir)[: int(rate * (lead + long + 1))]
        x = x / np.abs(x).max()
        x = np.clip(x + self.rng.normal(0, 3e-4, len(x)), -self.day.clip, self.day.clip) / self.day.clip
        wavfile.write(self.folder / "sweep.wav", rate, (x * 32000).astype(np.int16))
        self.takes.append({"id": "sweep", "kind": "sweep", "file": "sweep.wav", "channel": 0, "distance_m": self.day.r, "horizontal_deg": 0, "vertical_deg": 0,
                           "stimulus": {"type": "exponential-sweep", "start_hz": 15, "stop_hz": 20000, "duration_s": long, "lead_in_s": lead, "amplitude": 0.4}})

    def all(self):
        s, day = self.s, self.day
        if day.others:
            for unit, one in zip("ABCD", [s] + day.others):
                for k in (1, 2):
                    self.response(f"unit{unit}{k}", 0, 0, {"sample": unit}, s=one)
        else:
            for h in day.sides:
                for k in range(day.repeats if h == 0 else 1):
                    self.response(f"h{h:+04d}" + (f"r{k}" if k else ""), h, 0)
            for v in day.up:
                self.response(f"v{v:+03d}", 0, v)
            last = s.parts[-1]
            if day.alone and len(s.parts) > 1:
                for part in s.parts:
                    self.response("alone-" + part.name, 0, 0, {"driver": part.name}, only=part.name)
            if day.flip and len(s.parts) > 1:
                self.response("flipped", 0, 0, {"polarity_flipped": last.name}, flipped=last.name)
            if day.wall:
                self.response("wall", 0, 0, {"condition": "large-baffle", "driver": last.name}, only=last.name, wall=True)
        if day.clip:
            self.recording()
        f = np.geomspace(10, 20000, int(11 * (96 if day.points > 24 else day.points)))
        if s.loading not in ("open-baffle", "large-baffle", "free-air"):
            self.ohms({"condition": "in-box", **({"driver": s.parts[0].name} if s.active and len(s.parts) > 1 else {})}, "z-box.zma", s.terminals(f), f)
        if day.free or s.loading in ("large-baffle", "free-air"):
            for part in s.parts:
                if part.role not in ("tweeter",) and not part.own_volume:
                    self.ohms({"condition": "free-air", "driver": part.name}, f"z-{part.name}.zma", s.circuit(f, part, False)[3], f)
        if day.near and s.cabinet:
            part = s.parts[0]
            f = self.axis(15.0, 1200.0)
            cone, hole, _, _ = s.circuit(f, part)
            r = np.sqrt(s.hole.area / np.pi) if s.hole else 0.0
            self.close("near-cone", part.name, f, cone, part.a, hole)
            if s.hole:
                self.close("near-hole", "radiator" if s.hole.mass else "port", f, hole, r, cone)
        (self.folder / "set.json").write_text(json.dumps({"format": "lalometer-set", "version": 1, "subject": self.subject(), "takes": self.takes,
                                                          "bench": {"temperature_c": 21}}))

    def subject(self):
        s, day = self.s, self.day
        mm = lambda m: round(1000 * float(m), 1)
        out = {"name": "Fuller", "kind": "driver" if s.loading in ("large-baffle", "free-air") else "loudspeaker", "loading": s.loading,
               "drivers": [{"id": p.name, "role": p.role, "x_mm": mm(p.x), "y_mm": mm(p.y), "sd_cm2": round(1e4 * p.sd, 2),
                            **({} if p.strip else {"diameter_mm": mm(2.35 * p.a)})} for p in s.parts]}
        if s.loading != "large-baffle":
            out["baffle"] = {"width_mm": mm(s.width), "height_mm": mm(s.height), "depth_mm": mm(s.depth), "edge_radius_mm": mm(s.round_),
                             "left_mm": mm(s.width / 2), "top_mm": mm(s.height / 2)}
        if s.cabinet and day.sizes:
            w, h, d = s.cabinet.size
            out["box"] = {"net_volume_l": round(1000 * s.cabinet.volume, 2), "inner_width_mm": mm(w), "inner_height_mm": mm(h), "inner_depth_mm": mm(d)}
        if s.hole and not s.hole.mass:
            out["ports"] = [{"id": "port", "panel": "front" if s.hole.front else "back", "diameter_mm": mm(2 * np.sqrt(s.hole.area / np.pi)),
                             "length_mm": mm(s.hole.length), "count": 1}]
        if s.hole and s.hole.mass:
            out["passive_radiators"] = [{"id": "radiator", "panel": "back", "sd_cm2": round(1e4 * s.hole.area, 1), "moving_mass_g": round(1000 * s.hole.mass, 1)}]
        if s.wings:
            out["wings"] = {"left_mm": mm(s.wings), "right_mm": mm(s.wings)}
        if s.crossings:
            out["crossovers"] = [{"low": a.name, "high": b.name, "frequency_hz": round(f0), "order": s.order}
                                 for a, b, f0 in zip(s.parts, s.parts[1:], s.crossings)]
        return out
