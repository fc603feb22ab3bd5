"""The result of a test in a logbook, and the others it is held against."""

from __future__ import annotations

from sparring.core.analysis import Reductions, analyse
from sparring.core.finding import Peer, PeerStep
from sparring.core.reduce.results import TestResult, headline
from sparring.logbook import Logbook


def derive(book: Logbook, test_id: int) -> TestResult:
    """The result of a test, with the figures that lists show kept. Raises ReductionError,
    LogbookError.
    """
    test = book.test(test_id)
    runs = book.material(book.runs(test_id))
    result = analyse(
        book.build(test.build_id),
        book.rig(test.rig_id),
        test.plan,
        runs,
        reductions=Reductions(book.derived),
    )
    book.save_headline(test_id, headline(result))
    return result


def family_of(book: Logbook, build_id: int) -> list[tuple[str, TestResult]]:
    """(name, newest result) of the other builds of a family that have tests, oldest first."""
    family = book.build(build_id).family
    found = []
    for other, build in book.builds():
        if build.family == family and other != build_id and (test := book.newest_test(other)):
            found.append((build.name, derive(book, test)))
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
