"""The Build page from the window: every kind added, drawn, turned, edited in the drawing, taken
apart, saved.
"""

import math

import pytest
from helpers import lay, wait_for
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QColor, QImage
from PyQt6.QtWidgets import QApplication, QFileDialog, QPushButton

from sparring.core.build import Build
from sparring.core.quantity import Measured
from sparring.core.train.kinds import (
    KINDS,
    CycloidStage,
    PlanetaryStage,
    ShiftStage,
    SpurStage,
    WormStage,
)
from sparring.ui.model import background
from sparring.ui.pages.build import dialogs as build_dialogs
from sparring.ui.pages.build import take_apart


def idle():
    wait_for(lambda: not background.busy(), 15, QApplication.processEvents)
    for _ in range(3):
        QApplication.processEvents()


@pytest.fixture
def window(shown, tmp_path):
    lay(shown, tmp_path / "book")
    shown.desk.add_build(
        Build(family="Wren", stages=(SpurStage(pinion=18, wheel=54, opening=0.1e-3),))
    )
    idle()
    return shown


@pytest.fixture
def page(window):
    return window.view("build")


def stages(window):
    return window.desk.build.stages


@pytest.mark.whole
def test_every_kind_is_added_drawn_turned_and_undone(window, page):
    for kind in KINDS:
        page.add(kind)
        assert isinstance(stages(window)[-1], kind)
        assert page.chosen == len(stages(window)) - 1
        assert page.fields.groups["teeth"].ready().fields
        still = page.gears.grab().toImage()
        page.gears.angle += 0.2
        assert page.gears.grab().toImage() != still
        for tab in range(page.tables.tabs.count()):
            page.tables.tabs.setCurrentIndex(tab)
        window.driveline.grab()
        page.remove()
        assert len(stages(window)) == 1
        page._from_side(True)
        assert page.gears.grab().toImage() != still
        page._from_side(False)
    while window.desk.undo.canUndo():
        window.desk.undo.undo()
    assert len(stages(window)) == 1


def test_parts_are_picked_and_their_teeth_edited_in_the_drawing(window, page, qtbot):
    page.add(PlanetaryStage)
    view = page.gears
    for n, field in view.parts():
        view.pick(n, field)
        assert field.replace("_", " ") in page.selected.text()
    view.pick(1, "ring")
    view.setFocus()
    qtbot.keyClick(view, Qt.Key.Key_Return)
    spin = view._field
    spin.setValue(50)
    qtbot.keyClick(spin, Qt.Key.Key_Return)
    assert stages(window)[1].ring == 50
    wait_for(
        lambda: any(c.finding.id == "not-coaxial" for c in window.findings.cards()),
        5,
        QApplication.processEvents,
    )
    card = next(c for c in window.findings.cards() if c.finding.id == "not-coaxial")
    card.opened.emit(card)
    assert view.chosen == (1, "ring")
    window.desk.undo.undo()
    assert stages(window)[1].ring == 48


def test_a_double_click_edits_and_a_ring_is_hit_only_on_its_rim(window, page, qtbot):
    window.desk.edit("build", ("stages",), (PlanetaryStage(),))
    view = page.gears
    scale, ox, oy = view._scale()
    ring = next(d.body for d in view._drawn if d.body.name == "ring")
    rim = view._to_screen(0, scale, ox, oy).map(QPointF(0, -1e3 * ring.reach * 0.98))
    qtbot.mouseDClick(view, Qt.MouseButton.LeftButton, pos=rim.toPoint())
    assert view.chosen == (0, "ring")
    assert view._field is not None
    view._close_field()
    centre = view._to_screen(0, scale, ox, oy).map(QPointF(0, 1e3 * 0.006 * 0.6))
    assert view.part_at(centre) == (0, "sun")


def test_turning_goes_the_right_ways_at_the_right_speeds(window, page):
    window.desk.edit(
        "build", ("stages",), (SpurStage(pinion=10, wheel=40), SpurStage(pinion=10, wheel=20))
    )
    page.gears.angle = 1.0
    turned = [page.gears.turned(s) for s in ("motor", "shaft 1", "output")]
    assert turned == pytest.approx([1.0, -0.25, 0.125])
    page.turn.setChecked(True)
    before = page.gears.angle
    wait_for(lambda: page.gears.angle > before, 5, QApplication.processEvents)
    page.turn.setChecked(False)


def test_stages_are_duplicated_split_and_moved(window, page):
    window.desk.edit("build", ("stages",), (SpurStage(pinion=12, wheel=108), WormStage()))
    page.gears.pick(0)
    page.split()
    assert len(stages(window)) == 3
    assert abs(window.desk.build.ratio()) == pytest.approx(9 * 40, rel=0.02)
    page.gears.pick(2)
    page.move_stage(-1)
    assert isinstance(stages(window)[1], WormStage)
    page.duplicate()
    assert [s.kind for s in stages(window)] == ["spur", "worm", "worm", "spur"]
    page.mirror()
    assert window.desk.build.title == "mirrored"
    assert stages(window)[1].hand == "left"


def test_the_state_of_a_box_is_switched(window, page):
    page.add(ShiftStage)
    assert page.speed.isVisibleTo(page)
    page.speed.setCurrentIndex(1)
    page.speed.activated.emit(1)
    assert stages(window)[1].engaged == 2
    line = page.fields.field(("stages", 1, "pairs"))
    line.setText("14/42 24/32 28/28")
    line.setModified(True)
    line.editingFinished.emit()
    assert len(stages(window)[1].pairs) == 3
    assert page.speed.count() == 3
    line.setText("14-42")
    line.setModified(True)
    line.editingFinished.emit()
    assert "write pinion/wheel" in window.message.text()


def test_joints_materials_and_lists_reach_the_build(window, page, qtbot):
    joint = page.fields.groups["joints"].ready().layout().itemAt(0).widget()
    joint.kind.setCurrentText("key")
    joint.kind.activated.emit(joint.kind.currentIndex())
    assert stages(window)[0].input_joint.kind == "key"
    assert {"width", "height"} <= {p[-1] for p in joint.form.fields}
    assert "stage 1 input joint" in [x.name for x in window.desk.build.limits]
    editor = page.tables.items
    editor.item(0, 0).setText("ring")
    editor.item(0, 2).setText("6.5")
    assert window.desk.build.parts[0].price == 6.5
    editor.item(0, 2).setText("cheap")
    assert window.desk.build.parts[0].price == 6.5
    own = build_dialogs.MaterialsDialog(window.desk, (0, ""), page)
    own.list.item(0, 0).setText("yard resin")
    own.list.item(0, 3).setText("44 MPa")
    assert window.desk.build.materials[0].strength == pytest.approx(44e6)
    motors = build_dialogs.MotorsDialog(window.desk, (0, ""), page)
    motors.list.item(0, 1).setText("2")
    assert window.desk.build.further_motors[0].gearing == 2.0
    motors.list.setCurrentCell(0, 0)
    qtbot.keyClick(motors.list, Qt.Key.Key_Delete)
    assert window.desk.build.further_motors == ()


def test_teeth_are_counted_by_taps(window, page, qtbot):
    dialog = take_apart.CountDialog(window.desk, (0, "wheel"), page)
    dialog.show()
    for _ in range(23):
        qtbot.keyClick(dialog.pad, Qt.Key.Key_Space)
    qtbot.keyClick(dialog.pad, Qt.Key.Key_Backspace)
    qtbot.mouseClick(dialog.pad, Qt.MouseButton.LeftButton, pos=QPoint(20, 20))
    assert dialog.pad.count == 23
    assert not dialog.pad.grab().isNull()
    dialog.take()
    assert stages(window)[0].wheel == 23


def test_module_ratio_and_fit_are_worked_out_in_dialogs(window, page):
    calipers = take_apart.CaliperDialog(window.desk, (0, "wheel"), page)
    calipers.readings.setPlainText("18*25.4/24 mm ± 0.02 mm, 16")
    assert calipers.table.item(0, 0).text() == "24 DP"
    assert calipers.table.item(1, 3).text() == "excluded"
    calipers.take()
    assert stages(window)[0].module == pytest.approx(25.4e-3 / 24)
    calipers.readings.setPlainText("twelve")
    assert "line 1" in calipers.result_text.text()
    ratio = take_apart.RatioDialog(window.desk, (0, "wheel"), page)
    ratio.turns_in.setText("30")
    ratio.turns_out.setText("10")
    ratio.known.setText("18/?")
    assert ratio.table.item(0, 0).text() == "18/54"
    ratio.turns_in.setText("600 rpm")
    ratio.turns_out.setText("0 rpm")
    assert "zero" in ratio.result_text.text()
    fitting = take_apart.FitDialog(window.desk, (0, "wheel"), page)
    fitting.play.setText("0.5 deg")
    fitting._from_play()
    opening = fitting._value()
    assert stages(window)[0].model_copy(
        update={"opening": opening}
    ).pair().backlash() == pytest.approx(math.radians(0.5), rel=1e-3)
    fitting.trial.setCurrentIndex(1)
    middle = fitting.trial.currentData()
    next(b for b in fitting.findChildren(QPushButton) if b.text() == "right").click()
    fitting.take()
    assert stages(window)[0].opening == pytest.approx(middle, rel=1e-3)


def test_outlines_are_saved_true_to_size(window, page, tmp_path, monkeypatch):
    import ezdxf

    def save(name, chosen=""):
        said = (str(tmp_path / name), chosen)
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a: said)
        page.gears.pick(0, "wheel")
        window.do("gear.outline")

    save("wheel.dxf")
    drawing = ezdxf.readfile(tmp_path / "wheel.dxf")
    assert not drawing.audit().errors
    points = [p for line in drawing.modelspace() for p in line.get_points("xy")]
    assert max(math.hypot(x, y) for x, y in points) == pytest.approx(56 / 2, abs=1e-6)
    save("wheel.svg")
    # 56 mm over the tips, a margin of 1 mm; no tooth exactly at -x
    assert 'width="57.99' in (tmp_path / "wheel.svg").read_text()
    save("wheel", "DXF drawing (*.dxf)")  # no ending typed: the chosen form's
    assert (tmp_path / "wheel.dxf").exists()
    save("no/wheel.svg")
    assert "could not be written" in window.message.text()


def test_photos_are_copied_and_stay_with_the_build(window, page, tmp_path):
    picture = QImage(40, 30, QImage.Format.Format_RGB32)
    picture.fill(QColor("gray"))
    picture.save(str(tmp_path / "open.png"))
    dialog = build_dialogs.PhotosDialog(window.desk, (0, ""), page)
    dialog.add(tmp_path / "open.png")
    dialog.add(tmp_path / "open.png")
    assert len(window.desk.build.photos) == 2
    assert all(
        (window.desk.book.folder / "photos" / name).exists() for name in window.desk.build.photos
    )
    (tmp_path / "text.png").write_text("not a readable picture")
    dialog.add(tmp_path / "text.png")
    assert "not a readable picture" in dialog.result_text.text()
    dialog.list.setCurrentRow(0)
    dialog._take_off()
    assert len(window.desk.build.photos) == 1


def test_a_new_revision_shows_what_changed(window, page):
    window.desk.new_revision()
    window.desk.edit("build", ("stages", 0, "wheel"), 60)
    window.desk.edit("build", ("mass",), Measured(0.3, 1e-3))
    page.tables.tabs.setCurrentIndex(4)
    table = page.tables.changes
    rows = {
        table.item(r, 0).text(): (table.item(r, 1).text(), table.item(r, 2).text())
        for r in range(table.rowCount())
    }
    assert rows["stage 1, wheel"] == ("54", "60")
    assert "mass" in rows


def test_a_change_that_cannot_be_is_refused_in_words_and_nothing_is_lost(window, page):
    page.add(CycloidStage)
    before = window.desk.build
    page.gears.count_edited.emit(1, "pins", 1)
    assert window.desk.build == before
    assert "4" in window.message.text()
    page.add(PlanetaryStage)
    choice = page.fields.field(("stages", 2, "held"))
    choice.setCurrentText("sun")
    choice.activated.emit(choice.currentIndex())
    assert "both input and fixed" in window.message.text()
    assert choice.currentText() == "ring"


def cells(table):
    return [
        [table.item(r, c).text() for c in range(table.columnCount())]
        for r in range(table.rowCount())
    ]


def test_the_strength_table_names_the_fuse_and_follows_the_slider(window, page):
    window.desk.edit(
        "build",
        ("stages",),
        (SpurStage(pinion=18, wheel=54), SpurStage(pinion=18, wheel=36, face_width=2e-3)),
    )
    page.tables.tabs.setCurrentIndex(1)
    rows = cells(page.tables.strength)
    assert rows[0][0] == "stage 2 pinion"
    assert [float(r[1].split()[0]) for r in rows] == sorted(float(r[1].split()[0]) for r in rows)
    window.desk.edit("build", ("fuse",), "stage 2 pinion")
    assert cells(page.tables.strength)[0][0] == "stage 2 pinion (fuse)"
    page.slider.setValue(20)
    light = float(cells(page.tables.strength)[0][3].split()[0])
    page.slider.setValue(40)
    assert float(cells(page.tables.strength)[0][3].split()[0]) == pytest.approx(2 * light, rel=0.03)


def test_the_mesh_table_gives_sizes_play_and_warmth(window, page):
    window.desk.edit(
        "build",
        ("stages",),
        (
            SpurStage(pinion=20, wheel=40, opening=0.1e-3),
            SpurStage(pinion=20, wheel=40, material="steel"),
        ),
    )
    page.tables.tabs.setCurrentIndex(2)
    page.slider.setValue(100)
    plastic, steel = cells(page.tables.meshes)
    assert page.tables.meshes.horizontalHeaderItem(0).text() == "mesh, sizes in mm"
    assert plastic[2] == "30.100"
    assert plastic[4] == "98.63 %"  # 1 − μ H_V
    assert plastic[5] == "0.21 deg"
    assert plastic[6] == "7.660 (3)"
    assert plastic[9] == "–"
    assert float(plastic[8].split()[0]) > 20
    assert steel[8] == "–"
    window.desk.edit("build", ("stages", 1, "helix"), math.radians(20))
    steel = cells(page.tables.meshes)[1]
    assert steel[3] == "1.50+0.65"
    assert steel[9].endswith(" N")
    window.desk.set_unit("length", "in")
    assert page.tables.meshes.horizontalHeaderItem(0).text() == "mesh, sizes in in"
    window.desk.set_unit("length", "mm")
    window.desk.edit("build", ("stages",), (WormStage(),))
    assert cells(page.tables.meshes)[0][0] == "no toothed mesh"


def test_cost_mass_and_torque_over_them_are_shown(window, page):
    from sparring.core.build import Item

    window.desk.edit("build", ("parts",), (Item(part="gear", count=2, price=4.0, spares=1),))
    page.tables.tabs.setCurrentIndex(3)
    text = page.tables.sums.text()
    assert "Cost 8.00 €, with spares 12.00 €" in text
    assert "N·m/kg" in text
    assert "g·cm² at the motor" in text
    window.desk.edit("build", ("stages", 0, "material"), "elm")
    assert "density not known: elm" in page.tables.sums.text()


def test_more_motors_carry_more(window, page):
    from sparring.core import predict

    alone = predict.stall_torque(window.desk.build, 12.0)
    dialog = build_dialogs.MotorsDialog(window.desk, (0, ""), page)
    dialog.list.item(0, 0).setText("second")
    assert predict.stall_torque(window.desk.build, 12.0) == pytest.approx(2 * alone, rel=1e-6)
    dialog.list.item(0, 3).setText("3000 rpm ± 20 rpm")
    wait_for(
        lambda: any(c.finding.id == "motors-share" for c in window.findings.cards()),
        5,
        QApplication.processEvents,
    )
    dialog.list.item(0, 5).setText("0.01 A")  # below the no-load current
    assert window.desk.build.further_motors[0].readings.stall_current.value > 1
    assert "were they interchanged" in window.message.text()


def test_the_drawing_stays_inside_its_frame_at_any_size(window, page):
    view = page.gears
    for kind in KINDS:
        window.desk.edit("build", ("stages",), (kind(), SpurStage()))
        for width, height in ((260, 190), (900, 260), (400, 700)):
            view.resize(width, height)
            scale, ox, oy = view._scale()
            b = view._bounds
            assert ox + scale * b.left() >= 0
            assert ox + scale * b.right() <= width
            assert oy - scale * b.bottom() >= 0
            assert oy - scale * b.top() <= height
            assert not view.grab().isNull()


def test_keys_alone_reach_every_part_and_every_gear(window, page, qtbot):
    window.desk.edit("build", ("stages",), (PlanetaryStage(), CycloidStage()))
    view = page.gears
    view.setFocus()
    seen = set()
    for _ in range(len(view.parts())):
        qtbot.keyClick(view, Qt.Key.Key_Right)
        seen.add(view.chosen)
    assert seen == set(view.parts())
    qtbot.keyClick(view, Qt.Key.Key_Left)
    assert view.chosen in seen
    qtbot.keyClick(
        page, Qt.Key.Key_D, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
    )
    assert len(stages(window)) == 3
    qtbot.keyClick(page, Qt.Key.Key_Backspace, Qt.KeyboardModifier.ControlModifier)
    assert len(stages(window)) == 2


@pytest.mark.whole
@pytest.mark.parametrize("seed", [1])
def test_a_restless_tester_breaks_nothing(window, page, seed):
    """Random edits, moves, tabs, views, undo and redo: no fault, and undoing all of it gives the
    first build back.
    """
    import random

    rng = random.Random(seed)
    first = window.desk.build
    desk = window.desk
    begun = desk.undo.index()

    def field():
        n = rng.randrange(len(stages(window)))
        _, name = rng.choice(type(stages(window)[n]).FIELDS)
        value = getattr(stages(window)[n], name)
        if isinstance(value, int):
            desk.edit("build", ("stages", n, name), rng.randint(1, 60))
        elif isinstance(value, float):
            desk.edit("build", ("stages", n, name), value * rng.choice([0.5, 0.9, 1.3, 3.0]))
        elif isinstance(value, Measured):
            desk.edit(
                "build",
                ("stages", n, name),
                Measured(value.value * rng.choice([0.0, 0.5, 2.0]), value.u),
            )

    moves = [
        lambda: page.add(rng.choice(KINDS)) if len(stages(window)) < 6 else page.remove(),
        page.remove,
        page.duplicate,
        page.split,
        lambda: page.move_stage(rng.choice([-1, 1])),
        page.mirror,
        field,
        field,
        field,
        lambda: page.gears.pick(rng.randrange(len(stages(window)))),
        page.gears.edit_count,
        lambda: page.tables.tabs.setCurrentIndex(rng.randrange(5)),
        lambda: page._from_side(rng.random() < 0.5),
        lambda: page.slider.setValue(rng.randint(0, 200)),
        lambda: desk.undo.undo() if desk.undo.index() > begun else None,
        desk.undo.redo,
        lambda: desk.edit("build", ("fuse",), rng.choice(["", "stage 1 wheel", "belt"])),
        lambda: desk.edit(
            "build",
            ("holding",),
            rng.choice(["either will do", "must hold by itself", "must turn back"]),
        ),
    ]
    for _ in range(90):
        if len(stages(window)) > 7:
            page.remove()
        rng.choice(moves)()
        if rng.random() < 0.3:
            page.grab()
            window.findings.refresh()
            window.driveline.grab()
    while desk.undo.index() > begun:
        desk.undo.undo()
    assert desk.build.to_json() == first.to_json()
