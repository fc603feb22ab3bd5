"""What to change next of the build on the desk, and how many spares a season takes."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QSpinBox, QVBoxLayout, QWidget

from sparring.core import quantity
from sparring.core.compare.next_change import Change
from sparring.core.compare.subject import Subject
from sparring.core.duty.record import per_cycle
from sparring.core.duty.spares import Fleet, Spare
from sparring.core.records import Q
from sparring.ui.model import background
from sparring.ui.model.desk import Desk
from sparring.ui.widgets.choice import Count
from sparring.ui.widgets.parts import Table, heading, note, sheet
from sparring.ui.widgets.plain import Label
from sparring.ui.widgets.quantity_field import QuantityField

_AIMS = {"loss": "less loss", "strength": "stronger", "mass": "lighter"}


class ChangePanel(QWidget):
    """Both are of the build on the desk."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.changes: list[Change] = []
        self._ticket, self._of = 0, object()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self._next(), 5)
        column.addWidget(self._spares(), 4)
        for signal in (desk.build_changed, desk.units_changed, desk.duty_changed):
            signal.connect(self.refresh)

    def _next(self) -> QWidget:
        frame, column = sheet(margins=8)
        row = QHBoxLayout()
        self.title = heading("What next")
        row.addWidget(self.title)
        row.addStretch(1)
        self.torque = QuantityField(
            Q("torque", "N·m", above=0.0), "N·m", self._take, measured=False, name="For a torque of"
        )
        label = Label("for a torque of")
        label.setBuddy(self.torque)
        row.addWidget(label)
        row.addWidget(self.torque)
        self.make = QPushButton("As a new revision")
        self.make.setToolTip("The chosen change, in a revision of its own; this one stays as it is")
        self.make.clicked.connect(self.begin)
        row.addWidget(self.make)
        column.addLayout(row)
        self.table = Table(
            ["aim", "change", "gain", "wire to shaft", "fails at", "mass", "why"],
            "Changes with most to gain",
            2,
            left=(1, 6),
            wraps=True,
        )
        column.addWidget(self.table, 1)
        self.told = note("")
        column.addWidget(self.told)
        return frame

    def _spares(self) -> QWidget:
        frame, column = sheet(margins=8)
        row = QHBoxLayout()
        row.addWidget(heading("Spares for a season"))
        row.addStretch(1)
        self.right, self.left = Count(), Count()
        for words, count, value in (("right-handed", self.right, 1), ("left-handed", self.left, 0)):
            count.setRange(0, 100_000)
            count.setValue(value)
            count.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
            count.setAccessibleName(f"Drives, {words}")
            count.setFixedWidth(64)
            count.editingFinished.connect(self._count)
            self._labelled(row, words, count)
        self.days, self.sure = Count(), Count()
        self.days.setRange(1, 36_500)
        self.days.setValue(180)
        self.days.setSuffix(" days")
        self.sure.setRange(51, 99)
        self.sure.setValue(95)
        self.sure.setSuffix(" %")
        for words, count in (("season", self.days), ("enough with", self.sure)):
            count.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
            count.setAccessibleName(words.capitalize())
            count.setFixedWidth(90)
            count.editingFinished.connect(self._count)
            self._labelled(row, words, count)
        column.addLayout(row)
        self.spares = Table(
            ["part", "hand", "expected", "spares", "listed", "because of"],
            "Spares for a season",
            2,
            left=(1, 5),
        )
        column.addWidget(self.spares, 1)
        self.spares_told = note("")
        column.addWidget(self.spares_told)
        return frame

    def _labelled(self, row: QHBoxLayout, words: str, field: QWidget) -> None:
        label = Label(words)
        label.setBuddy(field)
        row.addWidget(label)
        row.addWidget(field)

    # --- what next --------------------------------------------------------------------------------

    def _take(self, value: object) -> str | None:
        if value is None:
            return "a torque is needed"
        self._of = object()
        self.refresh()
        return None

    def refresh(self) -> None:
        if not self.isVisible():
            return
        d = self.desk
        if self.torque.value is None:
            driven = [s.torque for s in d.duty.todo if s.kind == "drive" and s.torque > 0]
            self.torque.set_value(d.build.expected_load or max(driven, default=d.load))
        torque = self.torque.value.value if self.torque.value is not None else d.load
        self.torque.set_value(float(f"{torque:.3g}"), d.units["torque"])
        self.title.setText(f"What next for {d.build.name}")
        of = d.build, torque, d.duty, tuple(d.units.items())
        if of == self._of:
            return
        self._of = of
        self._ticket += 1
        ticket = self._ticket

        def done(found: list[Change] | Exception) -> None:
            if ticket != self._ticket:
                return
            self.changes = [] if isinstance(found, Exception) else found
            self.table.fill([self._row(c) for c in self.changes])
            self.table.setCurrentCell(0, 0)
            self.make.setEnabled(bool(self.changes))
            self.told.setText(
                str(found)
                if isinstance(found, Exception)
                else "Predicted with and without the change, at the motor's own voltage."
            )

        d.comparing.changes(torque, done)
        self._count()

    def _row(self, c: Change) -> list[str]:
        d = self.desk
        wire = (
            f"{quantity.show(c.before.wire_to_shaft, 'ratio', '%', decimals=1, with_unit=False)} → "
            f"{quantity.show(c.after.wire_to_shaft, 'ratio', '%', decimals=1)}"
        )

        def both(kind: str, before: float, after: float) -> str:
            if before == after:
                return d.three(before, kind)
            first = d.three(before, kind).rpartition(" ")[0]
            return f"{first} → {d.three(after, kind)}"

        return [
            _AIMS[c.aim],
            c.what,
            f"+{100 * c.gain:.1f} %" if c.aim != "mass" else f"−{100 * c.gain:.1f} %",
            wire,
            both("torque", c.before.strength, c.after.strength),
            both("mass", c.before.mass, c.after.mass),
            c.why,
        ]

    def begin(self) -> None:
        """The chosen change becomes a revision."""
        n = self.table.currentRow()
        if 0 <= n < len(self.changes):
            change = self.changes[n]
            self.desk.begin_revision(change.build, change.what)

    # --- spares -----------------------------------------------------------------------------------

    def _count(self) -> None:
        d, ticket = self.desk, self._ticket
        duty = d.duty
        fleet = Fleet(
            left=self.left.value(),
            right=self.right.value(),
            cycles=self.days.value() * duty.per_day,
            sure=self.sure.value() / 100,
        )

        def told(found: list[Spare] | Exception) -> None:
            if ticket != self._ticket:
                return
            if isinstance(found, Exception):
                self.spares.fill([])
                self.spares_told.setText(str(found))
                return
            self.spares.fill(
                [
                    [
                        s.part,
                        s.hand or "either",
                        f"{s.expected:.2g}",
                        str(s.pieces),
                        str(s.have),
                        s.why,
                    ]
                    for s in found
                ]
            )
            self.spares_told.setText(
                f"For {fleet.cycles:.4g} cycles of “{duty.name}” of each drive; a part that fails "
                "is replaced by a new one."
            )

        def known(s: Subject | Exception) -> None:
            if isinstance(s, Exception):
                told(s)
                return

            def work() -> list[Spare]:
                from sparring.core.duty.spares import spares
                from sparring.exchange.candidates import candidate_of

                return spares(s.build, candidate_of(s).train, fleet, *per_cycle(duty))

            background.run(work, told, told)

        d.comparing.subject(d.build_id, known)
