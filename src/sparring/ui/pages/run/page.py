"""Run: four large figures, three strips, the ladder of weights; one key does the next obvious
thing, Esc stops.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QInputDialog, QVBoxLayout, QWidget

from sparring.core import predict, quantity
from sparring.core.build import Build
from sparring.core.live import Instruments, LiveFigures
from sparring.core.plan import Lift, Plan, stalls_of, what_next
from sparring.core.rig import Rig
from sparring.core.run import run_of
from sparring.ui.model.desk import Desk
from sparring.ui.model.live import BenchSession, on_bench
from sparring.ui.pages.run.big_figure import BigFigure
from sparring.ui.pages.run.ladder import Ladder, LadderRow
from sparring.ui.pages.run.strips import Strips
from sparring.ui.widgets.parts import note, sheet

_AVERAGE = 0.5  # [s] over which a live figure is averaged
MARKS = ("click heard", "grinding", "smell", "tooth skipped", "touched it")

if TYPE_CHECKING:
    from sparring.logbook.store import StoredRun


class RunPage(QWidget):
    """The live bench. `next_wanted` is what Space does, and is written on the button."""

    live_flow = pyqtSignal(object)
    finished = pyqtSignal()
    care_wanted = pyqtSignal()

    def __init__(self, desk: Desk, session: BenchSession) -> None:
        super().__init__()
        self.desk, self.session = desk, session
        self.ladder = Ladder(desk)
        self.lift: Lift | None = None
        self.forced: int | None = None  # step that the tester chose out of turn
        self._forced_for: tuple[Any, ...] = ()
        self._foreseen: tuple[tuple[Build, Rig, Plan], list[tuple[float, float, float]]] | None = (
            None
        )
        page = QVBoxLayout(self)
        page.setContentsMargins(0, 0, 0, 0)
        page.setSpacing(8)
        figures, column = sheet(margins=8)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.figures = {
            "torque": BigFigure("Output torque", "torque"),
            "speed": BigFigure("Output speed", "speed"),
            "current": BigFigure("Current", "current"),
            "force": BigFigure("Load cell", "force"),
        }
        for figure in self.figures.values():
            row.addWidget(figure, 1)
        column.addLayout(row)
        page.addWidget(figures)
        self.strips = Strips(desk, session, self._series)
        page.addWidget(self.strips, 1)
        self.empty = note("")
        page.addWidget(self.empty)
        self.ladder.go.clicked.connect(self.do_next)
        self.ladder.stop.clicked.connect(session.stop)
        session.arrived.connect(self._paint_live)
        session.state_changed.connect(self.refresh)
        session.happened.connect(lambda _t: self.refresh())
        session.kept.connect(self._kept)
        for signal in (
            desk.plan_changed,
            desk.result_changed,
            desk.lists_changed,
            desk.build_changed,
            desk.rig_changed,
        ):
            signal.connect(self.refresh)
        desk.rig_changed.connect(self._know_the_rig)
        self._know_the_rig()
        self.refresh()

    # --- what to do next --------------------------------------------------------------------------

    def refresh(self) -> None:
        """Brings ladder and button in step with desk and bench."""
        d, s = self.desk, self.session
        plan, method = d.todo, d.rig.method
        do, doing, stopping = method.DOES
        self.figures["speed"].rename("Speed of the mass" if method.BODY_SPEED else "Output speed")
        done = self.desk.done_lifts()
        stalls = stalls_of(d.outcomes())
        if self.forced is not None and (
            self._forced_for != (d.build_id, d.rig_key) or self.forced >= len(plan.loads)
        ):
            self.forced = None  # chosen for another build or rig, or the plan has become shorter
        begun = s.state in ("preparing", "lifting")
        if self.forced is not None and not begun:
            self.lift = Lift(
                self.forced, 1 + max((x.repeat for x in done if x.step == self.forced), default=0)
            )
        elif not begun:
            self.lift = what_next(plan, d.outcomes())
        self._rows(done, stalls)
        text, on, say, alarm = "", True, "", False
        weight = d.step_name(self.lift.step) if self.lift and method.STEP else ""
        tared = s.tare is not None or not method.CELL
        if s.state == "off":
            text, say = (
                "Connect the simulated bench",
                "No bench yet. The Bench menu connects a board on a serial port instead.",
            )
        elif s.state in ("connecting", "lost"):
            text, on, say = "Waiting for the bench", False, s.why
            if s.stop_wanted and s.state == "lost":
                text, alarm = "STOP not confirmed", True
                say = f"{s.why}. It is told to stop as soon as it hears. Cut its power."
        elif s.state == "lowering" or (s.state == "preparing" and s.hook_up):
            text, on = f"{stopping} …", False
        elif s.state == "preparing":
            text, on = "Setting up …", False
        elif s.state == "stopping":
            text, on, alarm = "STOP not confirmed", False, True
            say = "It is told to stop until it says that it has. Cut its power if it does not."
        elif s.state == "lifting":
            text, on = (f"{doing} …", False) if s.obeys else (f"End this {do.lower()}", True)
        elif self._other_bench():
            text, say = (
                "Set up the simulated bench anew",
                f"It still has what was on it: {s.simulates}.",
            )
        elif not s.stands_in and not d.rig.care_confirmed:
            text, say = (
                "Confirm the care notes",
                "Once for each rig, by name, before a board drives anything: on Rig, under Checks.",
            )
        elif method.LETS_DOWN and s.hook_up:
            text, say = (
                "Lower the hook",
                "It was stopped on its way; nothing can be hung until it is down.",
            )
        elif s.obeys and not tared:
            text, say = (
                "Tare, with nothing pulling",
                f"The reading of the cell {method.CELL} becomes its zero.",
            )
        elif self.lift is None:
            text, say = "See the results", "All of the plan is done."
        elif not method.STEP or (
            s.hung is not None and abs(s.hung - d.steps()[self.lift.step]) < 1e-6
        ):
            again = any(x.step == self.lift.step for x in done)
            text = f"{do} {weight}".strip() + (" again" if again else "")
        elif s.obeys:
            text = f"{'Hang' if method.weighed() else 'Set'} {weight}, then {do.lower()}"
            say = (
                f"The simulated bench sets the {method.STEP} by itself."
                if s.simulated
                else f"Put the {method.STEP} on while the bench is at rest."
            )
        else:
            text = f"Record a {do.lower()} {f'of {weight}' if weight else ''}".strip()
            say = (
                f"This bench takes no commands: press, {do.lower()} by hand, press again at the"
                " end."
            )
        self.ladder.go.say(text, alarm=alarm)
        self.ladder.go.setEnabled(on)
        self.ladder.say.setText(say)
        self.ladder.stop.setEnabled(s.state not in ("off",))
        total = d.todo_count()
        self.ladder.where.setText(
            f"{len(done)} of {total}"
            if not self.lift or plan.order == "bisection"
            else f"{do.lower()} {self.lift.repeat} of {plan.repeats}"
        )
        self.empty.setVisible(s.ring is None)
        self.empty.setText(
            "The strips show load cell, speed and current as soon as a bench is connected. Press"
            " Space to try the simulated one."
        )
        # what the figures showed last is no reading; the strips keep what has been
        if s.live is None:
            for figure, kind in zip(
                self.figures.values(), ("torque", "speed", "current", "force"), strict=True
            ):
                figure.put("–", d.units[kind])
        if s.ring is None:
            self.strips.blank()

    def _expected(self) -> list[tuple[float, float, float]]:
        """Of every step: chance that it stalls, output torque it asks for [N·m], gearbox efficiency
        then. Worked out once for a build, rig and plan: a change on the desk, and every word of the
        bench, brings the ladder up to date.
        """
        d = self.desk
        asked_of = (d.build, d.rig, d.plan)
        if self._foreseen is None or any(
            a is not b for a, b in zip(self._foreseen[0], asked_of, strict=True)
        ):
            steps = []
            for load in d.todo.loads:
                asked = predict.load_torque(d.rig, load.value)
                chance = predict.stall_likelihood(d.build, d.rig, load.value, d.todo.voltage)
                steps.append(
                    (chance, asked, predict.power_flow(d.build, asked, d.todo.voltage).gearbox)
                )
            self._foreseen = asked_of, steps
        return self._foreseen[1]

    def _rows(self, done: list[Lift], stalls: dict[int, int]) -> None:
        d = self.desk
        plan = d.todo
        while len(self.ladder.rows) < len(plan.loads):
            row = LadderRow(len(self.ladder.rows))
            row.chosen.connect(self._force)
            self.ladder.rows.append(row)
            self.ladder.rows_box.addWidget(row)
        while len(self.ladder.rows) > len(plan.loads):
            gone = self.ladder.rows.pop()
            self.ladder.rows_box.removeWidget(gone)
            gone.deleteLater()
        found = {s.points[0].run.step: s for s in d.result.lifted} if d.result else {}
        expected = self._expected()
        for i, row in enumerate(self.ladder.rows):
            n = sum(1 for x in done if x.step == i)
            if i in stalls and i not in found:
                text = "stalled"
            elif i in found and (
                found[i].gearbox is not None or found[i].wire_to_shaft is not None
            ):
                text = d.show(
                    found[i].gearbox if found[i].gearbox is not None else found[i].wire_to_shaft,
                    "ratio",
                    decimals=1,
                )
            else:
                chance, asked, eta = expected[i]
                text = (
                    f"stall {100 * chance:.0f} %"
                    if chance > 0.05
                    else f"{100 * eta:.0f} % expected"
                )
                if asked <= 0 or (chance <= 0.05 and d.rig.method.STANDS):
                    text = ""
                if n and i not in stalls and d.rig.method.STANDS:
                    text = "lifted"
            row.put(
                (
                    d.step_name(i) if d.rig.method.STEP else d.rig.method.DOES[0].lower(),
                    f"{n}/{plan.repeats}",
                    text,
                ),
                n,
                plan.repeats,
                stalled=i in stalls or "stall" in text,
                current=self.lift is not None and self.lift.step == i,
            )

    def _other_bench(self) -> bool:
        """Whether another build, rig or method is on the simulated bench than on the desk."""
        return self.session.simulated and self.session.simulates != on_bench(
            self.desk.build, self.desk.rig
        )

    def _force(self, step: int) -> None:
        self.forced = None if self.forced == step else step
        self._forced_for = (self.desk.build_id, self.desk.rig_key)
        self.refresh()

    def do_next(self) -> None:
        """What Space does."""
        s, d = self.session, self.desk
        if d.book is None:
            d.said.emit("The logbook is still opening.")
            return
        if s.state == "off":
            s.simulate(d.build, d.rig)
        elif s.state == "lifting" and not s.obeys:
            s.finish()
        elif s.state != "ready":
            return
        elif self._other_bench():
            s.simulate(d.build, d.rig)
        elif not s.stands_in and not d.rig.care_confirmed:
            self.care_wanted.emit()
        elif d.rig.method.LETS_DOWN and s.hook_up:
            s.lower()
        elif s.obeys and s.tare is None and d.rig.method.CELL:
            s.zero(f"{d.rig.method.SET_BY[0]} 0")
        elif self.lift is None:
            self.finished.emit()
        else:
            method = d.rig.method
            s.limits = d.rig.watched()
            run = run_of(d.rig, d.plan, self.lift, "simulated" if s.stands_in else "bench")
            setting = (method.SET_BY[0], d.steps()[self.lift.step]) if method.STEP else None
            s.lift(run, d.ensure_test(), d.book.capture_path(), setting)
        self.refresh()

    def broke(self) -> None:
        """B: stops, and asks which part gave way in this run."""
        from sparring.ui.widgets.break_dialog import ask_break

        s, desk = self.session, self.desk
        lifting, before = s.state == "lifting", {r.id for r in desk.runs}
        s.stop()
        if not lifting and not desk.runs:
            desk.said.emit("Nothing has been run yet that could have broken.")
            return

        def run() -> StoredRun | None:
            new = [r for r in desk.runs if r.id not in before] if lifting else desk.runs
            return new[-1] if new else None

        self._mark_dialog = ask_break(desk, run, self)

    def mark(self) -> None:
        """M: marks this moment with a word; the run goes on."""
        ring = self.session.live
        if ring is None or not ring.count:
            self.desk.said.emit("There is nothing to mark: no bench is connected.")
            return
        at = float(ring.t[-1])
        dialog = QInputDialog(self)
        dialog.setWindowTitle("Mark")
        dialog.setLabelText("Heard or seen:")
        dialog.setComboBoxItems(list(MARKS))
        dialog.setComboBoxEditable(True)
        dialog.textValueSelected.connect(lambda text: self.session.mark(text, at))
        dialog.setModal(False)
        dialog.show()
        self._mark_dialog = dialog

    def _kept(self, run_id: int) -> None:
        self.forced = None
        self.desk.runs_changed([run_id])
        if self.desk.runs:
            self.strips.kept.append(self.desk.runs[-1].run)

    # --- live pictures ----------------------------------------------------------------------------

    def _know_the_rig(self) -> None:
        self._instruments = Instruments(self.desk.rig)

    def _tare(self) -> float | None:
        return self.session.tare.value if self.session.tare is not None else None

    def _series(self, key: str) -> np.ndarray | None:
        ring = self.session.ring
        return (
            None
            if ring is None
            else self._instruments.series(
                key, {c: ring.values(c) for c in ring.channels}, self._tare()
            )
        )

    def _paint_live(self) -> None:
        ring = self.session.ring
        if ring is None or ring.count < 4:
            return
        if self.isVisible():
            self.strips.show_newest()
        if self.session.live is None:  # the last that came before it was lost
            return
        recent = ring.since(float(ring.t[-1]) - _AVERAGE)
        x = self._instruments.figures(
            {c: ring.values(c)[recent] for c in ring.channels}, self._tare()
        )
        if self.isVisible():
            self._figures(x)
        if (
            x.voltage is not None
            and x.current is not None
            and x.speed is not None
            and x.torque is not None
        ):
            moving = x.speed > 0.05
            flow = predict.measured_flow(
                self.desk.build,
                max(x.voltage, 0.0),
                max(x.current, 0.0),
                max(x.power_in or 0.0, 0.0),
                x.speed if moving else 0.0,
                max(x.torque, 0.0) if moving else 0.0,
            )
            self.live_flow.emit(flow)

    def _figures(self, x: LiveFigures) -> None:
        d = self.desk
        for key, value, kind, size in (
            ("torque", x.torque, "torque", 3),
            ("speed", x.speed, "speed", 1),
            ("current", x.current, "current", 2),
            ("force", x.force, "force", 2),
        ):
            unit = d.units[kind]
            if value is None or not np.isfinite(value):
                self.figures[key].put("–", unit)
                continue
            shown = quantity.from_si(value, unit, kind)
            places = max(0, size - (1 if abs(shown) >= 100 else 0))
            text = f"{shown:.{places}f}"
            self.figures[key].put(
                "0." + "0" * places if places and float(text) == 0 else text, unit
            )
