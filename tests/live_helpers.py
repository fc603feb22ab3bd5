"""What the tests of a live bench share."""

import subprocess
import sys

from helpers import wait_for
from PyQt6.QtWidgets import QApplication

from sparring.files import record_files


def until(condition, seconds=60.0):
    wait_for(condition, seconds, QApplication.processEvents)


class Board:
    """A simulated bench in its own process, as the application starts it, that can be pulled out
    and put back under the same name.
    """

    def __init__(self, build, rig, link, *options):
        self.link = link
        files = {"--build": build, "--rig": rig}
        for name, record in files.items():
            record_files.save(link.with_name(f"{link.name}{name}.json"), record)
        self.call = [
            sys.executable,
            "-m",
            "sparring",
            "bench",
            "--link",
            str(link),
            "--speed",
            "8",
            "--rate",
            "50",
            *options,
        ]
        self.call += [
            part
            for name in files
            for part in (name, str(link.with_name(f"{link.name}{name}.json")))
        ]
        self.plug()

    def plug(self):
        self.process = subprocess.Popen(self.call, stdout=subprocess.PIPE)
        assert self.process.stdout.readline()  # the port is there

    def pull(self):
        self.process.terminate()
        self.process.wait(5)
        self.process.stdout.close()


def begin_lift(window):
    page, s = window.view("run"), window.session
    if s.tare is None:
        page.do_next()
        until(lambda: s.tare is not None)
    begun = window.heard.lifts()
    page.do_next()
    until(
        lambda: (
            window.heard.lifts() > begun
            and s.ring.values("speed")[s.ring.since(s.drive_started)].max(initial=0) > 5
        )
    )
