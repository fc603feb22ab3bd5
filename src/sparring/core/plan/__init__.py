"""The plan: what is to be done to a drive, step by step, and in which order."""

from sparring.core.plan.order import (
    Lift,
    Outcome,
    lifts_of,
    next_lift,
    remaining,
    sequence,
    stalls_of,
    what_next,
)
from sparring.core.plan.rated import above_rated
from sparring.core.plan.record import COUNTED, Factor, Plan, PlanStep, ladder
from sparring.core.plan.standard import standard

__all__ = [
    "COUNTED",
    "Factor",
    "Lift",
    "Outcome",
    "Plan",
    "PlanStep",
    "above_rated",
    "ladder",
    "lifts_of",
    "next_lift",
    "remaining",
    "sequence",
    "stalls_of",
    "standard",
    "what_next",
]
