"""Looks at the running window for those who test it from outside: what is on the screen and where,
and what is cut.

`sparring open --inspect SOCKET` answers one JSON request a line on a local socket. It only looks:
keys and clicks come from the X server, as a tester's do.
"""

from __future__ import annotations

import gc
import json
from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, QRect, Qt
from PyQt6.QtGui import QAction, QFontInfo, QFontMetrics
from PyQt6.QtNetwork import QLocalServer, QLocalSocket
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QApplication,
    QCheckBox,
    QComboBox,
    QDockWidget,
    QHeaderView,
    QLabel,  # noqa: TID251  (to look, not to show)
    QLineEdit,
    QListView,
    QMenu,
    QMenuBar,
    QPushButton,
    QStyle,
    QStyleOption,
    QStyleOptionButton,
    QStyleOptionFrame,
    QTabBar,
    QTableWidget,
    QToolButton,
    QTreeWidget,
    QWidget,
)

from sparring.ui.model import background
from sparring.ui.pages.run.ladder import KeyButton
from sparring.ui.theme import theme

if TYPE_CHECKING:
    from sparring.ui.app.shell import MainWindow

_SLACK = 1  # [px] that rounding may cost
_BESIDE = 4  # that a field keeps free beside its text


class Inspector(QObject):
    """Answers `state`, `widgets`, `menus`, `cut` and `picture`."""

    def __init__(self, window: MainWindow, socket: str) -> None:
        super().__init__(window)
        self.window = window
        self._links: list[QLocalSocket] = []
        self.server = QLocalServer(self)
        self.server.setSocketOptions(QLocalServer.SocketOption.UserAccessOption)
        self.server.newConnection.connect(self._connected)
        if not self.server.listen(socket):
            raise OSError(f"{socket}: {self.server.errorString()}")

    def _connected(self) -> None:
        link = self.server.nextPendingConnection()
        if link is not None:
            self._links.append(link)  # held: who is gone must not be read
            link.readyRead.connect(self._read)

    def _read(self) -> None:
        for link in self._links:
            while link.canReadLine():
                asked = json.loads(bytes(link.readLine().data()))
                link.write(json.dumps(self._answer(asked)).encode() + b"\n")
                link.flush()

    def _answer(self, asked: dict[str, str]) -> Any:
        if asked["ask"] == "picture":
            return _picture(asked["file"])
        answers: dict[str, Callable[[], Any]] = {
            "state": self.state,
            "menus": self.menus,
            "widgets": lambda: list(_widgets()),
            "cut": lambda: list(cut()),
            "set": lambda: sorted(_set_up(self.window)),
        }
        return answers[asked["ask"]]()

    def state(self) -> dict[str, Any]:
        """What the window is and does."""
        app, window = QApplication.instance(), self.window
        assert isinstance(app, QApplication)
        d, s, label = window.desk, window.session, window.connection
        info = QFontInfo(label.font())
        focus = app.focusWidget()
        return {
            "font": {
                "family": info.family(),
                "pixels": info.pixelSize(),
                "exact": info.exactMatch(),
            },
            "text_width": QFontMetrics(label.font()).horizontalAdvance("0123456789 N·m"),
            "collects_garbage": gc.isenabled(),
            "platform": app.platformName(),
            "scale": window.devicePixelRatioF(),
            "title": window.windowTitle(),
            "dark": theme.dark,
            "keys_to": (
                int(top.winId())
                if (top := app.focusWindow()) is not None and top.isVisible()
                else 0
            ),
            "page": window.page.name,
            "pages_made": sorted(window.views),
            "message": window.message.text() if window.message.isVisible() else "",
            "question": window.question.text.text() if window.question.isVisible() else "",
            "focus": "" if focus is None else _name(focus),
            "dialog": next(
                (
                    w.windowTitle()  # one opened from another goes before it
                    for w in sorted(app.topLevelWidgets(), key=lambda w: not w.isActiveWindow())
                    if w.isVisible()
                    and w.isWindow()
                    and w is not window
                    and not isinstance(w, QMenu)
                    and w.windowTitle()
                ),
                "",
            ),
            "active": "" if (active := app.activeWindow()) is None else active.windowTitle(),
            "popup": app.activePopupWidget() is not None,
            "menu_open": any(isinstance(w, QMenu) and w.isVisible() for w in app.topLevelWidgets()),
            "busy": background.busy(),
            "logbook": str(d.book.folder) if d.book else "",
            "build": d.build.name,
            "rig": d.rig.name,
            "runs": len(d.runs),
            "has_result": d.result is not None,
            "undo": d.undo.undoText(),
            "redo": d.undo.redoText(),
            "bench": s.state,
            "tared": s.tare is not None,
            "moving": (
                s.live is not None
                and "speed" in s.live.channels
                and s.live.count > 160
                and float(s.live.values("speed")[-160:].min()) > 1.0
            ),
            "samples": s.ring.count if s.ring is not None else 0,
        }

    def menus(self) -> list[dict[str, Any]]:
        """Every entry of the menu bar with its key; those of a menu within by `Head ▸ Within`."""

        def entries(actions: list[QAction], where: str) -> Iterator[dict[str, Any]]:
            for action in actions:
                text = action.text().replace("&", "")
                if (inner := action.menu()) is not None:
                    yield from entries(inner.actions(), f"{where} ▸ {text}" if where else text)
                elif not action.isSeparator():
                    yield {
                        "menu": where,
                        "text": text,
                        "key": action.shortcut().toString(),
                        "enabled": action.isEnabled(),
                    }

        bar = self.window.menuBar()
        return list(entries(bar.actions() if bar is not None else [], ""))


def _picture(file: str) -> dict[str, Any]:
    """The whole screen as the X server has it."""
    screen = QApplication.primaryScreen()
    kept = screen is not None and screen.grabWindow(0).save(file)  # type: ignore[arg-type]
    return {"file": file, "kept": bool(kept)}


def _name(w: QWidget) -> str:
    text = (
        w.text()
        if isinstance(w, QAbstractButton | QLabel)
        else w.windowTitle()
        if w.isWindow()
        else ""
    )
    return (w.accessibleName() or text or w.objectName()).replace("&", "")


def visible() -> Iterator[tuple[QWidget, QRect]]:
    """Widgets that can be seen, each with the part of it that its surroundings let be seen; those
    of the foremost window first.
    """
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    modal, popup = app.activeModalWidget(), app.activePopupWidget()
    tops = [w for w in app.topLevelWidgets() if w.isVisible()]
    tops.sort(key=lambda w: (w is not popup, w is not modal, not w.isActiveWindow()))
    for top in tops:
        yield from _seen_in(top, top.rect())


def _seen_in(w: QWidget, part: QRect) -> Iterator[tuple[QWidget, QRect]]:
    yield w, part
    for child in w.children():
        if isinstance(child, QWidget) and child.isVisible() and not child.isWindow():
            inner = part.translated(child.pos() * -1).intersected(child.rect())
            if not inner.isEmpty():
                yield from _seen_in(child, inner)


def _set_up(window: QWidget) -> Iterator[str]:
    """How tabs, panels and switches stand, also on pages that are not shown."""
    for w in window.findChildren(QWidget):
        if isinstance(w, QTabBar):
            yield f"{_name(w)}: {w.tabText(w.currentIndex())}"
        elif isinstance(w, QDockWidget):
            yield f"{_name(w)}: {'hidden' if w.isHidden() else 'shown'}"
        elif isinstance(w, QPushButton | QToolButton) and w.isCheckable():
            yield f"{_name(w)}: {'on' if w.isChecked() else 'off'}"


def _widgets() -> Iterator[dict[str, Any]]:
    for w, seen in visible():
        found: dict[str, Any] = {
            "class": type(w).__name__,
            "name": _name(w),
            "window": top.windowTitle() if (top := w.window()) is not None else "",
            "at": _on_screen(w, seen),
            "enabled": w.isEnabled(),
            "focus": w.hasFocus(),
        }
        if isinstance(w, QLineEdit | QLabel):
            found["text"] = w.text()
        elif isinstance(w, QComboBox):
            found["text"] = w.currentText()
            found["entries"] = [w.itemText(i) for i in range(w.count())]
        elif isinstance(w, QAbstractButton):
            found["text"], found["checked"] = w.text(), w.isChecked()
        elif isinstance(w, QTabBar):
            found["tabs"] = {
                w.tabText(i): _on_screen(w, w.tabRect(i))
                for i in range(w.count())
                if w.isTabVisible(i)
            }
            found["text"] = w.tabText(w.currentIndex())
        elif isinstance(w, QAbstractItemView) and not isinstance(w, QHeaderView):
            found["items"] = _items(w)
        elif isinstance(w, QMenuBar):
            found["places"] = {
                a.text().replace("&", ""): _on_screen(w, w.actionGeometry(a)) for a in w.actions()
            }
        elif isinstance(w, QMenu):
            found["items"] = {
                a.text().replace("&", ""): _on_screen(w, w.actionGeometry(a))
                for a in w.actions()
                if a.isEnabled() and a.text()
            }
        if (places := getattr(w, "places", None)) is not None:
            found["places"] = {name: _on_screen(w, QRect(at, at)) for name, at in places().items()}
        yield found


def _items(view: QAbstractItemView) -> dict[str, list[int]]:
    """Texts of a view's cells and where they are; of a table also by `row, column`."""
    model, port = view.model(), view.viewport()
    found: dict[str, list[int]] = {}
    if model is None or port is None:
        return found

    def walk(parent: Any) -> None:
        for r in range(model.rowCount(parent)):
            for c in range(1 if isinstance(view, QListView) else model.columnCount(parent)):
                index = model.index(r, c, parent)
                at = view.visualRect(index)
                if not at.isEmpty() and at.intersects(port.rect()):
                    text, place = str(index.data() or ""), _on_screen(port, at)
                    found.setdefault(text, place)
                    if not parent.isValid():
                        found.setdefault(f"[{r}, {c}]", place)
            child = model.index(r, 0, parent)
            if model.rowCount(child):
                walk(child)

    walk(view.rootIndex())
    return found


def _on_screen(w: QWidget, part: QRect) -> list[int]:
    """[x, y, width, height] of a part of a widget in the screen's own pixels."""
    scale, at = w.devicePixelRatioF(), w.mapToGlobal(part.topLeft())
    return [round(v * scale) for v in (at.x(), at.y(), part.width(), part.height())]


def cut() -> Iterator[str]:
    """Every visible text that does not have the room it needs, in words. The logbook's titles are
    shortened on purpose (their tips have the whole), and what a tester types may be longer than its
    field."""
    for w, seen in visible():
        where = f"{type(w).__name__} “{_name(w)[:60]}”"
        if (
            isinstance(w, QLabel | QPushButton | QComboBox | QLineEdit | QCheckBox)
            and seen.width() < w.width() - _SLACK
        ):
            yield f"{where}: {seen.width()} of {w.width()} px can be seen"
        metrics = QFontMetrics(w.font())
        if isinstance(w, QLabel) and w.text() and w.pixmap().isNull():
            if w.wordWrap():
                if w.heightForWidth(w.width()) > w.height() + _SLACK:
                    yield f"{where}: {w.heightForWidth(w.width())} px high, has {w.height()}"
            elif w.sizeHint().width() > w.width() + _SLACK:
                yield f"{where}: {w.sizeHint().width()} px wide, has {w.width()}"
        elif isinstance(w, KeyButton):
            if not w.fits():
                yield f"{where}: has no room in {w.width()} × {w.height()} px"
        elif isinstance(w, QPushButton) and w.text():
            wide = max(
                metrics.size(Qt.TextFlag.TextShowMnemonic, line).width()
                for line in w.text().split("\n")
            )
            high = metrics.lineSpacing() * len(w.text().split("\n"))
            room = _inside(w, QStyle.SubElement.SE_PushButtonContents, QStyleOptionButton())
            if wide > room or high > w.height():
                yield f"{where}: {wide} × {high} px, has {room} × {w.height()}"
        elif isinstance(w, QComboBox) and not w.isEditable():
            if metrics.horizontalAdvance(w.currentText()) > w.width() - 26:
                yield (
                    f"{where}: “{w.currentText()}” is {metrics.horizontalAdvance(w.currentText())}"
                    f" px, has {w.width() - 26}"
                )
        elif isinstance(w, QLineEdit) and not w.isModified():
            text = w.text() or w.placeholderText()
            inside = _inside(w, QStyle.SubElement.SE_LineEditContents, QStyleOptionFrame())
            room = inside if isinstance(w.parentWidget(), QComboBox) else inside - _BESIDE
            if metrics.horizontalAdvance(text) > room:
                yield f"{where}: “{text}” is {metrics.horizontalAdvance(text)} px, has {room}"
        elif isinstance(w, QCheckBox) and w.sizeHint().width() > w.width() + _SLACK:
            yield f"{where}: {w.sizeHint().width()} px wide, has {w.width()}"
        elif isinstance(w, QTabBar):
            yield from (
                f"{where}: tab “{w.tabText(i)}” is cut"
                for i in range(w.count())
                if w.isTabVisible(i)
                and not w.rect().adjusted(0, 0, _SLACK, 0).contains(w.tabRect(i))
            )
        elif isinstance(w, QTableWidget) and not isinstance(w, QTreeWidget):
            yield from _cut_cells(w, where)


def _inside(w: QWidget, part: QStyle.SubElement, option: QStyleOption) -> int:
    """Width that a widget's frame and padding leave to its text."""
    style = w.style()
    option.initFrom(w)
    return w.width() if style is None else style.subElementRect(part, option, w).width()


def _cut_cells(table: QTableWidget, where: str) -> Iterator[str]:
    head, port = table.horizontalHeader(), table.viewport()
    if head is not None and port is not None and head.length() > port.width() + _SLACK:
        yield f"{where}: the columns take {head.length()} px, it has {port.width()}"
    for c in range(table.columnCount()):
        if table.isColumnHidden(c):
            continue
        item = table.horizontalHeaderItem(c)
        if head is not None and head.isVisible() and item is not None:
            metrics = QFontMetrics(head.font())
            wide = max(metrics.horizontalAdvance(line) for line in item.text().split("\n"))
            if wide > table.columnWidth(c):
                yield f"{where}: head “{item.text()}” is {wide} px, has {table.columnWidth(c)}"
        for r in range(table.rowCount()):
            cell = table.item(r, c)
            if cell is not None and cell.text():
                metrics, room = QFontMetrics(table.font()), table.columnWidth(c) - 4
                wide = metrics.horizontalAdvance(cell.text())
                if table.wordWrap():
                    box = metrics.boundingRect(
                        QRect(0, 0, room, 9999), int(Qt.TextFlag.TextWordWrap), cell.text()
                    )
                    wide = room if box.height() <= table.rowHeight(r) else wide
                if wide > room:
                    yield f"{where}: “{cell.text()}” is {wide} px, has {table.columnWidth(c) - 4}"
