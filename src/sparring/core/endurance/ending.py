"""What ends a life test."""

from __future__ import annotations

import math

from sparring.core.endurance.cycle import Cycle, Totals
from sparring.core.endurance.duty import Endurance

BREAKS = ("breakage", "stall", "jam", "skip", "motor-dropped-out")
"""Events that count as a failure."""


def ended(plan: Endurance, total: Totals, last: Cycle | None) -> str:
    """Why it is over, in words; "": it is not. last: the newest cycle."""
    if plan.hours is not None and total.driven >= plan.hours:
        return f"{total.driven / 3600:.1f} h of driving are done"
    if plan.turns is not None and total.turns >= plan.turns:
        return f"{total.turns:.0f} turns are done"
    if plan.work is not None and total.work >= plan.work:
        return f"{total.work / 1e3:.1f} kJ of work are done"
    lost = total.lost
    if plan.efficiency_loss is not None and math.isfinite(lost) and lost >= plan.efficiency_loss:
        return f"it has lost {100 * lost:.0f} % of its first efficiency"
    if last is None:
        return ""
    if plan.temperature is not None and last.hottest >= plan.temperature:
        return f"the motor reached {last.hottest - 273.15:.0f} °C"
    if plan.backlash is not None and last.play >= plan.backlash:
        return f"its play at a reversal is {math.degrees(last.play):.2f}°"
    failed = [e for e in last.events if e in BREAKS]
    if plan.to_failure and (failed or last.ended == "stalled"):
        return f"it failed: {', '.join(dict.fromkeys(failed)) or 'it stalled'}"
    return ""
