"""The check desk: is the print right, and if not, what happened."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import field, replace
from functools import partial
from pathlib import Path

from PySide6.QtWidgets import (
    QButtonGroup,
    QFileDialog,
    QHBoxLayout,
    QLayout,
    QMenu,
    QPushButton,
    QStackedWidget,
    QWidget,
)

from fidele import units
from fidele.arrays import Codes, Floats
from fidele.chart.csv_file import ColumnsError
from fidele.chart.measured_file import ENDINGS, kind_of, read_any
from fidele.chart.measurement import Measurement
from fidele.chart.read import HiddenMarksError
from fidele.chart.visual import answers_in_words
from fidele.dataclass import dataclass
from fidele.desk.check_out import CheckOut
from fidele.desk.check_pages import (
    BesidePage,
    CausePage,
    EyePage,
    FiguresPage,
    Page,
    PatchesPage,
    RampsPage,
    ScanPage,
    TrendPage,
)
from fidele.desk.checked_piece import CheckedPiecePage
from fidele.desk.columns import ask_columns
from fidele.desk.desk import Desk, clock
from fidele.desk.flow import Flow
from fidele.desk.kit import fill
from fidele.desk.labels import button, heading, label
from fidele.desk.measuring import MeasuringPage
from fidele.desk.scanner_jobs import ScannerJobs
from fidele.desk.swatch_page import SwatchPage
from fidele.desk.theme import Theme, font
from fidele.desk.work import Work
from fidele.devices.sane import AnyScanner
from fidele.errors import FideleError
from fidele.language import lowered, tr, trn
from fidele.piece.check import PieceChecked
from fidele.route.condition import Card
from fidele.run.beside import PrintMeasured
from fidele.run.job import Printed
from fidele.run.log import piece_name
from fidele.run.press import scanned
from fidele.run.reader import RUN, by_artwork
from fidele.run.reading import Checked
from fidele.session.charts import ChartOrder
from fidele.session.model import Session
from fidele.session.news import LogChanged
from fidele.sheet.signs import Identity, read_identities
from fidele.store.records import Check
from fidele.tiles import Progress

#: What is said of a picture that carries a working space.
_CAMERA = tr("The picture carries a working space, as cameras write it: no camera is a measuring device.")
#: A run and what its chart says.
_Judged = tuple[Printed, Checked]


@dataclass(frozen=True, eq=False)
class _Read:
    """A scan, and what was found on it: a run's chart, prints of charts, identity lines, or why its marks were not."""

    scan: Codes
    judged: _Judged | None = None
    prints: list[PrintMeasured] = field(default_factory=list)
    identities: tuple[Identity, ...] = ()
    hidden: str = ""
    piece: PieceChecked | None = None


def _with(one: PrintMeasured, said: tuple[str, ...]) -> PrintMeasured:
    return replace(one, checked=replace(one.checked, cautions=(*one.checked.cautions, *said)))


class CheckDesk(Desk):
    """Scans and reads a chart, and shows the patches, the shifts, and the cause."""

    station = "Check"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        head = Flow(space=8)
        self.scanner = ScannerJobs(self, session, work, self.read_scan)
        self.out = CheckOut(self, session, self.facts)
        self.title = heading("")
        self.state = label("", 9.0, dim=True, wrap=True)
        fill(self.box, self.title, self.state)
        self.chart = button(tr("Take the control chart"), self._chart, tr("144 patches, printed through the condition"))
        self.charts = button(
            tr("Other charts …"), lambda: self.go.emit("Charts"), tr("Make another chart, and print it (F10)")
        )
        self.open_scan = button(
            tr("Open a file …"),
            lambda: self.pick.emit("scan"),
            tr("A scan (TIFF, PNG, JPEG) or measurements (CGATS, CxF3, CSV)"),
        )
        self.scan = button(tr("Scan and read"), self._scan, tr("Lay the pressed chart on the scanner"), main=True)
        for made in (self.chart, self.charts, self.open_scan, self.scan):
            head.addWidget(made)
        fill(self.box, head, self._switch())
        self.stack = QStackedWidget()
        self.box.addWidget(self.stack, 1)
        self.how = label("", 10.0, dim=True, wrap=True)
        self.stack.addWidget(self.how)
        self.patches, self.figures, self.ramps, self.cause = PatchesPage(), FiguresPage(), RampsPage(), CausePage()
        self.scans, self.beside, self.trend, self.eye = ScanPage(), BesidePage(), TrendPage(), EyePage()
        self.piece = CheckedPiecePage()
        self.piece.seen.connect(self._seen_by_eye)
        self.swatches = SwatchPage(session)
        self.measuring = MeasuringPage(session)
        self.pages: dict[str, Page] = {}
        mine = (self.patches, self.cause, self.figures, self.ramps, self.scans, self.beside, self.trend, self.eye)
        for page in (*mine, self.piece, self.swatches, self.measuring):
            self.pages[page.title] = page
            self.stack.addWidget(page)
            page.picked.connect(self._pick)
        self.scans.placed.connect(self._placed)
        self.patches.left_out.connect(lambda name: self.guarded(session.checking.leave_out, name))
        self.eye.answered.connect(self._answered)
        self.measuring.measured.connect(self._take_measured)
        self._page = "Patches"
        self._shown: Checked | None = None
        #: The run whose piece was judged last.
        self._piece_of = 0
        self._fill_switch()

    # Making ------------------------------------------------------------------------------------------------------

    def _switch(self) -> QLayout:
        row = Flow(space=5)
        self._group = QButtonGroup(self)
        self._row = row
        return row

    def _fill_switch(self) -> None:
        row = self._row
        self.switch: dict[str, QPushButton] = {}
        shown = ("Patches", "Cause", "Figures", "Ramps", "Scan", "Piece", "Side by side", "Over time")
        for number, name in enumerate(shown):
            made = button(tr(name), partial(self.show_page, name), self.pages[name].tip)
            made.setCheckable(True)
            made.setFont(font(8.5))
            self._group.addButton(made, number)
            self.switch[name] = made
            row.addWidget(made)
        self.more = button(
            tr("More …"), self._menu, tr("Limits, what it is compared with, the report, all numbers"), quiet=True
        )
        row.addWidget(self.more)

    def check_actions(self) -> list[tuple[str, Callable[[], object], bool]]:
        """Return what can be done with a check: words, deed, and whether it can be done now."""
        there = self.session.checked is not None
        checking, watched = self.session.checking, self.session.measured
        limits: list[tuple[str, Callable[[], object], bool]] = [
            (
                tr("Limits: {name} (mean {mean:g}, 95 % {p95:g})", name=name, mean=t.mean, p95=t.p95),
                partial(checking.choose, name),
                checking.limits != name,
            )
            for name, t in checking.tolerances().items()
        ]
        relative = tr("Absolute colours") if checking.relative else tr("Relative to the substrate's white")
        return [
            (tr("Judge the piece by its artwork"), self.judge_piece, self._pressed() and by_artwork(self.session.run)),
            (tr("Measure patch by patch"), partial(self.show_page, "Measure"), self._pressed()),
            (tr("Judge the visual page by eye"), partial(self.show_page, "By eye"), True),
            (
                tr("Pick a colour from a measured chart"),
                partial(self.show_page, "Swatches"),
                self.swatches.there or there,
            ),
            (
                tr("Scan a part of the glass …"),
                self.scanner.preview,
                isinstance(self.session.devices.scanner, AnyScanner),
            ),
            (tr("Characterise the scanner …"), self.scanner.ask, True),
            (
                tr("Verify the scanner …"),
                partial(self.scanner.ask, True),
                self.session.checking.scanner.path is not None,
            ),
            *(
                [(tr("Stop watching {name}", name=watched.folder.name), watched.stop, True)]
                if watched.folder is not None
                else [(tr("Watch a folder for scans and measurements …"), self._watch, True)]
            ),
            *self._leaving_out(),
            (tr("Write the report …"), self.out.ask_report, there),
            (tr("Save all numbers …"), self.out.ask_numbers, there),
            (tr("Lay this print beside others"), self._lay_beside, there),
            *limits,
            (relative, partial(checking.choose, None, not checking.relative), there),
            (
                tr("Compare with the profile's prediction"),
                partial(checking.choose, None, None, ""),
                bool(checking.against),
            ),
            (tr("Compare with a reference file …"), self._against, there),
            *(
                (
                    tr("Compare with run {run}, {at:%d.%m. %H:%M}", run=c.run, at=c.at),
                    partial(checking.choose, None, None, f"{RUN}{c.run}"),
                    there,
                )
                for c in self._earlier()
            ),
        ]

    def _leaving_out(self) -> list[tuple[str, Callable[[], object], bool]]:
        """Return what can be left out of the check in hand, and taken in again."""
        checking, checked = self.session.checking, self.session.checked
        found: list[tuple[str, Callable[[], object], bool]] = []
        if checked is not None and len(single := checked.cause.single.index):
            ids = [checked.measured.ids[i] for i in sorted(single)]
            found.append(
                (tr("Leave out what does not fit: {ids}", ids=", ".join(ids)), partial(checking.leave_out, *ids), True)
            )
        if checking.left_out:
            words = tr("Take in again: {sorted}", sorted=", ".join(sorted(checking.left_out)[:6]))
            found.append((words, checking.leave_out, True))
        return found

    def _pressed(self) -> bool:
        run, scanner = self.session.run, self.session.devices.scanner
        if run is None or (run.job.patches is None and not by_artwork(run)):
            return False
        # What was printed out of reach is laid on a glass by hand, once it is done.
        done = run.sheet is None and (run.pressed_at is not None or run.job.card.process == "direct")
        return run.piece is not None or (done and isinstance(scanner, AnyScanner))

    def _earlier(self) -> list[Check]:
        session = self.session
        if session.card is None or session.run is None:
            return []
        mine = [c for c in session.checking.trend(session.card.id) if c.run != session.run.number]
        return [c for c in mine if session.checking.file_of(c.run).exists()][-4:]

    def _menu(self) -> None:
        menu = QMenu(self)
        for words, call, possible in self.check_actions():
            menu.addAction(words, partial(self.guarded, call)).setEnabled(possible)
        menu.exec(self.more.mapToGlobal(self.more.rect().bottomLeft()))

    def set_theme(self, theme: Theme) -> None:
        """Take another theme."""
        for page in self.pages.values():
            page.set_theme(theme)
        super().set_theme(theme)

    # Doing -------------------------------------------------------------------------------------------------------

    def show_page(self, name: str) -> None:
        """Show one side of the check."""
        self._page = name
        self.refresh()

    def _watch(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, tr("Which folder does the scanning program write into?"))
        if folder:
            self.guarded(self.session.measured.watch, Path(folder))

    def _chart(self) -> None:
        self.guarded(lambda: self.lay_chart(self.session.charts.made(ChartOrder())))

    def _scan(self) -> None:
        session, run = self.session, self.session.run
        if run is None:
            return

        devices, reader = session.devices, session.checking.reader()

        if run.job.patches is None:
            self.judge_piece()
            return

        def work(progress: Progress) -> _Judged:
            done = scanned(devices, run, lambda share: progress(0.7 * share))
            progress(0.7)
            if done.scan is None:
                raise FideleError(tr("The scanner returned nothing."))
            checked = reader.check(done, done.scan, done.ppi)
            return done, replace(checked, cautions=(*checked.cautions, *done.scan_cautions))

        self.work.run(tr("Scanning and reading the chart"), work, self._checked)
        self.refresh()

    def judge_piece(self) -> None:
        """Scan the finished piece of the run in hand, and judge it by its artwork."""
        session, run = self.session, self.session.run
        if run is None or not by_artwork(run):
            return
        devices, reader = session.devices, session.checking.reader()

        def work(progress: Progress) -> _Read:
            done = scanned(devices, run, lambda share: progress(0.6 * share))
            if done.scan is None:
                raise FideleError(tr("The scanner returned nothing."))
            return _Read(done.scan, piece=reader.piece(done, done.scan))

        self.work.run(tr("Scanning the piece, and judging it"), work, self._read)
        self.refresh()

    def read_file(self, path: Path) -> None:
        """Read a scan or a measurement file that a person brought."""
        if kind_of(path) or path.suffix.lower() in ENDINGS:
            self._read_measured(path)
            return

        def opened() -> tuple[Codes, float, bool]:
            from fidele.artwork.open import open_artwork

            picture = open_artwork(path)
            camera = picture.slip.kind == "stated" and picture.profile.header.device_class.strip() == "mntr"
            return picture.pixels, picture.ppi or 0.0, camera

        self._read_scan(opened)

    def read_scan(self, scan: Codes, ppi: float = 0.0, corners: Floats | None = None) -> None:
        """Read a scan: of the run in hand, else of whatever prints lie on it."""
        self._read_scan(lambda: (scan, ppi, False), corners)

    def _read_scan(self, opened: Callable[[], tuple[Codes, float, bool]], corners: Floats | None = None) -> None:
        """Read beside the interface a scan that is opened there: pixels, resolution, and whether a camera took it."""
        session, run = self.session, self.session.run
        reader, known = session.checking.reader(), session.charts.known

        def work(_told: Progress) -> _Read:
            scan, ppi, camera = opened()
            said, no_piece = (_CAMERA,) if camera else (), None
            try:
                if run is not None and run.job.patches is not None:
                    checked = reader.check(run, scan, ppi, corners)
                    return _Read(scan, judged=(run, replace(checked, cautions=(*checked.cautions, *said))))
                if run is not None and by_artwork(run):
                    try:
                        return _Read(scan, piece=reader.piece(run, scan, camera))
                    except FideleError as error:  # it may be a chart after all
                        no_piece = error
                prints = reader.prints(scan, known())
                return _Read(scan, prints=[_with(one, said) for one in prints])
            except FideleError as error:
                # No chart: the identity line of a piece may say what it is.
                if found := read_identities(scan, ppi or 300.0):
                    return _Read(scan, identities=tuple(found))
                if isinstance(error, HiddenMarksError):
                    return _Read(scan, hidden=str(error))
                raise no_piece or error from None

        self.work.run(tr("Reading the scan"), work, self._read)

    def _read(self, read: _Read) -> None:
        checking = self.session.checking
        checking.last_scan = read.scan
        if read.judged is not None:
            self._checked(read.judged)
        elif read.piece is not None:
            self._piece(read.piece)
        elif read.identities:
            self._identified(read.identities)
        elif read.hidden:
            self.session.say(read.hidden)
            self.scans.show_scan(read.scan, read.hidden)
            self._page = "Scan"
            self.stack.setCurrentWidget(self.scans)
        else:
            for one in read.prints:
                checking.lay_beside(one)
            self.swatches.show_check(max(read.prints, key=lambda p: len(p.checked.index)).checked)
            count = len(read.prints)
            self.session.say(
                tr("{count} prints of charts were read; they lie side by side.", count=count)
                if count > 1
                else tr("A print of a chart was read: {label}. It lies under Side by side.", label=read.prints[0].label)
            )
            self.show_page("Side by side")

    def _piece(self, checked: PieceChecked) -> None:
        """Show what a finished piece says."""
        run = self.session.run
        self._piece_of = run.number if run is not None else 0
        self.piece.show_piece(checked)
        self.session.live.tell(LogChanged())
        c, cause = checked.comparison, checked.cause
        said = {"pass": tr("is right"), "none": tr("is not judged: the scanner has no profile")}
        words = said.get(checked.verdict, tr("is wrong: {title}", title=lowered(cause.title)))
        figure = tr(" (mean ΔE00 {mean:.1f})", mean=c.mean) if c.judged else ""
        self.session.say(
            tr(
                "The piece of run {number} {words}{figure}.",
                number=(run.number if run else 0),
                words=words,
                figure=figure,
            )
        )
        self.show_page("Piece")

    def _seen_by_eye(self, right: bool) -> None:
        """Keep what somebody says of the piece of the run in hand, who looked at it."""
        run = self.session.run
        if run is not None:
            said = self.session.checking.keep_seen(run.number, right)
            self.piece.show_eye(said)
            self.session.say(said)

    def _identified(self, found: tuple[Identity, ...]) -> None:
        """Say which run and copies a scan is of, and show the run."""
        first, session = found[0], self.session
        pieces = [i.piece for i in found if i.run == first.run]
        words = trn(
            "This is run {run}, piece {map}",
            "This is run {run}, pieces {map}",
            len(pieces),
            run=first.run,
            map=", ".join(map(str, pieces)),
        )
        try:
            kept = session.logbook.run(first.run)
            name = piece_name(kept, first.piece)
            session.say(f"{words}: {name}, {Card.model_validate_json(kept.card).name}.")
            self.run_wanted.emit(first.run)
        except FideleError:
            session.say(tr("{words}, which this logbook does not have.", words=words))

    def _placed(self, corners: Floats) -> None:
        checking = self.session.checking
        if checking.last_scan is not None:
            self.read_scan(checking.last_scan, 0.0, corners)

    def _read_measured(self, path: Path) -> None:
        def read(columns: dict[str, str] | None) -> Measurement | ColumnsError:
            try:
                return read_any(path, columns)
            except ColumnsError as error:
                return error

        def take(found: Measurement | ColumnsError) -> None:
            if not isinstance(found, ColumnsError):
                self._take_measured(found)
            elif (columns := ask_columns(self, found.titles, found.rows)) is None:
                self.session.say(tr("Nothing was read: its columns were not told."))
            else:
                self.work.run(title, lambda _: read(columns), take, lane="opening")

        title = tr("Reading {name}", name=path.name)
        self.work.run(title, lambda _: read(None), take, lane="opening")

    def _take_measured(self, measured: Measurement) -> None:
        session, run = self.session, self.session.run
        if run is None or run.job.patches is None:
            session.say(
                tr("Measurements are judged against the chart of a run: print a chart first, or use `fidele check`.")
            )
            return
        reader = session.checking.reader()
        self.work.run(
            tr("Judging what was measured"),
            lambda _: (run, reader.measure(run, measured)),
            self._checked,
            lane="opening",
        )

    def _checked(self, result: tuple[Printed, Checked]) -> None:
        run, checked = result
        self.session.take_run(run)
        if self._page not in ("Patches", "Cause", "Figures", "Ramps", "Scan"):
            self._page = "Patches"
        self.session.take_check(checked)

    def _answered(self, answers: dict[str, int]) -> None:
        words = answers_in_words(answers)
        number = self.session.run.number if self.session.run is not None else 0
        if not number:
            self.session.say(tr("Print the visual page first: answers are kept with its run."))
            return
        self.session.checking.keep_answers(number, answers, words)
        self.eye.said.setText(tr("Kept with run {number}: {words}.", number=number, words="; ".join(words)))
        self.session.say(tr("By eye, run {number}: {words}.", number=number, words="; ".join(words)))

    def _lay_beside(self) -> None:
        session = self.session
        if session.checked is None or session.run is None:
            return
        run = session.run
        one = PrintMeasured(tr("run {number}", number=run.number), run.number, run.job.card, session.checked)
        session.checking.lay_beside(one)
        self.show_page("Side by side")

    def _against(self) -> None:
        kinds = tr("Measurements (*.txt *.cgats *.cxf *.xml *.csv)")
        name, _ = QFileDialog.getOpenFileName(self, tr("Compare with which reference?"), "", kinds)
        if name:
            self.session.checking.choose(against=name)

    def _pick(self, index: int) -> None:
        for page in self.pages.values():
            page.mark(index)

    # Showing -----------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the last check, or how to make one."""
        session = self.session
        run, checked = session.run, session.checked
        is_chart, pressed = run is not None and run.job.patches is not None, self._pressed()
        self.scan.setEnabled(pressed and not self.work.busy)
        self.chart.setEnabled(session.card is not None)
        there = checked is not None and is_chart
        # A piece has no patches and a chart no artwork: only what there is takes room.
        judged = run is not None and run.number == self._piece_of
        self.piece.ask(run.number if run is not None and pressed else 0)
        piece = judged or (not is_chart and by_artwork(run))
        self.switch["Piece"].setVisible(piece)
        for name in ("Patches", "Cause", "Figures", "Ramps"):
            self.switch[name].setEnabled(there)
            self.switch[name].setVisible(there or not piece)
        self.switch["Scan"].setEnabled(there or session.checking.last_scan is not None)
        if checked is not None and checked is not self._shown:
            self._shown = checked
            shown: tuple[Page, ...] = (self.patches, self.figures, self.ramps, self.cause, self.scans, self.swatches)
            for page in shown:
                page.show_check(checked)
            self._pick(int(checked.comparison.worst(1)[0]))
        self._say(run, checked if is_chart else None, pressed)
        self.beside.show_prints(session.checking.beside)
        if session.card is not None:
            limits = session.checking.tolerance
            self.trend.show_trend(session.checking.trend(session.card.id), (limits.mean, limits.p95))
        self.swatches.refresh()
        if self._page == "Measure":
            self.measuring.begin(run)
        needs_check = self._page in ("Patches", "Cause", "Figures", "Ramps")
        self.pages[self._page].prepare()
        self.stack.setCurrentWidget(self.how if needs_check and not there else self.pages[self._page])
        self._group.setExclusive(False)
        for name, made in self.switch.items():
            made.setChecked(name == self._page)
        self._group.setExclusive(True)
        for one in self.pages.values():
            for plot in one.plots:
                plot.update()

    def _say(self, run: Printed | None, checked: Checked | None, pressed: bool) -> None:
        if checked is None or run is None:
            self.title.setText(tr("Is the print right?"))
            if run is not None and self._piece_of == run.number:
                self.title.setText(tr("The piece of run {number}", number=run.number))
                self.state.setText(tr("Judged by its artwork alone; see “Piece”."))
            elif pressed and run is not None:
                self.state.setText(tr("Run {number} is pressed and waits to be scanned.", number=run.number))
                self.how.setText(
                    tr("Lay the cooled piece on the scanner, in whatever direction, and press “Scan and read”.")
                )
            else:
                self.state.setText(tr("A control chart printed through the condition tells."))
                self.how.setText(
                    tr(
                        "1.  Take the control chart: it goes on the sheet in place of the artwork.\n2.  Print it, and "
                        "press it on a flat piece of the same material.\n3.  Scan it, in whatever direction. The "
                        "patches are compared with what the profile predicts; if they are off, Fidele says what "
                        "happened.\n\nWithout a scanner: print the visual page, and answer under “By eye”.\nSeveral "
                        "prints of a chart on one scan are compared with each other: drop the scan here."
                    )
                )
            return
        c = checked.comparison
        self.title.setText(
            tr("{title}, run {number}: {said}", title=checked.chart.title, number=run.number, said=c.said)
        )
        self.state.setText(
            tr(
                "Against {against}: mean ΔE00 {mean:.1f}, 95th percentile {p95:.1f}, largest {largest:.1f}. {sentence}",
                against=checked.against,
                mean=c.mean,
                p95=c.p95,
                largest=c.largest,
                sentence=checked.cause.sentence,
            )
        )

    def facts(self) -> list[tuple[str, str]]:
        """Return the figures and how far they are to be trusted."""
        session = self.session
        checked, run = session.checked, session.run
        if checked is None or run is None:
            scanner = session.checking.scanner
            known = (
                tr("±{residual_mean:.1f} ΔE00", residual_mean=scanner.residual_mean)
                if scanner.path
                else tr("not characterised yet")
            )
            if scanner.seen:
                last = scanner.seen[-1]
                known += (
                    tr(", drifted, as seen on {when:%d.%m.%Y}", when=last.when)
                    if scanner.drifted
                    else tr(", verified on {when:%d.%m.%Y}", when=last.when)
                )
            if scanner.elsewhere and not scanner.known:
                known = tr(
                    "its profile came from elsewhere: taken for ±{residual_mean:.1f} ΔE00 until a target has told",
                    residual_mean=scanner.residual_mean,
                )
            return [
                (tr("Scanner"), f"{session.devices.scanner_name}, {known}"),
                (tr("Tolerance"), tr(session.checking.limits)),
            ]
        c, reading = checked.comparison, checked.reading
        rows = [
            (tr("Patches"), str(len(c.ids))),
            (tr("Mean"), tr("ΔE00 {mean:.2f}", mean=c.mean)),
            (tr("Median"), tr("{median:.2f}", median=c.median)),
            (tr("95th percentile"), tr("{p95:.2f}", p95=c.p95)),
            (tr("Largest"), tr("{largest:.2f}, patch {ids}", largest=c.largest, ids=c.ids[int(c.worst(1)[0])])),
            (
                tr("Tolerance"),
                tr(
                    "{name}: {mean:g} and {p95:g}",
                    name=tr(c.tolerance.name),
                    mean=c.tolerance.mean,
                    p95=c.tolerance.p95,
                ),
            ),
            (
                tr("Measured by"),
                tr(
                    "{instrument}, ±{uncertainty:.2f}",
                    instrument=checked.measured.conditions.instrument,
                    uncertainty=checked.uncertainty,
                ),
            ),
        ]
        if c.p95 < 3 * checked.uncertainty and reading is not None:
            rows.append((tr("Claim"), tr("within {p95:.1f} of what this scanner can see", p95=c.p95)))
        if reading is not None:
            rows.append(
                (
                    tr("On the glass"),
                    tr(
                        "turned {turned:.1f}°, light evened by {unevenness:.0f} %",
                        turned=reading.turned,
                        unevenness=reading.unevenness * 100,
                    ),
                )
            )
        if session.checking.repeats:
            count, repeats = len(session.checking.repeats), session.checking.repeatability
            rows.append((tr("Repeated"), tr("{count} times, ±{repeats:.2f}", count=count, repeats=repeats)))
        press = run.job.card.press
        rows.append(
            (
                tr("Pressed"),
                tr(
                    "{clock}, {temperature}, {seconds:.0f} s",
                    clock=clock(run.pressed_at),
                    temperature=units.temperature(press.temperature),
                    seconds=press.seconds,
                ),
            )
        )
        return rows

    def extra(self) -> list[QWidget]:
        """Return the way to trial prints, which are compared side by side."""
        if self.session.card is None:
            return []
        made = QWidget()
        row = QHBoxLayout(made)
        row.setContentsMargins(0, 2, 0, 2)
        row.addWidget(
            button(tr("Trial prints"), lambda: self.go.emit("Trial prints"), tr("One thing varied, side by side"))
        )
        if self.session.card is not None and self.session.card.owner == "driver":
            tip = tr("Neutral greys and even tones without a profile")
            row.addWidget(button(tr("Balance"), lambda: self.go.emit("Balance"), tip))
        row.addStretch()
        return [made]
