"""An edit that waits for a word of the tester."""

from __future__ import annotations

from dataclasses import dataclass

from sparring.core.build import Build
from sparring.core.revise import Kind
from sparring.core.rig import Rig


@dataclass(frozen=True)
class Draft:
    """An edit of a build or rig that was tested, until the tester says whether it is a new one or
    was wrong all along.
    """

    kind: Kind
    before: Build | Rig
    after: Build | Rig
    text: str
    runs: int
