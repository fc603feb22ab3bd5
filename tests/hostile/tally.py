"""What came of an attack, and a recording to attack."""

from __future__ import annotations

import signal
import time
import traceback
import warnings
from contextlib import contextmanager
from dataclasses import dataclass, field

import numpy as np

from sparring.core.recording import Recording

HANG = 60  # [s] that no input may take


LINES = [
    b"", b"> tare ok abc\n", b"# columns: x\n", b"! top\n", b"1,2,3\n", b"9" * 5000,
    b"#" * 3000 + b"\n", b"# columns: seq, t/9**9**9, speed/rpm\n",
    b"> " + b"<img src=x>" * 50 + b"\n",
]  # fmt: skip


class Hang(BaseException):
    """It has taken longer than anything may."""


@dataclass
class Tally:
    """What came of an attack. tracebacks, hangs, silences: each with what brought it about; told:
    damage that was said.
    """

    inputs: int = 0
    told: int = 0
    slowest: float = 0.0
    tracebacks: list[str] = field(default_factory=list)
    hangs: list[str] = field(default_factory=list)
    silences: list[str] = field(default_factory=list)

    @contextmanager
    def one(self, what):
        """One input. `what` says how to bring it about again."""
        self.inputs += 1
        begun = time.perf_counter()
        before = signal.signal(signal.SIGALRM, _hang)
        signal.setitimer(signal.ITIMER_REAL, HANG)
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                yield
        except Hang:
            self.hangs.append(what)
        except Exception:
            self.tracebacks.append(f"{what}\n{traceback.format_exc(limit=-4)}")
        finally:
            signal.setitimer(signal.ITIMER_REAL, 0)
            signal.signal(signal.SIGALRM, before)
            self.slowest = max(self.slowest, time.perf_counter() - begun)

    @property
    def faults(self):
        return self.tracebacks + self.hangs + self.silences


def _hang(_number, _frame):
    raise Hang


def a_recording(n=2000):
    rng = np.random.default_rng(3)
    t = np.arange(n) / 80
    return Recording(
        t,
        {"speed": 11 + rng.standard_normal(n), "cell": 114_000 + 8 * rng.standard_normal(n)},
        ((3.0, 4.0),),
        7,
        ((1.0, "heard"),),
    )


def _same(a: Recording, b: Recording) -> bool:
    return (
        a.channels.keys() == b.channels.keys()
        and np.array_equal(a.t, b.t)
        and all(np.array_equal(v, b.channels[k], equal_nan=True) for k, v in a.channels.items())
        and (a.gaps, a.lost, a.marks) == (b.gaps, b.lost, b.marks)
    )
