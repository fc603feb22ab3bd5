"""Life tests: a duty cycle done over and over until something ends it, and what each cycle did."""

from sparring.core.endurance.cycle import Cycle, Totals
from sparring.core.endurance.duty import Endurance, Phase, Stop, stops
from sparring.core.endurance.ending import ended

__all__ = ["Cycle", "Endurance", "Phase", "Stop", "Totals", "ended", "stops"]
