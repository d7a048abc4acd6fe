"""The press desk: the stack, the steps and the clock; then the piece beside what was promised."""

from __future__ import annotations

import time
from typing import Any

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QDoubleSpinBox, QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from fidele import units
from fidele.desk.alarm import announce
from fidele.desk.clock_view import ClockView
from fidele.desk.desk import Desk, clock
from fidele.desk.flow import Flow
from fidele.desk.kit import SPRING, across, choice, down, entry, fill, tick
from fidele.desk.labels import button, clear, folding, label
from fidele.desk.numbers import number
from fidele.desk.piece_page import PiecePage
from fidele.desk.press_mode import PressMode
from fidele.desk.stack_view import StackView
from fidele.desk.theme import Theme, px
from fidele.desk.tile import scrolled
from fidele.desk.work import Work
from fidele.language import named, tr
from fidele.route.condition import Card, PressData
from fidele.run.job import Printed
from fidele.run.press import PressClock, deviation, groups, layers, pressed, steps
from fidele.session.model import Session

_TICK = 100
_FIELDS = (
    ("temperature", tr("temperature"), 20, 240, " °C", 0),
    ("seconds", tr("time"), 1, 900, " s", 0),
    ("pressure", tr("pressure"), 0.1, 8, " bar", 1),
    ("preheat", tr("warm before"), 0, 120, " s", 0),
)


class PressDesk(Desk):
    """Presses the print on its piece."""

    station = "Press"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        press = session.devices.press
        self.clock = PressClock(lambda: time.monotonic() * (press.pace if press is not None else 1.0))
        self._done: dict[str, float] = {}
        self._ticked: dict[str, bool] = {}
        self._for: Any = None
        #: What the press is set to this time where it is not what the condition asks; None where it is.
        self._really: PressData | None = None
        self._of = ""
        self._large_view: PressMode | None = None
        self._head()
        self._settings()
        self.stack = QStackedWidget()
        self.stack.addWidget(self._at_the_press())
        self.piece = PiecePage(session, work)
        self.stack.addWidget(self.piece)
        self.box.addWidget(self.stack, 1)
        self._timer = QTimer(self, interval=_TICK)
        self._timer.timeout.connect(self._tick)

    # Making ------------------------------------------------------------------------------------------------------

    def _head(self) -> None:
        top = self.head()
        self.which = choice(
            tr("Print on the table"), tip=tr("Prints that lie on the table, the newest first"), chosen=self._choose_run
        )
        self.which.setFixedWidth(px(150))
        top.addWidget(self.which)
        self.other = button(tr("The piece"), self._other_page, tr("The pressed piece beside what was promised"))
        self.on = folding(tr("Go on to the check"), lambda: self.go.emit("Check"))
        tip = tr("For a tablet beside the press: clock and buttons as large as there is room")
        self.large = button(tr("Large view"), self._large, tip)
        fill(top, self.large, self.other, self.on)
        self.box.addLayout(top)

    def _settings(self) -> None:
        row = Flow(space=10)
        self.fields: dict[str, QDoubleSpinBox] = {}
        for name, text, low, high, unit, decimals in _FIELDS:
            pair = QWidget()
            field = number(low, high, tr("Press {value}", value=text), decimals, unit, 70)
            field.setToolTip(tr("What the press is set to this time; the condition stays as it is"))
            field.valueChanged.connect(lambda value, n=name: self._change(**{n: value}))
            self.fields[name] = field
            across(label(text, 8.5, dim=True), field, space=6, margins=(0, 0, 0, 0), on=pair)
            row.addWidget(pair)
        self.asked = button(
            tr("As the condition says"), self._as_asked, tr("Take back what is set otherwise here"), quiet=True
        )
        self.keep_it = button(tr("Keep in the condition"), self._keep, tr("From now on the condition asks for this"))
        self.otherwise = label("", 8.5, dim=True, wrap=True)
        fill(self.box, row, across((self.otherwise, 1), self.asked, self.keep_it))

    def _at_the_press(self) -> QWidget:
        page = QWidget()
        row = across(space=14, margins=(0, 0, 0, 0), on=page)
        left = QVBoxLayout()
        self.group = choice(
            tr("Pieces of the condition"),
            tip=tr("Pieces of several conditions share this sheet; cut them apart and press each by its own"),
            chosen=lambda _: self.refresh(),
        )
        left.addWidget(self.group)
        self.layers = StackView()
        left.addWidget(self.layers)
        choices = QHBoxLayout()
        tops = (named("paper"), named("piece"))
        self.on_top = choice(
            tr("What lies on top"),
            [(top, tr("{top} on top", top=tr(top))) for top in tops],
            chosen=lambda i: self._change(on_top=tops[i]),
            points=8.5,
        )
        self.cover = tick(tr("cover sheet"), changed=lambda on: self._change(cover=on), points=8.5)
        fill(choices, self.on_top, self.cover, SPRING)
        left.addLayout(choices)
        inside = QWidget()
        self.list = down(space=1, margins=(0, 0, 4, 0), on=inside)
        left.addWidget(scrolled(inside), 1)
        self.note = entry(tr("Note on the pressing"), hint=tr("what was done otherwise, if anything"))
        left.addWidget(self.note)
        row.addLayout(left, 5)
        right = QVBoxLayout()
        self.face = ClockView()
        right.addWidget(self.face, 1)
        buttons = QHBoxLayout()
        self.warm = button(tr("Warm"), self._warm, tr("Start the clock for warming paper and piece"))
        self.start = button(
            tr("Press closed, start timer"), self._start, tr("The press is closed on the piece"), main=True
        )
        self.press_it = button(
            tr("Done already"), self._press, tr("Note that it was pressed just as these numbers say")
        )
        self.stop = button(tr("Stop"), self._stop, tr("Stop the clock; nothing was pressed"), quiet=True)
        right.addWidget(self.start)
        for made in (self.warm, self.press_it, self.stop):
            buttons.addWidget(made)
        right.addLayout(buttons)
        row.addLayout(right, 6)
        return page

    # The condition -----------------------------------------------------------------------------------------------

    @property
    def card(self) -> Card | None:
        """The condition by which the pieces at hand are pressed."""
        run, mine = self.session.run, self.session.card
        if run is not None and not run.only_file:
            chosen = str(self.group.currentData() or "")
            found = groups(run)
            for card, _ in found:
                if card.id == chosen and (mine is None or card.id != mine.id):
                    return card
            if found and mine is not None and all(card.id != mine.id for card, _ in found):
                return found[0][0]
        return mine

    @property
    def press(self) -> PressData | None:
        """What the press is set to this time: as the condition asks, but for what was changed here."""
        return self._really or (self.card.press if self.card is not None else None)

    def _change(self, **changes: Any) -> None:
        """Note what is done otherwise this time; the condition stays as it is."""
        now, card = self.press, self.card
        if now is None or card is None or all(getattr(now, k) == v for k, v in changes.items()):
            return
        really = now.model_copy(update=changes)
        self._really = really if really != card.press else None
        self.refresh()

    def _keep(self) -> None:
        """Make what was set here the condition's, as a step that can be undone."""
        really, card = self._really, self.session.card
        if really is not None and card is not None and self.card is not None and self.card.id == card.id:
            self._really = None
            self.guarded(lambda: self.session.change_card(tr("Press as it was done"), press=really))
            self.refresh()

    def _as_asked(self) -> None:
        self._really = None
        self.refresh()

    # Doing -------------------------------------------------------------------------------------------------------

    def _choose_run(self) -> None:
        number = int(self.which.currentData() or 0)
        found = next((p for p in self.session.state.table if p.number == number), None)
        if found is not None:
            self.session.take_run(found)

    def _other_page(self) -> None:
        self.stack.setCurrentIndex(1 - self.stack.currentIndex())
        self.refresh()

    def _warm(self) -> None:
        card = self.card
        if card is not None:
            self.clock.start("warm", (self.press or card.press).preheat)
            self._timer.start()
            self._tick()

    def _start(self) -> None:
        """Start the clock as the press closes; or, while it runs, take note that it was opened."""
        card = self.card
        if card is None:
            return
        if self.clock.running and self.clock.what == "press":
            ran = self.clock.stop()
            self._timer.stop()
            self._finish((self.press or card.press).model_copy(update={"seconds": min(900.0, max(0.1, round(ran, 1)))}))
            return
        if self.clock.running:
            self._done["preheat"] = self.clock.stop()
        self._ticked["close"] = True
        self.clock.start("press", (self.press or card.press).seconds)
        self._timer.start()
        self._show_steps()
        self._tick()

    def _stop(self) -> None:
        self.clock.stop()
        self._timer.stop()
        self._tick()
        self.refresh()

    def _press(self) -> None:
        card = self.card
        if card is not None:
            self._finish(self.press or card.press)

    def _finish(self, done: PressData) -> None:
        run, card = self.session.run, self.card
        if run is None or card is None:
            return
        # What was warmed for a shorter time, or not dusted, shows on the piece.
        changes: dict[str, Any] = {}
        if "preheat" in self._done:
            changes["preheat"] = round(min(120.0, self._done["preheat"]), 1)
        known = {s.key for s in steps(card.press, card.substrate, run.job.chart is not None)}
        if "lint" in known and self._ticked.get("lint") is False:
            changes["lint"] = False
        really = done.model_copy(update=changes)
        ticked = [k for k, on in self._ticked.items() if on and k in known]
        note, devices, logbook = self.note.text().strip(), self.session.devices, self.session.logbook
        self.work.run(
            tr("Pressing run {number}", number=run.number),
            lambda _progress: (pressed(devices, logbook, run, card, really, note, ticked), card, really),
            self._pressed,
        )
        self._buttons()

    def _pressed(self, result: tuple[Printed, Card, PressData]) -> None:
        run, card, done = result
        self._done, self._ticked, self._really = {}, {}, None
        self.note.clear()
        self.stack.setCurrentIndex(1)
        self.session.take_run(run)
        off = deviation(card, done)
        self.session.say(
            tr(
                "Run {number} is pressed: {pressing}.",
                number=run.number,
                pressing=units.pressing(done.temperature, round(done.seconds), done.pressure),
            )
            + (tr(" That was {off}.", off=off) if off else "")
        )

    # Showing -----------------------------------------------------------------------------------------------------

    def _tick(self) -> None:
        card = self.card
        running, what = self.clock.running, self.clock.what
        if not running:
            seconds = self.press.seconds if self.press is not None else 0.0
            self.face.show_time(f"{int(seconds) // 60}:{int(seconds) % 60:02d}", tr("press time"), 0.0, False)
            return
        left = self.clock.remaining
        over = left <= 0
        words = {"warm": tr("warming"), "press": tr("pressing")}[what]
        if over:
            words = tr("Open the press now") if what == "press" else tr("Warm enough: lay it in")
        if over and not self.face.over:
            announce(
                words,
                tr(
                    "Run {number}, {face_words}",
                    number=(self.session.run.number if self.session.run else 0),
                    face_words=self.face_words(card),
                ),
            )
            if what == "warm":
                self._ticked["warm"] = True
                self._show_steps()
        self.face.show_time(self.clock.face, words, self.clock.ran / max(self.clock.seconds, 1e-6), over)
        self._buttons()

    def _buttons(self) -> None:
        run, card = self.session.run, self.card
        there = run is not None and not run.only_file and card is not None and card.process == "transfer"
        todo = there and run is not None and card is not None and card.id not in run.pieces and not self.work.busy
        running = self.clock.running
        warmed = self.press.preheat if self.press is not None else 0.0
        self.warm.setVisible(warmed > 0)
        self.warm.setEnabled(todo and not running)
        if card is not None:
            self.warm.setText(tr("Warm {warmed:.0f} s", warmed=warmed))
        pressing = running and self.clock.what == "press"
        self.start.setEnabled(todo)
        self.start.setText(tr("Press opened") if pressing else tr("Press closed, start timer"))
        self.press_it.setEnabled(todo and not running)
        self.stop.setVisible(running)

    def _show_steps(self) -> None:
        card, run = self.card, self.session.run
        clear(self.list)
        if card is None:
            return
        for step in steps(self.press or card.press, card.substrate, run is not None and run.job.chart is not None):
            box = tick(
                step.name,
                tip=step.words,
                changed=lambda on, key=step.key: self._ticked.__setitem__(key, on),
                on=self._ticked.get(step.key, False),
            )
            self.list.addWidget(box)
            self.list.addLayout(across(28, (label(step.words, 8, dim=True, wrap=True), 1)))
        self.list.addStretch()

    def refresh(self) -> None:
        """Show the press data, the steps and the clock, or the piece beside what was promised."""
        session = self.session
        run = session.run
        self.piece.view.theme = self.face.theme = self.layers.theme = self.theme
        self._show_table()
        self._show_groups(run)
        card = self.card
        if (run is not None and run.number != self._for) or (card.id if card is not None else "") != self._of:
            self._really, self._of = None, card.id if card is not None else ""
        changed = self._really is not None
        off = deviation(card, self._really) if card is not None and self._really is not None else ""
        self.otherwise.setText(
            tr("This time {off}; the condition stays as it is.", off=off or tr("otherwise")) if changed else ""
        )
        self.otherwise.setVisible(changed)
        self.asked.setVisible(changed)
        self.keep_it.setVisible(
            changed and card is not None and session.card is not None and card.id == session.card.id
        )
        self.keep_it.setEnabled(card is not None and not card.locked)
        if card is not None:
            now = self.press or card.press
            for name, field in self.fields.items():
                field.blockSignals(True)
                field.setValue(getattr(now, name))
                field.blockSignals(False)
            self.layers.show_layers(layers(now, card.substrate))
            self.on_top.setCurrentIndex(0 if now.on_top == "paper" else 1)
            self.cover.blockSignals(True)
            self.cover.setChecked(now.cover)
            self.cover.blockSignals(False)
        done = run is not None and run.pressed_at is not None
        if run is not None and run.number != self._for:
            self._for = run.number
            self._ticked, self._done = {}, {}
            self.stack.setCurrentIndex(1 if done else 0)
        self.on.setVisible(done)
        self.other.setVisible(run is not None and not run.only_file)
        self.other.setText(tr("At the press") if self.stack.currentIndex() else tr("The piece"))
        self._say(run, card)
        self._show_steps()
        self._tick()
        self._buttons()
        self.piece.show_piece(run, card)

    def face_words(self, card: Card | None) -> str:
        """Return what is being pressed, in words."""
        return f"{card.substrate}, {card.name}" if card is not None else ""

    @staticmethod
    def in_words(press: PressData) -> str:
        """Return what the press is set to, in words."""
        return f"{units.pressing(press.temperature, press.seconds, press.pressure)}."

    def _large(self) -> None:
        """Show clock and buttons so large that they serve beside the press."""
        self._large_view = PressMode(self, self)
        self._large_view.showFullScreen()

    def _show_table(self) -> None:
        table = self.session.state.table
        run = self.session.run
        self.which.setVisible(len(table) > 1 or (bool(table) and run is None))
        self.which.clear()
        if run is None:
            self.which.addItem(tr("on the table …"), 0)
        for one in table:
            self.which.addItem(f"{one.number}  {one.job.title}", one.number)
        if run is not None:
            self.which.setCurrentIndex(max(0, self.which.findData(run.number)))

    def _show_groups(self, run: Printed | None) -> None:
        found = groups(run) if run is not None and run.sheet is not None else []
        chosen = self.group.currentData()
        self.group.setVisible(len(found) > 1)
        self.group.clear()
        for card, areas in found:
            is_done = run is not None and card.id in run.pieces
            self.group.addItem(
                (
                    tr("{name}: {n} of them, pressed", name=card.name, n=len(areas))
                    if is_done
                    else tr("{name}: {n} of them", name=card.name, n=len(areas))
                ),
                card.id,
            )
        self.group.setCurrentIndex(max(0, self.group.findData(chosen)))

    def _say(self, run: Printed | None, card: Card | None) -> None:
        if run is None or card is None or run.sheet is None:
            self.title.setText(tr("Nothing to press yet"))
            self.state.setText(
                tr("Print something first. The stack and the steps are those of the condition in force.")
            )
        elif card.id not in run.pieces and run.piece is None:
            self.title.setText(tr("Press run {number} on {substrate}", number=run.number, substrate=card.substrate))
            flat = tr(" Take a flat piece of the same material: it is a chart.") if run.job.chart else ""
            self.state.setText(
                tr("{layers} below.{flat}", layers=tr(layers(card.press, card.substrate)[-2]).capitalize(), flat=flat)
            )
        else:
            self.title.setText(tr("Run {number}, pressed {clock}", number=run.number, clock=clock(run.pressed_at)))
            self.state.setText(
                tr(
                    "{substrate}, as it looks under D50 light. Let it cool before you judge it.",
                    substrate=card.substrate.capitalize(),
                )
            )

    def set_theme(self, theme: Theme) -> None:
        """Take another theme."""
        super().set_theme(theme)
        self.face.update()

    def facts(self) -> list[tuple[str, str]]:
        """Return what the condition expects of the press."""
        card = self.card
        if card is None:
            return []
        return [
            (tr("Piece"), card.substrate),
            (tr("Seen from"), tr(card.seen_from)),
            (tr("Press"), units.pressing(card.press.temperature, card.press.seconds, card.press.pressure)),
            (tr("Warm before"), tr("{preheat:.0f} s", preheat=card.press.preheat)),
            (tr("From above"), ", ".join(map(tr, layers(card.press, card.substrate)))),
        ]
