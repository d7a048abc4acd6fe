"""The jobs: work that saves itself, listed, opened again as it was left, named, copied, archived, sent to others."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QFileDialog, QFormLayout, QMenu, QPushButton, QWidget

from fidele.desk.desk import Desk
from fidele.desk.kit import ask, down, entry, tick
from fidele.desk.labels import button, clear, label
from fidele.desk.tile import Tile, scrolled
from fidele.desk.work import Work
from fidele.language import tr
from fidele.session.model import Session
from fidele.store.jobs import JobRecord


class NameDialog(QDialog):
    """Asks what a job is called, and whose it is."""

    def __init__(self, job: JobRecord, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Name the job"))
        self.name, self.customer = entry(tr("Name of the job")), entry(tr("Customer"), hint=tr("whose job it is"))
        self.name.setText(job.name)
        self.customer.setText(job.customer)
        form = QFormLayout()
        ask(form, tr("Name"), self.name)
        ask(form, tr("Customer"), self.customer)
        both = QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel
        buttons = QDialogButtonBox(both)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        down(form, buttons, on=self)


class JobsDesk(Desk):
    """Lists the jobs and opens them."""

    station = "Jobs"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        self.jobs = session.jobs
        head = self.head()
        self.old = tick(tr("archived too"), changed=lambda _: self.refresh(), tip=tr("Also those that were put away"))
        self.bring = button(
            tr("Take in a job …"), self._bring, tr("A job that a colleague sent, as one file"), quiet=True
        )
        self.new = button(
            tr("New job"), self._new, tr("Nothing in hand; what is in hand now stays as it is"), main=True
        )
        for one in (self.old, self.bring, self.new):
            head.addWidget(one, alignment=Qt.AlignmentFlag.AlignTop)
        self.box.addLayout(head)
        self._list = QWidget()
        self._rows = down(space=8, margins=(0, 0, 8, 0), on=self._list)
        self.box.addWidget(scrolled(self._list), 1)

    def refresh(self) -> None:
        """List the jobs, the last changed first."""
        jobs, current = self.jobs.all(self.old.isChecked()), self.jobs.current
        self.title.setText(tr("Jobs"))
        self.state.setText(
            tr(
                "Everything that is in hand (pictures, sizes, copies, tuning, marks, condition) is saved as "
                "you work. Closing loses nothing."
            )
        )
        clear(self._rows)
        for job in jobs:
            self._rows.addWidget(self._tile(job, current is not None and job.id == current.id))
        if not jobs:
            self._rows.addWidget(label(tr("No job yet: open a picture, and a job begins by itself."), 10.0, dim=True))
        self._rows.addStretch(1)

    def _tile(self, job: JobRecord, in_hand: bool) -> Tile:
        files = [one.artwork.name for one in job.pictures]
        named = ", ".join(files[:3]) + (tr(" and {n} more", n=len(files) - 3) if len(files) > 3 else "")
        card = self.session.cards.find(job.card) if job.card else None
        mark = tr("in hand") if in_hand else tr("archived") if job.archived else f"{job.changed:%d.%m.%Y %H:%M}"
        tile = Tile(job.title, [named or tr("no pictures"), card.name if card is not None else ""], mark)
        opens = button(tr("Open"), partial(self.open, job.id), tr("Open “{title}” as it was left", title=job.title))
        opens.setAccessibleName(tr("Open {title}", title=job.title))
        opens.setEnabled(not in_hand)
        more = button(
            tr("More …"), lambda: None, tr("Name, copy, archive or send “{title}”", title=job.title), quiet=True
        )
        more.setAccessibleName(tr("More of {title}", title=job.title))
        more.clicked.disconnect()
        more.clicked.connect(partial(self._menu, job, more))
        tile.right.addWidget(opens)
        tile.right.addWidget(more)
        return tile

    def actions_of(self, job: JobRecord) -> dict[str, object]:
        """Return what can be done with a job, by its words."""
        return {
            tr("Name it …"): partial(self._name, job),
            tr("Duplicate"): partial(self._duplicate, job),
            tr("Take out of the archive") if job.archived else tr("Archive"): partial(
                self.jobs.archive, job.id, not job.archived
            ),
            tr("Export with its pictures …"): partial(self._export, job, True),
            tr("Export without pictures …"): partial(self._export, job, False),
        }

    def _menu(self, job: JobRecord, beneath: QPushButton, _checked: bool = False) -> None:
        menu = QMenu(self)
        for words, call in self.actions_of(job).items():
            menu.addAction(words, partial(self._do, call))
        menu.exec(beneath.mapToGlobal(QPoint(0, beneath.height())))

    def _do(self, call: object) -> None:
        self.guarded(call)
        self.refresh()

    # Doing -------------------------------------------------------------------------------------------------------

    def open(self, job_id: str) -> None:
        """Open a job beside the interface, and go to its pictures."""

        def take(opened: object) -> None:
            self.jobs.take(opened)  # type: ignore[arg-type]
            self.go.emit("Artwork")

        self.guarded(lambda: self.work.run(tr("Opening the job"), self.jobs.opening(job_id), take, lane="opening"))

    def _new(self) -> None:
        if self.guarded(self.jobs.new):
            self.go.emit("Artwork")

    def _name(self, job: JobRecord) -> None:
        dialog = NameDialog(job, self)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self.jobs.name(job.id, dialog.name.text(), dialog.customer.text())

    def _duplicate(self, job: JobRecord) -> None:
        made = self.jobs.duplicate(job.id)
        self.session.say(tr("“{title}” is a copy; open it to go on with it.", title=made.title))

    def _export(self, job: JobRecord, with_artwork: bool) -> None:
        name, _ = QFileDialog.getSaveFileName(self, tr("Export the job"), f"{job.name}.zip", tr("Job (*.zip)"))
        if name:
            self.export(job, Path(name), with_artwork)

    def export(self, job: JobRecord, path: Path, with_artwork: bool) -> None:
        """Write a job as one file, beside the interface."""
        jobs = self.jobs
        self.work.run(
            tr("Writing {name}", name=path.name),
            lambda _: jobs.export(job.id, path, with_artwork),
            lambda _: self.session.say(tr("“{title}” is in {path}.", title=job.title, path=path)),
            lane="opening",
        )

    def _bring(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, tr("Take in a job"), "", tr("Job (*.zip)"))
        if name:
            self.take_in(Path(name))

    def take_in(self, path: Path) -> None:
        """Take in a job that somebody sent, and open it."""
        jobs = self.jobs
        self.work.run(
            tr("Reading {name}", name=path.name),
            lambda _: jobs.take_in(path),
            lambda job: self.open(job.id),
            lane="opening",
        )
