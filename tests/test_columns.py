"""Columns of several devices: one clock for all, how late one is, which of them is which sensor."""

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from sparring.bench.devices.columns import Column
from sparring.core.instruments.by_example import clocks, moved
from sparring.core.together import lag


@given(st.integers(0, 10_000), st.floats(-0.2, 0.2), st.sampled_from([1.0, -3.0]))
@example(6592, 0.0, 1.0)  # no sample for 85 ms
@settings(max_examples=25, deadline=None)
def test_a_lag_is_found_within_what_it_says_of_itself(seed, late, gain):
    rng = np.random.default_rng(seed)
    at, level = np.cumsum(rng.uniform(0.5, 3, 12)), rng.uniform(0, 5, 13)
    steps = at, level

    def signal(t):
        x, y = steps
        return np.interp(t, np.sort(np.concatenate([x, x + 0.15])), np.repeat(y, 2)[1:-1])

    t = np.sort(rng.uniform(0, 20, 1600))
    u = np.arange(0, 20, 0.02)
    found = lag(
        t,
        signal(t) + 0.05 * rng.standard_normal(len(t)),
        u,
        gain * signal(u - late) + 0.1 * rng.standard_normal(len(u)),
    )
    assert found is not None
    assert abs(found.seconds - late) < max(4.5 * found.u, 2e-3)
    assert lag(t, rng.standard_normal(len(t)), u, rng.standard_normal(len(u))) is None


@given(st.lists(st.floats(0.005, 0.2), min_size=2, max_size=60), st.integers(0, 1000))
def test_a_column_gives_what_lies_between_its_readings_and_nothing_where_none_are(steps, seed):
    t = np.cumsum(steps)
    column = Column(("force",))
    values = np.random.default_rng(seed).uniform(-5, 5, (len(t), 1))
    column.add(t, values)
    inside = np.random.default_rng(seed).uniform(t[0], t[-1], 50)
    found = column.at(inside)[:, 0]
    read = np.isfinite(found)
    assert found[read] == pytest.approx(np.interp(inside, t, values[:, 0])[read])
    assert np.isnan(column.at(np.array([t[0] - 5.0, t[-1] + 5.0]))).all()


@given(
    st.integers(0, 10_000),
    st.sampled_from([2, 3, 4]),
    st.floats(20, 1000),
    st.sampled_from([1, -1]),
)
def test_the_column_that_somebody_acts_on_is_found_among_clocks_counts_and_noise(
    seed, which, times, sign
):
    rng = np.random.default_rng(seed)
    n = np.arange(260)
    noise = {2: 8.0, 3: 2.0, 4: 0.05}
    rows = np.column_stack(
        [
            n + 5000,
            np.round(20.0 * n + rng.normal(0, 0.4, 260)),
            np.round(84000 + noise[2] * rng.standard_normal(260)),
            np.round(noise[3] * rng.standard_normal(260), 1),
            np.round(12 + noise[4] * rng.standard_normal(260), 3),
        ]
    )
    assert clocks(n * 0.02, rows) == {0: "seq", 1: "t/ms"}
    assert moved(rows, 125, 140) is None
    rows[160:, which] += sign * times * noise[which]
    found = moved(rows, 125, 140)
    assert found.column == which
    assert found.alone
    rows[160:, 3 if which != 3 else 4] += times * noise[3 if which != 3 else 4]
    assert not moved(rows, 125, 140).alone
