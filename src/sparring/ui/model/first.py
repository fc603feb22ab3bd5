"""What a logbook is opened with."""

from __future__ import annotations

from typing import TYPE_CHECKING

from sparring.core.build import Build
from sparring.core.rig import Rig

if TYPE_CHECKING:
    from sparring.logbook import Logbook
    from sparring.logbook.stored import StoredRun


def first_of(book: Logbook) -> tuple[int, list[StoredRun]]:
    """What a logbook is opened with, and its runs: the test that was last on the desk, else the
    newest that can be laid on it; 0: none. Reads all tests, which the window then only looks
    through."""
    from sparring.logbook import LogbookError

    if not book.builds():
        book.save_build(Build(family="First drive"))
    if not book.rigs():
        book.save_rig(Rig())
    remembered = book.setting("test")
    for test in sorted(
        book.tests(), key=lambda t: (t.id == remembered, t.created, t.id), reverse=True
    ):
        try:
            # damaged ones cannot be laid on the desk
            (book.build(test.build_id), book.rig(test.rig_id))
        except LogbookError:
            continue
        return test.id, book.runs(test.id, struck=True)
    return 0, []
