"""Photos of an inspection: added, turned and cut by copy, pinned to teeth, measured, laid over one
another.
"""

from __future__ import annotations

from pathlib import Path
from typing import cast

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QDragEnterEvent, QDropEvent, QPixmap
from PyQt6.QtWidgets import (
    QButtonGroup,
    QFileDialog,
    QHBoxLayout,
    QInputDialog,
    QPushButton,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from sparring.core import quantity
from sparring.core.wear.inspection import Photo, Pin, Ruler
from sparring.ui.model.desk import Desk
from sparring.ui.pages.wear.cursor import Cursor
from sparring.ui.pages.wear.photo_view import PhotoView, Tool
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.parts import note
from sparring.ui.widgets.photo import KINDS, PICTURES

_TOOLS: tuple[tuple[Tool, str, str], ...] = (
    ("pin", "Pin", "A click pins the part and tooth that are chosen"),
    ("scale", "Scale", "A drag along something whose length is known sets the scale"),
    ("measure", "Measure", "A drag measures a length"),
    ("crop", "Crop", "A drag cuts a copy; the original is kept"),
)


class PhotosPanel(QWidget):
    """One photo large; which one is chosen above it."""

    def __init__(self, desk: Desk, cursor: Cursor) -> None:
        super().__init__()
        self.desk, self.caret = desk, cursor
        self.setAcceptDrops(True)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 4, 0, 0)
        column.setSpacing(4)
        row = QHBoxLayout()
        self.which = Choice()
        self.which.setAccessibleName("Photo of this inspection")
        self.which.setMinimumContentsLength(10)
        self.which.setSizeAdjustPolicy(
            Choice.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
        )
        self.which.activated.connect(lambda _n: self._show())
        row.addWidget(self.which, 1)
        for words, act in (("Add …", self.ask), ("Turn", self.turn), ("Remove", self.remove)):
            button = QPushButton(words)
            button.setAccessibleName(f"{words.removesuffix(' …')} photo")
            button.clicked.connect(lambda _on, act=act: act())
            row.addWidget(button)
        column.addLayout(row)
        column.addLayout(self._tools())
        self.view = PhotoView()
        self.view.pinned.connect(self._pinned)
        self.view.lined.connect(self._lined)
        column.addWidget(self.view, 1)
        self.told = note("")
        column.addWidget(self.told)

    def _tools(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.tools = QButtonGroup(self)
        self.tools.setExclusive(False)
        for tool, words, tip in _TOOLS:
            button = QPushButton(words)
            button.setCheckable(True)
            button.setToolTip(tip)
            button.clicked.connect(lambda on, tool=tool, b=button: self._tool(tool, on, b))
            self.tools.addButton(button)
            row.addWidget(button)
        self.beside = Choice()
        self.beside.setAccessibleName("Photo laid over it")
        self.beside.setMinimumContentsLength(4)
        self.beside.setToolTip("Another photo, laid over the right of this one")
        self.beside.activated.connect(lambda _n: self._lay_over())
        self.beside.setSizeAdjustPolicy(
            Choice.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
        )
        row.addWidget(self.beside, 1)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setAccessibleName("Before and after")
        self.slider.setRange(0, 100)
        self.slider.setValue(50)
        self.slider.setFixedWidth(64)
        self.slider.valueChanged.connect(self._slid)
        row.addWidget(self.slider)
        return row

    def _tool(self, tool: Tool, on: bool, button: QPushButton) -> None:
        for b in self.tools.buttons():
            if b is not button:
                b.setChecked(False)
        self.view.tool = tool if on else "look"

    # --- showing ----------------------------------------------------------------------------------

    def refresh(self) -> None:
        look = self.desk.look
        names = [p.caption or p.file for p in look.photos] if look is not None else []
        kept = self.which.currentIndex()
        self.which.clear()
        self.which.addItems(names)
        if names:
            self.which.setCurrentIndex(min(max(kept, 0), len(names) - 1))
        self.which.setEnabled(bool(names))
        others = self._others()
        chosen = self.beside.currentData()
        self.beside.clear()
        self.beside.addItem("alone", "")
        for title, file in others:
            self.beside.addItem(title, file)
        self.beside.setCurrentIndex(max(0, self.beside.findData(chosen)))
        self._show()

    def _others(self) -> list[tuple[str, str]]:
        return [
            (f"{p.caption or p.file} ({i.made[:10] or 'undated'})", p.file)
            for _, i in self.desk.looks
            for p in i.photos
        ]

    @property
    def at(self) -> int | None:
        look, n = self.desk.look, self.which.currentIndex()
        return n if look is not None and 0 <= n < len(look.photos) else None

    def _path(self, name: str) -> Path:
        from sparring.logbook.photos import FOLDER

        assert self.desk.book is not None
        return self.desk.book.folder / FOLDER / name

    def _show(self) -> None:
        look, at = self.desk.look, self.at
        photo = look.photos[at] if look is not None and at is not None else None
        picture = QPixmap(str(self._path(photo.file))) if photo is not None else QPixmap()
        self.view.show_photo(photo, picture)
        self._lay_over()
        if photo is None:
            self.told.setText("")
            return
        pins = [f"{n}: {p.text or p.part}" for n, p in enumerate(photo.pins, start=1)]
        taken = f"Taken {photo.taken[:16].replace('T', ' ')}. " if photo.taken else ""
        self.told.setText(taken + "; ".join(pins))

    def _lay_over(self) -> None:
        name = self.beside.currentData() or ""
        self.view.other = QPixmap(str(self._path(name))) if name and self.desk.book else QPixmap()
        self.slider.setEnabled(not self.view.other.isNull())
        self.view.update()

    def _slid(self, value: int) -> None:
        self.view.share = value / 100
        self.view.update()

    # --- what is done -----------------------------------------------------------------------------

    def ask(self) -> None:
        """Asks for files."""
        names, _ = QFileDialog.getOpenFileNames(self, "Photos", "", PICTURES)
        self.add([Path(n) for n in names])

    def add(self, files: list[Path]) -> None:
        """Copies pictures into the logbook."""
        from sparring.logbook import photos

        look = self.desk.look
        if look is None or self.desk.book is None:
            self.desk.said.emit("There is no inspection yet. Begin one first (Ctrl+Shift+I).")
            return
        made = list(look.photos)
        for path in files:
            try:
                kept = photos.keep(self.desk.book.folder, path, self.desk.build.name)
            except photos.PhotoError as err:
                self.desk.said.emit(str(err))
                continue
            made.append(Photo(file=kept, caption=path.stem[:200], taken=photos.taken(path)))
        self.which.setCurrentIndex(-1)
        self._keep(made, "photos added", len(made) - 1)

    def turn(self) -> None:
        """A copy turned by a quarter takes its place; pins and lines go with it."""
        self._changed(turned=90)

    def _changed(
        self, *, turned: int = 0, box: tuple[float, float, float, float] | None = None
    ) -> None:
        from sparring.logbook import photos

        look, at = self.desk.look, self.at
        if look is None or at is None or self.desk.book is None:
            return
        old = look.photos[at]
        try:
            name = photos.changed(self.desk.book.folder, old.file, turned=turned, box=box)
        except photos.PhotoError as err:
            self.desk.said.emit(str(err))
            return

        def moved(x: float, y: float) -> tuple[float, float]:
            if box is None:
                return 1 - y, x
            return (x - box[0]) / (box[2] - box[0]), (y - box[1]) / (box[3] - box[1])

        pins = [(p, *moved(p.x, p.y)) for p in old.pins]
        rulers = [(r, *moved(r.x, r.y), *moved(r.x2, r.y2)) for r in old.rulers]
        new = old.model_copy(
            update={
                "file": name,
                "original": old.original or old.file,
                "pins": tuple(
                    p.model_copy(update={"x": x, "y": y})
                    for p, x, y in pins
                    if 0 <= x <= 1 and 0 <= y <= 1
                ),
                "rulers": tuple(
                    r.model_copy(update={"x": x, "y": y, "x2": x2, "y2": y2})
                    for r, x, y, x2, y2 in rulers
                    if all(0 <= v <= 1 for v in (x, y, x2, y2))
                ),
            }
        )
        self._replace(new, "photo turned" if turned else "photo cut")

    def remove(self) -> None:
        """Takes the photo out of the inspection; its file stays."""
        look, at = self.desk.look, self.at
        if look is not None and at is not None:
            rest = [p for n, p in enumerate(look.photos) if n != at]
            self._keep(rest, "photo removed", at)

    def _pinned(self, x: float, y: float) -> None:
        look, at, c = self.desk.look, self.at, self.caret
        if look is None or at is None:
            return
        part = c.part.name if c.part is not None else ""
        tooth = c.tooth if c.teeth else None
        where = f"{part}, tooth {tooth}" if tooth else part
        seen = [s for s in c.seen if tooth is None or not s.teeth or tooth in s.teeth]
        text = f"{where}: {seen[-1].mode}" if seen else where
        pin = Pin(x=x, y=y, part=part, tooth=tooth, text=text)
        photo = look.photos[at]
        new = photo.model_copy(update={"pins": (*photo.pins, pin)})
        self._replace(new, "pin")

    def _lined(self, x: float, y: float, x2: float, y2: float) -> None:
        look, at = self.desk.look, self.at
        if look is None or at is None:
            return
        if self.view.tool == "crop":
            self._changed(box=(min(x, x2), min(y, y2), max(x, x2), max(y, y2)))
            return
        length = None
        if self.view.tool == "scale":
            text, ok = QInputDialog.getText(
                self, "Scale", "Its length (± where known):", text="10 mm"
            )
            if not ok:
                return
            try:
                length = quantity.parse(text, "length")
            except quantity.QuantityError as err:
                self.desk.said.emit(str(err))
                return
        photo = look.photos[at]
        ruler = Ruler(x=x, y=y, x2=x2, y2=y2, length=length)
        new = photo.model_copy(update={"rulers": (*photo.rulers, ruler)})
        self._replace(new, "scale" if length else "length on a photo")

    def _replace(self, photo: Photo, text: str) -> None:
        look, at = self.desk.look, cast(int, self.at)
        assert look is not None
        made = [photo if n == at else p for n, p in enumerate(look.photos)]
        self._keep(made, text, at)

    def _keep(self, photos: list[Photo], text: str, at: int) -> None:
        if refused := self.desk.edit_look(("photos",), tuple(photos), text):
            self.desk.said.emit(refused)
        self.which.setCurrentIndex(min(at, self.which.count() - 1))
        self._show()

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        if event is not None and self._dropped(event):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        if event is not None:
            self.add(self._dropped(event))

    @staticmethod
    def _dropped(event: QDropEvent) -> list[Path]:
        data = event.mimeData()
        files = [Path(u.toLocalFile()) for u in data.urls()] if data is not None else []
        return [f for f in files if f.suffix.lower() in KINDS]
