"""Rules on the rig: dimensions that contradict each other, a load cell that contradicts the
weights.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from sparring.core.finding import Fact, Finding, Peer, noted
from sparring.core.findings.registry import rule
from sparring.core.methods import Hoist
from sparring.core.quantity import Measured
from sparring.core.reduce.inputs import Inputs
from sparring.core.reduce.results import TestResult
from sparring.core.uncertainty import from_measured, mean_of, nominal, std


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


def _fact(m: Measured) -> Fact:
    return Fact(m.value, "length", m.u)
