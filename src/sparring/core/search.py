"""The words in which a logbook is searched, and builds are chosen to be compared: any text, and
conditions on figures and on words, as `material = POM and ratio > 25 and efficiency > 80 %`.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

from sparring.core.quantity import QuantityError, parse

FIGURES: dict[str, str] = {
    "ratio": "ratio",
    "efficiency": "ratio",
    "mass": "mass",
    "stall": "torque",
    "torque": "torque",
    "module": "length",
    "price": "count",
    "revision": "count",
    "meshes": "count",
    "runs": "count",
}
"""Figures that are asked for, and their kinds."""
WORDS = (
    "material",
    "lubricant",
    "family",
    "title",
    "train",
    "motor",
    "method",
    "rig",
    "test",
    "day",
    "specimen",
    "operator",
)
"""What has a word or several."""
_SIGNS = r"<=|>=|!=|≤|≥|≠|=|<|>"
_SAME = 0.005  # part by which a figure may be off what is asked for with =
_PLAIN = {"≤": "<=", "≥": ">=", "≠": "!="}


@dataclass(frozen=True)
class Facts:
    """Of a build, or a test of it. text: all its words in lower case; figures: SI, where known;
    words: by name, in lower case; the tester's own factors among them.
    """

    text: str
    figures: Mapping[str, float | None] = field(default_factory=dict)
    words: Mapping[str, Sequence[str]] = field(default_factory=dict)


Asked = Callable[[Facts], bool]


_DEEPEST, _LONGEST = 100, 5000


class _Token(NamedTuple):
    kind: str  # name, sign, word, and, or, not, (, )
    text: str


def query(text: str, own: Sequence[str] = ()) -> Asked:
    """A test for facts. Words and conditions that stand side by side must all hold; `and`, `or`,
    `not` and brackets as usual; a text with spaces in quotation marks; `material = POM` holds where
    any of its materials contains that. own: names of the tester's factors. Nothing asked holds for
    all.

    Raises QuantityError, in words, for what cannot be understood.
    """
    if len(text) > _LONGEST:
        raise QuantityError(f"a search has {_LONGEST} characters at most; write it shorter")
    names = sorted({*FIGURES, *WORDS, *map(str.lower, own)}, key=len, reverse=True)
    tokens = _tokens(text, names)
    if not tokens:
        return lambda facts: True
    if sum(t.kind in ("(", "not") for t in tokens) > _DEEPEST:
        raise QuantityError(f"more than {_DEEPEST} brackets and “not”; write it shorter")
    asked, left = _either(tokens, names)
    if left:
        raise QuantityError(
            f"“{left[0].text}” stands where nothing was expected; check the brackets"
        )
    return asked


def _tokens(text: str, names: Sequence[str]) -> list[_Token]:
    found = []
    pattern = re.compile(
        rf"\s*(?:(?P<bracket>[()])|\"(?P<quoted>[^\"]*)\"|“(?P<curly>[^”]*)”|(?P<sign>{_SIGNS})"
        r"|(?P<word>[^\s()<>=!≤≥≠\"“]+))"
    )
    at = 0
    while at < len(text.rstrip()):
        match = pattern.match(text, at)
        if match is None:
            raise QuantityError(f"“{text[at:].strip()[:20]}” is not understood here")
        at = match.end()
        for kind in ("bracket", "quoted", "curly", "sign", "word"):
            if (said := match[kind]) is None:
                continue
            if kind == "bracket":
                found.append(_Token(said, said))
            elif kind == "sign":
                found.append(_Token("sign", _PLAIN.get(said, said)))
            elif kind == "word" and said.lower() in ("and", "or", "not"):
                found.append(_Token(said.lower(), said))
            else:
                found.append(_Token("word" if kind == "word" else "quoted", said))
    return found


def _either(tokens: list[_Token], names: Sequence[str]) -> tuple[Asked, list[_Token]]:
    parts = []
    asked, tokens = _all(tokens, names)
    parts.append(asked)
    while tokens and tokens[0].kind == "or":
        asked, tokens = _all(tokens[1:], names)
        parts.append(asked)
    return (parts[0] if len(parts) == 1 else lambda f: any(p(f) for p in parts)), tokens


def _all(tokens: list[_Token], names: Sequence[str]) -> tuple[Asked, list[_Token]]:
    parts: list[Asked] = []
    while True:
        while tokens and tokens[0].kind == "and" and parts:
            tokens = tokens[1:]
        if not tokens or tokens[0].kind in ("or", ")"):
            break
        asked, tokens = _one(tokens, names)
        parts.append(asked)
    if not parts:
        raise QuantityError("something is missing beside “and”, “or” or a bracket")
    return (parts[0] if len(parts) == 1 else lambda f: all(p(f) for p in parts)), tokens


def _one(tokens: list[_Token], names: Sequence[str]) -> tuple[Asked, list[_Token]]:
    first = tokens[0]
    if first.kind == "not":
        if len(tokens) < 2:
            raise QuantityError("“not” stands alone; say what must not hold")
        asked, rest = _one(tokens[1:], names)
        return (lambda f: not asked(f)), rest
    if first.kind == "(":
        asked, rest = _either(tokens[1:], names)
        if not rest or rest[0].kind != ")":
            raise QuantityError("a bracket is not closed")
        return asked, rest[1:]
    if first.kind in ("sign", "and"):
        raise QuantityError(
            f"“{first.text}” has nothing before it; name a figure: {', '.join(FIGURES)}"
        )
    if len(tokens) > 1 and tokens[1].kind == "sign":
        return _condition(first.text, tokens[1].text, tokens[2:], names)
    word = first.text.lower()
    return (lambda f: word in f.text), tokens[1:]


def _condition(
    name: str, sign: str, tokens: list[_Token], names: Sequence[str]
) -> tuple[Asked, list[_Token]]:
    low = name.lower()
    if low not in names:
        raise QuantityError(
            f"“{name}” is no figure or word of a build; use {', '.join((*FIGURES, *WORDS))}"
        )
    if not tokens or tokens[0].kind not in ("word", "quoted"):
        raise QuantityError(f"{name} {sign} what? Say a value")
    if low not in FIGURES:
        wanted = tokens[0].text.lower()
        if sign not in ("=", "!="):
            if low != "day":
                raise QuantityError(f"{name} is a word; compare it with = or !=")
            return (lambda f: any(_holds(x, sign, wanted) for x in f.words.get(low, ()))), tokens[
                1:
            ]
        asked: Asked = lambda f: any(wanted in x for x in f.words.get(low, ()))  # noqa: E731
        return (asked if sign == "=" else lambda f: not asked(f)), tokens[1:]
    said, rest = tokens[0].text, tokens[1:]
    kind = FIGURES[low]
    bare = "" if kind in ("ratio", "count") else None
    # a unit may stand apart from its figure; else the next word is a word
    if rest and rest[0].kind == "word" and not (len(rest) > 1 and rest[1].kind == "sign"):
        try:
            return _compared(low, sign, parse(f"{said} {rest[0].text}", kind, bare).value), rest[1:]
        except QuantityError as err:
            try:
                value = parse(said, kind, bare).value
            except QuantityError:
                raise err from None
            return _compared(low, sign, value), rest
    return _compared(low, sign, parse(said, kind, bare).value), rest


def _compared(name: str, sign: str, value: float) -> Asked:
    def asked(facts: Facts) -> bool:
        have = facts.figures.get(name)
        return have is not None and _holds(have, sign, value, abs(_SAME * value))

    return asked


def _holds(have: float | str, sign: str, wanted: float | str, beside: float = 0.0) -> bool:
    if isinstance(have, str) or isinstance(wanted, str):
        a, b = str(have), str(wanted)
        return {"<": a < b, ">": a > b, "<=": a <= b, ">=": a >= b}[sign]
    if sign in ("=", "!="):
        return (abs(have - wanted) <= beside) == (sign == "=")
    return {"<": have < wanted, ">": have > wanted, "<=": have <= wanted, ">=": have >= wanted}[
        sign
    ]
