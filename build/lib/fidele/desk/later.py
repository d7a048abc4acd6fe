"""Ask at what time a run may begin."""

from __future__ import annotations

import datetime

from PySide6.QtCore import QTime
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QTimeEdit, QWidget

from fidele.desk.kit import down
from fidele.desk.labels import label
from fidele.desk.theme import font
from fidele.language import tr


class LaterDialog(QDialog):
    """Asks at what time a run may begin."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Print it later"))
        box = down(label(tr("Not before"), 9.5), on=self)
        self.time = QTimeEdit(QTime.currentTime().addSecs(3600))
        self.time.setDisplayFormat("HH:mm")
        self.time.setFont(font(10))
        self.time.setAccessibleName(tr("Not before this time"))
        box.addWidget(self.time)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        box.addWidget(buttons)

    def when(self) -> datetime.datetime:
        """Return the next moment at which it is this time of day."""
        now = datetime.datetime.now()
        at = self.time.time()
        today = now.replace(hour=at.hour(), minute=at.minute(), second=0, microsecond=0)
        return today if today > now else today + datetime.timedelta(days=1)
