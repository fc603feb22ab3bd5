"""Watches a run under way from its blocks, where no window does."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from sparring.bench.ring import Ring
from sparring.bench.session import Session
from sparring.core import lookout
from sparring.core.build import Build
from sparring.core.events import Event
from sparring.core.plan import Plan
from sparring.core.rig import Rig


class Lookout:
    """Looks at what came, now and then. happened: is told each kind of event once a run."""

    def __init__(
        self,
        session: Session,
        build: Build,
        rig: Rig,
        plan: Plan,
        *,
        happened: Callable[[Event], None],
    ) -> None:
        self._session, self._of, self._happened = session, (build, rig, plan), happened
        self._ring: Ring | None = None
        self._looked = -np.inf
        self._began: float | None = None
        self._told: set[str] = set()

    def add(self, t: np.ndarray, values: np.ndarray, channels: tuple[str, ...]) -> None:
        """Samples came, as a notice of a block has them."""
        if self._ring is None or self._ring.channels != channels:
            self._ring = Ring(channels)
        self._ring.add(t, values)

    def look(self) -> bool:
        """Whether the run under way has been steady for long enough."""
        began, ring = self._session.facts().drive_started, self._ring
        if self._session.state != "lifting" or began is None or ring is None or not ring.count:
            return False
        if began != self._began:
            self._began, self._told = began, set()
        now = float(ring.t[-1])
        if now - self._looked < lookout.EVERY:
            return False
        self._looked = now
        start = max(began - lookout.BEFORE, now - lookout.BACK)
        recording = ring.recording(start, self._session.gaps)
        seen = lookout.look(*self._of, recording, self._session.facts().tare)
        for e in seen.events:
            if e.id not in self._told:
                self._told.add(e.id)
                self._session.mark(e.title, e.at)
                self._happened(e)
        return seen.steady
