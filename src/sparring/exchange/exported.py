"""Exported tests, laid side by side: each folder derived again from its runs, or, where it holds no
list of them, taken from its result.
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from sparring.core.analysis import analyse
from sparring.core.build import Build
from sparring.core.compare.subject import Subject
from sparring.core.input_quantity import declare
from sparring.core.plan import Plan
from sparring.core.records import RecordError
from sparring.core.reduce.points import Point
from sparring.core.reduce.results import TestResult, combine
from sparring.core.reduce.windows import Window
from sparring.core.rig import Rig
from sparring.core.run import Run
from sparring.core.uncertainty import Uncertain, ufloat
from sparring.exchange.comparing import day_of, model_of, told_apart, wear_of_looks
from sparring.files import json_text, record_files, run_files, wear_files

_REPORTED = declare("reported", "{0} as reported", "build")
_FIGURES = {
    "torque": "torque_Nm",
    "speed": "speed_rad_per_s",
    "wire_to_shaft": "efficiency_wire_to_shaft",
    "gearbox": "efficiency_gearbox",
}


def subjects_in(folder: Path) -> list[Subject]:
    """The tests in a folder of exports, by name. Raises RecordError where there is none, or one
    cannot be read; LogError, ReductionError.
    """
    tests = sorted({p.parent for name in ("runs", "result") for p in folder.glob(f"*/{name}.json")})
    if any((folder / f"{name}.json").is_file() for name in ("runs", "result")):
        tests = [folder, *tests]
    if not tests:
        raise RecordError(
            f"{folder} holds no exported tests (folders with build.json and runs.json or "
            "result.json); sparring export writes them"
        )
    found = [_subject(path, n) for n, path in enumerate(tests, start=1)]
    found.sort(key=lambda s: (s.build.family, s.build.revision))  # as in a logbook
    names = [s.build.name for s in found]
    return [told_apart(s) if names.count(s.build.name) > 1 else s for s in found]


def _subject(folder: Path, number: int) -> Subject:
    build = record_files.load(folder / "build.json", Build)
    rig = record_files.load(folder / "rig.json", Rig)
    plan = record_files.load(folder / "plan.json", Plan)
    exported = run_files.Exported("", "", [], {})
    if (folder / "runs.json").is_file():
        exported = run_files.load(folder / "runs.json")
        runs = exported.runs
        result = analyse(build, rig, plan, runs) if runs else None
    else:
        result = _reported(folder, build, rig, plan, number)
    looks = folder / "inspections.json"
    return Subject(
        build.name,
        build,
        result=result,
        model=model_of(result),
        rig=rig.name,
        test=number,
        title=exported.title or folder.name,
        day=day_of([run.started for run, _ in exported.runs]),
        campaign=exported.campaign,
        blocks=exported.blocks,
        wear=wear_of_looks(build, wear_files.load(looks).inspections) if looks.is_file() else None,
        said={f.name: f.level for f in plan.factors},
    )


def _reported(folder: Path, build: Build, rig: Rig, plan: Plan, number: int) -> TestResult:
    """By the points of a result that holds no runs. What it says of their uncertainty is taken as
    shared by all points of the test and by no other test: more than is so, never less.
    """
    path = folder / "result.json"
    try:
        told: dict[str, Any] = json_text.read(path)
        steps: Sequence[dict[str, Any]] = told["steps"]
        whole = {
            name: ufloat(0.0, 1.0, _REPORTED.of(f"{name} of test {number}")) for name in _FIGURES
        }
        rated = plan.voltage(build.motor.voltage.value)
        volts = {n: v["voltage_V"] for v in told.get("voltages", ()) for n in v["steps"]}
        points = [
            _point(p, int(s["step"]), volts.get(s["step"]) or rated, whole)
            for s in steps
            for p in s["points"]
        ]
    except (OSError, ValueError, LookupError, TypeError, AttributeError, ArithmeticError) as err:
        raise RecordError(f"{path} is no result ({err}); export the test again") from err
    return combine(build, rig, plan, points)


def _point(p: dict[str, Any], step: int, volts: float, whole: dict[str, Uncertain]) -> Point:
    known: dict[str, Uncertain] = {}
    for name, key in _FIGURES.items():
        value, u = p.get(key), p.get(f"u_{key}") or 0.0
        known[name] = None if value is None else float(value) + float(u) * whole[name]
    run = Run(step=step, repeat=int(p["repeat"]), voltage=float(volts))
    power = known["torque"] * known["speed"] if known["speed"] is not None else None
    wire = known["wire_to_shaft"]
    none: dict[str, Any] = dict.fromkeys(
        (
            "voltage",
            "current",
            "torque_mass",
            "torque_cell",
            "motor_speed",
            "motor_torque",
            "motor_torque_current",
            "motor_torque_speed",
            "work",
            "line_torque",
            "temperature",
            "torque_peak",
            "pull",
        )
    )
    gearbox = known["gearbox"]
    return Point(
        run=run,
        window=Window(
            float(p["window_start_s"] or 0.0),
            float(p["window_stop_s"] or 1.0),
            steady=True,
            drift=0.0,
        ),
        stalled=bool(p["stalled"]),
        cold_speed=known["speed"],
        power_in=None if power is None or wire is None else power / wire,
        power_out=power,
        motor_power=None if power is None or gearbox is None else power / gearbox,
        effective=float(p.get("effective_samples") or 1.0),
        **(none | known),
    )
