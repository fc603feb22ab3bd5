"""A load cell's calibration as one HTML page without outside parts."""

from __future__ import annotations

from importlib import resources

import numpy as np

from sparring import __version__
from sparring.core.quantity import Measured
from sparring.core.rig import calibration
from sparring.core.uncertainty import nominal, std


def render(cal: calibration.Calibration, gravity: Measured) -> str:
    """The sheet as HTML text. Raises ValueError when the points give no line."""
    from jinja2 import Environment

    source = resources.files("sparring.report").joinpath("templates/certificate.html").read_text(encoding="utf-8")
    template = Environment(autoescape=True, trim_blocks=True, lstrip_blocks=True).from_string(source)
    line = calibration.fit(cal, gravity.value)
    residual = line.residuals / nominal(line.slope)
    rows = [
        {
            "mass": f"{p.mass.value:.4f}",
            "force": f"{p.mass.value * gravity.value:.3f}",
            "reading": f"{p.reading:.0f}",
            "off": f"{1e3 * r:+.1f}",
        }
        for p, r in zip(cal.points, residual, strict=True)
    ]
    span = float(np.ptp([p.mass.value for p in cal.points])) * gravity.value
    return template.render(
        cal=cal,
        rows=rows,
        quality=calibration.quality(cal, gravity.value),
        sensitivity=f"{nominal(line.slope):.2f} ± {2 * std(line.slope):.2f}",
        zero=f"{nominal(line.intercept):.0f} ± {2 * std(line.intercept):.0f}",
        gravity=f"{gravity.value:.4f}",
        span=f"{span:.2f}",
        version=__version__,
    )
