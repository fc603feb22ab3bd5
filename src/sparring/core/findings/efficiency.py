"""Rules on power and efficiency: what cannot be true, and what falls off where it should not."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from sparring.core.finding import Finding, Peer, noted
from sparring.core.findings.registry import rule
from sparring.core.reduce.inputs import Inputs
from sparring.core.reduce.results import TestResult
from sparring.core.uncertainty import mean_of, nominal, std


@rule
def output_above_input(
    result: TestResult, inputs: Inputs, peers: Sequence[Peer]
) -> Iterable[Finding]:
    """More power comes out than goes in."""
    bad = [s for s in result.lifted if s.wire_to_shaft is not None and nominal(s.wire_to_shaft) > 1]
    if not bad:
        return
    worst = max(bad, key=lambda s: nominal(s.wire_to_shaft))
    yield noted(
        "output-above-input",
        "wrong",
        title="More power out than in",
        seen="At {torque} the output gives {out} and the supply {supply}.",
        why="No drive does that: a measurement is wrong.",
        causes=(
            "the drum's diameter was entered as its radius",
            "a weight was entered in the wrong unit",
            "the ammeter is in the wrong range or place",
            "the tachometer counts several marks a turn",
        ),
        remedies=(
            "Check the drum first: it touches every figure.",
            "Read current on a second meter.",
        ),
        steps=tuple(s.index for s in bad),
        place="rig.method.drum_diameter",
        torque=(worst.torque, "torque"),
        out=(worst.power_out, "power"),
        supply=(worst.power_in, "power"),
    )


@rule
def gearbox_above_one(
    result: TestResult, inputs: Inputs, peers: Sequence[Peer]
) -> Iterable[Finding]:
    """Output torque above ratio times motor torque."""
    # a little above is chance where every figure has its own
    known = [s for s in result.lifted if s.gearbox is not None]
    bad = [s for s in known if nominal(s.gearbox) - std(s.gearbox) > 1]
    if not bad:
        return
    worst = max(bad, key=lambda s: nominal(s.gearbox))
    sure = nominal(worst.gearbox) - 2 * std(worst.gearbox) > 1
    yield noted(
        "gearbox-above-one",
        "wrong" if sure else "caution",
        title="Gearbox efficiency above 1",
        seen="At {torque} the gearbox efficiency comes to {eta}.",
        why=(
            "A gearbox gives at most the ratio times the motor's torque. "
            + (
                "The gap is beyond the stated uncertainty."
                if sure
                else "Within its uncertainty it may still be below."
            )
        ),
        causes=(
            "the bare motor was measured too weak: another voltage, a warm winding, a flat battery",
            "the no-load current was read with the gearbox on",
            "the ratio has a tooth miscounted",
            "the drum's diameter is entered too large",
        ),
        remedies=(
            "Measure the bare motor again: no-load and stall at the test's voltage.",
            "Count the teeth again.",
        ),
        steps=tuple(s.index for s in bad),
        place="build.motor",
        torque=(worst.torque, "torque"),
        eta=(worst.gearbox, "ratio"),
    )


@rule
def drop_at_last(result: TestResult, inputs: Inputs, peers: Sequence[Peer]) -> Iterable[Finding]:
    """Efficiency falls at the heaviest weights further than the loss model of the lighter ones
    expects.
    """
    if result.losses is None or result.sound >= len(result.lifted):
        return
    last = result.lifted[-1]
    expected = result.losses.expected(nominal(last.torque))
    expected_eta = last.torque / (last.torque + expected)
    yield noted(
        "drop-at-last-weights",
        "caution",
        title=(
            "Efficiency drops at the heaviest weights"
            if result.sound < len(result.lifted) - 1
            else "Efficiency drops at the heaviest weight"
        ),
        seen="At {torque} the gearbox gives {eta}; the lighter weights let expect {expected}.",
        why=(
            "Losses that grow faster than the load mean that something moves out of place under"
            " load."
        ),
        causes=(
            "the output shaft bends and the last mesh runs askew",
            "the frame gives way and the centres open",
            "a bearing is at its limit",
            "the motor sags: see the voltage",
        ),
        remedies=(
            "Watch the last mesh under the heaviest weight, from the side.",
            "Support the shaft on both sides, or brace the frame, and lift again.",
            "Lift the heaviest weight again after a light one: is it the load, or the time?",
        ),
        steps=tuple(s.index for s in result.lifted[result.sound :]),
        torque=(last.torque, "torque"),
        eta=(last.gearbox, "ratio"),
        expected=(expected_eta, "ratio"),
    )


@rule
def motor_torques_disagree(
    result: TestResult, inputs: Inputs, peers: Sequence[Peer]
) -> Iterable[Finding]:
    """Motor torque from the speed line against motor torque from the current."""
    pairs = [
        (p.torque, p.motor_torque_speed / p.motor_torque_current)
        for s in result.lifted
        for p in s.points
        if p.motor_torque_speed is not None
        and p.motor_torque_current is not None
        and nominal(p.motor_torque_current) > 0
    ]
    if not pairs:
        return
    mean = mean_of([q for _, q in pairs])
    if abs(nominal(mean) - 1) <= max(2 * std(mean), 0.05):
        return
    low = nominal(mean) < 1
    yield noted(
        "motor-torques-disagree",
        "caution",
        title="Speed and current tell different motor torques",
        seen="By its speed line the motor gives {quotient} of the torque that its current tells.",
        why=(
            "One of them rests on a motor that has changed since it was measured; the gearbox"
            " efficiency uses the better known one."
        ),
        causes=(
            (
                "the winding is warmer than when the motor was measured",
                "the voltage is measured at the supply, not at the motor",
            )
            if low
            else (
                "the no-load current was read with the gearbox on",
                "the stall current was read at a sagging supply",
            )
        ),
        remedies=("Measure no load and stall again, at the test's voltage and temperature.",),
        steps=tuple(s.index for s in result.lifted),
        place="build.motor",
        quotient=(mean, "ratio"),
    )
