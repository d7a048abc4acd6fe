"""A dozen colours side by side: now, wanted, then."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from fidele.colour.difference import delta_e_2000
from fidele.desk.theme import LIGHT, Theme, font, px
from fidele.language import decimals, tr
from fidele.proof.soft import show
from fidele.session.pairs import SHOWN, Pairs


class PairsView(QWidget):
    """Patches: a colour as it comes out now, as it is wanted, and as it then will, one touching the other.

    `names` say what the three rows are, in that order, and `title` what is seen.
    """

    def __init__(self, title: str, names: tuple[str, str, str]) -> None:
        super().__init__()
        self._names = names
        self.theme: Theme = LIGHT
        self._pairs: Pairs | None = None
        self._rgb = np.zeros((3, len(SHOWN), 3), np.uint8)
        self.setMinimumSize(px(420), px(150))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(title)

    def show_pairs(self, pairs: Pairs) -> None:
        """Show how colours come out."""
        self._pairs = pairs
        rows = np.stack([pairs.now, pairs.wanted, pairs.then]).astype(np.float32)
        self._rgb = show(rows)
        off = [delta_e_2000(pairs.wanted, one) for one in (pairs.now, pairs.then)]
        said = [
            tr("{name}: {before:.1f} now, {after:.1f} then", name=name, before=before, after=after)
            for (name, _), before, after in zip(SHOWN, *off, strict=True)
        ]
        self.setAccessibleDescription("; ".join(said))
        self.setToolTip("\n".join([tr("ΔE00 from what is wanted"), *said]))
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            pairs = self._pairs
            if pairs is None:
                return
            left, bottom = float(px(96)), float(px(32))
            wide, high = (self.width() - left) / len(SHOWN), (self.height() - bottom) / 3
            off = delta_e_2000(pairs.wanted, pairs.then)
            painter.setFont(font(8.5))
            for row, name in enumerate(self._names):
                painter.setPen(self.theme.colour("text"))
                place = QRectF(0, row * high, left - px(6), high)
                painter.drawText(place, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, name)
                for column in range(len(SHOWN)):
                    painter.fillRect(
                        QRectF(left + column * wide, row * high, wide - 3, high + 1),
                        QColor(*map(int, self._rgb[row, column])),
                    )
            painter.setPen(self.theme.colour("dim"))
            painter.setFont(font(7.5))
            for column, (name, _) in enumerate(SHOWN):
                x = left + column * wide
                painter.drawText(QRectF(x, 3 * high + 2, wide, px(14)), Qt.AlignmentFlag.AlignHCenter, name)
                painter.drawText(
                    QRectF(x, 3 * high + px(15), wide, px(14)),
                    Qt.AlignmentFlag.AlignHCenter,
                    decimals(f"{off[column]:.1f}"),
                )
