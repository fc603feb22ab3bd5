"""What every kind of stage gives: elements for the solver, contacts and capacities for strength,
bodies to draw and weigh.
"""

from __future__ import annotations

import math
from abc import abstractmethod
from collections.abc import Callable, Iterator, Mapping
from functools import lru_cache
from typing import Annotated, ClassVar, NamedTuple

import numpy as np
from pydantic import Field

from sparring.core.finding import Finding, noted
from sparring.core.quantity import Measured
from sparring.core.records import Q, Record
from sparring.core.train import kinematics
from sparring.core.train.joints import Joint
from sparring.core.train.materials import ROOM, Setting
from sparring.core.train.pair import Pair
from sparring.core.train.teeth import fewest_without_interference, overlap_ratio, undercut_limit
from sparring.core.train.torque import SelfLocking, solve_torques

Teeth = Annotated[int, Field(ge=4, le=2000)]
Planets = Annotated[int, Field(ge=1, le=12)]
MeshLoad = Annotated[float, Field(ge=1.0, le=2.0)]
Shift = Annotated[float, Field(ge=-1.0, le=1.5)]
Module = Annotated[float, Q("length", "mm", above=0.0, most=0.1)]
Width = Annotated[float, Q("length", "mm", above=0.0, most=1.0)]
Length = Annotated[float, Q("length", "mm", above=0.0, most=10.0)]
Angle = Annotated[float, Q("angle", "deg", least=0.17, most=0.61)]
Helix = Annotated[float, Q("angle", "deg", least=0.0, most=0.7854)]
Opening = Annotated[float, Q("length", "mm", least=0.0, most=0.05)]
Friction = Annotated[Measured, Q("ratio", "", least=0.0, most=1.0)]
Share = Annotated[Measured, Q("ratio", "%", least=0.0, most=0.9)]
Torque = Annotated[float, Q("torque", "N·m", above=0.0)]

Loops = tuple[np.ndarray, ...]


class Body(NamedTuple):
    """One body of a stage. Lengths [m], angles [rad], at rest: all shafts at angle 0.

    loops: closed outlines (n, 2) in its own frame, filled odd-even; or a function of (its shaft's
    angle, the wave's angle) where the outline changes as it turns, which is then drawn unrotated.
    shaft: what it turns with; at: its centre from the stage's input axis, going round with
    `carrier`. field: of the stage's record, opened by a click.
    """

    name: str
    loops: Loops | Callable[[float, float], Loops]
    shaft: str = ""
    at: tuple[float, float] = (0.0, 0.0)
    carrier: str = ""
    phase: float = 0.0
    reach: float = 0.0
    field: str = ""
    teeth: int = 0
    width: float = 0.0
    layer: float = 0.0
    material: str = ""
    look: str = "gear"  # gear, ring, arm, pin
    wave: str = ""
    tall: float = 0.0  # reach across the drawing where it is less than `reach`
    slant: float = 0.0  # of its teeth, signed by hand [rad]
    turned_part: tuple[float, float] | None = (
        None  # (radius, length) to weigh it by, where it is drawn from the side
    )

    def outline(self, turned: Callable[[str], float]) -> Loops:
        """Its outlines in its own frame when each shaft has turned by `turned(shaft)` [rad]."""
        if not callable(self.loops):
            return self.loops
        return self.loops(
            turned(self.shaft) if self.shaft else 0.0, turned(self.wave) if self.wave else 0.0
        )

    def angle(self, turned: Callable[[str], float]) -> float:
        """How far it is to be drawn turned [rad]; an outline that shows its turning itself is not
        turned again.
        """
        return (
            0.0
            if callable(self.loops)
            else self.phase + (turned(self.shaft) if self.shaft else 0.0)
        )

    def centre(self, turned: Callable[[str], float]) -> tuple[float, float]:
        """Where its axis is [m]."""
        if not self.carrier:
            return self.at
        a = turned(self.carrier)
        return (
            self.at[0] * math.cos(a) - self.at[1] * math.sin(a),
            self.at[0] * math.sin(a) + self.at[1] * math.cos(a),
        )

    def volume(self) -> float:
        """Of the whole body [m³]."""
        if self.turned_part is not None:
            radius, length = self.turned_part
            return math.pi * radius**2 * length
        return self.area() * self.width

    def polar_moment(self) -> float:
        """∫ r² dV about its own axis [m⁵]."""
        if self.turned_part is not None:
            radius, length = self.turned_part
            return math.pi * radius**4 / 2 * length
        return self.second_moment() * self.width

    def area(self) -> float:
        """Face area [m²], holes taken out."""
        return self._filled(_polygon_area)

    def second_moment(self) -> float:
        """Polar second moment of its face about its own axis [m⁴], holes taken out."""
        return self._filled(_polar_moment)

    def _filled(self, measure: Callable[[np.ndarray], float]) -> float:
        """Sum over the loops by the odd-even rule: a loop inside an odd
        number of others is a hole."""
        loops = self.outline(lambda _shaft: 0.0)
        total = 0.0
        for k, loop in enumerate(loops):
            depth = sum(_inside(other, loop[0]) for j, other in enumerate(loops) if j != k)
            total += measure(loop) * (1 if depth % 2 == 0 else -1)
        return total


def _inside(loop: np.ndarray, point: np.ndarray) -> bool:
    """Whether a point lies in a closed polygon (crossings of a ray)."""
    x, y = loop[:, 0], loop[:, 1]
    above = y > point[1]
    cross = np.flatnonzero(above[:-1] != above[1:])
    at = x[cross] + (point[1] - y[cross]) / (y[cross + 1] - y[cross]) * (x[cross + 1] - x[cross])
    return bool((at > point[0]).sum() % 2)


def _polygon_area(p: np.ndarray) -> float:
    x, y = p[:, 0], p[:, 1]
    return float(abs(np.dot(x[:-1], y[1:]) - np.dot(x[1:], y[:-1])) / 2)


def _polar_moment(p: np.ndarray) -> float:
    """∫ r² dA over a closed polygon (Green's theorem)."""
    x, y = p[:-1, 0], p[:-1, 1]
    u, v = p[1:, 0], p[1:, 1]
    return float(
        abs(np.sum((x * v - u * y) * (x * x + x * u + u * u + y * y + y * v + v * v)) / 12)
    )


class Contact(NamedTuple):
    """Two gears in mesh, for strength: the fullest of the planets carries the
    force over `paths`."""

    name: str
    a: str
    b: str
    pair: Pair
    width: float
    material_a: str
    material_b: str
    paths: float = 1.0
    field_a: str = ""  # of the stage's record; "": as the part's name
    field_b: str = ""
    arm_a: float = 1.0  # true radius over that in `pair` (bevel gears, whose pair is a virtual one)
    arm_b: float = 1.0


def paths_of(planets: int, mesh_load_factor: float) -> float:
    """Planets that carry, counted so that each carries like the fullest: n/K_γ, K_γ the fullest
    one's force over the mean (mesh load factor, ISO 6336-1:2019)."""
    return planets / mesh_load_factor if planets > 1 else 1.0


class Capacity(NamedTuple):
    """A torque that a part carries at most [N·m], on the shaft that passes it."""

    part: str
    mode: str
    shaft: str
    torque: float
    basis: str = ""


class Pass(NamedTuple):
    """Something of a stage that comes round besides its shafts and teeth: so often for one turn of
    the shaft that is counted by. kind: as in `core.orders.tones`.
    """

    order: float
    kind: str
    part: str
    reason: str


def planets_pass(
    turns: Mapping[str, float], planets: int, *, own: str, carrier: str, rims: Mapping[str, str]
) -> tuple[Pass, ...]:
    """What planets do: each turns in its carrier, and all of them pass sun and rings in turn. own:
    their shaft; rims: shaft of each sun or ring by its name.
    """
    going = turns[carrier]
    found = [Pass(abs(turns[own] - going), "planet", "one of the planets", "turns in its carrier")]
    for member, shaft in rims.items():
        order = planets * abs(going - turns[shaft])
        found.append(
            Pass(order, "passage", f"planets past the {member}", f"{planets} planets, one by one")
        )
    return tuple(found)


class StageBase(Record):
    """Base of all kinds. A kind adds its fields and fills in what follows."""

    TITLE: ClassVar[str] = ""
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = ()  # (label, field) in the order a tester asks

    drag: Annotated[float, Q("torque", "mN·m", least=0.0)] = 0.0
    material: str = "POM"
    input_joint: Joint | None = None
    output_joint: Joint | None = None

    # --- what a kind fills in ---------------------------------------------------------------------

    @property
    def loss_figure(self) -> Measured:
        """The figure, with its uncertainty, that this stage's loss hangs on (a friction
        coefficient, or a share).
        """
        return Measured(0.0)

    @abstractmethod
    def elements(
        self, a: str, b: str, name: str, friction: float | None = None
    ) -> list[kinematics.Element]:
        """What the stage contributes between shafts a and b; friction [-] in place of the nominal
        loss figure.
        """

    @abstractmethod
    def bodies(self, a: str, b: str, name: str) -> tuple[Body, ...]:
        """Its bodies, front ones last."""

    def contacts(self) -> tuple[Contact, ...]:
        """Its gear pairs. Contact names are those of its elements."""
        return ()

    def capacities(self, a: str, b: str, setting: Setting = ROOM) -> tuple[Capacity, ...]:
        """Limits that are no teeth: what slips, skips or pulls out."""
        return ()

    def backlash(self) -> float | None:
        """Play at its output with its input held [rad]; None: its fields do not tell it."""
        return None

    def ratio_measured(self) -> Measured | None:
        """Its ratio, without sign, where that was measured; None: it follows from teeth."""
        return None

    def output_at(self) -> tuple[float, float]:
        """Where the output axis lies from the input axis [m]; the direction is the drawing's
        choice.
        """
        return (0.0, 0.0)

    def passes(self, turns: Mapping[str, float], a: str, b: str, name: str) -> tuple[Pass, ...]:
        """What comes round besides shafts and teeth. turns: of each shaft for one turn of that
        which is counted by, signed.
        """
        return ()

    def faults(self) -> list[Finding]:
        """What does not assemble, mesh or hold."""
        return [f for c in self.contacts() for f in pair_faults(c)]

    @abstractmethod
    def in_words(self) -> str:
        """`12/48`, as the title block shows it."""

    # --- what follows -----------------------------------------------------------------------------

    @property
    def ratio(self) -> float:
        """Input over output speed [-], negative: reversing."""
        return kinematics.ratio(self.elements("in", "out", "stage"), "in", "out")

    def efficiency(self, friction: float | None = None) -> float:
        """Of this stage alone, without drag [-]; 0 where it passes nothing."""
        return _efficiency(self, friction)

    def own_shafts(self, name: str) -> list[str]:
        """Its shafts that are neither input nor output."""
        return [
            s
            for s in kinematics.shafts_of(self.elements("\0in", "\0out", name))
            if not s.startswith("\0")
        ]


@lru_cache(maxsize=1024)
def _efficiency(stage: StageBase, friction: float | None) -> float:
    try:
        return solve_torques(
            stage.elements("in", "out", "stage", friction), "in", "out", 1.0
        ).efficiency
    except SelfLocking:
        return 0.0


def pair_faults(c: Contact) -> list[Finding]:
    """Undercut, contact ratio, tips that foul, of one gear pair."""
    p = c.pair
    found = [*_undercut(c)]
    try:
        ratio = p.contact_ratio() + overlap_ratio(p.module, c.width, p.helix)
    except ValueError as err:
        found.append(
            noted(
                "does-not-mesh",
                "wrong",
                title=f"{c.name} does not mesh",
                seen=f"{str(err)[0].upper()}{str(err)[1:]}.",
                why="No torque is transmitted.",
                remedies=("Reduce the centre distance.", "Check profile shifts and module."),
                place=c.field_a or c.a,
            )
        )
        return found
    if ratio < 1.1:
        found.append(
            noted(
                "contact-ratio",
                "wrong" if ratio < 1 else "caution",
                title=f"Contact ratio of {c.name} is only {ratio:.2f}",
                seen=(
                    f"On average {ratio:.2f} tooth pairs are in contact; 1.1 or more is "
                    "recommended."
                ),
                why=(
                    "Below 1 a pair separates before the next engages: it knocks and jams."
                    if ratio < 1
                    else ("Little wear or bending interrupts contact: noise and uneven speed.")
                ),
                causes=("the centre distance is too large", "undercut shortens the flanks"),
                remedies=(
                    "Reduce the centre distance.",
                    "Use more teeth or a smaller pressure angle.",
                ),
                place=c.field_a or c.a,
            )
        )
    if p.ring_tips_foul():
        found.append(
            noted(
                "tips-foul",
                "wrong",
                title=f"The tips of {c.a} and ring interfere",
                seen=f"{p.z1} teeth in a ring of {p.z2}: only {p.z2 - p.z1} teeth between them.",
                why="The gear cannot turn in the ring.",
                remedies=(
                    "Leave more teeth between gear and ring (about 8 at 20°).",
                    "Shift both profiles outwards.",
                ),
                place=c.field_b or c.b,
            )
        )
    return found


def _undercut(c: Contact) -> Iterator[Finding]:
    p = c.pair
    for who, field, z, x, outer in (
        (c.a, c.field_a, p.z1, p.x1, True),
        (c.b, c.field_b, p.z2, p.x2, not p.ring),
    ):
        least = undercut_limit(x, p.alpha, p.helix)
        if not outer or z >= least - 1e-9:
            continue
        ratio = max(p.z1, p.z2) / min(p.z1, p.z2)
        free = fewest_without_interference(ratio, p.alpha, p.helix)
        yield noted(
            "undercut",
            "note",
            title=f"The {who} is undercut",
            seen=(
                f"The {who} has {z} teeth; a rack undercuts below {math.ceil(least - 1e-9)} "
                "at this shift and pressure angle."
            ),
            why=(
                "An undercut tooth breaks sooner and runs less smoothly"
                + (
                    f"; not cut by a rack, {math.ceil(free - 1e-9)} teeth would run free."
                    if not p.ring
                    else "."
                )
            ),
            remedies=(
                (
                    "Shift its profile by about "
                    f"+{max(0.0, 1 - z / undercut_limit(0.0, p.alpha, p.helix)):.2f}."
                ),
                "Use more teeth.",
                "Raise the pressure angle of both gears.",
            ),
            place=field or who,
        )
