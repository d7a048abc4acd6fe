"""Trial prints: one thing varied in steps, the prints side by side, judged by eye and by scan; no profile needed."""

from __future__ import annotations

from functools import partial
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QCheckBox, QFrame, QGridLayout, QSizePolicy, QStackedWidget, QVBoxLayout, QWidget

from fidele.arrays import Floats
from fidele.chart.family import KINDS, made
from fidele.desk.desk import Desk
from fidele.desk.kit import REST, SPRING, across, choice, down, fill, tick
from fidele.desk.labels import button, clear, heading, label, line, section
from fidele.desk.work import Work
from fidele.proof.soft import show
from fidele.run.beside import PrintMeasured
from fidele.session.model import Session
from fidele.tiles import Progress
from fidele.trials.aim import FAMILIES
from fidele.trials.nearness import Standing
from fidele.trials.record import LETTERS, LIGHTS, TrialPrint, TrialRecord

#: Charts that serve a trial, the first by itself.
_CHARTS = ("quick", "ramps", "control")
#: Pixels for the words below a print, and for its button, so that all prints stand alike.
_WORDS, _BUTTON = 62, 33
#: What a trial of one's own picture is called in the list of charts.
_OWN = ""


class PatchSheet(QWidget):
    """A chart's patches in its layout, as L*a*b* (n, 3) relative to white."""

    def __init__(self, columns: int, Lab: Floats, what: str) -> None:
        super().__init__()
        self.columns = columns
        self._colours = [QColor(int(r), int(g), int(b)) for r, g, b in show(Lab.astype(np.float32)).reshape(-1, 3)]
        self.setAccessibleName(f"Patches of {what}")
        self.setMinimumSize(70, 90)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        rows = -(-len(self._colours) // self.columns)
        wide, high = self.width() / self.columns, self.height() / max(1, rows)
        for place, colour in enumerate(self._colours):
            cell = QRectF((place % self.columns) * wide, (place // self.columns) * high, wide - 1, high - 1)
            painter.fillRect(cell, colour)


class EyeQuestions(QFrame):
    """Asks family by family which print is nearest to the picture on the screen; a letter's key or 0 answers."""

    def __init__(self, desk: TrialDesk) -> None:
        super().__init__()
        self.setObjectName("row")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._desk = desk
        self._at = 0
        self._of = ""
        self.asks = label("", 10.0, bold=True, wrap=True)
        self.said = label("", 8.5, dim=True, wrap=True)
        self.buttons = across(space=6)
        self.back = button("Back", lambda: self.step(-1), "The question before", quiet=True)
        self.next = button("Skip", lambda: self.step(1), "Leave this question", quiet=True)
        self.light = choice(
            "Light they are looked at in",
            [("", "not said"), *((words, words) for words in LIGHTS)],
            tip="In what light you look: it is kept with each answer. Choose, or type your own",
            letters=22,
        )
        self.light.setEditable(True)
        lit = label("In the light of", 9.0)
        lit.setBuddy(self.light)
        last = across(lit, self.light, SPRING, self.back, self.next)
        down(self.asks, self.buttons, self.said, last, margins=(10, 8, 10, 8), on=self)

    @property
    def family(self) -> str:
        """The family that is asked about."""
        return tuple(FAMILIES)[self._at]

    def step(self, by: int) -> None:
        """Go to another question."""
        self._at = (self._at + by) % len(FAMILIES)
        self.refresh()

    def refresh(self) -> None:
        """Ask about the family in hand, and show what was answered."""
        clear(self.buttons)
        trial = self._desk.trials.shown
        if trial is None:
            return
        self.asks.setText(
            f"{self._at + 1} of {len(FAMILIES)}: look at the {FAMILIES[self.family]}. "
            "Which print is nearest to the picture on the screen?"
        )
        answer = trial.answer(self.family)
        if trial.id != self._of:  # another trial: the light that it was last looked at in
            self._of = trial.id
            self.light.setCurrentText(next((s.light for s in reversed(trial.seen) if s.light), self.light.itemText(0)))
        for one in trial.prints:
            tip = f"{one.title} (key {one.letter})"
            press = button(one.letter, partial(self.answer, one.letter), tip)
            press.setCheckable(True)
            press.setChecked(answer is not None and answer.best == one.letter)
            self.buttons.addWidget(press)
        none = button("No difference", partial(self.answer, ""), "They look alike here (key 0)")
        none.setCheckable(True)
        none.setChecked(answer is not None and answer.best == "")
        fill(self.buttons, none, SPRING)
        lit = f" in {answer.light}" if answer is not None and answer.light else ""
        who = f"Answered by {answer.who} on {answer.when:%d.%m.%Y %H:%M}{lit}. " if answer is not None else ""
        self.said.setText(f"{who}{trial.by_eye or 'Keys: a letter, or 0 for no difference.'}")

    def answer(self, best: str) -> None:
        """Keep an answer and ask the next question."""
        trial = self._desk.trials.shown
        if trial is None:
            return
        last = self._at == len(FAMILIES) - 1
        light = self.light.currentText().strip()
        said = "" if light == self.light.itemText(0) else light
        self._desk.guarded(self._desk.trials.answer, trial, self.family, best, said)
        if not last:
            self._at += 1
        self.refresh()
        self._desk.say_result()
        self.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        trial = self._desk.trials.shown
        typed = event.text().upper()
        if trial is not None and typed in [p.letter for p in trial.prints]:
            self.answer(typed)
        elif typed == "0":
            self.answer("")
        else:
            super().keyPressEvent(event)


class TrialDesk(Desk):
    """Makes trials, prints them, lays the prints side by side and says which is nearest, where that can be said."""

    station = "Trial prints"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        self.trials = session.print_trials
        head = self.head()
        self.new = button("New trial", self._new, "Choose what to vary", quiet=True)
        self.scan = button("Open a scan …", lambda: self.pick.emit("scan"), "One scan with all prints, or one each")
        self.start = button("Print them", self._start, "Send every print to the queue, labelled", main=True)
        for one in (self.new, self.scan, self.start):
            head.addWidget(one, alignment=Qt.AlignmentFlag.AlignTop)
        self.box.addLayout(head)
        self.kept = choice("Trials that are kept", chosen=self._kept, letters=30)
        tip = "The same with steps that lie nearer to the best; it is labelled anew"
        self.next = button("Next trial", self._further, tip)
        self.next.hide()
        self.box.addLayout(across((self.kept, 1), self.next))
        self.stack = QStackedWidget()
        self.stack.addWidget(self._making())
        self.stack.addWidget(self._showing())
        self.box.addWidget(self.stack, 1)
        self._standing: Standing | None = None
        self._stood: object = None
        self._shown: object = None
        self._making_new = True

    # Making ------------------------------------------------------------------------------------------------------

    def _making(self) -> QWidget:
        page = QWidget()
        self.varied = choice("What to vary", chosen=lambda _: self._offer())
        charts = [(name, f"{KINDS[name].title}: {KINDS[name].purpose}") for name in _CHARTS]
        self.what = choice("What to print", [*charts, (_OWN, "The picture in hand, judged by eye")])
        form = QGridLayout()
        form.setHorizontalSpacing(12)
        for row, (words, field) in enumerate((("Vary", self.varied), ("Print", self.what))):
            form.addWidget(label(words, 9.5), row, 0)
            form.addWidget(field, row, 1)
        form.setColumnStretch(1, 1)
        self.note = label("", 9.0, dim=True, wrap=True)
        self._values = QGridLayout()
        self._values.setHorizontalSpacing(18)
        self.values: dict[object, QCheckBox] = {}
        self.make = button("Make the trial", self._make, "Two to six prints, each with its letter", main=True)
        down(
            heading("A new trial: change one thing, leave the rest"),
            form,
            section("In these steps"),
            self._values,
            across(self.make, (self.note, 1)),
            REST,
            space=8,
            margins=(0, 6, 0, 0),
            on=page,
        )
        return page

    def _offer(self) -> None:
        """Offer the values of what is to be varied, those most worth trying ticked."""
        clear(self._values)
        self.values = {}
        varied = self.varied.currentData()
        if not varied:
            return
        proposed = self.trials.proposed(varied)
        for number, (value, words) in enumerate(self.trials.values(varied)):
            box = tick(words, changed=lambda _: self._count(), on=value in proposed)
            self.values[value] = box
            self._values.addWidget(box, number // 3, number % 3)
        self._count()

    def _count(self) -> None:
        chosen = sum(box.isChecked() for box in self.values.values())
        enough = 2 <= chosen <= len(LETTERS)
        self.make.setEnabled(enough)
        self.note.setText(
            f"{chosen} prints, A to {LETTERS[chosen - 1]}; those ticked at first are the likeliest by their name."
            if enough
            else f"Tick two to {len(LETTERS)}."
        )

    def _new(self) -> None:
        self._making_new = True
        self.refresh()

    def _make(self) -> None:
        chosen = [value for value, box in self.values.items() if box.isChecked()]

        def make() -> None:
            self.trials.make(self.varied.currentData(), chosen, self.what.currentData())  # type: ignore[arg-type]
            self._making_new = False

        self.guarded(make)
        self.refresh()

    def _kept(self, _index: int) -> None:
        self.trials.show(self.kept.currentData())
        self._making_new = False
        self.refresh()

    # Showing -----------------------------------------------------------------------------------------------------

    def _showing(self) -> QWidget:
        page = QWidget()
        self.result = label("", 10.0, wrap=True)
        self.result.setAccessibleName("What came of the trial")
        self._prints = across(space=12)
        self.eye = EyeQuestions(self)
        self._table = QGridLayout()
        self._table.setHorizontalSpacing(16)
        self._table.setVerticalSpacing(1)
        under = across((down(section("By eye"), self.eye, REST), 5), (down(section("By scan"), self._table, REST), 4))
        under.setSpacing(18)
        down(self.result, (self._prints, 1), under, space=8, margins=(0, 2, 0, 0), on=page)
        return page

    def refresh(self) -> None:
        """Show the trial in hand, or how to make one."""
        possible = self.trials.varied()
        kept = self.trials.store.all()
        self.kept.clear()
        for one in kept:
            self.kept.addItem(f"{one.made:%d.%m.%Y %H:%M}  {one.title}", one.id)
        self.kept.setVisible(bool(kept))
        trial = self.trials.shown if not self._making_new else None
        if trial is None:
            self.next.hide()
            self._begin(possible)
            return
        self.kept.setCurrentIndex(self.kept.findData(trial.id))
        self.stack.setCurrentIndex(1)
        self.title.setText(f"Trial: {trial.title.partition(':')[0]}")
        printed = [p for p in trial.prints if p.run]
        alone = self.trials.by_itself(trial)
        self.start.setText("Print, press and scan" if alone else "Print them")
        self.start.setEnabled(not self.work.busy and (alone or len(printed) < len(trial.prints)))
        self.scan.setEnabled(bool(printed) and bool(trial.chart))
        what = KINDS[trial.chart].title if trial.chart else Path(trial.picture).name
        read = trial.result is not None
        self.state.setText(
            f"{what}, {len(printed)} prints."
            if read
            else f"{what}, {len(printed)} of {len(trial.prints)} printed. Press them all alike, mark each with its "
            "letter, let them cool, and look at them side by side in even light."
        )
        of = (trial, self.session.profile and self.session.profile.content_id)
        if of != self._stood:  # measurements are read from disk, and compared: not at every look
            self._stood, self._standing = of, self._stands(trial)
        self.say_result()
        key = (trial, self.theme, self._standing is not None)
        if key != self._shown:
            self._shown = key
            self._show_prints(trial)
            self._show_table()
        self.eye.refresh()

    def _begin(self, possible: list[tuple[str, str]]) -> None:
        self.stack.setCurrentIndex(0)
        self.title.setText("Which setting prints it best? Print it in steps, and see")
        self.start.setEnabled(False)
        self.scan.setEnabled(False)
        there = [self.varied.itemData(k) for k in range(self.varied.count())]
        if there != [name for name, _ in possible]:
            self.varied.clear()
            for name, words in possible:
                self.varied.addItem(words, name)
            self._offer()
        self.make.setEnabled(bool(possible) and self.make.isEnabled())
        self.state.setText(
            "One thing is changed from print to print: the media name in the driver, its quality, who converts. No "
            "profile is needed: the prints are compared with each other and with the picture on the screen."
            if possible
            else "A trial needs a printing condition whose printer offers something to vary: make a condition first."
        )

    def _stands(self, trial: TrialRecord) -> Standing | None:
        from fidele.errors import FideleError

        try:
            return self.trials.standing(trial)
        except FideleError as error:
            self.session.warn(str(error))
            return None

    def say_result(self) -> None:
        """Say what came of the trial in hand so far, by scan and by eye."""
        trial = self.trials.shown
        if trial is None:
            return
        measured = trial.measured[-1] if trial.measured else None
        said = [f"By scan: {measured.sentence} Read through {measured.through}."] if measured is not None else []
        said += [trial.by_eye] if trial.by_eye else []
        if (taken := trial.letter(trial.taken)) is not None:
            said.append(f"Taken: {taken.letter}, {taken.title}.")
        further = self.trials.following(trial)
        self.next.setVisible(further is not None and bool(further[0]))
        if further is not None:
            said.append(further[1])
            words = dict(self.trials.values(trial.varied))
            self.next.setText(f"Next trial: {', '.join(words.get(v, str(v)) for v in further[0])}")
        self.result.setText(" ".join(said) or "Nothing was read or judged yet.")

    def _show_prints(self, trial: TrialRecord) -> None:
        clear(self._prints)
        found = self._standing
        columns = made(trial.chart).layout.columns if trial.chart else 1
        if found is not None:
            what = "Picture" if found.against == "the picture" else "Proof"
            words = "as on the screen" if found.against == "the picture" else "as the profile promises"
            aim, box = self._column(what, words, False)
            box.addWidget(PatchSheet(columns, _in_layout(trial.chart, found.aim), what), 1)
            said = label("All prints are held against this, each beside its own white.", 8.5, dim=True, wrap=True)
            said.setMinimumHeight(_WORDS)
            fill(box, said, _BUTTON)
            self._prints.addWidget(aim, 1)
        for one in trial.prints:
            self._prints.addWidget(self._print(trial, one, columns), 1)

    @staticmethod
    def _column(title: str, words: str, best: bool) -> tuple[QFrame, QVBoxLayout]:
        """Return a frame for one print, with its title, and what it holds so far."""
        made = QFrame()
        made.setObjectName("card" if best else "row")
        made.setProperty("strong", best)
        made.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Expanding)
        box = down(line(title, 10.5, bold=True), line(words, 8.5, dim=True), margins=(10, 8, 10, 10), on=made)
        return made, box

    def _print(self, trial: TrialRecord, one: TrialPrint, columns: int) -> QWidget:
        found, best = self._standing, self._standing is not None and self._standing.best == one.letter
        run = f"run {one.run}" if one.run else "not printed yet"
        card, box = self._column(f"{one.letter}   {one.title}", run, best)
        if found is not None and one.letter in found.seen:
            what = f"print {one.letter}: {one.title}"
            box.addWidget(PatchSheet(columns, _in_layout(trial.chart, found.seen[one.letter]), what), 1)
            off = found.families[0].off[one.letter]
            words = f"{'Nearest. ' if best else ''}Off by ΔE00 {off:.1f} on average"
            notes = "; ".join(found.notes.get(one.letter, ()))
            said = label(f"{words}{f'; {notes}' if notes else ''}.", 8.5, wrap=True)
            said.setMinimumHeight(_WORDS)
            said.setAlignment(Qt.AlignmentFlag.AlignTop)
            box.addWidget(said)
        else:
            box.addStretch(1)
        take = button("Take this one", partial(self._take, one.letter), "It becomes the condition's setting")
        take.setEnabled(trial.taken != one.letter)
        fill(box, across(take, SPRING))
        return card

    def _show_table(self) -> None:
        clear(self._table)
        found = self._standing
        if found is None:
            self._table.addWidget(label("Scan the prints, all on one scan or one by one.", 9.0, dim=True, wrap=True))
            return
        letters = list(found.seen)
        for column, words in enumerate(("ΔE00 off by", *letters, "nearest"), 0):
            self._table.addWidget(label(words, 8.5, dim=True), 0, column)
        for row, family in enumerate(found.families, 1):
            self._table.addWidget(label(FAMILIES.get(family.name, "all"), 9.0, bold=row == 1), row, 0)
            for column, letter in enumerate(letters, 1):
                best = family.best == letter
                self._table.addWidget(label(f"{family.off[letter]:.1f}", 9.0, bold=best), row, column)
            self._table.addWidget(
                label(family.words, 9.0, dim=len(family.leaders) == len(family.off)), row, len(letters) + 1
            )

    # Doing -------------------------------------------------------------------------------------------------------

    def _take(self, letter: str) -> None:
        if self.trials.shown is not None:
            self.guarded(self.trials.choose, self.trials.shown, letter)
        self.refresh()

    def _further(self) -> None:
        """Make the trial that follows from the answers to the one in hand."""
        trial = self.trials.shown
        further = self.trials.following(trial) if trial is not None else None
        if trial is not None and further is not None:
            self.guarded(self.trials.make, trial.varied, further[0], trial.chart)
        self.refresh()

    def _start(self) -> None:
        trial = self.trials.shown
        if trial is None:
            return

        def begin() -> None:
            if self.trials.by_itself(trial):
                work = self.trials.doing(trial)
                self.work.run("Trial prints: print, press, scan", work, self._read)
            else:
                self.trials.order(trial)
                self.go.emit("Print")

        self.guarded(begin)
        self.refresh()

    def read_scan(self, path: Path) -> None:
        """Read the prints of the trial in hand from a scan."""
        reader, known = self.session.checking.reader(), self.session.charts.known

        def work(_told: Progress) -> list[PrintMeasured]:
            from fidele.artwork.open import open_artwork

            return reader.prints(open_artwork(path).pixels, known())

        self.work.run(f"Reading {path.name}", work, self._read, lane="opening")

    def _read(self, read: list[PrintMeasured]) -> None:
        if self.trials.shown is not None:
            self.guarded(self.trials.take, self.trials.shown, read)
        self.refresh()

    def facts(self) -> list[tuple[str, str]]:
        """Return what the trial is of."""
        trial = self.trials.shown
        if trial is None or self._making_new:
            return []
        card = trial.prints[0].card
        return [("Printer", card.printer_name), ("Media", card.media), ("On", card.substrate)]


def _in_layout(chart: str, Lab: Floats) -> NDArray[np.float64]:
    """Return measured patches (n, 3) for drawing: those of a first page, in its order."""
    layout = made(chart).layout
    return Lab[: layout.columns * layout.rows]
