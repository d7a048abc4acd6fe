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
from fidele.language import tr
from fidele.proof.soft import show
from fidele.run.beside import PrintMeasured
from fidele.session.model import Session
from fidele.tiles import Progress
from fidele.trials.aim import FAMILIES
from fidele.trials.nearness import Standing
from fidele.trials.record import LETTERS, LIGHTS, TrialPrint, TrialRecord

#: Charts that serve a trial, the first by itself.
_CHARTS = ("quick", "families", "ramps", "control")
#: Pixels for the words below a print, and for its button, so that all prints stand alike.
_WORDS, _BUTTON = 62, 33
#: What a trial of one's own picture is called in the list of charts, and one of families and the picture.
_OWN, _BOTH = "", "families and own"


class PatchSheet(QWidget):
    """A chart's patches in its layout, as L*a*b* (n, 3) relative to white."""

    def __init__(self, columns: int, Lab: Floats, what: str) -> None:
        super().__init__()
        self.columns = columns
        self._colours = [QColor(int(r), int(g), int(b)) for r, g, b in show(Lab.astype(np.float32)).reshape(-1, 3)]
        self.setAccessibleName(tr("Patches of {what}", what=what))
        self.setMinimumSize(70, 90)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
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
        self.back = button(tr("Back"), lambda: self.step(-1), tr("The question before"), quiet=True)
        self.next = button(tr("Skip"), lambda: self.step(1), tr("Leave this question"), quiet=True)
        self.light = choice(
            tr("Light they are looked at in"),
            [("", tr("not said")), *((words, words) for words in LIGHTS)],
            tip=tr("In what light you look: it is kept with each answer. Choose, or type your own"),
            letters=22,
        )
        self.light.setEditable(True)
        lit = label(tr("In the light of"), 9.0)
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
            tr(
                "{at} of {n}: look at the {families}. Which print is nearest to the picture on the screen?",
                at=self._at + 1,
                n=len(FAMILIES),
                families=FAMILIES[self.family],
            )
        )
        answer = trial.answer(self.family)
        if trial.id != self._of:  # another trial: the light that it was last looked at in
            self._of = trial.id
            self.light.setCurrentText(next((s.light for s in reversed(trial.seen) if s.light), self.light.itemText(0)))
        for one in trial.prints:
            tip = tr("{title} (key {letter})", title=one.title, letter=one.letter)
            press = button(one.letter, partial(self.answer, one.letter), tip)
            press.setCheckable(True)
            press.setChecked(answer is not None and answer.best == one.letter)
            self.buttons.addWidget(press)
        none = button(tr("No difference"), partial(self.answer, ""), tr("They look alike here (key 0)"))
        none.setCheckable(True)
        none.setChecked(answer is not None and answer.best == "")
        fill(self.buttons, none, SPRING)
        lit = tr(" in {light}", light=answer.light) if answer is not None and answer.light else ""
        who = (
            tr("Answered by {who} on {when:%d.%m.%Y %H:%M}{lit}. ", who=answer.who, when=answer.when, lit=lit)
            if answer is not None
            else ""
        )
        self.said.setText(f"{who}{trial.by_eye or tr('Keys: a letter, or 0 for no difference.')}")

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
        self.new = button(tr("New trial"), self._new, tr("Choose what to vary"), quiet=True)
        self.scan = button(
            tr("Open a scan …"), lambda: self.pick.emit("scan"), tr("One scan with all prints, or one each")
        )
        self.start = button(tr("Print them"), self._start, tr("Send every print to the queue, labelled"), main=True)
        for one in (self.new, self.scan, self.start):
            head.addWidget(one, alignment=Qt.AlignmentFlag.AlignTop)
        self.box.addLayout(head)
        self.kept = choice(tr("Trials that are kept"), chosen=self._kept, letters=30)
        tip = tr("The same with steps that lie nearer to the best; it is labelled anew")
        self.next = button(tr("Next trial"), self._further, tip)
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
        self.varied = choice(tr("What to vary"), chosen=lambda _: self._offer())
        charts = [(name, f"{KINDS[name].title}: {KINDS[name].purpose}") for name in _CHARTS]
        own = [
            (_OWN, tr("The picture in hand, judged by eye")),
            (_BOTH, tr("Families and the picture in hand: both on each sheet, at half size")),
        ]
        self.what = choice(tr("What to print"), [*charts, *own])
        form = QGridLayout()
        form.setHorizontalSpacing(12)
        for row, (words, field) in enumerate(((tr("Vary"), self.varied), (tr("Print"), self.what))):
            form.addWidget(label(words, 9.5), row, 0)
            form.addWidget(field, row, 1)
        form.setColumnStretch(1, 1)
        self.note = label("", 9.0, dim=True, wrap=True)
        self._values = QGridLayout()
        self._values.setHorizontalSpacing(18)
        self.values: dict[object, QCheckBox] = {}
        self.make = button(tr("Make the trial"), self._make, tr("Two to six prints, each with its letter"), main=True)
        down(
            heading(tr("A new trial: change one thing, leave the rest")),
            form,
            section(tr("In these steps")),
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
            tr(
                "{chosen} prints, A to {letters}; those ticked at first are the likeliest by their name.",
                chosen=chosen,
                letters=LETTERS[chosen - 1],
            )
            if enough
            else tr("Tick two to {n}.", n=len(LETTERS))
        )

    def _new(self) -> None:
        self._making_new = True
        self.refresh()

    def _make(self) -> None:
        chosen = [value for value, box in self.values.items() if box.isChecked()]

        def make() -> None:
            what = self.what.currentData()
            chart, own = ("families", True) if what == _BOTH else (what, False)
            self.trials.make(self.varied.currentData(), chosen, chart, own)  # type: ignore[arg-type]
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
        self.result.setAccessibleName(tr("What came of the trial"))
        self._prints = across(space=12)
        self.eye = EyeQuestions(self)
        self._table = QGridLayout()
        self._table.setHorizontalSpacing(16)
        self._table.setVerticalSpacing(1)
        under = across(
            (down(section(tr("By eye")), self.eye, REST), 5), (down(section(tr("By scan")), self._table, REST), 4)
        )
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
        self.title.setText(tr("Trial: {partition}", partition=trial.title.partition(":")[0]))
        printed = [p for p in trial.prints if p.run]
        alone = self.trials.by_itself(trial)
        self.start.setText(tr("Print, press and scan") if alone else tr("Print them"))
        self.start.setEnabled(not self.work.busy and (alone or len(printed) < len(trial.prints)))
        self.scan.setEnabled(bool(printed) and bool(trial.chart))
        shown = [KINDS[trial.chart].title] if trial.chart else []
        what = tr(" and ").join(shown + ([Path(trial.picture).name] if trial.picture else []))
        read = trial.result is not None
        self.state.setText(
            tr("{what}, {n} prints.", what=what, n=len(printed))
            if read
            else tr(
                "{what}, {n} of {n2} printed. Press each as stands on it, mark it with its letter, let them cool, "
                "and look at them side by side in even light.",
                what=what,
                n=len(printed),
                n2=len(trial.prints),
            )
            if trial.varied.startswith("press:")
            else tr(
                "{what}, {n} of {n2} printed. Press them all alike, mark each with its letter, let them cool, "
                "and look at them side by side in even light.",
                what=what,
                n=len(printed),
                n2=len(trial.prints),
            )
        )
        of = (trial, self.session.profile and self.session.profile.content_id)
        if of != self._stood:  # measurements are read from disk, and compared: not at every look
            self._stood = of
            self._compare(trial)
        self.say_result()
        key = (trial, self.theme, self._standing is not None)
        if key != self._shown:
            self._shown = key
            self._show_prints(trial)
            self._show_table()
        self.eye.refresh()

    def _begin(self, possible: list[tuple[str, str]]) -> None:
        self.stack.setCurrentIndex(0)
        self.title.setText(tr("Which setting prints it best? Print it in steps, and see"))
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
            tr(
                "One thing is changed from print to print: the media name in the driver, its quality, who "
                "converts. No profile is needed: the prints are compared with each other and with the picture "
                "on the screen."
            )
            if possible
            else tr(
                "A trial needs a printing condition whose printer offers something to vary: make a condition first."
            )
        )

    def _compare(self, trial: TrialRecord) -> None:
        """Read what was measured of a trial and compare it, beside the window."""
        of = self._stood

        def take(found: Standing | None) -> None:
            if self._stood == of and found is not self._standing:
                self._standing = found
                self.refresh()

        self._standing = None
        self.work.quietly("how a trial stands", lambda _: self.trials.standing(trial), take)

    def say_result(self) -> None:
        """Say what came of the trial in hand so far, by scan and by eye."""
        trial = self.trials.shown
        if trial is None:
            return
        measured = trial.measured[-1] if trial.measured else None
        said = (
            [tr("By scan: {sentence} Read through {through}.", sentence=measured.sentence, through=measured.through)]
            if measured is not None
            else []
        )
        said += [trial.by_eye] if trial.by_eye else []
        if (taken := trial.letter(trial.taken)) is not None:
            said.append(tr("Taken: {letter}, {title}.", letter=taken.letter, title=taken.title))
        further = self.trials.following(trial)
        self.next.setVisible(further is not None and bool(further[0]))
        if further is not None:
            said.append(further[1])
            words = dict(self.trials.values(trial.varied))
            self.next.setText(tr("Next trial: {words}", words=", ".join(words.get(v, str(v)) for v in further[0])))
        self.result.setText(" ".join(said) or tr("Nothing was read or judged yet."))

    def _show_prints(self, trial: TrialRecord) -> None:
        clear(self._prints)
        found = self._standing
        columns = made(trial.chart).layout.columns if trial.chart else 1
        if found is not None:
            what = tr("Picture") if found.against == "the picture" else tr("Proof")
            words = tr("as on the screen") if found.against == "the picture" else tr("as the profile promises")
            aim, box = self._column(what, words, False)
            box.addWidget(PatchSheet(columns, _in_layout(trial.chart, found.aim), what), 1)
            said = label(tr("All prints are held against this, each beside its own white."), 8.5, dim=True, wrap=True)
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
        run = tr("run {run}", run=one.run) if one.run else tr("not printed yet")
        card, box = self._column(f"{one.letter}   {one.title}", run, best)
        if found is not None and one.letter in found.seen:
            what = tr("print {letter}: {title}", letter=one.letter, title=one.title)
            box.addWidget(PatchSheet(columns, _in_layout(trial.chart, found.seen[one.letter]), what), 1)
            off = found.families[0].off[one.letter]
            words = (
                tr("Nearest. Off by ΔE00 {off:.1f} on average", off=off)
                if best
                else tr("Off by ΔE00 {off:.1f} on average", off=off)
            )
            notes = "; ".join(found.notes.get(one.letter, ()))
            said = label(f"{words}{f'; {notes}' if notes else ''}.", 8.5, wrap=True)
            said.setMinimumHeight(_WORDS)
            said.setAlignment(Qt.AlignmentFlag.AlignTop)
            box.addWidget(said)
        else:
            box.addStretch(1)
        take = button(tr("Take this one"), partial(self._take, one.letter), tr("It becomes the condition's setting"))
        take.setEnabled(trial.taken != one.letter)
        fill(box, across(take, SPRING))
        return card

    def _show_table(self) -> None:
        clear(self._table)
        found = self._standing
        if found is None:
            self._table.addWidget(
                label(tr("Scan the prints, all on one scan or one by one."), 9.0, dim=True, wrap=True)
            )
            return
        letters = list(found.seen)
        for column, words in enumerate((tr("ΔE00 off by"), *letters, tr("nearest")), 0):
            self._table.addWidget(label(words, 8.5, dim=True), 0, column)
        for row, family in enumerate(found.families, 1):
            self._table.addWidget(label(FAMILIES.get(family.name, "all"), 9.0, bold=row == 1), row, 0)
            for column, letter in enumerate(letters, 1):
                best = family.best == letter
                self._table.addWidget(label(tr("{off:.1f}", off=family.off[letter]), 9.0, bold=best), row, column)
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
            self.guarded(self.trials.make, trial.varied, further[0], trial.chart, bool(trial.picture))
        self.refresh()

    def _start(self) -> None:
        trial = self.trials.shown
        if trial is None:
            return

        def begin() -> None:
            if self.trials.by_itself(trial):
                work = self.trials.doing(trial)
                self.work.run(tr("Trial prints: print, press, scan"), work, self._read)
            else:
                self.work.run(tr("Trial prints: into the queue"), self.trials.ordering(trial), self._ordered)

        self.guarded(begin)
        self.refresh()

    def _ordered(self, trial: TrialRecord) -> None:
        self.trials.ordered(trial)
        self.go.emit("Print")

    def read_scan(self, path: Path) -> None:
        """Read the prints of the trial in hand from a scan."""
        reader, known = self.session.checking.reader(), self.session.charts.known

        def work(_told: Progress) -> list[PrintMeasured]:
            from fidele.artwork.open import open_artwork

            return reader.prints(open_artwork(path).pixels, known())

        self.work.run(tr("Reading {name}", name=path.name), work, self._read, lane="opening")

    def _read(self, read: list[PrintMeasured]) -> None:
        trials, trial = self.trials, self.trials.shown

        def judge() -> None:
            if trial is not None:
                count = trials.keep_read(trial, read)
                self.work.quietly(
                    "how prints stand",
                    lambda _: trials.standing(trial, trials.repeat),
                    lambda found: self.guarded(trials.stands, trial, found, count),
                )

        self.guarded(judge)
        self.refresh()

    def facts(self) -> list[tuple[str, str]]:
        """Return what the trial is of."""
        trial = self.trials.shown
        if trial is None or self._making_new:
            return []
        card = trial.prints[0].card
        return [(tr("Printer"), card.printer_name), (tr("Media"), card.media), (tr("On"), card.substrate)]


def _in_layout(chart: str, Lab: Floats) -> NDArray[np.float64]:
    """Return measured patches (n, 3) for drawing: those of a first page, in its order."""
    layout = made(chart).layout
    return Lab[: layout.columns * layout.rows]
