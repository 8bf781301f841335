#!/usr/bin/env python3
"""How often `lalometer-cli diagnose` is right about loudspeakers that no part of it made.

    ./benchmarks/strangers/score.py CLI [seeds of each kind] [first seed] [kinds, by commas]

Prints a line for each miss and a table: docs/accuracy.md. Needs python3-numpy and python3-scipy.
"""

import json
import subprocess
import sys
import tempfile
import zlib
from collections import defaultdict
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np

from designs import level, pressure
from faults import KINDS
from session import Writer

# What else is true of some loudspeakers: neither right nor wrong.
ALSO = {"cavity-resonance": {"dipole-cancellation"}, "dipole-cancellation": {"cavity-resonance"}}
OF_ONE_DRIVER = {"baffle-step", "beaming"}  # without a network nothing makes up for either


def said_of(found):
    said = defaultdict(float)
    for finding in found["findings"]:
        for cause in finding["causes"]:
            said[cause["cause"]] = max(said[cause["cause"]], cause["probability"])
    for cause in found["overall"]:
        said[cause["cause"]] = max(said[cause["cause"]], cause["probability"])
    return dict(said)


def step_db(system):
    """How far the axis lies above its bass over the front's own step."""
    middle = 115.0 / system.front.width
    below, above = (np.geomspace(middle * a, middle * b, 24) for a, b in ((0.35, 0.5), (1.6, 2.6)))
    return np.mean(level(pressure(system, above))) - np.mean(level(pressure(system, below)))


def one(cli, kind, seed, keep=None):
    rng = np.random.default_rng([seed, zlib.crc32(kind.encode())])
    system, day = KINDS[kind](rng)
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(keep or scratch)
        Writer(folder, system, day, rng).write()
        run = subprocess.run([cli, "diagnose", str(folder), "--json"], capture_output=True, text=True)
    if run.returncode != 0:
        return kind, seed, {"failed: " + run.stderr.strip()[:200]: 1.0}
    said = said_of(json.loads(run.stdout))
    also = ALSO.get(kind, set()) | (OF_ONE_DRIVER if len(system.drivers) == 1 else set())
    if step_db(system) > 4.0:
        also = also | {"baffle-step"}
    return kind, seed, {c: p for c, p in said.items() if c == kind or c not in also}


def main():
    cli = sys.argv[1]
    count = int(sys.argv[2]) if len(sys.argv) > 2 else 4
    first = int(sys.argv[3]) if len(sys.argv) > 3 else 1
    kinds = sys.argv[4].split(",") if len(sys.argv) > 4 else list(KINDS)
    jobs = [(k, first + i) for k in kinds for i in range(count)]
    with ThreadPoolExecutor(2) as pool:
        results = list(pool.map(lambda job: one(cli, *job), jobs))
    right, wrong, true, clean, top = 0, 0, 0, 0, 0
    bins = [[0, 0, 0.0] for _ in range(10)]
    sound = [r for r in results if r[0] == "sound"]
    for kind, seed, said in results:
        ranked = sorted(said.items(), key=lambda item: -item[1])
        loud = [f"{c} {p:.2f}" for c, p in ranked if p > 0.2]
        hit = bool(ranked) and ranked[0][0] == kind
        if kind != "sound":
            top += hit
            right += said.get(kind, 0.0) > 0.5
        for cause, p in ranked:
            true += cause == kind and p > 0.5
            wrong += cause != kind and p > 0.5
            slot = bins[min(int(p * 10), 9)]
            slot[0] += 1
            slot[1] += cause == kind
            slot[2] += p
        clean += kind == "sound" and any(p > 0.5 for p in said.values())
        if not hit and kind != "sound" or any(c != kind and p > 0.5 for c, p in said.items()):
            print(f"{kind} {seed}: {', '.join(loud) or 'nothing'}")
    asked = len(results) - len(sound)
    print(f"most probable right: {top} of {asked}; above one half right {right}, true {true} of {true + wrong};"
          f" sound ones called something: {clean} of {len(sound)}")
    total = sum(b[0] for b in bins if b[0])
    error = sum(abs(b[2] - b[1]) for b in bins) / max(total, 1)
    print(f"calibration error {error:.3f}; " + ", ".join(
        f"{b[2] / b[0]:.2f} said {b[1] / b[0]:.2f} true ({b[0]})" for b in bins if b[0]))


if __name__ == "__main__":
    main()
