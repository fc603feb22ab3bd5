"""Run: four large figures, three strips, the ladder of weights; one key does the next obvious
thing, Esc stops.
"""

from __future__ import annotations

import time
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from PyQt6.QtCore import QMimeData, QTimer
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from sparring.bench.states import MOVING
from sparring.core import predict
from sparring.core.build import Build
from sparring.core.by_eye import ByEye
from sparring.core.events import Event, in_words
from sparring.core.live import Instruments
from sparring.core.outlook.foresee import Foreseen
from sparring.core.plan import Lift, PlanStep, stalls_of, what_next
from sparring.core.run import Run, run_of
from sparring.ui.model.advancing import Advance
from sparring.ui.model.living import LifeTest
from sparring.ui.model.watching import Watching
from sparring.ui.page import Context, ShownFlow, View
from sparring.ui.pages.run.by_eye import EyePanel
from sparring.ui.pages.run.ladder import Ladder, LadderRow
from sparring.ui.pages.run.life_dialog import LifeDialog
from sparring.ui.pages.run.life_panel import LifePanel
from sparring.ui.pages.run.live_row import LiveRow
from sparring.ui.pages.run.next_thing import Offer, next_thing, of_life
from sparring.ui.pages.run.noted import PICTURES, Noted
from sparring.ui.pages.run.strips import Strips
from sparring.ui.pages.run.word_strip import WordStrip
from sparring.ui.widgets.parts import note

_AVERAGE = 0.5  # [s] over which a live figure is averaged
_EMPTY = (
    "The strips show load cell, speed and current as soon as a bench is connected. Press Space to"
    " try the simulated one."
)

if TYPE_CHECKING:
    from sparring.logbook.stored import StoredRun


# [s] between two pictures, while it moves and at rest
_FIGURES, _STRIPS, _FLOWS = (0.12, 0.4), (0.2, 0.8), (0.3, 1.2)


class RunPage(View):
    """The live bench. `next_wanted` is what Space does, and is written on the button."""

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        desk, session = context.desk, context.session
        self.ladder = Ladder(desk)
        self.lift: Lift | None = None
        self._wants_eye = desk.settings.value("eye/on", False, type=bool)
        # of the live figures, with the build they are of
        self._flow: tuple[Build, predict.PowerFlow] | None = None
        self._backwards = False  # the output turns the other way
        self._revealed: int | None = None  # step that the ladder was scrolled to
        self.forced: int | None = None  # step that the tester chose out of turn
        self._forced_for: tuple[Any, ...] = ()
        page = QVBoxLayout(self)
        page.setContentsMargins(0, 0, 0, 0)
        page.setSpacing(8)
        self.row, self.eye = LiveRow(desk), EyePanel(desk)
        page.addWidget(self.row)
        self.eye.entered.connect(self._read)
        self.eye.corrected.connect(self._put_right)
        self.eye.hide()
        page.addWidget(self.eye, 1)
        self.strips = Strips(desk, session, self._series)
        page.addWidget(self.strips, 1)
        self.empty = note(_EMPTY)
        page.addWidget(self.empty)
        self.strip = WordStrip()
        page.addWidget(self.strip)
        self.noted = Noted(desk, session, self.strip)
        self.noted.follow(self.eye)
        self.life = LifeTest(desk, session)
        self.life_panel = LifePanel(self.life)
        self.life_panel.hide()
        page.insertWidget(1, self.life_panel, 2)
        self.life.changed.connect(self.refresh)
        self.setAcceptDrops(True)
        self.ladder.go.clicked.connect(self.do_next)
        self.ladder.stop.clicked.connect(session.stop)
        # when figures, strips and driveline were last painted
        self._painted = self._drawn = self._flowed = 0.0
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.timeout.connect(self._paint_live)
        session.arrived.connect(self._arrived)
        session.state_changed.connect(self.refresh)
        session.happened.connect(lambda _t: self.refresh())
        session.kept.connect(self._kept)
        self.watching = Watching(desk, session)
        self.watching.happened.connect(self._happened)
        self.watching.steady.connect(self._steady)
        self.advance = Advance(self)
        self.advance.ticked.connect(self.refresh)
        self.advance.due.connect(self.do_next)
        session.stop_asked.connect(self._hold)
        for signal in (desk.plan_changed, desk.result_changed, desk.lists_changed):
            signal.connect(self.refresh)
        for signal in (desk.rig_changed, desk.build_changed):
            signal.connect(self._know_the_rig)
        self._know_the_rig()

    # --- what to do next --------------------------------------------------------------------------

    def beside(self) -> QWidget:
        return self.ladder

    def refresh(self) -> None:
        """Brings ladder and button in step with desk and bench."""
        d, s = self.desk, self.session
        plan, method = d.todo, d.rig.method
        self.row.figures["speed"].rename("Flywheel speed" if method.ACCELERATES else "Output speed")
        done = d.done_lifts()
        self._choose_lift(done)
        self._rows(done, stalls_of(d.outcomes()))
        offer = self._begins_by_itself(self._offer())
        self.ladder.go.key = offer.key
        self.ladder.go.say(offer.text, alarm=offer.alarm)
        self.ladder.go.setEnabled(offer.act is not None)
        self.ladder.say.setText(offer.say)
        self.ladder.stop.setEnabled(s.state != "off")
        lives = self.life.journal is not None
        by_eye = self.by_eye and not lives
        for part, shown in (
            (self.eye, by_eye),
            (self.row, not by_eye),
            (self.strips, not by_eye and not lives),
            (self.life_panel, lives),
        ):
            part.setVisible(shown)
        if lives:
            self.life_panel.refresh()
        self.noted.by_eye = by_eye and self.lift is not None and offer.key != "Space"
        if by_eye and self.lift is not None and offer.key == "Space":  # nothing is read before that
            self.eye.rest(offer.text, offer.say)
        elif by_eye and self.lift is None:
            self.eye.rest(
                "Plan complete",
                "Ctrl+T starts a new test. A step selected in the ladder is repeated.",
            )
        elif by_eye and self.lift is not None:
            self.eye.ask(self._told(), self.lift.repeat, self._asked_for())
        asked = self._asked_for()
        self.ladder.say_where(
            "life test"
            if lives
            else "first power"
            if d.unseen
            else f"{len(done)} of {d.todo_count()} done"
            if not self.lift or plan.order == "bisection"
            else f"run {self.lift.repeat} of {asked}"
            if self.lift.repeat <= asked
            else f"run {self.lift.repeat}, {asked} planned"
        )
        self.empty.setVisible(s.ring is None and not by_eye and not lives)
        # what the figures showed last is no reading; the strips keep what has been
        if s.live is None:
            self._flow = None
            self.row.blank()
            self.strips.rest()

    def _offer(self) -> Offer:
        if self.life.journal is not None:
            return of_life(self.life, self.context.show)
        eye = self.eye if self.by_eye else None
        return next_thing(self.context, self.lift, eye, enough=self.watching.enough)

    def _begins_by_itself(self, offer: Offer) -> Offer:
        """What is offered, with the countdown where it begins without being asked for."""
        if self.session.state != "ready" or not self.advance.wanted:
            return offer
        if not offer.by_itself or not self.isVisible():  # nothing begins that nobody looks at
            self.advance.hold()
            return offer
        self.advance.count()
        return offer._replace(say=f"Begins by itself in {self.advance.left} s. Esc holds it.")

    def _hold(self) -> None:
        if self.advance.wanted:
            self.advance.hold()
            self.desk.said.emit("Held: the next run begins when you say so.")
            self.refresh()

    def _steady(self) -> None:
        """The run under way has been steady for long enough."""
        if self.desk.todo.advance == "when steady":
            self.session.finish()
        self.refresh()

    def _step(self) -> PlanStep | None:
        """The step of the next run."""
        return self.desk.todo.step(self.lift.step) if self.lift is not None else None

    def _told(self) -> str:
        """How it is told; "" where every step is the same."""
        step = self._step()
        return self.desk.step_name(step) if step is not None and self.desk.rig.method.STEP else ""

    def _asked_for(self) -> int:
        step = self._step()
        return step.repeats if step is not None else 1

    def _choose_lift(self, done: list[Lift]) -> None:
        """The next lift: the plan's, or of the weight that the tester chose out of turn."""
        d = self.desk
        if self.forced is not None and (
            self._forced_for != (d.build_id, d.rig_key) or d.todo.step(self.forced) is None
        ):
            self.forced = None  # chosen for another build or rig, or the plan has become shorter
        if self.session.state in ("preparing", "lifting"):
            return
        if d.unseen:  # first power goes before all else, as often as it takes
            self.forced = None
            step = next(s.id for s in d.todo.todo if s.kind == "first power")
            self.lift = Lift(step, 1 + sum(x.step == step for x in done))
        elif self.forced is None and d.in_campaign:
            self.lift = d.campaign_lift()
        elif self.forced is None:
            self.lift = what_next(d.todo, d.outcomes())
        else:
            before = (x.repeat for x in done if x.step == self.forced)
            self.lift = Lift(self.forced, 1 + max(before, default=0))

    def _rows(self, done: list[Lift], stalls: dict[int, int]) -> None:
        d = self.desk
        plan = d.todo
        steps = plan.todo
        while len(self.ladder.rows) < len(steps):
            row = LadderRow()
            row.chosen.connect(self._force)
            self.ladder.rows.append(row)
            self.ladder.rows_box.addWidget(row)
        while len(self.ladder.rows) > len(steps):
            gone = self.ladder.rows.pop()
            self.ladder.rows_box.removeWidget(gone)
            gone.deleteLater()
        found = {s.points[0].run.step: s for s in d.result.lifted} if d.result else {}
        expected, lives = d.outlook().rows, self.life.journal is not None
        for step, row in zip(steps, self.ladder.rows, strict=True):
            i, row.step = step.id, step.id
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
                text = self._expects(expected[i])
                if n and i not in stalls and d.rig.method.STANDS:
                    text = "lifted"
            row.put(
                (d.step_name(step), f"{n}/{step.repeats}" if not lives else f"{n}", text),
                n,
                step.repeats,
                stalled=i in stalls or "stall" in text,
                current=self.lift is not None and self.lift.step == i,
            )
        current = next((row for row in self.ladder.rows if row.current), None)
        if current is not None and current.step != self._revealed:
            self._revealed = current.step
            self.ladder.area.reveal(current)

    def _expects(self, row: Foreseen) -> str:
        """What is expected of a step, in a few words."""
        method = self.desk.rig.method
        if not row.step.counted or row.torque <= 0 or method.HELD:
            return ""
        if row.stalls > 0.05:
            return f"stall {100 * row.stalls:.0f} %"
        if method.STANDS:
            return ""
        build = self.desk.build
        slope, offset = build.torque_line()
        eta = row.torque / (abs(build.ratio()) * (slope * row.torque + offset))
        return f"{100 * eta:.0f} % expected"

    def _force(self, step: int) -> None:
        self.forced = None if self.forced == step else step
        self._forced_for = (self.desk.build_id, self.desk.rig_key)
        self.refresh()

    def do_next(self) -> None:
        """What Space does."""
        if self.desk.book is None:
            self.desk.said.emit("The logbook is still opening.")
            return
        self.advance.hold()
        if (act := self._offer().act) is not None:
            act()
        self.refresh()

    @property
    def by_eye(self) -> bool:
        """Whether runs are read by a person: chosen, and possible with the method."""
        method = self.desk.rig.method
        return self._wants_eye and not method.swept

    def turn_eye(self) -> None:
        """Ctrl+Y: reads by eye from now on, or by the bench again."""
        method = self.desk.rig.method
        if method.swept:
            self.desk.said.emit(
                f"{method.TITLE}, swept, needs a recording over time and cannot be read by eye."
            )
            return
        if self.session.state in ("preparing", "lifting", "lowering", "stopping"):
            self.desk.said.emit("The bench is moving. Wait until it stops, or stop it.")
            return
        self.context.show("run")
        self._wants_eye = not self._wants_eye
        self.desk.settings.setValue("eye/on", self._wants_eye)
        self.refresh()

    def _read(self, read: ByEye, ended: str) -> None:
        """Keeps a run that was read."""
        d = self.desk
        step = self._step()
        if d.book is None or self.lift is None or step is None:
            d.said.emit("The logbook is still opening.")
            return
        volts, own = d.voltage_of(step), d.build.has_motor
        run = run_of(d.rig, step, self.lift.repeat, "eye", volts, has_motor=own)
        self.forced = None
        run = run.model_copy(update={"read": read, "ended": ended})
        d.keep_read(self.noted.of_the_run_read(run))
        self.refresh()
        self.eye.begin()

    def _put_right(self, stored: StoredRun, run: Run) -> None:
        """Keeps what was put right of a run that was read."""
        self.desk.edit_run(stored, run, "corrected reading")
        self.refresh()
        self.eye.begin()

    def live(self) -> None:
        """Lays out a life test, and begins it."""
        if self.desk.book is None:
            self.desk.said.emit("The logbook is still opening.")
            return
        dialog = LifeDialog(self.desk, self)
        dialog.accepted.connect(lambda: self.life.begin(dialog.plan, dialog.devices))
        dialog.open()
        self.asked = dialog

    def again(self) -> None:
        """N: first power did not go well; it is run again."""
        if not (self.desk.unseen and self.desk.turned_once()):
            self.desk.said.emit("There is no first power to repeat.")
            return
        self.session.again = True
        self.refresh()

    def _happened(self, event: Event) -> None:
        """Says and marks what a detector found in the run under way; what broke is stopped."""
        self.session.mark(event.title, event.at)
        self.desk.said.emit(f"{event.title}: {in_words(event)}")
        if event.id == "breakage":
            self.noted.broke()

    def _kept(self, run_id: int) -> None:
        self.forced, self.session.again = None, False
        self.desk.runs_changed([run_id])
        if self.desk.runs:
            self.strips.kept.append(self.desk.runs[-1].run)
            self.noted.kept()
            self.advance.after(self.desk.runs[-1].run)
            self.refresh()

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        if event is not None and _pictures(event.mimeData()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Photos dropped anywhere on the page are kept with the run."""
        for path in _pictures(event.mimeData()) if event is not None else ():
            self.noted.photo(path)

    # --- live pictures ----------------------------------------------------------------------------

    def _know_the_rig(self) -> None:
        self._instruments = Instruments(self.desk.rig)
        self._lines = self.desk.build.motor_lines()
        self.refresh()

    def _tare(self) -> float | None:
        return self.session.tare.value if self.session.tare is not None else None

    def _series(self, key: str, part: slice) -> np.ndarray | None:
        ring = self.session.ring
        if ring is None:
            return None
        sent = {c: ring.values(c)[part] for c in ring.channels}
        return self._instruments.series(key, sent, self._tare())

    def _arrived(self) -> None:
        """New samples are shown a dozen times a second while it moves, and at rest now and then:
        nobody reads faster, and a small computer has other things to do.
        """
        pause = _FIGURES[self.session.state not in MOVING]
        left = self._painted + pause - time.monotonic()
        if left <= 0:
            self._paint_live()
        elif not self._soon.isActive():
            self._soon.start(int(1000 * left) + 1)

    def _paint_live(self) -> None:
        self._painted = time.monotonic()
        ring = self.session.ring
        if ring is None or ring.count < 4:
            return
        rests = self.session.state not in MOVING
        if self.isVisible() and self._painted - self._drawn >= _STRIPS[rests]:
            self._drawn = self._painted
            self.strips.show_newest()
        if self.session.live is None:  # the last that came before it was lost
            return
        recent = ring.since(float(ring.t[-1]) - _AVERAGE)
        x = self._instruments.figures(
            {c: ring.values(c)[recent] for c in ring.channels}, self._tare(), self._lines
        )
        if self.isVisible():
            self.row.put(x)
        due = self._painted - self._flowed >= _FLOWS[rests] or self._flow is None
        figures = (x.voltage, x.current, x.speed, x.torque)
        if due and x.voltage is not None and x.current is not None and None not in figures:
            assert x.speed is not None
            assert x.torque is not None
            self._flowed = self._painted
            moving, self._backwards = x.speed > 0.05, x.speed < -0.05
            build = self.desk.build
            flow = predict.measured_flow(
                build,
                max(x.voltage, 0.0),
                max(x.current, 0.0),
                power_in=max(x.power_in or 0.0, 0.0),
                output_speed=x.speed if moving else 0.0,
                load=max(x.torque, 0.0) if moving else 0.0,
            )
            self._flow = build, flow
            self.flow_changed.emit()

    def chapter(self) -> str:
        return "by-eye" if self.by_eye else ""

    def flow(self) -> ShownFlow | None:
        d = self.desk
        step = self._step()
        weight = None if step is None else d.step_name(step)
        live = self._flow if self.session.live is not None else None
        if live is not None and live[0] is d.build:
            flow = live[1]
            down = self.session.state == "lowering" or self._backwards
            moving = flow.power_out > 0.02 and not down
            wire = d.show(flow.wire_to_shaft, "ratio", decimals=1) if moving else "–"
            gearbox = (
                f"gearbox {d.show(flow.gearbox, 'ratio', decimals=0)}"
                if moving
                else "no efficiency"
                if down
                else "at rest"
            )
            return ShownFlow(
                flow,
                f"live, {self.session.word(d.rig.method)}" if not self.life.alive else "life test",
                (weight or d.rig.name, d.dimension()),
                (wire, "", gearbox),
                live=True,
                blank=down,
            )
        if step is None or weight is None:
            return None
        row = d.outlook().rows[step.id]
        expected = predict.power_flow(d.build, row.torque, row.voltage)
        wire = d.show(expected.wire_to_shaft, "ratio", decimals=1)
        gearbox = f"gearbox {d.show(expected.gearbox, 'ratio', decimals=1)}"
        return ShownFlow(expected, "predicted", (weight, d.dimension()), (wire, "", gearbox))


def _pictures(dropped: QMimeData | None) -> list[Path]:
    paths = [Path(u.toLocalFile()) for u in dropped.urls()] if dropped is not None else []
    return [p for p in paths if p.suffix.lower() in PICTURES]
