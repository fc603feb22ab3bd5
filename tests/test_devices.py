"""Several devices as one bench: a logger and a supply, boards joined on one clock, a recording
played as a board, TCP.
"""

import json
import math
import subprocess
import sys
import threading

import numpy as np
import pytest
from hears import Hears
from helpers import planned, wait_for
from printing import Printing

from sparring.bench.devices.connecting import one_board, port_for
from sparring.bench.devices.joined import Joined
from sparring.bench.session import Session
from sparring.bench.simulated.supply import SupplyPanel
from sparring.core.instruments.devices import SUPPLY, Device, DeviceSet, Query, Template
from sparring.core.methods.brake import Brake
from sparring.core.quantity import Measured
from sparring.core.records import RecordError, changed
from sparring.core.run import Run
from sparring.demo import hollin_yard
from sparring.files import log_files, record_files
from sparring.logbook import Logbook

SPARRING = [sys.executable, "-m", "sparring"]


@pytest.fixture(scope="module")
def braked():
    rig = changed(hollin_yard.rig(), ("method",), Brake.ours(hold=30.0))
    rig = changed(rig, ("limits", "current"), 10.0)
    return changed(rig, ("care_read", "method"), "brake")


@pytest.fixture
def logger_and_supply(tmp_path, build, braked):
    """A board that only prints numbers, and a supply that drives what it logs."""
    record_files.save(tmp_path / "build.json", build)
    record_files.save(tmp_path / "rig.json", braked)
    files = ["--build", str(tmp_path / "build.json"), "--rig", str(tmp_path / "rig.json")]
    bench = subprocess.Popen(
        [*SPARRING, "bench", *files, "--scpi", "0", "--load", "0.8"],
        stdout=subprocess.PIPE,
        text=True,
    )
    port, address = (bench.stdout.readline().strip() for _ in range(2))
    columns = "seq, t/ms, cell/counts, speed/rpm, motor_speed/rpm, x, x, temperature/°C"
    logger = Device(name="Logger", address=port, columns=columns)
    devices = DeviceSet(devices=(logger, changed(SUPPLY, ("address",), address)))
    record_files.save(tmp_path / "devices.json", devices)
    yield files, devices
    bench.terminate()
    bench.communicate(timeout=20)


# --- a logger and a supply ------------------------------------------------------------------------


def test_a_plan_is_done_with_a_logger_and_a_supply_that_is_told_in_scpi(
    logger_and_supply, tmp_path
):
    files, _ = logger_and_supply
    plan = planned(
        (Measured(0.8, 5e-4),), (6.0, 9.0), 2, advance="when steady", settle=0.3, measure=0.8
    )
    record_files.save(tmp_path / "plan.json", plan)
    done = subprocess.run(
        [
            *SPARRING,
            "record",
            "--devices",
            str(tmp_path / "devices.json"),
            *files,
            "--plan",
            str(tmp_path / "plan.json"),
            "--logbook",
            str(tmp_path / "book"),
            "--yes",
            "--json",
        ],
        capture_output=True,
        text=True,
        timeout=200,
    )
    document = json.loads(done.stdout)
    assert document["whole"], done.stderr
    assert [r["ended"] for r in document["runs"]] == ["top"] * 4
    assert document["findings"] == []
    best = document["best_gearbox_efficiency"]
    assert 0.8 < best["value"] < 0.95
    with Logbook(tmp_path / "book") as book:
        for stored, volts in zip(book.runs(document["test"]), (6, 6, 9, 9), strict=True):
            recording = book.recording(stored.recording)
            assert {"speed", "voltage", "current", "cell"} <= set(recording.channels)
            on = recording.channels["voltage"] > 0.9 * volts
            assert np.nanmedian(recording.channels["voltage"][on]) == pytest.approx(volts, abs=0.02)
            assert recording.t[-1] - recording.t[0] < 20.0  # it ended when it was steady


@pytest.mark.whole
def test_what_devices_send_is_told_by_a_command_that_drives_nothing(logger_and_supply, tmp_path):
    done = subprocess.run(
        [*SPARRING, "devices", str(tmp_path / "devices.json"), "--seconds", "2", "--json"],
        capture_output=True,
        text=True,
        timeout=60,
    )
    document = json.loads(done.stdout)
    assert document["format"] == "sparring.bench-devices/1"
    assert document["obeys"]
    of = {c["channel"]: (c["device"], c["unit"]) for c in document["channels"]}
    assert of["speed"] == ("Logger", "rad/s")
    assert of["voltage"] == ("Supply", "V")
    assert all(c["newest"] is not None for c in document["channels"])


def test_a_supply_that_is_gone_while_it_drives_is_told_and_the_stop_goes_on(
    logger_and_supply, tmp_path
):
    """The connection is cut behind its back; it comes back, and only then is the stop confirmed."""
    _, devices = logger_and_supply
    real = devices.devices[1].address
    relay = Relay(real)
    on = changed(devices, ("devices", 1, "address"), relay.address)
    told = []
    session = Session(told.append)
    link = port_for(on, session)
    session.attach(link, link.tally)
    link.start()
    try:
        wait_for(lambda: session.state == "ready" and session.facts().obeys)
        assert link.send("drive 6")
        assert link.send("up")
        wait_for(lambda: "OUTP ON" in relay.text)
        session.state = "lifting"
        relay.cut()
        wait_for(lambda: any("cut its power" in n.what for n in told if n.kind == "said"))
        wait_for(lambda: session.facts().stop_wanted)
        relay.plug()
        wait_for(lambda: not session.facts().stop_wanted)
        assert "OUTP OFF" in relay.text
    finally:
        session.detach()
        link.close()
        relay.cut()


def test_a_supply_that_was_left_on_is_switched_off_and_a_lost_logger_stops_what_it_drives(
    logger_and_supply, tmp_path
):
    import socket

    _, devices = logger_and_supply
    host, at = devices.devices[1].address.removeprefix("tcp://").split(":")
    wire = socket.create_connection((host, int(at)))
    wire.sendall(b"VOLT 6;OUTP ON\n")  # by a program that was killed

    def on():
        wire.sendall(b"OUTP?\n")
        return wire.recv(100).strip() == b"1"

    wait_for(on)
    port = tmp_path / "logger"
    port.symlink_to(devices.devices[0].address)
    session = Session(lambda _notice: None)
    link = port_for(changed(devices, ("devices", 0, "address"), str(port)), session)
    session.attach(link, link.tally)
    link.start()
    try:
        wait_for(lambda: not on())
        wait_for(lambda: session.state == "ready" and not session.facts().stop_wanted)
        session.keep = lambda _stream: 0
        wait_for(lambda: session.lift(Run(voltage=6.0), 1, tmp_path / "run.arrow"))
        wait_for(lambda: session.state == "lifting" and on())
        link.boards["Logger"].close()
        link._take_down(link.first, "Logger: gone")
        wait_for(lambda: not on())
    finally:
        session.detach()
        link.close()
        wire.close()


def test_a_port_that_a_program_has_is_refused_to_a_second_by_name(logger_and_supply, tmp_path):
    import os

    from sparring.bench.portlock import PortInUse
    from sparring.bench.wire import open_wire

    files, devices = logger_and_supply
    held = [open_wire(d.address) for d in devices.devices]
    for d in devices.devices:
        with pytest.raises(PortInUse, match=f"Sparring, process {os.getpid()}"):
            open_wire(d.address)
    done = subprocess.run(
        [
            *SPARRING,
            "record",
            "--port",
            devices.devices[0].address,
            *files,
            "--logbook",
            str(tmp_path / "b"),
            "--yes",
        ],
        capture_output=True,
        text=True,
        timeout=60,
    )
    assert done.returncode
    assert f"it is in use by Sparring, process {os.getpid()}" in done.stderr
    for wire in held:
        wire.close()
    for d in devices.devices:
        open_wire(d.address).close()


class Relay:
    """A connection to an address that can be cut and put back; keeps what went through."""

    def __init__(self, address):
        import socket

        host, port = address.removeprefix("tcp://").split(":")
        self._to, self.text = (host, int(port)), ""
        self._listens = socket.create_server(("127.0.0.1", 0))
        self.address = f"tcp://127.0.0.1:{self._listens.getsockname()[1]}"
        self._open, self._ends = True, []
        threading.Thread(target=self._serve, daemon=True).start()

    def _serve(self):
        import socket

        while True:
            try:
                near, _ = self._listens.accept()
            except OSError:
                return
            if not self._open:
                near.close()
                continue
            far = socket.create_connection(self._to)
            self._ends += [near, far]
            for a, b, keep in ((near, far, True), (far, near, False)):
                threading.Thread(target=self._carry, args=(a, b, keep), daemon=True).start()

    def _carry(self, a, b, keep):
        try:
            while data := a.recv(4096):
                self.text += data.decode() if keep else ""
                b.sendall(data)
        except OSError:
            pass

    def cut(self):
        import contextlib
        import socket

        self._open = False
        for end in self._ends:
            with contextlib.suppress(OSError):
                end.shutdown(socket.SHUT_RDWR)
                end.close()
        self._ends = []

    def plug(self):
        self._open = True


def test_the_simulated_supply_speaks_scpi_short_and_long():
    did = []
    panel = SupplyPanel(0, lambda: (5.9, 0.4))

    def bench():
        while True:
            order = panel.orders.get()
            did.append((order.word, order.value))
            order.done("")

    threading.Thread(target=bench, daemon=True).start()
    assert panel.say("*IDN?").startswith("Simulated")
    assert panel.say("VOLT 6; OUTP ON") == ""
    assert panel.say("source:voltage:level 7.5") == ""
    assert panel.say("VOLT?;:OUTPut:STATe?;MEASure:CURRent:DC?") == "7.5000;1;0.4000"
    assert panel.say("FREQ 5") == ""
    assert "-113" in panel.say("SYST:ERR?")
    assert panel.say("VOLT much") == ""
    assert "-104" in panel.say("SYST:ERR:NEXT?")
    assert panel.say("SYST:ERR?").startswith("0")
    assert did == [("drive", 6.0), ("up", 0.0), ("drive", 7.5)]
    panel.close()


# --- boards on one clock --------------------------------------------------------------------------


@pytest.mark.whole
def test_boards_with_clocks_of_their_own_are_joined_and_a_late_one_is_found_out():
    def square(t):
        return 1.0 if math.fmod(t, 1.7) < 0.8 else 0.0

    first = Printing(lambda t: (100 * square(t), 5.0), 100, clock=5000.0)
    second = Printing(lambda t: (0.4 * square(t),), 50, late=0.12)
    devices = DeviceSet(
        devices=(
            Device(name="Logger", address=first.port, columns="t/ms, speed/rpm, voltage/V"),
            Device(name="Meter", address=second.port, columns="t/ms, current/A"),
        )
    )
    hears = Hears()
    link = port_for(devices, hears)
    assert isinstance(link, Joined)
    link.start()
    try:
        wait_for(lambda: sum(len(b) for b in hears.blocks) > 900)
        late = link.lags()["Meter"]
        assert late.of == ("speed", "current")
        assert late.seconds == pytest.approx(0.12, abs=max(4 * late.u, 0.02))
        assert link.owners() == {"speed": "Logger", "voltage": "Logger", "current": "Meter"}
    finally:
        link.close()
    assert {b.mapping.channels for b in hears.blocks} == {("speed", "voltage", "current")}
    t = np.concatenate([b.t for b in hears.blocks])
    values = np.concatenate([b.values for b in hears.blocks])
    assert t[0] > 4999  # the first board's clock
    assert np.isfinite(values).mean() > 0.98
    # told of it, they go together
    devices = changed(devices, ("devices", 1, "delay"), late.seconds)
    hears = Hears()
    link = port_for(devices, hears)
    link.start()
    wait_for(lambda: sum(len(b) for b in hears.blocks) > 600)
    link.close()
    values = np.concatenate([b.values for b in hears.blocks])[50:]
    with np.errstate(invalid="ignore"):
        alike = (values[:, 0] > 5) == (values[:, 2] > 0.2)
    # the newest of a late device is not there yet: only that part of each cycle is held
    assert alike.mean() > 0.8
    first.close()
    second.close()


@pytest.mark.whole
def test_a_board_beside_the_first_may_go_and_come_and_only_its_columns_are_empty(tmp_path):
    first = Printing(lambda _t: (1.0,), 100)
    second = Printing(lambda _t: (2.0,), 50)
    link_to = tmp_path / "second"
    link_to.symlink_to(second.port)
    devices = DeviceSet(
        devices=(
            Device(name="Logger", address=first.port, columns="t/ms, voltage/V"),
            Device(name="Meter", address=str(link_to), columns="t/ms, current/A"),
        )
    )
    hears = Hears()
    link = port_for(devices, hears)
    link.start()
    try:
        wait_for(lambda: len(hears.blocks) > 20 and np.isfinite(hears.blocks[-1].values).all())
        link_to.unlink()
        second.close()
        wait_for(lambda: any("No readings from it" in t for t in hears.texts))
        wait_for(lambda: np.isnan(hears.blocks[-1].values[-1, 1]))
        assert hears.blocks[-1].values[-1, 0] == 1.0
        second = Printing(lambda _t: (3.0,), 50)
        link_to.symlink_to(second.port)
        wait_for(lambda: hears.blocks[-1].values[-1, 1] == 3.0)
        assert "Meter is back." in hears.texts
        assert not hears.downs
    finally:
        link.close()
        first.close()
        second.close()


# --- replay, TCP, records -------------------------------------------------------------------------


@pytest.mark.whole
def test_a_log_is_played_as_a_board_and_gives_what_was_logged(tmp_path, lifted):
    recording = lifted[0][0][1]
    log_files.write(tmp_path / "log.csv", recording)
    played = subprocess.Popen(
        [*SPARRING, "replay", str(tmp_path / "log.csv"), "--speed", "2"],
        stdout=subprocess.PIPE,
        text=True,
    )
    hears = Hears()
    link = port_for(one_board(played.stdout.readline().strip()), hears)
    link.start()
    try:
        wait_for(lambda: hears.ups)
        link.send("hello")
        wait_for(lambda: any(e.text.startswith("hello ok") for e in hears.events))
        begun = len(hears.blocks)
        link.send("up")
        wait_for(lambda: any(e.text == "top" for e in hears.events))
    finally:
        link.close()
        played.terminate()
        played.communicate(timeout=20)
    blocks = hears.blocks[begun:]
    channels = blocks[-1].mapping.channels
    speed = np.concatenate([b.values for b in blocks])[:, channels.index("speed")]
    logged = recording.channels["speed"]
    assert np.nanmax(speed) == pytest.approx(np.nanmax(logged), rel=1e-3)
    assert len(speed) > 0.5 * len(logged)  # a port that is full loses lines


def test_a_board_is_read_over_tcp_and_a_host_that_is_not_there_is_told():
    import socket

    server = socket.create_server(("127.0.0.1", 0))
    port = server.getsockname()[1]
    hears = Hears()
    link = port_for(one_board(f"tcp://127.0.0.1:{port}", "t/ms, speed/rpm"), hears)
    link.start()
    try:
        far, _ = server.accept()
        for n in range(20):
            far.sendall(b"%d,60\n" % (10 * n))
        wait_for(lambda: sum(len(b) for b in hears.blocks) == 20)
        assert hears.blocks[0].values[0, 0] == pytest.approx(2 * math.pi)
        assert link.send("stop")
        assert far.recv(100) == b"stop\n"
        far.close()
        server.close()
        wait_for(lambda: any("has disappeared" in d for d in hears.downs))
        wait_for(lambda: any("cannot be opened: Connection refused" in d for d in hears.downs))
    finally:
        link.close()


@pytest.mark.parametrize(
    ("fields", "said"),
    [
        ({"templates": (Template(word="up", send="OUTP ON"),)}, "has to be stopped"),
        ({"speaks": "text"}, "needs a template or a query"),
        ({"templates": (Template(word="stop", send="A"), Template(word="stop", send="B"))}, "two"),
    ],
)
def test_devices_that_could_not_be_stopped_or_asked_are_refused(fields, said):
    with pytest.raises(ValueError, match=said):
        Device(**fields)


def test_templates_and_queries_say_what_is_wrong_in_them(tmp_path):
    with pytest.raises(ValueError, match=r"only \{value\}"):
        Template(word="drive", send="VOLT {value.__class__}")
    with pytest.raises(ValueError, match="is no channel"):
        Query(ask="MEAS:X?", channel="x", unit="V")
    with pytest.raises(ValueError, match="unit of"):
        Query(ask="MEAS:X?", channel="current", unit="V")
    assert Template(word="drive", send="VOLT {value:.2f}").filled(4.0) == "VOLT 4.00"
    twice = DeviceSet.ours(devices=(Device(name="A"), Device(name="A", address="/dev/x")))
    with pytest.raises(RecordError, match="two devices have the name A"):
        DeviceSet.from_json(twice.to_json())
    kept = DeviceSet(devices=(Device(), SUPPLY))
    assert DeviceSet.from_json(kept.to_json()) == kept


def test_two_devices_that_do_not_agree_on_a_figure_are_told(tmp_path):
    first = Printing(lambda _t: (12.0, 1.0), 100)
    second = Printing(lambda _t: (0.5,), 50)
    devices = DeviceSet(
        devices=(
            Device(name="Logger", address=first.port, columns="t/ms, voltage/V, current/A"),
            Device(name="Load", address=second.port, columns="t/ms, voltage/V"),
        )
    )
    hears = Hears()
    link = port_for(devices, hears)
    link.start()
    try:
        wait_for(lambda: any("do not agree on voltage: 12 and 0.5" in t for t in hears.texts))
        assert any("voltage comes twice" in t for t in hears.texts)
    finally:
        link.close()
        first.close()
        second.close()
