"""Dialogs for taking a drive apart and fitting it together: counting teeth, calipers, ratio and
hidden teeth, the fit test.
"""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import (
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QWidget,
)

from sparring.core import quantity
from sparring.core.quantity import Measured, QuantityError
from sparring.core.train import fit, materials, takeapart
from sparring.core.train.fit import Verdict
from sparring.core.train.kinds import PlanetaryStage, SpurStage
from sparring.ui.model.desk import Desk
from sparring.ui.pages.build.dialogs import BuildDialog, Chosen
from sparring.ui.theme import font, theme
from sparring.ui.widgets.choice import Choice
from sparring.ui.widgets.parts import Table
from sparring.ui.widgets.plain import Label


class CountPad(QWidget):
    """A tap a tooth; a check mark each ten. Space, Enter or a click counts, Backspace takes one
    back.
    """

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.count = 0
        self.setMinimumHeight(200)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Counting pad. Space counts a tooth, Backspace removes one.")

    def add(self, by: int) -> None:
        self.count = max(0, self.count + by)
        self.setAccessibleDescription(f"{self.count} counted")
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Space:
            self.add(1)
        elif event is not None and event.key() == Qt.Key.Key_Backspace:
            self.add(-1)
        else:
            super().keyPressEvent(event)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self.add(1 if event.button() == Qt.MouseButton.LeftButton else -1)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), theme.colour("pale"))
        p.setPen(theme.colour("ink"))
        p.setFont(font(72, bold=True))
        p.drawText(
            self.rect().adjusted(0, 0, 0, -48), Qt.AlignmentFlag.AlignCenter, str(self.count)
        )
        p.setFont(font(12))
        y = self.height() - 40
        for tens in range(self.count // 10):  # what was checked off, each ten with its figure
            x = 16 + 44 * (tens % 11)
            p.setPen(QPen(theme.colour("reseda"), 3))
            row = y - 22 * (tens // 11)
            p.drawLine(x, row + 6, x + 5, row + 12)
            p.drawLine(x + 5, row + 12, x + 14, row - 2)
            p.setPen(theme.colour("ink-2"))
            p.drawText(x + 17, row + 12, str(10 * (tens + 1)))
        p.setPen(QPen(theme.colour("ink"), 2))
        for ones in range(self.count % 10):
            x = 16 + 12 * ones
            p.drawLine(x, self.height() - 18, x, self.height() - 6)
        if self.hasFocus():
            p.setPen(theme.colour("reseda"))
            p.drawRect(self.rect().adjusted(0, 0, -1, -1))


class CountDialog(BuildDialog):
    """Counts the teeth of the chosen gear by tapping."""

    def __init__(self, desk: Desk, chosen: Chosen, parent: QWidget) -> None:
        part = chosen[1].replace("_", " ")
        super().__init__(
            desk,
            chosen,
            parent,
            f"Count the teeth: stage {chosen[0] + 1} {part}",
            "Mark one tooth with a pen. Tap the pad or press Space once for each tooth; "
            "Backspace removes one. A check mark stands for ten.",
        )
        self.pad = CountPad()
        self.column.addWidget(self.pad, 1)
        self.finish(f"Use for the {part}")
        self.pad.setFocus()

    def take(self) -> None:
        if not isinstance(getattr(self.desk.build.stages[self.stage], self.field, None), int):
            self.result_text.setText(
                f"The {self.field.replace('_', ' ')} has no number of teeth; select a gear "
                "in the drawing first."
            )
            return
        self.edit(self.field, self.pad.count, "counted teeth")


# --- module and ratio -----------------------------------------------------------------------------


class CaliperDialog(BuildDialog):
    """Module and diametral pitch from tip diameters of loose gears."""

    def __init__(self, desk: Desk, chosen: Chosen, parent: QWidget) -> None:
        super().__init__(
            desk,
            chosen,
            parent,
            "Module from calipers",
            "One line per gear: tip diameter, then number of teeth. For example: 17.93 mm "
            "± 0.05 mm, 16 teeth. Measure a gear with an odd number of teeth three times, "
            "turned in between.",
        )
        self.readings = QPlainTextEdit()
        self.readings.setAccessibleName("Readings, one gear per line")
        self.readings.setPlaceholderText("17.93 mm ± 0.05 mm, 16\n50.1 mm ± 0.05 mm, 48")
        self.readings.textChanged.connect(self._work)
        self.column.addWidget(self.readings, 1)
        self.table = Table(
            ["standard size", "is", "deviation, in standard uncertainties", ""], "Standard sizes", 1
        )
        self.column.addWidget(self.table, 1)
        self.guess: takeapart.ModuleGuess | None = None
        self.helix = getattr(desk.build.stages[self.stage], "helix", 0.0)
        self.finish("Use the nearest for this stage")

    def _read(self) -> list[tuple[Measured, int]]:
        found = []
        for n, line in enumerate(self.readings.toPlainText().splitlines(), start=1):
            if not line.strip():
                continue
            size, _, count = line.rpartition(",")
            digits = "".join(c for c in count if c.isdigit())
            if not size or not digits:
                raise QuantityError(
                    f"line {n}: write the tip diameter, a comma, the teeth; for example 17.93 mm ±"
                    " 0.05 mm, 16"
                )
            found.append((quantity.parse(size, "length", "mm"), int(digits)))
        return found

    def _work(self) -> None:
        d = self.desk
        try:
            self.guess = takeapart.module_from_tips(self._read(), self.helix)
        except (QuantityError, ValueError) as err:
            self.guess = None
            self.table.fill([])
            self.result_text.setText(str(err))
            return
        rows = [
            [
                c.name,
                f"{c.module * 1e3:.4f} mm",
                f"{c.off:+.1f}",
                "excluded" if c.excluded else "possible",
            ]
            for c in self.guess.candidates
        ]
        self.table.fill(rows)
        text = f"Module {d.show(self.guess.module, 'length')}" + (
            f", with the stage's helix angle of {d.show(self.helix, 'angle', decimals=1)}."
            if self.helix
            else "."
        )
        if not self.guess.agree:
            text += (
                " The gears disagree: their modules differ, a tooth was miscounted, or one "
                "has profile shift."
            )
        elif all(c.excluded for c in self.guess.candidates):
            text += (
                " No standard size fits: the teeth have profile shift, are shortened, "
                "or are not standard."
            )
        self.result_text.setText(text)

    def take(self) -> None:
        if (
            self.guess is None
            or "module" not in type(self.desk.build.stages[self.stage]).model_fields
        ):
            self.result_text.setText("Enter a reading first, and select a stage that has a module.")
            return
        self.edit("module", self.guess.candidates[0].module, "module from calipers")


class RatioDialog(BuildDialog):
    """Ratio from turns or speeds, the check of a planetary stage, and hidden
    tooth counts that fit."""

    def __init__(self, desk: Desk, chosen: Chosen, parent: QWidget) -> None:
        super().__init__(
            desk,
            chosen,
            parent,
            "Ratio and hidden teeth",
            "Turn the input by hand and count, or read both speeds. Then enter the tooth "
            "numbers, with ? for each hidden one.",
        )
        form = QFormLayout()
        self.turns_in, self.turns_out = QLineEdit("10"), QLineEdit()
        self.known = QLineEdit(
            " ".join(f"{s.pinion}/{s.wheel}" for s in desk.build.stages if isinstance(s, SpurStage))
            or "?/?"
        )
        for label, field, hint in (
            ("Input: revolutions, or a speed", self.turns_in, "10, or 6000 rpm ± 20 rpm"),
            ("Output: revolutions, or a speed", self.turns_out, "2.5, or 200 rpm ± 1 rpm"),
            ("Pairs, driver/driven", self.known, "12/? ?/60"),
        ):
            field.setPlaceholderText(hint)
            field.setAccessibleName(label)
            field.textChanged.connect(self._work)
            form.addRow(label, field)
        self.column.addLayout(form)
        self.table = Table(["teeth", "ratio", "away", "likelihood"], "Teeth that fit", 1)
        self.column.addWidget(self.table, 1)
        self.finish()
        self._work()

    def ratio(self) -> Measured:
        """What was read. Raises ValueError."""
        a, b = self.turns_in.text().strip(), self.turns_out.text().strip()
        if not a or not b:
            raise ValueError("Enter the readings of input and output.")
        if any(c.isalpha() for c in a):
            return takeapart.ratio_from_speeds(
                quantity.parse(a, "speed", "rpm"), quantity.parse(b, "speed", "rpm")
            )
        return takeapart.ratio_from_turns(
            quantity.parse(a, "ratio", "").value, quantity.parse(b, "ratio", "").value
        )

    def _work(self) -> None:
        self.table.fill([])
        texts = []
        try:
            ratio = self.ratio()
            texts.append(
                f"Ratio {quantity.show(ratio.value, 'ratio', '', u=ratio.u)} to 1; that of "
                f"the build is {abs(self.desk.build.ratio()):.6g}."
            )
            known = []
            for word in self.known.text().split():
                a, slash, b = word.partition("/")
                if not slash or not all(x == "?" or x.isdigit() for x in (a, b)):
                    raise ValueError(
                        f"“{word}” is not a pair; write driver/driven with ? where hidden, "
                        "for example 12/?"
                    )
                known.append((None if a == "?" else int(a), None if b == "?" else int(b)))
            if any(x is None for pair in known for x in pair):
                fits = takeapart.hidden_counts(ratio, known)
                self.table.fill(
                    [
                        [
                            c.in_words(),
                            f"{c.ratio:.5g}",
                            f"{c.off:+.1f} u",
                            f"{100 * c.likelihood:.0f} %",
                        ]
                        for c in fits
                    ]
                    or [["no whole numbers fit", "", "", ""]]
                )
        except (QuantityError, ValueError) as err:
            texts.append(str(err))
        stage = self.desk.build.stages[self.stage]
        if isinstance(stage, PlanetaryStage):
            wrong = takeapart.ring_check(stage.sun, stage.planet, stage.ring, stage.planets)
            texts.append(
                "Planetary: "
                + (
                    "; ".join(wrong) + "."
                    if wrong
                    else (
                        f"{stage.sun} + 2 × {stage.planet} = {stage.ring} and {stage.planets}"
                        " planets fit."
                    )
                )
            )
        self.result_text.setText("\n".join(texts))


# --- fitting a pair -------------------------------------------------------------------------------


class FitDialog(BuildDialog):
    """Opening to play and back, sizes to check by, and the fit test."""

    def __init__(self, desk: Desk, chosen: Chosen, parent: QWidget) -> None:
        super().__init__(
            desk,
            chosen,
            parent,
            f"Centre distance and fit test, stage {chosen[0] + 1}",
            "Each value follows from the other. Sizes are nominal; a printed gear is "
            "usually slightly larger.",
        )
        stage = desk.build.stages[self.stage]
        self.pair_stage = stage if isinstance(stage, SpurStage) else None
        if self.pair_stage is None:
            self.result_text.setText(
                "This is available for a spur pair; select one in the drawing."
            )
            self.finish()
            return
        form = QFormLayout()
        self.opening, self.play = QLineEdit(), QLineEdit()
        self.opening.setAccessibleName("Centre offset")
        self.play.setAccessibleName("Backlash at the wheel")
        self.opening.setText(
            quantity.measured_text(Measured(self.pair_stage.opening), "length", "mm")
        )
        self.opening.textEdited.connect(lambda _t: self._from_opening())
        self.play.textEdited.connect(lambda _t: self._from_play())
        self.centres = Label()
        form.addRow("Centre offset", self.opening)
        form.addRow("Backlash at the wheel", self.play)
        form.addRow("Centre distance", self.centres)
        self.column.addLayout(form)
        self.sizes = Table(
            ["gear", "tips", "root", "over teeth", "span", "pin", "over pins"], "Sizes to check", 1
        )
        self.column.addWidget(self.sizes, 1)
        row = QHBoxLayout()
        row.addWidget(Label("Fit test: drill trial holes at"))
        self.trial = Choice()
        self.trial.setAccessibleName("Trial increase")
        row.addWidget(self.trial)
        self.seen: dict[float, Verdict] = {}
        verdicts: tuple[Verdict, ...] = ("too tight", "right", "too loose")
        for verdict in verdicts:
            button = QPushButton(verdict)
            button.clicked.connect(lambda _c=False, v=verdict: self._verdict(v))
            row.addWidget(button)
        self.column.addLayout(row)
        self.finish("Use this value")
        self._trials(fit.first_trials(self.pair_stage.module, self._printed()))
        self._from_opening()

    def _printed(self) -> bool:
        assert self.pair_stage is not None
        m = materials.find(self.pair_stage.material, self.desk.build.materials)
        return m is not None and m.printed

    def _trials(self, trials: tuple[float, ...]) -> None:
        self.trial.clear()
        for t in trials:
            self.trial.addItem(f"{t * 1e3:.3f} mm", t)

    def _value(self) -> float:
        value = quantity.parse(self.opening.text(), "length", "mm").value
        if value < 0:
            raise ValueError("the centre distance cannot be less than at zero backlash")
        return value

    def _from_opening(self) -> None:
        assert self.pair_stage is not None
        try:
            pair = self.pair_stage.model_copy(update={"opening": self._value()}).pair()
            self.play.setText(self.desk.show(pair.backlash(), "angle", decimals=3))
            self.centres.setText(self.desk.show(pair.centre_distance(), "length", decimals=3))
        except (QuantityError, ValueError) as err:
            self.result_text.setText(str(err))
            return
        rows = []
        for gear, name in ((1, "pinion"), (2, "wheel")):
            s = fit.sizes(pair, gear)
            if s is not None:
                mm = [
                    self.desk.show(v, "length", decimals=3)
                    for v in (s.tip, s.root, s.span, s.pin, s.over_pins)
                ]
                rows.append([name, *mm[:2], str(s.across), *mm[2:]])
        self.sizes.fill(rows)
        self.result_text.setText("")

    def _from_play(self) -> None:
        assert self.pair_stage is not None
        try:
            opening = self.pair_stage.pair().opening_for(
                quantity.parse(self.play.text(), "angle", "deg").value
            )
            self.opening.setText(f"{opening * 1e3:.4g} mm")
            pair = self.pair_stage.model_copy(update={"opening": opening}).pair()
            self.centres.setText(self.desk.show(pair.centre_distance(), "length", decimals=3))
            self.result_text.setText("")
        except (QuantityError, ValueError) as err:
            self.result_text.setText(str(err))

    def _verdict(self, verdict: Verdict) -> None:
        assert self.pair_stage is not None
        opening = self.trial.currentData()
        if opening is None:
            return
        self.seen[opening] = verdict
        try:
            test = fit.next_trials(self.pair_stage.module, self.seen)
        except ValueError as err:
            del self.seen[opening]
            self.result_text.setText(str(err))
            return
        if test.decided is not None:
            self.opening.setText(f"{test.decided * 1e3:.4g} mm")
            self._from_opening()
            self._trials(())
        else:
            rest = [
                t
                for t in (self.trial.itemData(i) for i in range(self.trial.count()))
                if t not in self.seen
            ]
            bracket = {
                "too tight": [t for t in rest if t > opening],
                "too loose": [t for t in rest if t < opening],
            }.get(verdict, [])
            self._trials(tuple(bracket) or test.trials)
        self.result_text.setText(
            test.text
            if test.decided is not None or not self.trial.count()
            else f"{verdict.capitalize()} at {opening * 1e3:.3f} mm. {test.text}"
        )

    def take(self) -> None:
        try:
            self.edit("opening", self._value(), "centre offset")
        except (QuantityError, ValueError) as err:
            self.result_text.setText(str(err))
