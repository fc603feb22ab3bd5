"""What a test says of a figure at one torque, round by round: between the loads on which it was
measured, along what is straight in the torque.
"""

from __future__ import annotations

import math
from bisect import bisect_left
from collections.abc import Callable
from typing import Any, NamedTuple

import numpy as np

from sparring.core.compare.known import Known, keyed
from sparring.core.compare.subject import Subject
from sparring.core.reduce.points import Point
from sparring.core.reduce.results import Level
from sparring.core.reduce.spread import random_part
from sparring.core.uncertainty import Uncertain, linear, nominal

BESIDE = 0.03
"""Part of a torque by which a test's loads may end before it."""


class AtTorque(NamedTuple):
    """A figure over the torque. of: as a point has it; straight: what of a point is straight in its
    torque (of a motor on its line, and a train with losses that are); back: from those, and a
    torque, to the figure.
    """

    id: str
    words: str
    kind: str
    better: int
    of: Callable[[Point], Uncertain]
    straight: Callable[[Point], tuple[Uncertain, ...]]
    back: Callable[[tuple[Any, ...], Any], Any]


def _speed_of(p: Point) -> Uncertain:
    return p.speed if p.cold_speed is None else p.cold_speed


def _loss_of(p: Point) -> Uncertain:
    return None if p.motor_power is None or p.power_out is None else p.motor_power - p.power_out


FIGURES: tuple[AtTorque, ...] = (
    AtTorque(
        "gearbox",
        "gearbox efficiency",
        "ratio",
        1,
        lambda p: p.gearbox,
        lambda p: (p.torque / p.gearbox,),
        lambda x, t: t / x[0],
    ),
    AtTorque(
        "wire-to-shaft",
        "wire to shaft",
        "ratio",
        1,
        lambda p: p.wire_to_shaft,
        lambda p: (p.power_in, p.speed),
        lambda x, t: t * x[1] / x[0],
    ),
    AtTorque("speed", "speed", "speed", 1, _speed_of, lambda p: (_speed_of(p),), lambda x, t: x[0]),
    AtTorque(
        "current",
        "current",
        "current",
        -1,
        lambda p: p.current,
        lambda p: (p.current,),
        lambda x, t: x[0],
    ),
    AtTorque(
        "loss",
        "gearbox loss",
        "power",
        -1,
        _loss_of,
        lambda p: (p.torque / p.gearbox, p.speed),
        lambda x, t: (x[0] - t) * x[1],
    ),
)
"""The figures that are compared at one torque; a positive `better`: more of it is."""
BY_ID = {f.id: f for f in FIGURES}


def at_torque(subject: Subject, figure: AtTorque, torque: float, voltage: float) -> Known | None:
    """The figure at an output torque [N·m], of the runs at a voltage [V]; None outside the loads
    that were lifted at it.

    The mean over the rounds, its standard uncertainty by the scatter between them; a single round's
    is what its readings alone say, with no freedom.
    """
    level = subject.level(voltage)
    if level is None or subject.result is None:
        return None
    rounds: dict[str, Uncertain] = {}
    for key, told in _told(subject, figure, level).items():
        if (value := _between(told, figure, torque)) is not None:
            rounds[key] = value
    if not rounds:
        return None
    values = np.array([nominal(x) for x in rounds.values()])
    n = len(values)
    shared = keyed(linear([(1 / n, x) for x in rounds.values()]), subject.rig)
    if n > 1:
        random, freedom = float(values.std(ddof=1)) / math.sqrt(n), n - 1.0
    else:
        random, freedom = random_part(next(iter(rounds.values()))), 0.0
    return Known(
        float(values.mean()),
        random,
        freedom,
        shared,
        {key: nominal(x) for key, x in rounds.items()},
        torque=torque,
    )


def rounds_of(subject: Subject, level: Level) -> dict[str, list[Point]]:
    """The points that turned at a level, by the round they were made in, lightest first."""
    assert subject.result is not None
    found: dict[str, list[Point]] = {}
    for step in subject.result.steps[level.first : level.last]:
        for p in step.points:
            if p.speed is not None:
                found.setdefault(subject.round_of(p), []).append(p)
    return {key: sorted(points, key=lambda p: nominal(p.torque)) for key, points in found.items()}


def span_of(subject: Subject, voltage: float) -> tuple[float, float] | None:
    """Least and greatest torque [N·m] that was lifted at a voltage."""
    level = subject.level(voltage)
    if level is None or subject.result is None:
        return None
    known = [nominal(s.torque) for s in subject.result.steps[level.first : level.last] if s.lifted]
    return (min(known), max(known)) if known else None


class _Round(NamedTuple):
    """The points of a round that have a figure, lightest first. at: their torques [N·m]; straight:
    what is straight in the torque.
    """

    points: list[Point]
    at: list[float]
    straight: list[tuple[Uncertain, ...]]


def _told(subject: Subject, figure: AtTorque, level: Level) -> dict[str, _Round]:
    """By the round."""

    def made() -> dict[str, _Round]:
        found = {}
        for key, points in rounds_of(subject, level).items():
            told = [p for p in points if figure.of(p) is not None]
            if told:
                straight = [figure.straight(p) for p in told]
                found[key] = _Round(told, [nominal(p.torque) for p in told], straight)
        return found

    return subject.once(("rounds", figure.id, level.first, level.last), made)


def values_at(
    subject: Subject, figure: AtTorque, torque: np.ndarray, voltage: float
) -> np.ndarray | None:
    """What `at_torque` says at each torque, without its uncertainty, and as if the loads ended
    nowhere; shape (n,).
    """
    level = subject.level(voltage)
    if level is None or subject.result is None:
        return None
    rounds = [
        figure.back(
            tuple(
                np.interp(torque, r.at, [nominal(x) for x in column])
                for column in zip(*r.straight, strict=True)
            ),
            torque,
        )
        for r in _told(subject, figure, level).values()
    ]
    return np.asarray(np.mean(rounds, axis=0)) if rounds else None


def _between(told: _Round, figure: AtTorque, torque: float) -> Uncertain:
    """The figure of one round at a torque, with all its inputs; None outside its loads."""
    at = told.at
    if not (1 - BESIDE) * at[0] <= torque <= (1 + BESIDE) * at[-1]:
        return None
    if len(at) == 1:
        return figure.of(told.points[0])
    n = min(max(bisect_left(at, torque), 1), len(at) - 1)
    width = at[n] - at[n - 1]
    part = (torque - at[n - 1]) / width if width > 0 else 0.0
    sides = ((1 - part, told.points[n - 1], at[n - 1]), (part, told.points[n], at[n]))
    found = []
    for low, high in zip(told.straight[n - 1], told.straight[n], strict=True):
        slope = (nominal(high) - nominal(low)) / width if width > 0 else 0.0
        # what is not known of a load's torque moves it along the curve
        along = [(-side * slope, point.torque) for side, point, _ in sides]
        held = slope * sum(side * t for side, _, t in sides)
        found.append(linear([(1 - part, low), (part, high), *along], held))
    return figure.back(tuple(found), torque)
