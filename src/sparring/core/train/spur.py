"""The spur stage: two gears on fixed axes."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from sparring.core.quantity import Measured
from sparring.core.records import Q, Record
from sparring.core.train import kinematics, losses, teeth

Teeth = Annotated[int, Field(ge=4, le=2000)]
Shift = Annotated[float, Field(ge=-1.0, le=1.5)]


class SpurStage(Record):
    """One external pair. The friction coefficient carries the uncertainty that the predicted efficiency shows."""

    kind: Literal["spur"] = "spur"
    pinion: Teeth = 12
    wheel: Teeth = 48
    module: Annotated[float, Q("length", "mm", above=0.0, most=0.1)] = 1e-3
    face_width: Annotated[float, Q("length", "mm", above=0.0, most=1.0)] = 6e-3
    pressure_angle: Annotated[float, Q("angle", "deg", least=0.17, most=0.61)] = teeth.ALPHA_20
    pinion_shift: Shift = 0.0
    wheel_shift: Shift = 0.0
    opening: Annotated[float, Q("length", "mm", least=0.0, most=0.05)] = 0.0
    friction: Annotated[Measured, Q("ratio", "", least=0.0, most=1.0)] = Measured(0.09, 0.0135)
    drag: Annotated[float, Q("torque", "mN·m", least=0.0)] = 0.0
    material: str = "POM"

    @property
    def ratio(self) -> float:
        """Input over output speed [-], negative: the wheel turns against the pinion."""
        return -self.wheel / self.pinion

    def loss_factor(self) -> float:
        """H_V of this pair [-]."""
        return losses.loss_factor(
            self.module, self.pinion, self.wheel, self.pinion_shift, self.wheel_shift, self.opening, self.pressure_angle
        )

    def contact_ratio(self) -> float:
        """Transverse contact ratio ε_α [-]. Raises ValueError when the teeth do not reach each other."""
        return sum(
            teeth.contact_ratios(
                self.module, self.pinion, self.wheel, self.pinion_shift, self.wheel_shift, self.opening, self.pressure_angle
            )
        )

    def centre_distance(self) -> float:
        """Distance of the axes as built [m]."""
        return self.opening + teeth.centre_distance(
            self.module, self.pinion, self.wheel, self.pinion_shift, self.wheel_shift, self.pressure_angle
        )

    def backlash(self) -> float:
        """Backlash seen at the wheel [rad], from the opened centres."""
        alpha_w = teeth.working_pressure_angle(self.pinion, self.wheel, self.pinion_shift, self.wheel_shift, self.pressure_angle)
        return teeth.backlash_from_opening(self.opening, alpha_w) / (self.module * self.wheel / 2)

    def elements(self, shaft_in: str, shaft_out: str, name: str, friction: float | None = None) -> list[kinematics.Element]:
        """What this stage contributes to the train; friction [-] overrides the nominal one."""
        mu = self.friction.value if friction is None else friction
        eta = losses.basic_efficiency(mu, self.loss_factor())
        return [kinematics.external(shaft_in, shaft_out, self.pinion, self.wheel, eta=eta, name=name)]

    def in_words(self) -> str:
        """`12/48`, as the title block shows it."""
        return f"{self.pinion}/{self.wheel}"
