"""Judgements on a test. A rule is one small function in a module of this folder, registered by
`@rule`.
"""

from __future__ import annotations

from collections.abc import Sequence

from sparring.core.finding import ORDER, Finding, Peer
from sparring.core.findings import efficiency, method, repeats, rig, speed, stall
from sparring.core.findings.registry import RULES
from sparring.core.reduce.inputs import Inputs
from sparring.core.reduce.results import TestResult

_MODULES = (efficiency, method, repeats, rig, speed, stall)  # they register their rules themselves


def judge(result: TestResult, inputs: Inputs, peers: Sequence[Peer] = ()) -> list[Finding]:
    """All findings on a result, worst first."""
    found = [f for check in RULES for f in check(result, inputs, peers)]
    return sorted(found, key=lambda f: ORDER[f.severity])
