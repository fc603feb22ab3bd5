"""Benches whose owners know them only so well: true figures, and the files the owner would have.

Every figure that is entered is off the truth by a draw from its own ±; every instrument by a draw
from what its data sheet says of gain, zero and resolution.
"""

from __future__ import annotations

import itertools
import json
import math
from dataclasses import dataclass, field, replace

import numpy as np

from independent import plant
from independent.logger import Instrument, Log, sampled, written
from independent.traps import Trap
from independent.ways import COUNTS, GAINS, METHODS, NOISE, VOLTS, ZEROS, Owner, stated


@dataclass
class Truth:
    """What a run of this step does whose losses are the usual ones, begun as warm as the one that
    was logged at `begins` [s]; shape (instants,).
    """

    step: int
    begins: float
    t: np.ndarray
    speed: np.ndarray
    torque: np.ndarray
    current: np.ndarray
    motor_torque: np.ndarray
    ratio: float
    volts: float

    def means(self, start: float, stop: float, steady: bool = True) -> dict[str, float]:
        """Over a span of the log's time [s]; in its middle where it is not steady."""
        if not steady:
            at = (start + stop) / 2 - self.begins
            names = ("torque", "speed", "current", "motor_torque")
            T, w, i, M = (float(np.interp(at, self.t, getattr(self, n))) for n in names)
            return {
                "torque": T,
                "speed": w,
                "gearbox": T / (M * self.ratio),
                "wire_to_shaft": T * w / (self.volts * i),
            }
        some = (self.t >= start - self.begins) & (self.t <= stop - self.begins)
        if not some.any():  # the log's time is not this one
            return dict.fromkeys(("torque", "speed", "gearbox", "wire_to_shaft"), np.nan)
        torque, speed = self.torque[some].mean(), self.speed[some].mean()
        out = (self.torque * self.speed)[some].mean()
        motor = (self.motor_torque * self.speed)[some].mean() * self.ratio
        return {
            "torque": torque,
            "speed": speed,
            "gearbox": out / motor if motor > 0 else np.nan,
            "wire_to_shaft": out / (self.volts * self.current[some].mean()),
        }


@dataclass
class Setup:
    """Files by name; what is true of each run, in the order of the log, and of the stall; least
    standard uncertainty that what is known allows, by quantity and step.
    """

    files: dict[str, str]
    runs: list[Truth]
    stall: float
    ideal: dict[str, list[float]] = field(default_factory=dict)
    drive: plant.Drive | None = None


def _contact(z1: int, z2: int) -> tuple[float, float, float]:
    """Approach, recess and whole contact ratio of standard spur gears of 20° (module 1)."""
    a = math.radians(20)
    rb1, rb2 = z1 / 2 * math.cos(a), z2 / 2 * math.cos(a)
    along = (z1 + z2) / 2 * math.sin(a)
    recess = math.sqrt((z1 / 2 + 1) ** 2 - rb1**2) - rb1 * math.tan(a)
    approach = math.sqrt((z2 / 2 + 1) ** 2 - rb2**2) - rb2 * math.tan(a)
    assert approach < along
    pitch = math.pi * math.cos(a)
    return approach / pitch, recess / pitch, (approach + recess) / pitch


def loss_factor(z1: int, z2: int) -> float:
    """H_V of a spur pair (docs/physics.md, mesh loss)."""
    e2, e1, e = _contact(z1, z2)
    u = z2 / z1
    return math.pi * (u + 1) / (z1 * u) * (1 - e + e1**2 + e2**2)


def gears_inertia(pinions: list[int], wheels: list[int]) -> float:
    """Of the template's gears (module 1 mm, 6 mm wide, POM of 1.41 g/cm³) at the motor [kg·m²]."""

    def disc(teeth: int) -> float:
        return math.pi / 2 * 1410 * 6e-3 * (teeth * 0.5e-3) ** 4

    first, second = wheels[0] / pinions[0], wheels[1] / pinions[1]
    middle = disc(wheels[0]) + disc(pinions[1])
    return disc(pinions[0]) + middle / first**2 + disc(wheels[1]) / (first * second) ** 2


def drives(
    n: int, owner: Owner, motors: int = 1, drags: float = 0.0
) -> tuple[plant.Drive, list[dict]]:
    """n drives of two spur stages and so many equal motors; the build files of their owners. drags:
    part (95 %) by which all drag torques of a drive are off those entered.
    """
    rng, made, builds = owner.rng, [], []
    for _ in range(n):
        pinions = [int(rng.integers(18, 22)) for _ in range(2)]
        wheels = [int(rng.integers(70, 100)) for _ in range(2)]
        friction = rng.uniform(0.05, 0.2, 2)
        ratio = wheels[0] / pinions[0] * wheels[1] / pinions[1]
        kept = math.prod(
            1 - f * loss_factor(a, b) for f, a, b in zip(friction, pinions, wheels, strict=True)
        )
        no_load, i0, i_s = rng.uniform(380, 520), rng.uniform(0.08, 0.15), rng.uniform(1.6, 2.6)
        metal = rng.uniform() < 0.5
        drop = max(0.0, owner.knows(0.0, 0.1)) if metal else owner.knows(0.6, 0.1)
        R = (VOLTS - drop) / i_s
        k = (VOLTS - drop - i0 * R) / no_load
        drag = rng.uniform(0.5e-3, 6e-3, 2)
        made.append(
            {
                "k": k,
                "R": R,
                "friction": k * i0,
                "brush": drop,
                "ratio": ratio,
                "part": 1 / kept - 1,
                "drag": (drag[0] * wheels[1] / pinions[1] + drag[1])
                * (max(0.0, owner.knows(1.0, drags)) if drags else 1.0),
                "gears": gears_inertia(pinions, wheels),
            }
        )
        true = (VOLTS, no_load, i0, i_s)
        motor, *further = (read_off(owner, true, metal) for _ in range(motors))
        stages = [
            {
                "kind": "spur",
                "pinion": a,
                "wheel": b,
                "drag": f"{d * 1e3:.6g} mN·m",
                "friction": stated(owner.knows(f, 0.04), 0.04, ""),
            }
            for a, b, f, d in zip(pinions, wheels, friction, drag, strict=True)
        ]
        build = {"version": "sparring.build/1", "motor": motor, "stages": stages}
        builds.append(build | {"further_motors": [{"readings": m} for m in further]})
    figures = {name: np.array([m[name] for m in made]) for name in made[0]}
    thermal = {
        name: usual * (1 + 0.2 * rng.standard_normal(n))
        for name, usual in (("copper", 8.0), ("iron", 60.0), ("inner", 4.0), ("outer", 10.0))
    }
    room = plant.COLD + 3 * rng.standard_normal(n)
    magnets = rng.choice([2e-3, 1.1e-3], n)  # ferrite, neodymium
    one = plant.Drive(**figures, rotor=1.1e-6, magnets=magnets, room=room, **thermal)
    return several(one, motors), builds


def several(one: plant.Drive, motors: int) -> plant.Drive:
    """Equal motors on one shaft, as one: each takes its part of the current."""
    return replace(
        one,
        R=one.R / motors,
        friction=one.friction * motors,
        rotor=one.rotor * motors,
        copper=one.copper * motors,
        iron=one.iron * motors,
        inner=one.inner / motors,
        outer=one.outer / motors,
    )


def read_off(owner: Owner, true: tuple[float, ...], metal: bool) -> dict[str, str]:
    """A motor as its owner measured it. true: voltage, no-load speed and current, stall current;
    metal: whether its brushes are, which nobody measured.
    """
    halves = [part * v for part, v in zip((2e-3, 6e-3, 0.024, 0.016), true, strict=True)]
    seen = [owner.knows(v, h) for v, h in zip(true, halves, strict=True)]
    words = zip(seen, halves, ("V", "rpm", "A", "A"), (1, math.pi / 30, 1, 1), strict=True)
    voltage, speed, current, held = (stated(v, h, u, p) for v, h, u, p in words)
    return {
        "voltage": voltage,
        "no_load_speed": speed,
        "no_load_current": current,
        "stall_current": held,
        "inertia": "11 g·cm²",
        "heat_time": "112 s",
        "heat_resistance": "14",
        "mass": "133 g",
        "brush_drop": f"{0.0 if metal else 0.6} ± 0.1 V",
    }


def sensors(owner: Owner, hangs: float, coarse: float = 1.0) -> dict[str, Instrument]:
    """Of one bench, each off by its own draw."""
    of = {**{name: name for name in GAINS}, "load_current": "current"}
    return {
        channel: Instrument(
            gain=owner.knows(1.0, GAINS[name]),
            zero=owner.knows(0.0, ZEROS[name]),
            count=coarse * COUNTS[name],
            noise=NOISE[name],
            hangs=hangs,
        )
        for channel, name in of.items()
    }


SHEET = {
    "voltage_accuracy": "0.5 %",
    "voltage_zero": "0.01 V",
    "current_accuracy": "1 %",
    "current_zero": "0.002 A",
    "speed_accuracy": "0.1 %",
    "speed_zero": f"{ZEROS['speed'] * 30 / math.pi:.6g} rpm",
    "force_accuracy": "0.5 %",
    "force_zero": "0.02 N",
}


def make(
    method: str,
    n: int,
    seed: int,
    *,
    repeats: int = 3,
    hangs: float = 0.0,
    vary: float = 0.03,
    seconds: float = 3.0,
    pause: float = 20.0,
    coarse: float = 1.0,
    drags: float = 0.0,
    trap: Trap | None = None,
    volts: tuple[float, ...] = (VOLTS,),
    rate: float = 0.0,
    clock: str = "runs on",
    friction: str = "known",
) -> list[Setup]:
    """n set-ups of a method. hangs: correlation of noise from one sample to the next; vary: of the
    losses from run to run; pause: between runs [s], not logged; coarse: how many usual steps a
    display goes at once; drags: as `drives`; volts: at which the ladder is run; rate: of the logs
    [Hz], 0: 10 to 100; clock: "runs on" through the pauses, "stands" in them, or "restarts" with
    each run; friction: "known" to its ±, or "not entered", as drag then is.
    """
    rng = np.random.default_rng(seed)
    owner = Owner(rng)
    trap = trap or Trap()
    drive, builds = drives(n, owner, trap.motors, drags)
    if friction == "not entered":
        for stage in (s for b in builds for s in b["stages"]):
            del stage["friction"], stage["drag"]
    way = METHODS[method](drive, owner)
    meters = [sensors(owner, hangs, coarse) for _ in range(n)]
    rates = [rate or trap.rate or float(rng.choice([10, 20, 50, 100])) for _ in range(n)]
    logs = [Log() for _ in range(n)]
    warmth = plant.cold(drive)
    seconds = 5.0 if way.spins else 1.5 if way.holds else seconds
    truths: list[list[Truth]] = [[] for _ in range(n)]
    for fed, step in itertools.product(volts, range(len(way.settings))):
        load = way.load(way.settings[step])
        if trap.drops_out and step == len(way.settings) - 1:
            drive = replace(drive, R=drive.R * trap.motors)
        for _ in range(repeats):
            factor = 1 + vary * rng.standard_normal(n)
            course = plant.run(drive, load, fed, seconds, warmth, factor)
            usual = plant.run(drive, load, fed, seconds, warmth)
            coasting = plant.coasts(load, course.speed[-1], 6.5) if way.spins else None
            for j, log in enumerate(logs):
                truths[j].append(_truth(usual, j, step, log.now, drive.ratio[j], fed))
                facts = {"coasting": coasting, "rate": rates[j], "rng": rng, "fed": fed}
                _logged(log, way, course, j, step, meters[j], **facts)
                log.now += pause if clock == "runs on" else 0.0
            warmth = plant.rests(drive, course.warmth, pause)
    made = []
    for j in range(n):
        made.append(
            Setup(
                files_of(way, j, builds[j], logs[j], owner, trap),
                truths[j],
                stall=float(drive.stall(VOLTS)[j]),
                ideal=_ideal(way, drive, j, truths=truths[j], vary=vary, rng=rng),
                drive=plant.only(drive, j),
            )
        )
    return made


def _truth(course, j, step, begins, ratio, volts) -> Truth:
    kept = ("speed", "torque", "current", "motor_torque")
    return Truth(step, begins, course.t, *(getattr(course, k)[:, j] for k in kept), ratio, volts)


def _ideal(way, drive, j, *, truths, vary, rng) -> dict[str, list[float]]:
    """Least standard uncertainty that the inputs allow: a Monte Carlo over the true model
    (JCGM 101) of steady figures without noise, torque of the motor by its current.
    """
    if way.ideal is None:
        return {}
    found: dict[str, list[float]] = {"torque": [], "gearbox": [], "wire_to_shaft": []}
    draws, ratio = 400, drive.ratio[j]
    for step in range(len(way.settings)):
        runs = [t for t in truths if t.step == step]
        late = runs[0].t > 0.5
        w, amps = (
            float(np.mean([getattr(r, n)[late] for r in runs])) for n in ("speed", "current")
        )
        x = rng.standard_normal((9, draws))
        torque = way.ideal(step, j, rng, draws)
        brush = drive.brush[j] + 0.05 * x[0]
        i0 = drive.friction[j] / drive.k[j]
        held = (VOLTS - drive.brush[j]) / drive.R[j] * (1 + 8e-3 * x[1])
        volts = VOLTS * (1 + 1e-3 * x[2]) - brush
        no_load = (VOLTS - drive.brush[j] - i0 * drive.R[j]) / drive.k[j] * (1 + 3e-3 * x[3])
        k = volts * (1 - i0 / held) / no_load * (1 - 1.55e-3 * 3 * x[4])  # the room by 3 K
        seen = amps * (1 + GAINS["current"] / 2 * x[5]) + ZEROS["current"] / 2 * x[6]
        motor = k * (seen - i0 * (1 + 0.012 * x[7]))
        # the losses of the runs that were made are the usual ones by chance
        lost = 1 - float(np.mean(torque)) / (ratio * float(np.mean(motor)))
        chance = lost * vary * rng.standard_normal(draws) / math.sqrt(len(runs))
        found["torque"].append(float(np.std(torque)))
        found["gearbox"].append(float(np.std(torque / (motor * ratio) + chance)))
        supply = VOLTS * (1 + GAINS["voltage"] / 2 * x[8]) + ZEROS["voltage"] / 2 * x[2]
        found["wire_to_shaft"].append(float(np.std(torque * w / (supply * seen))))
    return found


def _logged(log, way, course, j, step, meters, *, coasting, rate, rng, fed) -> None:
    """One run of a bench, then a moment at rest."""
    until = float(course.t[-1])
    if way.travels is not None:
        there = np.flatnonzero(course.angle[:, j] >= way.travels[j])
        until = float(course.t[there[0]]) if len(there) else until
    t, true = sampled(course, j, until, rate, rng)
    rest = np.arange(1, max(4, int(0.6 * rate))) / rate

    def stretch(seconds, volts, current, speed, torque):
        shown = {
            "voltage": meters["voltage"].shows(volts, rng),
            "current": meters["current"].shows(current, rng),
            "speed": meters["speed"].shows(speed, rng),
        }
        if way.weights is not None:
            shown["mass"] = np.full(len(seconds), way.weights[step, j])
        if way.sensed is not None:
            seen = way.sensed(torque, j)
            if way.slack is not None:
                seen = seen + way.slack(step, j) * (volts > 0)
            shown[way.channel] = meters[way.channel].shows(seen, rng)
        log.add(step, seconds, **shown)

    stretch(t, np.full(len(t), fed), true["current"], true["speed"], true["torque"])
    nothing = np.zeros(len(rest))
    if way.spins:
        after, slower = coasting
        rest = np.arange(1, int(6 * rate)) / rate
        nothing = np.zeros(len(rest))
        stretch(rest, nothing, nothing, np.interp(rest, after, slower[:, j]), nothing)
        return
    stretch(rest, nothing, nothing, nothing, nothing)


def files_of(way, j, build, log, owner, trap) -> dict[str, str]:
    loads = np.full(len(way.settings), 1.0) if way.weights is None else way.weights[:, j]
    rig = {
        "version": "sparring.rig/1",
        "name": "stranger's",
        "method": way.record[j],
        "gravity": stated(owner.knows(9.81, 0.006), 0.006, "m/s²"),
        "sensors": SHEET,
        "torque_from": way.torque_from,
    }
    plan = {
        "version": "sparring.plan/1",
        "loads": [stated(m, 0.005 * m, "kg") for m in loads],
        "voltage": "12 V",
        "settle": "0.5 s",
        "measure": "1 s",
    }
    documents = {"build.json": build, "rig.json": rig, "plan.json": plan}
    if trap.documents is not None:
        trap.documents(documents)
    text = written(log, int(owner.rng.integers(4)), owner.rng, lost=0.01, twice=0.005, trap=trap)
    files = {k: json.dumps(v, ensure_ascii=False) for k, v in documents.items()}
    return {**files, "log.csv": text}
