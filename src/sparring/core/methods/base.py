"""What every way of loading a drive gives: dimensions to ask for, the torque they make of the
readings, the load for the plant.
"""

from __future__ import annotations

import math
from abc import abstractmethod
from collections.abc import Callable, Mapping
from typing import Any, ClassVar

from sparring.core.input_quantity import declare, lowered
from sparring.core.quantity import Measured
from sparring.core.records import Record
from sparring.core.uncertainty import Uncertain, from_measured, nominal

Mean = Callable[[str], Uncertain]
"""The mean of a channel over the window, with uncertainty; None where it was not recorded. Beside
the channels: `slack` and `rest`, which a person reads, and `hung`, the weight of the step [N]."""
Figures = Mapping[str, Uncertain]
"""A method's dimensions by field name: numbers with uncertainty, or plain ones."""


class MethodBase(Record):
    """Base of all methods. One is a module of its own: the record, its torque, its load, and
    nothing else.
    """

    TITLE: ClassVar[str] = ""
    PURPOSE: ClassVar[str] = ""
    CARE: ClassVar[str] = ""
    FIELDS: ClassVar[tuple[tuple[str, str], ...]] = ()  # (label, field) in the order a tester asks
    MAIN: ClassVar[str] = ""  # the dimension that names the bench; "": the first
    ROLLS: ClassVar[tuple[str, str]] = ("", "")  # wheel or drum on the output, its diameter's field
    STEP: ClassVar[str] = "weight"  # what the plan's weights are here; "": it has none
    # the board's command for a step, and the kind of its figure
    SET_BY: ClassVar[tuple[str, str]] = ("hang", "mass")
    CELL: ClassVar[str] = ""  # where the load cell sits; "": there is none
    CHANNELS: ClassVar[tuple[str, ...]] = ()  # recorded beside the usual ones
    LETS_DOWN: ClassVar[bool] = False  # the load comes back by itself or is let down after a run
    # what the button and the bench say
    DOES: ClassVar[tuple[str, str, str]] = ("Run", "Running", "Stopping")
    DONE: ClassVar[str] = "ran"  # of a run that came to its end
    # what a reduction asks for that finds no torque
    WANTS: ClassVar[str] = (
        "neither the hung weight nor a calibrated load cell is known; enter one of them"
    )
    BY_EYE: ClassVar[tuple[str, ...]] = ("voltage", "current")  # read of a run, beside its speed
    STANDS: ClassVar[bool] = False  # it only says whether the load was moved, not how fast
    # the torque is what brings a mass up to speed; the tachometer sits on that mass
    ACCELERATES: ClassVar[bool] = False
    HELD: ClassVar[bool] = False  # the output is held: every run is a stall, whose torque is read

    CORD: ClassVar[bool] = False  # the load hangs or is towed on a cord or line that may break
    FADES: ClassVar[bool] = False  # it rubs, and rubs less as it warms
    # the dimension that holds its own steps, in place of the plan's weights, and their unit
    STEPS: ClassVar[tuple[str, str]] = ("", "")
    # a length that torque is in proportion to: (field, least, most) [m] of benches of this kind
    SIZE: ClassVar[tuple[str, float, float]] = ("", 0.0, 0.0)

    # --- what a method fills in -------------------------------------------------------------------

    def known(self, x: Figures, load: Uncertain, g: Uncertain) -> Uncertain:
        """Torque at the gearbox's output [N·m] from the mass `load` [kg] as weighed; None where a
        mass does not tell it.
        """
        return None

    def measured(self, x: Figures, mean: Mean) -> Uncertain:
        """Torque at the gearbox's output [N·m] from sensors; None where there are none."""
        return None

    @abstractmethod
    def expected(self, load: float, g: float) -> float:
        """About what torque [N·m] a step's mass will ask for: for the plan and for predictions,
        never a result.
        """

    def resists(self, setting: float, g: float) -> tuple[float, float]:
        """(constant [N·m], slope [N·m·s/rad]) of about what resists at the output with a step's
        setting on it, over its speed; for predictions.
        """
        return (math.inf, 0.0) if self.HELD else (self.expected(setting, g), 0.0)

    @abstractmethod
    def body(self, load: Any, g: Any) -> dict[str, Any]:
        """Parameters of the plant's load with this mass on it, as the dimensions say; see
        `plant.bench.Bench`.
        """

    def turned(self, x: Figures, travel: Uncertain) -> Uncertain:
        """Angle of the output [rad] over which the load goes so far [m]; None where it does not
        tell.
        """
        return None

    def tachometer(self, output: Any, body: Any) -> Any:
        """What the tachometer reads [rad/s], of the speeds of the output and of the body behind
        it.
        """
        return output

    def got_there(self, turned: float) -> bool:
        """Whether a load is at its end that turned the output by so much [rad]."""
        return True

    def holds_for(self, power: float) -> float:
        """Seconds until it is as hot as allowed at `power` [W], all heat kept: it may hold longer,
        never shorter.
        """
        return math.inf

    def least_size(self) -> float:
        """What `SIZE` is at least, with this method's other dimensions [m]."""
        return self.SIZE[1]

    def cell_force(self, torque: float) -> float | None:
        """Force on the load cell [N] at a torque of the output [N·m]; None
        where there is no cell."""
        return None

    @property
    def course(self) -> tuple[float, float, float]:
        """How a run goes: (height at which it is at its end, seconds driven, seconds of coasting
        after them).
        """
        return float("inf"), float("inf"), 0.0

    @property
    def open_ended(self) -> bool:
        """Whether a run goes on for as long as is wanted: no travel ends it, and nothing of it
        comes after the drive.
        """
        height, driven, coasts = self.course
        return math.isinf(height) and math.isfinite(driven) and not coasts and not self.swept

    @property
    def swept(self) -> bool:
        """Whether the load grows slowly to what was set and goes back within one run."""
        return False

    def main(self) -> tuple[str, str]:
        """(label, field) of the dimension that every torque rests on."""
        wanted = self.MAIN or self.FIELDS[0][1]
        return next(f for f in self.FIELDS if f[1] == wanted)

    def setting(self, load: float | None, resistor: float | None) -> float:
        """What `body` takes of a step: its mass [kg], or what the method has instead; nothing on it
        where a step says nothing.
        """
        return 0.0 if load is None else load

    @property
    def word(self) -> str:
        """Its name within a sentence."""
        return str(type(self).model_fields["kind"].default).replace("-", " ")

    def weighed(self) -> bool:
        """Whether a step is a mass whose weight, as entered, counts in the result or at least names
        it.
        """
        return bool(self.STEP) and self.SET_BY[1] == "mass"

    def top_speed(self, limit: float) -> float:
        """The speed at the tachometer [rad/s] at which a bench stops whose
        output may do `limit`."""
        return limit

    @classmethod
    def __pydantic_init_subclass__(cls, **kwargs: Any) -> None:
        super().__pydantic_init_subclass__(**kwargs)
        for label, name in cls.FIELDS:
            declare(cls._input(name), lowered(label), "rig")

    @classmethod
    def _input(cls, name: str) -> str:
        """The id of a dimension as an input quantity."""
        return f"{cls.model_fields['kind'].default}.{name}"

    # --- what follows -----------------------------------------------------------------------------

    def figures(self) -> dict[str, Uncertain]:
        """Every dimension as entered, without uncertainty."""
        return {
            name: nominal(getattr(v, "value", v))
            for _, name in self.FIELDS
            if not isinstance(v := getattr(self, name), str | None)
        }

    def shared(self) -> dict[str, Uncertain]:
        """Every dimension as one input, the same in all runs."""
        found: dict[str, Uncertain] = {}
        for _, name in self.FIELDS:
            value = getattr(self, name)
            if isinstance(value, Measured):
                found[name] = from_measured(value, self._input(name))
            elif isinstance(value, int | float):
                found[name] = value
        return found
