"""The logbook at the left, the findings at the right, the title block at the bottom."""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import UTC, date, datetime
from typing import NamedTuple

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import (
    QApplication,
    QFrame,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from sparring.core.finding import Finding, explain
from sparring.core.quantity import QuantityError, parse
from sparring.core.train.kinematics import ratio_in_words
from sparring.ui.desk import Desk
from sparring.ui.theme import font, theme
from sparring.ui.widgets.parts import unbroken
from sparring.ui.widgets.plain import Label, tip

_COMPARED = {"ratio": "ratio", "efficiency": "ratio", "mass": "mass", "stall": "torque"}


class LogbookPanel(QFrame):
    """Families, revisions and their tests with the last headline figure; found by word or by condition."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self.desk = desk
        self._filling = False
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 10, 6, 6)
        title = Label("Logbook")
        title.setObjectName("title")
        layout.addWidget(title)
        self.search = QLineEdit()
        self.search.setPlaceholderText("word, or efficiency > 80 %")
        self.search.setAccessibleName("Find in the logbook")
        self.search.setToolTip(
            tip("Any words: family, title, material, date. Or a condition: efficiency > 80 %, mass < 300 g, ratio = 30, stall > 1 N·m")
        )
        self.search.textChanged.connect(self.refresh)
        layout.addWidget(self.search)
        self.tree = QTreeWidget()
        self.tree.setAccessibleName("Builds and tests")
        self.tree.setHeaderHidden(True)
        self.tree.setColumnCount(2)
        self.tree.setIndentation(12)
        self.tree.setRootIsDecorated(False)
        self.tree.setUniformRowHeights(True)
        header = self.tree.header()
        if header is not None:
            header.setStretchLastSection(False)
            header.setSectionResizeMode(0, header.ResizeMode.Stretch)
            header.setSectionResizeMode(1, header.ResizeMode.ResizeToContents)
        self.tree.itemActivated.connect(self._activated)
        self.tree.itemClicked.connect(self._activated)
        layout.addWidget(self.tree, 1)
        self.note = Label()
        self.note.setObjectName("note")
        self.note.setWordWrap(True)
        layout.addWidget(self.note)
        self._soon = QTimer(self)  # an edit is several signals; the page it was made on is repainted first
        self._soon.setSingleShot(True)
        self._soon.setInterval(30)
        self._soon.timeout.connect(self.refresh)
        for signal in (desk.lists_changed, desk.build_changed, desk.units_changed, theme.changed):
            signal.connect(self._soon.start)

    def refresh(self) -> None:
        """Fills the tree from the logbook."""
        book = self.desk.book
        if book is None:
            return
        if QApplication.mouseButtons() != Qt.MouseButton.NoButton:  # what is being clicked must not be exchanged under the pointer
            self._soon.start()
            return
        wanted = self.search.text().strip()
        try:
            keep = matcher(wanted)
            self.note.setText("")
        except QuantityError as err:
            self.note.setText(str(err))
            return
        self._filling = True
        self.tree.clear()
        tests = book.tests()
        families: dict[str, QTreeWidgetItem] = {}
        shown = 0
        for build_id, build in book.builds():
            own = [t for t in tests if t.build_id == build_id]
            head = next((t.headline for t in reversed(own) if t.headline and "value" in t.headline), None)
            facts = {
                "ratio": abs(build.ratio()),
                "efficiency": head["value"] if head else None,
                "mass": build.mass.value if build.mass else None,
                "stall": head.get("stall") if head else None,
            }
            words = " ".join(
                [
                    build.name,
                    build.title,
                    build.lubricant,
                    build.notes,
                    *(f"{s.material} {s.kind}" for s in build.stages),
                    *(f"{t.title} {local(t.created):%Y-%m-%d}" for t in own),
                ]
            )
            if not keep(words, facts):
                continue
            shown += 1
            family = families.get(build.family)
            if family is None:
                family = QTreeWidgetItem([f"{build.family}  {ratio_in_words(abs(build.ratio())).split()[0]}", ""])
                family.setFont(0, font(13, bold=True))
                family.setFlags(Qt.ItemFlag.ItemIsEnabled)
                self.tree.addTopLevelItem(family)
                family.setExpanded(True)
                family.setFirstColumnSpanned(True)
                families[build.family] = family
            item = QTreeWidgetItem([f"r{build.revision} {build.title}", self._head(head)])
            item.setToolTip(0, tip(f"{build.name} · {build.title}"))
            item.setTextAlignment(1, int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter))
            item.setData(0, Qt.ItemDataRole.UserRole, ("build", build_id))
            family.addChild(item)
            if len(own) > 1:
                for t in own:
                    sub = QTreeWidgetItem([f"{local(t.created):%d %b %H:%M} {t.title}", self._head(t.headline)])
                    sub.setTextAlignment(1, int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter))
                    sub.setData(0, Qt.ItemDataRole.UserRole, ("test", t.id))
                    item.addChild(sub)
                    if t.id == self.desk.test_id:
                        self.tree.setCurrentItem(sub)
                item.setExpanded(build_id == self.desk.build_id)
            if build_id == self.desk.build_id and (len(own) < 2 or not self.desk.test_id):
                self.tree.setCurrentItem(item)
        if not shown:
            self.note.setText("Nothing found." if wanted else "No builds yet: Build ▸ New build, or drop a build file here.")
        self._filling = False

    def _head(self, headline: dict | None) -> str:
        if not headline or "value" not in headline:
            return "–"
        return self.desk.show(headline["value"], "ratio", decimals=1)

    def _activated(self, item: QTreeWidgetItem) -> None:
        data = item.data(0, Qt.ItemDataRole.UserRole)
        if not data or self._filling:
            return
        kind, number = data
        if kind == "build" and number != self.desk.build_id:
            self.desk.choose_build(number)
        elif kind == "test" and number != self.desk.test_id:
            self.desk.choose_test(number)


def local(moment: datetime) -> datetime:
    """A stored moment (UTC; the database may drop the zone) in the tester's time."""
    return (moment if moment.tzinfo else moment.replace(tzinfo=UTC)).astimezone()


def matcher(text: str) -> Callable[[str, dict[str, float | None]], bool]:
    """A test for (words, facts): every word must occur, every condition hold. Raises QuantityError for a bad condition."""
    conditions = []
    rest = text
    for match in re.finditer(r"\b(" + "|".join(_COMPARED) + r")\s*([<>=])\s*([\d.,/ ]+\s*[^\s<>=\d]*)", text):
        name, sign, figure = match.groups()
        value = parse(figure.strip(), _COMPARED[name], "" if _COMPARED[name] == "ratio" else None).value
        conditions.append((name, sign, value))
        rest = rest.replace(match.group(0), " ")
    words = rest.lower().split()

    def keep(haystack: str, facts: dict[str, float | None]) -> bool:
        low = haystack.lower()
        if not all(w in low for w in words):
            return False
        for name, sign, value in conditions:
            have = facts[name]
            if have is None or not (
                have > value if sign == ">" else have < value if sign == "<" else abs(have - value) <= 0.005 * abs(value)
            ):
                return False
        return True

    return keep


class _Card(QFrame):
    """One finding: title, what was seen; opened: why, causes, what to try."""

    opened = pyqtSignal(object)

    def __init__(self, finding: Finding, units: dict[str, str]) -> None:
        super().__init__()
        self.finding = finding
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"{finding.severity}: {finding.title}")
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 6, 6, 8)
        layout.setSpacing(3)
        title = Label(finding.title)
        title.setObjectName("title")
        title.setWordWrap(True)
        layout.addWidget(title)
        self.parts = [self._text(explain(finding, units), "ink-2")]
        more = [finding.why]
        if finding.causes:
            more.append("Likely:\n" + "\n".join(f"{n}. {c}" for n, c in enumerate(finding.causes, start=1)))
        if finding.try_next:
            more.append("Try:\n" + "\n".join(finding.try_next))
        self.more = [self._text(text, "ink") for text in more]
        for label in (*self.parts, *self.more):
            layout.addWidget(label)
        self.open(False)

    def _text(self, text: str, colour: str) -> Label:
        label = Label(unbroken(text))
        label.setWordWrap(True)
        label.setStyleSheet(f"font-size: 12px; color: {theme.hex(colour)};")
        return label

    def open(self, on: bool) -> None:
        for label in self.more:
            label.setVisible(on)
        self.is_open = on

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        colour = {"wrong": "vermilion", "caution": "amber", "note": "ink-3", "good": "reseda"}[self.finding.severity]
        # the bar's form says the severity too: full, broken, thin
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme.colour(colour))
        if self.finding.severity == "caution":
            for y in range(4, self.height() - 4, 12):
                p.drawRect(2, y, 4, 8)
        else:
            p.drawRect(2, 4, 5 if self.finding.severity == "wrong" else 2, self.height() - 8)
        if self.hasFocus():
            p.setPen(theme.colour("reseda"))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.opened.emit(self)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self.opened.emit(self)
        else:
            super().keyPressEvent(event)


class FindingsPanel(QFrame):
    """The judgements on what is shown, worst first. `shown(finding)`: the evidence is wanted in the picture."""

    shown = pyqtSignal(object)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self.desk = desk
        self.about = "test"  # or build, rig
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Ignored)  # it takes what the ladder leaves
        self.setMinimumHeight(92)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 10, 2, 4)
        title = Label("Findings")
        title.setObjectName("title")
        layout.addWidget(title)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.body = QWidget()
        self.body.setObjectName("plain")
        self.list = QVBoxLayout(self.body)
        self.list.setContentsMargins(0, 0, 4, 0)
        self.list.setSpacing(4)
        scroll.setWidget(self.body)
        layout.addWidget(scroll, 1)
        for signal in (desk.units_changed, theme.changed):
            signal.connect(self.refresh)
        desk.result_changed.connect(lambda: self.refresh() if self.about != "build" else None)
        self._soon = QTimer(self)  # the page is repainted first, then judged
        self._soon.setSingleShot(True)
        self._soon.setInterval(40)
        self._soon.timeout.connect(lambda: self.refresh() if self.about != "test" else None)
        for signal in (desk.build_changed, desk.plan_changed, desk.rig_changed):
            signal.connect(self._soon.start)

    def show_about(self, about: str) -> None:
        """Judgements on the build as described, on the rig as set up, or on what was measured (`test`)."""
        if about != self.about:
            self.about = about
            self._soon.start() if about == "build" else self.refresh()

    def refresh(self) -> None:
        while self.list.count():
            item = self.list.takeAt(0)
            widget = item.widget() if item else None
            if widget:
                widget.hide()
                widget.setParent(None)
                widget.deleteLater()
        d = self.desk
        findings = {"build": d.build_findings, "rig": d.setup_findings, "test": lambda: d.findings}[self.about]()
        for finding in findings:
            card = _Card(finding, self.desk.units)
            card.opened.connect(self._open)
            self.list.addWidget(card)
        if not findings:
            label = Label(
                "No finding: this build assembles, meshes and holds, as far as can be reckoned."
                if self.about == "build"
                else "No finding: nothing on this bench stands in the way of a run, as far as can be reckoned."
                if self.about == "rig"
                else "Nothing to say yet: findings come with the first measured lifts."
                if not self.desk.result
                else "No finding: nothing here contradicts itself."
            )
            label.setObjectName("note")
            label.setWordWrap(True)
            self.list.addWidget(label)
        self.list.addStretch(1)

    def cards(self) -> list[_Card]:
        return [w for i in range(self.list.count()) if (item := self.list.itemAt(i)) and isinstance(w := item.widget(), _Card)]

    def _open(self, card: _Card) -> None:
        for other in self.cards():
            other.open(other is card and not card.is_open)
        if card.finding.steps:
            self.desk.select(card.finding.steps[0])
        self.shown.emit(card.finding)


class Cell(NamedTuple):
    """A cell of the title block: its heading and the place that changes it."""

    heading: str
    place: str


class TitleBlock(QWidget):
    """As on a drawing: build, train, rig, calibration, plan, recorded, units; each a button to change it."""

    wanted = pyqtSignal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setFixedHeight(50)
        self.setAutoFillBackground(True)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        self.cells: dict[str, _TitleCell] = {}
        for cell, stretch in (
            (Cell("Build", "build"), 18),
            (Cell("Train", "train"), 21),
            (Cell("Rig", "rig"), 15),
            (Cell("Calibrated", "calibration"), 15),
            (Cell("Plan", "plan"), 13),
            (Cell("Recorded", "recorded"), 14),
            (Cell("Units", "units"), 11),
        ):
            button = _TitleCell(cell)
            button.clicked.connect(lambda _c=False, place=cell.place: self.wanted.emit(place))
            row.addWidget(button, stretch)
            self.cells[cell.place] = button
        for signal in (
            desk.build_changed,
            desk.rig_changed,
            desk.plan_changed,
            desk.result_changed,
            desk.units_changed,
            desk.lists_changed,
            theme.changed,
        ):
            signal.connect(self.refresh)

    def refresh(self) -> None:
        d = self.desk
        cal = d.rig.calibration
        age = "not calibrated"
        if cal:
            days = (date.today() - date.fromisoformat(cal.date)).days
            age = f"{days} days ago" if days != 1 else "yesterday"
            age = "today" if days == 0 else age
        kept = sum(1 for r in d.runs if not r.struck)
        method, steps = d.rig.method, len(d.steps())
        verb = method.DOES[0].lower()
        what = ("weights" if method.weighed() else f"{method.STEP}s") if method.STEP else f"{verb}s"
        plan = (
            f"{steps} {what}, bisected"
            if d.plan.order == "bisection"
            else f"{steps} {what} × {d.plan.repeats}"
            if method.STEP
            else f"{d.plan.repeats} {verb}{'' if d.plan.repeats == 1 else 's'}"
        )
        texts = {
            "build": f"{d.build.name}  {d.build.title}",
            "train": d.build.train_in_words(),
            "rig": f"{d.rig.name}, {d.rig.method.kind}",
            "calibration": age + (f", {cal.cell}" if cal else ""),
            "plan": plan,
            "recorded": f"{kept} {verb}{'' if kept == 1 else 's'}, saved" if kept else "nothing yet",
            "units": " ".join(d.units[k] for k in ("torque", "speed", "mass")),
        }
        for place, text in texts.items():
            self.cells[place].set_text(text)


class _TitleCell(QPushButton):
    def __init__(self, cell: Cell) -> None:
        super().__init__()
        self.cell, self.value = cell, ""
        self.setMinimumWidth(60)
        self.setFixedHeight(50)

    def set_text(self, text: str) -> None:
        self.value = text
        self.setToolTip(tip(text))
        self.setAccessibleName(f"{self.cell.heading}: {text}")
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), theme.colour("pale" if self.underMouse() else "sheet"))
        p.setPen(theme.colour("rule"))
        p.drawLine(0, 0, self.width(), 0)
        p.drawLine(self.width() - 1, 0, self.width() - 1, self.height())
        p.setPen(theme.colour("ink-2"))
        p.setFont(font(11))
        p.drawText(12, 19, self.cell.heading)
        p.setPen(theme.colour("ink"))
        p.setFont(font(13))
        p.drawText(12, 38, p.fontMetrics().elidedText(self.value, Qt.TextElideMode.ElideRight, self.width() - 20))
        if self.hasFocus():
            p.setPen(theme.colour("reseda"))
            p.drawRect(self.rect().adjusted(1, 1, -2, -2))
