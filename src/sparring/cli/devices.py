"""`sparring devices`: what stands on a bench, and what it sends."""

from __future__ import annotations

import queue
import time
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from sparring.cli.common import AsJson, app, print_json, show_table, told

if TYPE_CHECKING:
    from sparring.core.instruments.devices import DeviceSet


@app.command()
def devices(
    file: Annotated[
        Path | None,
        typer.Argument(help="devices file; without one: the serial ports of this machine"),
    ] = None,
    seconds: Annotated[float, typer.Option(min=0.5, max=600, help="for how long to listen")] = 5.0,
    as_json: AsJson = False,
) -> None:
    """Connect devices and show what each sends, and by how much it is late; drives nothing."""
    if file is None:
        _ports(as_json)
        return
    with told():
        document = _listen(devices_in(file), seconds)
    if as_json:
        print_json(document)
        return
    rows = [
        [c["channel"], c["device"], "–" if c["newest"] is None else f"{c['newest']:.4g}", c["unit"]]
        for c in document["channels"]
    ]
    show_table(["channel", "device", "newest", "unit"], rows)
    for x in document["late"]:
        late, u = 1e3 * x["late_s"], 2e3 * x["u_s"]
        typer.echo(f"{x['device']} is {late:.0f} ± {u:.0f} ms late: {' against '.join(x['of'])}.")
    for text in document["said"]:
        typer.echo(text, err=True)


def devices_in(file: Path) -> DeviceSet:
    """The devices of a file. Raises RecordError."""
    from sparring.bench.devices.connecting import check_columns
    from sparring.bench.lines import LineError
    from sparring.core.instruments.devices import DeviceSet
    from sparring.core.records import RecordError
    from sparring.files import record_files

    found = record_files.load(file, DeviceSet)
    try:
        for device in found.devices:
            check_columns(device)
    except LineError as err:
        raise RecordError(f"{file}: {err}") from err
    return found


def _ports(as_json: bool) -> None:
    from serial.tools import list_ports

    found = [{"port": p.device, "what": p.description} for p in list_ports.comports()]
    if as_json:
        print_json({"format": "sparring.ports/1", "ports": found})
        return
    rows = [[p["port"], p["what"]] for p in found]
    show_table(["port", "what"], rows) if rows else typer.echo("No serial port.")


def _listen(on: Any, seconds: float) -> dict[str, Any]:
    """The document described in docs/formats.md."""
    import numpy as np

    from sparring.bench.captures import Notice
    from sparring.bench.devices.connecting import port_for
    from sparring.bench.devices.joined import Joined
    from sparring.bench.session import Session
    from sparring.core.quantity import kind_of
    from sparring.core.recording import CHANNELS

    heard: queue.SimpleQueue[Notice] = queue.SimpleQueue()
    session = Session(heard.put)
    link = port_for(on, session)
    session.attach(link, link.tally)
    link.start()
    blocks: list[tuple[Any, Any, tuple[str, ...]]] = []
    said: list[str] = []
    end = time.monotonic() + seconds
    try:
        while (left := end - time.monotonic()) > 0:
            try:
                notice = heard.get(timeout=min(left, 0.2))
            except queue.Empty:
                continue
            if notice.kind == "block":
                blocks.append(notice.what)
            elif notice.kind == "said":
                said.append(notice.what)
        late = link.lags() if isinstance(link, Joined) else {}
        obeys, of = session.facts().obeys, link.owners() if isinstance(link, Joined) else {}
    finally:
        session.detach()
        link.close()
    last = blocks[-1][2] if blocks else ()
    same = [b for b in blocks if b[2] == last]
    values = np.concatenate([b[1] for b in same]) if same else np.empty((0, 0))
    t = np.concatenate([b[0] for b in same]) if same else np.empty(0)
    channels = []
    for n, c in enumerate(last):
        read = values[np.isfinite(values[:, n]), n]
        channels.append(
            {
                "channel": c,
                "device": of.get(c, on.devices[0].name),
                "newest": float(read[-1]) if len(read) else None,
                "unit": "counts" if CHANNELS[c].kind == "count" else kind_of(CHANNELS[c].kind).si,
                "readings": len(read),
            }
        )
    rate = (len(t) - 1) / float(t[-1] - t[0]) if len(t) > 1 else None
    return {
        "format": "sparring.bench-devices/1",
        "obeys": obeys,
        "rate_per_s": rate,
        "channels": channels,
        "late": [
            {"device": name, "late_s": g.seconds, "u_s": g.u, "of": list(g.of), "alike": g.alike}
            for name, g in late.items()
        ],
        "said": said,
    }
