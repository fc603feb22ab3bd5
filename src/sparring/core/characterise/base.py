"""What every way of measuring by hand has: dimensions that all readings share, readings, and what
comes out of both.

Shared dimensions are the same input in every reading, so a mean over repeats keeps their whole
uncertainty; the scatter between repeats is added as one more input (JCGM 100:2008, 4.2 and F.1.2).
"""

from __future__ import annotations

import math
from abc import abstractmethod
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Annotated, Any, ClassVar, Literal, NamedTuple, TypeAlias

import numpy as np

from sparring.core.by_eye import reading
from sparring.core.finding import Finding
from sparring.core.input_quantity import declare, lowered, whose
from sparring.core.quantity import Measured
from sparring.core.recording import Recording
from sparring.core.records import Q, Record, annotation
from sparring.core.uncertainty import (
    Propagated,
    Uncertain,
    from_measured,
    mean_of,
    nominal,
    t_widening,
    ufloat,
)

if TYPE_CHECKING:
    from sparring.core.build import Build
    from sparring.core.rig import Rig

Length = Annotated[Measured, Q("length", "mm", above=0.0, most=20.0)]
Reach = Annotated[Measured, Q("length", "mm", least=0.0, most=20.0)]
Mass = Annotated[Measured, Q("mass", "g", least=0.0, most=1e5)]
Force = Annotated[Measured, Q("force", "N", least=-1e6, most=1e6)]
Angle = Annotated[Measured, Q("angle", "deg", least=-1.5, most=1.5)]
Speed = Annotated[Measured, Q("speed", "rpm", least=0.0)]
Time = Annotated[Measured, Q("time", "s", above=0.0)]
Inertia = Annotated[Measured, Q("inertia", "kg·m²", above=0.0)]
Voltage = Annotated[Measured, Q("voltage", "V", least=0.0)]
Current = Annotated[Measured, Q("current", "A", least=0.0)]
Torque = Annotated[Measured, Q("torque", "N·m", least=-1e6, most=1e6)]
Gravity = Annotated[Measured, Q("acceleration", "m/s²", above=9.7, most=9.9)]
Accuracy = Annotated[float, Q("ratio", "%", least=0.0, most=0.5)]
# anywhere between the equator and the poles, near sea level (k = 1)
STANDARD_GRAVITY = Measured(9.80665, 0.012)


Part: TypeAlias = Literal["motor", "inertia", "build", "rig"]
"""What is characterised: the motor, a body that turns, the whole build, or something of the rig."""

SURELY = 2.6  # standard uncertainties beyond which what contradicts itself is said to


class Reading(Record):
    """One repeat. FIELDS: (label, field) in the order in which they are read."""

    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = ()
    CLOCK: ClassVar[str] = ""  # the figure that is the time of day it was read

    @classmethod
    def understand(cls, name: str, text: str) -> Any:
        """A figure as it is typed. Raises QuantityError or ValueError, in words."""
        bare, info, _ = annotation(cls(), (name,))
        if info is None:
            return int(text) if bare is int else text
        value = reading(text, info.kind, info.file_unit)
        info.check(value.value)
        return value

    @classmethod
    def of_texts(cls, texts: Sequence[str], n: int) -> Reading:
        """Repeat `n`, of a text for each of FIELDS. Raises ValueError naming what is missing or
        cannot be read.
        """
        values: dict[str, Any] = {}
        # a record of a version before may lack the newest figures
        every = [*texts, *[""] * (len(cls.FIELDS) - len(texts))]
        for (label, name), text in zip(cls.FIELDS, every, strict=True):
            if text:
                try:
                    values[name] = cls.understand(name, text)
                except ValueError as err:
                    raise ValueError(f"Repeat {n}, {label.lower()}: {err}") from err
            elif annotation(cls(), (name,))[2]:
                values[name] = None
            else:
                raise ValueError(f"Repeat {n}: {label.lower()} is missing.")
        return cls.model_validate(values)


@dataclass(frozen=True)
class Result:
    """One figure that comes out. id: which, for good; value carries its inputs; scatter: relative
    SD between repeats, where there are some.
    """

    id: str
    label: str
    kind: str
    value: Uncertain
    scatter: float | None = None
    repeats: int = 1


class Use(NamedTuple):
    """Where what came out belongs: a field of the build or the rig, and what it is then."""

    record: Literal["build", "rig"]
    path: tuple[str, ...]
    value: Any
    what: str


@dataclass(frozen=True)
class Judged:
    """What came out, and what is to be said of it."""

    results: tuple[Result, ...]
    findings: tuple[Finding, ...] = ()


class Method(Record):
    """Base of all ways: the fields of a subclass are its shared dimensions."""

    ID: ClassVar[str] = ""  # what its readings are kept under, for good
    PART: ClassVar[Part] = "build"
    TITLE: ClassVar[str] = ""
    PURPOSE: ClassVar[str] = ""
    CARE: ClassVar[str] = ""
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = ()
    READING: ClassVar[type[Reading]] = Reading
    # what a recording of it must hold; none: it is only typed
    CHANNELS: ClassVar[tuple[str, ...]] = ()
    # the two figures of a reading that are drawn over each other, across and up
    PICTURE: ClassVar[tuple[str, ...]] = ()
    LOOP: ClassVar[bool] = False  # the points are joined in their order
    # figure of a reading -> the shared dimension that is its instrument's accuracy
    GAINS: ClassVar[dict[str, str]] = {}
    # further inputs: id -> in words; of one reading alone, but for those of ALL
    INPUTS: ClassVar[dict[str, str]] = {}
    ALL: ClassVar[frozenset[str]] = frozenset()

    @classmethod
    def __pydantic_init_subclass__(cls, **kwargs: Any) -> None:
        super().__pydantic_init_subclass__(**kwargs)
        shared = {name: lowered(label) for label, name in cls.FIELDS}
        own = {name: lowered(label) for label, name in cls.READING.FIELDS}
        for name, words in cls.INPUTS.items():
            (shared if name in cls.ALL else own)[name] = words
        for name, words in shared.items():
            declare(f"readings-{cls.ID}.{name}", words, "rig")
        for name, words in own.items():
            declare(f"reading-{cls.ID}.{name}", f"reading {{0}}: {words}", "reading")

    def from_log(self, rec: Recording) -> list[Any]:
        """The readings in a recording. Raises ValueError, in words, where there are none."""
        raise ValueError(f"{self.TITLE}: this measurement is typed, not recorded")

    def of_rig(self, rig: Rig) -> Method:
        """With what the rig tells of the shared dimensions."""
        return self

    def belongs(self, build: Build, rig: Rig) -> str:
        """What the button says that takes over what came out; "": it belongs nowhere here."""
        return ""

    def use(self, readings: Sequence[Any], build: Build, rig: Rig) -> Use:
        """What taking it over changes. Raises ValueError, in words, where it cannot be."""
        raise ValueError(f"{self.TITLE}: its result belongs to no field of a build or rig")

    def typed(self, columns: Sequence[Sequence[str]]) -> list[Any]:
        """The readings of a grid, a column a repeat. Raises ValueError as `Reading.of_texts`, and
        where there are none.
        """
        found = [self.READING.of_texts(texts, n) for n, texts in enumerate(columns, start=1)]
        if not found:
            raise ValueError("Type the first reading, with its unit, and ± where known.")
        return found

    def curve(self, readings: Sequence[Any]) -> tuple[np.ndarray, np.ndarray, np.ndarray] | None:
        """What comes out as a line over the two figures of PICTURE: (across, up, its standard
        uncertainty), SI, shape (n,). None where there is no such line; raises ValueError as
        `reduce` does."""
        return None

    def read(self, x: Inputs, reading: Reading, name: str, n: int) -> Uncertain:
        """A figure of reading `n` as an input; the accuracy of its instrument is one more, the same
        in all readings.
        """
        value = x.of(reading, name, n)
        accuracy = getattr(self, self.GAINS.get(name, ""), 0.0)
        return (
            value
            if value is None or not accuracy
            else value * x.gain(self.GAINS[name], accuracy / 2)
        )

    @abstractmethod
    def reduce(self, readings: Sequence[Any]) -> Judged:
        """Everything that comes out of the readings. Raises ValueError, in words, where they cannot
        be.
        """


@dataclass
class Inputs:
    """Inputs of one reduction, each made once: the same field of the same record is the same input
    everywhere.
    """

    method: Method
    made: dict[tuple[int, str], Uncertain] = field(default_factory=dict)

    def _tag(self, name: str, n: int) -> str:
        return f"reading-{self.method.ID}.{name}:{n}" if n else f"readings-{self.method.ID}.{name}"

    def gain(self, instrument: str, u: float) -> Uncertain:
        """An instrument's gain, 1 with standard uncertainty u, by the dimension that tells it."""
        return self.made.setdefault((0, instrument), ufloat(1.0, u, self._tag(instrument, 0)))

    def of(self, record: Record, name: str, n: int = 0) -> Uncertain:
        """A field of the method, or of reading n."""
        value = getattr(record, name)
        key = (id(record), name)
        if key not in self.made:
            self.made[key] = None if value is None else from_measured(value, self._tag(name, n))
        return self.made[key]

    def further(self, value: float, u: float, name: str, n: int = 0) -> Uncertain:
        """An input of the method's INPUTS; of reading n."""
        return ufloat(value, u, self._tag(name, n))


_REPEATS = declare("readings.repeats", "scatter between repeats", "repeats").id


def over_repeats(id: str, label: str, kind: str, values: Sequence[Uncertain]) -> Result:
    """Mean of repeats; scatter beyond what the readings' own uncertainties explain is one more
    input, s/√n, widened as Student's t for few repeats (JCGM 101:2008, 6.4.9.4)."""
    n = len(values)
    mean = mean_of(values)
    if n < 2:
        return Result(id, label, kind, mean)
    centre = nominal(mean)
    s = math.sqrt(sum((nominal(v) - centre) ** 2 for v in values) / (n - 1))
    wider = t_widening(n - 1)
    # variance that the readings' own uncertainties account for
    explained = sum(_own(v) ** 2 for v in values) / n
    u = wider * math.sqrt(max(0.0, s**2 - explained) / n)
    value = mean + ufloat(0.0, u, _REPEATS) if u > 0 else mean
    return Result(
        id, label, kind, value=value, scatter=s / abs(centre) if centre else None, repeats=n
    )


def _own(value: Uncertain) -> float:
    """Standard uncertainty from the inputs of one reading alone, where they can be told; else
    nothing.
    """
    parts = value.parts() if isinstance(value, Propagated) else {}
    return math.sqrt(sum(u**2 for v, u in parts.items() if whose(v.tag) == "reading"))


def local_gravity(latitude: float, height: float = 0.0) -> float:
    """Gravity [m/s²] at a geodetic latitude [rad] and a height above the ellipsoid [m].

    Somigliana's formula on the WGS 84 ellipsoid and its free-air term (NIMA TR8350.2, 2000, eqs.
    4-1 and 4-3; from memory). The rock below makes the true value differ by up to about 0.001 m/s².
    """
    s2 = math.sin(latitude) ** 2
    surface = 9.7803253359 * (1 + 0.00193185265241 * s2) / math.sqrt(1 - 0.00669437999013 * s2)
    a, f, m = 6_378_137.0, 1 / 298.257223563, 0.00344978650684
    return surface * (1 - 2 / a * (1 + f + m - 2 * f * s2) * height + 3 / a**2 * height**2)
