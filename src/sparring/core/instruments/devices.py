"""What stands on a bench: boards that send lines, and instruments that are told in text what to do
and what to measure.
"""

from __future__ import annotations

import re
from typing import Annotated, Literal

from pydantic import AfterValidator, Field, field_validator, model_validator

from sparring.core.instruments import answers
from sparring.core.quantity import QuantityError, kind_of
from sparring.core.recording import CHANNELS
from sparring.core.records import Q, Record

WORDS = ("drive", "up", "down", "stop", "hang", "resistor", "for", "tare")
"""What a bench may be told; `docs/formats.md` says what each means."""
_PLACE = re.compile(r"\{value(?::([+]?\d{0,2}(?:\.\d{1,2})?[fge]))?\}")
_MOST = 12
# of what a word's figure is: (kind, unit), as it is sent
FIGURES = {"drive": ("voltage", "V"), "hang": ("mass", "kg"), "resistor": ("resistance", "Ω")}
_NEAR = 2e-3  # part by which the figure in an answer may differ from what was sent


def _one_line(text: str) -> str:
    """Raises ValueError for what cannot be sent as one line of text."""
    if not (text.isascii() and (text.isprintable() or not text)):
        raise ValueError(
            f"{text!a} cannot be sent: a text is one line of letters, digits and signs of ASCII"
        )
    return text


Text = Annotated[str, Field(max_length=200), AfterValidator(_one_line)]


class Template(Record):
    """The text that stands for a word. send: the text, with `{value}` or `{value:.3f}` in place of
    the word's figure; check: a question asked after it, whose answer has to be that figure, or
    `answer` where one is given; none: what was sent counts as done.
    """

    word: Literal["drive", "up", "down", "stop", "hang", "resistor", "for", "tare"] = "drive"
    send: Annotated[Text, Field(min_length=1)] = "VOLT {value:.3f}"
    check: Text = ""
    answer: Text = ""

    @field_validator("send", "check")
    @classmethod
    def _places(cls, text: str) -> str:
        left = _PLACE.sub("", text)
        if "{" in left or "}" in left:
            raise ValueError(
                "only {value}, or {value:.3f} and the like, may stand in braces; the rest is sent"
                " as it is"
            )
        return text

    @field_validator("answer")
    @classmethod
    def _usable(cls, text: str) -> str:
        if text:
            answers.pattern(text)
        return text

    def filled(self, value: float) -> str:
        """What is sent for a figure."""
        return _PLACE.sub(lambda m: format(value, m[1] or ".6g"), self.send)

    def doubt(self, value: float, said: str) -> str:
        """Why an answer to `check` does not confirm the figure that was sent, or ""."""
        if self.answer:
            good = answers.matches(self.answer, said)
        else:
            kind, unit = FIGURES.get(self.word, ("ratio", ""))
            good = answers.agrees(said, value, kind, unit, _NEAR)
        return "" if good else f"it answers “{answers.shown(said)}” to “{self.check}”"


class Query(Record):
    """A question that is asked over and over. channel, unit: what the number in its answer is."""

    ask: Annotated[Text, Field(min_length=1)] = "MEAS:CURR?"
    channel: Annotated[str, Field(max_length=40)] = "current"
    unit: Annotated[str, Field(max_length=40)] = "A"

    @model_validator(mode="after")
    def _known(self) -> Query:
        _column(self.channel, self.unit)
        return self

    def reading(self, said: str) -> float:
        """What was answered, SI; NaN where the instrument says that it has no figure. Raises
        AnswerError.
        """
        kind = CHANNELS[self.channel].kind
        return answers.figure(said, kind, self.unit or kind_of(kind).si)


class Device(Record):
    """One device.

    address: a serial port, or `tcp://host:port`, or `unix:/path`; speaks: a board sends lines by
    itself, an instrument answers; columns: of a board that sends bare numbers, as in a header;
    delay: by how much what it sends is late; begin: sent to an instrument when it is there.
    """

    name: Annotated[str, Field(min_length=1, max_length=40)] = "Board"
    address: Annotated[str, Field(min_length=1, max_length=200)] = "/dev/ttyUSB0"
    baud: Annotated[int, Field(ge=300, le=4_000_000)] = 115200
    speaks: Literal["lines", "text"] = "lines"
    columns: Annotated[str, Field(max_length=400)] = ""
    delay: Annotated[float, Q("time", "ms", least=-2.0, most=2.0)] = 0.0
    begin: Text = ""
    templates: Annotated[tuple[Template, ...], Field(max_length=len(WORDS))] = ()
    queries: Annotated[tuple[Query, ...], Field(max_length=_MOST)] = ()
    rate: Annotated[float, Field(gt=0.0, le=200.0)] = 10.0

    @model_validator(mode="after")
    def _whole(self) -> Device:
        words = [t.word for t in self.templates]
        if twice := next((w for w in words if words.count(w) > 1), None):
            raise ValueError(f"{self.name}: two templates for “{twice}”; keep one")
        if self.speaks == "text" and not (self.templates or self.queries):
            raise ValueError(f"{self.name}: an instrument needs a template or a query")
        if {"up", "drive"} & set(words) and "stop" not in words:
            raise ValueError(f"{self.name}: what drives has to be stopped; give a template for it")
        return self


class DeviceSet(Record):
    """The devices of a bench. The first board gives the clock; a word goes to the first instrument
    that has a template for it, else to that board.
    """

    version: Literal["sparring.devices/1"] = "sparring.devices/1"
    devices: Annotated[tuple[Device, ...], Field(min_length=1, max_length=_MOST)] = (Device.ours(),)

    @model_validator(mode="after")
    def _told_apart(self) -> DeviceSet:
        for what in ("name", "address"):
            seen = [getattr(d, what) for d in self.devices]
            if twice := next((s for s in seen if seen.count(s) > 1), None):
                raise ValueError(f"two devices have the {what} {twice}")
        return self

    @property
    def plain(self) -> bool:
        """Whether it is one board alone."""
        return len(self.devices) == 1 and self.devices[0].speaks == "lines"


SUPPLY = Device.ours(
    name="Supply",
    address="tcp://192.168.0.10:5025",
    speaks="text",
    begin="*IDN?",
    templates=(
        Template.ours(word="drive", send="VOLT {value:.3f}", check="VOLT?"),
        Template.ours(word="up", send="OUTP ON", check="OUTP?", answer="1|ON"),
        Template.ours(word="stop", send="OUTP OFF", check="OUTP?", answer="0|OFF"),
    ),
    queries=(
        Query.ours(ask="MEAS:VOLT?", channel="voltage", unit="V"),
        Query.ours(ask="MEAS:CURR?", channel="current", unit="A"),
    ),
)
"""A programmable supply that follows SCPI-1999 (from memory), to begin with."""


def _column(channel: str, unit: str) -> None:
    if channel not in CHANNELS:
        raise ValueError(f"“{channel}” is no channel; known are {', '.join(CHANNELS)}")
    kind = kind_of(CHANNELS[channel].kind)
    if unit and unit not in kind.units:
        try:
            from sparring.core.quantity import to_si

            to_si(1.0, unit, CHANNELS[channel].kind)
        except QuantityError as err:
            raise ValueError(f"{channel}: {err}") from err
