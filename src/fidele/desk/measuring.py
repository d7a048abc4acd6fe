"""Measure a chart patch by patch with the spectrophotometer, with a live readout, and any patch again."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QTimer, Signal

from fidele.arrays import Floats
from fidele.chart.measurement import Conditions, Measurement
from fidele.check.statistics import TOLERANCES, compare
from fidele.colour.cie import xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.colour.spectra import spectra_to_xyz
from fidele.desk.check_pages import Page
from fidele.desk.flow import Flow
from fidele.desk.labels import button, label
from fidele.desk.plots import Eyes
from fidele.devices.devices import NoInstrument
from fidele.devices.protocol import Instrument
from fidele.language import named, tr
from fidele.run.chart_page import on_patches
from fidele.run.job import Printed
from fidele.session.model import Session

#: Patches that are measured in one turn of the event loop.
_AT_ONCE = 4


class MeasuringPage(Page):
    """The instrument goes over the patches; what it reads is shown at once."""

    title, tip = named("Measure"), tr("Patch by patch with the spectrophotometer")
    measured = Signal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._run: Printed | None = None
        self._instrument: Instrument = session.devices.instrument or NoInstrument()
        self._spectra: Floats = np.zeros((0, 36))
        self._next = 0
        self._timer = QTimer(self, interval=0)
        self._timer.timeout.connect(self._step)
        row = Flow()
        self.go = button(tr("Measure all"), self._start, tr("From the first patch on"), main=True)
        self.again = button(tr("This patch again"), self._once_more, tr("Measure the patch that is picked once more"))
        self.take = button(tr("Take the measurement"), self._take, tr("Judge the print by it"))
        self.average = button(
            tr("Average with those before"), self._average, tr("Take it together with earlier ones of this print")
        )
        for made in (self.go, self.again, self.take, self.average):
            row.addWidget(made)
        self.box.addLayout(row)
        self.said = label("", 9.5, wrap=True)
        self.box.addWidget(self.said)
        self.eyes = Eyes()
        self.eyes.picked.connect(self._pick)
        self.plots = [self.eyes]
        self.box.addWidget(self.eyes, 1)
        self._picked = -1

    def begin(self, run: Printed | None) -> None:
        """Take a run; what was measured of another one is put away."""
        if run is None or run.job.patches is None or run.piece is None:
            self.said.setText(tr("Print and press a chart first."))
            return
        if self._run is None or run.number != self._run.number:
            self._spectra, self._next = (
                np.full((len(run.job.patches.chart.on_page(run.job.patches.page)), 36), np.nan),
                0,
            )
            self._session.checking.repeats = ()
        self._run = run
        self._show()

    def _places(self) -> NDArray[np.float64]:
        run = self._run
        if run is None or run.job.patches is None:
            return np.zeros((0, 2))
        return on_patches(run.job.patches)

    def _start(self) -> None:
        self._next = 0
        self._timer.start()

    def _step(self) -> None:
        places = self._places()
        if self._run is None or self._next >= len(places):
            self._timer.stop()
            self._show()
            return
        rows = slice(self._next, self._next + _AT_ONCE)
        self._spectra[rows] = self._instrument.measure(self._run.piece, places[rows])
        self._next = min(len(places), self._next + _AT_ONCE)
        self._picked = self._next - 1
        self._show()

    def _once_more(self) -> None:
        if self._run is not None and 0 <= self._picked < len(self._spectra):
            before = self._lab()[self._picked]
            self._spectra[self._picked] = self._instrument.measure(self._run.piece, self._places()[[self._picked]])[0]
            self._show()
            moved = float(delta_e_2000(before, self._lab()[self._picked]))
            self.said.setText(
                tr("{ids} measured again: moved by ΔE00 {moved:.2f}.", ids=self._ids()[self._picked], moved=moved)
            )

    def _ids(self) -> tuple[str, ...]:
        run = self._run
        if run is None or run.job.patches is None:
            return ()
        return tuple(run.job.patches.chart.ids[i] for i in run.job.patches.chart.on_page(run.job.patches.page))

    def _lab(self) -> NDArray[np.float64]:
        return xyz_to_lab(spectra_to_xyz(np.nan_to_num(self._spectra, nan=0.85)))

    def _measurement(self) -> Measurement:
        instrument = self._instrument.name
        where = Conditions("M1", "D50", "2", "white", instrument)
        return Measurement(self._ids(), self._lab(), where, None, self._spectra.copy(), np.arange(380, 731, 10.0))

    def _take(self) -> None:
        if not np.isnan(self._spectra).any() and len(self._spectra):
            self.measured.emit(self._measurement())

    def _average(self) -> None:
        if not np.isnan(self._spectra).any() and len(self._spectra):
            self.measured.emit(self._session.checking.repeat(self._measurement()))

    def _pick(self, index: int) -> None:
        self._picked = index
        self.eyes.mark(index)
        self._show()

    def _show(self) -> None:
        run = self._run
        if run is None or run.job.patches is None:
            return
        done = not np.isnan(self._spectra).any()
        for made in (self.take, self.average):
            made.setEnabled(done)
        self.again.setEnabled(self._next > 0)
        Lab = self._lab()
        self.eyes.set_chart(run.job.patches.chart, run.job.patches.chart.on_page(run.job.patches.page))
        self.eyes.show_comparison(compare(self._ids(), Lab, Lab, TOLERANCES["everyday"]))
        self.eyes.mark(self._picked)
        if 0 <= self._picked < self._next:
            L, a, b = Lab[self._picked]
            self.said.setText(
                tr(
                    "{next} of {n} patches. {ids}: L*a*b* {l:.1f} {a:.1f} {b:.1f}. All are measured: take the "
                    "measurement.",
                    next=self._next,
                    n=len(Lab),
                    ids=self._ids()[self._picked],
                    l=L,
                    a=a,
                    b=b,
                )
                if done
                else tr(
                    "{next} of {n} patches. {ids}: L*a*b* {l:.1f} {a:.1f} {b:.1f}",
                    next=self._next,
                    n=len(Lab),
                    ids=self._ids()[self._picked],
                    l=L,
                    a=a,
                    b=b,
                )
            )
        else:
            self.said.setText(tr("{n} patches to measure with {name}.", n=len(Lab), name=self._instrument.name))
