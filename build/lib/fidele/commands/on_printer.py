"""Artwork on a printer by what was said on a command line, without a printing condition."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from fidele import units
from fidele.commands.common import intent_for
from fidele.commands.printers import chain_of, need_printer
from fidele.errors import FideleError
from fidele.language import tr

if TYPE_CHECKING:
    from fidele.session.model import Session


class Line:
    """What was said on the line."""

    def __init__(self, session: Session, name: str, profile: Path, intent: str | None, bpc: bool, mirror: bool) -> None:
        from fidele.icc.profile import Profile

        self._session, self._intent, self._bpc = session, intent, bpc
        self._device = need_printer(session, name)
        self._profile = Profile.open(profile)
        card = self._device.starter_card()
        update = {
            "owner": "fidele",
            "process": "transfer" if mirror else "direct",
            "mirror_by": "fidele" if mirror else "nobody",
            "profile": self._profile.content_id,
            "profile_title": profile.stem,
            "name": tr("{name}, from a command line", name=self._device.name),
            "bpc": bpc,
            "printed_from": "",
        }
        self._card = card.model_copy(update=update)
        self._settings = self._device.settings_for(self._card)

    def printed(self, path: Path, size: tuple[float, float] | None, reason: str) -> int:
        """Print one picture; return the number of its run.

        Raises
        ------
        FideleError
            When it cannot be printed, or something on its way converts, mirrors or scales, or may do.
        """
        from fidele.artwork.open import open_artwork
        from fidele.run.job import Job
        from fidele.sheet.placing import Placing

        self._need_rest(reason)
        artwork = open_artwork(path, suppose=self._session.sources.suppose(path))
        intent, _ = intent_for(artwork, self._profile, self._intent, self._bpc)
        card = self._card.model_copy(update={"intent": intent})
        media = self._device.media(card.size, card.feed)
        placing = Placing.centred(media, *(size or artwork.own_mm))
        if placing.crosses(media, mirrored=card.mirror_by == "fidele"):
            wide, high = size or artwork.own_mm
            raise FideleError(
                tr(
                    "It is {size} and does not fit on {name}: say a smaller --size, or set a larger sheet.",
                    size=units.size(wide, high),
                    name=media.name,
                )
            )
        job = Job.of(artwork, placing, card, self._profile)
        queue = self._session.queue
        number = queue.order(job, reason, (), self._settings, state="preparing")
        queue.carry_out(number, None, job)
        return number

    def _need_rest(self, reason: str) -> None:
        """Refuse where the rest of the way does not leave the page alone, or nobody knows."""
        if reason:
            return
        chain = chain_of(self._device.sending(self._settings), self._card)
        wrong = [x for x in chain.layers if x.converts or x.mirrors or x.scale not in (None, 1.0)]
        if wrong:
            raise FideleError(
                tr("Held: {how}, on top of Fidele. Put that to rest, or give a --reason.", how=wrong[0].how)
            )
        if chain.unknown:
            layer = chain.layer(chain.unknown[0])
            raise FideleError(
                tr(
                    "Held: {how}. Look it up and say so (see 'fidele printer learn --help'), or give a --reason.",
                    how=layer.how,
                )
            )
