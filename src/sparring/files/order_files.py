"""Orders as JSON: amplitudes in the unit of the channel, in SI, with standard uncertainties."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sparring import __version__
from sparring.core.build import Build
from sparring.core.finding import Finding
from sparring.core.orders.growth import Growth
from sparring.core.orders.lines import Line, Orders
from sparring.core.orders.sound import Heard
from sparring.core.orders.tones import Tone, hunting, tones_of
from sparring.core.orders.transmission import CHANNEL
from sparring.core.quantity import kind_of
from sparring.core.recording import CHANNELS
from sparring.files.result_files import finding_to_dict


def unit_of(channel: str) -> str:
    """Of a channel's amplitudes, SI; of a sound parts of full scale."""
    if channel == CHANNEL:
        return "rad"
    return "1" if channel == "sound" else kind_of(CHANNELS[channel].kind).si


def to_dict(
    build: Build,
    found: Orders,
    findings: Sequence[Finding] = (),
    heard: Heard | None = None,
    grown: Sequence[Growth] = (),
) -> dict[str, Any]:
    """The stable document described in docs/formats.md."""
    limits = found.limits
    return {
        "format": "sparring.orders/1",
        "derived_by": f"sparring {__version__}",
        "build": build.name,
        "channel": found.channel,
        "unit": unit_of(found.channel),
        "counted_by": found.counted,
        "mean": found.spectrum.mean,
        "limits": {
            "turns": limits.turns,
            "resolution": limits.resolution,
            "highest_order": limits.most,
            "samples_per_turn": limits.samples,
            "angle_from": found.turning.source,
            "u_angle_relative": limits.doubt,
            "angle_scaled_by": limits.scale,
            "start_s": float(found.turning.t[0]),
            "stop_s": float(found.turning.t[-1]),
            "unseen": [_tone(t) for t in limits.unseen],
            "alias": [{"order": x.order, "may_be": x.alias} for x in found.lines if x.alias],
        },
        "lines": [_line(x) for x in found.lines],
        "parts": [_tone(t) for t in tones_of(build, found.counted)],
        "averages": [
            {
                "shaft": a.shaft,
                "turns": a.turns,
                "mean": [float(v) for v in a.mean],
                "u_mean": [float(v) for v in a.u],
            }
            for a in found.averages
        ],
        "teeth": [
            {
                "shaft": t.shaft,
                "gears": [{"teeth": g.teeth, "stage": g.stage, "gear": g.name} for g in t.gears],
                "angle_rad": t.at,
                "relative": t.size,
                "u_relative": t.u,
            }
            for t in found.teeth
        ],
        "runs_out": [
            {"shaft": x.shaft, "part": x.part, "relative": x.size, "u_relative": x.u}
            for x in found.runs_out
        ],
        "speed_by_sound": None
        if heard is None
        else {
            "speed_rad_per_s": heard.mean,
            "u_speed_rad_per_s": heard.u,
            "other_speed_rad_per_s": heard.other or None,
        },
        "growth": [
            {
                "id": g.line.id,
                "order": g.line.order,
                "part": g.line.part,
                "before": g.before,
                "u_before": g.u_before,
                "after": g.after,
                "u_after": g.u_after,
                "grew": g.grew,
            }
            for g in grown
        ],
        "sound": None,
        "findings": [finding_to_dict(f) for f in findings],
    }


def _line(x: Line) -> dict[str, Any]:
    return {
        "id": x.id,
        "kind": x.kind,
        "order": x.order,
        "found_at": x.found,
        "amplitude": x.amplitude,
        "u_amplitude": x.u,
        "relative": x.relative,
        "part": x.part,
        "reason": x.reason,
        "also": list(x.also),
        "alias_of": x.alias or None,
    }


def _tone(t: Tone) -> dict[str, Any]:
    row: dict[str, Any] = {
        "id": t.id,
        "kind": t.kind,
        "order": t.order,
        "part": t.part,
        "reason": t.reason,
    }
    if len(t.gears) == 2:
        factor, turns = hunting((t.gears[0], t.gears[1]))
        row |= {"teeth": list(t.gears), "common_factor": factor, "hunting_turns": turns}
    return row
