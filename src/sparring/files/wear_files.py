"""Wear as JSON; inspections as files of one, of several, or of a plain list."""

from __future__ import annotations

import json
import math
from pathlib import Path
from typing import Any

from sparring import __version__
from sparring.core.build import Build
from sparring.core.wear.course import Span
from sparring.core.wear.inspection import Inspection, Inspections
from sparring.core.wear.look_at import mesh_work
from sparring.core.wear.result import FlankWear, Trend, Wear
from sparring.files import record_files
from sparring.files.result_files import finding_to_dict

_OF_A_MESH = ("turns", "turns"), ("work_J", "work"), ("heat_J", "heat")
_TO_MM3 = 1e9  # mm³/(N·m) in 1 m²/N


def load(path: Path) -> Inspections:
    """A file of inspections: a record `sparring.inspections/1`, one inspection, or a list of them.
    Raises RecordError.
    """
    try:
        told = json.loads(path.read_bytes().removeprefix(b"\xef\xbb\xbf"))
    except (OSError, ValueError, RecursionError):
        told = None  # said below, with its place
    if isinstance(told, list):
        return Inspections.from_json(json.dumps({"inspections": told}), str(path))
    if isinstance(told, dict) and str(told.get("version", "")).startswith("sparring.inspection/"):
        return Inspections(inspections=(record_files.load(path, Inspection),))
    return record_files.load(path, Inspections)


def to_dict(build: Build, wear: Wear) -> dict[str, Any]:
    """The stable document described in docs/formats.md."""
    looks = wear.looks
    return {
        "format": "sparring.wear/1",
        "derived_by": f"sparring {__version__}",
        "build": build.name,
        "inspections": [
            {
                "made": wear.given.inspections[place].made,
                "turns": float(looks.turns[n]),
                "u_turns": float(looks.u_turns[n]),
                "work_J": float(looks.work[n]),
                "u_work_J": float(looks.u_work[n]),
                "observations": len(wear.given.inspections[place].seen),
            }
            for n, place in enumerate(looks.order)
        ],
        "meshes": _meshes(build, wear),
        "mean_torque_Nm": _number(wear.torque),
        "duty": {"torque_Nm": _number(wear.duty[0]), "speed_rad_per_s": wear.duty[1]},
        "flanks": [_flank(f) for f in wear.flanks],
        "running_in": {"probability": wear.ran_in, "turns": _span(wear.runs_in)},
        "fit": {
            "chi_squared": wear.chi,
            "degrees_of_freedom": wear.freedom,
            "widened_by": wear.widened,
        },
        "trends": [_trend(t) for t in wear.trends],
        "life": None
        if wear.ends is None
        else {
            "ends_by": wear.ends.reason,
            "turns_left": _span(wear.ends.left),
            "hours_left": _span(wear.ends.hours),
            "next_inspection_turns": wear.next_look,
        },
        "findings": [finding_to_dict(f) for f in wear.findings],
    }


def _meshes(build: Build, wear: Wear) -> list[dict[str, Any]]:
    """What each mesh did since new, and since the look before the last."""
    looks = wear.looks
    now = mesh_work(build, float(looks.turns[-1]), float(looks.work[-1]))
    at = -2 if len(looks.turns) > 1 else -1
    before = mesh_work(build, float(looks.turns[at]), float(looks.work[at]))
    return [
        {
            "mesh": n.mesh,
            **{key: getattr(n, f) for key, f in _OF_A_MESH},
            **{f"{key}_since_last": getattr(n, f) - getattr(b, f) for key, f in _OF_A_MESH},
        }
        for n, b in zip(now, before, strict=True)
    ]


def _flank(f: FlankWear) -> dict[str, Any]:
    k, mean = f.k_w, f.mean
    return {
        "mesh": f.flank.mesh,
        "part": f.flank.body,
        "flank": f.flank.side,
        "against": f.flank.against,
        "material": f.flank.material,
        "against_material": f.flank.other_material,
        "exposure_J_per_m2": f.exposure,
        "thinning_m": f.thinning.value,
        "u_thinning_m": f.thinning.u,
        "k_w_mm3_per_Nm": k.value * _TO_MM3,
        "u_k_w_mm3_per_Nm": k.u * _TO_MM3,
        "k_w_low_mm3_per_Nm": k.low * _TO_MM3,
        "k_w_high_mm3_per_Nm": k.high * _TO_MM3,
        "k_w_since_new_mm3_per_Nm": mean.value * _TO_MM3,
        "u_k_w_since_new_mm3_per_Nm": mean.u * _TO_MM3,
        "steady": f.steady is not None,
        "shared_with_other_flanks": f.together,
        "um_per_1000_turns": f.per_turn.value * 1e9,
        "u_um_per_1000_turns": f.per_turn.u * 1e9,
        "ways": [
            {"by": w.by, "of": w.of, "thinning_m": w.depth.value, "u_thinning_m": w.depth.u}
            for w in f.ways
        ],
        "ways_agree": f.agree,
        "allowed_thinning_m": f.allowed,
        "life_left_turns": _span(f.left),
    }


def _trend(t: Trend) -> dict[str, Any]:
    return {
        "name": t.name,
        "kind": t.kind,
        "turns": t.turns.tolist(),
        "value": t.value.tolist(),
        "u_value": t.u.tolist(),
        "per_turn": _span(t.change),
        "turns_left": _span(t.left),
    }


def _span(x: Span | None) -> dict[str, float | None] | None:
    """Bounds of 95 %; null: not bounded."""
    if x is None:
        return None
    return {"value": _number(x.value), "low": _number(x.low), "high": _number(x.high)}


def _number(x: float) -> float | None:
    return x if math.isfinite(x) else None
