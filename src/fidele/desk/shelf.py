"""The shelf: printing conditions, profiles, logbook."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtGui import QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QFrame, QListWidget, QListWidgetItem, QSizePolicy, QVBoxLayout, QWidget

from fidele.check.statistics import SAID
from fidele.desk.flow import Flow
from fidele.desk.kit import REST, SPRING, across, down, entry, fill
from fidele.desk.labels import button, clear, folding, label, line, section
from fidele.desk.profile_list import ProfileList, lines_of
from fidele.desk.spots import Ringed, ring
from fidele.desk.theme import Theme, font, px
from fidele.language import tr, trn
from fidele.session.model import Session
from fidele.session.profiles import Row


class CardTile(Ringed, QFrame):
    """One printing condition on the shelf."""

    pressed = Signal(str)
    menu_wanted = Signal(str, QPoint)

    def __init__(self, card_id: str, name: str, summary: str, in_force: bool) -> None:
        super().__init__()
        self.setObjectName("card")
        self._id = card_id
        box = QVBoxLayout(self)
        box.setContentsMargins(10, 8, 10, 9)
        box.setSpacing(3)
        box.addWidget(line(name, 9.5, bold=True, tip=name))
        box.addWidget(label(summary, 8.0, dim=True, wrap=True))
        self.setAccessibleName(tr("Printing condition {name}", name=name) + (tr(", in force") if in_force else ""))
        self.setToolTip(
            tr("A printing condition: everything that a profile is true for, on one card. Click to put it in force.")
        )
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setProperty("strong", in_force)

        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.customContextMenuRequested.connect(lambda at: self.menu_wanted.emit(self._id, self.mapToGlobal(at)))

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if self.ringed:
            with QPainter(self) as painter:
                ring(painter, self.rect())

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.LeftButton:
            self.pressed.emit(self._id)

    def keyPressEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.pressed.emit(self._id)
        elif event.key() == Qt.Key.Key_Menu:
            self.menu_wanted.emit(self._id, self.mapToGlobal(self.rect().center()))
        else:
            super().keyPressEvent(event)


#: So many printers have a button each where there is no condition yet.
_FEW = 3


class ShelfView(QWidget):
    """Shows what is on the shelf and lets a person choose."""

    card_chosen = Signal(str)
    card_menu_wanted = Signal(str, QPoint)
    profile_chosen = Signal(str)
    menu_wanted = Signal(str, QPoint)
    all_wanted = Signal()
    #: A first condition is wanted for a printer, by its id.
    card_wanted = Signal(str)
    making_wanted = Signal()
    printers_wanted = Signal()
    first_wanted = Signal()
    #: A run of the logbook was chosen, by its number.
    run_chosen = Signal(int)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("shelf")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._session = session
        box = down(space=7, margins=(12, 12, 12, 12), on=self)
        top = across(section(tr("Conditions")), SPRING)
        self.new = button(
            tr("New"),
            self.making_wanted.emit,
            tr("Make another printing condition, a question at a time (F6)"),
            quiet=True,
        )
        printers = button(
            tr("Printers"), self.printers_wanted.emit, tr("Which there are, and what is known of them"), quiet=True
        )
        fill(top, self.new)
        box.addLayout(top)
        tip = tr("Seven steps to a first print that is right; each can be left and taken up again")
        self.first = button("", self.first_wanted.emit, tip, quiet=True)
        self._cards = down(space=8)
        fill(box, self._cards)
        box.addLayout(Flow(printers, self.first, space=2))
        row = across(section(tr("Profiles")), SPRING)
        self._count = label("", 8.0, dim=True)
        row.addWidget(self._count)
        fill(box, 6, row)
        self.search = entry(
            tr("Find a profile"),
            hint=tr("find a profile"),
            tip=tr("Searches everything on this machine, by any word"),
            points=8.5,
        )
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(lambda _: self._fill_profiles())
        box.addWidget(self.search)
        self.profiles = ProfileList(tr("Profiles on the shelf"), compact=True)
        self.profiles.opened.connect(self.profile_chosen)
        self.profiles.menu_wanted.connect(self.menu_wanted)
        box.addWidget(self.profiles)
        self._hint = label("", 8.5, dim=True, wrap=True)
        box.addWidget(self._hint)
        self.all = button(
            "", self.all_wanted.emit, tr("Everything on this machine, with what fits and why not"), quiet=True
        )
        box.addLayout(Flow(self.all))
        fill(box, 6, section(tr("Logbook")))
        self.log = self._list(tr("Logbook"))
        self.log.setSelectionMode(QListWidget.SelectionMode.NoSelection)
        self.log.itemActivated.connect(self._run)
        self.log.itemClicked.connect(self._run)
        fill(box, self.log, REST)
        self._rows: list[Row] = []
        self.refresh_cards()
        self.refresh_profiles()
        self.refresh_log()

    @staticmethod
    def _list(name: str) -> QListWidget:
        made = QListWidget()
        made.setFont(font(8.5))
        made.setAccessibleName(name)
        made.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        made.setTextElideMode(Qt.TextElideMode.ElideRight)
        return made

    def refresh_cards(self) -> None:
        """Show the cards as they are now."""
        clear(self._cards)
        cards = self._session.cards.cards()
        in_force = self._session.card
        for card in cards:
            chosen = in_force is not None and in_force.id == card.id
            shown = in_force if chosen and in_force is not None else card
            summary = shown.summary + (tr(" · locked") if shown.locked else "")
            tile = CardTile(card.id, shown.name, summary, chosen)
            tile.pressed.connect(self.card_chosen)
            tile.menu_wanted.connect(self.card_menu_wanted)
            self._cards.addWidget(tile)
        self.refresh_first()
        if not cards:
            self._cards.addWidget(
                label(
                    tr(
                        "None yet. A printing condition is everything that a profile is true for: printer, ink, media, "
                        "settings, piece."
                    ),
                    8.5,
                    dim=True,
                    wrap=True,
                )
            )
            here = self._session.devices.printers
            if 0 < len(here) <= _FEW:
                tip = tr("The driver converts until it gets a profile")
                for device in here:
                    start = partial(self.card_wanted.emit, device.id)
                    first = folding(tr("Start one for the {name}", name=device.name), start, tip)
                    first.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
                    self._cards.addWidget(first)
            elif here:
                more = " …" if len(here) > 3 else ""
                words = tr(
                    "{n} printers are here: {name}{more}",
                    n=len(here),
                    name=", ".join(p.name for p in here[:3]),
                    more=more,
                )
                self._cards.addWidget(label(words, 8.5, dim=True, wrap=True))
                tip = tr("Printer, paper, piece and profile, a question at a time (F6)")
                self._cards.addWidget(button(tr("Start one"), self.making_wanted.emit, tip))
            else:
                words = self._session.devices.missing() or tr("No printer is set up on this machine yet.")
                self._cards.addWidget(label(words, 8.5, dim=True, wrap=True))
                tip = tr("How to get one here, or describe one that cannot be reached")
                self._cards.addWidget(button(tr("Add a printer"), self.printers_wanted.emit, tip))

    def refresh_first(self) -> None:
        """Show how far the way to a first print is, until one was right."""
        way = self._session.first_print
        self.first.setVisible(not way.right)
        if not way.right:
            steps = way.steps()
            at = next((k for k, step in enumerate(steps, 1) if step.stand == "now"), len(steps))
            self.first.setText(tr("First print: step {at} of {n}", at=at, n=len(steps)))

    def refresh_profiles(self) -> None:
        """Show the profiles that people use, as they are now."""
        self._rows = self._session.profiles.rows()
        self.profiles.in_force = self._session.card.profile or "" if self._session.card else ""
        self._fill_profiles()

    def _fill_profiles(self) -> None:
        words = self.search.text().casefold().split()
        rows = self._rows
        shown = [r for r in rows if (r.matches(words) if words else r.used and not r.papers.hidden)]
        self.profiles.show_lines(lines_of(shown, "nothing", short=True))
        self.profiles.setFixedHeight(4 + px(24) * max(1, min(8, len(shown))))
        self.profiles.setVisible(bool(shown))
        usable = sum(r.entry.description.usable_as_output for r in rows)
        self._count.setText(trn("{usable:,} can print", "{usable:,} can print", usable, usable=usable) if rows else "")
        self._count.setToolTip(tr("How many of the profiles on this machine can serve as an output profile"))
        self.search.setVisible(len(rows) > 5)
        self.all.setText(
            tr("All {n:,} on this machine", n=len(rows))
            if len(rows) > 1
            else tr("Find or add more")
            if rows
            else tr("Find or add profiles")
        )
        drop = tr("Drop an .icc file, or the supplier's zip, anywhere on this window.")
        self._hint.setText(
            ""
            if shown
            else tr("No profile has all of these words.")
            if words
            else tr("None of these is in use yet. {drop}", drop=drop)
            if usable
            else tr("None that can print yet. {drop}", drop=drop)
        )
        self._hint.setVisible(not shown)

    def set_theme(self, theme: Theme) -> None:
        """Take another theme."""
        self.profiles.theme = theme
        self.profiles.viewport().update()

    def _run(self, item: QListWidgetItem) -> None:
        if (number := item.data(Qt.ItemDataRole.UserRole)) is not None:
            self.run_chosen.emit(int(number))

    def refresh_log(self) -> None:
        """Show the last runs."""
        self.refresh_first()
        self.log.clear()
        for run in self._session.logbook.runs(30):
            item = QListWidgetItem(f"{run.id}  {run.title}")
            item.setData(Qt.ItemDataRole.UserRole, run.id)
            said = SAID.get(run.verdict, "") if run.state == "printed" else tr(run.state)
            item.setToolTip(
                tr("Run {id}, {at:%d.%m.%Y %H:%M}", id=run.id, at=run.at)
                + (f": {said}" if said else "")
                + (tr(", mean ΔE00 {mean:.1f}", mean=run.mean) if run.mean else "")
            )
            if said:
                item.setText(f"{run.id}  {run.title}: {said}")
            if run.verdict == "fail":
                item.setFont(font(8.5, font().Weight.DemiBold))
            self.log.addItem(item)
        if self.log.count() == 0:
            item = QListWidgetItem(tr("no runs yet"))
            item.setFlags(Qt.ItemFlag.NoItemFlags)
            self.log.addItem(item)
        _fit_height(self.log, 12)


def _fit_height(rows: QListWidget, most: int) -> None:
    """Make a list as high as its rows, up to some."""
    rows.setMaximumHeight(6 + px(22) * max(1, min(most, rows.count())))
