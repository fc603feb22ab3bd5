"""What the menus do: files in and out, boards, dialogs."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog, QMessageBox

from sparring import __version__
from sparring.core.instruments.devices import DeviceSet
from sparring.exchange import exports
from sparring.exchange.export import ExportError
from sparring.home import home
from sparring.ui.app.window import Window
from sparring.ui.model import background
from sparring.ui.widgets.files import ask_where, file_filter

if TYPE_CHECKING:
    from sparring.exchange.formats import LogFormat, RunsFormat

TEXT_SIZES = (100, 125, 150, 175, 200)  # [%]


class Errands:
    """Runs the window's errands. `dialog` is the one that is open, kept from being collected."""

    def __init__(self, window: Window) -> None:
        self.window, self.desk, self.session = window, window.desk, window.session
        self.dialog: Any = None
        self._guide: Any = None

    def say(self, text: str) -> None:
        self.window.message.say(text)

    def _work(
        self, text: str, work: Callable[[background.Progress], Any], done: Callable[[Any], None]
    ) -> None:
        """Long work off the window's thread, with its progress and a cancel shown."""
        message = self.window.message

        def succeeded(made: Any) -> None:
            message.over()
            done(made)

        def failed(err: Exception) -> None:
            message.over()
            self.say(
                "Cancelled. Nothing was changed."
                if isinstance(err, background.Cancelled)
                else str(err)
            )

        progress = background.run_long(work, succeeded, failed, message.part)
        message.work(text, progress.cancel)

    def open_logbook(self) -> None:
        if self.session.recording:
            self.say(
                "A recording for this logbook is in progress. Stop it first (Esc), then "
                "open another."
            )
            return
        folder = QFileDialog.getExistingDirectory(
            self.window, "Logbook folder (an empty folder becomes a new logbook)"
        )
        if folder:
            self.desk.open(Path(folder))

    def go_back(self) -> None:
        """Puts the logbook's database back as it was on a day before."""
        from sparring.logbook import keeping
        from sparring.ui.app.dialogs import CopiesDialog

        folder = self.desk.folder
        if folder is None or self.session.recording:
            self.say(
                "A recording for this logbook is in progress. Stop it first (Esc)."
                if folder
                else "No logbook is open yet."
            )
            return
        copies = keeping.backups(folder)
        if not copies:
            self.say(
                "This logbook has no backup yet. One is made on each day it is opened, "
                "from the second time on."
            )
            return
        dialog = CopiesDialog(folder, copies, self.window)

        def chosen() -> None:
            name = dialog.chosen()

            def back() -> tuple[Path, Path]:
                return keeping.restore(folder, name)

            def done(made: tuple[Path, Path]) -> None:
                said = (
                    f"The logbook is restored to {made[0].stem.removeprefix('logbook-')}; "
                    f"the former database is {made[1].name}."
                )
                self.desk.open(folder, lambda: self.window.message.say(said, stay=True))

            def failed(err: Exception) -> None:
                self.desk.open(folder, lambda: self.window.message.say(str(err), stay=True))

            self.desk.close()
            background.run(back, done, failed)

        dialog.accepted.connect(chosen)
        dialog.open()
        self.dialog = dialog

    def import_file(self, path: Path) -> None:
        """Takes in a file by its format: a log of another logger, or a record."""
        from sparring.exchange.formats import RecordFormat
        from sparring.exchange.imports import format_of

        if isinstance(format_of(path), RecordFormat):
            self.open_record(path)
        else:
            self.import_log(path)

    def import_log(self, path: Path | None = None) -> None:
        """Asks for a log (unless given), shows what is in it, and makes its lifts a new test; a
        table of readings is taken in as it is.
        """
        from sparring.exchange.formats import RunsFormat
        from sparring.exchange.imports import LOGS, format_of, log_format
        from sparring.files.log_look import LogError

        if path is None:
            name, _ = QFileDialog.getOpenFileName(
                self.window, "Log of another logger", "", file_filter(LOGS)
            )
            if name:
                self.import_file(Path(name))  # it may be a build's all the same
            return
        if isinstance(readings := format_of(path), RunsFormat):
            self._import_runs(readings, path)
            return
        form = log_format(path)
        try:
            look = form.look(path)
        except LogError as err:
            self.say(str(err))
            return
        from sparring.ui.widgets.import_dialog import ImportDialog

        dialog = ImportDialog(self.desk, look, self.window)
        dialog.accepted.connect(lambda: self._import(form, dialog))
        dialog.open()
        self.dialog = dialog

    def _import(self, form: LogFormat, dialog: Any) -> None:
        d = self.desk
        if d.book is None:
            return
        dialog.remember()
        book, columns, look = d.book, dialog.mapping(), dialog.log
        build_id, rig_id, plan = d.build_id, d.rig_id, d.plan

        def work(progress: background.Progress) -> tuple[int, list[str]]:
            from sparring.exchange.importing import import_log

            return import_log(
                book,
                form,
                look,
                columns,
                build_id=build_id,
                rig_id=rig_id,
                plan=plan,
                progress=progress,
            )

        self._work(f"Importing {look.path.name} …", work, self._imported)

    def _import_runs(self, form: RunsFormat, path: Path) -> None:
        from sparring.core.records import RecordError
        from sparring.exchange.importing import import_runs

        d = self.desk
        if d.book is None:
            return
        try:
            made = import_runs(
                d.book, form, path, build_id=d.build_id, rig_id=d.rig_id, plan=d.plan
            )
        except RecordError as err:
            self.say(str(err))
            return
        self._imported(made)

    def _imported(self, made: tuple[int, list[str]]) -> None:
        self.desk.choose_test(made[0])
        self.window.go("results")
        self.say(" ".join(made[1]))

    def export_test(self, id: str) -> None:
        """Writes the test on the desk in one of the forms there are."""
        from sparring.exchange.export import KeptTest

        d, export = self.desk, exports.export(id)
        if d.book is None or not d.test_id:
            self.say("There is no test to export yet.")
            return
        book, test_id = d.book, d.test_id
        if export.suffix:
            name = f"{KeptTest(book, test_id).name}{export.suffix}"
            path = ask_where(self.window, "Export this test", (export,), name)
            where = path[1] if path is not None else None
        else:
            folder = QFileDialog.getExistingDirectory(self.window, "Export into which folder?")
            where = Path(folder) if folder else None
        if where is None:
            return

        def work(progress: background.Progress) -> Path:
            return export.save(KeptTest(book, test_id, progress), where)

        self._work(
            f"Exporting {d.build.name} …", work, lambda made: self.say(f"Exported to {made}")
        )

    def take_back(self) -> None:
        d = self.desk
        struck = [r.id for r in d.runs if r.struck]
        if struck:
            d.strike(struck, False)
        self.say(f"{len(struck)} runs restored." if struck else "No run is excluded.")

    def new_build(self) -> None:
        from sparring.core.build import Build

        self.desk.add_build(Build(family="New drive"))
        self.window.show_place("build.family")

    def open_record(self, path: Path | None = None) -> None:
        """Takes in a build or a rig from its file, asked for unless given."""
        from sparring.core.build import Build
        from sparring.core.records import RecordError
        from sparring.exchange.into import record_file

        form = record_file.IMPORT
        if path is None:
            name, _ = QFileDialog.getOpenFileName(
                self.window, "Build or rig file", "", file_filter((form,))
            )
            if not name:
                return
            path = Path(name)
        try:
            record = form.load(path)
        except RecordError as err:
            self.say(str(err))
            return
        if isinstance(record, Build):
            self.desk.add_build(record)
            self.window.go("build")
        else:
            self.desk.add_rig(record)
            self.window.go("rig")

    def save_build(self) -> None:
        from sparring.core.build import Build

        b = self.desk.build
        chosen = ask_where(
            self.window,
            "Save as a build file",
            exports.exports_of(Build),
            f"{b.family.lower()}-r{b.revision}.json",
        )
        if chosen is not None:
            export, path = chosen
            try:
                self.say(f"Saved {export.save(b, path)}")
            except ExportError as err:
                self.say(str(err))

    def simulate(self, mishap: str = "") -> None:
        """The simulated bench; with what goes wrong in each of its runs."""
        self.session.simulate(self.desk.build, self.desk.rig, mishap=mishap)
        self.window.go("run")

    def replay(self) -> None:
        """A log in place of the bench: what was recorded once comes again."""
        from sparring.exchange.imports import LOGS

        offered = f"Recordings of a logbook (*.parquet);;{file_filter(LOGS)}"
        name, _ = QFileDialog.getOpenFileName(self.window, "Replay a recording", "", offered)
        if name:
            self.session.replay(Path(name), self.desk.build, self.desk.rig)
            self.window.go("run")

    def connect_devices(self) -> None:
        """The devices of the bench; a board alone is one of them."""
        from sparring.ui.app.devices.dialog import DevicesDialog

        dialog = DevicesDialog(self.desk, self.session, self.window)

        def accepted() -> None:
            self.session.connect_devices(DeviceSet.ours(devices=tuple(dialog.devices)))
            self.window.go("run")

        dialog.accepted.connect(accepted)
        dialog.open()
        self.dialog = dialog

    def characterise(self, at: int = 0) -> None:
        """at: the record to begin with; 0: the newest."""
        from sparring.ui.characterise.dialog import CharacteriseDialog

        self.dialog = CharacteriseDialog(self.desk, self.session, self.window, at=at)
        self.dialog.open()

    def units(self) -> None:
        from sparring.ui.app.dialogs import UnitsDialog

        self.dialog = UnitsDialog(self.desk, self.window)
        self.dialog.open()

    def guide(self, chapter: str = "", anchor: str = "") -> None:
        """Opens the guide; without a chapter at that of the page, or of the dialog, in hand."""
        from sparring.ui.app.guide import GuideWindow

        over = QApplication.activeModalWidget() or self.window
        if not chapter:
            chapter = getattr(over, "CHAPTER", "") or self.window.chapter()
        if not self.guide_is_open() or self._guide.parent() is not over:
            self._guide = GuideWindow(over)
        self._guide.open_at(chapter, anchor)
        self._guide.show()
        self._guide.raise_()
        self._guide.activateWindow()

    def guide_is_open(self) -> bool:
        """Whether it can be seen."""
        try:
            return self._guide is not None and self._guide.isVisible()
        except RuntimeError:  # it was closed, or went with the dialog it stood over
            return False

    def tour(self) -> None:
        """Opens the demo logbook, made if need be, and starts the tour."""
        book = self.desk.book
        if book is not None and any(b.name == "Dunnock r1" for _, b in book.builds()):
            self.window.start_tour()
        elif self.session.recording:
            self.say("A recording for this logbook is in progress. Stop it first (Esc).")
        else:
            self.open_demo(home() / "demo", self.window.start_tour)

    def open_demo(self, folder: Path, then: Callable[[], None] = lambda: None) -> None:
        """Opens the demo logbook. What is not there yet is made behind the window: the test that it
        opens with first, the others appear as they are done.
        """

        def begin() -> None:
            from sparring import demo

            demo.begin(folder)

        def opened() -> None:
            self._finish_demo()
            then()

        if not (folder / "logbook.sqlite").exists():
            self.window.message.say("Making the demo logbook …", stay=True)
        background.run(
            begin, lambda _: self.desk.open(folder, opened), lambda err: self.say(str(err))
        )

    def _finish_demo(self) -> None:
        book, message = self.desk.book, self.window.message
        if book is None:
            return
        appeared = background.teller(lambda _: self.desk.lists_changed.emit())

        def work(progress: background.Progress) -> None:
            from sparring import demo

            demo.finish(book, progress, lambda: appeared(1.0))

        def part(done: float) -> None:
            if not message.is_working:
                message.work("Making the demo logbook: its tests appear …", progress.cancel)
            message.part(done)

        def ended(_: object) -> None:
            if message.is_working:
                message.over()
                message.say("The demo logbook is complete.")

        def failed(err: Exception) -> None:
            message.over()
            if self.desk.book is book and not isinstance(err, background.Cancelled):
                self.say(str(err))
            elif self.desk.book is book:
                self.say(
                    "Stopped. The tests made so far are in the demo logbook; the rest is made when"
                    " it is opened next."
                )

        progress = background.run_long(work, ended, failed, part)
        self.desk.closes.connect(progress.cancel)

    def text_size(self) -> None:
        """Asks how large texts are to be; the window is drawn so from the next start on."""
        settings = self.desk.settings
        now = settings.value("text-size", 100, type=int)
        shown = [f"{size} %" for size in TEXT_SIZES]
        text, taken = QInputDialog.getItem(
            self.window,
            "Text size",
            "Size of texts, and of all that goes with them:",
            shown,
            TEXT_SIZES.index(now) if now in TEXT_SIZES else 0,
            editable=False,
        )
        if taken:
            settings.setValue("text-size", TEXT_SIZES[shown.index(text)])
            self.say(f"Texts are shown at {text} from the next start on.")

    def keys(self) -> None:
        from sparring.ui.app.dialogs import KeysDialog

        self.dialog = KeysDialog(self.window.commands.known.values(), self.window)
        self.dialog.open()

    def find_command(self) -> None:
        from sparring.ui.app.finder import Finder

        self.dialog = Finder(self.window.commands, self.window)
        self.dialog.open()

    def about(self) -> None:
        box = QMessageBox(self.window)
        box.setWindowTitle("About Sparring")
        box.setText(
            f"Sparring {__version__}\nBench tests on gearboxes and gearmotors.\n\nFree software"
            " under the GNU General Public License, version 3 or later, without any warranty."
            " Type: B612, SIL Open Font License 1.1."
        )
        box.open()
        self.dialog = box
