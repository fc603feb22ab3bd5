"""Results as JSON: SI numbers with the unit in the name, standard uncertainties beside values,
findings by id.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from typing import Any

from sparring import __version__
from sparring.core.finding import Finding, explain
from sparring.core.reduce.fits import LossModel, Stall
from sparring.core.reduce.points import Point
from sparring.core.reduce.results import TestResult
from sparring.core.reduce.step import Step
from sparring.core.revise import Correction
from sparring.core.uncertainty import Uncertain, budget, nominal, std

FIELDS = {
    "torque": "torque_Nm",
    "speed": "speed_rad_per_s",
    "voltage": "voltage_V",
    "current": "current_A",
    "power_in": "power_in_W",
    "power_out": "power_out_W",
    "motor_torque": "motor_torque_Nm",
    "motor_power": "motor_power_W",
    "wire_to_shaft": "efficiency_wire_to_shaft",
    "gearbox": "efficiency_gearbox",
    "load_voltage": "load_voltage_V",
    "load_power": "load_power_W",
    "input_to_load": "efficiency_input_to_load",
}


def to_dict(result: TestResult, corrections: Sequence[Correction] = ()) -> dict[str, Any]:
    """The stable document described in docs/formats.md. corrections: of the build and rig after the
    runs, from a logbook.
    """

    best = result.best
    headline = None
    if best is not None:
        headline = best.gearbox if best.gearbox is not None else best.wire_to_shaft
    return {
        "format": "sparring.result/1",
        "derived_by": f"sparring {__version__}",
        "build": result.build.name,
        "rig": result.rig.name,
        "ratio": abs(result.build.ratio()),
        "coverage": {
            "k": 2,
            "level": 0.9545,
            "few": "u is widened by t(0.9545, degrees of freedom)/2, JCGM 100 G.3",
        },
        "steps": [_step(s) for s in result.steps],
        "stall": _stall(result.stall),
        "loss_model": _losses(result.losses),
        "voltages": [
            {
                "voltage_V": level.voltage if result.build.has_motor else None,
                "steps": list(range(level.first, level.last)),
                "stall": _stall(level.stall),
                "loss_model": _losses(level.losses),
            }
            for level in result.levels
        ],
        "budget_of_best": [
            {"id": b.id, "input": b.name, "u": b.u, "share_of_variance": b.share}
            for b in budget(headline)
        ],
        "findings": [finding_to_dict(f) | {"steps": list(f.steps)} for f in result.findings],
        "corrections": [
            {
                "at": c.at.isoformat(timespec="seconds"),
                "kind": c.kind,
                "of": c.name,
                "field": c.field,
                "before": c.before,
                "after": c.after,
            }
            for c in corrections
        ],
        "skipped": [{"step": r.step, "repeat": r.repeat, "why": why} for r, why in result.skipped],
    }


def finding_to_dict(f: Finding) -> dict[str, Any]:
    """A finding; its words may change, its id does not."""
    return {
        "id": f.id,
        "severity": f.severity,
        "title": f.title,
        "seen": explain(f),
        "place": f.place,
    }


def _value(x: Uncertain, name: str) -> dict[str, float | None]:
    return {name: None if x is None else nominal(x), f"u_{name}": None if x is None else std(x)}


def _stall(stall: Stall) -> dict[str, float | None]:
    return {
        **_value(stall.by_line, "torque_by_line_Nm"),
        **_value(stall.lifted, "torque_lifted_Nm"),
        **_value(stall.not_lifted, "torque_not_lifted_Nm"),
        **_value(stall.held, "torque_held_Nm"),
    }


def _losses(losses: LossModel | None) -> dict[str, float | None] | None:
    if losses is None:
        return None
    return {
        **_value(losses.constant, "constant_Nm"),
        **_value(losses.proportional, "proportional"),
        **_value(losses.viscous, "viscous_Nms_per_rad"),
    }


def _step(s: Step) -> dict[str, Any]:
    row: dict[str, Any] = {"step": s.index, "lifted": len(s.points), "stalled": len(s.stalls)}
    for key, name in FIELDS.items():
        row |= _value(getattr(s, key), name)
    if s.shares:
        row["torque_shares"] = [_value(x, "share") for x in s.shares]
    return row | {"points": [_point(p) for p in (*s.points, *s.stalls)]}


def _point(p: Point) -> dict[str, Any]:
    return {
        "repeat": p.run.repeat,
        "stalled": p.stalled,
        "window_start_s": p.window.start,
        "window_stop_s": p.window.stop,
        "steady": p.window.steady,
        "effective_samples": p.effective,
        **_value(p.torque, "torque_Nm"),
        **_value(p.pull and p.pull.mean, "force_N"),
        "force_least_N": p.pull and p.pull.least,
        "force_peak_N": p.pull and p.pull.most,
        **_value(p.speed, "speed_rad_per_s"),
        **_value(p.wire_to_shaft, "efficiency_wire_to_shaft"),
        **_value(p.gearbox, "efficiency_gearbox"),
    }


def to_csv(result: TestResult) -> str:
    """One line a weight, SI, uncertainties (k = 1) beside values."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(
        ["step", "lifted", "stalled", *(n for name in FIELDS.values() for n in (name, f"u_{name}"))]
    )
    for row in to_dict(result)["steps"]:
        writer.writerow(
            [
                row["step"],
                row["lifted"],
                row["stalled"],
                *(row[n] for name in FIELDS.values() for n in (name, f"u_{name}")),
            ]
        )
    return out.getvalue()
