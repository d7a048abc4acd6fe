"""The proof desk: the picture as printed, beside as sent, and the intents among each other on the comb."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import Any

import numpy as np
from PySide6.QtCore import QSignalBlocker, Qt
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QCheckBox, QDoubleSpinBox, QLayout, QWidget

from fidele.artwork.picture import Artwork
from fidele.desk.desk import Desk
from fidele.desk.flow import Flow
from fidele.desk.kit import across, choice, down, fill, tick
from fidele.desk.labels import button, heading, label, line, say_steadily, section
from fidele.desk.loss_row import LossRow
from fidele.desk.numbers import Decimal
from fidele.desk.picture import PictureView, Tooth
from fidele.desk.theme import font, px
from fidele.desk.work import Work
from fidele.icc.blackpoint import compensates
from fidele.icc.profile import Profile
from fidele.icc.transform import Intent
from fidele.language import tr, trn
from fidele.proof.advice import advise
from fidele.proof.contrast import ContrastLoss, contrast_lost
from fidele.proof.kept import Kept, kept
from fidele.proof.losses import LOST, Loss, Losses, losses_of_each
from fidele.proof.soft import ProofSettings, predicted_lab, show
from fidele.proof.trust import VIEWING, not_shown
from fidele.proof.where import BANDS, LossMap, band_words
from fidele.route.condition import Card
from fidele.session.holding import Holding
from fidele.session.known_prints import MISSING
from fidele.session.looks import Show
from fidele.session.model import Session
from fidele.session.state import LossesFound
from fidele.tiles import CancelledError, Progress
from fidele.tuning.keep import KEEPS

MEANING = {
    Intent.PERCEPTUAL: tr("keeps steps between colours; for pictures"),
    Intent.RELATIVE: tr("keeps what fits exactly; for flat colours"),
    Intent.SATURATION: tr("keeps things vivid; for charts and signs"),
    Intent.ABSOLUTE: tr("tints to imitate another white; for proofs"),
}
_SHORT = {
    Intent.PERCEPTUAL: tr("Perceptual"),
    Intent.RELATIVE: tr("Media-relative"),
    Intent.SATURATION: tr("Saturation"),
    Intent.ABSOLUTE: tr("ICC-absolute"),
}
#: So many conditions are shown beside each other.
_MOST_CONDITIONS = 5
_KEPT = {"": tr("Convert pure colours"), "black": tr("Keep pure black"), "primaries": tr("Keep all pure colours")}


#: Losses and lost contrast by intent, the share that the screen cannot show, what the table does to printable colours.
_Found = tuple[dict[Intent, Losses], dict[Intent, tuple[ContrastLoss, ...]], float, Kept | None]


class Legend(QWidget):
    """What the colours of the map of losses stand for."""

    def __init__(self) -> None:
        super().__init__()
        self._words = band_words(LOST)
        self.setFixedHeight(px(18))
        self.setMinimumWidth(250)

    def set_steps(self, steps: float) -> None:
        """Tell the first step."""
        self._words = band_words(steps)
        self.setAccessibleName(f"ΔE00 {', '.join(self._words)}")
        self.update()

    def paintEvent(self, _event: QPaintEvent) -> None:
        with QPainter(self) as painter:
            painter.setFont(font(8.5))
            x = 0
            for colour, words in zip(BANDS, self._words, strict=True):
                painter.fillRect(x, 3, 12, 12, QColor(*colour))
                painter.drawText(x + 16, 14, words)
                x += 22 + painter.fontMetrics().horizontalAdvance(words)


class ProofDesk(Desk):
    """Shows what the piece will look like, and lets a person choose the intent on the picture itself."""

    station = "Proof"

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        self.box.setContentsMargins(0, 0, 0, 10)
        self.view = PictureView()
        self.view.tooth_chosen.connect(self._tooth)
        self.box.addWidget(self.view, 1)
        under = down(space=5, margins=(22, 2, 22, 0))
        self.advice = heading("")
        self.advice.setWordWrap(True)
        under.addWidget(self.advice)
        told = across(space=12)
        self.explain = label("", 8.5, dim=True, wrap=True)
        told.addWidget(self.explain, 1)
        self.legend = Legend()
        told.addWidget(self.legend)
        self.steps = self._first_step()
        told.addWidget(self.steps)
        under.addLayout(told)
        self.trust = line("", 8.5, dim=True, tip=VIEWING)
        fill(under, self.trust, self._ways_to_look(), self._ways_to_convert())
        self.box.addLayout(under)
        self._held = False
        self._sits: Loss | None = None
        self._maps: dict[tuple[object, ...], LossMap] = {}
        self._figures: dict[Intent, Losses] = {}
        self._contrast: dict[Intent, tuple[ContrastLoss, ...]] = {}
        self._figures_for: tuple[object, ...] = ()
        self._picture: object = None
        self._display: Profile | None = None
        self._unshown: float | None = None
        self._moved: Kept | None = None
        self._held_by: tuple[Holding, ...] = ()
        self._held_of: Artwork | None = None

    def _ways_to_look(self) -> QLayout:
        row = Flow(space=8)
        self.whole = button(tr("Whole picture"), self._toggle, tr("The print alone, in one view instead of strips"))
        self.where = button(tr("Where it is lost"), self._where, tr("A map of ΔE00 over the picture, in steps"))
        self.every = button(
            tr("Conditions"), self._every, tr("This picture as every printing condition would print it, the best first")
        )
        for made in (self.whole, self.where, self.every):
            made.setCheckable(True)
        for made in (self.whole, self.where):
            row.addWidget(made)
        self.sent = button(
            tr("Hold V: as sent"), lambda: None, tr("Hold the key V, or this button, to see the picture unprinted")
        )
        self.sent.pressed.connect(lambda: self._hold(True))
        self.sent.released.connect(lambda: self._hold(False))
        row.addWidget(self.sent)
        self.true_size = button(
            tr("True size"), self._true_size, tr("As large as it is printed (2), by the screen's own size")
        )
        row.addWidget(self.true_size)
        self.write = button(
            tr("Write a file …"), self.convert_wanted.emit, tr("The picture converted, as TIFF, PNG, JPEG, PDF")
        )
        row.addWidget(self.write)
        return row

    def _first_step(self) -> QDoubleSpinBox:
        made = Decimal()
        made.setFont(font(9))
        made.setRange(0.5, 10)
        made.setSingleStep(0.5)
        made.setDecimals(1)
        made.setValue(LOST)
        made.setPrefix(tr("from "))
        made.setFixedWidth(px(84))
        made.lineEdit().setTextMargins(4, 0, 0, 0)
        made.setToolTip(tr("The map's first step, ΔE00; each further one is twice as far"))
        made.setAccessibleName(tr("First step of the map, ΔE00"))
        made.valueChanged.connect(lambda _: self.refresh())
        return made

    def _ways_to_convert(self) -> QLayout:
        row = Flow(space=8)
        tip = tr("Black point compensation: scale so that the picture's black becomes the piece's black")
        self.bpc = self._check(tr("Black point"), tip, self._bpc)
        self.bpc.setAccessibleName(tr("Black point compensation"))
        row.addWidget(self.bpc)
        self.paper = self._check(
            tr("The piece's white"), tr("Show the white of the piece, not the screen's"), self._paper
        )
        row.addWidget(self.paper)
        self.kept = choice(
            tr("Pure colours"),
            tip=tr(
                "Text and lines that are exactly black print as the printer's full black, exact white stays "
                "bare; chosen by what each pixel is"
            ),
            letters=15,
        )
        for keep in KEEPS:
            self.kept.addItem(_KEPT[keep], keep)
        self.kept.activated.connect(lambda i: self.guarded(self.session.pieces.keep, self.kept.itemData(i)))
        row.addWidget(self.kept)
        row.addWidget(self.every)
        self.colours = button(
            tr("Colours …"),
            lambda: self.go.emit("Colours"),
            tr("The customer's colours and the picture's own; replace them"),
        )
        row.addWidget(self.colours)
        self.tune = button(tr("Tune …"), lambda: self.go.emit("Tuning"), tr("Chroma, greys, tones and hues, by hand"))
        row.addWidget(self.tune)
        return row

    def _check(self, text: str, tip: str, changed: Any) -> QCheckBox:
        box = tick(text, tip=tip)
        box.clicked.connect(changed)
        return box

    # What a person does ------------------------------------------------------------------------------------------

    def _toggle(self) -> None:
        self.where.setChecked(False)
        self.every.setChecked(False)
        self.refresh()

    def _every(self) -> None:
        """Find out what every condition makes of the picture, and show it."""
        self.where.setChecked(False)
        self.whole.setChecked(False)
        artwork = self.session.artwork
        if self.every.isChecked() and artwork is not None:
            self.every.setChecked(False)  # it is on once there is something to show

            def take(found: list[Holding]) -> None:
                if self.session.artwork is artwork:
                    self._held_by, self._held_of = tuple(found), artwork
                    self.every.setChecked(True)
                    self.refresh()

            self.work.run(tr("Looking at every condition"), self.session.under_each(artwork), take)
        self.refresh()

    def _where(self) -> None:
        self.whole.setChecked(False)
        self.every.setChecked(False)
        self._sits = None
        self.refresh()
        self.go.emit("")

    def _choose_loss(self, loss: Loss, on: bool) -> None:
        """Show where one group of lost colours sits, or the comb again."""
        self.whole.setChecked(False)
        self.where.setChecked(on)
        self._sits = loss if on else None
        self.refresh()
        self.go.emit("")

    def _true_size(self) -> None:
        self.whole.setChecked(True)
        self.where.setChecked(False)
        self.refresh()
        if not self.view.show_printed_size():
            self.session.say(tr("This screen does not say how large it is, so that true size cannot be shown."))

    def _hold(self, on: bool) -> None:
        if on != self._held:
            self._held = on
            self.refresh()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_V and not event.isAutoRepeat():
            self._hold(True)
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_V and not event.isAutoRepeat():
            self._hold(False)
        else:
            super().keyReleaseEvent(event)

    def _bpc(self, on: bool) -> None:
        self.guarded(
            partial(
                self.session.change_card,
                (tr("Black point compensation on") if on else tr("Black point compensation off")),
                bpc=on,
            )
        )
        self.refresh()

    def _paper(self, on: bool) -> None:
        self.session.show_white(on)
        self.refresh()

    def _intents(self) -> list[Intent]:
        way, _ = self.session.way
        if way is not None:  # another one converts, in one way
            return [way.intent]
        have = self.session.intents
        return [i for i in (Intent.PERCEPTUAL, Intent.RELATIVE, Intent.SATURATION, Intent.ABSOLUTE) if i.value in have]

    def _tooth(self, index: int) -> None:
        if self.every.isChecked():
            shown = [h for h in self._held_by if h.losses is not None][:_MOST_CONDITIONS]
            if 1 <= index <= len(shown):
                self.every.setChecked(False)
                self.guarded(self.session.handoff.put_in_force, shown[index - 1].candidate.card)
            return
        if self.session.card is None or self.session.way[0] is not None:
            return
        intents, first = self._intents(), 2 if self._is_worked() else 1
        if first <= index < first + len(intents) and self.session.card is not None:
            intent = intents[index - first]
            self.guarded(
                partial(self.session.change_card, tr("The intent is {words}", words=intent.words), intent=intent)
            )

    def _is_worked(self) -> bool:
        piece = self.session.pieces.current
        return piece is not None and bool(piece.replacements)

    # Showing -----------------------------------------------------------------------------------------------------

    def _link(self, settings: ProofSettings | None) -> Show:
        """Return how the picture is shown: as sent (None), or as printed with settings."""
        artwork, looks = self.session.artwork, self.session.looks
        if artwork is None:
            raise AssertionError("a proof was asked for without a picture")
        return looks.as_sent(artwork.profile) if settings is None else looks.printed(artwork.profile, settings)

    def _map(self, settings: ProofSettings) -> Show:
        """Return how the picture is shown where colours are lost."""
        artwork, printer = self.session.artwork, self.session.shown_by
        if artwork is None or printer is None:
            raise AssertionError("a map was asked for without a picture or a profile")
        shown = self._display.content_id if self._display else ""
        steps = self.steps.value()
        key = (artwork.profile.content_id, printer.content_id, settings, shown, self._sits, steps)
        if key not in self._maps:
            if len(self._maps) > 12:
                self._maps.clear()
            self._maps[key] = LossMap(artwork.profile, printer, settings, self._display, steps, self._sits)
        return self._maps[key]

    def refresh(self) -> None:
        """Show the proof of the artwork in hand."""
        session = self.session
        self.view.theme = self.theme
        self._display = session.screen()
        artwork, card, piece = session.artwork, session.card, session.pieces.current
        unknown = session.way[1] if card is not None else ""
        ready = artwork is not None and card is not None and session.shown_by is not None and not unknown
        controls = (
            self.whole,
            self.where,
            self.every,
            self.sent,
            self.bpc,
            self.paper,
            self.kept,
            self.tune,
            self.true_size,
        )
        for control in (*controls, self.steps, self.colours, self.write):
            control.setEnabled(ready)
        mapped = self.where.isChecked() and self._sits is None
        self.legend.setVisible(ready and mapped)
        self.steps.setVisible(ready and mapped)
        if artwork is not self._held_of:
            self.every.setChecked(False)
        if piece is None or piece.number != self._picture:
            self._picture = piece.number if piece is not None else None
            self._sits = None
            self.view.set_picture(session.laid)
        else:
            self.view.set_picture(session.laid, keep=True)
        if not ready or artwork is None or card is None or piece is None:
            missing = (
                tr("a picture")
                if artwork is None
                else tr("a printing condition: make one (F6)")
                if card is None
                else MISSING
            )
            shown = artwork is not None and session.shown_by is not None
            self.view.empty = (
                unknown if shown and unknown else tr("For a proof there must be {missing}.", missing=missing)
            )
            if shown:
                self.view.set_picture(None)
            self.view.set_teeth([])
            self.advice.setText(tr("Nothing is shown that nobody knows.") if shown else "")
            self.trust.setText("")
            self.explain.setText(tr("A soft proof shows the picture as the profile says that it will print."))
            return
        self.view.printed_width = piece.picture_width
        self.bpc.setChecked(card.bpc)
        mine = card.owner in ("fidele", "program")
        self.bpc.setEnabled(card.intent is not Intent.ABSOLUTE and mine)
        self.bpc.setVisible(mine)
        self.kept.setVisible(card.owner == "fidele")  # who else converts keeps nothing pure
        self.paper.setChecked(session.state.paper_white)
        with QSignalBlocker(self.kept):
            self.kept.setCurrentIndex(KEEPS.index(piece.keep))
        self.tune.setText(tr("Tuned …") if piece.tuning is not None else tr("Tune …"))
        self.want_figures()
        settings = session.proof_settings
        self._show_teeth(settings)
        self.legend.set_steps(self.steps.value())
        self._say(settings.intent)

    def _show_teeth(self, settings: ProofSettings) -> None:
        session, piece = self.session, self.session.pieces.current
        surround = self._substrate() if session.state.paper_white else None
        three = session.artwork is not None and session.artwork.profile.channels == 3
        if self._held:
            teeth = [Tooth(tr("as sent"), self._link(None))]
        elif self.every.isChecked():
            teeth = self._by_condition()
        elif self.where.isChecked() and three:
            title = tr("where these are lost") if self._sits else tr("where it is lost")
            teeth = [Tooth(title, self._map(replace(settings, paper_white=False)))]
        elif self.whole.isChecked():
            teeth = [Tooth(tr("as printed"), self._link(settings))]
        else:
            teeth = [Tooth(tr("as sent"), self._link(None), (tr("not printed:"), tr("no ink is this bright")))]
            if piece is not None and self._is_worked():
                before = Tooth("before", self._link(settings), (tr("printed, with"), tr("its old colours")), False)
                teeth.append(replace(before, pixels=piece.opened.laid))
            late: list[ProofSettings] = []
            for intent in self._intents():
                found = self._figures.get(intent)
                beneath = (
                    (
                        tr("{lost:.0f} % lost", lost=found.lost * 100),
                        tr("mean ΔE00 {mean_de00:.1f}", mean_de00=found.mean_de00),
                        tr("95 % within {p95_de00:.1f}", p95_de00=found.p95_de00),
                    )
                    if found
                    else ("…", "", "")
                )
                chosen = intent is settings.intent
                name = _SHORT[intent] if settings.way is None else tr("as printed")
                teeth.append(Tooth(name, self._soon(session.settings(intent), late), beneath, chosen))
            self._make_late(late)
        self.view.set_teeth(teeth, surround)

    def _soon(self, settings: ProofSettings, late: list[ProofSettings]) -> Show:
        """Return how the picture is shown; noted as `late` where its table is still to be made.

        Until then a coarse one serves: that of the first intent for all of them, which takes a moment less each.
        """
        artwork, looks = self.session.artwork, self.session.looks
        if artwork is None or looks.is_made(artwork.profile, settings):
            return self._link(settings)
        late.append(settings)
        return looks.printed(artwork.profile, late[0], quick=True)

    def _make_late(self, late: list[ProofSettings]) -> None:
        """Make tables beside the interface, and show the picture by them then."""
        artwork, printer, looks = self.session.artwork, self.session.shown_by, self.session.looks
        if artwork is None or printer is None or not late:
            return
        source = artwork.profile

        def work(_told: Progress) -> None:
            for settings in late:
                looks.through(source, printer, settings)

        self.work.quietly("proof tables", work, lambda _: self.refresh())

    def _by_condition(self) -> list[Tooth]:
        """Return the picture as each condition prints it, the best first."""
        artwork, card = self.session.artwork, self.session.card
        teeth = [Tooth(tr("as sent"), self._link(None), (tr("not printed"),))]
        if artwork is None:
            return teeth
        for held in [h for h in self._held_by if h.losses is not None][:_MOST_CONDITIONS]:
            one, found = held.candidate, held.losses
            if one.profile is None or one.settings is None or found is None:
                continue
            look = self.session.looks.through(artwork.profile, one.profile, one.settings)
            worst = tr("its {name}", name=found.groups[0].name) if found.groups else tr("all is held")
            beneath = (
                tr("{lost:.0f} % lost, mean ΔE00 {mean_de00:.1f}", lost=found.lost * 100, mean_de00=found.mean_de00),
                tr("worst: {worst}", worst=worst),
            )
            teeth.append(Tooth(one.card.name, look, beneath, card is not None and one.card.id == card.id))
        return teeth

    def _say(self, intent: Intent) -> None:
        content = self.session.content
        found = self._figures.get(intent)
        way, _ = self.session.way
        ready = content is not None and self._figures and way is None
        advice = advise(self._figures, content, self._moved) if ready and content is not None else None
        said = [found.headline] if found else []
        say_steadily(self.advice, " ".join([*said, *([advice.sentence] if advice else [])]))
        if self.every.isChecked():
            left_out = [h for h in self._held_by if h.losses is None]
            text = tr("Every condition, the one that loses least first. Click a name to put that condition in force.")
            if left_out:
                text += tr(" Nothing is known of {name}.", name=", ".join(h.candidate.card.name for h in left_out))
        elif self.where.isChecked():
            text = (
                tr("These colours stay as they print; all else fades to grey. Press the row again for the strips.")
                if self._sits
                else tr("How far each place is off, in ΔE00.")
            )
        elif self.session.known is not None:
            text = tr(
                "There is no profile: it is shown {words}. Drag the picture beneath.", words=self.session.known.words
            )
        elif way is not None:
            text = tr(
                "It is converted once, by {words}: what comes out of that is shown. Drag the picture beneath.",
                words=way.words,
            )
        else:
            text = tr(
                "Drag the picture beneath the strips; click the name of the one whose intent you want. "
                "{short} {meaning}.",
                short=_SHORT[intent],
                meaning=MEANING[intent],
            )
        say_steadily(self.explain, text)
        screen = self.session.display
        cannot = (
            ""
            if not self._unshown or self._unshown < 0.005
            else tr(" It cannot show {unshown:.0f} %.", unshown=self._unshown * 100)
        )
        self.trust.setText(
            tr("This screen: {words}.{cannot} In what light to look: hover here.", words=screen.words, cannot=cannot)
        )
        self.trust.setToolTip(f"{screen.words}. {screen.advice} {VIEWING}")

    def _substrate(self) -> QColor:
        """Return the piece's own white as it is shown."""
        printer = self.session.shown_by
        if printer is None:
            return self.theme.colour("surround")
        white = show(predicted_lab(np.ones((1, 3), np.float32), printer, absolute=True), self._display)[0]
        return QColor(*(int(v) for v in white))

    # Figures -----------------------------------------------------------------------------------------------------

    def want_figures(self, judged: bool = False) -> None:
        """Compute the losses of each intent in the background; `judged` where all is judged anew right after this."""
        session = self.session
        artwork, printer, card = session.artwork, session.shown_by, session.card
        if artwork is None or printer is None or card is None or session.way[1]:
            return
        screen = session.screen()
        now = replace(session.proof_settings, intent=Intent.PERCEPTUAL, paper_white=False)
        key = (id(artwork.pixels), artwork.profile.content_id, printer.content_id, now, screen and screen.content_id)
        if key == self._figures_for:
            found = self._figures.get(session.proof_settings.intent)
            if found is not None and session.losses is not found:
                contrast = self._contrast.get(session.proof_settings.intent, ())
                if judged:
                    session.live.change(LossesFound(found, contrast))
                else:
                    session.take_losses(found, contrast)
            return
        intent = session.proof_settings.intent
        self._figures_for, self._figures, self._contrast, self._unshown = key, {}, {}, None
        intents = sorted(self._intents(), key=lambda i: i is not intent)
        pixels, source, chosen = artwork.laid, artwork.profile, intent

        def compute(progress: Progress) -> _Found:
            figures: dict[Intent, Losses] = {}
            ways = [replace(now, intent=intent) for intent in intents]
            for index, found in enumerate(losses_of_each(pixels, source, printer, ways)):
                figures[intents[index]] = found
                if not progress((index + 1) / len(intents)):
                    raise CancelledError
            contrast = {}
            for way in ways:
                contrast[way.intent] = contrast_lost(pixels, source, printer, way)
                if not progress(1.0):
                    raise CancelledError
            unshown = not_shown(pixels, source, printer, replace(now, intent=chosen), screen)
            return figures, contrast, unshown, kept(printer, Intent.PERCEPTUAL)

        self.work.quietly("losses", compute, lambda done: self._take(key, *done))

    def _take(
        self,
        key: tuple[object, ...],
        figures: dict[Intent, Losses],
        contrast: dict[Intent, tuple[ContrastLoss, ...]],
        unshown: float,
        moved: Kept | None,
    ) -> None:
        card = self.session.card
        if key == self._figures_for and card is not None:
            self._figures, self._contrast, self._unshown, self._moved = figures, contrast, unshown, moved
            intent = self.session.proof_settings.intent
            self.session.take_losses(figures.get(intent), contrast.get(intent, ()))
            self.refresh()

    def facts(self) -> list[tuple[str, str]]:
        """Return how the proof is made."""
        card, found = self.session.card, self.session.losses
        if card is None:
            return []
        piece = self.session.pieces.current
        rows = [self._shown_by(), *self._conversion(card), (tr("Shown through"), self.session.display.words)]
        if piece is not None and piece.tuning is not None:
            rows.append((tr("Tuning"), piece.tuning.name or piece.tuning.words))
        if piece is not None and piece.replacements:
            count = len(piece.replacements)
            rows.append(
                (tr("Replaced"), trn("{count} colour, in a copy", "{count} colours, in a copy", count, count=count))
            )
        if found is not None:
            rows += [
                (tr("Out of gamut"), tr("{out_of_gamut:.1f} % of the area", out_of_gamut=found.out_of_gamut * 100)),
                (
                    tr("Lost"),
                    tr("{lost:.1f} %, mean ΔE00 {mean_de00:.1f}", lost=found.lost * 100, mean_de00=found.mean_de00),
                ),
            ]
        return rows

    def _shown_by(self) -> tuple[str, str]:
        known = self.session.known
        if known is not None:
            return tr("Shown"), known.words
        return tr("Profile"), self.session.profiles.title_in_force

    def _conversion(self, card: Card) -> list[tuple[str, str]]:
        """Return who converts, by what, and what becomes of black."""
        way, unknown = self.session.way
        if way is not None or unknown:
            return [(tr("Converted by"), way.words if way is not None else tr("not known"))]
        printer = self.session.shown_by
        scaled = printer is not None and compensates(printer, card.intent.code, card.bpc)
        return [(tr("Intent"), card.intent.words), (tr("Black point"), tr("compensated") if scaled else tr("as it is"))]

    def extra(self) -> list[QWidget]:
        """Return the list of losses."""
        found = self.session.losses
        if found is None or not found.groups:
            return []
        inside = QWidget()
        box = down(section(tr("Losses")), space=6, margins=(0, 4, 0, 0), on=inside)
        groups = found.groups[:8]
        Lab = [colour for loss in groups for colour in (loss.wanted_lab, loss.printed_lab)]
        shown = [QColor(int(r), int(g), int(b)) for r, g, b in show(np.array(Lab, np.float32), self._display)]
        for number, loss in enumerate(groups):
            row = LossRow(loss, loss == self._sits, (shown[2 * number], shown[2 * number + 1]))
            row.toggled.connect(partial(self._choose_loss, loss))
            box.addWidget(row)
        return [inside]
