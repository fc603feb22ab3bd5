"""Where a user's logbooks are kept."""

from __future__ import annotations

from pathlib import Path


def home() -> Path:
    """The folder of the user's own logbook and of the demo's."""
    from platformdirs import user_data_path

    return user_data_path("sparring")
