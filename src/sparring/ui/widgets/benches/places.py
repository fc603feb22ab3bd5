"""Where in a drawing each field's line ends, and where the live values of cell and speed stand."""

from __future__ import annotations

from PyQt6.QtCore import QPointF

Places = dict[str, QPointF]
