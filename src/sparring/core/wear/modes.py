"""Words for what is seen on a part: the modes of ISO 10825-1:2022 (names from memory), and what
plastic and printed parts do besides.
"""

from __future__ import annotations

from typing import NamedTuple


class Mode(NamedTuple):
    """One mode of damage. id: for good; key: the letter that chooses it; on: kinds of place where
    it occurs (tooth, bore, joint, body); look: what is seen; strokes: a line drawing, points in a
    square of 0 to 1, y upwards.
    """

    id: str
    title: str
    group: str
    key: str
    on: tuple[str, ...]
    look: str
    strokes: tuple[tuple[tuple[float, float], ...], ...]


_Stroke = tuple[tuple[float, float], ...]
_TOOTH: _Stroke = ((0.05, 0.1), (0.25, 0.15), (0.38, 0.85), (0.62, 0.85), (0.75, 0.15), (0.95, 0.1))
_BORE: _Stroke = (
    *(
        (0.5 + 0.35 * c, 0.5 + 0.35 * s)
        for c, s in ((1, 0), (0.7, 0.7), (0, 1), (-0.7, 0.7), (-1, 0), (-0.7, -0.7), (0, -1))
    ),
    (0.745, 0.255),
    (0.85, 0.5),
)
_PLATE: _Stroke = ((0.1, 0.25), (0.9, 0.25), (0.9, 0.75), (0.1, 0.75), (0.1, 0.25))


def _line(*points: float) -> _Stroke:
    return tuple(zip(points[::2], points[1::2], strict=True))


def _dots(*points: float, size: float = 0.025) -> tuple[_Stroke, ...]:
    return tuple(
        ((x - size, y), (x, y + size), (x + size, y), (x, y - size), (x - size, y))
        for x, y in zip(points[::2], points[1::2], strict=True)
    )


_TEETH, _HOLES = ("tooth",), ("bore", "joint")
MODES: tuple[Mode, ...] = (
    Mode(
        "polishing",
        "polishing",
        "wear",
        "o",
        _TEETH,
        "the flank shines; marks of making have gone",
        (_TOOTH, _line(0.34, 0.45, 0.30, 0.50), _line(0.38, 0.55, 0.34, 0.60)),
    ),
    Mode(
        "abrasive",
        "abrasive wear",
        "wear",
        "a",
        (*_TEETH, "bore", "joint", "body"),
        "fine parallel scratches from root to tip; dust",
        (_TOOTH, *(_line(0.30 + d, 0.3, 0.40 + d, 0.8) for d in (0.0, 0.05, 0.1))),
    ),
    Mode(
        "adhesive",
        "adhesive wear",
        "wear",
        "w",
        _TEETH,
        "material is missing evenly or smeared; the tooth is thinner",
        (_TOOTH, _line(0.27, 0.15, 0.36, 0.45, 0.47, 0.85)),
    ),
    Mode(
        "scuffing",
        "scuffing",
        "wear",
        "u",
        _TEETH,
        "rough torn bands in the direction of sliding, at tip and root",
        (_TOOTH, _line(0.36, 0.8, 0.42, 0.72, 0.36, 0.66), _line(0.28, 0.3, 0.34, 0.24, 0.27, 0.2)),
    ),
    Mode(
        "cold-flow",
        "cold flow",
        "plastic deformation",
        "f",
        _TEETH,
        "a lip at the tip or the end of the face; the flank is bellied",
        (_TOOTH, _line(0.38, 0.85, 0.30, 0.90, 0.36, 0.78)),
    ),
    Mode(
        "rippling",
        "rippling",
        "plastic deformation",
        "r",
        _TEETH,
        "waves across the direction of sliding, like scales",
        (_TOOTH, *(_line(0.29 + d / 4, 0.3 + d, 0.37 + d / 4, 0.27 + d) for d in (0.0, 0.15, 0.3))),
    ),
    Mode(
        "indentation",
        "indentation",
        "plastic deformation",
        "i",
        _TEETH,
        "a dent where something went through the mesh",
        (_TOOTH, _line(0.31, 0.5, 0.38, 0.48, 0.33, 0.58)),
    ),
    Mode(
        "micropitting",
        "micropitting",
        "fatigue",
        "m",
        _TEETH,
        "dull grey patches",
        (_TOOTH, *_dots(0.34, 0.45, 0.36, 0.5, 0.35, 0.55, 0.38, 0.52, 0.37, 0.6, size=0.01)),
    ),
    Mode(
        "macropitting",
        "macropitting",
        "fatigue",
        "p",
        _TEETH,
        "craters with sharp edges, mostly just below the pitch line",
        (_TOOTH, *_dots(0.35, 0.4, 0.37, 0.5, 0.40, 0.45)),
    ),
    Mode(
        "flank-fracture",
        "flank fracture",
        "fatigue",
        "q",
        _TEETH,
        "broken from the middle of the flank, across to the other root",
        (_TOOTH, _line(0.33, 0.5, 0.5, 0.4, 0.72, 0.2)),
    ),
    Mode(
        "crack",
        "crack",
        "cracks",
        "c",
        (*_TEETH, "bore", "joint", "body"),
        "a line that opens when the tooth is bent",
        (_TOOTH, _line(0.28, 0.18, 0.4, 0.2, 0.45, 0.13, 0.58, 0.15)),
    ),
    Mode(
        "broken-root",
        "tooth broken at its root",
        "fracture",
        "b",
        _TEETH,
        "the tooth is gone",
        (
            _line(0.05, 0.1, 0.25, 0.15, 0.35, 0.2, 0.45, 0.14, 0.6, 0.22, 0.75, 0.15, 0.95, 0.1),
            _line(0.38, 0.55, 0.45, 0.95, 0.65, 0.9, 0.7, 0.45, 0.5, 0.52, 0.38, 0.55),
        ),
    ),
    Mode(
        "broken-end",
        "end of the face broken off",
        "fracture",
        "e",
        _TEETH,
        "a corner of the tooth is missing at one end",
        (_line(0.1, 0.25, 0.9, 0.25, 0.9, 0.5, 0.7, 0.75, 0.1, 0.75, 0.1, 0.25),),
    ),
    Mode(
        "overload",
        "overload fracture",
        "fracture",
        "v",
        (*_TEETH, "joint", "body"),
        "rough fresh break without rests; the plastic is white beside it",
        (_TOOTH, _line(0.25, 0.2, 0.35, 0.35, 0.45, 0.22, 0.55, 0.38, 0.65, 0.24, 0.75, 0.3)),
    ),
    Mode(
        "fatigue-fracture",
        "fatigue fracture",
        "fracture",
        "g",
        (*_TEETH, "joint", "body"),
        "smooth break with rest lines round one origin",
        (
            _TOOTH,
            _line(0.28, 0.3, 0.38, 0.28),
            _line(0.28, 0.4, 0.46, 0.3, 0.46, 0.2),
            _line(0.3, 0.5, 0.56, 0.38, 0.56, 0.2),
        ),
    ),
    Mode(
        "melted",
        "melted flank",
        "heat",
        "t",
        _TEETH,
        "smeared, glossy, drawn into threads or over the tip",
        (_TOOTH, _line(0.36, 0.8, 0.28, 0.7, 0.33, 0.6, 0.22, 0.5, 0.28, 0.4)),
    ),
    Mode(
        "creep",
        "creep",
        "plastic deformation",
        "n",
        (*_TEETH, "bore", "joint", "body"),
        "bent to one side and stays so",
        (_line(0.05, 0.1, 0.25, 0.15, 0.5, 0.85, 0.74, 0.8, 0.75, 0.15, 0.95, 0.1),),
    ),
    Mode(
        "whitening",
        "stress whitening",
        "cracks",
        "h",
        (*_TEETH, "bore", "joint", "body"),
        "white where it was strained, mostly at the root",
        (_TOOTH, *(_line(0.26 + d, 0.16, 0.30 + d, 0.24) for d in (0.0, 0.04, 0.08, 0.12))),
    ),
    Mode(
        "layers-parted",
        "layers parted",
        "fracture",
        "l",
        (*_TEETH, "joint", "body"),
        "split along the printed layers",
        (
            _PLATE,
            _line(0.1, 0.4, 0.9, 0.4),
            _line(0.1, 0.5, 0.9, 0.5),
            _line(0.1, 0.6, 0.5, 0.62, 0.9, 0.66),
        ),
    ),
    Mode(
        "split-from-corner",
        "split from a corner to a root",
        "fracture",
        "s",
        ("bore", "joint"),
        "a crack from the flat's or key's corner towards a tooth root",
        (_BORE, _line(0.745, 0.745, 0.85, 0.82, 0.88, 0.92, 0.97, 0.97)),
    ),
    Mode(
        "bore-turned",
        "bore turned on its flat",
        "plastic deformation",
        "d",
        _HOLES,
        "the flat is rounded off; the gear turns on its shaft",
        (_BORE, _line(0.6, 0.2, 0.8, 0.3), _line(0.72, 0.2, 0.8, 0.3, 0.69, 0.33)),
    ),
    Mode(
        "hex-rounded",
        "hex rounded",
        "plastic deformation",
        "x",
        _HOLES,
        "the corners of the hexagon are round",
        (
            _line(
                0.5,
                0.1,
                0.84,
                0.3,
                0.86,
                0.66,
                0.78,
                0.74,
                0.5,
                0.9,
                0.16,
                0.7,
                0.16,
                0.3,
                0.5,
                0.1,
            ),
        ),
    ),
    Mode(
        "infill-crushed",
        "infill crushed",
        "plastic deformation",
        "k",
        ("bore", "joint", "body"),
        "the shell yields and the part has gone soft",
        (_PLATE, _line(0.2, 0.3, 0.35, 0.6, 0.45, 0.35, 0.6, 0.55, 0.7, 0.32, 0.8, 0.5)),
    ),
    Mode(
        "insert-pulled",
        "insert pulled out",
        "fracture",
        "j",
        ("joint", "body"),
        "a threaded insert has come out or turns",
        (_PLATE, _line(0.42, 0.5, 0.42, 0.95, 0.58, 0.95, 0.58, 0.5)),
    ),
    Mode(
        "glue-parted",
        "glued joint parted",
        "fracture",
        "y",
        ("joint", "body"),
        "the joint has opened; the glue is on one side only",
        (_line(0.1, 0.25, 0.9, 0.25, 0.9, 0.45, 0.1, 0.45, 0.1, 0.25), _line(0.1, 0.6, 0.9, 0.7)),
    ),
    Mode(
        "tooth-bent",
        "tooth bent",
        "plastic deformation",
        "z",
        _TEETH,
        "the tooth leans away from its load",
        (_line(0.05, 0.1, 0.25, 0.15, 0.55, 0.8, 0.78, 0.72, 0.75, 0.15, 0.95, 0.1),),
    ),
    Mode(
        "own-dust",
        "dust of its own material",
        "wear",
        ".",
        (*_TEETH, "body"),
        "powder of the gear's colour in the housing",
        (_TOOTH, *_dots(0.15, 0.2, 0.2, 0.28, 0.1, 0.3, 0.85, 0.25, 0.9, 0.32, size=0.015)),
    ),
    Mode(
        "dirt",
        "foreign dirt",
        "wear",
        ",",
        (*_TEETH, "bore", "body"),
        "sand, fibres or chips of something else",
        (_TOOTH, _line(0.1, 0.25, 0.18, 0.33), *_dots(0.86, 0.25, size=0.03)),
    ),
)
BY_ID: dict[str, Mode] = {m.id: m for m in MODES}
BY_KEY: dict[str, Mode] = {m.key: m for m in MODES}
