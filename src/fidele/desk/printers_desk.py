"""Printers: which there are, how they stand, what is known of their drivers' words, and those described by hand."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QStackedWidget, QWidget

from fidele.desk.describe_page import DescribePage
from fidele.desk.desk import Desk
from fidele.desk.findings import fact_grid
from fidele.desk.kit import SPRING, across, choice, down, fill, tick
from fidele.desk.labels import button, clear, label, section
from fidele.desk.tile import Tile, scrolled
from fidele.desk.work import Work
from fidele.devices.protocol import Printer
from fidele.language import quoted, tr
from fidele.route.layers import MEANINGS
from fidele.session import learning
from fidele.session.model import Session
from fidele.session.person import person
from fidele.tiles import Progress

_KINDS = {
    "queue": tr("queue of the print service, with its maker's driver"),
    "driverless": tr("queue of the print service, without a driver"),
    "described": tr("described by hand, printed on from its own program"),
    "bench": tr("stand-in of the bench"),
}
_HOW = {
    "guess": tr("a guess"),
    "standard": tr("by the standard"),
    "hand": tr("confirmed by hand"),
    "ink": tr("proved by ink"),
}


class PrintersDesk(Desk):
    """Lists the printers, and shows one of them."""

    station = "Printers"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        head = self.head()
        self.describe = button(
            tr("Describe a printer …"),
            self._describe,
            tr("One that cannot be reached from here: another system's, a mug printer"),
        )
        head.addWidget(self.describe, alignment=Qt.AlignmentFlag.AlignTop)
        stuff = button(
            tr("Materials …"), lambda: self.go.emit("Materials"), tr("Inks, papers, pieces and processes of your own")
        )
        head.addWidget(stuff, alignment=Qt.AlignmentFlag.AlignTop)
        self.box.addLayout(head)
        self._chosen = ""
        inside = QWidget()
        self._list = down(space=7, margins=(0, 0, 8, 0), on=inside)
        shown = QWidget()
        self._shown = down(space=8, margins=(12, 0, 8, 0), on=shown)
        self.form = DescribePage()
        self.form.done.connect(self._described)
        self.form.left.connect(lambda: self.stack.setCurrentIndex(0))
        self.stack: QStackedWidget = QStackedWidget()
        page = QWidget()
        across((scrolled(inside), 2), (scrolled(shown), 3), margins=(0, 0, 0, 0), on=page)
        self.stack.addWidget(page)
        self.stack.addWidget(scrolled(self.form))
        self.box.addWidget(self.stack, 1)

    # What is shown -----------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the printers as they are now."""
        devices = self.session.devices
        printers, missing = devices.printers, devices.missing()
        self.title.setText(tr("Printers"))
        count = tr("{n} printers", n=len(printers)) if len(printers) != 1 else tr("One printer")
        self.state.setText(
            f"{count}. {missing}".strip() if printers else missing or tr("No printer is set up on this machine yet.")
        )
        clear(self._list)
        card = self.session.card
        if not any(p.id == self._chosen for p in printers):
            mine = card.printer if card is not None else ""
            self._chosen = mine if any(p.id == mine for p in printers) else printers[0].id if printers else ""
        for device in printers:
            kind = kind_of(device)
            state = str(getattr(device, "state_words", "")) or ("" if kind == "described" else tr("ready"))
            tile = Tile(
                device.name, [f"{_KINDS[kind]}", state], tr("in use") if card and card.printer == device.id else ""
            )
            show = button(
                tr("Show"),
                partial(self.show_printer, device.id),
                tr("Show what is known of the {name}", name=device.name),
            )
            show.setEnabled(device.id != self._chosen)
            tile.right.addWidget(show)
            self._list.addWidget(tile)
        if not printers:
            self._list.addWidget(label(_NONE, 9.0, dim=True, wrap=True))
        self._list.addStretch()
        self._show_one(next((p for p in printers if p.id == self._chosen), None))

    def show_printer(self, printer_id: str) -> None:
        """Show one printer."""
        self._chosen = printer_id
        self.refresh()

    def _show_one(self, device: Printer | None) -> None:
        clear(self._shown)
        if device is None:
            self._shown.addStretch()
            return
        fill(self._shown, section(device.name), fact_grid(self._facts(device)))
        row = across(
            button(
                tr("Start a condition"),
                partial(self._start, device),
                tr("Paper, piece and profile on one card"),
                main=True,
            )
        )
        if kind_of(device) == "described":
            fill(row, button(tr("Change …"), partial(self._describe, device), tr("Change what was described")))
            fill(row, button(tr("Take away"), partial(self._remove, device), tr("Its conditions and runs stay")))
        self._shown.addLayout(across(row, SPRING))
        if learning.learnable(device):
            self._show_words(device)
        self._shown.addStretch()

    def _facts(self, device: Printer) -> list[tuple[str, str]]:
        ppd: Any = getattr(device, "ppd", None)
        sizes = device.sizes()
        more = tr(" and {n} more", n=len(sizes) - 4) if len(sizes) > 4 else ""
        rows = [(tr("Kind"), _KINDS[kind_of(device)])]
        if ppd is not None and ppd.name:
            rows.append((tr("Driver"), ppd.name))
        rows.append((tr("Pages"), tr("{ppi} to the inch, {bits} bit", ppi=device.format.ppi, bits=device.format.bits)))
        rows.append((tr("Sheets"), ", ".join(sizes[:4]) + more))
        ways = getattr(device, "every_choice", lambda _: ())(tr("Sent as"))
        if ways:
            rows.append((tr("Sent as"), tr(" or ").join(ways)))
        says: Any = getattr(device, "says", None)
        if says is not None:
            rows.append((tr("Printed from"), says.program))
        return rows

    def _show_words(self, device: Any) -> None:
        learned = device.learned
        fill(self._shown, 6, section(tr("What its driver's options mean")))
        rows = [
            (MEANINGS.get(meaning, meaning), f"{', '.join(said.options)} ({_HOW[said.how]})")
            for meaning, said in learned.meanings.items()
        ]
        if learned.passes:
            rows.append(
                (tr("Leaves numbers alone"), f"{quoted(learned.passes)} ({_HOW[learned.meanings['colour'].how]})")
            )
        self._shown.addLayout(fact_grid(rows))
        fill(
            self._shown,
            6,
            section(tr("Which choice leaves the numbers alone?")),
            label(_LEARN, 8.5, dim=True, wrap=True),
        )
        options = learning.options_of(device)
        colour = learned.meanings.get("colour")
        self.option = choice(tr("Option"), [(n, n) for n in options], chosen=lambda _: self._fill_choices(device))
        self.passes, self.corrects = choice(tr("Leaves the numbers alone")), choice(tr("Converts"))
        if colour is not None:
            self.option.setCurrentIndex(max(0, self.option.findData(colour.options[0])))
        self._fill_choices(device)
        fill(self._shown, across(label(tr("Option"), 9.0), self.option, SPRING))
        fill(
            self._shown,
            across(label(tr("One choice"), 9.0), self.passes, label(tr("another"), 9.0), self.corrects, SPRING),
        )
        know = partial(self._know, device)
        self.know = button(
            tr("I know: the first one does"), know, tr("You looked it up in the driver's own help or maker's words")
        )
        self.print_two = button(
            tr("Print two charts"), partial(self._print_two, device), tr("One page under each choice")
        )
        self.read_two = button(
            tr("Read the two prints …"), partial(self._read_two, device), tr("Scans or measurements of both")
        )
        self.pressed = tick(
            tr("The prints were pressed"), tip=tr("Pressing mirrors: it says which choice does so as well")
        )
        fill(self._shown, across(self.print_two, self.read_two, SPRING), self.pressed, across(self.know, SPRING))
        out = button(
            tr("Write for a colleague …"),
            partial(self._export, device),
            tr("What is known, as a small file"),
            quiet=True,
        )
        taken = button(
            tr("Take in a colleague's …"), self._take_in, tr("What somebody else learned of a driver"), quiet=True
        )
        fill(self._shown, across(out, taken, SPRING))

    def _fill_choices(self, device: Any) -> None:
        learned, options = device.learned, learning.options_of(device)
        offered = options.get(str(self.option.currentData()), ())
        for box, wanted in ((self.passes, learned.passes), (self.corrects, learned.corrects)):
            box.clear()
            for value in offered:
                box.addItem(value, value)
            box.setCurrentIndex(max(0, box.findData(wanted)))
        if self.passes.currentIndex() == self.corrects.currentIndex() and len(offered) > 1:
            self.corrects.setCurrentIndex((self.passes.currentIndex() + 1) % len(offered))

    # Doing -------------------------------------------------------------------------------------------------------

    def _asked(self) -> tuple[str, str, str]:
        return str(self.option.currentData()), str(self.passes.currentData()), str(self.corrects.currentData())

    def _start(self, device: Printer) -> None:
        if self.guarded(self.session.conditions.start, device):
            self.go.emit("Hand-off")

    def _know(self, device: Printer) -> None:
        def know() -> None:
            control, passes, corrects = self._asked()
            learning.say(self.session.devices, device, control, passes, corrects, person())
            self.session.say(
                tr(
                    "Kept: “{control}: {passes}” leaves the numbers alone on every printer with this driver.",
                    control=control,
                    passes=passes,
                )
            )
            self._changed()

        self.guarded(know)

    def _print_two(self, device: Printer) -> None:
        control, *choices = self._asked()
        queue = self.session.queue

        def work(progress: Progress) -> list[int]:
            runs = []
            for number, one in enumerate(choices):
                progress(number / 2)
                runs.append(learning.order_chart(queue, device, control, one))
            return runs

        def done(runs: list[int]) -> None:
            self.session.say(
                tr(
                    "Runs {runs} and {runs2} are printed. Let both dry, press both alike, scan or measure them in "
                    "this order, and read them here.",
                    runs=runs[0],
                    runs2=runs[1],
                )
            )
            self.go.emit("")

        self.work.run(tr("Printing “{first}” and “{second}”", first=choices[0], second=choices[1]), work, done)

    def _read_two(self, device: Printer) -> None:
        control, *choices = self._asked()
        kinds = tr("Scans and measurements (*.tif *.tiff *.png *.jpg *.txt *.cgats *.csv *.cxf);;All files (*)")
        files = []
        for one in choices:
            name, _ = QFileDialog.getOpenFileName(self, tr("The print under “{one}”", one=one), "", kinds)
            if not name:
                return
            files.append(Path(name))
        self.read(device, control, (choices[0], choices[1]), (files[0], files[1]))

    def read(self, device: Printer, control: str, choices: tuple[str, str], files: tuple[Path, Path]) -> None:
        """Read two prints beside the interface, and say what they tell."""

        pressed = self.pressed.isChecked()

        def work(progress: Progress) -> object:
            progress(0.1)
            return learning.read_pair(self.session.devices, device, control, choices, files, pressed)

        def done(told: Any) -> None:
            self.session.say(told.said(*choices))
            self._changed()

        self.work.run(tr("Reading the two prints"), work, done)

    def _export(self, device: Any) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self, tr("Where to"), f"{device.learned.driver}.json", tr("JSON (*.json)")
        )
        if name:
            self.guarded(learning.write_words, device, Path(name))

    def _take_in(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, tr("What a colleague learned"), "", tr("JSON (*.json)"))
        words = self.session.devices.learned
        if name and words is not None:
            self.guarded(words.take_in, Path(name))
            self._changed()

    def _changed(self) -> None:
        self.session.refresh()
        self.refresh()

    def _describe(self, device: Any = None) -> None:
        self.form.begin(device.says if device is not None else None)
        self.stack.setCurrentIndex(1)

    def _described(self, description: Any) -> None:
        store = self.session.devices.described
        if store is None:
            return
        if not self.guarded(store.keep, description):
            return
        self._chosen = f"described/{description.id}"
        self.stack.setCurrentIndex(0)
        self.session.say(tr("The {name} is described; start a condition for it.", name=description.name))
        self._changed()
        self.go.emit("")

    def _remove(self, device: Any) -> None:
        store = self.session.devices.described
        if store is not None:
            says = device.says

            def back() -> None:
                store.keep(says)
                self._changed()

            def away() -> None:
                store.remove(says.id)
                self._changed()

            self.session.history.do(tr("Take the description of the {name} away", name=says.name), away, back)


_NONE = tr(
    "Set a printer up in this machine's print settings, and it appears here by itself. One that "
    "hangs on another machine, or prints from a program of its own, can be described: Fidele then "
    "prepares finished files for it, with a sheet that says what to set where, and checks its "
    "prints like any other's."
)
_LEARN = tr(
    "Every driver has its own words. Print a chart under two choices of an option and read both "
    "prints, with any scanner: no profile is needed to tell which of them converts, mirrors, "
    "scales, or only lays down more ink."
)


def kind_of(device: Printer) -> str:
    """Return what kind of printer it is."""
    return str(getattr(device, "kind_words", "bench"))
