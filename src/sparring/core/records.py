"""What every record is made of: frozen Pydantic models whose quantities are text with a unit in
files, SI inside.
"""

from __future__ import annotations

import math
import types
import typing
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Any, ClassVar, Self, TypeVar, cast

from pydantic import (
    BaseModel,
    ConfigDict,
    Field,
    GetCoreSchemaHandler,
    GetJsonSchemaHandler,
    ValidationError,
    ValidationInfo,
)
from pydantic_core import CoreSchema, core_schema

from sparring.core import quantity
from sparring.core.quantity import Measured, units


class RecordError(ValueError):
    """A record that does not hold together. One line a problem: where, what
    was seen, what to do."""


_IN_WORDS = {
    "either will do": "either",
    "must hold by itself": "must be self-locking",
    "must turn back": "must be back-drivable",
    "chopped, in samples": "pulsed, sampled",
    "chopped, averaged": "pulsed, averaged",
    "taken off": "subtracted",
    "mass": "hung mass",
    "cell": "load cell",
    "time of so many pulses": "time of a number of pulses",
    "tapped with a finger": "tapped by hand",
    "frames of a film": "video frames",
}


def in_words(choice: str) -> str:
    """A choice that a record may hold, as it is shown: what files hold stays, words may change."""
    return _IN_WORDS.get(choice, choice)


@dataclass(frozen=True)
class Q:
    """Marks a field as a quantity: `Annotated[float, Q("length", "mm")]`, or of `Measured` where ±
    belongs to it.

    kind: see `quantity.KINDS`; unit: the one written to files; above, least, most: allowed range
    [SI].
    """

    kind: str
    unit: str | None = None
    above: float | None = None
    least: float | None = None
    most: float | None = None

    @property
    def file_unit(self) -> str:
        return quantity.kind_of(self.kind).default if self.unit is None else self.unit

    def check(self, value: float) -> None:
        """Raises QuantityError when `value` [SI] lies outside the field's range."""

        def shown(limit: float) -> str:
            return quantity.text(limit, self.kind, self.file_unit)

        if not math.isfinite(value):
            raise quantity.QuantityError("the value is not finite")
        if self.above is not None and not value > self.above:
            raise quantity.QuantityError(
                f"{shown(value)} is too small; it must be more than {shown(self.above)}"
            )
        if self.least is not None and not value >= self.least:
            raise quantity.QuantityError(
                f"{shown(value)} is too small; it must be at least {shown(self.least)}"
            )
        if self.most is not None and not value <= self.most:
            raise quantity.QuantityError(
                f"{shown(value)} is too large; it must be at most {shown(self.most)}"
            )

    @property
    def unitless(self) -> bool:
        """Whether a plain number says all: a ratio, a count. One in per cent wants its sign."""
        return self.file_unit in ("", "counts")

    def read(self, value: Any, mode: str = "python") -> Measured:
        """`value` as a Measured within the range: text, or an SI number (from files only of what
        has no unit).
        """
        if isinstance(value, str):
            m = quantity.parse(value, self.kind)
        elif isinstance(value, Measured):
            m = value
        elif (
            isinstance(value, int | float)
            and not isinstance(value, bool)
            and (mode != "json" or self.unitless)
        ):
            try:
                m = Measured(float(value))
            except (OverflowError, ValueError) as err:  # of hundreds of digits, or none
                raise quantity.QuantityError("the value is not finite") from err
        else:
            example = "0.5 %" if self.file_unit == "%" else quantity.kind_of(self.kind).example
            raise quantity.QuantityError(
                f"{units.short(repr(value))} is not a quantity; write text with a unit, for example"
                f' "{example}"'
            )
        self.check(m.value)
        return m

    def __get_pydantic_core_schema__(
        self, source: Any, handler: GetCoreSchemaHandler
    ) -> CoreSchema:
        with_u = source is Measured

        def validate(value: Any, ctx: ValidationInfo) -> Any:
            m = self.read(value, str(ctx.mode))
            return m if with_u else m.value

        def write(value: Any) -> str:
            return quantity.measured_text(
                value if with_u else Measured(value), self.kind, self.file_unit
            )

        return core_schema.with_info_plain_validator_function(
            validate,
            serialization=core_schema.plain_serializer_function_ser_schema(
                write, when_used="json", return_schema=core_schema.str_schema()
            ),
        )

    def __get_pydantic_json_schema__(
        self, schema: CoreSchema, handler: GetJsonSchemaHandler
    ) -> dict[str, Any]:
        return {
            "type": ["string", "number"] if self.unitless else "string",
            "description": f"{self.kind}: text with a unit, ± (k = 2) where measured",
            "examples": [quantity.kind_of(self.kind).example],
        }


class Record(BaseModel):
    """Base of all records: frozen, unknown keys refused."""

    model_config = ConfigDict(
        frozen=True, extra="forbid", arbitrary_types_allowed=True, defer_build=True
    )
    ASIDE: ClassVar[frozenset[str]] = frozenset()  # fields that no measured result follows from

    @classmethod
    def ours(cls, **fields: Any) -> Self:
        """A record of this program's own figures, unchecked: checking needs Pydantic's machinery,
        which costs a tenth of a second and which the first window can do without. The tests check
        every one."""
        made: Any = cls.model_construct(**fields)
        return cast(Self, made)

    def to_json(self) -> str:
        """The record as its file text."""
        return self.model_dump_json(indent=2)

    @classmethod
    def from_json(cls, text: str | bytes, where: str = "") -> Self:
        """The record that `text` says. Raises RecordError, a line a problem; `where` names the
        file.
        """
        try:
            return cls.model_validate_json(text)
        except ValidationError as err:
            raise RecordError(problems(err, where)) from err

    @classmethod
    def quantity(cls, field: str) -> Q | None:
        """What quantity `field` holds; None for a field that is no quantity."""
        meta = cls.model_fields[field]
        inner = [
            m
            for part in typing.get_args(meta.annotation)
            for m in getattr(part, "__metadata__", ())
        ]  # optional ones
        return next((m for m in (*meta.metadata, *inner) if isinstance(m, Q)), None)


PhotoName = Annotated[str, Field(max_length=200, pattern=r"^[^./][^/]*$")]
"""Of a file in the logbook's folder of photos: no path leads out of it."""
R = TypeVar("R", bound=Record)


def changed(record: R, path: tuple[str | int, ...], value: Any) -> R:
    """A copy of `record` with the field at `path` (names and list positions) replaced, validated
    anew.

    Raises RecordError when the result does not hold together.
    """

    def put(node: Any, rest: tuple[str | int, ...]) -> Any:
        if not rest:
            return value
        head, *tail = rest
        if isinstance(node, Record):
            fields = {name: getattr(node, name) for name in type(node).model_fields}
            fields[str(head)] = put(fields[str(head)], tuple(tail))
            return type(node).model_validate(fields)
        items = list(node)
        items[int(head)] = put(items[int(head)], tuple(tail))
        return tuple(items)

    try:
        result: R = put(record, path)
    except ValidationError as err:
        raise RecordError(problems(err, "")) from err
    return result


def problems(err: ValidationError, where: str) -> str:
    """A validation error in the words of this project, one line a problem."""
    lines = []
    errors = err.errors()
    wrong_kind = [e for e in errors if e["loc"] == ("version",)]
    real = [
        e
        for e in errors
        if e["type"] != "too_short"
        or not any(o is not e and o["loc"][: len(e["loc"])] == e["loc"] for o in errors)
    ]
    for e in wrong_kind or real:  # a list whose items are bad is not too short besides
        place = (
            ".".join(str(p) for p in e["loc"] if not str(p).startswith("kind "))
            or "the whole record"
        )
        said = e["msg"].removeprefix("Value error, ")
        if e["type"] == "missing":
            said = "is missing; add it"
        elif e["type"] == "extra_forbidden":
            said = "is not a known field; check its spelling or remove it"
        elif wrong_kind:
            said = f"this is a {e['input']!r} file; {e['ctx']['expected']} is expected"
        lines.append(f"{where + ': ' if where else ''}{place}: {said}")
    return "\n".join(lines)


def annotation(record: Record, path: Sequence[str | int]) -> tuple[Any, Q | None, bool]:
    """(bare type, quantity marker, optional) of the field at `path`."""
    node: Any = record
    for part in path[:-1]:
        node = getattr(node, part) if isinstance(part, str) else node[part]
    field = type(node).model_fields[str(path[-1])]
    bare, optional = field.annotation, False
    markers = list(field.metadata)
    if isinstance(bare, types.UnionType) or typing.get_origin(bare) is typing.Union:
        inner = [a for a in typing.get_args(bare) if a is not type(None)]
        optional = len(inner) < len(typing.get_args(bare))
        bare = inner[0]
    if hasattr(bare, "__metadata__"):
        markers += bare.__metadata__
        bare = bare.__origin__
    return bare, next((m for m in markers if isinstance(m, Q)), None), optional
