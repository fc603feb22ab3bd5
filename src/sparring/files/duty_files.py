"""What a duty asks and which drives do it, as JSON: SI numbers with the unit in the name."""

from __future__ import annotations

import json
import math
from collections.abc import Sequence
from typing import Any

from sparring import __version__
from sparring.core.compare.next_change import Change, Outlook
from sparring.core.duty.meets import LIMITS, InSegment, Met, Ranking
from sparring.core.duty.needs import Need
from sparring.core.duty.ratio import Best, OverRatio
from sparring.core.duty.record import Duty
from sparring.core.duty.spares import Spare
from sparring.core.duty.tasks import Vehicle
from sparring.core.duty.teeth import Proposal


def to_dict(duty: Duty, ranking: Ranking, nearest: Sequence[Need]) -> dict[str, Any]:
    """The stable document described in docs/formats.md. nearest: what the first would need, where
    none does it.
    """
    return {
        "format": "sparring.duty-result/1",
        "derived_by": f"sparring {__version__}",
        "duty": _duty(duty),
        "looked_at": ranking.looked_at,
        "drives": [_met(m) for m in ranking.found],
        "any_meets": any(m.meets for m in ranking.found),
        "nearest": None
        if not nearest
        else {
            "name": ranking.found[0].candidate.name,
            "needs": [
                {
                    "id": n.id,
                    "words": n.words,
                    "value": n.value,
                    "kind": n.kind,
                    "times": n.times,
                    "either": n.either,
                }
                for n in nearest
            ],
        },
    }


def _duty(duty: Duty) -> dict[str, Any]:
    grip = duty.task.grip() if isinstance(duty.task, Vehicle) else None
    return {
        "name": duty.name,
        "voltage_V": duty.voltage,
        "current_A": duty.current,
        "cycles": duty.cycles,
        "period_s": duty.period,
        "segments": [
            {
                "kind": s.kind,
                "note": s.note,
                "torque_Nm": s.torque,
                "speed_rad_per_s": s.speed,
                "time_s": s.time,
                "inertia_kgm2": s.inertia,
            }
            for s in duty.todo
        ],
        "pull_needed_N": None if grip is None else grip[0],
        "pull_at_slip_N": None if grip is None else grip[1],
    }


def _met(m: Met) -> dict[str, Any]:
    c = m.candidate
    return {
        "name": c.name,
        "measured": c.measured,
        "ratio": c.ratio,
        "probability": _number(m.probability),
        "meets": m.meets,
        "limit": m.limit or None,
        "limit_words": LIMITS.get(m.limit),
        "limit_part": m.part or None,
        "chances": dict(m.chances),
        "segments": [_segment(s) for s in m.segments],
        "energy_J": m.energy,
        "u_energy_J": m.u_energy,
        "winding_K": m.winding,
        "u_winding_K": m.u_winding,
        "magnets_K": m.magnets,
        "u_magnets_K": m.u_magnets,
        "cycles_until_worn": _number(m.wears),
        "cycles_until_half_have_failed": _number(m.fails),
        "mass_kg": c.mass or None,
        "price": c.price or None,
    }


def _segment(s: InSegment) -> dict[str, Any]:
    return {
        "speed_rad_per_s": s.speed,
        "speed_margin": _number(s.speed_margin),
        "stall_margin": _number(s.stall_margin),
        "strength_margin": _number(s.strength_margin),
        "holding_margin": _number(s.holding_margin),
        "holds_by_itself": s.holding_margin == math.inf,
        "current_A": s.current,
        "efficiency_wire_to_shaft": _number(s.efficiency),
        "time_s": s.time,
        "energy_J": s.energy,
        "probability": s.reaches,
    }


def ratio_to_dict(
    duty: Duty, over: OverRatio, best: Sequence[Best], gears: Sequence[Proposal]
) -> dict[str, Any]:
    """The stable document described in docs/formats.md."""
    return {
        "format": "sparring.ratio/1",
        "derived_by": f"sparring {__version__}",
        "duty": _duty(duty),
        "best": [
            {"aim": b.aim, "ratio": b.ratio, "within_2_percent": [b.low, b.high], "meets": b.meets}
            for b in best
        ],
        "ratios": [
            {
                "ratio": float(over.ratio[n]),
                "meets": m.meets,
                "probability": _number(m.probability),
                "limit": m.limit or None,
                "least_margin": _number(float(over.margin[n])),
                "top_speed_rad_per_s": float(over.top_speed[n]),
                "stall_torque_Nm": float(over.stall[n]),
                "pull_N": _number(float(over.pull[n])),
                "time_to_distance_s": _number(float(over.to_distance[n])),
                "driven_s": _number(float(over.time[n])),
                "energy_J": _number(float(over.energy[n])),
                "winding_K": _number(float(over.winding[n])),
            }
            for n, m in enumerate(over.met)
        ],
        "gears": [
            {
                "ratio": p.ratio,
                "off": p.off,
                "size_m": p.size,
                "hunting": p.hunting,
                "pairs": [
                    {
                        "pinion": q.pinion,
                        "wheel": q.wheel,
                        "module_m": q.module,
                        "centre_distance_m": q.centre,
                    }
                    for q in p.pairs
                ],
            }
            for p in gears
        ],
    }


def spares_to_dict(build: str, duty: Duty, found: Sequence[Spare]) -> dict[str, Any]:
    """The stable document described in docs/formats.md."""
    return {
        "format": "sparring.spares/1",
        "build": build,
        "voltage_V": duty.voltage,
        "parts": [
            {
                "part": s.part,
                "hand": s.hand or None,
                "expected": s.expected,
                "pieces": s.pieces,
                "listed": s.have,
                "because_of": s.why,
            }
            for s in found
        ],
    }


def changes_to_dict(build: str, found: Sequence[Change]) -> dict[str, Any]:
    """The stable document described in docs/formats.md; each change with the build it makes."""
    return {
        "format": "sparring.changes/1",
        "build": build,
        "changes": [
            {
                "aim": c.aim,
                "what": c.what,
                "why": c.why,
                "gain": c.gain,
                "before": _outlook(c.before),
                "after": _outlook(c.after),
                "with_it": json.loads(c.build.to_json()),
            }
            for c in found
        ],
    }


def _outlook(o: Outlook) -> dict[str, Any]:
    return {
        "efficiency_gearbox": o.gearbox,
        "efficiency_wire_to_shaft": o.wire_to_shaft,
        "speed_rad_per_s": o.speed,
        "strength_Nm": _number(o.strength),
        "weakest": o.weakest or None,
        "mass_kg": o.mass,
    }


def _number(x: float) -> float | None:
    return x if math.isfinite(x) else None
