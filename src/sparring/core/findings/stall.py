"""Rules on stalling."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from sparring.core import predict
from sparring.core.finding import Fact, Finding, Peer
from sparring.core.findings.registry import rule
from sparring.core.reduce.inputs import Inputs
from sparring.core.reduce.results import TestResult
from sparring.core.uncertainty import nominal


@rule
def stalled(result: TestResult, inputs: Inputs, peers: Sequence[Peer]) -> Iterable[Finding]:
    """A weight that was not lifted."""
    steps = [s for s in result.steps if any(not p.run.broke for p in s.stalls)]
    if not steps:
        return
    first = steps[0]
    volts = [nominal(p.voltage) for p in first.stalls if p.voltage is not None]
    held = result.rig.method.HELD  # then the supply shows what it stalls at
    voltage = sum(volts) / len(volts) if held and volts else result.voltage
    expected = predict.stall_torque(result.build, voltage)
    early = nominal(first.torque) < 0.8 * expected
    if held and not early:
        return
    facts = {"torque": Fact.of(first.torque, "torque"), "expected": Fact(expected, "torque")}
    between = ""
    if result.stall.lifted is not None:
        facts["lifted"] = Fact(nominal(result.stall.lifted), "torque")
        between = "; {lifted} was moved"
    yield Finding(
        id="stalled",
        severity="caution" if early else "note",
        title="Stalls early" if early else "Stalled",
        seen=(
            "Stalled, the output delivers {torque}; {expected} is predicted."
            if held
            else (
                f"The output did not move at {{torque}} ({len(first.stalls)} of "
                f"{len(first.stalls) + len(first.points)} runs{between}); {{expected}} is "
                "predicted."
            )
        ),
        why="At stall all electrical power heats the winding within seconds.",
        causes=(
            (
                "a mesh binds under load",
                "the supply's current limit is below the motor's stall current",
                "the shaft bends",
            )
            if early
            else ("the motor has reached its stall torque",)
        ),
        remedies=("Let the motor cool, and repeat from another position of the gears.",)
        if held
        else (
            "Halve the step between the last two loads to narrow the interval.",
            "Let the motor cool before the next run.",
        ),
        steps=tuple(s.index for s in steps),
        facts=facts,
    )


@rule
def broke(result: TestResult, inputs: Inputs, peers: Sequence[Peer]) -> Iterable[Finding]:
    """A part that gave way, beside what the build's table of strengths expected."""
    for step in result.steps:
        for part, torque in ((p.run.broke, p.torque) for p in step.stalls if p.run.broke):
            limits = result.build.limits
            held = max(
                (nominal(s.torque) for s in result.lifted if nominal(s.torque) < nominal(torque)),
                default=None,
            )
            own = next((x for x in limits if x.name.casefold() == part.casefold()), None)
            facts = {"torque": Fact.of(torque, "torque")}
            told = ""
            if held is not None:
                facts["held"] = Fact(held, "torque")
                told = ", after holding {held}"
            if own is not None:
                facts["expected"] = Fact(own.output, "torque")
                told += f"; {{expected}} is predicted ({own.mode})"
            first = limits[0] if limits else None
            if first is not None and first.name.casefold() != part.casefold():
                facts["first"] = Fact(first.output, "torque")
                told += f", with the {first.name} first at {{first}}"
            surprising = (
                own is None or own is not first or not 0.6 < nominal(torque) / own.output < 1.6
            )
            yield Finding(
                id="broke",
                severity="caution" if surprising else "note",
                title=f"Broken: {part}",
                seen=f"It failed at an output torque of {{torque}}{told}.",
                why=(
                    "The weakest part limits the drive; early failure points to a defect "
                    "of print, joint or alignment."
                ),
                causes=(
                    (
                        "a layer or a void in the print",
                        "a joint that slipped first",
                        "shock: the load was applied suddenly",
                    )
                    if surprising
                    else ()
                ),
                remedies=(
                    "Examine the fracture surface.",
                    "Strengthen this part, or make it the fuse, and test again.",
                ),
                steps=(step.index,),
                facts=facts,
            )
