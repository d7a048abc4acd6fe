"""Why is it not there? A search for profiles that lie where no program looks, each with what mends it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFileDialog, QWidget

from fidele.desk.desk import Desk
from fidele.desk.kit import down
from fidele.desk.labels import button, clear, label
from fidele.desk.tile import Tile, scrolled
from fidele.desk.work import Work
from fidele.language import tr
from fidele.session.model import Session
from fidele.store.lost import Lost, find_lost, usual_places
from fidele.store.shelf import Delivery
from fidele.tiles import Progress

_MARKS = {
    "elsewhere": tr("in the wrong folder"),
    "in-zip": tr("inside a zip"),
    "in-mail": tr("inside a mail"),
    "compressed": tr("compressed"),
    "in-trash": tr("thrown away"),
    "wrong-name": tr("wrong name"),
    "other-version": tr("another version"),
    "damaged": tr("damaged"),
    "unreadable": tr("not readable"),
    "hidden": tr("hidden"),
}


class LostDesk(Desk):
    """Searches folders and shows what is found."""

    station = "Lost"
    #: A profile that was mended, by id.
    mended = Signal(str)

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        head = self.head()
        self.search = button(tr("Search"), lambda: self.look(self._places()), tr("Search the usual places"), main=True)
        head.addWidget(self.search, alignment=Qt.AlignmentFlag.AlignTop)
        head.addWidget(
            button(tr("Search a folder …"), self._pick, tr("Any other place")), alignment=Qt.AlignmentFlag.AlignTop
        )
        head.addWidget(
            button(tr("All profiles"), lambda: self.go.emit("Profiles"), tr("Everything on this machine"), quiet=True),
            alignment=Qt.AlignmentFlag.AlignTop,
        )
        self.box.addLayout(head)
        inside = QWidget()
        self._list = down(space=7, margins=(0, 0, 8, 0), on=inside)
        self.box.addWidget(scrolled(inside), 1)
        self.found: list[Lost] | None = None
        self._searched: tuple[Path, ...] = ()
        self._shown: tuple[object, ...] = ()

    def _places(self) -> tuple[Path, ...]:
        return self.session.places.search or usual_places()

    def look(self, places: tuple[Path, ...]) -> None:
        """Search folders, with progress and cancel."""
        beside = self.session.shelf.beside()

        def find(progress: Progress) -> list[Lost]:
            return find_lost(beside, places, progress)

        def take(found: list[Lost]) -> None:
            self.found, self._searched = found, places
            self.session.say(tr("{n} found.", n=len(found)) if found else tr("Nothing is lost there."))
            self.refresh()

        self.work.run(tr("Searching for profiles"), find, take)

    def _hidden(self) -> list[Lost]:
        rows = self.session.profiles.rows()
        return [
            Lost(
                r.entry.path,
                str(r.entry.path),
                "hidden",
                tr("It is on the shelf, but you have hidden it."),
                tr("Show it again"),
                None,
                r.entry.id,
            )
            for r in rows
            if r.papers.hidden
        ]

    def refresh(self) -> None:
        """Show what was found, without what has been put right since."""
        self.title.setText(tr("Why is it not there?"))
        where = ", ".join(str(p) for p in (self._searched or self._places()))
        there = {e.id for e in self.session.shelf.known()}
        found = [f for f in self.found or [] if not f.id or f.id not in there]
        everything = [*found, *self._hidden()]
        names = {r.entry.id: r.title for r in self.session.profiles.rows()}
        self.search.setEnabled(not self.work.busy)
        if self.found is None:
            self.state.setText(
                tr("Searches downloads, saved mails, zips, trash and wrong names in {where}.", where=where)
            )
        else:
            self.state.setText(
                tr("{n} found in {where}.", n=len(found), where=where)
                if found
                else tr("Nothing is lost in {where}.", where=where)
            )
        shown = (self.found is None, *((f.shown, f.obstacle) for f in everything))
        if shown == self._shown:
            return
        self._shown = shown
        clear(self._list)
        for lost in everything:
            title = names.get(lost.id, lost.path.name) if lost.obstacle == "hidden" else lost.title
            tile = Tile(title, [lost.why], _MARKS.get(lost.obstacle, lost.obstacle))
            if lost.mend:
                tile.right.addWidget(button(lost.mend, self._mender(lost), lost.shown))
            self._list.addWidget(tile)
        if not everything and self.found is not None:
            self._list.addWidget(
                label(
                    tr("If you know the file, drop it on this window: it is looked into on the spot."),
                    9,
                    dim=True,
                    wrap=True,
                )
            )
        self._list.addStretch()

    def _mender(self, lost: Lost) -> Callable[[], object]:
        return lambda: self.guarded(self._mend, lost)

    def _mend(self, lost: Lost) -> None:
        profiles = self.session.profiles
        if lost.obstacle == "hidden":
            profiles.hide(lost.id, False)
        elif lost.arrival is not None:
            arrival = self.session.shelf.judge(lost.arrival.found)
            profiles.pending = Delivery((arrival,))
            profiles.settle({arrival.id: "put"})
        self.refresh()
        self.mended.emit(lost.id)

    def _pick(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, tr("Search this folder"), str(Path.home()))
        if folder:
            self.look((Path(folder),))
