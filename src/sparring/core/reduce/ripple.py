"""What of a speed repeats with the turns of each shaft."""

from __future__ import annotations

import math

import numpy as np

from sparring.core.reduce.windows import autocorrelation_time, block_means


def ripple(t: np.ndarray, speed: np.ndarray, orders: tuple[float, ...]) -> dict[float, float]:
    """Relative amplitude [-] of the speed's part that repeats with each order (turns per output
    turn).

    t [s], speed [rad/s]: shape (n,). Sine and cosine of the turned angle are fitted by least
    squares; an order is left out when fewer than two of its periods, or fewer than four samples a
    period, are in the window, or when the amplitude is not clear of the scatter (below four
    standard errors).
    """
    tb, wb = block_means(t, 8192), block_means(speed, 8192)
    good = ~np.isnan(wb)
    tb, wb = tb[good], wb[good]
    if len(tb) < 16 or abs(wb.mean()) < 1e-9:
        return {}
    angle = np.concatenate([[0.0], np.cumsum((wb[1:] + wb[:-1]) / 2 * np.diff(tb))])
    turns = abs(angle[-1]) / (2 * math.pi)
    slow = np.column_stack([np.ones_like(tb), tb - tb.mean()])
    found: dict[float, float] = {}
    for order in orders:
        if order * turns < 2 or len(tb) < 4 * order * turns:
            continue
        X = np.column_stack([slow, np.cos(order * angle), np.sin(order * angle)])
        coefficients, *_ = np.linalg.lstsq(X, wb, rcond=None)
        rest = wb - X @ coefficients
        error = float(rest.std(ddof=4)) * math.sqrt(
            2 / len(wb) * min(autocorrelation_time(rest), len(rest) / 4)
        )
        amplitude = float(np.hypot(*coefficients[2:]))
        if amplitude > 4 * error:
            found[order] = amplitude / abs(float(wb.mean()))
    return found
