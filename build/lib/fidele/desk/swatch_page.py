"""Ask a measured chart for a colour: which patch prints it nearest, and which input values reach it."""

from __future__ import annotations

import numpy as np
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout

from fidele.chart.swatch import between_patches, nearest_patches
from fidele.check.statistics import relative_to_white
from fidele.desk.check_pages import Page
from fidele.desk.kit import REST, choice, entry, fill
from fidele.desk.labels import button, clear, label
from fidele.desk.theme import px
from fidele.errors import FideleError
from fidele.language import named, tr
from fidele.proof.soft import show
from fidele.proof.typed import colour_written
from fidele.run.reading import Checked
from fidele.session.model import Session


class SwatchPage(Page):
    """Type a colour; get the nearest patches, and the values between them."""

    title, tip = named("Swatches"), tr("Which input values print a wanted colour nearest")

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._checked: Checked | None = None
        self.box.addWidget(
            label(
                tr(
                    "Any chart that was measured will do, no profile is needed; the swatch book has most to pick "
                    "from, and carries the numbers to type on each field."
                ),
                9.5,
                dim=True,
                wrap=True,
            )
        )
        row = QHBoxLayout()
        self.typed = entry(tr("Wanted colour"), hint=tr("a colour: #1fa7a0, 31 167 160, or Lab 60 -35 -5"), points=10)
        self.typed.returnPressed.connect(self.ask)
        row.addWidget(self.typed, 1)
        self.customers = choice(
            tr("Customer colours"),
            tip=tr("Customer colours in hand; they are picked from the picture on the colours desk (F2)"),
            chosen=self._customer,
        )
        fill(row, self.customers, button(tr("Find it"), self.ask, tr("Find the patches that print nearest"), main=True))
        self.box.addLayout(row)
        self.said = label("", 9.5, wrap=True)
        self.box.addWidget(self.said)
        self.found = QGridLayout()
        self.found.setHorizontalSpacing(14)
        self.found.setVerticalSpacing(6)
        fill(self.box, self.found, REST)

    @property
    def there(self) -> bool:
        """Whether a chart was measured that can be asked."""
        return self._checked is not None

    def show_check(self, checked: Checked) -> None:
        self._checked = checked

    def refresh(self) -> None:
        """List the customer colours as they are now."""
        self.customers.clear()
        self.customers.addItem(tr("picked from artwork …"))
        self.customers.addItems([c.name for c in self._session.customers.colours])
        self.customers.setEnabled(self.customers.count() > 1)

    def _customer(self, index: int) -> None:
        if index > 0:
            L, a, b = self._session.customers.colours[index - 1].Lab
            self.typed.setText(tr("Lab {l:.2f} {a:.2f} {b:.2f}", l=L, a=a, b=b))
            self.ask()

    def ask(self) -> None:
        """Find what was typed."""
        checked = self._checked
        clear(self.found)
        if checked is None:
            self.said.setText(tr("Print, press and measure a chart first."))
            return
        try:
            wanted = np.asarray(colour_written(self.typed.text()), dtype=float)
        except FideleError as error:
            self.said.setText(str(error))
            return
        rgb, measured = checked.chart.rgb[checked.index], checked.measured.Lab
        # What is asked for is meant on this material: its white, or the lightest patch, is the white.
        Lab = relative_to_white(measured, measured[measured[:, 0].argmax()])
        blend = between_patches(wanted, rgb, Lab)
        picks = nearest_patches(wanted, checked.measured.ids, rgb, Lab)
        values = " ".join(f"{v * 255:.0f}" for v in blend.rgb)
        self.said.setText(
            tr(
                "Between patches: input RGB {values} should print within ΔE00 {de00:.1f} of it.",
                values=values,
                de00=blend.de00,
            )
        )
        for row, pick in enumerate((blend, *picks)):
            for column, colour in enumerate((wanted, pick.Lab)):
                patch = QFrame()
                patch.setFixedSize(px(64), px(34))
                red, green, blue = (int(v) for v in show(colour.astype(np.float32)[None])[0])
                patch.setStyleSheet(f"background:{QColor(red, green, blue).name()}")
                self.found.addWidget(patch, row, column)
            name = tr("patch {patch}", patch=pick.patch) if pick.patch else tr("between patches")
            values = " ".join(f"{v * 255:.0f}" for v in pick.rgb)
            self.found.addWidget(label(name, 9.5, bold=True), row, 2)
            self.found.addWidget(
                label(tr("input RGB {values}, ΔE00 {de00:.1f}", values=values, de00=pick.de00), 9.5), row, 3
            )
        self.found.setColumnStretch(3, 1)
