"""Points as text and back, so that what was reduced once need not be reduced again.

A value with uncertainty is kept as its figure and its slopes towards what it depends on: inputs
that runs share, by name, and those of the run alone. What comes back depends on the same shared
inputs as the points that are reduced anew.
"""

from __future__ import annotations

import dataclasses
import hashlib
import json
import zlib
from collections.abc import Iterator, Sequence
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np

from sparring import core
from sparring.core.propagation import Input, Propagated
from sparring.core.reduce.inputs import Inputs
from sparring.core.reduce.points import Point
from sparring.core.reduce.pull import Pull
from sparring.core.reduce.warmth import Warmth
from sparring.core.reduce.windows import Window
from sparring.core.run import Run


@cache
def derived_by() -> str:
    """What the figures of this version follow from: a digest of the core's own text. Another
    version reduces anew.
    """
    digest = hashlib.sha256()
    root = Path(core.__file__).parent
    for path in sorted(root.rglob("*.py")):
        digest.update(path.relative_to(root).as_posix().encode() + path.read_bytes())
    return digest.hexdigest()


class Shared:
    """The inputs that runs share, each by a name that is the same whenever the same records are
    read.
    """

    def __init__(self, inputs: Inputs) -> None:
        self._inputs = inputs
        self._size = -1
        self.variables: dict[str, Any] = {}
        self.names: dict[Any, str] = {}

    def know(self, run: Run) -> None:
        """Makes what a run brings along itself: its weight, calibration and instruments."""
        i = self._inputs
        i.meters_of(run), i.cell_of(run), i.second_cell_of(run)
        if run.load is not None:
            i.mass(run.load)
        if run.tare is not None:
            i.tare(run.tare)
        if (size := len(i.masses) + len(i.tares) + len(i.cells) + len(i.made)) == self._size:
            return
        self._size = size
        seen: dict[Any, None] = dict.fromkeys(_variables(i))
        counts: dict[str, int] = {}
        self.variables, self.names = {}, {}
        for variable in seen:
            name = f"{variable.tag}|{variable.value!r}|{variable.own_u!r}"
            counts[name] = counts.get(name, 0) + 1
            self.variables[name], self.names[variable] = variable, name
        for name, count in counts.items():  # two that cannot be told apart are not kept by name
            if count > 1:
                del self.variables[name]


def _variables(node: Any) -> Iterator[Any]:
    if isinstance(node, Propagated):
        yield from node.slopes
    elif dataclasses.is_dataclass(node) and not isinstance(node, type):
        for f in dataclasses.fields(node):
            yield from _variables(getattr(node, f.name))
    elif isinstance(node, dict):
        for value in node.values():
            yield from _variables(value)
    elif isinstance(node, tuple | list):
        for value in node:
            yield from _variables(value)


def to_bytes(points: Sequence[Point], run: Run, shared: Shared) -> bytes | None:
    """The points of a run: what they depend on, the figures, and the matrix of their slopes. None
    where one depends on a shared input that has no name of its own.
    """
    figures: list[Propagated] = []

    def told(x: Any) -> Any:
        if isinstance(x, Propagated):
            figures.append(x)
            return {"figure": len(figures) - 1}
        return dataclasses.astuple(x) if isinstance(x, Window) else x

    told_points = []
    for p in points:
        said = {
            f.name: told(getattr(p, f.name))
            for f in dataclasses.fields(p)
            if f.name not in ("run", "source", "pull", "ripple", "shares")
        }
        said["pull"] = (
            None if p.pull is None else [told(p.pull.mean), p.pull.least, p.pull.most, p.pull.fade]
        )
        said["ripple"] = list(p.ripple.items())
        said["shares"] = [told(x) for x in p.shares]
        placed = None if p.run == run else (p.run.step, p.run.repeat, p.run.load is None)
        told_points.append((placed, p.source is not None, said))
    place = {i: n for n, i in enumerate(dict.fromkeys(i for x in figures for i in x.slopes))}
    inputs: list[Any] = []
    for i in place:
        name = shared.names.get(i)
        if name is not None and name not in shared.variables:
            return None
        inputs.append((i.value, i.own_u, i.tag) if name is None else name)
    table = np.zeros((len(figures), len(place) + 1))
    for row, x in zip(table, figures, strict=True):
        row[0] = x.value
        row[[place[i] + 1 for i in x.slopes]] = list(x.slopes.values())
    head = json.dumps([inputs, table.shape, told_points]).encode()
    return zlib.compress(len(head).to_bytes(4, "little") + head + table.tobytes(), 1)


def from_bytes(data: bytes, run: Run, shared: Shared) -> list[Point]:
    """The points that `to_bytes` wrote. Raises ValueError where they are damaged or depend on what
    is not known.
    """
    try:
        whole = zlib.decompress(data)
        begin = 4 + int.from_bytes(whole[:4], "little")
        told, shape, told_points = json.loads(whole[4:begin])
        inputs = np.array(
            [shared.variables[i] if isinstance(i, str) else Input(*i) for i in told] or [None],
            dtype=object,
        )
        table = np.frombuffer(whole, float, offset=begin).reshape(shape)
        figures = []
        for row in table:
            own = np.flatnonzero(row[1:])
            slopes = dict(zip(inputs[own].tolist(), row[own + 1].tolist(), strict=True))
            figures.append(Propagated(float(row[0]), slopes))

        def said(x: Any) -> Any:
            return figures[x["figure"]] if isinstance(x, dict) else x

        points = []
        for placed, has_source, values in told_points:
            mine = run
            if placed is not None:
                step, repeat, no_load = placed
                mine = run.model_copy(
                    update={"step": step, "repeat": repeat} | ({"load": None} if no_load else {})
                )
            pull, ripple = values.pop("pull"), values.pop("ripple")
            known = {name: said(x) for name, x in values.items()}
            known["shares"] = tuple(said(x) for x in values["shares"])
            known["window"] = Window(*known["window"])
            known["at_rest"] = None if known["at_rest"] is None else tuple(known["at_rest"])
            known["left"] = Warmth(*known["left"])
            known["begun"] = None if known["begun"] is None else Warmth(*known["begun"])
            known["pull"] = None if pull is None else Pull(said(pull[0]), *pull[1:])
            points.append(
                Point(run=mine, source=run if has_source else None, ripple=dict(ripple), **known)
            )
    except (zlib.error, KeyError, IndexError, TypeError) as err:
        raise ValueError(f"stored points cannot be used: {err}") from err
    return points
