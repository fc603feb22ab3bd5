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
            else "They have not been confirmed for this rig."
        ),
        why=(
            "A bench can throw, drop, trap and burn; no board is driven before they are confirmed."
        ),
        remedies=("Read them on Rig, Checks, and confirm them with your name, once per rig.",),
        place="rig.care_read",
    )
