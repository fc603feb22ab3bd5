"""Rules on speeds: against the ratio, against the supply, periods that match a shaft, windows that
are not steady.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np

from sparring.core.finding import Fact, Finding, Peer, noted
from sparring.core.findings.registry import rule
from sparring.core.reduce.inputs import Inputs
from sparring.core.reduce.results import TestResult, output_orders
from sparring.core.uncertainty import mean_of, nominal, std

_RIPPLE = 0.02  # amplitude worth a word, of the mean speed
_DIPS = 2  # of the speed in a test, that are no chance
_SAG = 0.03  # fall of the terminal voltage worth a word, of the set voltage


@rule
def speed_dips(result: TestResult, inputs: Inputs, peers: Sequence[Peer]) -> Iterable[Finding]:
    """The output's speed fell and came back, several times."""
    dips = [(s, p.dips) for s in result.running for p in s.points if p.dips]
    if sum(n for _, n in dips) < _DIPS:
        return
    worst = max(dips, key=lambda d: d[1])[0]
    yield noted(
        "speed-dips",
        "caution",
        title="The speed dips and comes back",
        seen="The output's speed fell below half of its usual value {times} times, in {runs} runs.",
        why="The mean of such a run is no operating point: it holds moments without load.",
        causes=(
            "a tooth, a belt or a magnet skips",
            "the cord slips or jumps a layer",
            "the tachometer loses pulses",
        ),
        remedies=(
            "Watch the mesh under the heaviest weight.",
            "Look at the speed in Results, Recording: a skip has a kick of the current beside it.",
        ),
        steps=tuple({s.index: None for s, _ in dips}),
        torque=(worst.torque, "torque"),
        times=(sum(n for _, n in dips), "count"),
        runs=(len(dips), "count"),
    )


@rule
def speeds_against_ratio(
    result: TestResult, inputs: Inputs, peers: Sequence[Peer]
) -> Iterable[Finding]:
    """Motor speed over output speed is not the gear ratio."""
    quotients = {
        s.index: mean_of(found)
        for s in result.running
        if (found := [p.motor_speed / p.speed for p in s.points if p.motor_speed is not None])
    }
    if result.rig.method.ACCELERATES and quotients:  # its parts are moments of one spin
        quotients = dict.fromkeys(quotients, mean_of([*quotients.values()]))
    # a mass that comes up to speed unwinds what lies between it and the motor
    least = 0.012 if result.rig.method.ACCELERATES else 0.004
    bad = [
        n
        for n, q in quotients.items()
        # one of several steps is beyond twice its own doubt by chance
        if abs(nominal(q) / inputs.ratio - 1) > max(2.6 * std(q) / inputs.ratio, least)
    ]
    if not bad:
        return
    mean = max((quotients[n] for n in bad), key=lambda q: abs(nominal(q) / inputs.ratio - 1))
    off = nominal(mean) / inputs.ratio - 1
    slips = off > 0
    yield noted(
        "speeds-against-ratio",
        "wrong",
        title="The two speeds do not give the gear ratio",
        seen="Motor over output speed is {measured}; the teeth counted give {ratio}.",
        why=(
            "Teeth in mesh cannot slip: with the wrong ratio the motor's power and the gearbox"
            " efficiency are wrong."
        ),
        causes=(
            (
                "something slips: a gear on its shaft, a coupling, the cord on the drum"
                if slips
                else "a tachometer sees two marks a turn as one"
            ),
            "a tooth was counted wrongly",
            "a tachometer's pulses per turn are set wrongly",
        ),
        remedies=(
            "Mark both shafts, turn the output ten turns by hand and count the motor's.",
            "Count the teeth again.",
        ),
        steps=tuple(bad),
        place="build.stages",
        measured=Fact(nominal(mean), "count", std(mean)),
        ratio=(inputs.ratio, "count"),
    )


@rule
def sag(result: TestResult, inputs: Inputs, peers: Sequence[Peer]) -> Iterable[Finding]:
    """The supply sags: part of the fall in speed is the supply's, not the drive's."""
    known = [s for s in result.running if s.voltage is not None]
    if len(known) < 2:
        return
    first, last = known[0], known[-1]
    fall = first.voltage - last.voltage
    if nominal(fall) <= max(2 * std(fall), _SAG * nominal(first.voltage)):
        return
    by_supply = fall / inputs.motor.k / inputs.ratio
    yield noted(
        "voltage-sag",
        "caution",
        title="The supply sags under load",
        seen=(
            "From the lightest to the heaviest weight the motor's voltage falls from {first} to"
            " {last}; that alone costs {slow} of {total}."
        ),
        why=(
            "The speed falls further than the speed line allows at one voltage: the curve shows"
            " drive and supply together, and the stall comes early."
        ),
        causes=("long or thin leads", "the supply's current limit", "a battery that is not full"),
        remedies=(
            "Shorten or thicken the leads.",
            "Raise the current limit.",
            "Measure the voltage at the motor's terminals.",
        ),
        steps=(last.index,),
        first=(first.voltage, "voltage"),
        last=(last.voltage, "voltage"),
        slow=Fact(nominal(by_supply), "speed", digits=2),
        total=Fact(nominal(first.speed - last.speed), "speed", digits=3),
    )


@rule
def period_of_a_shaft(
    result: TestResult, inputs: Inputs, peers: Sequence[Peer]
) -> Iterable[Finding]:
    """The speed repeats with the turning of one shaft."""
    names = {abs(order): shaft for shaft, order in output_orders(result.build).items()}
    seen: dict[float, list[float]] = {}
    for step in result.lifted:
        for p in step.points:
            for order, amplitude in p.ripple.items():
                seen.setdefault(order, []).append(amplitude)
    total = sum(len(s.points) for s in result.lifted)
    for order, amplitudes in seen.items():
        if len(amplitudes) < max(2, total // 3) or np.median(amplitudes) < _RIPPLE:
            continue
        shaft = next(
            (name for known, name in names.items() if abs(known - order) < 1e-9), "a shaft"
        )
        out_of_round = (
            "the drum is out of round"
            if shaft == "output"
            else f"a gear on {shaft} is out of round"
        )
        yield noted(
            "period-of-a-shaft",
            "caution",
            title=(
                "Speed swings once per turn of the"
                f" {shaft if shaft != 'output' else 'output shaft'}"
            ),
            seen=(
                f"The speed swings by ± {{swing}} with each turn of the {shaft} ({order:.4g} per"
                " output turn)."
            ),
            why=(
                "Something turns unevenly with that shaft. The mean is little harmed over whole"
                " turns; the peaks wear and stall the drive."
            ),
            causes=(
                out_of_round,
                f"the {shaft} shaft is bent or its bore off centre",
                "a tooth is damaged",
            ),
            remedies=(
                f"Turn the {shaft} slowly by hand and feel for the tight place.",
                "Look at the run-out with a dial indicator.",
            ),
            steps=tuple(s.index for s in result.lifted),
            swing=(float(np.median(amplitudes)), "ratio"),
        )


@rule
def not_steady(result: TestResult, inputs: Inputs, peers: Sequence[Peer]) -> Iterable[Finding]:
    """Windows in which the speed still changes."""
    bad = [(s.index, p) for s in result.lifted for p in s.points if not p.window.steady]
    if not bad:
        return
    worst = max(abs(p.window.drift) for _, p in bad)
    n = len(bad)
    yield noted(
        "not-steady",
        "caution",
        title=f"{n} {'lift' if n == 1 else 'lifts'} not steady",
        seen=(
            "In the measured window of "
            + (f"{n} lifts" if n > 1 else "one lift")
            + " the speed still changes, by up to {worst}."
        ),
        why=(
            "While the speed changes, part of the torque accelerates the drive and is not at the"
            " output."
        ),
        causes=(
            "the settle time is too short",
            "the lift is too short for the measure time",
            "something warms or wears quickly",
        ),
        remedies=("Lengthen the settle time.", "Lift further, or use a thinner drum."),
        steps=tuple(sorted({i for i, _ in bad})),
        place="plan.settle",
        worst=(worst, "ratio"),
    )
