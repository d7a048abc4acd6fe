"""The findings for the open desk, then the facts."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from fidele.desk.kit import SPRING, down, fill
from fidele.desk.labels import button, clear, folding, label, section
from fidele.desk.theme import LIGHT, Theme, font
from fidele.judge.finding import Deed, Finding
from fidele.language import tr, trn

#: What a finding would do: the picture as it should be, and as it would come out.
Pictures = tuple[QImage, QImage]
#: Largest size of such a picture.
_WIDE, _HIGH = 112, 92

#: Words so long, names of files mostly, may go on in the next line after any of their letters.
_LONG = re.compile(r"\S{30,}")
_BAR = {"stop": 5, "caution": 3, "note": 0}


class FindingCard(QFrame):
    """One finding: weight, title, why, how to mend it, and a button where we can."""

    acted = Signal(object)

    def __init__(self, finding: Finding, theme: Theme, pictures: Pictures | None = None) -> None:
        super().__init__()
        self.setObjectName("card")
        self.finding = finding
        self._theme = theme
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 8, 10, 10)
        box.setSpacing(3)
        box.addWidget(label(tr(finding.weight), 8.0, bold=finding.weight == "stop", dim=True))
        box.addWidget(label(finding.title, 9.5, bold=True, wrap=True))
        box.addWidget(label(finding.why, 8.5, wrap=True))
        if pictures is not None:
            fill(box, 2, Pair(pictures, theme))
        # What a button does by itself need not be told; where it only looks again, a person must act first.
        if (
            finding.weight != "note"
            and finding.remedy
            and (finding.action is None or finding.action.deed is Deed.PROBE)
        ):
            box.addWidget(label(finding.remedy, 8.5, dim=True, wrap=True))
        if finding.button:
            row = QHBoxLayout()
            self.press = folding(
                finding.button, lambda: self.acted.emit(finding.action), finding.remedy, main=finding.weight == "stop"
            )
            fill(row, self.press, SPRING)
            fill(box, 4, row)
        self.setAccessibleName(f"{tr(finding.weight)}: {finding.title}. {finding.why}")

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        width = _BAR[self.finding.weight]
        if width:
            with QPainter(self) as painter:
                shade = self._theme.colour("text" if self.finding.weight == "stop" else "strong")
                painter.fillRect(0, 0, width, self.height(), shade)


class Pair(QWidget):
    """Two small predicted prints side by side: as it should be, and as it would come out."""

    def __init__(self, pictures: Pictures, theme: Theme) -> None:
        super().__init__()
        self._pictures = pictures
        self._theme = theme
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        image = pictures[0]
        self.setFixedHeight(18 + min(_HIGH, round(_WIDE * image.height() / max(1, image.width()))))
        self.setAccessibleName(tr("Predicted prints: as it should be, and as it would come out"))

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.setFont(font(8.0))
            painter.setPen(self._theme.colour("dim"))
            wide, high = (self.width() - 8) / 2, self.height() - 17
            for at, (image, words) in enumerate(
                zip(self._pictures, (tr("as it should be"), tr("as it comes out")), strict=True)
            ):
                scale = min(wide / image.width(), high / image.height())
                x = at * (wide + 8)
                painter.drawImage(QRectF(x, 0, image.width() * scale, image.height() * scale), image)
                said = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(wide))
                painter.drawText(QRectF(x, image.height() * scale, wide, 17), Qt.AlignmentFlag.AlignVCenter, said)


class FindingsView(QScrollArea):
    """Shows findings and facts; `acted` carries the action of the button that was pressed."""

    acted = Signal(object)
    #: Another desk is wanted, by its station.
    wanted = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.theme: Theme = LIGHT
        inside = QWidget()
        inside.setObjectName("inside")
        self.setWidget(inside)
        self._box = down(space=9, margins=(14, 12, 12, 12), on=inside)
        self.cards: list[FindingCard] = []

    def show_all(
        self,
        findings: list[Finding],
        elsewhere: dict[str, int],
        facts: list[tuple[str, str]],
        extra: list[QWidget],
        pictures: Callable[[Finding], Pictures | None] = lambda _: None,
        empty: str = tr("Nothing to find fault with here."),
    ) -> None:
        """Show the findings of this desk, how many there are on others (by station), further sections, and facts.

        `pictures` gives what a finding would do to the picture in hand.
        """
        place = self.verticalScrollBar().value()
        clear(self._box)
        self._box.addWidget(section(tr("Findings")))
        self.cards = []
        for finding in findings:
            card = FindingCard(finding, self.theme, pictures(finding))
            card.acted.connect(self.acted)
            self.cards.append(card)
            self._box.addWidget(card)
        if not findings:
            self._box.addWidget(label(empty, 8.5, dim=True, wrap=True))
        for station, count in elsewhere.items():
            tip = trn(
                "{count} finding on the desk {station}",
                "{count} findings on the desk {station}",
                count,
                count=count,
                station=tr(station),
            )
            more = button(
                tr("{station}: {count} more", station=tr(station), count=count),
                partial(self.wanted.emit, station),
                tip,
                quiet=True,
            )
            self._box.addWidget(more, alignment=Qt.AlignmentFlag.AlignLeft)
        for widget in extra:
            self._box.addWidget(widget)
        if facts:
            fill(self._box, 4, section(tr("Facts")), fact_grid(facts))
        self._box.addStretch()
        self.verticalScrollBar().setValue(place)


def fact_grid(facts: list[tuple[str, str]]) -> QGridLayout:
    """Return names and values in two columns."""
    grid = QGridLayout()
    grid.setHorizontalSpacing(10)
    grid.setVerticalSpacing(4)
    grid.setColumnMinimumWidth(0, 84)
    grid.setColumnStretch(1, 1)
    for row, (name, value) in enumerate(facts):
        title = label(name, 8.5, dim=True, wrap=True)
        title.setAlignment(Qt.AlignmentFlag.AlignTop)
        grid.addWidget(title, row, 0)
        said = label(_LONG.sub(lambda word: "\u200b".join(word[0]), value), 8.5, wrap=True)
        said.setAccessibleName(value)
        grid.addWidget(said, row, 1)
    return grid
