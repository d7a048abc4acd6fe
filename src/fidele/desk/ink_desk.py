"""A profile of a printer that takes inks: ramps, target, how much black, and onto the shelf."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import QSettings, Qt
from PySide6.QtWidgets import QFileDialog, QGridLayout, QSlider, QWidget

from fidele.chart.ink_set import ink_set
from fidele.desk.desk import Desk
from fidele.desk.ink_plots import GreysPlot, RampsPlot, TotalPlot
from fidele.desk.kit import SPRING, across, choice, down, entry, tick
from fidele.desk.labels import button, clear, label, section
from fidele.desk.numbers import number
from fidele.desk.theme import px
from fidele.desk.tile import scrolled
from fidele.desk.work import Work
from fidele.errors import FideleError
from fidele.language import tr
from fidele.session.ink_profiles import Fitted, Greys, Taken, buys
from fidele.session.model import Session

#: The inks beside cyan, magenta, yellow and black that are offered.
_SETS = (
    (),
    ("light cyan", "light magenta"),
    ("orange",),
    ("orange", "green"),
    ("orange", "violet"),
    ("orange", "green", "violet"),
    ("red", "blue"),
    ("red", "green", "blue"),
)
#: What stands for no limit of one's own.
_NONE = 0.0


class InkDesk(Desk):
    """Makes a profile of a printer that is sent cyan, magenta, yellow, black and perhaps further inks."""

    station = "Ink profile"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        self.inks = session.ink_profiles
        #: What was tried last and could not be fitted: it is not tried again until something changes.
        self._failed: object = None
        self._greys: tuple[object, Greys] | None = None
        self._folder = ""
        head = self.head()
        self.anew = button(
            tr("Another printer"), self._anew, tr("Begin from nothing; one step, which Undo takes back"), quiet=True
        )
        self.convert = button(
            tr("Write the picture in its inks …"),
            self.house_wanted.emit,
            tr("The picture in hand, converted through a profile of inks from the shelf"),
            quiet=True,
        )
        self.make = button(
            tr("Make it and put it on the shelf"), self._make, tr("The profile, with the black chosen below"), main=True
        )
        self.fit = button(tr("Fit it again"), self._again, tr("What was cancelled, or failed, is tried once more"))
        for one in (self.anew, self.convert, self.fit, self.make):
            head.addWidget(one, alignment=Qt.AlignmentFlag.AlignTop)
        self.box.addLayout(head)
        self.name = entry(tr("What the profile is called"), hint=tr("printer, paper and ink"), points=9.5)
        self.name.editingFinished.connect(self._named)
        self.set = choice(tr("Its inks"), letters=40, chosen=lambda _: self._inked())
        for further in _SETS:
            self.set.addItem(ink_set(further).words, ", ".join(further))
        self.pdf = tick(tr("as PDF"), tip=tr("Pages as PDF instead of TIFF"))
        self.write_ramps = button(
            tr("Save the page of ramps …"),
            partial(self._write, "ramps"),
            tr("A page in its inks, to be printed with nothing converting"),
        )
        self.add = button(
            tr("Add measurements …"),
            self._add,
            tr("CGATS, CxF or CSV of the ramps or of the target; they can be dropped on the window, too"),
        )
        self.ramps, self.total = RampsPlot(), TotalPlot()
        self.limit = number(0, 400, tr("The most of all inks together that the media holds"), 0, " %", 108)
        self.limit.setSpecialValueText(tr("as measured"))
        self.limit.editingFinished.connect(self._limited)
        self.patches = choice(tr("Patches of the target"), letters=14, chosen=lambda _: self._sized())
        self.buys = label("", 9.0, dim=True, wrap=True)
        self.write_target = button(
            tr("Save the target …"), partial(self._write, "target"), tr("Its pages, with no more ink than is of use")
        )
        self.told = label("", 9.5, wrap=True)
        self._files = QGridLayout()
        self._files.setHorizontalSpacing(14)
        self._files.setVerticalSpacing(4)
        self.black = QSlider(Qt.Orientation.Horizontal)
        self.black.setRange(0, 100)
        self.black.setPageStep(25)
        self.black.setAccessibleName(tr("How much black"))
        self.black.setToolTip(tr("How much of the black that could be is taken in dark colours"))
        self.black.setMaximumWidth(px(260))
        self.black.valueChanged.connect(lambda _: self._blackened())
        self.black.sliderReleased.connect(self._blackened)
        self.share = label("", 9.5)
        self.greys = GreysPlot()
        self._said = down(space=5)
        self._after = QWidget()
        down(
            section(tr("4  How good it is, and how much black")),
            self._said,
            across(label(tr("Black"), 9.5, bold=True), label(tr("least"), 9.0, dim=True), self.black,
                   label(tr("most"), 9.0, dim=True), self.share, SPRING),
            label(
                tr(
                    "Little black prints dark colours smoothly and in much ink; much black saves ink and keeps greys "
                    "neutral."
                ),
                9.0,
                dim=True,
                wrap=True,
            ),
            self.greys,
            margins=(0, 0, 0, 0),
            on=self._after,
        )  # fmt: skip
        self._plots = QWidget()
        down(across(self.ramps, self.total, space=12), margins=(0, 0, 0, 0), on=self._plots)
        inside = QWidget()
        down(
            across(label(tr("Name"), 9.5, bold=True), (self.name, 1)),
            across(label(tr("Its inks"), 9.5, bold=True), self.set, SPRING),
            section(tr("1  A page of ramps: how much ink is of use")),
            across(self.write_ramps, self.pdf, self.add, SPRING),
            self.told,
            self._plots,
            section(tr("2  The target, printed with nothing converting")),
            across(label(tr("All inks together at most"), 9.5), self.limit, SPRING, space=10),
            across(self.patches, self.write_target, SPRING, space=10),
            self.buys,
            section(tr("3  What is measured")),
            self._files,
            self._after,
            SPRING,
            margins=(0, 0, 8, 0),
            on=inside,
        )
        self.box.addWidget(scrolled(inside), 1)

        work.ended.connect(self._say_state)  # cancelled or failed, too

    def restore(self, settings: QSettings) -> None:
        """Take up the folder that pages were written to last."""
        self._folder = str(settings.value("ink pages", "") or "")

    def keep(self, settings: QSettings) -> None:
        """Keep that folder."""
        settings.setValue("ink pages", self._folder)

    def refresh(self) -> None:
        """Show how far the work is."""
        work = self.inks.work
        self.title.setText(tr("A printer that takes inks"))
        if not self.name.hasFocus():
            self.name.setText(work.title)
        if work.further not in _SETS and self.set.findText(work.inks.words) < 0:  # by hand, or from elsewhere
            self.set.addItem(work.inks.words, ", ".join(work.further))
        self.set.setCurrentIndex(max(0, self.set.findText(work.inks.words)))
        self.pdf.setVisible(not work.further)
        if [self.patches.itemData(k) for k in range(self.patches.count())] != list(work.sizes):
            self.patches.clear()
            for count in work.sizes:
                self.patches.addItem(tr("{n} patches", n=count), count)
        self.patches.setCurrentIndex(max(0, self.patches.findData(work.patches)))
        self.limit.setValue(_NONE if work.limit is None else 100 * work.limit)
        self.black.blockSignals(True)
        self.black.setValue(round(100 * work.black))
        self.black.blockSignals(False)
        self.share.setText(tr("{share} % of what could be", share=self.black.value()))
        self.buys.setText(buys(work))
        self._show_ramps()
        clear(self._files)
        lines = self.inks.lines()
        for row, (name, what) in enumerate(lines):
            self._files.addWidget(label(what, 9.0), row, 0)
            out = button(tr("Take it out"), partial(self._without, name), quiet=True)
            out.setAccessibleName(tr("Take out: {what}", what=what))
            self._files.addWidget(out, row, 1)
        if not lines:
            self._files.addWidget(label(tr("Nothing yet: add what was measured, or drop it on the window."), 9.0), 0, 0)
        self._files.setColumnStretch(2, 1)
        fitted = self.inks.fitted
        self._after.setVisible(fitted is not None)
        self.make.setEnabled(fitted is not None and not self.work.busy)
        self.convert.setVisible(self.session.artwork is not None and self.inks.made)
        clear(self._said)
        if fitted is not None:
            self._show(fitted)
        elif work.pages:
            self._fit()
        self._say_state()

    def _say_state(self) -> None:
        fitted = self.inks.fitted
        self.state.setText(self._state(fitted))
        self.fit.setVisible(fitted is None and bool(self.inks.work.pages) and not self.work.busy)

    def _state(self, fitted: Fitted | None) -> str:
        work = self.inks.work
        if fitted is not None:
            return tr("Choose how much black, and make it.")
        if work.pages:
            return tr("The target is being fitted.") if self.work.busy else tr("The target could not be fitted.")
        if work.ramps:
            return tr("Next: print the target with nothing converting, measure it, and add the measurements.")
        return tr(
            "It is sent amounts of ink by a program of its own. First: choose its inks, print the page of ramps with "
            "nothing converting, and measure it."
        )

    def _show_ramps(self) -> None:
        try:
            setup, ramps = self.inks.setup(), self.inks.ramps()
            said = " ".join(setup.words()) if setup is not None else ""
        except FideleError as error:  # kept files may be damaged by hand
            setup, ramps, said = None, None, str(error)
        self._plots.setVisible(setup is not None)
        self.told.setVisible(bool(said))
        self.told.setText(said)
        for plot in (self.ramps, self.total):
            plot.theme = self.theme
            plot.show_ramps(setup, ramps)

    def _show(self, fitted: Fitted) -> None:
        stated = fitted.printer.fit.stated
        self._said.addWidget(label(stated.words, 10.0, bold=True, wrap=True))
        for sentence in (*fitted.found.put_right, *fitted.left_out(), *fitted.found.cautions):
            self._said.addWidget(label(sentence, 9.5, wrap=True))
        self.greys.theme = self.theme
        key = (id(fitted), self.black.value())
        if self._greys is not None and self._greys[0] == key:
            self.greys.show_greys(self._greys[1])
            return

        def take(greys: Greys) -> None:
            self._greys = key, greys
            self.greys.show_greys(greys)

        self.work.quietly("separation of greys", self.inks.greys(fitted, self.black.value() / 100), take)

    # Doing -------------------------------------------------------------------------------------------------------

    def _again(self) -> None:
        self._failed = None
        self.refresh()

    def _fit(self) -> None:
        what = (self.inks.work.ramps, self.inks.work.pages, self.inks.work.limit, self.inks.work.further)
        if self._failed == what or self.work.busy:
            return
        self._failed = what  # unless it succeeds

        def done(_: Fitted) -> None:
            self._failed = None
            self.refresh()
            self.go.emit("")

        self.guarded(lambda: self.work.run(tr("Fitting the target"), self.inks.fitting(), done))

    def _named(self) -> None:
        self.guarded(partial(self.inks.change, tr("Name the profile"), title=self.name.text().strip()))

    def _inked(self) -> None:
        self.guarded(self.inks.choose_inks, tuple(one for one in str(self.set.currentData()).split(", ") if one))
        self.refresh()

    def _sized(self) -> None:
        self.guarded(partial(self.inks.change, tr("Another target"), patches=int(self.patches.currentData())))
        self.refresh()

    def _limited(self) -> None:
        value = self.limit.value()
        limit = None if value == _NONE else min(max(value, 100.0), 400.0) / 100
        self.guarded(partial(self.inks.change, tr("Limit the inks"), limit=limit))
        self.refresh()

    def _blackened(self) -> None:
        self.share.setText(tr("{share} % of what could be", share=self.black.value()))
        if self.black.isSliderDown():
            return
        self.guarded(partial(self.inks.change, tr("How much black"), black=self.black.value() / 100))
        if (fitted := self.inks.fitted) is not None:
            clear(self._said)
            self._show(fitted)

    def _write(self, which: str) -> None:
        folder = QFileDialog.getExistingDirectory(self, tr("Where the pages go"), self._folder)
        if folder:
            self._folder = folder
            self.write_into(which, Path(folder))

    def write_into(self, which: str, folder: Path) -> None:
        """Write the pages of 'ramps' or 'target' into a folder."""

        def done(written: list[Path]) -> None:
            self.session.say(
                tr("{names} in {folder}.", names=", ".join(path.name for path in written), folder=folder.name)
            )

        self.guarded(
            lambda: self.work.run(
                tr("Writing the pages"),
                self.inks.writing(which, folder, self.pdf.isVisible() and self.pdf.isChecked()),
                done,
            )
        )

    def _add(self) -> None:
        kinds = tr("Measurements (*.txt *.cgats *.cxf *.xml *.csv)")
        names, _ = QFileDialog.getOpenFileNames(self, tr("Measurements of the ramps or the target"), "", kinds)
        for name in names:
            self.take_file(Path(name))

    def take_file(self, path: Path) -> None:
        """Take a file of measurements, read beside the window."""

        def done(taken: Taken) -> None:
            self.guarded(self.inks.take, taken)
            self.refresh()

        self.work.run(tr("Reading {name}", name=path.name), self.inks.reading(path), done, lane="opening")

    def _without(self, name: str) -> None:
        self.guarded(self.inks.without, name)
        self.refresh()

    def _anew(self) -> None:
        self.guarded(self.inks.anew)
        self.refresh()

    def _make(self) -> None:
        fitted = self.inks.fitted
        if fitted is None:
            return

        def done(data: bytes) -> None:
            self.guarded(self.inks.shelve, data)
            self.refresh()

        self.guarded(lambda: self.work.run(tr("Making the profile"), self.inks.making(fitted), done))
        self.refresh()

    def facts(self) -> list[tuple[str, str]]:
        """Return what matters in print and measurement."""
        return [
            (tr("Bare"), tr("nothing converts: neither the program that prints nor the printer's own colour")),
            (tr("Dry"), tr("measured as pieces are looked at: dry, pressed where they are pressed")),
            (tr("Limit"), tr("what runs or rubs off is too much ink, whatever the ramps say: type a lower limit")),
        ]
