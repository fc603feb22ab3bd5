"""The findings at the right: each a card that opens."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QFrame, QPushButton, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from sparring.core.finding import SEVERITY, Finding, explain
from sparring.ui.model.desk import Desk
from sparring.ui.page import Judgements
from sparring.ui.theme import theme
from sparring.ui.widgets.plain import Label

_HEARD = (
    "result_changed",
    "build_changed",
    "plan_changed",
    "rig_changed",
    "wear_changed",
    "compared",
)
_SOON = 40  # [ms]


class _Card(QFrame):
    """One finding: title, what was seen; opened: why, causes, what to try."""

    opened = pyqtSignal(object)
    explained = pyqtSignal(str)

    def __init__(self, finding: Finding, units: dict[str, str]) -> None:
        super().__init__()
        self.finding = finding
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"{SEVERITY[finding.severity]}: {finding.title}")
        self.setAccessibleDescription(explain(finding, units))
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
            more.append(
                "Likely causes:\n"
                + "\n".join(f"{n}. {c}" for n, c in enumerate(finding.causes, start=1))
            )
        if finding.remedies:
            more.append("What to do:\n" + "\n".join(finding.remedies))
        self.more = [self._text(text, "ink") for text in more]
        for label in (*self.parts, *self.more):
            layout.addWidget(label)
        self.guide = QPushButton("More in the guide")
        self.guide.setObjectName("quiet")
        self.guide.setAccessibleDescription(f"What “{finding.title}” means")
        self.guide.clicked.connect(lambda: self.explained.emit(finding.id))
        layout.addWidget(self.guide, 0, Qt.AlignmentFlag.AlignLeft)
        self.open(False)

    def _text(self, text: str, colour: str) -> Label:
        label = Label(text)
        label.setWordWrap(True)
        label.setStyleSheet(f"font-size: 12px; color: {theme.hex(colour)};")
        return label

    def open(self, on: bool) -> None:
        for part in (*self.more, self.guide):
            part.setVisible(on)
        self.is_open = on

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        colour = {"wrong": "vermilion", "caution": "amber", "note": "ink-3", "good": "reseda"}[
            self.finding.severity
        ]
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
        if event is not None and event.key() in (
            Qt.Key.Key_Return,
            Qt.Key.Key_Enter,
            Qt.Key.Key_Space,
        ):
            self.opened.emit(self)
        else:
            super().keyPressEvent(event)


class FindingsPanel(QFrame):
    """The judgements on what is shown, worst first. `shown(finding)`: the evidence is wanted in the
    picture; `explained(id)`: the guide's words on it.
    """

    shown = pyqtSignal(object)
    explained = pyqtSignal(str)

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.setObjectName("sheet")
        self.desk = desk
        self.about: Judgements | None = None
        self.setWindowTitle("Findings")
        self.setAccessibleName("Findings")
        # it takes what the ladder leaves
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Ignored)
        self.setMinimumHeight(60)
        self.setMinimumWidth(170)  # the longest words of a finding
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 10, 2, 4)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setAccessibleName("List of findings")
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
        self._soon = QTimer(self)  # the page is repainted first, then judged
        self._soon.setSingleShot(True)
        self._soon.setInterval(_SOON)
        self._soon.timeout.connect(self.refresh)
        for name in _HEARD:
            getattr(desk, name).connect(partial(self._heard, name))

    def show_about(self, about: Judgements) -> None:
        """The judgements that belong to the page in front."""
        if about is not self.about:
            self.about = about
            self.refresh() if "result_changed" in about.hears else self._soon.start()

    def _heard(self, name: str) -> None:
        if self.about is not None and name in self.about.hears:
            self.refresh() if name == "result_changed" else self._soon.start()

    def refresh(self) -> None:
        self._soon.stop()
        while self.list.count():
            item = self.list.takeAt(0)
            widget = item.widget() if item else None
            if widget:
                widget.hide()
                widget.setParent(None)
                widget.deleteLater()
        if self.about is None:
            return
        findings = self.about.of(self.desk)
        for finding in findings:
            card = _Card(finding, self.desk.units)
            card.opened.connect(self._open)
            card.explained.connect(self.explained)
            self.list.addWidget(card)
        if not findings:
            label = Label(self.about.none(self.desk))
            label.setObjectName("note")
            label.setWordWrap(True)
            self.list.addWidget(label)
        self.list.addStretch(1)

    def cards(self) -> list[_Card]:
        return [
            w
            for i in range(self.list.count())
            if (item := self.list.itemAt(i)) and isinstance(w := item.widget(), _Card)
        ]

    def _open(self, card: _Card) -> None:
        for other in self.cards():
            other.open(other is card and not card.is_open)
        if card.finding.steps:
            self.desk.select(card.finding.steps[0])
        self.shown.emit(card.finding)
