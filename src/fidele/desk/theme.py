"""Two themes in strictly neutral greys (a* = b* = 0): light, and the mid-grey booth for judging colour."""

from __future__ import annotations

from importlib import resources

from PySide6.QtGui import QColor, QFont, QFontDatabase

from fidele.dataclass import dataclass

FAMILY = "Inter"


@dataclass(frozen=True)
class Theme:
    """Grey levels from 0 to 255 for every part of the window."""

    name: str
    thread: int
    shelf: int
    desk: int
    panel: int
    card: int
    field: int
    line: int
    strong: int
    text: int
    dim: int
    faint: int
    press: int
    press_text: int
    surround: int

    def colour(self, part: str) -> QColor:
        """Return a part's colour."""
        level = getattr(self, part)
        return QColor(level, level, level)

    def hex(self, part: str) -> str:
        """Return a part's colour for a style sheet."""
        return self.colour(part).name()


LIGHT = Theme("light", 230, 214, 236, 226, 246, 250, 200, 118, 20, 80, 166, 24, 250, 119)
BOOTH = Theme("booth", 80, 72, 88, 80, 96, 92, 64, 186, 245, 224, 140, 235, 30, 119)
THEMES = {t.name: t for t in (LIGHT, BOOTH)}


_scale = [1.0]


def set_scale(factor: float) -> None:
    """Let type, and what is measured by it, be so many times as large from now on: 0.8 to 2."""
    _scale[0] = min(2.0, max(0.8, factor))


def scale() -> float:
    """Return how large type is, 1 for as designed."""
    return _scale[0]


def px(pixels: float) -> int:
    """Return a size that goes with the type, in pixels, of one at the designed size."""
    return round(pixels * _scale[0])


def load_fonts() -> None:
    """Register the bundled font; without it an offscreen window shows no text."""
    folder = resources.files("fidele") / "data" / "fonts"
    for name in ("Inter-Regular.otf", "Inter-SemiBold.otf", "Inter-Bold.otf"):
        QFontDatabase.addApplicationFontFromData((folder / name).read_bytes())


def font(points: float = 9.5, weight: QFont.Weight = QFont.Weight.Normal) -> QFont:
    """Return the interface's font with tabular figures."""
    made = QFont(FAMILY)
    made.setPixelSize(round(points * 1.333 * _scale[0]))
    made.setWeight(weight)
    made.setFeature(QFont.Tag("tnum"), 1)
    return made


def sheet(theme: Theme) -> str:
    """Return the style sheet of a theme."""
    c = theme.hex
    tick = (
        resources.files("fidele") / "data" / "icons" / ("tick-light.svg" if theme.name == "light" else "tick-dark.svg")
    )
    return f"""
    * {{ color: {c("text")}; placeholder-text-color: {c("dim")}; outline: none; }}
    QMainWindow, QDialog, QStackedWidget, QWidget#desk {{ background: {c("desk")}; }}
    QWidget#shelf {{ background: {c("shelf")}; }}
    QWidget#panel, QWidget#foot {{ background: {c("panel")}; }}
    QWidget#thread {{ background: {c("thread")}; }}
    QScrollArea, QScrollArea > QWidget > QWidget#inside {{ background: transparent; border: none; }}
    QLabel {{ background: transparent; }}
    QLabel[dim="true"] {{ color: {c("dim")}; }}
    QToolTip {{ background: {c("card")}; color: {c("text")}; border: 1px solid {c("strong")}; padding: 4px; }}
    QPushButton, QToolButton {{ background: {c("field")}; border: 1px solid {c("strong")}; border-radius: 4px; padding: 5px 11px; }}
    QPushButton:hover, QToolButton:hover {{ border-color: {c("text")}; }}
    QPushButton:focus, QToolButton:focus, QComboBox:focus, QAbstractSpinBox:focus, QLineEdit:focus, QCheckBox:focus,
        QRadioButton:focus
        {{ border: 2px solid {c("text")}; padding: 4px 10px; }}
    QCheckBox, QRadioButton {{ spacing: 7px; padding: 3px 9px 3px 3px; border: 1px solid transparent; }}
    QCheckBox:focus, QRadioButton:focus {{ padding: 2px 8px 2px 2px; }}
    QCheckBox::indicator {{ width: 13px; height: 13px; border: 1px solid {c("dim")}; border-radius: 3px; background: {c("field")}; }}
    QCheckBox::indicator:checked {{ background: {c("press")}; border-color: {c("press")}; image: url("{tick}"); }}
    QListView::indicator {{ width: 13px; height: 13px; border: 1px solid {c("dim")}; border-radius: 3px; background: {c("field")}; }}
    QListView::indicator:checked {{ background: {c("press")}; border-color: {c("press")}; image: url("{tick}"); }}
    QPushButton:disabled {{ color: {c("faint")}; border-color: {c("line")}; background: transparent; }}
    QPushButton[main="true"] {{ background: {c("press")}; color: {c("press_text")}; border-color: {c("press")}; font-weight: 600; }}
    QPushButton[main="true"]:disabled {{ background: {c("line")}; color: {c("dim")}; border-color: {c("line")}; }}
    QPushButton:checked {{ background: {c("press")}; color: {c("press_text")}; border-color: {c("press")}; }}
    QPushButton[quiet="true"] {{ border-color: transparent; background: transparent; padding: 3px 6px; }}
    QPushButton[quiet="true"]:hover, QPushButton[quiet="true"]:focus {{ border: 1px solid {c("strong")}; padding: 3px 6px; }}
    QPushButton[says="true"], QPushButton[says="true"]:hover, QPushButton[says="true"]:focus {{ text-align: left; padding: 2px 0; }}
    QComboBox, QAbstractSpinBox, QLineEdit {{ background: {c("field")}; border: 1px solid {c("strong")}; border-radius: 4px;
        padding: 3px 8px; min-height: {px(20)}px; selection-background-color: {c("press")}; selection-color: {c("press_text")}; }}
    QComboBox:focus, QAbstractSpinBox:focus, QLineEdit:focus {{ padding: 2px 7px; }}
    QAbstractSpinBox {{ padding: 3px 4px; }}
    QAbstractSpinBox::up-button, QAbstractSpinBox::down-button {{ width: 0; border: none; }}
    QAbstractSpinBox QLineEdit, QAbstractSpinBox QLineEdit:focus {{ border: none; padding: 0 0 0 7px; background: transparent; min-height: 0; }}
    QComboBox[slim="true"] {{ padding: 1px 3px; min-height: 16px; }}
    QComboBox::drop-down {{ border: none; width: 16px; }}
    QComboBox::down-arrow {{ image: none; width: 0; height: 0; border-left: 4px solid {c("field")}; border-right: 4px solid {c("field")};
        border-top: 5px solid {c("dim")}; margin-right: 8px; }}
    QComboBox QAbstractItemView, QMenu {{ background: {c("card")}; border: 1px solid {c("strong")};
        selection-background-color: {c("press")}; selection-color: {c("press_text")}; }}
    QTreeWidget {{ background: {c("field")}; border: 1px solid {c("line")}; selection-background-color: {c("press")};
        selection-color: {c("press_text")}; }}
    QTreeWidget::item {{ padding: 2px 9px 2px 2px; }}
    QHeaderView::section {{ background: {c("panel")}; color: {c("dim")}; border: none; padding: 3px 6px; }}
    QMenu::item {{ padding: 5px 14px; }}
    QMenu::item:selected {{ background: {c("press")}; color: {c("press_text")}; }}
    QListView {{ background: transparent; border: none; }}
    QListView:focus, QScrollArea:focus {{ border: 1px solid {c("strong")}; border-radius: 3px; }}
    QTreeWidget:focus, QTableView:focus {{ border: 2px solid {c("text")}; }}
    QTabWidget::pane {{ border: 1px solid {c("line")}; }}
    QTabBar::tab {{ padding: 6px 13px; border: 1px solid transparent; border-bottom: 1px solid {c("line")}; }}
    QTabBar::tab:selected {{ border: 1px solid {c("line")}; border-bottom: 2px solid {c("text")}; }}
    QTabBar::tab:focus {{ border: 2px solid {c("text")}; padding: 5px 12px; }}
    QTextBrowser {{ background: {c("field")}; border: 1px solid {c("line")}; selection-background-color: {c("press")};
        selection-color: {c("press_text")}; }}
    QSlider::groove:horizontal {{ height: 4px; background: {c("line")}; border-radius: 2px; }}
    QSlider::handle:horizontal {{ width: 14px; margin: -6px 0; background: {c("press")}; border: 1px solid {c("field")}; border-radius: 7px; }}
    QSlider::handle:horizontal:focus {{ border: 2px solid {c("text")}; background: {c("field")}; }}
    QSlider {{ min-height: 20px; }}
    QListWidget::item {{ padding: 3px 8px; border-radius: 3px; }}
    QListWidget::item:hover {{ background: {c("card")}; }}
    QListWidget::item:selected {{ background: {c("card")}; color: {c("text")}; }}
    QListWidget:focus {{ border: 1px solid {c("strong")}; border-radius: 3px; }}
    QFrame#card {{ background: {c("card")}; border: 1px solid {c("line")}; border-radius: 4px; }}
    QFrame#card[strong="true"] {{ border: 2px solid {c("text")}; }}
    QFrame#rule {{ background: {c("line")}; border: none; }}
    QProgressBar {{ background: {c("line")}; border: none; border-radius: 3px; height: 6px; }}
    QProgressBar::chunk {{ background: {c("press")}; border-radius: 3px; }}
    QScrollBar:vertical {{ background: transparent; width: 9px; }}
    QScrollBar::handle:vertical {{ background: {c("faint")}; border-radius: 4px; min-height: 30px; }}
    QScrollBar:horizontal {{ background: transparent; height: 9px; }}
    QScrollBar::handle:horizontal {{ background: {c("faint")}; border-radius: 4px; min-width: 30px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
    """
