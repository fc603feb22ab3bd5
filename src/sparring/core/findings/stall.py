"""Rules on stalling."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from sparring.core import predict
from sparring.core.finding import Fact, Finding, Peer
from sparring.core.findings.registry import rule
from sparring.core.reduce.points import Inputs
from sparring.core.reduce.results import TestResult
from sparring.core.uncertainty import nominal


@rule
def stalled(result: TestResult, inputs: Inputs, peers: Sequence[Peer]) -> Iterable[Finding]:
    """A weight that was not lifted."""
    steps = [s for s in result.steps if s.stalls]
    if not steps:
        return
    first = steps[0]
    expected = predict.stall_torque(result.build, result.plan.voltage)
    early = nominal(first.torque) < 0.8 * expected
    facts = {"torque": Fact.of(first.torque, "torque"), "expected": Fact(expected, "torque")}
    between = ""
    if result.stall.lifted is not None:
        facts["lifted"] = Fact(nominal(result.stall.lifted), "torque")
        between = " The stall lies between {lifted} (lifted) and that."
    yield Finding(
        "stalled",
        "caution" if early else "note",
        "Stalls early" if early else "Stalled",
        f"At {{torque}} the output did not move ({len(first.stalls)} of {len(first.stalls) + len(first.points)} lifts).{between} Expected: {{expected}}.",
        "At stall all the supply's power heats the winding, within seconds.",
        (
            ("a mesh binds under load", "the supply's current limit is below the motor's stall current", "the shaft bends")
            if early
            else ("the motor's torque is used up",)
        ),
        ("Halve the step between the last two weights to narrow the interval.", "Let the motor cool before the next lift."),
        facts,
        tuple(s.index for s in steps),
    )
