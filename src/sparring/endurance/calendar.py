"""The stops of a life test as an iCalendar file: when somebody is wanted."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from itertools import pairwise

from sparring.core.endurance import stops
from sparring.endurance.journal import Journal

_LASTS = timedelta(minutes=30)  # of an entry


def calendar_of(journal: Journal) -> bytes:
    """Inspections and the end, as they come at the pace so far (RFC 5545, by icalendar).
    Stops that have been made are not in it.
    """
    from icalendar import Calendar, Event

    tested, total = journal.tested(), journal.totals
    plan, done = tested.plan, total.cycles
    pace = max(total.cycles, 1)
    now = datetime.now(UTC).replace(microsecond=0)
    made = Calendar()
    made.add("prodid", "-//Sparring//life test//EN")
    made.add("version", "2.0")
    lasts = _cycle_lasts(journal)
    for stop in stops(plan, total.turns / pace, total.work / pace):
        if stop.cycle <= done:
            continue
        at = now + timedelta(seconds=(stop.cycle - done) * lasts)
        entry = Event()
        entry.add("uid", f"sparring-{tested.test}-{tested.begun}-{stop.cycle}@sparring")
        entry.add("dtstamp", now)
        entry.add("dtstart", at)
        entry.add("dtend", at + _LASTS)
        what = "Inspection" if stop.what == "inspection" else "End"
        entry.add("summary", f"{what} of {plan.name}: {tested.build.name}")
        entry.add("description", f"After {stop.cycle} cycles, at the pace so far.")
        made.add_component(entry)
    return bytes(made.to_ical())


def _cycle_lasts(journal: Journal) -> float:
    """What a cycle has taken of late [s], setting up and letting down included."""
    begun = [c.began for c in journal.cycles[-20:] if c.began]
    if len(begun) < 3:
        return journal.tested().plan.lasts
    steps = sorted(b - a for a, b in pairwise(begun))
    return max(steps[len(steps) // 2], 1e-3)  # the middle one: a pause is none
