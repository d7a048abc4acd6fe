"""The hand-off desk: what the card calls for beside what the driver is set to, and what comes of it."""

from __future__ import annotations

import datetime
from dataclasses import replace
from pathlib import Path

import numpy as np
from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QWidget

from fidele.arrays import Codes
from fidele.desk.consequence import consequence
from fidele.desk.desk import Desk, clock
from fidele.desk.flow import Flow
from fidele.desk.kit import across, choice, down, fill
from fidele.desk.labels import button, heading, label, line
from fidele.desk.outcome import Outcome
from fidele.desk.picture import to_image
from fidele.desk.setting_table import MOST_ROWS, SettingTable
from fidele.desk.theme import px
from fidele.desk.work import Work
from fidele.icc.profile import Profile
from fidele.icc.spaces import SENDS
from fidele.judge.finding import Action, Deed, Finding
from fidele.language import tr
from fidele.route.condition import Card
from fidele.run.probes import probe
from fidele.session.model import Session
from fidele.session.predict import Prediction, RouteFacts, predict, wrong_routes
from fidele.tiles import Progress

_THUMB = 300
_OTHERS = "others"
_ANOTHER = tr("the other program")
_PREDICTED = tr("Predicted prints of this picture")
#: Who can convert: in words, when each is right, and what follows for the others.
_OWNERS = {
    "fidele": (
        tr("Fidele, through the profile"),
        tr("Recommended: the proof shows what will come out."),
        tr("Print system and driver must leave the numbers alone."),
    ),
    "system": (
        tr("The print system, for every program"),
        tr("Right where other programs print here too: the profile is assigned to the printer."),
        tr("Fidele passes the picture on in sRGB, which it expects; the driver must leave the numbers alone."),
    ),
    "driver": (
        tr("The driver, by its maker's correction"),
        tr("Right with the maker's own media, and where there is no profile."),
        tr("Fidele passes the picture on in sRGB; the print system must leave the numbers alone."),
    ),
    "driver-profile": (
        tr("The driver, by this profile"),
        tr("Right where this driver must do it itself: it is given the profile."),
        tr(
            "Fidele passes the picture on in sRGB, which it must expect; the print system must leave the numbers alone."
        ),
    ),
    "program": (
        tr("The other program, through the profile"),
        tr("Right where it converts through an output profile by itself: set it to this one."),
        tr("It is given a file that says what its colours mean; print system and driver must leave the numbers alone."),
    ),
}
_DOUBT = {"perhaps": tr("may fit"), "not": tr("does not fit")}


#: What a predicted print is called where nobody knows what the driver does behind what can be asked.
_SUPPOSED = tr("if the driver leaves it alone")


class HandoffDesk(Desk):
    """Shows and changes who converts, and every setting of the driver that matters."""

    station = "Hand-off"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        self.box.setContentsMargins(18, 12, 18, 10)
        self.box.setSpacing(4)
        self.title = heading(tr("There is no printing condition yet"))
        self.box.addWidget(self.title)
        self.choosers = QWidget()
        top = across(label(tr("Profile"), 9.0, bold=True), margins=(0, 0, 0, 0), on=self.choosers)
        self.profile = choice(tr("Profile of the condition"), chosen=self._choose_profile, letters=15)
        fill(top, (self.profile, 1), 8, label(tr("Who converts"), 9.0, bold=True))
        self.owner = choice(
            tr("Who converts"),
            tip=tr("Exactly one layer converts colour. Everything that follows from the choice is set too."),
            chosen=self._choose_owner,
            letters=20,
        )
        top.addWidget(self.owner)
        self.sends = choice(
            tr("Sent in"),
            tip=tr("The space that the picture is sent in: the one that is expected there. The larger one loses less."),
            letters=6,
        )
        for name in SENDS:
            self.sends.addItem(tr("in {name}", name=name), name)
        self.sends.activated.connect(lambda i: self.guarded(self.session.handoff.send_in, self.sends.itemData(i)))
        top.addWidget(self.sends)
        self.program = choice(
            tr("Who prints"),
            tip=tr(
                "Who sends the page to the printer. Another program gets a finished file: converted, mirrored, "
                "at true size."
            ),
            letters=13,
        )
        for words, name in self._programs():
            self.program.addItem(words, name)
        self.program.activated.connect(self._choose_program)
        top.addWidget(self.program)
        for one, least in ((self.profile, 125), (self.owner, 100), (self.program, 80)):  # in a small window
            one.setMinimumWidth(px(least))
        self.box.addWidget(self.choosers)
        self.rightness = label("", 8.5, dim=True, wrap=True)
        self.box.addWidget(self.rightness)
        self.table = SettingTable()
        #: Its rows are shown in an event of their own.
        self._rows_soon = QTimer(self, singleShot=True, interval=0)
        self._rows_soon.timeout.connect(self._show_rows)
        self.table.chosen.connect(lambda n, v: self.guarded(self.session.handoff.choose_setting, n, v))
        self.table.kept.connect(lambda: self.guarded(self.session.handoff.keep_hands))
        self.box.addWidget(self.table)
        row = Flow(space=9)
        self.bring = button(
            tr("Set the driver to the card"),
            lambda: self.guarded(self.session.handoff.bring),
            tr("Set everything in one act, then read it back"),
        )
        row.addWidget(self.bring)
        self.probe = button(
            tr("Probe without ink"),
            lambda: self.acted.emit(Action(Deed.PROBE)),
            tr("Send known numbers down the route and compare what comes out. Takes a second, no ink."),
        )
        row.addWidget(self.probe)
        self.again = button(
            tr("Read back"), self.session.refresh, tr("Ask the driver and the print system once more (F5)"), quiet=True
        )
        row.addWidget(self.again)
        self.all = button("", self.refresh, tr("Show every setting of this driver, or what matters most"), quiet=True)
        self.all.setCheckable(True)
        row.addWidget(self.all)
        fill(self.box, 5, row, 5)
        self.below = line(_PREDICTED, 9.5, bold=True)
        self.what_if = choice(
            tr("What if it went another way"),
            tip=tr("What a wrong route would print of this picture"),
            chosen=lambda _: self._show_predictions(),
            letters=20,
            points=8.5,
        )
        self.asked = label(tr("what if it is"), 8.5, dim=True)
        self.box.addLayout(across((self.below, 1), self.asked, self.what_if))
        outcomes = across(space=14)
        self.outcomes = [Outcome() for _ in range(3)]
        for outcome in self.outcomes:
            outcomes.addWidget(outcome)
        self.box.addLayout(outcomes, 1)
        self._profiles_for: object = None
        self._shown_for: tuple[object, ...] = ()
        self._predictions: list[Prediction] = []

    def refresh(self) -> None:
        """Show the route as it was read back."""
        session = self.session
        card = session.card
        for outcome in self.outcomes:
            outcome.theme = self.theme
        self.title.setVisible(card is None)
        self.choosers.setVisible(card is not None)
        self.rightness.setVisible(card is not None)
        if card is None:
            self._rows_soon.stop()
            self.table.clear()
            return
        owners = session.handoff.owners()
        if [self.owner.itemData(i) for i in range(self.owner.count())] != list(owners):
            self.owner.clear()
            for owner in owners:
                self.owner.addItem(_OWNERS[owner][0], owner)
                self.owner.setItemData(self.owner.count() - 1, _OWNERS[owner][1], Qt.ItemDataRole.ToolTipRole)
        self.owner.setCurrentIndex(self.owner.findData(card.owner))
        self.probe.setVisible(session.device.probing is not None)
        if self.program.findData(card.printed_from) < 0:  # one that only its condition names
            self.program.insertItem(
                self.program.count() - 1, tr("{printed_from} prints", printed_from=card.printed_from), card.printed_from
            )
        self.program.setCurrentIndex(max(0, self.program.findData(card.printed_from)))
        self.bring.setVisible(not session.rows or any(row.settable or row.held for row in session.rows))
        self.rightness.setText(f"{_OWNERS[card.owner][1]} {_OWNERS[card.owner][2]}".replace("sRGB", card.sends))
        offers = any(row.meaning == "input_space" for row in session.rows) or card.owner == "program"
        self.sends.setVisible(offers and card.owner in ("driver", "driver-profile", "program"))
        self.sends.setCurrentIndex(self.sends.findData(card.sends))
        self.owner.setToolTip(
            tr(
                "{owners} Exactly one layer converts; everything that follows is set too.",
                owners=_OWNERS[card.owner][1],
            )
        )
        self._fill_profiles(card)
        self.table.show_time(tr("read back {clock}", clock=clock(session.state.read_at)))
        self._rows_soon.start()
        self.all.setVisible(len(session.rows) > MOST_ROWS)
        self.all.setText(
            tr("The most important only") if self.all.isChecked() else tr("All {n} settings", n=len(session.rows))
        )
        self._want_predictions()

    def _show_rows(self) -> None:
        session = self.session
        if session.card is None:  # gone meanwhile
            return
        choices = session.device.choices() if session.rows else ()
        self.table.show_rows(session.rows, choices, self.all.isChecked(), self.height() < 600)

    def _fill_profiles(self, card: Card) -> None:
        """Offer what fits this printer, media and piece; the rest stands on its own desk, with the reasons."""
        offered = [(r.title, r.entry.id, r.fit) for r in self.session.profiles.fitting(card)]
        near = [o for o in offered if o[2].grade != "not" or o[1] == card.profile]
        if (near, card.profile) == self._profiles_for:
            return
        self._profiles_for = (near, card.profile)
        self.profile.clear()
        if not card.profile:
            self.profile.addItem(tr("none yet"), "")
        for title, profile_id, fits in near:
            self.profile.addItem(title if fits.grade == "fits" else f"{title}, {_DOUBT[fits.grade]}", profile_id)
            self.profile.setItemData(self.profile.count() - 1, fits.words, Qt.ItemDataRole.ToolTipRole)
        if card.profile and card.profile not in {o[1] for o in near}:
            self.profile.addItem(tr("not on the shelf"), card.profile)
        others = len(offered) - len(near)
        self.profile.insertSeparator(self.profile.count())
        self.profile.addItem(
            tr("{others} more, and why they do not fit …", others=others) if others else tr("All profiles …"), _OTHERS
        )
        self.profile.setCurrentIndex(max(0, self.profile.findData(card.profile or "")))
        self.profile.setToolTip(
            tr(
                "{currenttext}. What fits printer, media and piece is offered first.",
                currenttext=self.profile.currentText(),
            )
        )

    def _choose_profile(self, index: int) -> None:
        chosen = self.profile.itemData(index)
        self._profiles_for = None
        if chosen == _OTHERS:
            self.acted.emit(Action(Deed.SHOW, "profiles"))
        elif chosen and self.session.card is not None and chosen != self.session.card.profile:
            self.guarded(self.session.profiles.use, chosen)
        self.refresh()

    def _choose_owner(self, index: int) -> None:
        self.guarded(self.session.handoff.choose_owner, self.owner.itemData(index))
        self.refresh()  # where it was refused, the list says again who converts

    def _programs(self) -> list[tuple[str, str]]:
        names = [p.name for p in self.session.devices.programs]
        return [
            (tr("Fidele prints"), ""),
            *((tr("{n} prints", n=n), n) for n in names),
            (tr("Another program prints"), _ANOTHER),
        ]

    def _choose_program(self, index: int) -> None:
        self.guarded(self.session.handoff.print_from, self.program.itemData(index))
        self.refresh()

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
            self.below.setText(tr("With a picture and a profile, its predicted prints by this route are shown here."))
            return
        self.what_if.setVisible(True)
        self.asked.setVisible(True)
        self.below.setText(_PREDICTED)
        others = self._other_profiles(printer.content_id)
        how = replace(session.settings(card.intent), tuning=None, keep="", paper_white=False)
        key = (
            id(artwork.pixels),
            artwork.profile.content_id,
            printer.content_id,
            how,
            chain.knots,
            card.printed_from,
            session.state.probes,
            tuple(session.device.settings().items()),
            tuple(path for _, path in others),
        )
        if key == self._shown_for:
            self._show_predictions()
            return
        self._shown_for = key
        small = _small(artwork.pixels)
        source, device, media = artwork.profile, session.device, session.media
        known = session.state.probes
        through = known.through if known is not None else None
        now = tr("as it will come out now")
        corrections, converts = session.corrections, "Fidele" in chain.knots
        if card.printed_from and through is None:
            there = card.owner == "program"
            now = tr("if the program converts as it is to") if there else tr("if the program passes it on")
            converts = converts or there
        elif "driver" in chain.unknown and through is None:
            now = _SUPPOSED

        def compute(_progress: Progress) -> list[Prediction]:
            correction = corrections.of(device)
            probed = through or (probe(device, media, datetime.datetime.now()) if device.probing is not None else None)
            driver = None if probed is None or probed.passes else probed
            facts = RouteFacts(converts, False, driver, how, now)
            profiles = tuple((title, Profile.open(path)) for title, path in others)
            routes = wrong_routes(small, source, printer, facts, correction, profiles)
            return [*predict(small, source, printer, facts), *routes]

        self.work.quietly("routes", compute, lambda found: self._take(key, found))

    def _take(self, key: tuple[object, ...], found: list[Prediction]) -> None:
        if key == self._shown_for:
            self._predictions = found
            chosen = self.what_if.currentText() or tr("not converted")
            self.what_if.clear()
            self.what_if.addItems([p.title for p in found[2:]])
            self.what_if.setCurrentIndex(max(0, self.what_if.findText(chosen)))
            self._show_predictions()
            self.go.emit("")

    def _other_profiles(self, mine: str) -> list[tuple[str, Path]]:
        """Return profiles for the same printer and another media or piece, which could be taken by mistake."""
        rows = [r for r in self.session.profiles.rows() if r.used and r.entry.id != mine]
        name, space = self.session.device.name, self.session.device.format.space
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
            words = (
                tr("the proof you approved")
                if index == 1
                else tr("mean ΔE00 {mean_de00:.1f} from the right one", mean_de00=found.mean_de00)
            )
            worst = (
                tr("worst: {worst}", worst=found.worst) if found.worst else tr("every colour stays near the right one")
            )
            if found.title == _SUPPOSED:
                worst = tr("it cannot be asked: look there and confirm")
            outcome.show_prediction(to_image(found.shown), found.title, words, index == 0, " " if index == 1 else worst)

    def pictures(self, finding: Finding) -> tuple[QImage, QImage] | None:
        """Return what a finding would do to the picture in hand: as it should be, and as it would come out."""
        chain = self.session.chain
        if len(self._predictions) < 2 or chain is None or self.session.artwork is None:
            return None
        if self._predictions[0].title == _SUPPOSED and not self._predictions[0].worst:
            return None  # what comes out is not known: no picture is claimed
        now, right = (p.shown for p in self._predictions[:2])
        both = consequence(finding.code, now, right, chain.scale)
        return (to_image(both[0]), to_image(both[1])) if both is not None else None

    def extra(self) -> list[QWidget]:
        """Return the way to trial prints."""
        if self.session.card is None:
            return []
        ask = button(
            tr("Trial prints"),
            lambda: self.go.emit("Trial prints"),
            tr("Print one chart with one thing varied: media name, quality, who converts; and compare"),
        )
        own = button(
            tr("Own profile"),
            lambda: self.go.emit("Own profile"),
            tr("Print a target with nothing converting, measure it, and make this condition's own profile"),
        )
        made = QWidget()
        even = button(
            tr("Balance"),
            lambda: self.go.emit("Balance"),
            tr("The driver converts without a profile: curves for neutral greys and even tones, from one printed page"),
        )
        down(ask, own, even, margins=(0, 2, 0, 2), on=made).setAlignment(Qt.AlignmentFlag.AlignLeft)
        return [made]

    def facts(self) -> list[tuple[str, str]]:
        """Return the layers and what each does."""
        session = self.session
        if session.chain is None or session.card is None:
            return []
        rows = []
        names = {
            "Fidele": "Fidele",
            "program": tr("Program"),
            "system": tr("Print system"),
            "driver": tr("Driver"),
            "panel": tr("Panel"),
        }
        for layer in session.chain.layers:
            known = " ".join(filter(None, (tr(layer.evidence.value), clock(layer.when), layer.who)))
            rows.append(
                (names.get(layer.name, layer.name), layer.how if layer.name == "Fidele" else f"{layer.how} ({known})")
            )
        assumed = [(names.get(x.name, x.name), x.assumes) for x in session.chain.layers if x.assumes]
        rows += [(tr("{name} takes it for", name=name), words) for name, words in assumed]
        rows += [
            (tr("Profile"), session.profiles.title_in_force or tr("none")),
            (tr("Loaded"), f"{session.card.media}, {session.card.size}"),
        ]
        return rows


def _small(pixels: Codes) -> Codes:
    import cv2

    factor = min(1.0, _THUMB / max(pixels.shape[:2]))
    size = (max(1, round(pixels.shape[1] * factor)), max(1, round(pixels.shape[0] * factor)))
    return np.ascontiguousarray(
        cv2.resize(pixels, size, interpolation=cv2.INTER_AREA).reshape(size[1], size[0], pixels.shape[2])
    )
