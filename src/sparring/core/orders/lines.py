"""The order analysis of one recording: lines named by the part that makes them, what the sampling
cannot show, the average over each shaft's turn, and the damage that they tell.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np

from sparring.core.build import Build
from sparring.core.orders.average import LEAST_TURNS, Average, average_over
from sparring.core.orders.faults import NOTABLE, Tooth, of_teeth, teeth_apart
from sparring.core.orders.spectrum import APART, Peak, Spectrum, peak_near, spectrum, standing_out
from sparring.core.orders.tones import Gear, Tone, gears_on, tones_of, turns_of
from sparring.core.orders.turning import SOURCES, Turning, turning
from sparring.core.recording import CHANNELS, Recording
from sparring.core.reduce.inputs import ReductionError
from sparring.core.train.kinds import BeltStage

_CHANCE = 1e-3  # that noise alone makes any of the lines that are looked for
_STRANGE = 12  # lines that no part explains, at most
_MULTIPLES = 40  # of a shaft's turns, at most
_NO_MEAN = ("sound", "transmission_error")
"""Signals whose lines are told beside their own root mean square."""
SIGNALS = ("speed", "motor_speed", "force", "cell", "torque", "current")
"""Channels whose ripple is looked at, the first that was logged unless asked."""


class Line(NamedTuple):
    """order: as it should be (as found, of one that no part explains); found: where it lies;
    amplitude, u: peak of the wave and its standard uncertainty, in the channel's unit; relative:
    over the mean; also: other parts whose lines lie too near to tell; alias: what the sampling may
    have folded there.
    """

    id: str
    kind: str
    order: float
    found: float
    amplitude: float
    u: float
    relative: float
    part: str
    reason: str
    also: tuple[str, ...] = ()
    alias: str = ""

    @property
    def base(self) -> str:
        """Id of the tone that it is, or that it is a multiple or a sideband of."""
        return re.sub(r"\.(x\d+|above\..*|below\..*)$", "", self.id)


class Limits(NamedTuple):
    """What the recording can show. turns: of the shaft that is counted by; resolution: orders
    nearer than twice this are one line; most: highest order; samples: a turn; source: what the
    angle was taken from; doubt: of the turns, relative (standard); scale: by which they
    have been multiplied, as the lines tell; unseen: parts whose lines lie above.
    """

    turns: float
    resolution: float
    most: float
    samples: float
    source: str
    doubt: float
    scale: float
    unseen: tuple[Tone, ...]


class RunsOut(NamedTuple):
    """A shaft whose once-a-turn ripple is notable: as a part of the mean, with u."""

    shaft: str
    part: str
    size: float
    u: float


@dataclass(frozen=True)
class Orders:
    """What a channel does over a shaft's angle."""

    channel: str
    counted: str
    spectrum: Spectrum
    lines: tuple[Line, ...]
    limits: Limits
    averages: tuple[Average, ...]
    teeth: tuple[Tooth, ...]
    runs_out: tuple[RunsOut, ...]
    turning: Turning


def orders_of(
    build: Build,
    rec: Recording,
    *,
    channel: str = "",
    counted: str = "output",
    doubt: float = 0.0,
    signal: np.ndarray | None = None,
) -> Orders:
    """Analyses one channel of a recording over the turns of a shaft.

    doubt: of the tachometer's gain, relative (standard); signal: in place of a channel, at the
    recording's times. Raises ReductionError when nothing tells an angle or the channel is missing.
    """
    try:
        turns, tones = turns_of(build, counted), tones_of(build, counted)
    except ValueError as err:
        raise ReductionError(str(err)) from err
    turned = turning(rec, turns, doubt)
    if signal is None:
        channel = channel or next((c for c in SIGNALS if rec.has(c)), "")
        if not rec.has(channel):
            raise ReductionError(
                f"the log has no {channel or 'signal'}; it has {', '.join(rec.channels)}"
            )
        signal = rec.channels[channel]
    y = signal[turned.rows]
    if np.isfinite(y).sum() < 16:
        label = CHANNELS[channel].label if channel in CHANNELS else channel
        raise ReductionError(f"{label} has fewer than 16 values while it turned")
    sound = channel in _NO_MEAN
    found = spectrum(turned, y, effective=sound)
    if turned.doubt and (scale := _scale(_named(found, tones, turned), found)):
        turned = replace(turned, turns=turned.turns * scale, doubt=0.0, scale=scale)
        found = spectrum(turned, y, effective=sound)
    shafts = {t.shafts[0]: t.order for t in tones if t.kind in ("shaft", "planet")}
    if channel == "sound":  # one tooth's click is heard, but not where it stands out of the rest
        shafts = {}
    gears = _that_turn_alike(gears_on(build), shafts)
    around = _belts(build, tones, gears, turned.whole) if shafts else {}
    averages = [
        a for s, order in shafts.items() if (a := average_over(turned, y, s, order)) is not None
    ]
    teeth = teeth_apart(turned, y, shafts | around, gears, tones)
    lines = tuple(_named(found, tones, turned))
    return Orders(
        channel,
        counted,
        found,
        lines,
        _limits(found, tones, turned),
        tuple(averages),
        tuple(teeth),
        tuple(_running_out(lines, found, tones, teeth)),
        turned,
    )


def _that_turn_alike(
    gears: Mapping[str, Sequence[Gear]], shafts: Mapping[str, float]
) -> dict[str, list[Gear]]:
    """Under the first of several shafts that turn equally often the gears of all: no log tells
    which of them it is.
    """
    found: dict[str, list[Gear]] = {}
    for shaft, order in shafts.items():
        first = next((s for s in found if math.isclose(shafts[s], order, rel_tol=1e-9)), shaft)
        found.setdefault(first, []).extend(gears.get(shaft, ()))
    return found


def _belts(
    build: Build, tones: Sequence[Tone], gears: dict[str, list[Gear]], turns: float
) -> dict[str, float]:
    """Orders of belts and chains, whose joint comes round like a tooth, with their teeth put beside
    the `gears`. Of one that went round too rarely to tell its joint from a tooth of its pulleys,
    these are left out.
    """
    found = {}
    for stage, name in zip(build.stages, build.stage_names(), strict=True):
        tone = next((t for t in tones if t.id.startswith(f"belt.{name}.")), None)
        if not isinstance(stage, BeltStage) or tone is None:
            continue
        if turns * tone.order < LEAST_TURNS:
            for own in gears.values():
                own[:] = [g for g in own if g.stage != name]
            continue
        found[tone.name] = tone.order
        gears[tone.name] = [Gear(stage.links, name, stage.means)]
    return found


_AGREE = 2  # lines that tell the same scale, to be believed


def _scale(lines: Iterable[Line], found: Spectrum) -> float:
    """By how much all lines lie too high, and the turns were too few, as the tachometer's gain
    would have it; 0 where they do not tell it alike.
    """
    known = [x for x in lines if x.kind != "unknown"]
    if len(known) < _AGREE:
        return 0.0
    scales = np.array([x.found / x.order for x in known])
    # a line is placed within about a tenth of the resolution
    u = np.array([found.resolution / 10 / x.order for x in known])
    best = scales[np.argmin(u)]
    agree = np.abs(scales - best) < 3 * np.hypot(u, u.min())
    if agree.sum() < _AGREE:
        return 0.0
    weights = 1 / u[agree] ** 2
    return float((scales[agree] * weights).sum() / weights.sum())


def _limits(found: Spectrum, tones: Sequence[Tone], turned: Turning) -> Limits:
    unseen = tuple(t for t in tones if t.order > found.most)
    return Limits(
        turned.whole,
        found.resolution,
        found.most,
        turned.density,
        SOURCES[turned.source][1],
        turned.doubt,
        turned.scale,
        unseen,
    )


def _wanted(tones: Sequence[Tone]) -> list[Tone]:
    """The tones with their harmonics, and the sidebands of the meshes."""
    wanted = list(tones)
    single = {t.shafts[0]: t for t in tones if t.kind in ("shaft", "planet") and t.shafts}
    for t in tones:
        for n in (2, 3) if t.kind == "mesh" else (2,):
            wanted.append(
                t._replace(
                    id=f"{t.id}.x{n}",
                    kind="harmonic",
                    order=n * t.order,
                    name=f"{n} × {t.name}",
                    detail="",
                    reason=f"{n} times {t.order:.5g}",
                )
            )
        for shaft in t.shafts if t.kind == "mesh" else ():
            if shaft not in single:
                continue
            for sign, word in ((-1, "below"), (1, "above")):
                order = t.order + sign * single[shaft].order
                if order > 0:
                    wanted.append(
                        t._replace(
                            id=f"{t.id}.{word}.{shaft}",
                            kind="sideband",
                            order=order,
                            name=f"{t.name}, modulated by {shaft}",
                            detail="",
                            reason=f"{t.order:.5g} {'−+'[sign > 0]} {single[shaft].order:.4g}",
                        )
                    )
    return wanted


_FIRST = ("shaft", "mesh", "planet", "passage", "belt", "ball", "harmonic", "sideband")


def _named(found: Spectrum, tones: Sequence[Tone], turned: Turning) -> Iterator[Line]:
    """Lines that stand out of the floor, in the order of their orders."""
    wanted = sorted(_wanted(tones), key=lambda t: (_FIRST.index(t.kind), t.order))
    apart = APART * found.resolution
    seen: list[Line] = []
    limit = _CHANCE / max(len(wanted), 1)
    for tone in wanted:
        within = found.resolution / 2 + 2.5 * turned.doubt * tone.order
        peak = peak_near(found, tone.order, within)
        if peak is None or peak.chance > limit:
            continue
        same = next((n for n, x in enumerate(seen) if abs(x.found - peak.order) < apart), None)
        if same is not None:
            x = seen[same]
            if tone.name not in x.also:
                seen[same] = x._replace(also=(*x.also, tone.name))
            continue
        seen.append(
            Line(
                tone.id,
                tone.kind,
                tone.order,
                peak.order,
                peak.amplitude,
                peak.u,
                peak.amplitude / abs(found.mean) if found.mean else math.nan,
                tone.part,
                tone.reason,
                alias=_folded(peak.order, tones, found, turned),
            )
        )
    slowest = min((t.order for t in tones), default=0.0)  # below it a course, and no part's
    for peak in standing_out(found, _CHANCE, _STRANGE + len(seen)):
        if peak.order > slowest - apart and all(
            abs(x.found - peak.order) > 2 * apart for x in seen
        ):
            seen.append(_strange(peak, tones, found, turned))
    yield from sorted(seen, key=lambda x: x.order)


def _strange(peak: Peak, tones: Sequence[Tone], found: Spectrum, turned: Turning) -> Line:
    """A line that is none of a part's own: a multiple of a shaft's turns, or not known."""
    multiples = [
        (n, t)
        for t in tones
        if t.kind in ("shaft", "planet")
        and 2 < (n := round(peak.order / t.order)) <= _MULTIPLES
        and abs(peak.order - n * t.order)
        < max(found.resolution, 2 * turned.doubt * peak.order, 1e-3 * found.resolution)
    ]
    relative = peak.amplitude / abs(found.mean) if found.mean else math.nan
    folded = _folded(peak.order, tones, found, turned)
    order, figures = peak.order, (peak.order, peak.amplitude, peak.u, relative)
    if not multiples:
        reason = "nothing in this train comes round so often"
        id = f"unknown.{order:.4g}"
        return Line(id, "unknown", order, *figures, "not known", reason, alias=folded)
    n, tone = min(multiples, key=lambda x: x[0])
    part, reason = f"{n} × {tone.name}", f"{n} times {tone.order:.5g}"
    return Line(f"{tone.id}.x{n}", "harmonic", n * tone.order, *figures, part, reason, alias=folded)


def _folded(order: float, tones: Sequence[Tone], found: Spectrum, turned: Turning) -> str:
    """The part whose line, too high for the sampling, would appear at this order: only where the
    speed is steady enough for it to stay one line.
    """
    if turned.varies > 0.02:
        return ""
    for t in _wanted(tones):
        if t.order > found.most:
            times = round(t.order / turned.density)
            apparent = abs(t.order - times * turned.density)
            # samples a turn vary with the speed, and with them where it appears
            blurred = max(APART * found.resolution, times * turned.density * turned.varies)
            if times and abs(apparent - order) < blurred:
                return t.name
    return ""


def _running_out(
    lines: Sequence[Line], found: Spectrum, tones: Sequence[Tone], teeth: Sequence[Tooth]
) -> Iterator[RunsOut]:
    """Shafts whose ripple once a turn is notable, and more than a damaged tooth's share of it."""
    for line in lines:
        tone = next((t for t in tones if t.id == line.id), None)
        if tone is None or tone.kind not in ("shaft", "planet"):
            continue
        u = line.u / abs(found.mean)
        if found.effective:
            return
        least = max(NOTABLE, 2 * of_teeth(tone.shafts[0], teeth))
        if line.relative - 2 * u > least:
            yield RunsOut(tone.shafts[0], tone.part, line.relative, u)
