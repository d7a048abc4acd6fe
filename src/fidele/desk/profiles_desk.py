"""All profiles on this machine: search, group, and see what fits and why the rest does not."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QFileDialog, QMenu, QVBoxLayout, QWidget

from fidele.desk.desk import Desk
from fidele.desk.kit import SPRING, across, choice, entry, fill, tick
from fidele.desk.labels import button, folding, label, section
from fidele.desk.profile_list import GROUPS, ProfileList, lines_of
from fidele.desk.theme import Theme
from fidele.desk.work import Work
from fidele.language import tr, trn
from fidele.session import desktop
from fidele.session.model import Session
from fidele.session.profiles import Row


class ProfilesDesk(Desk):
    """Lists every profile."""

    station = "Profiles"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        head = self.head()
        for made in (
            button(
                tr("Add files …"), self._pick, tr("Profiles, zips, mails; dropping them on the window does the same")
            ),
            button(
                tr("From the makers"),
                lambda: self.go.emit("Makers"),
                tr("The makers' catalogue, and the media list of the printer"),
            ),
            button(
                tr("Find a lost profile"), lambda: self.go.emit("Lost"), tr("Search downloads, mails, zips and trash")
            ),
        ):
            head.addWidget(made, alignment=Qt.AlignmentFlag.AlignTop)
        self.box.addLayout(head)
        row = across(space=10)
        self.search = entry(
            tr("Find a profile by any word"),
            hint=tr("find by any word: printer, paper, piece, maker, notes"),
            points=9.5,
        )
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(lambda _: self.fill())
        fill(row, (self.search, 1), label(tr("Group by"), 9))
        self.group = choice(tr("Group by"), chosen=lambda _: self.fill())
        for name in GROUPS:
            self.group.addItem(tr(name), name)
        row.addWidget(self.group)
        self.printing = tick(
            tr("only for printing"),
            tip=tr("Leave out display, scanner and other profiles"),
            changed=lambda _: self.fill(),
        )
        row.addWidget(self.printing)
        self.hidden = tick(tr("hidden too"), changed=lambda _: self.fill())
        row.addWidget(self.hidden)
        self.box.addLayout(row)
        self._rows: list[Row] = []
        self.list = ProfileList(tr("All profiles"), compact=False)
        self.list.opened.connect(self.opened)
        self.list.menu_wanted.connect(self.menu_wanted)
        self.box.addWidget(self.list, 1)
        self.nothing = label("", 9.5, dim=True, wrap=True)
        self.box.addWidget(self.nothing)
        inks = button(
            tr("For a printer that takes inks"),
            lambda: self.go.emit("Ink profile"),
            tr("Make a profile for a printer that is sent cyan, magenta, yellow and black"),
            quiet=True,
        )
        self.box.addLayout(across(SPRING, inks))

    def refresh(self) -> None:
        """Show the profiles as they are now."""
        self.list.in_force = self.session.card.profile or "" if self.session.card else ""
        self.list.unit = self.session.device.id
        self._rows = self.session.profiles.rows()
        self.fill()

    def fill(self) -> None:
        """Show what the search and the switches leave."""
        rows, card = self._rows, self.session.card
        printing = [r for r in rows if r.entry.description.usable_as_output]
        fits = sum(r.fit.grade == "fits" for r in printing)
        self.title.setText(tr("Profiles on this machine"))
        where = tr(" with {media} on {substrate}", media=card.media, substrate=card.substrate) if card else ""
        broken = len(self.session.shelf.broken)
        self.state.setText(
            (
                trn(
                    "{n:,} profile, {n2:,} for printing; {fits} fits the {name}{where}.",
                    "{n:,} profiles, {n2:,} for printing; {fits} fits the {name}{where}.",
                    len(rows),
                    n=len(rows),
                    n2=len(printing),
                    fits=fits,
                    name=self.session.device.name,
                    where=where,
                )
                if fits == 1
                else trn(
                    "{n:,} profile, {n2:,} for printing; {fits} fit the {name}{where}.",
                    "{n:,} profiles, {n2:,} for printing; {fits} fit the {name}{where}.",
                    len(rows),
                    n=len(rows),
                    n2=len(printing),
                    fits=fits,
                    name=self.session.device.name,
                    where=where,
                )
            )
            + (
                trn(
                    " {broken} more is damaged: see “Find a lost profile”.",
                    " {broken} more are damaged: see “Find a lost profile”.",
                    broken,
                    broken=broken,
                )
                if broken
                else ""
            )
        )
        words = self.search.text().casefold().split()
        shown = [
            r
            for r in rows
            if (not self.printing.isChecked() or r.entry.description.device_class == "prtr")
            and (self.hidden.isChecked() or words or not r.papers.hidden)
            and r.matches(words)
        ]
        self.list.show_lines(lines_of(shown, self.group.currentData()))
        self.list.setVisible(bool(shown))
        self.nothing.setVisible(not shown)
        self.nothing.setText(
            tr("No profile has all of these words. “Find a lost profile” searches the places where profiles get stuck.")
            if rows
            else tr("There is no profile on this machine yet. Drop the supplier's file or zip anywhere on this window.")
        )

    def set_theme(self, theme: Theme) -> None:
        """Take another theme."""
        self.list.theme = theme
        super().set_theme(theme)

    def facts(self) -> list[tuple[str, str]]:
        """Return where profiles lie."""
        shelf = self.session.shelf
        rows = [(tr("Yours"), str(shelf.own))]
        return rows + [(tr("System's"), str(folder)) for folder in shelf.others if folder.is_dir()]

    def extra(self) -> list[QWidget]:
        """Return what a double click on a profile does in the file manager."""
        if desktop.state() == "there":
            return []
        made = QWidget()
        box = QVBoxLayout(made)
        box.setContentsMargins(0, 4, 0, 4)
        box.setSpacing(5)
        box.addWidget(section(tr("In the file manager")))
        box.addWidget(
            label(
                tr("A double click on an .icc file does not come here yet on this desktop."), 8.5, dim=True, wrap=True
            )
        )
        let = folding(
            tr("Let Fidele open profiles"), lambda: self.guarded(self._enter), tr("Adds Fidele to the desktop's menu")
        )
        box.addWidget(let)
        return [made]

    def _enter(self) -> None:
        desktop.install()
        self.session.say(tr("Fidele is in the desktop's menu, and opens .icc and .icm files by a double click."))
        self.go.emit("")

    def _pick(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(
            self,
            tr("Profiles"),
            str(Path.home()),
            tr("Profiles (*.icc *.icm *.ICC *.ICM *.zip *.eml *.gz *.tgz *.tar);;All files (*)"),
        )
        if names:
            self.files_wanted.emit([Path(n) for n in names])

    def show_fitting(self) -> None:
        """Show the output profiles that fit the condition in force, and those that do not, with the reasons."""
        self.group.setCurrentIndex(self.group.findData("what fits"))
        self.printing.setChecked(True)


def profile_menu(
    session: Session, profile_id: str, at: QPoint, open_it: Callable[[str], None], guarded: Callable[..., object]
) -> None:
    """Show what can be done with a profile, at the pointer."""
    entry = session.shelf.find(profile_id)
    if entry is None:
        return
    row = session.profiles.row(entry)
    menu = QMenu()
    menu.addAction(tr("Look at it"), lambda: open_it(profile_id))
    use = menu.addAction(tr("Use it in this condition"), lambda: guarded(session.profiles.use, profile_id))
    use.setEnabled(session.card is not None and row.entry.description.usable_as_output)
    pinned, hidden = row.papers.pinned, row.papers.hidden
    menu.addAction(
        tr("Unpin") if pinned else tr("Pin to the shelf"), lambda: guarded(session.profiles.pin, profile_id, not pinned)
    )
    menu.addAction(
        tr("Show it again") if hidden else tr("Hide it"), lambda: guarded(session.profiles.hide, profile_id, not hidden)
    )
    away = menu.addAction(tr("Take it off the shelf"), lambda: guarded(session.profiles.remove, profile_id))
    away.setEnabled(entry.own)
    menu.exec(at)
