"""Rules on power and efficiency: what cannot be true, and what falls off where it should not."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from itertools import pairwise

from sparring.core import predict
from sparring.core.finding import Finding, Peer, noted, of_motor
from sparring.core.findings.registry import rule
from sparring.core.reduce.inputs import Inputs
from sparring.core.reduce.results import TestResult
from sparring.core.reduce.step import Step
from sparring.core.uncertainty import Uncertain, mean_of, nominal, std

_SURELY = 3.0  # standard uncertainties beyond which what cannot be is called wrong


@rule
@of_motor
def output_above_input(
    result: TestResult, inputs: Inputs, peers: Sequence[Peer]
) -> Iterable[Finding]:
    """More power comes out than goes in."""
    known = [s for s in result.lifted if s.wire_to_shaft is not None]
    bad = [s for s in known if nominal(s.wire_to_shaft) - _SURELY * std(s.wire_to_shaft) > 1]
    if not bad:
        return
    worst = max(bad, key=lambda s: nominal(s.wire_to_shaft))
    yield noted(
        "output-above-input",
        "wrong",
        title="Output power exceeds input power",
        seen="At {torque} the output delivers {out} from a supply of {supply}.",
        why="This is impossible: a measurement is wrong.",
        causes=(
            "the drum's diameter was entered as its radius",
            "a weight was entered in the wrong unit",
            "the ammeter is in the wrong range or position",
            "the tachometer counts several marks per revolution",
        ),
        remedies=(
            "Check the drum first: every result depends on it.",
            "Measure the current with a second meter.",
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
    bad = [s for s in known if nominal(s.gearbox) - 2 * std(s.gearbox) > 1]
    if not bad:
        return
    worst = max(bad, key=lambda s: nominal(s.gearbox))
    sure = nominal(worst.gearbox) - _SURELY * std(worst.gearbox) > 1
    own = result.build.has_motor
    yield noted(
        "gearbox-above-one",
        "wrong" if sure else "caution",
        title="Gearbox efficiency above 1",
        seen="At {torque} the gearbox efficiency is {eta}.",
        why=(
            f"Output torque cannot exceed ratio times {'motor' if own else 'input'} torque"
            + (
                "; the excess is significant."
                if sure
                else "; within its uncertainty it may still be below 1."
            )
        ),
        causes=(
            *(
                (
                    "the bare motor's torque was measured too low: another voltage, a warm "
                    "winding, a flat battery",
                    "the no-load current was read with the gearbox on",
                )
                if own
                else ("the crank's radius is entered too small, or its scale reads too low",)
            ),
            "a tooth was miscounted",
            "the drum's diameter is entered too large",
        ),
        remedies=(
            "Measure the bare motor again: no-load and stall at the test's voltage."
            if own
            else "Measure the crank's radius again, and hold its scale square to it.",
            "Count the teeth again.",
        ),
        steps=tuple(s.index for s in bad),
        place="build.motor" if own else "build.input_arm",
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
    expected = result.losses.expected(nominal(last.torque), nominal(last.speed))
    expected_eta = last.torque / (last.torque + expected)
    yield noted(
        "drop-at-last-weights",
        "caution",
        title=(
            "Efficiency drops at the heaviest loads"
            if result.sound < len(result.lifted) - 1
            else "Efficiency drops at the heaviest load"
        ),
        seen="At {torque} the gearbox efficiency is {eta}; lighter loads predict {expected}.",
        why="Losses that grow faster than the load mean that something deflects.",
        causes=(
            "the output shaft bends and misaligns the last mesh",
            "the frame yields and the centre distance opens",
            "a bearing is at its limit",
            "the supply sags: see the voltage",
        ),
        remedies=(
            "Watch the last mesh from the side under the heaviest load.",
            "Support the shaft on both sides or brace the frame, then repeat.",
            "Repeat the heaviest load after a light one, to tell load from time.",
        ),
        steps=tuple(s.index for s in result.lifted[result.sound :]),
        torque=(last.torque, "torque"),
        eta=(last.gearbox, "ratio"),
        expected=(expected_eta, "ratio"),
    )


_FAR = 0.07  # [-], by which an efficiency may lie off what the losses let expect
_MORE = 0.7  # of those losses, that friction may be off by
_USUAL = 0.9  # about what arrives of what is put in
_DRAG = 0.03  # of the largest torque, that a drag nobody entered may take


@rule
def far_from_expected(
    result: TestResult, inputs: Inputs, peers: Sequence[Peer]
) -> Iterable[Finding]:
    """The gearbox efficiency of a step lies far off what the build's own losses give: beyond its
    ±, most of those losses again, and a drag that was not entered.
    """
    far = []
    behind = {s.index for s in result.lifted[result.sound :]}  # what drops there is said by itself
    # what the motor puts in, as torque at the output: it does not rest on the load's own figures
    put_in = {
        s.index: nominal(s.motor_torque) * nominal(inputs.ratio)
        for s in result.running
        if s.gearbox is not None and _set_to(result, s) is not None and s.index not in behind
    }
    most = max(put_in.values(), default=0.0)
    for step in result.running:
        set_to = _set_to(result, step)
        if (torque := put_in.get(step.index, 0.0)) <= 0 or set_to is None:
            continue
        flow = predict.power_flow(result.build, _USUAL * torque, set_to)
        expected = flow.gearbox
        off = nominal(step.gearbox) - expected
        allowed = max(_FAR, _MORE * (1 - expected)) + (_DRAG * most / torque if off < 0 else 0.0)
        if expected > 0 and abs(off) > max(allowed, 3 * std(step.gearbox)):
            far.append((step, expected))
    if not far:
        return
    worst, expected = max(far, key=lambda f: abs(nominal(f[0].gearbox) - f[1]))
    less = nominal(worst.gearbox) < expected
    yield noted(
        "efficiency-far-from-expected",
        "caution",
        title=f"Efficiency is far {'below' if less else 'above'} the prediction",
        seen=(
            "At {torque} the gearbox efficiency is {eta}; teeth and friction as entered "
            "predict {expected}."
        ),
        why="A gap of this size usually means a wrong input.",
        causes=(
            (
                "a mass in another unit, or a cord, an arm or a drum entered too small",
                "a clutch, a set screw or a belt that slips under load",
                "a mesh that binds",
            )
            if less
            else (
                "a length or a mass entered too large",
                "friction of another material or lubricant",
                "the bare motor was measured with something on its shaft"
                if result.build.has_motor
                else "the scale at the crank reads too low, or is not held square to it",
            )
        ),
        remedies=(
            "Measure the radius or arm of the load again, cord included.",
            "Weigh what was hung.",
            "Mark motor shaft and output, and count the revolutions of both under load.",
        ),
        steps=tuple(s.index for s, _ in far),
        place=f"rig.method.{result.rig.method.main()[1]}",
        torque=(worst.torque, "torque"),
        eta=(worst.gearbox, "ratio"),
        expected=(expected, "ratio"),
    )


def _set_to(result: TestResult, step: Step) -> float | None:
    """As `predict.set_to`, of a step; None where it was not measured."""
    if result.build.has_motor:
        return None if step.voltage is None else nominal(step.voltage)
    return nominal(step.speed) * abs(result.build.ratio())


def _apart(quotient: Uncertain, more: float = 1.0) -> bool:
    return abs(nominal(quotient) - 1) > max(3 * std(quotient), 0.05) * more


@rule
@of_motor
def motor_torques_disagree(
    result: TestResult, inputs: Inputs, peers: Sequence[Peer]
) -> Iterable[Finding]:
    """Motor torque from the speed line against motor torque from the current."""
    pairs = [
        (s, mean_of(found))
        for s in result.lifted
        if (
            found := [
                p.motor_torque_speed / p.motor_torque_current
                for p in s.points
                if p.motor_torque_speed is not None
                and p.motor_torque_current is not None
                and nominal(p.motor_torque_current) > 0
            ]
        )
    ]
    # one of several steps is beyond twice its own doubt by chance
    bad = [(s, q) for s, q in pairs if _apart(q)]
    against = ""
    if not bad:  # what all steps share is lost between two of them: something gives way in one
        bad = [
            (s, q / before) for (_, before), (s, q) in pairwise(pairs) if _apart(q / before, 1.4)
        ]
        against = ", relative to the next lighter step"
    if not bad:
        return
    worst, mean = max(bad, key=lambda b: abs(nominal(b[1]) - 1))
    low = nominal(mean) < 1
    yield noted(
        "motor-torques-disagree",
        "caution",
        title="Motor torques from speed and current disagree",
        seen=(
            f"At {{torque}} the torque from speed is {{quotient}} of that from current{against}."
        ),
        why=(
            "The motor has changed since it was measured; efficiency uses the better known torque."
        ),
        causes=(
            (
                "the winding is warmer than when the motor was measured",
                "the voltage was measured at the supply, not at the motor",
            )
            if low
            else (
                "something slips between motor and output: a clutch, a set screw, a belt",
                "the no-load current was read with the gearbox on",
                "the supply sagged while the stall current was read",
            )
        ),
        remedies=(("Measure no load and stall again at the voltage and temperature of the test."),),
        steps=tuple(s.index for s, _ in bad),
        place="build.motor",
        torque=(worst.torque, "torque"),
        quotient=(mean, "ratio"),
    )
