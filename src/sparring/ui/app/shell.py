"""The window: driveline above, work order, pages, logbook at the left, findings at the right, title
block below.
"""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QEvent, QObject, Qt, QTimer
from PyQt6.QtGui import (
    QAction,
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QIcon,
    QKeyEvent,
    QKeySequence,
    QResizeEvent,
    QShortcut,
)
from PyQt6.QtWidgets import (
    QAbstractSpinBox,
    QApplication,
    QHBoxLayout,
    QLineEdit,
    QMainWindow,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from sparring.core import predict
from sparring.core.finding import Finding
from sparring.core.uncertainty import nominal
from sparring.ui.app.commands import add_menus
from sparring.ui.app.errands import Errands
from sparring.ui.frame.driveline import Driveline
from sparring.ui.frame.findings import FindingsPanel
from sparring.ui.frame.logbook import LogbookPanel
from sparring.ui.frame.message import Message
from sparring.ui.frame.question import Question
from sparring.ui.frame.title_block import TitleBlock
from sparring.ui.frame.work_order import WorkOrder
from sparring.ui.model import background
from sparring.ui.model.desk import Desk
from sparring.ui.model.live import BenchSession
from sparring.ui.pages.build.page import BuildPage
from sparring.ui.theme import theme
from sparring.ui.widgets.plain import Label, tip

if TYPE_CHECKING:
    from sparring.ui.pages.results.page import ResultsPage
    from sparring.ui.pages.rig.page import RigPage
    from sparring.ui.pages.run.page import RunPage

PAGES = ["Build", "Rig", "Run", "Results"]
_SIDE_LEFT, _SIDE_RIGHT = 214, 268
_NARROW, _LOW = 1180, 700  # [px] below which the logbook and the driveline's ribbon are folded


class MainWindow(QMainWindow):
    """Puts the parts together and routes what they want."""

    def __init__(self) -> None:
        super().__init__()
        self.desk = Desk()
        self.session = BenchSession(self)
        self.session.keep = self._keep_lift
        self.setWindowTitle("Sparring")
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self.setMinimumSize(840, 520)
        self._narrow = False
        d = self.desk
        theme.dark = d.settings.value("dark", False, type=bool)
        theme.apply_palette()

        self.errands = Errands(self, d, self.session, lambda: self.message, self.go, self._place)
        self.driveline = Driveline(d)
        self.work = WorkOrder(PAGES)
        self.logbook = LogbookPanel(d)
        self.findings = FindingsPanel(d)
        self.title_block = TitleBlock(d)
        self.build_page = BuildPage(d)
        self.pages = QStackedWidget()
        self.pages.addWidget(self.build_page)
        self.made: dict[str, QWidget] = {"Build": self.build_page}

        self.logbook.setFixedWidth(_SIDE_LEFT)
        self.right = QWidget()
        self.right.setFixedWidth(_SIDE_RIGHT)
        self.right_column = QVBoxLayout(self.right)
        self.right_column.setContentsMargins(0, 10, 10, 10)
        self.right_column.setSpacing(10)
        self.right_column.addWidget(self.findings, 1)
        middle = QHBoxLayout()
        middle.setContentsMargins(0, 0, 0, 0)
        middle.setSpacing(10)
        middle.addWidget(self.logbook)
        holder = QVBoxLayout()
        holder.setContentsMargins(0, 10, 0, 10)
        holder.setSpacing(10)
        self.question = Question(d)
        holder.addWidget(self.question)
        holder.addWidget(self.pages, 1)
        middle.addLayout(holder, 1)
        middle.addWidget(self.right)
        centre = QWidget()
        column = QVBoxLayout(centre)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.driveline)
        column.addWidget(self.work)
        column.addLayout(middle, 1)
        column.addWidget(self.title_block)
        self.setCentralWidget(centre)

        self.message = Message(centre, self._place_message)
        self.connection = Label()
        self.connection.setMargin(6)
        self.connection.setFixedWidth(330)
        self.connection.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.history: list[QAction] = []  # undo and redo
        self.keys: set[str] = set()  # of the menus' other entries
        add_menus(self)
        bar = self.menuBar()
        if bar:
            bar.setCornerWidget(self.connection)

        self.work.chosen.connect(self.go)
        d.page_wanted.connect(self.go)
        d.said.connect(self.say)
        d.not_opened.connect(self._not_opened)
        self.session.said.connect(self.say)
        self.driveline.part_clicked.connect(self._part)
        self.title_block.wanted.connect(self._place)
        self.findings.shown.connect(self._show_finding)
        self.session.state_changed.connect(self._bench_state)
        # the page in hand is painted first, and several changes at once are one for the driveline
        self._behind = QTimer(self)
        self._behind.setSingleShot(True)
        self._behind.timeout.connect(self._driveline)
        for signal in (
            d.build_changed,
            d.rig_changed,
            d.plan_changed,
            d.result_changed,
            d.selection_changed,
            d.units_changed,
            self.session.state_changed,
        ):
            signal.connect(lambda *_: self._behind.start(0))
        for signal in (d.result_changed, d.lists_changed, d.rig_changed, d.build_changed):
            signal.connect(self._states)
        app = QApplication.instance()
        if app:
            app.installEventFilter(self)
        for i, name in enumerate(PAGES, start=1):
            QShortcut(QKeySequence(f"Alt+{i}"), self).activated.connect(partial(self.go, name))
        self.space = QShortcut(QKeySequence(Qt.Key.Key_Space), self)
        self.space.activated.connect(lambda: self.run_page.do_next())
        self.mark_key = QShortcut(QKeySequence(Qt.Key.Key_M), self)
        self.mark_key.activated.connect(lambda: self.run_page.mark())
        self.broke_key = QShortcut(QKeySequence(Qt.Key.Key_B), self)
        self.broke_key.activated.connect(lambda: self.run_page.broke())
        # last: one pass over finished widgets is quicker than one as each finds its place
        theme.apply()
        self.go("Build")
        self._bench_state()
        self.title_block.refresh()
        self._driveline()

    # --- pages, made when first wanted, or in idle moments after the window is up -----------------

    @property
    def rig_page(self) -> RigPage:
        return self._page("Rig")

    @property
    def run_page(self) -> RunPage:
        return self._page("Run")

    @property
    def results_page(self) -> ResultsPage:
        return self._page("Results")

    def _page(self, name: str) -> Any:
        if name in self.made:
            return self.made[name]
        # the chart library is only needed from here on: the first window does not wait for it
        if name == "Rig":
            from sparring.ui.pages.rig.page import RigPage

            page: QWidget = RigPage(self.desk, self.session)
        elif name == "Run":
            from sparring.ui.pages.run.page import RunPage

            page = run = RunPage(self.desk, self.session)
            run.ladder.hide()
            self.right_column.insertWidget(0, run.ladder)
            run.finished.connect(lambda: self.go("Results"))
            run.care_wanted.connect(lambda: self._show_rig("rig.care_read"))
            run.live_flow.connect(self._live_flow)
        else:
            from sparring.ui.pages.results.page import ResultsPage

            page = results = ResultsPage(self.desk)
            results.import_wanted.connect(self.errands.import_log)
        self.made[name] = page
        self.pages.addWidget(page)
        return page

    def make_pages(self) -> None:
        """Makes the pages not yet wanted, one in each idle moment; the chart library is loaded off
        this thread first.
        """

        def next_one(_result: object = None) -> None:
            missing = next((p for p in PAGES if p not in self.made), None)
            if missing is not None and self.isVisible():
                self._page(missing)
                QTimer.singleShot(20, next_one)

        background.run(_load_slow_libraries, next_one, lambda err: self.say(str(err)))

    # --- panels -----------------------------------------------------------------------------------

    def search(self) -> None:
        self.fold(self.logbook, True)
        self.logbook.search.setFocus()

    def set_dark(self, on: bool) -> None:
        self.desk.settings.setValue("dark", on)
        theme.set_dark(on)

    def fold(self, panel: QWidget, shown: bool) -> None:
        panel.setVisible(shown)
        self.right.setVisible(not self.findings.isHidden() or self.work.current == "Run")

    # --- going about ------------------------------------------------------------------------------

    def go(self, page: str) -> None:
        """Shows a page."""
        self.pages.setCurrentWidget(self._page(page))
        self.work.set_current(page)
        on_run = page == "Run"
        if "Run" in self.made:
            self.run_page.ladder.setVisible(on_run)
        self.right.setVisible(on_run or not self.findings.isHidden())
        self.space.setEnabled(on_run)
        self.mark_key.setEnabled(on_run)
        self.broke_key.setEnabled(on_run)
        self.findings.show_about({"Build": "build", "Rig": "rig"}.get(page, "test"))
        self.pages.setFocus()
        self._driveline()

    def say(self, text: str, *, stay: bool = False) -> None:
        """A sentence for the tester, above the title block for a while (or until the next one);
        nothing else moves.
        """
        self.message.say(text, stay=stay)

    def _place_message(self) -> None:
        centre = self.centralWidget()
        if centre is None:
            return
        self.message.fit(min(620, centre.width() - 80))
        left = (centre.width() - self.message.width()) // 2
        self.message.move(
            left, centre.height() - self.title_block.height() - self.message.height() - 12
        )

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """A small window folds what can be spared; it comes back when there is room again, whatever
        was folded by hand meanwhile.
        """
        super().resizeEvent(event)
        narrow, low = self.width() < _NARROW, self.height() < _LOW
        if narrow != self._narrow:
            self._narrow = narrow
            self.fold(self.logbook, not narrow)
        if low != self.driveline.folded:
            self.driveline.fold(low)
        if self.message.isVisible():
            self._place_message()

    def _part(self, part: str) -> None:
        if part.startswith("stage"):
            self.go("Build")
            self.build_page.show_stage(int(part.split()[1]) - 1)
        elif part == "motor":
            self.go("Build")
            self.build_page.motor_form.fields["motor", "no_load_speed"].setFocus()
        elif part == "output":
            self.go("Results" if self.desk.result else "Build")
        else:
            self.go("Rig")
            next(iter(self.rig_page.picture.fields.values())).setFocus()

    def _place(self, place: str) -> None:
        page = {
            "build": "Build",
            "train": "Build",
            "rig": "Rig",
            "calibration": "Rig",
            "plan": "Rig",
            "recorded": "Results",
        }.get(place)
        if page is None:
            self.errands.units()
            return
        self.go(page)
        target: QWidget | None = None
        if page == "Build":
            target = (
                self.build_page.gears
                if place == "train"
                else self.build_page.build_form.fields[("family",)]
            )
        elif page == "Rig":
            rig = self.rig_page
            rig.tabs.setCurrentIndex(0)
            target = (
                rig.show_place("rig.calibration")
                if place == "calibration"
                else {"rig": rig.rigs, "plan": rig.loads.line}[place]
            )
        if target is not None:
            self.build_page.side.reveal(target) if place == "build" else None
            target.setFocus()

    def _show_finding(self, finding: Finding) -> None:
        if finding.place.startswith("build."):
            self.go("Build")
            _, what, *rest = finding.place.split(".")
            if what == "stages" and rest:
                self.build_page.show_stage(int(rest[0]), rest[1] if len(rest) > 1 else "")
            elif (entry := self.build_page.build_form.fields.get((what,))) is not None:
                self.build_page.side.reveal(entry)
                entry.setFocus()
            return
        if finding.place.startswith("rig"):
            self._show_rig(finding.place)
        elif finding.steps:
            self.go("Results")
            self.results_page.show_finding(finding)

    def _show_rig(self, place: str) -> None:
        self.go("Rig")
        if (field := self.rig_page.show_place(place)) is not None:
            field.setFocus()

    def changeEvent(self, event: QEvent | None) -> None:
        super().changeEvent(event)
        if (
            event is not None
            and event.type() == QEvent.Type.ActivationChange
            and self.isActiveWindow()
        ):
            self.question.ask()  # an edit from a dialog waits until that is closed

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Esc stops, always, from any page, with any dialog open. The keys of the menus reach the
        window from every field.
        """
        if (
            isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.KeyPress
            and event.key() == Qt.Key.Key_Escape
        ):
            if (was := self.session.state) in ("preparing", "lifting", "lowering"):
                self.session.stop()
                self.say(
                    "Told to stop."
                    + (" The lift is kept, marked as stopped." if was == "lifting" else "")
                )
                return True
            self.session.stop()
            if was == "lost":
                self.say(
                    "STOP is not confirmed: the bench hears it first when it is back. Cut its"
                    " power.",
                    stay=True,
                )
        elif isinstance(event, QKeyEvent) and event.type() == QEvent.Type.ShortcutOverride:
            combined = QKeySequence(event.keyCombination()).toString()
            if _nothing_typed(watched, event) or combined in self.keys:
                # Qt's fields would take it: Ctrl+U empties them, Ctrl+E goes to their end
                event.ignore()
                return True
        return False

    # --- what is shown above and around -----------------------------------------------------------

    def _driveline(self) -> None:
        d = self.desk
        page = self.work.current
        lines = (d.rig.name, d.dimension())
        if self.session.live is not None and page == "Run":
            return  # the bench draws it
        result = d.result
        step = None
        if result is not None and page == "Results":
            step = (
                result.steps[d.step]
                if d.step is not None and d.step < len(result.steps)
                else result.best
            )
        if (
            step is not None
            and step.lifted
            and step.power_in is not None
            and step.voltage is not None
        ):
            flow = predict.measured_flow(
                d.build,
                nominal(step.voltage),
                nominal(step.current),
                nominal(step.power_in),
                nominal(step.speed),
                nominal(step.torque),
            )
            wire = d.show(step.wire_to_shaft, "ratio", decimals=None)
            head, _, tail = wire.partition(" ± ")
            lines = (d.run_name(step.points[0].run), lines[1])
            self.driveline.show_flow(
                flow,
                "measured",
                lines,
                (
                    f"{head} %" if tail else head,
                    f"± {tail}, k = 2" if tail else "",
                    f"gearbox {d.show(step.gearbox, 'ratio')}",
                ),
            )
            return
        load = self.build_page.load
        if page == "Run" and self.run_page.lift is not None:
            mass = d.todo.loads[self.run_page.lift.step].value
            load = predict.load_torque(d.rig, mass)
            lines = (d.step_name(self.run_page.lift.step), lines[1])
        flow = predict.power_flow(d.build, load, d.plan.voltage)
        self.driveline.show_flow(
            flow,
            "predicted",
            lines,
            (
                d.show(flow.wire_to_shaft, "ratio", decimals=1),
                "",
                f"gearbox {d.show(flow.gearbox, 'ratio', decimals=1)}",
            ),
        )

    def _live_flow(self, flow: predict.PowerFlow) -> None:
        if self.work.current != "Run":
            return
        d = self.desk
        moving = flow.power_out > 0.02
        lines = (
            d.rig.name if self.run_page.lift is None else d.step_name(self.run_page.lift.step),
            d.dimension(),
        )
        self.driveline.show_flow(
            flow,
            f"live, {self._bench_word()}",
            lines,
            (
                d.show(flow.wire_to_shaft, "ratio", decimals=1) if moving else "–",
                "",
                f"gearbox {d.show(flow.gearbox, 'ratio', decimals=0)}" if moving else "at rest",
            ),
            live=True,
        )

    def _states(self) -> None:
        d = self.desk
        done, total = len(d.done_lifts()), d.todo_count()
        self.work.set_state("Build", "done")
        self.work.set_state(
            "Rig", "done" if d.rig.calibration or not d.rig.method.CELL else "needs you: calibrate"
        )
        self.work.set_state(
            "Run", "" if not done else "done" if done >= total else f"{done}/{total}"
        )
        wrong = [f for f in d.findings if f.severity == "wrong"]
        self.work.set_state(
            "Results", f"needs you: {len(wrong)} wrong" if wrong else "done" if d.result else ""
        )
        self.setWindowTitle(f"{d.build.name} – Sparring")

    def _not_opened(self, why: str) -> None:
        back = (
            ""
            if self.desk.book is not None
            else " Logbook ▸ Go back to a copy puts a damaged one right."
        )
        self.say(f"{why} Logbook ▸ Open or begin a logbook chooses another.{back}", stay=True)

    def _keep_lift(self, stream: Path) -> int:
        """From the recorder's thread: a lift that is over becomes a run."""
        book = self.desk.book
        if book is None:
            raise OSError("no logbook is open")
        from sparring.logbook.recovery import adopt

        return adopt(book, stream)

    def _bench_state(self) -> None:
        s = self.session
        name = "Simulated bench" if s.simulated else s.port or "No bench"
        self.connection.setToolTip(tip(name))
        name = self.connection.fontMetrics().elidedText(
            name, Qt.TextElideMode.ElideMiddle, _PORT_ROOM
        )
        tally = s.tally
        lost = f", {tally.garbled} lines garbled" if tally and tally.garbled else ""
        texts = {
            "off": "No bench connected",
            "connecting": f"{name}: waiting",
            "lost": f"{name}: lost" + (", STOP not confirmed" if s.stop_wanted else ""),
        }
        self.connection.setText(texts.get(s.state, f"{name}: {self._bench_word()}{lost}"))

    def _bench_word(self) -> str:
        """What the bench does, in the method's words."""
        _, doing, stopping = self.desk.rig.method.DOES
        words = {
            "lifting": doing.lower(),
            "lowering": stopping.lower(),
            "preparing": "setting up",
            "stopping": "STOP not confirmed",
        }
        return words.get(self.session.state, self.session.state)

    # --- files dropped, closing -------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        mime = event.mimeData() if event else None
        if event and mime and any(u.isLocalFile() for u in mime.urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        mime = event.mimeData() if event else None
        for url in mime.urls() if mime else []:
            path = Path(url.toLocalFile())
            (
                self.errands.open_build(path)
                if path.suffix == ".json"
                else self.errands.import_log(path)
            )

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self.session.disconnect_bench()
        background.finish()  # a lift that was cut short is being kept
        self.desk.close()
        self._behind.stop()
        app = QApplication.instance()
        if app:
            app.removeEventFilter(self)
        super().closeEvent(event)


_PORT_ROOM = 150  # [px] of the 330 at the top right, for the port's name


def _load_slow_libraries() -> None:
    """What the charts and the first lift need, so that neither keeps the window waiting."""
    import pyarrow.parquet
    import pyqtgraph
    import serial

    from sparring.core import quantity

    quantity.know_units()
    del pyarrow, pyqtgraph, serial


def _nothing_typed(field: QObject | None, event: QKeyEvent) -> bool:
    """Whether undo (or redo) is asked of a field that has none of its own: Qt's fields would take
    the key all the same.
    """
    line = field.findChild(QLineEdit) if isinstance(field, QAbstractSpinBox) else field
    if not isinstance(line, QLineEdit):
        return False
    if event.matches(QKeySequence.StandardKey.Undo):
        return not (line.isUndoAvailable() and line.isModified())
    return event.matches(QKeySequence.StandardKey.Redo) and not line.isRedoAvailable()


def icon() -> QIcon:
    """The application's icon."""
    return QIcon(str(Path(__file__).parents[1] / "assets" / "sparring.svg"))
