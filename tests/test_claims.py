"""docs/claims.md: every finding and event has its line, and is right as often as it must be."""

import math
import re
from pathlib import Path

import pytest
from independent import claims

PAGE = (Path(__file__).parents[1] / "docs" / "claims.md").read_text(encoding="utf-8")
COMPARED = {
    *("compare-crossing", "compare-effect", "compare-no-effect", "compare-not-told"),
    *("compare-once", "compare-residuals", "compare-same", "compare-specimen", "compare-voltage"),
}
"""Not counted yet."""


def rows(head):
    """Cells of the table under a heading."""
    part = PAGE.partition(f"## {head}\n")[2].partition("\n## ")[0]
    lines = [line for line in part.splitlines() if line.startswith("|")][2:]
    return [[cell.strip() for cell in line.strip("|").split("|")] for line in lines]


def test_every_finding_and_event_has_a_line():
    told = {row[0] for head in (claims.OF_LOGS, claims.ENTERED) for row in rows(head)}
    assert claims.ids() - told - {*claims.ORDERS} == set()
    assert {id for id, by in rows(claims.ENTERED) if by == "not counted yet"} <= COMPARED


def test_a_claim_is_hardly_ever_false_and_mostly_made_where_it_is_true():
    for id, false, _ in rows(claims.OF_LOGS):
        k, n = (int(x) for x in re.match(r"(\d+) of (\d+)", false).groups())
        assert k <= 0.01 * n, (id, false)
    wrong = rows(claims.WRONG)
    for trap, n, told, *_ in wrong:
        assert int(told) >= 0.8 * int(n), trap
    assert sum(int(row[4]) for row in wrong) <= 0.02 * sum(int(row[1]) for row in wrong)
    for figure, kind, covered, n, _ in rows(claims.INTERVALS):
        benches = int(n) / (1 if "stall" in figure else 3)  # its steps share instruments
        least = 95 - 100 * 2.6 * math.sqrt(0.95 * 0.05 / benches)
        assert float(covered) >= least, (figure, kind)


@pytest.mark.study
def test_the_lines_are_those_of_now():
    """A sample of them: sound benches of two kinds, and one on which something is wrong."""
    for job in (("as usual", "brake", ""), ("coarse displays", "drawbar", "")):
        told = claims.told(4, 5, job)
        assert not told.ids.keys() - claims.TRUE_THERE.keys(), job
        assert told.ids["repeats-agree"] >= 2
    told = claims.told(4, 5, ("as usual", "brake", "brake's cell drifts"))
    assert told.ids["cell-not-at-zero"] == 4
    assert told.silent == 0
