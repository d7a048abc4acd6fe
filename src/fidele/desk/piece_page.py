"""The piece beside what was promised: one size, one light; and photos of it."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import Qt
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QLabel, QWidget

from fidele.desk.kit import down
from fidele.desk.labels import button, line
from fidele.desk.picture import PictureView, Tooth
from fidele.desk.print_desk import as_it_is, seen
from fidele.desk.work import Work
from fidele.devices.protocol import Lies
from fidele.errors import FideleError
from fidele.language import tr
from fidele.route.condition import Card
from fidele.run.job import Printed
from fidele.run.press import attach_photo
from fidele.session.model import Session
from fidele.session.news import LogChanged
from fidele.session.promised import promised
from fidele.tiles import Progress

#: What lies there as it looks on the screen, and as it was promised to look.
_Looked = tuple[NDArray[np.uint8], NDArray[np.uint8] | None]
_BY_HAND = tr("The print lies at its printer. When it is pressed, attach a photo, or scan it on the check desk.")
#: Pieces are looked at with so many pixels on their longer side at most.
_LOOKED_AT = 2600


class PiecePage(QWidget):
    """Shows a print before it is pressed, or the piece and what was promised as two teeth of a comb."""

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__()
        self.session, self.work = session, work
        column = down(margins=(0, 0, 0, 0), on=self)
        self.view = PictureView()
        column.addWidget(self.view, 1)
        row = QHBoxLayout()
        self.said = line("", 8.5, dim=True)
        row.addWidget(self.said, 1)
        self.photo = QLabel()
        self.photo.setAccessibleName(tr("Last photo of the piece"))
        row.addWidget(self.photo)
        self.attach = button(tr("Attach a photo …"), self._attach, tr("Keep a photo or scan of the piece with its run"))
        row.addWidget(self.attach)
        column.addLayout(row)
        self._looked: Lies | None = None

    def _attach(self) -> None:
        kinds = tr("Pictures (*.png *.jpg *.jpeg *.tif *.tiff)")
        name, _ = QFileDialog.getOpenFileName(self, tr("A photo of the piece"), "", kinds)
        if name:
            self.attach_file(Path(name))

    def attach_file(self, path: Path) -> None:
        """Keep a photo or scan of the piece with its run."""
        run = self.session.run
        if run is None:
            return
        try:
            session = self.session
            kept = attach_photo(session.logbook, session.places.data / "photos", run.number, path)
            session.live.tell(LogChanged())
            self.session.say(
                tr("{name} is kept with run {number}, as {name2}.", name=path.name, number=run.number, name2=kept.name)
            )
        except FideleError as error:
            self.session.warn(str(error))
        self._show_photo(run)

    def _show_photo(self, run: Printed) -> None:
        photos = self.session.logbook.photos(run.number)
        shown = QPixmap(photos[-1]) if photos else QPixmap()
        if not shown.isNull():
            shown = shown.scaledToHeight(54, Qt.TransformationMode.SmoothTransformation)
        self.photo.setPixmap(shown)

    def show_piece(self, run: Printed | None, card: Card | None) -> None:
        """Show what lies on the table of a run, for the pieces of a condition."""
        table = self.session.devices.table
        if run is None or card is None or run.sheet is None or table is None:
            self._looked = None
            there = run is not None and run.sheet is None and not run.only_file
            self.view.empty = _BY_HAND if there else tr("The pressed piece will lie here.")
            self.view.set_picture(None)
            self.view.set_teeth([])
            self.said.setText("")
            self.photo.clear()
            self.attach.setEnabled(there)
            return
        piece, sheet = run.pieces.get(card.id, run.piece), run.sheet
        self.attach.setEnabled(piece is not None)
        self._show_photo(run)
        what = piece if piece is not None else sheet
        if what is self._looked:
            return
        self._looked = what
        looks, before = self.session.looks, piece is None
        # What another one made of a run that lies here is what it would make of it now, as long as nothing changed.
        now = self.session.card
        way = self.session.way[0] if now is not None and now.id == card.id and now.owner == card.owner else None

        def look(_told: Progress) -> _Looked:
            lies = piece if piece is not None else table.as_printed(sheet)
            XYZ, ppi = table.look(lies, _LOOKED_AT)
            pixels = seen(XYZ)
            size = (pixels.shape[1], pixels.shape[0])
            return pixels, None if before else promised(looks, run, card, size, ppi, way)

        self.work.quietly("piece", look, lambda found: self._show(found, before))

    def _show(self, found: _Looked, before: bool) -> None:
        pixels, wanted = found
        self.view.set_picture(pixels)
        if before:
            self.view.set_teeth([Tooth(tr("on the table, still dull"), as_it_is)])
            self.said.setText(tr("The transfer paper, not pressed yet."))
        elif wanted is None or wanted.shape != pixels.shape:
            self.view.set_teeth([Tooth(tr("the piece"), as_it_is)])
            self.said.setText(tr("Nothing was promised for it: no profile converted it."))
        else:
            self.view.set_teeth([Tooth(tr("promised"), as_it_is, pixels=wanted), Tooth(tr("the piece"), as_it_is)])
            self.said.setText(tr("Drag the piece beneath the line: both are of one size, in one light."))
