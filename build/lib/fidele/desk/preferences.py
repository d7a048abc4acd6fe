"""What a person sets once: size of type, theme, and the units of lengths, heat and pressure."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict

from PySide6.QtCore import QSettings, Signal, SignalInstance
from PySide6.QtGui import QFont, QGuiApplication
from PySide6.QtWidgets import QDialog, QDialogButtonBox, QFormLayout, QWidget

from fidele import language, units
from fidele.desk.kit import across, ask, choice, down
from fidele.desk.labels import button, label
from fidele.desk.theme import THEMES, scale
from fidele.language import tr
from fidele.session.measures import Measures

_KEY = tr("type size")
#: Sizes of type to choose from, in per cent; 0 follows the desktop.
_SIZES = (0, 80, 90, 100, 110, 125, 150, 175, 200)
#: What desktops set their type to as a rule, in points, and up to where that is no wish for larger type.
_USUAL, _NEAR = 10.0, 11.5


def desktop_scale(desktop: QFont) -> float:
    """Return how large type is to be by a desktop's own font: 1 where it is set as usual."""
    points = desktop.pointSizeF()
    return 1.0 if points <= _NEAR and points >= 0.8 * _USUAL else max(0.8, points / _USUAL) if points > 0 else 1.0


def wanted_scale(settings: QSettings, desktop: QFont) -> float:
    """Return how large type is to be: as a person set it, else as the desktop says."""
    said = _kept(settings)
    return said / 100 if said else desktop_scale(desktop)


def _kept(settings: QSettings) -> int:
    """Return the size in per cent that was set, 0 where none was, or none that is offered."""
    said = str(settings.value(_KEY, 0))
    return int(said) if said in map(str, _SIZES) else 0


class Preferences(QDialog):
    """Lets a person set them; each takes effect at once, type when the window is opened anew."""

    theme_chosen = Signal(str)
    reopen = Signal()
    #: The whole workshop is to be written into a file, or to be put back from one.
    backup_wanted = Signal()
    restore_wanted = Signal()

    def __init__(self, settings: QSettings, measures: Measures, theme: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Settings"))
        self._settings = settings
        sizes = [
            (s, f"{s} %" if s else tr("as the desktop says ({desktop:.0f} %)", desktop=self._desktop())) for s in _SIZES
        ]
        self.type = choice(tr("Size of type"), sizes, chosen=lambda _: self._typed())
        self.type.setCurrentIndex(max(0, self.type.findData(_kept(settings))))
        self.again = button(tr("Open the window anew"), self._again, tr("The work in hand is kept, and opens as it is"))
        self.again.setEnabled(False)
        self.theme = choice(
            tr("Theme"), [(name, _THEMES.get(name, name)) for name in THEMES], chosen=lambda _: self._theme()
        )
        self.theme.setCurrentIndex(self.theme.findData(theme))
        form = QFormLayout()
        ask(form, tr("Size of type"), self.type)
        form.addRow("", across(self.again, (label("", 8.5), 1)))
        ask(form, tr("Theme"), self.theme)
        self.units = {}
        for kind, words in (("length", tr("Lengths")), ("heat", tr("Temperatures")), ("pressure", tr("Pressure"))):
            names = [(name, _NAMES.get(name, name)) for name in units.choices(kind)]  # type: ignore[arg-type]
            box = choice(words, names)
            box.setCurrentIndex(box.findData(asdict(units.chosen())[kind]))
            box.activated.connect(lambda _, k=kind, b=box: measures.choose(**{k: b.currentData()}))
            self.units[kind] = box
            ask(form, words, box)
        note = tr("They hold for the shell and for reports as well; files and JSON are always in mm, °C and bar.")
        form.addRow("", label(note, 8.5, dim=True, wrap=True))
        spoken = [("", tr("as the desktop says")), *language.LANGUAGES.items()]
        self.language = choice(tr("Language"), spoken, chosen=lambda _: self._language())
        self.language.setCurrentIndex(max(0, self.language.findData(language.chosen())))
        ask(form, tr("Language"), self.language)
        self.next_start = label("", 8.5, dim=True, wrap=True)
        form.addRow("", self.next_start)
        self.backup = button(
            tr("Back up …"), self._leave_for(self.backup_wanted), tr("Everything of the workshop in one file")
        )
        self.restore = button(
            tr("Restore …"),
            self._leave_for(self.restore_wanted),
            tr("A backup in the place of this workshop, which is kept beside it; the window opens anew"),
        )
        form.addRow(tr("Workshop"), across(self.backup, self.restore, (label("", 8.5), 1)))
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        buttons.rejected.connect(self.reject)
        down(form, buttons, on=self)

    @staticmethod
    def _desktop() -> float:
        return 100 * desktop_scale(QGuiApplication.font())

    def _typed(self) -> None:
        self._settings.setValue(_KEY, self.type.currentData())
        wanted = self.type.currentData() / 100 or 1.0
        self.again.setEnabled(abs(wanted - scale()) > 0.01)

    def _again(self) -> None:
        self.accept()
        self.reopen.emit()

    def _leave_for(self, wanted: SignalInstance) -> Callable[[], None]:
        def leave() -> None:
            self.accept()
            wanted.emit()

        return leave

    def _language(self) -> None:
        try:
            language.choose(self.language.currentData())
        except OSError as error:
            self.next_start.setText(tr("The choice cannot be kept: {reason}.", reason=error.strerror))
        else:
            self.next_start.setText(tr("Fidele speaks it when it is opened anew, and in the shell from now on."))
            self.again.setEnabled(True)

    def _theme(self) -> None:
        self.theme_chosen.emit(self.theme.currentData())


_NAMES = {"mm": tr("millimetres (mm)"), "in": tr("inches (in)"), "°C": tr("Celsius (°C)"), "°F": tr("Fahrenheit (°F)")}
_THEMES = {"light": tr("light grey"), "booth": tr("booth grey, for judging colour")}
