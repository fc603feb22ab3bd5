"""What an import is. Nothing heavy is loaded before something is read."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from sparring.core.build import Build
    from sparring.core.recording import Recording
    from sparring.core.rig import Rig
    from sparring.core.run import Run
    from sparring.files.log_look import LogLook

Columns = dict[int, tuple[str, str]]
"""Column position, from 0 -> (channel, unit)."""


@dataclass(frozen=True)
class LogFormat:
    """A log of another logger. look: what seems to be in it; read: what is, SI, by what each column
    holds (None: as guessed), and remarks on what was left out. Both raise LogError.
    """

    id: str
    words: str
    suffixes: tuple[str, ...]
    look: Callable[[Path], LogLook]
    read: Callable[[LogLook, Columns | None, Callable[[float], None]], tuple[Recording, list[str]]]


@dataclass(frozen=True)
class RecordFormat:
    """A file of a build or rig. load: raises RecordError."""

    id: str
    words: str
    suffixes: tuple[str, ...]
    load: Callable[[Path], Build | Rig]


@dataclass(frozen=True)
class RunsFormat:
    """Runs without recordings. fits: whether a file is such a one, whatever its ending is shared
    with; read: at the motor's own voltage [V] where it names none, raises RecordError.
    """

    id: str
    words: str
    suffixes: tuple[str, ...]
    fits: Callable[[Path], bool]
    read: Callable[[Path, float], list[Run]]
