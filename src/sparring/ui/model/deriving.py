"""The result of the test on the desk, derived off the window's thread."""

from __future__ import annotations

import gc
from typing import TYPE_CHECKING

from sparring import __version__
from sparring.ui.model import background

if TYPE_CHECKING:
    from sparring.core.analysis import Reductions
    from sparring.core.reduce.results import TestResult
    from sparring.logbook import Logbook
    from sparring.ui.model.on_desk import OnDesk

_EVERY = 500  # runs between two words on how far it is


class _Reduced:
    """What has been reduced of one test. Made with the first analysis of it, in whose thread its
    library is loaded.
    """

    reductions: Reductions | None = None


class Deriver:
    """Derives the desk's result; the newest call wins, and runs that were reduced before are not
    reduced again.
    """

    def __init__(self, desk: OnDesk) -> None:
        self._desk = desk
        self._newest = 0
        self._reduced = _Reduced()

    def _nothing_left(self, book: Logbook, test_id: int) -> None:
        """All runs of the test are left out: lists show no figure of it."""
        from sparring.logbook import LogbookError

        try:
            book.save_headline(test_id, {"derived_by": __version__})
        except LogbookError as err:
            self._desk.said.emit(str(err))
            return
        self._desk.lists_changed.emit()

    def forget(self) -> None:
        """Another test lies on the desk."""
        self._reduced = _Reduced()

    def again(self) -> None:
        """What is under way is called off."""
        d = self._desk
        self._newest += 1
        ticket, test_id, book = self._newest, d.test_id, d.book
        if book is None or not test_id or all(r.struck for r in d.runs):
            d.result = None
            if book is not None and test_id and d.runs:
                self._nothing_left(book, test_id)
            d.result_changed.emit()
            return
        build, rig, plan, runs, reduced = d.build, d.rig, d.plan, d.runs, self._reduced
        seen = 0

        def work() -> TestResult:
            from sparring.core.analysis import Reductions, analyse
            from sparring.exchange.deriving import peers_of

            if reduced.reductions is None:
                reduced.reductions = Reductions(book.derived)
            material, peers = book.material(runs), peers_of(book, test_id)
            return analyse(
                build,
                rig,
                plan,
                runs=material,
                peers=peers,
                reductions=reduced.reductions,
                progress=going_on,
            )

        def going_on(part: float) -> None:
            nonlocal seen
            if ticket != self._newest:
                raise background.Cancelled
            seen += 1
            # so much stays that looking through it for garbage would hold up the window
            if seen % _EVERY == 0:
                gc.freeze()
                told(part)

        told = background.teller(
            lambda part: d.said.emit(
                f"{build.name}: {100 * part:.0f} % of its {len(runs)} runs reduced."
            )
        )

        def done(result: TestResult) -> None:
            from sparring.core.reduce.results import headline
            from sparring.logbook import LogbookError

            if ticket != self._newest or test_id != d.test_id or d.book is not book:
                return
            d.result = result
            try:
                book.save_headline(test_id, headline(result))
            except LogbookError as err:  # the figures are there, only the list goes without
                d.said.emit(str(err))
            d.result_changed.emit()
            d.lists_changed.emit()

        def failed(err: Exception) -> None:
            if not isinstance(err, background.Cancelled) and d.book is book:
                d.said.emit(f"{build.name}: {err}")

        background.run(work, done, failed)
