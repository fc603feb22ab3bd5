"""What is compared: the builds and tests that are ticked, at which conditions, and what follows,
worked out off the window's thread while somebody looks at it.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass, replace
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

from sparring.core.compare.choice import Choice
from sparring.ui.model import background

if TYPE_CHECKING:
    from sparring.core.compare.compared import Compared
    from sparring.core.compare.next_change import Change
    from sparring.core.compare.subject import Subject
    from sparring.core.duty.meets import Ranking
    from sparring.core.duty.needs import Need
    from sparring.core.duty.ratio import OverRatio
    from sparring.exchange.comparing import Seen
    from sparring.ui.model.on_desk import OnDesk

_KEY = "compare"
_SAVED = "compare.saved"
DRIVES = ("all builds", "those compared", "every motor on every train")
"""Which drives a duty is held against."""


@dataclass(frozen=True)
class Wanted:
    """How it is compared. figure: of the differences; voltage [V], torque [N·m], share: of stall,
    None: what most share; reference: build and test, None: all pairs; margin: SI; factors: None:
    all that vary; interactions: pairs of factors; drives: of `DRIVES`; combined.
    """

    figure: str = "gearbox"
    voltage: float | None = None
    torque: float | None = None
    share: float | None = None
    reference: tuple[int, int] | None = None
    margin: float | None = None
    factors: tuple[str, ...] | None = None
    interactions: tuple[tuple[str, str], ...] = ()
    across: str = "mass"
    up: str = "stall"
    drives: str = DRIVES[0]


class Comparing(QObject):
    """Signals: `ticked`: other builds, or whether they are ticked at all; `changed`: what follows,
    `duty_changed`: what follows for the duty.
    """

    ticked = pyqtSignal()
    changed = pyqtSignal()
    duty_changed = pyqtSignal()

    def __init__(self, desk: OnDesk) -> None:
        super().__init__(desk)
        self._desk = desk
        self.ticking = False
        self.choices: list[Choice] = []
        self.query = ""  # by which they were found, if they were
        self.wanted = Wanted()
        self.found: Compared | None = None
        self.failed = ""
        self.ranking: Ranking | None = None
        self.needs: list[Need] = []
        self.duty_failed = ""
        self._seen: Seen | None = None
        self._ticket = self._duty_ticket = 0
        self._due = self._duty_due = False
        self.busy = self._first = False
        self.changed.connect(desk.compared)
        desk.opened.connect(self._opened)
        desk.lists_changed.connect(self._again)
        desk.duty_changed.connect(self._duty_again)

    def _begin(self) -> None:
        """Where nobody has chosen yet: the family on the desk."""
        book, family = self._desk.book, self._desk.build.family
        self._first = False
        if book is not None and not self.choices:
            tested = {t.build_id for t in book.tests() if t.runs}
            own = [key for key, b in book.builds() if b.family == family and key in tested]
            if len(own) > 1:
                self.choose([Choice(key) for key in own])

    # --- what is chosen ---------------------------------------------------------------------------

    def _opened(self) -> None:
        from sparring.exchange.comparing import Seen

        book = self._desk.book
        self._seen, self.found, self.ranking = Seen(), None, None
        kept = (book.setting(_KEY) if book is not None else None) or {}
        self._first = not kept
        try:
            self.choices = [Choice(*pair) for pair in kept.get("choices", [])]
            told = dict(kept.get("wanted", {}))
            for name in ("reference", "factors"):
                told[name] = None if told.get(name) is None else tuple(told[name])
            told["interactions"] = tuple(tuple(x) for x in told.get("interactions", ()))
            self.wanted = Wanted(**told)
        except (TypeError, ValueError):  # of a version to come
            self.choices, self.wanted = [], Wanted()
        self._forget_gone()
        self._again()
        self.ticked.emit()

    def _forget_gone(self) -> None:
        book = self._desk.book
        if book is None:
            return
        builds = {key for key, _ in book.builds()}
        tests = {t.id for t in book.tests()}
        self.choices = [
            c for c in self.choices if c.build in builds and (not c.test or c.test in tests)
        ]

    def choose(self, choices: Sequence[Choice]) -> None:
        """Compares these."""
        if list(choices) != self.choices:
            self.choices = list(choices)
            self._keep()
            self._again()
            self.ticked.emit()

    def tick(self, choice: Choice, *, on: bool) -> None:
        """Adds one, or takes it out."""
        rest = [c for c in self.choices if c != choice]
        self.choose([*rest, choice] if on else rest)

    def set_ticking(self, on: bool) -> None:
        """Whether the list of builds shows what is ticked."""
        if on != self.ticking:
            self.ticking = on
            self.ticked.emit()

    def want(self, **fields: Any) -> None:
        """Compares in another way; fields: of `Wanted`."""
        now = replace(self.wanted, **fields)
        if now != self.wanted:
            drives = now.drives != self.wanted.drives
            self.wanted = now
            self._keep()
            if drives:
                self._duty_again()
            else:
                self._again()

    def _keep(self) -> None:
        book = self._desk.book
        if book is not None and not book.read_only:
            self._try(
                lambda: book.set_setting(
                    _KEY,
                    {"choices": [list(c) for c in self.choices], "wanted": asdict(self.wanted)},
                )
            )

    def _try(self, what: Callable[[], None]) -> None:
        from sparring.logbook import LogbookError

        try:
            what()
        except LogbookError as err:
            self._desk.said.emit(str(err))

    # --- choices under a name ---------------------------------------------------------------------

    def saved(self) -> dict[str, Any]:
        """Queries and choices that are kept, by name."""
        book = self._desk.book
        return dict((book.setting(_SAVED) if book is not None else None) or {})

    def save_as(self, name: str, query: str) -> None:
        """Keeps the query under a name; without one, what is ticked."""
        book = self._desk.book
        if book is None:
            return
        what = {"query": query} if query else {"choices": [list(c) for c in self.choices]}
        self._try(lambda: book.set_setting(_SAVED, {**self.saved(), name: what}))
        self.ticked.emit()

    def drop_saved(self, name: str) -> None:
        """Forgets what is kept under a name."""
        book = self._desk.book
        rest = {k: v for k, v in self.saved().items() if k != name}
        if book is not None:
            self._try(lambda: book.set_setting(_SAVED, rest))
            self.ticked.emit()

    def take_saved(self, name: str) -> str | None:
        """Chooses what is kept under a name; its query, None: it was a choice."""
        kept = self.saved().get(name)
        if kept is None:
            return None
        if "query" in kept:
            self.tick_found(kept["query"])
            return str(kept["query"])
        self.choose([Choice(*pair) for pair in kept.get("choices", [])])
        return None

    def tick_found(self, text: str) -> None:
        """Compares what a query finds; says why where it cannot."""
        from sparring.core.quantity import QuantityError
        from sparring.exchange.comparing import chosen_by

        book = self._desk.book
        if book is None:
            return
        try:
            self.choose(chosen_by(book, text))
            self.query = text
        except QuantityError as err:
            self._desk.said.emit(str(err))

    # --- what follows -----------------------------------------------------------------------------

    def _again(self) -> None:
        self._ticket += 1
        self._due = True
        self._duty_again()
        self.changed.emit()

    def look(self) -> None:
        """Somebody looks at it: it is worked out, where it is not yet."""
        book, seen = self._desk.book, self._seen
        if self._first and book is not None:
            self._begin()
        if not self._due or book is None or seen is None:
            return
        self._due = False
        ticket, choices, wanted = self._ticket, list(self.choices), self.wanted
        self.busy = True
        if not choices:
            self.found, self.failed, self.busy = None, "", False
            self.changed.emit()
            return

        def work() -> Compared:
            from sparring.exchange.comparing import subjects_of

            def progress(_part: float) -> None:
                if ticket != self._ticket:
                    raise background.Cancelled

            return _compared(subjects_of(book, choices, seen, progress), choices, wanted)

        def done(found: Compared) -> None:
            if ticket == self._ticket:
                self.found, self.failed, self.busy = found, "", False
                self.changed.emit()

        def failed(err: Exception) -> None:
            if ticket == self._ticket:
                self.found, self.failed, self.busy = None, str(err), False
                self.changed.emit()

        background.run(work, done, failed)

    # --- the duty ---------------------------------------------------------------------------------

    def _duty_again(self) -> None:
        self._duty_ticket += 1
        self._duty_due = True
        self.duty_changed.emit()

    def look_at_duty(self) -> None:
        """Somebody looks at which drive does the duty."""
        book, seen, duty = self._desk.book, self._seen, self._desk.duty
        if not self._duty_due or book is None or seen is None:
            return
        self._duty_due = False
        ticket, drives = self._duty_ticket, self.wanted.drives
        chosen = list(self.choices)

        def work() -> tuple[Ranking, list[Need]]:
            from sparring.core.duty.meets import meets
            from sparring.core.duty.needs import needs
            from sparring.exchange.candidates import candidates_of
            from sparring.exchange.comparing import subjects_of

            choices = chosen if drives == DRIVES[1] else [Choice(key) for key, _ in book.builds()]
            subjects = subjects_of(book, choices, seen)
            ranking = meets(candidates_of(subjects, combine=drives == DRIVES[2]), duty)
            none = ranking.found and not any(m.meets for m in ranking.found)
            return ranking, needs(ranking.found[0], duty) if none else []

        def done(found: tuple[Ranking, list[Need]]) -> None:
            if ticket == self._duty_ticket:
                (self.ranking, self.needs), self.duty_failed = found, ""
                self.duty_changed.emit()

        def failed(err: Exception) -> None:
            if ticket == self._duty_ticket:
                self.ranking, self.needs, self.duty_failed = None, [], str(err)
                self.duty_changed.emit()

        background.run(work, done, failed)

    def over_ratio(
        self, build_id: int, distance: float, done: Callable[[OverRatio | Exception], None]
    ) -> None:
        """The duty over the ratio, with the motor and the losses of a build."""
        book, seen, duty = self._desk.book, self._seen, self._desk.duty
        if book is None or seen is None:
            return

        def work() -> OverRatio:
            from sparring.core.duty.ratio import over_ratio
            from sparring.exchange.candidates import candidate_of
            from sparring.exchange.comparing import subjects_of

            candidate = candidate_of(subjects_of(book, [Choice(build_id)], seen)[0])
            return over_ratio(candidate.motor, candidate.train, duty, distance=distance)

        background.run(work, done, done)

    def subject(self, build_id: int, done: Callable[[Subject | Exception], None]) -> None:
        """What is known of one build."""
        book, seen = self._desk.book, self._seen
        if book is None or seen is None:
            return

        def work() -> Subject:
            from sparring.exchange.comparing import subjects_of

            return subjects_of(book, [Choice(build_id)], seen)[0]

        background.run(work, done, done)

    def changes(self, torque: float, done: Callable[[list[Change] | Exception], None]) -> None:
        """What to change next of the build on the desk, for a torque at its output."""
        build = self._desk.build

        def work() -> list[Change]:
            from sparring.core.compare.next_change import changes

            return changes(build, torque, build.motor.voltage.value)

        background.run(work, done, done)


def _compared(subjects: list[Subject], choices: list[Choice], wanted: Wanted) -> Compared:
    from sparring.core.compare.comparison import usual
    from sparring.core.compare.whole import compared

    at = usual(subjects)
    if wanted.voltage is not None:
        at = at._replace(voltage=wanted.voltage)
    if wanted.torque is not None:
        at = at._replace(torque=wanted.torque)
    if wanted.share is not None:
        at = at._replace(share=wanted.share)
    pairs = [tuple(c) for c in choices]
    place = pairs.index(wanted.reference) if wanted.reference in pairs else None
    return compared(
        subjects,
        at,
        figure=wanted.figure,
        reference=place,
        margin=wanted.margin,
        factors=wanted.factors,
        interactions=wanted.interactions,
    )
