"""Groups of a form that fold, and stay as they were left."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QPushButton, QSizePolicy, QVBoxLayout, QWidget

from sparring.ui.widgets.form import Form


class Group(QWidget):
    """A head that folds what is under it; `make` makes that when it is first wanted."""

    def __init__(
        self,
        title: str,
        key: str,
        make: Callable[[], QWidget],
        settings: QSettings,
        *,
        opened: bool,
    ) -> None:
        super().__init__()
        self.title, self._key, self._make, self._settings = title, key, make, settings
        self.content: QWidget | None = None
        self.head = QPushButton()
        self.head.setObjectName("group")
        self.head.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.head.clicked.connect(lambda: self.open(not self.opened))
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(4)
        self._column.addWidget(self.head)
        self.opened = settings.value(f"folds/{key}", opened, type=bool)
        self.show_as_left()

    def open(self, on: bool = True) -> None:
        """Unfolds it, or folds it, and keeps that."""
        self.opened = on
        self._settings.setValue(f"folds/{self._key}", on)
        self.show_as_left()

    def ready(self) -> QWidget:
        """What is in it, made if need be."""
        if self.content is None:
            self.content = self._make()
            self._column.addWidget(self.content)
        return self.content

    def renew(self) -> None:
        """What is in it is made again: it is of another thing now."""
        if self.content is not None:
            self._column.removeWidget(self.content)
            self.content.hide()
            self.content.deleteLater()
            self.content = None
        self.show_as_left()

    def forms(self) -> list[Form]:
        """The forms in it."""
        content = self.ready()
        return [content] if isinstance(content, Form) else content.findChildren(Form)

    def show_as_left(self) -> None:
        """All of it, as far as it is unfolded."""
        self.show()
        if self.opened:
            for form in self.forms():
                form.sift("")
        if self.content is not None:
            self.content.setVisible(self.opened)
        self._say(self.opened)

    def sift(self, words: str) -> int:
        """Shows only the fields whose label holds the words; how many there are."""
        content = self.ready()
        if words in self.title.casefold():
            words = ""
        found = sum(form.sift(words) for form in self.forms())
        if not isinstance(content, Form) and not words:
            found += 1
        self.setVisible(found > 0)
        content.setVisible(found > 0)
        self._say(True)
        return found

    def _say(self, opened: bool) -> None:
        self.head.setText(f"{'▾' if opened else '▸'}  {self.title}")
        self.head.setAccessibleName(self.title)
        self.head.setAccessibleDescription(
            "Group of fields, unfolded" if opened else "Group of fields, folded"
        )
