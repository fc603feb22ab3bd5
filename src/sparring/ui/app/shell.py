"""The window: driveline above, work order, the page with its panels at the sides, title block
below. What there is of pages and commands it takes from their lists.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QEvent, QSettings, Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QIcon, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QApplication, QMenu, QStackedWidget, QVBoxLayout, QWidget

from sparring.ui.app import loading
from sparring.ui.app.keys import Keys
from sparring.ui.app.window import Window
from sparring.ui.model import background
from sparring.ui.theme import theme
from sparring.ui.widgets.plain import Label, tip

if TYPE_CHECKING:
    from sparring.core.finding import Finding
    from sparring.ui.command import Command
    from sparring.ui.page import ShownFlow, View

_NARROW, _LOW = 1180, 700  # [px] below which the logbook and the driveline's ribbon are folded
_UNITS = 20_000  # [ms] after the last page
_UNPAINTED = 1000  # [ms] for one that starts out minimised
_PORT_ROOM = 150  # [px] of the 330 at the top right, for the port's name


class MainWindow(Window):
    """Puts the parts together and routes what they want.

    It can be shown before they are there: those that know the records take most of a second to
    load, and so does the rest of the program.
    """

    def __init__(self, *, whole: bool = True) -> None:
        """whole: with its parts, which `make_parts` gives it otherwise."""
        super().__init__()
        self.setWindowTitle("Sparring")
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self.setMinimumSize(840, 520)
        theme.dark = QSettings("sparring", "sparring").value("dark", False, type=bool)
        theme.apply_palette()
        self.views: dict[str, View] = {}
        self.is_whole = False
        self._begins: Callable[[], None] | None = None
        if whole:
            self.make_parts()

    def make_parts(self) -> None:
        """Gives it all its parts at once."""
        for _ in self._parts():
            pass

    def make_parts_behind(self, then: Callable[[], None]) -> None:
        """Gives it its parts once it has been painted: loaded off this thread, and made one in each
        turn of the loop. then: what follows.
        """
        left = self._parts()

        def begin() -> None:
            if self._begins is not None:
                self._begins = None
                # what cannot be loaded is said by whoever needs it
                background.run(loading.parts, one, one)

        def one(_: object = None) -> None:
            if next(left, "done") == "done":
                then()
            else:
                QTimer.singleShot(0, one)

        self._begins = begin
        QTimer.singleShot(_UNPAINTED, begin)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        if self._begins is not None:
            QTimer.singleShot(0, self._begins)

    def _parts(self) -> Iterator[None]:
        """Makes the parts, yielding between them."""
        from sparring.ui.app.actions import Actions
        from sparring.ui.app.commands import COMMANDS, pages_themselves
        from sparring.ui.app.errands import Errands
        from sparring.ui.model.desk import Desk
        from sparring.ui.model.live import BenchSession
        from sparring.ui.page import Context
        from sparring.ui.pages import PAGES

        self.desk = Desk()
        self.session = BenchSession(self)
        self.session.keep = self._keep_lift
        self.errands = Errands(self)
        self.all_pages = PAGES
        self.page = PAGES[0]
        every = (*COMMANDS, *(c for page in PAGES for c in page.commands), *pages_themselves())
        self.commands = Actions(self, every, self._target, lambda c: not c.on or c.on in self.views)
        self.context = Context(
            self.desk,
            self.session,
            self.show_place,
            do=self.do,
            menu=self._menu,
            measure=self.errands.characterise,
        )
        self.keys = Keys(self)  # before there are widgets: it describes each as it is shown
        app = QApplication.instance()
        if app:
            app.installEventFilter(self.keys)
        yield
        yield from self._lay_out()
        self._fill_menus()
        self._wire()
        self.is_whole = True
        yield
        theme.apply(self)  # last: one pass over finished widgets is quicker than one for each
        self.go(self.page.id)
        self._bench_state()
        self.title_block.refresh()
        self._driveline()
        self._calm_as_the_desktop()

    def _lay_out(self) -> Iterator[None]:
        from sparring.ui.app.sides import Sides
        from sparring.ui.app.tour import Tour
        from sparring.ui.frame.driveline import Driveline
        from sparring.ui.frame.findings import FindingsPanel
        from sparring.ui.frame.logbook import LogbookPanel
        from sparring.ui.frame.message import Message
        from sparring.ui.frame.question import Question
        from sparring.ui.frame.title_block import TitleBlock
        from sparring.ui.frame.work_order import WorkOrder

        d = self.desk
        self.driveline = Driveline(d)
        self.work = WorkOrder([page.name for page in self.all_pages])
        self.logbook, self.findings = LogbookPanel(d), FindingsPanel(d)
        self.title_block = TitleBlock(d)
        yield
        self.question = Question(d)
        self.pages = QStackedWidget()
        middle = QWidget()
        holder = QVBoxLayout(middle)
        holder.setContentsMargins(0, 0, 0, 0)
        holder.setSpacing(8)
        self.tour = Tour(self, self.errands.tour)
        holder.addWidget(self.tour)
        holder.addWidget(self.question)
        holder.addWidget(self.pages, 1)
        yield
        self.sides = Sides(d.settings)
        self.sides.setCentralWidget(middle)
        self.sides.add("logbook", self.logbook, left=True)
        self.sides.add("findings", self.findings)
        centre = QWidget()
        column = QVBoxLayout(centre)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        for part in (self.driveline, self.work):
            column.addWidget(part)
        column.addWidget(self.sides, 1)
        column.addWidget(self.title_block)
        self.setCentralWidget(centre)
        self.message = Message(centre, self._place_message)
        self.connection = Label()
        self.connection.setMargin(6)
        self.connection.setFixedWidth(330)
        self.connection.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        for page in self.all_pages:
            if page.at_once:
                yield
                self.view(page.id)

    def _fill_menus(self) -> None:
        from sparring.ui.app.commands import MENUS

        bar = self.menuBar()
        assert bar is not None
        for title in MENUS:
            menu = bar.addMenu(title)
            assert menu is not None
            self.commands.menu(title.replace("&", ""), menu)
        bar.setCornerWidget(self.connection)

    def _wire(self) -> None:
        d, s = self.desk, self.session
        self.work.chosen.connect(
            lambda name: self.go(next(p.id for p in self.all_pages if p.name == name))
        )
        d.place_wanted.connect(self.show_place)
        d.said.connect(self.say)
        d.warned.connect(lambda text: self.say(text, stay=True))
        d.not_opened.connect(self._not_opened)
        s.said.connect(self.say)
        self.driveline.part_clicked.connect(self._part)
        self.title_block.wanted.connect(self._title_cell)
        self.findings.shown.connect(self._show_finding)
        self.findings.explained.connect(lambda id: self.errands.guide("findings", id))
        s.state_changed.connect(self._bench_state)
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
            s.state_changed,
        ):
            signal.connect(lambda *_: self._behind.start(0))
        for signal in (d.result_changed, d.lists_changed, d.rig_changed, d.build_changed):
            signal.connect(self._states)
        for signal in (d.undo.indexChanged, s.state_changed, d.lists_changed):
            signal.connect(self.commands.refresh)

    # --- pages, made when first wanted, or in idle moments after the window is up -----------------

    def view(self, id: str) -> Any:
        """A page's widget; made if it is not there yet."""
        if id not in self.views:
            page = next(p for p in self.all_pages if p.id == id)
            self.views[id] = view = page.make(self.context)
            self.pages.addWidget(view)
            view.flow_changed.connect(self._driveline)
            if (beside := view.beside()) is not None:
                self.sides.add(id, beside, page=id)
        return self.views[id]

    def make_pages(self) -> None:
        """Makes the pages not yet wanted, one in each idle moment; the chart library is loaded off
        this thread first.
        """

        def next_one(_result: object = None) -> None:
            missing = next((p.id for p in self.all_pages if p.id not in self.views), None)
            if missing is not None and self.isVisible():
                self.view(missing)
                QTimer.singleShot(20, next_one)
            elif missing is None:  # the machine has enough to do until a tester types units
                QTimer.singleShot(
                    _UNITS, lambda: background.run(loading.units, lambda _: None, failed)
                )

        def failed(err: Exception) -> None:
            self.say(str(err))

        background.run(loading.libraries, next_one, failed)

    # --- commands ---------------------------------------------------------------------------------

    def do(self, id: str) -> None:
        """Runs a command by its id."""
        self.commands.do(id)

    def _target(self, command: Command[Any]) -> Any:
        return self.view(command.on) if command.on else self.errands

    def _menu(self, name: str, parent: QWidget) -> QMenu:
        return self.commands.menu(name, QMenu(parent))

    def search(self) -> None:
        self.sides.docks["logbook"].show()
        self.logbook.search.setFocus()

    def guide(self) -> None:
        self.errands.guide()

    def chapter(self) -> str:
        return self.view(self.page.id).chapter() or self.page.id

    def start_tour(self) -> None:
        self.tour.start()

    def offer_tour(self) -> None:
        """Once, at the first start of all."""
        if not self.desk.settings.value("tour-offered", False, type=bool):
            self.desk.settings.setValue("tour-offered", True)
            self.tour.offer()

    def set_calm(self, on: bool) -> None:
        self.desk.settings.setValue("calm", on)
        theme.calm = on
        self.commands.refresh()
        self._driveline()

    def _calm_as_the_desktop(self) -> None:
        """Reduced motion where the desktop asks for it, until its user says otherwise here."""
        chosen = self.desk.settings.value("calm")
        if chosen is not None:
            theme.calm = self.desk.settings.value("calm", False, type=bool)
            return

        from sparring.ui.app.desktop import desktop_wants_calm

        def known(wanted: object) -> None:
            theme.calm = theme.calm or bool(wanted)
            self.commands.refresh()

        background.run(desktop_wants_calm, known, lambda _err: None)

    def set_dark(self, on: bool) -> None:
        self.desk.settings.setValue("dark", on)
        theme.set_dark(on, self, unheard=self.keys)

    # --- going about ------------------------------------------------------------------------------

    def go(self, id: str) -> None:
        """Shows a page."""
        view = self.view(id)
        self.page = next(p for p in self.all_pages if p.id == id)
        self.pages.setCurrentWidget(view)
        self.work.set_current(self.page.name)
        self.sides.show_page(id)
        self._fold_driveline()
        self.commands.show_page(id)
        self.findings.show_about(self.page.judgements)
        self.pages.setFocus()
        self._driveline()

    def show_place(self, place: str) -> None:
        """Leads to a page, or to a part of one, by the name of the place: `rig.sensors.supply`."""
        head, *path = place.split(".")
        page = next((p for p in self.all_pages if head in (p.id, *p.places)), None)
        if page is None:
            return
        self.go(page.id)
        self.view(page.id).show_place(path if head == page.id else [head, *path])

    def say(self, text: str, *, stay: bool = False) -> None:
        """A sentence for the tester, above the title block for a while (or until the next one)."""
        self.message.say(text, stay=stay)

    def _place_message(self) -> None:
        centre = self.centralWidget()
        if centre is None:
            return
        self.message.fit(min(620, centre.width() - 80))
        left = (centre.width() - self.message.width()) // 2
        top = centre.height() - self.title_block.height() - self.message.height() - 12
        self.message.move(left, top)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """A small window folds what can be spared; it comes back when there is room again."""
        super().resizeEvent(event)
        if not self.is_whole:
            return
        self.sides.make_room(self.width() < _NARROW)
        self._fold_driveline()
        if self.message.isVisible():
            self._place_message()

    def _fold_driveline(self, *, page: bool = True) -> None:
        """Folds it in a low window, and (page) above a page that wants the height."""
        folded = self.height() < _LOW or (page and self.page.folds)
        if folded != self.driveline.folded:
            self.driveline.fold(folded)

    def _part(self, part: str) -> None:
        """A part of the driveline was clicked; where the page had folded it, it unfolds."""
        if self.page.folds and self.driveline.folded:
            self._fold_driveline(page=False)
            return
        if part.startswith("stage"):
            self.show_place(f"build.stages.{int(part.split()[1]) - 1}")
        elif part == "motor":
            self.show_place("build.motor.no_load_speed")
        elif part == "output":
            self.show_place("results" if self.desk.result else "build")
        else:
            self.show_place("rig.method")

    def _title_cell(self, leads: str) -> None:
        if leads in self.commands.known:
            self.do(leads)
        else:
            self.show_place(leads)

    def _show_finding(self, finding: Finding) -> None:
        if finding.place:
            self.show_place(finding.place)
        elif finding.steps:
            self.show_place(f"results.step.{finding.steps[0]}")

    def changeEvent(self, event: QEvent | None) -> None:
        super().changeEvent(event)
        if (
            event is not None
            and event.type() == QEvent.Type.ActivationChange
            and self.isActiveWindow()
            and self.is_whole
        ):
            self.question.ask()  # an edit from a dialog waits until that is closed

    # --- what is shown above and around -----------------------------------------------------------

    def _driveline(self) -> None:
        view = self.views.get(self.page.id)
        self.driveline.put((view.flow() if view is not None else None) or self._expected())

    def _expected(self) -> ShownFlow:
        """What is expected at the load that the tester looks at."""
        from sparring.core import predict
        from sparring.ui.page import ShownFlow

        d = self.desk
        flow = predict.expected_flow(d.build, d.plan, d.load)
        wire = d.show(flow.wire_to_shaft, "ratio", decimals=1)
        gearbox = f"gearbox {d.show(flow.gearbox, 'ratio', decimals=1)}"
        return ShownFlow(flow, "predicted", (d.rig.name, d.dimension()), (wire, "", gearbox))

    def _states(self) -> None:
        for page in self.all_pages:
            self.work.set_state(page.name, page.state(self.desk))
        self.setWindowTitle(f"{self.desk.build.name} – Sparring")

    def _not_opened(self, why: str) -> None:
        back = (
            ""
            if self.desk.book is not None
            else " Logbook ▸ Restore a backup repairs a damaged one."
        )
        self.say(f"{why} Logbook ▸ Open or create a logbook chooses another.{back}", stay=True)

    def _keep_lift(self, stream: Path) -> int:
        """From the recorder's thread: a lift that is over becomes a run."""
        book = self.desk.book
        if book is None:
            raise OSError("no logbook is open")
        from sparring.logbook.recovery import adopt

        return adopt(book, stream)

    def _bench_state(self) -> None:
        s = self.session
        name = "Simulated bench" if s.simulated else s.name
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
        word = s.word(self.desk.rig.method)
        self.connection.setText(texts.get(s.state, f"{name}: {word}{lost}"))

    # --- files dropped, closing -------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        mime = event.mimeData() if event else None
        if self.is_whole and event and mime and any(u.isLocalFile() for u in mime.urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        mime = event.mimeData() if event else None
        for url in mime.urls() if mime else []:
            self.errands.import_file(Path(url.toLocalFile()))

    def closeEvent(self, event: QCloseEvent | None) -> None:
        if not self.is_whole:
            super().closeEvent(event)
            return
        self.session.disconnect_bench()
        self.desk.closes.emit()
        self.desk.undo.blockSignals(True)  # it speaks once more while it is taken away
        background.finish()  # a lift that was cut short is being kept
        self.sides.keep()
        self.desk.close()
        self._behind.stop()
        app = QApplication.instance()
        if app:
            app.removeEventFilter(self.keys)
        super().closeEvent(event)


def icon() -> QIcon:
    """The application's icon."""
    return QIcon(str(Path(__file__).parents[1] / "assets" / "sparring.svg"))
