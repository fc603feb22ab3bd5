"""The second bench, which shares no code with the program: a sample of `make study`."""

import ast
from pathlib import Path

import numpy as np
import pytest
from helpers import about_95, benches
from independent import setups, study, ways
from independent.traps import TRAPS

HERE = Path(__file__).parent / "independent"


def test_it_imports_nothing_of_the_program():
    for path in HERE.glob("*.py"):
        if path.name in ("study.py", "claims.py"):
            continue
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            names = [a.name for a in node.names] if isinstance(node, ast.Import) else []
            names += [node.module or ""] if isinstance(node, ast.ImportFrom) else []
            assert not [n for n in names if n.partition(".")[0] == "sparring"], path.name


def test_its_energy_adds_up():
    """What the supply gives is what the load takes, the copper, brushes, friction and gears."""
    drive, _ = one_drive()
    load = ways.plant.Load(lambda w, t: 0.3 + 0 * w, 1e-4)
    c = ways.plant.run(drive, load, 12.0, 3.0, ways.plant.cold(drive))
    late = slice(-200, None)
    i, w, T = c.current[late, 0], c.speed[late, 0], c.torque[late, 0]
    R = drive.R[0] * (235 + c.winding[late, 0]) / 255
    gears = drive.drag[0] * w + drive.part[0] * T * w
    lost = i**2 * R + drive.brush[0] * i + drive.friction[0] * drive.ratio[0] * w + gears
    assert np.mean(12 * i) == pytest.approx(np.mean(T * w + lost), rel=1e-3)


def one_drive():
    return setups.drives(1, ways.Owner(np.random.default_rng(4)))


@pytest.mark.study
@pytest.mark.parametrize("method", ways.METHODS)
def test_the_truth_lies_where_the_program_says(method):
    """Every figure of every method, and hardly ever blamed: 200 each are taken by `make study`."""
    n = benches(8)
    tallies, said, lost = study.tallied(setups.make(method, n, 5))
    assert tallies
    assert lost <= n // 10
    for name, tally in tallies.items():
        share = np.mean(np.abs(tally.z) <= 2)
        assert about_95(share, n), name
    assert sum(said.values()) <= max(1, n // 20), said


@pytest.mark.study
def test_a_coarse_display_is_no_surer_than_its_steps():
    """Twenty steps at once: 0.2 V, 20 mA, 2 rpm."""
    tallies, _, _ = study.tallied(setups.make("hoist", benches(8), 8, coarse=20.0))
    for name in ("speed", "wire_to_shaft"):
        assert about_95(np.mean(np.abs(tallies[name].z) <= 2), benches(8), 1.0), name


@pytest.mark.parametrize("trap", [name for name in TRAPS if name != "nothing wrong"])
def test_nothing_wrong_goes_unsaid(trap):
    """A figure beyond three times its own u has a finding of caution or worse, or is refused."""
    silence = study.trapped(trap, 3, 3)
    assert silence.silent == 0, silence
