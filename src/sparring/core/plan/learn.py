"""From what a test has measured so far to what is known of its drive."""

from __future__ import annotations

from sparring.core.plan.drive import Drive, Load, Seen
from sparring.core.reduce.results import TestResult
from sparring.core.uncertainty import nominal


def learnt(result: TestResult) -> Drive:
    """The build's figures, corrected by the steps that turned steadily."""
    drive = Drive.of(result.build)
    room = result.build.motor.winding_temperature
    seen = []
    for s in result.running:
        if s.speed is None or s.torque is None or nominal(s.torque) <= 0 or not s.points:
            continue
        volts = nominal(s.voltage) if s.voltage is not None else s.points[0].run.voltage
        warm = [p.temperature - room for p in s.points if p.temperature is not None]
        winding = max(sum(warm) / len(warm), 0.0) if warm else 0.0
        load = Load.of(nominal(s.torque), volts, winding=winding)
        seen.append(Seen(load, s.torque, s.speed, s.current, len(s.points)))
    return drive.updated(seen)
