"""A session with a board and a clock that do as the test says."""

from sparring.bench.lines import LineReader, with_checksum
from sparring.bench.session import Session
from sparring.core.guard import Guard, channel
from sparring.core.run import Run
from sparring.logbook.recordings import read_stream

HEADER = b"# columns: seq, t/ms, speed/rpm, voltage/V, current/A\n"


def guard(**most):
    """Limits on channels as they come: `guard(current=3.0)`, SI."""
    units = {"current": "A", "speed": "rpm"}
    return Guard(tuple(channel(key, key, key, units[key], value) for key, value in most.items()))


class FakeBench:
    """A board of a few lines on a cable that can be out: it obeys at once, or is held back,
    refuses, is deaf. No thread, no clock but its own.
    """

    lowers = times = True
    awaited = ""

    def __init__(self, folder):
        self.folder, self.now, self.board_time, self.seq = folder, 100.0, 0.0, 0
        self.plugged, self.mute, self.refuses = False, False, False
        self.mass, self.moving, self.heard, self.notices, self.streams = 0.0, "stop", [], [], []
        self.boot = ""  # what it answers to hello
        self.held = None  # answers that have not come yet
        self.reader = LineReader()
        self.session = Session(self.notices.append, clock=lambda: self.now)
        self.session.keep = self.keep
        self.kept = []
        self.session.attach(self, lambda: self.reader.tally)

    def keep(self, stream):
        recording, note = read_stream(stream)
        self.kept.append((note["run"], note.get("ended", "interrupted"), recording))
        return len(self.kept)

    # --- the cable ---

    def send(self, command):
        if not self.plugged:
            return False
        self.heard.append(command)
        self._obey(*command.partition(" ")[::2])
        return True

    def plug(self):
        self.plugged = True
        self.reader.reset()
        self.session.link_up()

    def pull(self):
        self.plugged, self.held = False, None
        self.session.link_down("gone")

    def say(self, text):
        if self.held is not None:
            self.held.append(text)
        elif self.plugged:
            self.session.came(self.reader.feed(text.encode() + b"\n"))

    def _obey(self, word, figure):
        if self.mute:
            return
        if word == "hello":
            self.say(HEADER.decode().strip())
            figure = self.boot
        elif self.refuses and word in ("hang", "up", "down", "drive"):
            self.say(f"> {word} refused: not now")
            return
        elif word in ("up", "down", "stop"):
            self.moving = word
        elif word == "hang":
            if self.moving != "stop":
                self.say("> hang refused: lower the hook first")
                return
            self.mass = float(figure)
        elif word == "tare":
            figure = "84000"
        self.say(f"> {word} ok {figure}".strip())

    def run(self, seconds=0.1, rpm=100.0, amps=1.0):
        """Lines for a time, then a turn of the link."""
        for _ in range(max(1, round(seconds / 0.0125))):
            self.now += 0.0125
            self.board_time += 0.0125
            self.seq += 1
            turning = self.moving != "stop"
            shown = f"{rpm if turning else 0},12,{amps if turning else 0}"
            line = f"{self.seq},{1e3 * self.board_time:.1f},{shown}"
            if self.plugged and not self.mute:
                self.session.came(self.reader.feed(with_checksum(line)))
            self.session.turn(0.0)

    def silence(self, seconds):
        waited = 0.0
        while waited < seconds:
            self.now, self.board_time, waited = (
                self.now + 0.05,
                self.board_time + 0.05,
                waited + 0.05,
            )
            self.session.turn(waited)

    # --- the tester ---

    def lift(self, mass, voltage=12.0):
        path = self.folder / f"{len(self.streams)}.arrow"
        begun = self.session.lift(Run(voltage=voltage), 1, path, ("hang", mass))
        self.streams.append(path)
        return begun

    def said(self):
        return [n.what for n in self.notices if n.kind == "said"]

    def settle(self):
        """Until everything that ended has been kept."""
        self.run(0.5)
        self.session._captures.wait()
