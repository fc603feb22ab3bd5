"""Words that stood where logbooks now have ids: those of schema 3 and before, and what became of
them. Kept as they were; a word on the screen that changes has no place here.
"""

from __future__ import annotations

from sparring.core.characterise.base import Part

READINGS = {
    "Lever, hung mass": "lever",
    "Lever on a scale": "scale",
    "Rope brake": "rope-brake",
    "Drawbar pull": "drawbar",
    "Run-up of a known inertia": "run-up",
    "Swing test of an inertia": "swing",
    "Generator into a load": "generator",
    "Bare motor": "bare-motor",
    "Stepper, torque at a step rate": "stepper",
    "Wind-up and lost motion": "wind-up",
    "Break-away and back-drive torque": "break-away",
    "Drum friction of a hoist": "drum-friction",
    "Speed by counting": "counting",
}
DIMENSIONS = {
    "hoist": {
        "drum diameter": "drum_diameter",
        "drum radius (check)": "drum_radius",
        "drum friction": "bearing",
        "layers of cord": "layers",
        "cord diameter": "cord_diameter",
        "hook mass": "hook_mass",
        "travel": "travel",
    },
    "lever": {
        "upper stop angle": "top",
        "arm, axis to hook": "arm",
        "mass of the arm": "arm_mass",
        "its mass centre at": "arm_centre",
        "lower stop angle": "start",
        "hook and washers": "hook_mass",
    },
    "brake": {
        "torque by 1 kg on it": "grips",
        "heat to warm it 1 K": "heat_capacity",
        "hottest allowed": "hottest",
        "arm, axis to cell": "arm",
        "arm off square": "angle",
        "driven for": "hold",
        "load": "load",
    },
    "drawbar": {
        "on driven wheels": "on_wheels",
        "wheel diameter": "wheel_diameter",
        "empty sled": "sled_mass",
        "rolling force": "rolls",
        "sled friction, about": "sled_friction",
        "tyre friction, about": "traction",
        "driven for": "hold",
    },
    "run-up": {
        "inertia": "inertia",
        "turns per output turn": "gearing",
        "coasts": "coasts",
        "safe speed": "safe_speed",
        "outer radius": "outer_radius",
        "shape": "shape",
        "density": "density",
        "strength of it": "strength",
        "driven for": "hold",
        "coasts for": "coast",
    },
    "generator": {
        "volts per speed": "constant",
        "its own drag": "own_drag",
        "its winding": "winding",
        "driven for": "hold",
    },
}
_MOTOR = {
    "voltage": "voltage",
    "no-load speed": "no_load_speed",
    "no-load current": "no_load_current",
    "stall current": "stall_current",
}
INPUTS = {
    "gravity": "gravity",
    "weight hung": "weight",
    "tare": "tare",
    "winding temperature": "winding-temperature",
    "warming during the lift": "winding-warming",
    "rotor inertia": "rotor-inertia",
    "whose drag it is": "whose-drag",
    "drag at other speeds": "other-drag",
    "weights that bracket the stall": "stall-bracket",
    "departure from a straight line": "bent-line",
    "voltmeter at the load": "voltmeter.at-load",
    "ammeter at the load": "ammeter.at-load",
    **{
        f"{line}: {part}": f"{id}.{part}"
        for line, id in (
            ("load cell", "cell"),
            ("second load cell", "second-cell"),
            ("voltmeter", "voltmeter"),
            ("ammeter", "ammeter"),
            ("tachometer", "tachometer"),
        )
        for part in ("zero", "slope")
    },
    **{m: f"{m}.gain" for m in ("voltmeter", "ammeter", "tachometer")},
    **{f"{m}'s reference": f"{m}.reference" for m in ("voltmeter", "ammeter", "tachometer")},
    **{f"motor readings: {words}": f"motor.{field}" for words, field in _MOTOR.items()},
    **{
        f"motor {n} readings: {words}": f"further-motor.{field}:{n}"
        for n in range(2, 9)
        for words, field in _MOTOR.items()
    },
}


PARTS: dict[str, Part] = {
    "bare-motor": "motor",
    "stepper": "motor",
    "swing": "inertia",
    "wind-up": "build",
    "break-away": "build",
    "drum-friction": "rig",
    "counting": "rig",
    "generator": "rig",
}
"""What a way of the versions before was of."""


def readings_key(key: str) -> str:
    """The setting under which readings are kept, from that of a version before (`by hand 3 Bare
    motor`); any other as it is.
    """
    number, _, title = key.removeprefix("by hand ").partition(" ")
    if key.startswith("by hand ") and title in READINGS:
        return f"readings {number} {READINGS[title]}"
    return key


def input_key(key: str, method: str) -> str:
    """The key of an input that results share, from that of a version before (`drum diameter of
    Hoist A, 0.05 ± 2.5e-05`); one that is not known as it is, and so shared with no result.

    method: of the rig.
    """
    words, _, figures = key.rpartition(", ")
    known = INPUTS | {w: f"{method}.{field}" for w, field in DIMENSIONS.get(method, {}).items()}
    for w in sorted(known, key=len, reverse=True):
        if words == w or words.startswith(f"{w} of "):
            return f"{known[w]}, {figures}"
    return key
