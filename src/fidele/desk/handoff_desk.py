"""The hand-off desk: what the card calls for beside what the driver is set to, and what comes of it."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QImage, QPainter, QPaintEvent
from PySide6.QtWidgets import (
    QApplication,
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from fidele.desk.desk import Desk, clock
from fidele.desk.labels import button, clear, heading, label, line, section
from fidele.desk.picture import to_image
from fidele.desk.theme import LIGHT, Theme, font
from fidele.desk.tile import scrolled
from fidele.desk.work import Work
from fidele.icc.profile import Profile
from fidele.output.device import Choice
from fidele.proof.soft import show
from fidele.route.condition import Card
from fidele.route.layers import Evidence, SettingRow
from fidele.session.model import Session
from fidele.session.predict import Prediction, RouteFacts, predict, wrong_routes

_THUMB = 300
_OTHERS = "others"
_PREDICTED = "As predicted prints: by this route, and by the right one"
#: So many rows fit; a driver with more shows first what matters most, and what differs.
_MOST_ROWS = 11
_FIRST = ("colour", "stand_in", "panel_media", "quality", "black_ink", "density", "size", "scaling", "mirroring")
#: Who can convert: in words, and when each is right.
_OWNERS = {
    "fidele": ("Fidele, through the profile", "Recommended: the proof shows what will come out."),
    "system": (
        "The print system, for every program",
        "Right where other programs print here too: the profile is assigned to the printer, and all of them pass sRGB.",
    ),
    "driver": (
        "The driver, by its maker's correction",
        "Right with the maker's own media, and where there is no profile.",
    ),
    "driver-profile": (
        "The driver, by this profile",
        "Right where this driver must do it itself: it is given the profile, and gets the picture in sRGB.",
    ),
}
_DOUBT = {"perhaps": "may fit", "not": "does not fit"}


class Outcome(QWidget):
    """A predicted print with its title and figure."""

    def __init__(self) -> None:
        super().__init__()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(120)
        self.theme: Theme = LIGHT
        self.image: QImage | None = None
        self.title, self.words, self.bold = "", "", False

    def show_prediction(self, image: QImage | None, title: str, words: str, bold: bool) -> None:
        """Show a picture with its title and a line of words."""
        self.image, self.title, self.words, self.bold = image, title, words, bold
        self.setAccessibleName(f"Predicted print: {title}, {words}")
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        if self.image is None and not self.title:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        frame = QRectF(0, 0, self.width(), self.height() - 40)
        painter.fillRect(frame, self.theme.colour("surround"))
        if self.image is not None:
            room = frame.adjusted(8, 8, -8, -8)
            scale = min(room.width() / self.image.width(), room.height() / self.image.height())
            wide, high = self.image.width() * scale, self.image.height() * scale
            painter.drawImage(
                QRectF(room.center().x() - wide / 2, room.center().y() - high / 2, wide, high), self.image
            )
        painter.setPen(self.theme.colour("text"))
        painter.setFont(font(9.0, font().Weight.DemiBold if self.bold else font().Weight.Normal))
        painter.drawText(QRectF(0, self.height() - 37, self.width(), 18), Qt.AlignmentFlag.AlignVCenter, self.title)
        painter.setPen(self.theme.colour("dim"))
        painter.setFont(font(8.5))
        painter.drawText(QRectF(0, self.height() - 19, self.width(), 18), Qt.AlignmentFlag.AlignVCenter, self.words)


class SettingLine(QFrame):
    """One row of the table; a row that differs from the card stands in a strong frame."""

    def __init__(self, row: SettingRow, controls: list[QWidget], compact: bool) -> None:
        super().__init__()
        self.setObjectName("card" if row.agrees is False else "row")
        self.setProperty("strong", row.agrees is False)
        grid = QGridLayout(self)
        grid.setContentsMargins(8, 1, 8, 1)
        grid.setHorizontalSpacing(8)
        for column, (stretch, width) in enumerate(((0, 92), (48, 0), (38, 0), (68, 0))):
            grid.setColumnStretch(column, stretch)
            if width:
                grid.setColumnMinimumWidth(column, width)
        grid.addWidget(label(row.label, 9.0, bold=True), 0, 0)
        grid.addWidget(line(row.wanted, tip=f"{row.wanted}; in this driver {row.place}"), 0, 1)
        found = row.found if row.found is not None else "cannot be read back"
        if row.evidence is Evidence.BY_HAND:
            found += ", confirmed by hand"
        grid.addWidget(line(found, bold=row.agrees is False, dim=row.found is None), 0, 2)
        last = QHBoxLayout()
        last.setSpacing(6)
        place = line(row.place, 8.5, dim=True, tip=f"Where it stands in this driver: {row.place}")
        last.addWidget(place, 1)
        place.setVisible(len(controls) < 2)
        for control in controls:
            last.addWidget(control)
        grid.addLayout(last, 0, 3)
        self.setFixedHeight(28 if compact else 31)


#: Which of the driver's controls stand behind a row of the table.
def _controls_of(row: SettingRow, choices: dict[str, Choice]) -> list[str]:
    return [
        name
        for name, choice in choices.items()
        if choice.offered != (choice.value,)  # a field to type in is filled from the card
        and (choice.place.split(":")[0] == row.place.split(":")[0] or choice.place.startswith(f"{row.place} › "))
    ]


class HandoffDesk(Desk):
    """Shows and changes who converts, and every setting of the driver that matters."""

    station = "Hand-off"
    #: Ask the window for all profiles, with the reasons why they fit or not.
    others_wanted = Signal()

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        self.box.setContentsMargins(18, 12, 18, 10)
        self.box.setSpacing(4)
        self.title = heading("There is no printing condition yet")
        self.box.addWidget(self.title)
        self.choosers = QWidget()
        top = QHBoxLayout(self.choosers)
        top.setContentsMargins(0, 0, 0, 0)
        top.addWidget(label("Profile", 9.0, bold=True))
        self.profile = QComboBox()
        self.profile.setFont(font(9))
        self.profile.setAccessibleName("Profile of the condition")
        self.profile.setMinimumContentsLength(17)
        self.profile.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.profile.activated.connect(self._choose_profile)
        top.addWidget(self.profile, 1)
        top.addSpacing(8)
        top.addWidget(label("Who converts", 9.0, bold=True))
        self.owner = QComboBox()
        self.owner.setFont(font(9))
        self.owner.setAccessibleName("Who converts")
        self.owner.setMinimumContentsLength(22)
        self.owner.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.owner.setToolTip("Exactly one layer converts colour. Everything that follows from the choice is set too.")
        self.owner.activated.connect(self._choose_owner)
        top.addWidget(self.owner)
        self.box.addWidget(self.choosers)
        inside = QWidget()
        self.table = QVBoxLayout(inside)
        self.table.setContentsMargins(0, 0, 0, 0)
        self.table.setSpacing(0)
        self.area = scrolled(inside)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.box.addWidget(self.area)
        row = QHBoxLayout()
        row.setSpacing(9)
        self.bring = button(
            "Set the driver to the card",
            lambda: self.guarded(self.session.handoff.bring),
            "Set everything in one act, then read it back",
        )
        row.addWidget(self.bring)
        self.probe = button(
            "Probe without ink",
            lambda: self.guarded(self.session.handoff.probe),
            "Send known numbers down the route and compare what comes out. Takes a second, no ink.",
        )
        row.addWidget(self.probe)
        self.again = button(
            "Read back again", self.session.refresh, "Ask the driver and the print system once more (F5)", quiet=True
        )
        row.addWidget(self.again)
        self.all = button("", self._fold, "Show every setting of this driver, or what matters most", quiet=True)
        self.all.setCheckable(True)
        row.addWidget(self.all)
        row.addStretch()
        self.box.addSpacing(5)
        self.box.addLayout(row)
        self.box.addSpacing(5)
        self.below = section(_PREDICTED)
        self.what_if = QComboBox()
        self.what_if.setFont(font(8.5))
        self.what_if.setAccessibleName("What if it went another way")
        self.what_if.setToolTip("What a wrong route would print of this picture")
        self.what_if.setMinimumContentsLength(20)
        self.what_if.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.what_if.activated.connect(lambda _: self._show_predictions())
        self.asked = label("what if it is", 8.5, dim=True)
        heads = QHBoxLayout()
        heads.addWidget(self.below, 1)
        heads.addWidget(self.asked)
        heads.addWidget(self.what_if)
        self.box.addLayout(heads)
        outcomes = QHBoxLayout()
        outcomes.setSpacing(14)
        self.outcomes = [Outcome() for _ in range(3)]
        for outcome in self.outcomes:
            outcomes.addWidget(outcome)
        self.box.addLayout(outcomes, 1)
        self._read_back = label("")
        self._profiles_for: object = None
        self._table_for: tuple[Any, ...] = ()
        self._shown_for: tuple[Any, ...] = ()
        self._predictions: list[Prediction] = []

    def refresh(self) -> None:
        """Show the route as it was read back."""
        session = self.session
        card = session.card
        for outcome in self.outcomes:
            outcome.theme = self.theme
        self.title.setVisible(card is None)
        self.choosers.setVisible(card is not None)
        if card is None:
            clear(self.table)
            self._table_for = ()
            return
        owners = session.device.owners()
        if [self.owner.itemData(i) for i in range(self.owner.count())] != list(owners):
            self.owner.clear()
            for owner in owners:
                self.owner.addItem(_OWNERS[owner][0], owner)
                self.owner.setItemData(self.owner.count() - 1, _OWNERS[owner][1], Qt.ItemDataRole.ToolTipRole)
        self.owner.setCurrentIndex(self.owner.findData(card.owner))
        self.owner.setToolTip(
            f"{_OWNERS[card.owner][1]} Exactly one layer converts; everything that follows is set too."
        )
        self._fill_profiles(card)
        choices = session.device.choices() if session.rows else ()
        key = (session.rows, choices, self.height() < 600)
        if key != self._table_for:
            self._table_for = key
            self._fill_table({choice.name: choice for choice in choices})
        self._read_back.setText(f"read back {clock(session.read_at)}")
        self._want_predictions()

    def _fill_profiles(self, card: Card) -> None:
        """Offer what fits this printer, media and piece; the rest stands on its own desk, with the reasons."""
        offered = [(r.title, r.entry.id, r.fit) for r in self.session.profiles.fitting(card)]
        near = [o for o in offered if o[2].grade != "not" or o[1] == card.profile]
        if (near, card.profile) == self._profiles_for:
            return
        self._profiles_for = (near, card.profile)
        self.profile.clear()
        if not card.profile:
            self.profile.addItem("none yet", "")
        for title, profile_id, fits in near:
            self.profile.addItem(title if fits.grade == "fits" else f"{title}, {_DOUBT[fits.grade]}", profile_id)
            self.profile.setItemData(self.profile.count() - 1, fits.words, Qt.ItemDataRole.ToolTipRole)
        if card.profile and card.profile not in {o[1] for o in near}:
            self.profile.addItem("not on the shelf", card.profile)
        others = len(offered) - len(near)
        self.profile.insertSeparator(self.profile.count())
        self.profile.addItem(f"{others} more, and why they do not fit …" if others else "All profiles …", _OTHERS)
        self.profile.setCurrentIndex(max(0, self.profile.findData(card.profile or "")))
        self.profile.setToolTip(f"{self.profile.currentText()}. What fits printer, media and piece is offered first.")

    def _choose_profile(self, index: int) -> None:
        chosen = self.profile.itemData(index)
        self._profiles_for = None
        if chosen == _OTHERS:
            self.others_wanted.emit()
        elif chosen and self.session.card is not None and chosen != self.session.card.profile:
            self.guarded(self.session.use_profile, chosen)
        self.refresh()

    def _choose_owner(self, index: int) -> None:
        self.guarded(self.session.handoff.choose_owner, self.owner.itemData(index))
        self.refresh()  # where it was refused, the list says again who converts

    def _fold(self) -> None:
        self._table_for = ()
        self.refresh()

    def _fill_table(self, choices: dict[str, Choice]) -> None:
        """Make the table anew; where a person stood in it, they stand again."""
        here = QApplication.focusWidget()
        stood = here.accessibleName() if here is not None and self.isAncestorOf(here) else ""
        clear(self.table)
        head = QFrame()
        grid = QGridLayout(head)
        grid.setContentsMargins(8, 4, 8, 0)
        grid.setHorizontalSpacing(8)
        self._read_back = label("", 8.5, bold=True, dim=True)
        titles = (
            label(""),
            label("the card says", 8.5, True, True),
            self._read_back,
            label("in this driver", 8.5, True, True),
        )
        for column, (title, stretch) in enumerate(zip(titles, (0, 48, 38, 68), strict=True)):
            grid.setColumnStretch(column, stretch)
            across = QSizePolicy.Policy.Ignored if column else QSizePolicy.Policy.Preferred
            title.setSizePolicy(across, QSizePolicy.Policy.Preferred)
            grid.addWidget(title, 0, column)
        grid.setColumnMinimumWidth(0, 92)
        self.table.addWidget(head)
        rows = self.session.rows
        fold = len(rows) > _MOST_ROWS
        self.all.setVisible(fold)
        shown = [r for r in rows if not fold or self.all.isChecked() or r.agrees is not True or r.meaning in _FIRST]
        self.all.setText("The most important only" if self.all.isChecked() else f"All {len(rows)} settings")
        for row in shown:
            controls = [self._control(choices[name]) for name in _controls_of(row, choices)] if row.settable else []
            self.table.addWidget(SettingLine(row, controls, compact=self.height() < 600))
            for control in controls:
                if stood and control.accessibleName() == stood:
                    control.setFocus()
        # As high as its rows, as long as the predicted prints keep some room; beyond that it scrolls.
        high = 28 if self.height() < 600 else 31
        self.area.setFixedHeight(32 + high * min(len(shown), _MOST_ROWS))

    def _control(self, choice: Choice) -> QWidget:
        """Return a list of what the driver offers for one control, in its own words."""
        made = QComboBox()
        made.setFont(font(8.5))
        made.setAccessibleName(f"{choice.name} in the driver")
        made.setToolTip(f"{choice.place}, in this driver's words")
        for value in choice.offered:
            plain = isinstance(value, str) or len(choice.offered) < 5 or min(choice.offered) >= 0
            made.addItem(str(value) if plain else f"{choice.name} {value:+d}" if value else f"{choice.name} 0", value)
        made.setCurrentIndex(max(0, made.findData(choice.value)))
        made.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        made.setMaximumWidth(118 if isinstance(choice.value, str) or len(choice.offered) < 5 else 90)
        made.setStyleSheet("QComboBox { padding: 1px 3px; min-height: 16px; }")
        made.activated.connect(
            lambda i, n=choice.name: self.guarded(self.session.handoff.choose_setting, n, made.itemData(i))
        )
        made.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        made.wheelEvent = lambda event: event.ignore()  # type: ignore[method-assign]
        return made

    # Predicted prints --------------------------------------------------------------------------------------------

    def _want_predictions(self) -> None:
        """Predict the three prints in the background, by what a probe says that the driver does."""
        session = self.session
        artwork, printer, card, chain = session.artwork, session.profile, session.card, session.chain
        if artwork is None or printer is None or card is None or chain is None or not session.rows:
            for outcome in self.outcomes:
                outcome.show_prediction(None, "", "", False)
            self.what_if.setVisible(False)
            self.asked.setVisible(False)
            self.below.setText("With a picture and a profile, its predicted prints by this route are shown here.")
            return
        self.what_if.setVisible(True)
        self.asked.setVisible(True)
        self.below.setText(_PREDICTED)
        others = self._other_profiles(printer.content_id)
        key = (
            id(artwork.pixels),
            artwork.profile.content_id,
            printer.content_id,
            card.intent,
            card.bpc,
            chain.knots,
            tuple(session.device.settings().items()),
            tuple(path for _, path in others),
        )
        if key == self._shown_for:
            self._show_predictions()
            return
        self._shown_for = key
        small = _small(artwork.pixels)
        source, device, media = artwork.profile, session.device, session.media

        def compute(_progress: Any) -> list[Prediction]:
            import datetime

            from fidele.session.runs import probe

            probed = probe(device, media, datetime.datetime.now())
            facts = RouteFacts("Fidele" in chain.knots, False, None if probed.passes else probed, card.intent, card.bpc)
            profiles = tuple((title, Profile.open(path)) for title, path in others)
            routes = wrong_routes(small, source, printer, facts, session.handoff.correction(), profiles)
            return [*predict(small, source, printer, facts), *routes]

        self.work.quietly("routes", compute, lambda found: self._take(key, found))

    def _take(self, key: tuple[Any, ...], found: list[Prediction]) -> None:
        if key == self._shown_for:
            self._predictions = found
            chosen = self.what_if.currentText() or "not converted"
            self.what_if.clear()
            self.what_if.addItems([p.title for p in found[2:]])
            self.what_if.setCurrentIndex(max(0, self.what_if.findText(chosen)))
            self._show_predictions()

    def _other_profiles(self, mine: str) -> list[tuple[str, Path]]:
        """Return profiles for the same printer and another media or piece, which could be taken by mistake."""
        rows = [r for r in self.session.profiles.rows() if r.used and r.entry.id != mine]
        name, space = self.session.device.name, self.session.device.space
        fit = [
            r
            for r in rows
            if r.entry.description.usable_as_output
            and r.entry.description.colour_space == space
            and r.papers.value("printer") in ("", name)
        ]
        return [(r.title, r.entry.path) for r in fit[:4]]

    def _show_predictions(self) -> None:
        third = self._predictions[2 + max(0, self.what_if.currentIndex()) :][:1]
        shown = [*self._predictions[:2], *third]
        for index, (outcome, found) in enumerate(zip(self.outcomes, shown, strict=False)):
            words = "the proof you approved" if index == 1 else f"mean ΔE00 {found.mean_de00:.1f} from the right one"
            outcome.show_prediction(to_image(show(found.Lab)), found.title, words, index == 0)

    def facts(self) -> list[tuple[str, str]]:
        """Return the layers and what each does."""
        session = self.session
        if session.chain is None or session.card is None:
            return []
        rows = []
        names = {"Fidele": "Fidele", "system": "Print system", "driver": "Driver", "panel": "Panel"}
        for layer in session.chain.layers:
            known = " ".join(filter(None, (layer.evidence.value, clock(layer.when), layer.who)))
            rows.append((names[layer.name], layer.how if layer.name == "Fidele" else f"{layer.how} ({known})"))
        rows += [("Profile", session.shelf_title() or "none"), ("Loaded", f"{session.card.media}, {session.card.size}")]
        return rows


def _small(pixels: NDArray[Any]) -> NDArray[Any]:
    import cv2

    factor = min(1.0, _THUMB / max(pixels.shape[:2]))
    size = (max(1, round(pixels.shape[1] * factor)), max(1, round(pixels.shape[0] * factor)))
    return np.ascontiguousarray(
        cv2.resize(pixels, size, interpolation=cv2.INTER_AREA).reshape(size[1], size[0], pixels.shape[2])
    )
