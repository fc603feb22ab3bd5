"""What the board says and obeys: a sample a line, an answer to each command, and its own stops.

It needs nothing of the board but the parts it is handed, so it runs on any MicroPython.
"""

import time

try:
    from binascii import crc_hqx
except ImportError:

    def crc_hqx(data, crc):
        """CRC-16/CCITT, bit by bit."""
        for byte in data:
            crc ^= byte << 8
            for _ in range(8):
                crc = (crc << 1 ^ 0x1021 if crc & 0x8000 else crc << 1) & 0xFFFF
        return crc


COLUMNS = "seq, t/ms, cell/counts, speed/rpm, voltage/V, current/A"
TARE_FROM = 80  # readings
OVER = 0.05  # s


class Bench:
    """say: takes a line; parts: cell, pulses, monitor, drive; top, bottom: whether the switch at
    that end is closed; boot: a figure that is another after every start.
    """

    def __init__(self, say, parts, settings, top, bottom, boot):
        self.say, self.settings = say, settings
        self.cell, self.pulses, self.monitor, self.drive = parts
        self.top, self.bottom, self.boot = top, bottom, boot
        self.seq, self.began = 0, time.ticks_ms()
        self.volts, self.moving, self.since, self.back = 0.0, "", 0, False
        self.watchdog, self.heard = 0.0, time.ticks_ms()
        self.counts, self.readings, self.current = float("nan"), [], 0.0
        self.over_since = None
        self.lasts = 0.0  # [s] that the next run drives; 0: until its end

    # --- commands ---

    def obey(self, line):
        """Answers a command: `> WORD ok FIGURE` or `> WORD refused: WHY`."""
        self.heard = time.ticks_ms()
        word, _, figure = line.strip().partition(" ")
        if not word:
            return
        try:
            value = float(figure) if figure else 0.0
        except ValueError:
            self.say(f"> {word} refused: {figure} is not a number")
            return
        refused, shown = self._act(word, value)
        answer = "refused: " + refused if refused else "ok " + (shown or figure)
        self.say(f"> {word} {answer}")

    def _act(self, word, value):
        if word == "hello":
            self.say("# columns: " + COLUMNS)
            return "", self.boot
        if word == "watchdog":
            self.watchdog = max(0.0, value)
        elif word == "drive":
            if not 0 <= value <= self.settings.SUPPLY:
                return f"the supply gives {self.settings.SUPPLY:g} V", ""
            self.volts = value
        elif word == "for":
            if not 0 < value <= self.settings.LONGEST_RUN:
                return f"a run lasts {self.settings.LONGEST_RUN:g} s at most", ""
            self.lasts = value
        elif word == "hang":  # a person hangs it; the board can only see to it that nothing moves
            if self.moving:
                return "stop first", ""
        elif word == "tare":
            if len(self.readings) < TARE_FROM // 4:
                return "no reading yet", ""
            return "", f"{sum(self.readings) / len(self.readings):.1f}"
        elif word == "up" or word == "down":
            end = self.top if word == "up" else self.bottom
            if end():
                return "it is at that end", ""
            self._move(word)
        elif word == "stop":
            self._halt()
        else:
            return "not a command", ""
        return "", ""

    def _move(self, word):
        self.moving, self.since, self.over_since = word, time.ticks_ms(), None
        self.back = word == "down"
        self.pulses.moves()
        self.drive.go(self.volts, word == "up")

    def _halt(self, said=""):
        self.drive.stop()
        self.moving, self.lasts = "", 0.0
        if said:
            self.say("! " + said)

    # --- samples, and the board's own stops ---

    def look(self):
        """Fetches the cell's reading if there is one; call it as often as there is time."""
        counts = self.cell.read()
        if counts is not None:
            self.counts = counts
            self.readings = self.readings[-TARE_FROM + 1 :]
            self.readings.append(counts)

    def sample(self):
        """Sends a line, and stops what must not go on."""
        volts, amps = self.monitor.read()
        way = -1 if self.back else 1  # one pulse line and a monitor at the supply know no direction
        self.seq += 1
        t = time.ticks_diff(time.ticks_ms(), self.began)
        rpm = way * self.pulses.read()
        figures = f"{rpm:.2f},{way * volts:.3f},{way * amps:.3f}"
        body = f"{self.seq},{t},{self.counts},{figures}"
        self.say(f"{body}*{crc_hqx(body.encode(), 0xFFFF):04X}")
        self._watch(amps)

    def _watch(self, amps):
        if not self.moving:
            return
        now = time.ticks_ms()
        limit = self.settings.CURRENT_LIMIT
        # what is not read counts as too much
        if amps != amps or abs(amps) > limit:
            self.over_since = now if self.over_since is None else self.over_since
        else:
            self.over_since = None
        if self.watchdog and time.ticks_diff(now, self.heard) > 1000 * self.watchdog:
            self._halt("watchdog")
        elif self.over_since is not None and time.ticks_diff(now, self.over_since) >= 1000 * OVER:
            self._halt("limit current")
        elif (self.top if self.moving == "up" else self.bottom)():
            self._halt("top" if self.moving == "up" else "bottom")
        elif self.lasts and self.moving == "up" and self._driven() > self.lasts:
            self._halt("top")
        elif self.pulses.silent() > self.settings.STALLED_AFTER:
            self._halt("stalled")
        elif self._driven() > self.settings.LONGEST_RUN:
            self._halt("limit time")

    def _driven(self):
        """Seconds since it was set moving."""
        return time.ticks_diff(time.ticks_ms(), self.since) / 1000
