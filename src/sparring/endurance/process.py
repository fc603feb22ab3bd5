"""The process of a life test: beginning one, having it go on by itself, a word to it."""

from __future__ import annotations

import contextlib
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

from sparring.bench.wire import open_wire
from sparring.core.build import Build
from sparring.core.endurance import Endurance
from sparring.core.instruments.devices import Device, DeviceSet
from sparring.core.plan.rated import WITHIN
from sparring.core.rig import Rig
from sparring.endurance.journal import Journal, JournalError, UnderTest
from sparring.logbook import Logbook

SIMULATED = Device.ours(name="Simulated bench", address="simulated")
"""In place of a bench: the process starts one of its own."""
_ANSWER = 5.0  # [s]


def begin(
    book: Logbook, ids: tuple[int, int], build: Build, rig: Rig, plan: Endurance, devices: DeviceSet
) -> Journal:
    """A new test of a build and rig that are in the logbook by these numbers, and its journal.
    Raises LogbookError, JournalError.
    """
    asked, rated = max(abs(p.voltage) for p in plan.duty), build.motor.voltage.value
    if build.has_motor and asked > (1 + WITHIN) * rated:
        raise JournalError(
            f"a phase asks for {asked:g} V, and the motor of {build.name} is for {rated:g} V. Lower"
            " the phase's voltage, or correct the motor's on Build"
        )
    made = book.add_test(*ids, plan.plan(), plan.name)
    begun = book.test(made).created.isoformat()
    return Journal.begin(book.folder, UnderTest(made, begun, build, rig, plan, devices))


def detach(folder: Path) -> int:
    """Has a process of its own do it, which outlives this one and its terminal; its number."""
    with open(folder / "process.log", "ab") as log:
        process = subprocess.Popen(
            [sys.executable, "-m", "sparring", "record", "--resume", str(folder)],
            stdin=subprocess.DEVNULL,
            stdout=log,
            stderr=log,
            start_new_session=True,
        )
    return process.pid


def tell(journal: Journal, word: str) -> None:
    """`pause`, `resume`, `end` or `stop` to the process that does it. Raises JournalError where
    there is none.
    """
    if not journal.now.alive:
        raise JournalError("nobody does this life test now: go on with it first")
    try:
        wire = open_wire(journal.now.socket)
    except OSError as err:
        raise JournalError(f"its process cannot be reached: {err.strerror or err}") from err
    try:
        wire.write(f"{word}\n".encode())
        heard, end = b"", time.monotonic() + _ANSWER
        while f"> {word} ".encode() not in heard and time.monotonic() < end:
            heard += wire.read()
    finally:
        wire.close()


def unit(folder: Path) -> str:
    """A systemd user unit that begins a life test again after a power cut."""
    return (
        f"[Unit]\nDescription=Sparring life test {folder.name}\nAfter=default.target\n\n"
        f"[Service]\nExecStart={sys.executable} -m sparring record --resume {folder}\n"
        "Restart=on-failure\nRestartSec=30\n\n[Install]\nWantedBy=default.target\n"
    )


@contextlib.contextmanager
def on_bench(folder: Path, tested: UnderTest) -> Iterator[DeviceSet]:
    """The devices of a life test; a simulated bench is started, and ended with it."""
    if all(d.address != SIMULATED.address for d in tested.devices.devices):
        yield tested.devices
        return
    files = {"--build": tested.build, "--rig": tested.rig}
    call = [sys.executable, "-m", "sparring", "bench"]
    for name, record in files.items():
        path = folder / f"{name.strip('-')}.json"
        path.write_text(record.to_json(), encoding="utf-8")
        call += [name, str(path)]
    bench = subprocess.Popen(call, stdout=subprocess.PIPE, text=True)
    try:
        assert bench.stdout is not None
        port = bench.stdout.readline().strip()
        if not port:
            raise JournalError("the simulated bench did not start")
        yield DeviceSet(devices=(SIMULATED.model_copy(update={"address": port}),))
    finally:
        bench.terminate()
        with contextlib.suppress(subprocess.TimeoutExpired):
            bench.communicate(timeout=5)
