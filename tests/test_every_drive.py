"""Every drive of the yard, lifted on the plant and reduced: what went in comes out."""

import pytest
from helpers import make_runs, planned

from sparring.core import predict
from sparring.core.analysis import analyse
from sparring.core.build import Build
from sparring.core.motor import FurtherMotor
from sparring.core.quantity import Measured
from sparring.core.records import changed
from sparring.core.train.kinds import ShiftStage, SpurStage
from sparring.core.uncertainty import nominal, std
from sparring.demo import hollin_yard
from sparring.demo.drives import others

DRIVES = {b.name: b for b in others(hollin_yard.motor())}
SLOWER = changed(hollin_yard.motor(), ("no_load_speed",), Measured(420.0, 1.2))
DRIVES["two unequal motors"] = Build(
    motor=hollin_yard.motor(),
    further_motors=(FurtherMotor(readings=SLOWER),),
    stages=(SpurStage(), SpurStage()),
)
DRIVES["a box in its second speed"] = Build(
    motor=hollin_yard.motor(), stages=(ShiftStage(engaged=2), SpurStage(pinion=12, wheel=72))
)


@pytest.mark.parametrize("name", [n for n in DRIVES if n != "Wren r2"])
def test_what_the_plant_does_is_what_is_measured(name, rig):
    """Gearbox efficiency and current at two weights agree with the plant's own, within the stated
    uncertainty.
    """
    build = DRIVES[name]
    per_kilogram = predict.load_torque(rig, 1.0) - predict.load_torque(rig, 0.0)
    stall = predict.stall_torque(build, 12.0)
    plan = planned(
        tuple(Measured(round(f * stall / per_kilogram, 3), 5e-4) for f in (0.3, 0.6)), repeats=2
    )
    short = changed(rig, ("method", "travel"), 0.45)
    runs, _ = make_runs(build, short, plan, seed=3)
    result = analyse(build, short, plan, runs)
    assert len(result.lifted) == 2
    for step in result.lifted:
        told = predict.power_flow(build, nominal(step.torque), nominal(step.voltage))
        assert abs(nominal(step.gearbox) - told.gearbox) < 3 * std(step.gearbox) + 0.01
        # the winding warms within a lift
        assert nominal(step.current) == pytest.approx(told.current, rel=0.05)
    assert "speeds-against-ratio" not in {f.id for f in result.findings}
