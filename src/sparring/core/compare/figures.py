"""The figures that builds are compared in. A further one is a function and a line in FIGURES."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial
from typing import NamedTuple

import numpy as np

from sparring.core import inventory
from sparring.core.compare import observed
from sparring.core.compare.known import Known, entered, of_own, of_result
from sparring.core.compare.subject import Subject
from sparring.core.reduce.fits import SpeedLine
from sparring.core.reduce.results import TestResult
from sparring.core.uncertainty import nominal


class At(NamedTuple):
    """The common conditions. voltage [V]; torque at the output [N·m]; share: of each one's own
    stall torque, in place of a torque.
    """

    voltage: float
    torque: float
    share: float | None = None


class Figure(NamedTuple):
    """id: stable; words; kind: of quantity; better: 1 more, −1 less, 0 neither; of: gives it, None
    where it is not known; group: of a table; unit: it is best shown in, "": the tester's; per: what
    stands behind the unit.
    """

    id: str
    words: str
    kind: str
    better: int
    of: Callable[[Subject, At], Known | None]
    group: str = "driving"
    unit: str = ""
    per: str = ""

    def known(self, s: Subject, at: At) -> Known | None:
        """It of a subject, worked out once."""
        return s.once((self.of, at), lambda: self.of(s, at))


def stall(s: Subject, at: At) -> Known | None:
    """Stall torque: as held, else by the speed line, else between lifted and not lifted; at another
    voltage than was measured, by the model through the steps.
    """
    level = s.level(at.voltage)
    if level is not None:
        for value, note in (
            (level.stall.held, "held at rest"),
            (level.stall.by_line, "by the speed line"),
            (level.stall.bracket, "between lifted and not lifted"),
        ):
            if value is not None:
                return of_result(value, s.rig, note=note)
    if s.model is not None:
        value, u = s.model.stall(at.voltage)
        note = f"reduced to {at.voltage:.4g} V by its model"
        return of_own(value, u, f"stall of {s.name}", note=note)
    return None


def no_load_speed(s: Subject, at: At) -> Known | None:
    """Speed without load, by the speed line or the model."""
    if (line := _line(s, at)) is not None:
        return of_result(line.a, s.rig, note="by the speed line")
    if s.model is not None:
        speed = s.model.curves(at.voltage, points=2).speed
        value, u = float(speed.value[0]), float(speed.u[0])
        return of_own(value, u, f"no-load speed of {s.name}", note="by its model")
    return None


def peak_power(s: Subject, at: At) -> Known | None:
    """Most power at the output: a²/(−4 b) of a speed line a + b T, at half of the stall torque."""
    line = _line(s, at)
    if line is not None and nominal(line.b) < 0:
        found = of_result(line.a * line.a / (-4 * line.b), s.rig, note="half of the stall torque")
        return found._replace(torque=-nominal(line.a) / (2 * nominal(line.b)))
    if s.model is None:
        return None
    curves = s.model.curves(at.voltage)
    top = curves.peak(curves.power_out)
    found = of_own(top.value, top.u, f"peak power of {s.name}", note="by its model")
    return found._replace(torque=top.torque)


def _line(s: Subject, at: At) -> SpeedLine | None:
    level = s.level(at.voltage)
    return None if level is None else level.line


def best_efficiency(s: Subject, at: At) -> Known | None:
    """Gearbox efficiency of the step where it is highest."""
    part = _measured_at(s, at)
    steps = [] if part is None else [x for x in part.lifted if x.gearbox is not None]
    if not steps:
        return None
    best = max(steps, key=lambda x: nominal(x.gearbox))
    return of_result(best.gearbox, s.rig)._replace(torque=nominal(best.torque))


def _measured_at(s: Subject, at: At) -> TestResult | None:
    level = s.level(at.voltage)
    return None if level is None or s.result is None else s.result.at(level)


def torque_of(s: Subject, at: At) -> float | None:
    """Output torque [N·m] at which a subject is compared; None where its stall is not known."""
    if at.share is None:
        return at.torque
    known = stall(s, at)
    return None if known is None else at.share * known.value


def _at_torque(figure: observed.AtTorque) -> Callable[[Subject, At], Known | None]:
    def of(s: Subject, at: At) -> Known | None:
        torque = torque_of(s, at)
        return None if torque is None else observed.at_torque(s, figure, torque, at.voltage)

    return of


def _inventory(s: Subject) -> inventory.Inventory:
    return s.once("inventory", lambda: inventory.take(s.build))


def ratio(s: Subject, at: At) -> Known:
    value = abs(s.build.ratio())
    return of_own(value, value * s.build.ratio_doubt(), f"ratio of {s.name}", how="entered")


def mass(s: Subject, at: At) -> Known | None:
    """As weighed; else of what is drawn and listed, where something is."""
    if s.build.mass is not None:
        return entered(s.build.mass, f"mass of {s.name}")
    found = _inventory(s)
    return Known(found.mass, how="predicted") if found.mass > 0 else None


def volume(s: Subject, at: At) -> Known | None:
    """Of the box round its gears [m³]."""
    size = _inventory(s).size
    value = math.prod(size)
    note = " × ".join(f"{1e3 * x:.0f}" for x in size) + " mm, round the gears"
    return Known(value, how="predicted", note=note) if value > 0 else None


def price(s: Subject, at: At) -> Known | None:
    """Of the listed parts, without spares, in the build's currency."""
    value = _inventory(s).cost
    return Known(value, how="entered", note=s.build.currency) if value > 0 else None


def making(s: Subject, at: At) -> Known | None:
    value = s.build.making_time
    return None if value is None else Known(value, how="entered")


Of = Callable[[Subject, At], Known | None]


def _per(id: str, words: str, kind: str, top: Of, below: Of, per: str) -> Figure:
    """One figure over another; of a volume, for each litre."""
    scale = Known(1e-3 if per == "L" else 1.0)

    def of(s: Subject, at: At) -> Known | None:
        a, b = (s.once((f, at), partial(f, s, at)) for f in (top, below))
        return None if a is None or b is None or b.value <= 0 else a.over(b.over(scale))

    return Figure(id, words, kind, 1, of, "per", per=f"/{per}" if per else "")


def _part(id: str) -> Callable[[Subject, At], Known | None]:
    """What was measured of the build by hand."""

    def of(s: Subject, at: At) -> Known | None:
        result = s.parts.get(id)
        if result is None:
            return None
        return of_result(result.value, f"{id} of {s.name}")

    return of


def backlash(s: Subject, at: At) -> Known | None:
    """As measured by a slow loop or at the last inspection; else by the fields of its stages."""
    if (found := _part("play")(s, at)) is not None:
        return found
    if s.wear is not None:
        read = [i.play for i in s.wear.given.inspections if i.play is not None]
        if read:
            note = "at the last inspection"
            return of_own(read[-1].value, read[-1].u, f"backlash of {s.name}", note=note)
    if s.build.backlash_unknown():
        return None
    return Known(s.build.backlash(), how="predicted")


def stiffness(s: Subject, at: At) -> Known | None:
    return _part("stiffness")(s, at) or Known(s.build.windup, how="predicted")


def back_drive(s: Subject, at: At) -> Known | None:
    """Torque at the output from which it turns back: as read, else by teeth and friction, the
    motor's own left out; infinite: it holds by itself.
    """
    if (found := _part("not-held")(s, at)) is not None:
        return found
    line = s.build.back_drive_line()
    if line is None:
        return Known(math.inf, how="predicted", note="holds by itself")
    slope, drag = line
    friction = nominal(s.build.motor_line().friction) if s.build.has_motor else 0.0
    note = "teeth, drags and the motor's friction"
    return Known((drag + friction) / slope, how="predicted", note=note)


def ripple(s: Subject, at: At) -> Known | None:
    """Largest part of the speed that repeats with the turns of a shaft, of the lightest load."""
    part = _measured_at(s, at)
    for step in [] if part is None else part.running:
        seen = np.array([max(p.ripple.values()) for p in step.points if p.ripple])
        if len(seen):
            n = len(seen)
            random = float(seen.std(ddof=1)) / math.sqrt(n) if n > 1 else 0.0
            rounds = {s.round_of(p): max(p.ripple.values()) for p in step.points if p.ripple}
            torque = nominal(step.torque)
            return Known(float(seen.mean()), random, n - 1.0, rounds=rounds, torque=torque)
    return None


def wear_rate(s: Subject, at: At) -> Known | None:
    """Depth that the fastest flank loses in 1000 turns of the output [m] at the common torque: it
    goes with the torque (Archard).
    """
    torque = torque_of(s, at)
    if s.wear is None or not s.wear.flanks or torque is None or s.wear.torque <= 0:
        return None
    worst = max(s.wear.flanks, key=lambda f: f.per_turn.value)
    value, low, high = (1e3 * x * torque / s.wear.torque for x in worst.per_turn)
    found = of_own(value, (high - low) / 4, f"wear of {s.name}", note=worst.flank.id)
    return found._replace(torque=torque)


def b10(s: Subject, at: At) -> Known | None:
    """Turns of the output at which one in ten has failed, by Weibull's line through its lives."""
    from sparring.core.lives.weibull import fit

    lives = s.build.lives
    failed = [x.ended == "failed" for x in lives]
    if sum(failed) < 2 or len({x.load for x in lives}) > 1:
        return None
    try:
        bound = fit([x.turns for x in lives], failed).b10
    except ValueError:
        return None
    # its bounds lie at unequal distances; the farther one stands for both
    u = max(bound.high - bound.value, bound.value - bound.low) / 2
    note = f"{len(lives)} specimens, {sum(failed)} failed"
    return of_own(
        bound.value, u if math.isfinite(u) else bound.value, f"B10 of {s.name}", note=note
    )


_OVER_TORQUE = {f.id: f for f in observed.FIGURES}
FIGURES: tuple[Figure, ...] = (
    Figure("stall", "stall torque", "torque", 1, stall),
    Figure("no-load-speed", "no-load speed", "speed", 0, no_load_speed),
    Figure("peak-power", "peak power", "power", 1, peak_power),
    Figure("best-efficiency", "best gearbox efficiency", "ratio", 1, best_efficiency),
    *(
        Figure(f.id, f.words, f.kind, f.better, _at_torque(f), group="at the torque")
        for f in observed.FIGURES
    ),
    Figure("ripple", "ripple of the speed", "ratio", -1, ripple, "running"),
    Figure("ratio", "ratio", "count", 0, ratio, "drive", "", ":1"),
    Figure("mass", "mass", "mass", -1, mass, "drive"),
    Figure("volume", "volume", "volume", -1, volume, "drive"),
    Figure("price", "price of parts", "count", -1, price, "drive"),
    Figure("making-time", "time to make", "time", -1, making, "drive", "h"),
    _per("stall-per-mass", "stall per mass", "torque", stall, mass, "kg"),
    _per("power-per-mass", "power per mass", "power", peak_power, mass, "kg"),
    _per("stall-per-volume", "stall per volume", "torque", stall, volume, "L"),
    _per("power-per-volume", "power per volume", "power", peak_power, volume, "L"),
    _per("stall-per-price", "stall per price", "torque", stall, price, ""),
    _per("power-per-price", "power per price", "power", peak_power, price, ""),
    Figure("backlash", "backlash at the output", "angle", -1, backlash, "at rest"),
    Figure("stiffness", "stiffness", "stiffness", 1, stiffness, "at rest"),
    Figure("break-away", "break-away torque", "torque", -1, _part("break-away-torque"), "at rest"),
    Figure("back-drive", "back-drives from", "torque", 0, back_drive, "at rest"),
    Figure("wear", "wear in 1000 turns", "length", -1, wear_rate, "at the torque", "µm"),
    Figure("b10", "B10 life", "count", 1, b10, "wear", "", " turns"),
)
"""In the order of a table."""
BY_ID = {f.id: f for f in FIGURES}
