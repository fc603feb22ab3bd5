"""A disk on which no file may grow beyond a size: the write that would go over it is cut short, the
next one fails, whatever library makes it. What writes a logbook or a file says so in words, and
what was kept before is all there afterwards.
"""

from __future__ import annotations

import random
import resource
import shutil
from contextlib import contextmanager
from pathlib import Path

from every_command import sound
from tally import Tally
from typer.testing import CliRunner

from sparring.cli.app import app
from sparring.logbook import Logbook, LogbookError

MOST = 400_000  # bytes; the logbook's largest file has less


READS = "export", "reduce to the screen"


@contextmanager
def files_no_larger_than(size: int):
    """Python ignores the signal, so the write returns what was written, then EFBIG."""
    before, hard = resource.getrlimit(resource.RLIMIT_FSIZE)
    resource.setrlimit(resource.RLIMIT_FSIZE, (size, hard))
    try:
        yield
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, (before, hard))


def short_writes(n, seed, folder: Path) -> Tally:
    """n sizes, with each of the commands that write."""
    rng, tally = random.Random(seed), Tally()
    (folder / "sound").mkdir()
    files = sound(folder / "sound")
    log = ["{log}", "--build", "Dunnock r2", "--rig", "Hoist A"]
    ways = {
        "import a log": ["import", "{book}", *log],
        "import a build": ["import", "{book}", "{build}"],
        "export": ["export", "{book}", "{out}"],
        "a second campaign": ["campaign", "{book}", "--add", "{campaign}"],
        "edit": ["edit", "{book}", "--build", "Dunnock r2", "--set", "stages.0.friction=0.3"],
        "reduce to the screen": ["reduce", "{log}", "--build={build}", "--rig={rig}", "--json"],
        "a trial": [],
    }
    _, ended = _command(["campaign", str(files["book"]), "--add", str(files["campaign"])])
    assert ended == 0
    whole, exported = _kept(files["book"]), _sizes(files["folder"])
    for k in range(n):
        way = list(ways)[k % len(ways)]
        size = int(rng.choice([0, MOST * rng.random(), MOST * rng.random() ** 4]))
        book, out = folder / f"book {k}", folder / f"out {k}"
        shutil.copytree(files["book"], book)
        given = {name: str(path) for name, path in files.items()}
        words = [w.format(**given | {"book": str(book), "out": str(out)}) for w in ways[way]]
        with tally.one(what := f"short_writes seed {seed} number {k}: {way}, {size} bytes"):
            with files_no_larger_than(size):
                said, ended = _trial(book) if way == "a trial" else _command(words)
            tally.told += ended != 0
            if ended not in (0, 1, 2) or (ended and len(said.strip()) < 20):
                tally.silences.append(f"{what}: ended {ended}, said {said!r}")
            if "Traceback" in said:
                tally.tracebacks.append(f"{what}\n{said}")
            after = _kept(book)
            if lost := whole - after:
                tally.silences.append(f"{what}: lost {sorted(lost)[:3]}; said {said!r}")
            if not ended and way == "export" and (short := exported - _sizes(out)):
                tally.silences.append(f"{what}: said to be written: {sorted(short)}")
            if not ended and way not in READS and after == whole:
                tally.silences.append(f"{what}: said to be kept, and is not")
        shutil.rmtree(book)
        shutil.rmtree(out, ignore_errors=True)
    return tally


def _sizes(folder: Path) -> set[tuple[str, int]]:
    """Of the tables and records of an exported logbook."""
    return {
        (str(p.relative_to(folder)), p.stat().st_size)
        for p in folder.rglob("*")
        if p.suffix in (".csv", ".json")
    }


def _command(words: list[str]) -> tuple[str, int]:
    done = CliRunner().invoke(app, words)
    if done.exception is not None and not isinstance(done.exception, SystemExit):
        raise done.exception
    return done.output, done.exit_code


def _trial(book: Path) -> tuple[str, int]:
    """As the window begins one."""
    try:
        with Logbook(book) as opened:
            (key, campaign), *_ = opened.campaigns()
            build, rig = opened.builds()[0], opened.rigs()[0]
            opened.begin_trial(key, build[1].name, build[0], rig[0], campaign.plan)
    except (LogbookError, OSError) as err:
        return str(err), 1
    return "", 0


def _kept(book: Path) -> set[tuple]:
    """All that a logbook has, as it reads back."""
    with Logbook(book) as opened:
        found = {("build", i, b.to_json()) for i, b in opened.builds()}
        found |= {("rig", i, r.to_json()) for i, r in opened.rigs()}
        for i, c in opened.campaigns():
            assert {t.test for t in c.tests} <= {t.id for t in opened.tests()}, "half a trial"
            found.add(("campaign", i, c.name))
        for test in opened.tests():
            found.add(("test", test.id))
            for run in opened.runs(test.id):
                if run.recording:
                    opened.recording(run.recording)  # it reads back
                found.add(("run", test.id, run.id, run.recording))
        return found
