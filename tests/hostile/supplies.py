"""How soon a supply is off, by every way in which driving may end, over TCP and over serial."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

from fake_supply import Ends, Fake, Supply
from helpers import wait_for

from sparring.bench.devices.instrument import Instrument
from sparring.core.instruments.devices import SUPPLY, Query
from sparring.core.records import changed

WAYS = ("stop", "thread dies", "let go", "program killed")
_DRIVES = """
import sys, threading
from fake_supply import Ends
from sparring.bench.devices.instrument import Instrument
from sparring.core.instruments.devices import Device
ends = Ends()
supply = Instrument(Device.model_validate_json(sys.argv[1]), ends)
supply.start()
while not ends.ups: threading.Event().wait(0.005)
supply.order("up", "")
while not ends.words: threading.Event().wait(0.002)
print("on", flush=True)
threading.Event().wait()
"""


def off_times(n: int, way: str, *, serial: bool) -> list[float]:
    """Seconds from the end of driving to the supply being off, n times."""
    return [_once(way, serial=serial) for _ in range(n)]


def _once(way: str, *, serial: bool) -> float:
    supply, ends = Supply(), Ends()
    fake = Fake(supply, serial=serial)
    device = changed(SUPPLY, ("address",), fake.address)
    device = changed(device, ("rate",), 50.0)
    if way == "program killed":
        return _killed(device, supply, fake)
    instrument = Instrument(device, ends)
    instrument.start()
    wait_for(lambda: ends.ups)
    instrument.order("up", "")
    wait_for(lambda: supply.on and ends.words)
    reading, begun = Query.reading, time.monotonic()
    try:
        if way == "stop":
            instrument.order("stop", "")
        elif way == "thread dies":
            Query.reading = _dies
        else:
            instrument.close()
        wait_for(lambda: not supply.on)
    finally:
        Query.reading = reading
    took = supply.went_off - begun
    instrument.close()
    fake.close()
    return took


def _dies(*_):
    raise RuntimeError("not foreseen")


def _killed(device, supply: Supply, fake: Fake) -> float:
    path = os.pathsep.join([str(Path(__file__).parents[1]), os.environ.get("PYTHONPATH", "")])
    program = subprocess.Popen(
        [sys.executable, "-c", _DRIVES, device.to_json()],
        stdout=subprocess.PIPE,
        text=True,
        env={**os.environ, "PYTHONPATH": path},
    )
    assert program.stdout.readline().strip() == "on"
    begun = time.monotonic()
    os.kill(program.pid, signal.SIGKILL)
    program.wait()
    wait_for(lambda: not supply.on)
    fake.close()
    return supply.went_off - begun
