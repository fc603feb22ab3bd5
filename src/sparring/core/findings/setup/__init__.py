"""Judgements on a bench before anything runs: limits with their reasons, dimensions that look
wrong, calibration.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import date

from sparring.core.build import Build
from sparring.core.finding import ORDER, Finding, applies
from sparring.core.findings.setup import care, loads, sensors
from sparring.core.findings.setup.bench import SETUP_RULES, Bench
from sparring.core.plan import Plan
from sparring.core.reduce.results import TestResult
from sparring.core.rig import Rig

_MODULES = (care, loads, sensors)  # they register their rules themselves


def judge_setup(build: Build, rig: Rig, plan: Plan, today: date) -> list[Finding]:
    """All findings on a bench as set up, worst first."""
    bench = Bench(build, rig, plan, today)
    found = [
        replace(f, facts={k: v._replace(digits=3) for k, v in f.facts.items()})
        for check in SETUP_RULES
        if applies(check, has_motor=build.has_motor)
        for f in check(bench)
    ]
    return sorted(found, key=lambda f: ORDER[f.severity])


_OF_FIGURES = {
    "arm-weight-ignored",
    "factor-of-ten",
    "inertia-on-the-wrong-side",
    "meter-crooked",
    "meter-without-a-line",
    "second-cell-not-calibrated",
    "supply-averaged",
    "tachometer-coarse",
}


def with_records(result: TestResult) -> TestResult:
    """With what is to be said of the figures entered, of a test that no page has prepared: nothing
    of what was planned, or still to be done before it.
    """
    said = {f.id for f in result.findings}
    judged = judge_setup(result.build, result.rig, result.plan, date.today())
    more = [f for f in judged if f.id in _OF_FIGURES - said]
    found = sorted([*result.findings, *more], key=lambda f: ORDER[f.severity])
    return replace(result, findings=tuple(found))
