"""Drawbar: a vehicle pulls at a fixed point or a sled; the wheels' torque is F r at least, the pull
over the weight is traction.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

from sparring.core.characterise.base import (
    STANDARD_GRAVITY,
    Force,
    Gravity,
    Inputs,
    Judged,
    Length,
    Mass,
    Method,
    Reading,
    over_repeats,
)
from sparring.core.finding import noted
from sparring.core.quantity import Measured
from sparring.core.uncertainty import nominal


class DrawbarReading(Reading):
    """Steady pull, least and peak seen beside it, and the ballast on board."""

    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Steady pull", "pull"),
        ("Least seen", "least"),
        ("Peak seen", "peak"),
        ("Ballast", "ballast"),
    )

    pull: Force = Measured(10.0, 0.1)
    least: Force | None = None
    peak: Force | None = None
    ballast: Mass = Measured(0.0, 0.0)


class Drawbar(Method):
    """A cell between the vehicle and what it pulls."""

    ID: ClassVar[str] = "drawbar"
    TITLE: ClassVar[str] = "Drawbar pull"
    PURPOSE: ClassVar[str] = (
        "Pull of a vehicle against ballast: what the drive gives, or what the floor holds."
    )
    CARE: ClassVar[str] = "A taut cord stores energy: stand clear of its line."
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Wheel radius under load", "wheel"),
        ("Mass on the driven wheels", "mass"),
        ("Gravity", "gravity"),
    )
    READING: ClassVar[type[Reading]] = DrawbarReading

    wheel: Length = Measured(0.050, 5e-4)
    mass: Mass = Measured(3.0, 5e-3)
    gravity: Gravity = STANDARD_GRAVITY

    def reduce(self, readings: Sequence[DrawbarReading]) -> Judged:
        x = Inputs(self)
        wheel, own, g = (x.of(self, "wheel"), x.of(self, "mass"), x.of(self, "gravity"))
        pulls, shares, torques, findings = [], [], [], []
        for n, r in enumerate(readings, start=1):
            pull = x.of(r, "pull", n)
            pulls.append(pull)
            torques.append(pull * wheel)
            weight = (own + x.of(r, "ballast", n)) * g
            if nominal(weight) <= 0:
                raise ValueError(
                    f"reading {n}: nothing weighs on the driven wheels; give their mass or the"
                    " ballast"
                )
            shares.append(pull / weight)
            for other, side in ((r.least, -1), (r.peak, 1)):
                if other is not None and side * (other.value - r.pull.value) < 0:
                    raise ValueError(
                        f"reading {n}: the {'peak' if side > 0 else 'least'} ({other.value:.3g} N)"
                        f" is on the wrong side of the steady pull ({r.pull.value:.3g} N)"
                    )
            if r.peak is not None and r.peak.value > 1.3 * r.pull.value:
                findings.append(
                    noted(
                        "peak-is-not-pull",
                        "note",
                        title="The peak is far above the steady pull",
                        seen=f"Reading {n}: peak {{peak}}, steady {{pull}}.",
                        why="Bounce and jerk make peaks; the steady average is the result.",
                        peak=(r.peak.value, "force"),
                        pull=(r.pull.value, "force"),
                    )
                )
        ballasts = [r.ballast.value for r in readings]
        if max(ballasts) - min(ballasts) > 0.15 * (self.mass.value + min(ballasts)):
            values = [nominal(s) for s in shares]
            spread = (max(values) - min(values)) / (sum(values) / len(values))
            grows = nominal(pulls[ballasts.index(max(ballasts))]) > 1.1 * nominal(
                pulls[ballasts.index(min(ballasts))]
            )
            if spread < 0.1 and grows:
                findings.append(
                    noted(
                        "traction-limited",
                        "wrong",
                        title="The floor was measured, not the motor",
                        seen="The pull grows with the ballast; over the weight it stays {share}.",
                        why=(
                            "The wheels slip before the motor is at its end: the wheel torque is"
                            " only known to be at least pull × radius."
                        ),
                        causes=("the wheels are too smooth for the floor",),
                        remedies=(
                            (
                                "Add ballast until the pull no longer grows: from there it is the"
                                " motor's."
                            ),
                        ),
                        share=(sum(values) / len(values), "ratio"),
                    )
                )
        if any(f.id == "traction-limited" for f in findings):
            best = max(torques, key=nominal)
            return Judged(
                (
                    over_repeats("pull-over-weight", "Pull over weight", "ratio", shares),
                    over_repeats("least-wheel-torque", "Wheel torque at least", "torque", [best]),
                ),
                tuple(findings),
            )
        return Judged(
            (
                over_repeats("steady-pull", "Steady pull", "force", pulls),
                over_repeats("pull-over-weight", "Pull over weight", "ratio", shares),
                over_repeats("wheel-torque", "Wheel torque", "torque", torques),
            ),
            tuple(findings),
        )
