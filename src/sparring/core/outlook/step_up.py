"""How many step-up stages a drive still turns: the last stage again and again, each with its drag
times the whole ratio before it, and what became of those that were tried.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from sparring.core.build import Build
from sparring.core.outlook.drive import Drive, Load
from sparring.core.outlook.learn import learnt
from sparring.core.quantity import Measured
from sparring.core.records import changed
from sparring.core.reduce.results import TestResult
from sparring.core.uncertainty import nominal, std

_MOST = 12  # stages that are looked at beyond those there are
_SURE = 0.999  # chance to stall beyond which no further one is looked at


class Tried(NamedTuple):
    """What the lightest step of a test did: whether any run of it turned, how many there were, and
    speed of the output [rad/s] and current [A] of those that turned (None: not known).
    """

    turned: bool
    runs: int
    speed: Measured | None
    current: Measured | None


class Further(NamedTuple):
    """The drive with so many `stages` like its last in a row. ratio: output over motor speed;
    speed of the output [rad/s] and current [A] as predicted for one run, with standard
    uncertainties; stalls: chance that it does not turn [0..1]; tried: None where it was not.
    """

    stages: int
    ratio: float
    speed: Measured
    current: Measured
    stalls: float
    tried: Tried | None


def in_a_row(build: Build) -> int:
    """How many of a build's last stages are alike."""
    alike = [s == build.stages[-1] for s in reversed(build.stages)]
    return alike.index(False) if False in alike else len(alike)


def with_count(build: Build, count: int) -> Build:
    """A build with so many of its last stage in a row. Raises RecordError where that makes none."""
    head = build.stages[: len(build.stages) - in_a_row(build)]
    return changed(build, ("stages",), (*head, *(build.stages[-1],) * count))


def same_series(a: Build, b: Build) -> bool:
    """Whether two builds differ, of what turns, by how often their last stage is there."""
    if a.stages[-1] != b.stages[-1]:
        return False
    return (
        with_count(a, 1).stages == with_count(b, 1).stages
        and a.motor == b.motor
        and a.further_motors == b.further_motors
    )


def further(
    build: Build, voltage: float, load: float = 0.0, results: Mapping[int, TestResult] | None = None
) -> list[Further]:
    """From what was tried, or else from one stage fewer than there are, upwards until it surely
    stalls. load: torque at the output [N·m]; results: of those tried, by how many they had, whose
    measurements correct the prediction of all.

    Raises ValueError where the last stage is no step-up, or no motor turns the drive.
    """
    if not build.has_motor:
        raise ValueError(f"this drive is turned by {build.driven_by}: no motor decides how far")
    ratio = abs(build.stages[-1].ratio)
    if ratio >= 1:
        raise ValueError(
            f"the last stage is a reduction of {ratio:.3g}:1; add a step-up stage behind it first"
        )
    results, now = results or {}, in_a_row(build)
    told = [n for n, r in results.items() if r.running]
    known = learnt(results[max(told)]) if told else Drive.of(build)
    room = 40 - (len(build.stages) - now)
    found: list[Further] = []
    for n in range(max(1, min([now - 1, *results])), min(now + _MOST, room) + 1):
        drive = _carried(known, with_count(build, n))
        seen = drive.foretell(Load.of(load, voltage))
        state, u = seen.state, seen.u
        result = results.get(n)
        found.append(
            Further(
                n,
                1 / abs(drive.build.ratio()),
                Measured(float(state.speed[0]), float(u.speed[0])),
                Measured(float(state.current[0]), float(u.current[0])),
                float(seen.stalls[0]),
                None if result is None else _tried(result),
            )
        )
        if n > max([now, *results]) and found[-1].stalls > _SURE:
            break
    return found


def _carried(known: Drive, build: Build) -> Drive:
    """What is known of one build's figures, said of another with more or fewer of its last stage:
    all of those stages are alike.
    """
    had, has = len(known.build.stages), len(build.stages)
    first = len(known.mean) - had - 1  # figures of the motors
    take = [*range(first), *(first + min(n, had - 1) for n in range(has)), len(known.mean) - 1]
    pick = np.eye(len(known.mean))[take]
    return replace(
        known, build=build, mean=pick @ known.mean, covariance=pick @ known.covariance @ pick.T
    )


def _tried(result: TestResult) -> Tried | None:
    if not result.steps:
        return None
    step = min(result.steps, key=lambda s: nominal(s.torque))
    speed, current = (
        None if v is None else Measured(nominal(v), std(v)) for v in (step.speed, step.current)
    )
    turned = bool(step.points)
    runs = len(step.points) + len(step.stalls)
    return Tried(turned, runs, speed if turned else None, current if turned else None)
