"""The same job without a window."""

from __future__ import annotations

import sys
from pathlib import Path


def main() -> None:
    """Entry point. Exit status 0; 1: the data is bad (what and where); 2: the call is wrong."""
    wanted = _window(sys.argv[1:])
    if wanted is not None:
        from sparring.home import home
        from sparring.ui.app.application import run

        word, folder, inspect = wanted
        default = home() / ("demo" if word == "demo" else "logbook")
        sys.exit(run(folder or default, inspect, demo=word == "demo"))
    from sparring.cli.app import app

    sys.exit(app())


def _window(arguments: list[str]) -> tuple[str, Path | None, Path | None] | None:
    """Whether the call is a plain one for the window, as of a launcher, which does not wait for the
    whole command line to load: its word, the folder, the socket to answer on.
    """
    word, *rest = arguments or [""]
    if word not in ("open", "demo"):
        return None
    inspect = None
    if len(rest) >= 2 and rest[-2] == "--inspect":
        *rest, _, socket = rest
        inspect = Path(socket)
    if len(rest) > 1 or any(part.startswith("-") for part in rest):
        return None
    return word, Path(rest[0]) if rest else None, inspect
