"""The bench: the simulated devices that ship with Fidele, operated as by hand."""

from __future__ import annotations

from PySide6.QtWidgets import QGridLayout, QWidget

from fidele.desk.desk import Desk
from fidele.desk.kit import across, choice, down, fill
from fidele.desk.labels import clear, label, section
from fidele.desk.tile import scrolled
from fidele.desk.work import Work
from fidele.devices.protocol import Control
from fidele.session.model import Session
from fidele.values import Value


class BenchDesk(Desk):
    """Shows every switch, tray, tank and panel of the bench, and lets a person turn them."""

    station = "Bench"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        self.box.addLayout(self.head())
        inside = QWidget()
        self._columns = across(space=26, margins=(0, 0, 8, 0), on=inside)
        self.box.addWidget(scrolled(inside), 1)
        self._shown: object = None

    def refresh(self) -> None:
        """Show how everything stands."""
        self.title.setText("The bench")
        self.state.setText(
            "The simulated devices, as your hands reach them: switches, trays, tanks, panels, and another program's "
            "window. Fidele never looks here: it reads devices back as far as they tell."
        )
        controls = self.session.devices.hands()
        shown = [(c.device, c.name, c.value, c.offered) for c in controls]
        if shown == self._shown:
            return
        self._shown = shown
        clear(self._columns)
        halves: tuple[list[str], list[str]] = [], []
        for device in dict.fromkeys(c.device for c in controls):
            long = [sum(c.device in half for c in controls) for half in halves]
            halves[long.index(min(long))].append(device)
        for half in halves:
            column = down(space=6)
            for device in half:
                fill(column, section(device), self._grid([c for c in controls if c.device == device]), 10)
            column.addStretch()
            self._columns.addLayout(column, 1)

    def _grid(self, controls: list[Control]) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(4)
        grid.setColumnStretch(0, 1)
        for row, control in enumerate(controls):
            box = choice(f"{control.device}: {control.name}", points=8.5)
            box.setStyleSheet("QComboBox { padding: 1px 3px; min-height: 16px; }")
            for value in control.offered:
                box.addItem(f"{value * 100:.0f} %" if isinstance(value, float) else str(value), value)
            box.setCurrentIndex(max(0, box.findData(control.value)))
            box.activated.connect(lambda i, b=box, c=control: self.guarded(self._take, c, b.itemData(i)))
            box.wheelEvent = lambda event: event.ignore()  # type: ignore[method-assign]
            grid.addWidget(label(control.name, 9.0, wrap=True), row, 0)
            grid.addWidget(box, row, 1)
        return grid

    def _take(self, control: Control, value: Value) -> None:
        control.set(value)
        self.session.refresh()
        self.session.say(f"{control.device}: {control.name} is now {value}.")
        self.refresh()
