"""Campaigns in a logbook."""

from __future__ import annotations

import json
from collections import Counter
from datetime import UTC, datetime

from sqlalchemy import func, select

from sparring.core.outlook.campaign import Campaign, InLogbook
from sparring.core.plan import Plan
from sparring.logbook.database import LogbookError
from sparring.logbook.rows import Rows
from sparring.logbook.tables import CampaignRow, RunRow, TestRow


class Campaigns(Rows):
    """A logbook's campaigns."""

    def campaigns(self) -> list[tuple[int, Campaign]]:
        """All of them, oldest first."""
        with self._session() as s:
            return self._records(s, CampaignRow, Campaign, CampaignRow.id)

    def save_campaign(self, campaign: Campaign, key: int = 0) -> int:
        """Keeps it, as a new one where it has no number yet; its number."""
        with self._session() as s:
            if key:
                row = self._row(s, CampaignRow, key)
                row.name, row.record = campaign.name, campaign.to_json()
                return key
            row = CampaignRow(name=campaign.name, record=campaign.to_json())
            s.add(row)
            s.flush()
            return int(row.id)

    def drop_campaign(self, key: int) -> None:
        """Takes a campaign out. Raises LogbookError where runs were made for it."""
        with self._session() as s:
            row = self._row(s, CampaignRow, key)
            if Campaign.from_json(row.record).tests:
                raise LogbookError(f"the campaign {row.name} has tests; they would be left alone")
            s.delete(row)

    def begin_in(self, campaign: Campaign, key: int, build: str, test: int) -> Campaign:
        """Notes which test holds the runs of a build; as it is kept."""
        begun = campaign.model_copy(
            update={"tests": (*campaign.tests, InLogbook(build=build, test=test))}
        )
        self.save_campaign(begun, key)
        return begun

    def begin_trial(self, key: int, build: str, build_id: int, rig_id: int, plan: Plan) -> int:
        """Begins the test of a build in a campaign; its number. Both are kept, or neither."""
        with self._session() as s:
            row = self._row(s, CampaignRow, key)
            campaign = Campaign.from_json(row.record)
            test = TestRow(
                build_id=build_id,
                rig_id=rig_id,
                plan=plan.to_json(),
                title=campaign.name[:120],
                created=datetime.now(UTC),
            )
            s.add(test)
            s.flush()
            holds = (*campaign.tests, InLogbook(build=build, test=test.id))
            row.record = campaign.model_copy(update={"tests": holds}).to_json()
            return int(test.id)

    def end_in(self, key: int, test: int) -> None:
        """Takes a test that was begun out of its campaign and of the logbook. Raises LogbookError
        where it has runs.
        """
        with self._session() as s:
            if s.scalar(select(func.count(RunRow.id)).where(RunRow.test_id == test)):
                raise LogbookError("it has runs since, and stays in the logbook")
            row = self._row(s, CampaignRow, key)
            campaign = Campaign.from_json(row.record)
            rest = tuple(t for t in campaign.tests if t.test != test)
            row.record = campaign.model_copy(update={"tests": rest}).to_json()
            s.delete(self._row(s, TestRow, test))

    def runs_made(self, campaign: Campaign) -> dict[str, Counter[int]]:
        """Runs that count, by build, by step id."""
        found: dict[str, Counter[int]] = {}
        with self._session() as s:
            for held in campaign.tests:
                rows = self._rows(s, RunRow, RunRow.test_id == held.test, RunRow.struck.is_(False))
                told = (json.loads(r.record) for r in rows)
                found[held.build] = Counter(
                    t.get("step", 0) for t in told if t.get("ended") != "interrupted"
                )
        return found
