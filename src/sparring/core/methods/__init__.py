"""How a drive is loaded: a module a method. A new method is a module here, and its name in
`Method`.
"""

from __future__ import annotations

from typing import Annotated, Any, get_args

from pydantic import Discriminator, Tag

from sparring.core.methods.base import MethodBase
from sparring.core.methods.brake import Brake
from sparring.core.methods.drawbar import Drawbar
from sparring.core.methods.generator import Generator
from sparring.core.methods.haul import Haul
from sparring.core.methods.hoist import Hoist
from sparring.core.methods.lever import Lever
from sparring.core.methods.rope_brake import RopeBrake
from sparring.core.methods.runup import RunUp
from sparring.core.methods.scale import Scale
from sparring.core.methods.tackle import Tackle


def _kind(value: Any) -> str:
    """Which method a record or a file's object is; a hoist where none is said."""
    said = (
        value.get("kind", "hoist") if isinstance(value, dict) else getattr(value, "kind", "hoist")
    )
    return f"method {said}"


Method = Annotated[
    Annotated[Hoist, Tag("method hoist")]
    | Annotated[Lever, Tag("method lever")]
    | Annotated[Brake, Tag("method brake")]
    | Annotated[Drawbar, Tag("method drawbar")]
    | Annotated[RunUp, Tag("method run-up")]
    | Annotated[Generator, Tag("method generator")]
    | Annotated[RopeBrake, Tag("method rope-brake")]
    | Annotated[Scale, Tag("method scale")]
    | Annotated[Tackle, Tag("method tackle")]
    | Annotated[Haul, Tag("method haul")],
    Discriminator(
        _kind,
        custom_error_type="unknown_method",
        custom_error_message="this method is not known; see docs/formats.md for those that are",
    ),
]
__all__ = [
    "METHODS",
    "Brake",
    "Drawbar",
    "Generator",
    "Haul",
    "Hoist",
    "Lever",
    "Method",
    "MethodBase",
    "RopeBrake",
    "RunUp",
    "Scale",
    "Tackle",
]

METHODS: tuple[type[MethodBase], ...] = tuple(get_args(k)[0] for k in get_args(get_args(Method)[0]))
"""Every method; its defaults are its template."""
