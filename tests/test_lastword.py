"""The last word to a bench, where the program can no longer say it."""

import os
import signal
import socket
import subprocess
import sys

import pytest

from sparring.bench.lastword import LastWord
from sparring.bench.wire import open_wire
from sparring.core.instruments.devices import Device, Template

# drives a supply as the program does, says so, and is then ended by the test
DRIVES = """
import sys, types, threading
from sparring.bench.devices.instrument import Instrument
from sparring.core.instruments.devices import Device
up = threading.Event()
ends = types.SimpleNamespace(
    up=lambda i: up.set(), down=lambda i, why: None, read=lambda *a: None, said=print,
    done=lambda i, word, figure, refused: print(word, flush=True),
)
supply = Instrument(Device.model_validate_json(sys.argv[1]), ends)
supply.start()
up.wait(60)
supply.order(sys.argv[2], "")
if sys.argv[3] == "closes":
    supply.close()
else:
    threading.Event().wait()
"""


@pytest.fixture
def server():
    made = socket.create_server(("127.0.0.1", 0))
    made.settimeout(60)
    yield made
    made.close()


def address(server):
    return f"tcp://127.0.0.1:{server.getsockname()[1]}"


def everything_from(connection):
    """Until nobody holds the other end any more."""
    connection.settimeout(60)
    return b"".join(iter(lambda: connection.recv(4096), b"")).decode().splitlines()


@pytest.mark.parametrize(
    ("word", "end", "after"),
    [
        ("up", signal.SIGKILL, ["OUTP OFF"] * 3),
        ("up", signal.SIGSEGV, ["OUTP OFF"] * 3),
        ("up", "closes", ["OUTP OFF"]),  # nobody is left who would watch it
        ("drive", signal.SIGKILL, []),  # nothing was driven
    ],
)
def test_a_supply_is_switched_off_where_the_program_is_ended(server, word, end, after):
    device = Device(
        name="supply",
        address=address(server),
        speaks="text",
        templates=tuple(
            Template(word=w, send=s)
            for w, s in (("drive", "VOLT 12"), ("up", "OUTP ON"), ("stop", "OUTP OFF"))
        ),
    )
    argv = [sys.executable, "-c", DRIVES, device.to_json(), word, str(end)]
    with subprocess.Popen(argv, stdout=subprocess.PIPE, text=True) as program:
        connection, _ = server.accept()
        with connection:
            assert program.stdout.readline().strip() == word
            if end != "closes":
                os.kill(program.pid, end)
            sent = everything_from(connection)
    # switched off first, for nobody knows who had it before
    assert sent == ["OUTP OFF", {"up": "OUTP ON", "drive": "VOLT 12"}[word], *after]


def test_it_is_said_where_nothing_could_say_it(server, monkeypatch):
    def fails(*_args, **_more):
        raise OSError(12, "Cannot allocate memory")

    monkeypatch.setattr(subprocess, "Popen", fails)
    said = []
    wire = open_wire(address(server))
    LastWord("stop", said.append).before("up", wire)
    wire.close()
    (text,) = said
    assert "Cannot allocate memory" in text
    assert "switch" in text
