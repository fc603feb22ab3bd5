"""Why a run is left out of the results."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QInputDialog, QWidget

from sparring.ui.model.desk import Desk

if TYPE_CHECKING:
    from sparring.logbook.stored import StoredRun

REASONS = (
    "misread",
    "the load was touched or swung",
    "started or stopped late",
    "the cord slipped or crossed over",
    "the supply was not steady",
)


def ask_why(desk: Desk, stored: StoredRun, parent: QWidget) -> QInputDialog:
    """Asks for a reason without holding anything up, then leaves the run out, undoably."""
    dialog = QInputDialog(parent)
    dialog.setWindowTitle("Exclude this run")
    dialog.setLabelText("Reason (choose or type; it is saved with the run):")
    dialog.setComboBoxItems(list(REASONS))
    dialog.setComboBoxEditable(True)

    def answered(reason: str) -> None:
        desk.strike([stored.id], True, reason.strip()[:120])

    dialog.textValueSelected.connect(answered)
    dialog.setModal(False)
    dialog.show()
    return dialog
