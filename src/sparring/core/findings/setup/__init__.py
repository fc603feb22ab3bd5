"""Judgements on a bench before anything runs: limits with their reasons, dimensions that look
wrong, calibration.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import date

from sparring.core.build import Build
from sparring.core.finding import ORDER, Finding
from sparring.core.findings.setup import care, loads, sensors
from sparring.core.findings.setup.bench import SETUP_RULES, Bench
from sparring.core.plan import Plan
from sparring.core.rig import Rig

_MODULES = (care, loads, sensors)  # they register their rules themselves


def judge_setup(build: Build, rig: Rig, plan: Plan, today: date) -> list[Finding]:
    """All findings on a bench as set up, worst first."""
    bench = Bench(build, rig, plan, today)
    found = [
        replace(f, facts={k: v._replace(digits=3) for k, v in f.facts.items()})
        for check in SETUP_RULES
        for f in check(bench)
    ]
    return sorted(found, key=lambda f: ORDER[f.severity])


_OF_THE_DAY = {"care-not-confirmed", "calibration-missing", "calibration-old"}
_OF_THE_DAY |= {"meter-compared-long-ago", "gravity-standard"}


def judge_records(build: Build, rig: Rig, plan: Plan) -> list[Finding]:
    """Those on the figures entered, of a test that is over: nothing of what was still to be done
    before it.
    """
    found = judge_setup(build, rig, plan, date.today())
    return [f for f in found if f.severity in ("wrong", "caution") and f.id not in _OF_THE_DAY]
