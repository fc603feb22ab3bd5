"""Campaigns of two factors with specimens that scatter, by random numbers and nothing of the
program: what a tester would export, a folder a test.
"""

from __future__ import annotations

import json

import numpy as np

LOADS = (0.2, 0.4, 0.6)  # [N·m]
AT = 0.4


def exported(seed, *, specimens=3, rounds=4, effects=(0.03, 0.05), sizes=(0.01, 0.006, 0.004)):
    """[(lubricant, material, specimen, result document)] of all cells. effects: of grease and of
    POM on the efficiency at AT; sizes: standard deviations of specimens, blocks, lifts.
    """
    rng = np.random.default_rng(seed)
    of_specimen, of_block, of_lift = sizes
    blocks = rng.normal(0, of_block, rounds)
    found = []
    for greased in (0, 1):
        for pom in (0, 1):
            for k in range(specimens):
                level = 0.78 + effects[0] * greased + effects[1] * pom
                level += rng.normal(0, of_specimen)
                each = level + blocks + rng.normal(0, of_lift, rounds)
                lubricant = "greased" if greased else "dry"
                material = "POM" if pom else "PA66"
                found.append((lubricant, material, f"set {k + 1}", document(each)))
    return found


def document(efficiency):
    """A result with these efficiencies at AT, a lift a load and round; at other loads a loss that
    grows with the load as friction does.
    """
    steps = []
    for n, torque in enumerate(LOADS):
        points = []
        for k, eta in enumerate(efficiency, start=1):
            put_in = AT / eta + (torque - AT) * 1.08
            points.append(
                {
                    "repeat": k,
                    "stalled": False,
                    "window_start_s": 1.0,
                    "window_stop_s": 2.0,
                    "effective_samples": 20.0,
                    "torque_Nm": torque,
                    "u_torque_Nm": 0.0,
                    "speed_rad_per_s": 12.0 - 6 * torque,
                    "u_speed_rad_per_s": 0.0,
                    "efficiency_gearbox": torque / put_in,
                    "u_efficiency_gearbox": 0.0,
                    "efficiency_wire_to_shaft": 0.6 * torque / put_in,
                    "u_efficiency_wire_to_shaft": 0.0,
                }
            )
        steps.append({"step": n, "voltage_V": 12.0, "points": points})
    return {"format": "sparring.result/1", "steps": steps}


def write(folder, told, build, rig, plan):
    """Exports them; build: its record with {lubricant} and {material} to be put in."""
    for n, (lubricant, material, specimen, result) in enumerate(told, start=1):
        own = folder / f"test-{n:02d}"
        own.mkdir(parents=True)
        record = json.loads(json.dumps(build))
        revision = 1 + 2 * (lubricant == "greased") + (material == "POM")
        record |= {"lubricant": lubricant, "revision": revision}
        for stage in record["stages"]:
            stage["material"] = material
        factors = [{"name": "specimen", "level": specimen}]
        for name, content in (
            ("build", record),
            ("rig", rig),
            ("plan", plan | {"factors": factors}),
            ("result", result),
        ):
            (own / f"{name}.json").write_text(json.dumps(content), encoding="utf-8")
