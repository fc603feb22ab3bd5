"""Input quantities (JCGM 100:2008, 4.1.2): ids for what a result's uncertainty comes from.

An id is what is kept and compared; its words are looked up when they are shown, and may be put
better at any time. Whose an input is says where it is one and the same: two results that rest on
the same one are correlated through it.
"""

from __future__ import annotations

from typing import Literal, NamedTuple

__all__ = ["InputQuantity", "Whose", "declare", "line_inputs", "lowered", "whose", "words"]

Whose = Literal["run", "repeats", "reading", "rig", "build", "place"]
"""run: of one run alone; repeats: their spread; reading: of one reading typed or taken; rig, build,
place: the same in all results of it.
"""


class InputQuantity(NamedTuple):
    """id: of the kind of input; words: how it is told, `{0}` for what parts it from its like."""

    id: str
    words: str
    whose: Whose

    def of(self, *parts: object) -> str:
        """The tag of one of them: its id, and what parts it from its like."""
        return ":".join((self.id, *map(str, parts)))


_DECLARED: dict[str, InputQuantity] = {}


def declare(id: str, words: str, whose: Whose) -> InputQuantity:
    """Makes an input known. Raises ValueError when the id stands for another already."""
    made = InputQuantity(id, words, whose)
    if ":" in id or _DECLARED.setdefault(id, made) != made:
        raise ValueError(f"{id} is used by another input, or contains a colon")
    return made


def line_inputs(id: str, words: str, whose: Whose) -> tuple[str, str]:
    """The tags of a fitted line's two: where it begins, and its slope."""
    zero = declare(f"{id}.zero", f"{words}: zero", whose)
    slope = declare(f"{id}.slope", f"{words}: slope", whose)
    return zero.id, slope.id


def lowered(label: str) -> str:
    """A label as it stands within a sentence."""
    return label[:1].lower() + label[1:]


def whose(tag: str | None) -> Whose:
    """Whose an input is, by its tag; what nobody declared is taken for the rig's."""
    known = _DECLARED.get((tag or "").partition(":")[0])
    return "rig" if known is None else known.whose


def words(tag: str) -> str:
    """How an input is told, by its tag; what nobody declared, by its id."""
    id, *parts = tag.split(":")
    known = _DECLARED.get(id)
    return tag if known is None else known.words.format(*(p.replace("_", " ") for p in parts))
