"""Write reports as PDF, laid out by Qt's text engine."""

from __future__ import annotations

import os
import re
import sys
from pathlib import Path

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QMarginsF, QUrl
from PySide6.QtGui import QGuiApplication, QImage, QPageLayout, QPageSize, QPdfWriter, QTextDocument

from fidele.check.report import Report
from fidele.desk.theme import font, load_fonts
from fidele.errors import FideleError
from fidele.files import write_bytes
from fidele.language import tr

#: Width of pictures on the page, in points.
_WIDE = 500


def write_report(path: Path, report: Report) -> None:
    """Write a report as PDF or HTML, by the ending of its name.

    Raises
    ------
    FideleError
        When it has another ending, or the file cannot be written.
    """
    ending = path.suffix.lower()
    if ending == ".pdf":
        write_pdf(path, report)
    elif ending in (".html", ".htm"):
        write_bytes(path, report.document().encode())
    else:
        raise FideleError(tr("{path}: a report is a .pdf or .html file.", path=path))


def write_pdf(path: Path, report: Report) -> None:
    """Write a report as PDF, whole or not at all; the bundled font is embedded.

    Raises
    ------
    FideleError
        When the file cannot be written.
    """
    if QGuiApplication.instance() is None:  # from a shell: no screen is needed to lay out text
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        _kept.append(QGuiApplication(sys.argv[:1]))
        load_fonts()
    document = QTextDocument()
    document.setDefaultFont(font(7.5))
    text = report.document()
    for number, picture in enumerate(report.pictures):
        image = QImage.fromData(QByteArray(picture.png))
        document.addResource(QTextDocument.ResourceType.ImageResource.value, QUrl(f"picture-{number}"), image)
        text = re.sub(r'src="data:image/png;base64,[^"]*"', f'src="picture-{number}" width="{_WIDE}"', text, count=1)
    # Made in memory: Qt says nothing of a disk that is full.
    held = QByteArray()
    buffer = QBuffer(held)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(buffer)
    writer.setTitle(report.title)
    writer.setCreator("Fidele")
    writer.setResolution(96)
    margins = QMarginsF(16, 14, 16, 14)
    upright, mm = QPageLayout.Orientation.Portrait, QPageLayout.Unit.Millimeter
    writer.setPageLayout(QPageLayout(QPageSize(QPageSize.PageSizeId.A4), upright, margins, mm))
    document.setHtml(text)
    document.print_(writer)
    del writer  # which ends the document
    buffer.close()
    write_bytes(path, bytes(held.data()))


#: The application that was made here must live as long as the process.
_kept: list[QGuiApplication] = []
