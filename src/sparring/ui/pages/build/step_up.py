"""Further step-up stages: how many the drive still turns, predicted, and tried one by one."""

from __future__ import annotations

from functools import partial
from typing import Any

from PyQt6.QtWidgets import QHBoxLayout, QWidget

from sparring.core.outlook.step_up import Further, Tried, further, in_a_row, with_count
from sparring.core.records import Q, RecordError
from sparring.core.reduce.results import TestResult
from sparring.core.train import kinematics
from sparring.exchange.deriving import series_of
from sparring.ui.model import background
from sparring.ui.model.desk import Desk
from sparring.ui.pages.build.dialogs import BuildDialog, Chosen
from sparring.ui.widgets.parts import Table
from sparring.ui.widgets.plain import Label
from sparring.ui.widgets.quantity_field import QuantityField


class StepUpDialog(BuildDialog):
    """One row for each number of stages; the next one to try is created as a new revision."""

    def __init__(self, desk: Desk, chosen: Chosen, parent: QWidget) -> None:
        super().__init__(
            desk,
            chosen,
            parent,
            "Further step-up stages",
            "How often the last stage can be repeated before the motor no longer turns the drive. "
            "Each stage's drag is felt at the motor times the ratio in front of it. Revisions of "
            "this build with more or fewer of these stages count as tried, and correct what is "
            "predicted.",
        )
        self.resize(860, 520)
        self.voltage, self.load = desk.build.motor.voltage.value, 0.0
        self._results: dict[int, TestResult] = {}
        row = QHBoxLayout()
        for label, field, info in (
            ("Voltage", "voltage", Q("voltage", "V", above=0.0, most=1000.0)),
            ("Torque at the output", "load", Q("torque", "N·m", least=0.0)),
        ):
            edit = QuantityField(
                info,
                desk.units.get(info.kind, info.file_unit),
                partial(self._set, field),
                measured=False,
                name=label,
            )
            edit.set_value(getattr(self, field))
            text = Label(label)
            text.setBuddy(edit)
            row.addWidget(text)
            row.addWidget(edit)
        row.addStretch(1)
        self.column.addLayout(row)
        units = desk.units
        self.table = Table(
            [
                "stages",
                "ratio",
                f"speed, {units['speed']}",
                "current, A",
                "chance to turn",
                "tried",
                f"speed, {units['speed']}",
                "current, A",
            ],
            "Further step-up stages",
            2,
            left=(5,),
        )
        self.column.addWidget(self.table, 1)
        self.act = self.finish("Create the next to try")
        self._fill()
        if (book := desk.book) is not None:
            key = desk.build_id
            background.run(
                lambda: series_of(book, key), self._known, lambda err: self._tell(str(err))
            )

    def _known(self, results: dict[int, TestResult]) -> None:
        self._results = results
        self._fill()

    def _tell(self, text: str) -> None:
        self.result_text.setText(text)

    def _set(self, name: str, value: Any) -> str | None:
        setattr(self, name, value)
        self._fill()
        return None

    def _fill(self) -> None:
        build, self.next = self.desk.build, 0
        try:
            rows = further(build, self.voltage, self.load, self._results)
        except ValueError as err:
            self._tell(f"{str(err)[0].upper()}{str(err)[1:]}.")
            self._enable()
            return
        self.table.fill([self._row(r) for r in rows])
        turned = [r.stages for r in rows if r.tried is not None and r.tried.turned]
        stood = [r.stages for r in rows if r.tried is not None and not r.tried.turned]
        told = []
        if turned:
            told.append(f"The last that turned: {_stages(max(turned))}.")
        if stood:
            told.append(f"The first that did not: {_stages(min(stood))}.")
        if len(rows) > 1 and not told:
            most = max((r.stages for r in rows if r.stalls < 0.5), default=0)
            told.append(
                f"Expected to turn with {_stages(most)}, not with {most + 1}."
                if most < rows[-1].stages
                else f"Expected to turn with all {_stages(most)}."
            )
        tried = {r.stages for r in rows if r.tried is not None}
        beyond = min(stood, default=rows[-1].stages + 1)
        open_ = [r.stages for r in rows if r.stages not in tried and r.stages < beyond]
        self.next = next((n for n in open_ if n > max(turned, default=0)), 0)
        self._tell(" ".join(told))
        self._enable()

    def _enable(self) -> None:
        if self.act is not None:
            now = in_a_row(self.desk.build)
            self.act.setEnabled(bool(self.next) and self.next != now)
            text = f"Create a revision with {_stages(self.next)}"
            if self.next == now:
                text = "Run this one first"
            self.act.setText(text if self.next else "Nothing more to create")

    def _row(self, r: Further) -> list[str]:
        d = self.desk
        mark = "▸ " if r.stages == in_a_row(d.build) else ""
        said: Tried | None = r.tried
        return [
            f"{mark}{r.stages}",
            kinematics.ratio_in_words(1 / r.ratio),
            d.show(r.speed, "speed", with_unit=False) if r.stalls < 0.5 else "stalls",
            d.show(r.current, "current", with_unit=False),
            f"{100 * (1 - r.stalls):.0f} %",
            "–" if said is None else "turned" if said.turned else "did not turn",
            "–" if said is None else d.show(said.speed, "speed", with_unit=False),
            "–" if said is None else d.show(said.current, "current", with_unit=False),
        ]

    def take(self) -> None:
        """The next one to try, as a revision of its own."""
        try:
            build = with_count(self.desk.build, self.next)
        except RecordError as err:
            self._tell(str(err))
            return
        self.desk.new_revision(build)
        self.accept()


def _stages(n: int) -> str:
    return f"{n} stage{'s' * (n != 1)}"
