"""Sparring: bench tests on gearboxes and gearmotors."""

__version__ = "0.1.0"
