"""A photo of the logbook, seen large."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QDialog, QVBoxLayout, QWidget

from sparring.ui.widgets.plain import Label

KINDS = ".png", ".jpg", ".jpeg", ".webp", ".bmp", ".tif", ".tiff"
PICTURES = f"Pictures ({' '.join(f'*{kind}' for kind in KINDS)})"
"""Of a dialog that asks for a picture."""


def scaled(picture: QPixmap, width: int, height: int) -> QPixmap:
    """Within width and height, its shape kept."""
    return picture.scaled(
        width,
        height,
        Qt.AspectRatioMode.KeepAspectRatio,
        Qt.TransformationMode.SmoothTransformation,
    )


def show_large(parent: QWidget, path: Path, title: str) -> QDialog:
    """Opens it in a window of its own, which waits for nothing."""
    large = QDialog(parent)
    large.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    large.setWindowTitle(title)
    label, picture = Label(), QPixmap(str(path))
    if picture.isNull():
        label.setText(f"{path.name} is missing from the logbook, or cannot be read.")
    else:
        label.setPixmap(scaled(picture, 1100, 700))
    label.setAccessibleName(title)
    QVBoxLayout(large).addWidget(label)
    large.show()
    return large
