"""The chart maker: which chart, on what, how; and how it is to be printed."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QFileDialog,
    QFormLayout,
    QRadioButton,
    QSizePolicy,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from fidele import units
from fidele.chart.definition import Chart
from fidele.chart.family import KINDS
from fidele.chart.visual import VISUAL
from fidele.desk.desk import Desk
from fidele.desk.flow import Flow
from fidele.desk.kit import REST, across, ask, choice, down, fill
from fidele.desk.labels import button, label, section
from fidele.desk.numbers import Quantity
from fidele.desk.picture import to_image
from fidele.desk.theme import LIGHT, Theme, font
from fidele.desk.work import Work
from fidele.errors import FideleError
from fidele.judge.chart import chart_findings
from fidele.judge.finding import Finding
from fidele.language import tr, trn
from fidele.run.chart_page import chart_page
from fidele.session.charts import ChartOrder
from fidele.session.model import Session
from fidele.tiles import Progress


class PageView(QWidget):
    """A page of a chart, whole, as it will be printed: bare numbers stand for a predicted print nowhere else."""

    def __init__(self) -> None:
        super().__init__()
        self.theme: Theme = LIGHT
        self.image = QImage()
        self.setMinimumSize(240, 300)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName(tr("Page of the chart"))

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.fillRect(self.rect(), self.theme.colour("surround"))
            if self.image.isNull():
                return
            room = self.rect().adjusted(18, 18, -18, -18)
            shown = self.image.scaled(
                room.size(), Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
            )
            x, y = (self.width() - shown.width()) // 2, (self.height() - shown.height()) // 2
            painter.fillRect(x + 3, y + 3, shown.width(), shown.height(), QColor(80, 80, 80))
            painter.drawImage(x, y, shown)


class ChartsDesk(Desk):
    """Choose a chart and lay it on the sheet."""

    station = "Charts"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        #: The page that is shown or being drawn: chart, number, condition, and whether it is bare.
        self._wanted: tuple[object, ...] | None = None
        self.box.addLayout(self.head())
        head = Flow(space=8)
        self.bring = button(
            tr("Bring a definition …"), self._bring, tr("Somebody's chart: CGATS or CxF3 with RGB values"), quiet=True
        )
        self.save = button(
            tr("Save the definition …"),
            self._save,
            tr("As CGATS, with the colours that the profile predicts"),
            quiet=True,
        )
        self.take = button(
            tr("Lay it on the sheet"), self._take, tr("In place of the artwork; then print it"), main=True
        )
        for made in (self.bring, self.save, self.take):
            head.addWidget(made)
        self.box.addLayout(head)
        row = across((self._form(), 4), space=20)
        self.view = PageView()
        row.addWidget(self.view, 5)
        self.box.addLayout(row, 1)
        self.made: Chart | None = None
        self._brought: Chart | None = None
        self._wrong = ""
        self._for: object = None

    def _form(self) -> QVBoxLayout:
        column = down(space=7)
        form = QFormLayout()
        form.setVerticalSpacing(8)
        self.kind = choice(
            tr("Chart"), [*((k.name, k.title) for k in KINDS.values()), (VISUAL, tr("Visual page, by eye"))]
        )
        self.kind.setCurrentIndex(1)
        self.page = choice(
            tr("Sheet or blank"), [("", tr("as usual, A4")), *((p, p) for p in self.session.charts.pages())]
        )
        self.patch = Quantity("length", 1)
        self.patch.setRange(0, 60)
        self.patch.setSpecialValueText(tr("as suits it"))
        self.patch.setFont(font(9))
        self.patch.setAccessibleName(tr("Width of a patch"))
        self.patch.lineEdit().setTextMargins(5, 0, 0, 0)
        for name, widget in ((tr("Chart"), self.kind), (tr("On"), self.page), (tr("Patches"), self.patch)):
            ask(form, name, widget)
        column.addLayout(form)
        self.purpose = label("", 9, dim=True, wrap=True)
        column.addWidget(self.purpose)
        self.scrambled = QCheckBox(tr("Scrambled, against banding"))
        self.even = QCheckBox(tr("Even in L*a*b* for this printer, by its profile"))
        self.customers = QCheckBox(tr("With the customer colours in hand"))
        for box in (self.scrambled, self.even, self.customers):
            box.setFont(font(9))
            column.addWidget(box)
        fill(column, 6, section(tr("How it is printed")))
        self._ways = QButtonGroup(self)
        self.through = QRadioButton(tr("Through the condition, to verify"))
        self.bare = QRadioButton(tr("Nothing converts, to characterise"))
        for number, way in enumerate((self.through, self.bare)):
            way.setFont(font(9))
            self._ways.addButton(way, number)
            column.addWidget(way)
        self.through.setChecked(True)
        column.addSpacing(6)
        pages = across(label(tr("Page"), 9.5))
        self.number = QSpinBox()
        self.number.setFont(font(9))
        self.number.setMinimum(1)
        self.number.setAccessibleName(tr("Page"))
        self.number.lineEdit().setTextMargins(5, 0, 0, 0)
        pages.addWidget(self.number)
        self.of = label("", 9, dim=True)
        pages.addWidget(self.of, 1)
        fill(column, pages, REST)
        self.kind.activated.connect(self._kind)
        self.page.activated.connect(lambda _: self._changed())
        self.patch.valueChanged.connect(lambda _: self._changed())
        self.number.valueChanged.connect(lambda _: self._changed())
        for toggle in (self.scrambled, self.even, self.customers, self.through, self.bare):
            toggle.toggled.connect(lambda _: self._changed())
        self.scrambled.setChecked(True)
        self.even.setChecked(True)
        return column

    def order(self) -> ChartOrder:
        """Return what is chosen."""
        return ChartOrder(
            self.kind.currentData(),
            self.page.currentData(),
            self.patch.value(),
            self.scrambled.isChecked(),
            self.even.isChecked(),
            self.customers.isChecked(),
            self.bare.isChecked(),
        )

    def _kind(self, _index: int) -> None:
        self._brought = None
        name = self.kind.currentData()
        self.scrambled.setChecked(name in KINDS and KINDS[name].scrambled)
        self.bare.setChecked(name.startswith("full") or name == "target")
        self.through.setChecked(not self.bare.isChecked())
        self._changed()

    def _changed(self) -> None:
        if hasattr(self, "view"):
            self.go.emit("")
            self.refresh()

    def _make(self) -> None:
        """Make the chart anew where something that counts has changed."""
        session = self.session
        order = self.order()
        colours = tuple(c.name for c in session.customers.colours) if order.customers else ()
        key = (order, session.profile and session.profile.content_id, colours, id(self._brought))
        if key == self._for:
            return
        self._for = key
        self._wrong = ""
        try:
            self.made = self._brought or session.charts.made(order)
        except FideleError as error:
            self.made, self._wrong = None, str(error)

    def refresh(self) -> None:
        """Show the chart as it is chosen."""
        session, chosen = self.session, self.kind.currentData()
        kind = KINDS.get(chosen)
        full = chosen.startswith("full") or chosen == "swatches"
        self.even.setVisible(full)
        self.even.setEnabled(session.profile is not None)
        visual = chosen == VISUAL
        for widget in (self.page, self.patch, self.scrambled, self.customers):
            widget.setEnabled(not visual and self._brought is None)
        self.purpose.setText(tr("To be judged by eye, where there is no scanner.") if kind is None else kind.purpose)
        self._make()
        chart = self.made
        self.take.setEnabled(chart is not None and session.card is not None)
        self.save.setEnabled(chart is not None and not visual)
        if chart is None:
            self.title.setText(tr("Make a chart"))
            self.state.setText(self._wrong)
            self._wanted = None
            self.view.image = QImage()
            self.view.update()
            return
        self.number.blockSignals(True)
        self.number.setMaximum(chart.pages)
        self.number.blockSignals(False)
        self.of.setText(tr("of {pages}", pages=chart.pages))
        self.title.setText(chart.title)
        patches = tr("no patches: it is judged by eye") if visual else tr("{n} patches", n=len(chart.ids))
        size = units.size(*chart.layout.page)
        self.state.setText(
            trn(
                "{patches} on {pages} page of {size}, each {length} wide. Its mark is {digest}.",
                "{patches} on {pages} pages of {size}, each {length} wide. Its mark is {digest}.",
                chart.pages,
                patches=patches,
                pages=chart.pages,
                size=size,
                length=units.length(chart.layout.patch, 1),
                digest=chart.digest,
            )
        )
        self.view.theme = self.theme
        number, card, bare = self.number.value() - 1, session.card, self.bare.isChecked()
        if (wanted := (chart.digest, number, card, bare)) == self._wanted:
            return
        self._wanted = wanted

        def drawing(_: Progress) -> NDArray[np.uint8]:
            return np.ascontiguousarray(chart_page(chart, number, card, 0, bare).pixels[::3, ::3] >> 8).astype(np.uint8)

        def done(small: NDArray[np.uint8]) -> None:
            if self._wanted == wanted:
                self.view.image = to_image(small)
                self.view.update()

        self.work.quietly("chart page", drawing, done)

    def _take(self) -> None:
        if self.made is not None:
            self.guarded(self.lay_chart, self.made, self.number.value() - 1, self.bare.isChecked())

    def _save(self) -> None:
        if self.made is None:
            return
        name, _ = QFileDialog.getSaveFileName(
            self, tr("Save the definition"), f"{self.made.name}.txt", tr("CGATS (*.txt)")
        )
        if name and self.guarded(self.session.charts.export, self.made, Path(name)):
            self.session.say(tr("The definition is in {name}.", name=name))

    def _bring(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, tr("Bring a definition"), "", tr("Definitions (*.txt *.cgats *.cxf *.xml)")
        )
        if name:
            self.bring_file(Path(name))

    def bring_file(self, path: Path) -> None:
        """Take somebody's definition."""

        def take(brought: Chart) -> None:
            self._brought = brought
            self._changed()

        bring = self.session.charts.bring
        self.work.run(tr("Reading {name}", name=path.name), lambda _: bring(path), take, lane="opening")

    def own_findings(self) -> list[Finding]:
        """Return what stands against printing it as chosen."""
        return list(chart_findings(self.session.chain, self.bare.isChecked(), self.kind.currentData()))

    def facts(self) -> list[tuple[str, str]]:
        """Return what the page will say of itself."""
        card = self.session.card
        if card is None or self.made is None:
            return []
        return [
            (tr("Printed on it"), tr("chart, page, condition, media, day and run, in small print and as a code")),
            (tr("Condition"), card.name),
            (
                tr("For charts"),
                tr("press them on a flat piece of {substrate}", substrate=card.substrate)
                if card.process == "transfer"
                else card.media,
            ),
        ]
