"""The logbook at the left: builds by family, their tests, and the search."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import TYPE_CHECKING, NamedTuple

from PyQt6.QtCore import QModelIndex, Qt, QTimer
from PyQt6.QtGui import QFontMetrics, QPainter
from PyQt6.QtWidgets import (
    QApplication,
    QFrame,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
)

from sparring.core.build import Build
from sparring.core.compare.choice import Choice
from sparring.core.quantity import QuantityError
from sparring.core.search import Facts, query
from sparring.core.train.kinematics import ratio_in_words
from sparring.ui.model import background
from sparring.ui.model.desk import Desk
from sparring.ui.theme import font, theme
from sparring.ui.widgets.plain import Label, tip

if TYPE_CHECKING:
    from sparring.logbook.stored import StoredTest

_CHOICE = Qt.ItemDataRole.UserRole + 1
_FIGURE = Qt.ItemDataRole.UserRole + 2
_SMALL, _BESIDE = 12, 4  # [px] type of a figure, and what it keeps free
_MANY = 500  # tests that are read off the window's thread
_PAGE = 100  # tests of a build that are listed


class Listed(NamedTuple):
    """A build with its tests, oldest first, and what all and each of them are found by."""

    id: int
    build: Build
    tests: list[StoredTest]
    facts: Facts
    each: list[Facts]


class _Row(QStyledItemDelegate):
    """A name with a figure at the right end; the name gives way."""

    def initStyleOption(self, option: QStyleOptionViewItem | None, index: QModelIndex) -> None:
        super().initStyleOption(option, index)
        figure = index.data(_FIGURE)
        if option is None or not figure:
            return
        wide = QFontMetrics(font(_SMALL)).horizontalAdvance(figure)
        style = option.widget.style() if option.widget is not None else None
        room = option.rect
        if style is not None:
            part = QStyle.SubElement.SE_ItemViewItemText
            room = style.subElementRect(part, option, option.widget)
        left = room.width() - wide - 2 * _BESIDE
        option.text = option.fontMetrics.elidedText(option.text, Qt.TextElideMode.ElideRight, left)

    def paint(
        self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex
    ) -> None:
        super().paint(painter, option, index)
        if painter is not None and (figure := index.data(_FIGURE)):
            painter.setPen(theme.colour("ink"))
            painter.setFont(font(_SMALL))
            painter.drawText(
                option.rect.adjusted(0, 0, -_BESIDE // 2, 0),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                figure,
            )


class LogbookPanel(QFrame):
    """Families, revisions and their tests with the last headline figure; found by word or by
    condition.
    """

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self.desk = desk
        self._filling = self._at_tick = False
        self._listed: list[Listed] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 10, 6, 6)
        self.setWindowTitle("Logbook")
        self.setAccessibleName("Logbook")
        self.search = QLineEdit()
        self.search.setPlaceholderText("word, or value")
        self.search.setAccessibleName("Find in the logbook")
        self.search.setToolTip(
            tip(
                "Any text: family, title, material, date. Or conditions: material = POM and "
                "efficiency > 80 %, mass < 300 g, not lubricant = dry, day > 2026-11-12"
            )
        )
        self.search.textChanged.connect(self._fill)
        layout.addWidget(self.search)
        self.tree = QTreeWidget()
        self.tree.setAccessibleName("Builds and tests")
        self.tree.setHeaderHidden(True)
        self.tree.setItemDelegate(_Row(self.tree))
        self.tree.setIndentation(12)
        self.tree.setRootIsDecorated(False)
        self.tree.setUniformRowHeights(True)
        self.tree.itemActivated.connect(self._activated)
        self.tree.itemClicked.connect(self._activated)
        self.tree.itemChanged.connect(self._ticked)
        layout.addWidget(self.tree, 1)
        self.compare_found = QPushButton("Compare all found")
        self.compare_found.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.compare_found.setToolTip("Ticks all builds that the search finds, and no others")
        self.compare_found.clicked.connect(
            lambda: self.desk.comparing.tick_found(self.search.text().strip())
        )
        self.compare_found.hide()
        layout.addWidget(self.compare_found)
        self.note = Label()
        self.note.setObjectName("note")
        self.note.setWordWrap(True)
        layout.addWidget(self.note)
        # an edit is several signals; the page it was made on is repainted first
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(30)
        self._soon.timeout.connect(self.refresh)
        desk.comparing.ticked.connect(self._show_ticks)
        for signal in (desk.lists_changed, desk.build_changed, desk.units_changed, theme.changed):
            signal.connect(self._soon.start)

    def refresh(self) -> None:
        """Looks into the logbook again, and fills the tree; off this thread where there is much to
        read.
        """
        book = self.desk.book
        if book is None:
            return

        def look() -> list[Listed]:
            from sparring.logbook.searching import facts_of

            by_build: dict[int, list[StoredTest]] = {}
            for test in book.tests():
                by_build.setdefault(test.build_id, []).append(test)
            rigs = {key: rig.name for key, rig in book.rigs()}
            return [
                Listed(
                    build_id,
                    build,
                    own := by_build.get(build_id, []),
                    facts_of(build, own, rigs),
                    [facts_of(build, [t], rigs) for t in own] if len(own) > 1 else [],
                )
                for build_id, build in book.builds()
            ]

        def looked(found: list[Listed]) -> None:
            if book is self.desk.book:
                self._listed = found
                self._fill()

        if book.count_tests() > _MANY:
            background.run(look, looked, lambda err: self.note.setText(str(err)))
        else:
            looked(look())

    def _fill(self) -> None:
        # what is being clicked must not be exchanged under the pointer
        if QApplication.mouseButtons() != Qt.MouseButton.NoButton:
            self._soon.start()
            return
        wanted = self.search.text().strip()
        try:
            keep = query(wanted, self._own_factors())
            self.note.setText("")
        except QuantityError as err:
            self.note.setText(str(err))
            return
        self._filling = True
        self.tree.clear()
        families: dict[str, QTreeWidgetItem] = {}
        shown = 0
        for build_id, build, own, facts, each in self._listed:
            whole = len(own)
            known = [t.headline for t in reversed(own) if t.headline]
            head = next((h for h in known if "value" in h), None)
            alone = next((h for h in known if h.get("stall") is not None), None)
            # where not all of its tests are what is asked for, those that are
            fits = [t for t, f in zip(own, each, strict=True) if keep(f)] if each else []
            if wanted and not fits and not keep(facts):
                continue
            own = fits or own
            shown += 1
            family = families.get(build.family)
            if family is None:
                family = QTreeWidgetItem(
                    [f"{build.family}  {ratio_in_words(abs(build.ratio())).split()[0]}"]
                )
                family.setFont(0, font(13, bold=True))
                family.setFlags(Qt.ItemFlag.ItemIsEnabled)
                self.tree.addTopLevelItem(family)
                family.setExpanded(True)
                families[build.family] = family
            item = self._row(f"r{build.revision} {build.title}", head or alone)
            item.setToolTip(0, tip(f"{build.name} · {build.title}"))
            # where a search finds one of several tests, it leads to that
            one = len(own) == 1 < whole
            leads = ("test", own[0].id) if one else ("build", build_id)
            item.setData(0, Qt.ItemDataRole.UserRole, leads)
            self._tick(item, Choice(build_id))
            family.addChild(item)
            if len(own) > 1:
                self._add_tests(item, own)
                item.setExpanded(build_id == self.desk.build_id)
            if build_id == self.desk.build_id and (len(own) < 2 or not self.desk.test_id):
                self.tree.setCurrentItem(item)
        if not shown:
            self.note.setText(
                "Nothing found."
                if wanted
                else "No builds yet: Build ▸ New build, or drop a build file here."
            )
        self._filling = False

    def _own_factors(self) -> list[str]:
        """Names of the tester's own, by which tests are found."""
        return sorted({f.name for x in self._listed for t in x.tests for f in t.plan.factors})

    def _add_tests(self, item: QTreeWidgetItem, own: list[StoredTest]) -> None:
        """The newest tests of a build, and the one on the desk; earlier ones are there to be
        searched.
        """
        listed = [t for t in own[:-_PAGE] if t.id == self.desk.test_id] + own[-_PAGE:]
        if len(listed) < len(own):
            earlier = QTreeWidgetItem(
                [f"{len(own) - len(listed)} earlier tests: search by title or date"]
            )
            earlier.setFlags(Qt.ItemFlag.NoItemFlags)
            item.addChild(earlier)
        for t in listed:
            made = f"{local(t.created):%d %b %H:%M}"  # behind what tells it from the others
            sub = self._row(f"{t.title}, {made}" if t.title else made, t.headline)
            sub.setData(0, Qt.ItemDataRole.UserRole, ("test", t.id))
            self._tick(sub, Choice(t.build_id, t.id))
            item.addChild(sub)
            if t.id == self.desk.test_id:
                self.tree.setCurrentItem(sub)

    def _tick(self, item: QTreeWidgetItem, choice: Choice) -> None:
        """While builds are compared, each can be ticked."""
        comparing = self.desk.comparing
        item.setData(0, _CHOICE, tuple(choice))
        if comparing.ticking:
            on = choice in comparing.choices
            item.setCheckState(0, Qt.CheckState.Checked if on else Qt.CheckState.Unchecked)

    def _show_ticks(self) -> None:
        self.compare_found.setVisible(self.desk.comparing.ticking)
        self._fill()

    def _ticked(self, item: QTreeWidgetItem, column: int) -> None:
        choice = item.data(0, _CHOICE)
        if self._filling or column or choice is None or not self.desk.comparing.ticking:
            return
        self._at_tick = True
        on = item.checkState(0) == Qt.CheckState.Checked

        def tick() -> None:  # the list is filled again by it, not under its own signal
            self._at_tick = False
            self.desk.comparing.tick(Choice(*choice), on=on)

        QTimer.singleShot(0, tick)

    def _row(self, name: str, headline: dict | None) -> QTreeWidgetItem:
        """A row of the tree with its figure; while builds are compared names need the room beside
        the boxes, and the page has the figures.
        """
        item, figure = QTreeWidgetItem([name]), self._head(headline)
        item.setData(0, _FIGURE, "" if self.desk.comparing.ticking else figure)
        item.setData(0, Qt.ItemDataRole.AccessibleTextRole, f"{name}, {figure}")
        return item

    def _head(self, headline: dict | None) -> str:
        """Its efficiency; of a test that only stalls, the torque."""
        if not headline:
            return "–"
        if "value" in headline:
            return self.desk.show(headline["value"], "ratio", decimals=1)
        stall = headline.get("stall")
        return "–" if stall is None else self.desk.three(stall, "torque")

    def _activated(self, item: QTreeWidgetItem) -> None:
        data = item.data(0, Qt.ItemDataRole.UserRole)
        if not data or self._filling:
            return
        if self._at_tick:  # the click was for the tick, not for the build
            return
        kind, number = data
        if kind == "build" and number != self.desk.build_id:
            self.desk.choose_build(number)
        elif kind == "test" and number != self.desk.test_id:
            self.desk.choose_test(number)


def local(moment: datetime) -> datetime:
    """A stored moment (UTC; the database may drop the zone) in the tester's time."""
    return (moment if moment.tzinfo else moment.replace(tzinfo=UTC)).astimezone()
