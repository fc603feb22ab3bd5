"""Transmission error: how far the output is from where the input's angle and the ratio put it."""

from __future__ import annotations

import numpy as np

from sparring.core.build import Build
from sparring.core.orders.lines import Orders, orders_of
from sparring.core.recording import Recording
from sparring.core.reduce.inputs import ReductionError

CHANNEL = "transmission_error"


def transmission_error(build: Build, rec: Recording) -> np.ndarray:
    """θ_out − θ_motor/i of a recording with both angles, as an angle of the output [rad], shape
    (n,); zero where both begin. Raises ReductionError naming what is missing.
    """
    missing = [c for c in ("angle", "motor_angle") if not rec.has(c)]
    if missing:
        raise ReductionError(
            f"the transmission error needs the angles of both ends; {' and '.join(missing)} was not"
            " recorded"
        )
    out, motor = rec.channels["angle"], rec.channels["motor_angle"]
    error = out - motor / build.ratio()
    good = np.isfinite(error)
    return np.asarray(error - (error[good][0] if good.any() else 0.0))


def orders_of_error(build: Build, rec: Recording, counted: str = "output") -> Orders:
    """The transmission error by order. Raises ReductionError."""
    signal = transmission_error(build, rec)
    return orders_of(build, rec, channel=CHANNEL, counted=counted, signal=signal)
