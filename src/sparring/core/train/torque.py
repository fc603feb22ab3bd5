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
    problem = _Problem(elements, driver, output, load=load, omega=omega, drag=drag)
    found = problem.followed() or problem.enumerated()
    if found is None:
        raise SelfLocking(
            f"no power passes from {driver} to {output}: the train is self-locking in this "
            "direction"
        )
    return problem.flow(*found)


class _Problem:
    """Torque balance of a train at one load, linear once it is said which way power passes each
    mesh (`forward`: from a to b).
    """

    def __init__(
        self,
        elements: Sequence[Element],
        driver: str,
        output: str,
        load: float,
        omega: dict[str, float],
        drag: Mapping[str, float],
    ) -> None:
        self.driver, self.output, self.load, self.omega = driver, output, load, omega
        self.drag = drag
        self.names = shafts_of(elements, driver, output, *drag)
        for name in self.names:
            omega.setdefault(name, 0.0)
        self.column = {name: i for i, name in enumerate(self.names)}
        self.meshes = [e for e in elements if isinstance(e, Mesh)]
        self.held = [e.shaft for e in elements if isinstance(e, Ground)]
        self.outside = np.zeros(len(self.names))
        self.outside[self.column[output]] -= load * _sign(omega[output])
        for shaft, torque in drag.items():
            self.outside[self.column[shaft]] -= torque * _sign(omega[shaft])
        self.relative = np.array(
            [omega[m.a] - (omega[m.carrier] if m.carrier else 0.0) for m in self.meshes]
        )
        self.moving = np.abs(self.relative) > 1e-12 * max(1.0, abs(omega[driver]))

    def _solved(self, gains: Sequence[float]) -> np.ndarray | None:
        """The unknowns, shape (shafts,): tooth force per mesh, held torques, driver torque; None
        where they are not determined.
        """
        M = np.zeros((len(self.names), len(self.names)))
        for j, (mesh, gain) in enumerate(zip(self.meshes, gains, strict=True)):
            M[self.column[mesh.a], j] += mesh.za
            M[self.column[mesh.b], j] += mesh.zb * gain
            if mesh.carrier is not None:
                M[self.column[mesh.carrier], j] -= mesh.za + mesh.zb * gain
        for j, shaft in enumerate(self.held, start=len(self.meshes)):
            M[self.column[shaft], j] = 1.0
        M[self.column[self.driver], -1] = 1.0
        try:
            x: np.ndarray = np.linalg.solve(M, -self.outside)
        except np.linalg.LinAlgError:
            return None
        return x

    def _power_into_a(self, x: np.ndarray) -> np.ndarray:
        """Power that each mesh puts into its shaft a, in its carrier's frame [W]."""
        power: np.ndarray = np.array([x[j] * m.za for j, m in enumerate(self.meshes)])
        power *= self.relative
        return power

    def _attempt(self, forward: np.ndarray) -> tuple[np.ndarray, np.ndarray] | None:
        """The unknowns, and the directions that they mean."""
        gains = [
            m.eta if ahead else _inverse(m.eta if m.eta_back is None else m.eta_back)
            for m, ahead in zip(self.meshes, forward, strict=True)
        ]
        sound = [g for g in gains if g is not None]
        if len(sound) < len(gains) or (x := self._solved(sound)) is None:
            return None
        power = self._power_into_a(x)
        small = 1e-12 * (np.abs(power).max(initial=0.0) + 1e-300)
        return x, np.where(self.moving & (np.abs(power) > small), power < 0, forward)

    def _lossless(self) -> np.ndarray:
        """The directions in which power would pass without losses."""
        x = self._solved([1.0] * len(self.meshes))
        if x is None or not self.meshes:
            return np.ones(len(self.meshes), dtype=bool)
        directions: np.ndarray = self._power_into_a(x) <= 0
        return directions

    def _holds(self, tried: tuple[np.ndarray, np.ndarray] | None, forward: np.ndarray) -> bool:
        """Whether a solution means the directions it was made with, and takes power from the
        driver.
        """
        if tried is None or not np.array_equal(tried[1], forward):
            return False
        return bool(tried[0][-1] * self.omega[self.driver] >= -1e-12 * abs(self.load))

    def followed(self) -> tuple[np.ndarray, np.ndarray] | None:
        """(unknowns, directions): guessed from the lossless state, solved and corrected; None where
        that does not settle.
        """
        forward, seen = self._lossless(), set[bytes]()
        while forward.tobytes() not in seen:
            seen.add(forward.tobytes())
            tried = self._attempt(forward)
            if tried is None or self._holds(tried, forward):
                return tried
            forward = tried[1]
        return None

    def enumerated(self) -> tuple[np.ndarray, np.ndarray] | None:
        """The same of all sets of directions: the consistent one that takes least power."""
        if len(self.meshes) > _MOST_ENUMERATED:
            return None
        found = []
        for bits in product((True, False), repeat=len(self.meshes)):
            forward = np.array(bits)
            tried = self._attempt(forward)
            if tried is not None and self._holds(tried, forward):
                found.append(tried)
        return min(found, key=lambda c: abs(c[0][-1]), default=None)

    def flow(self, x: np.ndarray, forward: np.ndarray) -> TorqueFlow:
        """The state that the unknowns mean."""
        omega = self.omega
        mesh_losses: dict[str, float] = {}
        flows: list[MeshFlow] = []
        passed = dict.fromkeys(self.names, 0.0)

        def passes(shaft: str, torque: float) -> None:
            passed[shaft] = max(passed[shaft], abs(torque))

        for j, (mesh, ahead) in enumerate(zip(self.meshes, forward, strict=True)):
            back = mesh.eta if mesh.eta_back is None else mesh.eta_back
            gain = mesh.eta if ahead else 1.0 / back
            on_a, on_b = float(x[j] * mesh.za), float(x[j] * mesh.zb * gain)
            rel_b = omega[mesh.b] - (omega[mesh.carrier] if mesh.carrier else 0.0)
            label = mesh.name or f"{mesh.a}–{mesh.b}"
            lost = float(-(on_a * self.relative[j] + on_b * rel_b))
            mesh_losses[label] = mesh_losses.get(label, 0.0) + lost
            power = abs(float(on_a * self.relative[j]))
            flows.append(MeshFlow(mesh, on_a, on_b, power=power, loss=lost))
            passes(mesh.a, on_a)
            passes(mesh.b, on_b)
            if mesh.carrier is not None:
                passes(mesh.carrier, on_a + on_b)
        torque = float(x[-1])
        passes(self.driver, torque)
        passes(self.output, self.load)
        return TorqueFlow(
            speeds=omega,
            driver_torque=torque,
            load_torque=-self.load * _sign(omega[self.output]),
            power_in=torque * omega[self.driver],
            power_out=self.load * abs(omega[self.output]),
            mesh_losses=mesh_losses,
            drag_losses={s: t * abs(omega[s]) for s, t in self.drag.items()},
            shaft_torques=passed,
            meshes=tuple(flows),
        )


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
