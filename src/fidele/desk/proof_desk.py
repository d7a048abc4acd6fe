"""The proof desk: the picture as printed, beside as sent, and the intents among each other on the comb."""

from __future__ import annotations

from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QCheckBox, QHBoxLayout, QVBoxLayout, QWidget

from fidele.desk.desk import Desk
from fidele.desk.labels import button, heading, label, section
from fidele.desk.picture import PictureView, Show, Tooth
from fidele.desk.theme import font
from fidele.desk.work import Work
from fidele.icc.profile import Profile
from fidele.icc.transform import Intent
from fidele.proof.losses import Loss, Losses, losses_of_each
from fidele.proof.soft import ProofLink, ProofSettings, as_sent, show, soft_proof
from fidele.proof.where import LossMap
from fidele.session.model import Session
from fidele.tiles import CancelledError, Progress

MEANING = {
    Intent.PERCEPTUAL: "keeps steps between colours; for pictures",
    Intent.RELATIVE: "keeps what fits exactly; for flat colours",
    Intent.SATURATION: "keeps things vivid; for charts and signs",
    Intent.ABSOLUTE: "tints to imitate another white; for proofs",
}
_SHORT = {
    Intent.PERCEPTUAL: "Perceptual",
    Intent.RELATIVE: "Media-relative",
    Intent.SATURATION: "Saturation",
    Intent.ABSOLUTE: "ICC-absolute",
}


class LossRow(QAbstractButton):
    """Wanted beside printed, with figures and words; pressed, it shows where these colours sit."""

    def __init__(self, loss: Loss, chosen: bool, display: Profile | None) -> None:
        super().__init__()
        self._loss = loss
        self._display = display
        self.setCheckable(True)
        self.setChecked(chosen)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        row = QHBoxLayout(self)
        row.setContentsMargins(62, 3, 6, 3)
        words = QVBoxLayout()
        words.setSpacing(1)
        words.addWidget(label(f"ΔE00 {loss.de00:.1f}", 9.0, bold=True))
        words.addWidget(label(loss.words, 8.5, dim=True, wrap=True))
        row.addLayout(words, 1)
        share = label(f"{loss.area * 100:.1f} %", 8.5, dim=True)
        share.setAlignment(Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignRight)
        row.addWidget(share)
        self.setMinimumHeight(38)
        self.setToolTip(
            "Left: wanted. Right: as it will print. The share is that of the picture's area. "
            "Press to see where it sits."
        )
        self.setAccessibleName(f"{loss.area * 100:.1f} % of the picture, ΔE00 {loss.de00:.1f}, {loss.words}")

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        for x, Lab in ((0, self._loss.wanted_lab), (27, self._loss.printed_lab)):
            r, g, b = show(np.array([Lab], np.float32), self._display)[0]
            painter.fillRect(x, 2, 27, min(36, self.height() - 4), QColor(int(r), int(g), int(b)))
        if self.isChecked() or self.hasFocus():
            painter.setPen(QPen(self.palette().windowText().color(), 2 if self.isChecked() else 1))
            painter.drawRect(1, 1, self.width() - 2, self.height() - 2)

    def sizeHint(self) -> QSize:
        wanted = super().sizeHint() if self.layout() is None else self.layout().sizeHint()  # type: ignore[union-attr]
        return QSize(wanted.width(), max(40, wanted.height()))


class ProofDesk(Desk):
    """Shows what the piece will look like, and lets a person choose the intent on the picture itself."""

    station = "Proof"
    #: What is shown has changed, so that what stands beside it must follow.
    shown = Signal()

    def __init__(self, session: Session, work: Work) -> None:
        super().__init__(session, work)
        self.box.setContentsMargins(0, 0, 0, 12)
        self.view = PictureView()
        self.view.tooth_chosen.connect(self._tooth)
        self.box.addWidget(self.view, 1)
        under = QVBoxLayout()
        under.setContentsMargins(22, 2, 22, 0)
        self.advice = heading("")
        self.advice.setWordWrap(True)
        under.addWidget(self.advice)
        self.explain = label("", 8.5, dim=True, wrap=True)
        under.addWidget(self.explain)
        row = QHBoxLayout()
        row.setSpacing(10)
        self.whole = button("Whole picture, as printed", self._toggle, "One view instead of the comb")
        self.whole.setCheckable(True)
        row.addWidget(self.whole)
        self.where = button(
            "Where it is lost", self._where, "What is lost stays in colour, all else fades to grey (ΔE00 over 2)"
        )
        self.where.setCheckable(True)
        row.addWidget(self.where)
        self.sent = button(
            "Hold V: as sent", lambda: None, "Hold the key V, or this button, to see the picture unprinted"
        )
        self.sent.pressed.connect(lambda: self._hold(True))
        self.sent.released.connect(lambda: self._hold(False))
        row.addWidget(self.sent)
        row.addStretch()
        checks = QHBoxLayout()
        checks.setSpacing(10)
        self.bpc = self._check(
            "Black point compensation", "Scale so that the picture's black becomes the piece's black", self._bpc
        )
        checks.addWidget(self.bpc)
        self.paper = self._check(
            "The piece's own white", "Show the white of the piece instead of the screen's", self._paper
        )
        checks.addWidget(self.paper)
        checks.addStretch()
        under.addLayout(checks)
        under.addLayout(row)
        self.box.addLayout(under)
        self._held = False
        self._sits: Loss | None = None
        self._links: dict[tuple[Any, ...], Show] = {}
        self._figures: dict[Intent, Losses] = {}
        self._figures_for: tuple[Any, ...] = ()
        self._picture: object = None
        self._display: Profile | None = None

    def _check(self, text: str, tip: str, changed: Any) -> QCheckBox:
        box = QCheckBox(text)
        box.setFont(font(9))
        box.setToolTip(tip)
        box.setAccessibleName(text)
        box.clicked.connect(changed)
        return box

    def _toggle(self) -> None:
        self.where.setChecked(False)
        self.refresh()

    def _where(self) -> None:
        self.whole.setChecked(False)
        self._sits = None
        self.refresh()
        self.shown.emit()

    def _choose_loss(self, loss: Loss, on: bool) -> None:
        """Show where one group of lost colours sits, or the comb again."""
        self.whole.setChecked(False)
        self.where.setChecked(on)
        self._sits = loss if on else None
        self.refresh()
        self.shown.emit()

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
        self.session.change_card(f"Black point compensation {'on' if on else 'off'}", bpc=on)

    def _paper(self, on: bool) -> None:
        self.session.paper_white = on
        self.refresh()

    def _intents(self) -> list[Intent]:
        have = self.session.intents
        return [i for i in (Intent.PERCEPTUAL, Intent.RELATIVE, Intent.SATURATION, Intent.ABSOLUTE) if i.value in have]

    def _tooth(self, index: int) -> None:
        intents = self._intents()
        if 1 <= index <= len(intents) and self.session.card is not None:
            intent = intents[index - 1]
            self.session.change_card(f"The intent is {intent.words}", intent=intent)

    def _link(self, intent: Intent | None) -> Show:
        """Return how the picture is shown: as sent (None), or as printed with an intent."""
        artwork, printer, card = self.session.artwork, self.session.profile, self.session.card
        if artwork is None or card is None:
            raise AssertionError("a proof was asked for without a picture or a card")
        settings = ProofSettings(intent or card.intent, card.bpc, self.session.paper_white)
        display = self._display
        shown = display.content_id if display else ""
        key = (artwork.profile.content_id, printer.content_id if printer else "", intent, settings, shown)
        if key not in self._links:
            if len(self._links) > 24:
                self._links.clear()
            source = artwork.profile
            if source.channels != 3:
                if intent is None or printer is None:
                    self._links[key] = lambda pixels: as_sent(pixels, source, display)
                else:
                    self._links[key] = lambda pixels: soft_proof(pixels, source, printer, settings, display)
            else:
                self._links[key] = ProofLink(source, printer if intent is not None else None, settings, display)
        return self._links[key]

    def _map(self, intent: Intent) -> Show:
        """Return how the picture is shown where colours are lost."""
        artwork, printer, card = self.session.artwork, self.session.profile, self.session.card
        if artwork is None or printer is None or card is None:
            raise AssertionError("a map was asked for without a picture or a profile")
        settings = ProofSettings(intent, card.bpc)
        shown = self._display.content_id if self._display else ""
        key = ("map", artwork.profile.content_id, printer.content_id, settings, shown, self._sits)
        if key not in self._links:
            self._links[key] = LossMap(artwork.profile, printer, settings, self._display, group=self._sits)
        return self._links[key]

    def refresh(self) -> None:
        """Show the proof of the artwork in hand."""
        session = self.session
        self.view.theme = self.theme
        self._display = session.screen()
        artwork, card = session.artwork, session.card
        ready = artwork is not None and card is not None and session.profile is not None
        for control in (self.whole, self.where, self.sent, self.bpc, self.paper):
            control.setEnabled(ready)
        if artwork is not self._picture:
            self._picture = artwork
            self.view.set_picture(artwork.pixels if artwork else None)
            self._sits = None
        if not ready or artwork is None or card is None:
            missing = "a picture" if artwork is None else "an output profile: drop one on the window"
            self.view.empty = f"For a proof there must be {missing}."
            self.view.set_teeth([])
            self.advice.setText("")
            self.explain.setText("A soft proof shows the picture as the profile says that it will print.")
            return
        self.bpc.setChecked(card.bpc)
        self.bpc.setEnabled(card.intent is not Intent.ABSOLUTE)
        self.paper.setChecked(session.paper_white)
        self.want_figures()
        surround = self._substrate() if session.paper_white else None
        if self._held:
            self.view.set_teeth([Tooth("as sent", self._link(None))], surround)
        elif self.where.isChecked() and artwork.profile.channels == 3:
            title = "where these are lost" if self._sits else "where it is lost: in colour"
            self.view.set_teeth([Tooth(title, self._map(card.intent))], surround)
        elif self.whole.isChecked():
            self.view.set_teeth([Tooth("as printed", self._link(card.intent))], surround)
        else:
            teeth = [Tooth("as sent", self._link(None), ("not printed:", "no ink is this bright"))]
            for intent in self._intents():
                found = self._figures.get(intent)
                beneath = (f"{found.lost * 100:.0f} % lost", f"mean ΔE00 {found.mean_de00:.1f}") if found else ("…",)
                teeth.append(Tooth(_SHORT[intent], self._link(intent), beneath, intent is card.intent))
            self.view.set_teeth(teeth, surround)
        self.advice.setText(self._advice(card.intent))
        self.explain.setText(
            "What is lost, by more than ΔE00 2, stays in colour; all else fades to grey. "
            "Press one of the losses beside it to see where it alone sits."
            if self.where.isChecked()
            else "The teeth of the comb stand still; drag the picture beneath them, "
            "click a tooth's name to choose that intent. "
            f"{_SHORT[card.intent]} {MEANING[card.intent]}."
        )

    def _substrate(self) -> QColor:
        """Return the piece's own white as it is shown."""
        printer = self.session.profile
        if printer is None:
            return self.theme.colour("surround")
        from fidele.proof.soft import predicted_lab

        white = show(predicted_lab(np.ones((1, 3), np.float32), printer, absolute=True), self._display)[0]
        return QColor(*(int(v) for v in white))

    def _advice(self, chosen: Intent) -> str:
        """Say in a sentence which intent suits the picture, from the figures."""
        if Intent.PERCEPTUAL not in self._figures or Intent.RELATIVE not in self._figures:
            return ""
        perceptual, relative = self._figures[Intent.PERCEPTUAL], self._figures[Intent.RELATIVE]
        artwork = self.session.artwork
        flat = artwork is not None and _is_flat(artwork.pixels)
        if relative.lost < 0.01:
            return "Media-relative suits this picture: nearly all of it fits the piece as it is."
        if flat:
            return "Media-relative suits this picture: flat colours, and those that fit stay exact."
        if relative.out_of_gamut > 0.05:
            return "Perceptual suits this picture: parts lie outside what the piece holds, and their steps survive."
        if perceptual.mean_de00 - relative.mean_de00 > 1:
            return "Media-relative suits this picture: little lies outside, and the rest stays truer."
        return "Perceptual and media-relative come out much alike here."

    def want_figures(self) -> None:
        """Compute the losses of each intent in the background."""
        artwork, printer, card = self.session.artwork, self.session.profile, self.session.card
        if artwork is None or printer is None or card is None:
            return
        key = (id(artwork.pixels), artwork.profile.content_id, printer.content_id, card.bpc)
        if key == self._figures_for:
            found = self._figures.get(card.intent)
            if found is not None and self.session.losses is not found:
                self.session.take_losses(found)
            return
        self._figures_for, self._figures = key, {}
        intents = sorted(self._intents(), key=lambda i: i is not card.intent)
        pixels, source, bpc = artwork.pixels, artwork.profile, card.bpc

        def compute(progress: Progress) -> dict[Intent, Losses]:
            figures: dict[Intent, Losses] = {}
            ways = [ProofSettings(intent, bpc) for intent in intents]
            for index, found in enumerate(losses_of_each(pixels, source, printer, ways)):
                figures[intents[index]] = found
                if not progress((index + 1) / len(intents)):
                    raise CancelledError
            return figures

        self.work.quietly("losses", compute, lambda figures: self._take(key, figures))

    def _take(self, key: tuple[Any, ...], figures: dict[Intent, Losses]) -> None:
        if key == self._figures_for and self.session.card is not None:
            self._figures = figures
            self.session.take_losses(figures.get(self.session.card.intent))
            self.refresh()

    def facts(self) -> list[tuple[str, str]]:
        """Return how the proof is made."""
        card, found = self.session.card, self.session.losses
        if card is None or self.session.profile is None:
            return []
        rows = [
            ("Profile", self.session.shelf_title()),
            ("Intent", card.intent.words),
            ("Black point", "compensated" if card.bpc and card.intent is not Intent.ABSOLUTE else "as it is"),
            ("Shown through", self._screen_words()),
        ]
        if found is not None:
            rows += [
                ("Out of gamut", f"{found.out_of_gamut * 100:.1f} % of the area"),
                ("Lost", f"{found.lost * 100:.1f} %, mean ΔE00 {found.mean_de00:.1f}"),
            ]
        return rows

    def _screen_words(self) -> str:
        entry = self.session.shelf.find(chosen) if (chosen := self.session.roles.of("screen")) else None
        return self.session.profiles.row(entry).title if entry else "sRGB: no profile of this screen is chosen"

    def extra(self) -> list[QWidget]:
        """Return the list of losses."""
        found = self.session.losses
        if found is None or not found.groups:
            return []
        inside = QWidget()
        box = QVBoxLayout(inside)
        box.setContentsMargins(0, 4, 0, 0)
        box.setSpacing(6)
        box.addWidget(section("Losses"))
        for loss in found.groups[:5]:
            row = LossRow(loss, loss == self._sits, self._display)
            row.toggled.connect(partial(self._choose_loss, loss))
            box.addWidget(row)
        return [inside]


def _is_flat(pixels: NDArray[Any]) -> bool:
    """Tell whether a picture consists of few colours."""
    sample = pixels[:: max(1, pixels.shape[0] // 200), :: max(1, pixels.shape[1] // 200)]
    return len(np.unique(sample.reshape(-1, pixels.shape[2]), axis=0)) < 64
