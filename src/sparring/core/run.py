"""A run: one execution of a step on a build with a rig."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from sparring.core.by_eye import ByEye
from sparring.core.happening import Happening
from sparring.core.instruments.calibration import Calibration
from sparring.core.instruments.meters import Sensors
from sparring.core.plan import Outcome, PlanStep
from sparring.core.plan.record import Kind
from sparring.core.quantity import Measured
from sparring.core.records import PhotoName, Q, Record
from sparring.core.rig import Rig


class Run(Record):
    """What is known of one run beside its recording.

    step, kind: of the plan's step, by its id; load: weight hung (hook excluded), None where only
    the load cell knows. start, stop: the run's part of the recording [s]; tare: reading of the cell
    with nothing pulling, before it; calibration, sensors: the cell's and the other instruments', in
    force when it was made (None: those of the rig), so that calibrating anew does not change what
    was measured before. broke: the part that gave way in it; left_out: why it is, or once was, left
    out of the results. input_speed: at which a drive without a motor was to be turned [rad/s]; its
    voltage is 0. read: what a person read in it, in place of a recording or beside one; it goes
    before what was recorded of the same. events: what the detectors found in its recording when it
    was kept; photos, sounds: files of the logbook's folders
    for them.
    """

    version: Literal["sparring.run/1"] = "sparring.run/1"
    step: int = 0
    kind: Kind = "measure"
    repeat: int = 1
    load: Annotated[Measured, Q("mass", least=0.0)] | None = None
    voltage: Annotated[float, Q("voltage")]
    input_speed: Annotated[float, Q("speed", "rpm", least=0.0)] | None = None
    started: str = ""
    source: Literal["bench", "import", "simulated", "eye"] = "bench"
    ended: Literal["top", "stalled", "stopped", "limit", "interrupted"] = "top"
    start: Annotated[float, Q("time")] | None = None
    stop: Annotated[float, Q("time")] | None = None
    tare: Annotated[Measured, Q("count")] | None = None
    calibration: Calibration | None = None
    sensors: Sensors | None = None
    broke: Annotated[str, Field(max_length=80)] = ""
    left_out: Annotated[str, Field(max_length=120)] = ""
    read: ByEye | None = None
    events: Annotated[tuple[Happening, ...], Field(max_length=200)] = ()
    photos: Annotated[tuple[PhotoName, ...], Field(max_length=100)] = ()
    sounds: Annotated[tuple[PhotoName, ...], Field(max_length=100)] = ()

    @property
    def counts(self) -> bool:
        """Whether it is one of its step's repeats: what was interrupted is made again."""
        return self.ended != "interrupted"

    @property
    def outcome(self) -> Outcome:
        """As far as what comes next goes."""
        specimen = self.repeat if self.kind == "to failure" else 0
        return Outcome(self.step, self.ended == "stalled", bool(self.broke), specimen)


def run_of(
    rig: Rig,
    step: PlanStep,
    repeat: int,
    source: Literal["bench", "simulated", "eye"],
    voltage: float,
    *,
    has_motor: bool = True,
) -> Run:
    """The run of a plan's step that is about to be made at `voltage` [V], or turned at so many
    rad/s where there is no motor, with the instruments in force.
    """
    method = rig.method
    return Run(
        step=step.id,
        kind=step.kind,
        repeat=repeat,
        load=step.load if method.weighed() else None,
        voltage=voltage if has_motor else 0.0,
        input_speed=None if has_motor else voltage,
        calibration=rig.calibration if method.CELL else None,
        sensors=rig.sensors,
        source=source,
    )
