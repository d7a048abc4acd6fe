"""Ask what the columns of a table hold."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox, QDialog, QDialogButtonBox, QGridLayout, QWidget

from fidele.desk.kit import Choice, down
from fidele.desk.labels import label
from fidele.language import tr

#: What a column can hold, in words, and as CGATS calls it.
_HOLDS = {
    "nothing of use": "",
    "the patch": "SAMPLE_ID",
    "L*": "LAB_L",
    "a*": "LAB_A",
    "b*": "LAB_B",
    "X": "XYZ_X",
    "Y": "XYZ_Y",
    "Z": "XYZ_Z",
    "red": "RGB_R",
    "green": "RGB_G",
    "blue": "RGB_B",
}


class ColumnsDialog(QDialog):
    """One choice for each column, with its first values beside it."""

    def __init__(self, parent: QWidget, titles: list[str], rows: list[list[str]]) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("What do the columns hold?"))
        box = down(
            label(tr("It is not clear which columns hold L*a*b* or XYZ. Say what each one holds."), 9.5, wrap=True),
            on=self,
        )
        grid = QGridLayout()
        self.choices: dict[str, QComboBox] = {}
        for row, title in enumerate(titles):
            values = ", ".join(line[row] for line in rows if row < len(line))
            choice = Choice(tr("What {title} holds", title=title))
            choice.addItems(list(_HOLDS))
            choice.setAccessibleName(tr("What {title} holds", title=title))
            grid.addWidget(label(title, 9.5, bold=True), row, 0)
            grid.addWidget(label(values[:48], 8.5, dim=True), row, 1)
            grid.addWidget(choice, row, 2)
            self.choices[title] = choice
        box.addLayout(grid)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        box.addWidget(buttons)

    def columns(self) -> dict[str, str]:
        """Return what was chosen, by title; columns of no use are left out."""
        chosen = {title: _HOLDS[choice.currentText()] for title, choice in self.choices.items()}
        return {title: kind for title, kind in chosen.items() if kind}


def ask_columns(parent: QWidget, titles: list[str], rows: list[list[str]]) -> dict[str, str] | None:
    """Let a person say what the columns of a table hold; None where nobody did."""
    dialog = ColumnsDialog(parent, titles, rows)
    return dialog.columns() if dialog.exec() else None
