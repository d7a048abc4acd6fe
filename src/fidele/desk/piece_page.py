"""The piece beside what was promised: one size, one light; and photos of it."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from fidele.desk.labels import button, line
from fidele.desk.picture import PictureView, Tooth
from fidele.desk.print_desk import seen
from fidele.desk.work import Work
from fidele.errors import FideleError
from fidele.route.condition import Card
from fidele.session.job import Printed
from fidele.session.model import Session
from fidele.session.pressing import attach_photo
from fidele.session.promised import promised

#: Pieces are looked at with so many pixels on their longer side at most.
_LOOKED_AT = 2600


class PiecePage(QWidget):
    """Shows a print before it is pressed, or the piece and what was promised as two teeth of a comb."""

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__()
        self.session, self.work = session, work
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.view = PictureView()
        column.addWidget(self.view, 1)
        row = QHBoxLayout()
        self.said = line("", 8.5, dim=True)
        row.addWidget(self.said, 1)
        self.photo = QLabel()
        self.photo.setAccessibleName("Last photo of the piece")
        row.addWidget(self.photo)
        self.attach = button("Attach a photo …", self._attach, "Keep a photo or scan of the piece with its run")
        row.addWidget(self.attach)
        column.addLayout(row)
        self._looked: Any = None

    def _attach(self) -> None:
        kinds = "Pictures (*.png *.jpg *.jpeg *.tif *.tiff)"
        name, _ = QFileDialog.getOpenFileName(self, "A photo of the piece", "", kinds)
        if name:
            self.attach_file(Path(name))

    def attach_file(self, path: Path) -> None:
        """Keep a photo or scan of the piece with its run."""
        run = self.session.run
        if run is None:
            return
        try:
            kept = attach_photo(self.session, run.number, path)
            self.session.say(f"{path.name} is kept with run {run.number}, as {kept.name}.")
        except FideleError as error:
            self.session.say(str(error))
        self._show_photo(run)

    def _show_photo(self, run: Printed) -> None:
        photos = self.session.logbook.photos(run.number)
        shown = QPixmap(photos[-1]) if photos else QPixmap()
        if not shown.isNull():
            shown = shown.scaledToHeight(54, Qt.TransformationMode.SmoothTransformation)
        self.photo.setPixmap(shown)

    def show_piece(self, run: Printed | None, card: Card | None) -> None:
        """Show what lies on the table of a run, for the pieces of a condition."""
        if run is None or card is None or run.sheet is None:
            self._looked = None
            self.view.empty = "The pressed piece will lie here."
            self.view.set_picture(None)
            self.view.set_teeth([])
            self.said.setText("")
            self.photo.clear()
            self.attach.setEnabled(False)
            return
        piece = run.pieces.get(card.id, run.piece)
        self.attach.setEnabled(piece is not None)
        self._show_photo(run)
        what = piece if piece is not None else run.sheet
        if what is self._looked:
            return
        self._looked = what
        session, workshop = self.session, self.session.workshop
        shrink = max(2, round(max(run.sheet.ink.shape[:2]) / _LOOKED_AT))
        before = piece is None

        def look(_told: Any) -> Any:
            lies = piece if piece is not None else workshop.as_printed(run.sheet)
            pixels = seen(workshop.look(lies, shrink))
            size = (pixels.shape[1], pixels.shape[0])
            wanted = None if before else promised(session, run, card, size, lies.ppi / shrink)
            return pixels, wanted

        self.work.quietly("piece", look, lambda found: self._show(found, before))

    def _show(self, found: tuple[Any, Any], before: bool) -> None:
        pixels, wanted = found
        self.view.set_picture(pixels)
        if before:
            self.view.set_teeth([Tooth("on the table, still dull", _as_is)])
            self.said.setText("The transfer paper, not pressed yet.")
        elif wanted is None or wanted.shape != pixels.shape:
            self.view.set_teeth([Tooth("the piece", _as_is)])
            self.said.setText("Nothing was promised for it: no profile converted it.")
        else:
            self.view.set_teeth([Tooth("promised", _as_is, pixels=wanted), Tooth("the piece", _as_is)])
            self.said.setText("Drag the piece beneath the line: both are of one size, in one light.")


def _as_is(pixels: Any) -> Any:
    return np.ascontiguousarray(pixels)
