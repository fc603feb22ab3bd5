"""Two meshing gears on parallel axes: distances, contact, loss factor, and backlash both ways. One
place for outer and ring gears.

ISO 21771:2007 with a ring's tooth number negative, written out here: with z2 = −|z2| the sums x1 +
x2 and z1 + z2 keep their formulas, so a positive shift of a ring moves its tips inwards. Formulas
from memory; lengths [m], angles [rad].
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache

from sparring.core.train.teeth import (
    ADDENDUM,
    ALPHA_20,
    DEDENDUM,
    across,
    base_helix,
    inv,
    inv_inverse,
    start_of_involute,
    undercut_limit,
)


@dataclass(frozen=True)
class Pair:
    """Gear 1 and gear 2; ring: gear 2 is a ring round gear 1. opening: centres moved the way that
    gives backlash [m].

    module, alpha: of the rack, square to the tooth; helix: angle at the reference circle, of
    opposite hands (ring: of one). What touches what is settled in the plane across the axes, with
    m/cos β and α_t in place of m and α.
    """

    module: float
    z1: int
    z2: int
    x1: float = 0.0
    x2: float = 0.0
    opening: float = 0.0
    alpha: float = ALPHA_20
    ring: bool = False
    helix: float = 0.0

    @property
    def across_module(self) -> float:
        """Module across the axis m_t = m/cos β: reference circles are m_t z/2 in radius."""
        return self.module / math.cos(self.helix)

    @property
    def across_alpha(self) -> float:
        """Pressure angle across the axis α_t."""
        return across(self.alpha, self.helix)

    @property
    def _side(self) -> int:
        return -1 if self.ring else 1

    @property
    def teeth_between(self) -> int:
        """z1 + z2, for a ring |z2| − z1: the tooth number that the centre distance stands for."""
        return abs(self.z1 + self._side * self.z2)

    def working_angle(self) -> float:
        """α_w without backlash: inv α_w = inv α_t + 2 tan α (x1 + x2)/(z1 + z2). Raises ValueError
        when there is none.
        """
        if self.teeth_between == 0:
            raise ValueError("a ring needs more teeth than the gear inside it")
        return inv_inverse(
            inv(self.across_alpha)
            + 2 * math.tan(self.alpha) * (self.x1 + self.x2) / (self.z1 + self._side * self.z2)
        )

    def tight_distance(self) -> float:
        """Centre distance without backlash."""
        return (
            self.across_module
            * self.teeth_between
            / 2
            * math.cos(self.across_alpha)
            / math.cos(self.working_angle())
        )

    def centre_distance(self) -> float:
        """Centre distance as built."""
        return self.tight_distance() + self._side * self.opening

    def running_angle(self) -> float:
        """Pressure angle at the centre distance as built. Raises ValueError when the base circles
        do not allow it.
        """
        a = self.centre_distance()
        cos = (
            self.across_module * self.teeth_between / 2 * math.cos(self.across_alpha) / a
            if a > 0
            else 2.0
        )
        if cos >= 1:
            raise ValueError(
                f"with the centre distance changed by {self.opening * 1e3:.2f} mm the "
                "flanks cannot touch: the base circles interfere"
            )
        return math.acos(cos)

    def radii(self, gear: int) -> tuple[float, float, float]:
        """(tip, root, base) radius of gear 1 or 2. A ring's tip circle is inside its root circle,
        and its tips are shortened where they would dig into the fillet of the gear inside it, or
        reach below their own base circle.
        """
        z, x, side = (self.z1, self.x1, 1) if gear == 1 else (self.z2, self.x2, self._side)
        r = self.across_module * z / 2
        tip, base = r + self.module * (ADDENDUM + x), r * math.cos(self.across_alpha)
        if side < 0:
            along = self.centre_distance() * math.sin(
                self.running_angle()
            ) + self.module * start_of_involute(self.z1, self.x1, self.alpha, self.helix)
            tip = max(r - self.module * (ADDENDUM + x), math.hypot(base, along))
        return tip, r - side * self.module * (DEDENDUM - side * x), base

    def contact_ratios(self) -> tuple[float, float]:
        """Tip contact ratios (ε1, ε2); their sum is ε_α. Raises ValueError when the teeth do not
        reach each other.
        """
        return _contact_ratios(self)

    def _work_out_contact(self) -> tuple[float, float]:
        tan_w = math.tan(self.running_angle())
        pitch = math.pi * self.across_module * math.cos(self.across_alpha)

        def part(gear: int, side: int) -> float:
            tip, _, base = self.radii(gear)
            length = side * (math.sqrt(max(tip**2 - base**2, 0.0)) - base * tan_w)
            # no flank below where the other's involute begins
            ends = self.radii(3 - gear)[2] * tan_w - self._begins(3 - gear)
            return min(length, ends if self._side > 0 else math.inf) / pitch

        e1, e2 = part(1, 1), part(2, self._side)
        if e1 + e2 <= 0:
            raise ValueError(
                f"with a centre offset of {self.opening * 1e3:.2f} mm the teeth "
                "do not reach each other"
            )
        return e1, e2

    def _begins(self, gear: int) -> float:
        """Length of roll [m] at which the involute of gear 1 or 2 begins, where that is above its
        base circle because it was cut away; a fillet alone is not reached by what meshes with it.
        """
        z, x = (self.z1, self.x1) if gear == 1 else (self.z2, self.x2)
        if z >= undercut_limit(x, self.alpha, self.helix):
            return 0.0
        return self.module * start_of_involute(z, x, self.alpha, self.helix)

    def contact_ratio(self) -> float:
        """Transverse contact ratio ε_α [-]."""
        return sum(self.contact_ratios())

    def loss_factor(self) -> float:
        """H_V = π (u + 1)/(z1 u cos β_b) (1 − ε_α + ε1² + ε2²), u = z2/z1 >= 1; for a ring u is
        negative, so (u + 1)/u = (|u| − 1)/|u| (Niemann; ISO/TR 14179-2; VDI 2736-2:2014). Beyond a
        contact ratio of 2 the same mean is taken over three pairs of teeth and two, or more.
        """
        e1, e2 = self.contact_ratios()
        small, large = sorted((self.z1, self.z2))
        u = large / small
        slow = small * u * math.cos(base_helix(self.alpha, self.helix))
        return math.pi * (u + self._side) / slow * mean_sliding(e1, e2)

    def backlash(self) -> float:
        """Play of gear 2 with gear 1 held [rad]: 2 |z1 + z2|/z2 · |inv α' − inv α_w|, exact (≈ 2 Δa
        tan α_w at the pitch circle).
        """
        return (
            2
            * self.teeth_between
            / self.z2
            * abs(inv(self.running_angle()) - inv(self.working_angle()))
        )

    def opening_for(self, backlash: float) -> float:
        """The opening that gives gear 2 the play `backlash` [rad] (the inverse of `backlash`).

        Raises ValueError when a ring pair has no such play before its base circles meet.
        """
        tight = self.working_angle()
        wanted = inv(tight) + self._side * backlash * self.z2 / (2 * self.teeth_between)
        if wanted < 0:
            most = math.degrees(inv(tight) * 2 * self.teeth_between / self.z2)
            raise ValueError(f"this pair can have at most {most:.2f}° of backlash; enter less")
        return self.tight_distance() * abs(math.cos(tight) / math.cos(inv_inverse(wanted)) - 1)

    def ring_tips_foul(self) -> bool:
        """Whether the tips of a ring and the gear inside it strike each other away from the line of
        action.

        They clear when z1 (inv α_a1 + δ1) − z2 (inv α_a2 + δ2) + (z2 − z1) inv α_w >= 0, δ the
        angles at which the tip circles cross (Colbourne, The Geometry of Involute Gears, 1987; from
        memory, checked by overlap in the tests).
        """
        if not self.ring:
            return False
        (ra1, _, rb1), (ra2, _, rb2) = self.radii(1), self.radii(2)
        a = self.centre_distance()
        if a + ra1 <= ra2:
            return True  # the gear does not even reach the ring
        if abs(ra2**2 - ra1**2 - a**2) > 2 * a * ra1:
            return False  # the tip circles do not cross
        d1 = math.acos((ra2**2 - ra1**2 - a**2) / (2 * a * ra1))
        d2 = math.acos((ra2**2 - ra1**2 + a**2) / (2 * a * ra2))
        inv_a1, inv_a2 = inv(math.acos(rb1 / ra1)), inv(math.acos(min(1.0, rb2 / ra2)))
        return (
            self.z1 * (inv_a1 + d1)
            - self.z2 * (inv_a2 + d2)
            + (self.z2 - self.z1) * inv(self.running_angle())
            < 0
        )


def mean_sliding(e1: float, e2: float) -> float:
    """Twice the mean distance of the contacts from the pitch point [base pitches] while one tooth
    follows another, the pairs in contact bearing alike; e1, e2: tip contact ratios. With one pair
    and two by turns that is 1 − ε + ε1² + ε2².
    """
    whole, rest = divmod(e1 + e2, 1.0)
    if whole < 2:
        return 1 - (e1 + e2) + e1**2 + e2**2

    def area(x: float) -> float:
        return x * abs(x)  # twice the integral of |x|

    return sum(
        (area(b + k - e1) - area(a + k - e1)) / pairs
        for a, b, pairs in ((0.0, rest, int(whole) + 1), (rest, 1.0, int(whole)))
        for k in range(pairs)
    )


@lru_cache(maxsize=4096)  # a page asks for the same pairs again and again
def _contact_ratios(pair: Pair) -> tuple[float, float]:
    return pair._work_out_contact()
