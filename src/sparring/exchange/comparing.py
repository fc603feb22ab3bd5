"""Builds and tests of a logbook, laid side by side."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime

from sparring.core.build import Build
from sparring.core.characterise import WAYS, Result, judged
from sparring.core.compare.choice import Choice
from sparring.core.compare.subject import Subject, blocks_of
from sparring.core.outlook.campaign import Campaign
from sparring.core.performance.model import Performance, performance
from sparring.core.reduce.inputs import ReductionError
from sparring.core.reduce.results import TestResult
from sparring.core.search import query
from sparring.core.wear.inspection import Inspection, Inspections
from sparring.core.wear.result import Wear
from sparring.exchange.deriving import result_of
from sparring.logbook import Logbook
from sparring.logbook.searching import facts_of


def chosen_by(book: Logbook, text: str, *, tests: bool = False) -> list[Choice]:
    """The builds that a query finds, with the newest of their tests that fits it. tests: every test
    of them that does. Raises QuantityError, LogbookError.
    """
    kept = book.tests()
    own = sorted({f.name for t in kept for f in t.plan.factors})
    asked = query(text, own)
    rigs = {key: rig.name for key, rig in book.rigs()}
    found = []
    for key, build in book.builds():
        mine = [t for t in kept if t.build_id == key and t.runs]
        fits = [t for t in mine if asked(facts_of(build, [t], rigs))]
        if fits and not tests and fits[-1] is mine[-1]:
            found.append(Choice(key))  # it stands with its newest anyway
        elif fits:
            found += [Choice(key, t.id) for t in (fits if tests else fits[-1:])]
        elif asked(facts_of(build, mine, rigs)):
            found.append(Choice(key))
    return found


@dataclass
class Seen:
    """What was derived before, by all that it follows from; so that a further build costs only
    itself.
    """

    subjects: dict[tuple[object, ...], Subject] = field(default_factory=dict)


def subjects_of(
    book: Logbook,
    choices: Sequence[Choice],
    seen: Seen | None = None,
    progress: Callable[[float], None] = lambda _part: None,
) -> list[Subject]:
    """In the order of the choices. Raises LogbookError, ReductionError."""
    seen = seen or Seen()
    campaigns = [c for _, c in book.campaigns()]
    many = {c.build for c in choices if sum(d.build == c.build for d in choices) > 1}
    found = []
    for n, choice in enumerate(choices):
        progress(n / len(choices))
        build = book.build(choice.build)
        test = choice.test or book.newest_test(choice.build)
        found.append(_subject(book, choice.build, build, test, campaigns, seen=seen))
        if choice.build in many:
            found[-1] = told_apart(found[-1])
    return found


def told_apart(s: Subject) -> Subject:
    what = s.said.get("specimen", "") or s.title or f"test {s.test}"
    return replace(s, name=f"{s.build.name}, {what}")


def _subject(
    book: Logbook,
    build_id: int,
    build: Build,
    test_id: int,
    campaigns: Sequence[Campaign],
    *,
    seen: Seen,
) -> Subject:
    looks = tuple(i for _, i in book.inspections(build_id))
    records = book.characterisations("build", build_id)
    mine = tuple((c.id, c.to_json()) for c in records)
    if not test_id:
        key: tuple[object, ...] = (build, looks, mine)
        if key not in seen.subjects:
            seen.subjects[key] = Subject(
                build.name, build, parts=_parts(book, build_id), wear=wear_of_looks(build, looks)
            )
        return seen.subjects[key]
    test = book.test(test_id)
    runs = book.runs(test_id)
    rig = book.rig(test.rig_id)
    campaign = next((c for c in campaigns if c.test_of(build.name) == test_id), None)
    key = (
        build,
        looks,
        mine,
        test.plan,
        rig,
        test.title,
        campaign,
        tuple((r.recording, r.run) for r in runs),
    )
    if key in seen.subjects:
        return seen.subjects[key]
    result = result_of(book, test_id) if runs else None
    seen.subjects[key] = Subject(
        build.name,
        build,
        result=result,
        model=model_of(result),
        rig=rig.name,
        test=test_id,
        title=test.title,
        day=day_of([r.run.started for r in runs] or [test.created.isoformat()]),
        campaign="" if campaign is None else campaign.name,
        blocks={} if campaign is None else blocks_of(campaign, build.name),
        parts=_parts(book, build_id),
        wear=wear_of_looks(build, looks),
        said={f.name: f.level for f in test.plan.factors},
    )
    return seen.subjects[key]


def model_of(result: TestResult | None) -> Performance | None:
    try:
        return None if result is None else performance(result)
    except (ValueError, ArithmeticError):  # its figures stand without it
        return None


def day_of(moments: Sequence[str]) -> str:
    """The day of the first, ISO 8601; "" where nobody says."""
    days = []
    for text in moments:
        try:
            days.append(datetime.fromisoformat(text).date().isoformat())
        except ValueError:
            continue
    return min(days, default="")


def _parts(book: Logbook, build_id: int) -> Mapping[str, Result]:
    """The newest figure of each kind that was measured of a build by hand."""
    found: dict[str, Result] = {}
    for c in book.characterisations("build", build_id):  # the newest first
        if c.way not in WAYS:
            continue
        try:
            results = judged(c.way, c.dimensions, c.readings).results
        except ValueError:
            continue  # said where it is shown
        for r in results:
            found.setdefault(r.id, r)
    return found


def wear_of_looks(build: Build, looks: tuple[Inspection, ...]) -> Wear | None:
    from sparring.core.wear.judge import wear_of

    if len(looks) < 2:
        return None
    try:
        return wear_of(build, Inspections(inspections=looks))
    except ReductionError:
        return None  # said on Wear
