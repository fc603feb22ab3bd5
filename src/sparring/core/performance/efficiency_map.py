"""Efficiency over torque and speed, where the test's points lie around."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from sparring.core.outlook.drive import Drive, Load
from sparring.core.performance.model import Performance
from sparring.core.uncertainty import nominal

NAMES = ("wire_to_shaft", "gearbox", "motor")
_FLAT = 0.02  # height of the points' hull over its length, below which it is a line
_EDGE = 1e-9


@dataclass(frozen=True)
class EfficiencyMap:
    """torque [N·m], shape (t,); speed [rad/s], shape (s,); value, u: of each of `NAMES`, shape
    (s, t), NaN where no points lie around; points: torque and speed of the steps, shape (n, 2).
    """

    torque: np.ndarray
    speed: np.ndarray
    value: dict[str, np.ndarray]
    u: dict[str, np.ndarray]
    voltage: np.ndarray  # at the motor's terminals
    points: np.ndarray


def efficiency_map(found: Performance, size: int = 41) -> EfficiencyMap | None:
    """On `size` × `size` torques and speeds; None where the steps lie on one line, as at a single
    voltage: then nothing is known beside it.
    """
    points = np.array(
        [
            (nominal(s.torque), nominal(s.speed))
            for s in found.result.well_running
            if s.speed is not None and nominal(s.torque) > 0
        ]
    )
    inside = _hull(points)
    if inside is None:
        return None
    torque = np.linspace(points[:, 0].min(), points[:, 0].max(), size)
    speed = np.linspace(points[:, 1].min(), points[:, 1].max(), size)
    T, w = (x.ravel() for x in np.meshgrid(torque, speed))
    here = inside(np.column_stack([T, w]))
    values, us, volts = _efficiencies(found, T[here], w[here])

    def spread(x: np.ndarray) -> np.ndarray:
        whole = np.full(size * size, np.nan)
        whole[here] = x
        return whole.reshape(size, size)

    return EfficiencyMap(
        torque,
        speed,
        {n: spread(v) for n, v in values.items()},
        {n: spread(v) for n, v in us.items()},
        spread(volts),
        points,
    )


def efficiency_at(
    found: Performance, torque: float, speed: float
) -> dict[str, tuple[float, float]]:
    """Each efficiency, and its standard uncertainty, at an output torque [N·m] and speed [rad/s],
    wherever that lies.
    """
    values, us, _ = _efficiencies(found, np.array([torque]), np.array([speed]))
    return {n: (float(values[n][0]), float(us[n][0])) for n in NAMES}


def _efficiencies(
    found: Performance, torque: np.ndarray, speed: np.ndarray
) -> tuple[dict[str, np.ndarray], dict[str, np.ndarray], np.ndarray]:
    """(values, standard uncertainties, voltage) at torques and speeds that are given: what is not
    known of the figures is not known of the voltage that makes the speed.
    """
    drive = found.drive
    base, volts = _of(drive, torque, speed, drive.mean)
    variances = {n: np.zeros_like(torque) for n in NAMES}
    slopes: dict[str, list[np.ndarray]] = {n: [] for n in NAMES}
    for k in range(len(drive.mean)):
        step = 0.1 * (np.arange(len(drive.mean)) == k)
        up, _ = _of(drive, torque, speed, drive.mean + step)
        down, _ = _of(drive, torque, speed, drive.mean - step)
        for n in NAMES:
            slopes[n].append((up[n] - down[n]) / 0.2)
    for n in NAMES:
        J = np.array(slopes[n])
        variances[n] = np.einsum("in,ij,jn->n", J, drive.covariance, J)
    beside = np.hypot(found.misfit_speed / speed, found.misfit_current)
    misfit = {"wire_to_shaft": beside, "gearbox": found.misfit_current, "motor": beside}
    us = {n: np.sqrt(v + (misfit[n] * base[n]) ** 2) for n, v in variances.items()}
    return base, us, volts


def _of(
    drive: Drive, torque: np.ndarray, speed: np.ndarray, z: np.ndarray
) -> tuple[dict[str, np.ndarray], np.ndarray]:
    load = Load.of(torque, 0.0)
    volts = drive.voltage_for(speed, load, z)
    here = drive.state(load._replace(voltage=volts), z)
    ratio = abs(drive.build.ratio())
    electrical = volts * here.current
    return {
        "wire_to_shaft": torque * speed / electrical,
        "gearbox": torque / (here.shaft * ratio),
        "motor": here.shaft * speed * ratio / electrical,
    }, volts


def _hull(points: np.ndarray) -> Callable[[np.ndarray], np.ndarray] | None:
    """What tells which places lie among the points; None where they lie on a line."""
    from scipy.spatial import Delaunay, QhullError

    if len(points) < 4:
        return None
    middle, size = points.mean(axis=0), np.ptp(points, axis=0)
    if not (size > 0).all():
        return None
    scaled = (points - middle) / size
    spread = np.linalg.svd(scaled - scaled.mean(axis=0), compute_uv=False)
    if spread[1] < _FLAT * spread[0]:
        return None
    try:
        mesh = Delaunay(scaled)
    except QhullError:
        return None
    return lambda at: mesh.find_simplex((at - middle) / size * (1 - _EDGE)) >= 0
