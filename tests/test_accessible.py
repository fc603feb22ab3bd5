"""What whoever sees little, or uses no mouse, needs: contrast, the way of the Tab key, figures of a
chart as a table, a window in which nothing moves unasked.
"""

import re

import pytest
from helpers import lay
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QAbstractButton, QComboBox, QLineEdit, QSpinBox, QWidget
from window_helpers import choose, idle, until

from sparring.ui import theme as themes
from sparring.ui.theme import theme


@pytest.fixture
def window(shown, folder):
    lay(shown, folder)
    idle()
    return shown


def luminance(colour):
    """Relative luminance of #RRGGBB (WCAG 2.2)."""
    parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    red, green, blue = (c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in parts)
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


def contrast(a, b):
    light, dark = sorted((luminance(a), luminance(b)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


def test_contrast_is_that_of_the_recommendation():
    assert contrast("#000000", "#FFFFFF") == pytest.approx(21.0)
    assert contrast("#777777", "#FFFFFF") == pytest.approx(4.48, abs=0.01)  # WCAG's own example


@pytest.mark.parametrize("palette", [themes.LIGHT, themes.DARK], ids=["light", "dark"])
def test_every_text_has_a_contrast_of_four_and_a_half(palette):
    bad = [
        f"{text} on {ground}: {contrast(palette[text], palette[ground]):.2f}"
        for ground, texts in themes.TEXT_ON.items()
        for text in texts
        if contrast(palette[text], palette[ground]) < 4.5
    ]
    assert not bad, "\n".join(bad)


@pytest.mark.parametrize("palette", [themes.LIGHT, themes.DARK], ids=["light", "dark"])
def test_the_style_sheet_writes_only_in_those_colours(palette):
    """A rule that names a text colour names one of those; its own ground is under it."""
    names = {value: name for name, value in palette.items()}
    bad = []
    for rule in re.findall(r"([^{}]+)\{([^{}]*)\}", themes._sheet(palette)):
        colours = dict(re.findall(r"(?<![\w-])(color|background)\s*:\s*(#\w{6})", rule[1]))
        if "color" not in colours:
            continue
        ground = names.get(colours.get("background", palette["sheet"]), "?")
        if contrast(colours["color"], palette.get(ground, palette["sheet"])) < 4.5:
            bad.append(f"{rule[0].strip()}: {names.get(colours['color'])} on {ground}")
    assert not bad, "\n".join(bad)


def reached(root):
    """What Tab goes to under `root`, in its order."""
    chain, here = [], root.nextInFocusChain()
    while here is not None and here is not root:
        takes = here.focusPolicy() & Qt.FocusPolicy.TabFocus and here.isEnabled()
        if takes and here.isVisible() and root.isAncestorOf(here) and here.focusProxy() is None:
            chain.append(here)
        here = here.nextInFocusChain()
    return chain


@pytest.mark.whole
@pytest.mark.parametrize("page", ["build", "rig", "results"])
def test_tab_goes_down_a_form_as_the_eye_does(window, page):
    """Within one form no field comes before one that stands above it."""
    from sparring.ui.widgets.form import Form

    choose(window, "Dunnock r2")
    window.go(page)
    idle()
    view, kinds = window.view(page), (QLineEdit, QComboBox, QSpinBox, QAbstractButton)
    forms = [f for f in view.findChildren(Form) if f.isVisible()] or [view]
    for form in forms:
        places = [
            w.mapTo(view, QPoint(0, 0))
            for w in reached(form)
            if isinstance(w, kinds) and not isinstance(w.parentWidget(), QComboBox)
        ]
        if len(places) > 1 and isinstance(form, Form):
            order = [(p.y() // 6, p.x()) for p in places]
            assert order == sorted(order), form.what


def test_the_groups_of_build_are_reached_in_their_order(window, qtbot):
    window.go("build")
    fields = window.view("build").fields
    until(lambda: not fields._soon.isActive())
    heads = [g.head for g in fields.groups.values()]
    order = [w for w in reached(fields) if w in heads]
    assert order == heads


def test_a_chart_gives_its_figures_as_a_table_by_the_keyboard(window, qtbot):
    choose(window, "Dunnock r1")
    window.go("results")
    until(lambda: window.desk.result is not None)
    idle()
    chart = window.view("results").kind("torque").efficiency
    chart.setFocus()
    qtbot.keyClick(chart, Qt.Key.Key_Return)
    until(lambda: chart.dialog is not None and chart.dialog.isVisible())
    table = chart.dialog.table
    head, lines = chart.rows()
    assert [table.horizontalHeaderItem(c).text() for c in range(table.columnCount())] == head
    assert table.rowCount() == len(lines) == 5
    assert table.item(0, 0).text() == lines[0][0] == "0.50 kg"
    assert float(table.item(0, 1).text()) == pytest.approx(lines[0][1], rel=1e-5)
    chart.dialog.reject()


def test_with_reduced_motion_the_driveline_stands_still(window):
    flow = window.driveline
    window.set_calm(True)
    try:
        assert theme.calm
        shown = window._expected()._replace(live=True)
        flow.put(shown)
        assert not flow._timer.isActive()
        window.set_calm(False)
        flow.put(shown)
        assert flow._timer.isActive()
    finally:
        window.set_calm(False)
        window._driveline()
    assert isinstance(flow, QWidget)
