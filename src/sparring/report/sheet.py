"""A test as one HTML page without outside parts."""

from __future__ import annotations

from collections.abc import Sequence
from importlib import resources
from typing import Any

from sparring import __version__
from sparring.core import quantity
from sparring.core.care import care_notes
from sparring.core.finding import SEVERITY, explain
from sparring.core.reduce.results import TestResult
from sparring.core.revise import Correction
from sparring.core.uncertainty import budget, nominal, std

_UNITS = {
    "torque": "N·m",
    "speed": "rpm",
    "power_in": "W",
    "power_out": "W",
    "wire_to_shaft": "%",
    "gearbox": "%",
}
_KINDS = {
    "torque": "torque",
    "speed": "speed",
    "power_in": "power",
    "power_out": "power",
    "wire_to_shaft": "ratio",
    "gearbox": "ratio",
}
_W, _H, _PAD = 640, 260, 44


def render(result: TestResult, corrections: Sequence[Correction] = ()) -> str:
    """The sheet as HTML text. corrections: of the build and rig after the runs."""
    from jinja2 import Environment

    source = (
        resources.files("sparring.report")
        .joinpath("templates/sheet.html")
        .read_text(encoding="utf-8")
    )
    template = Environment(autoescape=True, trim_blocks=True, lstrip_blocks=True).from_string(
        source
    )
    rows = []
    for step in result.steps:
        row: dict[str, Any] = {"lifted": len(step.points), "stalled": len(step.stalls)}
        for name, unit in _UNITS.items():
            x = getattr(step, name)
            row[name] = (
                "–"
                if x is None
                else quantity.show(nominal(x), _KINDS[name], unit, u=std(x), with_unit=False)
            )
        rows.append(row)
    best = result.best
    headline = (
        None if best is None else (best.gearbox if best.gearbox is not None else best.wire_to_shaft)
    )
    return template.render(
        result=result,
        rows=rows,
        chart=_chart(result),
        explain=lambda finding: quantity.unbroken(explain(finding)),
        severity=SEVERITY,
        budget=budget(headline)[:6],
        corrections=corrections,
        care=care_notes(result.rig.method),
        version=__version__,
        train=result.build.train_in_words(),
    )


def _chart(result: TestResult) -> dict[str, Any]:
    """Positions for the efficiency chart, worked out here so that the template only places them."""
    steps = [s for s in result.lifted if s.gearbox is not None or s.wire_to_shaft is not None]
    most = max((nominal(s.torque) for s in result.steps), default=1.0) * 1.1 or 1.0

    def x(torque: float) -> float:
        return _PAD + (_W - 2 * _PAD) * torque / most

    def y(eta: float) -> float:
        return _H - _PAD - (_H - 2 * _PAD) * max(0.0, min(eta, 1.05))

    series = []
    for name, mark in (("gearbox", "circle"), ("wire_to_shaft", "square")):
        points = [
            {
                "x": round(x(nominal(s.torque)), 1),
                "y": round(y(nominal(e)), 1),
                "low": round(y(nominal(e) - 2 * std(e)), 1),
                "high": round(y(nominal(e) + 2 * std(e)), 1),
            }
            for s in steps
            if (e := getattr(s, name)) is not None
        ]
        series.append({"name": name.replace("_", " "), "mark": mark, "points": points})
    step = 10 ** (len(str(int(most * 10))) - 2)
    ticks = [n * step for n in range(int(most / step) + 1)]
    while len(ticks) > 9:
        ticks = ticks[::2]
    return {
        "w": _W,
        "h": _H,
        "pad": _PAD,
        "series": series,
        "x_ticks": [(round(x(v), 1), f"{v:g}") for v in ticks],
        "y_ticks": [(round(y(v / 100), 1), v) for v in range(0, 101, 20)],
    }
