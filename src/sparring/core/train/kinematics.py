"""Speeds of all shafts of any train, from one linear equation per element.

Every kind of mesh is the same element: z_a (ω_a − ω_c) + z_b (ω_b − ω_c) = 0, with the carrier c
(fixed axes: no carrier, ω_c = 0) and signed tooth numbers. The constructors below say which numbers
each kind contributes.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

import numpy as np


class TrainError(ValueError):
    """The train does not have exactly one free speed; the message names the shafts that are loose
    or doubly tied.
    """


class Mesh(NamedTuple):
    """Two members that force one linear relation between their speeds relative to a carrier.

    za, zb: signed tooth numbers [-]; eta: basic efficiency with power a -> b, valid in the
    carrier's frame; eta_back: with power b -> a (the same unless given; a worm's differ, and may be
    <= 0). name: the stage that its loss is counted under; contact: which of the stage's gear pairs
    it is.
    """

    a: str
    b: str
    za: float
    zb: float
    carrier: str | None = None
    eta: float = 1.0
    eta_back: float | None = None
    name: str = ""
    contact: str = ""

    @property
    def shafts(self) -> tuple[str, ...]:
        return (self.a, self.b) if self.carrier is None else (self.a, self.b, self.carrier)

    def row(self) -> dict[str, float]:
        """Coefficient of each shaft's speed."""
        row = {self.a: self.za, self.b: self.zb}
        if self.carrier is not None:
            row[self.carrier] = -(self.za + self.zb)
        return row


class Ground(NamedTuple):
    """A shaft that is held: ω = 0."""

    shaft: str
    name: str = ""

    @property
    def shafts(self) -> tuple[str, ...]:
        return (self.shaft,)

    def row(self) -> dict[str, float]:
        return {self.shaft: 1.0}


Element = Mesh | Ground


def external(
    a: str,
    b: str,
    za: int,
    zb: int,
    carrier: str | None = None,
    eta: float = 1.0,
    name: str = "",
    contact: str = "",
) -> Mesh:
    """External gear pair: they turn opposite ways in the carrier's frame."""
    return Mesh(a, b, za, zb=zb, carrier=carrier, eta=eta, name=name, contact=contact)


def internal(
    a: str,
    ring: str,
    za: int,
    zring: int,
    carrier: str | None = None,
    eta: float = 1.0,
    name: str = "",
    contact: str = "",
) -> Mesh:
    """Gear a inside a ring; also a belt or chain: both turn the same way in the carrier's frame."""
    return Mesh(a, ring, za, zb=-zring, carrier=carrier, eta=eta, name=name, contact=contact)


belt = internal


def differential(a: str, b: str, carrier: str, eta: float = 1.0, name: str = "") -> Mesh:
    """Bevel differential: ω_a + ω_b = 2 ω_carrier."""
    return Mesh(a, b, 1.0, zb=1.0, carrier=carrier, eta=eta, name=name)


def worm(
    screw: str,
    wheel: str,
    starts: int,
    teeth: int,
    *,
    left_hand: bool = False,
    eta: float = 1.0,
    eta_back: float | None = None,
    name: str = "",
) -> Mesh:
    """Worm and wheel: ω_worm · starts = ω_wheel · z; the hand gives the sign."""
    return Mesh(
        screw,
        wheel,
        starts,
        zb=teeth if left_hand else -teeth,
        carrier=None,
        eta=eta,
        eta_back=eta_back,
        name=name,
    )


def strain_wave(
    flexspline: str,
    circular: str,
    generator: str,
    z_f: int,
    z_c: int,
    eta: float = 1.0,
    name: str = "",
) -> Mesh:
    """Strain wave: z_F (ω_F − ω_H) = z_C (ω_C − ω_H)."""
    return Mesh(flexspline, circular, z_f, zb=-z_c, carrier=generator, eta=eta, name=name)


def cycloid(
    disc: str, pins: str, eccentric: str, lobes: int, n_pins: int, eta: float = 1.0, name: str = ""
) -> Mesh:
    """Cycloid: z_L (ω_L − ω_H) = z_P (ω_P − ω_H)."""
    return Mesh(disc, pins, lobes, zb=-n_pins, carrier=eccentric, eta=eta, name=name)


def magnetic(
    inner: str,
    outer: str,
    segments: str,
    p_inner: int,
    p_outer: int,
    eta: float = 1.0,
    name: str = "",
) -> Mesh:
    """Flux-modulated magnetic gear: p_i ω_i + p_o ω_o = (p_i + p_o) ω_s, in pole pairs."""
    return Mesh(inner, outer, p_inner, zb=p_outer, carrier=segments, eta=eta, name=name)


def coupling(a: str, b: str, name: str = "") -> Mesh:
    """Two shafts joined: ω_a = ω_b."""
    return Mesh(a, b, 1.0, -1.0, name=name)


def shafts_of(elements: Sequence[Element], *also: str) -> list[str]:
    """All shafts that the elements name, in order of first appearance."""
    seen: dict[str, None] = {}
    for element in elements:
        seen |= dict.fromkeys(element.shafts)
    return list(seen | dict.fromkeys(also))


def solve_speeds(elements: Sequence[Element], given: Mapping[str, float]) -> dict[str, float]:
    """Speed of every shaft [rad/s] from the given ones.

    Raises TrainError naming the shafts that nothing ties (loose) or that are tied more than once
    (doubly tied).
    """
    names = shafts_of(elements, *given)
    column = {name: i for i, name in enumerate(names)}
    rows = [e.row() for e in elements] + [{shaft: 1.0} for shaft in given]
    A = np.zeros((len(rows), len(names)))
    for i, row in enumerate(rows):
        for shaft, coefficient in row.items():
            A[i, column[shaft]] += coefficient
        A[i] /= np.abs(A[i]).max() or 1.0
    b = np.concatenate([np.zeros(len(elements)), np.fromiter(given.values(), float, len(given))])
    if len(rows) == len(names):  # the usual case; a train with a fault goes on to be explained
        try:
            solved = np.linalg.solve(A, b)
        except np.linalg.LinAlgError:
            solved = np.full(len(names), np.inf)
        if np.abs(solved).max() < 1e9 * np.abs(b).max() + 1e-300:
            return {name: float(w) for name, w in zip(names, solved, strict=True)}
    u, s, vt = np.linalg.svd(A)
    rank = int((s > 1e-10 * max(s[0], 1.0)).sum())
    if rank < len(names):
        loose = np.abs(vt[rank:]).max(axis=0) > 1e-8
        raise TrainError(
            "nothing determines the speed of "
            + _list([n for n, is_loose in zip(names, loose, strict=True) if is_loose])
            + "; add a mesh, or fix one of them"
        )
    if rank < len(rows):
        involved = np.abs(u[:, rank:]).max(axis=1) > 1e-8
        tied = shafts_of(
            [e for e, hit in zip(elements, involved, strict=False) if hit],
            *[s for s, hit in zip(given, involved[len(elements) :], strict=True) if hit],
        )
        raise TrainError(
            f"{_list(tied)} are constrained twice; remove a mesh or release one of them"
        )
    omega = np.linalg.lstsq(A, b, rcond=None)[0]
    return {name: float(w) for name, w in zip(names, omega, strict=True)}


def ratio(elements: Sequence[Element], driver: str, output: str) -> float:
    """Input speed over output speed [-]; negative = the output turns the other way."""
    return ratio_of(solve_speeds(elements, {driver: 1.0}), driver, output)


def ratio_of(speeds: Mapping[str, float], driver: str, output: str) -> float:
    """The same from speeds that are known. Raises TrainError when the output stands still."""
    w = speeds[output] / speeds[driver]
    if abs(w) < 1e-12:
        raise TrainError(f"{output} does not turn when {driver} turns; check which member is fixed")
    return 1.0 / w


def ratio_in_words(i: float) -> str:
    """`36:1 reduction`, `1:21 step-up`, `1:1 direct`; the sense of turning is said when it
    reverses.
    """
    size = abs(i)
    figure = (
        f"{size:.6g}:1 reduction"
        if size > 1
        else f"1:{1 / size:.6g} step-up"
        if size < 1
        else "1:1 direct"
    )
    return figure + (", reversing" if i < 0 else "")


def _list(names: Sequence[str]) -> str:
    return " and ".join([", ".join(names[:-1]), names[-1]]) if len(names) > 1 else "".join(names)
