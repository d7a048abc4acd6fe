"""The strip: all pictures in hand as small pictures, to change between them."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QIcon, QImage, QKeyEvent, QPainter, QPixmap
from PySide6.QtWidgets import QListView, QListWidget, QListWidgetItem

from fidele.artwork.lay import over_white
from fidele.artwork.picture import Artwork
from fidele.desk.desk import short
from fidele.desk.picture import to_image
from fidele.desk.theme import font, px
from fidele.desk.work import Work
from fidele.icc.transform import white_of
from fidele.language import tr
from fidele.proof.soft import as_sent
from fidele.session.pieces import Pieces
from fidele.session.remember import Remembered

_SIDE = 68


class Strip(QListWidget):
    """Shows what is in hand; it is there only where there are several."""

    #: Another picture was chosen, or one is to be laid aside, by its number.
    chosen = Signal(int)
    dropped = Signal(int)

    def __init__(self, work: Work) -> None:
        super().__init__()
        self._work = work
        self.setFlow(QListView.Flow.LeftToRight)
        self.setViewMode(QListView.ViewMode.IconMode)
        self.setWrapping(False)
        self.setMovement(QListView.Movement.Static)
        self.setIconSize(QSize(_SIDE, _SIDE))
        self.setGridSize(QSize(_SIDE + 46, _SIDE + 26))
        self.setFixedHeight(_SIDE + px(42))
        self.setHorizontalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFont(font(8.5))
        self.setAccessibleName(tr("Pictures in hand"))
        self.setToolTip(tr("Open pictures: choose one (Ctrl+Tab goes on); Delete closes it, the file stays"))
        self._icons: Remembered[QIcon] = Remembered()
        #: Those that are being made.
        self._asked: Remembered[bool] = Remembered()
        self._empty = _squared(QImage())
        self.currentItemChanged.connect(self._changed)

    def show_pieces(self, pieces: Pieces) -> None:
        """Show what is in hand now."""
        self.setVisible(len(pieces.all) > 1)
        self.blockSignals(True)
        self.clear()
        for piece in pieces.all:
            name = piece.chart.title if piece.chart is not None else short(piece.opened.path)
            if piece.opened.pages > 1:
                name += tr(", page {value}", value=max(0, piece.opened.page) + 1)
            item = QListWidgetItem(self._icon(piece.artwork, piece.number), name)
            item.setData(Qt.ItemDataRole.UserRole, piece.number)
            item.setToolTip(str(piece.opened.path))
            self.addItem(item)
            if piece is pieces.current:
                self.setCurrentItem(item)
                self.scrollToItem(item)
        self.blockSignals(False)

    def _icon(self, artwork: Artwork, number: int) -> QIcon:
        """Return a picture's icon; one that is not known is made beside the interface, and room is kept for it."""
        known = self._icons.get(artwork.pixels)
        if known is not None:
            return known
        if self._asked.get(artwork.pixels):
            return self._empty
        self._asked.keep(artwork.pixels, True)

        def take(shown: QImage) -> None:
            icon = _squared(shown)
            self._icons.keep(artwork.pixels, icon)
            for row in range(self.count()):
                if self.item(row).data(Qt.ItemDataRole.UserRole) == number:
                    self.item(row).setIcon(icon)

        self._work.quietly(f"icon {id(artwork.pixels)}", lambda _: to_image(small(artwork, 2 * _SIDE)), take)
        return self._empty

    def _changed(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.chosen.emit(int(item.data(Qt.ItemDataRole.UserRole)))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Delete and self.currentItem() is not None:
            self.dropped.emit(int(self.currentItem().data(Qt.ItemDataRole.UserRole)))
        else:
            super().keyPressEvent(event)


def _squared(shown: QImage) -> QIcon:
    """Return an icon of the size of all others, with a small picture at its foot."""
    square = QPixmap(2 * _SIDE, 2 * _SIDE)
    square.fill(Qt.GlobalColor.transparent)
    painter = QPainter(square)
    painter.drawImage((2 * _SIDE - shown.width()) // 2, 2 * _SIDE - shown.height(), shown)
    painter.end()
    icon = QIcon(square)
    icon.addPixmap(square, QIcon.Mode.Selected)  # else the style tints it
    return icon


def small(artwork: Artwork, side: int, show: Callable[[np.ndarray], np.ndarray] | None = None) -> np.ndarray:
    """Return a picture at most `side` pixels long, as it was sent unless `show` says otherwise, for the screen."""
    import cv2

    stride = max(1, max(artwork.pixels.shape[:2]) // (2 * side))
    part = artwork.pixels[::stride, ::stride]
    alpha = artwork.alpha[::stride, ::stride] if artwork.alpha is not None else None
    laid = over_white(part, alpha, white_of(artwork.profile, part.dtype))
    scale = min(1.0, side / max(laid.shape[:2]))
    size = (max(1, round(laid.shape[1] * scale)), max(1, round(laid.shape[0] * scale)))
    done = cv2.resize(np.ascontiguousarray(laid), size, interpolation=cv2.INTER_AREA).reshape(size[1], size[0], -1)
    return show(done) if show is not None else as_sent(done, artwork.profile)
