"""Lives of specimens from a table; what they and load cycles say as JSON."""

from __future__ import annotations

import math
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from sparring import __version__
from sparring.core.lives import few
from sparring.core.lives.cycles import Cycles
from sparring.core.lives.loads import Damage, LoadLife
from sparring.core.lives.weibull import Bound, Fit
from sparring.core.records import RecordError
from sparring.files import table_files

_YES = ("1", "yes", "y", "true", "failed", "f", "x")
_NO = ("0", "no", "n", "false", "", "running", "survived", "censored", "suspended")
LIFE = ("turns", "cycles", "hours", "h", "life", "km", "starts", "revolutions", "time", "minutes")
_BESIDE = ("failed", "load", "specimen", "note", "part", "build")


@dataclass(frozen=True)
class Lives:
    """A table of lives. unit: what they are counted in, as its head says."""

    lives: tuple[float, ...]
    failed: tuple[bool, ...]
    loads: tuple[float, ...] | None
    unit: str
    load_unit: str


def load(path: Path) -> Lives:
    """Columns `turns` (or another unit of life), `failed`, `load`. Raises RecordError: line, what
    was seen, what to do.
    """
    lines = table_files.lines_of(path)
    columns = table_files.head_of(path, lines[0][1], (*LIFE, *_BESIDE))
    names = [name for name, _ in columns]
    life = next((n for n in LIFE if n in names), None)
    if life is None or "failed" not in names:
        raise RecordError(
            f"{path}, line 1: a column of lives ({', '.join(LIFE[:3])} …) and one called “failed” "
            f"(1 or 0) are needed; found {', '.join(names)}"
        )
    lives, failed, loads = [], [], []
    for number, cells in lines[1:]:
        where = f"{path}, line {number}"
        told = dict(zip(names, (c.strip() for c in cells), strict=False))
        lives.append(_number(told.get(life, ""), where, life))
        word = told.get("failed", "").lower()
        if word not in (*_YES, *_NO):
            raise RecordError(f"{where}: failed is “{word}”; write 1 or 0")
        failed.append(word in _YES)
        if "load" in names:
            loads.append(_number(told.get("load", ""), where, "load"))
    units = dict(columns)
    return Lives(
        tuple(lives),
        tuple(failed),
        tuple(loads) if loads else None,
        units[life] or life,
        units.get("load", ""),
    )


def _number(text: str, where: str, name: str) -> float:
    try:
        value = float(text.replace(",", ".") if text.count(",") == 1 else text)
    except ValueError:
        value = math.nan
    if not (math.isfinite(value) and value > 0):
        raise RecordError(f"{where}: {name} is “{text}”; write a number above zero")
    return value


def to_dict(
    given: Lives, fit: Fit | None, line: LoadLife | None, confidence: float
) -> dict[str, Any]:
    """The stable document described in docs/formats.md."""
    n, failures = len(given.lives), sum(given.failed)
    document: dict[str, Any] = {
        "format": "sparring.life/1",
        "derived_by": f"sparring {__version__}",
        "unit": given.unit,
        "specimens": n,
        "failures": failures,
        "method": "none",
        "enough": False,
        "shape": None,
        "scale": None,
        "B10": None,
        "B50": None,
    }
    if fit is not None:
        document |= {
            "method": "Weibull, two parameters, maximum likelihood with censored lives; bounds of "
            "95 % by the likelihood ratio, cut for so few failures",
            "shape": _bound(fit.shape),
            "scale": _bound(fit.scale),
            "B10": _bound(fit.b10),
            "B50": _bound(fit.b50),
            "log_likelihood": fit.log_likelihood,
            "ranks": [{"life": x, "median_rank": p} for x, p in fit.ranks],
        }
        width = max(fit.b10.value / max(fit.b10.low, 1e-300), fit.b10.high / fit.b10.value)
        document["further_failures_for_B10_within_a_factor_of_2"] = few.enough(width, failures)
        document["enough"] = width <= 2.0
    if failures == 0:
        run = few.success_run(n, min(given.lives), confidence)
        document |= {
            "method": "success run: no specimen failed",
            "success_run": {
                "life": run.life,
                "confidence": run.confidence,
                "reliability": run.reliability,
                "specimens_for_90_percent": few.needed(0.9, confidence),
            },
        }
    elif fit is None:
        document |= {
            "method": "too few failures for a line",
            "further_failures_needed": max(0, 2 - failures) or 1,
        }
    document["load_life"] = None if line is None else _line(line, given)
    return document


def _bound(x: Bound) -> dict[str, float | None]:
    return {
        "value": x.value,
        "low": x.low,
        "high": x.high if math.isfinite(x.high) else None,
        "low_by_chi_squared": x.usual[0],
        "high_by_chi_squared": x.usual[1] if math.isfinite(x.usual[1]) else None,
    }


def _line(line: LoadLife, given: Lives) -> dict[str, Any]:
    assert given.loads is not None
    at = sorted(set(given.loads))
    return {
        "exponent": line.slope,
        "u_exponent": line.u_slope,
        "shape": line.shape,
        "loads": [
            {
                "load": x,
                **{
                    f"B{round(100 * part)}": dict(
                        zip(("value", "low", "high"), line.life(x, part), strict=True)
                    )
                    for part in (0.1, 0.5)
                },
            }
            for x in at
        ],
        "load_unit": given.load_unit,
    }


def cycles_to_dict(
    counted: Cycles,
    *,
    channel: str,
    unit: str,
    gate: float,
    bins: int | None,
    damage: Damage | None,
) -> dict[str, Any]:
    """The stable document described in docs/formats.md."""
    return {
        "format": "sparring.cycles/1",
        "derived_by": f"sparring {__version__}",
        "method": "rainflow counting, ASTM E1049-85",
        "channel": channel,
        "unit": unit,
        "gate": gate,
        "reversals": counted.reversals,
        "cycles": float(counted.counts.sum()),
        "spectrum": [
            {"from": a, "to": b, "mean": m, "count": n} for a, b, m, n in counted.by_range(bins)
        ],
        "damage": None
        if damage is None
        else {
            "miner_sum": damage.sum,
            "repeats": dict(zip(("value", "low", "high"), damage.repeats, strict=True)),
            "share_outside_tested_loads": damage.outside,
        },
    }
