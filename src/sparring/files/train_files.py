"""A build's working point as JSON: SI numbers with the unit in the name."""

from __future__ import annotations

from typing import Any

from sparring.core import predict
from sparring.core.build import MOTOR, OUTPUT, Build
from sparring.core.findings.build import judge_build
from sparring.core.train.torque import TorqueFlow, back_drive_efficiency
from sparring.files.result_files import finding_to_dict


def to_dict(build: Build, torque: float, volts: float) -> dict[str, Any]:
    """The stable document described in docs/formats.md: a build working against an output torque
    [N·m] at a voltage [V]. Raises TrainError, SelfLocking.
    """
    flow = predict.power_flow(build, torque, volts)
    speeds = build.flow(torque, flow.stations[1].speed or 0.0)
    stall = predict.stall_torque(build, volts)
    return {
        "format": "sparring.train/2",
        "build": build.name,
        "ratio": build.ratio(),
        "load_Nm": torque,
        "voltage_V": volts,
        "current_A": flow.current,
        "stall_torque_Nm": stall,
        "efficiency_gearbox": flow.gearbox,
        "efficiency_wire_to_shaft": flow.wire_to_shaft,
        "efficiency_back_drive": back_drive_efficiency(build.elements(), MOTOR, OUTPUT),
        "backlash_output_rad": None if build.backlash_unknown() else build.backlash(),
        "backlash_known_part_rad": build.backlash(),
        "backlash_not_known": build.backlash_unknown(),
        "shafts": [
            {
                "name": s,
                "speed_rad_per_s": speeds.speeds[s] if torque < stall else 0.0,
                "torque_Nm": speeds.shaft_torques.get(s, 0.0),
            }
            for s in build.all_shafts()
        ],
        "stages": _stages(build, speeds),
        "limits": [
            {"part": x.name, "mode": x.mode, "output_torque_Nm": x.output, "basis": x.basis}
            for x in build.limits
        ],
        "findings": [finding_to_dict(f) for f in judge_build(build, volts)],
    }


def _stages(build: Build, speeds: TorqueFlow) -> list[dict[str, Any]]:
    return [
        {
            "name": n,
            "kind": s.kind,
            "ratio": s.ratio,
            "efficiency": s.efficiency(),
            "loss_W": speeds.mesh_losses.get(n, 0.0),
            "meshes": [
                {
                    "name": c.name,
                    "contact_ratio": c.pair.contact_ratio(),
                    "loss_factor": c.pair.loss_factor(),
                }
                for c in s.contacts()
            ],
        }
        for n, s in zip(build.stage_names(), build.stages, strict=True)
    ]
