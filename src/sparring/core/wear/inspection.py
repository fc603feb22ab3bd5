"""An inspection: what was seen and measured on an opened drive at one moment of its life."""

from __future__ import annotations

from typing import Annotated, Literal, get_args

from pydantic import Field, field_validator, model_validator

from sparring.core.care import Allowed
from sparring.core.quantity import Measured
from sparring.core.records import PhotoName, Q, Record
from sparring.core.wear.modes import BY_ID

SizeKind = Literal[
    "span",
    "over pins",
    "tip diameter",
    "chordal thickness",
    "bore",
    "flat",
    "hex across flats",
    "ring roundness",
    "belt length",
    "face width",
]
Spot = Literal[
    "driving flank",
    "coasting flank",
    "both flanks",
    "tip",
    "root",
    "bore",
    "hex",
    "flat",
    "key",
    "pin",
    "planet pin",
    "carrier",
    "race",
    "belt tooth",
    "magnet",
    "body",
]
TOOTHED: tuple[Spot, ...] = ("driving flank", "coasting flank", "both flanks", "tip", "root")
"""Spots of which each tooth has one."""
BODY_SPOTS: tuple[Spot, ...] = tuple(s for s in get_args(Spot) if s not in TOOTHED)
End = Literal["whole face", "inner end", "outer end", "middle"]
Height = Literal["", "below the pitch line", "at the pitch line", "above the pitch line"]
Part = Annotated[str, Field(min_length=1, max_length=60)]
_Length = Annotated[float, Q("length", "mm", above=0.0, most=10.0)]
_Mass = Annotated[float, Q("mass", "g", above=0.0)]
_MOST = 2000


class Seen(Record):
    """One observation. teeth: numbers from 1, counted from the marked one, empty: every tooth, or
    no tooth; severity: 0 none to 5 failed; extent: how long or deep, as its mode has it.
    """

    part: Part
    spot: Spot = "driving flank"
    mode: Annotated[str, Field(max_length=40)]
    teeth: Annotated[
        tuple[Annotated[int, Field(ge=1, le=_MOST)], ...], Field(max_length=_MOST)
    ] = ()
    end: End = "whole face"
    height: Height = ""
    severity: Annotated[int, Field(ge=0, le=5)] = 2
    extent: Annotated[Measured, Q("length", "mm", least=0.0)] | None = None
    note: Annotated[str, Field(max_length=400)] = ""

    @field_validator("mode")
    @classmethod
    def _known(cls, mode: str) -> str:
        if mode not in BY_ID:
            raise ValueError(f"{mode!r} is no mode of damage; known: {', '.join(BY_ID)}")
        return mode


class Size(Record):
    """A length of a part, read as often as wished. over: teeth spanned; pin: diameter of the pins;
    accuracy: ± of the instrument (k = 2); control: the same size of a part that has not run, read
    with it, which swells and warms alike.
    """

    part: Part
    kind: SizeKind = "span"
    over: Annotated[int, Field(ge=1, le=200)] | None = None
    pin: _Length | None = None
    readings: Annotated[tuple[_Length, ...], Field(min_length=1, max_length=50)]
    accuracy: Annotated[float, Q("length", "mm", above=0.0)] = 0.02e-3
    control: Annotated[tuple[_Length, ...], Field(max_length=50)] = ()

    @model_validator(mode="after")
    def _whole(self) -> Size:
        if self.kind == "span" and self.over is None:
            raise ValueError("a span needs the number of teeth it is measured over; add “over”")
        if self.kind == "over pins" and self.pin is None:
            raise ValueError("a size over pins needs the pins' diameter; add “pin”")
        return self

    @property
    def same(self) -> tuple[str, str, int | None, float | None]:
        """What two readings of one size have in common."""
        return self.part, self.kind, self.over, self.pin


class Weighing(Record):
    """The mass of a part. control: of a part of the same material that has not run, weighed with
    it, for moisture.
    """

    part: Part
    readings: Annotated[tuple[_Mass, ...], Field(min_length=1, max_length=50)]
    accuracy: Annotated[float, Q("mass", "g", above=0.0)] = 0.01e-3
    control: Annotated[tuple[_Mass, ...], Field(max_length=50)] = ()


class Pin(Record):
    """A place on a photo, 0 to 1 from its left and top, tied to a part and, where it has teeth, to
    one.
    """

    x: Annotated[float, Field(ge=0.0, le=1.0)]
    y: Annotated[float, Field(ge=0.0, le=1.0)]
    part: Annotated[str, Field(max_length=60)] = ""
    tooth: Annotated[int, Field(ge=1, le=_MOST)] | None = None
    text: Annotated[str, Field(max_length=200)] = ""


class Ruler(Record):
    """A line on a photo from (x, y) to (x2, y2), as those of a pin; length: of the one that sets
    the scale, None: it is measured by it.
    """

    x: Annotated[float, Field(ge=0.0, le=1.0)]
    y: Annotated[float, Field(ge=0.0, le=1.0)]
    x2: Annotated[float, Field(ge=0.0, le=1.0)]
    y2: Annotated[float, Field(ge=0.0, le=1.0)]
    length: Annotated[Measured, Q("length", "mm", above=0.0)] | None = None


class Photo(Record):
    """file: in the logbook's folder of photos; original: the one it was turned or cropped from;
    taken: as its camera says, ISO 8601.
    """

    file: PhotoName
    original: Annotated[str, Field(max_length=200)] = ""
    caption: Annotated[str, Field(max_length=200)] = ""
    taken: Annotated[str, Field(max_length=40)] = ""
    pins: Annotated[tuple[Pin, ...], Field(max_length=100)] = ()
    rulers: Annotated[tuple[Ruler, ...], Field(max_length=100)] = ()


class Mark(Record):
    """The marked first tooth of a part, and how it is marked. meets: tooth of `mate` in which it
    was when the drive was put together; teeth are counted counter-clockwise, both seen from one
    side.
    """

    part: Part
    how: Annotated[str, Field(max_length=120)] = ""
    mate: Annotated[str, Field(max_length=60)] = ""
    meets: Annotated[int, Field(ge=1, le=_MOST)] | None = None


class Done(Record):
    """A step of taking apart that was ticked off."""

    step: Annotated[str, Field(min_length=1, max_length=120)]
    at: Annotated[str, Field(max_length=40)] = ""


class Inspection(Record):
    """One look. turns: of the output, either way, work: out of it, hours and starts: since it was
    new; what was done elsewhere comes to them. play: backlash at the output with the input held;
    efficiency: of the gearbox, at `at_load`; peak_torque: the most that the output was
    seen to carry since it was new; ripple: of the speed at the worst mesh's order.
    """

    version: Literal["sparring.inspection/1"] = "sparring.inspection/1"
    made: Annotated[str, Field(max_length=40)] = ""
    turns: Annotated[Measured, Q("ratio", "", least=0.0)] = Measured(0.0)
    work: Annotated[Measured, Q("energy", "J", least=0.0)] = Measured(0.0)
    hours: Annotated[float, Q("time", "h", least=0.0)] | None = None
    starts: Annotated[int, Field(ge=0)] | None = None
    elsewhere_turns: Annotated[Measured, Q("ratio", "", least=0.0)] = Measured(0.0)
    elsewhere_work: Annotated[Measured, Q("energy", "J", least=0.0)] = Measured(0.0)
    play: Annotated[Measured, Q("angle", "deg", least=0.0)] | None = None
    windup: Annotated[Measured, Q("stiffness", above=0.0)] | None = None
    break_away: Annotated[Measured, Q("torque", "mN·m", least=0.0)] | None = None
    efficiency: Annotated[Measured, Q("ratio", "%", least=0.0, most=1.0)] | None = None
    at_load: Annotated[float, Q("torque", "N·m", above=0.0)] | None = None
    peak_torque: Annotated[float, Q("torque", "N·m", above=0.0)] | None = None
    ripple: Annotated[Measured, Q("ratio", "%", least=0.0)] | None = None
    temperature: Annotated[float, Q("temperature", "°C")] | None = None
    sizes: Annotated[tuple[Size, ...], Field(max_length=400)] = ()
    weighings: Annotated[tuple[Weighing, ...], Field(max_length=200)] = ()
    seen: Annotated[tuple[Seen, ...], Field(max_length=1000)] = ()
    marks: Annotated[tuple[Mark, ...], Field(max_length=200)] = ()
    photos: Annotated[tuple[Photo, ...], Field(max_length=200)] = ()
    taken_apart: Annotated[tuple[Done, ...], Field(max_length=400)] = ()
    took: Annotated[float, Q("time", "min", least=0.0)] | None = None
    note: Annotated[str, Field(max_length=2000)] = ""

    @property
    def is_new(self) -> bool:
        """Whether nothing had turned yet."""
        return self.turns.value + self.elsewhere_turns.value == 0


class Inspections(Record):
    """All looks at one drive, in any order. tolerance: ± (k = 2) of the thickness of a tooth as
    made, where it was not measured when it was new. Of what is not said the build's holds.
    """

    version: Literal["sparring.inspections/1"] = "sparring.inspections/1"
    inspections: Annotated[tuple[Inspection, ...], Field(min_length=1, max_length=200)]
    allowed: Allowed | None = None
    tolerance: Annotated[float, Q("length", "mm", above=0.0)] | None = None
