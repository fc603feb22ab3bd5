"""What a drive does anywhere in its range, as JSON: SI, standard uncertainties beside values."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from sparring.core.performance.continuous import carries
from sparring.core.performance.efficiency_map import NAMES, EfficiencyMap, efficiency_map
from sparring.core.performance.figures import figures
from sparring.core.performance.heat import NAMES as HEAT
from sparring.core.performance.heat import Heat, as_entered
from sparring.core.performance.losses import Losses, losses_at
from sparring.core.performance.model import Band, Curves, Performance, performance
from sparring.core.performance.scatter import Scatter, scatter
from sparring.core.performance.stalls import ways
from sparring.core.performance.whole import at_levels
from sparring.core.reduce.results import TestResult

_POINTS = 25  # of a curve
_SIZE = 25  # of the map's sides
_BANDS = {
    "speed": "speed_rad_per_s",
    "current": "current_A",
    "power_out": "power_out_W",
    "wire_to_shaft": "efficiency_wire_to_shaft",
    "gearbox": "efficiency_gearbox",
    "motor": "efficiency_motor",
}


def to_dict(result: TestResult, heat: Heat | None = None) -> dict[str, Any]:
    """The keys of a result's document that follow from the model of all its steps, described in
    docs/formats.md; empty where there is none.
    """
    repeated = scatter(result)
    found = performance(result)
    document: dict[str, Any] = {
        "key_figures": [],
        "repeats": None if repeated is None else _scatter(repeated),
        "model": None,
        "map": None,
        "losses": [],
        "thermal": None,
    }
    if found is None:
        return document
    mapped = efficiency_map(found, _SIZE)
    told = figures(found, *at_levels(found))
    return document | {
        "key_figures": [
            {
                "voltage_V": f.voltage or None,
                "id": f.id,
                "value": f.value,
                "u_value": f.u,
                "kind": f.kind,
                "note": f.note,
                "torque_Nm": f.torque,
                "speed_rad_per_s": f.speed,
            }
            for f in told
        ],
        "model": _model(found),
        "map": None if mapped is None else _map(mapped),
        "losses": [_losses(losses_at(found, s)) | {"step": s.index} for s in result.well_running],
        "thermal": _thermal(found, heat or as_entered(result.build)),
    }


def curves(found: Performance, voltage: float, winding: float = 0.0) -> dict[str, Any]:
    """At a terminal voltage [V] with the winding so much above its readings' temperature [K]."""
    return _curves(found.curves(voltage, winding=winding, points=_POINTS)) | {
        "winding_above_readings_K": winding
    }


def _curves(x: Curves) -> dict[str, Any]:
    rows: dict[str, Any] = {
        "voltage_V": x.voltage,
        "stall_Nm": x.stall[0],
        "u_stall_Nm": x.stall[1],
        "torque_Nm": _list(x.torque),
    }
    for name, key in _BANDS.items():
        band: Band = getattr(x, name)
        rows |= {key: _list(band.value), f"u_{key}": _list(band.u)}
    for name, key in (("power_out", "peak_power"), ("wire_to_shaft", "best_efficiency")):
        top = x.peak(getattr(x, name))
        rows[key] = {
            "torque_Nm": top.torque,
            "speed_rad_per_s": top.speed,
            "value": top.value,
            "u_value": top.u,
        }
    rows["no_load"] = {
        "speed_rad_per_s": float(x.speed.value[0]),
        "u_speed_rad_per_s": float(x.speed.u[0]),
        "current_A": float(x.current.value[0]),
        "u_current_A": float(x.current.u[0]),
    }
    return rows


def _model(found: Performance) -> dict[str, Any]:
    result = found.result
    return {
        "curves": [curves(found, level.voltage) for level in result.levels],
        "figures": [
            {
                "id": now.id,
                "before": before.value,
                "u_before": before.u,
                "value": now.value,
                "u_value": now.u,
                "kind": now.kind,
            }
            for before, now in zip(found.drive.prior, found.drive.now, strict=True)
        ],
        "residuals": [
            {
                "step": r.step,
                "speed_rad_per_s": r.speed,
                "u_speed_rad_per_s": r.u_speed,
                "current_relative": r.current,
                "u_current_relative": r.u_current,
            }
            for r in found.residuals
        ],
        "u_misfit_speed_rad_per_s": found.misfit_speed,
        "u_misfit_current_relative": found.misfit_current,
        "stall": [
            {
                "voltage_V": level.voltage,
                "ways": [
                    {"id": w.id, "torque_Nm": w.torque, "u_torque_Nm": w.u} for w in found_ways.ways
                ],
                "agree": found_ways.agree,
            }
            for level in result.levels
            if (found_ways := ways(found, level)).ways
        ],
    }


def _map(x: EfficiencyMap) -> dict[str, Any]:
    rows: dict[str, Any] = {
        "torque_Nm": _list(x.torque),
        "speed_rad_per_s": _list(x.speed),
        "voltage_V": _table(x.voltage),
    }
    for name in NAMES:
        key = f"efficiency_{name}"
        rows |= {key: _table(x.value[name]), f"u_{key}": _table(x.u[name])}
    return rows


def _losses(x: Losses) -> dict[str, Any]:
    return {
        "torque_Nm": x.torque,
        "voltage_V": x.voltage,
        "speed_rad_per_s": x.speed,
        "power_in_W": x.power_in,
        "power_out_W": x.power_out,
        "causes": [
            {
                "id": c.id,
                "cause": c.cause,
                "power_W": c.power,
                "u_power_W": c.u,
                "u_before_W": c.u_before,
                "measured": c.measured,
            }
            for c in x.causes
        ],
        "correlation": _table(x.correlation),
        "not_told_apart": [
            {
                "causes": [x.causes[p.first].id, x.causes[p.second].id],
                "correlation": p.correlation,
                "advice": p.advice,
            }
            for p in x.pairs
        ],
    }


def _thermal(found: Performance, heat: Heat) -> dict[str, Any]:
    u = np.sqrt(np.diag(heat.covariance))
    units = ("J_per_K", "J_per_K", "K_per_W", "K_per_W")
    return {
        "figures": [
            {
                "id": name,
                "value": value,
                "unit": unit,
                "u_relative": float(doubt),
                "told_by_the_runs": told,
            }
            for name, value, unit, doubt, told in zip(
                HEAT, heat.bodies, units, u, heat.told, strict=True
            )
        ],
        "case_warmed_K": heat.kelvin,
        "carries": [
            {
                "seconds": None if math.isinf(c.seconds) else c.seconds,
                "torque_Nm": c.torque,
                "u_torque_Nm": c.u,
                "current_A": c.current,
                "limit": c.limit,
            }
            for c in carries(found, heat)
        ],
    }


def _scatter(x: Scatter) -> dict[str, Any]:
    return {
        "figure": x.figure,
        "within_relative": x.within,
        "control_limit_relative": x.limit,
        "between_days_relative": _plain(x.between_days),
        "change_by_order": None if x.by_order is None else list(x.by_order),
        "change_by_time": None if x.by_time is None else list(x.by_time),
        "warming": x.warming,
        "runs": [
            {
                "step": r.step,
                "repeat": r.lift,
                "number": r.number,
                "seconds": _plain(r.seconds),
                "deviation_relative": r.value,
                "outlying": r.outlying,
            }
            for r in x.runs
        ],
    }


def _plain(x: float) -> float | None:
    return None if math.isnan(x) else float(x)


def _list(x: np.ndarray) -> list[float]:
    return [float(v) for v in x]


def _table(x: np.ndarray) -> list[list[float | None]]:
    return [[_plain(v) for v in row] for row in x]
