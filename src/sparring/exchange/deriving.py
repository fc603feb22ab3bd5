"""The result of a test in a logbook, and the others it is held against."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from datetime import datetime, timedelta

from sparring.core.analysis import Reductions, analyse
from sparring.core.finding import Peer, PeerStep
from sparring.core.outlook.step_up import in_a_row, same_series
from sparring.core.performance.heat import Heat, courses_of, heat_bytes, heat_from, identify
from sparring.core.recording import Recording
from sparring.core.reduce.inputs import part_of
from sparring.core.reduce.results import TestResult, headline
from sparring.core.reduce.shelf import derived_by
from sparring.logbook import Logbook
from sparring.logbook.stored import StoredRun


def derive(book: Logbook, test_id: int) -> TestResult:
    """The result of a test, with the figures that lists show kept. Raises ReductionError,
    LogbookError.
    """
    result = result_of(book, test_id)
    book.save_headline(test_id, headline(result))
    return result


def result_of(book: Logbook, test_id: int) -> TestResult:
    """As `derive`, with nothing written into the logbook: it may go on beside an edit."""
    test = book.test(test_id)
    return analyse(
        book.build(test.build_id),
        book.rig(test.rig_id),
        test.plan,
        book.material(book.runs(test_id)),
        reductions=Reductions(book.derived),
    )


def family_of(book: Logbook, build_id: int) -> list[tuple[str, TestResult]]:
    """(name, newest result) of the other builds of a family that have tests, oldest first."""
    family = book.build(build_id).family
    found = []
    for other, build in book.builds():
        if build.family == family and other != build_id and (test := book.newest_test(other)):
            found.append((build.name, derive(book, test)))
    return found


def series_of(book: Logbook, build_id: int) -> dict[int, TestResult]:
    """The newest result of every build of a family that has more or fewer of its last stage, by how
    many; the build itself among them.
    """
    build = book.build(build_id)
    found = {}
    for other, b in book.builds():
        alike = b.family == build.family and same_series(b, build)
        if alike and (test := book.newest_test(other)):
            found[in_a_row(b)] = derive(book, test)
    return found


def peers_of(book: Logbook, test_id: int) -> list[Peer]:
    """The other tests of a logbook, as far as their efficiencies are known."""
    names, tests = {i: b.name for i, b in book.builds()}, book.tests()
    here = next(t for t in tests if t.id == test_id)
    return [
        Peer(
            names[t.build_id],
            tuple(PeerStep(*step) for step in t.headline["steps"]),
            t.headline.get("method", ""),
            same_build=t.build_id == here.build_id,
            same_rig=t.rig_id == here.rig_id,
        )
        for t in tests
        if t.id != test_id and t.headline and t.headline.get("steps") and t.build_id in names
    ]


_RESTS = 20.0  # [s] between two runs of which no clock tells (common practice for one person)
_MOST_RUNS = 40  # whose recordings tell how a motor warms


def heat_of(book: Logbook, test_id: int) -> Heat:
    """The thermal figures of a test's build as its recordings tell them, of long tests by the first
    runs; kept with what was derived before. Raises LogbookError, RecordingError.
    """
    build, runs = book.build(book.test(test_id).build_id), _first_runs(book, test_id)
    follows = [derived_by(), "heat", build.to_json()]
    follows += [f"{stored.recording} {stored.run.to_json()}" for stored in runs]
    key = hashlib.sha256("\n".join(follows).encode()).hexdigest()
    if (kept := book.derived.get([key]).get(key)) is not None:
        return heat_from(kept)
    found = identify(build, courses_of(_recorded(book, runs)))
    book.derived.put({key: heat_bytes(found)})
    return found


def _first_runs(book: Logbook, test_id: int) -> list[StoredRun]:
    kept = [r for r in book.runs(test_id) if r.recording]
    return sorted(kept, key=lambda r: r.run.started)[:_MOST_RUNS]


def _recorded(book: Logbook, runs: list[StoredRun]) -> Iterator[tuple[Recording, float]]:
    """Recordings in time, each with the seconds of rest before it."""
    ended: datetime | None = None
    for stored in runs:
        run = stored.run
        rec = part_of(run, book.recording(stored.recording))
        if len(rec) < 2:
            continue
        rested = _RESTS
        try:
            began = datetime.fromisoformat(run.started)
            if ended is not None:
                rested = max((began - ended).total_seconds(), 0.0)
            ended = began + timedelta(seconds=float(rec.t[-1] - rec.t[0]))
        except (ValueError, TypeError):
            ended = None
        yield rec, rested
