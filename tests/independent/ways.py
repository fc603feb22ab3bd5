"""Ways of loading a drive, each with what its owner wrote of it."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from independent import plant

VOLTS = 12.0
STEPS = 3
# [part], 95 %, as on the data sheets
GAINS = {"voltage": 0.005, "current": 0.01, "speed": 0.001, "force": 0.005}
ZEROS = {"voltage": 0.01, "current": 0.002, "speed": 0.02, "force": 0.02}  # [SI], 95 %
COUNTS = {"voltage": 1e-2, "current": 1e-3, "speed": math.pi / 300, "force": 0.01}
NOISE = {"voltage": 0.02, "current": 0.008, "speed": 0.04, "force": 0.05}


def stated(value: float, half: float, unit: str, per: float = 1.0) -> str:
    """`value ± half unit`, as files have it; per: SI of one unit."""
    return f"{value / per:.9g} ± {half / per:.6g} {unit}".strip()


@dataclass
class Owner:
    """Draws what an owner knows of true figures, one bench after the other."""

    rng: np.random.Generator

    def knows(self, true: float, half: float) -> float:
        return true + half / 2 * self.rng.standard_normal()


@dataclass
class Method:
    """One way of loading n benches. settings: what each step is set to, shape (steps, n); load: of
    a setting; record: the rig's `method` and `torque_from`; channel and sensed: what a force or
    current sensor at the load sees of the torque; weights: hung in each step [kg], or None.
    """

    settings: np.ndarray
    load: Callable[[np.ndarray], plant.Load]
    record: list[dict]
    torque_from: str = "mass"
    channel: str = ""
    sensed: Callable[[np.ndarray, int], np.ndarray] | None = None
    weights: np.ndarray | None = None
    travels: np.ndarray | None = None  # angle until it is at its stop [rad]
    slack: Callable[[int, int], float] | None = None  # pull that the sensor sees beside [N]
    spins: bool = False
    holds: bool = False
    ideal: Callable[[int, int, np.random.Generator, int], np.ndarray] | None = None


def hoist(drive: plant.Drive, owner: Owner, by: str = "mass") -> Method:
    """Weights on a cord; by: whether the weight or a cell in newtons tells the torque."""
    rng, n, g = owner.rng, len(drive.k), 9.81
    drum, cord, hook = rng.uniform(0.03, 0.06, n), 1e-3, 0.05
    radius = (drum + cord) / 2
    masses = np.linspace(0.15, 0.7, STEPS)[:, None] * drive.stall(VOLTS) / (g * radius) - hook
    masses = np.round(masses, 3)
    hung = masses * (1 + 0.0025 * rng.standard_normal(masses.shape))  # each known to ± 0.5 %
    record, scatter = [], rng.standard_normal((3, n))
    for d, (a, b, c) in zip(drum, scatter.T, strict=True):
        record.append(
            {
                "kind": "hoist",
                "drum_diameter": stated(d * (1 + 1e-3 * a), 2e-3 * d, "mm", 1e-3),
                "cord_diameter": stated(cord * (1 + 0.08 * b), 0.16 * cord, "mm", 1e-3),
                "hook_mass": stated(hook * (1 + 0.01 * c), 0.02 * hook, "g", 1e-3),
                "travel": "0.8 m",
            }
        )

    def load(mass):
        force = (mass + hook) * g * radius
        return plant.Load(lambda w, t: force + 0 * w, (mass + hook) * radius**2)

    def ideal(step, lane, rng, draws):
        x = rng.standard_normal((5, draws))
        size = drum[lane] * (1 + 1e-3 * x[0]) + cord * (1 + 0.08 * x[1])
        lifted = masses[step, lane] * (1 + 0.0025 * x[2]) + hook * (1 + 0.01 * x[3])
        if by == "cell":
            force = (masses[step, lane] + hook) * g * (1 + GAINS["force"] / 2 * x[2])
            return (force + ZEROS["force"] / 2 * x[3]) * size / 2
        return lifted * (g + 0.003 * x[4]) * size / 2

    cell = by == "cell"
    return Method(
        hung,
        load,
        record,
        torque_from=by,
        channel="force" if cell else "",
        sensed=(lambda torque, j: torque / radius[j]) if cell else None,
        weights=masses,
        travels=0.8 / radius,
        ideal=ideal,
    )


def brake(drive: plant.Drive, owner: Owner) -> Method:
    """A brake whose arm presses on a cell; it fades by a part in a hundred."""
    n = len(drive.k)
    arm, off = 0.1, math.radians(0.35) * owner.rng.standard_normal(n)
    lengths = [owner.knows(arm, 5e-4) for _ in range(n)]
    grips = np.linspace(0.15, 0.7, STEPS)[:, None] * drive.stall(VOLTS)
    record = [
        {"kind": "brake", "arm": stated(a, 5e-4, "mm", 1e-3), "angle": "0 ± 0.7 deg", "hold": "4 s"}
        for a in lengths
    ]

    def ideal(step, lane, rng, draws):
        x = rng.standard_normal((4, draws))
        force = grips[step, lane] / arm * (1 + GAINS["force"] / 2 * x[0])
        return (force + ZEROS["force"] / 2 * x[1]) * (arm + 2.5e-4 * x[2])

    return Method(
        grips,
        lambda grip: plant.Load(
            lambda w, t: grip * (1 - 0.01 * np.minimum(t / 4, 1)) + 0 * w, 5e-6
        ),
        record,
        torque_from="cell",
        channel="force",
        sensed=lambda torque, j: torque / (arm * math.cos(off[j])),
        ideal=ideal,
    )


def drawbar(drive: plant.Drive, owner: Owner) -> Method:
    """Wheels that pull a sled, which rub and roll."""
    n = len(drive.k)
    wheel, rolls = 0.06, 0.3
    pulls = np.linspace(0.15, 0.6, STEPS)[:, None] * drive.stall(VOLTS) / (wheel / 2)
    record = [
        {
            "kind": "drawbar",
            "wheel_diameter": stated(owner.knows(wheel, 5e-4), 5e-4, "mm", 1e-3),
            "rolls": stated(owner.knows(rolls, 0.1), 0.1, "N"),
            "on_wheels": "40 ± 0.1 kg",
            "sled_mass": "1 ± 0.002 kg",
        }
        for _ in range(n)
    ]

    def ideal(step, lane, rng, draws):
        x = rng.standard_normal((4, draws))
        force = pulls[step, lane] * (1 + GAINS["force"] / 2 * x[0]) + ZEROS["force"] / 2 * x[1]
        return (force + rolls + 0.05 * x[2]) * (wheel + 2.5e-4 * x[3]) / 2

    return Method(
        pulls,
        lambda pull: plant.Load(lambda w, t: (pull + rolls) * wheel / 2 + 0 * w, 1e-3),
        record,
        torque_from="cell",
        channel="force",
        sensed=lambda torque, j: np.maximum(torque / (wheel / 2) - rolls, 0.0),
        ideal=ideal,
    )


def generator(drive: plant.Drive, owner: Owner) -> Method:
    """A generator with a resistor on it."""
    n, constant, own, winding = len(drive.k), 0.6, 0.02, 2.0
    share = np.linspace(0.2, 0.6, STEPS)[:, None]
    turns = (VOLTS / drive.k / drive.ratio) * (1 - share)
    resistors = np.round(constant**2 * turns / (share * drive.stall(VOLTS)) - winding, 2)
    resistors = np.maximum(resistors, 0.3)
    record = [
        {
            "kind": "generator",
            "constant": stated(owner.knows(constant, 6e-3), 6e-3, "V·s/rad"),
            "own_drag": stated(owner.knows(own, 4e-3), 4e-3, "mN·m", 1e-3),
            "winding": f"{winding} Ω",
            "resistors": [f"{r:.6g} Ω" for r in resistors[:, j]],
        }
        for j in range(n)
    ]

    def load(ohms):
        return plant.Load(lambda w, t: constant**2 * w / (ohms + winding) + own * (w > 0), 4e-5)

    return Method(
        resistors,
        load,
        record,
        channel="load_current",
        sensed=lambda torque, j: np.maximum(torque - own, 0.0) / constant,
    )


def run_up(drive: plant.Drive, owner: Owner) -> Method:
    """A flywheel on a freewheel, which rubs a little and stirs the air."""
    n = len(drive.k)
    own = (drive.rotor + drive.gears) * drive.ratio**2
    pull = (drive.k * drive.ratio) ** 2 / drive.R
    inertia = 1.2 * pull - own  # about 1.2 s to get near its speed
    rubs = 0.01 * drive.stall(VOLTS)
    stirs = rubs / (VOLTS / drive.k / drive.ratio) ** 2
    record = [
        {
            "kind": "run-up",
            "inertia": stated(owner.knows(j, 0.01 * j), 0.01 * j, "kg·m²"),
            "gearing": 1.0,
            "coasts": "alone",
            "safe_speed": "900 rpm",
            "outer_radius": "80 mm",
            "hold": "5 s",
            "coast": "6 s",
        }
        for j in inertia
    ]
    return Method(
        np.zeros((1, n)),
        lambda _: plant.Load(lambda w, t: (rubs + stirs * w * w) * (w > 0), inertia),
        record,
        spins=True,
    )


def scale(drive: plant.Drive, owner: Owner) -> Method:
    """An arm that presses on a cell and stands still."""
    n, arm = len(drive.k), 0.15
    off = math.radians(0.5) * owner.rng.standard_normal(n)
    record = [
        {"kind": "scale", "arm": stated(owner.knows(arm, 5e-4), 5e-4, "mm", 1e-3)} for _ in range(n)
    ]
    return Method(
        np.zeros((1, n)),
        lambda _: plant.Load(lambda w, t: 1e4 + 0 * w, 1e-3),
        record,
        torque_from="cell",
        channel="force",
        sensed=lambda torque, j: torque / (arm * math.cos(off[j])),
        holds=True,
    )


def rope_brake(drive: plant.Drive, owner: Owner) -> Method:
    """A rope over a drum between a weight and a cell."""
    n, drum, rope, grows = len(drive.k), 0.06, 3e-3, 1.9
    radius = (drum + rope) / 2
    pulls = np.linspace(0.15, 0.65, STEPS)[:, None] * drive.stall(VOLTS) / radius
    masses = np.round(pulls / (grows - 1) / 9.81, 3)
    hung = masses * (1 + 0.0025 * owner.rng.standard_normal(masses.shape))
    record = [
        {
            "kind": "rope-brake",
            "drum_diameter": stated(owner.knows(drum, 2e-4), 2e-4, "mm", 1e-3),
            "rope_diameter": stated(owner.knows(rope, 5e-4), 5e-4, "mm", 1e-3),
            "hold": "4 s",
            "heat_capacity": "400 J",
        }
        for _ in range(n)
    ]

    def slack(step, lane):
        return hung[step, lane] * 9.81

    return Method(
        (grows - 1) * hung * 9.81 * radius,
        lambda torque: plant.Load(lambda w, t: torque + 0 * w, 5e-6),
        record,
        torque_from="cell",
        channel="force",
        sensed=lambda torque, j: torque / radius,
        slack=slack,
        weights=masses,
    )


METHODS = {
    "hoist": hoist,
    "hoist by its cell": lambda drive, owner: hoist(drive, owner, by="cell"),
    "brake": brake,
    "drawbar": drawbar,
    "generator": generator,
    "rope brake": rope_brake,
    "arm on a scale": scale,
    "run-up": run_up,
}
