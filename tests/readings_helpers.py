"""What the tests of readings share."""

import numpy as np

from sparring.core.characterise.motor import MotorReading
from sparring.core.quantity import Measured


def figure(judged, id):
    return next(r for r in judged.results if r.id == id)


def ids(judged):
    return {f.id for f in judged.findings}


def motor_rows(k=0.025, R=3.0, f=0.003, noise=0.0, rng=None):
    rows = []
    for V, load in ((6.0, 0.0), (12.0, 0.0), (12.0, 0.03), (9.0, 0.02), (6.0, None)):
        if load is None:
            i, w, t = V / R, 0.0, None
        else:
            i = (load + f) / k
            w, t = (V - i * R) / k, Measured(load, 1e-5) if load else None
        e = rng.normal(0, noise, 3) if rng is not None else np.zeros(3)
        rows.append(
            MotorReading(
                voltage=Measured(V * (1 + e[0]), V * noise),
                speed=Measured(w * (1 + e[1]), w * noise),
                current=Measured(i * (1 + e[2]), i * noise),
                torque=t,
            )
        )
    return rows
