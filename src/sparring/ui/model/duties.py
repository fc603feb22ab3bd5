"""The duties of a logbook, one of them on the desk."""

from __future__ import annotations

import json
from collections.abc import Sequence

from sparring.core.build import Build
from sparring.core.duty.record import Duty
from sparring.core.duty.tasks import Vent
from sparring.core.duty.teeth import Proposal
from sparring.core.plan import Factor
from sparring.core.quantity import Measured
from sparring.core.records import RecordError, changed
from sparring.ui.model.campaigning import Campaigning
from sparring.ui.model.edits import Begin, FactorsSaid, NewDuty

_KEY, _LAID = "duties", "duty"


class Duties(Campaigning):
    """What a desk does with duties."""

    def duties(self) -> dict[int, Duty]:
        """Those of the logbook, by number; what another version wrote is left alone."""
        found = {}
        for key, text in ((self.book.setting(_KEY) if self.book else None) or {}).items():
            try:
                found[int(key)] = Duty.from_json(json.dumps(text))
            except (RecordError, ValueError):
                continue
        return found

    def find_duty(self) -> None:
        """The one that lay on the desk last, else the first, else one to begin with."""
        kept = self.book.setting(_LAID) if self.book is not None else 0
        found = self.duties()
        self.lay_duty(kept if kept in found else min(found, default=0))

    def lay_duty(self, key: int) -> None:
        """Lays a duty on the desk; 0: one to begin with, which is kept when it is changed."""
        found = self.duties()
        self.duty_id = key if key in found else 0
        self.duty = found.get(key) or Duty.ours(
            name="vent", task=Vent.ours(), voltage=self.build.motor.voltage.value
        )
        if self.book is not None and self.duty_id and not self.book.read_only:
            self.book.set_setting(_LAID, self.duty_id)
        self.duty_changed.emit()

    def begin_duty(self, duty: Duty) -> None:
        """Keeps a new duty, undoably, and lays it on the desk."""
        self.undo.push(NewDuty(self, duty))

    def begin_revision(self, build: Build, what: str) -> None:
        """A change of the build on the desk as a revision of its own, undoably."""
        assert self.book is not None
        number = self.book.next_revision(build.family)
        made = build.model_copy(
            update={"revision": number, "first_power": None, "title": what[:120]}
        )
        self.undo.push(Begin(self, made, f"{what} in {made.name}"))
        self.said.emit(f"{made.name} is on the desk with this change: {what}.")

    def begin_geared(self, build_id: int, gears: Proposal) -> None:
        """A build of these pairs with the motor of another, undoably, on the desk."""
        from sparring.core.train.kinds.spur import SpurStage

        assert self.book is not None
        like = self.book.build(build_id)
        family = f"{like.family} {gears.ratio:.3g}"[:60]
        friction = getattr(like.stages[0], "friction", None)
        known = {"friction": friction} if isinstance(friction, Measured) else {}
        stages = tuple(
            SpurStage(pinion=p.pinion, wheel=p.wheel, module=p.module, **known) for p in gears.pairs
        )
        try:
            made = Build(
                family=family,
                revision=self.book.next_revision(family),
                title=f"proposed, {gears.ratio:.4g}:1",
                motor=like.motor,
                lubricant=like.lubricant,
                stages=stages,
            )
        except ValueError as err:
            self.said.emit(str(err))
            return
        self.undo.push(Begin(self, made, f"new build {made.name}"))
        self.said.emit(f"{made.name} is on the desk; look at it on Build.")

    def say_factors(self, test: int, factors: Sequence[Factor]) -> None:
        """What a test is one level of, undoably."""
        assert self.book is not None
        before = self.book.test(test).plan
        try:
            after = changed(before, ("factors",), tuple(factors))
        except RecordError as err:
            self.said.emit(str(err))
            return
        if after != before:
            self.undo.push(FactorsSaid(self, test, before, after))

    def put_duty(self, key: int, duty: Duty | None) -> int:
        """Keeps it under its number (0: a new one), or takes it out; its number."""
        assert self.book is not None
        kept = dict(self.book.setting(_KEY) or {})
        key = key or 1 + max(map(int, kept), default=0)
        if duty is None:
            kept.pop(str(key), None)
        else:
            kept[str(key)] = json.loads(duty.to_json())
        self.book.set_setting(_KEY, kept)
        self.lay_duty(key if duty is not None else min(map(int, kept), default=0))
        return key
