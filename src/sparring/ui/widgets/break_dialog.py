"""What broke."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QInputDialog, QWidget

from sparring.ui.model.desk import Desk

if TYPE_CHECKING:
    from sparring.logbook.stored import StoredRun


def ask_break(desk: Desk, run: Callable[[], StoredRun | None], parent: QWidget) -> QInputDialog:
    """Asks, without holding anything up, which part gave way. run: tells the run when the answer is
    there.
    """
    dialog = QInputDialog(parent)
    dialog.setWindowTitle("What broke?")
    dialog.setLabelText("The part that broke in this run (choose or type; blank: none):")
    stored = run()
    noted = stored.run.broke if stored is not None else ""
    dialog.setComboBoxItems(
        [
            noted,
            *(n for n in dict.fromkeys(limit.name for limit in desk.build.limits) if n != noted),
        ]
    )
    dialog.setComboBoxEditable(True)

    def answered(part: str) -> None:
        if (stored := run()) is not None and stored.run.broke != part.strip():
            desk.note_break(stored, part)

    dialog.textValueSelected.connect(answered)
    dialog.setModal(False)
    dialog.show()
    return dialog
