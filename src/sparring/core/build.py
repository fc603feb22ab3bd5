"""A build: one revision of one drive."""

from __future__ import annotations

import math
from functools import cached_property
from typing import Annotated, ClassVar, Literal

from pydantic import Field, model_validator

from sparring.core import motor as motors
from sparring.core.care import Allowed, Dismantling, FirstPower, Life
from sparring.core.data_sheet import SheetLine
from sparring.core.quantity import Measured
from sparring.core.records import PhotoName, Q, Record
from sparring.core.train import kinematics, strength
from sparring.core.train.bearings import Bearing
from sparring.core.train.kinds import SpurStage, Stage
from sparring.core.train.materials import Material, Setting
from sparring.core.train.torque import SelfLocking, TorqueFlow, solve_torques
from sparring.core.uncertainty import nominal

MOTOR, OUTPUT = "motor", "output"
_LOADS = (1.0, 2.0)  # at the output [N·m]: what is linear in the load is known from two


class Item(Record):
    """One line of the parts list."""

    part: Annotated[str, Field(min_length=1, max_length=80)]
    count: Annotated[int, Field(ge=1, le=10_000)] = 1
    price: Annotated[float, Field(ge=0.0, le=1e7)] = 0.0
    spares: Annotated[int, Field(ge=0, le=10_000)] = 0
    mass: Annotated[float, Q("mass", "g", least=0.0)] = 0.0


class Build(Record):
    """One revision of one drive: motor, train, materials. driven_by: what else turns it, in place
    of a motor, whose readings then count for nothing; input_arm: at which the force on its input is
    weighed, a crank's radius or the arm that holds a drill. winding_limit: of its insulation
    (120 °C: class E, IEC 60085, from memory); magnet_limit: None: by what the magnets are.
    """

    ASIDE: ClassVar[frozenset[str]] = frozenset(
        [
            "family",
            "revision",
            "title",
            "mass",
            "expected_load",
            "holding",
            "fastest",
            "works_at",
            "across_layers",
            "fuse",
            "parts",
            "bearings",
            "winding_limit",
            "magnet_limit",
            "currency",
            "photos",
            "notes",
            "first_power",
            "allowed",
            "tooth_tolerance",
            "dismantling",
            "lives",
            "making_time",
            "data_sheet",
            "sheet_tolerance",
        ]
    )

    version: Literal["sparring.build/1"] = "sparring.build/1"
    family: Annotated[str, Field(min_length=1, max_length=60)] = "Unnamed"
    revision: Annotated[int, Field(ge=1, le=9999)] = 1
    title: Annotated[str, Field(max_length=120)] = ""
    motor: motors.MotorReadings = motors.MotorReadings.ours()
    stages: Annotated[tuple[Stage, ...], Field(min_length=1, max_length=40)] = (SpurStage.ours(),)
    lubricant: Literal["dry", "greased", "oiled"] = "greased"
    windup: Annotated[float, Q("stiffness", above=0.0)] = 40.0
    mass: Annotated[Measured, Q("mass", "g", above=0.0)] | None = None
    making_time: Annotated[float, Q("time", "h", above=0.0)] | None = None
    further_motors: Annotated[tuple[motors.FurtherMotor, ...], Field(max_length=7)] = ()
    driven_by: Literal["motor", "hand crank", "drill", "wind"] = "motor"
    input_arm: Annotated[Measured, Q("length", "mm", above=0.0, most=5.0)] | None = None
    expected_load: Annotated[float, Q("torque", "N·m", above=0.0)] | None = None
    holding: Literal["either will do", "must hold by itself", "must turn back"] = "either will do"
    fastest: Annotated[float, Q("speed", "rpm", above=0.0)] | None = None
    works_at: Annotated[float, Q("temperature", "°C", least=193.15, most=573.15)] = 293.15
    across_layers: Annotated[float, Q("ratio", "%", above=0.0, most=1.0)] = 1.0
    fuse: Annotated[str, Field(max_length=60)] = ""
    materials: Annotated[tuple[Material, ...], Field(max_length=40)] = ()
    winding_limit: Annotated[float, Q("temperature", "°C", above=293.15, most=600.0)] = 393.15
    magnet_limit: Annotated[float, Q("temperature", "°C", above=293.15, most=900.0)] | None = None
    bearings: Annotated[tuple[Bearing, ...], Field(max_length=40)] = ()
    parts: Annotated[tuple[Item, ...], Field(max_length=200)] = ()
    currency: Annotated[str, Field(max_length=6)] = "€"
    photos: Annotated[tuple[PhotoName, ...], Field(max_length=100)] = ()
    notes: str = ""
    data_sheet: Annotated[tuple[SheetLine, ...], Field(max_length=20)] = ()
    sheet_tolerance: Annotated[float, Q("ratio", "%", least=0.0, most=1.0)] = 0.10
    allowed: Allowed = Allowed.ours()
    tooth_tolerance: Annotated[float, Q("length", "mm", above=0.0, most=1e-3)] = 0.05e-3
    dismantling: Annotated[tuple[Dismantling, ...], Field(max_length=200)] = ()
    lives: Annotated[tuple[Life, ...], Field(max_length=1000)] = ()
    first_power: FirstPower | None = None  # None: nobody has said that it turns as it should

    @model_validator(mode="after")
    def _turns(self) -> Build:
        if not self.has_motor and self.further_motors:
            raise ValueError(
                f"turned by {self.driven_by}, it has no motors; remove the additional ones first"
            )
        for name, m in (
            ("motor", self.motor),
            *((f"motor {n}", f.readings) for n, f in enumerate(self.further_motors, start=2)),
        ):
            if self.has_motor and m.stall_current.value <= m.no_load_current.value:
                raise ValueError(
                    f"{name}: the stall current is not above the no-load current; were they "
                    "interchanged?"
                )
        try:
            self.torque_line()
        except (kinematics.TrainError, SelfLocking) as err:
            raise ValueError(str(err)) from err
        return self

    @property
    def name(self) -> str:
        return f"{self.family} r{self.revision}"

    @property
    def has_motor(self) -> bool:
        """Whether a motor of its own turns it."""
        return self.driven_by == "motor"

    @property
    def usual_input(self) -> float:
        """Speed [rad/s] at which what turns it usually does (common practice): a hand once a
        second, a drill 900 a minute, a rotor in the wind twice a second; 0: a motor.
        """
        turns = {"hand crank": 1.0, "drill": 15.0, "wind": 2.0}
        return 2 * math.pi * turns.get(self.driven_by, 0.0)

    def shafts(self) -> list[str]:
        """Shaft names from the motor to the output."""
        return [MOTOR, *(f"shaft {n}" for n in range(1, len(self.stages))), OUTPUT]

    def stage_names(self) -> list[str]:
        return [f"stage {n}" for n in range(1, len(self.stages) + 1)]

    def motor_lines(self) -> list[tuple[motors.Motor, float]]:
        """Every motor's nominal line with its gearing to the input shaft; `motors.MOVER` of a drive
        that has none.
        """
        if not self.has_motor:
            return [(motors.MOVER, 1.0)]
        return [
            (motors.from_readings(self.motor), 1.0),
            *((motors.from_readings(m.readings), m.gearing) for m in self.further_motors),
        ]

    def motor_line(self) -> motors.Motor:
        """The nominal line of all motors together, at the input shaft."""
        return motors.together(self.motor_lines())

    def heat_capacity(self) -> float:
        """Of all windings together [J/K]."""
        return sum(
            m.heat_time / m.heat_resistance
            for m in (self.motor, *(f.readings for f in self.further_motors))
        )

    def rotor_inertia(self) -> float:
        """Of all rotors, as seen at the input shaft [kg·m²]."""
        if not self.has_motor:
            return 0.0
        return self.motor.inertia + sum(
            f.readings.inertia * f.gearing**2 for f in self.further_motors
        )

    def setting(self) -> Setting:
        """What the strength of its parts depends on."""
        return Setting(self.works_at, self.across_layers, self.materials)

    @cached_property
    def limits(self) -> tuple[strength.Limit, ...]:
        """What gives way, weakest first."""
        low, high = self._nominal_flows
        return tuple(
            strength.limits(
                self.stages,
                self.shafts(),
                self.stage_names(),
                low=low,
                high=high,
                loads=_LOADS,
                setting=self.setting(),
                warm=self.tooth_temperatures,
            )
        )

    def is_fuse(self, limit: strength.Limit) -> bool:
        """Whether a limit is one of the named fuse part: by its whole name, or by a part of it
        where no part is called so.
        """
        named = self.fuse.strip().casefold()
        whole = any(x.name.casefold() == named for x in self.limits)
        return bool(named) and (
            limit.name.casefold() == named if whole else named in limit.name.casefold()
        )

    def loss_figures(self) -> list[float]:
        """The nominal figure each stage's loss hangs on, as `elements` takes them."""
        return [s.loss_figure.value for s in self.stages]

    @cached_property
    def _nominal(self) -> list[kinematics.Element]:
        return self._elements([s.loss_figure.value for s in self.stages])

    @cached_property
    def _nominal_ratio(self) -> float:
        return kinematics.ratio_of(self.speeds, MOTOR, OUTPUT)

    @cached_property
    def speeds(self) -> dict[str, float]:
        """Of all shafts, the motor's being 1."""
        return kinematics.solve_speeds(self._nominal, {MOTOR: 1.0})

    @cached_property
    def _nominal_flows(self) -> tuple[TorqueFlow, TorqueFlow]:
        low, high = _LOADS
        return self.flow(low), self.flow(high)

    @cached_property
    def _nominal_line(self) -> tuple[float, float]:
        return _line(self._nominal_flows)

    def elements(self, friction: list[float] | None = None) -> list[kinematics.Element]:
        """The train for the solver; friction: one figure a stage [-] in place of the
        nominal ones."""
        return self._nominal if friction is None else self._elements(friction)

    def _elements(self, friction: list[float]) -> list[kinematics.Element]:
        shafts = self.shafts()
        found: list[kinematics.Element] = []
        for n, stage in enumerate(self.stages):
            try:
                found += stage.elements(shafts[n], shafts[n + 1], f"stage {n + 1}", friction[n])
            except ValueError as err:
                raise ValueError(
                    f"stage {n + 1}: {err}; check teeth, profile shifts and centre distance"
                ) from err
        return found

    def drags(self) -> dict[str, float]:
        """Load-independent torque on each shaft behind a stage [N·m]."""
        return {shaft: s.drag for shaft, s in zip(self.shafts()[1:], self.stages, strict=True)}

    def all_shafts(self) -> list[str]:
        """Every shaft that can turn, from the motor to the output, a stage's own (planets,
        carriers) behind its input.
        """
        held = {e.shaft for e in self.elements() if isinstance(e, kinematics.Ground)}
        main = self.shafts()
        found = [main[0]]
        for n, (stage, name) in enumerate(zip(self.stages, self.stage_names(), strict=True)):
            found += [s for s in stage.own_shafts(name) if s not in held] + [main[n + 1]]
        return found

    def ratio(self) -> float:
        """Motor speed over output speed, signed [-]."""
        return self._nominal_ratio

    def ratio_doubt(self) -> float:
        """Standard uncertainty of the ratio as a part of it: of boxes whose teeth nobody has
        counted.
        """
        return math.hypot(*(m.u / m.value for s in self.stages if (m := s.ratio_measured())))

    def backlash(self) -> float:
        """Backlash seen at the output [rad]: each stage's, divided by the ratio behind it; those of
        `backlash_unknown` are left out.
        """
        total, behind = 0.0, 1.0
        for stage in reversed(self.stages):
            total += (stage.backlash() or 0.0) / behind
            behind *= abs(stage.ratio)
        return total

    def backlash_unknown(self) -> list[str]:
        """Names of the stages whose fields do not tell their play."""
        return [
            name
            for name, stage in zip(self.stage_names(), self.stages, strict=True)
            if stage.backlash() is None
        ]

    def flow(
        self, load: float, speed: float = 1.0, friction: list[float] | None = None
    ) -> TorqueFlow:
        """Torques and losses with `load` [N·m] at the output, the motor at `speed` [rad/s]."""
        speeds = {s: w * speed for s, w in self.speeds.items()}
        return solve_torques(
            self.elements(friction),
            MOTOR,
            OUTPUT,
            load,
            speed=speed,
            drag=self.drags(),
            speeds=speeds,
        )

    @cached_property
    def tooth_temperatures(self) -> dict[tuple[int, str], float]:
        """Temperature of the plastic teeth [K] at the expected load, which the motor turns for ever
        at the voltage of its readings, by stage (from 0) and contact; empty without such a load, or
        where the drive stalls at it.
        """
        motor, voltage = self.motor_line(), nominal(self.motor.voltage.value)
        if self.expected_load is None:
            return {}
        slope, drag = self.torque_line()
        speed = float(nominal(motor.speed(slope * self.expected_load + drag, voltage)))
        if speed <= 0:
            return {}
        return self.teeth_at(self.flow(self.expected_load, speed))

    def teeth_at(self, flow: TorqueFlow) -> dict[tuple[int, str], float]:
        """Temperature of the plastic teeth [K] in a steady state, by stage (from 0) and contact."""
        flows = {(m.mesh.name, m.mesh.contact): m for m in flow.meshes}
        found = {}
        for n, (stage, name) in enumerate(zip(self.stages, self.stage_names(), strict=True)):
            for c in stage.contacts():
                if (mesh := flows.get((name, c.name))) is None:
                    continue
                warm = strength.mesh_temperature(
                    c,
                    mesh,
                    flow.speeds,
                    stage.loss_figure.value,
                    setting=self.setting(),
                    oiled=self.lubricant == "oiled",
                )
                if warm is not None:
                    found[n, c.name] = warm
        return found

    def torque_line(self, friction: list[float] | None = None) -> tuple[float, float]:
        """(a, b) of the motor torque that a load needs, T_motor = a T_out + b (exact: the losses
        are linear).
        """
        if friction is None:
            return self._nominal_line
        low, high = _LOADS
        return _line((self.flow(low, friction=friction), self.flow(high, friction=friction)))

    def back_drive_line(self, friction: list[float] | None = None) -> tuple[float, float] | None:
        """(a, b) of the motor torque that holds the train while the load turns it back: a T_out −
        b; None: it locks.
        """
        elements = self.elements(friction)
        try:
            out = self.speeds[
                OUTPUT
            ]  # known forwards: from the slow end a high ratio can hardly be solved
            speeds = {s: w / out for s, w in self.speeds.items()}
            loads = [
                solve_torques(
                    elements, OUTPUT, MOTOR, t, drag=self.drags(), speeds=speeds
                ).driver_torque
                for t in (0.0, 1.0)
            ]
        except SelfLocking:
            return None
        slope = abs(loads[1] - loads[0])
        return 1.0 / slope, abs(loads[0]) / slope

    def train_in_words(self) -> str:
        """`30:1  12/60 · 10/60`."""
        return f"{kinematics.ratio_in_words(abs(self.ratio()))}  " + " · ".join(
            s.in_words() for s in self.stages
        )


def _line(flows: tuple[TorqueFlow, TorqueFlow]) -> tuple[float, float]:
    """(a, b) of T_motor = a T_out + b from the flows at `_LOADS`."""
    (low, high), (first, second) = _LOADS, (flow.driver_torque for flow in flows)
    slope = (second - first) / (high - low)
    return slope, first - slope * low
