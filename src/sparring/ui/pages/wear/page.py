"""Wear: a part tooth by tooth, its observations and sizes, the drive's course over its life."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QPushButton,
    QSizePolicy,
    QSplitter,
    QStackedWidget,
    QTabBar,
    QVBoxLayout,
    QWidget,
)

from sparring.core.quantity import Measured
from sparring.core.wear.inspection import Inspection
from sparring.core.wear.parts import Part, parts_of
from sparring.ui.model import background
from sparring.ui.page import Context, View
from sparring.ui.pages.wear.apart_panel import ApartPanel
from sparring.ui.pages.wear.course_chart import CourseChart
from sparring.ui.pages.wear.cursor import Cursor
from sparring.ui.pages.wear.drive_panel import DrivePanel
from sparring.ui.pages.wear.gear_view import GearView
from sparring.ui.pages.wear.lives_panel import LivesPanel
from sparring.ui.pages.wear.photos_panel import PhotosPanel
from sparring.ui.pages.wear.rates import Rates, rough
from sparring.ui.pages.wear.seen_panel import SeenPanel
from sparring.ui.pages.wear.sizes_panel import SizesPanel
from sparring.ui.theme import theme
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.parts import sheet

_TABS = (
    ("teeth", "Teeth"),
    ("sizes", "Sizes"),
    ("drive", "Drive"),
    ("photos", "Photos"),
    ("apart", "Taking apart"),
    ("lives", "Lives"),
)


class WearPage(View):
    """Inspections of the build on the desk."""

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        self.caret = Cursor()
        self._parts: list[Part] = []
        self._of: object = None
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(6)
        whole.addLayout(self._head())
        above = QSplitter()
        above.setChildrenCollapsible(False)
        above.addWidget(self._drawing())
        above.addWidget(self._panes())
        above.setStretchFactor(0, 4)
        above.setStretchFactor(1, 5)
        below = QSplitter()
        below.setChildrenCollapsible(False)
        for widget, stretch in ((self._course(), 4), (self._rates(), 5)):
            below.addWidget(widget)
            below.setStretchFactor(below.count() - 1, stretch)
        below.setSizes([4000, 5000])
        for row, share in ((above, 8), (below, 5)):
            row.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Ignored)
            row.setMinimumHeight(row.minimumSizeHint().height())
            whole.addWidget(row, share)
        d = self.desk
        for signal in (d.wear_changed, d.build_changed, d.units_changed, theme.changed):
            signal.connect(self.refresh)
        self.refresh()

    # --- parts ------------------------------------------------------------------------------------

    def _head(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(6)
        self.looks = Choice()
        self.looks.setAccessibleName("Inspection")
        self.looks.setMinimumContentsLength(16)
        self.looks.activated.connect(
            lambda _n: self.desk.choose_look(self.looks.currentData() or 0)
        )
        row.addWidget(self.looks, 1)
        self.new = QPushButton("New inspection")
        self.new.setToolTip("Adds up what the drive has done since it was new (Ctrl+Shift+I)")
        self.new.clicked.connect(self.begin)
        row.addWidget(self.new)
        return row

    def _drawing(self) -> QWidget:
        frame, column = sheet(margins=6)
        row = QHBoxLayout()
        row.setSpacing(4)
        self.part = Choice()
        self.part.setAccessibleName("Part")
        self.part.activated.connect(lambda n: self._choose(n))
        for words, by, name in (("‹", -1, "Previous part"), ("›", 1, "Next part")):
            button = QPushButton(words)
            button.setFixedWidth(28)
            button.setAccessibleName(name)
            button.setToolTip(name)
            button.clicked.connect(lambda _on, by=by: self.turn(by))
            if by > 0:
                row.addWidget(self.part, 1)
            row.addWidget(button)
        column.addLayout(row)
        self.gear = GearView(self.caret)
        self.gear.turned.connect(self.turn)
        column.addWidget(self.gear, 1)
        return frame

    def _panes(self) -> QWidget:
        frame, column = sheet(margins=6)
        self.tabs = QTabBar()
        self.tabs.setUsesScrollButtons(False)
        self.tabs.setDrawBase(False)
        self.tabs.setExpanding(False)
        self.tabs.setAccessibleName("About the part and the inspection")
        self.panes = QStackedWidget()
        self.seen = SeenPanel(self.desk, self.caret)
        self.seen.strip.turned.connect(self.turn)
        self.sizes = SizesPanel(self.desk, self.caret)
        self.drive = DrivePanel(self.desk)
        self.photos = PhotosPanel(self.desk, self.caret)
        self.apart = ApartPanel(self.desk)
        self.lives = LivesPanel(self.desk)
        panes = (self.seen, self.sizes, self.drive, self.photos, self.apart, self.lives)
        for (_, words), pane in zip(_TABS, panes, strict=True):
            self.tabs.addTab(words)
            self.panes.addWidget(pane)
        self.tabs.currentChanged.connect(self.panes.setCurrentIndex)
        column.addWidget(self.tabs)
        column.addWidget(self.panes, 1)
        return frame

    def _course(self) -> QWidget:
        frame, column = sheet(margins=6)
        self.course = CourseChart(self.desk)
        self.course.picked.connect(self.desk.choose_look)
        column.addWidget(self.course)
        return frame

    def _rates(self) -> QWidget:
        frame, column = sheet(margins=6)
        self.rates = Rates(self.desk)
        self.rates.picked.connect(self._show_body)
        column.addWidget(self.rates)
        return frame

    # --- showing ----------------------------------------------------------------------------------

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.refresh()

    def refresh(self) -> None:
        """Follows the desk, while it is looked at."""
        d = self.desk
        if not self.isVisible():
            return
        d.want_wear()
        if self._of is not d.build:
            self._of, kept = d.build, self.caret.part
            self._parts = parts_of(d.build)
            names = [p.name for p in self._parts]
            self.part.clear()
            self.part.addItems(names)
            toothed = next((n for n, p in enumerate(self._parts) if p.body.teeth), 0)
            self._choose(names.index(kept.name) if kept and kept.name in names else toothed)
        self.looks.clear()
        for n, (key, look) in enumerate(d.looks, start=1):
            self.looks.addItem(_told(n, look), key)
        at = self.looks.findData(d.look_id)
        self.looks.setCurrentIndex(at)
        self.looks.setEnabled(bool(d.looks))
        if not d.looks:
            self.looks.setPlaceholderText("No inspection yet")
        self._show_part()
        for pane in (self.seen, self.sizes, self.drive, self.photos, self.apart, self.lives):
            pane.refresh()
        self.course.refresh()
        self.rates.refresh()

    def _show_part(self) -> None:
        look, part = self.desk.look, self.caret.part
        seen = [s for s in look.seen if part is not None and s.part == part.name] if look else []
        self.caret.show(part, seen)
        self.seen.meets.setText(self._meets())

    def _meets(self) -> str:
        """What a part meets, and how often the same."""
        from sparring.core.wear.hunting import factor

        part = self.caret.part
        if part is None:
            return ""
        stage = self.desk.build.stages[part.stage]
        told = []
        for c in stage.contacts():
            if part.body.name in (c.a, c.b):
                own, other = (c.pair.z1, c.pair.z2)[:: 1 if part.body.name == c.a else -1]
                mate = c.b if part.body.name == c.a else c.a
                g = factor(own, other)
                how = "all meet all" if g == 1 else f"common factor {g}"
                told.append(f"{mate}, {other} teeth: {how}")
        return "Meets " + "; ".join(told) if told else ""

    def _choose(self, n: int) -> None:
        self.part.setCurrentIndex(n)
        self.caret.show(self._parts[n], ())
        self._show_part()
        self.seen.refresh()
        self.sizes.refresh()

    def turn(self, by: int) -> None:
        """To the next part, or the one before."""
        self._choose((self.part.currentIndex() + by) % len(self._parts))

    def _show_body(self, body: str) -> None:
        names = [p.name for p in self._parts]
        at = next((n for n, name in enumerate(names) if name in (body, f"{body} 1")), None)
        if at is not None:
            self._choose(at)

    def show_tab(self, id: str) -> None:
        self.tabs.setCurrentIndex(next(n for n, (k, _) in enumerate(_TABS) if k == id))

    def show_place(self, path: Sequence[str]) -> None:
        if path and path[0] == "part":
            self._show_body(".".join(path[1:]))
            self.show_tab("teeth")
        self.gear.setFocus()

    # --- what is done -----------------------------------------------------------------------------

    def begin(self) -> None:
        """A new inspection, with what the tests of this build add up to."""
        d = self.desk
        book, build_id = d.book, d.build_id
        if book is None or not build_id:
            return
        self.new.setEnabled(False)
        last = d.looks[-1][1] if d.looks else None

        def done(found: object) -> None:
            from sparring.exchange.working import Worked

            self.new.setEnabled(True)
            assert isinstance(found, Worked)
            if d.build_id != build_id:
                return
            made = Inspection(
                made=datetime.now().astimezone().isoformat(timespec="minutes")[:16],
                turns=_rounded(found.turns),
                work=_rounded(found.work),
                starts=found.starts,
                hours=found.seconds or None,
                peak_torque=found.peak or None,
                elsewhere_turns=last.elsewhere_turns if last else Measured(0.0),
                elsewhere_work=last.elsewhere_work if last else Measured(0.0),
                marks=last.marks if last else (),
            )
            d.begin_inspection(made)
            if found.unknown:
                d.said.emit(
                    f"Of {found.unknown} runs torque or speed is not known: add what they did "
                    "under Drive."
                )
            self.gear.setFocus()

        def failed(err: Exception) -> None:
            self.new.setEnabled(True)
            d.said.emit(str(err))

        def work() -> object:
            from sparring.exchange.working import worked

            return worked(book, build_id)

        background.run(work, done, failed)


def _rounded(m: Measured) -> Measured:
    """Without digits that nobody knows."""
    return Measured(float(f"{m.value:.6g}"), float(f"{m.u:.2g}"))


def _told(n: int, look: Inspection) -> str:
    """`3rd, 24 Nov, after 650 thousand turns`."""
    end = "th" if 4 <= n % 100 <= 20 else {1: "st", 2: "nd", 3: "rd"}.get(n % 10, "th")
    turns = look.turns.value + look.elsewhere_turns.value
    day = ""
    if look.made:
        try:
            day = f", {datetime.fromisoformat(look.made):%d %b %Y}"
        except ValueError:
            day = f", {look.made}"
    after = "new" if not turns else f"after {rough(turns)} turns"
    hours = f", {look.hours / 3600:.3g} h" if look.hours else ""
    return f"{n}{end}{day}, {after}{hours}"
