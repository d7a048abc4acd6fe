"""The picture in hand through a profile that is not in use yet, beside the one that is."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtGui import QImage, QPixmap
from PySide6.QtWidgets import QLabel, QWidget

from fidele.artwork.picture import Artwork
from fidele.desk.flow import Flow
from fidele.desk.kit import down
from fidele.desk.labels import clear, label
from fidele.desk.picture import to_image
from fidele.desk.strip import small
from fidele.desk.theme import px
from fidele.icc.profile import Profile
from fidele.language import filled, tr
from fidele.proof.losses import losses
from fidele.session.looks import settings_for
from fidele.session.model import Session
from fidele.tiles import Progress

#: A picture is at most so long, in pixels of the screen at 100 %.
_SIDE = 216

#: What is said of a picture, and the picture.
Shown = tuple[str, QImage]


def before_after(session: Session, artwork: Artwork, new: bytes) -> Callable[[Progress], list[Shown]]:
    """Return the work of converting a picture as it is sent, by the profile in force, and by a new one.

    All is taken as the condition in force has it, its intent, compensation and the picture's own tuning; Fidele
    converts, as it will once the new profile is taken.
    """
    state, card = session.live.state, session.need_card()
    tuning, keep = (state.piece.tuning, state.piece.keep) if state.piece is not None else (None, "")
    settings = settings_for(card.model_copy(update={"owner": "fidele"}), None, tuning, keep, state.paper_white)
    old, looks, source, side = state.profile, session.looks, artwork.profile, px(_SIDE)

    def work(told: Progress) -> list[Shown]:
        found = [(tr("As it is"), to_image(small(artwork, side, looks.as_sent(source))))]
        in_force = tr("Printed by the profile in force: {lost:.0f} % lost")
        made = tr("Printed by the new one: {lost:.0f} % lost")
        through = [(in_force, old)] if old is not None and old.channels == 3 else []
        for words, profile in [*through, (made, Profile.parse(new))]:
            said = filled(words, lost=100 * losses(artwork.laid, source, profile, settings).lost)
            found.append((said, to_image(small(artwork, side, looks.through(source, profile, settings)))))
            told(0.5)
        return found

    return work


class BeforeAfter(QWidget):
    """Pictures side by side, each with what is said of it below."""

    def __init__(self) -> None:
        super().__init__()
        self._flow = Flow(space=14)
        self.setLayout(self._flow)

    def show_pictures(self, shown: list[Shown]) -> None:
        """Show other pictures; in a narrow window they go on in the next line."""
        clear(self._flow)
        for words, image in shown:
            picture, one = QLabel(), QWidget()
            picture.setPixmap(QPixmap.fromImage(image))
            picture.setAccessibleName(words)
            one.setFixedWidth(px(_SIDE))
            down(picture, label(words, 8.5, dim=True, wrap=True), space=3, margins=(0, 4, 0, 4), on=one)
            self._flow.addWidget(one)
