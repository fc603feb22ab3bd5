"""All kinds of stages. A further kind is one module here and one line in `Stage`."""

from __future__ import annotations

from typing import Annotated, Any, get_args

from pydantic import Discriminator, Tag

from sparring.core.train.kinds.belt import BeltStage
from sparring.core.train.kinds.bevel import BevelStage, DifferentialStage
from sparring.core.train.kinds.closed_box import ClosedBoxStage
from sparring.core.train.kinds.clutch import ClutchStage
from sparring.core.train.kinds.cycloid import CycloidStage
from sparring.core.train.kinds.magnetic import MagneticStage
from sparring.core.train.kinds.planetary import PlanetaryStage
from sparring.core.train.kinds.shift import ShiftStage
from sparring.core.train.kinds.split_ring import SplitRingStage
from sparring.core.train.kinds.spur import SpurStage
from sparring.core.train.kinds.strain_wave import StrainWaveStage
from sparring.core.train.kinds.worm import WormStage
from sparring.core.train.stage import StageBase


def _kind(value: Any) -> str:
    """Which kind a record or a file's object is; a spur pair where none is said."""
    said = value.get("kind", "spur") if isinstance(value, dict) else getattr(value, "kind", "spur")
    return f"kind {said}"


Stage = Annotated[
    Annotated[SpurStage, Tag("kind spur")]
    | Annotated[BevelStage, Tag("kind bevel")]
    | Annotated[DifferentialStage, Tag("kind differential")]
    | Annotated[WormStage, Tag("kind worm")]
    | Annotated[BeltStage, Tag("kind belt")]
    | Annotated[PlanetaryStage, Tag("kind planetary")]
    | Annotated[SplitRingStage, Tag("kind split ring")]
    | Annotated[StrainWaveStage, Tag("kind strain wave")]
    | Annotated[CycloidStage, Tag("kind cycloid")]
    | Annotated[MagneticStage, Tag("kind magnetic")]
    | Annotated[ClutchStage, Tag("kind clutch")]
    | Annotated[ShiftStage, Tag("kind shift")]
    | Annotated[ClosedBoxStage, Tag("kind closed box")],
    Discriminator(
        _kind,
        custom_error_type="unknown_kind",
        custom_error_message=(
            "this kind of stage is not known; see docs/formats.md for those that are"
        ),
    ),
]
__all__ = [
    "KINDS",
    "BeltStage",
    "BevelStage",
    "ClosedBoxStage",
    "ClutchStage",
    "CycloidStage",
    "DifferentialStage",
    "MagneticStage",
    "PlanetaryStage",
    "ShiftStage",
    "SplitRingStage",
    "SpurStage",
    "Stage",
    "StrainWaveStage",
    "WormStage",
]

KINDS: tuple[type[StageBase], ...] = tuple(get_args(k)[0] for k in get_args(get_args(Stage)[0]))
"""Every kind; a kind's defaults are its template."""
