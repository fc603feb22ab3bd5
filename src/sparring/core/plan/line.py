"""A plan as one line, as a tester writes it on paper, and back.

    loads 0.5…2.5 kg in 5, at 6, 9, 12 V, 3 times, shuffled (seed 7)

Parts are separated by semicolons; each is a ladder, or something to be done once:

    run in 10 min at 6 V; loads 1, 2 kg at 60 rpm; hold 5 min, loads 2 kg at 12 V; cool down 8 min;
    inspect planets; to failure (pinion), loads 4…8 kg in 9, at 12 V
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from itertools import groupby
from typing import Any, Literal, NamedTuple, get_args

import numpy as np
from pydantic import ValidationError

from sparring.core import quantity
from sparring.core.methods import MethodBase
from sparring.core.plan.record import Kind, Plan, PlanStep
from sparring.core.quantity import Measured, QuantityError
from sparring.core.records import problems

_KINDS: tuple[Kind, ...] = get_args(Kind)
_ORDER = re.compile(r"\b(as listed|shuffled|by bisection|bisected|bisection)\b", re.IGNORECASE)
_SEED = re.compile(r"\(?\s*\bseed\s+(\d+)\s*\)?", re.IGNORECASE)
_TIMES = re.compile(r"\b(\d+)\s*(?:times|×|x)(?=\W|$)|\b(once|twice)\b", re.IGNORECASE)
_LOADS = re.compile(r"\b(loads?|weights?|ballasts?|resistors?|no load)\b", re.IGNORECASE)
_AT = re.compile(r"\bat\b", re.IGNORECASE)
_RANGE = re.compile(r"^(.*?)\s*(?:…|\.\.\.?|–|\bto\b)\s*(.*)$")
_MOST = 200  # values of one list


class Opened(NamedTuple):
    """What a line says. steps: with their places as ids; order, seed: None where not said."""

    steps: tuple[PlanStep, ...]
    order: Literal["as listed", "shuffled", "bisection"] | None
    seed: int | None


def opened(text: str, method: MethodBase, known: Iterable[Measured] = ()) -> Opened:
    """The steps of a line, for a bench with this method. known: masses that keep the ± they have.

    Raises QuantityError: what was not understood, and how it is written.
    """
    order: Literal["as listed", "shuffled", "bisection"] | None = None
    seed = None
    rest = text.strip()
    if found := _SEED.search(rest):
        seed = int(found.group(1))
        if seed > 999_999:
            raise QuantityError(f"the seed {seed} is too large; use up to six digits")
        rest = _SEED.sub("", rest)
    if found := _ORDER.search(rest):
        word = found.group(1).lower()
        order = (
            "bisection" if "bisect" in word else "shuffled" if word == "shuffled" else "as listed"
        )
        rest = _ORDER.sub("", rest)
    masses = {round(m.value, 9): m for m in known}
    steps: list[PlanStep] = []
    for part in rest.split(";"):
        if part := part.strip(" ,\t\n"):
            try:
                steps += _part(part, method, masses)
            except ValidationError as err:
                raise QuantityError(f"“{part[:60]}”: {problems(err, 'step')}") from err
    if not steps:
        raise QuantityError(
            f"“{text.strip()[:60]}” has no step; type for example {example(method)}"
        )
    return Opened(tuple(s.model_copy(update={"id": n}) for n, s in enumerate(steps)), order, seed)


def example(method: MethodBase) -> str:
    """A line for this bench."""
    loads = {"mass": "loads 0.5…2.5 kg in 5, ", "resistance": "resistors 22, 13, 8 Ω, "}
    return f"{loads[method.SET_BY[1]] if method.STEP else ''}at 6, 9, 12 V, 3 times"


def _part(text: str, method: MethodBase, masses: dict[float, Measured]) -> Iterator[PlanStep]:
    rest, fields = text, dict[str, Any]()
    kind = next((k for k in _KINDS if rest.lower().startswith(k)), "measure")
    fields["kind"] = kind
    if rest.lower().startswith(kind):
        rest = rest[len(kind) :].strip(" ,")
    if kind == "inspect":
        yield PlanStep(kind=kind, part=rest.strip("() ")[:80])
        return
    if kind == "to failure" and (named := re.match(r"\(([^)]*)\)", rest)):
        fields["part"], rest = named.group(1).strip()[:80], rest[named.end() :].strip(" ,")
    if kind in ("hold", "run in", "cool down"):
        told = re.match(r"[^,]*?(?=,|\bat\b|\bloads?\b|\bweights?\b|\bresistors?\b|$)", rest)
        fields["time"] = quantity.parse(told.group().strip() if told else "", "time", "s").value
        rest = rest[told.end() :].strip(" ,") if told else rest
        if kind == "cool down":
            if rest:
                raise QuantityError(f"“{rest}” has no meaning in “cool down”; only its time has")
            yield PlanStep(**fields)
            return
    if found := _TIMES.search(rest):
        word = (found.group(2) or "").lower()
        fields["repeats"] = int(found.group(1)) if found.group(1) else 1 + (word == "twice")
        if not 1 <= fields["repeats"] <= 100:
            raise QuantityError(f"{found.group()}: a step is run 1 to 100 times")
        rest = (rest[: found.start()] + rest[found.end() :]).strip(" ,")
    before, at, after = _cut(rest)
    if not at:
        raise QuantityError(
            f"“{text[:60]}” does not say at which voltage or speed; add for example “at 12 V”"
        )
    for drive in _drives(after.strip(" ,")):
        for load in _loads_of(before.strip(" ,"), method, masses):
            yield PlanStep(**fields, **drive, **load)


def _cut(text: str) -> tuple[str, bool, str]:
    if found := _AT.search(text):
        return text[: found.start()], True, text[found.end() :]
    return text, False, ""


def _loads_of(text: str, method: MethodBase, masses: dict[float, Measured]) -> list[dict[str, Any]]:
    found = _LOADS.match(text)
    word = found.group(1).lower() if found else ""
    if word == "no load" or not text:
        return [dict(nothing(method))]
    if not found:
        raise QuantityError(
            f"“{text[:60]}” is not understood before “at”; type for example {example(method)}"
        )
    if word.startswith("resistor"):
        if method.SET_BY[1] != "resistance":
            raise QuantityError(f"resistors are set on a generator; the rig is a {method.word}")
        return [{"resistor": v} for v in _values(text[found.end() :], "resistance", "Ω")]
    if not method.STEP or method.SET_BY[1] != "mass":
        what = "resistors" if method.STEP else "only voltages or speeds"
        raise QuantityError(f"a {method.word} has no weights; a plan for it names {what}")
    values = _values(text[found.end() :], "mass", "kg")
    return [{"load": masses.get(round(v, 9), Measured(v))} for v in values]


def nothing(method: MethodBase) -> dict[str, Measured]:
    """No load, as a step has it: where weights count, a mass of nothing, for the hook counts."""
    return {"load": Measured(0.0)} if method.weighed() else {}


def _drives(text: str) -> list[dict[str, float]]:
    last = re.split(r",\s|…|\.\.", text)[-1]
    unit = re.sub(r"\bin\s+\d+\s*$", "", last).strip()
    kind = "voltage"
    try:
        quantity.parse(unit, "voltage")
    except QuantityError as first:
        try:
            quantity.parse(unit, "speed")
        except QuantityError:
            raise QuantityError(
                f"“at {text[:40]}”: neither a voltage nor a speed; type for example “at 6, 9, 12 V”"
            ) from first
        kind = "speed"
    found = _values(text, kind, "V" if kind == "voltage" else "rpm")
    if min(found) <= 0:
        raise QuantityError(f"“at {text[:40]}”: a {kind} is more than zero")
    return [{kind: v} for v in found]


def _values(text: str, kind: str, unit: str) -> list[float]:
    """`0.5…2.5 kg in 5`, `0.5…2.5 kg by 0.5`, `6, 9, 12 V` -> SI values; the last unit is that of
    those before it that have none.
    """
    text = text.strip(" :,")
    if re.search(r"\d,\d+,\d", text):
        raise QuantityError(f"“{text[:60]}”: write a space after each comma that separates values")
    spans = re.search(r"\s+(in|by)\s+(.+)$", text)
    head = text[: spans.start()] if spans else text
    pieces = [p for p in re.split(r",\s+", head) if p.strip()]
    if not pieces:
        raise QuantityError(
            f"a list of values is missing; type for example {quantity.kind_of(kind).example}"
        )
    ends = _RANGE.match(pieces[-1])
    _, own = quantity.parse_with_unit(ends.group(2) if ends else pieces[-1], kind, unit)
    unit = own or unit
    if spans or (len(pieces) == 1 and _RANGE.match(head) and not _plain(head, kind, unit)):
        if ends is None or not spans:
            raise QuantityError(
                f"“{text[:60]}”: say how many values the range has, for example “0.5…2.5 kg in 5”"
            )
        low, high = (quantity.parse(e, kind, unit).value for e in ends.groups())
        if spans.group(1) == "in":
            if not spans.group(2).strip().isdigit() or not 1 < int(spans.group(2)) <= _MOST:
                raise QuantityError(f"“in {spans.group(2)}”: a range has 2 to {_MOST} values")
            return [float(f"{v:.12g}") for v in np.linspace(low, high, int(spans.group(2)))]
        step = quantity.parse(spans.group(2), kind, unit).value
        if step <= 0 or not 1 <= (high - low) / step + 1e-9 <= _MOST:
            raise QuantityError(f"“by {spans.group(2)}” does not lead from one end to the other")
        count = int((high - low) / step + 1e-6) + 1
        return [float(f"{low + n * step:.12g}") for n in range(count)]
    values = [quantity.parse(p, kind, unit).value for p in pieces]
    if len(values) > _MOST:
        raise QuantityError(f"{len(values)} values are too many; a list has up to {_MOST}")
    if any(v < 0 for v in values):
        raise QuantityError(f"“{text[:60]}”: no value may be below zero")
    return values


def _plain(text: str, kind: str, unit: str) -> bool:
    try:
        quantity.parse(text, kind, unit)
    except QuantityError:
        return False
    return True


def told(plan: Plan, method: MethodBase, units: dict[str, str] | None = None) -> str:
    """The plan as `opened` reads it. units: of mass and speed; excluded steps are told too."""
    units = {"mass": "kg", "speed": "rpm", **(units or {})}
    parts = []
    same = lambda s: (s.kind, s.repeats, s.time, s.part)  # noqa: E731
    for _, group in groupby(plan.on(method).steps, same):
        parts += _ladders(list(group), method, units)
    order = "by bisection" if plan.order == "bisection" else plan.order
    tail = (
        []
        if plan.order == "as listed"
        else [order + (f" (seed {plan.seed})" if order == "shuffled" else "")]
    )
    return ", ".join(["; ".join(parts), *tail])


def _ladders(steps: Sequence[PlanStep], method: MethodBase, units: dict[str, str]) -> list[str]:
    """Steps alike but for load and drive: one ladder where they are each load at each drive."""
    each = [((s.voltage, s.speed), (s.mass, s.resistor)) for s in steps]
    drives, loads = (list(dict.fromkeys(some)) for some in zip(*each, strict=True))
    whole = each == [(d, x) for d in drives for x in loads]
    alike = all(len({tuple(v is None for v in x) for x in some}) == 1 for some in (drives, loads))
    if not (whole and alike):
        # by voltage, then by what is alike, then one by one
        for key in (lambda s: (s.voltage, s.speed, s.mass is None), lambda s: s.id):
            parts = [list(g) for _, g in groupby(steps, key)]
            if len(parts) > 1:
                return [x for part in parts for x in _ladders(part, method, units)]
    s = steps[0]
    words: list[str] = [] if s.kind == "measure" else [s.kind]
    if s.kind == "inspect":
        return [f"inspect {s.part}".strip()]
    if s.time is not None:
        unit = "min" if s.time >= 120 and s.time % 30 == 0 else "s"
        words[-1] += f" {quantity.text(s.time, 'time', unit)}"
    if s.kind == "cool down":
        return words
    if s.part:
        words[-1] += f" ({s.part})"
    if method.STEP:
        words.append(_told_loads(loads, units))
    voltages = [v for v, _ in drives if v is not None]
    words.append(
        "at "
        + (
            _told_values(voltages, "voltage", "V")
            if voltages
            else _told_values([w for _, w in drives if w is not None], "speed", units["speed"])
        )
    )
    if s.repeats > 1:
        words.append(f"{s.repeats} times")
    return [", ".join(words)]


def _told_loads(loads: Sequence[tuple[float | None, float | None]], units: dict[str, str]) -> str:
    if all(not m and r is None for m, r in loads):
        return "no load"
    resistors = [r for _, r in loads if r is not None]
    if resistors:
        return f"resistors {_told_values(resistors, 'resistance', 'Ω')}"
    return f"loads {_told_values([m for m, _ in loads if m is not None], 'mass', units['mass'])}"


def _told_values(values: Sequence[float], kind: str, unit: str) -> str:
    """A range where they are evenly apart, else a list; read back to the same values."""
    shown = [quantity.from_si(v, unit, kind) for v in values]
    n = len(values)
    if n > 3 and shown[0] < shown[-1]:
        text = f"{shown[0]:.6g}…{shown[-1]:.6g} {unit} in {n}"
        if np.allclose(_values(text, kind, unit), values, rtol=1e-6):
            return text
    return f"{', '.join(f'{v:.9g}' for v in shown)} {unit}"
