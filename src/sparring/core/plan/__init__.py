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
from sparring.core.plan.record import COUNTED, Factor, Plan, PlanStep, ladder

__all__ = [
    "COUNTED",
    "Factor",
    "Lift",
    "Outcome",
    "Plan",
    "PlanStep",
    "ladder",
    "lifts_of",
    "next_lift",
    "remaining",
    "sequence",
    "stalls_of",
    "what_next",
]
