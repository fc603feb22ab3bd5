"""Examples of JCGM 100:2008, annex H, by what the program does with repeats (data from memory).

H.1 and H.3 stand in test_uncertainty and test_few. H.4 is not held: it is a regression of decay
counts, which nothing here does.
"""

import numpy as np
import pytest

from sparring.core.reduce.results import COMBINED, _random_effects, _Scatter
from sparring.core.uncertainty import t_widening


def scatter(values, own=None):
    """What repeats of some figures show; values: shape (figures, repeats)."""
    full = np.zeros((len(COMBINED), values.shape[1]))
    full[: len(values)] = values / values.mean(axis=1, keepdims=True) - 1
    within = np.zeros((len(COMBINED),) * 2)
    if own is not None:
        within[0, 0] = float((own**2).sum()) / values.mean() ** 2
    return _Scatter(full @ full.T, values.shape[1] - 1, within, values.shape[1])


def test_h2_resistance_and_reactance_from_voltage_current_and_phase_measured_together():
    """Five simultaneous readings: their correlation carries into R, X and Z."""
    seen = np.array(
        [
            [5.007, 4.994, 5.005, 4.990, 4.999],
            [19.663e-3, 19.639e-3, 19.640e-3, 19.685e-3, 19.678e-3],
            [1.0456, 1.0438, 1.0468, 1.0428, 1.0433],
        ]
    )
    means = seen.mean(axis=1)
    effects = _random_effects([scatter(seen)])[:3] * means[:, None] / np.sqrt(5)
    covariance = effects @ effects.T / t_widening(4) ** 2  # the example widens at its end
    V, amps, phase = means
    R, X, Z = V / amps * np.cos(phase), V / amps * np.sin(phase), V / amps
    slopes = np.array([[R / V, -R / amps, -X], [X / V, -X / amps, R], [Z / V, -Z / amps, 0.0]])
    found = slopes @ covariance @ slopes.T
    assert pytest.approx([127.732, 219.847, 254.260], abs=5e-4) == [R, X, Z]
    u = np.sqrt(np.diag(found))
    assert u == pytest.approx([0.071, 0.295, 0.236], abs=6e-4)
    r = found / np.outer(u, u)
    assert [r[0, 1], r[0, 2], r[1, 2]] == pytest.approx([-0.588, -0.485, 0.993], abs=1e-3)


def test_h5_a_spread_between_days_beyond_that_within_them():
    """Ten days of five readings of a Zener standard: 43 µV between days beyond 85 µV within one."""
    days = 10 + 1e-6 * np.array([172, 116, 13, 144, 106, 31, 60, 125, 163, 41])
    within = 1e-6 * np.array([60, 77, 111, 101, 67, 93, 80, 73, 88, 86])
    assert days.mean() == pytest.approx(10.000097, abs=5e-7)
    effects = _random_effects([scatter(days[None], own=within / np.sqrt(5))])
    between = np.sqrt((effects[0] ** 2).sum()) * 10 / t_widening(9)
    assert between == pytest.approx(43e-6, abs=1e-6)
