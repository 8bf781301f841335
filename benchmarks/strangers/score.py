#!/usr/bin/env python3
"""How often `lalometer-cli diagnose` is right about loudspeakers that no part of it made.

    ./benchmarks/strangers/score.py CLI [--seeds N] [--first SEED] [--kinds A,B] [--plain|--fuller|--chain|--hard|--pairs] [--lean] [--json FILE]

Prints a line for each miss and a table: docs/accuracy.md. Needs python3-numpy and python3-scipy.
"""

import argparse
import json
import subprocess
import tempfile
import zlib
from collections import defaultdict
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np

import chain
import chain_faults
import faults
import fuller
import fuller_faults
import lean
import plain
import plain_faults
from designs import level, pressure
from faults import harder, second_fault
from session import Writer

# What else is true of some loudspeakers: neither right nor wrong.
ALSO = {"cavity-resonance": {"dipole-cancellation"}, "dipole-cancellation": {"cavity-resonance"}}
MISMATCH_DB = 5.0
OF_ONE_DRIVER = {"baffle-step", "beaming"}  # without a network nothing makes up for either


def said_of(found):
    said = defaultdict(float)
    for finding in found["findings"]:
        for cause in finding["causes"]:
            said[cause["cause"]] = max(said[cause["cause"]], cause["probability"])
    for cause in found["overall"]:
        said[cause["cause"]] = max(said[cause["cause"]], cause["probability"])
    return dict(said)


def jump_db(level_at, crossing):
    """How far the sides lie nearer the axis above the crossing than below: what a mismatch is, whoever planted it."""
    if not crossing:
        return 0.0
    side = lambda f: np.mean([level_at(f, h) - level_at(f, 0.0) for h in (-60.0, -45.0, 45.0, 60.0)], axis=0)
    return np.max(side(crossing * np.geomspace(1.0, 1.7, 8))) - np.min(side(crossing * np.geomspace(0.6, 1.0, 8)))


def heard_by(speaker):
    return getattr(speaker, "at_list", speaker.pressure)


def plain_step_db(s):
    middle = 115.0 / s.width
    below, above = (np.geomspace(middle * a, middle * b, 24) for a, b in ((0.35, 0.5), (1.6, 2.6)))
    return np.mean(plain.level(heard_by(s)(above))) - np.mean(plain.level(heard_by(s)(below)))


FAMILIES = {"plain": (plain.Keeper, plain_faults.KINDS), "fuller": (fuller.Keeper, fuller_faults.KINDS),
            "chain": (chain.Taker, chain_faults.KINDS)}


def step_db(system):
    """How far the axis lies above its bass over the front's own step."""
    middle = 115.0 / system.front.width
    below, above = (np.geomspace(middle * a, middle * b, 24) for a, b in ((0.35, 0.5), (1.6, 2.6)))
    return np.mean(level(pressure(system, above))) - np.mean(level(pressure(system, below)))


def ask_cli(cli, folder):
    run = subprocess.run([cli, "diagnose", str(folder), "--json"], capture_output=True, text=True)
    if run.returncode != 0:
        return {"failed: " + run.stderr.strip()[:200]: 1.0}
    return said_of(json.loads(run.stdout))


def one_of(family, cli, kind, seed, keep=None, less=False):
    keeper, kinds = FAMILIES[family]
    rng = np.random.default_rng([seed, zlib.crc32(kind.encode())])
    speaker, day = kinds[kind](rng)
    with tempfile.TemporaryDirectory() as scratch:
        keeper(keep or scratch, speaker, day, rng).all()
        if less:
            lean.Hand(rng).pass_on(keep or scratch)
        said = ask_cli(cli, keep or scratch)
    true = {kind} - {"sound"}
    also = ALSO.get(kind, set()) | (OF_ONE_DRIVER if len(speaker.ways) == 1 else set())
    if plain_step_db(speaker) > 4.0:
        also = also | {"baffle-step"}
    if jump_db(lambda f, h: plain.level(heard_by(speaker)(f, h)), speaker.cross) > MISMATCH_DB:
        also = also | {"directivity-mismatch"}
    return kind, seed, true, {c: p for c, p in said.items() if c in true or c not in also}


def one(cli, kind, seed, keep=None, hard=False, pairs=False, less=False):
    rng = np.random.default_rng([seed, zlib.crc32(kind.encode())])
    system, day = faults.KINDS[kind](rng)
    true = {kind} - {"sound"}
    also = ALSO.get(kind, set()) | (OF_ONE_DRIVER if len(system.drivers) == 1 else set())
    if pairs and kind not in ("sound", "clipping", "sample-variation"):
        true.add(second_fault(rng, system, day, kind))
    if hard:
        harder(rng, day)
    with tempfile.TemporaryDirectory() as scratch:
        folder = Path(keep or scratch)
        Writer(folder, system, day, rng).write()
        if less:
            lean.Hand(rng).pass_on(folder)
        said = ask_cli(cli, folder)
    if step_db(system) > 4.0:
        also = also | {"baffle-step"}
    if jump_db(lambda f, h: level(pressure(system, f, h)), system.crossing if len(system.drivers) > 1 else 0.0) > MISMATCH_DB:
        also = also | {"directivity-mismatch"}
    return kind, seed, true, {c: p for c, p in said.items() if c in true or c not in also}


def main():
    ask = argparse.ArgumentParser()
    ask.add_argument("cli")
    ask.add_argument("--seeds", type=int, default=4)
    ask.add_argument("--first", type=int, default=1)
    ask.add_argument("--kinds", default=",".join(faults.KINDS))
    ask.add_argument("--hard", action="store_true")
    ask.add_argument("--plain", action="store_true", help="the simpler family of plain.py")
    ask.add_argument("--fuller", action="store_true", help="the family of fuller.py")
    ask.add_argument("--chain", action="store_true", help="the family of chain.py")
    ask.add_argument("--pairs", action="store_true")
    ask.add_argument("--lean", action="store_true", help="what other hands leave of the sets: lean.py")
    ask.add_argument("--json")
    a = ask.parse_args()
    jobs = [(k, a.first + i) for k in a.kinds.split(",") for i in range(a.seeds)]
    with ThreadPoolExecutor(2) as pool:
        family = next((name for name in FAMILIES if getattr(a, name)), None)
        if family:
            results = list(pool.map(lambda job: one_of(family, a.cli, *job, less=a.lean), jobs))
        else:
            results = list(pool.map(lambda job: one(a.cli, *job, hard=a.hard, pairs=a.pairs, less=a.lean), jobs))
    told, right, wrong, top, first, asked, sound, called = 0, 0, 0, 0, 0, 0, 0, 0
    bins = [[0, 0, 0.0] for _ in range(10)]
    for kind, seed, true, said in results:
        ranked = sorted(said.items(), key=lambda item: -item[1])
        lead = {c for c, _ in ranked[: len(true)]} == true
        false = [c for c, p in ranked if p > 0.5 and c not in true]
        if true:
            asked += 1
            top += lead
            first += bool(ranked) and ranked[0][0] in true
        else:
            sound += 1
            called += bool(false)
        told += sum(said.get(c, 0.0) > 0.5 for c in true)
        right += sum(c in true for c, p in ranked if p > 0.5)
        wrong += len(false)
        for cause, p in ranked:
            slot = bins[min(int(p * 10), 9)]
            slot[0] += 1
            slot[1] += cause in true
            slot[2] += p
        if not lead or false:
            loud = [f"{c} {p:.2f}" for c, p in ranked if p > 0.2]
            print(f"{kind} {seed} ({', '.join(sorted(true))}): {', '.join(loud) or 'nothing'}")
    print(f"most probable right: {first} of {asked} (of pairs both lead: {top}); of what stands above one half true: {right} of {right + wrong};"
          f" sound ones called something: {called} of {sound}")
    total = sum(b[0] for b in bins)
    error = sum(abs(b[2] - b[1]) for b in bins) / max(total, 1)
    print(f"calibration error {error:.3f}; " + ", ".join(
        f"{b[2] / b[0]:.2f} said {b[1] / b[0]:.2f} true ({b[0]})" for b in bins if b[0]))
    if a.json:
        Path(a.json).write_text(json.dumps([[k, s, sorted(t), said] for k, s, t, said in results]))


if __name__ == "__main__":
    main()
