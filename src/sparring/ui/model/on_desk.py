"""What lies on the desk, and the signals that say that it has changed."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, QSettings, pyqtSignal
from PyQt6.QtGui import QUndoStack

from sparring.core.build import Build
from sparring.core.duty.record import Duty
from sparring.core.duty.tasks import Vent
from sparring.core.methods import MethodBase
from sparring.core.outlook.campaign import Campaign, Made
from sparring.core.outlook.drive import Drive
from sparring.core.outlook.foresee import Outlook
from sparring.core.plan import Lift, Outcome, Plan, standard
from sparring.core.records import Record
from sparring.core.rig import Rig
from sparring.core.run import Run
from sparring.ui.model.units import InUnits, stored_units

if TYPE_CHECKING:
    from sparring.core.reduce.results import TestResult
    from sparring.core.wear.inspection import Inspection
    from sparring.core.wear.peers import Faster
    from sparring.core.wear.result import FlankWear, Wear
    from sparring.logbook import Logbook
    from sparring.logbook.stored import StoredRun
    from sparring.ui.model.draft import Draft


class OnDesk(InUnits, QObject):
    """Signals carry nothing: who hears one looks again."""

    opened = pyqtSignal()
    closes = pyqtSignal()  # the logbook, soon: who still writes into it ends
    not_opened = pyqtSignal(str)
    build_changed = pyqtSignal()
    rig_changed = pyqtSignal()
    plan_changed = pyqtSignal()
    result_changed = pyqtSignal()
    selection_changed = pyqtSignal()
    lists_changed = pyqtSignal()
    draft_changed = pyqtSignal()
    campaign_changed = pyqtSignal()
    wear_changed = pyqtSignal()
    duty_changed = pyqtSignal()
    compared = pyqtSignal()
    units_changed = pyqtSignal()
    said = pyqtSignal(str)
    warned = pyqtSignal(str)  # is to stay until something else is said
    place_wanted = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.book: Logbook | None = None
        self.folder: Path | None = None  # of the logbook that is open, or could not be opened
        self.build, self.rig = Build.ours(), Rig.ours()
        self.plan = standard(self.build)
        self.build_id = self.rig_id = self.test_id = 0
        self.result: TestResult | None = None
        self.runs: list[StoredRun] = []
        self.load = 0.3  # output torque that the tester looks at [N·m]
        self.step: int | None = None  # chosen step of the result
        self.point: int | None = None  # chosen lift of that step
        self.undo = QUndoStack(self)
        self.draft: Draft | None = None
        # of what is on the desk: said to have been wrong all along
        self._correcting: set[tuple[str, int]] = set()
        self.campaign: Campaign | None = None
        self.campaign_id = 0
        self._made: Made | None = None
        self.duty, self.duty_id = Duty.ours(task=Vent.ours()), 0
        self.looks: list[tuple[int, Inspection]] = []
        self.look_id = 0
        self.wear: Wear | None = None
        self.wear_failed = ""
        self.worn_peers: list[Faster] = []
        self._peer_wear: dict[int, tuple[Any, tuple[FlankWear, ...]]] = {}  # as last worked out
        self._judged, self._wear_due, self._wear_of = 0, False, 0
        self._fitted: tuple[Plan, MethodBase, bool, Plan] | None = None
        self._turned: tuple[tuple[Any, ...], bool] | None = None
        self._outlook: tuple[tuple[Any, ...], Drive, Outlook] | None = None
        self._mended = 0  # the run after which what broke was replaced
        self._counted: tuple[list[StoredRun], list[Outcome], list[Lift]] = ([], [], [])
        self.settings = QSettings("sparring", "sparring")
        self.units = stored_units(self.settings)

    # --- what those above it do -------------------------------------------------------------------

    def owner(self, what: str) -> int:
        """The number of the build, rig or test in hand."""
        return {
            "build": self.build_id,
            "rig": self.rig_id,
            "plan": self.test_id,
            "campaign": self.campaign_id,
            "duty": self.duty_id,
        }[what]

    def put(self, what: str, record: Record, owner: int) -> None:
        """Keeps a record (also: takes it back) and shows it if it is the one in hand."""
        raise NotImplementedError

    def put_run(self, run_id: int, run: Run) -> None:
        """Keeps what is known of a run."""
        raise NotImplementedError

    def add_run(self, run: Run) -> int:
        """Keeps a run without a recording; its number."""
        raise NotImplementedError

    def put_duty(self, key: int, duty: Duty | None) -> int:
        """Keeps a duty, or takes it out; its number."""
        raise NotImplementedError

    def lay_duty(self, key: int) -> None:
        """Lays a duty on the desk."""
        raise NotImplementedError

    def put_look(self, key: int, inspection: Inspection | None) -> None:
        """Keeps an inspection, or takes it out."""
        raise NotImplementedError

    def find_inspections(self) -> None:
        """Looks for those of the build on the desk."""
        raise NotImplementedError

    def put_struck(self, run_ids: list[int], struck: bool, why: str = "") -> None:
        """Leaves runs out, or takes them back."""
        raise NotImplementedError

    def reanalyse(self) -> None:
        """Derives the result anew."""
        raise NotImplementedError

    def runs_changed(self, run_ids: list[int]) -> None:
        """Looks at these runs again, new ones among them."""
        raise NotImplementedError

    def choose_test(self, test_id: int, known: list[StoredRun] | None = None) -> None:
        """Lays a test on the desk; one of very many runs when they have been read."""
        raise NotImplementedError

    def lay_campaign(self, key: int) -> None:
        """Lays a campaign on the desk; 0: none."""
        raise NotImplementedError

    def choose_build(self, build_id: int) -> None:
        """Lays a build on the desk with its newest test, or with a fresh one in mind."""
        raise NotImplementedError

    def choose_rig(self, rig_id: int) -> None:
        """Another rig for this desk; a test that has runs keeps its own, so a new test begins."""
        raise NotImplementedError

    def lay_again(self, build_id: int, rig_id: int, test_id: int) -> None:
        """Lays on the desk what was on it before."""
        raise NotImplementedError
