"""The window: driveline above, work order, pages, logbook at the left, findings at the right, title block below."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

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
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QMenu,
    QMessageBox,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from sparring import __version__
from sparring.core import predict
from sparring.core.findings import Finding
from sparring.core.uncertainty import nominal
from sparring.ui import background
from sparring.ui.desk import Desk
from sparring.ui.driveline import Driveline
from sparring.ui.live import BenchSession
from sparring.ui.pages.build import BuildPage
from sparring.ui.pages.results import ResultsPage
from sparring.ui.pages.rig import RigPage
from sparring.ui.pages.run import RunPage
from sparring.ui.panels import FindingsPanel, LogbookPanel, TitleBlock
from sparring.ui.theme import theme
from sparring.ui.work_order import WorkOrder

PAGES = ["Build", "Rig", "Run", "Results"]
_SIDE_LEFT, _SIDE_RIGHT = 214, 268


class MainWindow(QMainWindow):
    """Puts the parts together and routes what they want."""

    def __init__(self) -> None:
        super().__init__()
        self.desk = Desk()
        self.session = BenchSession(self)
        self.setWindowTitle("Sparring")
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self.setMinimumSize(960, 600)
        d = self.desk
        theme.dark = d.settings.value("dark", False, type=bool)
        theme.apply()

        self.driveline = Driveline(d)
        self.work = WorkOrder(PAGES)
        self.logbook = LogbookPanel(d)
        self.findings = FindingsPanel(d)
        self.title_block = TitleBlock(d)
        self.build_page = BuildPage(d)
        self.rig_page = RigPage(d, self.session)
        self.run_page = RunPage(d, self.session)
        self.results_page = ResultsPage(d)
        self.pages = QStackedWidget()
        for page in (self.build_page, self.rig_page, self.run_page, self.results_page):
            self.pages.addWidget(page)

        self.logbook.setFixedWidth(_SIDE_LEFT)
        self.right = QWidget()
        self.right.setFixedWidth(_SIDE_RIGHT)
        column = QVBoxLayout(self.right)
        column.setContentsMargins(0, 10, 10, 10)
        column.setSpacing(10)
        column.addWidget(self.run_page.ladder)
        column.addWidget(self.findings, 1)
        middle = QHBoxLayout()
        middle.setContentsMargins(0, 0, 0, 0)
        middle.setSpacing(10)
        middle.addWidget(self.logbook)
        holder = QVBoxLayout()
        holder.setContentsMargins(0, 10, 0, 10)
        holder.addWidget(self.pages)
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

        self.dialog: Any = None  # the one that is open, kept from being collected
        self.message = QLabel(centre)
        self.message.setObjectName("sheet")
        self.message.setWordWrap(True)
        self.message.setMargin(10)
        self.message.hide()
        self._message_timer = QTimer(self)
        self._message_timer.setSingleShot(True)
        self._message_timer.setInterval(9000)
        self._message_timer.timeout.connect(self.message.hide)
        self.connection = QLabel()
        self.connection.setMargin(6)
        self.connection.setFixedWidth(330)
        self.connection.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self._menus()
        bar = self.menuBar()
        if bar:
            bar.setCornerWidget(self.connection)

        self.work.chosen.connect(self.go)
        d.page_wanted.connect(self.go)
        d.said.connect(self.say)
        self.session.said.connect(self.say)
        self.driveline.part_clicked.connect(self._part)
        self.title_block.wanted.connect(self._place)
        self.findings.shown.connect(self._show_finding)
        self.run_page.finished.connect(lambda: self.go("Results"))
        self.run_page.live_flow.connect(self._live_flow)
        self.results_page.import_wanted.connect(self.import_log)
        self.session.state_changed.connect(self._bench_state)
        for signal in (
            d.build_changed,
            d.rig_changed,
            d.plan_changed,
            d.result_changed,
            d.selection_changed,
            d.units_changed,
            self.session.state_changed,
        ):
            signal.connect(self._driveline)
        for signal in (d.result_changed, d.lists_changed, d.rig_changed, d.build_changed):
            signal.connect(self._states)
        app = QApplication.instance()
        if app:
            app.installEventFilter(self)
        for i, name in enumerate(PAGES, start=1):
            QShortcut(QKeySequence(f"Alt+{i}"), self).activated.connect(partial(self.go, name))
        self.space = QShortcut(QKeySequence(Qt.Key.Key_Space), self)
        self.space.activated.connect(self.run_page.do_next)
        self.mark_key = QShortcut(QKeySequence(Qt.Key.Key_M), self)
        self.mark_key.activated.connect(self.run_page.mark)
        self.go("Build")
        self._bench_state()
        self.title_block.refresh()
        self.findings.refresh()
        self._driveline()

    # --- menus --------------------------------------------------------------------------------------------------------

    def _menus(self) -> None:
        d = self.desk
        bar = self.menuBar()
        assert bar is not None

        def menu(title: str, *entries: tuple[str, str, Callable[[], Any]] | None) -> QMenu:
            made = bar.addMenu(title)
            assert made is not None
            for entry in entries:
                if entry is None:
                    made.addSeparator()
                    continue
                text, key, act = entry
                action = QAction(text, self)
                if key:
                    action.setShortcut(QKeySequence(key))
                action.triggered.connect(lambda _c=False, a=act: a())
                made.addAction(action)
            return made

        menu(
            "&Logbook",
            ("Open or begin a logbook …", "Ctrl+O", self.open_logbook),
            None,
            ("Import a log …", "Ctrl+I", self.import_log),
            ("Export this test …", "Ctrl+E", self.export_test),
            ("Take back left-out lifts", "", self._take_back),
            None,
            ("Find …", "Ctrl+F", self._find),
            ("Quit", "Ctrl+Q", self.close),
        )
        edit = menu("&Edit")
        undo, redo = d.undo.createUndoAction(self, "Undo"), d.undo.createRedoAction(self, "Redo")
        for action, key in ((undo, "Ctrl+Z"), (redo, "Ctrl+Shift+Z")):
            if action:
                action.setShortcut(QKeySequence(key))
                edit.addAction(action)
        menu(
            "B&uild",
            ("New build", "Ctrl+N", self._new_build),
            ("New revision of this build", "Ctrl+R", d.new_revision),
            None,
            ("Open a build file …", "", self.open_build),
            ("Save as a build file …", "Ctrl+S", self.save_build),
        )
        menu(
            "Be&nch",
            ("Simulated bench", "Ctrl+B", self._simulate),
            ("Connect a board …", "", self.connect_board),
            ("Disconnect", "", self.session.disconnect_bench),
            None,
            ("Tare with the cord slack", "", lambda: self.session.send("tare")),
            ("Mark this moment", "", self.run_page.mark),
            ("New test", "Ctrl+T", d.new_test),
            None,
            ("Stop", "", self.session.stop),
        )
        view = menu(
            "&View",
            ("Fold the logbook", "Ctrl+1", lambda: self._fold(self.logbook, not self.logbook.isVisible())),
            ("Fold the findings", "Ctrl+2", lambda: self._fold(self.findings, not self.findings.isVisible())),
            ("Units …", "Ctrl+U", self._units),
        )
        dark = QAction("Dark, for the night bench", self)
        dark.setCheckable(True)
        dark.setChecked(theme.dark)
        dark.setShortcut(QKeySequence("Ctrl+D"))
        dark.toggled.connect(self.set_dark)
        view.addAction(dark)
        menu("&Help", ("Keys", "F1", self._keys), ("About Sparring", "", self._about))

    def _find(self) -> None:
        self._fold(self.logbook, True)
        self.logbook.search.setFocus()

    def set_dark(self, on: bool) -> None:
        self.desk.settings.setValue("dark", on)
        theme.set_dark(on)

    def _fold(self, panel: QWidget, shown: bool) -> None:
        panel.setVisible(shown)
        self.right.setVisible(not self.findings.isHidden() or not self.run_page.ladder.isHidden())

    # --- going about ----------------------------------------------------------------------------------------------------

    def go(self, page: str) -> None:
        """Shows a page."""
        self.pages.setCurrentIndex(PAGES.index(page))
        self.work.set_current(page)
        on_run = page == "Run"
        self.run_page.ladder.setVisible(on_run)
        self.right.setVisible(on_run or not self.findings.isHidden())
        self.space.setEnabled(on_run)
        self.mark_key.setEnabled(on_run)
        self.pages.setFocus()
        self._driveline()

    def say(self, text: str) -> None:
        """A sentence for the tester, above the title block for a while; nothing else moves."""
        self.message.setText(text)
        self._place_message()
        self.message.show()
        self.message.raise_()
        self._message_timer.start()

    def _place_message(self) -> None:
        centre = self.centralWidget()
        if centre is None:
            return
        width = min(620, centre.width() - 80)
        self.message.setFixedWidth(width)
        self.message.setFixedHeight(max(36, self.message.heightForWidth(width)))
        self.message.move((centre.width() - width) // 2, centre.height() - self.title_block.height() - self.message.height() - 12)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
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
            self.rig_page.picture.fields["drum_diameter"][1].setFocus()

    def _place(self, place: str) -> None:
        page = {"build": "Build", "train": "Build", "rig": "Rig", "calibration": "Rig", "plan": "Rig", "recorded": "Results"}.get(place)
        if page is None:
            self._units()
            return
        self.go(page)
        target: QWidget | None = {
            "build": self.build_page.build_form.fields[("family",)],
            "train": self.build_page.gears,
            "rig": self.rig_page.rigs,
            "calibration": self.rig_page.known,
            "plan": self.rig_page.loads.line,
        }.get(place)
        if target is not None:
            self.build_page.side.ensureWidgetVisible(target) if place == "build" else None
            target.setFocus()

    def _show_finding(self, finding: Finding) -> None:
        if finding.place.startswith("rig"):
            self.go("Rig")
            field = self.rig_page.picture.fields.get(finding.place.rpartition(".")[2])
            if field:
                field[1].setFocus()
        elif finding.steps:
            self.go("Results")
            self.results_page.show_finding(finding)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Esc stops, always, from any page, with any dialog open."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress and event.key() == Qt.Key.Key_Escape:
            if self.session.state in ("lifting", "lowering"):
                self.session.stop()
                self.say("Stopped. The lift is kept, marked as stopped.")
                return True
            self.session.stop()
        return False

    # --- what is shown above and around -------------------------------------------------------------------------------

    def _driveline(self) -> None:
        d, h = self.desk, self.desk.rig.method
        page = self.work.current
        lines = (d.rig.name, f"drum ⌀ {d.show(h.drum_diameter.value, 'length', decimals=1 if d.units['length'] == 'mm' else 3)}")
        live = self.session.state not in ("off", "connecting") and page == "Run"
        if live:
            return  # the bench draws it
        result = d.result
        step = None
        if result is not None and page == "Results":
            step = result.steps[d.step] if d.step is not None and d.step < len(result.steps) else result.best
        if step is not None and step.lifted and step.power_in is not None and step.voltage is not None:
            flow = predict.measured_flow(
                d.build, nominal(step.voltage), nominal(step.current), nominal(step.power_in), nominal(step.speed), nominal(step.torque)
            )
            wire = d.show(step.wire_to_shaft, "ratio", decimals=None)
            head, _, tail = wire.partition(" ± ")
            first = step.points[0].run.load
            if first is not None:
                lines = (d.show(first.value, "mass", decimals=2), lines[1])
            self.driveline.show_flow(
                flow,
                "measured",
                lines,
                (f"{head} %" if tail else head, f"± {tail}, k = 2" if tail else "", f"gearbox {d.show(step.gearbox, 'ratio')}"),
            )
            return
        load = self.build_page.load
        if page == "Run" and self.run_page.lift is not None:
            mass = d.plan.loads[self.run_page.lift.step].value
            load = predict.load_torque(d.rig, mass)
            lines = (d.show(mass, "mass", decimals=2), lines[1])
        flow = predict.power_flow(d.build, load, d.plan.voltage)
        self.driveline.show_flow(
            flow,
            "predicted",
            lines,
            (d.show(flow.wire_to_shaft, "ratio", decimals=1), "", f"gearbox {d.show(flow.gearbox, 'ratio', decimals=1)}"),
        )

    def _live_flow(self, flow: predict.PowerFlow) -> None:
        if self.work.current != "Run":
            return
        d = self.desk
        moving = flow.power_out > 0.02
        lines = (
            "hook" if not self.session.hung else d.show(self.session.hung, "mass", decimals=2),
            f"drum ⌀ {d.show(d.rig.method.drum_diameter.value, 'length', decimals=1 if d.units['length'] == 'mm' else 3)}",
        )
        self.driveline.show_flow(
            flow,
            f"live, {self.session.state}",
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
        done, total = len(self.run_page.done_lifts()), len(d.plan.loads) * d.plan.repeats
        self.work.set_state("Build", "done")
        self.work.set_state("Rig", "done" if d.rig.calibration else "needs you: calibrate")
        self.work.set_state("Run", "" if not done else "done" if done >= total else f"{done}/{total}")
        wrong = [f for f in d.findings if f.severity == "wrong"]
        self.work.set_state("Results", f"needs you: {len(wrong)} wrong" if wrong else "done" if d.result else "")
        self.setWindowTitle(f"{d.build.name} – Sparring")

    def _bench_state(self) -> None:
        s = self.session
        name = "Simulated bench" if s.simulated else s.port or "No bench"
        tally = s.tally
        lost = f", {tally.garbled} lines garbled" if tally and tally.garbled else ""
        texts = {"off": "No bench connected", "connecting": f"{name}: waiting", "lost": f"{name}: lost"}
        self.connection.setText(texts.get(s.state, f"{name}: {s.state}{lost}"))

    # --- what the menus do ----------------------------------------------------------------------------------------------

    def open_logbook(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, "Logbook folder (an empty one begins a new logbook)")
        if folder:
            self.desk.open(Path(folder))

    def import_log(self, path: Path | None = None) -> None:
        """Asks for a log (unless given), shows what is in it, and makes its lifts a new test."""
        from sparring.files import log_files

        if path is None:
            name, _ = QFileDialog.getOpenFileName(self, "Log of another logger", "", "Logs (*.csv *.tsv *.txt *.log);;All files (*)")
            if not name:
                return
            path = Path(name)
        try:
            look = log_files.look(path)
        except log_files.LogError as err:
            self.say(str(err))
            return
        from sparring.ui.dialogs import ImportDialog

        dialog = ImportDialog(self.desk, look, self)
        dialog.accepted.connect(lambda: self._import(dialog))
        dialog.open()
        self.dialog = dialog

    def _import(self, dialog: Any) -> None:
        d = self.desk
        if d.book is None:
            return
        dialog.remember()
        book, columns, look = d.book, dialog.mapping(), dialog.log
        build_id, rig_id, plan = d.build_id, d.rig_id, d.plan
        self.say(f"Importing {look.path.name} …")

        def work() -> tuple[int, list[str]]:
            from sparring.exchange import import_log

            return import_log(book, look, columns, build_id, rig_id, plan)

        def done(made: tuple[int, list[str]]) -> None:
            d.choose_test(made[0])
            self.go("Results")
            self.say(" ".join(made[1]))

        background.run(work, done, lambda err: self.say(str(err)))

    def export_test(self) -> None:
        d = self.desk
        if d.book is None or not d.test_id:
            self.say("There is no test to export yet.")
            return
        folder = QFileDialog.getExistingDirectory(self, "Export into which folder?")
        if folder:
            book, test_id = d.book, d.test_id

            def work() -> Path:
                from sparring.exchange import export_test

                return export_test(book, test_id, Path(folder))

            background.run(work, lambda made: self.say(f"Exported to {made}"), lambda err: self.say(str(err)))

    def _take_back(self) -> None:
        d = self.desk
        struck = [r for r in d.runs if r.struck]
        for r in struck:
            if d.book:
                d.book.strike(r.id, False)
        if struck:
            d.runs_changed()
        self.say(f"{len(struck)} lifts taken back." if struck else "No lift is left out.")

    def _new_build(self) -> None:
        from sparring.core.build import Build

        self.desk.add_build(Build(family="New drive"))
        self.go("Build")
        field = self.build_page.build_form.fields[("family",)]
        self.build_page.side.ensureWidgetVisible(field)
        field.setFocus()

    def open_build(self, path: Path | None = None) -> None:
        from sparring.core.build import Build
        from sparring.core.records import RecordError
        from sparring.files import record_files

        if path is None:
            name, _ = QFileDialog.getOpenFileName(self, "Build file", "", "Build files (*.json);;All files (*)")
            if not name:
                return
            path = Path(name)
        try:
            self.desk.add_build(record_files.load(path, Build))
        except RecordError as err:
            self.say(str(err))
            return
        self.go("Build")

    def save_build(self) -> None:
        from sparring.core.records import RecordError
        from sparring.files import record_files

        b = self.desk.build
        name, _ = QFileDialog.getSaveFileName(
            self, "Save as a build file", f"{b.family.lower()}-r{b.revision}.json", "Build files (*.json)"
        )
        if name:
            try:
                record_files.save(Path(name), b)
                self.say(f"Saved {name}")
            except RecordError as err:
                self.say(str(err))

    def _simulate(self) -> None:
        s = self.session
        s.limit_current, s.limit_speed = self.desk.rig.limits.current, self.desk.rig.limits.speed
        s.simulate(self.desk.build, self.desk.rig)
        self.go("Run")

    def connect_board(self) -> None:
        from sparring.ui.dialogs import ConnectDialog

        dialog = ConnectDialog(self.desk, self)

        def accepted() -> None:
            self.session.connect_port(dialog.port.currentText().strip(), int(dialog.baud.currentText()), dialog.mapping)
            self.go("Run")

        dialog.accepted.connect(accepted)
        dialog.open()
        self.dialog = dialog

    def _units(self) -> None:
        from sparring.ui.dialogs import UnitsDialog

        self.dialog = UnitsDialog(self.desk, self)
        self.dialog.open()

    def _keys(self) -> None:
        from sparring.ui.dialogs import ShortcutsDialog

        bar = self.menuBar()
        keys = [
            ("Esc", "stop, from anywhere"),
            ("Space", "on Run: the next obvious thing, as written on the button"),
            ("M", "on Run: mark this moment"),
            ("Alt+1 to Alt+4", "the pages: " + ", ".join(PAGES)),
        ]
        for action in (a for m in (bar.actions() if bar else []) if (sub := m.menu()) for a in sub.actions()):
            if not action.shortcut().isEmpty():
                keys.append((action.shortcut().toString(), action.text().replace("&", "")))
        keys += [
            ("wheel, drag", "in a chart: zoom, shift; double click shows all; right click copies"),
            ("arrow keys", "in the gear drawing: choose a gear; Space turns the train"),
        ]
        self.dialog = ShortcutsDialog(keys, self)
        self.dialog.open()

    def _about(self) -> None:
        box = QMessageBox(self)
        box.setWindowTitle("About Sparring")
        box.setText(
            f"Sparring {__version__}\nBench tests on gearboxes and gearmotors.\n\nFree software under the GNU General Public License, version 3 or later, "
            "without any warranty. Type: B612, SIL Open Font License 1.1."
        )
        box.open()
        self.dialog = box

    # --- files dropped, closing --------------------------------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        mime = event.mimeData() if event else None
        if event and mime and any(u.isLocalFile() for u in mime.urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        mime = event.mimeData() if event else None
        for url in mime.urls() if mime else []:
            path = Path(url.toLocalFile())
            self.open_build(path) if path.suffix == ".json" else self.import_log(path)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self.session.disconnect_bench()
        self.desk.close()
        app = QApplication.instance()
        if app:
            app.removeEventFilter(self)
        super().closeEvent(event)


def icon() -> QIcon:
    """The application's icon."""
    return QIcon(str(Path(__file__).parent / "assets" / "sparring.svg"))
