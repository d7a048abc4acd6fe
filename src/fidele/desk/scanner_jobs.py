"""What else the scanner is asked for: a part of the glass, its profile, and whether it still sees as it did."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QDialog, QFileDialog, QWidget

from fidele.characterise.scanner import ScannerFit
from fidele.desk.work import Work
from fidele.devices.protocol import Scan
from fidele.devices.sane import AnyScanner
from fidele.language import tr
from fidele.session.model import Session
from fidele.store.scanners import ScannerSeen
from fidele.tiles import Progress


class ScannerJobs(QObject):
    """Works for the check desk, which `read` gives what was scanned: pixels and resolution."""

    def __init__(self, desk: QWidget, session: Session, work: Work, read: Callable[..., object]) -> None:
        super().__init__(desk)
        self._desk, self.session, self.work, self._read = desk, session, work, read

    def preview(self) -> None:
        """Look at the glass, ask for a part of it, and read what was scanned there."""
        scanner = self.session.devices.scanner
        if not isinstance(scanner, AnyScanner):
            return

        def seen(glass: Scan) -> None:
            from fidele.desk.scan_area import ScanArea

            dialog = ScanArea(glass, self._desk)
            if dialog.exec() == QDialog.DialogCode.Accepted:
                self.scan_part(dialog.glass.area())

        self.work.run(tr("Looking at the glass"), scanner.preview, seen)

    def scan_part(self, area: tuple[float, float, float, float] | None) -> None:
        """Scan a part of the glass, in mm, and read the prints on it."""
        scanner = self.session.devices.scanner
        if isinstance(scanner, AnyScanner):
            scan = partial(scanner.scan_part, area)
            self.work.run(tr("Scanning"), scan, lambda seen: self._read(seen.pixels, seen.ppi))

    def ask(self, verify: bool = False) -> None:
        """Ask for a target's known values and its scan, and characterise or verify by them."""
        kinds = tr("References (*.txt *.cgats)")
        reference, _ = QFileDialog.getOpenFileName(self._desk, tr("The target's known values"), "", kinds)
        if not reference:
            return
        scan, _ = QFileDialog.getOpenFileName(
            self._desk, tr("The scan of the target"), "", tr("Pictures (*.tif *.tiff *.png *.jpg)")
        )
        if scan:
            (self.verify if verify else self.characterise)(Path(scan), Path(reference))

    def verify(self, scan: Path, reference: Path) -> None:
        """Tell by a scan of the target whether the scanner still sees as it did."""
        checking = self.session.checking

        def work(_told: Progress) -> ScannerSeen:
            from fidele.artwork.open import open_artwork

            return checking.verify_scanner(open_artwork(scan).pixels, reference)

        self.work.run(tr("Verifying the scanner"), work, checking.keep_verified)

    def characterise(self, scan: Path, reference: Path) -> None:
        """Make the scanner's profile from a scan of a target with known values."""
        checking = self.session.checking

        def work(_told: Progress) -> ScannerFit:
            from fidele.artwork.open import open_artwork

            return checking.characterise_scanner(open_artwork(scan).pixels, reference)

        self.work.run(tr("Characterising the scanner"), work, checking.keep_scanner)
