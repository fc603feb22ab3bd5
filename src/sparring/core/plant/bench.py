"""The true parameters of a bench, and how they follow from a build on a rig.

The load of every method is one body on one spring that only pulls: a weight on a cord, an arm, a
brake's drum, a sled, a flywheel on its freewheel. It has a weight, or rubs (at rest it holds until
pulled hard enough), or drags the more the faster it goes, or makes current. Its place is the height
[m] for a radius in metres, an angle [rad] for radius 1.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, fields, replace
from typing import Any

import numpy as np

from sparring.core import inventory
from sparring.core.build import Build
from sparring.core.quantity import G_N
from sparring.core.rig import Rig

_ALIKE = ("each", "waves")  # on all lanes


@dataclass
class Bench:
    """True parameters, SI, scalars or shape (n,). up, down: (slope, offset) of the motor torque
    that a load takes.

    bind_from, bind: beyond this output torque the train's losses grow with the square of the excess
    (a bending shaft); runout: relative swing of the drum's radius once a turn; strength: output
    torque at which a tooth breaks.

    The body: mass [kg or kg·m²]; weight [N, N·m], None: mass · gravity; reach, lean: its weight
    counts with the cosine of lean + height/reach; grip: force that rubbing takes from it,
    grip_rest: as much more at rest (a part); drag: force over speed², fade: part of the grip lost
    per kelvin of the body, which holds body_heat [J/K]; generates: (volts over speed, winding [Ω])
    into `resistor` [Ω]. ratchet: 1 for a freewheel; traction: force at which wheels slip; bearing:
    torque at the output that the cell does not see; cell_arm: radius at which the cell sees the
    torque, None: `radius`.
    """

    k: Any
    R: Any  # at `reference`
    friction: Any
    inertia: Any
    heat_capacity: Any
    heat_resistance: Any
    ratio: Any
    up: tuple[Any, Any]
    down: tuple[Any, Any]
    radius: Any
    mass: Any = 1.0  # hung, hook included
    weight: Any = None
    reach: Any = np.inf
    lean: Any = 0.0
    grip: Any = 0.0
    grip_rest: Any = 0.15
    drag: Any = 0.0
    fade: Any = 0.0
    body_heat: Any = np.inf
    generates: tuple[Any, Any] = (0.0, 1.0)
    resistor: Any = np.inf
    ratchet: Any = 0.0
    rigid: Any = 0.0  # 1: the body pushes too when it is faster, through a shaft instead of a cord
    traction: Any = np.inf
    bearing: Any = 0.0
    cell_arm: Any = None
    windup: Any = 40.0
    backlash: Any = 0.0
    cord_stiffness: Any = 4000.0
    cord_damping: Any = 9.0
    slack: Any = 0.004
    gravity: Any = G_N
    source_resistance: Any = 0.0
    between: Any = (
        0.0  # current that unequal motors pass between themselves, over the voltage [A/V]
    )
    current_limit: Any = np.inf
    ambient: Any = 293.15
    reference: Any = 293.15
    runout: Any = 0.0
    bind_from: Any = np.inf
    bind: Any = 0.0
    strength: Any = np.inf
    wear_rate: Any = 0.0  # backlash gained per work at the output [rad/J]
    turned: Any = 0.0  # 1: by hand, drill or wind, its speed [rad/s] in the voltage's place
    each: tuple[tuple[float, float, float], ...] = ()  # k, R, gearing of each of several motors
    # what gears that are not true do to the output's turning: (order, part of the speed, phase)
    waves: tuple[tuple[float, float, float], ...] = ()
    rated: Any = 0.0  # what its motor is for [V]
    arm: Any = 0.1  # at which the force that turns it is weighed [m]

    def lanes(self) -> int:
        sizes = [1]
        for f in fields(self):
            value = getattr(self, f.name)
            value = 0.0 if value is None or f.name in _ALIKE else value
            sizes += [np.size(part) for part in (value if isinstance(value, tuple) else (value,))]
        return max(sizes)

    def taken(self, lanes: Any) -> Bench:
        """The benches where `lanes` (n, bool) holds, or the one of that number."""

        def part(value: Any) -> Any:
            return np.asarray(value)[lanes] if np.size(value) > 1 else value

        return self._each(part)

    def single(self, i: int) -> Bench:
        """Bench `i` by itself, in plain floats."""
        return self.taken(i)._each(lambda value: float(np.reshape(value, -1)[0]))

    def _each(self, change: Callable[[Any], Any]) -> Bench:
        changed = {}
        for f in fields(self):
            value = getattr(self, f.name)
            if value is not None and f.name not in _ALIKE:
                changed[f.name] = (
                    tuple(map(change, value)) if isinstance(value, tuple) else change(value)
                )
        return replace(self, **changed)


_GIVES_WAY = 0.5
"""[rad/s per N·m] by which a hand or a drill turns slower for what it has to turn (invented)."""
_ARMS = 0.02
"""Inertia of a crank with its hand [kg·m²] (invented)."""


def bench_of(
    build: Build,
    rig: Rig,
    *,
    load: float = 1.0,
    friction: list[float] | None = None,
    **changed: Any,
) -> Bench:
    """The bench that `build` on `rig` would be if every stated figure were exact, with `load` on it
    (a mass [kg] or what the method has instead); `changed` replaces parameters."""
    motor, several = build.motor_line(), bool(build.further_motors)
    up = build.torque_line(friction)
    back = build.back_drive_line(friction)
    base: dict[str, Any] = {
        "k": motor.k,
        "R": motor.R,
        "friction": motor.friction,
        "between": motor.between,
        "each": tuple((m.k, m.R, g) for m, g in build.motor_lines()) if several else (),
        "inertia": inventory.take(build).inertia_in,
        "heat_capacity": build.heat_capacity(),
        "heat_resistance": build.motor.heat_resistance / (1 + len(build.further_motors)),
        "ratio": abs(build.ratio()),
        "up": up,
        "down": (0.0, up[1]) if back is None else back,
        "windup": build.windup,
        "backlash": build.backlash(),
        "gravity": rig.gravity.value,
        "reference": build.motor.winding_temperature,
        "rated": build.motor.voltage.value,
    }
    if not build.has_motor:
        base |= {"R": _GIVES_WAY, "inertia": base["inertia"] + _ARMS, "turned": 1.0}
        base |= {"arm": 0.1 if build.input_arm is None else build.input_arm.value}
    return Bench(**{**base, **rig.method.body(load, rig.gravity.value), **changed})
