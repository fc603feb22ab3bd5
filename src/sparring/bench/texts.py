"""What a tester is told of a bench that does not do as it was asked."""

from __future__ import annotations

UNCONFIRMED = (
    "STOP is not confirmed by the bench yet: cut its power. The command is repeated until it"
    " answers."
)
NO_COMMANDS = "This bench takes no commands: stop it by hand."
ANEW = "It restarted meanwhile: its load and its tare are no longer known"


def silent(why: str) -> str:
    """It fell silent while it may be moving."""
    return (
        f"BENCH LOST: {why} while it may be moving. It is being told to stop. Cut its power if it"
        " does not."
    )


def gone(why: str, lifting: bool) -> str:
    """Its port is gone."""
    goes_on = (
        "the run continues and the gap will be marked" if lifting else "it continues from there"
    )
    return f"{why}. Plug it in again: {goes_on}."


def back(away: float, why: str, ended: bool) -> str:
    """It is back after so long [s]; why: what it lost meanwhile; ended: the run with it."""
    found = f"The bench is back after {away:.1f} s"
    if ended:
        return f"{found}. {why}; it has been told to stop, and the run has ended."
    marked = f"{found}; the gap is marked in the recording."
    return f"{marked} {why}." if why else marked


def unanswered(command: str) -> str:
    """It was told something, and says nothing."""
    return f"The bench does not answer “{command}”. The step has ended."


BY_ANOTHER = (
    "The bench was told to stop by another program, which reads its lines as well. Close that "
    "program: neither gets all of them."
)
