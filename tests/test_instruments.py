"""Instruments that are told in text: their answers, their files, and that a supply goes off
whatever happens to the program. Forty odd ways of answering, by one that answers as it likes.
"""

import json
import math
import os
import pty
import threading
import time
import tty

import pytest
from fake_supply import Ends, Fake, Supply
from helpers import wait_for

from sparring.bench.devices.instrument import Instrument
from sparring.bench.simulated.supply import SupplyPanel
from sparring.core.instruments import answers
from sparring.core.instruments.devices import SUPPLY, Device, DeviceSet, Query, Template
from sparring.core.records import RecordError, changed

# IEEE 488.2-1992, 8.7 (numeric response data), SCPI-1999, 7.2.1 (NaN and infinities), both from
# memory; the rest as instruments were seen to answer. What was measured is 0.512 A.
UNDERSTOOD = [
    ("0.512", 0.512),
    (".5120", 0.512),
    ("-.5120", -0.512),
    ("+0.512", 0.512),
    ("5.", 5.0),
    ("5.12E-1", 0.512),
    ("+5.12000E-01", 0.512),
    ("5.12 E -1", 0.512),
    ("512e-3", 0.512),
    ("0.512 A", 0.512),
    ("0.512A", 0.512),
    ("512 mA", 0.512),
    ("512mA", 0.512),
    ("512 MA", 0.512),  # capitals, as SCPI writes milliamperes
    ("512000 uA", 0.512),
    ("512000 µA", 0.512),
    ("5.12E+2 mA", 0.512),
    ("  0.512\r", 0.512),
    ("-0.512", -0.512),
    ("0", 0.0),
]
NO_FIGURE = ["9.91E+37", "9.90E+37", "-9.9e37", "NAN", "+INF", "-INF", "NINF", "OVLD", "OL"]
NOT_UNDERSTOOD = [
    "0,512",
    "CH1:CURR 0.512",
    "CURR 0.512",
    '-113,"Undefined header"',
    "0.512,12.0",
    "12.0;0.512",
    "0.512 V",
    "0.512 A DC",
    "512 counts",
    "",
    "ERROR",
    "#H200",
    "0x200",
    "1.2.3",
    "--0.5",
    "0.512 E",
    "12:30",
    "٣",
    "0.512\x00",
    "MEAS:CURR?",
]


@pytest.mark.parametrize(("said", "value"), UNDERSTOOD)
def test_an_answer_is_read_as_what_was_measured(said, value):
    assert Query().reading(said) == pytest.approx(value, rel=1e-12)


@pytest.mark.parametrize("said", NO_FIGURE)
def test_overflow_and_no_number_are_gaps(said):
    assert math.isnan(Query().reading(said))


@pytest.mark.parametrize("said", NOT_UNDERSTOOD)
def test_what_is_not_one_figure_of_what_was_asked_is_refused(said):
    with pytest.raises(answers.AnswerError):
        Query().reading(said)


def test_the_unit_of_a_figure_without_one_is_the_questions():
    assert Query(channel="voltage", unit="mV").reading("12500") == pytest.approx(12.5)
    assert Query(channel="speed", unit="rpm").reading("60") == pytest.approx(2 * math.pi)
    assert Query(channel="temperature", unit="°C").reading("21.5") == pytest.approx(294.65)
    assert Query(channel="temperature", unit="°C").reading("21.5 C") == pytest.approx(294.65)
    assert Query(channel="temperature", unit="°C").reading("70.7 °F") == pytest.approx(294.65)


@pytest.mark.parametrize(
    ("field", "text", "why"),
    [
        ("answer", "(", "cannot be used"),
        ("answer", "1|*", "cannot be used"),
        ("answer", "(?=1)1", "cannot be used"),
        ("answer", "(1)\\1", "cannot be used"),
        ("answer", "a{1000}{1000}{1000}", "cannot be used"),
        ("send", "OUTP ON\nOUTP OFF", "one line"),
        ("send", "VOLT {value:999999999f}", "only {value}"),
        ("check", "OUTP?\x07", "one line"),
        ("check", "VOLT é?", "one line"),
    ],
)
def test_texts_and_patterns_are_checked_when_a_file_is_read(field, text, why):
    kept = DeviceSet(devices=(SUPPLY,)).to_json()
    fields = {"word": "up", "send": "OUTP ON", "check": "OUTP?", "answer": "1"} | {field: text}
    document = json.loads(kept)
    document["devices"][0]["templates"][1] = fields
    with pytest.raises(RecordError, match=why):
        DeviceSet.from_json(json.dumps(document))


def test_no_pattern_can_run_away():
    template = Template(word="up", send="OUTP ON", check="OUTP?", answer="(a+)+b")
    assert template.doubt(0.0, "a" * 4000)  # a backtracking engine would take for ever
    assert not template.doubt(0.0, "aab")


@pytest.fixture
def talk():
    """Connects an instrument to a fake one: (its fake, instrument, what it is said to do)."""
    made = []

    def begin(says, device=SUPPLY):
        fake, ends = Fake(says), Ends()
        instrument = Instrument(changed(device, ("address",), fake.address), ends)
        instrument.start()
        made.extend([instrument, fake])
        return fake, instrument, ends

    yield begin
    for one in made:
        one.close()


def test_what_is_not_understood_is_shown_once_and_nothing_is_recorded_of_it(talk):
    supply = Supply()
    _, _, ends = talk(lambda text: "0,512\n" if text == "MEAS:CURR?" else supply(text))
    wait_for(lambda: len(ends.reads) > 5)
    assert all(v == 6.001 and math.isnan(a) for v, a in ends.reads)
    (text,) = ends.texts
    assert "“0,512” is not one figure" in text
    assert "Nothing is recorded of current" in text


@pytest.mark.parametrize("how", ["echoes", "twice", "twice and late"])
def test_one_that_echoes_or_answers_twice_gives_no_reading(talk, how):
    supply = Supply()

    def says(text):
        answer = supply(text)
        if how == "echoes":
            return f"{text}\n{answer or ''}"
        if how == "twice" or not answer:
            return answer and 2 * answer
        return f"{answer}{answer}" if len(fake.heard) > 12 else answer

    fake, _, ends = talk(says)
    wait_for(lambda: any("unasked" in why for why in ends.downs))
    assert all(row == [6.001, 0.512] for row in ends.reads)
    assert how == "twice and late" or not ends.ups


def test_whatever_its_thread_dies_of_off_is_sent_until_it_is_confirmed(talk, monkeypatch):
    supply = Supply()
    fake, instrument, ends = talk(supply)
    wait_for(lambda: ends.ups)
    assert instrument.order("up", "")
    wait_for(lambda: supply.on and ends.words)
    supply.confirms = False

    def fails(*_args):
        raise RuntimeError("not foreseen")

    monkeypatch.setattr(Query, "reading", fails)
    wait_for(lambda: any("not foreseen" in why for why in ends.downs))
    wait_for(lambda: not supply.on)
    sent = fake.heard.count("OUTP OFF")
    wait_for(lambda: fake.heard.count("OUTP OFF") > sent + 2)  # again, for nothing confirms it
    supply.confirms = True


def test_one_that_does_not_confirm_that_it_is_off_is_told_by_the_last_word_as_well(talk):
    supply = Supply()
    fake, instrument, ends = talk(supply)
    wait_for(lambda: ends.ups)
    instrument.order("up", "")
    wait_for(lambda: supply.on and ends.words)
    supply.confirms = False
    instrument.close()
    sent = fake.heard.count("OUTP OFF")
    assert sent > 1
    wait_for(lambda: fake.heard.count("OUTP OFF") >= sent + 2)  # of three, one may be counted


@pytest.mark.parametrize("how", ["socket", "serial"])
def test_an_instrument_with_a_visa_name_is_told_and_asked_by_visa(how):
    panel = SupplyPanel(0, lambda: (5.9, 0.4))
    orders = []
    threading.Thread(target=_carry_out, args=(panel, orders), daemon=True).start()
    port = panel.address.rpartition(":")[2]
    address = f"TCPIP0::127.0.0.1::{port}::SOCKET"
    if how == "serial":
        ours, theirs = pty.openpty()
        tty.setraw(theirs)
        threading.Thread(target=_by_serial, args=(panel, ours), daemon=True).start()
        address = f"ASRL{os.ttyname(theirs)}::INSTR"
    ends = Ends()
    instrument = Instrument(changed(SUPPLY, ("address",), address), ends)
    instrument.start()
    try:
        wait_for(lambda: ends.ups or ends.downs)
        assert not ends.downs
        instrument.order("drive", "6")
        instrument.order("up", "")
        instrument.order("stop", "")
        wait_for(lambda: len(ends.words) == 3 and ends.reads)
        assert ends.words == [("drive", ""), ("up", ""), ("stop", "")]
        assert ends.reads[-1] == [5.9, 0.4]
        assert orders == ["stop", "drive", "up", "stop"]
    finally:
        instrument.close()
        panel.close()


def _carry_out(panel, orders):
    while True:
        order = panel.orders.get()
        orders.append(order.word)
        order.done("")


def _by_serial(panel, end):
    rest = b""
    while True:
        *lines, rest = (rest + os.read(end, 4096)).split(b"\n")
        for line in lines:
            if answer := panel.say(line.decode().strip()):
                os.write(end, answer.encode() + b"\n")


def test_a_supply_is_off_within_a_tenth_of_a_second_of_the_stop(talk):
    """Of two hundred, while it is asked for its readings all the time."""
    supply = Supply()
    _, instrument, ends = talk(supply, changed(SUPPLY, ("rate",), 100.0))
    wait_for(lambda: ends.ups)
    took = []
    for n in range(200):
        instrument.order("up", "")
        wait_for(lambda n=n: len(ends.words) == 2 * n + 1)
        begun = time.monotonic()
        instrument.order("stop", "")
        wait_for(lambda n=n: len(ends.words) == 2 * n + 2)
        took.append(time.monotonic() - begun)
        assert not supply.on
    assert sorted(took)[len(took) // 2] < 0.1  # one may be held up by the machine, not half of them


def test_devices_with_an_address_that_is_nothing_say_so():
    for address in ("USB0::1::2::INSTR", "TCPIP0::127.0.0.1::1::SOCKET", "ASRL/dev/none::INSTR"):
        ends = Ends()
        instrument = Instrument(Device(address=address, speaks="text", queries=(Query(),)), ends)
        instrument.start()
        wait_for(lambda ends=ends: ends.downs)
        instrument.close()
        assert address in ends.downs[0]
