"""What a plan will do, step by step, before it is run: torque, speed, current, heat, chances,
time.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from sparring.core.build import Build
from sparring.core.motor import COPPER_ZERO
from sparring.core.outlook.drive import Drive, Foretold, Load
from sparring.core.plan.order import Lift, next_lift, sequence
from sparring.core.plan.record import FIRST_POWER, STILL, Plan, PlanStep
from sparring.core.records import RecordError
from sparring.core.reduce.warmth import Bodies, bodies_of, modes_of
from sparring.core.rig import Rig
from sparring.core.uncertainty import nominal

_CHANGE, _AGAIN = 20.0, 5.0
"""Seconds between two runs, with and without another load (common practice for one person)."""
_RAMP = 0.5  # [s] in which a drive comes up
_LOWERS = 0.4  # part of the voltage at which a load is let down
STRENGTH = 0.15
"""Standard deviation of a part's strength, as a part of it (common practice for moulded, cut and
printed parts alike; prints across layers scatter more)."""
_FIRST = 3.0  # [s] of first power
BY_HAND = 0.05  # part of a speed by which a hand, a drill or the wind misses it (common practice)
_CREEPS = 120.0  # [s] after which somebody ends a run that hardly moves
_LONGEST_PAUSE = 4 * 3600.0
WINDOW = 0.05
"""[s] over which a bench judges a current."""
_NEAR = 0.8  # part of a limit from which it is near


class Near(NamedTuple):
    """A limit and which part of it a step uses: 1 is at it."""

    name: str
    share: float


class Foreseen(NamedTuple):
    """One step as predicted, SI. voltage: at which it is run (of a drive without a motor: the speed
    of its input; current: the torque there); u_: standard uncertainties for one
    run; stalls, breaks: chances [0..1]; winding: at the end of its hottest run [K]; tooth: of the
    warmest plastic teeth, were it held for ever [K]; lasts: one run, lowering included [s]; near:
    the limit that it comes closest to; starts: the current that a watch over `WINDOW` sees while it
    comes up, switched on at once; case: at the end of its hottest run [K].
    """

    step: PlanStep
    voltage: float
    torque: float
    speed: float
    u_speed: float
    current: float
    u_current: float
    stalls: float
    breaks: float
    winding: float
    tooth: float | None
    lasts: float
    near: Near | None
    starts: float = 0.0
    case: float = 0.0

    def danger(self, held: bool) -> str | None:
        """In words, the chance to stall, else the limit that is near. held: the method stalls it
        on purpose.
        """
        if self.stalls > 0.02 and not held:
            return f"stall {100 * self.stalls:.0f} %"
        if self.near is None or self.near.share < _NEAR:
            return None
        return f"{self.near.name} {100 * min(self.near.share, 9.99):.0f} %"


class Due(NamedTuple):
    """A run that is left to make: when it begins, from now, and how much of the pause before it is
    for cooling [s].
    """

    lift: Lift
    begins: float
    cools: float


@dataclass(frozen=True)
class Outlook:
    """A plan as predicted. rows: by step id, in the order of its steps; due: the runs left, in
    their order; seconds: until all are done, cooling: of them for the winding alone.
    """

    rows: dict[int, Foreseen]
    due: tuple[Due, ...]
    seconds: float

    @property
    def cooling(self) -> float:
        return sum(d.cools for d in self.due)


def loads_of(drive: Drive, rig: Rig, steps: Sequence[PlanStep]) -> Load:
    """What resists at each step, with the voltage it is run at. A speed's voltage is worked out;
    where nothing is driven it is 0. What is held still resists whatever is asked.
    """
    method, g = rig.method, rig.gravity.value
    lines = [method.resists(s.setting(method), g) for s in steps]
    constant, slope = np.array(lines, float).reshape(-1, 2).T
    own = drive.build.has_motor  # without one a voltage turns nothing
    volts = np.array(
        [
            0.0 if s.kind in STILL else math.nan if s.voltage is None else s.voltage if own else 0.0
            for s in steps
        ]
    )
    load = Load.of(constant, np.nan_to_num(volts, nan=1.0), slope=slope)
    if np.isnan(volts).any():
        wanted = np.array([s.speed or 0.0 for s in steps])
        volts = np.where(np.isnan(volts), drive.voltage_for(wanted, load), volts)
    return load._replace(voltage=volts)


def driven(build: Build, rig: Rig, plan: Plan) -> Plan:
    """The plan with a voltage in place of each step's speed; of a drive without a motor the speed
    of its input [rad/s] stands there. Raises RecordError: that one has steps with a voltage.
    """
    if not build.has_motor and any(s.voltage is not None for s in plan.todo):
        turns = build.usual_input / abs(build.ratio()) * 30 / math.pi
        raise RecordError(
            f"{build.name} has no motor that a voltage could turn: plan its steps at a speed of "
            f"the output, for example at {turns:.3g} rpm"
        )
    if all(s.speed is None for s in plan.steps):
        return plan
    load = loads_of(Drive.of(build), rig, plan.steps)
    steps = tuple(
        s if s.speed is None else s.model_copy(update={"speed": None, "voltage": float(v)})
        for s, v in zip(plan.steps, load.voltage, strict=True)
    )
    return plan.model_copy(update={"steps": steps})


FIRST = 999_999
"""Id of the first power that comes before a plan without one."""


def first_power(build: Build, id: int) -> PlanStep:
    """The first step of a drive that nobody has seen turn: a third of its motor's own voltage,
    nothing on it.
    """
    volts = round(build.motor.voltage.value * FIRST_POWER, 2)
    return PlanStep(id=id, kind="first power", voltage=volts, time=_FIRST)


def foresee(
    drive: Drive,
    rig: Rig,
    plan: Plan,
    done: Sequence[Lift] = (),
    *,
    begin: tuple[float, float] = (0.0, 0.0),
) -> Outlook:
    """Predicts what is left of a plan. done: runs already made; begin: winding and case above the
    room [K] now.
    """
    build, plan = drive.build, plan.on(rig.method)
    hottest, steps = build.winding_limit, plan.todo
    load = loads_of(drive, rig, steps)
    cold = drive.foretell(load)
    lasts = _durations(rig, plan, steps, cold)
    place = {s.id: n for n, s in enumerate(steps)}
    lifts = _left(plan, done)
    walk = _Heat(bodies_of(build), build, hottest, begin)
    due, clock, before = [], 0.0, -1
    ends = np.zeros((len(steps), 2))
    for lift in lifts:
        n = place[lift.step]
        same = before >= 0 and steps[before].load == steps[n].load
        rest = _AGAIN if same or before < 0 else _CHANGE
        walk.rest(rest)
        driven_for = _driven_for(rig, steps[n], lasts[n])
        cools = walk.cool_for(float(cold.state.current[n]), driven_for)
        due.append(Due(lift, clock + rest + cools, cools))
        walk.heat(float(cold.state.current[n]), driven_for)
        if walk.now[0] > ends[n, 0]:
            ends[n] = walk.now
        walk.rest(lasts[n] - driven_for)
        clock += rest + cools + lasts[n]
        before = n
    made = {place[x.step] for x in lifts}
    for n in set(range(len(steps))) - made:  # what is done already, as if it were run alone
        alone = _Heat(bodies_of(build), build, hottest, (0.0, 0.0))
        alone.heat(float(cold.state.current[n]), _driven_for(rig, steps[n], lasts[n]))
        ends[n] = alone.now
    warm = load._replace(winding=ends[:, 0] / 2, case=ends[:, 1] / 2)
    told = drive.foretell(warm)
    room = build.motor.winding_temperature
    teeth = _teeth(build, told)
    breaks = _breaks(build, told.state.torque)
    rows, held, own = {}, rig.method.HELD, build.has_motor
    for n, s in enumerate(steps):
        row = Foreseen(
            step=s,
            voltage=float(load.voltage[n]),
            torque=float(told.state.torque[n]),
            speed=float(told.state.speed[n]),
            u_speed=float(told.u.speed[n]) if own else BY_HAND * float(told.state.speed[n]),
            current=float(told.state.current[n]),
            u_current=float(told.u.current[n]),
            stalls=0.0 if s.kind in STILL or not own else 1.0 if held else float(told.stalls[n]),
            breaks=float(breaks[n]),
            winding=room + float(ends[n, 0]),
            tooth=teeth[n],
            lasts=float(lasts[n]),
            near=None,
            starts=_starts(build, rig, s, float(load.voltage[n]), float(told.state.current[n])),
            case=room + float(ends[n, 1]),
        )
        rows[s.id] = row._replace(near=_nearest(build, rig, row, hottest))
    return Outlook(rows, tuple(due), clock)


def _left(plan: Plan, done: Sequence[Lift]) -> list[Lift]:
    """The runs left, in order; by bisection those of halving where every other one stalls."""
    if plan.order != "bisection":
        finished = set(done)
        return [x for x in sequence(plan) if x not in finished]
    made, stalled = list(done), set[int]()
    found: list[Lift] = []
    while (lift := next_lift(plan, made, stalled=stalled)) is not None and len(found) < 100:
        found.append(lift)
        made.append(lift)
        if len(found) % 2:
            stalled.add(lift.step)
    return found


def _durations(rig: Rig, plan: Plan, steps: Sequence[PlanStep], told: Foretold) -> np.ndarray:
    """One run of each step, with letting down [s]."""
    method, g = rig.method, rig.gravity.value
    travel, hold, coast = method.course
    found = np.zeros(len(steps))
    for n, s in enumerate(steps):
        if s.kind in STILL:
            found[n] = s.time or 0.0
            continue
        if s.time is not None:
            back = s.time / _LOWERS if method.LETS_DOWN else 0.0
            found[n] = _RAMP + s.time + back
        elif math.isfinite(hold):
            found[n] = _RAMP + hold + coast
        elif told.state.speed[n] <= 0:
            found[n] = _RAMP + rig.limits.stalled_for
        else:
            radius = method.body(s.setting(method), g)["radius"]
            up = min(travel / (radius * float(told.state.speed[n])), _CREEPS)
            # it is let down slowly, but its weight helps
            found[n] = _RAMP + up + (up / _LOWERS if method.LETS_DOWN else 0.0)
    return found


def _starts(build: Build, rig: Rig, step: PlanStep, volts: float, runs: float) -> float:
    """The greatest root mean square over `WINDOW` of a current [A] that falls from that at
    standstill to `runs` while rotor and load come up. A supply that comes up slowly, or limits its
    current, draws less.
    """
    if not build.has_motor or step.kind in STILL or volts <= 0:
        return 0.0
    motor = build.motor_line()
    k, resistance = nominal(motor.k), nominal(motor.R)
    stands = volts / resistance
    body = rig.method.body(step.setting(rig.method), rig.gravity.value)
    turned = float(body.get("mass", 0.0)) * float(body.get("radius", 0.0)) ** 2
    inertia = build.rotor_inertia() + turned / build.ratio() ** 2
    lasts = inertia * resistance / k**2  # time constant [s]
    falls, part = max(stands - runs, 0.0), WINDOW / lasts
    square = (
        runs**2
        + 2 * runs * falls * -math.expm1(-part) / part
        + falls**2 * -math.expm1(-2 * part) / (2 * part)
    )
    return math.sqrt(square)


def _driven_for(rig: Rig, step: PlanStep, lasts: float) -> float:
    """Seconds of a run in which the motor carries the load's current."""
    if step.kind in STILL:
        return 0.0
    if rig.method.LETS_DOWN:
        return _RAMP + (lasts - _RAMP) / (1 + 1 / _LOWERS)
    return lasts - rig.method.course[2]


class _Heat:
    """Winding and case through the runs, by their two lags, exact between two instants."""

    def __init__(
        self, bodies: Bodies, build: Build, hottest: float, begin: tuple[float, float]
    ) -> None:
        self._rates, self._shapes, back = modes_of(bodies)
        self._modes = back @ np.array(begin)
        self._enters = back @ np.array([1 / bodies.copper, 0.0])
        motor = build.motor_line()
        self._resistance = float(motor.R)
        self._per_kelvin = 1 / (COPPER_ZERO + build.motor.winding_temperature - 273.15)
        self._most = hottest - build.motor.winding_temperature
        self.now = (0.0, 0.0)
        self._tell()

    def _tell(self) -> None:
        w, c = self._shapes @ self._modes
        self.now = (float(w), float(c))

    def rest(self, seconds: float) -> None:
        self._modes = self._modes * np.exp(self._rates * max(seconds, 0.0))
        self._tell()

    def _after(self, modes: np.ndarray, current: float, seconds: float) -> np.ndarray:
        power = current**2 * self._resistance
        power *= 1 + self._per_kelvin * max(float(self._shapes[0] @ modes), 0.0)
        kept = np.exp(self._rates * seconds)
        return np.asarray(modes * kept + self._enters * (kept - 1) / self._rates * power)

    def heat(self, current: float, seconds: float) -> None:
        self._modes = self._after(self._modes, current, seconds)
        self._tell()

    def cool_for(self, current: float, seconds: float) -> float:
        """Waits until a run of so much current stays below the hottest; for how long [s]. Not
        longer than it helps: what is too hot from cold is not made cooler by waiting.
        """

        def end(wait: float) -> float:
            modes = self._modes * np.exp(self._rates * wait)
            return float(self._shapes[0] @ self._after(modes, current, seconds))

        if end(0.0) <= self._most:
            return 0.0
        if end(_LONGEST_PAUSE) > self._most:
            return 0.0
        low, high = 0.0, _LONGEST_PAUSE
        while high - low > 1.0:
            middle = (low + high) / 2
            low, high = (low, middle) if end(middle) <= self._most else (middle, high)
        self.rest(high)
        return high


def _teeth(build: Build, told: Foretold) -> list[float | None]:
    """Warmest plastic teeth at each step, in a steady state [K].

    Worked out at the lightest and the heaviest torque: what a mesh loses grows evenly with the
    torque, and what it warms by with the speed to the power of 1/4 (VDI 2736-2: P/v^0.75).
    """
    torque, speed = told.state.torque, told.state.speed
    turning = (speed > 0) & (torque > 0)
    if not turning.any():
        return [None] * len(torque)
    room, ratio = build.works_at, abs(build.ratio())
    usual = float(speed[turning].max())
    ends = np.unique([torque[turning].min(), torque[turning].max()])
    warm = [build.teeth_at(build.flow(float(t), usual * ratio)) for t in ends]
    if not warm[0]:
        return [None] * len(torque)
    rises = np.interp(torque, ends, [max(w.values()) - room for w in warm])
    found = room + rises * (speed / usual) ** 0.25
    return [float(x) if on else None for x, on in zip(found, turning, strict=True)]


def _breaks(build: Build, torque: np.ndarray) -> np.ndarray:
    """Chance that some part gives way at each step; strengths scatter independently."""
    from scipy.special import ndtr

    survives = np.ones(len(torque))
    for limit in build.limits[:6]:
        survives *= 1 - ndtr((torque - limit.output) / (STRENGTH * limit.output))
    return np.asarray(1 - survives)


def _nearest(build: Build, rig: Rig, row: Foreseen, hottest: float) -> Near | None:
    if row.step.kind in STILL:
        return None
    limits, room = rig.limits, build.motor.winding_temperature
    shares = [Near("speed", row.speed / limits.speed)]
    if build.has_motor:
        shares.append(Near("current", row.current / limits.current))
        shares.append(Near("starting current", row.starts / limits.current))
        if limits.temperature is not None:
            warmed = (row.case - room) / max(limits.temperature - room, 1.0)
            shares.append(Near("motor temperature", warmed))
        shares.append(Near("winding", max(row.winding - room, 0.0) / (hottest - room)))
        if limits.power is not None:
            shares.append(Near("power", row.current * row.voltage / limits.power))
        if limits.supply is not None:
            shares.append(Near("supply", row.current / limits.supply))
    if limits.torque is not None:
        shares.append(Near("torque", row.torque / limits.torque))
    force = rig.method.cell_force(row.torque)
    cell = [] if rig.calibration is None else [rig.calibration.capacity]
    cell += [] if limits.force is None else [limits.force]
    if cell and force is not None:
        shares.append(Near("load cell", force / min(cell)))
    if limits.cord is not None and rig.method.CORD and force is not None:
        shares.append(Near("cord", force / limits.cord))
    if build.limits:
        weakest = build.limits[0]
        shares.append(Near(weakest.name, row.torque / weakest.output))
    return max(shares, key=lambda n: n.share)
