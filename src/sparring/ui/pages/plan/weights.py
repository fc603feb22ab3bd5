"""What to hang for a step: the shelf drawn, each weight with what is done with it."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from sparring.core.plan import PlanStep
from sparring.core.plan.weights import Hung, hang_all
from sparring.core.rig import Weight
from sparring.ui.model import background
from sparring.ui.page import Context
from sparring.ui.theme import font, theme
from sparring.ui.widgets.parts import note

_ROW = 24


class Weights(QWidget):
    """The shelf for one step. Worked out off the window's thread, from what hung last."""

    def __init__(self, context: Context) -> None:
        super().__init__()
        self.context, self.desk = context, context.desk
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.shelf = ShelfPicture()
        column.addWidget(self.shelf)
        self.say = note("")
        column.addWidget(self.say)
        self.take = QPushButton("Plan what the shelf makes")
        self.take.clicked.connect(self._take)
        column.addWidget(self.take)
        self.enter = QPushButton("Enter your weights")
        self.enter.clicked.connect(lambda: context.show("rig.shelf"))
        column.addWidget(self.enter)
        self.hung: dict[int, Hung] = {}  # by step id
        self._known: tuple[object, ...] = ()

    def refresh(self, step: int | None) -> None:
        """Shows what to hang for the step with this id."""
        d = self.desk
        weights = d.rig.method.weighed()
        self.setVisible(weights)
        if not weights:
            return
        self.enter.setVisible(not d.rig.shelf)
        if not d.rig.shelf:
            self.shelf.put((), None, d.units["mass"])
            self.say.setText("The shelf is empty: enter each weight you have, once, on Rig.")
            self.take.hide()
            return
        order = self._in_turn()
        wanted = (d.rig.shelf, tuple((s.id, s.mass) for s in order), self._last())
        if wanted != self._known:
            self._known, self.hung = wanted, {}
            self._work_out(order)
        found = self.hung.get(step) if step is not None else None
        self.shelf.put(d.rig.shelf, found, d.units["mass"])
        self.take.setVisible(any(self._differs(s) for s in d.plan.steps))
        self.say.setText(self._told(found, d.plan.step(step) if step is not None else None))

    def _in_turn(self) -> list[PlanStep]:
        """The steps that are left, in the order in which they come first; then all others."""
        plan = self.desk.todo
        due = dict.fromkeys(x.lift.step for x in self.desk.outlook().due)
        steps = [s for i in (*due, *(s.id for s in plan.steps)) if (s := plan.step(i))]
        return list(dict.fromkeys(s for s in steps if s.mass is not None))

    def _last(self) -> float:
        """What hung last, as far as runs tell [kg]."""
        runs = [r.run for r in self.desk.runs if r.run.load is not None]
        return runs[-1].load.value if runs and runs[-1].load is not None else 0.0

    def _work_out(self, order: list[PlanStep]) -> None:
        shelf, last, known = self.desk.rig.shelf, self._last(), self._known

        def work() -> dict[int, Hung]:
            loads = [last, *(s.mass for s in order)] if last else [s.mass for s in order]
            found = hang_all(shelf, loads)[1 if last else 0 :]
            return {s.id: h for s, h in zip(order, found, strict=True) if h is not None}

        def done(found: dict[int, Hung]) -> None:
            if known == self._known:
                self.hung = found
                self.context.desk.plan_changed.emit()

        background.run(work, done, lambda err: self.desk.said.emit(str(err)))

    def _differs(self, step: PlanStep) -> bool:
        hung = self.hung.get(step.id)
        return hung is not None and step.load is not None and hung.total != step.load

    def _told(self, hung: Hung | None, step: PlanStep | None) -> str:
        if step is None or step.mass is None:
            return "Nothing is hung in this step."
        if hung is None:
            return "Working out …"
        total = self.desk.show(hung.total, "mass")
        moves = f"{hung.moves} move{'s' * (hung.moves != 1)}"
        if hung.fits:
            return f"= {total} without the hook, {moves}."
        wanted = self.desk.mass_name(step.mass)
        return f"{wanted} cannot be made; the nearest is {total}, {moves}."

    def _take(self) -> None:
        steps = [
            s.model_copy(update={"load": self.hung[s.id].total}) if self._differs(s) else s
            for s in self.desk.plan.steps
        ]
        kept = self.desk.still_answers("The loads are what the shelf makes nearest to these.")
        if reason := self.desk.lay_steps(steps, "loads from the shelf", **kept):
            self.desk.said.emit(reason)


class ShelfPicture(QWidget):
    """Each weight as a box, larger for a heavier one, filled where it hangs."""

    def __init__(self) -> None:
        super().__init__()
        self._shelf: tuple[Weight, ...] = ()
        self._hung: Hung | None = None
        self._unit = "kg"
        theme.changed.connect(self.update)

    def put(self, shelf: tuple[Weight, ...], hung: Hung | None, unit: str) -> None:
        self._shelf, self._hung, self._unit = shelf, hung, unit
        self.setFixedHeight(max(2, _ROW * len(shelf)))
        names = [f"{self._name(n)}: {self._state(n)}" for n in range(len(shelf))]
        self.setAccessibleName("Weights: " + "; ".join(names))
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(160, _ROW * len(self._shelf))

    def _name(self, n: int) -> str:
        from sparring.core import quantity

        w = self._shelf[n]
        mass = f"{quantity.from_si(w.mass.value, self._unit, 'mass'):.4g} {self._unit}"
        return w.name if any(c.isdigit() for c in w.name) else mass

    def _state(self, n: int) -> str:
        h = self._hung
        if h is None:
            return ""
        if n in h.hang:
            return "hang"
        return "take off" if n in h.take_off else "stays on" if n in h.on else "rests"

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        if not self._shelf:
            return
        most = max(w.mass.value for w in self._shelf)
        for n, w in enumerate(self._shelf):
            state, top = self._state(n), n * _ROW
            moved = state in ("hang", "take off")
            wide = 12 + 26 * (w.mass.value / most) ** (1 / 3)
            box = QRectF(2, top + 4, wide, _ROW - 8)
            p.setPen(theme.colour("ink-2"))
            p.setBrush(theme.colour("ink-3" if state in ("hang", "stays on") else "sheet"))
            p.drawRect(box)
            p.setFont(font(13, bold=moved or state == "stays on"))
            p.setPen(theme.colour("ink"))
            line = QRectF(46, top, self.width() - 48, _ROW)
            p.drawText(line, Qt.AlignmentFlag.AlignVCenter, self._name(n))
            p.setFont(font(12, bold=moved))
            p.setPen(theme.colour("ink" if moved else "ink-2"))
            p.drawText(line, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, state)
