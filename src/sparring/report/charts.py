"""The charts of a result for paper, from its JSON document: a function a kind."""

from __future__ import annotations

import io
import math
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

Document = Mapping[str, Any]

_WIDE, _HIGH = 160 / 25.4, 95 / 25.4  # [in] on paper
_INK, _FAINT = "#1A221E", "#8B968F"
_GEARBOX, _WIRE, _SPEED = "#4A6B4F", "#55615A", "#7A4A9C"
_HEAT, _ALARM = "#A2385C", "#C53F27"
_CAUSES = ("#176F8B", "#3557A6", "#7A4A9C", "#D0602A", "#B5862B", "#A2385C", "#0F7C78", "#2C7A4B")
_RPM = 30 / math.pi
_NAMED = 8
_TITLE = 80  # characters


_NOTHING_OF_IT = (
    LookupError, TypeError, ValueError, AttributeError, ArithmeticError, StopIteration,
)  # fmt: skip


class ChartError(ValueError):
    """A document that has nothing of the wanted chart; the message says what to do."""


def draw(document: Document, kind: str, out: Path) -> Path:
    """Writes a chart, SVG, PNG or PDF by the ending. Raises ChartError, OSError."""
    from matplotlib.backends.backend_agg import FigureCanvasAgg
    from matplotlib.figure import Figure

    if kind not in KINDS:
        raise ChartError(f"{kind} is not one of {', '.join(KINDS)}")
    if out.suffix.lower() not in (".svg", ".png", ".pdf"):
        raise ChartError(f"{out.name}: write to .svg, .png or .pdf")
    figure = Figure(figsize=(_WIDE, _HIGH), layout="constrained")
    FigureCanvasAgg(figure)
    drawn = io.BytesIO()
    form = out.suffix.lower()[1:]
    try:
        document = _plainly(document)
        KINDS[kind](document, figure)
        name = str(document.get("build", ""))[:_TITLE]
        figure.suptitle(f"{name}: {kind}", fontsize=9, color=_INK, x=0.01, ha="left")
        about = {"Creator": None} if form == "pdf" else None
        figure.savefig(drawn, dpi=300, format=form, metadata=about)
    except ChartError:  # which says more
        raise
    except _NOTHING_OF_IT as err:
        raise ChartError(
            f"the document has nothing of the {kind} chart ({err}); make it by `sparring "
            f"{'orders' if kind == 'orders' else 'reduce'} … --json`"
        ) from err
    out.write_bytes(drawn.getvalue())
    return out


def _plainly(value: Any) -> Any:
    """With every text as it is, where a dollar sign would begin a formula."""
    if isinstance(value, str):
        return value.replace("$", r"\$")
    if isinstance(value, dict):
        return {key: _plainly(v) for key, v in value.items()}
    return [_plainly(v) for v in value] if isinstance(value, list) else value


def _axes(figure: Figure, x: str, y: str) -> Axes:
    axes = figure.add_subplot()
    _plain(axes, x, y)
    return axes


def _plain(axes: Axes, x: str, y: str) -> None:
    axes.set_xlabel(x, fontsize=8)
    axes.set_ylabel(y, fontsize=8)
    axes.tick_params(labelsize=7)
    axes.grid(visible=True, linewidth=0.3, color="#C6CDC4")
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)


def _bars(axes: Axes, rows: list[Document], x: str, y: str, scale: float, **how: Any) -> None:
    """Points of steps with ± (k = 2)."""
    known = [r for r in rows if r[x] is not None and r[y] is not None]
    axes.errorbar(
        [r[x] for r in known],
        [scale * r[y] for r in known],
        xerr=[2 * r[f"u_{x}"] for r in known],
        yerr=[2 * scale * r[f"u_{y}"] for r in known],
        linestyle="none",
        ecolor=_INK,
        elinewidth=0.8,
        markersize=4.5,
        **how,
    )


def _curve(axes: Axes, curve: Document, key: str, scale: float, colour: str, style: str) -> None:
    """With its band (k = 2)."""
    x, y = np.array(curve["torque_Nm"]), scale * np.array(curve[key])
    u = scale * np.array(curve[f"u_{key}"])
    axes.fill_between(x, y - 2 * u, y + 2 * u, color=colour, alpha=0.18, linewidth=0)
    axes.plot(x, y, color=colour, linestyle=style, linewidth=0.9)


def _torque(d: Document, figure: Figure) -> None:
    upper, lower = figure.subplots(2, 1, sharex=True, height_ratios=(3, 2))
    _plain(upper, "", "efficiency, %")
    _plain(lower, "output torque, N·m", "speed, rpm")
    if not d["steps"]:
        raise KeyError("steps")
    for curve in (d.get("model") or {}).get("curves", ()):
        _curve(upper, curve, "efficiency_gearbox", 100, _GEARBOX, "-")
        _curve(upper, curve, "efficiency_wire_to_shaft", 100, _WIRE, "--")
        _curve(lower, curve, "speed_rad_per_s", _RPM, _SPEED, "-")
        at = curve["torque_Nm"][0], _RPM * curve["speed_rad_per_s"][0]
        lower.annotate(f"{curve['voltage_V']:.3g} V", at, fontsize=7, color=_INK, va="bottom")
    rows = d["steps"]
    _bars(upper, rows, "torque_Nm", "efficiency_gearbox", 100, marker="o", color=_GEARBOX)
    open_ = {"marker": "s", "color": _WIRE, "markerfacecolor": "white"}
    _bars(upper, rows, "torque_Nm", "efficiency_wire_to_shaft", 100, **open_)
    _bars(lower, rows, "torque_Nm", "speed_rad_per_s", _RPM, marker="d", color=_SPEED)
    upper.set_ylim(0, 105)
    lower.set_ylim(bottom=0)
    lower.set_xlim(left=0)
    for name, key, colour in (
        ("gearbox", "efficiency_gearbox", _GEARBOX),
        ("wire to shaft", "efficiency_wire_to_shaft", _WIRE),
    ):
        last = [r for r in rows if r[key] is not None]
        if last:
            at = last[-1]["torque_Nm"], 100 * last[-1][key]
            upper.annotate(
                name, at, (6, 0), textcoords="offset points", fontsize=8, color=colour, va="center"
            )


def _map(d: Document, figure: Figure) -> None:
    grid = d["map"]
    if grid is None:
        raise ChartError(
            "this test has no map: its steps lie on one line; add steps at a second voltage"
        )
    axes = _axes(figure, "output torque, N·m", "output speed, rpm")
    x, y = np.array(grid["torque_Nm"]), _RPM * np.array(grid["speed_rad_per_s"])
    z = 100 * np.array(grid["efficiency_wire_to_shaft"], dtype=float)
    masked = np.ma.masked_invalid(z)
    axes.contourf(x, y, masked, levels=12, cmap="Greens", alpha=0.7)
    lines = axes.contour(x, y, masked, levels=8, colors=_INK, linewidths=0.7)
    axes.clabel(lines, fmt="%.0f %%", fontsize=7)
    for curve in d["model"]["curves"]:
        axes.plot(
            curve["torque_Nm"], _RPM * np.array(curve["speed_rad_per_s"]), color="#3557A6", lw=0.7
        )
    points = [r for r in d["steps"] if r["speed_rad_per_s"] is not None]
    axes.plot(
        [r["torque_Nm"] for r in points],
        [_RPM * r["speed_rad_per_s"] for r in points],
        "o",
        color=_INK,
        markerfacecolor="white",
        markersize=4,
    )
    axes.set_xlim(0, 1.05 * x.max())
    axes.set_ylim(0, 1.1 * y.max())


def _losses(d: Document, figure: Figure) -> None:
    axes = _axes(figure, "output torque, N·m", "loss, W")
    most = max(x["voltage_V"] for x in d["losses"])
    rows = [x for x in d["losses"] if x["voltage_V"] > 0.95 * most]
    names = list(dict.fromkeys(c["cause"] for x in rows for c in x["causes"]))
    torque = np.array([x["torque_Nm"] for x in rows])
    wide = 0.6 * float(np.diff(torque).min()) if len(torque) > 1 else 0.2 * float(torque[0])
    below = np.zeros(len(rows))
    for n, name in enumerate(names):
        causes = [next(c for c in x["causes"] if c["cause"] == name) for x in rows]
        power = np.array([max(c["power_W"], 0.0) for c in causes])
        colour = _CAUSES[n % len(_CAUSES)]
        for measured in (True, False):
            some = np.array([c["measured"] is measured for c in causes])
            if some.any():
                how: dict[str, Any] = (
                    {"color": colour}
                    if measured
                    else {"facecolor": "white", "edgecolor": colour, "hatch": "////"}
                )
                label = name if measured or all(not c["measured"] for c in causes) else None
                axes.bar(torque[some], power[some], wide, below[some], label=label, **how)
        below += power
    named = axes.legend(fontsize=7, frameon=False, reverse=True, title="hatched: from the model")
    named.get_title().set_fontsize(7)


def _temperature(d: Document, figure: Figure) -> None:
    rows = d["thermal"]["carries"]
    axes = _axes(figure, "carried from cold for", "output torque, N·m")
    rows = sorted(rows, key=lambda r: math.inf if r["seconds"] is None else r["seconds"])
    x = np.arange(len(rows))
    y, u = (np.array([r[k] for r in rows]) for k in ("torque_Nm", "u_torque_Nm"))
    axes.errorbar(x, y, yerr=2 * u, marker="o", color=_HEAT, linewidth=1.2, capsize=3)
    words = ["for ever" if r["seconds"] is None else f"{r['seconds'] / 60:g} min" for r in rows]
    axes.set_xticks(x, [f"{w}\n{r['limit']}" for w, r in zip(words, rows, strict=True)])
    axes.set_ylim(bottom=0)


def _repeats(d: Document, figure: Figure) -> None:
    found = d["repeats"]
    axes = _axes(figure, "run, in the order made", f"{found['figure'].replace('_', ' ')}, % off")
    limit = 100 * found["control_limit_relative"]
    for at in (-limit, limit):
        axes.axhline(at, color="#D38B14", linestyle="--", linewidth=0.9)
    axes.axhline(0, color=_FAINT, linewidth=0.8)
    for outlying, mark, colour in ((False, "o", _GEARBOX), (True, "X", _ALARM)):
        some = [r for r in found["runs"] if r["outlying"] is outlying]
        axes.plot(
            [r["number"] for r in some],
            [100 * r["deviation_relative"] for r in some],
            mark,
            color=colour,
            markersize=4.5,
        )


def _orders(d: Document, figure: Figure) -> None:
    axes = _axes(figure, f"order, per turn of {d['counted_by']}", "ripple, % of mean")
    lines = d["lines"]
    scale = 100 / abs(d["mean"]) if d["mean"] else 1.0
    x, y = (np.array([r[k] for r in lines], float) for k in ("order", "amplitude"))
    u = np.array([r["u_amplitude"] for r in lines], float)
    axes.vlines(x, 0, scale * y, color=_SPEED, linewidth=1.0)
    axes.errorbar(x, scale * y, yerr=2 * scale * u, fmt="none", ecolor=_INK, elinewidth=0.8)
    for r in sorted(lines, key=lambda r: -r["amplitude"])[:_NAMED]:
        words = f"{r['order']:.4g}: {r['part'].partition(' (')[0]}"
        axes.annotate(
            words,
            (r["order"], scale * r["amplitude"]),
            (3, 3),
            textcoords="offset points",
            fontsize=7,
        )
    axes.set_xlim(0, d["limits"]["highest_order"])
    axes.set_ylim(bottom=0)


KINDS: dict[str, Callable[[Document, Figure], None]] = {
    "torque": _torque,
    "map": _map,
    "losses": _losses,
    "orders": _orders,
    "temperature": _temperature,
    "repeats": _repeats,
}
"""By the names that the window has for them."""
