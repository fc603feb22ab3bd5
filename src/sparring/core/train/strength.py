"""What breaks first: every part that carries, the torque it carries, and the output torque at which
it gives way.

Teeth by Lewis' formula with the form factor of the true tooth (Shigley, Mechanical Engineering
Design, 14-1), flanks by Hertz' pressure at the pitch point, shafts and joints as in `joints`.
Static figures for one slow push to failure: fatigue and shock are not in them.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

from sparring.core.train.joints import Joint
from sparring.core.train.materials import ROOM, Setting
from sparring.core.train.stage import Contact, StageBase
from sparring.core.train.tooth_strength import bending_torque, flank_torque
from sparring.core.train.torque import MeshFlow, TorqueFlow

_Add = Callable[
    [int, str, str, tuple[float, float], float, str], None
]  # (stage, part, mode, at two loads, capacity, basis)


class Limit(NamedTuple):
    """One way in which one part gives way. output: torque at the output when it does [N·m];
    carries: on the part itself [N·m]; start, slope: what it carries without load, and for each N·m
    at the output."""

    stage: int
    part: str
    mode: str
    output: float
    carries: float
    start: float
    slope: float
    basis: str

    @property
    def name(self) -> str:
        return f"stage {self.stage + 1} {self.part}"

    def carried(self, load: float) -> float:
        """Torque on the part with `load` [N·m] at the output."""
        return self.start + self.slope * load


def limits(
    stages: Sequence[StageBase],
    shafts: Sequence[str],
    names: Sequence[str],
    low: TorqueFlow,
    high: TorqueFlow,
    loads: tuple[float, float],
    setting: Setting = ROOM,
    warm: Mapping[tuple[int, str], float] | None = None,
) -> list[Limit]:
    """Every limit of a train, weakest first. warm: temperature [K] of a stage's mesh by its name,
    where it is another than the setting's.

    low, high: the train's state at two loads [N·m]; torques are straight lines between and beyond,
    as the losses are linear.
    """
    span = loads[1] - loads[0]
    meshes: dict[tuple[str, str], tuple[tuple[float, float], tuple[float, float]]] = {}
    for a, b in zip(low.meshes, high.meshes, strict=True):
        meshes[a.mesh.name, a.mesh.contact] = (
            (abs(a.on_a), abs(a.on_b)),
            (abs(b.on_a), abs(b.on_b)),
        )
    found: list[Limit] = []

    def add(
        stage: int, part: str, mode: str, at: tuple[float, float], capacity: float, basis: str
    ) -> None:
        slope = (at[1] - at[0]) / span
        if capacity > 0 and math.isfinite(capacity) and slope > 1e-15:
            start = at[0] - slope * loads[0]
            found.append(
                Limit(
                    stage,
                    part,
                    mode,
                    output=max(0.0, (capacity - start) / slope),
                    carries=capacity,
                    start=start,
                    slope=slope,
                    basis=basis,
                )
            )

    for n, stage in enumerate(stages):
        for c in stage.contacts():
            if (names[n], c.name) not in meshes:
                continue
            (low_a, low_b), (high_a, high_b) = meshes[names[n], c.name]
            here = setting._replace(temperature=(warm or {}).get((n, c.name), setting.temperature))
            _teeth(add, n, c, on_a=(low_a, high_a), on_b=(low_b, high_b), setting=here)
        passed = {
            s: (low.shaft_torques.get(s, 0.0), high.shaft_torques.get(s, 0.0))
            for s in (shafts[n], shafts[n + 1])
        }
        for capacity in stage.capacities(shafts[n], shafts[n + 1], setting):
            at = passed[capacity.shaft]
            add(n, capacity.part, capacity.mode, at, capacity.torque, capacity.basis)
        for side, joint, shaft in (
            ("input", stage.input_joint, shafts[n]),
            ("output", stage.output_joint, shafts[n + 1]),
        ):
            if joint is not None:
                _joint(
                    add,
                    n,
                    side,
                    joint=joint,
                    material=stage.material,
                    at=passed[shaft],
                    setting=setting,
                )
    # a planet's tooth is in two meshes; the worse counts
    weakest: dict[tuple[int, str, str], Limit] = {}
    for limit in sorted(found, key=lambda limit: limit.output):
        weakest.setdefault((limit.stage, limit.part, limit.mode), limit)
    return list(weakest.values())


def _teeth(
    add: _Add,
    n: int,
    c: Contact,
    on_a: tuple[float, float],
    on_b: tuple[float, float],
    setting: Setting,
) -> None:
    for gear, part, at, material, arm in (
        (1, c.a, on_a, c.material_a, c.arm_a),
        (2, c.b, on_b, c.material_b, c.arm_b),
    ):
        torque, basis = bending_torque(c.pair, gear, c.width, material=material, setting=setting)
        warm = "" if setting.temperature < _WARM else f", {setting.temperature - 273.15:.0f} °C"
        add(n, part, "tooth breaks", at, torque * c.paths * arm, basis + warm)
    torque, basis = flank_torque(
        c.pair, c.width, c.material_a, material_2=c.material_b, setting=setting
    )
    add(n, c.name, "flanks crushed", on_a, torque * c.paths * c.arm_a, basis)


def _joint(
    add: _Add,
    n: int,
    side: str,
    joint: Joint,
    material: str,
    at: tuple[float, float],
    setting: Setting,
) -> None:
    hub, shaft = setting.material(material), setting.material(joint.shaft)
    if shaft is None:
        return
    strength = shaft.strength_at(setting.temperature)
    if hub is not None and joint.kind != "one piece":
        both = hub.strength_at(setting.temperature, setting.layers), strength
        add(
            n,
            f"{side} joint",
            joint.failure(*both),
            at,
            joint.carries(*both),
            f"{joint.kind}, {hub.name} on {shaft.name}",
        )
    add(
        n,
        f"{side} shaft",
        "shaft shears",
        at,
        joint.shaft_carries(strength),
        f"torsion, {joint.core_diameter() * 1e3:.1f} mm core, {shaft.name}",
    )


PLASTICS, ON_METAL = 2100.0, 1100.0
"""k_ϑ [K·(m/s)^0.75·mm^1.75/W] of plastic on plastic and on metal, dry or greased (from memory)."""
_WARM = 308.15  # [K] from which a tooth's temperature is said with its strength
_PLASTIC = 10e9  # [Pa] modulus below which a material is one


def mesh_temperature(
    c: Contact,
    flow: MeshFlow,
    speeds: Mapping[str, float],
    friction: float,
    *,
    setting: Setting = ROOM,
    oiled: bool = False,
) -> float | None:
    """Temperature of the teeth of a mesh in a steady state [K]; None where neither gear is of
    plastic or a material is not known. speeds: of all shafts [rad/s]: what slides does so as the
    carrier sees it. oiled: the oil carries the heat away.
    """
    known = [setting.material(m) for m in (c.material_a, c.material_b)]
    soft = [m is not None and m.modulus < _PLASTIC for m in known]
    if None in known or not any(soft):
        return None
    if oiled:
        return setting.temperature
    p = c.pair
    turns = speeds[flow.mesh.a] - (speeds[flow.mesh.carrier] if flow.mesh.carrier else 0.0)
    return tooth_temperature(
        flow.power / c.paths,
        friction,
        p.loss_factor(),
        face_width=c.width,
        teeth=round(p.z1 * c.arm_a if soft[0] else p.z2 * c.arm_b),
        speed=p.across_module * p.z1 / 2 * c.arm_a * abs(turns),
        module=p.module,
        ambient=setting.temperature,
        k=PLASTICS if all(soft) else ON_METAL,
    )


def tooth_temperature(
    power: float,
    friction: float,
    loss_factor: float,
    face_width: float,
    teeth: int,
    speed: float,
    module: float,
    *,
    ambient: float = 293.15,
    duty: float = 1.0,
    k: float = PLASTICS,
) -> float:
    """Temperature of plastic teeth [K]: ϑ₀ + P μ H_V (k_ϑ/(b z (v m)^0.75)) ED^0.64 (VDI
    2736-2:2014, formula and k_ϑ from memory; open housing, so the term for a closed one is left
    out).

    power [W] through the mesh, face_width and module [m], speed: pitch-line [m/s], duty: running
    share of the time [-]; k: k_ϑ of the pair, PLASTICS or ON_METAL.
    """
    if speed <= 0 or power <= 0:
        return ambient
    rise: float = (
        power
        * friction
        * loss_factor
        * k
        / (face_width * 1e3 * teeth * (speed * module * 1e3) ** 0.75)
        * duty**0.64
    )
    return ambient + rise


def unknown_materials(
    stages: Sequence[StageBase], setting: Setting = ROOM
) -> list[tuple[int, str]]:
    """(stage, name) of materials that nobody knows, so that their parts are left out of the
    ranking.
    """
    found: dict[tuple[int, str], None] = {}
    for n, s in enumerate(stages):
        names = [getattr(s, field) for field in type(s).model_fields if field.endswith("material")]
        names += [joint.shaft for joint in (s.input_joint, s.output_joint) if joint is not None]
        found |= {(n, name): None for name in names if name and setting.material(name) is None}
    return list(found)
