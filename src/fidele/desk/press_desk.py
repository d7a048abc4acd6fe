"""The press desk: temperature, time and pressure, and the pressed piece beside what was promised."""

from __future__ import annotations

from typing import Any

from PySide6.QtWidgets import QDoubleSpinBox, QHBoxLayout

from fidele.desk.desk import Desk, clock
from fidele.desk.labels import button, label
from fidele.desk.picture import PictureView, Tooth
from fidele.desk.print_desk import seen
from fidele.desk.theme import font
from fidele.desk.work import Work
from fidele.route.condition import PressData
from fidele.session.model import Session
from fidele.session.runs import Printed


class PressDesk(Desk):
    """Presses the print on its piece."""

    station = "Press"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        top = self.head()
        self.press_it = button("Press", self._press, "Close the press on the print and the piece", main=True)
        self.on = button("Go on to the check", lambda: self.go.emit("Check"))
        top.addWidget(self.press_it)
        top.addWidget(self.on)
        self.box.addLayout(top)
        row = QHBoxLayout()
        row.setSpacing(8)
        self.fields: dict[str, QDoubleSpinBox] = {}
        for name, text, low, high, unit, decimals in (
            ("temperature", "temperature", 20, 240, " °C", 0),
            ("seconds", "time", 1, 900, " s", 0),
            ("pressure", "pressure", 0.1, 8, " bar", 1),
        ):
            row.addWidget(label(text, 9.0, dim=True))
            field = QDoubleSpinBox()
            field.setFont(font(9))
            field.setRange(low, high)
            field.setDecimals(decimals)
            field.setSuffix(unit)
            field.setAccessibleName(f"Press {text}")
            field.setKeyboardTracking(False)
            field.setFixedWidth(84)
            field.lineEdit().setTextMargins(6, 0, 0, 0)
            field.valueChanged.connect(lambda value, n=name: self._typed(n, value))
            self.fields[name] = field
            row.addWidget(field)
        row.addStretch()
        self.box.addLayout(row)
        self.view = PictureView()
        self.box.addWidget(self.view, 1)
        self.note = label("", 8.5, dim=True, wrap=True)
        self.box.addWidget(self.note)
        self._looked: Any = None

    def _typed(self, name: str, value: float) -> None:
        card = self.session.card
        if card is not None and abs(getattr(card.press, name) - value) > 1e-6:
            self.session.change_card(
                f"Press {name} {value:g}", press=PressData(**(card.press.model_dump() | {name: value}))
            )

    def refresh(self) -> None:
        """Show the press data, the print before it is pressed, and the piece after."""
        session = self.session
        card, run = session.card, session.run
        self.view.theme = self.theme
        if card is not None:
            for name, field in self.fields.items():
                field.blockSignals(True)
                field.setValue(getattr(card.press, name))
                field.blockSignals(False)
        self.press_it.setEnabled(run is not None and run.piece is None and not self.work.busy)
        self.on.setVisible(run is not None and run.piece is not None)
        if run is None or card is None:
            self.title.setText("Nothing to press yet")
            self.state.setText("Print something first.")
            self.note.setText("")
            self._looked = None
            self.view.empty = "The pressed piece will lie here."
            self.view.set_picture(None)
            self.view.set_teeth([])
            return
        if run.piece is None:
            self.title.setText(f"Press run {run.number} on {card.substrate}")
            self.state.setText("Print face down on the dry, dusted piece; a sheet of clean paper on top.")
            self.note.setText(
                "On the table now: the transfer paper, still dull."
                + (" For a chart take a flat piece of the same material." if run.job.chart else "")
            )
        else:
            self.title.setText(f"Run {run.number}, pressed {clock(run.pressed_at)}")
            self.state.setText(f"{card.substrate}, as it looks under D50 light.")
            self.note.setText("The pressed piece. Let it cool before you judge it.")
        shown = run.piece if run.piece is not None else run.sheet
        if shown is not self._looked:
            self._looked = shown
            workshop = session.workshop
            piece = run.piece if run.piece is not None else workshop.as_printed(run.sheet)
            self.work.quietly("piece", lambda _p: seen(workshop.look(piece, 2)), self._show)

    def _show(self, pixels: Any) -> None:
        self.view.set_picture(pixels)
        self.view.set_teeth([Tooth("the piece", lambda p: p)])

    def _press(self) -> None:
        run = self.session.run
        if run is None or self.session.card is None:
            return
        from dataclasses import replace

        # What is pressed now is pressed by the data that stand here now.
        pressed_with = replace(
            run, job=replace(run.job, card=run.job.card.model_copy(update={"press": self.session.card.press}))
        )
        self.work.run(
            f"Pressing run {run.number}", lambda _progress: self.session.press_run(pressed_with), self._pressed
        )
        self.press_it.setEnabled(False)

    def _pressed(self, run: Printed) -> None:
        self.session.take_run(run)
        press = run.job.card.press
        self.session.say(
            f"Run {run.number} is pressed: {press.temperature:.0f} °C, {press.seconds:.0f} s, {press.pressure:g} bar."
        )

    def facts(self) -> list[tuple[str, str]]:
        """Return what the profile expects of the press."""
        card = self.session.card
        if card is None:
            return []
        return [
            ("Piece", card.substrate),
            ("Seen from", card.seen_from),
            ("Press", f"{card.press.temperature:.0f} °C, {card.press.seconds:.0f} s, {card.press.pressure:g} bar"),
        ]
