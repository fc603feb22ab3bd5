"""The kinds of charts of Results, in the order of their row: a module each, and its line here."""

from __future__ import annotations

from sparring.ui.pages.results.kinds.base import Kind
from sparring.ui.pages.results.kinds.efficiency import MapKind
from sparring.ui.pages.results.kinds.losses import LossesKind
from sparring.ui.pages.results.kinds.orders import OrdersKind
from sparring.ui.pages.results.kinds.repeats import RepeatsKind
from sparring.ui.pages.results.kinds.temperature import TemperatureKind
from sparring.ui.pages.results.kinds.torque import TorqueKind

KINDS: tuple[type[Kind], ...] = (
    TorqueKind,
    MapKind,
    LossesKind,
    OrdersKind,
    TemperatureKind,
    RepeatsKind,
)
