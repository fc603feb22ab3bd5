"""Readings taken by eye and typed in. One module a way of measuring; `METHODS` lists them in the order they are offered."""

from __future__ import annotations

from sparring.core.byhand.brake import RopeBrake
from sparring.core.byhand.drawbar import Drawbar
from sparring.core.byhand.generator import Generator
from sparring.core.byhand.lever import Lever
from sparring.core.byhand.method import Judged, Method, Result
from sparring.core.byhand.motor import BareMotor
from sparring.core.byhand.runup import RunUp
from sparring.core.byhand.scale import Scale
from sparring.core.byhand.swing import Swing
from sparring.core.byhand.windup import WindUp

METHODS: tuple[type[Method], ...] = (Lever, Scale, RopeBrake, Drawbar, RunUp, Swing, Generator, BareMotor, WindUp)

__all__ = ["METHODS", "Judged", "Method", "Result"]
