"""What a life test has done, on the disk: a line for each cycle, and the moment in hand.

A folder, `LOGBOOK/endurance/TEST`:

- `test.json`: what is tested, how, on which devices; never changed.
- `cycles.jsonl`: a line for each cycle that is over.
- `now.json`: the cycle in hand and the state, written anew every second, whole or not at all.
- `log.jsonl`: what was said and what happened, a line each.
- `captures/`: the run that is being recorded.
"""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import time
from collections.abc import Iterator
from dataclasses import asdict, dataclass, field, replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, Literal

from sparring.core.build import Build
from sparring.core.endurance import Cycle, Endurance, Totals
from sparring.core.instruments.devices import DeviceSet
from sparring.core.records import RecordError
from sparring.core.rig import Rig
from sparring.logbook.recordings import private, sync_folder

FOLDER = "endurance"
State = Literal["begun", "running", "paused", "inspection", "ended", "failed"]
ALIVE = 15.0  # [s] within which a process that goes on has written


class JournalError(OSError):
    """What a life test has done cannot be read or written; the message says why."""


@dataclass
class Now:
    """The moment in hand. state, why: in words where it does not run; phase: of the cycle, from 0;
    elapsed [s]: of the phase; pid, socket: of the process that does it; written: Unix time [s];
    tare [counts]: of the load cell, with its standard uncertainty.
    """

    state: State = "begun"
    why: str = ""
    cycle: Cycle = field(default_factory=Cycle)
    phase: int = 0
    elapsed: float = 0.0
    pid: int = 0
    socket: str = ""
    written: float = 0.0
    tare: tuple[float, float] | None = None

    @property
    def alive(self) -> bool:
        """Whether its process goes on."""
        if self.state in ("ended", "failed") or not self.pid:
            return False
        try:
            os.kill(self.pid, 0)
        except ProcessLookupError:
            return False
        except PermissionError:
            return True
        return time.time() - self.written < ALIVE


@dataclass(frozen=True)
class UnderTest:
    """What is tested. test: its number in the logbook; begun: ISO time of its test there."""

    test: int
    begun: str
    build: Build
    rig: Rig
    plan: Endurance
    devices: DeviceSet


class Journal:
    """One life test. Opened to write by one process; read by any."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.cycles: list[Cycle] = []
        self.now = Now()
        self.captures = folder / "captures"
        self._read_to = 0  # bytes of the cycles' file
        self._sums, self._summed = Totals(), 0  # of so many cycles

    # --- beginning and reading --------------------------------------------------------------------

    @classmethod
    def begin(cls, logbook: Path, tested: UnderTest) -> Journal:
        """A new one. Raises JournalError where there is one of this test, or nothing can be
        written.
        """
        made = cls(logbook / FOLDER / str(tested.test))
        told = {
            "format": "sparring.endurance-test/1",
            "test": tested.test,
            "begun": tested.begun,
            "build": json.loads(tested.build.to_json()),
            "rig": json.loads(tested.rig.to_json()),
            "plan": json.loads(tested.plan.to_json()),
            "devices": json.loads(tested.devices.to_json()),
        }
        try:
            (logbook / FOLDER).mkdir(mode=0o700, exist_ok=True)
            made.folder.mkdir(mode=0o700)
            made.captures.mkdir(mode=0o700)
            _write(made.folder / "test.json", json.dumps(told, indent=2, ensure_ascii=False))
        except FileExistsError as err:
            raise JournalError(f"{made.folder} is there already: resume it instead") from err
        except OSError as err:
            raise JournalError(f"{made.folder} cannot be written: {err.strerror}") from err
        made.save()
        return made

    @classmethod
    def of(cls, folder: Path) -> Journal:
        """One that is there, with all that it has done. Raises JournalError."""
        made = cls(folder)
        made.refresh()
        return made

    def tested(self) -> UnderTest:
        """What it tests. Raises JournalError."""
        path = self.folder / "test.json"
        try:
            told = json.loads(path.read_text(encoding="utf-8"))
            return UnderTest(
                int(told["test"]),
                str(told["begun"]),
                Build.from_json(json.dumps(told["build"]), str(path)),
                Rig.from_json(json.dumps(told["rig"]), str(path)),
                Endurance.from_json(json.dumps(told["plan"]), str(path)),
                DeviceSet.from_json(json.dumps(told["devices"]), str(path)),
            )
        except OSError as err:
            raise JournalError(f"{path}: {err.strerror or err}") from err
        except (RecordError, ValueError, KeyError, TypeError) as err:
            raise JournalError(f"{path} is no life test: {err}") from err

    def refresh(self) -> None:
        """Reads what is on the disk, of the cycles those that are new. A line that was torn by a
        power cut is left out: its cycle is the one in hand. Raises JournalError.
        """
        if not (self.folder / "test.json").exists():
            raise JournalError(f"{self.folder} is no life test: it has no test.json")
        path = self.folder / "cycles.jsonl"
        found, self._read_to = _cycles(path, self._read_to, len(self.cycles))
        self.cycles += found
        last = self.cycles[-1].n if self.cycles else 0
        self.now = _now(self.folder / "now.json")
        if self.now.cycle.n <= last:  # it was over, and only its line had been written
            self.now = replace(self.now, cycle=Cycle(n=last + 1), phase=0, elapsed=0.0)

    @property
    def totals(self) -> Totals:
        """Of all cycles, the one in hand counted as far as it went."""
        for done in self.cycles[self._summed :]:
            self._sums.add(done)
        self._summed = len(self.cycles)
        total = replace(self._sums, first=[*self._sums.first], newest=[*self._sums.newest])
        if self.now.cycle.driven > 0:
            total.add(self.now.cycle)
            total.cycles -= 1
        return total

    @contextlib.contextmanager
    def locked(self) -> Iterator[None]:
        """For the process that does it, of which there is one at a time. Raises JournalError."""
        with open(self.folder / "lock", "w", opener=private) as handle:
            try:
                fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError as err:
                raise JournalError("another process does this life test already") from err
            yield

    # --- writing ----------------------------------------------------------------------------------

    def save(self) -> None:
        """Writes the moment in hand. Raises OSError."""
        self.now.written = time.time()
        told = asdict(self.now) | {"cycle": self.now.cycle.to_dict()}
        _write(self.folder / "now.json", json.dumps(told))

    def close_cycle(self) -> Cycle:
        """The cycle in hand is over: its line is written, and the next begins. Raises OSError."""
        done = self.now.cycle
        self._read_to = _append(self.folder / "cycles.jsonl", json.dumps(done.to_dict()))
        self.cycles.append(done)
        self.now.cycle = Cycle(n=done.n + 1, began=time.time())
        self.now.phase, self.now.elapsed = 0, 0.0
        self.save()
        return done

    def write_all(self, cycles: list[Cycle], state: State, why: str) -> None:
        """All of a life test at once: one that was done elsewhere, or made up."""
        lines = "".join(json.dumps(c.to_dict()) + "\n" for c in cycles)
        _write(self.folder / "cycles.jsonl", lines)
        self.now = Now(state, why, Cycle(n=len(cycles) + 1))
        self.save()
        self.refresh()

    def mend(self) -> None:
        """Takes a torn last line off, before more are written behind it. Raises OSError."""
        path = self.folder / "cycles.jsonl"
        if not path.exists():
            return
        data = path.read_bytes()
        whole = data.rfind(b"\n") + 1
        if whole != len(data):
            with open(path, "r+b") as f:
                f.truncate(whole)
                os.fsync(f.fileno())

    def log(self, kind: str, **told: Any) -> None:
        """A line of what happened. What cannot be written is lost: the cycle goes on."""
        line = {"at": datetime.now(UTC).isoformat(timespec="milliseconds"), "kind": kind, **told}
        with contextlib.suppress(OSError):
            _append(self.folder / "log.jsonl", json.dumps(line, ensure_ascii=False), sync=False)

    def logged(self, most: int = 200) -> list[dict[str, Any]]:
        """The newest lines of the log, oldest first."""
        try:
            lines = (self.folder / "log.jsonl").read_text(encoding="utf-8").splitlines()
        except OSError:
            return []
        found = []
        for line in lines[-most:]:
            with contextlib.suppress(ValueError):
                found.append(json.loads(line))
        return found


def journals(logbook: Path) -> dict[int, Path]:
    """The life tests of a logbook, by the number of their test."""
    folder = logbook / FOLDER
    there = folder.iterdir() if folder.is_dir() else ()
    return {int(p.name): p for p in there if p.name.isdigit() and (p / "test.json").exists()}


def _cycles(path: Path, start: int, known: int) -> tuple[list[Cycle], int]:
    """The cycles from a byte of the file on, of which so many were before it, and the byte behind
    them. A last line without its end was torn.
    """
    try:
        with open(path, "rb") as f:
            f.seek(start)
            data = f.read()
    except FileNotFoundError:
        return [], 0
    except OSError as err:
        raise JournalError(f"{path}: {err.strerror or err}") from err
    whole = data[: data.rfind(b"\n") + 1]
    found: list[Cycle] = []
    for n, line in enumerate(whole.splitlines(), start=known + 1):
        try:
            found.append(Cycle.of_dict(json.loads(line)))
        except (ValueError, TypeError, AttributeError) as err:
            raise JournalError(f"{path}, line {n}: not a cycle ({err})") from err
    return found, start + len(whole)


def _now(path: Path) -> Now:
    try:
        told = json.loads(path.read_text(encoding="utf-8"))
        cycle = Cycle.of_dict(told.pop("cycle"))
        names = Now.__dataclass_fields__
        return Now(cycle=cycle, **{k: v for k, v in told.items() if k in names})
    except FileNotFoundError:
        return Now()
    except OSError as err:
        raise JournalError(f"{path}: {err.strerror or err}") from err
    except (ValueError, TypeError, KeyError, AttributeError):
        return Now()  # it is written whole: what is none was never ours


def _write(path: Path, text: str) -> None:
    """Whole or not at all, and on the disk when this returns."""
    part = path.with_name(path.name + ".part")
    with open(part, "w", encoding="utf-8", opener=private) as f:
        f.write(text)
        f.flush()
        os.fsync(f.fileno())
    part.replace(path)
    sync_folder(path.parent)


def _append(path: Path, line: str, *, sync: bool = True) -> int:
    """Writes a line at the end of a file; how long that is then."""
    with open(path, "a", encoding="utf-8", opener=private) as f:
        start = f.tell()
        try:
            f.write(line + "\n")
            f.flush()
        except OSError:  # half a line would hide the next one
            with contextlib.suppress(OSError):
                os.ftruncate(f.fileno(), start)
            raise
        if sync:
            os.fsync(f.fileno())
        return f.tell()
