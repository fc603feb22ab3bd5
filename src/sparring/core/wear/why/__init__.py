"""Why a drive looks as it does: each rule a function under `@rule`, asked with the build and all
that its inspections say.
"""

from __future__ import annotations

from sparring.core.build import Build
from sparring.core.finding import Finding
from sparring.core.wear.result import Wear
from sparring.core.wear.why import faces, heat, joints, rates, teeth
from sparring.core.wear.why.registry import RULES

__all__ = ["RULES", "findings_of"]
_MODULES = (teeth, faces, joints, heat, rates)


def findings_of(build: Build, wear: Wear) -> list[Finding]:
    """What every rule says."""
    return [f for rule in RULES for f in rule(build, wear)]
