"""The pictures of a report: the check desk's plots, in the light theme whatever the window shows."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QBuffer, QByteArray, QIODevice
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QWidget

from fidele.check.report import Picture
from fidele.desk.check_plots import CastPlot, Distribution, RampPlot
from fidele.desk.kit import across
from fidele.desk.plots import Eyes, Vectors
from fidele.language import tr
from fidele.run.reading import Checked

_SIZE = (1000, 430)


def report_pictures(checked: Checked) -> tuple[Picture, ...]:
    """Return the pictures of a check: patches and shifts, distribution, the ramp of greys and its cast."""
    c = checked.comparison
    eyes, ab, lc, spread = Eyes(), Vectors(), Vectors(chroma=True), Distribution()
    eyes.set_chart(checked.chart, checked.index)
    for plot in (eyes, ab, lc, spread):
        plot.show_comparison(c)
    made = [
        Picture(
            tr("Patches: wanted, with the measured colour in the middle; shifts in a*b* and L*C*"), _png(eyes, ab, lc)
        ),
        Picture(tr("How many patches are within what ΔE00, and the limits"), _png(spread)),
    ]
    greys = next((r for r in checked.ramps if r.name == "black"), None)
    if greys is not None:
        ramp, cast = RampPlot(), CastPlot()
        ramp.show_ramp(greys, max(0.5, checked.uncertainty))
        cast.show_ramp(greys)
        made.append(Picture(tr("Greys: tone curve and steps; cast in a* (full) and b* (dashed)"), _png(ramp, cast)))
    return tuple(made)


def _png(*plots: Any) -> bytes:
    row = QWidget()
    layout = across(space=14, margins=(0, 0, 0, 0), on=row)
    for number, plot in enumerate(plots):
        layout.addWidget(plot, 3 if number == 0 and len(plots) > 1 else 2)
    row.resize(*_SIZE)
    row.setStyleSheet("background:white")
    picture = QPixmap(row.size())
    row.render(picture)
    held = QByteArray()
    buffer = QBuffer(held)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    picture.save(buffer, "PNG")  # type: ignore[call-overload]  # its stub asks for bytes, which it refuses
    return bytes(held.data())
