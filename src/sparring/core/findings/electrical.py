"""Rules on the winding: what a supply can drive through it, and how warm it is."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from sparring.core.finding import Fact, Finding, Peer, noted, of_motor
from sparring.core.findings.registry import rule
from sparring.core.reduce.inputs import Inputs
from sparring.core.reduce.results import TestResult
from sparring.core.uncertainty import nominal, std

_BEYOND = 1.25  # times what the winding lets through: a stall current is read to a few per cent


@rule
@of_motor
def current_beyond_the_winding(
    result: TestResult, inputs: Inputs, peers: Sequence[Peer]
) -> Iterable[Finding]:
    """More current than the voltage can drive through the winding at rest, V/R: no motor that turns
    forwards takes it.
    """
    seen = []
    for s in result.running:
        if s.current is None or s.voltage is None or nominal(s.voltage) <= 0:
            continue
        most = s.voltage / inputs.motor.R
        times = s.current / most
        if nominal(times) - 2 * std(times) > _BEYOND:
            seen.append((times, most, s))
    if not seen:
        return
    times, most, worst = max(seen, key=lambda x: nominal(x[0]))
    swapped = nominal(worst.voltage) < nominal(worst.current) / nominal(inputs.motor.R)
    causes = (
        "the motor's stall current was entered too low, or at another voltage",
        "the ammeter counts another load as well",
        "a channel is off by a power of ten",
    )
    yield noted(
        "current-beyond-the-winding",
        "wrong",
        title="More current than the voltage can drive through the motor",
        seen="{current} at {voltage}: the winding lets {most} through when the motor is at rest.",
        why="Every figure by voltage or current is wrong: power in, motor torque, efficiencies.",
        causes=("volts and amperes are exchanged", *causes) if swapped else causes,
        remedies=(
            "Check which column is which (Logbook, Import a log).",
            "Measure voltage and current of the stalled motor by hand for a second.",
        ),
        steps=tuple(s.index for _, _, s in seen),
        place="build.motor",
        current=(worst.current, "current"),
        voltage=(worst.voltage, "voltage"),
        most=Fact(nominal(most), "current", digits=2),
    )


@rule
@of_motor
def pauses_not_logged(
    result: TestResult, inputs: Inputs, peers: Sequence[Peer]
) -> Iterable[Finding]:
    """The clock of a log stood between its runs: see `reduce.pauses`."""
    steps = [s.index for s in result.running for p in s.points if p.paused]
    if not steps:
        return
    yield noted(
        "pauses-not-logged",
        "caution",
        title="The log's clock stood between the runs",
        seen=(
            "By its clock the runs follow each other at once; voltage, current and speed say that "
            "the motor had cooled in between."
        ),
        why=(
            "The winding is taken as cold at the start of each run, and its warmth as known to "
            "some kelvins only: stall torque and motor torque by the speed are less sure."
        ),
        causes=("recordings pasted together", "a logger that was stopped in the pauses"),
        remedies=(
            "Let the logger run on in the pauses.",
            "Or import the runs as logs of their own, with the time at which each began.",
        ),
        steps=tuple(dict.fromkeys(steps)),
    )
