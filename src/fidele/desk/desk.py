"""What all desks have in common."""

from __future__ import annotations

import datetime
from pathlib import Path

from PySide6.QtCore import QPoint, QSettings, QTimer, Signal
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QHBoxLayout, QLabel, QWidget

from fidele.artwork.picture import Artwork
from fidele.chart.definition import Chart
from fidele.desk.kit import down, fill
from fidele.desk.labels import heading, label
from fidele.desk.theme import LIGHT, Theme, sheet
from fidele.desk.work import Work
from fidele.judge.finding import Finding
from fidele.language import tr
from fidele.session.model import Session

#: The window's setting that says that the way to a first print is not to be shown at the start any more.
FIRST_LEFT = "first print left"


class Desk(QWidget):
    """A station's desk: it shows the session and lets a person act on it."""

    station = ""
    #: Whether what lies on it is moved by hand and key: the next key may come before the next turn of the event loop,
    #: and has to find things where they are by now.
    by_hand = False
    #: Ask the window to open another station's desk; an empty name asks it to show anew what stands beside this one.
    go = Signal(str)
    #: Ask the window to let a person pick a file: 'artwork' or 'scan'.
    pick = Signal(str)
    #: Ask the window to do what a finding's button would (judge.finding.Action).
    acted = Signal(object)
    #: Ask the window to open a profile, by its id (an empty one goes back), to show its menu, and to try it.
    opened = Signal(str)
    menu_wanted = Signal(str, QPoint)
    trial_wanted = Signal(str)
    #: Ask the window to open a run in the logbook.
    run_wanted = Signal(int)
    #: Ask the window for a new condition, with a profile (by its id) or '' for none.
    making_wanted = Signal(str)
    #: Ask the window to take files (a list of paths), or what a supplier delivered (store.shelf.Delivery).
    files_wanted = Signal(list)
    arrived = Signal(object)
    #: Ask the window to write converted files, or the finished page as a file.
    convert_wanted = Signal()
    #: Write the picture in hand in a working or grey space, or for a printing condition elsewhere.
    house_wanted = Signal()
    file_wanted = Signal()
    title: QLabel
    state: QLabel
    #: What desks are made in: what lies in its place from the start is styled once.
    home: QWidget | None = None

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(Desk.home)
        self.setObjectName("desk")
        self.session = session
        self.work = work
        self.theme: Theme = LIGHT
        #: The theme whose style sheet it has.
        self.styled: Theme | None = None
        self.box = down(space=8, margins=(22, 16, 22, 16), on=self)

    def head(self) -> QHBoxLayout:
        """Return a row with title and state at its left, for buttons to follow at its right."""
        row = QHBoxLayout()
        words = down(space=3)
        self.title = heading("")
        self.title.setWordWrap(True)
        self.state = label("", 9.0, dim=True, wrap=True)
        fill(words, self.title, self.state)
        row.addLayout(words, 1)
        return row

    def restore(self, settings: QSettings) -> None:
        """Take up what was kept when the window was closed last."""

    def keep(self, settings: QSettings) -> None:
        """Keep what the next window is to take up."""

    def refresh(self) -> None:
        """Show the session as it is now."""

    def take_style(self, theme: Theme) -> None:
        """Take the style sheet of a theme, once: all that is on the desk is styled anew by it, which takes its time."""
        if self.styled is not theme:
            self.styled = theme
            self.setStyleSheet(sheet(theme))

    @property
    def unfinished(self) -> bool:
        """Whether a part of it is still to be put in its place."""
        return False

    def set_theme(self, theme: Theme) -> None:
        """Take another theme."""
        self.theme = theme
        self.refresh()

    def then_go(self, station: str) -> None:
        """Show another desk in an event of its own: what was pressed has had its time already."""
        QTimer.singleShot(0, self, lambda: self.go.emit(station))

    def own_findings(self) -> list[Finding] | None:
        """Return findings that the session does not know, None where its own are to be shown."""
        return None

    def pictures(self, finding: Finding) -> tuple[QImage, QImage] | None:
        """Return what a finding would do to the picture in hand: as it should be, and as it would come out."""
        return None

    def facts(self) -> list[tuple[str, str]]:
        """Return names and values for beside the desk."""
        return []

    def extra(self) -> list[QWidget]:
        """Return further sections for beside the desk."""
        return []

    def lay_chart(self, chart: Chart, page: int = 0, bare: bool = False) -> None:
        """Lay a page of a chart on the sheet, drawn beside the interface, and open the desk that prints it."""
        charts, card = self.session.charts, self.session.card

        def done(drawn: Artwork) -> None:
            if self.session.card != card:  # it says by which condition it is printed: drawn anew for the one in force
                self.guarded(self.lay_chart, chart, page, bare)
                return
            if self.guarded(charts.take, chart, page, bare, drawn):
                self.then_go("Print")

        title = tr("Drawing “{title}”, page {page}", title=chart.title, page=page + 1)
        self.work.run(title, charts.drawing(chart, page, bare), done, "sheet")

    def guarded(self, call: object, *arguments: object) -> bool:
        """Do something that a person asked for; tell whether it went well, else what went wrong is said in the foot."""
        from fidele.errors import FideleError

        try:
            call(*arguments)  # type: ignore[operator]
        except FideleError as error:
            self.session.warn(str(error))
            return False
        return True


def clock(when: datetime.datetime | None) -> str:
    """Return a time of day, with the day where it is not today."""
    if when is None:
        return ""
    today = datetime.date.today()
    return f"{when:%H:%M}" if when.date() == today else f"{when:%d.%m. %H:%M}"


def short(path: Path) -> str:
    """Return a file's name without its ending."""
    return path.stem if path.suffix else path.name
