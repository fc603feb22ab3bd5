"""The logbook: a folder that holds builds, rigs, tests, runs and their recordings."""

from sparring.logbook.database import LogbookError
from sparring.logbook.store import Logbook

__all__ = ["Logbook", "LogbookError"]
