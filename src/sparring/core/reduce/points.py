"""One run to its points: torque, speed, power and both efficiencies in a window, each with its
uncertainty.

A steady window for most methods; a run-up has one for each part of its range of speed
(`reduce.spins`).
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from sparring.core import motor as motors
from sparring.core.instruments import calibration
from sparring.core.methods import Lever, hoist
from sparring.core.recording import Recording
from sparring.core.reduce.inputs import Inputs, ReductionError, seen
from sparring.core.reduce.spread import WINDOW
from sparring.core.reduce.windows import (
    Window,
    autocorrelation_time,
    block_means,
    find_window,
    mean_with_uncertainty,
    middle_with_uncertainty,
    powered_spans,
)
from sparring.core.rig import Rig
from sparring.core.run import Run
from sparring.core.uncertainty import LineFit, nominal, std, ufloat

_STALLED_PART = 0.03  # of the no-load speed: below it the output counts as at rest
# [K], half-width k = 1 of the winding's temperature when the case is measured (from memory)
_CASE_TO_WINDING = 5.0
_WINDING_UNKNOWN = 10.0  # [K], the same when no temperature is measured


@dataclass(frozen=True)
class Pull:
    """Force at the load cell, or at both together [N]: mean in the window; smallest block mean in
    it and largest while the drive was on; fade: the part lost from the second quarter of that time
    to the last."""

    mean: Any
    least: float
    most: float
    fade: float | None


@dataclass(frozen=True)
class Point:
    """One operating point, or a stall. SI with uncertainty; None where a channel is missing. A
    lever's point has no speed.
    """

    run: Run
    window: Window
    stalled: bool
    torque: Any
    speed: Any
    cold_speed: Any  # what the speed would be with the winding as warm as when the drive came on
    voltage: Any
    current: Any
    power_in: Any
    power_out: Any
    torque_mass: Any
    torque_cell: Any
    motor_speed: Any
    motor_torque: Any
    motor_torque_current: Any
    motor_torque_speed: Any
    motor_power: Any
    wire_to_shaft: Any
    gearbox: Any
    work: Any
    temperature: float | None
    torque_peak: float | None
    pull: Pull | None
    effective: float
    source: Run | None = None  # the run as it is kept, where this is one of several points of it
    # shaft turns per output turn -> relative amplitude
    ripple: dict[float, float] = field(default_factory=dict)


def reduce_run(
    inputs: Inputs,
    rig: Rig,
    run: Run,
    recording: Recording,
    *,
    settle: float,
    measure: float,
    orders: tuple[float, ...] = (),
) -> Point:
    """The point of one run.

    orders: turns of the shafts per turn of the output, whose ripple in the speed is wanted.
    Raises ReductionError when the recording lacks what torque and speed need, or the drive was
    never on.
    """
    rec = seen(inputs, run, recording)
    stands = rig.method.STANDS
    if not rec.has("speed") and not stands:
        raise ReductionError("the recording has no output speed; map a column to it, or log it")
    if len(rec) < 8:
        raise ReductionError(f"the recording holds {len(rec)} samples; at least 8 are needed")
    ch = rec.channels
    spans = powered_spans(
        rec.t,
        ch.get("voltage"),
        ch.get("current"),
        ch.get("speed"),
        least=0.1 if stands or run.broke else 0.4,
    )
    if not spans:
        raise ReductionError(
            "the drive was never on in this recording (no forward voltage, current or speed)"
        )
    start, stop = max(spans, key=lambda s: s[1] - s[0])
    on = rec.span(start, stop)
    if stands:  # an arm meets its stop in a moment: how the run ended tells all
        return point_at(
            inputs, rig, run, on, Window(start, stop, True, 0.0), stalled=_stuck(rig, run, on)
        )
    no_load = nominal(inputs.motor.speed(0.0, _mean(on, "voltage", 12.0))) / inputs.ratio
    tail = on.span(max(start, stop - 0.4), stop)
    stalled = (
        run.ended == "stalled"
        or bool(run.broke)
        or abs(_mean(tail, "speed", 0.0)) < _STALLED_PART * abs(no_load)
    )
    try:
        if stalled:
            window = Window(max(start, stop - 0.4), stop, True, 0.0)
        else:
            window = find_window(on.t, on.channels["speed"], settle, measure)
    except ValueError as err:
        raise ReductionError(str(err)) from err
    return point_at(inputs, rig, run, on, window, stalled=stalled, orders=orders)


def _stuck(rig: Rig, run: Run, on: Recording) -> bool:
    """Whether the arm did not get to its upper stop: as the bench said, or for a log by the angle
    that was turned.
    """
    if run.broke:
        return True
    if run.source != "import" or not isinstance(rig.method, Lever):
        if run.ended not in ("top", "stalled"):
            raise ReductionError(
                f"the run ended as {run.ended} before the arm got to its stop or stood still; run"
                " it again"
            )
        return run.ended == "stalled"
    if not on.has("speed"):
        raise ReductionError(
            "a log of a lever needs the output speed, to tell lifted from not lifted; map a column"
            " to it"
        )
    turned = float(np.trapezoid(np.nan_to_num(on.channels["speed"]), on.t))
    return turned < 0.6 * (rig.method.top.value - rig.method.start.value)


def point_at(
    inputs: Inputs,
    rig: Rig,
    run: Run,
    on: Recording,
    window: Window,
    *,
    stalled: bool = False,
    orders: tuple[float, ...] = (),
    torque: Any = None,
    speed: Any = None,
    acceleration: float = 0.0,
) -> Point:
    """The point of a window. on: the recording, corrected (`seen`), while the drive is on.

    torque, speed: of the output, where the method works them out itself; acceleration of the motor
    [rad/s²]: what its rotor takes for itself does not arrive at the gearbox. Raises ReductionError
    when torque or speed cannot be known.
    """
    method, meters = rig.method, inputs.meters_of(run)
    sensors = meters.sensors
    steady = on.span(window.start, window.stop)
    effective: dict[str, float] = {}

    def level(y: np.ndarray) -> tuple[float, float, float]:
        """Of a steady signal its mean, of one that runs through the window
        its value in the middle."""
        return middle_with_uncertainty(steady.t, y) if acceleration else mean_with_uncertainty(y)

    def mean(key: str, by: Callable[[Any], Any] = lambda shown: shown) -> Any:
        if not steady.has(key):
            return None
        value, u, effective[key] = level(steady.channels[key])
        return (
            None
            if math.isnan(value)
            else by(ufloat(value, 0.0 if math.isinf(u) else u, WINDOW.of(key)))
        )

    if speed is None and not method.STANDS:
        speed = mean("speed", meters.speed)
        if speed is None:
            raise ReductionError("the output speed is missing throughout the window")
        # the window begins and ends anywhere between two pulses
        if sensors.pulses and not acceleration:
            speed = speed + ufloat(
                0.0,
                2 * math.pi / sensors.pulses / window.length / math.sqrt(6),
                WINDOW.of("tachometer's pulses"),
            )
    # an arm meets its stop before anything is steady: no electrical figure means anything
    voltage, current = (
        (None, None)
        if method.STANDS
        else (mean("voltage", meters.voltage), mean("current", meters.current))
    )
    power_in = None
    if voltage is not None and current is not None:
        # the mean of v·i, not mean v × mean i: a chopped supply would tell them apart
        product = steady.channels["voltage"] * steady.channels["current"]
        value, u, _ = level(product)
        power_in = (
            ufloat(value, u if math.isfinite(u) else 0.0, WINDOW.of("power"))
            * meters.voltage.doubt
            * meters.current.doubt
        )
        power_in = (
            power_in
            + nominal(voltage) * meters.current.rest
            + nominal(current) * meters.voltage.rest
        )

    torque_mass = torque_cell = peak = pull = None
    if torque is None:
        if run.load is not None:
            torque_mass = method.known(inputs.figures, inputs.mass(run.load), inputs.gravity)
        pull = _pull(inputs, rig, run, on, window, mean)
        readings = {
            "force": pull and pull.mean,
            **{c: mean(c, getattr(meters, c)) for c in method.CHANNELS},
        }
        torque_cell = method.measured(inputs.figures, readings.get)
        at_most = (
            method.measured(method.figures(), {"force": pull.most}.get)
            if pull and torque_cell is not None
            else None
        )
        peak = None if at_most is None else nominal(at_most)
        torque = torque_cell if (rig.torque_from == "cell" or torque_mass is None) else torque_mass
    if torque is None:
        raise ReductionError(
            _WANTED.get(
                method.kind,
                "neither the weight hung nor a load cell with its calibration is known; give one of"
                " them",
            )
        )

    temperature = _mean(steady, "temperature", math.nan)
    measured_motor_speed = mean("motor_speed", meters.speed)
    motor_speed = measured_motor_speed
    if motor_speed is None and speed is not None:
        motor_speed = speed * inputs.ratio
    own = inputs.rotor * acceleration
    by_current = by_speed = None
    if current is not None:
        by_current = (
            inputs.motor.torque_from_current(current, 0.0 if voltage is None else voltage) - own
        )
    if voltage is not None and motor_speed is not None:
        known = math.isfinite(temperature)
        rise = (temperature - inputs.motor.temperature if known else 0.0) + inputs.warming * (
            _CASE_TO_WINDING if known else _WINDING_UNKNOWN
        )
        per_kelvin = 1.0 / (motors.COPPER_ZERO + inputs.motor.temperature - 273.15)
        warm = inputs.motor._replace(R=inputs.motor.R * (1 + rise * per_kelvin))
        by_speed = warm.torque_from_speed(motor_speed, voltage) - own
    candidates = [t for t in (by_current, by_speed) if t is not None]
    motor_torque = min(candidates, key=std) if candidates else None
    cold_speed = speed
    if current is not None and not stalled and speed is not None:
        heat = (
            nominal(current) ** 2
            * nominal(inputs.motor.R)
            * ((window.start + window.stop) / 2 - float(on.t[0]))
        )
        rise = (
            inputs.heating
            * heat
            / inputs.heat_capacity
            / (motors.COPPER_ZERO + inputs.motor.temperature - 273.15)
        )
        cold_speed = (
            speed + nominal(current * inputs.motor.R / inputs.motor.k) / inputs.ratio * rise
        )
    turns = not stalled and speed is not None
    power_out = hoist.power(torque, speed) if turns else None
    motor_power = motor_torque * motor_speed if turns and motor_torque is not None else None
    return Point(
        run=run,
        window=window,
        stalled=stalled,
        torque=torque,
        speed=speed,
        cold_speed=cold_speed,
        voltage=voltage,
        current=current,
        power_in=power_in,
        power_out=power_out,
        torque_mass=torque_mass,
        torque_cell=torque_cell,
        motor_speed=measured_motor_speed,
        motor_torque=motor_torque,
        motor_torque_current=by_current,
        motor_torque_speed=by_speed,
        motor_power=motor_power,
        wire_to_shaft=_quotient(power_out, power_in),
        gearbox=_quotient(power_out, motor_power),
        work=hoist.work(torque, speed * window.length) if turns else None,
        temperature=temperature if math.isfinite(temperature) else None,
        torque_peak=peak,
        pull=pull,
        effective=effective.get("speed", 1.0),
        ripple=(
            ripple(steady.t, steady.channels["speed"], orders)
            if turns and steady.has("speed")
            else {}
        ),
    )


_WANTED = {
    "brake": (
        "the load cell under the arm, or its calibration, is missing: the torque of a brake is only"
        " known from it"
    ),
    "drawbar": (
        "the load cell in the tow line, or its calibration, is missing: the pull is only known"
        " from it"
    ),
    "generator": "the current of the load is not recorded: map a column to it, or log it",
    "lever": "the mass hung on the arm is not known; give it",
}


def _pull(
    inputs: Inputs, rig: Rig, run: Run, on: Recording, window: Window, mean: Callable[[str], Any]
) -> Pull | None:
    """None without a cell, or without its calibration where it comes in counts. Raises
    ReductionError when a second is lacking.
    """
    g, how = rig.gravity.value, inputs.meters_of(run).sensors.second_cell
    zero = inputs.tare(run.tare) if run.tare is not None else None
    found = _cell(on, "cell", "force", inputs.cell_of(run, g), zero, mean)
    if found is None:
        return None
    force, course = found
    if how != "not used":
        second = _cell(on, "cell_2", "force_2", inputs.second_cell_of(run, g), None, mean)
        if second is None:
            raise ReductionError(
                f"the second load cell, which this rig says is {how}, is not in the recording, or"
                " in counts without its calibration; map a column to it, calibrate it, or say on"
                " Rig that it is not used"
            )
        sign = 1 if how == "added" else -1
        force, course = force + sign * second[0], course + sign * second[1]
    quarter = max(len(course) // 4, 1)
    early, late = (
        float(np.nanmean(course[quarter : 2 * quarter + 1])),
        float(np.nanmean(course[-quarter:])),
    )
    inside = (
        (block_means(on.t) >= window.start) & (block_means(on.t) <= window.stop) & ~np.isnan(course)
    )
    least = float(course[inside].min()) if inside.any() else nominal(force)
    return Pull(force, least, float(np.nanmax(course)), 1 - late / early if early > 0 else None)


def _cell(
    on: Recording,
    counts: str,
    newtons: str,
    line: LineFit | None,
    zero: Any,
    mean: Callable[[str], Any],
) -> tuple[Any, np.ndarray] | None:
    """(mean force in the window, its block means while the drive is on) [N] of one cell, by
    whichever channel it has.
    """
    if line is not None and (reading := mean(counts)) is not None:
        rest = nominal(line.intercept if zero is None else zero)
        return calibration.force(line, reading, zero), (
            block_means(on.channels[counts]) - rest
        ) / nominal(line.slope)
    force = mean(newtons)
    return None if force is None else (force, block_means(on.channels[newtons]))


def ripple(t: np.ndarray, speed: np.ndarray, orders: tuple[float, ...]) -> dict[float, float]:
    """Relative amplitude [-] of the speed's part that repeats with each order (turns per output
    turn).

    t [s], speed [rad/s]: shape (n,). Sine and cosine of the turned angle are fitted by least
    squares; an order is left out when fewer than two of its periods, or fewer than four samples a
    period, are in the window, or when the amplitude is not clear of the scatter (below four
    standard errors).
    """
    tb, wb = block_means(t, 8192), block_means(speed, 8192)
    good = ~np.isnan(wb)
    tb, wb = tb[good], wb[good]
    if len(tb) < 16 or abs(wb.mean()) < 1e-9:
        return {}
    angle = np.concatenate([[0.0], np.cumsum((wb[1:] + wb[:-1]) / 2 * np.diff(tb))])
    turns = abs(angle[-1]) / (2 * math.pi)
    slow = np.column_stack([np.ones_like(tb), tb - tb.mean()])
    found: dict[float, float] = {}
    for order in orders:
        if order * turns < 2 or len(tb) < 4 * order * turns:
            continue
        X = np.column_stack([slow, np.cos(order * angle), np.sin(order * angle)])
        coefficients, *_ = np.linalg.lstsq(X, wb, rcond=None)
        rest = wb - X @ coefficients
        error = float(rest.std(ddof=4)) * math.sqrt(
            2 / len(wb) * min(autocorrelation_time(rest), len(rest) / 4)
        )
        amplitude = float(np.hypot(*coefficients[2:]))
        if amplitude > 4 * error:
            found[order] = amplitude / abs(float(wb.mean()))
    return found


def _mean(rec: Recording, key: str, missing: float) -> float:
    if not rec.has(key) or len(rec) == 0:
        return missing
    blocks = block_means(rec.channels[key])
    blocks = blocks[~np.isnan(blocks)]
    return float(blocks.mean()) if len(blocks) else missing


def _quotient(a: Any, b: Any) -> Any:
    return None if a is None or b is None or nominal(b) <= 0 else a / b
