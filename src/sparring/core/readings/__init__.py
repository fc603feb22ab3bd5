"""Readings typed in, or taken out of a recording. One module a way of measuring; `METHODS` lists
them in the order they are offered.
"""

from __future__ import annotations

from sparring.core.readings.brake import RopeBrake
from sparring.core.readings.breakaway import Breakaway
from sparring.core.readings.counting import Counting
from sparring.core.readings.drawbar import Drawbar
from sparring.core.readings.drum import DrumFriction
from sparring.core.readings.generator import Generator
from sparring.core.readings.lever import Lever
from sparring.core.readings.method import Judged, Method, Result
from sparring.core.readings.motor import BareMotor
from sparring.core.readings.runup import RunUp
from sparring.core.readings.scale import Scale
from sparring.core.readings.stepper import Stepper
from sparring.core.readings.swing import Swing
from sparring.core.readings.windup import WindUp

METHODS: tuple[type[Method], ...] = (
    Lever,
    Scale,
    RopeBrake,
    Drawbar,
    RunUp,
    Swing,
    Generator,
    BareMotor,
    Stepper,
    WindUp,
    Breakaway,
    DrumFriction,
    Counting,
)

__all__ = ["METHODS", "Judged", "Method", "Result"]
