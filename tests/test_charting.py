"""`sparring orders`, `sparring chart` and what `sparring reduce` tells of the whole range, as a
person at a terminal has them.
"""

import json

import numpy as np
import pytest
import soundfile
from independent import setups
from independent.ripple import CASES
from typer.testing import CliRunner

from sparring.cli.app import app
from sparring.core.build import Build
from sparring.core.train.bearings import Bearing
from sparring.core.train.kinds import SpurStage

RUN = CliRunner()


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    """A build with a log of it at three voltages, and fast logs with and without damage."""
    there = tmp_path_factory.mktemp("charting")
    (setup,) = setups.make("hoist", 1, 5, repeats=2, volts=(6.0, 9.0, 12.0))
    for name, text in setup.files.items():
        (there / name).write_text(text)
    stages = (SpurStage.ours(pinion=17, wheel=60), SpurStage.ours(pinion=14, wheel=83))
    gears = Build.ours(family="Gauge", stages=stages, bearings=(Bearing.ours(name="B1"),))
    (there / "gears.json").write_text(gears.to_json())
    for name, case in (("sound", "clean"), ("broken", "broken tooth of a pinion")):
        rows = np.column_stack(CASES[case].log(3))
        head = "time (s),speed (rad/s)"
        np.savetxt(there / f"{name}.csv", rows, "%.6f", ",", header=head, comments="")
    return there


def asked(*words, code=0):
    done = RUN.invoke(app, [str(w) for w in words])
    assert done.exit_code == code, done.output
    return done


def test_reduce_gives_curves_map_losses_and_what_it_carries(folder):
    files = ("--build", folder / "build.json", "--rig", folder / "rig.json")
    files = (*files, "--plan", folder / "plan.json")
    more = ("--at-voltage", "10 V", "--winding", "60 °C")
    told = json.loads(asked("reduce", folder / "log.csv", *files, "--json", *more).stdout)
    (folder / "result.json").write_text(json.dumps(told))
    assert [c["voltage_V"] for c in told["model"]["curves"]] == pytest.approx([6, 9, 12], rel=0.01)
    for losses in told["losses"]:
        lost = sum(c["power_W"] for c in losses["causes"])
        assert losses["power_in_W"] - losses["power_out_W"] == pytest.approx(lost, rel=1e-6)
    grid = told["map"]
    z = np.array(grid["efficiency_wire_to_shaft"], dtype=float)
    assert z.shape == (len(grid["speed_rad_per_s"]), len(grid["torque_Nm"]))
    assert 0.02 < np.nanmin(z) < np.nanmax(z) < 0.7
    carried = [c["torque_Nm"] for c in told["thermal"]["carries"]]
    assert carried == sorted(carried)  # for ever, ten minutes, one
    ids = {f["id"] for f in told["key_figures"]}
    assert ids >= {"no-load-speed", "peak-power", "stall-model", "torque-ratio", "gearbox"}
    at_ten, at_twelve = told["curves_at"], told["model"]["curves"][-1]
    assert at_ten["voltage_V"] == 10.0
    assert at_ten["stall_Nm"] < at_twelve["stall_Nm"] * 10 / 12  # its winding is warm


@pytest.mark.parametrize("kind", ["torque", "map", "losses", "temperature", "repeats"])
@pytest.mark.parametrize("ending", ["svg", "png"])
def test_charts_for_paper(folder, kind, ending):
    result = folder / "result.json"
    if not result.exists():
        test_reduce_gives_curves_map_losses_and_what_it_carries(folder)
    out = folder / f"{kind}.{ending}"
    asked("chart", result, "--kind", kind, "--out", out)
    head = out.read_bytes()[:400]
    assert b"<svg" in head or b"<?xml" in head or head.startswith(b"\x89PNG")


def test_orders_are_named_and_growth_is_told(folder):
    files = ("--build", folder / "gears.json", "--json", "--before", folder / "sound.csv")
    told = json.loads(asked("orders", folder / "broken.csv", *files).stdout)
    assert told["format"] == "sparring.orders/1"
    (tooth,) = told["teeth"]
    assert (tooth["shaft"], tooth["gears"][0]["teeth"]) == ("shaft 1", 14)
    mesh = next(x for x in told["lines"] if x["id"] == "mesh.stage 2.pinion–wheel")
    assert mesh["order"] == pytest.approx(83)
    assert mesh["part"].startswith("mesh of stage 2")
    assert mesh["u_amplitude"] > 0
    assert {"tooth-stands-out", "line-grew"} <= {f["id"] for f in told["findings"]}
    assert any(p["part"].startswith("outer ring of B1") for p in told["parts"])
    pair = next(p for p in told["parts"] if p["id"] == mesh["id"])
    assert (pair["common_factor"], pair["hunting_turns"]) == (1, 83)
    (folder / "orders.json").write_text(json.dumps(told))
    asked("chart", folder / "orders.json", "--kind", "orders", "--out", folder / "orders.svg")
    plain = asked("orders", folder / "broken.csv", "--build", folder / "gears.json").stdout
    assert "One tooth differs" in plain


def test_a_log_and_its_sound_are_analysed_together(folder):
    t = np.arange(0, 4.0, 1 / 16000)
    noise = 0.05 * np.random.default_rng(1).standard_normal(len(t))
    tones = sum(0.1 * np.sin(order * 8.0 * t) for order in (83, 60 * 83 / 14))
    soundfile.write(folder / "gears.wav", tones + noise, 16000)
    files = ("--build", folder / "gears.json", "--sound", folder / "gears.wav", "--json")
    both = json.loads(asked("orders", folder / "sound.csv", *files).stdout)
    assert both["channel"] == "speed"
    assert {x["id"] for x in both["lines"]} >= {"mesh.stage 2.pinion–wheel"}
    heard = both["speed_by_sound"]
    assert abs(heard["speed_rad_per_s"] - 8.0) < 2 * heard["u_speed_rad_per_s"]
    alone = json.loads(asked("orders", *files).stdout)
    assert alone["lines"] == both["sound"]["lines"]
    assert alone["channel"] == "sound"


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (("orders", "LOG", "--shaft", "nose"), "nose is not a shaft that turns"),
        (("orders", "LOG", "--channel", "torque"), "the log has no torque; it has speed"),
        (("orders", "LOG", "--channel", "transmission_error"), "angle and motor_angle was not"),
        (("orders", "--sound", "LOG"), "not a sound that can be read"),
    ],
)
def test_what_cannot_be_analysed_is_said(folder, words, said):
    words = [folder / "sound.csv" if w == "LOG" else w for w in words]
    done = asked(*words, "--build", folder / "gears.json", code=1)
    assert said in done.output


def test_a_chart_of_what_is_not_there_says_what_to_do(folder):
    wrong = folder / "gears.json"
    done = asked("chart", wrong, "--kind", "map", "--out", folder / "x.svg", code=1)
    assert "sparring reduce" in done.output
    done = asked("chart", wrong, "--kind", "map", "--out", folder / "x.bmp", code=1)
    assert ".svg, .png or .pdf" in done.output
    done = asked("chart", wrong, "--kind", "pie", "--out", folder / "x.svg", code=1)
    assert "pie is not one of torque" in done.output


def test_the_simulated_bench_ripples_as_it_is_told(folder):
    out = folder / "ripple.csv"
    files = ("--build", folder / "gears.json", "--rig", folder / "rig.json")
    plan = '{"version": "sparring.plan/1", "loads": ["0.5 kg ± 1 g"], "voltage": "12 V"}'
    (folder / "one.json").write_text(plan)
    how = ("--plan", folder / "one.json", "--rate", 200, "--uneven", "5.9286=15%", "--out", out)
    asked("simulate", *files, *how)
    found = json.loads(asked("orders", out, "--build", folder / "gears.json", "--json").stdout)
    assert [x["shaft"] for x in found["runs_out"]] == ["shaft 1"]
    done = asked("simulate", *files, *how[:-4], "--uneven", "0=6%", "--out", out, code=2)
    assert "an order above 0" in done.output
