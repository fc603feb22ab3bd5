"""A plan with its prediction as JSON: SI numbers with the unit in the name, standard uncertainties
beside values.
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from typing import Any

from sparring.core.build import Build
from sparring.core.finding import Finding
from sparring.core.methods import Generator, Hoist
from sparring.core.outlook.campaign import Campaign, Made, Trial, done, factors, next_trial, trials
from sparring.core.outlook.drive import Drive
from sparring.core.outlook.foresee import Foreseen, Outlook
from sparring.core.outlook.prepare import checklist, spares
from sparring.core.outlook.step_up import Further, Tried, in_a_row
from sparring.core.plan import Plan
from sparring.core.plan.line import told
from sparring.core.plan.weights import Hung
from sparring.core.quantity import Measured
from sparring.core.reduce.against_sheet import Compared
from sparring.core.rig import Rig
from sparring.files.result_files import finding_to_dict


def step_up_to_dict(
    build: Build, voltage: float, load: float, rows: Sequence[Further]
) -> dict[str, Any]:
    """`sparring.step-up/1`."""
    turned = [r.stages for r in rows if r.tried is not None and r.tried.turned]
    stood = [r.stages for r in rows if r.tried is not None and not r.tried.turned]
    return {
        "format": "sparring.step-up/1",
        "build": build.name,
        "stages": in_a_row(build),
        "voltage_V": voltage,
        "load_Nm": load,
        "rows": [
            {
                "stages": r.stages,
                "ratio": 1 / r.ratio,
                **_measured("speed_rad_per_s", r.speed),
                **_measured("current_A", r.current),
                "chance_of_stall": r.stalls,
                "tried": None if r.tried is None else _tried(r.tried),
            }
            for r in rows
        ],
        "last_that_turned": max(turned, default=None),
        "first_that_did_not": min(stood, default=None),
    }


def _tried(t: Tried) -> dict[str, Any]:
    return {
        "turned": t.turned,
        "runs": t.runs,
        **_measured("speed_rad_per_s", t.speed),
        **_measured("current_A", t.current),
    }


def _measured(name: str, m: Measured | None) -> dict[str, float | None]:
    value, u = (None, None) if m is None else (m.value, m.u)
    return {name: value, f"u_{name}": u}


def to_dict(
    build: Build,
    rig: Rig,
    plan: Plan,
    outlook: Outlook,
    drive: Drive,
    hung: Sequence[Hung | None],
    findings: Sequence[Finding] = (),
) -> dict[str, Any]:
    """The stable document described in docs/formats.md. hung: for each step that is to be done."""
    steps = plan.on(rig.method).todo
    return {
        "format": "sparring.outlook/1",
        "build": build.name,
        "rig": rig.name,
        "plan": json.loads(plan.to_json()),
        "line": told(plan, rig.method),
        "question": plan.question or None,
        "reasons": list(plan.reasons),
        "steps": [
            _step(outlook.rows[s.id], build, rig) | {"weights": _weights(h, rig)}
            for s, h in zip(steps, hung, strict=True)
        ],
        "runs": [
            {
                "step": d.lift.step,
                "repeat": d.lift.repeat,
                "begins_s": round(d.begins, 1),
                "cools_s": round(d.cools, 1),
            }
            for d in outlook.due
        ],
        "seconds": round(outlook.seconds, 1),
        "cooling_s": round(outlook.cooling, 1),
        "figures": [
            {"id": p.id, "before": p.value, "u_before": p.u, "now": n.value, "u_now": n.u}
            for p, n in zip(drive.prior, drive.now, strict=True)
        ],
        "spares": [s._asdict() for s in spares(build, plan, outlook)],
        "checklist": checklist(build, rig, plan, outlook),
        "findings": [finding_to_dict(f) for f in findings],
    }


def _step(row: Foreseen, build: Build, rig: Rig) -> dict[str, Any]:
    s, own, method = row.step, build.has_motor, rig.method
    drive: dict[str, float | None] = {
        "voltage_V": row.voltage,
        "current_A": row.current,
        "u_current_A": row.u_current,
        "winding_K": row.winding,
    }
    if not own:  # see `Foreseen`
        drive = dict.fromkeys(drive) | {
            "input_speed_rad_per_s": row.voltage,
            "input_torque_Nm": row.current,
            "u_input_torque_Nm": row.u_current,
        }
    if isinstance(method, Generator):
        drive["load_voltage_V"] = float(method.load_voltage(row.speed, s.resistor))
    return {
        "id": s.id,
        "kind": s.kind,
        "repeats": s.repeats,
        "load_kg": s.mass,
        "resistor_ohm": s.resistor,
        **drive,
        "torque_Nm": row.torque,
        "speed_rad_per_s": row.speed,
        "u_speed_rad_per_s": row.u_speed,
        "chance_of_stall": row.stalls,
        "chance_of_failure": row.breaks,
        "teeth_K": row.tooth,
        "lasts_s": row.lasts,
        "limit": None if row.near is None else {"name": row.near.name, "share": row.near.share},
    }


def _weights(hung: Hung | None, rig: Rig) -> dict[str, Any] | None:
    if hung is None:
        return None
    names = [w.name or f"{w.mass.value:g} kg" for w in rig.shelf]
    return {
        "hang": [names[n] for n in hung.hang],
        "take_off": [names[n] for n in hung.take_off],
        "on": [names[n] for n in hung.on],
        "moves": hung.moves,
        "total_kg": hung.total.value,
        "u_total_kg": hung.total.u,
        "within_tolerance": hung.fits,
    }


def campaign_to_dict(
    key: int, campaign: Campaign, made: Made, builds: Mapping[str, Build]
) -> dict[str, Any]:
    """A campaign with its progress, as described in docs/formats.md. builds: by name."""
    order = trials(campaign)
    whole = {c: done(campaign, c, made) for c in dict.fromkeys(t.cell for t in order)}
    step = next_trial(campaign, made)
    return {
        "id": key,
        "name": campaign.name,
        "blocks": campaign.blocks,
        "order": campaign.order,
        "seed": campaign.seed,
        "reference": campaign.reference or None,
        "line": told(campaign.plan, Hoist.ours()) if campaign.plan.loads else None,
        "builds": [
            {"build": name, **factors(builds[name])._asdict()}
            for name in campaign.builds
            if name in builds
        ],
        "trials": len(order),
        "done": sum(t.number <= whole[t.cell] for t in order),
        "cells": [
            {
                "build": build,
                "column": column,
                "done": min(whole[build, column], campaign.needed((build, column))),
                "of": campaign.needed((build, column)),
            }
            for build in campaign.builds
            for column in campaign.columns
        ],
        "next": step and _trial(step),
        "order_of_trials": [_trial(t) | {"done": t.number <= whole[t.cell]} for t in order],
    }


def _trial(t: Trial) -> dict[str, Any]:
    build, column = t.cell
    return {"build": build, "column": column, "block": t.block, "reference": t.reference}


def sheet_to_dict(build: Build, units: Sequence[str], rows: Sequence[Compared]) -> dict[str, Any]:
    """A data sheet beside what was measured, as described in docs/formats.md."""
    return {
        "format": "sparring.data-sheet/1",
        "build": build.name,
        "tolerance": build.sheet_tolerance,
        "units": list(units),
        "figures": [
            {
                "voltage_V": x.voltage,
                "figure": x.figure,
                "stated": x.stated,
                "measured": [
                    None if m is None else {"value": m.value, "u": m.u, "holds": h}
                    for m, h in zip(x.measured, x.holds, strict=True)
                ],
            }
            for x in rows
        ],
    }
