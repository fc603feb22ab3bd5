"""What happens in a run is told by its own name at any rate of the log, and nothing where nothing
did: runs of a bench that shares no code with the program.
"""

from collections import Counter

import pytest
from helpers import benches
from independent import happenings, study


def told(what, method, rate, n):
    said = Counter()
    for setup in happenings.make(what, method, rate, n, 7):
        result = study.reduced(setup)
        runs = [p.run for s in result.steps for p in (*s.points, *s.stalls)]
        runs += [run for run, _ in result.skipped]
        said.update({e.id for run in runs for e in run.events})
    return said


@pytest.mark.study
@pytest.mark.parametrize("rate", happenings.RATES)
@pytest.mark.parametrize("what", happenings.HAPPENS)
def test_what_happens_has_its_name(what, rate):
    n, names = min(benches(4), 40), set(happenings.HAPPENS[what].told_by)
    if rate < 16:  # hardly a sample falls into it
        names = {"stall" if name == "jam" else name for name in names}
    said = told(what, "hoist" if "cord" in what else "brake", rate, n)
    assert not said.keys() - names - ({"jam", "stall"} if rate < 50 and "stalls" in what else set())
    for name in names:
        assert said[name] >= (0.9 if rate >= 50 else 0.6) * n
