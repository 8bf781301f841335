"""A day's takes of a loudspeaker as a measurement set: lists of numbers, rarely a recording."""

import json
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from scipy.io import wavfile

from designs import TWO_VOLTS, alive_of, level, pressure, voltages
from loudspeaker import C, Port, Radiator, copy, driven, near


@dataclass
class Session:
    points: int = 48  # an octave
    sides: list = field(default_factory=lambda: [-60, -45, -30, -15, 0, 15, 30, 45, 60])
    up: list = field(default_factory=lambda: [-15, -10, 10, 15])
    distance: float = 1.0
    gate_ms: float = 6.5
    noise_db: float = 0.03
    rig_db: float = 0.25
    free_air: bool = True
    near: bool = True
    alone: bool = False
    flip: bool = False
    phase: bool = True
    sizes: bool = True
    cut_gate: bool = False  # the gate has really cut
    wall: tuple = None  # gain and detour of a reflection, m
    hum: tuple = None  # Hz, dB
    mute: list = field(default_factory=list)
    large_baffle: bool = False
    samples: list = field(default_factory=list)  # other systems of the kind
    clipped: float = 0.0


class Writer:
    def __init__(self, folder, system, session, rng):
        self.folder, self.s, self.day, self.rng = Path(folder), system, session, rng
        self.folder.mkdir(parents=True, exist_ok=True)
        self.takes = []
        self.tilt = rng.normal(0, session.rig_db, 5)

    def axis(self, low, high):
        n = int(np.log2(high / low) * self.day.points)
        return low * 2.0 ** (np.arange(n + 1) / self.day.points)

    def rig(self, f):
        x = (np.log10(f) - 1.3) / 1.5
        return self.tilt @ np.stack([np.ones_like(f)] + [np.cos(np.pi * n * x) / n for n in (1, 2, 3, 4)])

    def rows(self, name, f, values, db):
        noise = self.rng.normal(0, self.day.noise_db if db else 0.1 * self.day.noise_db, (2, len(f)))
        if db:
            size = level(values) + noise[0] + self.rig(f)
        else:
            size = np.abs(values) * 10 ** (noise[0] / 20)
        if self.day.hum:
            mains, by = self.day.hum
            for n in range(1, 8):
                near_ = np.argmin(np.abs(f - n * mains))
                if abs(f[near_] - n * mains) < 0.02 * n * mains:
                    bump = by * self.rng.uniform(0.5, 1.2) / (n**0.5) * (1 if db else 0.02 * np.abs(values[near_]))
                    size[near_] += bump
        turn = np.degrees(np.angle(values)) + 6.6 * noise[1]
        with open(self.folder / name, "w") as out:
            for a, b, c in zip(f, size, turn):
                out.write(f"{a:.5g} {b:.4f} {c:.3f}\n" if (self.day.phase or not db) else f"{a:.5g} {b:.4f}\n")

    def add(self, take, name, f, values, db=True):
        self.rows(name, f, values, db)
        self.takes.append({**take, "file": name})

    def through_room(self, f, values):
        if self.day.wall:
            gain, way = self.day.wall
            values = values * (1 + gain * np.exp(-2j * np.pi * f * way / C))
        return values

    def gated(self, f, h, v, system=None, **more):
        s = system or self.s
        t = self.day.gate_ms * 1e-3
        if not self.day.cut_gate:
            return self.through_room(f, pressure(s, f, h, v, self.day.distance, **more))
        rate, n = 48000, 16384
        grid = np.fft.rfftfreq(n, 1 / rate)
        grid[0] = grid[1]
        p = self.through_room(grid, pressure(s, grid, h, v, self.day.distance, **more))
        p = p * np.exp(-2j * np.pi * grid * 0.002)
        p *= 1 / (1 + (grid / 21000) ** 16)
        ir = np.fft.irfft(p, n)
        at = np.arange(n) / rate - 0.002
        w = np.where(at < 0.75 * t, 1.0, np.where(at < t, 0.5 + 0.5 * np.cos(np.pi * (at / t - 0.75) * 4), 0.0))
        w[at < -0.0015] = 0.0
        cut = np.fft.rfft(ir * w) * np.exp(2j * np.pi * grid * 0.002)
        return np.interp(f, grid, cut.real) + 1j * np.interp(f, grid, cut.imag)

    def responses(self):
        day = self.day
        low = 20.0 if day.cut_gate else max(1000.0 / day.gate_ms, 20.0)
        f = self.axis(low, 20000.0)
        base = {"kind": "response", "distance_m": day.distance, "drive_v": TWO_VOLTS, "gate_ms": day.gate_ms}
        for h in day.sides:
            self.add({**base, "id": f"h{h}", "horizontal_deg": h, "vertical_deg": 0}, f"h{h:+d}.frd", f,
                     self.gated(f, h, 0))
        for v in day.up:
            self.add({**base, "id": f"v{v}", "horizontal_deg": 0, "vertical_deg": v}, f"v{v:+d}.frd", f,
                     self.gated(f, 0, v))
        if day.alone and len(self.s.drivers) > 1:
            for d in self.s.drivers:
                self.add({**base, "id": f"alone-{d.name}", "driver": d.name, "horizontal_deg": 0, "vertical_deg": 0},
                         f"alone-{d.name}.frd", f, self.gated(f, 0, 0, only=d.name))
        if day.flip and len(self.s.drivers) > 1:
            d = self.s.drivers[-1]
            self.add({**base, "id": "flipped", "polarity_flipped": d.name, "horizontal_deg": 0, "vertical_deg": 0},
                     "flipped.frd", f, self.gated(f, 0, 0, flipped=d.name))
        if day.large_baffle:
            d = self.s.drivers[-1]
            self.add({**base, "id": "wall", "condition": "large-baffle", "driver": d.name, "horizontal_deg": 0,
                      "vertical_deg": 0}, "wall.frd", f, self.gated(f, 0, 0, only=d.name, front=None))

    def impedances(self):
        f = self.axis(8.0, 20000.0)
        if self.s.loading not in ("free-air",):
            _, load = voltages(self.s, f)
            self.add({"id": "z-box", "kind": "impedance", "condition": "in-box"}, "z-box.zma", f, load, False)
        if self.day.free_air:
            for d in self.s.drivers:
                if d.role == "tweeter" and self.s.loading != "free-air":
                    continue
                self.add({"id": f"z-free-{d.name}", "kind": "impedance", "condition": "free-air", "driver": d.name},
                         f"z-free-{d.name}.zma", f, 1.0 / driven(d, f).current, False)

    def near_fields(self):
        f = self.axis(10.0, 2500.0)
        at, _ = voltages(self.s, f)
        d = self.s.drivers[0]
        if d.role == "tweeter":
            return
        a = alive_of(self.s, d, f)
        drive = at[d.name] * TWO_VOLTS
        self.add({"id": "nf-" + d.name, "kind": "near-field", "source": d.name, "drive_v": TWO_VOLTS},
                 "nf-cone.frd", f, near(f, a.cone * drive, d.radius))
        if self.s.vent is not None and self.s.box is not None:
            port = isinstance(self.s.vent, Port)
            area = self.s.vent.area if port else self.s.vent.sd
            self.add({"id": "nf-vent", "kind": "near-field", "source": "port" if port else "radiator",
                      "drive_v": TWO_VOLTS}, "nf-vent.frd", f,
                     near(f, a.vent * drive, np.sqrt(area / np.pi), a.cone * drive, 0.35))

    def sampled(self):
        f = self.axis(max(1000.0 / self.day.gate_ms, 20.0), 20000.0)
        base = {"kind": "response", "distance_m": self.day.distance, "drive_v": TWO_VOLTS,
                "gate_ms": self.day.gate_ms, "horizontal_deg": 0, "vertical_deg": 0}
        for name, s in [("A", self.s)] + list(zip("BCD", self.day.samples)):
            for again in (1, 2):
                self.add({**base, "id": f"s{name}{again}", "sample": name}, f"sample-{name}-{again}.frd", f,
                         pressure(s, f, 0, 0, self.day.distance))

    def recording(self):
        rate, seconds, lead = 48000, 2.73, 0.25
        n = int(rate * seconds)
        t = np.arange(n) / rate
        k = np.log(22000 / 10)
        sweep = 0.5 * np.sin(2 * np.pi * 10 * seconds / k * (np.exp(t / seconds * k) - 1))
        played = np.concatenate([np.zeros(int(lead * rate)), sweep, np.zeros(rate)])
        size = 1 << int(np.ceil(np.log2(len(played))))
        grid = np.fft.rfftfreq(size, 1 / rate)
        grid[0] = grid[1]
        p = pressure(self.s, grid, 0, 0, self.day.distance, volts=1.0)
        p *= np.exp(-2j * np.pi * grid * self.day.distance / C)
        out = np.fft.irfft(np.fft.rfft(played, size) * p, size)[: len(played)]
        out = out / np.abs(out).max()
        out += self.rng.normal(0, 2e-4, len(out))
        rail = self.day.clipped
        out = np.clip(out, -rail, rail) / rail * 0.999
        wavfile.write(self.folder / "sweep.wav", rate, (out * (2**31 - 1)).astype(np.int32))
        self.takes.append({"id": "sweep", "kind": "sweep", "file": "sweep.wav", "channel": 0,
                           "distance_m": self.day.distance, "horizontal_deg": 0, "vertical_deg": 0,
                           "stimulus": {"type": "exponential-sweep", "start_hz": 10, "stop_hz": 22000,
                                        "duration_s": seconds, "lead_in_s": lead, "amplitude": 0.5}})

    def subject(self):
        s = self.s
        mm = lambda x: round(1e3 * float(x), 1)
        out = {"name": "Stranger", "kind": "loudspeaker", "loading": s.loading,
               "drivers": [{"id": d.name, "role": d.role, "diameter_mm": mm(2.44 * d.radius),
                            "sd_cm2": round(1e4 * float(d.sd), 2), "x_mm": mm(d.x), "y_mm": mm(d.y), "z_mm": 0}
                           for d in s.drivers]}
        if s.front:
            out["baffle"] = {"width_mm": mm(s.front.width), "height_mm": mm(s.front.top + s.front.bottom),
                             "depth_mm": mm(s.box.depth + 0.036 if s.box else 0.02),
                             "edge_radius_mm": mm(s.front.round_), "left_mm": mm(s.front.left), "top_mm": mm(s.front.top)}
        if s.box and self.day.sizes:
            out["box"] = {"net_volume_l": round(1e3 * float(s.box.volume), 2), "inner_width_mm": mm(s.box.width),
                          "inner_height_mm": mm(s.box.height), "inner_depth_mm": mm(s.box.depth),
                          "damping": "none" if s.box.wave_q > 20 else "lined"}
        if isinstance(s.vent, Port):
            out["ports"] = [{"id": "port", "panel": "front" if s.vent.front else "back",
                             "diameter_mm": mm(2 * np.sqrt(s.vent.area / np.pi)), "length_mm": mm(s.vent.length),
                             "count": 1, "x_mm": 0, "y_mm": mm(s.extra["vent_at"][1])}]
        if isinstance(s.vent, Radiator):
            out["passive_radiators"] = [{"id": "radiator", "panel": "front",
                                         "diameter_mm": mm(2.3 * np.sqrt(s.vent.sd / np.pi)),
                                         "sd_cm2": round(1e4 * float(s.vent.sd), 1),
                                         "moving_mass_g": round(1e3 * float(s.vent.mass), 1), "x_mm": 0,
                                         "y_mm": mm(s.extra["vent_at"][1])}]
        if s.wings:
            out["wings"] = {"left_mm": mm(s.wings), "right_mm": mm(s.wings)}
        if s.crossing:
            out["crossovers"] = [{"low": s.drivers[0].name, "high": s.drivers[-1].name,
                                  "frequency_hz": round(s.crossing), "order": 2}]
        return out

    def write(self):
        if self.day.clipped:
            self.recording()
        if self.day.samples:
            self.sampled()
        else:
            self.responses()
        self.impedances()
        if self.day.near and self.s.box is not None:
            self.near_fields()
        takes = [t for t in self.takes if t["id"] not in self.day.mute]
        data = {"format": "lalometer-set", "version": 1, "subject": self.subject(),
                "bench": {"sample_rate_hz": 48000, "temperature_c": 20}, "takes": takes}
        (self.folder / "set.json").write_text(json.dumps(data, indent=1))
