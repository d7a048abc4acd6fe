"""Many files converted at once: small pictures of them, the open questions first, and what became of each."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import QSettings, QSize, Qt
from PySide6.QtGui import QIcon, QKeyEvent, QPainter, QPixmap
from PySide6.QtWidgets import QAbstractItemView, QComboBox, QFileDialog, QLabel, QListWidget, QListWidgetItem

from fidele.artwork.convert_files import NAME, Order
from fidele.artwork.open import KINDS
from fidele.desk.desk import Desk
from fidele.desk.flow import Flow
from fidele.desk.kit import SPRING, across, choice, down, entry
from fidele.desk.labels import button, clear, label
from fidele.desk.picture import to_image
from fidele.desk.theme import font
from fidele.desk.work import Work
from fidele.errors import FideleError
from fidele.language import tr, trn
from fidele.session.batch import Batch, Done, Listed
from fidele.session.model import Session
from fidele.tuning.conversion import Conversion

_SIDE = 56
_PATH = Qt.ItemDataRole.UserRole
#: What kinds of values are called.
_KINDS = {"RGB": "RGB", "GRAY": tr("grey"), "CMYK": "CMYK"}


class BatchList(QListWidget):
    """The pictures of a batch with what is known of each; Delete takes the chosen ones off."""

    def __init__(self, batch: Batch) -> None:
        super().__init__()
        self._batch = batch
        self._icons: dict[Path, QIcon] = {}
        self.setIconSize(QSize(_SIDE, _SIDE))
        self.setFont(font(9.0))
        self.setSpacing(2)
        self.setUniformItemSizes(True)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setAccessibleName(tr("Pictures to be converted"))
        self.setToolTip(tr("Delete takes the chosen pictures off the list; the files stay"))
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)

    def show_listed(self) -> None:
        """Show the list as it is now; rows that stay are not made anew."""
        listed = self._batch.listed
        while self.count() > len(listed):
            self.takeItem(self.count() - 1)
        while self.count() < len(listed):
            self.addItem(QListWidgetItem())
        for row, one in enumerate(listed):
            item = self.item(row)
            words = _words(one, self._batch)
            text = f"{one.path.name}\n{words}"
            if item.text() != text or item.data(_PATH) != str(one.path):
                item.setText(text)
                item.setData(_PATH, str(one.path))
                item.setToolTip(f"{one.path}\n{words}")
                item.setIcon(self._icon(one))

    def _icon(self, one: Listed) -> QIcon:
        if one.path not in self._icons:
            square = QPixmap(2 * _SIDE, 2 * _SIDE)
            square.fill(Qt.GlobalColor.transparent)
            if one.small is not None:
                scaled = to_image(one.small).scaled(2 * _SIDE, 2 * _SIDE, Qt.AspectRatioMode.KeepAspectRatio)
                painter = QPainter(square)
                painter.drawImage(_SIDE - scaled.width() // 2, _SIDE - scaled.height() // 2, scaled)
                painter.end()
            made = QIcon(square)
            made.addPixmap(square, QIcon.Mode.Selected)
            self._icons[one.path] = made
        return self._icons[one.path]

    def chosen(self) -> list[Path]:
        """Return the pictures that are chosen."""
        return [Path(item.data(_PATH)) for item in self.selectedItems()]

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Delete:
            self._batch.leave_out(self.chosen())
            self.show_listed()
        else:
            super().keyPressEvent(event)


class BatchDesk(Desk):
    """Takes pictures and folders, asks once what is open, converts them all and says what became of each."""

    station = "Batch"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        self.batch = session.batch
        self.box.addLayout(self.head())
        head = Flow(space=8)
        self.files = button(tr("Add pictures …"), self._pick_files, tr("Or drop them here"))
        self.folder = button(tr("Add a folder …"), self._pick_folder, tr("With all that is in it; or drop it here"))
        self.none = button(tr("Clear"), self._clear, tr("Begin anew; the files stay"), quiet=True)
        self.go_on = button(
            tr("Convert into …"), self._convert, tr("Every picture on the list, into a folder"), main=True
        )
        for one in (self.none, self.files, self.folder, self.go_on):
            head.addWidget(one)
        self.box.addLayout(head)
        self._questions = down(space=4)
        self.box.addLayout(self._questions)
        self.fields: dict[str, QComboBox] = {}
        self.asked: dict[str, QLabel] = {}
        self.list = BatchList(self.batch)
        self.box.addWidget(self.list, 1)
        self.name = entry(
            tr("Names of the files"), tip=tr("{name} stands for the picture's own name; the ending says the kind")
        )
        self.name.setText(NAME)
        named = label(tr("Names of the files"), 9.0)
        named.setBuddy(self.name)
        self.box.addLayout(across(named, (self.name, 1), label(tr("{name} is the picture's own name"), 8.5, dim=True)))
        self._settings: QSettings | None = None

    def restore(self, settings: QSettings) -> None:
        """Remember the folders of the last time."""
        self._settings = settings

    # Adding ------------------------------------------------------------------------------------------------------

    def _folder(self, what: str) -> str:
        return str(self._settings.value(f"folder/{what}", str(Path.home()))) if self._settings else str(Path.home())

    def _remember(self, what: str, folder: Path) -> None:
        if self._settings is not None:
            self._settings.setValue(f"folder/{what}", str(folder))

    def _pick_files(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(
            self, tr("Add pictures"), self._folder("artwork"), tr("Pictures ({kinds})", kinds=" ".join(KINDS))
        )
        if names:
            self._remember("artwork", Path(names[0]).parent)
            self.add([Path(name) for name in names])

    def _pick_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, tr("Add a folder"), self._folder("artwork"))
        if name:
            self._remember("artwork", Path(name))
            self.add([Path(name)])

    def add(self, paths: list[Path]) -> None:
        """Look at pictures and folders beside the interface, and put what is found on the list."""
        title = tr("Looking at pictures")
        self.work.run(title, self.batch.looking(paths), self._looked, lane="opening")

    def _looked(self, found: tuple[Listed, ...]) -> None:
        self.batch.take(found)
        self.refresh()

    def _clear(self) -> None:
        self.batch.clear()
        self.refresh()

    # Converting --------------------------------------------------------------------------------------------------

    def order(self) -> Order:
        """Return how they are converted: as the condition in force says.

        Raises
        ------
        FideleError
            When there is no condition, or it has no profile to convert to.
        """
        card, profile = self.session.need_card(), self.session.profile
        if profile is None:
            raise FideleError(tr("The condition has no output profile to convert to; drop one on the window."))
        return Order(profile, Conversion(card.intent, card.bpc), card.mirror_by == "fidele", condition=card.name)

    def _convert(self) -> None:
        folder = QFileDialog.getExistingDirectory(
            self, tr("Where do the converted files go?"), self._folder("converted")
        )
        if folder:
            self._remember("converted", Path(folder))
            self.guarded(self.convert_into, Path(folder))

    def convert_into(self, folder: Path) -> None:
        """Convert what is on the list beside the interface, with progress and cancel."""
        work = self.batch.converting(self.order(), folder, self.name.text().strip() or NAME)

        def done(found: list[Done]) -> None:
            self.batch.took(found, folder)
            self.refresh()

        number = len(self.batch.convertible())
        title = trn("Converting {n} picture", "Converting {n} pictures", number, n=number)
        self.work.run(title, work, done)
        self.refresh()

    # Showing -----------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the list, its open questions, and what became of each."""
        batch, card = self.batch, self.session.card
        count = len(batch.listed)
        self.title.setText(
            tr("Convert many pictures") if not count else tr("{count} pictures to be converted", count=count)
        )
        into = (
            tr("for “{name}”", name=card.name)
            if card is not None
            else tr("for a printing condition, which is still missing (F6)")
        )
        open_questions = [kind for kind in batch.questions() if batch.answers.get(kind) is None]
        self.state.setText(
            tr("They are converted {into}. Add pictures or folders, or drop them here.", into=into)
            if not count
            else tr("Say first what those are taken for that state no colour space.")
            if open_questions
            else tr("They are converted {into}; the files themselves are never changed.", into=into)
        )
        self._ask()
        self.list.show_listed()
        self.none.setEnabled(bool(count))
        able = batch.ready and self.session.profile is not None and not self.work.busy
        self.go_on.setEnabled(able)

    def _ask(self) -> None:
        """Show a question for each kind of values that some pictures do not explain."""
        questions = self.batch.questions()
        if list(questions) != list(self.fields):
            clear(self._questions)
            self.fields, self.asked = {}, {}
            for kind in questions:
                spaces = [
                    (s.key, tr("take them for {title}", title=s.title)) for s in self.session.sources.candidates(kind)
                ]
                asked = label("", 9.5, bold=True)
                box = choice(
                    tr("What {kinds} pictures without a colour space are taken for", kinds=_KINDS.get(kind, kind)),
                    [(None, tr("choose …")), *spaces, ("", tr("leave them out"))],
                    chosen=partial(self._answered, kind),
                )
                self.fields[kind], self.asked[kind] = box, asked
                self._questions.addLayout(across(asked, box, SPRING, space=10))
        for kind, count in questions.items():
            some = (
                tr("{count} {kinds} pictures state", count=count, kinds=_KINDS.get(kind, kind))
                if count != 1
                else tr("One picture states")
            )
            self.asked[kind].setText(tr("{some} no colour space:", some=some))
            box = self.fields[kind]
            box.setCurrentIndex(max(0, box.findData(self.batch.answers.get(kind))))

    def _answered(self, kind: str, _index: int) -> None:
        self.batch.answer(kind, self.fields[kind].currentData())
        self.refresh()

    def facts(self) -> list[tuple[str, str]]:
        """Return how they are converted."""
        card = self.session.card
        if card is None or self.session.profile is None:
            return []
        mirrored = tr("yes, by Fidele") if card.mirror_by == "fidele" else tr("no")
        facts = [(tr("Profile"), self.session.profiles.title_in_force), (tr("Intent"), card.intent.words)]
        return [(tr("Condition"), card.name), *facts, (tr("Mirrored"), mirrored)]


def _words(one: Listed, batch: Batch) -> str:
    """Return what is known of a picture, or became of it, in a line."""
    if one.path in batch.done:
        done = batch.done[one.path]
        return (
            tr("written as {name}; taken for {space}", name=Path(done.to).name, space=done.space)
            if done.to
            else done.said
        )
    if one.problem:
        return one.problem
    if one.open and batch.answers.get(one.open) == "":
        return tr("{size}, left out: states no colour space", size=one.size)
    return f"{one.size}, {one.space}"
