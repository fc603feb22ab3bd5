"""The belt or chain stage: two toothed pulleys and what runs round them."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from sparring.core.finding import Finding, noted
from sparring.core.quantity import Measured
from sparring.core.train import kinematics, outlines
from sparring.core.train.materials import ROOM, Setting
from sparring.core.train.stage import (
    Body,
    Capacity,
    Length,
    Loops,
    Pass,
    Share,
    StageBase,
    Teeth,
    Torque,
    Width,
)


class BeltStage(StageBase):
    """Toothed belt or chain. Its length in teeth sets the distance of the axes."""

    TITLE: ClassVar[str] = "Belt or chain"
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Runs on", "means"),
        ("Driving teeth", "driving"),
        ("Driven teeth", "driven"),
        ("Pitch", "pitch"),
        ("Belt teeth or chain links", "links"),
        ("Width", "face_width"),
        ("Stage loss", "loss"),
        ("Tooth-jump torque, driven pulley", "skips_at"),
        ("Output drag torque", "drag"),
        ("Pulley material", "material"),
    )

    kind: Literal["belt"] = "belt"
    means: Literal["belt", "chain"] = "belt"
    driving: Teeth = 16
    driven: Teeth = 32
    pitch: Length = 2e-3
    links: Annotated[int, Field(ge=8, le=5000)] = 80
    face_width: Width = 6e-3
    loss: Share = Measured(0.03, 0.01)
    skips_at: Torque | None = None
    material: Annotated[str, Field(max_length=40)] = "aluminium"

    @property
    def loss_figure(self) -> Measured:
        return self.loss

    def elements(
        self, a: str, b: str, name: str, friction: float | None = None
    ) -> list[kinematics.Element]:
        lost = self.loss.value if friction is None else friction
        return [
            kinematics.belt(a, b, self.driving, self.driven, eta=max(1e-6, 1 - lost), name=name)
        ]

    def passes(self, turns: Mapping[str, float], a: str, b: str, name: str) -> tuple[Pass, ...]:
        order = self.driving * abs(turns[a]) / self.links
        return (Pass(order, "belt", f"the {self.means}", f"{self.links} teeth go round once"),)

    def centre_distance(self) -> float:
        """Distance of the axes [m] at which the belt lies taut: its length is 2 C sin θ + π(r₁+r₂)
        + 2(r₂−r₁)(π/2−θ), cos θ = (r₂−r₁)/C, solved for C. 0 where the belt is too short to go
        round both."""
        r1, r2 = sorted(self.pitch * z / (2 * math.pi) for z in (self.driving, self.driven))
        length = self.links * self.pitch
        low, high = r2 - r1 + 1e-12, length

        def need(c: float) -> float:
            lean = math.acos((r2 - r1) / c)
            return 2 * c * math.sin(lean) + 2 * r2 * (math.pi - lean) + 2 * r1 * lean

        if need(low) > length:
            return 0.0
        for _ in range(80):
            mid = (low + high) / 2
            low, high = (mid, high) if need(mid) < length else (low, mid)
        return low

    def output_at(self) -> tuple[float, float]:
        return (
            max(
                self.centre_distance(),
                1.1 * self.pitch * (self.driving + self.driven) / (2 * math.pi),
            ),
            0.0,
        )

    def capacities(self, a: str, b: str, setting: Setting = ROOM) -> tuple[Capacity, ...]:
        return (
            ()
            if self.skips_at is None
            else (Capacity("belt", "skips a tooth", b, torque=self.skips_at, basis="as entered"),)
        )

    def bodies(self, a: str, b: str, name: str) -> tuple[Body, ...]:
        x, _ = self.output_at()
        r1, r2 = (self.pitch * z / (2 * math.pi) for z in (self.driving, self.driven))
        lean = math.acos(max(-1.0, min(1.0, (r1 - r2) / x)))
        n = 240

        def path(off: float) -> np.ndarray:
            """The belt's line, `off` outside the pitch line."""
            t2 = np.linspace(-lean, lean, 60)
            t1 = np.linspace(lean, 2 * math.pi - lean, 60)
            xy = np.vstack(
                [
                    np.column_stack([x + (r2 + off) * np.cos(t2), (r2 + off) * np.sin(t2)]),
                    np.column_stack([(r1 + off) * np.cos(t1), (r1 + off) * np.sin(t1)]),
                ]
            )
            return np.vstack([xy, xy[:1]])

        thick = 0.35 * self.pitch
        line = path(0.0)
        steps = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(line, axis=0).T))])

        def belt(angle: float, _wave: float) -> Loops:
            """Band with its teeth, moved on by the driving pulley's turning."""
            at = (
                (np.arange(n) / n * steps[-1])
                if False
                else (np.arange(self.links) / self.links * steps[-1] - 0.0)
            )
            moved = (at + first + angle * r1) % steps[-1]
            px, py = np.interp(moved, steps, line[:, 0]), np.interp(moved, steps, line[:, 1])
            marks = tuple(
                outlines.circle(0.16 * self.pitch, u, v, 8) for u, v in zip(px, py, strict=True)
            )
            return (path(thick), path(-thick), *marks)

        # a belt tooth lies in the driving pulley's gap on +x's far side (direction π)
        on_pulley = steps[60 + 30] if len(steps) > 90 else 0.0
        first = float(on_pulley) % self.pitch
        phase1 = math.pi + math.pi / self.driving
        return (
            Body(
                "driven pulley",
                (_pulley(self.driven, r2, self.pitch), outlines.circle(r2 * 0.2)),
                b,
                at=(x, 0.0),
                carrier="",
                phase=math.pi / self.driven,
                reach=r2,
                field="driven",
                teeth=self.driven,
                width=self.face_width,
                layer=0.0,
                material=self.material,
            ),
            Body(
                "driving pulley",
                (_pulley(self.driving, r1, self.pitch), outlines.circle(r1 * 0.2)),
                a,
                at=(0.0, 0.0),
                carrier="",
                phase=phase1,
                reach=r1,
                field="driving",
                teeth=self.driving,
                width=self.face_width,
                layer=0.0,
                material=self.material,
            ),
            Body(
                self.means,
                belt,
                a,
                reach=0.0,
                field="links",
                teeth=self.links,
                width=self.face_width,
                look="band",
            ),
        )

    def faults(self) -> list[Finding]:
        r1, r2 = (self.pitch * z / (2 * math.pi) for z in (self.driving, self.driven))
        if self.centre_distance() < r1 + r2:
            least = math.ceil(2 * (r1 + r2) / self.pitch + (self.driving + self.driven) / 2)
            return [
                noted(
                    "belt-too-short",
                    "wrong",
                    title=f"The {self.means} is too short",
                    seen=f"{self.links} teeth give {{length}}; the pulleys would touch.",
                    why="The stage cannot be assembled.",
                    remedies=(
                        f"Use a longer {self.means}, with {least} teeth or more.",
                        "Use smaller pulleys.",
                    ),
                    place="links",
                    length=(self.links * self.pitch, "length"),
                )
            ]
        wrap = math.pi - 2 * math.asin(min(1.0, abs(r2 - r1) / self.centre_distance()))
        engaged = wrap / (2 * math.pi) * min(self.driving, self.driven)
        if engaged < 6:
            return [
                noted(
                    "few-teeth-engaged",
                    "caution",
                    title=f"Only {engaged:.1f} teeth engage the smaller pulley",
                    seen=f"The {self.means} wraps {{wrap}} of it.",
                    why=(
                        "With fewer than about six teeth engaged a belt skips early (common"
                        " practice)."
                    ),
                    remedies=(
                        "Increase the centre distance.",
                        "Use a larger small pulley.",
                        "Add an idler on the slack side.",
                    ),
                    place="driving" if self.driving < self.driven else "driven",
                    wrap=(wrap, "angle"),
                )
            ]
        return []

    def in_words(self) -> str:
        return f"{self.means} {self.driving}/{self.driven}"


def _pulley(z: int, r: float, pitch: float) -> np.ndarray:
    """A pulley's outline: flat tips inside the pitch line, a rounded gap for each belt tooth, a
    tooth on +x.
    """
    tip, root = r - 0.18 * pitch, r - 0.55 * pitch
    t = np.array([-0.5, -0.34, -0.24, 0.24, 0.34, 0.5]) * 2 * math.pi / z
    rr = np.array([root, root, tip, tip, root, root])
    turns = 2 * math.pi / z * np.arange(z)[:, None]
    a, q = (turns + t).ravel(), np.tile(rr, z)
    xy = np.column_stack([q * np.cos(a), q * np.sin(a)])
    return np.vstack([xy, xy[:1]])
