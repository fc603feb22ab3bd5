"""Rules on speeds: against the ratio, against the supply, periods that match a shaft, windows that
are not steady.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np

from sparring.core.finding import Fact, Finding, Peer, noted, of_motor
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
        title="The speed dips and recovers",
        seen="The output speed fell below half of its usual value {times} times, in {runs} runs.",
        why="The mean of such a run is not an operating point.",
        causes=(
            "a tooth, a belt or a magnet skips",
            "the cord slips or jumps a layer",
            "the tachometer loses pulses",
        ),
        remedies=(
            "Watch the mesh under the heaviest load.",
            "See Results, Recording: a skip has a current spike beside it.",
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
        if abs(nominal(q / inputs.ratio) - 1) > max(2.6 * std(q / inputs.ratio), least)
    ]
    if not bad:
        return
    mean = max((quotients[n] for n in bad), key=lambda q: abs(nominal(q / inputs.ratio) - 1))
    off = nominal(mean / inputs.ratio) - 1
    slips = off > 0
    yield noted(
        "speeds-against-ratio",
        "wrong",
        title="The speeds contradict the gear ratio",
        seen="Motor speed over output speed is {measured}; the teeth give {ratio}.",
        why="With a wrong ratio the motor power and the gearbox efficiency are wrong.",
        causes=(
            (
                "something slips: a gear on its shaft, a coupling, the cord on the drum"
                if slips
                else "a tachometer counts two marks as one"
            ),
            "a tooth was miscounted",
            "a tachometer's pulses per revolution are wrong",
        ),
        remedies=(
            (
                "Mark both shafts, turn the output ten revolutions by hand and count those of "
                "the motor."
            ),
            "Count the teeth again.",
        ),
        steps=tuple(bad),
        place="build.stages",
        measured=Fact(nominal(mean), "count", std(mean)),
        ratio=(inputs.ratio, "count"),
    )


@rule
@of_motor
def sag(result: TestResult, inputs: Inputs, peers: Sequence[Peer]) -> Iterable[Finding]:
    """The supply sags: part of the fall in speed is the supply's, not the drive's."""
    known = [s for s in result.running if s.voltage is not None]
    if len(known) < 2:
        return
    first, last = known[0], known[-1]
    fall = first.voltage - last.voltage
    if nominal(fall) <= max(2 * std(fall), _SAG * nominal(first.voltage)):
        return
    by_supply = fall / inputs.motor.k / nominal(inputs.ratio)
    yield noted(
        "voltage-sag",
        "caution",
        title="The supply sags under load",
        seen=(
            "From the lightest to the heaviest load the voltage falls from {first} to "
            "{last}, which costs {slow} of {total}."
        ),
        why="The curve includes the supply, and the stall comes early.",
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
                "Speed varies once per revolution of the "
                f"{shaft if shaft != 'output' else 'output shaft'}"
            ),
            seen=(
                f"Speed varies by ± {{swing}} per revolution of the {shaft} ({order:.4g} per "
                "output revolution)."
            ),
            why="The mean is hardly affected, but the peaks cause wear and early stall.",
            causes=(
                out_of_round,
                f"the {shaft} shaft is bent or its bore eccentric",
                "a tooth is damaged",
            ),
            remedies=(
                f"Turn the {shaft} slowly by hand and feel for a tight spot.",
                "Measure the run-out with a dial indicator.",
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
        title=f"{n} {'run' if n == 1 else 'runs'} not steady",
        seen=(
            "In the window of "
            + (f"{n} runs" if n > 1 else "one run")
            + " the speed still changes by up to {worst}."
        ),
        why="Part of the torque then accelerates the drive and does not reach the output.",
        causes=(
            "the settling time is too short",
            "the run is too short for the measuring time",
            "something warms or wears quickly",
        ),
        remedies=("Increase the settling time.", "Lift higher, or use a thinner drum."),
        steps=tuple(sorted({i for i, _ in bad})),
        place="plan.settle",
        worst=(worst, "ratio"),
    )
