"""What other hands leave of a set: few points, no phase, relative levels, half the angles, half the sizes, other names and other text."""

import json
from pathlib import Path

import numpy as np

RESPONSES = ("response", "near-field")


def rows_of(path):
    lines = [line for line in path.read_text().splitlines() if line and not line.startswith("*")]
    return np.array([[float(x) for x in line.split()] for line in lines])


def fewer(rows, per_octave):
    """Read off at so many points an octave; levels averaged over what lies between."""
    f = rows[:, 0]
    at = f[0] * 2.0 ** (np.arange(int(np.log2(f[-1] / f[0]) * per_octave) + 1) / per_octave)
    out = [at]
    for i in range(1, rows.shape[1]):
        y = np.unwrap(rows[:, i], period=360.0) if i == 2 else rows[:, i]
        near = [(f > a * 2 ** (-0.5 / per_octave)) & (f <= a * 2 ** (0.5 / per_octave)) for a in at]
        out.append(np.array([y[n].mean() if n.sum() > 1 else np.interp(a, f, y) for a, n in zip(at, near)]))
    return np.stack(out, 1)


class Hand:
    """Draws what is left out, and does it to a folder."""

    def __init__(self, rng):
        self.points = int(rng.choice([0, 12, 24]))
        self.phase = rng.random() < 0.5
        self.relative = rng.random() < 0.4
        self.angles = str(rng.choice(["all", "right", "three", "all"]))
        self.sizes = str(rng.choice(["all", "no-areas", "no-inner", "no-crossing", "no-edge", "front-only"]))
        self.text = str(rng.choice(["plain", "comma", "decimal-comma"]))
        self.coarse_ohms = rng.random() < 0.4
        self.axis_db, self.near_db = rng.uniform(-110, -70), rng.uniform(-130, -80)

    def told(self):
        return ", ".join(f"{k} {v}" for k, v in vars(self).items() if not k.endswith("_db"))

    def angle_stays(self, take):
        h, v = take.get("horizontal_deg", 0), take.get("vertical_deg", 0)
        if self.angles == "all" or "sample" in take:
            return True
        if self.angles == "right":
            return h >= 0 and h <= 90
        return v == 0 and h in (0, 30, 60)

    def write(self, path, rows, unit):
        between, comma = {"plain": ("\t", "."), "comma": (",", "."), "decimal-comma": (";", ",")}[self.text]
        head = between.join(['"Frequency"', f'"{unit}"', '"deg"'][: rows.shape[1]])
        body = [between.join(f"{x:.5g}".replace(".", comma) for x in row) for row in rows]
        path.write_bytes(("\r\n".join([head] + body) + "\r\n").encode())

    def subject(self, s):
        if self.sizes == "no-areas":
            for d in s.get("drivers", []):
                if "diameter_mm" in d:
                    d.pop("sd_cm2", None)
        if self.sizes in ("no-inner", "front-only"):
            for key in ("inner_width_mm", "inner_height_mm", "inner_depth_mm"):
                s.get("box", {}).pop(key, None)
        if self.sizes in ("no-crossing", "front-only"):
            s.pop("crossovers", None)
        if self.sizes in ("no-edge", "front-only"):
            s.get("baffle", {}).pop("edge_radius_mm", None)
        if self.sizes == "front-only":
            for port in s.get("ports", []):
                port.pop("length_mm", None)
        return s

    def pass_on(self, folder):
        folder = Path(folder)
        data = json.loads((folder / "set.json").read_text())
        takes = [t for t in data["takes"] if self.angle_stays(t)]
        for k, take in enumerate(takes):
            old = folder / take["file"]
            if take["kind"] not in RESPONSES + ("impedance",):
                continue
            rows = rows_of(old)
            old.unlink()
            ohms = take["kind"] == "impedance"
            if ohms and self.coarse_ohms:
                at = np.geomspace(10, 20000, 400)
                rows = np.stack([at] + [np.interp(at, rows[:, 0], rows[:, i]) for i in (1, 2)], 1)
            if not ohms:
                if self.points:
                    rows = fewer(rows, self.points)
                if not self.phase:
                    rows = rows[:, :2]
                    take.pop("delay_included", None)
                if self.relative:
                    rows[:, 1] += self.near_db if take["kind"] == "near-field" else self.axis_db
                    take.pop("drive_v", None)
            take["file"] = f"take {k + 1:02d}.{'csv' if self.text != 'plain' else 'txt'}"
            take["id"] = f"{k + 1:02d}"
            self.write(folder / take["file"], rows, "ohm" if ohms else "dB")
        data["takes"], data["subject"] = takes, self.subject(data["subject"])
        (folder / "set.json").write_text(json.dumps(data, indent=1))
