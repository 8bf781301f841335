"""Loudspeakers as a textbook has them: target slopes, bells, rings of edge sources, one acoustic circuit for the bass.

A second family beside designs.py, simpler and with other habits: nothing is shared with it but the standard library of
numbers. Every maker gives a Speaker and the Day it is measured on.
"""

import json
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from scipy.io import wavfile
from scipy.special import j1

C, RHO = 343.0, 1.2


def bell(f, f0, q, db):
    a = 10 ** (db / 40)
    s = 1j * f / f0
    return (s * s + s * a / q + 1) / (s * s + s / (a * q) + 1)


def second(f, f0, q, high):
    s = 1j * f / f0
    return (s * s if high else 1) / (s * s + s / q + 1)


def riley(f, f0, order, high):
    """Linkwitz-Riley slopes: of 4th order both in phase; of 2nd with one reversed (done here)."""
    if order == 4:
        return second(f, f0, np.sqrt(0.5), high) ** 2
    return second(f, f0, 0.5, high) * (-1 if high else 1)


@dataclass
class Way:
    name: str
    role: str
    radius: float
    y: float
    x: float = 0.0
    re: float = 5.8
    le: float = 0.3e-3
    fs: float = 40.0
    qms: float = 4.0
    qes: float = 0.42
    mms: float = 0.015
    level: float = 0.0
    sound: list = field(default_factory=list)  # bells of the radiation, (Hz, Q, dB)
    in_air: list = field(default_factory=list)  # bells of the impedance, anywhere
    in_box: list = field(default_factory=list)  # and in the box only
    delay: float = 0.0
    sign: int = 1
    top_q: float = 0.7

    @property
    def sd(self):
        return np.pi * self.radius**2

    @property
    def bl(self):
        return np.sqrt(2 * np.pi * self.fs * self.mms * self.re / self.qes)


@dataclass
class Speaker:
    ways: list
    width: float
    height: float
    depth: float
    loading: str
    volume: float = 0.015
    fb: float = 40.0
    ql: float = 15.0
    qa: float = 60.0
    qp: float = 70.0
    port_radius: float = 0.03
    port_bells: list = field(default_factory=list)
    pr: dict = None
    cross: float = 0.0
    order: int = 4
    rounding: float = 4000.0  # Hz above which the edges' waves die out
    edges: float = 0.5
    all_over: list = field(default_factory=list)  # bells of the whole sum
    wings: float = 0.0
    trap: tuple = None
    active: bool = False
    flat_front: bool = True  # the network makes up for the step

    @property
    def port_length(self):
        area = np.pi * self.port_radius**2
        whole = area * C**2 / ((2 * np.pi * self.fb) ** 2 * self.volume)
        return whole - 1.46 * self.port_radius

    def box(self, f, way):
        """Acoustic load behind the cone, and what share of its volume velocity leaves by the vent."""
        w = 2j * np.pi * f
        cab = self.volume / (RHO * C**2)
        w0 = 2 * np.pi * (self.fb if self.loading in ("vented", "passive-radiator") else way.fs * 1.6)
        air = 1 / (w * cab) + 1 / (w0 * cab * self.qa)
        leak = self.ql / (w0 * cab)
        out = 0 * w
        y = 1 / air + 1 / leak
        if self.loading == "vented":
            map_ = 1 / (w0**2 * cab)
            out = 1 / (w * map_ + w0 * map_ / self.qp)
            y = y + out
        if self.loading == "passive-radiator":
            p = self.pr
            mass = p["mass"] / p["sd"] ** 2
            wp = 2 * np.pi * p["fs"]
            out = 1 / (w * mass + wp * mass / p["q"] + wp**2 * mass / w)
            y = y + out
        return 1 / y, out / y, (1 / leak) / y

    def coil(self, f, way, where):
        w = 2j * np.pi * f
        w0 = 2 * np.pi * way.fs
        mech = w * way.mms + w0 * way.mms / way.qms + w0**2 * way.mms / w
        vent = leak = 0 * w
        if where == "box" and way.role != "tweeter" and self.loading != "open-baffle":
            load, vent, leak = self.box(f, way)
            mech = mech + way.sd**2 * load
        z = way.re + way.le * w / (1 + np.sqrt(np.abs(w) / 2e4)) + way.bl**2 / mech
        for f0, q, ohm in way.in_air + (way.in_box if where == "box" else []):
            z = z + ohm / (1 + 1j * q * (f / f0 - f0 / f))
        return z, mech, vent, leak

    def velocity(self, f, way, volts=2.83):
        z, mech, vent, leak = self.coil(f, way, "box")
        u = volts * way.bl / (z * mech) * way.sd
        port = -u * vent
        for f0, q, times in self.port_bells:
            port = port * (1 + times / (1 + 1j * q * (f / f0 - f0 / f)))
        return u, port, -u * leak

    def slope(self, f, way):
        if not self.cross:
            return np.ones_like(f) + 0j
        return riley(f, self.cross, self.order, way.role == "tweeter")

    def front(self, f, way, h, v):
        """A ring of sources of the other sign along the edge, half as strong as the driver in all."""
        if self.loading == "open-baffle":
            turn = np.linspace(0, np.pi / 2, 40)
            reach = np.minimum(0.5 * self.width / np.maximum(np.cos(turn), 1e-9), 0.5 * self.height / np.maximum(np.sin(turn), 1e-9))
            way_ = (reach + self.wings) * np.cos(np.radians(h)) * np.cos(np.radians(v))
            return 1 - np.mean(np.exp(-2j * np.pi * np.outer(f, way_) / C), axis=1)
        turn = np.linspace(0, 2 * np.pi, 181)[:-1]
        at = np.stack([np.cos(turn), np.sin(turn)])
        reach = np.minimum(0.5 * self.width / np.maximum(np.abs(at[0]), 1e-9),
                           np.where(at[1] > 0, self.height * 0.5 - way.y, self.height * 0.5 + way.y)
                           / np.maximum(np.abs(at[1]), 1e-9))
        at = at * reach
        far = np.hypot(*at)
        way_ = far - at[0] * np.sin(np.radians(h)) - at[1] * np.sin(np.radians(v))
        ring = np.mean(np.exp(-2j * np.pi * np.outer(f, way_) / C), axis=1)
        die = 1 / (1 + (f / self.rounding) ** 2)
        size = 2 * np.pi * f / C * way.radius
        return 1 - (0.5 + (self.edges - 0.5) * f**2 / (f**2 + (300 / self.width) ** 2)) * ring * die / (1 + 0.3 * size**2)

    def pressure(self, f, h=0.0, v=0.0, r=1.0, only=None, flipped=None, wall=False, behind=False):
        p = 0j * f
        for way in self.ways:
            if only and way.name != only:
                continue
            if way.role == "tweeter":
                one = 0.75 * second(f, way.fs, way.top_q, True)
                usual = way.radius
            else:
                u, port, leak = self.velocity(f, way)
                whole = (u + port + leak) if self.loading != "open-baffle" else u
                w = 2j * np.pi * f
                one = w * RHO * whole / (2 * np.pi)
                # Its coil and cone let the top go; the network is taken to make up for that.
                top = np.abs(way.bl / (way.re * way.mms) * way.sd * RHO / (2 * np.pi) * 2.83)
                one = one / top * (1 + way.le / way.re * w / (1 + np.sqrt(np.abs(w) / 2e4)))
                usual = way.radius
            s = 2 * np.pi * f / C * usual * np.hypot(np.sin(np.radians(h)), np.sin(np.radians(v)))
            one = one * np.where(s < 1e-6, 1, 2 * j1(np.maximum(s, 1e-6)) / np.maximum(s, 1e-6))
            for b in way.sound:
                one = one * bell(f, *b)
            if not wall:
                edge = self.front(f, way, h, v)
                if self.flat_front and self.loading != "open-baffle":
                    f0 = 115 / self.width
                    edge = edge * (1 + 1j * f / f0) / (0.5 + 1j * f / f0)
                one = one * edge
            if self.cross and not (only and wall):
                one = one * self.slope(f, way)
            one = one * 10 ** (way.level / 20) * way.sign * (-1 if flipped == way.name else 1)
            gone = np.sqrt(r**2 + way.x**2 + way.y**2 - 2 * r * (way.x * np.sin(np.radians(h)) + way.y * np.sin(np.radians(v)))) - r
            one = one * np.exp(-2j * np.pi * f * (gone / C + way.delay)) * r / (r + gone)
            p = p + one
        for b in self.all_over:
            p = p * bell(f, *b)
        if self.trap:
            f0, q, db = self.trap
            p = p * bell(f, f0, q, -db)
        if self.wings:
            f0 = C / (4 * (self.wings + 0.3 * self.width))
            p = p * bell(f, f0, 4.0, 9.0 if abs(h) > 90 else 5.0)
        return p / r * 10 ** (88 / 20) * 2e-5

    def terminals(self, f):
        if self.active or len(self.ways) == 1:
            z = self.coil(f, self.ways[0], "box")[0]
        else:
            y = 0
            for way in self.ways:
                z = self.coil(f, way, "box")[0]
                l, c = way.re / (np.pi * self.cross), 1 / (4 * np.pi * self.cross * way.re)
                w = 2j * np.pi * f
                if way.role == "tweeter":
                    z = 1 / (w * c) + 1 / (1 / (w * l) + 1 / (z + 1.5))
                else:
                    z = w * l + 1 / (w * c + 1 / z)
                y = y + 1 / z
            z = 1 / y
        if self.trap:
            f0, q, db = self.trap
            peak = 10 ** (db / 20) - 1
            z = z + self.ways[0].re * peak / (1 + 1j * q * (f / f0 - f0 / f))
        return z


@dataclass
class Day:
    per_octave: int = 48
    sides: list = field(default_factory=lambda: [0, 10, 20, 30, 45, 60])
    up: list = field(default_factory=lambda: [-20, -10, 10, 20])
    noise: float = 0.03
    gate_ms: float = 5.0
    distance: float = 1.0
    near: bool = True
    free_air: bool = True
    sizes: bool = True
    impulses: bool = False
    flip: bool = False
    alone: bool = False
    wall: bool = False
    echo: tuple = None
    hum: float = 0.0
    cut: bool = False
    clip: float = 0.0
    other: object = None
    repeats: int = 1


def level(p):
    return 20 * np.log10(np.abs(p) / 2e-5)


class Keeper:
    def __init__(self, folder, speaker, day, rng):
        self.folder, self.s, self.day, self.rng, self.takes = Path(folder), speaker, day, rng, []
        self.folder.mkdir(parents=True, exist_ok=True)

    def grid(self, low, high):
        return low * 2 ** (np.arange(int(np.log2(high / low) * self.day.per_octave) + 1) / self.day.per_octave)

    def table(self, name, f, values, ohm=False):
        n = len(f)
        if ohm:
            size = np.abs(values) * (1 + 0.001 * self.rng.normal(size=n))
            turn = np.degrees(np.angle(values)) + 0.06 * self.rng.normal(size=n)
        else:
            both = self.rng.normal(size=n) + 1j * self.rng.normal(size=n)
            values = values * (1 + self.day.noise / 8.7 * both) + 2e-5 * 10 ** (10 / 20) * both
            size, turn = level(values), np.degrees(np.angle(values))
        np.savetxt(self.folder / name, np.stack([f, size, turn], 1), fmt=["%.4f", "%.3f", "%.2f"], delimiter="\t")

    def keep(self, take, name, f, values, ohm=False):
        self.table(name, f, values, ohm)
        self.takes.append({"file": name, **take})

    def heard(self, f, h, v, **more):
        s = more.pop("speaker", self.s)
        p = s.pressure(f, h, v, self.day.distance, **more)
        if self.day.echo:
            by, way = self.day.echo
            p = p * (1 + by * np.exp(-2j * np.pi * f * way / C))
        if self.day.hum:
            for n in range(1, 12):
                i = np.argmin(np.abs(f - 50 * n))
                if abs(f[i] / (50 * n) - 1) < 0.012:
                    p[i] = p[i] + 2e-5 * 10 ** ((self.day.hum - 6 * np.log2(n)) / 20) * np.exp(1j * self.rng.uniform(0, 6.28))
        return p

    def impulse(self, name, h, v, **more):
        """48 kHz, 2 ms before the direct sound at its flight time, a soft floor of noise."""
        rate, n = 48000, 16384
        f = np.fft.rfftfreq(n, 1 / rate)
        f[0] = f[1]
        p = self.heard(f, h, v, **more) / (1 + (f / 21500) ** 20)
        x = np.fft.irfft(p * np.exp(-2j * np.pi * f * self.day.distance / C), n)
        x = x + self.rng.normal(0, 1e-4 * np.abs(x).max(), n)
        wavfile.write(self.folder / name, rate, x.astype(np.float32))

    def gated(self, f, h, v, **more):
        if not self.day.cut:
            return self.heard(f, h, v, **more)
        rate, n = 96000, 32768
        g = np.fft.rfftfreq(n, 1 / rate)
        g[0] = g[1]
        x = np.fft.irfft(self.heard(g, h, v, **more) * np.exp(-2j * np.pi * g * 1e-3) / (1 + (g / 30000) ** 12), n)
        t = np.arange(n) / rate - 1e-3
        end = self.day.gate_ms * 1e-3
        x = x * np.where(t < 0.5 * end, 1, np.where(t < end, np.cos(np.pi / 2 * (t / end - 0.5) * 2) ** 2, 0))
        p = np.fft.rfft(x) * np.exp(2j * np.pi * g * 1e-3)
        return np.interp(f, g, p.real) + 1j * np.interp(f, g, p.imag)

    def response(self, name, h, v, take=None, **more):
        day = self.day
        t = {"id": name, "horizontal_deg": h, "vertical_deg": v, "distance_m": round(day.distance, 3), **(take or {})}
        if day.impulses:
            self.impulse(name + ".wav", h, v, **more)
            self.takes.append({**t, "kind": "impulse-response", "file": name + ".wav", "channel": 0, "t0_s": 0.0})
        else:
            f = self.grid(20.0 if day.cut else max(20.0, 1000 / day.gate_ms), 20000)
            self.keep({**t, "kind": "response", "drive_v": 2.83, "gate_ms": round(day.gate_ms, 2)}, name + ".frd", f,
                      self.gated(f, h, v, **more))

    def all(self):
        s, day = self.s, self.day
        for h in day.sides:
            for k in range(day.repeats if h == 0 else 1):
                self.response(f"hor{h:+04d}" + ("" if k == 0 else f"_{k}"), h, 0)
        for v in day.up:
            self.response(f"ver{v:+04d}", 0, v)
        if day.alone:
            for way in s.ways:
                self.response("only-" + way.name, 0, 0, {"driver": way.name}, only=way.name)
        if day.flip:
            self.response("turned", 0, 0, {"polarity_flipped": s.ways[-1].name}, flipped=s.ways[-1].name)
        if day.wall:
            self.response("big-wall", 0, 0, {"condition": "large-baffle", "driver": s.ways[-1].name}, only=s.ways[-1].name, wall=True)
        if day.other is not None:
            for k in range(2):
                self.response(f"first{k}", 0, 0, {"sample": "1"})
                self.response(f"second{k}", 0, 0, {"sample": "2"}, speaker=day.other)
        f = self.grid(10, 20000)
        z = {"kind": "impedance"}
        if s.loading != "open-baffle":
            alone = {"driver": s.ways[0].name} if s.active else {}
            self.keep({**z, "id": "imp_box", "condition": "in-box", **alone}, "imp_box.zma", f, s.terminals(f), True)
        if day.free_air:
            for way in s.ways:
                if way.role != "tweeter":
                    self.keep({**z, "id": "imp_" + way.name, "condition": "free-air", "driver": way.name},
                              f"imp_{way.name}.zma", f, s.coil(f, way, "air")[0], True)
        if day.near and s.loading != "open-baffle" and s.ways[0].role != "tweeter":
            way = s.ways[0]
            f = self.grid(15, 1500)
            u, port, _ = s.velocity(f, way)
            slope = s.slope(f, way)
            close = lambda u, a: 1j * 2 * np.pi * f * RHO * u * slope / (np.pi * a)  # p = rho w U / (pi a), Keele 1974
            cone = close(u, way.radius)
            for b in way.sound + s.all_over:
                cone = cone * bell(f, *b)
            self.keep({"id": "near_" + way.name, "kind": "near-field", "source": way.name, "drive_v": 2.83},
                      "near_cone.frd", f, cone)
            if s.loading == "vented":
                self.keep({"id": "near_port", "kind": "near-field", "source": "port", "drive_v": 2.83}, "near_port.frd",
                          f, close(port, s.port_radius))
            if s.loading == "passive-radiator":
                self.keep({"id": "near_pr", "kind": "near-field", "source": "pr", "drive_v": 2.83}, "near_pr.frd", f,
                          close(port, np.sqrt(s.pr["sd"] / np.pi)))
        if day.clip:
            self.sweep()
        (self.folder / "set.json").write_text(json.dumps({"format": "lalometer-set", "version": 1, "subject": self.subject(),
                                                          "takes": self.takes}, indent=1))

    def sweep(self):
        rate, length, lead = 48000, 2.0, 0.2
        t = np.arange(int(rate * length)) / rate
        k = np.log(20000 / 20)
        x = np.zeros(int(rate * (length + 1.0)))
        x[int(lead * rate):int(lead * rate) + len(t)] = 0.4 * np.sin(2 * np.pi * 20 * length / k * (np.exp(t / length * k) - 1))
        f = np.fft.rfftfreq(len(x), 1 / rate)
        f[0] = f[1]
        y = np.fft.irfft(np.fft.rfft(x) * self.s.pressure(f) * np.exp(-2j * np.pi * f / C), len(x))
        y = np.clip(y / np.abs(y).max(), -self.day.clip, self.day.clip) / self.day.clip * 0.98
        y += self.rng.normal(0, 1e-4, len(y))
        wavfile.write(self.folder / "rec.wav", rate, y.astype(np.float32))
        self.takes.append({"id": "rec", "kind": "sweep", "file": "rec.wav", "channel": 0, "distance_m": 1.0,
                           "horizontal_deg": 0, "vertical_deg": 0,
                           "stimulus": {"type": "exponential-sweep", "start_hz": 20, "stop_hz": 20000,
                                        "duration_s": length, "lead_in_s": lead, "amplitude": 0.4}})

    def subject(self):
        s, mm = self.s, lambda x: round(1000 * float(x), 1)
        out = {"name": "Plain", "kind": "loudspeaker", "loading": s.loading,
               "drivers": [{"id": w.name, "role": w.role, "diameter_mm": mm(2.3 * w.radius), "sd_cm2": round(1e4 * w.sd, 2),
                            "x_mm": mm(w.x), "y_mm": mm(w.y)} for w in s.ways],
               "baffle": {"width_mm": mm(s.width), "height_mm": mm(s.height), "depth_mm": mm(s.depth),
                          "left_mm": mm(s.width / 2), "top_mm": mm(s.height / 2)}}
        if self.day.sizes and s.loading != "open-baffle":
            out["box"] = {"net_volume_l": round(1000 * s.volume, 2), "inner_width_mm": mm(s.width - 0.036),
                          "inner_height_mm": mm(s.height - 0.036), "inner_depth_mm": mm(s.depth - 0.036)}
        if s.loading == "vented":
            out["ports"] = [{"id": "port", "panel": "back", "diameter_mm": mm(2 * s.port_radius),
                             "length_mm": mm(s.port_length), "count": 1}]
        if s.loading == "passive-radiator":
            out["passive_radiators"] = [{"id": "pr", "panel": "back", "sd_cm2": round(1e4 * s.pr["sd"], 1),
                                         "moving_mass_g": round(1000 * s.pr["mass"], 1)}]
        if s.wings:
            out["wings"] = {"left_mm": mm(s.wings), "right_mm": mm(s.wings)}
        if s.cross:
            out["crossovers"] = [{"low": s.ways[0].name, "high": s.ways[-1].name, "frequency_hz": round(s.cross), "order": s.order}]
        return out
