"""Help: what a desk is for and its first steps, all shortcuts, the words, and every command by any word."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from functools import cache
from importlib import resources
from pathlib import Path

from PySide6.QtCore import Qt, QUrl, Signal
from PySide6.QtGui import QImage, QPixmap
from PySide6.QtWidgets import (
    QAbstractButton,
    QDialog,
    QDialogButtonBox,
    QListWidget,
    QListWidgetItem,
    QTabWidget,
    QTextBrowser,
    QWidget,
)

from fidele.dataclass import dataclass
from fidele.desk.desk import Desk
from fidele.desk.kit import REST, SPRING, across, down, entry, fill
from fidele.desk.labels import button, heading, label
from fidele.desk.theme import font, px
from fidele.desk.tile import scrolled
from fidele.language import LANGUAGE, tr

#: Where the guide lies, as `./run guide` built it.
GUIDE = Path(str(resources.files("fidele") / "data" / "guide"))
#: Pictures are shown so many pixels wide.
_WIDE = 560
#: Place of the tab that finds commands.
_SEARCH = 2


@dataclass(frozen=True)
class Command:
    """Something that can be pressed: its words, what it does, and on which desk."""

    words: str
    about: str
    station: str


@cache
def _kept(name: str) -> dict:  # type: ignore[type-arg]
    found: dict = json.loads((resources.files("fidele") / "data" / "help" / name).read_text("utf-8"))  # type: ignore[type-arg]
    return found


def of_desk(station: str) -> tuple[str, list[str]]:
    """Return what a desk is for, and its first steps."""
    about = _kept("desks.json")[station]
    return tr(about["for"]), [tr(step) for step in about["steps"]]


def chapter(station: str) -> str:
    """Return the chapter of the guide that a desk belongs to."""
    return str(_kept("desks.json")[station]["chapter"])


def guide_page(name: str) -> QUrl:
    """Return a page of the guide, in the language that is spoken where there is one."""
    spoken = GUIDE / LANGUAGE / f"{name}.html"
    return QUrl.fromLocalFile(str(spoken if spoken.exists() else GUIDE / f"{name}.html"))


def words() -> dict[str, str]:
    """Return the words that need explaining, each with its explanation."""
    return {tr(word): tr(what) for word, what in _kept("words.json").items()}


def commands(desks: Mapping[str, Desk]) -> list[Command]:
    """Return every button of every desk, by its words."""
    found: dict[tuple[str, str], Command] = {}
    for station, desk in desks.items():
        for press in desk.findChildren(QAbstractButton):
            said = press.text().strip()
            if len(said) > 1:
                found.setdefault((said, station), Command(said, press.toolTip(), station))
    return sorted(found.values(), key=lambda c: c.words.casefold())


def matching(known: Iterable[Command], typed: str) -> list[Command]:
    """Return the commands that hold all words that were typed, in whatever order."""
    wanted = typed.casefold().split()
    return [c for c in known if all(w in f"{c.words} {c.about} {tr(c.station)}".casefold() for w in wanted)]


class GuideView(QTextBrowser):
    """Shows pages of the guide, their pictures made smaller smoothly."""

    def __init__(self) -> None:
        super().__init__()
        self.setFont(font(10))
        self.setOpenExternalLinks(True)
        self.document().setDocumentMargin(px(16))
        self.document().setDefaultStyleSheet(f"h1 {{ font-size: {px(20)}px }} dd p {{ margin-top: {px(2)}px }}")

    def loadResource(self, kind: int, name: QUrl | str) -> object:
        name = QUrl(name)
        if name.path().endswith(".png"):
            picture = QImage((self.source().resolved(name) if name.isRelative() else name).toLocalFile())
            if not picture.isNull():
                return picture.scaledToWidth(px(_WIDE), Qt.TransformationMode.SmoothTransformation)
        return super().loadResource(kind, name)


class Help(QDialog):
    """Shows help on the desk in front, and on everything else."""

    #: A desk is wanted, by its station; and which of its buttons.
    wanted = Signal(str, str)

    def __init__(self, station: str, desks: Mapping[str, Desk], keys: list[tuple[str, str]], parent: QWidget) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setWindowTitle(tr("Help"))
        self.resize(px(720), px(600))
        self._desks = desks
        self._known: list[Command] = []
        self.tabs = QTabWidget()
        self.tabs.addTab(self._desk(station), tr("This desk"))
        self.guide = GuideView()
        self.guide.setAccessibleName(tr("The guide"))
        self.guide.setSource(guide_page(chapter(station)))
        contents = button(tr("All chapters"), self._contents, tr("The guide from its beginning"), quiet=True)
        self.back = button(tr("Back"), self.guide.backward, tr("The page before"), quiet=True)
        self.guide.backwardAvailable.connect(self.back.setEnabled)
        self.back.setEnabled(False)
        page = QWidget()
        row = across(contents, self.back, SPRING)
        down(row, (self.guide, 1), space=6, margins=(12, 8, 12, 12), on=page)
        self.tabs.addTab(page, tr("Guide"))
        self.typed = entry(tr("Find a command"), hint=tr("any word: mirror, export, scan, gamut …"))
        self.found = QListWidget()
        self.found.setAccessibleName(tr("Commands that were found"))
        self.found.setWordWrap(True)
        self.typed.textChanged.connect(self.search)
        self.typed.returnPressed.connect(lambda: self._go(self.found.item(0)))
        self.found.itemActivated.connect(self._go)
        search = QWidget()
        down(self.typed, (self.found, 1), space=8, margins=(12, 12, 12, 12), on=search)
        self.tabs.addTab(search, tr("Find a command"))
        self.tabs.addTab(_listed(keys), tr("Shortcuts"))
        self.tabs.addTab(_listed(list(words().items())), tr("Words"))
        self.tabs.currentChanged.connect(lambda _: self.search(self.typed.text()))
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        down((self.tabs, 1), buttons, on=self)

    @staticmethod
    def _desk(station: str) -> QWidget:
        page = QWidget()
        what, steps = of_desk(station)
        box = down(heading(tr(station)), label(what, 10.5, wrap=True), space=10, margins=(16, 14, 16, 14), on=page)
        for number, step in enumerate(steps, 1):
            box.addWidget(label(f"{number}.  {step}", 10.0, wrap=True))
        picture = QPixmap(str(GUIDE / "pictures" / f"{_kept('desks.json')[station].get('picture', '-')}.png"))
        if not picture.isNull():
            shown = label("")
            shown.setPixmap(picture.scaledToWidth(px(_WIDE), Qt.TransformationMode.SmoothTransformation))
            shown.setAccessibleName(tr("The desk {station} at work, in the demo", station=tr(station)))
            fill(box, 6, shown)
        fill(box, REST)
        return scrolled(page)

    def _contents(self) -> None:
        self.guide.setSource(guide_page("index"))

    def search(self, typed: str) -> None:
        """List the commands that hold what was typed."""
        if self.tabs.currentIndex() != _SEARCH:
            return
        if not self._known:
            self._known = commands(self._desks)
        self.found.clear()
        for command in matching(self._known, typed)[:200]:
            about = f"\n{command.about}" if command.about else ""
            item = QListWidgetItem(f"{command.words}   ({tr(command.station)}){about}")
            item.setData(Qt.ItemDataRole.UserRole, (command.station, command.words))
            self.found.addItem(item)

    def _go(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.wanted.emit(*item.data(Qt.ItemDataRole.UserRole))
            self.accept()


def _listed(rows: list[tuple[str, str]]) -> QListWidget:
    made = QListWidget()
    made.setFont(font(9.5))
    made.setWordWrap(True)
    made.addItems([f"{one}\n      {other}" for one, other in rows])
    return made
