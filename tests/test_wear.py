"""What inspections tell: findings planted one by one, and the commands."""

import json
import math

import pytest
from independent import wearing
from typer.testing import CliRunner

from sparring.cli.app import app
from sparring.core.build import Build
from sparring.core.finding import explain
from sparring.core.quantity import Measured
from sparring.core.records import RecordError
from sparring.core.reduce.inputs import ReductionError
from sparring.core.train.joints import Joint
from sparring.core.train.kinds.planetary import PlanetaryStage
from sparring.core.train.kinds.spur import SpurStage
from sparring.core.wear.inspection import Inspection, Inspections, Mark, Seen, Size, Weighing
from sparring.core.wear.judge import wear_of
from sparring.core.wear.modes import MODES
from sparring.core.wear.simulated import WearingDrive
from sparring.core.wear.why import RULES

PLANETARY = Build(stages=(PlanetaryStage(support="on one side"),))
SPUR = Build(
    stages=(
        SpurStage(pinion=14, wheel=84, material="PLA, printed", input_joint=Joint(kind="D flat")),
    ),
    fuse="stage 1 pinion",
)
DRIVEN = {"turns": Measured(1e5), "work": Measured(2 * math.pi * 0.5 * 1e5)}
PINION, WHEEL, SUN = "stage 1 pinion", "stage 1 wheel", "stage 1 sun"


def told(build, *seen, **more):
    """Ids of the findings of one look at a drive."""
    look = Inspection(seen=seen, **{**DRIVEN, **more})
    found = wear_of(build, Inspections(inspections=(Inspection(), look))).findings
    for f in found:
        text = explain(f)
        assert "{" not in text
        assert text[0].isupper()
    return {f.id: f for f in found}


def worn(part, mode="adhesive", **about):
    return Seen(part=part, mode=mode, **about)


def planets(*severity, **about):
    return [worn(f"stage 1 planet {n + 1}", severity=s, **about) for n, s in enumerate(severity)]


PLANTED = {
    "every-nth-tooth": (SPUR, [worn(WHEEL, teeth=(3, 17, 31, 45, 59, 73), severity=4)], {}),
    "planets-unequal": (PLANETARY, planets(3, 3, 0), {}),
    "one-flank-worn": (SPUR, [worn(PINION)], {}),
    "pitting-place": (SPUR, [worn(PINION, "macropitting", height="below the pitch line")], {}),
    "damage-at-one-end": (SPUR, [worn(PINION, end="outer end", extent=Measured(0.1e-3, 1e-5))], {}),
    "planets-lean": (PLANETARY, planets(2, 2, 2, end="inner end"), {}),
    "joint-turned": (SPUR, [worn(PINION, "bore-turned", spot="bore")], {"peak_torque": 2.0}),
    "split-from-corner": (SPUR, [worn(PINION, "split-from-corner", spot="bore", teeth=(4,))], {}),
    "layers-parted": (SPUR, [worn(PINION, "layers-parted", spot="body")], {}),
    "flank-melted": (SPUR, [worn(PINION, "melted")], {}),
    "dirt-in-mesh": (SPUR, [worn(PINION, "dirt")], {}),
    "dust-without-thinning": (SPUR, [worn(PINION, "own-dust")], {}),
    "fuse-went-first": (SPUR, [worn(PINION, "broken-root", severity=5, teeth=(2,))], {}),
    "fuse-did-not-go-first": (SPUR, [worn(WHEEL, "broken-root", severity=5, teeth=(2,))], {}),
    "broke-below": (SPUR, [worn(WHEEL, "fatigue-fracture", severity=5)], {"peak_torque": 0.05}),
}


@pytest.mark.parametrize("name", PLANTED)
def test_what_is_planted_is_told_and_as_new_says_nothing(name):
    build, seen, more = PLANTED[name]
    assert name in told(build, *seen, **more)
    assert not told(build, *[s.model_copy(update={"severity": 0}) for s in seen])


def judged(change=lambda told: None, seed=7, **how):
    """Ids of the findings of a made life test of six looks, changed."""
    told, _ = wearing.life_test(seed, 6, first=True, **how)
    change(told)
    build = Build.from_json(json.dumps(wearing.build()))
    given = Inspections.from_json(json.dumps(told))
    return {f.id for f in wear_of(build, given).findings}


def read_wrong(told):
    told["inspections"][-1]["sizes"][0]["readings"] = ["7.0 mm"]


def changed_load(told):
    for look in told["inspections"][3:5]:  # its play was read with something else in the way
        for size in look["sizes"]:
            size["readings"] = [f"{float(x.split()[0]) - 0.06:.6f} mm" for x in size["readings"]]


def little_allowed(told):
    told["allowed"] = {"thinning": "0.01 mm"}


def test_what_the_figures_tell_is_planted_too():
    assert "wear-ways-agree" in judged(runs_in=False)
    assert "wear-ways-disagree" in judged(read_wrong, runs_in=False)
    assert "wear-scatters" in judged(changed_load, runs_in=False)
    assert "worn-out" in judged(little_allowed, runs_in=False)
    assert sum("ran-in" in judged(seed=s, runs_in=True) for s in range(8)) >= 5
    assert sum("ran-in" in judged(seed=s, runs_in=False) for s in range(8)) <= 1


def test_every_rule_has_its_case():
    by_sizes = {"wear-ways-disagree", "wear-ways-agree", "wear-scatters", "worn-out", "ran-in"}
    # one rule tells of the fuse both ways, and of what broke too early
    assert len(RULES) + 2 == len(PLANTED) + len(by_sizes)


def test_the_mating_teeth_are_named_by_what_the_marks_say():
    mark = Mark(part=WHEEL, mate=PINION, meets=1)
    found = told(SPUR, worn(WHEEL, teeth=(3, 17, 31, 45, 59, 73), severity=4), marks=(mark,))
    # tooth 1 meets 1, outer gears: tooth 3 of the wheel meets 13 of 14
    assert "one of 13" in found["every-nth-tooth"].causes[0]
    assert "14/83" in found["every-nth-tooth"].remedies[1]


def test_a_lean_is_told_as_an_angle():
    build, seen, _ = PLANTED["damage-at-one-end"]
    fact = told(build, *seen)["damage-at-one-end"].facts["angle"]
    assert fact.value == pytest.approx(0.1e-3 / build.stages[0].face_width, rel=1e-3)


def test_a_joint_is_held_against_the_torque_that_it_saw():
    fact = told(*_args("joint-turned"), peak_torque=2.0)["joint-turned"].facts["saw"]
    limit = min((x for x in SPUR.limits if "joint" in x.part), key=lambda x: x.output)
    assert fact.value == pytest.approx(limit.carried(2.0))


def _args(name):
    build, seen, _ = PLANTED[name]
    return (build, *seen)


def test_swelling_is_no_wear():
    """A gear that grew by moisture as a part beside it did that has not run."""
    size = {"part": PINION, "kind": "span", "over": 2}
    weigh = {"part": PINION}
    span = wearing.span(14, 1e-3, 2)
    new = Inspection(
        sizes=(Size(**size, readings=(span,), control=(span,), accuracy=2e-6),),
        weighings=(Weighing(**weigh, readings=(3e-3,), control=(3e-3,), accuracy=1e-6),),
    )
    later = Inspection(
        sizes=(Size(**size, readings=(span * 1.004,), control=(span * 1.004,), accuracy=2e-6),),
        weighings=(Weighing(**weigh, readings=(3.03e-3,), control=(3.03e-3,), accuracy=1e-6),),
        **DRIVEN,
    )
    (flank,) = wear_of(SPUR, Inspections(inspections=(new, later))).flanks
    assert {w.by for w in flank.ways} == {"span", "mass"}
    assert flank.thinning.low < 0 < flank.thinning.high
    assert abs(flank.thinning.value) < 5e-6


def test_what_cannot_be_is_refused_with_its_place():
    for look, said in (
        ({"turns": Measured(10.0)}, "no work out of it"),
        (DRIVEN | {"sizes": (Size(part="pinion", over=2, readings=(5e-3,)),)}, "no gear called"),
        (DRIVEN | {"sizes": (Size(part=PINION, over=2, readings=(9e-3,)),)}, "Check the teeth"),
    ):
        with pytest.raises(ReductionError, match=f"inspection 1.*{said}"):
            wear_of(SPUR, Inspections(inspections=(Inspection(**look),)))
    with pytest.raises(RecordError, match="no mode of damage"):
        Inspections.from_json(
            '{"inspections": [{"seen": [{"part": "stage 1 pinion", "mode": "sad"}]}]}'
        )


def test_modes_can_be_chosen_by_one_letter_and_are_drawn():
    assert len({m.key for m in MODES}) == len(MODES) == 28
    for m in MODES:
        assert all(0 <= x <= 1 and 0 <= y <= 1 for stroke in m.strokes for x, y in stroke)


def run(*words):
    found = CliRunner().invoke(app, [str(w) for w in words])
    return found.exit_code, found.output


def test_the_commands_tell_stable_documents(tmp_path):
    told, true = wearing.life_test(3, 6)
    (tmp_path / "b.json").write_text(json.dumps(wearing.build()))
    (tmp_path / "i.json").write_text(json.dumps(told))
    (tmp_path / "list.json").write_text(json.dumps(told["inspections"]))
    code, text = run("wear", tmp_path / "i.json", "--build", tmp_path / "b.json", "--json")
    document = json.loads(text)
    assert code == 0
    assert len(document["flanks"]) == 4
    for x in document["flanks"]:
        k = true["k"][x["part"]] * 1e9
        assert abs(x["k_w_mm3_per_Nm"] - k) < 4 * x["u_k_w_mm3_per_Nm"]
    assert document["life"]["next_inspection_turns"] > true["total"]
    assert run("wear", tmp_path / "list.json", "--build", tmp_path / "b.json")[0] == 0
    (tmp_path / "lives.csv").write_text("turns,failed\n100,1\n150,yes\n170,0\n210,1\n")
    document = json.loads(run("life", tmp_path / "lives.csv", "--json")[1])
    assert document["B10"]["low"] < document["B10"]["value"] < document["B50"]["value"]
    assert document["enough"] is False
    (tmp_path / "none.csv").write_text("hours;failed\n100;0\n120;0\n")
    document = json.loads(run("life", tmp_path / "none.csv", "--json")[1])
    assert document["success_run"]["reliability"] == pytest.approx(0.1**0.5)
    assert document["B10"] is None
    (tmp_path / "bad.csv").write_text("turns,failed\n100,perhaps\n")
    code, text = run("life", tmp_path / "bad.csv")
    assert code == 1
    assert "line 2" in text
    rows = "".join(f"{n},{x}\n" for n, x in enumerate([0, 1, 0.2, 0.9, 0, 1.2, 0, 0.5, 0]))
    (tmp_path / "log.csv").write_text(f"time [s],torque [N·m]\n{rows}")
    document = json.loads(run("cycles", tmp_path / "log.csv", "--json")[1])
    assert document["cycles"] == sum(x["count"] for x in document["spectrum"])
    (tmp_path / "loads.csv").write_text(
        "turns,failed,load\n900,1,1\n1100,1,1\n7000,1,0.5\n9000,1,0.5\n9500,0,0.5\n"
    )
    given = ("cycles", tmp_path / "log.csv", "--lives", tmp_path / "loads.csv", "--json")
    assert json.loads(run(*given)[1])["damage"]["miner_sum"] > 0


def test_a_simulated_drive_wears_and_its_rate_is_found_again(tmp_path):
    """Propagation only: plant and reduction share their formulas."""
    (tmp_path / "b.json").write_text(json.dumps(wearing.build()))
    to = tmp_path / "i.json"
    words = ["simulate-wear", "--build", tmp_path / "b.json", "--out", to, "--k-w", "8e-6"]
    code, text = run(*words, "--extra", "0")
    assert code == 0
    assert "4 inspections" in text
    found = json.loads(run("wear", to, "--build", tmp_path / "b.json", "--json")[1])
    inside = [x["k_w_low_mm3_per_Nm"] <= 8e-6 <= x["k_w_high_mm3_per_Nm"] for x in found["flanks"]]
    assert sum(inside) >= 3
    assert found["trends"][1]["value"][-1] > found["trends"][1]["value"][0]  # backlash
    assert run(*words, "--turns", "many")[0] == 1
    assert found["meshes"][0]["heat_J_since_last"] >= 0


def test_a_worn_bench_has_more_play_more_ripple_and_breaks_in_the_end():
    build = Build.from_json(json.dumps(wearing.build()))
    drive = WearingDrive(build, {"": 1e-14}, 0.5)
    young, old = (drive.on_bench(part * drive.fails_at()) for part in (0.1, 0.9))
    for name in ("backlash", "waves"):
        assert old[name] > young[name]
    assert drive.on_bench(1.01 * drive.fails_at())["strength"] < 0.01 < old["strength"]
    lives = [WearingDrive(build, {"": 1e-14}, 0.5, seed=s).fails_at() for s in range(12)]
    assert max(lives) > 1.3 * min(lives)  # they scatter


def test_a_part_that_grew_is_told_in_words(tmp_path):
    told, _ = wearing.life_test(3, 6)
    first, last = told["inspections"][0], told["inspections"][-1]
    for before, after in zip(first["sizes"], last["sizes"], strict=False):
        grown = float(before["readings"][0].split()[0]) + 0.03
        after["readings"] = [f"{grown:.3f} mm"]
    last["weighings"] = first.get("weighings", [])
    (tmp_path / "b.json").write_text(json.dumps(wearing.build()))
    (tmp_path / "i.json").write_text(json.dumps(told))
    code, text = run("wear", tmp_path / "i.json", "--build", tmp_path / "b.json")
    assert code == 0, text
    assert "inspections" in text
