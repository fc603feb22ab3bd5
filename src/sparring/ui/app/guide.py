"""The user's guide, in a window beside the program's."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QSize, Qt, QUrl
from PyQt6.QtGui import QGuiApplication, QPixmap, QResizeEvent, QTextCursor, QTextDocument
from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QTextBrowser,
    QVBoxLayout,
    QWidget,
)

from sparring import guide
from sparring.ui.theme import theme
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.plain import tip

_SIZE = QSize(560, 740)
_Place = tuple[str, str]


class _Browser(QTextBrowser):
    """Pictures are as wide as the text."""

    def loadResource(self, kind: int, name: QUrl) -> Any:
        if kind == QTextDocument.ResourceType.ImageResource.value:
            picture = QPixmap(str(guide.FOLDER / name.toString()))
            port = self.viewport()
            room = max(port.width() - 24, 200) if port is not None else 200
            if picture.width() > room:
                picture = picture.scaledToWidth(room, Qt.TransformationMode.SmoothTransformation)
            return picture
        return super().loadResource(kind, name)


class GuideWindow(QDialog):
    """Chapters in a list, a box that finds a word in all of them, and the way back."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Guide")
        self.setModal(False)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.resize(_SIZE)
        self.shown: _Place = ("", "")
        self._before: list[_Place] = []
        column = QVBoxLayout(self)
        head = QHBoxLayout()
        self.back = QPushButton("Back")
        self.back.setAutoDefault(False)  # Enter is the search's
        self.back.setToolTip(tip("To what was read before"))
        self.back.clicked.connect(self._go_back)
        self.chapters = Choice()
        self.chapters.setAccessibleName("Chapters")
        self.chapters.addItems([title for _, title in guide.CHAPTERS])
        self.chapters.activated.connect(lambda i: self.open_at(guide.CHAPTERS[i][0]))
        self.search = QLineEdit()
        self.search.setPlaceholderText("find in the guide")
        self.search.setAccessibleName("Find in the guide")
        self.search.returnPressed.connect(self._find)
        head.addWidget(self.back)
        head.addWidget(self.chapters, 1)
        head.addWidget(self.search, 1)
        column.addLayout(head)
        self.text = _Browser()
        self.text.setOpenLinks(False)  # they are chapters
        self.text.setAccessibleName("Text of the guide")
        self.text.anchorClicked.connect(self._follow)
        column.addWidget(self.text, 1)
        theme.changed.connect(self._paint)
        self._stand_beside(parent)

    def _stand_beside(self, parent: QWidget) -> None:
        """At the right of the program's window where there is room, else at the screen's right."""
        screen, top = QGuiApplication.screenAt(parent.geometry().center()), parent.window()
        if screen is None or top is None:
            return
        room, frame = screen.availableGeometry(), top.frameGeometry()
        left = min(frame.right() + 8, room.right() - self.width())
        self.move(max(left, room.left()), max(frame.top(), room.top()))

    def open_at(self, chapter: str, anchor: str = "") -> None:
        """Shows a chapter, at one of its headings if one is named."""
        if self.shown[0] and self.shown != (chapter, anchor):
            self._before.append(self.shown)
        self._show((chapter, anchor))

    def _show(self, place: _Place) -> None:
        chapter, anchor = place
        names = [name for name, _ in guide.CHAPTERS]
        chapter = chapter if chapter in names else names[0]
        if chapter != self.shown[0]:
            self.shown = place
            self._paint()
        self.shown = place
        self.chapters.setCurrentIndex(names.index(chapter))
        self.back.setEnabled(bool(self._before))
        if anchor:
            self.text.scrollToAnchor(anchor)
        else:
            self.text.moveCursor(QTextCursor.MoveOperation.Start)

    def _paint(self) -> None:
        document = self.text.document()
        if not self.shown[0] or document is None:
            return
        ink, link, pale = (theme.hex(c) for c in ("ink", "reseda", "pale"))
        document.setDefaultStyleSheet(
            f"body {{ color: {ink}; }} a {{ color: {link}; }} h1 {{ font-size: 20px; }}"
            f" h2 {{ font-size: 16px; }} h3 {{ font-size: 14px; }}"
            f" code, pre {{ background: {pale}; font-family: monospace; font-size: 12px; }}"
            " td, th { padding: 2px 8px; } th { text-align: left; }"
        )
        self.text.setHtml(f"<body>{guide.html(self.shown[0])}</body>")

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        if self.isVisible():
            self._paint()
            if self.shown[1]:
                self.text.scrollToAnchor(self.shown[1])

    def _follow(self, url: QUrl) -> None:
        chapter = url.path().removesuffix(".md") or self.shown[0]
        self.open_at(chapter, url.fragment())

    def _go_back(self) -> None:
        if self._before:
            self._show(self._before.pop())

    def _find(self) -> None:
        """The next place of the word, from here on through all chapters."""
        word = self.search.text().strip()
        if not word or self.text.find(word):
            return
        names = [name for name, _ in guide.CHAPTERS]
        here = names.index(self.shown[0])
        for name in [*names[here + 1 :], *names[: here + 1]]:
            if word.casefold() in guide.chapter(name).casefold():
                self.open_at(name)
                if self.text.find(word):
                    return
