"""Torques and losses on all shafts of any train: direction-dependent mesh losses, drag,
self-locking, back-driving.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import product
from typing import NamedTuple

import numpy as np

from sparring.core.train.kinematics import Element, Ground, Mesh, shafts_of, solve_speeds

_MOST_ENUMERATED = 14  # 2**14 direction sets, still well under a second


class SelfLocking(ValueError):
    """No set of power directions is consistent: the train holds in this direction."""


class MeshFlow(NamedTuple):
    """One mesh of a steady state: torques that it puts on a and b [N·m], power that passes in its
    carrier's frame [W], its loss [W].
    """

    mesh: Mesh
    on_a: float
    on_b: float
    power: float
    loss: float


class TorqueFlow(NamedTuple):
    """One steady state of a train. Speeds [rad/s], torques [N·m] as put on the shaft from outside,
    losses [W] >= 0.
    """

    speeds: dict[str, float]
    driver_torque: float
    load_torque: float
    power_in: float
    power_out: float
    mesh_losses: dict[str, float]
    drag_losses: dict[str, float]
    shaft_torques: dict[str, float]  # largest torque the shaft passes on [N·m]
    meshes: tuple[MeshFlow, ...] = ()

    @property
    def efficiency(self) -> float:
        return self.power_out / self.power_in


def solve_torques(
    elements: Sequence[Element],
    driver: str,
    output: str,
    load: float,
    *,
    speed: float = 1.0,
    drag: Mapping[str, float] | None = None,
    speeds: Mapping[str, float] | None = None,
) -> TorqueFlow:
    """Torques with losses at one load.

    driver, output: shafts; load: torque that opposes the output's turning [N·m] (>= 0); speed: of
    the driver [rad/s]; drag: load-independent torque on shafts [N·m] (>= 0); speeds: of all shafts,
    where they are known already. Each mesh's basic efficiency η₀ acts in its carrier's frame: power
    a -> b when M_a (ω_a − ω_c) < 0, then |M_b| = |M_a| z_b/z_a η₀, else ÷ η₀, and M_c = −(M_a +
    M_b) (Müller, Epicyclic Drive Trains, 1982; from memory). Directions are guessed from the
    lossless state, solved and corrected; where that does not settle all sets are tried, and of
    several consistent ones the one that takes least power from the driver is the answer.
    Raises SelfLocking where no set is consistent, TrainError where the speeds are not determined.
    """
    drag = {} if drag is None else drag
    omega = solve_speeds(elements, {driver: speed}) if speeds is None else dict(speeds)
    names = shafts_of(elements, driver, output, *drag)
    for name in names:
        omega.setdefault(name, 0.0)
    column = {name: i for i, name in enumerate(names)}
    meshes = [e for e in elements if isinstance(e, Mesh)]
    held = [e.shaft for e in elements if isinstance(e, Ground)]
    outside = np.zeros(len(names))
    outside[column[output]] -= load * _sign(omega[output])
    for shaft, torque in drag.items():
        outside[column[shaft]] -= torque * _sign(omega[shaft])
    relative = np.array([omega[m.a] - (omega[m.carrier] if m.carrier else 0.0) for m in meshes])
    moving = np.abs(relative) > 1e-12 * max(1.0, abs(speed))

    def attempt(forward: np.ndarray) -> tuple[np.ndarray, np.ndarray] | None:
        """The unknowns (tooth force per mesh, held torques, driver torque), and the directions that
        they mean.
        """
        M = np.zeros((len(names), len(names)))
        for j, (mesh, ahead) in enumerate(zip(meshes, forward, strict=True)):
            gain = (
                mesh.eta
                if ahead
                else _inverse(mesh.eta if mesh.eta_back is None else mesh.eta_back)
            )
            if gain is None:
                return None
            M[column[mesh.a], j] += mesh.za
            M[column[mesh.b], j] += mesh.zb * gain
            if mesh.carrier is not None:
                M[column[mesh.carrier], j] -= mesh.za + mesh.zb * gain
        for j, shaft in enumerate(held, start=len(meshes)):
            M[column[shaft], j] = 1.0
        M[column[driver], -1] = 1.0
        try:
            x = np.linalg.solve(M, -outside)
        except np.linalg.LinAlgError:
            return None
        power_into_a = np.array([x[j] * m.za for j, m in enumerate(meshes)]) * relative
        small = 1e-12 * (np.abs(power_into_a).max(initial=0.0) + 1e-300)
        return x, np.where(moving & (np.abs(power_into_a) > small), power_into_a < 0, forward)

    def takes_power(x: np.ndarray) -> bool:
        return bool(x[-1] * omega[driver] >= -1e-12 * abs(load))

    lossless = [Mesh(m.a, m.b, m.za, m.zb, m.carrier) for m in meshes]
    guess = np.ones(len(meshes), dtype=bool)
    if lossless:
        free = _lossless_directions(lossless, held, names, column, driver, outside, relative)
        guess = guess if free is None else free
    solution: np.ndarray | None = None
    forward = guess
    seen: set[bytes] = set()
    while forward.tobytes() not in seen:
        seen.add(forward.tobytes())
        tried = attempt(forward)
        if tried is None:
            break
        if np.array_equal(tried[1], forward) and takes_power(tried[0]):
            solution = tried[0]
            break
        forward = tried[1]
    if solution is None and len(meshes) <= _MOST_ENUMERATED:
        consistent = []
        for bits in product((True, False), repeat=len(meshes)):
            directions = np.array(bits)
            tried = attempt(directions)
            if tried is not None and np.array_equal(tried[1], directions) and takes_power(tried[0]):
                consistent.append((tried[0], directions))
        if consistent:
            solution, forward = min(consistent, key=lambda c: abs(c[0][-1]))
    if solution is None:
        raise SelfLocking(
            f"no power passes from {driver} to {output}: the train holds in this direction"
        )

    mesh_losses: dict[str, float] = {}
    flows: list[MeshFlow] = []
    passed = dict.fromkeys(names, 0.0)
    for j, (mesh, ahead) in enumerate(zip(meshes, forward, strict=True)):
        gain = mesh.eta if ahead else 1.0 / (mesh.eta if mesh.eta_back is None else mesh.eta_back)
        on_a, on_b = solution[j] * mesh.za, solution[j] * mesh.zb * gain
        rel_b = omega[mesh.b] - (omega[mesh.carrier] if mesh.carrier else 0.0)
        label = mesh.name or f"{mesh.a}–{mesh.b}"
        lost = float(-(on_a * relative[j] + on_b * rel_b))
        mesh_losses[label] = mesh_losses.get(label, 0.0) + lost
        flows.append(MeshFlow(mesh, float(on_a), float(on_b), abs(float(on_a * relative[j])), lost))
        passed[mesh.a] = max(passed[mesh.a], abs(float(on_a)))
        passed[mesh.b] = max(passed[mesh.b], abs(float(on_b)))
        if mesh.carrier is not None:
            passed[mesh.carrier] = max(passed[mesh.carrier], abs(float(on_a + on_b)))
    torque = float(solution[-1])
    passed[driver] = max(passed[driver], abs(torque))
    passed[output] = max(passed[output], abs(load))
    return TorqueFlow(
        speeds=omega,
        driver_torque=torque,
        load_torque=-load * _sign(omega[output]),
        power_in=torque * omega[driver],
        power_out=load * abs(omega[output]),
        mesh_losses=mesh_losses,
        drag_losses={s: t * abs(omega[s]) for s, t in drag.items()},
        shaft_torques=passed,
        meshes=tuple(flows),
    )


def _lossless_directions(
    meshes: Sequence[Mesh],
    held: Sequence[str],
    names: Sequence[str],
    column: Mapping[str, int],
    driver: str,
    outside: np.ndarray,
    relative: np.ndarray,
) -> np.ndarray | None:
    M = np.zeros((len(names), len(names)))
    for j, mesh in enumerate(meshes):
        for shaft, coefficient in mesh.row().items():
            M[column[shaft], j] += coefficient
    for j, shaft in enumerate(held, start=len(meshes)):
        M[column[shaft], j] = 1.0
    M[column[driver], -1] = 1.0
    try:
        x = np.linalg.solve(M, -outside)
    except np.linalg.LinAlgError:
        return None
    directions: np.ndarray = np.array([x[j] * m.za for j, m in enumerate(meshes)]) * relative <= 0
    return directions


def back_drive_efficiency(
    elements: Sequence[Element],
    driver: str,
    output: str,
    load: float = 1.0,
    drag: Mapping[str, float] | None = None,
) -> float | None:
    """Efficiency with power put in at the output and taken out at the driver; None: it holds by
    itself.

    load: torque taken at the driver [N·m]; with drag the figure depends on it.
    """
    forwards = solve_speeds(elements, {driver: 1.0})
    speeds = {
        s: w / forwards[output] for s, w in forwards.items()
    }  # from the slow end a high ratio can hardly be solved
    try:
        return solve_torques(elements, output, driver, load, drag=drag, speeds=speeds).efficiency
    except SelfLocking:
        return None


def _sign(x: float) -> float:
    return 1.0 if x >= 0 else -1.0


def _inverse(eta: float) -> float | None:
    return 1.0 / eta if eta > 1e-9 else None
