"""Above the page: what an edit of a tested build or rig is. Nothing is kept until it is answered,
and nothing else is in the way.
"""

from __future__ import annotations

from html import escape

from PyQt6 import sip
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QApplication, QFrame, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from sparring.core.build import Build
from sparring.core.quantity import unbroken
from sparring.core.revise import differences
from sparring.ui.model.desk import Desk
from sparring.ui.widgets.plain import Label, tip

_MOST = 3  # differences spelt out


class Question(QFrame):
    """Shown while the desk's draft waits. Enter takes the chosen answer, Escape leaves everything
    as it was.
    """

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self.desk = desk
        self.setObjectName("question")
        self.setAccessibleName("What kind of edit is this?")
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 8, 12, 8)
        column.setSpacing(6)
        self.text = Label()
        self.text.setTextFormat(Qt.TextFormat.RichText)  # what it quotes is escaped
        self.text.setWordWrap(True)
        column.addWidget(self.text)
        row = QHBoxLayout()
        row.setSpacing(8)
        self.anew, self.wrong, self.leave = (
            QPushButton("&New revision"),
            QPushButton("Correction: it was &wrong all along"),
            QPushButton("Disc&ard the edit"),
        )
        self.anew.setObjectName("act")
        self.wrong.setToolTip(
            tip(
                "The results of all its runs are recalculated; the old value is kept with "
                "them, with date and time."
            )
        )
        self.leave.setToolTip(tip("The field shows the old value again."))
        for button, act in (
            (self.anew, desk.begin_anew),
            (self.wrong, desk.correct),
            (self.leave, desk.drop_draft),
        ):
            button.clicked.connect(act)
            row.addWidget(button)
        row.addStretch(1)
        column.addLayout(row)
        self._asked_from: QWidget | None = None
        desk.draft_changed.connect(self.refresh)
        self.hide()

    def refresh(self) -> None:
        draft, book = self.desk.draft, self.desk.book
        if draft is None or book is None:
            back, self._asked_from = self._asked_from, None
            had = self.isAncestorOf(QApplication.focusWidget())
            self.hide()
            if had and back is not None and not sip.isdeleted(back) and back.isVisible():
                back.setFocus(Qt.FocusReason.OtherFocusReason)
            return
        if self._asked_from is None:
            self._asked_from = QApplication.focusWidget()
        name = draft.before.name
        changes = [
            f"{what} {before} → {after}"
            for what, before, after in differences(draft.before, draft.after, rounded=True)
        ]
        more = f", and {len(changes) - _MOST} more" if len(changes) > _MOST else ""
        runs = "1 run was" if draft.runs == 1 else f"{draft.runs} runs were"
        self.text.setText(
            unbroken(
                f"<b>{runs} made with {escape(name)}.</b> "
                f"{escape('; '.join(changes[:_MOST]))}{more}. What kind of edit is this?"
            )
        )
        if isinstance(draft.after, Build):
            self.anew.setText(f"&New revision r{book.next_revision(draft.after.family)}")
            self.anew.setToolTip(tip(f"The edit goes into a copy; {name} stays as tested."))
        else:
            self.anew.setText("&New rig from here on")
            self.anew.setToolTip(
                tip(f"The edit goes into a new rig; {name} stays as used in its tests.")
            )
        self.show()
        self.ask()

    def ask(self) -> None:
        """Takes the keyboard, unless a dialog has it."""
        if self.isVisible() and (window := self.window()) is not None and window.isActiveWindow():
            self.anew.setFocus(Qt.FocusReason.OtherFocusReason)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.desk.drop_draft()
        elif event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            for button in (self.anew, self.wrong, self.leave):
                if button.hasFocus():
                    button.click()
                    return
        else:
            super().keyPressEvent(event)
