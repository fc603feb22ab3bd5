"""What is drawn through a test's steps: the speed line, the stall, the loss model."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from sparring.core.input_quantity import declare
from sparring.core.reduce.spread import REPEATS, random_part
from sparring.core.reduce.step import Step
from sparring.core.uncertainty import (
    Uncertain,
    mean_of,
    nominal,
    std,
    t_widening,
    ufloat,
    unexplained,
)

NOTABLE_EXCESS = 0.15
"""Loss above the expected one, as a part of it, that is worth a word."""
_BRACKET = declare("stall-bracket", "loads that bracket the stall", "rig").id
_BENT_LOSS = declare("bent-loss", "departure from the loss line", "rig").id
_VISCOUS = declare("viscous-loss", "speed-dependent loss", "rig").id
_FREE = 0.05  # part of the mean speed by which speeds leave their line over the torque
_BENT = declare("bent-line", "departure from a straight line", "rig").id


@dataclass(frozen=True)
class SpeedLine:
    """Weighted straight line of speed over torque; a, b carry everything. intercept: torque at
    standstill.
    """

    a: Uncertain
    b: Uncertain
    intercept: Uncertain

    def __call__(self, torque: float) -> Uncertain:
        return self.a + self.b * torque


@dataclass(frozen=True)
class Stall:
    """lifted, not_lifted: torques the stall lies between [N·m], None where not seen; by_line: from
    the speed line; held: read while the output was held.
    """

    lifted: Uncertain = None
    not_lifted: Uncertain = None
    by_line: Uncertain = None
    held: Uncertain = None

    @property
    def bracket(self) -> Uncertain:
        """Middle of the interval, u = half-width/√3 (rectangular)."""
        if self.lifted is None or self.not_lifted is None:
            return None
        half = (nominal(self.not_lifted) - nominal(self.lifted)) / 2
        return (self.lifted + self.not_lifted) / 2 + ufloat(0.0, abs(half) / math.sqrt(3), _BRACKET)


@dataclass(frozen=True)
class LossModel:
    """Gearbox loss as torque at the output: P_loss/ω = T_c + c ω + ℓ T. constant [N·m],
    proportional [-], viscous [N·m·s/rad]; None where the speed followed the torque, as on a ladder
    at one voltage: then what part of T_c grows with the speed cannot be told, and both others have
    the doubt of it. line: constant and slope over the torque, at the speeds of the test.
    """

    constant: Uncertain
    proportional: Uncertain
    viscous: Uncertain = None
    line: tuple[Uncertain, Uncertain] | None = None

    def expected(self, torque: Uncertain, speed: float = 0.0) -> Uncertain:
        """Loss torque [N·m] at an output torque and speed [rad/s]."""
        constant, slope = self.line or (self.constant, self.proportional)
        loss = constant + slope * torque
        return loss if self.viscous is None else loss + self.viscous * speed


def sound_losses(steps: Sequence[Step]) -> tuple[LossModel | None, int]:
    """The loss model, and how many steps it rests on: those before the first that loses notably
    more than the lighter ones let expect (beyond k = 2, and by `NOTABLE_EXCESS`)."""
    for n in range(3, len(steps)):
        # what the points themselves say; their bend would hide the next one's
        model = loss_model(steps[:n], widened=False)
        if model is not None and steps[n].motor_power is not None:
            expected = model.expected(nominal(steps[n].torque), nominal(steps[n].speed))
            excess = loss_torque(steps[n]) - expected
            if nominal(excess) > max(2 * std(excess), NOTABLE_EXCESS * abs(nominal(expected))):
                return loss_model(steps[:n]), n
    return loss_model(steps), len(steps)


def loss_torque(step: Step) -> Uncertain:
    """What the gearbox loses, as torque at the output [N·m]."""
    return (step.motor_power - step.power_out) / step.speed


def speed_line(steps: Sequence[Step]) -> SpeedLine | None:
    """Weighted least squares through the lifted steps, done on the values with uncertainty so that
    all of it carries.

    The speeds are those with the winding as warm as at the start of a lift: the line is not bent by
    its own heat.
    """
    lifted = [s for s in steps if s.lifted and s.cold_speed is not None]
    if len(lifted) < 3:
        return None
    xs = [s.torque if s.line_torque is None else s.line_torque for s in lifted]
    ys = [s.cold_speed for s in lifted]

    def fit(
        y: Sequence[Uncertain], x: Sequence[Uncertain], extra: float
    ) -> tuple[Uncertain, Uncertain]:
        weights = np.array(
            [1.0 / (max(std(v), 1e-4 * abs(nominal(v))) ** 2 + extra**2) for v in ys]
        )
        weights = weights / weights.sum()
        xm = sum(w * v for w, v in zip(weights, x, strict=True))
        ym = sum(w * v for w, v in zip(weights, y, strict=True))
        slope = sum(w * (v - xm) * (u - ym) for w, v, u in zip(weights, x, y, strict=True)) / sum(
            w * (v - xm) ** 2 for w, v in zip(weights, x, strict=True)
        )
        return ym - slope * xm, slope

    plain_x, plain_y = [nominal(x) for x in xs], [nominal(y) for y in ys]
    a, b = fit(plain_y, plain_x, 0.0)
    misfit = math.sqrt(
        sum((y - a - b * x) ** 2 for x, y in zip(plain_x, plain_y, strict=True)) / (len(lifted) - 2)
    )
    own = math.sqrt(float(np.mean([std(y) ** 2 for y in ys])))
    extra = 0.0
    if (
        misfit > own
        # the points do not lie on a line within their own doubt: weigh them more equally, and say
        # so in
        # the band
    ):
        extra = math.sqrt(misfit**2 - own**2)
        a, b = fit(plain_y, plain_x, extra)
        extra = math.sqrt(
            sum((y - a - b * x) ** 2 for x, y in zip(plain_x, plain_y, strict=True))
            / (len(lifted) - 2)
        )
    few = t_widening(len(lifted) - 2)  # so many degrees of freedom tell how bent it is
    noisy = [y + ufloat(0.0, extra * few, _BENT) for y in ys] if extra else ys
    a, b = fit(noisy, xs, extra)
    return SpeedLine(a, b, -a / b if nominal(b) < 0 else None)


def held_stall(steps: Sequence[Step]) -> Stall:
    """The mean over the pushes, with what they scatter beyond their own readings."""
    pushes = [p for s in steps for p in s.stalls if not p.run.broke]
    torques = [p.torque for p in pushes]
    if not torques:
        return Stall()
    mean, n = mean_of(torques), len(torques)
    if n < 2:
        return Stall(held=mean)
    # that it warms from push to push is known, and no scatter
    s2 = float(np.var([nominal(p.torque) / p.weakened for p in pushes], ddof=1))
    own = sum(random_part(t) ** 2 for t in torques) / n
    u = math.sqrt(max(s2 - own, 0.0) / n) * t_widening(n - 1)
    return Stall(held=mean + ufloat(0.0, u, REPEATS) if u else mean)


def found_stall(steps: Sequence[Step], line: SpeedLine | None) -> Stall:
    lifted = [s.torque for s in steps if s.lifted and not s.stalls]
    stalled = [
        s.torque for s in steps if any(not p.run.broke for p in s.stalls)
    ]  # what broke says nothing of the motor
    most = max(lifted, key=nominal) if lifted else None
    least = min(stalled, key=nominal) if stalled else None
    if most is not None and least is not None and nominal(least) <= nominal(most):
        least = None
    return Stall(most if least is not None else None, least, line.intercept if line else None)


def loss_model(steps: Sequence[Step], *, widened: bool = True) -> LossModel | None:
    """Least squares of the loss torque over the output torque; needs three steps with gearbox
    losses. widened: with what the points leave the line by beyond their own scatter.
    """
    known = [
        s
        for s in steps
        if s.motor_power is not None and s.speed is not None and nominal(s.speed) > 0
    ]
    if len(known) < 3:
        return None
    x = np.array([nominal(s.torque) for s in known])
    y = [loss_torque(s) for s in known]
    speeds = np.array([nominal(s.speed) for s in known])
    design = np.column_stack([np.ones_like(x), x])
    follows = np.linalg.lstsq(design, speeds, rcond=None)[0]  # the speed over the torque
    free = float(np.std(speeds - design @ follows)) / float(speeds.mean())
    told = len(known) > 3 and free > _FREE
    if told:
        design = np.column_stack([design, speeds])
    through = np.linalg.pinv(design)

    def fitted(ys: Sequence[Uncertain]) -> list[Uncertain]:
        return [
            sum(share * v for share, v in zip(row, ys, strict=True)) for row in through.tolist()
        ]

    found = fitted(y)
    left = np.array([nominal(v) for v in y]) - design @ [nominal(v) for v in found]
    # where the points' own scatter does not explain how they leave the line: more doubt for each
    u = unexplained(left, [random_part(v) ** 2 for v in y], len(y) - design.shape[1])
    if widened and u > 0:
        found = fitted([v + ufloat(0.0, u, _BENT_LOSS) for v in y])
    if not told and widened and follows[0] > 0:
        # any part of T_c may be c ω, up to all of it; ℓ follows by the speed line's fall
        part = ufloat(0.0, abs(nominal(found[0])) / 2, _VISCOUS)
        falls = float(follows[1] / follows[0])
        return LossModel(found[0] - part, found[1] - part * falls, line=(found[0], found[1]))
    return LossModel(*found)
