"""A build: one revision of one drive."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from sparring.core import motor as motors
from sparring.core.quantity import Measured
from sparring.core.records import Q, Record
from sparring.core.train import kinematics
from sparring.core.train.spur import SpurStage
from sparring.core.train.torque import SelfLocking, TorqueFlow, solve_torques

Stage = SpurStage  # a further kind of stage joins this union, and nothing else changes

MOTOR, OUTPUT = "motor", "output"


class Build(Record):
    """One revision of one drive: motor, train, materials."""

    version: Literal["sparring.build/1"] = "sparring.build/1"
    family: Annotated[str, Field(min_length=1, max_length=60)] = "Unnamed"
    revision: Annotated[int, Field(ge=1, le=9999)] = 1
    title: Annotated[str, Field(max_length=120)] = ""
    motor: motors.MotorReadings = motors.MotorReadings()
    stages: Annotated[tuple[Stage, ...], Field(min_length=1, max_length=40)] = (SpurStage(),)
    lubricant: Literal["dry", "greased", "oiled"] = "greased"
    windup: Annotated[float, Q("stiffness", above=0.0)] = 40.0
    mass: Annotated[Measured, Q("mass", "g", above=0.0)] | None = None
    notes: str = ""

    @model_validator(mode="after")
    def _teeth_reach(self) -> Build:
        for n, stage in enumerate(self.stages, start=1):
            try:
                stage.contact_ratio()
            except ValueError as err:
                raise ValueError(f"stage {n}: {err}; check shifts and opening") from err
        m = self.motor
        if m.stall_current.value <= m.no_load_current.value:
            raise ValueError("motor: the stall current is not above the no-load current; were the two exchanged?")
        return self

    @property
    def name(self) -> str:
        return f"{self.family} r{self.revision}"

    def shafts(self) -> list[str]:
        """Shaft names from the motor to the output."""
        return [MOTOR, *(f"shaft {n}" for n in range(1, len(self.stages))), OUTPUT]

    def stage_names(self) -> list[str]:
        return [f"stage {n}" for n in range(1, len(self.stages) + 1)]

    def elements(self, friction: list[float] | None = None) -> list[kinematics.Element]:
        """The train for the solver; friction: one coefficient a stage [-] in place of the nominal ones."""
        shafts = self.shafts()
        return [
            e
            for n, stage in enumerate(self.stages)
            for e in stage.elements(shafts[n], shafts[n + 1], self.stage_names()[n], None if friction is None else friction[n])
        ]

    def drags(self) -> dict[str, float]:
        """Load-independent torque on each shaft behind a stage [N·m]."""
        return {shaft: s.drag for shaft, s in zip(self.shafts()[1:], self.stages, strict=True)}

    def ratio(self) -> float:
        """Motor speed over output speed, signed [-]."""
        return kinematics.ratio(self.elements(), MOTOR, OUTPUT)

    def backlash(self) -> float:
        """Backlash seen at the output [rad]: each stage's, divided by the ratio behind it."""
        total, behind = 0.0, 1.0
        for stage in reversed(self.stages):
            total += stage.backlash() / behind
            behind *= abs(stage.ratio)
        return total

    def flow(self, load: float, speed: float = 1.0, friction: list[float] | None = None) -> TorqueFlow:
        """Torques and losses with `load` [N·m] at the output, the motor at `speed` [rad/s]."""
        return solve_torques(self.elements(friction), MOTOR, OUTPUT, load, speed=speed, drag=self.drags())

    def torque_line(self, friction: list[float] | None = None) -> tuple[float, float]:
        """(a, b) of the motor torque that a load needs, T_motor = a T_out + b (exact: the losses are linear)."""
        low, high = (self.flow(load, friction=friction).driver_torque for load in (0.0, 1.0))
        return high - low, low

    def back_drive_line(self, friction: list[float] | None = None) -> tuple[float, float] | None:
        """(a, b) of the motor torque that holds the train while the load turns it back: a T_out − b; None: it locks."""
        elements = self.elements(friction)
        try:
            loads = [solve_torques(elements, OUTPUT, MOTOR, t, drag=self.drags()).driver_torque for t in (0.0, 1.0)]
        except SelfLocking:
            return None
        slope = abs(loads[1] - loads[0])
        return 1.0 / slope, abs(loads[0]) / slope

    def train_in_words(self) -> str:
        """`30:1  12/60 · 10/60`."""
        return f"{kinematics.ratio_in_words(abs(self.ratio()))}  " + " · ".join(s.in_words() for s in self.stages)
