"""What is derived once and kept: the same figures as derived anew, for every
way to load a drive."""

import math
import shutil
import sqlite3
from contextlib import closing
from pathlib import Path

import numpy as np
import pytest
from helpers import TARE, make_runs, planned
from hypothesis import given
from hypothesis import strategies as st

from sparring.core import uncertainty
from sparring.core.analysis import Reductions, analyse
from sparring.core.methods import METHODS
from sparring.core.quantity import Measured
from sparring.core.reduce.results import COMBINED
from sparring.core.reduce.spread import WINDOW, of_one_run, random_part, shared_parts
from sparring.core.uncertainty import budget, covariance, mean_of, nominal, std, ufloat
from sparring.demo import hollin_yard
from sparring.exchange import deriving
from sparring.exchange.deriving import derive, peers_of
from sparring.exchange.export import KeptTest
from sparring.exchange.out import test_folder
from sparring.logbook import Logbook, LogbookError, keeping
from sparring.logbook.characterised import Characterisation
from sparring.logbook.derived import NAME
from sparring.logbook.recovery import recover


def figures(result):
    """Everything of a result that is shown, with its budget."""
    found = []
    for step in result.steps:
        for name in COMBINED:
            x = getattr(step, name)
            if x is not None:
                found.append(
                    (
                        step.index,
                        name,
                        nominal(x),
                        std(x),
                        random_part(x),
                        {b.name: b.u for b in budget(x)},
                    )
                )
    return (
        found,
        sorted(f.id for f in result.findings),
        [(run.step, why) for run, why in result.skipped],
    )


def assert_same(a, b):
    (x, ids, skipped), (y, other_ids, other_skipped) = figures(a), figures(b)
    assert ids == other_ids
    assert skipped == other_skipped
    assert len(x) == len(y) > 0
    for (i, name, value, u, own, shares), (j, other, value_2, u_2, own_2, shares_2) in zip(
        x, y, strict=True
    ):
        assert (i, name) == (j, other)
        assert (value, u, own) == (
            pytest.approx(value_2, rel=1e-9),
            pytest.approx(u_2, rel=1e-9),
            pytest.approx(own_2, rel=1e-9),
        )
        assert shares == pytest.approx(shares_2, rel=1e-6, abs=1e-12 * u)


@pytest.fixture(scope="module", params=[m.__name__ for m in METHODS])
def kept(request, tmp_path_factory):
    """A logbook with a small test of each method."""
    method = next(m for m in METHODS if m.__name__ == request.param)
    rig = hollin_yard.rig().model_copy(update={"method": method.ours()})
    build, plan = (
        hollin_yard.dunnock(2),
        planned(tuple(Measured(m) for m in (0.5, 1.0, 1.5)), repeats=2),
    )
    with Logbook(tmp_path_factory.mktemp("book") / "book") as book:
        test = book.add_test(book.save_build(build), book.save_rig(rig), plan, "")
        for run, recording in make_runs(build, rig, plan)[0]:
            book.add_run(test, run, recording)
        yield book, test, build, rig, plan


def test_what_is_kept_says_the_same_as_what_is_reduced(kept):
    book, test, build, rig, plan = kept
    runs = book.runs(test)
    plain = analyse(build, rig, plan, [(r.run, book.recording(r.recording)) for r in runs])
    first, again = Reductions(book.derived), Reductions(book.derived)
    assert_same(plain, analyse(build, rig, plan, book.material(runs), reductions=first))
    assert first.reduced == len(runs)
    assert_same(plain, analyse(build, rig, plan, book.material(runs), reductions=again))
    assert again.reduced == 0
    # some of them kept, some reduced: they share their inputs all the same
    half = Reductions(book.derived)
    mixed = [
        (r.run, source if n % 2 else source())
        for n, (r, (_, source)) in enumerate(zip(runs, book.material(runs), strict=True))
    ]
    assert_same(plain, analyse(build, rig, plan, mixed, reductions=half))
    assert half.reduced == len(runs) - len(runs) // 2


def test_how_a_motor_warms_is_told_once(kept, monkeypatch):
    book, test, *_ = kept
    told = deriving.heat_of(book, test)
    monkeypatch.setattr(deriving, "identify", lambda *_: pytest.fail("told again"))
    again = deriving.heat_of(book, test)
    assert again.bodies == told.bodies
    assert np.array_equal(again.covariance, told.covariance)
    assert again[2:] == told[2:]


def test_a_run_more_is_one_more_reduced_and_a_changed_record_all(
    tmp_path, build, rig, plan, lifted
):
    with Logbook(tmp_path / "book") as book:
        test = book.add_test(book.save_build(build), book.save_rig(rig), plan, "")
        for run, recording in lifted[0][:-1]:
            book.add_run(test, run, recording)
        reductions = Reductions(book.derived)
        analyse(build, rig, plan, book.material(book.runs(test)), reductions=reductions)
        book.add_run(test, *lifted[0][-1])
        result = analyse(build, rig, plan, book.material(book.runs(test)), reductions=reductions)
        assert reductions.reduced == len(lifted[0])
        assert_same(result, analyse(build, rig, plan, lifted[0]))
        other = rig.model_copy(
            update={"method": rig.method.model_copy(update={"drum_diameter": Measured(0.06, 1e-4)})}
        )
        moved = analyse(build, other, plan, book.material(book.runs(test)), reductions=reductions)
        assert reductions.reduced == 2 * len(lifted[0])
        assert_same(moved, analyse(build, other, plan, lifted[0]))


@pytest.mark.parametrize("how", ["garbage", "a flipped bit", "another core"])
def test_what_is_kept_wrongly_is_reduced_anew(tmp_path, build, rig, plan, lifted, monkeypatch, how):
    with Logbook(tmp_path / "book") as book:
        test = book.add_test(book.save_build(build), book.save_rig(rig), plan, "")
        for run, recording in lifted[0][:6]:
            book.add_run(test, run, recording)
        material = book.material(book.runs(test))
        right = analyse(build, rig, plan, material, reductions=Reductions(book.derived))
        path = book.folder / NAME
        if how == "garbage":
            path.write_bytes(b"no database at all" * 100)
        elif how == "a flipped bit":
            with closing(sqlite3.connect(path)) as connection:
                connection.execute(
                    "UPDATE points SET data = substr(data, 1, 40) || x'00' || substr(data, 42)"
                )
                connection.commit()
        else:
            monkeypatch.setattr("sparring.core.analysis.derived_by", lambda: "another")
        reductions = Reductions(book.derived)
        assert_same(right, analyse(build, rig, plan, material, reductions=reductions))
        assert reductions.reduced == 6


@given(st.integers(2, 60), st.integers(0, 10_000))
def test_means_drawn_together_have_the_covariance_of_plain_ones(n, seed):
    rng = np.random.default_rng(seed)
    common = [ufloat(1.0, u, f"shared {k}") for k, u in enumerate((0.1, 0.03))]
    figures = {"a": [], "b": [], "c": []}
    for _ in range(n):
        own = [ufloat(0.0, u, WINDOW.of(name)) for name, u in (("x", 0.2), ("y", 0.05))]
        for name in figures:
            weights = rng.standard_normal(4)
            figures[name].append(
                rng.standard_normal()
                + sum(w * v for w, v in zip(weights, common + own, strict=True))
            )
    plain = {name: mean_of(xs) for name, xs in figures.items()}
    drawn = uncertainty.means_of(figures, of_one_run)

    assert covariance([*drawn.values()]) == pytest.approx(
        covariance([*plain.values()]), rel=1e-9, abs=1e-15
    )
    for name in figures:
        assert nominal(drawn[name]) == pytest.approx(nominal(plain[name]), rel=1e-12, abs=1e-15)
        assert {b.name: b.u for b in budget(drawn[name])} == pytest.approx(
            {b.name: b.u for b in budget(plain[name])}, rel=1e-6
        )
    assert max(len(m.slopes) for m in drawn.values()) <= 2 + 2 * 3 or n <= 3


def test_one_tare_serves_all_lifts(build, rig, lifted):
    """Its doubt does not average out over them: it is the same mistake in each."""
    by_cell = rig.model_copy(update={"torque_from": "cell"})
    few = [(r.model_copy(update={"tare": TARE}), x) for r, x in lifted[0] if r.step == 2]
    one = analyse(build, by_cell, planned(), few[:1])
    all_three = analyse(build, by_cell, planned(), few)
    u = [
        {b.name: b.u for b in budget(result.steps[0].torque)}["tare"] for result in (one, all_three)
    ]
    assert u[1] == pytest.approx(u[0], rel=1e-9)


# --- damage, and what is left over ----------------------------------------------------------------


@pytest.fixture
def two_tests(tmp_path, build, rig, plan, lifted):
    with Logbook(tmp_path / "book") as book:
        tests = [book.add_test(book.save_build(build), book.save_rig(rig), plan, "one")]
        tests.append(
            book.add_test(
                book.save_build(build.model_copy(update={"revision": 9})), tests[0], plan, "two"
            )
        )
        for test in tests:
            for run, recording in lifted[0][:4]:
                book.add_run(test, run, recording)
    return tmp_path / "book", tests


def change(folder, statement):
    with closing(sqlite3.connect(folder / "logbook.sqlite")) as connection:
        connection.execute(statement)
        connection.commit()


def test_a_damaged_row_is_left_out_by_name_and_the_rest_stays(two_tests):
    folder, (one, two) = two_tests
    change(
        folder,
        "UPDATE runs SET record = replace(record, '\"step\": 0', '\"step\": 3') WHERE id = 2",
    )
    with Logbook(folder) as book:
        assert len(book.runs(one)) == 3
        assert len(book.runs(two)) == 4
        assert "changed since it was written" in book.damage["run 2"]
        with pytest.raises(LogbookError, match="run 2 has changed since it was written"):
            book.strike([2])


def test_a_row_that_took_another_number_is_damaged(two_tests):
    folder, (one, _) = two_tests
    change(folder, "UPDATE runs SET id = 77 WHERE id = 2")
    with Logbook(folder) as book:
        assert [r.id for r in book.runs(one)] == [1, 3, 4]
        assert "run 77" in book.damage


def test_no_copy_is_made_of_damaged_rows(two_tests):
    folder, _ = two_tests
    with Logbook(folder):
        pass
    (good,) = keeping.backups(folder)
    good.rename(good.with_name("logbook-2026-01-02.sqlite"))  # of a day before
    change(folder, "UPDATE runs SET recording = 'another' WHERE id = 2")
    assert keeping.check(folder)["rows"] == ["run 2"]
    with Logbook(folder) as book:
        assert len(book.runs(1)) == 3
    assert [p.name for p in keeping.backups(folder)] == ["logbook-2026-01-02.sqlite"]
    keeping.restore(folder)
    assert keeping.check(folder)["rows"] == []


def test_a_test_whose_build_is_damaged_does_not_take_the_logbook_with_it(two_tests, shown):
    from helpers import lay

    folder, (one, two) = two_tests
    change(
        folder,
        f"UPDATE builds SET record = 'x' WHERE id = (SELECT build_id FROM tests WHERE id = {two})",
    )
    lay(shown, folder)
    assert shown.desk.test_id == one
    assert any("Damaged in this logbook" in text and "build" in text for text in shown.heard.said)
    shown.desk.choose_test(two)
    assert "has changed since it was written" in shown.message.text()
    assert shown.desk.test_id == one


def test_runs_that_a_copy_does_not_know_are_given_back_to_their_test(
    two_tests, lifted, build, rig, plan
):
    folder, (_, two) = two_tests
    shutil.copy(folder / "logbook.sqlite", folder.parent / "copy.sqlite")
    with Logbook(folder) as book:
        book.add_run(two, *lifted[0][5])
        third = book.add_test(1, 1, plan, "begun after the copy")
        book.add_run(third, *lifted[0][6])
    for name in ("logbook.sqlite-wal", "logbook.sqlite-shm"):
        (folder / name).unlink(missing_ok=True)
    shutil.copy(folder.parent / "copy.sqlite", folder / "logbook.sqlite")
    with Logbook(folder) as book:
        said = recover(book)
        assert "was recovered" in said[0]
        assert "1 of the logbook's recordings" in said[1]
        assert [r.run.step for r in book.runs(two)] == [
            r.step for r, _ in [*lifted[0][:4], lifted[0][5]]
        ]
        assert book.add_test(1, 1, plan, "has the number of the one that is gone") == third
        recover(book)
        assert book.runs(third) == []  # it is not that test's


def test_a_logbook_of_the_version_before_opens_with_everything_in_it(tmp_path):
    """Made by the version before rows were sealed."""
    folder = shutil.copytree(
        Path(__file__).parent / "data" / "logbook-of-schema-2", tmp_path / "book"
    )
    with Logbook(folder) as book:
        ((build_id, build),) = book.builds()
        ((rig_id, rig),) = book.rigs()
        (test,) = book.tests()
        assert (build.name, test.title, test.runs) == ("Dunnock r2", "by the version before", 3)
        assert rig.method.drum_diameter.value == pytest.approx(0.051)
        assert [r.struck for r in book.runs(test.id, struck=True)] == [False, True, False, False]
        assert [(c.field, c.before, c.after) for c in book.corrections(build_id, rig_id)] == [
            ("drum diameter", "50 ± 0.05 mm", "51 ± 0.05 mm")
        ]
        assert book.setting("columns") == "t, speed"
        assert test.headline == {"derived_by": "x", "value": 0.8}
        result = analyse(
            build,
            rig,
            test.plan,
            book.material(book.runs(test.id)),
            reductions=Reductions(book.derived),
        )
        assert [len(s.points) for s in result.steps] == [1, 2]
        assert recover(book) == []
        assert not book.damage
        book.strike([2], False)  # written to, rows are sealed
        assert book.test(test.id).runs == 4
    assert keeping.check(folder)["rows"] == keeping.check(folder)["left_over"] == []


def test_a_damaged_recording_is_set_aside_in_an_export(two_tests, tmp_path):
    folder, (one, _) = two_tests
    with Logbook(folder) as book:
        spoilt = folder / "recordings" / book.runs(one)[1].recording
        data = bytearray(spoilt.read_bytes())
        data[len(data) // 2] ^= 4
        spoilt.write_bytes(data)
        out = test_folder.write(KeptTest(book, one), tmp_path / "out")
    assert "has changed since it was written" in (out / "run-002.unreadable.txt").read_text(
        encoding="utf-8"
    )
    assert sorted(p.name for p in out.glob("run-*.csv")) == [
        "run-001.csv",
        "run-003.csv",
        "run-004.csv",
    ]
    assert spoilt.name in (out / "result.json").read_text(encoding="utf-8")


def test_words_of_the_version_before_become_ids(tmp_path):
    """Made by the version that kept words in place of ids: what two tests on one rig share, and
    under which name readings are kept.
    """
    folder = shutil.copytree(
        Path(__file__).parent / "data" / "logbook-of-schema-3", tmp_path / "book"
    )
    with Logbook(folder) as book:
        first, second = book.tests()
        for test in (first, second):
            result = derive(book, test.id)
            for kept, step in zip(test.headline["steps"], result.lifted, strict=True):
                now = {k: u for k, u in shared_parts(step.gearbox).items() if abs(u) > 1e-12}
                then = {k: u for k, u in kept[4].items() if abs(u) > 1e-12}
                # by the same keys; some are newer
                assert then == pytest.approx({k: now[k] for k in then}, rel=0.05)
        (peer,) = peers_of(book, second.id)
        assert peer.same_rig
        assert not peer.same_build
        (motor,) = book.characterisations(part="motor")
        assert (motor.owner, motor.readings[0][0]) == (1, "12 V")
        assert book.setting("by hand 1 Bare motor") is None
        assert not book.damage
    assert keeping.check(folder)["rows"] == []


def test_readings_of_the_version_before_are_records_of_parts_or_tests(tmp_path):
    """Made by the version that kept one set of readings a build and way, as settings."""
    folder = shutil.copytree(
        Path(__file__).parent / "data" / "logbook-of-schema-4", tmp_path / "book"
    )
    with Logbook(folder) as book:
        said = recover(book)
        assert len(said) == 5
        assert all("converted to a test" in text for text in said)
        kept = {c.way: c for c in book.characterisations()}
        assert set(kept) == {"bare-motor", "drum-friction", "swing"}  # an empty set is none
        assert (kept["bare-motor"].part, kept["bare-motor"].name) == ("motor", "12 V brushed")
        assert (kept["drum-friction"].part, kept["drum-friction"].name) == ("rig", "Hoist A")
        assert kept["swing"].readings == (("20", "24 s", ""),)
        tests = {book.rig(t.rig_id).method.kind: t.id for t in book.tests()}
        found = {kind: derive(book, test) for kind, test in tests.items()}
        assert not any(result.skipped for result in found.values())
        g = 9.80665
        stall = found["lever"].stall
        assert nominal(stall.lifted) == pytest.approx(g * (0.51 * 0.2 + 0.04 * 0.095))
        assert nominal(stall.not_lifted) == pytest.approx(g * (0.56 * 0.2 + 0.04 * 0.095))
        assert nominal(found["scale"].stall.held) == pytest.approx(g * 1.0 * 0.15)
        assert nominal(found["rope-brake"].steps[0].torque) == pytest.approx(18 * 0.0315)
        assert nominal(found["drawbar"].steps[0].torque) == pytest.approx(12 * 0.05)
        spin = found["run-up"].steps[0]
        # a mass that turns ratio / 3 times as fast as the output; all of it in its own turns
        gearing = 5 / 3
        at_mass = 0.02 * (40 * math.pi / 30) / 2 + 0.02 * (20 * math.pi / 30) / 9
        # the drag was timed at another speed: between dry and air
        assert nominal(spin.torque) / gearing == pytest.approx(at_mass, rel=0.03)
        assert recover(book) == []  # once
        assert book.setting("columns") == "t, speed"
        assert not book.damage
    assert keeping.check(folder)["rows"] == keeping.check(folder)["left_over"] == []


def test_a_reading_of_the_version_before_that_was_not_finished_is_said_and_stays(tmp_path, build):
    with Logbook(tmp_path / "book") as book:
        owner = book.save_build(build)
        columns = {"rope-brake": ("", "2 N", "", "", ""), "lever": ("", "", "0 deg")}
        for way, column in columns.items():
            book.save_characterisation(
                Characterisation("method", owner, build.name, way, readings=(column,))
            )
        said = recover(book)
        assert len(said) == 2
        assert all("reading is complete" in text for text in said)
        assert not book.tests()
        kept = book.characterisations(struck=True)
        assert {c.way: c.readings for c in kept} == {w: (c,) for w, c in columns.items()}
        assert recover(book) == []
