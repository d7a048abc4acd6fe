"""Buttons that stay down, pressed by any hand: a screen reader toggles them, which Qt does not tell as a click."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QAbstractButton, QPushButton

if TYPE_CHECKING:
    _Base = QAbstractButton
else:
    _Base = object


class ByAnyHand(_Base):
    """To be mixed into a button: tells a toggle from outside (the accessibility bus) as the click that it is meant as.

    What our own code checks, and what a click changes, is known by its way in: neither is told twice.
    """

    _ours = False

    def watch_toggles(self) -> None:
        """To be called once the button is made."""
        self.toggled.connect(self._toggled)

    def setChecked(self, on: bool) -> None:
        self._ours = True
        super().setChecked(on)
        self._ours = False

    def nextCheckState(self) -> None:
        self._ours = True
        super().nextCheckState()
        self._ours = False

    def _toggled(self, on: bool) -> None:
        group = self.group()
        exclusive = self.autoExclusive() or (group is not None and group.exclusive())
        if not self._ours and (on or not exclusive):  # of several, the others go up by themselves
            self.clicked[bool].emit(on)  # type: ignore[index]


class Press(ByAnyHand, QPushButton):
    """The window's button."""

    def __init__(self, text: str) -> None:
        super().__init__(text)
        self.watch_toggles()
