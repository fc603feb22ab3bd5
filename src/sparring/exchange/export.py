"""What an export is: a way to write something of a logbook as an open file."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any, Generic, NamedTuple, TypeVar

# The window lists its exports when it starts: nothing heavy is loaded before something is written.
if TYPE_CHECKING:
    from sparring.core.build import Build
    from sparring.core.instruments.calibration import Calibration
    from sparring.core.instruments.meters import Comparison
    from sparring.core.outlook.campaign import Campaign
    from sparring.core.quantity import Measured
    from sparring.core.reduce.results import TestResult
    from sparring.core.revise import Correction
    from sparring.core.train.stage import Body
    from sparring.logbook import Logbook

S = TypeVar("S")


class ExportError(ValueError):
    """It could not be written; says why and what to do."""


class KeptTest:
    """A test of a logbook, with all that is known of it. Raises LogbookError, ReductionError."""

    def __init__(
        self, book: Logbook, test_id: int, progress: Callable[[float], None] = lambda _: None
    ) -> None:
        """progress: is told the part done [0..1]; an exception it raises ends the export."""
        self.book, self.progress = book, progress
        self.test = book.test(test_id)
        self.build, self.rig = book.build(self.test.build_id), book.rig(self.test.rig_id)

    @cached_property
    def result(self) -> TestResult:
        """Its result, derived when first wanted."""
        from sparring.core.analysis import Reductions, analyse

        material = self.book.material(self.book.runs(self.test.id))
        reductions = Reductions(self.book.derived)
        return analyse(self.build, self.rig, self.test.plan, material, reductions=reductions)

    @cached_property
    def _campaign(self) -> Campaign | None:
        kept = (c for _, c in self.book.campaigns())
        return next((c for c in kept if c.test_of(self.build.name) == self.test.id), None)

    @property
    def campaign(self) -> str:
        """Name of the campaign it belongs to; "": none."""
        return "" if self._campaign is None else self._campaign.name

    @property
    def blocks(self) -> dict[tuple[int, int], str]:
        """Block of that, by step id and repeat."""
        from sparring.core.compare.subject import blocks_of

        return {} if self._campaign is None else blocks_of(self._campaign, self.build.name)

    @property
    def corrections(self) -> list[Correction]:
        """What was put right after its runs."""
        return self.book.corrections(self.test.build_id, self.test.rig_id)

    @property
    def name(self) -> str:
        """A name for its files: `test-3-dunnock-r2`."""
        family = self.build.family.lower().replace(" ", "-").replace("/", "-")
        return f"test-{self.test.id}-{family}-r{self.build.revision}"


class Part(NamedTuple):
    """A part of a build that can be drawn."""

    build: Build
    stage: int  # from 0
    body: Body

    @property
    def name(self) -> str:
        """A name for its file."""
        b = self.build
        return f"{b.family.lower()}-r{b.revision}-stage{self.stage + 1}-{self.body.name}".replace(
            " ", "-"
        )


def part_of(build: Build, stage: int, wanted: Callable[[Body], bool]) -> Part | None:
    """The first part of a stage, from 0, that is wanted; None: there is none."""
    shafts = build.shafts()
    bodies = build.stages[stage].bodies(
        shafts[stage], shafts[stage + 1], build.stage_names()[stage]
    )
    return next((Part(build, stage, body) for body in bodies if wanted(body)), None)


class Calibrated(NamedTuple):
    """A load cell's calibration and the gravity it was made in."""

    calibration: Calibration
    gravity: Measured

    @property
    def name(self) -> str:
        """A name for its file."""
        return f"{self.calibration.cell} {self.calibration.date}".replace("/", "-")


class Compared(NamedTuple):
    """A meter held against a better one. name: of METERS; units: in which it is told."""

    meter: str
    comparison: Comparison
    units: dict[str, str]

    @property
    def name(self) -> str:
        """A name for its file."""
        return f"{self.comparison.instrument} {self.comparison.date}".replace("/", "-")


@dataclass(frozen=True)
class Export(Generic[S]):
    """id: for good; words: what is written; of: the class of what it is written from, by its name;
    suffix: of the file, "" for a folder; write: writes it there, whole or not at all, and gives the
    path.
    """

    id: str
    words: str
    of: str
    suffix: str
    write: Callable[[S, Path], Any]

    def save(self, source: S, path: Path) -> Path:
        """Writes it and says where. Raises ExportError."""
        try:
            made = self.write(source, path)
        except ValueError as err:
            raise ExportError(str(err)) from err
        except OSError as err:
            raise ExportError(
                f"{path} could not be written: {err.strerror or err}. Choose another folder."
            ) from err
        return made if isinstance(made, Path) else path


def text_file(path: Path, text: str) -> None:
    """Writes a text, whole or not at all."""
    part = path.with_name(path.name + ".part")
    try:
        part.write_text(text, encoding="utf-8")
        part.replace(path)
    except OSError:
        part.unlink(missing_ok=True)
        raise
