"""What is being recorded of a bench, and what becomes of it when it is over."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal, NamedTuple

import numpy as np

from sparring.bench.lines import Tally

if TYPE_CHECKING:
    from sparring.bench.recorder import Recorder

_TAIL = 0.25  # [s] that a recording goes on after its end


class Notice(NamedTuple):
    """What happened, and with what: state (State), block (times [s], values SI, channels), word
    (str: what the bench says by itself), said (str: for the tester), gap (start, stop [s]), answer
    (str), recorded (Path: a stream that drove nothing), kept (run id).
    """

    kind: Literal["state", "block", "word", "said", "gap", "answer", "recorded", "kept"]
    what: Any


class Captures:
    """One recording at a time. Those that are over are put away by their own threads, which tell of
    it.
    """

    def __init__(
        self,
        tell: Callable[[Notice], None],
        fault: Callable[[Exception], None],
        keep: Callable[[Path], int | None],
        clock: Callable[[], float],
    ) -> None:
        """fault: called when one cannot be written any more; keep: makes a run of a lift's stream,
        its id (None: nobody does).
        """
        self._tell, self._fault, self._keep, self._clock = tell, fault, keep, clock
        self.tally: Callable[[], Tally] = Tally
        self.drives = False  # what is or was last recorded is a lift
        self._recorder: Recorder | None = None
        self._begun: tuple[Path, dict[str, Any]] | None = None
        self._stretches = 0
        self._closing: tuple[float, str] | None = None
        self._lost_before = 0
        self._closers: list[Recorder] = []

    @property
    def recording(self) -> bool:
        """Whether something is being recorded."""
        return self._recorder is not None

    @property
    def under_way(self) -> bool:
        """Whether something is, and its end has not come yet."""
        return self._recorder is not None and self._closing is None

    @property
    def keeping(self) -> bool:
        """Whether something that was recorded is still being put away."""
        return any(not r.done for r in self._closers)

    def open(
        self, path: Path, note: dict[str, Any], channels: tuple[str, ...], *, drives: bool
    ) -> bool:
        """Begins; whether it could. note: facts for the stream's header."""
        # the window does not wait for its library
        from sparring.bench.recorder import Recorder, RecorderError

        if self._recorder is not None:
            self._tell(Notice("said", "A recording is already in progress. Stop it first."))
            return False
        try:
            self._recorder = Recorder(path, channels, note, on_fault=self._fault)
        except RecorderError as err:
            self._tell(Notice("said", str(err)))
            return False
        self._begun, self.drives, self._closing = (path, note), drives, None
        self._lost_before = self.tally().lost
        return True

    def begin_anew(self, channels: tuple[str, ...]) -> bool:
        """Ends the stretch and begins another with these channels; whether it could."""
        assert self._begun is not None
        path, note = self._begun
        self.end("interrupted")
        self.close()
        self._stretches += 1
        begun = self.open(
            path.with_name(f"{path.stem}-{self._stretches}{path.suffix}"),
            note,
            channels,
            drives=self.drives,
        )
        self._begun = path, note
        return begun

    def add(
        self, t: np.ndarray, values: np.ndarray, gap: tuple[float, float] | None = None
    ) -> None:
        """Samples at t [s], shape (n,): SI, shape (n, channels); gap: before them."""
        if self._recorder is not None:
            if gap is not None:
                self._recorder.gap(*gap)
            self._recorder.add(t, values)

    def mark(self, t: float, text: str) -> None:
        """What was heard or seen at t [s]."""
        if self._recorder is not None:
            self._recorder.mark(t, text)

    def end(self, reason: str) -> None:
        """It is over for this reason; what comes in the next moment still belongs to it."""
        if self.under_way:
            self._closing = self._clock() + _TAIL, reason

    def turn(self) -> None:
        """Time went by."""
        if self._closing is not None and self._clock() > self._closing[0]:
            self.close()

    def close(self) -> None:
        """Puts away what has been ended."""
        if self._recorder is None or self._closing is None:
            return
        recorder, drives, reason = self._put_down(), self.drives, self._closing[1]

        def closed() -> None:
            if not drives:
                self._tell(Notice("recorded", recorder.path))
                return
            try:
                run_id = self._keep(recorder.path)
            except Exception as err:
                # every reason is for the tester to read; the stream stays where it is
                self._tell(
                    Notice("said", f"The run could not be saved: {err} ({recorder.path.name}).")
                )
            else:
                if run_id is not None:
                    self._tell(Notice("kept", run_id))

        recorder.close(
            then=closed, ended=reason, lost=max(self.tally().lost - self._lost_before, 0)
        )
        self._closing = None

    def drop(self) -> None:
        """Nothing was driven: what was recorded is nothing."""
        if self._recorder is None:
            return
        recorder = self._put_down()
        self._closing = None

        def gone() -> None:
            with contextlib.suppress(OSError):
                recorder.path.unlink(missing_ok=True)

        recorder.close(then=gone)

    def wait(self) -> None:
        """Until all that is over has been put away. Not under the session's lock: what puts it away
        may need that.
        """
        for recorder in list(self._closers):
            recorder.wait()

    def _put_down(self) -> Recorder:
        recorder, self._recorder = self._recorder, None
        assert recorder is not None
        self._closers = [r for r in self._closers if not r.done] + [recorder]
        return recorder
