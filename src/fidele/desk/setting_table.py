"""The table of the hand-off desk: what the card says, what was read back, and where it stands in this driver."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFontMetrics
from PySide6.QtWidgets import QApplication, QComboBox, QFrame, QGridLayout, QLabel, QSizePolicy, QWidget

from fidele.desk.kit import across, choice, down
from fidele.desk.labels import button, clear, label, line
from fidele.desk.theme import font, px
from fidele.desk.tile import scrolled
from fidele.devices.protocol import Choice
from fidele.language import tr
from fidele.route.layers import MEANINGS, Evidence, SettingRow

#: So many rows fit; a driver with more shows first what matters most, and what differs.
MOST_ROWS = 11
#: And so many are seen at once, so that the predicted prints keep their room; beyond that the table scrolls.
_ROOM = 9
_FIRST = ("colour", "stand_in", "panel_media", "quality", "black_ink", "density", "size", "scaling", "mirroring")


class SettingLine(QFrame):
    """One row of the table; a row that differs from the card stands in a strong frame."""

    def __init__(self, row: SettingRow, controls: list[QWidget], compact: bool) -> None:
        super().__init__()
        self.setObjectName("card" if row.agrees is False else "row")
        self.setProperty("strong", row.agrees is False)
        grid = QGridLayout(self)
        grid.setContentsMargins(8, 1, 8, 1)
        grid.setHorizontalSpacing(8)
        for column, (stretch, width) in enumerate(((0, label_width()), (48, 0), (38, 0), (68, 0))):
            grid.setColumnStretch(column, stretch)
            if width:
                grid.setColumnMinimumWidth(column, width)
        grid.addWidget(label(row.label, 9.0, bold=True), 0, 0)
        # What Fidele calls it is said in the user's language; words of the driver itself stand in no catalogue.
        wanted = tr(row.wanted)
        grid.addWidget(line(wanted, tip=tr("{wanted}; in this driver {place}", wanted=wanted, place=row.place)), 0, 1)
        found = tr(row.found) if row.found is not None else tr("cannot be read back")
        if row.evidence is Evidence.BY_HAND:
            found += tr(", confirmed by hand")
        grid.addWidget(line(found, bold=row.agrees is False, dim=row.found is None), 0, 2)
        last = across(space=6)
        place = line(row.place, 8.5, dim=True, tip=tr("Where it stands in this driver: {place}", place=row.place))
        last.addWidget(place, 1)
        if len(controls) > 1:
            place.hide()
        for control in controls:
            last.addWidget(control)
        grid.addLayout(last, 0, 3)
        self.setFixedHeight(px(28 if compact else 31))


def _controls_of(row: SettingRow, choices: tuple[Choice, ...]) -> list[Choice]:
    """Return the driver's controls that stand behind a row; a field to type in is filled from the card."""
    return [c for c in choices if c.meaning == row.meaning and c.offered != (c.value,)]


def label_width() -> int:
    """Return how wide the column of labels is: as the widest in this language needs, in the type that is set."""
    bold = QFontMetrics(font(9.0, font().Weight.DemiBold))
    return min(px(160), max(px(92), *(bold.horizontalAdvance(words) + px(4) for words in MEANINGS.values())))


class SettingTable(QWidget):
    """Shows rows with the driver's own controls; `chosen` carries a control's name and the value that a person took."""

    chosen = Signal(str, object)
    #: What hands set is to be kept on the card.
    kept = Signal()

    def __init__(self) -> None:
        super().__init__()
        inside = QWidget()
        self._rows = down(space=0, margins=(0, 0, 0, 0), on=inside)
        self._area = scrolled(inside)
        self._area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        down(self._area, margins=(0, 0, 0, 0), on=self)
        self._time: QLabel = label("")
        self._shown: tuple[object, ...] = ()
        self._lines: dict[tuple[object, ...], SettingLine] = {}

    def clear(self) -> None:
        """Show nothing."""
        clear(self._rows)
        self._lines = {}
        self._shown = ()

    def show_time(self, words: str) -> None:
        """Say when everything was read back."""
        self._time.setText(words)

    def show_rows(self, rows: tuple[SettingRow, ...], choices: tuple[Choice, ...], whole: bool, compact: bool) -> None:
        """Show rows, of a long driver the most important ones unless `whole`; the keyboard stays where it was."""
        key = (rows, choices, whole, compact)
        if key == self._shown:
            return
        self._shown = key
        here = QApplication.focusWidget()
        stood = here.accessibleName() if here is not None and self.isAncestorOf(here) else ""
        # Lines that say the same as before stay: most do when one setting was changed.
        stay, self._lines = self._lines, {}
        for line_shown in stay.values():
            self._rows.removeWidget(line_shown)
        clear(self._rows)
        self._rows.addWidget(self._head())
        shown = [r for r in rows if whole or len(rows) <= MOST_ROWS or r.agrees is not True or r.meaning in _FIRST]
        for row in shown:
            settable = row.settable or row.held
            offered = tuple(_controls_of(row, choices)) if settable else ()
            known = (row, offered, compact)
            if (same := stay.pop(known, None)) is not None:
                self._lines[known] = same
                self._rows.addWidget(same)
                continue
            controls: list[QWidget] = [self._control(one) for one in offered]
            if row.meaning == "sliders" and row.agrees is False:
                tip = tr("They are wanted so: keep them on the card, set and read back with the rest from now on")
                controls.append(button(tr("Keep"), self.kept.emit, tip, quiet=True))
            self._lines[known] = SettingLine(row, controls, compact)
            self._rows.addWidget(self._lines[known])
            for control in controls:
                if stood and control.accessibleName() == stood:
                    control.setFocus()
        for one in stay.values():
            one.hide()
            one.deleteLater()
        # As high as its rows, as long as the predicted prints keep some room; beyond that it scrolls.
        self._area.setFixedHeight(px(32) + px(28 if compact else 31) * min(len(shown), _ROOM))

    def _head(self) -> QFrame:
        head = QFrame()
        grid = QGridLayout(head)
        grid.setContentsMargins(8, 4, 8, 0)
        grid.setHorizontalSpacing(8)
        said, self._time = self._time.text(), line("", 8.5, bold=True, dim=True)
        self._time.setText(said)
        titles = (
            label(""),
            line(tr("the card says"), 8.5, True, True),
            self._time,
            line(tr("where in the driver"), 8.5, True, True),
        )
        for column, (title, stretch) in enumerate(zip(titles, (0, 48, 38, 68), strict=True)):
            grid.setColumnStretch(column, stretch)
            across = QSizePolicy.Policy.Ignored if column else QSizePolicy.Policy.Preferred
            title.setSizePolicy(across, QSizePolicy.Policy.Preferred)
            grid.addWidget(title, 0, column)
        grid.setColumnMinimumWidth(0, label_width())
        return head

    def _control(self, control: Choice) -> QWidget:
        """Return a list of what the driver offers for one control, in its own words."""
        made = choice(
            tr("{name} in the driver", name=control.name),
            tip=tr("{place}, in this driver's words", place=control.place),
            points=8.5,
        )
        numbers = [v for v in control.offered if isinstance(v, int)]
        slider = len(numbers) == len(control.offered) >= 5 and min(numbers) < 0
        for value in control.offered:
            made.addItem(
                (f"{control.name} {value:+d}" if value else f"{control.name} 0") if slider else str(value), value
            )
        made.setCurrentIndex(max(0, made.findData(control.value)))
        made.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        made.setMaximumWidth(118 if isinstance(control.value, str) or len(control.offered) < 5 else 90)
        made.setProperty("slim", True)
        made.activated.connect(lambda i, n=control.name: self.chosen.emit(n, made.itemData(i)))
        made.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        if control.held:
            made.setEnabled(False)
            made.setToolTip(
                tr("{place} is greyed out: this machine's administrator has locked it", place=control.place)
            )
        made.wheelEvent = lambda event: event.ignore()  # type: ignore[method-assign]
        return made
