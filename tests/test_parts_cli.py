"""Parts measured from the terminal: tables in, stable documents out."""

import json

import pytest
from typer.testing import CliRunner

from sparring.cli.app import app
from sparring.core.build import Build
from sparring.core.rig import Rig
from sparring.logbook import Logbook

MOTOR = """voltage [V];speed [rpm];current [A]
12.00 ± 0.02;4450 ± 20;0.110 ± 0.002
4.00 ± 0.02;0;0.640 ± 0.005
"""


@pytest.fixture
def table(tmp_path):
    path = tmp_path / "motor.csv"
    path.write_text(MOTOR, encoding="utf-8")
    return path


@pytest.fixture
def book(tmp_path):
    with Logbook(tmp_path / "book") as made:
        made.save_build(Build.ours(family="Dunnock"))
        made.save_rig(Rig.ours(name="Hoist A"))
    return tmp_path / "book"


def ask(*words, code=0):
    done = CliRunner().invoke(app, [str(w) for w in words])
    assert done.exit_code == code, done.output
    return done.output


def test_a_motors_line_from_a_table_and_by_hand(table):
    """R = V/I held still; k = (V − I R)/ω running free."""
    told = json.loads(ask("measure", "bare-motor", table, "--set", "at_voltage=12 V", "--json"))
    assert (told["format"], told["part"], told["kept_as"]) == ("sparring.measure/1", "motor", None)
    found = {r["id"]: r for r in told["results"]}
    R = 4.0 / 0.64
    assert found["resistance"]["value"] == pytest.approx(R)
    k = (12.0 - 0.11 * R) / (4450 * 2 * 3.14159265 / 60)
    assert found["constant"]["value"] == pytest.approx(k, rel=1e-6)
    assert found["resistance"]["unit"] == "Ω"
    # 0.01/4 and 0.0025/0.64, k = 1, in squares
    assert found["resistance"]["u"] == pytest.approx(R * (0.0025**2 + 0.00390625**2) ** 0.5)


def test_what_is_kept_is_listed_compared_and_found_in_the_window(table, book, tmp_path):
    kept = ("--keep", book, "--of", "Dunnock r1", "--json")
    first = json.loads(ask("measure", "bare-motor", table, *kept, "--name", "motor 1"))
    table.write_text(MOTOR.replace("0.640", "0.700"), encoding="utf-8")
    ask("measure", "bare-motor", table, *kept, "--name", "motor 2", "--note", "warm")
    told = json.loads(ask("parts", book, "--way", "bare-motor", "--json"))
    assert told["format"] == "sparring.parts/1"
    assert [(r["name"], r["note"]) for r in told["records"]] == [
        ("motor 2", "warm"),
        ("motor 1", ""),
    ]
    assert told["records"][1]["id"] == first["kept_as"]
    assert any(text.startswith("Resistance of motor 1") for text in told["differences"])
    assert "Resistance: 6.250 ± 0.058 Ω" in ask("parts", book)
    with Logbook(book) as opened:
        assert len(opened.measured_of(1, 1, "motor 2")) == 2


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("voltage;speed;amps\n12 V;4450 rpm;0.1 A\n", "amps"),
        ("voltage;speed;current\n12 V;4450 kg;0.1 A\n", "Repeat 1, speed"),
        ("voltage;speed;current\n12 V;4450 rpm\n", "current is missing"),
        ("voltage;speed;current\n", "0 lines of readings"),
        ("voltage;speed;current\n12 V;4450 rpm;0.1 A\n", "resistance"),
    ],
)
def test_what_is_wrong_with_a_table_is_said(table, text, said):
    table.write_text(text, encoding="utf-8")
    assert said in ask("measure", "bare-motor", table, code=1)


def test_a_wrong_field_or_owner_lists_those_that_are(table, book):
    assert "at_voltage" in ask("measure", "bare-motor", table, "--set", "arm=3 mm", code=1)
    said = ask("measure", "bare-motor", table, "--keep", book, "--of", "Wren r1", code=1)
    assert "Dunnock r1" in said
    assert "bare-motor" in ask("measure", "lever", table, code=2)
