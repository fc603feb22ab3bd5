"""Compare: builds side by side, what each factor does, and which one for a job."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QSize
from PyQt6.QtGui import QHideEvent, QShowEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QScrollArea,
    QSplitter,
    QStackedWidget,
    QTabBar,
    QVBoxLayout,
    QWidget,
)

from sparring.ui.page import Context, View
from sparring.ui.pages.compare.bar import Bar
from sparring.ui.pages.compare.change_panel import ChangePanel
from sparring.ui.pages.compare.curves import CurvesView
from sparring.ui.pages.compare.duty_panel import DutyPanel
from sparring.ui.pages.compare.effects_panel import EffectsPanel
from sparring.ui.pages.compare.figures_table import FiguresTable
from sparring.ui.pages.compare.forest import Forest
from sparring.ui.pages.compare.ratio_panel import RatioPanel
from sparring.ui.pages.compare.trade_panel import TradePanel
from sparring.ui.theme import theme
from sparring.ui.widgets.parts import heading, sheet

TABS = (
    ("side", "Side by side"),
    ("factors", "Factors"),
    ("trade", "Trade-off"),
    ("duty", "Duty"),
    ("ratio", "Ratio"),
    ("next", "What next"),
)
_ABOUT_THE_TICKED = ("side", "factors", "trade")


class ComparePage(View):
    """The builds that are ticked in the logbook, and the duty on the desk."""

    def __init__(self, context: Context) -> None:
        super().__init__(context)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(6)
        row = QHBoxLayout()
        self.tabs = QTabBar()
        self.tabs.setUsesScrollButtons(False)
        self.tabs.setDrawBase(False)
        self.tabs.setExpanding(False)
        self.tabs.setAccessibleName("What is compared")
        row.addWidget(self.tabs)
        row.addStretch(1)
        whole.addLayout(row)
        self.bar = Bar(self.desk)
        whole.addWidget(self.bar)
        self.panes = QStackedWidget()
        self.effects = EffectsPanel(self.desk)
        self.trade = TradePanel(self.desk)
        self.duty = DutyPanel(self.desk)
        self.ratio = RatioPanel(self.desk)
        self.change = ChangePanel(self.desk)
        panes = (self._side(), self.effects, self.trade, self.duty, self.ratio, self.change)
        for (_, words), pane in zip(TABS, panes, strict=True):
            self.tabs.addTab(words)
            self.panes.addWidget(pane)
        whole.addWidget(self.panes, 1)
        self.tabs.currentChanged.connect(self._turned)
        comparing = self.desk.comparing
        for signal in (comparing.changed, comparing.ticked, self.desk.units_changed, theme.changed):
            signal.connect(self.refresh)
        self.refresh()

    def minimumSizeHint(self) -> QSize:
        """Its bar is wide; the panels beside other pages need not make room for it."""
        return QSize(760, 320)

    def _side(self) -> QWidget:
        pane = QSplitter()
        pane.setOrientation(pane.orientation().Vertical)
        pane.setChildrenCollapsible(False)
        above = QSplitter()
        above.setChildrenCollapsible(False)
        frame, column = sheet(margins=8)
        self.curves = CurvesView(self.desk)
        self.curves.picked.connect(self.bar.at)
        column.addWidget(self.curves)
        above.addWidget(frame)
        frame, column = sheet(margins=8)
        self.against = heading("Differences")
        column.addWidget(self.against)
        self.forest = Forest(self.desk)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setObjectName("plain")
        self.forest.setObjectName("plain")
        scroll.setFocusPolicy(scroll.focusPolicy().NoFocus)
        scroll.setWidget(self.forest)
        column.addWidget(scroll, 1)
        above.addWidget(frame)
        above.setStretchFactor(0, 3)
        above.setStretchFactor(1, 2)
        pane.addWidget(above)
        frame, column = sheet(margins=8)
        self.figures = FiguresTable(self.desk)
        self.figures.picked.connect(self._take_figure)
        self.figures.sorted_by.connect(self.bar.sort)
        column.addWidget(self.figures, 1)
        self.told = self.figures.told
        pane.addWidget(frame)
        pane.setStretchFactor(0, 5)
        pane.setStretchFactor(1, 5)
        return pane

    # --- showing ----------------------------------------------------------------------------------

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.desk.comparing.set_ticking(True)
        self.refresh()

    def hideEvent(self, event: QHideEvent | None) -> None:
        super().hideEvent(event)
        self.desk.comparing.set_ticking(False)

    def _turned(self, n: int) -> None:
        self.panes.setCurrentIndex(n)
        self.refresh()

    @property
    def tab(self) -> str:
        """Id of the tab that is shown."""
        return TABS[self.tabs.currentIndex()][0]

    def refresh(self) -> None:
        """Follows what is compared, while it is looked at."""
        if not self.isVisible():
            return
        comparing = self.desk.comparing
        about = self.tab in _ABOUT_THE_TICKED
        self.bar.setVisible(about)
        if about:
            comparing.look()
            self.bar.refresh()
        pane = self.panes.currentWidget()
        if self.tab == "side":
            self._show_side()
        elif isinstance(pane, EffectsPanel | TradePanel | DutyPanel | RatioPanel | ChangePanel):
            pane.refresh()

    def _show_side(self) -> None:
        comparing = self.desk.comparing
        self.curves.refresh()
        self.forest.refresh()
        self.figures.refresh()
        found = comparing.found
        if found is None:
            self.against.setText("Differences")
            busy = "It is being worked out." if comparing.busy else ""
            empty = (
                "Tick builds or tests in the logbook at the left, or search there and compare what "
                "is found."
            )
            self.told.setText(comparing.failed or busy or empty)
            return
        side = found.comparison
        words = side.figure.words.capitalize()
        against = "" if side.reference is None else f" against {side.subjects[side.reference].name}"
        self.against.setText(f"{words}{against}")
        self.told.setText(self._conditions())

    def _conditions(self) -> str:
        """What was reduced to common conditions, and what was not."""
        found = self.desk.comparing.found
        assert found is not None
        side = found.comparison
        rigs = {s.rig for s in side.subjects if s.rig}
        days = {s.day for s in side.subjects if s.day}
        paired = sum(d.paired > 0 for d in side.differences)
        parts = [
            f"{side.at.voltage:.4g} V; speeds reduced to the warmth of the motor's line, "
            "efficiencies not."
        ]
        if side.differences:
            n = len(side.differences)
            parts.append(
                f"{n} comparison{'s' * (n > 1)}, 5 % chance of one false claim (Holm)"
                + (f", {paired} paired block by block." if paired else ".")
            )
        if len(rigs) > 1 or len(days) > 1:
            many = f"{len(rigs)} rig{'s' * (len(rigs) != 1)}"
            parts.append(f"{many}, {len(days)} day{'s' * (len(days) != 1)}.")
        return " ".join(parts)

    def _take_figure(self, id: str) -> None:
        if id != self.desk.comparing.wanted.figure:
            self.desk.comparing.want(figure=id, margin=None)

    def show_tab(self, id: str) -> None:
        """Brings a tab forward."""
        self.tabs.setCurrentIndex(next(n for n, (k, _) in enumerate(TABS) if k == id))

    def show_place(self, path: Sequence[str]) -> None:
        if path and path[0] in {k for k, _ in TABS}:
            self.show_tab(path[0])
        self.tabs.setFocus()
