"""Rules on the rig: dimensions that contradict each other, a load cell that contradicts the
weights.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence

import numpy as np

from sparring.core.finding import Fact, Finding, Peer, noted
from sparring.core.findings.registry import rule
from sparring.core.methods import Hoist, RopeBrake
from sparring.core.quantity import Measured
from sparring.core.reduce.inputs import Inputs
from sparring.core.reduce.results import TestResult
from sparring.core.uncertainty import from_measured, mean_of, nominal, std, t_widening


@rule
def drum_radius(result: TestResult, inputs: Inputs, peers: Sequence[Peer]) -> Iterable[Finding]:
    """The radius entered beside the diameter is not half of it."""
    h = result.rig.method
    if not isinstance(h, Hoist) or h.drum_radius is None:
        return
    off = from_measured(h.drum_radius, "radius") - from_measured(h.drum_diameter, "diameter") / 2
    if abs(nominal(off)) <= max(2 * std(off), 0.002 * h.drum_diameter.value):
        return
    factor = h.drum_radius.value / (h.drum_diameter.value / 2)
    causes = ["one of the two was read wrongly"]
    if 1.8 < factor < 2.2:
        causes.insert(0, "the diameter was entered as the radius")
    elif 0.45 < factor < 0.55:
        causes.insert(0, "half of the radius was entered")
    elif (
        abs(h.drum_radius.value - (h.drum_diameter.value + h.cord_diameter.value) / 2)
        < 2 * std(off) + 1e-4
    ):
        causes.insert(
            0, "the radius was measured to the centre of the cord; the cord is added automatically"
        )
    yield noted(
        "drum-radius-vs-diameter",
        "wrong",
        title="Drum radius is not half its diameter",
        seen="The drum diameter is {diameter}, but {radius} is entered as its radius.",
        why="Every torque, power and efficiency is wrong by the same factor.",
        causes=tuple(causes),
        remedies=("Measure the drum with calipers three times and enter only the diameter.",),
        place="rig.method.drum_radius",
        diameter=_fact(h.drum_diameter),
        radius=_fact(h.drum_radius),
    )


@rule
def cell_against_weight(
    result: TestResult, inputs: Inputs, peers: Sequence[Peer]
) -> Iterable[Finding]:
    """The load cell's force is not the weight's."""
    quotients = [
        p.torque_cell / p.torque_mass
        for s in result.lifted
        for p in s.points
        if p.torque_cell is not None and p.torque_mass is not None
    ]
    if not quotients:
        return
    mean = mean_of(quotients)
    if abs(nominal(mean) - 1) <= max(2 * std(mean), 0.01):
        return
    yield noted(
        "cell-against-weight",
        "caution",
        title="Load cell and weights disagree",
        seen="The load cell reads {quotient} of the force of the weights.",
        why="One of the two is wrong, and so may be the torque.",
        causes=(
            "the cell was tared under load, or has drifted",
            "a weight was entered incorrectly",
            "the cord rubs or is not vertical at the cell",
            "the cell's calibration belongs to another cell",
        ),
        remedies=(
            "Hang one known weight at rest and compare.",
            "Calibrate the cell again, up and down.",
        ),
        place="rig.calibration",
        quotient=(mean, "ratio"),
    )


_SURELY = 3.5  # standard uncertainties
_BY_LOAD = 20.0  # F of one figure more, from which what is left at rest goes with the load
_OFF = 0.01  # part of the usual force, below which a zero is no matter


def _left(X: np.ndarray, y: np.ndarray) -> float:
    """Sum of squares that least squares leaves. X, y: shape (n, k), (n,)."""
    return float(np.sum((y - X @ np.linalg.lstsq(X, y, rcond=None)[0]) ** 2))


@rule
def cell_not_at_zero(
    result: TestResult, inputs: Inputs, peers: Sequence[Peer]
) -> Iterable[Finding]:
    """Before the runs, with nothing on it, the cell reads something: the same whatever the load is
    then, or more from run to run. A brake that holds the drive wound up pulls by the load it had.
    """
    method = result.rig.method
    if method.LETS_DOWN or isinstance(method, RopeBrake):
        return  # what hangs may pull at rest
    points = [(s.index, p) for s in result.steps for p in (*s.points, *s.stalls)]
    seen = sorted(
        (p.run.started, p.window.start, *p.at_rest, nominal(p.pull.mean), index)
        for index, p in points
        if p.at_rest is not None and p.pull is not None
    )
    if len(seen) < 4:
        return
    rest, u, force = (np.array([x[k] for x in seen], float) for k in (2, 3, 4))
    usual = float(np.median(np.abs(force)))
    X = np.column_stack([np.ones(len(seen)), np.linspace(0, 1, len(seen))])
    if np.ptp(force) < 0.2 * usual and method.FADES:
        return  # what it keeps of its load at rest looks the same
    left = _left(X, rest)
    with_load = np.column_stack([X, force / usual])
    if np.ptp(force) > 0.2 * usual and len(rest) > 4:
        by_load = _left(with_load, rest)
        if left - by_load > _BY_LOAD * by_load / (len(rest) - 3):
            X, left = with_load, by_load
    coefficients = np.linalg.lstsq(X, rest, rcond=None)[0]
    free = len(rest) - X.shape[1]
    spread = max(math.sqrt(left / free), float(np.median(u))) ** 2 * np.linalg.pinv(X.T @ X)
    widened = t_widening(free)
    first, last, fall = (np.array([1, at, 0])[: X.shape[1]] for at in (0, 1, 0.5))
    levels = [float(x @ coefficients) for x in (first, last)]
    u_mean, u_drift = (
        widened * math.sqrt(float(x @ spread @ x)) for x in (fall, np.eye(X.shape[1])[1])
    )
    zero = std(inputs.meters_of(points[0][1].run).force.rest)
    drift, mean = levels[1] - levels[0], (levels[0] + levels[1]) / 2
    drifts = abs(drift) > max(_OFF * usual, _SURELY * u_drift)
    if not drifts and abs(mean) <= max(_OFF * usual, _SURELY * math.hypot(u_mean, zero)):
        return
    yield noted(
        "cell-not-at-zero",
        "wrong",
        title="The load cell drifts" if drifts else "The load cell was not tared",
        seen=(
            "Before the first runs it reads {first} at rest, before the last {last}."
            if drifts
            else "At rest, before the runs, it reads {first}, whatever the load is."
        ),
        why="Every force, torque and efficiency by it is off by as much.",
        causes=(
            ("it warms up", "its wires or its glue are coming loose")
            if drifts
            else ("it was tared with something on it, or never", "the arm's weight rests on it")
        ),
        remedies=(
            "Unload it, tare it, and repeat the test.",
            "Tare before each run: a drift between two runs then counts for nothing.",
        ),
        steps=tuple(sorted({x[5] for x in seen})),
        place="rig.calibration",
        first=(levels[0] if drifts else mean, "force"),
        last=(levels[1], "force"),
    )


def _fact(m: Measured) -> Fact:
    return Fact(m.value, "length", m.u)
