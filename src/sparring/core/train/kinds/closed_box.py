"""The closed box: a bought gearbox whose inside nobody has seen."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from sparring.core.finding import Fact, Finding, noted
from sparring.core.quantity import Measured
from sparring.core.records import Q
from sparring.core.train import kinematics, outlines
from sparring.core.train.materials import ROOM, Setting
from sparring.core.train.stage import Body, Capacity, Length, StageBase, Torque, Width

_LOSS = Measured(0.30, 0.10)
"""Loss of a small gearbox of which nothing is said (common practice: 10 to 50 %)."""


class ClosedBoxStage(StageBase):
    """Ratio by counting turns or by two speeds, efficiency and limits by the data sheet, or not
    known. What depends on teeth, shafts and joints inside is then not known either.

    ratio_found: input over output speed; turns: which way the output goes; efficiency: of the whole
    box; play: backlash at its output with the input held; rated: torque at the output that the data
    sheet allows; breaks_at: at which it fails.
    """

    TITLE: ClassVar[str] = "Closed box"
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Ratio, measured", "ratio_found"),
        ("Output turns", "turns"),
        ("Efficiency", "efficiency_stated"),
        ("Rated torque", "rated"),
        ("Breaking torque", "breaks_at"),
        ("Backlash at output", "play"),
        ("Diameter", "diameter"),
        ("Length", "face_width"),
        ("Output drag torque", "drag"),
    )

    kind: Literal["closed box"] = "closed box"
    ratio_found: Annotated[Measured, Q("ratio", "", above=0.0, most=1e6)] = Measured(30.0, 0.05)
    turns: Literal["the same way", "the other way"] = "the same way"
    efficiency_stated: Annotated[Measured, Q("ratio", "%", above=0.0, most=1.0)] | None = None
    rated: Torque | None = None
    breaks_at: Torque | None = None
    play: Annotated[float, Q("angle", "deg", least=0.0)] | None = None
    diameter: Length = 37e-3
    face_width: Width = 25e-3
    material: str = "steel"

    @property
    def loss_figure(self) -> Measured:
        """Part of the power that it loses; of what is not known what is usual, and as doubtful."""
        stated = self.efficiency_stated
        return _LOSS if stated is None else Measured(1 - stated.value, stated.u)

    def ratio_measured(self) -> Measured | None:
        return self.ratio_found

    def elements(
        self, a: str, b: str, name: str, friction: float | None = None
    ) -> list[kinematics.Element]:
        lost = self.loss_figure.value if friction is None else friction
        way = -1.0 if self.turns == "the same way" else 1.0
        return [
            kinematics.Mesh(
                a, b, 1.0, zb=way * self.ratio_found.value, eta=max(1e-6, 1 - lost), name=name
            )
        ]

    def capacities(self, a: str, b: str, setting: Setting = ROOM) -> tuple[Capacity, ...]:
        found = []
        if self.rated is not None:
            basis = "data sheet: rated, it may carry more"
            found.append(Capacity("box", "exceeds its rated torque", b, self.rated, basis))
        if self.breaks_at is not None:
            found.append(Capacity("box", "breaks", b, self.breaks_at, "data sheet"))
        return tuple(found)

    def backlash(self) -> float | None:
        return self.play

    def bodies(self, a: str, b: str, name: str) -> tuple[Body, ...]:
        r, width = self.diameter / 2, self.face_width  # of no material: it is not weighed
        return (
            Body(
                "box",
                (outlines.circle(r), outlines.circle(0.92 * r)),
                "",
                reach=r,
                field="ratio_found",
                look="ring",
                width=width,
            ),
            Body(
                "output shaft",
                (outlines.circle(0.16 * r), outlines.circle(0.07 * r, 0.0, 0.07 * r, 12)),
                b,
                reach=0.16 * r,
                field="turns",
                width=width,
            ),
        )

    def faults(self) -> list[Finding]:
        unknown = [
            word
            for word, value in (
                ("efficiency", self.efficiency_stated),
                ("rated or breaking torque", self.rated or self.breaks_at),
                ("backlash", self.play),
            )
            if value is None
        ]
        found = []
        if unknown:
            some = " and ".join([", ".join(unknown[:-1]), unknown[-1]] if unknown[1:] else unknown)
            found.append(
                noted(
                    "box-not-known",
                    "note",
                    title="The inside of the box is not known",
                    seen=f"Not stated: {some}.",
                    why="What follows from it is not known either; runs tell the efficiency.",
                    remedies=("Enter what the data sheet says.", "Count turns for the ratio."),
                    place="ratio_found",
                )
            )
        doubt = self.ratio_found.u / self.ratio_found.value
        if doubt > 0.01:
            found.append(
                noted(
                    "box-ratio-coarse",
                    "caution",
                    title="The ratio is known only roughly",
                    seen="It is {ratio}, as measured.",
                    why="Motor speed and gearbox efficiency are as doubtful as the ratio.",
                    remedies=("Count the input's turns over ten of the output or more.",),
                    place="ratio_found",
                    ratio=Fact(self.ratio_found.value, "ratio", self.ratio_found.u),
                )
            )
        return found

    def in_words(self) -> str:
        return f"closed box {self.ratio_found.value:.4g}:1"
