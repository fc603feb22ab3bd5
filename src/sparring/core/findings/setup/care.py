"""Before a run: whether somebody has read what to take care of on this rig."""

from __future__ import annotations

from collections.abc import Iterable

from sparring.core.finding import Finding, noted
from sparring.core.findings.setup.bench import Bench, setup_rule


@setup_rule
def care_not_confirmed(b: Bench) -> Iterable[Finding]:
    """Nobody has confirmed the care notes of this rig, or only those of another method."""
    if b.rig.care_confirmed:
        return
    before = b.rig.care_read
    yield noted(
        "care-not-confirmed",
        "caution",
        title="The care notes are not confirmed",
        seen=(
            f"{before.by} confirmed those for the {before.method} on {before.on}."
            if before
            else "Nobody has confirmed them for this rig."
        ),
        why=(
            "A bench can throw, drop, trap and burn. A board is not driven before somebody has read"
            " what is usual here."
        ),
        remedies=("Read them in Rig, Checks, and confirm them with your name; once for each rig.",),
        place="rig.care_read",
    )
