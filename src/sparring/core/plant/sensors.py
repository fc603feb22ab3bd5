"""What the sensors make of the truth: gain, zero, noise, drift, creep, resolution, clock jitter."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from sparring.core.instruments import calibration
from sparring.core.quantity import G_N
from sparring.core.rig import Rig
from sparring.core.uncertainty import nominal


@dataclass
class SensorSet:
    """True behaviour of a bench's sensors; scalars or shape (n,). Noise figures are standard
    deviations of one sample.
    """

    cell_zero: Any = 84_000.0  # [counts]
    cell_gain: Any = 2_100.0  # [counts/N]
    cell_noise: Any = 55.0  # [counts]
    cell_drift: Any = 0.02  # [counts/s]
    cell_creep: Any = 4e-4  # part of the load that follows slowly
    creep_time: Any = 30.0  # [s]
    gain_voltage: Any = 1.0
    gain_current: Any = 1.0
    gain_speed: Any = 1.0
    zero_current: Any = 0.0  # [A]
    noise_voltage: Any = 0.008  # [V]
    noise_current: Any = 0.004  # [A]
    noise_speed: Any = 0.004  # part of the speed: jitter of a period measurement
    step_voltage: float = 0.004  # resolution [V]
    step_current: float = 0.001  # [A]
    step_speed: float = 0.01  # [rad/s]

    def read(
        self,
        truth: Mapping[str, np.ndarray],
        time: Any,
        crept: np.ndarray,
        rng: np.random.Generator,
        also: tuple[str, ...] = (),
    ) -> dict[str, np.ndarray]:
        """Every channel, SI (cell: counts), of one sample of n benches or of many, arrays of shape
        (n,) or (samples, n). time [s]: a number, or of shape (samples, 1); crept: the slow part of
        the cell force [N]; also: further channels.
        """
        force = truth["force"] + self.cell_creep * crept
        speed = truth["speed"]
        noise = {
            "load_voltage": (self.noise_voltage, self.step_voltage),
            "load_current": (self.noise_current, self.step_current),
        }
        each = [c for c in truth if c.startswith("current_")]
        *samples, n = truth["force"].shape
        figures = (*also, *each, "cell", "speed", "motor_speed", "voltage", "current")
        drawn = rng.standard_normal((*samples, len(figures), n))
        normal = {figure: drawn[..., i, :] for i, figure in enumerate(figures)}
        noise |= dict.fromkeys(each, (self.noise_current, self.step_current))
        further = {
            c: _to_step(truth[c] + noise[c][0] * normal[c], noise[c][1]) for c in (*also, *each)
        }
        return {
            **further,
            "cell": np.round(
                self.cell_zero
                + self.cell_gain * force
                + self.cell_drift * time
                + self.cell_noise * normal["cell"]
            ),
            "speed": _to_step(
                self.gain_speed * speed * (1 + self.noise_speed * normal["speed"]), self.step_speed
            ),
            "motor_speed": _to_step(
                self.gain_speed
                * truth["motor_speed"]
                * (1 + self.noise_speed * normal["motor_speed"]),
                self.step_speed,
            ),
            "voltage": _to_step(
                self.gain_voltage * truth["voltage"] + self.noise_voltage * normal["voltage"],
                self.step_voltage,
            ),
            "current": _to_step(
                self.zero_current
                + self.gain_current * truth["current"]
                + self.noise_current * normal["current"],
                self.step_current,
            ),
            "temperature": np.round(truth["temperature"] - 1.5, 1),
        }


def _to_step(x: np.ndarray, step: float) -> np.ndarray:
    result: np.ndarray = np.round(x / step) * step
    return result


def sensors_of(rig: Rig, **changed: Any) -> SensorSet:
    """The sensors as the rig's calibration says they are."""
    sensors = SensorSet()
    if rig.calibration:
        line = calibration.fit(rig.calibration, rig.gravity.value)
        sensors = replace(sensors, cell_zero=nominal(line.intercept), cell_gain=nominal(line.slope))
    return replace(sensors, **changed)


def calibration_points(
    zero: float, gain: float, masses: list[float], rng: np.random.Generator, noise: float = 12.0
) -> tuple[calibration.CalibrationPoint, ...]:
    """A calibration as it would have been taken: masses [kg] up and down, readings with scatter
    [counts].
    """
    ladder = [*masses, *reversed(masses)]
    return tuple(
        calibration.CalibrationPoint(
            mass=m, reading=float(round(zero + gain * m * G_N + noise * rng.standard_normal()))
        )
        for m in ladder
    )
