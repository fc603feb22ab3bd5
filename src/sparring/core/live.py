"""What a bench shows while it runs: plain figures, by the rig's instruments, of the newest samples.
Results have doubt; these have none.
"""

from __future__ import annotations

import contextlib
from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np

from sparring.core import several
from sparring.core.instruments import calibration
from sparring.core.instruments.meters import METERS, Meter, meter
from sparring.core.motor import Motor
from sparring.core.rig import Rig
from sparring.core.uncertainty import nominal


class LiveFigures(NamedTuple):
    """Means over a moment, SI; None where there is no reading. currents, shares: of each of several
    motors, what it takes and which part of the torque it gives; empty where not known.
    """

    torque: float | None = None
    speed: float | None = None
    voltage: float | None = None
    current: float | None = None
    power_in: float | None = None
    force: float | None = None
    shares: tuple[float, ...] = ()
    currents: tuple[float, ...] = ()


class Instruments:
    """A rig's load cell and meters, worked out once. A comparison or calibration that gives no line
    is left out.
    """

    def __init__(self, rig: Rig) -> None:
        self.rig = rig
        self._zero = self._slope = np.nan
        self._meters: dict[str, Meter] = {}
        with contextlib.suppress(ValueError):
            if rig.calibration is not None:
                line = calibration.fit(rig.calibration, rig.gravity.value)
                self._zero, self._slope = nominal(line.intercept), nominal(line.slope)
        with contextlib.suppress(ValueError):
            self._meters = {
                channel: meter(rig.sensors, name)
                for name, (*_, channels) in METERS.items()
                for channel in channels
            }

    @property
    def calibrated(self) -> bool:
        """Whether counts of the load cell tell a force."""
        return bool(np.isfinite(self._slope))

    def force(self, counts: np.ndarray, tare: float | None) -> np.ndarray:
        """Force on the load cell [N] from its counts, shape (n,). tare [counts]: read with nothing
        pulling; None: the calibration's own zero. NaN without a calibration."""
        return (np.asarray(counts, float) - (self._zero if tare is None else tare)) / self._slope

    def true(self, channel: str, shown: np.ndarray) -> np.ndarray:
        """A channel's samples, shape (n,), as its meter's comparison says they truly were."""
        return self._meters[channel].correct(shown) if channel in self._meters else shown

    def series(
        self, channel: str, channels: Mapping[str, np.ndarray], tare: float | None
    ) -> np.ndarray | None:
        """A channel as it truly was; `force` also from the cell's counts. None where the bench does
        not send it.
        """
        if channel == "force" and "force" not in channels:
            return self.force(channels["cell"], tare) if "cell" in channels else None
        if channel in ("current", "voltage") and several.summed(channels):
            return several.corrected(channels, self.true).get(channel)
        return self.true(channel, channels[channel]) if channel in channels else None

    def figures(
        self,
        channels: Mapping[str, np.ndarray],
        tare: float | None,
        lines: Sequence[tuple[Motor, float]] = (),
    ) -> LiveFigures:
        """Of the newest samples, each of shape (n,), as the bench sent them; tare as in `force`;
        lines: of the drive's motors, each with its gearing.
        """
        series = {
            key: self.series(key, channels, tare)
            for key in ("speed", "voltage", "current", "force")
        }
        mean = {key: _mean(values) for key, values in series.items()}
        method = self.rig.method
        readings = {key: _mean(channels.get(key)) for key in method.CHANNELS} | {
            "force": mean["force"]
        }
        torque = method.measured(method.figures(), readings.get)
        voltage, current = series["voltage"], series["current"]
        power = _mean(voltage * current) if voltage is not None and current is not None else None
        return LiveFigures(
            None if torque is None else float(torque),
            mean["speed"],
            mean["voltage"],
            current=mean["current"],
            power_in=power,
            force=mean["force"],
            **self._of_each(channels, lines),
        )

    def _of_each(
        self, channels: Mapping[str, np.ndarray], lines: Sequence[tuple[Motor, float]]
    ) -> dict[str, tuple[float, ...]]:
        """What each of several motors takes, and gives."""
        motors = several.count(channels)
        if motors < 2 or motors != len(lines):
            return {}
        own = [several.own("current", n + 1) for n in range(motors)]
        amps = [_mean(self.true(c, channels[c])) for c in own]
        known = [i for i in amps if i is not None]
        if len(known) < motors:
            return {}
        shares = several.shares(lines, known) or ()
        return {"currents": tuple(known), "shares": tuple(map(float, shares))}


def _mean(values: np.ndarray | None) -> float | None:
    if values is None or not np.isfinite(values).any():
        return None
    return float(np.nanmean(values))
