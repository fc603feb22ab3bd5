"""Hollin Yard's worn drives: Dunnock r1 and r2 opened after 20, 60 and 120 hours on the endurance
rig, a Wren whose planets bent, a Siskin whose wheel melted; with pictures drawn from the build,
which say so.
"""

from __future__ import annotations

import math
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from sparring.core.build import Build
from sparring.core.care import Allowed, Dismantling, Life
from sparring.core.quantity import Measured
from sparring.core.wear.inspection import Done, Inspection, Mark, Photo, Pin, Ruler, Seen
from sparring.core.wear.parts import flanks_of
from sparring.core.wear.simulated import WearingDrive
from sparring.demo.part import Part

if TYPE_CHECKING:
    from sparring.logbook import Logbook

ALLOWED = Allowed.ours(
    thinning=80e-6,
    play=math.radians(3.0),
    efficiency=0.60,
    duty_torque=0.5,
    duty_speed=90 * 2 * math.pi / 60,
)
DISMANTLING = (
    Dismantling.ours(step="motor: two M3 screws at the back plate"),
    Dismantling.ours(step="back plate: four M3 screws, the lower two behind the motor"),
    Dismantling.ours(
        step="first wheel and second pinion with their shaft",
        kind="lift off",
        mind="the thin washer lies under the wheel",
    ),
    Dismantling.ours(step="first pinion off the motor's shaft", kind="press out"),
    Dismantling.ours(
        step="output wheel with its shaft",
        kind="lift off",
        grease="lithium grease on the bush, none on the teeth when dry",
        mind="the marked tooth goes to the marked gap",
    ),
)
LIVES = tuple(
    Life.ours(turns=turns, ended=ended, load=0.5)
    for turns, ended in (
        (742e3, "failed"),
        (918e3, "failed"),
        (1.03e6, "failed"),
        (1.21e6, "failed"),
        (1.34e6, "failed"),
        (1.5e6, "still running"),
        (1.5e6, "still running"),
        (1.5e6, "still running"),
    )
)
LIVES_BY_LOAD = tuple(
    Life.ours(turns=turns, ended=ended, load=load)
    for turns, ended, load in (
        (5.2e5, "failed", 1.0),
        (7.1e5, "failed", 1.0),
        (8.4e5, "failed", 1.0),
        (1.9e6, "failed", 0.7),
        (2.4e6, "failed", 0.7),
        (3.0e6, "still running", 0.7),
    )
)
_RPM = 90.0
_LOAD = 0.5
_DAYS = ("2026-11-14T09:00", "2026-11-16T08:20", "2026-11-19T17:45", "2026-11-24T10:10")
_HOURS = (0.0, 20.0, 60.0, 120.0)
_PINION, _WHEEL = "stage 2 pinion", "stage 2 wheel"


def fit(build: Build) -> Build:
    """The Dunnock with what it may lose and how it is opened; eight more of r1 were run, and six
    of r2, at two loads.
    """
    more: dict[str, object] = {"allowed": ALLOWED, "dismantling": DISMANTLING}
    more["lives"] = LIVES if build.revision == 1 else LIVES_BY_LOAD
    return build.model_copy(update=more)


def part() -> Part:
    """Inspections of every worn drive."""
    return Part("worn drives", dict, _keep)


def _keep(book: Logbook, _: object) -> None:
    for key, build in book.builds():
        if book.inspections(key):
            continue
        if build.name == "Dunnock r1":
            _opened(book, key, build, 62e-6, extra=2.0)
        elif build.name == "Dunnock r2":
            _opened(book, key, build, 13e-6, extra=1.0)
        elif build.name == "Wren r2":
            book.save_inspection(key, _bent_planets(build))
        elif build.name == "Siskin r1":
            book.save_inspection(key, _melted())


def _opened(book: Logbook, key: int, build: Build, wanted: float, extra: float) -> None:
    """wanted: thinning of the first pinion in the end [m]."""
    turns = [h * 60 * _RPM for h in _HOURS]
    pinion = flanks_of(build)[0]  # the first one wears fastest
    until = 0.08 * turns[-1]
    run = turns[-1] + extra * until
    k = wanted / pinion.exposure(run, 2 * math.pi * _LOAD * run)
    rng = np.random.default_rng(build.revision)
    scatter = {f.id: k * float(np.exp(0.15 * rng.standard_normal())) for f in flanks_of(build)}
    drive = WearingDrive(
        build,
        scatter | {pinion.id: k},
        _LOAD,
        extra=extra,
        until=until,
        seed=20 + build.revision,
        accuracy=6e-6,
    )
    photo = _drawn(book, build)
    for n, (t, hours, day) in enumerate(zip(turns, _HOURS, _DAYS, strict=True)):
        look = drive.inspected(t, day, hours * 3600)
        seen = _SEEN_DRY[:n] if build.revision == 1 else _SEEN_GREASED[:n]
        look = look.model_copy(
            update={
                "seen": tuple(s for some in seen[-1:] for s in some),
                "marks": (Mark(part=_PINION, how="pen", mate=_WHEEL, meets=1),),
                "photos": (photo,) if n == 3 and photo else (),
                "taken_apart": tuple(Done(step=s.step) for s in build.dismantling) if n else (),
                "took": 1500.0 - 180.0 * n if n else None,
                "temperature": 294.15,
            }
        )
        book.save_inspection(key, look)


_SEEN_DRY: tuple[tuple[Seen, ...], ...] = (
    (Seen(part=_PINION, mode="polishing", severity=1),),
    (
        Seen(part=_PINION, mode="adhesive", severity=2),
        Seen(part="stage 1 pinion", mode="adhesive", severity=1),
        Seen(part=_PINION, spot="body", mode="own-dust", severity=1),
    ),
    (
        Seen(part=_PINION, mode="adhesive", severity=3),
        Seen(part="stage 1 pinion", mode="adhesive", severity=2),
        Seen(part=_PINION, spot="body", mode="own-dust", severity=2),
        Seen(part=_WHEEL, mode="abrasive", severity=3, teeth=(5, 19, 33, 47, 61, 75)),
        Seen(part=_PINION, mode="indentation", severity=2, teeth=(11,)),
        Seen(
            part=_PINION,
            spot="flat",
            mode="split-from-corner",
            severity=4,
            teeth=(4,),
            extent=Measured(3.1e-3, 0.1e-3),
        ),
        Seen(part=_PINION, spot="bore", mode="bore-turned", extent=Measured(0.4e-3, 0.05e-3)),
        Seen(part=_PINION, spot="coasting flank", mode="polishing", severity=0, note="as new"),
    ),
)
_SEEN_GREASED: tuple[tuple[Seen, ...], ...] = (
    (),
    (Seen(part=_PINION, mode="polishing", severity=1),),
    (
        Seen(part=_PINION, mode="polishing", severity=1),
        Seen(part="stage 1 pinion", mode="polishing", severity=1),
    ),
)


def _bent_planets(build: Build) -> Inspection:
    """Pins held on one side bent inwards; two of the three planets carried."""
    turns, load = 90_000.0, 0.8
    several = [
        Seen(part=f"stage 2 planet {n}", mode="adhesive", severity=grade, end="inner end")
        for n, grade in ((1, 3), (2, 3), (3, 1))
    ]
    return Inspection(
        made="2026-11-21T15:30",
        elsewhere_turns=Measured(turns, 500.0),
        elsewhere_work=Measured(2 * math.pi * load * turns, 9e3),
        hours=14 * 3600.0,
        peak_torque=1.3,
        seen=(
            *several,
            Seen(
                part="stage 2 planet 1",
                spot="planet pin",
                mode="creep",
                severity=3,
                end="inner end",
                extent=Measured(0.35e-3, 0.05e-3),
                note="leans towards the sun",
            ),
        ),
        took=1320.0,
    )


def _melted() -> Inspection:
    """The worm's wheel ran hot at its stall and melted on the driving side."""
    turns, load = 6_000.0, 0.9
    return Inspection(
        made="2026-11-22T11:10",
        elsewhere_turns=Measured(turns, 60.0),
        elsewhere_work=Measured(2 * math.pi * load * turns, 700.0),
        hours=5 * 3600.0,
        peak_torque=1.1,
        seen=(
            Seen(part="stage 1 wheel", mode="melted", severity=4),
            Seen(part="stage 1 wheel", spot="tip", mode="cold-flow", severity=2),
        ),
        took=900.0,
    )


def _drawn(book: Logbook, build: Build) -> Photo | None:
    """A picture of the second pinion, drawn from the build and marked as such."""
    from PIL import Image, ImageDraw, ImageFont

    stage, shaft = build.stages[1], build.shafts()
    body = next(b for b in stage.bodies(shaft[1], shaft[2], "stage 2") if b.name == "pinion")
    loops = body.outline(lambda _s: 0.0)
    size, middle = 900, 450
    scale = 380 / body.reach  # pixels a metre
    picture = Image.new("RGB", (size, size), "#d9d5cb")
    pen = ImageDraw.Draw(picture)
    for n, loop in enumerate(loops):
        points = [(middle + scale * x, middle - scale * y) for x, y in loop]
        pen.polygon(points, fill="#f3f1ea" if n == 0 else "#6b675f", outline="#8a867b")
    worn = "#b98f5e" if build.revision == 1 else "#dcd3bd"
    step = 2 * math.pi / body.teeth
    for t in range(body.teeth):  # the driving flanks, rubbed
        a = math.pi / 2 - t * step - 0.22 * step
        inner, outer = 0.80 * body.reach * scale, 0.97 * body.reach * scale
        ends = [
            (middle + r * math.cos(a + d), middle - r * math.sin(a + d))
            for r, d in ((inner, -0.10 * step), (outer, 0.02 * step))
        ]
        pen.line(ends, fill=worn, width=7)
    font = ImageFont.load_default(34)
    pen.text((20, 20), f"{build.name}, second pinion", fill="#3a3833", font=font)
    pen.text((20, size - 60), "drawn from the build, not a photograph", fill="#3a3833", font=font)
    folder = book.folder / "photos"
    folder.mkdir(mode=0o700, exist_ok=True)
    name = f"{build.name} second pinion.png"
    picture.save(Path(folder) / name)
    radius = body.reach * scale / size
    tooth = 4
    a = math.pi / 2 + (tooth - 1) * step  # counted counter-clockwise
    at = (0.5 + 0.8 * radius * math.cos(a), 0.5 - 0.8 * radius * math.sin(a))
    return Photo(
        file=name,
        caption="second pinion, drawn from the build",
        taken=_DAYS[-1],
        pins=(Pin(x=at[0], y=at[1], part=_PINION, tooth=tooth, text="tooth 4: crack at its root"),),
        rulers=(
            Ruler(
                x=0.5 - radius,
                y=0.94,
                x2=0.5 + radius,
                y2=0.94,
                length=Measured(2 * body.reach, 0.02e-3),
            ),
            Ruler(x=0.5, y=0.5 - radius, x2=0.5, y2=0.5 - 0.62 * radius),
        ),
    )
