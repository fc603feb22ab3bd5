"""From devices to a port that a session can have."""

from __future__ import annotations

from sparring.bench.devices.joined import Joined
from sparring.bench.lines import LineError, Mapping
from sparring.bench.link import Ends, Link
from sparring.core.instruments.devices import Device, DeviceSet


def one_board(address: str, columns: str = "", baud: int = 115200) -> DeviceSet:
    """A board alone; columns: of one that sends bare numbers."""
    return DeviceSet(devices=(Device(address=address, columns=columns, baud=baud),))


def check_columns(device: Device) -> None:
    """Raises LineError for columns of which none can be used, or with a unit of something else."""
    if device.columns and not Mapping.from_header(device.columns).channels:
        raise LineError(f"{device.name}: none of the columns “{device.columns}” is a channel")


def port_for(devices: DeviceSet, ends: Ends) -> Link | Joined:
    """Ready to be started. Raises LineError for columns that cannot be read."""
    for d in devices.devices:
        check_columns(d)
    if not devices.plain:
        return Joined(devices, ends)
    (board,) = devices.devices
    mapping = Mapping.from_header(board.columns) if board.columns else None
    return Link(board.address, ends, baud=board.baud, mapping=mapping)
