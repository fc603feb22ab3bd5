"""Builds side by side on the demo logbook and on planted cases: what is said, and that no more is
said than is so; the commands and their documents.
"""

import json
import math
from dataclasses import replace

import numpy as np
import pytest
from typer.testing import CliRunner

from sparring.cli.app import app
from sparring.core.build import Build
from sparring.core.compare import apart, factors, figures
from sparring.core.compare.changed import changed_since
from sparring.core.compare.choice import Choice
from sparring.core.compare.comparison import compare, usual
from sparring.core.compare.crossing import Over, crossings
from sparring.core.compare.effects import effects_of
from sparring.core.compare.figures import At, Figure
from sparring.core.compare.known import Known
from sparring.core.compare.next_change import changes
from sparring.core.compare.subject import Subject
from sparring.core.compare.whole import compared
from sparring.core.duty.record import Duty
from sparring.core.duty.tasks import Vent
from sparring.core.quantity import QuantityError
from sparring.core.search import Facts, query
from sparring.core.train.kinds.spur import SpurStage
from sparring.demo.hollin_yard import dunnock
from sparring.exchange.comparing import chosen_by, subjects_of
from sparring.files import record_files
from sparring.logbook import Logbook


@pytest.fixture(scope="module")
def subjects(demo_book, tmp_path_factory):
    """The campaign that is done, with the second sets, and the newest tests of each Dunnock."""
    import shutil

    folder = shutil.copytree(demo_book, tmp_path_factory.mktemp("compared") / "book")
    with Logbook(folder) as book:
        done = [t for t in book.tests() if t.title in ("which gears?", "second set of gears")]
        campaign = subjects_of(book, [Choice(t.build_id, t.id) for t in done])
        newest = subjects_of(book, chosen_by(book, "family = Dunnock"))
    return {"campaign": campaign, "newest": newest}


def ask(*words, code=0):
    done = CliRunner().invoke(app, [str(w) for w in words])
    assert done.exit_code == code, done.output
    return done.output


# --- the demo's own answers -----------------------------------------------------------------------


def test_the_done_campaign_is_paired_and_tells_grease_but_not_brass(subjects):
    of = subjects["campaign"]
    found = compare(of, usual(of), reference=1)
    by = {found.subjects[d.subject].name: d for d in found.differences}
    dry, brass = by["Dunnock r1, which gears?"], by["Dunnock r3"]
    assert dry.paired == brass.paired == 5
    assert dry.verdict == -1
    assert dry.high < -0.05
    assert brass.verdict == 0
    assert brass.low < 0 < brass.high
    assert brass.same < 0.05  # the same within two points
    assert by["Dunnock r1, second set"].paired == 0


def test_effects_hold_over_specimens_and_confounded_factors_are_named(subjects):
    found = compared(subjects["campaign"], usual(subjects["campaign"]))
    effects = found.effects
    assert effects.specimens == 6
    grease = next(e for e in effects.effects if e.factor == "lubricant")
    assert grease.verdict == (1 if grease.level == "greased" else -1)
    # two specimens of two builds: few degrees of freedom, however many lifts there are
    assert grease.freedom < 4
    assert "specimen" in effects.random
    named = {frozenset((c.a, c.b)) for c in effects.confounded}
    assert frozenset(("material", "ratio")) in named
    says = next(f for f in found.findings if f.id == "compare-confounded")
    assert "Test one with material PA66 and ratio 30:1." in says.remedies


def test_builds_that_differ_in_no_factor_are_told_apart_by_revision(subjects):
    first = subjects["newest"][0]
    twin = first.build.model_copy(update={"revision": 9})
    second = replace(first, build=twin, name=twin.name, _made={})
    effects = effects_of([first, second], usual([first]))
    assert effects.factors == ("revision",)
    assert effects.effects[0].value == pytest.approx(0.0, abs=1e-9)
    with pytest.raises(ValueError, match="no factor varies"):
        effects_of([first, replace(first, test=999, _made={})], usual([first]))


def test_two_rigs_are_said_and_widen_what_they_do_not_share(subjects):
    of = subjects["newest"]
    at = usual(of)
    found = compared(of, at, reference=0)
    assert any(f.id == "compare-rigs" for f in found.findings)
    alone = compared(of[:2], at, reference=0)
    assert not any(f.id == "compare-rigs" for f in alone.findings)
    cells = found.comparison.row.cells
    pairs = apart.pairs(cells, [(1, 0), (2, 0)])
    assert pairs.unshared[1] > 3 * pairs.unshared[0]


def test_best_is_marked_only_where_it_is_surely_better(subjects):
    of = subjects["campaign"]
    rows = {r.figure.id: r for r in compare(of, usual(of)).rows}
    assert [of[n].name for n in rows["gearbox"].best] == ["Wren r2"]
    # weighed against reckoned: what is only predicted claims nothing, nor is it beaten
    mass = rows["mass"]
    assert mass.cells[3].how == "predicted"
    assert 3 not in mass.best
    told = compare(of, usual(of), figure="mass", reference=0).differences
    assert told
    assert all(d.subject != 3 for d in told)
    # depths are held against each other at one torque
    wear = rows["wear"].cells
    twice = {r.figure.id: r for r in compare(of, usual(of)._replace(torque=0.25)).rows}["wear"]
    part = 0.25 / usual(of).torque
    assert twice.cells[0].value == pytest.approx(part * wear[0].value)
    assert rows["stall-per-mass"].cells[3].how == "predicted"
    assert not rows["ratio"].best


def test_a_build_that_was_not_lifted_there_has_no_figure(subjects):
    of = subjects["campaign"]
    found = compared(of, At(12.0, 0.80))
    assert all(c is None for c in found.comparison.row.cells)
    assert found.comparison.differences == ()
    assert {f.id for f in found.findings} >= {"compare-outside"}
    share = compare(of, At(12.0, 0.0, 0.4))
    torques = [c.torque for c in share.row.cells if c is not None]
    assert max(torques) > 1.05 * min(torques)  # each at its own


def test_another_voltage_is_said_and_reduced_by_the_model(demo_book, tmp_path):
    import shutil

    folder = shutil.copytree(demo_book, tmp_path / "book")
    with Logbook(folder) as book:
        of = subjects_of(book, chosen_by(book, "family = Dunnock or family = Bought"))
    found = compared(of, At(9.0, 0.2))
    stall = next(r for r in found.comparison.rows if r.figure.id == "stall")
    reduced = [c for c in stall.cells if c is not None and "reduced to 9 V" in c.note]
    assert reduced
    assert any(c is None for c in found.comparison.row.cells)


def test_what_changed_since_the_revision_before_leaves_out_what_no_result_follows_from(subjects):
    before, what = changed_since(subjects["newest"], 1)
    assert before == "Dunnock r1"
    assert what[0] == "lubricant: dry → greased"
    assert not any(x.startswith(("mass", "title", "live")) for x in what)
    assert changed_since(subjects["newest"], 0) == ("", [])


# --- planted --------------------------------------------------------------------------------------


def planted(monkeypatch, cells):
    """Subjects with these figures of `gearbox`."""
    of = [Subject(f"S{n}", Build.ours(family="S", revision=n + 1)) for n in range(len(cells))]
    place = {id(s): n for n, s in enumerate(of)}
    told = Figure("gearbox", "efficiency", "ratio", 1, lambda s, at: cells[place[id(s)]])
    monkeypatch.setattr(figures, "FIGURES", (told,))
    monkeypatch.setattr(figures, "BY_ID", {"gearbox": told})
    return of


def rounds(values, of):
    values = np.array(values)
    n = len(values)
    random = float(values.std(ddof=1)) / math.sqrt(n) if n > 1 else 0.001
    each = {f"{of}{k}": float(v) for k, v in enumerate(values)}
    return Known(float(values.mean()), random, n - 1.0, {}, each)


def test_single_lifts_tell_nothing_and_say_what_would(monkeypatch):
    of = planted(monkeypatch, [rounds([0.8], "a"), rounds([0.9], "b")])
    (d,) = compare(of, At(12.0, 0.4)).differences
    assert d.p == 1
    assert d.verdict == 0
    assert math.isinf(d.high)
    assert d.more == apart.More(1, unknown=True)


def test_how_many_more_lifts_would_tell_and_when_none_would(monkeypatch):
    rng = np.random.default_rng(2)
    a, b = rng.normal(0.80, 0.01, 6), rng.normal(0.806, 0.01, 6)
    of = planted(monkeypatch, [rounds(a, "a"), rounds(b, "b")])
    (d,) = compare(of, At(12.0, 0.4)).differences
    assert d.verdict == 0
    assert d.more.lifts > 1
    # with so many of each, the same difference lies beyond two standard uncertainties
    n = 6 + d.more.lifts
    spread = math.sqrt(a.var(ddof=1) + b.var(ddof=1))
    assert abs(d.value) >= 2 * spread / math.sqrt(n) * (1 - 1e-6)
    assert abs(d.value) < 2 * spread / math.sqrt(n - 1.5)
    far = [
        k._replace(shared={f"drum of {n}": 0.02}) for n, k in enumerate(map(rounds, (a, b), "ab"))
    ]
    (d,) = compare(planted(monkeypatch, far), At(12.0, 0.4)).differences
    assert d.more.lifts is None
    assert "drum" in d.more.blame


def test_a_crossing_is_told_where_each_is_surely_better_on_one_side():
    torque = np.linspace(0.1, 1.0, 25)
    value = 0.1 * (torque - 0.5)
    (c,) = crossings(Over(torque, value, np.full(25, 0.01)))
    assert c.torque == pytest.approx(0.5, abs=1e-9)
    assert (c.low, c.high) == (pytest.approx(0.4, abs=1e-9), pytest.approx(0.6, abs=1e-9))
    assert crossings(Over(torque, value, np.full(25, 0.2))) == []
    assert crossings(Over(torque, value + 0.2, np.full(25, 0.01))) == []


def test_a_nested_factor_is_confounded_and_a_crossed_one_is_not():
    crossed = [{"oil": o, "gear": g} for o in "ab" for g in "xy"]
    assert factors.confounded(crossed, ["oil", "gear"]) == []
    nested = [{"oil": "a", "gear": "x"}, {"oil": "b", "gear": "y"}]
    (found,) = factors.confounded(nested, ["oil", "gear"])
    assert found.part in (("a", "y"), ("b", "x"))
    # a missing cell is no confounding as long as the rest tells them apart
    assert factors.confounded(crossed[:3], ["oil", "gear"]) == []


def test_the_changes_with_most_to_gain_are_what_the_model_says():
    found = changes(dunnock(1), 0.5, 12.0)
    assert {c.aim for c in found} == {"loss", "strength", "mass"}
    assert found[0].what == "grease all meshes"
    wide = next(c for c in found if c.what.endswith("a quarter wider"))
    assert wide.after.strength == pytest.approx(1.25 * wide.before.strength, rel=0.01)
    assert all(c.gain > 0 for c in found)
    assert "grease all meshes" not in {c.what for c in changes(dunnock(2), 0.5, 12.0)}
    with pytest.raises(ValueError, match="hand crank"):
        changes(replace_motor(dunnock(1)), 0.5, 12.0)


def replace_motor(build):
    return build.model_copy(update={"driven_by": "hand crank"})


# --- the search -----------------------------------------------------------------------------------

POM = Facts(
    "dunnock r2 pom greased spur",
    {"ratio": 30.0, "efficiency": 0.91, "mass": 0.281, "stall": None},
    {"material": ["pom"], "lubricant": ["greased"], "day": ["2026-11-12"], "oil": ["thin film"]},
)


@pytest.mark.parametrize(
    ("text", "fits"),
    [
        ("", True),
        ("dunnock greased", True),
        ("material = POM and ratio > 25 and efficiency > 80 %", True),
        ("material = POM and ratio > 35", False),
        ("ratio > 35 or lubricant = greased", True),
        ("not (ratio > 35 or lubricant = greased)", False),
        ("not lubricant = dry mass < 0.3 kg", True),
        ("mass <= 281 g", True),
        ("mass < 281 g", False),
        ("ratio = 30", True),
        ("ratio != 30", False),
        ("stall > 1 N·m", False),
        ("efficiency > 90%", True),
        ("day > 2026-11-01 and day < 2026-12-01", True),
        ('oil = "thin film"', True),
        ("oil = thick", False),
        ("brass", False),
    ],
)
def test_builds_are_found_by_words_and_conditions(text, fits):
    assert query(text, ["oil"])(POM) is fits


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("(ratio > 3", "not closed"),
        ("ratio > 3)", "brackets"),
        ("weight > 3 kg", "no figure or word"),
        ("mass < 3 V", "unit of"),
        ("material < POM", "= or !="),
        ("ratio >", "Say a value"),
        ("not", "alone"),
        ("and ratio > 3", "nothing before"),
        ("ratio > 3 or", "missing"),
    ],
)
def test_a_query_that_cannot_be_understood_says_why(text, says):
    with pytest.raises(QuantityError, match=says):
        query(text)


# --- the commands ---------------------------------------------------------------------------------


@pytest.mark.whole
def test_a_logbook_and_its_export_are_compared_alike(folder, tmp_path):
    query_ = "family = Dunnock and ratio > 25"
    words = ["--query", query_, "--at", "0.4 N·m", "--reference", "Dunnock r1", "--json"]
    book = json.loads(ask("compare", folder, *words))
    with Logbook(folder) as opened:
        newest = [c.test or opened.newest_test(c.build) for c in chosen_by(opened, query_)]
    ask("export", folder, tmp_path / "all")
    for test in (tmp_path / "all").iterdir():
        if int(test.name.split("-")[1]) not in newest:
            for file in test.iterdir():
                file.unlink()
            test.rmdir()
    again = json.loads(ask("compare", tmp_path / "all", *words))
    assert book["format"] == again["format"] == "sparring.compare/1"
    for a, b in zip(book["differences"], again["differences"], strict=True):
        assert a["value"] == pytest.approx(b["value"], abs=2e-5)
        assert (a["low"], a["high"]) == pytest.approx((b["low"], b["high"]), abs=5e-5)
    assert book["at"] == {"voltage_V": 12.0, "torque_Nm": 0.4, "share_of_stall": None}
    # a folder without its runs is taken from its results, never surer than they are
    for runs in (tmp_path / "all").glob("*/runs.json"):
        runs.unlink()
    reported = json.loads(ask("compare", tmp_path / "all", *words))
    for a, b in zip(book["differences"], reported["differences"], strict=True):
        assert a["value"] == pytest.approx(b["value"], abs=2e-3)
        assert b["high"] - b["low"] >= a["high"] - a["low"]


@pytest.mark.whole
def test_trade_off_effects_and_what_cannot_be_asked(folder):
    told = json.loads(
        ask("compare", folder, "--query", "which gears?", "--trade", "mass,stall", "--json")
    )
    assert {t["build"] for t in told["trade_off"]["builds"]} >= {"Dunnock r1", "Dunnock r2"}
    assert "compare-" in told["findings"][0]["id"]
    assert "none of" in ask(
        "compare", folder, "--query", "Dunnock", "--reference", "Nobody r1", code=1
    )
    assert "nothing is found" in ask("compare", folder, "--query", "unicorn", code=1)
    assert "stall" in ask("compare", folder, "--figure", "list")


@pytest.fixture
def vent(tmp_path):
    path = tmp_path / "vent.json"
    task = Vent(width=0.4, length=0.6, mass=1.5, wind=8.0, gust=12.0, gearing=12.0)
    record_files.save(path, Duty(name="vent", task=task, voltage=12.0, cycles=50_000.0))
    return path


def test_a_duty_ranks_drives_and_says_what_is_missing(folder, vent, tmp_path):
    told = json.loads(ask("duty", vent, "--logbook", folder, "--json"))
    by = {d["name"]: d for d in told["drives"]}
    assert told["format"] == "sparring.duty-result/1"
    # the highest ratio is the strongest, and is turned back by the gust
    assert by["Curlew r1"]["limit"] == "turns-back"
    assert by["Curlew r1"]["segments"][0]["stall_margin"] == max(
        d["segments"][0]["stall_margin"] for d in told["drives"]
    )
    assert by["Siskin r1"]["probability"] > 0.5
    assert by["Siskin r1"]["segments"][1]["holds_by_itself"]
    probabilities = [d["probability"] for d in told["drives"]]
    assert probabilities == sorted(probabilities, reverse=True)
    file = tmp_path / "build.json"
    record_files.save(file, dunnock(1))
    alone = json.loads(ask("duty", vent, "--builds", file, file, "--json"))
    assert not alone["any_meets"]
    assert {n["id"] for n in alone["nearest"]["needs"]} == {"brake"}
    mixed = json.loads(ask("duty", vent, "--logbook", folder, "--combine", "--json"))
    assert mixed["looked_at"] > told["looked_at"]
    with Logbook(folder) as book:
        built = {b.name: b for _, b in book.builds()}
    motors = {b.motor.name: b.motor.mass for b in built.values()}
    weighs = {d["name"]: d["mass_kg"] for d in mixed["drives"]}
    mixes = [name.split(" on ") for name in weighs if " on " in name]
    assert mixes
    for motor, train in mixes:  # the motor that is on it, not the one that was
        alone = weighs[train] - built[train].motor.mass
        assert weighs[f"{motor} on {train}"] == pytest.approx(alone + motors[motor])


@pytest.mark.whole
def test_ratio_spares_and_next_have_their_commands(folder, vent, tmp_path):
    file = tmp_path / "build.json"
    record_files.save(file, dunnock(2))
    told = json.loads(ask("ratio", "--duty", vent, "--motor", file, "--module", "0.8 mm", "--json"))
    assert {b["aim"] for b in told["best"]} == {"margin", "time", "energy"}
    ratios = [r["ratio"] for r in told["ratios"]]
    assert ratios == sorted(ratios)
    stalls = [r["stall_torque_Nm"] for r in told["ratios"]]
    assert stalls == sorted(stalls)  # strong against fast
    wanted = next(b["ratio"] for b in told["best"] if b["aim"] == "margin")
    assert all(abs(g["ratio"] / wanted - 1) <= 0.02 for g in told["gears"])
    parts = json.loads(
        ask(
            *("spares", folder, "--build", "Dunnock r1", "--duty", vent),
            *("--cycles", 200_000, "--right", 6, "--left", 6, "--json"),
        )
    )["parts"]
    worn = next(p for p in parts if p["because_of"] == "wear of its flanks" and p["expected"] > 0)
    assert worn["pieces"] >= worn["expected"]
    told = json.loads(ask("next", "--build", file, "--torque", "0.5 N·m", "--json"))
    assert Build.from_json(json.dumps(told["changes"][0]["with_it"])).family == "Dunnock"


def test_a_duty_file_that_asks_nothing_is_refused_in_words(tmp_path, folder):
    path = tmp_path / "duty.json"
    path.write_text('{"version": "sparring.duty/1", "name": "x", "voltage": "12 V"}')
    assert "either a task or a list of segments" in ask("duty", path, "--logbook", folder, code=1)
    path.write_text('{"task": {"kind": "vent", "width": 0.4}}')
    assert "unit" in ask("duty", path, "--logbook", folder, code=1)


def test_stages_without_a_hand_need_no_spares_of_each(build):
    from sparring.core.duty.spares import _hands

    assert _hands(build) == set()
    slanted = replace_stage(build, SpurStage(pinion=12, wheel=60, module=1e-3, helix=0.3))
    assert any("pinion" in part for part in _hands(slanted))


def replace_stage(build, stage):
    return build.model_copy(update={"stages": (stage, *build.stages[1:])})


@pytest.mark.whole
@pytest.mark.parametrize("drives", [3, 2000])
@pytest.mark.parametrize("season", [1e-4, 0.5, 3.0])
def test_failures_without_age_are_those_of_poisson(drives, season):
    """Of shape 1 the renewals of n drives are a Poisson process of n·season (Barlow and Proschan,
    Mathematical Theory of Reliability, 1965, ch. 3)."""
    from sparring.core.duty.spares import _failures

    needed = _failures(np.full(4000, season), 1.0, drives, np.random.default_rng(1))
    mean = drives * season
    assert needed.mean() == pytest.approx(mean, abs=5 * math.sqrt(mean / 4000) + 0.01 * mean)
    assert needed.var() == pytest.approx(mean, rel=0.2, abs=2e-3)


def test_a_worn_gear_is_exchanged_for_a_new_one(build):
    """One that is at its end takes one, and the new one lasts as long as a new one does."""
    from sparring.core.duty.figures import KnownTrain, Thins
    from sparring.core.duty.spares import Fleet, spares

    one = np.ones(5)

    def needed(left, cycles):  # 1 µm a cycle, of 100 µm
        flank = Thins("f", "wheel", 1e-6 * one, left * one, 100e-6)
        train = KnownTrain("t", 30.0, one, one, (), None, thins=(flank,), life=None)
        (told,) = spares(build, train, Fleet(right=2, cycles=cycles), turns=1.0, work=1.0)
        return told.pieces

    assert [needed(0.0, c) for c in (1, 99, 101)] == [2, 2, 4]
    assert [needed(50e-6, c) for c in (49, 51, 151)] == [0, 2, 4]
