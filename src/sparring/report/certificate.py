"""A load cell's calibration, or a meter's comparison with a better one, as one HTML page without
outside parts.
"""

from __future__ import annotations

from collections.abc import Mapping
from importlib import resources

import numpy as np

from sparring import __version__
from sparring.core.instruments import calibration, meters
from sparring.core.quantity import Measured, from_si, show, unbroken
from sparring.core.uncertainty import nominal, std


def render(cal: calibration.Calibration, gravity: Measured) -> str:
    """The load cell's sheet as HTML text. Raises ValueError when the points give no line."""
    line, good = calibration.fit(cal, gravity.value), calibration.quality(cal, gravity.value)
    residual = line.residuals / nominal(line.slope)
    span = float(np.ptp([p.mass.value for p in cal.points])) * gravity.value

    def part(label: str, value: float | None, of: str = " of span") -> list[tuple[str, str]]:
        return [] if value is None else [(label, f"{100 * value:.3f} %{of}")]

    facts = [
        ("Sensitivity (k = 2)", f"{nominal(line.slope):.2f} ± {2 * std(line.slope):.2f} counts/N"),
        ("Zero (k = 2)", f"{nominal(line.intercept):.0f} ± {2 * std(line.intercept):.0f} counts"),
        *part("Non-linearity", good.nonlinearity),
        *part("Hysteresis", good.hysteresis),
        *part("Zero return", good.zero_return),
        *part("Repeatability", good.repeatability),
        *part("Creep in 1 min", cal.creep, ""),
        *(
            [("Ambient temperature", f"{cal.temperature - 273.15:.1f} °C")]
            if cal.temperature is not None
            else []
        ),
        *(
            (
                f"Sensitivity on {p.date} (k = 2)",
                f"{p.sensitivity.value:.2f} ± {2 * p.sensitivity.u:.2f} counts/N",
            )
            for p in cal.earlier
        ),
        ("Verdict", good.verdict),
    ]
    rows = [
        [
            f"{p.mass.value:.4f}",
            f"{p.mass.value * gravity.value:.3f}",
            f"{p.reading:.0f}",
            f"{1e3 * r:+.1f}",
        ]
        for p, r in zip(cal.points, residual, strict=True)
    ]
    about = (
        f"{cal.date}. {len(rows)} readings over {span:.2f} N with masses applied in the "
        f"order below; g = {gravity.value:.4f} m/s²."
    )
    return _page(
        f"Calibration of {cal.cell}",
        about,
        facts,
        head=["mass, kg", "force, N", "reading, counts", "residual, mN"],
        rows=rows,
    )


def render_comparison(name: str, comparison: meters.Comparison, units: Mapping[str, str]) -> str:
    """A meter's sheet as HTML text. name: voltmeter, ammeter or tachometer; units: by kind of
    quantity. Raises ValueError when the points give no line."""
    line, kind = meters.fit(comparison), comparison.KIND
    unit = units[kind]
    true, shown = comparison.pairs()
    facts = [
        ("Gain (k = 2)", f"{100 * nominal(line.slope):.3f} ± {200 * std(line.slope):.3f} %"),
        (
            "Zero offset (k = 2)",
            show(nominal(line.intercept), kind, unit, u=std(line.intercept) or None),
        ),
        ("Non-linearity", f"{100 * np.abs(line.residuals).max() / np.ptp(shown):.3f} % of range"),
        ("Reference accuracy (k = 2)", f"{100 * comparison.reference_accuracy:.3g} %"),
    ]
    rows = [
        [f"{from_si(v, unit, kind):.5g}" for v in row]
        for row in zip(
            true, shown, (shown - nominal(line.intercept)) / nominal(line.slope), strict=True
        )
    ]
    about = f"{comparison.date}. {len(rows)} readings compared with {comparison.reference}."
    head = [f"reference, {unit}", f"reading, {unit}", f"reading corrected, {unit}"]
    return _page(
        f"Comparison of {comparison.instrument} ({name})", about, facts, head=head, rows=rows
    )


def _page(
    title: str, about: str, facts: list[tuple[str, str]], head: list[str], rows: list[list[str]]
) -> str:
    from jinja2 import Environment

    source = (
        resources.files("sparring.report")
        .joinpath("templates/certificate.html")
        .read_text(encoding="utf-8")
    )
    template = Environment(autoescape=True, trim_blocks=True, lstrip_blocks=True).from_string(
        source
    )
    return template.render(
        title=title,
        about=unbroken(about),
        facts=[(label, unbroken(value)) for label, value in facts],
        head=head,
        rows=rows,
        version=__version__,
    )
