"""Attacks on everything that comes from outside, by the thousand: records, logs, recordings,
databases, a board's lines.

Each takes how many and a seed, and gives back what happened; the suite makes some of each, `make
attack` many.
"""

from __future__ import annotations

import copy
import json
import math
import random
import shutil
import sqlite3
from contextlib import closing
from pathlib import Path

import numpy as np
from helpers import planned
from tally import Tally, _same, a_recording
from typer.testing import CliRunner

from sparring.cli.app import app
from sparring.core.methods import METHODS
from sparring.core.run import Run
from sparring.demo import hollin_yard
from sparring.files import record_files
from sparring.logbook import Logbook, LogbookError, recordings
from sparring.logbook.recordings import RecordingError

VALUES = [
    None, True, [], {}, "", "x", -1, 0, 1e300, math.nan, math.inf, -math.inf, 10**400, "0",
    "-3 N·m", "1e400 mm", "9**9**9 mm", "(" * 3000 + "1" + ")" * 3000,
    "1 " + "kg*" * 2000 + "kg", "1 mm ± 1e300 mm", "1 mm ± -2 mm", "1 kg/m^99",
    "² V", "nan mm", "inf rpm",
    "<img src=/etc/passwd>", "\x00", "\ud83d", "é" * 300, "1 " * 100_000,
    [[[[[[]]]]]], {"a": {"b": {}}},
    "../../etc/passwd", "/etc/passwd",
    "0 mm", "-5 V", "1e-300 mm", "1e9 rpm", "1/0", "١٢ mm",
]  # fmt: skip


def _paths(node, at=()):
    yield at
    for key, value in (
        node.items()
        if isinstance(node, dict)
        else enumerate(node)
        if isinstance(node, list)
        else ()
    ):
        yield from _paths(value, (*at, key))


def mutated(document, rng):
    """A JSON document with something wrong with it, as text."""
    document = copy.deepcopy(document)
    for _ in range(rng.choice([1, 1, 1, 2, 5])):
        at = rng.choice([p for p in _paths(document) if p])
        node = document
        for key in at[:-1]:
            node = node[key]
        how = rng.random()
        if how < 0.7:
            node[at[-1]] = rng.choice(VALUES)
        elif how < 0.85:
            del node[at[-1]]
        elif isinstance(node, dict):
            node[rng.choice(["unknown", "", "<b>", "version"])] = rng.choice(VALUES)
        else:
            node.insert(0, node[at[-1]])
    text = json.dumps(document)
    how = rng.random()
    if how < 0.03:
        return text[: rng.randrange(len(text))]
    if how < 0.05:
        return "\ufeff" + text
    if how < 0.07:
        return "[" * 100_000
    if how < 0.09:
        return text.replace("{", '{"version": 1, "version": 2, ', 1)
    return text


def _no_constant(name):
    raise ValueError(f"{name} in JSON")


def command(tally, what, words, named):
    """Runs a command: what it refuses has to name one of the files, where there are any; what it
    takes has to be JSON without NaN.
    """
    with tally.one(what):
        done = CliRunner().invoke(app, [str(w) for w in words])
        if done.exception is not None and not isinstance(done.exception, SystemExit):
            raise done.exception
        if done.exit_code == 0 and "--json" in words:
            json.loads(done.stdout, parse_constant=_no_constant)
        elif done.exit_code:
            tally.told += 1
            if named and not any(
                str(n) in done.output.replace("\n", "") or n.name in done.output for n in named
            ):
                tally.silences.append(f"{what}: refused without naming a file: {done.output[:300]}")


def records(n, seed, folder: Path) -> Tally:
    """Mutated builds, rigs and plans through the commands that read them."""
    rng, tally = random.Random(seed), Tally()
    builds = [hollin_yard.dunnock(2), *hollin_yard.others(hollin_yard.motor())]
    rigs = [hollin_yard.rig().model_copy(update={"method": m.ours()}) for m in METHODS]
    log = small_log(folder)
    good = {
        "build": folder / "good-build.json",
        "rig": folder / "good-rig.json",
        "plan": folder / "good-plan.json",
    }
    for name, record in (("build", builds[0]), ("rig", hollin_yard.rig()), ("plan", planned())):
        record_files.save(good[name], record)
    for k in range(n):
        kind = rng.choice(["build", "build", "rig", "plan"])
        record = {"build": builds, "rig": rigs, "plan": [planned()]}[kind]
        path = folder / f"bad-{kind}.json"
        text = mutated(json.loads(rng.choice(record).to_json()), rng)
        path.write_bytes(text.encode("utf-8", "surrogatepass"))
        files = {**good, kind: path}
        what = f"records seed {seed} number {k}: {text[:2000]}"
        if kind == "build" and rng.random() < 0.7:
            load = rng.choice(
                [
                    "0.3 N·m",
                    "0.3 N·m",
                    "-3 N·m",
                    "1e300 N·m",
                    "0 N·m",
                    "x",
                    "9**9**9 N·m",
                    "nan N·m",
                ]
            )
            command(
                tally,
                f"--load {load}, {what}",
                ["train", path, "--load", load, "--json"],
                [path, Path("--load")],
            )
        else:
            options = [f"--{name}={file}" for name, file in files.items()]
            column = rng.choice(
                [
                    [],
                    [],
                    [],
                    ["--column", "99=speed:rpm"],
                    ["--column", "²=speed:rpm"],
                    ["--column", "1=t:"],
                ]
            )
            command(
                tally,
                f"{column}, {what}",
                ["reduce", log, *options, *column, "--json"],
                [*files.values(), log, Path("column")],
            )
    return tally


def small_log(folder: Path) -> Path:
    """Four lifts in one log, made by hand: no plant is needed to refuse a file."""
    rng = np.random.default_rng(0)
    t = np.arange(0.0, 16.0, 0.02)
    on = (t % 4 > 1) & (t % 4 < 3.5)
    mass = np.floor(t / 4) * 0.5 + 0.5
    cells = [
        t,
        12.0 * on,
        (0.4 + 0.5 * mass) * on,
        (110 - 18 * mass) * on + 0.05 * rng.standard_normal(len(t)),
        mass,
    ]
    path = folder / "log.csv"
    np.savetxt(
        path,
        np.column_stack(cells),
        fmt="%.4f",
        delimiter=",",
        header="t [s],voltage [V],current [A],speed [rpm],mass [kg]",
        comments="",
    )
    return path


_CELLS = [
    "",
    "nan",
    "inf",
    "1e300",
    "-1e300",
    "1e999",
    "x",
    "-",
    "1,5",
    '"',
    "\x00",
    "0x10",
    "1.2.3",
    "=1+1",
    "<img src=x>",
    "9" * 400,
]


def logs(n, seed, folder: Path) -> Tally:
    """Mutated logs through `sparring reduce`."""
    rng, tally = random.Random(seed), Tally()
    lines = small_log(folder).read_text().splitlines()
    build, rig = folder / "build.json", folder / "rig.json"
    record_files.save(build, hollin_yard.dunnock(2))
    record_files.save(rig, hollin_yard.rig())
    path = folder / "bad.csv"
    for k in range(n):
        mine = list(lines)
        for _ in range(rng.choice([1, 1, 3, 50])):
            at, how = rng.randrange(len(mine)), rng.random()
            cells = mine[at].split(",")
            if how < 0.6:
                cells[rng.randrange(len(cells))] = rng.choice(_CELLS)
                mine[at] = ",".join(cells)
            elif how < 0.7:
                mine[at] = ",".join(cells[: rng.randrange(len(cells))])
            elif how < 0.8:
                mine.insert(rng.randrange(len(mine)), mine[at])
            elif how < 0.9:
                mine[at] += ",1" * rng.choice([1, 1000])
            else:
                column = rng.randrange(5)
                value = rng.choice(_CELLS)
                mine = [
                    ",".join(value if i == column else c for i, c in enumerate(x.split(",")))
                    for x in mine
                ]
        data = "\n".join(mine).encode("utf-8", "surrogatepass")
        how = rng.random()
        if how < 0.1:
            spot = rng.randrange(len(data))
            data = data[:spot] + bytes([rng.randrange(256)]) + data[spot + 1 :]
        elif how < 0.15:
            data = data[: rng.randrange(len(data))]
        elif how < 0.2:
            data = data.decode(errors="replace").encode("utf-16")
        path.write_bytes(data)
        command(
            tally,
            f"logs seed {seed} number {k}",
            ["reduce", path, f"--build={build}", f"--rig={rig}", "--json"],
            [path, build, rig],
        )
    return tally


def _damage(data: bytes, rng) -> bytes:
    out = bytearray(data)
    how = rng.random()
    if how < 0.6:
        out[rng.randrange(len(out))] ^= 1 << rng.randrange(8)
    elif how < 0.75:
        return bytes(out[: rng.randrange(len(out))])
    elif how < 0.9:
        at, size = rng.randrange(len(out)), rng.randrange(1, 4096)
        out[at : at + size] = bytes(len(out[at : at + size]))
    else:
        at = rng.randrange(len(out))
        out[at : at + 64] = rng.randbytes(len(out[at : at + 64]))
    return bytes(out)


def damaged_recordings(n, seed, folder: Path) -> Tally:
    """Flipped bits, holes and cuts in recordings: read as it was, or told."""
    rng, tally = random.Random(seed), Tally()
    whole = a_recording()
    path = folder / recordings.write(folder, whole)
    data = path.read_bytes()
    for k in range(n):
        hurt = _damage(data, rng)
        if hurt == data:
            continue
        path.write_bytes(hurt)
        with tally.one(what := f"recordings seed {seed} number {k}"):
            try:
                if not _same(recordings.read(path), whole):
                    tally.silences.append(what)
            except RecordingError:
                tally.told += 1
    return tally


def cut_streams(n, seed, folder: Path) -> Tally:
    """Damaged captures, taken in when the logbook is opened: no traceback, and what can be read is
    what was written.
    """
    from sparring.bench.recorder import Recorder

    rng, tally = random.Random(seed), Tally()
    whole = a_recording()
    path = folder / "capture.arrow"
    recorder = Recorder(path, tuple(whole.channels), {"test": 1, "run": {}})
    for k in range(0, len(whole), 100):
        part = slice(k, k + 100)
        recorder.add(whole.t[part], np.column_stack([v[part] for v in whole.channels.values()]))
        recorder._flush()
    recorder.close(ended="top")
    data = path.read_bytes()
    for k in range(n):
        path.write_bytes(_damage(data, rng) if k % 2 else data[: rng.randrange(len(data))])
        with tally.one(f"streams seed {seed} number {k}"):
            try:
                read, note = recordings.read_stream(path)
                at = np.searchsorted(whole.t, read.t).clip(max=len(whole) - 1)
                same = np.array_equal(whole.t[at], read.t) and all(
                    np.array_equal(whole.channels[c][at], v) for c, v in read.channels.items()
                )
                if (
                    not same
                    or (note.get("test"), note.get("run")) != (1, {})
                    or (k % 2 == 0 and "damaged" in note)
                ):
                    tally.silences.append(f"streams seed {seed} number {k}")
                tally.told += "damaged" in note or "cut" in note
            except RecordingError:
                tally.told += 1
    return tally


def damaged_databases(n, seed, folder: Path) -> Tally:
    """Flipped bits, holes and cuts in a logbook's database: what it holds is as it was, or the
    damage is told.
    """
    rng, tally = random.Random(seed), Tally()
    book = folder / "book"
    with Logbook(book) as made:
        build, rig = made.save_build(hollin_yard.dunnock(2)), made.save_rig(hollin_yard.rig())
        test = made.add_test(build, rig, hollin_yard.plan(0.5, 1.0), "one")
        for k in range(30):
            made.add_run(test, Run(step=k, voltage=12.0), f"{k:064x}.parquet")
    database = book / "logbook.sqlite"
    with closing(sqlite3.connect(database)) as connection:
        connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    data = database.read_bytes()

    def read():
        with Logbook(book) as opened:
            return (
                repr(
                    (opened.builds(), opened.rigs(), opened.tests(), opened.runs(test, struck=True))
                ),
                opened.damage,
            )

    whole, _ = read()
    for k in range(n):
        hurt = _damage(data, rng)
        if hurt == data:
            continue
        for ending in ("-wal", "-shm"):
            database.with_name(database.name + ending).unlink(missing_ok=True)
        shutil.rmtree(book / "backups", ignore_errors=True)
        database.write_bytes(hurt)
        with tally.one(what := f"databases seed {seed} number {k}"):
            try:
                now, damage = read()
                if damage:
                    tally.told += 1
                elif now != whole:
                    tally.silences.append(what)
            except LogbookError:
                tally.told += 1
    return tally
