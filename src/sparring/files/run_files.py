"""The runs of an exported test: what is known of each beside its recording, so that the folder can
be read back.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path
from typing import Any, NamedTuple

from sparring.core.recording import Recording
from sparring.core.records import RecordError
from sparring.core.run import Run
from sparring.files import json_text, log_files, log_look

_FORMAT = "sparring.runs/1"


class Kept(NamedTuple):
    """A run; file: of its recording, "": none; begins: the recording's first instant [s]; gaps,
    lost: of the recording; block: of a campaign in which it was made.
    """

    run: Run
    file: str = ""
    begins: float = 0.0
    gaps: tuple[tuple[float, float], ...] = ()
    lost: int = 0
    block: str = ""

    def recorded(self, file: str, recording: Recording) -> Kept:
        """With what a table of figures does not hold of a recording."""
        if not len(recording):
            return self
        begins = float(recording.t[0])
        return self._replace(file=file, begins=begins, gaps=recording.gaps, lost=recording.lost)


class Exported(NamedTuple):
    """What the file says: title of the test and its campaign, the runs that count with their
    recordings, and the block of each by step id and repeat.
    """

    title: str
    campaign: str
    runs: list[tuple[Run, Recording]]
    blocks: dict[tuple[int, int], str]


def text_of(title: str, campaign: str, kept: Sequence[Kept]) -> str:
    """The file's text."""
    document = {
        "format": _FORMAT,
        "title": title,
        "campaign": campaign or None,
        "runs": [
            {
                "run": json.loads(k.run.to_json()),
                "recording": k.file or None,
                "begins_s": k.begins,
                "gaps_s": [list(g) for g in k.gaps],
                "lines_lost": k.lost,
                "block": k.block or None,
            }
            for k in kept
        ],
    }
    return json_text.text_of(document) + "\n"


def load(path: Path) -> Exported:
    """Raises RecordError, LogError."""
    try:
        told: dict[str, Any] = json_text.read(path)
        rows = told["runs"]
        if told["format"] != _FORMAT:
            raise ValueError(f"its format is “{told['format']}”, not {_FORMAT}")
        found = [
            (
                Run.from_json(json.dumps(row["run"]), f"{path}, run {n}"),
                _recording(path.parent, row),
            )
            for n, row in enumerate(rows, start=1)
        ]
    except OSError as err:
        raise RecordError(f"{path}: {err.strerror or err}") from err
    except (ValueError, TypeError, LookupError, AttributeError, ArithmeticError) as err:
        if isinstance(err, RecordError | log_look.LogError):
            raise
        raise RecordError(f"{path} is no list of runs ({err}); export the test again") from err
    blocks = {
        (run.step, run.repeat): str(row["block"])
        for (run, _), row in zip(found, rows, strict=True)
        if row.get("block")
    }
    return Exported(str(told.get("title") or ""), str(told.get("campaign") or ""), found, blocks)


def _recording(folder: Path, row: dict[str, Any]) -> Recording:
    """Raises LogError. No name leads out of the folder."""
    name = row.get("recording")
    if not name:
        return Recording.nothing()
    if Path(str(name)).name != name:
        raise ValueError(f"the recording {name} lies outside the folder")
    recording, _ = log_files.read(log_look.look(folder / name))
    begins = float(row.get("begins_s", 0.0))
    gaps = tuple((float(a), float(b)) for a, b in row.get("gaps_s", ()))
    return Recording(
        recording.t + begins, recording.channels, gaps, lost=int(row.get("lines_lost", 0))
    )
