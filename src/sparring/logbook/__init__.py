"""The logbook: a folder that holds builds, rigs, tests, runs and their recordings."""

from sparring.logbook.store import Logbook, LogbookError

__all__ = ["Logbook", "LogbookError"]
