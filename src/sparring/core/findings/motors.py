"""Rules on several motors, each with an ammeter of its own."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from sparring.core import motor as motors
from sparring.core.finding import Fact, Finding, Peer, noted, of_motor
from sparring.core.findings.registry import rule
from sparring.core.reduce.inputs import Inputs
from sparring.core.reduce.results import TestResult
from sparring.core.reduce.step import Step
from sparring.core.uncertainty import Uncertain, nominal, std

_FAR = 0.05  # of the torque, by which a share is worth a word
_UNEVEN = 1.2  # times its even part


@rule
@of_motor
def motors_share_measured(
    result: TestResult, inputs: Inputs, peers: Sequence[Peer]
) -> Iterable[Finding]:
    """How several motors shared the torque, against what their own lines let expect."""
    known = [s for s in result.running if s.shares]
    if not known:
        return
    heaviest = max(known, key=lambda s: nominal(s.torque))
    shares = heaviest.shares
    dragged = [n for n, x in enumerate(shares) if nominal(x) + 2 * std(x) < 0]
    expected = _expected(inputs, heaviest)
    off = [
        n
        for n, (x, e) in enumerate(zip(shares, expected, strict=False))
        if abs(nominal(x) - nominal(e)) > max(_FAR, 2 * std(x - e))
    ]
    uneven = nominal(max(shares, key=nominal)) > _UNEVEN / len(shares)
    facts: dict[str, tuple[Uncertain, str] | Fact] = {
        f"share_{n}": (x, "ratio") for n, x in enumerate(shares, start=1)
    }
    seen = [f"motor {n} gives {{share_{n}}}" for n in range(1, len(shares) + 1)]
    if off and not dragged:
        facts["expected"] = (expected[off[0]], "ratio")
        seen.append(f"by its readings motor {off[0] + 1} should give {{expected}}")
    yield noted(
        "motors-share-measured",
        "wrong" if dragged else "caution" if off or uneven else "good",
        title=(
            f"Motor {dragged[0] + 1} is dragged along"
            if dragged
            else "The motors share otherwise than their readings promise"
            if off
            else "The motors share the load unequally"
            if uneven
            else "The motors share the load"
        ),
        seen=f"At {{torque}}: {', '.join(seen)}.",
        why=(
            "On one shaft they turn alike; what each gives follows from its voltage, its constant "
            "and its resistance."
        ),
        causes=(
            "a motor with a worn brush, a bad lead or a weaker magnet",
            "one supply is set to another voltage, or limits its current",
            "a motor whose pinion slips on its shaft",
        )
        if off or dragged
        else ("motors of unequal no-load speed",)
        if uneven
        else (),
        remedies=(
            "Measure each bare motor again (Build, Motor from readings).",
            "Exchange the two motors: if the share goes with the motor, it is the motor's.",
        )
        if off or dragged
        else ("Pair motors of equal no-load speed.",)
        if uneven
        else (),
        steps=tuple(s.index for s in known),
        place="build.motor",
        torque=(heaviest.torque, "torque"),
        **facts,
    )


def _expected(inputs: Inputs, step: Step) -> list[Uncertain]:
    """The shares by the motors' own lines at one voltage, of the step's speed."""
    if step.voltage is None or step.speed is None:
        return []
    each = motors.shares(inputs.lines, step.speed * inputs.ratio, step.voltage)
    total = sum(each[1:], start=each[0])
    return [t / total for t in each] if nominal(total) > 0 else []
