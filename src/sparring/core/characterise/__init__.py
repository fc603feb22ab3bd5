"""Readings typed in, or taken out of a recording. One module a way of measuring; `METHODS` lists
them in the order they are offered.
"""

from __future__ import annotations

from sparring.core.characterise.base import Judged, Method, Result
from sparring.core.characterise.brake import RopeBrake
from sparring.core.characterise.breakaway import Breakaway
from sparring.core.characterise.counting import Counting
from sparring.core.characterise.drawbar import Drawbar
from sparring.core.characterise.drum import DrumFriction
from sparring.core.characterise.generator import Generator
from sparring.core.characterise.lever import Lever
from sparring.core.characterise.motor import BareMotor
from sparring.core.characterise.runup import RunUp
from sparring.core.characterise.scale import Scale
from sparring.core.characterise.stepper import Stepper
from sparring.core.characterise.swing import Swing
from sparring.core.characterise.windup import WindUp

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
