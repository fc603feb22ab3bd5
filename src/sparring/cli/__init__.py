"""The same job without a window."""

from __future__ import annotations

import sys


def main() -> None:
    """Entry point. Exit status 0; 1: the data is bad (what and where); 2: the call is wrong."""
    from sparring.cli.app import app

    sys.exit(app())
