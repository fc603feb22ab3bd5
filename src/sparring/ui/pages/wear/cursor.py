"""Where on a part the keyboard is: a tooth, a spot, what is selected with it."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent

from sparring.core.wear.inspection import BODY_SPOTS, Seen, Spot
from sparring.core.wear.modes import BY_KEY
from sparring.core.wear.parts import Part

ROWS: tuple[tuple[Spot, str], ...] = (
    ("driving flank", "driving flank"),
    ("coasting flank", "coasting flank"),
    ("tip", "tip"),
    ("root", "root"),
)
_ARROWS = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, -1),
    Qt.Key.Key_Down: (0, 1),
}


class Cursor(QObject):
    """`moved` when it, or the part, is another; `marked(mode id)`, `graded(severity)`, `cleared`:
    what the keys ask for at what is selected.
    """

    moved = pyqtSignal()
    marked = pyqtSignal(str)
    graded = pyqtSignal(int)
    cleared = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.part: Part | None = None
        self.seen: tuple[Seen, ...] = ()
        self.tooth, self.spot = 1, ROWS[0][0]
        self.selected: frozenset[int] = frozenset({1})

    @property
    def teeth(self) -> int:
        return self.part.body.teeth if self.part is not None else 0

    def show(self, part: Part | None, seen: Iterable[Seen]) -> None:
        """Another part, or other observations of it."""
        if part is None or self.part is None or part.name != self.part.name:
            self.tooth, self.selected = 1, frozenset({1})
            if part is not None and not part.body.teeth:
                self.spot = "body"
            elif self.spot not in [s for s, _ in ROWS]:
                self.spot = ROWS[0][0]
        self.part, self.seen = part, tuple(seen)
        self.moved.emit()

    def go(self, tooth: int, spot: Spot | None = None, *, extend: bool = False) -> None:
        """To a tooth, from 1, round the gear; extend: what lies between is selected too."""
        n = max(self.teeth, 1)
        tooth = (tooth - 1) % n + 1
        self.selected = (self.selected | {tooth}) if extend else frozenset({tooth})
        self.tooth = tooth
        self.spot = spot or self.spot
        self.moved.emit()

    def select_all(self) -> None:
        self.selected = frozenset(range(1, max(self.teeth, 1) + 1))
        self.moved.emit()

    @property
    def chosen(self) -> tuple[int, ...]:
        """The teeth that a mark is for; (): all of them, or a spot that no tooth has."""
        toothed = self.spot in [s for s, _ in ROWS]
        if not toothed or len(self.selected) >= self.teeth:
            return ()
        return tuple(sorted(self.selected))

    def key(self, event: QKeyEvent) -> bool:
        """Does what a key asks for; whether it is one of these."""
        key, ctrl = event.key(), event.modifiers() & Qt.KeyboardModifier.ControlModifier
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if key in _ARROWS:
            across, down = _ARROWS[Qt.Key(key)]
            spots = (*((s for s, _ in ROWS) if self.teeth else ()), *BODY_SPOTS)
            at = spots.index(self.spot) if self.spot in spots else 0
            if down:
                self.spot = spots[(at + down) % len(spots)]
                self.moved.emit()
            else:
                self.go(self.tooth + across, extend=shift)
            return True
        if key == Qt.Key.Key_Home:
            self.go(1)
        elif ctrl and key == Qt.Key.Key_A:
            self.select_all()
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.cleared.emit()
        elif not ctrl and event.text() and event.text() in "012345":
            self.graded.emit(int(event.text()))
        elif not ctrl and event.text().lower() in BY_KEY:
            self.marked.emit(BY_KEY[event.text().lower()].id)
        else:
            return False
        return True

    def grade(self, tooth: int, spot: str) -> int:
        """Worst severity seen on a spot of a tooth."""
        return max(
            (
                s.severity
                for s in self.seen
                if (s.spot == spot or (s.spot == "both flanks" and spot.endswith("flank")))
                and (not s.teeth or tooth in s.teeth)
            ),
            default=0,
        )

    def broken(self, tooth: int) -> int:
        """Worst severity of what breaks or cracks it."""
        return max(
            (s.severity for s in self.seen if s.mode in _CRACKS and tooth in s.teeth), default=0
        )


_CRACKS = (
    "crack",
    "broken-root",
    "broken-end",
    "overload",
    "fatigue-fracture",
    "flank-fracture",
    "split-from-corner",
    "layers-parted",
    "whitening",
    "tooth-bent",
)
