"""What leaves the check desk: the report, all numbers."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QFileDialog, QWidget

from fidele.chart.cgats import dump
from fidele.check.report import Report, as_csv, verdict_words
from fidele.desk.report_pdf import write_report
from fidele.desk.report_pictures import report_pictures
from fidele.errors import FideleError
from fidele.files import write_bytes
from fidele.language import tr
from fidele.session.model import Session


class CheckOut(QObject):
    """Writes what the desk shows; `facts` are its figures and how far they are to be trusted."""

    def __init__(self, desk: QWidget, session: Session, facts: Callable[[], list[tuple[str, str]]]) -> None:
        super().__init__(desk)
        self._desk, self.session, self._facts = desk, session, facts

    def ask_report(self) -> None:
        """Ask where the report goes, and write it."""
        name, _ = QFileDialog.getSaveFileName(
            self._desk, tr("Write the report"), "check.pdf", tr("Report (*.pdf *.html)")
        )
        if name:
            self.write_report(Path(name))

    def write_report(self, path: Path) -> None:
        """Write a report of the check in hand: .pdf or .html."""
        write_report(path, self.report())
        self.session.say(tr("The report is in {path}.", path=path))

    def ask_numbers(self) -> None:
        """Ask where all numbers go, and write them."""
        name, _ = QFileDialog.getSaveFileName(
            self._desk, tr("Save all numbers"), "check.csv", tr("Numbers (*.csv *.txt *.cxf)")
        )
        if name:
            self.write_numbers(Path(name))

    def write_numbers(self, path: Path) -> None:
        """Write all numbers of the check in hand: .csv, .txt (CGATS) or .cxf (CxF3)."""
        from fidele.chart.cxf import write_measurement

        checked = self.session.checked
        if checked is None:
            raise FideleError(tr("There is no check whose numbers could be saved."))
        if path.suffix.lower() == ".cxf":
            write_measurement(path, checked.measured, checked.chart.title)
        else:
            text = as_csv(checked.comparison) if path.suffix.lower() == ".csv" else dump(checked.table)
            write_bytes(path, text.encode())
        self.session.say(tr("All numbers are in {path}.", path=path))

    def report(self) -> Report:
        """Return the report of the check in hand."""
        session = self.session
        checked, run = session.checked, session.run
        if checked is None or run is None:
            raise FideleError(tr("There is no check to report yet."))
        card = run.job.card
        words = (checked.cause.sentence, *checked.words[:6])
        conditions = [(tr("Condition"), card.name), (tr("Printer"), card.summary), *self._facts()]
        return Report(
            tr("{title}, run {number}", title=checked.chart.title, number=run.number),
            verdict_words(checked.comparison),
            words,
            checked.comparison,
            tuple(conditions),
            report_pictures(checked),
            checked.cautions,
        )
