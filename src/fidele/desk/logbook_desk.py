"""The logbook desk: every run with what was sent and done; searched, compared, printed again, exported."""

from __future__ import annotations

import datetime
import io
from collections.abc import Iterable
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QSize, Qt, QTimer
from PySide6.QtGui import QFontMetrics, QIcon, QImage, QPainter, QPixmap
from PySide6.QtWidgets import (
    QAbstractItemView,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QTreeWidget,
    QTreeWidgetItem,
)

from fidele.check.statistics import SAID
from fidele.desk.desk import Desk, clock
from fidele.desk.kit import SPRING, Choice, across, down, entry, fill
from fidele.desk.labels import button, clear, line
from fidele.desk.picture import to_image
from fidele.desk.theme import font, px
from fidele.desk.work import Work
from fidele.judge.finding import Finding
from fidele.language import lowered, tr, trn
from fidele.run.log import compared, export, facts, matching, totals
from fidele.session.model import Session
from fidele.store.records import BUSY, DONE, WAITING, KeptRun

_ICON = 40
_NUMBER = Qt.ItemDataRole.UserRole
#: So many runs are listed; a search looks through all.
_LISTED = 400
#: So many of them at once; a window shows no more.
_AT_ONCE = 60
#: What is older is read so many milliseconds after the last ones are shown.
_LATER = 300


class LogbookDesk(Desk):
    """Every run: one chosen is told whole, two chosen are compared."""

    station = "Logbook"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        top = self.head()
        self.again = button(
            tr("Print again"), self._again, tr("Exactly as it was, even when settings have changed since"), main=True
        )
        self.save = button(tr("Export …"), self._export, tr("The runs listed here, as CSV or JSON"), quiet=True)
        top.addWidget(self.save)
        top.addWidget(self.again)
        self.box.addLayout(top)
        row = QHBoxLayout()
        self.search = entry(tr("Search the logbook"), hint=tr("words of title, artwork, condition, day …"))
        self.search.setClearButtonEnabled(True)
        self.search.textChanged.connect(lambda _: self._list())
        row.addWidget(self.search, 1)
        self.time_is, self.state_is, self.card_is = Choice(tr("Time")), Choice(tr("State")), Choice(tr("Condition"))
        for box, name in ((self.time_is, tr("Time")), (self.state_is, tr("State")), (self.card_is, tr("Condition"))):
            box.setFont(font(9))
            box.setAccessibleName(tr("Only runs of this {name}", name=lowered(name)))
            box.activated.connect(lambda _: self._list())
            row.addWidget(box)
        for words, days in (
            (tr("at any time"), 0),
            (tr("today"), 1),
            (tr("last 7 days"), 7),
            (tr("last 31 days"), 31),
            (tr("last year"), 366),
        ):
            self.time_is.addItem(words, days)
        self.state_is.addItem(tr("every state"), "")
        for state in DONE:
            self.state_is.addItem(tr(state), state)
        self.box.addLayout(row)
        self._orders = down(space=2)
        self.box.addLayout(self._orders)
        self.tree = QTreeWidget()
        self.tree.setFont(font(9))
        self.tree.setAccessibleName(tr("Runs"))
        self.tree.setRootIsDecorated(False)
        self.tree.setUniformRowHeights(True)
        self.tree.setIconSize(QSize(_ICON, _ICON))
        self.tree.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.tree.setHeaderLabels([tr("Run"), tr("What"), tr("Condition"), tr("State"), tr("Check")])
        self.tree.setToolTip(tr("Choose one run to see everything of it, two to see in what they differ"))
        self.tree.itemSelectionChanged.connect(self._chosen)
        head = self.tree.header()
        head.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        for column, width in (
            (0, px(104)),
            (2, px(150)),
            (3, _room(map(tr, (*WAITING, *BUSY, *DONE)))),
            (4, _room(SAID.values())),
        ):
            head.resizeSection(column, width)
        head.setStretchLastSection(False)
        self.box.addWidget(self.tree, 3)
        below = QHBoxLayout()
        self.picture = QLabel()
        self.picture.setFixedSize(180, 180)
        self.picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.picture.setAccessibleName(tr("Small picture of the sheet"))
        small = down(self.picture)
        self.photos = line("", 8.5, dim=True)
        fill(small, self.photos, SPRING)
        below.addLayout(small)
        self.details = QTreeWidget()
        self.details.setFont(font(9))
        self.details.setAccessibleName(tr("What is known of the run"))
        self.details.setRootIsDecorated(False)
        self.details.header().setStretchLastSection(True)
        self.details.header().setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        below.addWidget(self.details, 1)
        self.box.addLayout(below, 2)
        self._every: list[KeptRun] = []
        self._runs: list[KeptRun] = []
        self._icons: dict[int, QIcon] = {}

    # What is chosen ----------------------------------------------------------------------------------------------

    def chosen(self) -> list[KeptRun]:
        """Return the runs that are chosen, whole, in the order of the list."""
        numbers = [int(item.data(0, _NUMBER)) for item in self.tree.selectedItems()]
        return [self.session.logbook.run(n) for n in sorted(numbers, reverse=True)]

    def choose(self, number: int) -> None:
        """Choose a run by its number."""
        for row in range(self.tree.topLevelItemCount()):
            item = self.tree.topLevelItem(row)
            if item is not None and item.data(0, _NUMBER) == number:
                self.tree.setCurrentItem(item)
                self.tree.scrollToItem(item)

    def _chosen(self) -> None:
        runs = self.chosen()
        self.details.clear()
        self.again.setEnabled(len(runs) == 1)
        self.picture.clear()
        self.photos.setText("")
        if not runs:
            self.details.setHeaderLabels(["", ""])
            return
        small = self.session.logbook.thumbnails([runs[0].id]).get(runs[0].id)
        shown = QImage.fromData(small) if small else QImage()
        if not shown.isNull():
            self.picture.setPixmap(QPixmap.fromImage(shown))
        if len(runs) == 2:
            self._compare(runs[0], runs[1])
            return
        self.details.setHeaderLabels(["", tr("Value")])
        section = ""
        for fact in facts(runs[0]):
            if fact.section != section:
                section = fact.section
                head = QTreeWidgetItem([section, ""])
                head.setFont(0, font(9, font().Weight.DemiBold))
                head.setFlags(Qt.ItemFlag.NoItemFlags)
                self.details.addTopLevelItem(head)
            item = QTreeWidgetItem([f"   {fact.name}", fact.value])
            item.setToolTip(1, fact.value)
            self.details.addTopLevelItem(item)
        self._checks(runs[0])
        self.details.header().resizeSection(0, 190)
        photos = self.session.logbook.photos(runs[0].id)
        self.photos.setText(
            trn("{n} photo: {name}", "{n} photos: {name}", len(photos), n=len(photos), name=Path(photos[-1]).name)
            if photos
            else ""
        )
        self.photos.setToolTip("\n".join(photos))

    def _checks(self, run: KeptRun) -> None:
        for at, verdict in self.session.logbook.checks_of(run.id):
            said = SAID.get(verdict.verdict, verdict.verdict)
            figures = tr("mean {mean:.2f}, 95th percentile {p95:.2f}", mean=verdict.mean, p95=verdict.p95)
            words = f"{said}, {clock(at)}: {figures}. {'; '.join(verdict.words)}"
            item = QTreeWidgetItem([f"   {verdict.chart or tr('Check')}", words])
            item.setToolTip(1, words)
            self.details.addTopLevelItem(item)

    def _compare(self, one: KeptRun, other: KeptRun) -> None:
        self.details.setHeaderLabels(["", tr("Run {id}", id=one.id), tr("Run {id}", id=other.id)])
        differ = compared(one, other)
        for row in differ:
            item = QTreeWidgetItem(list(row))
            for column in range(3):
                item.setToolTip(column, row[column])
            self.details.addTopLevelItem(item)
        if not differ:
            self.details.addTopLevelItem(QTreeWidgetItem([tr("They do not differ"), "", ""]))
        third = max(110, (self.details.viewport().width() - 6) // 3)
        self.details.header().resizeSection(0, third)
        self.details.header().resizeSection(1, third)

    # Doing -------------------------------------------------------------------------------------------------------

    def _again(self) -> None:
        runs = self.chosen()
        if len(runs) == 1:

            def order() -> None:
                number = self.session.queue.again(runs[0].id)
                self.session.say(
                    tr("Run {number} is in the queue: run {id} again, as it was.", number=number, id=runs[0].id)
                )
                self.go.emit("Print")

            self.guarded(order)

    def _export(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self, tr("Export the logbook"), "logbook.csv", tr("Table (*.csv);;Everything (*.json)")
        )
        if name:
            self.guarded(self._write, Path(name))

    def _write(self, path: Path) -> None:
        export(self._runs, path)
        count = len(self._runs)
        self.session.say(
            trn("{n} run is written to {name}.", "{n} runs are written to {name}.", count, n=count, name=path.name)
        )

    # Showing -----------------------------------------------------------------------------------------------------

    def _show_orders(self) -> None:
        """Show the profiles that are on order, each with the way to its desk."""
        clear(self._orders)
        for order in self.session.orders.waiting():
            state = self.session.orders.state(order)
            words = tr(
                "Ordered profile {number}, {maker}: {state}", number=order.number, maker=order.maker, state=state
            )
            show = button(
                tr("Show order"), lambda: self.go.emit("Ordered profile"), tr("The order, and what is to be done")
            )
            show.setAccessibleName(tr("Show order {number}", number=order.number))
            self._orders.addLayout(across((line(words, 9.5, bold=True), 1), show))

    def refresh(self) -> None:
        """Show the logbook as it is."""
        self._show_orders()
        logbook = self.session.logbook
        newest = logbook.runs(_LISTED)
        last = [r for r in newest if r.state in DONE]
        if len(newest) < _LISTED or not last:
            self._take(last)
            return
        # The last ones at once; those of many years follow beside the interface, and stay known.
        oldest = last[-1].id
        self._take([*last, *(r for r in self._every if r.id < oldest)])

        def take(every: list[KeptRun]) -> None:
            whole = [r for r in every if r.state in DONE]
            if whole != self._every:
                self._take(whole)

        def read() -> None:
            self.work.quietly(tr("the whole logbook"), lambda _: logbook.everything(), take)

        QTimer.singleShot(_LATER, self, read)

    def _take(self, every: list[KeptRun]) -> None:
        """Show these runs."""
        kept = self.card_is.currentData()
        names = sorted({r.card_name for r in every})
        self.card_is.clear()
        self.card_is.addItem(tr("every condition"), "")
        for name in names:
            self.card_is.addItem(name, name)
        self.card_is.setCurrentIndex(max(0, self.card_is.findData(kept)))
        self._every = every
        self._list()

    def _list(self) -> None:
        numbers = {int(item.data(0, _NUMBER)) for item in self.tree.selectedItems()}
        days = int(self.time_is.currentData() or 0)
        since = datetime.datetime.combine(datetime.date.today() - datetime.timedelta(days - 1), datetime.time())
        every = [r for r in self._every if not days or r.at >= since]
        runs = matching(every, self.search.text(), self.state_is.currentData() or "", self.card_is.currentData() or "")
        self._runs = runs
        self._read_icons(runs[:_LISTED])
        self.tree.blockSignals(True)
        self.tree.clear()
        self._add(runs[:_AT_ONCE], numbers)
        if len(runs) > _AT_ONCE:  # more than a window shows: the rest when it has been shown
            QTimer.singleShot(0, self, lambda: self._add_rest(runs))
        self.tree.blockSignals(False)
        took = totals(runs)
        self.title.setText(trn("{n:,} run", "{n:,} runs", len(runs), n=len(runs)) if runs else tr("No runs"))
        ink = sum(took.ink.values())
        self.state.setText(
            tr(
                "{printed:,} printed, on {square_metres:.2f} m² of media, with {ink:.1f} ml of ink.",
                printed=took.printed,
                square_metres=took.square_metres,
                ink=ink,
            )
            if runs
            else tr("What is printed is kept here, with everything that was sent, and can be printed again as it was.")
        )
        self.save.setEnabled(bool(runs))
        first = self.tree.topLevelItem(0)
        if not self.tree.selectedItems() and first is not None:
            self.tree.setCurrentItem(first)
        self._chosen()

    def _add_rest(self, runs: list[KeptRun]) -> None:
        if runs is self._runs and self.tree.topLevelItemCount() == _AT_ONCE:
            self.tree.blockSignals(True)
            self._add(runs[_AT_ONCE:_LISTED], {int(item.data(0, _NUMBER)) for item in self.tree.selectedItems()})
            self.tree.blockSignals(False)

    def _add(self, runs: list[KeptRun], selected: set[int]) -> None:
        """Add runs to the list, those selected that were."""
        for run in runs:
            said = SAID.get(run.verdict, "")
            item = QTreeWidgetItem([f"{run.id}\n{clock(run.at)}", run.title, run.card_name, tr(run.state), said])
            item.setData(0, _NUMBER, run.id)
            item.setToolTip(1, run.title + (f"\n{run.why}" if run.why else ""))
            if run.state == "failed" or said == tr("failed"):
                item.setFont(3 if run.state == "failed" else 4, font(9, font().Weight.DemiBold))
            item.setSizeHint(0, QSize(100, _ICON + 4))
            icon = self._icons.get(run.id)
            if icon is not None:
                item.setIcon(0, icon)
            self.tree.addTopLevelItem(item)
            item.setSelected(run.id in selected)

    def _read_icons(self, runs: list[KeptRun]) -> None:
        """Read the small pictures of runs that are listed for the first time, all at once, beside the interface."""
        missing = [r.id for r in runs if r.id not in self._icons]
        if not missing:
            return
        self._icons |= dict.fromkeys(missing, QIcon())  # asked for
        logbook = self.session.logbook

        def read(_progress: object) -> dict[int, NDArray[np.uint8]]:
            # Not by Qt: its reader of pictures takes a lock that is held while the interpreter's is waited for.
            found = {number: _icon(data) for number, data in logbook.thumbnails(missing).items()}
            return {number: pixels for number, pixels in found.items() if pixels is not None}

        def take(found: dict[int, NDArray[np.uint8]]) -> None:
            for number, small in found.items():
                self._icons[number] = _squared(to_image(small))
            for row in range(self.tree.topLevelItemCount()):
                item = self.tree.topLevelItem(row)
                if item is not None and (icon := self._icons.get(int(item.data(0, _NUMBER)))) is not None:
                    item.setIcon(0, icon)

        self.work.quietly(tr("pictures of the logbook"), read, take)

    def own_findings(self) -> list[Finding] | None:
        """Return nothing: the logbook tells what was."""
        return []

    def facts(self) -> list[tuple[str, str]]:
        """Return what the listed runs took of media and ink."""
        took = totals(self._runs)
        rows = [
            (tr("Printed"), tr("{printed:,} runs", printed=took.printed)),
            (tr("Media"), tr("{square_metres:.3f} m²", square_metres=took.square_metres)),
        ]
        return rows + [
            (tr("{tank} ink", tank=tr(tank).capitalize()), tr("{ml:.2f} ml", ml=ml)) for tank, ml in took.ink.items()
        ]


def _icon(data: bytes) -> NDArray[np.uint8] | None:
    """Return a kept small picture at the size of an icon (h, w, 3); None where it is none."""
    from PIL import Image

    try:
        with Image.open(io.BytesIO(data)) as kept:
            kept.thumbnail((_ICON, _ICON))
            return np.asarray(kept.convert("RGB"))
    except (OSError, ValueError, Image.DecompressionBombError):
        return None


def _squared(small: QImage) -> QIcon:
    """Return an icon of the size of all others, with a small picture in its middle."""
    square = QPixmap(_ICON, _ICON)
    square.fill(Qt.GlobalColor.transparent)
    painter = QPainter(square)
    painter.drawImage((_ICON - small.width()) // 2, (_ICON - small.height()) // 2, small)
    painter.end()
    icon = QIcon(square)
    icon.addPixmap(square, QIcon.Mode.Selected)
    return icon


def _room(words: Iterable[str]) -> int:
    """Return how wide a column must be for the longest of its words."""
    metrics = QFontMetrics(font(9, font().Weight.DemiBold))
    return max(map(metrics.horizontalAdvance, words)) + px(20)
