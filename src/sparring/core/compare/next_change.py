"""What to change next: the build changes with most to gain, worked out with the model; each is a
build of its own, ready to become a revision.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, NamedTuple

from sparring.core import inventory
from sparring.core.build import Build
from sparring.core.outlook.drive import Drive, Load
from sparring.core.quantity import Measured
from sparring.core.records import RecordError, changed
from sparring.core.train import materials

_WIDER = 1.25
_SPARE = 2.0
"""Torque that breaks a part over the one wanted, from which it may be made lighter (common
practice)."""
_GREASED = 0.6
"""Friction of a greased mesh over a dry one of plastics (common practice; about 0.2 for 0.36)."""


class Outlook(NamedTuple):
    """By the model at one torque and voltage: gearbox efficiency and wire to shaft, speed [rad/s],
    torque that breaks the weakest part [N·m] and which, mass of what is drawn and listed [kg].
    """

    gearbox: float
    wire_to_shaft: float
    speed: float
    strength: float
    weakest: str
    mass: float


class Change(NamedTuple):
    """aim: loss, strength or mass; what: is changed, why: in words; build: with it; before, after;
    gain: relative, of its own aim.
    """

    aim: str
    what: str
    why: str
    build: Build
    before: Outlook
    after: Outlook
    gain: float


def outlook(drive: Drive, torque: float, voltage: float) -> Outlook:
    """A drive as the model has it."""
    here = drive.state(Load.of(torque, voltage))
    build = drive.build
    speed, current, shaft = (float(x[0]) for x in (here.speed, here.current, here.shaft))
    ideal = 1 / abs(build.ratio())
    weakest = build.limits[0] if build.limits else None
    return Outlook(
        torque * ideal / shaft if shaft > 0 and speed > 0 else 0.0,
        torque * speed / (voltage * current) if current > 0 else 0.0,
        speed,
        weakest.output if weakest else float("inf"),
        weakest.name if weakest else "",
        inventory.take(build).mass,
    )


def changes(build: Build, torque: float, voltage: float) -> list[Change]:
    """Those that gain something, the most first within each aim. Figures of both are predicted, so
    that what is measured of the build does not look like a gain.

    Raises ValueError for a build without a motor.
    """
    if not build.has_motor:
        raise ValueError(
            f"{build.name} is turned by {build.driven_by}; its losses are not worked out"
        )
    before = outlook(Drive.of(build), torque, voltage)
    found = []
    for aim, what, why, path_values in _ideas(build, torque):
        try:
            after_build = build
            for path, value in path_values:
                after_build = changed(after_build, path, value)
            after = outlook(Drive.of(after_build), torque, voltage)
        except (RecordError, ValueError):
            continue  # it does not hold together: no proposal
        gain = {
            "loss": after.wire_to_shaft / before.wire_to_shaft - 1 if before.wire_to_shaft else 0.0,
            "strength": after.strength / before.strength - 1,
            "mass": 1 - after.mass / before.mass if before.mass else 0.0,
        }[aim]
        if gain > 1e-3:
            found.append(Change(aim, what, why, after_build, before, after, gain))
    order = {"loss": 0, "strength": 1, "mass": 2}
    return sorted(found, key=lambda c: (order[c.aim], -c.gain))


Idea = tuple[str, str, str, list[tuple[tuple[str | int, ...], Any]]]


def _ideas(build: Build, torque: float) -> Iterator[Idea]:
    yield from _less_loss(build, torque)
    yield from _stronger(build)
    yield from _lighter(build, torque)


def _less_loss(build: Build, torque: float) -> Iterator[Idea]:
    """Of the greatest loss: grease where it is dry, half of a stage's drag."""
    flow = build.flow(torque)
    lost = [
        sum(abs(f.loss) for f in flow.meshes if f.mesh.name == name) for name in build.stage_names()
    ]
    worst = lost.index(max(lost))
    stage = f"stage {worst + 1}"
    if build.lubricant == "dry":
        values: list[tuple[tuple[str | int, ...], Any]] = [(("lubricant",), "greased")]
        for n, s in enumerate(build.stages):
            field = _friction_field(s)
            if field:
                m: Measured = getattr(s, field)
                greased = Measured(m.value * _GREASED, max(m.u, 0.2 * m.value * _GREASED))
                values.append((("stages", n, field), greased))
        yield "loss", "grease all meshes", f"its meshes run dry; {stage} loses most", values
    elif field := _friction_field(build.stages[worst]):
        m = getattr(build.stages[worst], field)
        yield (
            "loss",
            f"halve the friction of {stage}",
            f"{stage} loses most of all meshes: finer teeth, better grease or another pairing",
            [(("stages", worst, field), Measured(m.value / 2, m.u))],
        )
    drags = [getattr(s, "drag", 0.0) for s in build.stages]
    if max(drags) > 0:
        worst = drags.index(max(drags))
        yield (
            "loss",
            f"halve the drag behind stage {worst + 1}",
            "drag that does not depend on the load: bearings, seals, stiff grease",
            [(("stages", worst, "drag"), drags[worst] / 2)],
        )


def _friction_field(stage: Any) -> str:
    return "friction" if isinstance(getattr(stage, "friction", None), Measured) else ""


def _stronger(build: Build) -> Iterator[Idea]:
    """Of the weakest part: wider, of the next stronger material."""
    if not build.limits:
        return
    weakest = build.limits[0]
    stage = build.stages[weakest.stage]
    why = f"{weakest.name} fails first ({weakest.mode})"
    width = getattr(stage, "face_width", None)
    if isinstance(width, float):
        path: tuple[str | int, ...] = ("stages", weakest.stage, "face_width")
        yield (
            "strength",
            f"stage {weakest.stage + 1} a quarter wider",
            why,
            [(path, width * _WIDER)],
        )
    now = materials.find(stage.material, build.materials)
    if now is None or not hasattr(stage, "material"):
        return
    stronger = [
        m for m in materials.TABLE if m.strength > 1.1 * now.strength and m.printed == now.printed
    ]
    if stronger:
        m = min(stronger, key=lambda m: m.strength)
        path = ("stages", weakest.stage, "material")
        yield "strength", f"stage {weakest.stage + 1} of {m.name}", why, [(path, m.name)]


def _lighter(build: Build, torque: float) -> Iterator[Idea]:
    """Of the heaviest gears: narrower or lighter, where they carry far more than is wanted."""
    masses = []
    shafts, names = build.shafts(), build.stage_names()
    for n, s in enumerate(build.stages):
        for b in s.bodies(shafts[n], shafts[n + 1], names[n]):
            material = materials.find(b.material, build.materials) if b.material else None
            if material is not None and b.width > 0 and b.look != "band":
                masses.append((b.volume() * material.density, n, b.name, material))
    if not masses:
        return
    mass, n, name, material = max(masses, key=lambda x: x[0])
    stage = build.stages[n]
    own = [x.output for x in build.limits if x.stage == n]
    why = f"{name} of stage {n + 1} is the heaviest gear ({1e3 * mass:.0f} g)"
    spare = min(own, default=float("inf")) / torque if torque > 0 else float("inf")
    if spare < _SPARE:
        return
    width = getattr(stage, "face_width", None)
    if isinstance(width, float):
        path: tuple[str | int, ...] = ("stages", n, "face_width")
        yield "mass", f"stage {n + 1} a fifth narrower", why, [(path, width / _WIDER)]
    lighter = [m for m in materials.TABLE if m.density < 0.7 * material.density and not m.printed]
    if lighter and hasattr(stage, "material"):
        m = max(lighter, key=lambda m: m.strength / m.density)
        yield "mass", f"stage {n + 1} of {m.name}", why, [(("stages", n, "material"), m.name)]
