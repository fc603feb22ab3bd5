"""From what a test has measured so far to what is known of its drive."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from sparring.core.outlook.drive import Drive, Load, Seen
from sparring.core.reduce.results import TestResult
from sparring.core.uncertainty import nominal

_FLAT = 0.02  # [Ω] that two leads and plugs have anyway


def learnt(result: TestResult) -> Drive:
    """The build's figures, corrected by the steps that turned steadily and lost no more than the
    lighter ones tell; their speeds as of a cold motor.
    """
    drive = Drive.of(result.build)
    seen = []
    for s in result.well_running:
        speed = s.speed if s.cold_speed is None else s.cold_speed
        if speed is None or s.torque is None or nominal(s.torque) <= 0 or not s.points:
            continue
        volts = nominal(s.voltage) if s.voltage is not None else s.points[0].run.voltage
        current = s.current
        if not result.build.has_motor:  # its speed is given; the torque at its input tells
            volts, speed, current = nominal(speed) * abs(result.build.ratio()), None, s.motor_torque
        seen.append(
            Seen(Load.of(nominal(s.torque), volts), s.torque, speed, current, len(s.points))
        )
    return replace(drive.updated(seen), source=_source(result))


def _source(result: TestResult) -> float:
    """Resistance between the voltage that is set and the motor [Ω], by how it sags with the
    current: slope of a line through the origin, where it is told beyond its own scatter.
    """
    sags = [
        (nominal(s.current), s.points[0].run.voltage - nominal(s.voltage))
        for s in result.running
        if s.voltage is not None and s.current is not None
    ]
    if len(sags) < 3:
        return 0.0
    current, lost = np.array(sags).T
    found = np.polyfit(current, lost, 1, cov="unscaled")
    slope = float(found[0][0])
    left = lost - np.polyval(found[0], current)
    u = float(np.sqrt(found[1][0, 0] * (left @ left) / (len(sags) - 2)))
    return slope if slope > 3 * u + _FLAT else 0.0
