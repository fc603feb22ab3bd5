"""The campaign in hand: which cell is next, and how it comes onto the desk."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from sparring.core.outlook.campaign import Campaign, Trial, next_in, next_trial
from sparring.core.plan import Lift
from sparring.ui.model.edits import NewCampaign, NewTrial
from sparring.ui.model.inspecting import Inspecting

if TYPE_CHECKING:
    from sparring.core.outlook.campaign import Made


class Campaigning(Inspecting):
    """What a desk does with campaigns."""

    def lay_campaign(self, key: int) -> None:
        """Lays a campaign on the desk; 0: none."""
        found = dict(self.book.campaigns()) if self.book is not None else {}
        self.campaign = found.get(key)
        self.campaign_id = key if self.campaign is not None else 0
        self._made = None
        self.campaign_changed.emit()

    def find_campaign(self) -> None:
        """The campaign of the test on the desk, else the newest, else none."""
        found = self.book.campaigns() if self.book is not None else []
        mine = [k for k, c in found if any(t.test == self.test_id for t in c.tests)]
        kept = [k for k, _ in found if k == self.campaign_id]
        self.lay_campaign((mine or kept or [k for k, _ in found] or [0])[-1])

    def begin_campaign(self, campaign: Campaign) -> None:
        """Keeps a new campaign, undoably, and lays it on the desk."""
        self.undo.push(NewCampaign(self, campaign))

    def made(self) -> Made:
        """Runs of the campaign that count; looked up once between two changes of the lists."""
        assert self.book is not None
        assert self.campaign is not None
        if self._made is None:
            self._made = self.book.runs_made(self.campaign)
        return self._made

    def trial(self) -> Trial | None:
        """The next trial of the campaign; None: all are done, or there is none."""
        return None if self.campaign is None else next_trial(self.campaign, self.made())

    @property
    def in_campaign(self) -> bool:
        """Whether the test on the desk holds runs of the campaign."""
        return (
            self.campaign is not None
            and bool(self.test_id)
            and any(t.test == self.test_id for t in self.campaign.tests)
        )

    def campaign_lift(self) -> Lift | None:
        """The next run of the test on the desk, where the campaign's next trial is of it."""
        trial = self.trial()
        if self.campaign is None or trial is None or trial.cell[0] != self.build.name:
            return None
        return next_in(self.campaign, trial, self.made())

    def lay_trial(self, trial: Trial) -> None:
        """Lays the build and test of a trial on the desk; its test is begun, undoably, with the rig
        in hand.
        """
        assert self.book is not None
        assert self.campaign is not None
        build = trial.cell[0]
        test = self.campaign.test_of(build)
        if test is not None:
            self.choose_test(test)
            return
        number = next((i for i, b in self.book.builds() if b.name == build), None)
        if number is None:
            self.said.emit(f"The logbook has no build {build}. Edit the campaign's builds.")
            return
        self.undo.push(NewTrial(self, self.campaign, number, build))

    def _forget_made(self) -> None:
        self._made: Mapping[str, Mapping[int, int]] | None = None
        self.campaign_changed.emit()
