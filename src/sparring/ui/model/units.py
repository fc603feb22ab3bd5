"""Figures in the units that the tester has chosen."""

from __future__ import annotations

import math
from typing import Any

from PyQt6.QtCore import QSettings

from sparring.core import quantity
from sparring.core.quantity import Measured
from sparring.core.uncertainty import nominal, std


def stored_units(settings: QSettings) -> dict[str, str]:
    """The unit of each kind of quantity, as chosen before or by default."""
    units = {k.name: k.default for k in quantity.KINDS.values()} | {"ratio": "%"}
    for kind in list(units):
        stored = settings.value(f"units/{kind}")
        if isinstance(stored, str) and stored in quantity.kind_of(kind).units:
            units[kind] = stored
    return units


class InUnits:
    """Shows values by `units`: the unit of each kind of quantity."""

    units: dict[str, str]

    def three(self, value: float, kind: str) -> str:
        """A predicted or live figure with three significant digits, in the tester's unit."""
        shown = abs(quantity.from_si(value, self.units[kind], kind))
        return self.show(
            value,
            kind,
            decimals=min(6, max(0, 2 - math.floor(math.log10(shown)))) if shown > 1e-7 else 0,
        )

    def show(
        self,
        value: Any,
        kind: str,
        *,
        u: bool = True,
        decimals: int | None = None,
        with_unit: bool = True,
    ) -> str:
        """A value (plain or with uncertainty) in the tester's unit."""
        if value is None:
            return "–"
        if isinstance(value, Measured):
            return quantity.show(
                value.value,
                kind,
                self.units[kind],
                u=value.u if u else None,
                decimals=decimals,
                with_unit=with_unit,
            )
        n, s = nominal(value), std(value)
        return quantity.show(
            n,
            kind,
            self.units[kind],
            u=s if u and s else None,
            decimals=decimals,
            with_unit=with_unit,
        )
