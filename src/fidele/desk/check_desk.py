"""The check desk: is the print right, and if not, what happened."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from fidele.check.cause import WORDS
from fidele.desk.desk import Desk, clock
from fidele.desk.labels import button, heading, label, section
from fidele.desk.plots import Eyes, GreyRamp, Suspects, Vectors
from fidele.desk.theme import Theme
from fidele.desk.work import Work
from fidele.session.model import Session


class CheckDesk(Desk):
    """Scans and reads a chart, and shows the patches, the shifts, and the cause."""

    station = "Check"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        top = QHBoxLayout()
        self.title = heading("")
        self.title.setWordWrap(True)
        self.state = label("", 9.0, dim=True, wrap=True)
        top.addWidget(self.title, 1)
        self.chart = button("Take the control chart", self._chart, "144 patches, printed through the condition")
        self.open_scan = button(
            "Open a scan …", lambda: self.pick.emit("scan"), "A TIFF, PNG or JPEG from a scanner, of the run's chart"
        )
        self.scan = button("Scan and read", self._scan, "Lay the pressed chart on the bench's scanner", main=True)
        for made in (self.chart, self.open_scan, self.scan):
            top.addWidget(made)
        self.box.addLayout(top)
        self.box.addWidget(self.state)
        self.stack = QStackedWidget()
        self.box.addWidget(self.stack, 1)
        self.stack.addWidget(self._empty())
        self.stack.addWidget(self._result())
        self._shown: Any = None

    def _empty(self) -> QWidget:
        inside = QWidget()
        box = QVBoxLayout(inside)
        box.addStretch(2)
        self.how = label("", 10.0, dim=True, wrap=True)
        box.addWidget(self.how)
        box.addStretch(3)
        return inside

    def _result(self) -> QWidget:
        inside = QWidget()
        grid = QGridLayout(inside)
        grid.setContentsMargins(0, 4, 0, 0)
        grid.setHorizontalSpacing(22)
        grid.setVerticalSpacing(4)
        grid.setColumnStretch(0, 17)
        grid.setColumnStretch(1, 10)
        self.eyes, self.vectors, self.suspects, self.ramp = Eyes(), Vectors(), Suspects(), GreyRamp()
        for plot in (self.eyes, self.vectors):
            plot.picked.connect(self._pick)
        grid.addWidget(self.eyes, 0, 0)
        grid.addWidget(self.vectors, 0, 1)
        grid.setRowStretch(0, 10)
        self.picked = label("each patch: wanted, with the measured one as its eye; pick one", 8.5, dim=True)
        grid.addWidget(self.picked, 1, 0)
        grid.addWidget(label("a* b*: from wanted to measured", 8.5, dim=True), 1, 1)
        happened = QVBoxLayout()
        happened.setSpacing(5)
        happened.addWidget(section("What happened"))
        happened.addWidget(self.suspects)
        happened.addStretch()
        grid.addLayout(happened, 2, 0)
        ramp = QVBoxLayout()
        ramp.setSpacing(5)
        ramp.addWidget(section("Grey ramp"))
        ramp.addWidget(self.ramp, 1)
        grid.addLayout(ramp, 2, 1)
        self.said = label("", 9.0, wrap=True)
        grid.addWidget(self.said, 3, 0, 1, 2)
        grid.setRowStretch(2, 4)
        return inside

    def set_theme(self, theme: Theme) -> None:
        """Take another theme."""
        for plot in (self.eyes, self.vectors, self.suspects, self.ramp):
            plot.theme = theme
        super().set_theme(theme)

    def _chart(self) -> None:
        self.guarded(self.session.open_chart, "control")
        self.go.emit("Print")

    def _scan(self) -> None:
        session, run = self.session, self.session.run
        if run is None:
            return

        def work(progress: Any) -> Any:
            progress(0.1)
            scanned = session.scan_run(run)
            progress(0.6)
            if scanned.scan is None:
                raise AssertionError("the scanner returned nothing")
            return scanned, session.check_run(scanned, scanned.scan)

        self.work.run("Scanning and reading the chart", work, self._checked)
        self.refresh()

    def read_file(self, scan: Any) -> None:
        """Read a scan that a person brought."""
        session, run = self.session, self.session.run
        if run is None or run.job.chart is None:
            session.say("A scan is read against the chart of a run: print the control chart first.")
            return
        self.work.run("Reading the scan", lambda _p: (run, session.check_run(run, scan)), self._checked)

    def _checked(self, result: Any) -> None:
        run, checked = result
        self.session.take_run(run)
        self.session.take_check(checked)

    def _pick(self, index: int) -> None:
        for plot in (self.eyes, self.vectors, self.ramp):
            plot.mark(index)
        c = self.eyes.comparison
        if c is None or index < 0:
            self.picked.setText("each patch: wanted, with the measured one as its eye; pick one")
            return
        w, m = c.wanted[index], c.measured[index]
        self.picked.setText(
            f"{c.ids[index]}: ΔE00 {c.de00[index]:.1f}, wanted L*a*b* {w[0]:.0f} {w[1]:.0f} {w[2]:.0f}, "
            f"measured {m[0]:.0f} {m[1]:.0f} {m[2]:.0f}"
        )

    def refresh(self) -> None:
        """Show the last check, or how to make one."""
        session = self.session
        run, checked = session.run, session.checked
        pressed = run is not None and run.job.chart is not None and run.piece is not None
        self.scan.setEnabled(pressed and not self.work.busy)
        self.chart.setEnabled(session.card is not None)
        self.open_scan.setEnabled(run is not None and run.job.chart is not None)
        if checked is None or run is None or run.job.chart is None:
            self.stack.setCurrentIndex(0)
            self.title.setText("Is the print right?")
            self._shown = None
            if pressed and run is not None:
                self.state.setText(f"Run {run.number} is pressed and waits to be scanned.")
                self.how.setText(
                    "Lay the cooled piece on the scanner, in whatever direction, and press “Scan and read”."
                )
            else:
                self.state.setText("A control chart printed through the condition tells.")
                self.how.setText(
                    "1.  Take the control chart: it goes on the sheet in place of the artwork.\n"
                    "2.  Print it, and press it on a flat piece of the same material.\n"
                    "3.  Scan it, in whatever direction. The patches are compared with what the profile predicts; "
                    "if they are off, Fidele says what happened."
                )
            return
        self.stack.setCurrentIndex(1)
        c = checked.comparison
        self.title.setText(f"{run.job.chart.title}, run {run.number}: {'passed' if c.passed else 'failed'}")
        self.state.setText(
            f"Against what the profile predicts: mean ΔE00 {c.mean:.1f}, 95th percentile {c.p95:.1f}, "
            f"largest {c.largest:.1f}. {WORDS[checked.cause.code][1]}"
        )
        if checked is not self._shown:
            self._shown = checked
            self.eyes.set_chart(run.job.chart)
            rgb = run.job.chart.rgb[checked.reading.index]
            self.ramp.grey = np.flatnonzero(np.ptp(rgb, axis=1) < 1e-6)
            for plot in (self.eyes, self.vectors, self.ramp):
                plot.show_comparison(c)
            self.suspects.show_cause(checked.cause)
            self._pick(int(c.worst(1)[0]))
            self.said.setText("  ".join(checked.words) or "Nothing stands out: greys are neutral, the range is full.")
        for made in (self.eyes, self.vectors, self.suspects, self.ramp):
            made.update()

    def extra(self) -> list[QWidget]:
        """Return the way to the last route trial, whose prints are compared side by side."""
        if self.session.profile is None:
            return []
        made = QWidget()
        row = QHBoxLayout(made)
        row.setContentsMargins(0, 2, 0, 2)
        row.addWidget(button("Routes side by side", lambda: self.go.emit("Route trial"), "Prints by several routes"))
        row.addStretch()
        return [made]

    def facts(self) -> list[tuple[str, str]]:
        """Return the figures and how far they are to be trusted."""
        session = self.session
        checked, run = session.checked, session.run
        if checked is None or run is None:
            scanner = session.scanner
            known = f"±{scanner.residual_mean:.1f} ΔE00" if scanner.path else "not characterised yet"
            if math.isnan(scanner.residual_mean):
                known = "not known: its profile came from elsewhere"
            return [("Scanner", f"{session.workshop.scanner_name}, {known}"), ("Tolerance", session.tolerance.name)]
        c, reading = checked.comparison, checked.reading
        return [
            ("Patches", str(len(c.ids))),
            ("Mean", f"ΔE00 {c.mean:.2f}"),
            ("Median", f"{c.median:.2f}"),
            ("95th percentile", f"{c.p95:.2f}"),
            ("Largest", f"{c.largest:.2f}, patch {c.ids[int(c.worst(1)[0])]}"),
            ("Tolerance", f"{c.tolerance.name}: {c.tolerance.mean:g} and {c.tolerance.p95:g}"),
            ("Scanner", f"{session.workshop.scanner_name}, ±{checked.uncertainty:.2f}"),
            ("On the glass", f"turned {reading.turned:.1f}°, light evened by {reading.unevenness * 100:.0f} %"),
            (
                "Pressed",
                f"{clock(run.pressed_at)}, {run.job.card.press.temperature:.0f} °C, {run.job.card.press.seconds:.0f} s",
            ),
        ]
