"""Where the power goes: losses by cause at one point of a test, how well each is known, and which
of them the plan cannot tell apart.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np

from sparring.core import motor as motors
from sparring.core.build import Build
from sparring.core.motor import COPPER_ZERO
from sparring.core.outlook.drive import Drive, Load
from sparring.core.performance.model import Performance
from sparring.core.quantity import show
from sparring.core.reduce.step import Step
from sparring.core.uncertainty import Uncertain, nominal, std

IDENTIFIED = 0.5
"""Part of what was known of a loss before the test, below which its uncertainty has been brought by
it: then it is measured, else taken from the model."""
TOGETHER = -0.8
"""Correlation below which two losses are known only as a sum."""
_ROOM = 3.0  # [K], standard, by which the winding is warmer or colder than when it was measured
_HELPS = 0.75  # part of the uncertainty that a further step must leave at most, to be named
_STEPS = 6  # loads and voltages that are tried for it, each


class Loss(NamedTuple):
    """One cause at a point: power [W], standard uncertainty, and what it would be without the
    test's measurements; measured: see `IDENTIFIED`. id: stable.
    """

    id: str
    cause: str
    power: float
    u: float
    u_before: float
    measured: bool


class Pair(NamedTuple):
    """Two causes that are known only as a sum, by their place in the list; advice: what would tell
    them apart.
    """

    first: int
    second: int
    correlation: float
    advice: str


@dataclass(frozen=True)
class Losses:
    """At one load. correlation: shape (causes, causes); power_in, power_out [W]: what the losses
    add up to is their difference.
    """

    torque: float
    voltage: float
    speed: float
    power_in: float
    power_out: float
    causes: tuple[Loss, ...]
    correlation: np.ndarray
    pairs: tuple[Pair, ...]

    def of(self, id: str) -> Loss:
        """A cause by its id; nothing of it where it is none here."""
        return next((c for c in self.causes if c.id == id), Loss(id, "", 0.0, 0.0, 0.0, False))


def losses_at(found: Performance, step: Step) -> Losses:
    """Losses at a step's torque: what was measured of it, shared out by the model. They add up to
    the step's own power in less its power out.

    Copper and brushes are what went between wire and motor shaft, less the friction that the
    motor's readings give; meshes and drag what went between the shafts. The model shares out each
    of these sums. Where it gives another sum, nobody knows whose the difference is: it counts as
    one part's, of each with a chance by its share and evenly, or as `unexplained`.
    """
    volts = nominal(step.voltage) if step.voltage is not None else step.points[0].run.voltage
    told = losses(found, nominal(step.torque), volts)
    if step.power_in is None or step.motor_power is None or step.power_out is None:
        return told
    entered = {p.id: p.value for p in found.drive.prior}
    ratio = abs(found.drive.build.ratio())
    at_one_turn = _motor_losses(found.drive.build, entered, ratio, volts, 0.0)
    friction = next(watts for id, _, watts in at_one_turn if id == "motor-friction")
    return _as_measured(found, told, step, friction)


class _Sum(NamedTuple):
    """Causes of which only the sum was measured: power [W], shape (n,), and what is not known of it
    while the sum is, (n, n); share: of each in the sum, (n,).
    """

    power: np.ndarray
    apart: np.ndarray
    share: np.ndarray


def _shared_out(seen: float, power: np.ndarray, model: np.ndarray, beyond: float) -> _Sum:
    """A measured sum over causes, of which the model gives `power` [W] with the covariance `model`;
    beyond: the part of a difference that may be of none of them, and is the last's.
    """
    n, expected = len(power), float(power.sum())
    share = power / expected if expected > 0 else np.full(n, 1 / n)
    off = seen - expected
    even = np.full(n, 1 / n)
    if beyond:
        even = np.append(np.full(n - 1, 1 / (n - 1)), 0.0)
    whose = (share + even) / 2 * (1 - beyond)
    whose[-1] += beyond
    new = np.maximum(power + off * whose, 0.0)
    new = new * seen / new.sum() if new.sum() > 0 else seen * whose
    known = model.sum(axis=1)
    apart = model - np.outer(known, known) / max(float(known.sum()), 1e-30)
    return _Sum(new, apart + off**2 * (np.diag(whose) - np.outer(whose, whose)), share)


def _as_measured(found: Performance, told: Losses, step: Step, friction: float) -> Losses:
    """The model's losses at a step, `told`, brought to the sums that were measured there. friction:
    of the motor as its readings give it, over the output's speed [N·m].
    """
    (rubs,) = (n for n, c in enumerate(told.causes) if c.id == "motor-friction")
    wire, gears = step.power_in - step.motor_power, step.motor_power - step.power_out
    causes, u = list(told.causes), np.array([c.u for c in told.causes])
    model = told.correlation * np.outer(u, u)
    lost = friction * nominal(step.speed)
    u_lost = causes[rubs].u_before * lost / max(causes[rubs].power, 1e-30)
    box = [n for n, c in enumerate(causes) if c.id.startswith(("mesh", "drag"))]
    off = nominal(gears) - sum(causes[n].power for n in box)
    doubt = math.hypot(std(gears), math.sqrt(max(float(model[np.ix_(box, box)].sum()), 0.0)))
    if off > 2 * doubt:
        box.append(len(causes))
        causes.append(Loss("unexplained", "gearbox, unexplained", 0.0, 0.0, 0.0, False))
        model = np.pad(model, (0, 1))
    inside = [n for n, c in enumerate(causes) if c.id in ("copper", "brushes")]
    power = np.array([c.power for c in causes])
    covariance, towards = np.zeros_like(model), np.zeros((len(causes), 3))
    power[rubs], towards[rubs, 2] = lost, 1.0
    beyond = _UNEXPLAINED if off > 2 * doubt else 0.0
    for k, (places, seen, none) in enumerate(
        ((inside, nominal(wire) - lost, 0.0), (box, nominal(gears), beyond))
    ):
        at = np.array(places)
        block = np.ix_(at, at)
        power[at], covariance[block], towards[at, k] = _shared_out(
            seen, power[at], model[block], none
        )
    towards[inside, 2] = -towards[inside, 0]
    sums = np.zeros((3, 3))
    sums[:2, :2], sums[2, 2] = _covariance(wire, gears), u_lost**2
    covariance += towards @ sums @ towards.T
    u = np.sqrt(np.maximum(np.diag(covariance), 0.0))
    correlation = covariance / np.maximum(np.outer(u, u), 1e-30)
    as_seen = tuple(
        c._replace(power=float(w), u=float(d), measured=bool(d < IDENTIFIED * c.u_before))
        for c, w, d in zip(causes, power, u, strict=True)
    )
    names = {c.id: c.cause for c in told.causes}
    return replace(
        told,
        speed=nominal(step.speed),
        power_in=nominal(step.power_in),
        power_out=nominal(step.power_out),
        causes=as_seen,
        correlation=correlation,
        pairs=tuple(_pairs(found, as_seen, correlation, names, (told.torque, told.voltage))),
    )


_UNEXPLAINED = 0.5  # chance that what the model lacks is of none of its causes


def _covariance(a: Uncertain, b: Uncertain) -> np.ndarray:
    """Of two figures, shape (2, 2)."""
    both = (std(a + b) ** 2 - std(a) ** 2 - std(b) ** 2) / 2
    return np.array([[std(a) ** 2, both], [both, std(b) ** 2]])


def losses(found: Performance, torque: float, voltage: float) -> Losses:
    """Losses by cause at an output torque [N·m] and terminal voltage [V]. Raises ValueError where
    it stalls there.
    """
    drive = found.drive
    names, base = _causes(drive, torque, voltage, drive.mean)
    if base["speed"] <= 0:
        raise ValueError(
            f"at {show(torque, 'torque', 'N·m')} and {voltage:.4g} V it stands; choose a lighter"
            " load or more voltage"
        )
    J = _slopes(drive, torque, voltage, names)
    after, before = J @ drive.covariance @ J.T, J @ J.T
    u, u_before = (np.sqrt(np.maximum(np.diag(c), 0.0)) for c in (after, before))
    copper = list(names).index("copper")
    u[copper] = math.hypot(float(u[copper]), _ROOM * base["copper"] / COPPER_ZERO)
    correlation = after / np.maximum(np.outer(u, u), 1e-30)
    causes = tuple(
        Loss(
            id,
            words,
            base[id],
            float(u[n]),
            float(u_before[n]),
            bool(u[n] < IDENTIFIED * u_before[n]),
        )
        for n, (id, words) in enumerate(names.items())
    )
    return Losses(
        torque,
        voltage,
        base["speed"],
        base["in"],
        base["out"],
        causes,
        correlation,
        tuple(_pairs(found, causes, correlation, names, (torque, voltage))),
    )


def _slopes(drive: Drive, torque: float, voltage: float, names: dict[str, str]) -> np.ndarray:
    """Of each cause towards each figure's deviation, shape (causes, figures)."""
    columns = []
    for k in range(len(drive.mean)):
        step = 0.1 * (np.arange(len(drive.mean)) == k)
        up, down = (_causes(drive, torque, voltage, drive.mean + s)[1] for s in (step, -step))
        # a drag that may be nothing is no cause there
        columns.append([(up.get(id, 0.0) - down.get(id, 0.0)) / 0.2 for id in names])
    return np.array(columns).T


def _causes(
    drive: Drive, torque: float, voltage: float, z: np.ndarray
) -> tuple[dict[str, str], dict[str, float]]:
    """(words by id, power by id [W]); besides "speed", "in" and "out"."""
    build = drive.build
    values = {p.id: p.value + p.u * float(d) for p, d in zip(drive.prior, z, strict=True)}
    here = drive.state(Load.of(torque, voltage), z)
    speed, current, shaft = (float(x[0]) for x in (here.speed, here.current, here.shaft))
    ratio = abs(build.ratio())
    motor_speed = speed * ratio
    words: dict[str, str] = {}
    power: dict[str, float] = {"speed": speed, "in": voltage * current, "out": torque * speed}
    own = _motor_losses(build, values, motor_speed, voltage, current)
    for id, text, watts in own:
        words[id], power[id] = text, watts
    meshes, drags = _train_losses(build, values, torque)
    for n, (mesh, drag) in enumerate(zip(meshes, drags, strict=True), start=1):
        stage = build.stages[n - 1]
        text = f"mesh of stage {n}" if len(stage.contacts()) == 1 else f"stage {n}"
        words[f"mesh.{n}"], power[f"mesh.{n}"] = text, mesh * speed
        if drag > 0:
            words[f"drag.{n}"], power[f"drag.{n}"] = f"drag of stage {n}", drag * speed
    # what friction and drag take of each other's loss is counted with the meshes
    rest = shaft * motor_speed - torque * speed - (sum(meshes) + sum(drags)) * speed
    power["mesh.1"] += rest
    return words, power


def _motor_losses(
    build: Build, values: dict[str, float], speed: float, voltage: float, current: float
) -> list[tuple[str, str, float]]:
    several = bool(build.further_motors)
    lines = []
    for n, (readings, gearing) in enumerate(
        [(build.motor, 1.0), *((f.readings, f.gearing) for f in build.further_motors)], start=1
    ):
        own = f"motor-{n}" if several else "motor"
        fields = ("voltage", "no_load_speed", "no_load_current", "stall_current", "brush_drop")
        v, free, idle, stall, brush = (values[f"{own}.{f}"] for f in fields)
        line = motors.identify(v, free, idle, stall, readings.winding_temperature, brush)
        lines.append((line, gearing))
    copper = brushes = friction = 0.0
    for line, gearing in lines:
        own_current = (
            (voltage - line.brush - line.k * speed * gearing) / line.R if several else current
        )
        copper += own_current**2 * line.R
        brushes += own_current * line.brush
        friction += line.friction * speed * gearing
    if build.motor.brush_drop.value > 0:
        found = [("copper", "copper", copper), ("brushes", "brushes", brushes)]
    else:  # two readings of a motor do not tell them apart
        found = [("copper", "copper and brushes", copper + brushes)]
    return [*found, ("motor-friction", "motor friction and iron", friction)]


def _train_losses(
    build: Build, values: dict[str, float], torque: float
) -> tuple[list[float], list[float]]:
    """(meshes, drag) of each stage, as torque at the output [N·m]."""
    friction = [values[f"stage-{n}.friction"] for n in range(1, len(build.stages) + 1)]
    flow = build.flow(torque, friction=[max(f, 0.0) for f in friction])
    speed = abs(flow.speeds["output"])
    meshes = [flow.mesh_losses.get(name, 0.0) / speed for name in build.stage_names()]
    drags = [
        flow.drag_losses.get(shaft, 0.0) / speed * values["drag"] for shaft in build.shafts()[1:]
    ]
    return meshes, drags


def _pairs(
    found: Performance,
    causes: Sequence[Loss],
    correlation: np.ndarray,
    names: dict[str, str],
    at: tuple[float, float],
) -> list[Pair]:
    """Those that are known only as a sum, the least known first: each with what is doubtful of it
    beyond a hundredth of all losses.
    """
    whole = sum(c.power for c in causes)
    doubtful = [n for n, c in enumerate(causes) if c.u > 0.01 * whole and c.id in names]
    pairs = []
    for i in doubtful:
        for j in doubtful:
            if i < j and correlation[i, j] < TOGETHER:
                advice = _advice(found, causes, (i, j), names, at)
                pairs.append(Pair(i, j, float(correlation[i, j]), advice))
    return sorted(pairs, key=lambda p: -max(causes[p.first].u, causes[p.second].u))


def _advice(
    found: Performance,
    causes: Sequence[Loss],
    which: tuple[int, int],
    names: dict[str, str],
    at: tuple[float, float],
) -> str:
    """The step that would tell two losses apart best, by the information that it would add; what
    else to measure, where no step does.
    """
    drive = found.drive
    J = _slopes(drive, *at, names)
    difference = J[which[0]] - J[which[1]]
    now = float(difference @ drive.covariance @ difference)
    best: tuple[float, float, float] | None = None
    for volts in np.linspace(0.25, 1.0, _STEPS) * max(x.voltage for x in found.result.levels):
        most, _ = found.stall(float(volts))
        for torque in np.linspace(0.05, 0.85, _STEPS) * most:
            left = _with_step(found, float(torque), float(volts), difference) / now
            if best is None or left < best[0]:
                best = left, float(torque), float(volts)
    if best is not None and math.sqrt(best[0]) < _HELPS:
        torque = show(best[1], "torque", "N·m", decimals=2)
        return f"add a step at about {torque}, {best[2]:.2g} V"
    ids = [causes[n].id for n in which]
    stages = [id.rpartition(".")[2] for id in ids if id.startswith(("mesh", "drag"))]
    if len(set(stages)) == 2:
        return f"no load tells them: test the train without stage {max(stages)}"
    if stages and any(id in ("motor-friction", "copper", "brushes") for id in ids):
        return "no load tells them: measure the bare motor again, free and held"
    return "no load tells them: measure the drag by turning the train by hand, or by a coast-down"


def _with_step(found: Performance, torque: float, volts: float, along: np.ndarray) -> float:
    """Variance of a combination of figures, were a step of usual quality added."""
    drive = found.drive
    slopes = drive.jacobian(Load.of(torque, volts))
    here = drive.state(Load.of(torque, volts))
    usual_speed, usual_current = (
        float(np.median([getattr(r, name) for r in found.residuals]))
        for name in ("u_speed", "u_current")
    )
    covariance = drive.covariance
    for name, u in (
        ("speed", math.hypot(usual_speed, found.misfit_speed)),
        ("current", math.hypot(usual_current, found.misfit_current) * float(here.current[0])),
    ):
        j = getattr(slopes, name)[0, :-1]
        gain = covariance @ j
        covariance = covariance - np.outer(gain, gain) / (float(j @ gain) + u * u)
    return float(along @ covariance @ along)
