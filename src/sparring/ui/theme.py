"""Colours, type and the style sheet: machine-shop green-grey, drawing ink, brass gears; by day and
by night.
"""

from __future__ import annotations

import os
from importlib import resources
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication, QWidget

FAMILY = os.environ.get("SPARRING_FONT") or "B612"  # another typeface for whoever reads it better

LIGHT = {
    "bench": "#E4E8E1",
    "sheet": "#FBFCFA",
    "rule": "#C6CDC4",
    "ink": "#1A221E",
    "ink-2": "#55615A",
    "ink-3": "#8B968F",
    "reseda": "#4A6B4F",
    "deep": "#2F4A36",
    "on-deep": "#FFFFFF",
    "pale": "#DCE6DA",
    "brass": "#B5862B",
    "vermilion": "#C53F27",
    "vermilion-text": "#B0351F",
    "amber": "#D38B14",
    "on-amber": "#1A221E",
    "voltage": "#3557A6",
    "current": "#176F8B",
    "speed": "#7A4A9C",
    "torque": "#2C7A4B",
    "force": "#0F7C78",
    "heat": "#D0602A",
    "temperature": "#A2385C",
    "heat-text": "#A94A1C",
    "power": "#2C7A4B",
    "build-1": "#7A5C00",
    "build-2": "#005F7D",
    "build-3": "#8E1F5E",
    "build-4": "#36339A",
    "build-5": "#A34A00",
    "build-6": "#1F6E3C",
    "build-7": "#4F5A60",
    "build-8": "#7A3FA0",
}
DARK = {
    "bench": "#151A17",
    "sheet": "#1D2420",
    "rule": "#3A463F",
    "ink": "#E8EEE8",
    "ink-2": "#A9B6AD",
    "ink-3": "#74837B",
    "reseda": "#8FB896",
    "deep": "#3E6347",
    "on-deep": "#FFFFFF",
    "pale": "#2A3A2F",
    "brass": "#D9AE5B",
    "vermilion": "#C5462F",
    "vermilion-text": "#F28A75",
    "amber": "#E5A93A",
    "on-amber": "#151A17",
    "voltage": "#8FA6F0",
    "current": "#5CBBDD",
    "speed": "#BC8FE0",
    "torque": "#6CC08B",
    "force": "#4FBDB8",
    "heat": "#F08B55",
    "temperature": "#E27FA3",
    "heat-text": "#F4A072",
    "power": "#6CC08B",
    "build-1": "#D9B44A",
    "build-2": "#5CC3E6",
    "build-3": "#F08BC0",
    "build-4": "#A9A6FF",
    "build-5": "#FF9E57",
    "build-6": "#7FD49A",
    "build-7": "#B4BEC4",
    "build-8": "#D3A4F2",
}
CHANNEL_COLOURS = {
    "cell": "force",
    "force": "force",
    "speed": "speed",
    "motor_speed": "speed",
    "voltage": "voltage",
    "current": "current",
    "temperature": "temperature",
    "mass": "force",
}

TEXT_ON = {
    "sheet": (
        *("ink", "ink-2", "reseda", "vermilion-text", "heat-text", "voltage", "current", "speed"),
        *("torque", "force", "temperature", "power"),
        *(f"build-{n}" for n in range(1, 9)),
    ),
    "bench": ("ink", "ink-2", "reseda", "vermilion-text"),
    "pale": ("ink", "ink-2"),
    "rule": ("ink",),
    "deep": ("on-deep",),
    "amber": ("on-amber",),
    "vermilion": ("on-deep",),
}
"""The colours in which texts are written, by what is under them."""


class Theme(QObject):
    """The chosen colours. Widgets that paint themselves ask `colour`, and repaint on `changed`."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.dark = False
        self.calm = False  # nothing moves that was not asked to

    def colour(self, name: str, alpha: int = 255) -> QColor:
        colour = QColor((DARK if self.dark else LIGHT)[name])
        colour.setAlpha(alpha)
        return colour

    def hex(self, name: str) -> str:
        return (DARK if self.dark else LIGHT)[name]

    def set_dark(self, dark: bool, window: QWidget, unheard: QObject | None = None) -> None:
        """window: whose widgets and dialogs are styled; unheard: a filter of all events, which is
        not asked of the tens of thousands by which widgets are styled anew: none of them is a key.
        """
        self.dark = dark
        app = QApplication.instance()
        if app is None or unheard is None:
            self.apply(window)
        else:
            app.removeEventFilter(unheard)
            try:
                self.apply(window)
            finally:
                app.installEventFilter(unheard)
        self.changed.emit()

    def apply(self, window: QWidget) -> None:
        """The palette, and the style sheet of a window and all that stands in it and before it,
        where they are not in force already. A sheet of the application takes four times as long.
        """
        sheet = _sheet(DARK if self.dark else LIGHT)
        if sheet != window.styleSheet():
            self.apply_palette()
            window.setStyleSheet(sheet)

    def apply_palette(self) -> None:
        """The palette alone: quickest while there are no widgets yet."""
        app = QApplication.instance()
        if not isinstance(app, QApplication) or app.property("dark") == self.dark:
            return
        app.setProperty("dark", self.dark)
        if not app.styleSheet():  # asked as a box of buttons is made, before it has its place
            app.setStyleSheet("QDialogButtonBox { dialogbuttonbox-buttons-have-icons: 0; }")
        c = self.colour
        palette = QPalette()
        roles = QPalette.ColorRole
        for role, name in (
            (roles.Window, "bench"),
            (roles.WindowText, "ink"),
            (roles.Base, "sheet"),
            (roles.AlternateBase, "bench"),
            (roles.Text, "ink"),
            (roles.Button, "sheet"),
            (roles.ButtonText, "ink"),
            (roles.ToolTipBase, "sheet"),
            (roles.ToolTipText, "ink"),
            (roles.Highlight, "deep"),
            (roles.HighlightedText, "on-deep"),
            (roles.PlaceholderText, "ink-2"),
            (roles.Link, "reseda"),
        ):
            palette.setColor(role, c(name))
        for role in (roles.Text, roles.ButtonText, roles.WindowText):
            palette.setColor(QPalette.ColorGroup.Disabled, role, c("ink-2"))
        app.setPalette(palette)


theme = Theme()


def load_fonts() -> None:
    """The shipped B612, and the application's base font."""
    folder = resources.files("sparring.ui").joinpath("assets/fonts")
    for name in ("B612-Regular", "B612-Bold"):
        QFontDatabase.addApplicationFontFromData((folder / f"{name}.otf").read_bytes())
    base = QFont(FAMILY)
    base.setPixelSize(13)
    QApplication.setFont(base)


def font(size: int, *, bold: bool = False) -> QFont:
    """Text or figures at a pixel size; B612's figures are all of one width,
    so they do not dance."""
    f = QFont(FAMILY)
    f.setPixelSize(size)
    f.setBold(bold)
    return f


_CLOSE, _FLOAT = (
    (Path(__file__).parent / "assets" / f"{name}.svg").as_posix() for name in ("close", "float")
)
_ARROW = (Path(__file__).parent / "assets" / "down.svg").as_posix()


def _sheet(c: dict[str, str]) -> str:
    return _texts(c) + _buttons(c) + _lists(c)


def _texts(c: dict[str, str]) -> str:
    return f"""
    QMainWindow, QDialog {{ background: {c["bench"]}; }}
    QMenuBar {{ background: {c["sheet"]}; padding: 2px 6px; }}
    QMenuBar::item {{ padding: 4px 10px; background: transparent; }}
    QMenuBar::item:selected, QMenu::item:selected {{ background: {c["pale"]}; color: {c["ink"]}; }}
    QMenu {{ background: {c["sheet"]}; border: 1px solid {c["rule"]}; }}
    QMenu::item {{ padding: 6px 24px 6px 14px; }}
    QMenu::item:disabled {{ color: {c["ink-2"]}; font-style: italic; }}
    QMenu::separator {{ height: 1px; background: {c["rule"]}; margin: 4px 0; }}
    .Sheet, QFrame#sheet {{ background: {c["sheet"]}; border: 1px solid {c["rule"]}; }}
    QFrame#question {{ background: {c["pale"]}; border: 2px solid {c["reseda"]}; }}
    QWidget#plain {{ background: {c["sheet"]}; }}
    QLabel#title {{ font-weight: bold; }} QLabel#note {{ color: {c["ink-2"]}; font-size: 11px; }}
    QLabel#care {{ color: {c["on-amber"]}; background: {c["amber"]}; padding: 4px 8px;
        font-size: 12px; }}
    QLabel#wrong {{ color: {c["vermilion-text"]}; }}
    QLineEdit, QComboBox, QSpinBox, QPlainTextEdit {{ background: {c["sheet"]};
        border: 1px solid {c["rule"]}; padding: 2px 6px;
        min-height: 20px; selection-background-color: {c["deep"]};
        selection-color: {c["on-deep"]}; }}
    QLineEdit:focus, QComboBox:focus, QSpinBox:focus,
        QPlainTextEdit:focus {{ border: 2px solid {c["reseda"]}; padding: 1px 5px; }}
    QLineEdit[bad="true"] {{ border: 2px solid {c["vermilion"]}; padding: 2px 5px; }}
    QLineEdit:disabled, QComboBox:disabled {{ color: {c["ink-2"]}; background: {c["bench"]}; }}
    QComboBox QAbstractItemView {{ background: {c["sheet"]}; border: 1px solid {c["rule"]}; }}
    """


def _buttons(c: dict[str, str]) -> str:
    return f"""
    QPushButton {{ background: {c["sheet"]}; border: 1px solid {c["ink-3"]}; padding: 3px 10px;
        min-height: 22px; }}
    QPushButton:hover {{ background: {c["pale"]}; }}
    QPushButton:pressed {{ background: {c["rule"]}; }}
    QPushButton:focus {{ border: 2px solid {c["reseda"]}; padding: 2px 9px; }}
    QPushButton:checked {{ background: {c["deep"]}; color: {c["on-deep"]}; }}
    QPushButton:disabled {{ color: {c["ink-2"]}; border: 1px dotted {c["ink-3"]}; }}
    QPushButton#act {{ background: {c["deep"]}; color: {c["on-deep"]};
        border: 1px solid {c["deep"]}; font-weight: bold; }}
    QPushButton#act:focus {{ border: 2px solid {c["brass"]}; }}
    QPushButton#act:disabled {{ background: {c["rule"]}; color: {c["ink"]};
        border-color: {c["rule"]}; }}
    QPushButton#stop {{ background: {c["vermilion"]}; color: #FFFFFF;
        border: 1px solid {c["vermilion"]}; font-weight: bold; }}
    QPushButton#stop:disabled {{ background: {c["rule"]}; color: {c["ink"]};
        border-color: {c["rule"]}; }}
    QPushButton#stop:focus {{ border: 2px solid {c["ink"]}; }}
    KeyButton {{ min-height: 70px; }}
    QPushButton#group {{ border: none; border-bottom: 1px solid {c["rule"]};
        background: transparent; color: {c["ink"]}; font-weight: bold; text-align: left;
        padding: 3px 2px; }}
    QPushButton#group:hover {{ background: {c["pale"]}; }}
    QPushButton#group:focus {{ border: 1px solid {c["reseda"]}; padding: 2px 1px; }}
    QSplitter::handle {{ background: {c["bench"]}; }}
    QPushButton#quiet {{ border: none; background: transparent; color: {c["ink-2"]};
        padding: 2px 6px; text-align: left; }}
    QPushButton#quiet:hover {{ background: {c["pale"]}; }}
    QPushButton#quiet:focus {{ border: 1px solid {c["reseda"]}; padding: 1px 5px; }}
    """


def _lists(c: dict[str, str]) -> str:
    return f"""
    QTreeWidget, QTableWidget, QTableView, QListWidget {{ background: {c["sheet"]}; border: none;
        gridline-color: {c["rule"]}; outline: 0; }}
    Table {{ font-size: 12px; }} Table[tight="true"] {{ font-size: 11px; }}
    QTreeWidget::item {{ height: 24px; }}
    QTreeWidget::item:selected, QTableWidget::item:selected, QListWidget::item:selected {{
        background: {c["pale"]}; color: {c["ink"]}; }}
    QTreeWidget:focus, QTableWidget:focus {{ border: 1px solid {c["reseda"]}; }}
    QHeaderView {{ background: {c["sheet"]}; border: none; }}
    QHeaderView::section {{ background: {c["sheet"]}; color: {c["ink-2"]}; border: none;
        border-bottom: 1px solid {c["rule"]}; padding: 4px 4px; font-size: 11px; }}
    QTableCornerButton::section {{ background: {c["sheet"]}; border: none; }}
    QScrollArea {{ border: none; background: transparent; }}
    QScrollBar:vertical {{ width: 10px; background: transparent; }}
    QScrollBar:horizontal {{ height: 10px; background: transparent; }}
    QScrollBar::handle {{ background: {c["rule"]}; min-height: 28px; min-width: 28px; }}
    QScrollBar::handle:hover {{ background: {c["ink-3"]}; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QSlider::groove:horizontal {{ height: 4px; background: {c["rule"]}; }}
    QSlider::handle:horizontal {{ width: 14px; margin: -9px 0; background: {c["deep"]}; }}
    QSlider::handle:horizontal:focus {{ background: {c["brass"]}; }}
    QMainWindow#sides::separator {{ background: {c["bench"]}; width: 8px; height: 8px; }}
    QMainWindow#sides::separator:hover {{ background: {c["rule"]}; }}
    QDockWidget {{ font-weight: bold; titlebar-close-icon: url({_CLOSE});
        titlebar-normal-icon: url({_FLOAT}); }}
    QDockWidget::title {{ background: {c["sheet"]}; border: 1px solid {c["rule"]};
        border-bottom: none; padding: 6px 10px 2px 10px; text-align: left; }}
    QDockWidget > QFrame#sheet {{ border-top: none; }}
    QToolTip {{ background: {c["sheet"]}; color: {c["ink"]}; border: 1px solid {c["ink-3"]};
        padding: 4px; }}
    QCheckBox::indicator, QTreeView::indicator {{ width: 14px; height: 14px;
        border: 1px solid {c["ink-2"]};
        background: {c["sheet"]}; }}
    QCheckBox::indicator:checked {{ background: {c["deep"]}; border: 3px solid {c["sheet"]};
        outline: 1px solid {c["ink-2"]}; }}
    QTreeView::indicator {{ width: 11px; height: 11px; }}
    QTreeView::indicator:checked {{ background: {c["reseda"]}; }}
    QCheckBox:focus {{ color: {c["reseda"]}; }}
    QTabBar::tab {{ background: transparent; border: none; border-bottom: 2px solid transparent;
        padding: 4px 9px; color: {c["ink-2"]}; }}
    QTabBar::tab:selected {{ color: {c["ink"]}; border-bottom: 2px solid {c["reseda"]}; }}
    QTabBar::tab:focus {{ border: 1px solid {c["reseda"]}; }}
    QComboBox::drop-down {{ border: none; width: 20px; }}
    QComboBox::down-arrow {{ image: url({_ARROW}); width: 10px; height: 7px; }}
    QProgressBar {{ border: 1px solid {c["ink-3"]}; background: {c["bench"]}; text-align: center;
        min-height: 18px; }}
    QProgressBar::chunk {{ background: {c["pale"]}; }}
    QStatusBar {{ background: {c["sheet"]}; }}
    """
