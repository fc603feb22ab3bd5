"""Results as JSON: SI numbers with the unit in the name, standard uncertainties beside values,
findings by id.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from typing import Any

from sparring import __version__
from sparring.core.finding import explain
from sparring.core.reduce.results import Step, TestResult
from sparring.core.revise import Correction
from sparring.core.uncertainty import budget, nominal, std

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
}


def to_dict(result: TestResult, corrections: Sequence[Correction] = ()) -> dict[str, Any]:
    """The stable document described in docs/formats.md. corrections: of the build and rig after the
    runs, from a logbook.
    """

    def value(x: Any, name: str) -> dict[str, float | None]:
        return {name: None if x is None else nominal(x), f"u_{name}": None if x is None else std(x)}

    def step(s: Step) -> dict[str, Any]:
        row: dict[str, Any] = {"step": s.index, "lifted": len(s.points), "stalled": len(s.stalls)}
        for key, name in FIELDS.items():
            row |= value(getattr(s, key), name)
        row["points"] = [
            {
                "repeat": p.run.repeat,
                "stalled": p.stalled,
                "window_start_s": p.window.start,
                "window_stop_s": p.window.stop,
                "steady": p.window.steady,
                "effective_samples": p.effective,
                **value(p.torque, "torque_Nm"),
                **value(p.pull and p.pull.mean, "force_N"),
                "force_least_N": p.pull and p.pull.least,
                "force_peak_N": p.pull and p.pull.most,
                **value(p.speed, "speed_rad_per_s"),
                **value(p.wire_to_shaft, "efficiency_wire_to_shaft"),
                **value(p.gearbox, "efficiency_gearbox"),
            }
            for p in (*s.points, *s.stalls)
        ]
        return row

    best = result.best
    headline = (
        best.gearbox
        if best is not None and best.gearbox is not None
        else best.wire_to_shaft
        if best is not None
        else None
    )
    return {
        "format": "sparring.result/1",
        "derived_by": f"sparring {__version__}",
        "build": result.build.name,
        "rig": result.rig.name,
        "ratio": abs(result.build.ratio()),
        "steps": [step(s) for s in result.steps],
        "stall": {
            **value(result.stall.by_line, "torque_by_line_Nm"),
            **value(result.stall.lifted, "torque_lifted_Nm"),
            **value(result.stall.not_lifted, "torque_not_lifted_Nm"),
        },
        "loss_model": (
            None
            if result.losses is None
            else {
                **value(result.losses.constant, "constant_Nm"),
                **value(result.losses.proportional, "proportional"),
            }
        ),
        "budget_of_best": [
            {"id": b.id, "input": b.name, "u": b.u, "share_of_variance": b.share}
            for b in budget(headline)
        ],
        "findings": [
            {
                "id": f.id,
                "severity": f.severity,
                "title": f.title,
                "seen": explain(f),
                "steps": list(f.steps),
                "place": f.place,
            }
            for f in result.findings
        ],
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
