"""The bench: the simulated devices that ship with Fidele, operated as by hand."""

from __future__ import annotations

from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QWidget

from fidele.desk.desk import Desk
from fidele.desk.kit import across, down
from fidele.desk.labels import clear
from fidele.desk.machine_view import MachineView, called, words
from fidele.desk.theme import px
from fidele.desk.tile import scrolled
from fidele.desk.work import Work
from fidele.devices.protocol import Control
from fidele.language import tr
from fidele.session.model import Session
from fidele.values import Value

#: From so many pixels on, at the designed size of type, machines stand in two columns.
_TWO = 700


class BenchDesk(Desk):
    """Shows every machine of the bench as it stands there, and lets a person turn what hands can turn."""

    station = "Bench"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        self.box.addLayout(self.head())
        inside = QWidget()
        self._columns = across(space=14, margins=(0, 0, 8, 0), on=inside)
        self.box.addWidget(scrolled(inside), 1)
        self.machines: dict[str, MachineView] = {}
        self._shown: object = None
        #: Which machines stand there, and whether in two columns.
        self._stand: tuple[list[str], bool] = ([], False)

    @property
    def _wide(self) -> bool:
        return self.width() >= px(_TWO)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if self._stand[0] and self._wide != self._stand[1]:
            self._shown = None
            self.refresh()

    def refresh(self) -> None:
        """Show how everything stands."""
        self.title.setText(tr("The bench"))
        self.state.setText(
            tr(
                "The simulated devices, as your hands reach them: press a switch, a tray, a tank, nozzles, or "
                "a line of a panel. Fidele never looks here: it reads devices back as far as they tell."
            )
        )
        controls = self.session.devices.hands()
        shown = [(c.device, c.name, c.value, c.offered) for c in controls], self.theme.name
        if shown == self._shown:
            return
        self._shown = shown
        by_device = {
            name: [c for c in controls if c.device == name] for name in dict.fromkeys(c.device for c in controls)
        }
        if (list(by_device), self._wide) != self._stand:
            self._make(by_device)
        for name, mine in by_device.items():
            self.machines[name].show_controls(mine, self.theme)

    def _make(self, by_device: dict[str, list[Control]]) -> None:
        """Stand the machines in two columns where there is room, the next always in the shorter one."""
        clear(self._columns)
        self.machines, self._stand = {}, (list(by_device), self._wide)
        columns = [down(space=12) for _ in range(2 if self._wide else 1)]
        heights = [0] * len(columns)
        for name, mine in by_device.items():
            view = MachineView(self.theme)
            view.turned.connect(lambda control, value: self.guarded(self._take, control, value))
            shorter = heights.index(min(heights))
            columns[shorter].addWidget(view)
            heights[shorter] += 240 if any(c.part.startswith("tank") for c in mine) else 50 + 22 * len(mine)
            self.machines[name] = view
        for column in columns:
            column.addStretch()
            self._columns.addLayout(column, 1)

    def _take(self, control: Control, value: Value) -> None:
        control.set(value)
        self.session.refresh()
        self.session.say(
            tr(
                "{device}: {name} is now {words}.",
                device=control.device,
                name=called(control),
                words=words(control, value),
            )
        )
        self.refresh()
