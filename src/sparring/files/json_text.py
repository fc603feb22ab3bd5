"""Every JSON document that goes out: RFC 8259, which knows no NaN and no infinity."""

from __future__ import annotations

import json
import math
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from sparring.core.records import RecordError


def text_of(document: Any, *, line: bool = False) -> str:
    """A document as text, in one line or indented; a figure that is none is null."""
    return json.dumps(
        _strict(document), indent=None if line else 2, ensure_ascii=False, allow_nan=False
    )


def _strict(value: Any) -> Any:
    if isinstance(value, float):
        return float(value) if math.isfinite(value) else None
    if isinstance(value, Mapping):
        return {key: _strict(v) for key, v in value.items()}
    if isinstance(value, list | tuple):
        return [_strict(v) for v in value]
    return value


def read(path: Path) -> Any:
    """The JSON of a file. Raises RecordError, which names it, and OSError."""
    try:
        return json.loads(path.read_bytes().removeprefix(b"\xef\xbb\xbf"))
    except RecursionError as err:
        raise RecordError(f"{path}: it is nested too deeply to be read") from err
    except ValueError as err:  # also of bytes that are no text
        raise RecordError(f"{path}: no JSON: {err}") from err
