"""The strain wave stage, of a toothed belt: a generator with two or three nodes presses a flexible
ring of teeth into a stiff one.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from functools import lru_cache
from typing import ClassVar, Literal

import numpy as np

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

_CLEAR = 0.02  # what the ring is cut wider than the path of the belt's teeth, in modules


class StrainWaveStage(StageBase):
    """Generator in. Flexible teeth held: the stiff ring is the output; stiff ring held: the
    flexible teeth are, reversed.
    """

    TITLE: ClassVar[str] = "Strain wave"
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = (
        ("Held", "held"),
        ("Nodes", "nodes"),
        ("Flexible teeth", "flexible"),
        ("Ring teeth", "ring"),
        ("Tooth pitch", "pitch"),
        ("Width", "face_width"),
        ("Mesh loss", "loss"),
        ("Ratcheting torque at output", "skips_at"),
        ("Output drag torque", "drag"),
        ("Ring material", "material"),
    )

    kind: Literal["strain wave"] = "strain wave"
    held: Literal["ring", "flexible"] = "ring"
    nodes: Literal[2, 3] = 2
    flexible: Teeth = 90
    ring: Teeth = 92
    pitch: Length = 2e-3
    face_width: Width = 9e-3
    loss: Share = Measured(0.006, 0.002)
    skips_at: Torque | None = None

    @property
    def loss_figure(self) -> Measured:
        return self.loss

    @property
    def module(self) -> float:
        return self.pitch / math.pi

    def elements(
        self, a: str, b: str, name: str, friction: float | None = None
    ) -> list[kinematics.Element]:
        eta = max(1e-6, 1 - (self.loss.value if friction is None else friction))
        fixed = f"{name} {self.held}"
        flexible, ring = (fixed, b) if self.held == "flexible" else (b, fixed)
        return [
            kinematics.strain_wave(flexible, ring, a, self.flexible, self.ring, eta, name),
            kinematics.Ground(fixed, name),
        ]

    def passes(self, turns: Mapping[str, float], a: str, b: str, name: str) -> tuple[Pass, ...]:
        rim = 0.0 if self.held == "ring" else turns[b]
        order = self.nodes * abs(turns[a] - rim)
        return (Pass(order, "passage", "lobes of the wave generator", f"{self.nodes} lobes"),)

    def capacities(self, a: str, b: str, setting: Setting = ROOM) -> tuple[Capacity, ...]:
        return (
            ()
            if self.skips_at is None
            else (Capacity("flexible teeth", "skip", b, torque=self.skips_at, basis="as entered"),)
        )

    def bodies(self, a: str, b: str, name: str) -> tuple[Body, ...]:
        flexible, ring = ("", b) if self.held == "flexible" else (b, "")
        z, m = self.flexible, self.module
        inner_radius = m * self.ring / 2 + _CLEAR * m
        stiff = ring_outline(z, self.ring, self.nodes) * m
        outer = inner_radius + 2.4 * m + 1e-3
        r0 = m * z / 2

        def wave(own: float, generator: float) -> Loops:
            return tuple(
                p * m for p in flexed(z, self.ring, self.nodes, own=own, generator=generator)
            )

        roller = 0.16 * r0
        at = r0 + (_rise(z, self.ring, self.nodes) - 1.0) * m - roller
        spots = [2 * math.pi * k / self.nodes for k in range(self.nodes)]
        rollers = tuple(
            outlines.circle(roller, at * math.cos(t), at * math.sin(t), 40) for t in spots
        )
        half = 0.07 * r0
        corners = [
            (x, y, t)
            for t in spots
            for x, y in (
                (0.0 if self.nodes == 2 else half / math.tan(math.pi / self.nodes), -half),
                (at, -half),
                (at, half),
            )
        ]
        star = np.array(
            [
                (x * math.cos(t) - y * math.sin(t), x * math.sin(t) + y * math.cos(t))
                for x, y, t in corners
            ]
        )
        star = np.vstack([star, star[:1]])
        return (
            Body(
                "ring",
                (outlines.circle(outer, points=180), stiff),
                ring,
                reach=outer,
                field="ring",
                teeth=self.ring,
                width=self.face_width,
                material=self.material,
                look="ring",
            ),
            Body(
                "flexible teeth",
                wave,
                flexible,
                reach=r0,
                field="flexible",
                teeth=z,
                width=self.face_width,
                material="belt",
                wave=a,
            ),
            Body(
                "generator",
                (star,),
                a,
                reach=r0 * 0.9,
                field="nodes",
                width=self.face_width,
                material="steel",
                look="arm",
            ),
            Body(
                "rollers",
                rollers,
                a,
                reach=r0 * 0.9,
                field="nodes",
                width=self.face_width,
                material="steel",
                look="pin",
            ),
        )

    def faults(self) -> list[Finding]:
        found = []
        more = self.ring - self.flexible
        if more <= 0 or more % self.nodes:
            found.append(
                noted(
                    "nodes-do-not-fit",
                    "wrong",
                    title="The teeth do not fit the nodes",
                    seen=(
                        f"The ring has {more} more teeth than the flexible part; with "
                        f"{self.nodes} nodes it must be {self.nodes} or a multiple."
                    ),
                    why="The teeth cannot mesh at all nodes at once.",
                    causes=("a tooth was miscounted",),
                    remedies=(f"Use a ring of {self.flexible + self.nodes} teeth.",),
                    place="ring",
                )
            )
        if self.flexible < 15 * self.nodes:
            found.append(
                noted(
                    "few-flexible-teeth",
                    "caution",
                    title="Too few flexible teeth: tight bends",
                    seen=(
                        f"{self.flexible} teeth on {self.nodes} nodes bend the flexible "
                        "part sharply at each."
                    ),
                    why="The teeth tilt, few mesh fully, and it ratchets early.",
                    remedies=(f"Use {30 * self.nodes} teeth or more.",),
                    place="flexible",
                )
            )
        return found

    def in_words(self) -> str:
        return f"strain wave {self.flexible}/{self.ring}"


def _rise(z: int, ring: int, nodes: int) -> float:
    """Height of the wave, in modules: half of the difference of the pitch circles over a turn,
    where nodes fit.
    """
    return max(0.4, (ring - z) / 2) if ring > z else 0.5 * nodes


def flexed(
    z: int, ring: int, nodes: int, own: float, generator: float
) -> tuple[np.ndarray, np.ndarray]:
    """(outer, inner) outline of the flexed ring of teeth, in modules; own: how far its material has
    turned [rad].

    Its pitch line is r = z/2 + w cos n(φ − H) and keeps its length: material moves along it by
    −(w/n) sin n(φ − H), and each tooth stands square to it.
    """
    w = _rise(z, ring, nodes)
    r0 = z / 2
    pitch = 2 * math.pi / z
    # a tooth in its own frame: along the pitch line (share of the pitch), outwards (modules)
    along = np.array([-0.5, -0.30, -0.26, -0.13, 0.13, 0.26, 0.30, 0.5])
    out = np.array([-0.35, -0.35, -0.15, 0.45, 0.45, -0.15, -0.35, -0.35])
    t = own + pitch * (np.arange(z)[:, None] + 0 * along)
    phi = t - (w / (nodes * r0)) * np.sin(nodes * (t - generator))
    r = r0 + w * np.cos(nodes * (phi - generator))
    slope = -w * nodes * np.sin(nodes * (phi - generator)) / r
    lean = np.arctan(slope)
    u, v = along * math.pi + 0 * t, out + 0 * t  # modules
    x = r * np.cos(phi) - np.sin(phi - lean) * u + np.cos(phi - lean) * v
    y = r * np.sin(phi) + np.cos(phi - lean) * u + np.sin(phi - lean) * v
    outer = np.column_stack([x.ravel(), y.ravel()])
    s = np.linspace(0, 2 * math.pi, 241)
    rr = r0 + w * np.cos(nodes * (s - generator)) - 1.0
    inner = np.column_stack([rr * np.cos(s), rr * np.sin(s)])
    return np.vstack([outer, outer[:1]]), inner


@lru_cache(maxsize=16)
def ring_outline(z: int, ring: int, nodes: int) -> np.ndarray:
    """The stiff ring's inside, in modules: cut just wider than everything the flexible teeth sweep
    as the generator turns.

    At rest (generator at 0) a flexible tooth on +x lies in a space on +x.
    """
    per = 240  # radii over one pitch
    far = np.zeros(per)
    ratio = 1 - z / ring  # the ring's turning for the generator's, flexible part held
    for generator in np.linspace(
        0, 2 * math.pi * (1 if (ring - z) % nodes else 1.0 / nodes), 160, endpoint=False
    ):
        outer, _ = flexed(z, ring, nodes, own=0.0, generator=float(generator))
        dense = _densified(outer, 6)
        angle = np.arctan2(dense[:, 1], dense[:, 0]) - ratio * generator
        at = np.floor((angle * ring / (2 * math.pi)) % 1.0 * per).astype(int) % per
        np.maximum.at(far, at, np.hypot(dense[:, 0], dense[:, 1]))
    low = ring / 2 - 0.75
    far = np.maximum.reduce([np.roll(far, k) for k in (-1, 0, 1)])
    far = np.maximum(np.where(far == 0, low, far), low) + _CLEAR
    angles = (np.arange(ring)[:, None] + (np.arange(per) + 0.5) / per) * 2 * math.pi / ring
    rr = np.tile(far, ring)
    keep = np.arange(per * ring) % 6 == 0
    a, q = angles.ravel()[keep], np.maximum.reduce([np.roll(rr, k) for k in range(-6, 7)])[keep]
    xy = np.column_stack([q * np.cos(a), q * np.sin(a)])
    return np.vstack([xy, xy[:1]])


def _densified(xy: np.ndarray, n: int) -> np.ndarray:
    """The polyline with n points a segment."""
    s = np.arange(n) / n
    dense: np.ndarray = (
        xy[:-1, None, :] + (xy[1:] - xy[:-1])[:, None, :] * s[None, :, None]
    ).reshape(-1, 2)
    return dense
