"""Makes the demo logbook: with its first test at once, and the rest on all cores behind that."""

from __future__ import annotations

import multiprocessing
import os
import tempfile
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor, wait
from pathlib import Path
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from sparring.demo.part import Part
    from sparring.logbook import Logbook

_MADE = "demo"  # setting: names of the parts that are in the logbook
_LOOKS = 0.05  # [s] between two looks whether it is cancelled


def make_logbook(folder: Path, progress: Callable[[float], None] = lambda _: None) -> Path:
    """The demo logbook, whole; where it is already, it is left alone. progress: with the part done
    [0..1], and often; what it raises ends the making, which goes on from there the next time.
    Raises LogbookError where something else is in the folder.
    """
    from sparring.logbook import Logbook

    begin(folder)
    with Logbook(folder) as book:
        finish(book, progress)
    return folder


def begin(folder: Path) -> None:
    """A logbook with builds, rigs, and the test that it opens with; where there is one, it is left
    alone. Raises LogbookError where something else is in the folder.
    """
    from sparring.logbook import Logbook, LogbookError

    if (folder / "logbook.sqlite").exists():
        return
    if folder.exists() and any(folder.iterdir()):
        raise LogbookError(f"{folder} has files, but no logbook. Name a folder that is empty.")
    from sparring.demo import bought, campaign, hollin_yard

    folder.parent.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix=f".{folder.name}-", dir=folder.parent) as beside:
        made = Path(beside) / folder.name
        with Logbook(made) as book:
            for build in (*hollin_yard.builds(), bought.gearmotor(1), bought.gearmotor(2)):
                book.save_build(build)
            for rig in hollin_yard.rigs():
                book.save_rig(rig)
            campaign.keep_duties(book)
            first = hollin_yard.parts()[0]
            book.set_setting(_MADE, [])
            _keep(book, first, first.make())
        made.rename(folder)


def finish(
    book: Logbook,
    progress: Callable[[float], None] = lambda _: None,
    kept: Callable[[], None] = lambda: None,
) -> None:
    """Makes what is not there yet of a demo logbook; nothing where it is whole, or no demo.
    progress: as of `make_logbook`; kept: after each part.
    """
    done = book.setting(_MADE)
    if not isinstance(done, list):  # not begun by `begin`
        return
    from sparring.demo import hollin_yard

    parts = hollin_yard.parts()
    todo = [part for part in parts if part.name not in done]
    if not todo:
        return
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(["sparring.demo.hollin_yard"])
    pool = ProcessPoolExecutor(min(len(todo), os.cpu_count() or 1), mp_context=context)
    try:
        under_way = [pool.submit(part.make) for part in todo]
        for n, (part, made) in enumerate(zip(todo, under_way, strict=True)):
            part_done = 1 - (len(todo) - n) / len(parts)
            progress(part_done)
            while not wait([made], _LOOKS).done:
                progress(part_done)
            _keep(book, part, made.result())  # in their order: each has the same number every time
            kept()
    finally:
        pool.shutdown(wait=False, cancel_futures=True)


def _keep(book: Logbook, part: Part, made: Any) -> None:
    part.keep(book, made)
    book.set_setting(_MADE, [*book.setting(_MADE), part.name])
