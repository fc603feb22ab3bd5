"""A drive that wears, simulated: how thin its flanks are after so many turns, what a tester then
reads, with error, and when it fails. For the demo and for trying things out; that its figures are
found again proves propagation only.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np

from sparring.core.build import Build
from sparring.core.quantity import Measured
from sparring.core.wear.inspection import Inspection, Size, Weighing
from sparring.core.wear.parts import Flank, Gear, flanks_of, gears_of
from sparring.core.wear.thinning import size_at

_LOSS = 0.45  # by which the losses have grown when the worst flank has lost a tenth of a module
_RIPPLE = 0.004, 0.05  # of the speed: when new, and more for each tenth of a module
_FAILS = 0.35  # modules of thinning at which half of all have failed
_FAILS_SHAPE = 4.0


@dataclass(frozen=True)
class WearingDrive:
    """k: steady k_w of each flank by its id, or "" for all others [m²/N]; extra, until: more of it,
    as a part, up to so many turns of the output; load: at the output [N·m]; made: how much thinner
    each gear's teeth are than drawn [m], by its name; accuracy: ± of what measures them [m].
    """

    build: Build
    k: Mapping[str, float]
    load: float
    extra: float = 0.0
    until: float = 0.0
    seed: int = 1
    made: Mapping[str, float] = field(default_factory=dict)
    accuracy: float = 0.02e-3

    @cached_property
    def flanks(self) -> list[Flank]:
        return flanks_of(self.build)

    @cached_property
    def gears(self) -> list[Gear]:
        return gears_of(self.build)

    def work(self, turns: float) -> float:
        """Out of it [J]."""
        return 2 * math.pi * self.load * turns

    def depth(self, flank: Flank, turns: float) -> float:
        """Thinning of a flank [m]."""
        run = turns + self.extra * min(turns, self.until)
        k = self.k.get(flank.id, self.k.get("", 0.0))
        return k * flank.exposure(run, self.work(run))

    def worst(self, turns: float) -> float:
        """Greatest thinning, in modules."""
        return max(self.depth(f, turns) / f.module for f in self.flanks)

    def play(self, turns: float) -> float:
        """Backlash at the output [rad]."""
        return self.build.backlash() + sum(f.lever * self.depth(f, turns) for f in self.flanks)

    def efficiency(self, turns: float) -> float:
        """Of the gearbox at its load [-]."""
        slope, drag = self.build.torque_line()
        new = self.load / ((slope * self.load + drag) * abs(self.build.ratio()))
        return 1 - (1 - new) * self.losses(turns)

    def losses(self, turns: float) -> float:
        """Its losses over those when new."""
        return 1 + _LOSS * self.worst(turns) / 0.1

    def on_bench(self, turns: float) -> dict[str, Any]:
        """What a simulated bench is changed in after so many turns, by the names of its parameters:
        backlash that goes on growing with the work, ripple of the worst mesh, a strength that falls
        to nothing where it fails. Its losses are those of `losses`.
        """
        worst = max(self.flanks, key=lambda f: self.depth(f, turns) / f.module)
        gear = next(g for g in self.gears if g.body == worst.body)
        grown = [f.lever * self.k.get(f.id, self.k.get("", 0.0)) * f.per_work for f in self.flanks]
        ripple = _RIPPLE[1] * self.worst(turns) / 0.1
        weakest = min((x.output for x in self.build.limits), default=math.inf)
        spent = min(1.0, (turns / self.fails_at()) ** 3)
        return {
            "backlash": self.play(turns),
            "wear_rate": sum(grown),
            "waves": ((worst.turns * gear.teeth, min(ripple, 0.9), 0.0),),
            "strength": max(weakest * (1 - spent), 1e-6),
        }

    def fails_at(self) -> float:
        """Turns at which a tooth breaks: drawn once, by Weibull's law about the turns at which the
        worst flank has lost `_FAILS` modules.
        """
        drawn = float(np.random.default_rng(self.seed).weibull(_FAILS_SHAPE))
        wanted = _FAILS * drawn / math.log(2) ** (1 / _FAILS_SHAPE)
        low, high = 0.0, 1.0
        while self.worst(high) < wanted and high < 1e15:
            high *= 2
        for _ in range(80):
            mid = (low + high) / 2
            low, high = (mid, high) if self.worst(mid) < wanted else (low, mid)
        return high

    def inspected(self, turns: float, made: str, hours: float | None = None) -> Inspection:
        """What a tester reads after so many turns, spans over three or so teeth, pins, mass and
        play, each with its error; work elsewhere, as it is not in a logbook.
        """
        rng = np.random.default_rng([self.seed, int(turns)])
        noise = rng.standard_normal
        sizes, weighings = [], []
        for gear in self.gears:
            thin = self.made.get(gear.name, 0.0) + sum(
                self.depth(f, turns) for f in self.flanks if f.body == gear.body
            )
            if not gear.ring:
                sizes += self._sizes(gear, thin, rng)
            lost = sum(f.area * self.depth(f, turns) for f in self.flanks if f.body == gear.body)
            material = self.build.setting().material(gear.material)
            if material is not None:
                whole = math.pi / 4 * (gear.module * gear.teeth) ** 2 * gear.width
                mass = material.density * (whole - lost) + 2e-6 * float(noise())
                mass = round(mass, 6)
                weighings.append(Weighing(part=gear.name, readings=(mass,), accuracy=4e-6))
        u_play = math.radians(0.02)
        worst = self.worst(turns)
        ripple = _RIPPLE[0] + _RIPPLE[1] * worst / 0.1
        return Inspection(
            made=made,
            elsewhere_turns=Measured(turns, float(f"{0.002 * turns:.1g}")),
            elsewhere_work=Measured(self.work(turns), 0.01 * self.work(turns)),
            hours=hours,
            play=Measured(max(0.0, self.play(turns) + u_play * float(noise())), u_play),
            efficiency=Measured(
                min(max(self.efficiency(turns) + 0.003 * float(noise()), 0.0), 1.0), 0.003
            ),
            at_load=self.load,
            windup=Measured(self.build.windup * (1 - worst) * (1 + 0.01 * float(noise())), 0.5),
            ripple=Measured(max(ripple * (1 + 0.05 * float(noise())), 0.0), 0.05 * ripple),
            peak_torque=1.4 * self.load,
            sizes=tuple(sizes),
            weighings=tuple(weighings),
        )

    def _sizes(self, gear: Gear, thin: float, rng: np.random.Generator) -> list[Size]:
        over = max(2, round(gear.teeth * math.degrees(gear.alpha) / 180 + 0.5))
        found = []
        for about, u in (
            ({"kind": "span", "over": over}, 0.35 * self.accuracy),
            ({"kind": "over pins", "pin": 1.9 * gear.module}, 0.3 * self.accuracy),
        ):
            asked = Size(part=gear.name, readings=(gear.module,), accuracy=self.accuracy, **about)
            try:
                true = size_at(gear, asked, thin)
            except ValueError:
                continue
            reads = tuple(round(true + u * float(x), 6) for x in rng.standard_normal(3))
            found.append(asked.model_copy(update={"readings": reads}))
        return found
