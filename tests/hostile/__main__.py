"""`make attack`: thousands of each attack, and the table of docs/reliability.md from what came of
them.
"""

from __future__ import annotations

import os
import platform
import sys
import tempfile
import time
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

import numpy as np

sys.path[:0] = [str(Path(__file__).parent), str(Path(__file__).parents[1])]

import attacks
import every_command
import full_disk
import storms
import supplies
import week
from tally import Tally

ATTACKS = vars(attacks) | vars(every_command) | vars(full_disk) | vars(storms)

MANY = {
    "records": 3000,
    "logs": 2000,
    "every_command": 1500,
    "lines_and_searches": 4000,
    "answers": 4000,
    "damaged_recordings": 2000,
    "cut_streams": 2000,
    "damaged_databases": 1200,
    "lines": 2000,
    "crashes": 1000,
    "short_writes": 1400,
}
WHAT = {
    "records": "mutated builds, rigs, plans and options through the commands",
    "logs": "mutated logs through `sparring reduce`",
    "every_command": "mutated files and options through every command of the program",
    "lines_and_searches": "plan lines and searches of their own words in any order",
    "answers": "answers of instruments in any form, and patterns they are compared with",
    "damaged_recordings": "flipped bits, holes and cuts in recordings",
    "cut_streams": "the same in captures that were not ended",
    "damaged_databases": "the same in a logbook's database",
    "lines": "garbage between a board's lines (60 lines each)",
    "crashes": "crash or full disk at every write, fsync and rename of keeping a run",
    "short_writes": "writes cut short, then refused, by every command that keeps something",
}
STOPS, KILLS = 1000, 50
OFF = {"stop": 300, "thread dies": 75, "let go": 75, "program killed": 50}  # of each wire
PAGE = Path(__file__).parents[2] / "docs" / "reliability.md"


def one(name: str, part: int, parts: int) -> tuple[str, Tally]:
    """A part of an attack, in a process of its own."""
    with tempfile.TemporaryDirectory() as folder:
        return name, ATTACKS[name](MANY[name] // parts, 100 + part, Path(folder))


def benches() -> int:
    """How long a bench goes on over its limit, and what a kill costs; with nothing beside it."""
    with tempfile.TemporaryDirectory() as folder:
        stops = 1e3 * np.array(storms.stop_times(STOPS, 1, Path(folder)))
        lost = np.array(storms.kills(KILLS, 1, Path(folder)))
        off = np.array(
            [
                took
                for way, many in OFF.items()
                for serial in (False, True)
                for took in supplies.off_times(many, way, serial=serial)
            ]
        )
        lived = week.week(hours=7 * 16.0, kills=10, seed=1, folder=Path(folder))
    shares = ", ".join(f"{np.percentile(stops, q):.0f} ms at {q} %" for q in (50, 99, 99.9))
    write(
        "benches",
        [
            (
                f"From the first line over a limit to `stop` on the cable, {STOPS} runs: {shares};"
                f" longest {stops.max():.0f} ms."
            ),
            "",
            (
                f"A supply that drives is off after a stop, when its thread dies, when it is let go"
                f" and when the program is killed, over TCP and serial, {len(off)} times:"
                f" {1e3 * np.median(off):.0f} ms in the middle, {1e3 * off.max():.0f} ms at most,"
                f" {np.sum(off < 0.1)} within 100 ms."
            ),
            "",
            (
                f"Killed outright while recording, {KILLS} times: {np.median(lost):.2f} s of the"
                f" run lost in the middle, {lost.max():.2f} s at most."
            ),
            "",
            (
                f"A simulated week of a life test, killed ten times: {max(lived.lost):.1f} s lost"
                f" at most; {lived.cycles} of {lived.wanted[2]} cycles, {lived.turns:.0f} of"
                f" {lived.wanted[1]:.0f} turns."
            ),
        ],
    )
    return 0


def inputs() -> int:
    """Everything that comes from outside."""
    begun = time.time()
    found: dict[str, list[Tally]] = {name: [] for name in MANY}
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        jobs = [
            pool.submit(one, name, part, 1 if name == "crashes" else 8)
            for name in MANY
            for part in range(1 if name == "crashes" else 8)
        ]
        for job in jobs:
            name, tally = job.result()
            found[name].append(tally)
            for fault in tally.faults:
                print(f"{name}: {fault}\n", file=sys.stderr)
    rows = [
        "| what | inputs | told in words | tracebacks | hangs | wrong silences | slowest |",
        "|---|---:|---:|---:|---:|---:|---:|",
    ]
    faults = 0
    for name, tallies in found.items():
        count, told = sum(t.inputs for t in tallies), sum(t.told for t in tallies)
        bad = [
            sum(len(getattr(t, k)) for t in tallies) for k in ("tracebacks", "hangs", "silences")
        ]
        faults += sum(bad)
        rows.append(
            f"| {WHAT[name]} | {count} | {told} | {bad[0]} | {bad[1]} | {bad[2]} |"
            f" {max(t.slowest for t in tallies):.1f} s |"
        )
    write(
        "inputs",
        [
            *rows,
            "",
            (
                f"Taken on {platform.machine()}, {os.cpu_count()} processors, in"
                f" {(time.time() - begun) / 60:.0f} minutes."
            ),
        ],
    )
    return 1 if faults else 0


def write(part: str, lines: list[str]) -> None:
    """Puts what was measured in its place on the page."""
    begin, end = f"<!-- {part}: begin -->", f"<!-- {part}: end -->"
    before, rest = PAGE.read_text(encoding="utf-8").split(begin)
    _, after = rest.split(end)
    PAGE.write_text(before + begin + "\n" + "\n".join(lines) + "\n" + end + after, encoding="utf-8")
    print("\n".join(lines))


if __name__ == "__main__":
    sys.exit(
        sum(
            {"benches": benches, "inputs": inputs}[part]()
            for part in sys.argv[1:] or ("benches", "inputs")
        )
    )
