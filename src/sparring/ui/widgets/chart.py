"""Charts: axes with units, crosshair with a readout, zoom by wheel and drag, copies as picture,
table or CSV.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QGuiApplication, QImage, QPainter, QPen
from PyQt6.QtWidgets import (
    QDialog,
    QFileDialog,
    QGraphicsGridLayout,
    QGraphicsItem,
    QMenu,
    QMessageBox,
)

from sparring.ui.theme import font, theme

pg.setConfigOptions(antialias=True)
_PRINTED, _DOTS = 160.0, 300.0  # width on paper [mm], dots an inch


class _Axis(pg.AxisItem):
    """An axis whose figures are in the unit that its label names, never silently scaled."""

    picture: Any

    def __init__(self, side: str) -> None:
        super().__init__(side)
        self.enableAutoSIPrefix(False)
        # its lines and figures are drawn anew only when they change, not with every curve over them
        self.setCacheMode(QGraphicsItem.CacheMode.DeviceCoordinateCache)

    def paint(self, painter: QPainter, option: Any, widget: Any) -> None:
        # straight onto the chart: played from a picture, every text looks its font up again and
        # takes a millisecond
        if self.picture is None:
            painter.setFont(self.style["tickFont"])
            self.picture = self.generateDrawSpecs(painter)
        if self.picture is not None:
            painter.save()
            self.drawPicture(painter, *self.picture)
            painter.restore()


class Chart(pg.GraphicsView):
    """One pair of axes. `rows`: what a copied table holds (header, lines of figures), given by
    whoever fills it.
    """

    pointed = pyqtSignal(float, float)
    clicked = pyqtSignal(float, float)

    def __init__(self, x_label: str, y_label: str, *, name: str = "") -> None:
        super().__init__()
        self.enableMouse(False)  # the box inside is moved, not the view on it
        self.box = pg.ViewBox(enableMenu=False)
        self.axes = {side: _Axis(side) for side in ("left", "bottom")}
        panel, grid = pg.GraphicsWidget(), QGraphicsGridLayout()
        grid.setContentsMargins(1, 1, 1, 1)
        grid.setSpacing(0)
        grid.addItem(self.axes["left"], 0, 0)
        grid.addItem(self.box, 0, 1)
        grid.addItem(self.axes["bottom"], 1, 1)
        panel.setLayout(grid)
        for axis in self.axes.values():
            axis.linkToView(self.box)
            axis.setZValue(0.5)  # its grid lies over the box
            axis.setGrid(46)
        self.setCentralItem(panel)
        self.setAccessibleName(name or y_label)
        self.setAccessibleDescription("Chart. Enter shows its figures as a table, Menu its menu")
        self.dialog: QDialog | None = None
        if (port := self.viewport()) is not None:  # the chart itself takes the keyboard, and
            port.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # a policy of its port would go on to it
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setMinimumHeight(60)
        self.rows: Callable[[], tuple[list[str], list[list[Any]]]] | None = None
        self.x_label, self.y_label = x_label, y_label
        self._styled: list[Callable[[], None]] = []
        self._cross = [pg.InfiniteLine(angle=a, movable=False) for a in (90, 0)]
        self._readout = pg.TextItem(anchor=(0, 1))
        self._readout.setFont(font(11))
        self.readout: Callable[[float, float], str] | None = None
        for part in (*self._cross, self._readout):
            part.setZValue(50)
            part.hide()
            self.add(part, ignoreBounds=True)
        self.scene().sigMouseMoved.connect(self._moved)
        self.scene().sigMouseClicked.connect(self._clicked)
        theme.changed.connect(self.restyle)
        self.restyle()

    def add(self, item: Any, **how: Any) -> None:
        """Draws a curve, points or a line."""
        self.box.addItem(item, **how)

    def remove(self, item: Any) -> None:
        self.box.removeItem(item)

    def styled(self, apply: Callable[[], None]) -> None:
        """Registers a colouring, done now and after each change of theme."""
        self._styled.append(apply)
        apply()

    def restyle(self) -> None:
        self.setBackground(theme.colour("sheet"))
        for side, label in (("left", self.y_label), ("bottom", self.x_label)):
            axis = self.axes[side]
            axis.setPen(theme.colour("rule"))
            axis.setTextPen(theme.colour("ink-2"))
            axis.setStyle(tickFont=font(11), tickLength=-4, maxTickLevel=1)
            axis.setLabel(label, color=theme.hex("ink-2"), **{"font-size": "11px"})
        for line in self._cross:
            line.setPen(pg.mkPen(theme.colour("ink-2"), width=1, style=Qt.PenStyle.DotLine))
        self._readout.setColor(theme.colour("ink"))
        self._readout.fill = pg.mkBrush(theme.colour("sheet", 230))
        for apply in self._styled:
            apply()

    def blank(self, empty: bool) -> None:
        """Axes of nothing are not shown."""
        for axis in self.axes.values():
            axis.setVisible(not empty)

    def set_labels(self, x: str, y: str) -> None:
        self.x_label, self.y_label = x, y
        self.restyle()

    def _moved(self, at: QPointF) -> None:
        box = self.box
        inside = box.sceneBoundingRect().contains(at)
        for part in (*self._cross, self._readout):
            part.setVisible(bool(inside))
        if not inside:
            return
        p = box.mapSceneToView(at)
        self._cross[0].setPos(p.x())
        self._cross[1].setPos(p.y())
        (x0, x1), (y0, y1) = box.viewRange()
        self._readout.setAnchor(
            (1 if p.x() > (x0 + x1) / 2 else 0, 0 if p.y() > (y0 + y1) / 2 else 1)
        )
        self._readout.setPos(p.x(), p.y())
        self._readout.setText(
            self.readout(p.x(), p.y()) if self.readout else f"{p.x():.4g}, {p.y():.4g}"
        )
        self.pointed.emit(p.x(), p.y())

    def leaveEvent(self, event: Any) -> None:
        for part in (*self._cross, self._readout):
            part.hide()
        super().leaveEvent(event)

    def _clicked(self, event: Any) -> None:
        box = self.box
        if event.button() == Qt.MouseButton.LeftButton:
            if event.double():
                box.autoRange()
                return
            p = box.mapSceneToView(event.scenePos())
            self.clicked.emit(p.x(), p.y())
        elif event.button() == Qt.MouseButton.RightButton:
            self.menu().popup(event.screenPos().toPoint())

    def paintEvent(self, event: Any) -> None:
        super().paintEvent(event)
        if self.hasFocus():
            p = QPainter(self.viewport())
            p.setPen(QPen(theme.colour("reseda"), 2))
            p.drawRect(self.rect().adjusted(1, 1, -2, -2))
            p.end()

    def focusInEvent(self, event: Any) -> None:
        super().focusInEvent(event)
        self.viewport().update()

    def focusOutEvent(self, event: Any) -> None:
        super().focusOutEvent(event)
        self.viewport().update()

    def keyPressEvent(self, event: Any) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.rows is not None:
            self.show_table()
        elif event.key() == Qt.Key.Key_Menu or (
            event.key() == Qt.Key.Key_F10 and event.modifiers() & Qt.KeyboardModifier.ShiftModifier
        ):
            self.menu().popup(self.mapToGlobal(self.rect().center()))
        else:
            super().keyPressEvent(event)

    def show_table(self) -> None:
        """Its figures in a table of their own."""
        from sparring.ui.widgets.chart_table import ChartTable

        if self.rows is not None:
            self.dialog = ChartTable(self.accessibleName(), *self.rows(), self)
            self.dialog.open()

    def menu(self) -> QMenu:
        """What can be done with the chart."""
        menu = QMenu(self)
        menu.addAction("Show all", lambda: self.box.autoRange())
        menu.addAction("Copy as picture", self.copy_picture)
        menu.addAction("Save as picture …", self.save)
        if self.rows is not None:
            menu.addAction("Show as table", self.show_table)
            menu.addAction("Copy as table", lambda: self.copy_table("\t"))
            menu.addAction("Copy as CSV", lambda: self.copy_table(","))
        return menu

    def copy_picture(self) -> None:
        clipboard = QGuiApplication.clipboard()
        if clipboard:
            clipboard.setPixmap(self.grab())

    def save(self) -> None:
        """Asks for a file, and draws the chart into it at the size it is printed at."""
        name = re.sub(r"\W+", "-", self.accessibleName().lower()).strip("-")
        filters = "Drawing (*.svg);;Picture (*.png)"
        typed, chosen = QFileDialog.getSaveFileName(self, "Save chart", f"{name}.svg", filters)
        if typed:
            path = Path(typed)
            ending = path.suffix.lower()
            if ending not in (".svg", ".png"):
                path = path.with_name(path.name + (".png" if "png" in chosen else ".svg"))
            try:
                self.draw(path)
            except OSError as err:
                QMessageBox(QMessageBox.Icon.Warning, "Save chart", str(err), parent=self).open()

    def draw(self, path: Path) -> None:
        """Draws what is shown as SVG or PNG, by the ending, 160 mm wide at 300 dots an inch. Raises
        OSError.
        """
        for part in (*self._cross, self._readout):
            part.hide()
        size = self.size()
        if path.suffix.lower() == ".svg":
            from PyQt6.QtSvg import QSvgGenerator

            device: Any = QSvgGenerator()
            device.setFileName(str(path))
            device.setSize(size)
            device.setViewBox(self.rect())
            device.setTitle(self.accessibleName())
            width = size.width()
        else:
            width = round(_PRINTED / 25.4 * _DOTS)
            height = round(width * size.height() / max(size.width(), 1))
            device = QImage(width, height, QImage.Format.Format_RGB32)
            device.setDotsPerMeterX(round(_DOTS / 25.4e-3))
            device.setDotsPerMeterY(round(_DOTS / 25.4e-3))
            device.fill(theme.colour("sheet"))
        painter = QPainter()
        if not painter.begin(device):
            raise OSError(f"{path} could not be written; choose another folder")
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        height = round(width * size.height() / max(size.width(), 1))
        self.render(painter, QRectF(0, 0, width, height), self.rect())
        painter.end()
        if isinstance(device, QImage) and not device.save(str(path)):
            raise OSError(f"{path} could not be written; choose another folder")

    def copy_table(self, separator: str) -> None:
        from sparring.ui.widgets.chart_table import figure

        clipboard = QGuiApplication.clipboard()
        if clipboard and self.rows is not None:
            head, lines = self.rows()
            clipboard.setText(
                "\n".join(
                    [separator.join(head), *(separator.join(map(figure, line)) for line in lines)]
                )
            )


def pen(
    colour: str, width: float = 1, style: Qt.PenStyle = Qt.PenStyle.SolidLine, alpha: int = 255
) -> QPen:
    """A pen of the theme. Long curves keep width 1: Qt draws wider ones many times slower."""
    result: QPen = pg.mkPen(theme.colour(colour, alpha), width=width, style=style)
    return result


def thinned(t: np.ndarray, y: np.ndarray, columns: int) -> tuple[np.ndarray, np.ndarray]:
    """The lowest and highest value of each of `columns` spans: what a screen that wide can show of
    (t, y).
    """
    n = len(t)
    if n <= 4 * columns:
        return t, y
    size = n // columns
    whole = size * columns
    blocks = y[:whole].reshape(columns, size)
    low, high = blocks.min(axis=1), blocks.max(axis=1)
    out_t = np.repeat(t[:whole:size], 2)
    out_y = np.empty(2 * columns)
    out_y[0::2], out_y[1::2] = low, high
    if whole < n:
        out_t, out_y = np.append(out_t, t[-1]), np.append(out_y, y[-1])
    return out_t, out_y
