"""A comparison as JSON: SI numbers, standard uncertainties beside values."""

from __future__ import annotations

import math
from typing import Any

from sparring import __version__
from sparring.core.compare.compared import Compared
from sparring.core.compare.comparison import Comparison, Difference, Row
from sparring.core.compare.effects import Effects
from sparring.core.compare.known import Known
from sparring.core.compare.subject import Subject
from sparring.core.compare.tradeoff import Standing
from sparring.core.quantity import kind_of
from sparring.files.result_files import finding_to_dict


def to_dict(found: Compared) -> dict[str, Any]:
    """The stable document described in docs/formats.md."""
    side = found.comparison
    names = [s.name for s in side.subjects]
    return {
        "format": "sparring.compare/1",
        "derived_by": f"sparring {__version__}",
        "at": {
            "voltage_V": side.at.voltage,
            "torque_Nm": None if side.at.share is not None else side.at.torque,
            "share_of_stall": side.at.share,
        },
        "builds": [_subject(s) for s in side.subjects],
        "figures": [_row(r, names) for r in side.rows],
        "compared_in": side.figure.id,
        "reference": None if side.reference is None else names[side.reference],
        "margin": side.margin,
        "differences": [_difference(d, names) for d in side.differences],
        "comparisons": len(side.differences),
        "crossings": [
            {
                "build": names[a],
                "against": names[b],
                "torque_Nm": _number(c.torque),
                "low_Nm": _number(c.low),
                "high_Nm": _number(c.high),
            }
            for a, b, c in found.crossings
        ],
        "effects": None if found.effects is None else _effects(found.effects, side),
        "no_effects_because": found.why_not or None,
        "findings": [finding_to_dict(f) for f in found.findings],
    }


def _subject(s: Subject) -> dict[str, Any]:
    from sparring.core.compare.factors import factors_of

    return {
        "name": s.name,
        "build": s.build.name,
        "test": s.test or None,
        "title": s.title,
        "rig": s.rig or None,
        "day": s.day or None,
        "campaign": s.campaign or None,
        "specimen": s.specimen,
        "factors": factors_of(s),
    }


def _row(r: Row, names: list[str]) -> dict[str, Any]:
    unit = "" if r.figure.kind == "count" else kind_of(r.figure.kind).si
    return {
        "id": r.figure.id,
        "words": r.figure.words,
        "kind": r.figure.kind,
        "unit": unit,
        "per": r.figure.per,
        "better": {1: "more", -1: "less", 0: None}[r.figure.better],
        "values": {name: _known(c) for name, c in zip(names, r.cells, strict=True)},
        "best": [names[n] for n in r.best],
        "no_difference": r.alike,
    }


def _known(k: Known | None) -> dict[str, Any] | None:
    if k is None:
        return None
    return {
        "value": _number(k.value),
        "u": k.u,
        "u_random": k.random,
        "degrees_of_freedom": _number(k.freedom),
        "how": k.how,
        "note": k.note or None,
        "torque_Nm": k.torque,
        "rounds": dict(k.rounds),
    }


def _difference(d: Difference, names: list[str]) -> dict[str, Any]:
    more = d.more
    return {
        "build": names[d.subject],
        "against": names[d.reference],
        "value": d.value,
        "low": _number(d.low),
        "high": _number(d.high),
        "p": d.p,
        "p_adjusted": d.adjusted,
        "verdict": {1: "better", -1: "worse", 0: "not distinguishable"}[d.verdict],
        "p_same_within_margin": d.same,
        "same_within_margin": d.same < 0.05,
        "paired_blocks": d.paired,
        "more_lifts": None if more is None else more.lifts,
        "because_of": (more.blame or None) if more is not None else None,
    }


def _effects(e: Effects, side: Comparison) -> dict[str, Any]:
    names = [s.name for s in side.subjects]
    return {
        "figure": e.figure.id,
        "factors": list(e.factors),
        "offered": list(e.offered),
        "left_out": list(e.left_out),
        "interactions": [list(pair) for pair in e.interactions],
        "effects": [
            {
                "factor": x.factor,
                "level": x.level,
                "against": x.against,
                "value": x.value,
                "u": x.u,
                "low": x.low,
                "high": x.high,
                "degrees_of_freedom": _number(x.freedom),
                "p": x.p,
                "p_adjusted": x.adjusted,
                "verdict": {1: "higher", -1: "lower", 0: "not distinguishable"}[x.verdict],
            }
            for x in e.effects
        ],
        "means": [
            {"levels": dict(m.levels), "value": m.value, "low": m.low, "high": m.high}
            for m in e.means
        ],
        "standard_deviations": dict(e.random),
        "random_effects_not_told": list(e.alone),
        "confounded": [
            {
                "factors": [c.a, c.b],
                "a_test_that_parts_them": None
                if c.part is None
                else dict(zip((c.a, c.b), c.part, strict=True)),
            }
            for c in e.confounded
        ],
        "residuals": [
            {
                "build": names[x.subject],
                "round": x.round,
                "fitted": x.fitted,
                "residual": x.left,
                "normal_quantile": x.expected,
                "strange": x.strange,
            }
            for x in e.residuals
        ],
        "p_normal": _number(e.normal),
        "observations": e.observations,
        "specimens": e.specimens,
    }


def trade_to_dict(
    side: Comparison, across: str, up: str, standing: Standing, places: list[int]
) -> dict[str, Any]:
    """A trade-off; places: of the subjects that have both figures."""
    return {
        "across": across,
        "up": up,
        "builds": [
            {
                "build": side.subjects[n].name,
                "undominated": bool(standing.undominated[k]),
                "chance": float(standing.chance[k]),
            }
            for k, n in enumerate(places)
        ],
    }


def _number(x: float) -> float | None:
    return x if math.isfinite(x) else None
