"""What the findings' buttons do, as far as no window is needed for it."""

from __future__ import annotations

from collections.abc import Callable

from fidele.errors import FideleError
from fidele.icc.transform import Intent
from fidele.judge.finding import Action, Deed
from fidele.language import tr
from fidele.session.handoff import Handoff
from fidele.session.in_force import InForce
from fidele.session.laying import Laying
from fidele.session.live import Live
from fidele.session.piece import PanelPlan
from fidele.session.pieces import Pieces
from fidele.session.profiles import Profiles
from fidele.session.readiness import Readiness
from fidele.session.sheet import Sheet
from fidele.sheet.placing import Placing

#: Deeds that open something in the window, or take so long that they belong beside it.
IN_THE_WINDOW = (Deed.SHOW, Deed.TRY, Deed.FOLDER)


class Actions:
    """A deed for each kind of button."""

    def __init__(
        self,
        live: Live,
        in_force: InForce,
        handoff: Handoff,
        profiles: Profiles,
        pieces: Pieces,
        sheet: Sheet,
        laying: Laying,
        readiness: Readiness,
    ) -> None:
        self._live, self._in_force, self._handoff, self._sheet = live, in_force, handoff, sheet
        self._pieces, self._laying = pieces, laying
        bring, change = handoff.bring, in_force.change
        self._deeds: dict[Deed, Callable[[str], object]] = {
            Deed.BRING: lambda _: bring(),
            Deed.SET: lambda meaning: bring((meaning,)),
            Deed.OWNER: handoff.choose_owner,
            Deed.CONFIRM: self._confirm,
            Deed.CONFIRM_PROGRAM: lambda _: handoff.confirm_program(),
            Deed.PROBE: lambda _: handoff.probe(),
            Deed.DRIVER_PASS: lambda _: handoff.let_driver_pass(),
            Deed.DRIVER_CONVERT: lambda _: bring(("colour", "given_profile")),
            Deed.DRIVER_RESET: lambda _: handoff.reset(),
            Deed.DRIVER_NO_MIRROR: lambda _: handoff.mirror("fidele"),
            Deed.DRIVER_NO_TURN: lambda _: bring(("turn",)),
            Deed.DRIVER_TRUE_SIZE: lambda _: bring(("scaling",)),
            Deed.SYSTEM_PASS: lambda _: handoff.let_system_pass(),
            Deed.SYSTEM_CONVERT: lambda _: bring(("system",)),
            Deed.FIDELE_CONVERT: lambda _: handoff.fidele_converts(),
            Deed.STAND_IN: lambda name: handoff.stand_in(name),
            Deed.BAKE: lambda _: change(tr("Tunings are worked into what is sent"), bake=True),
            Deed.MIRROR: lambda _: handoff.mirror("fidele"),
            Deed.MIRROR_NOT: lambda _: handoff.mirror("nobody"),
            Deed.LAY_IN: lambda _: handoff.lay_in(),
            Deed.READINESS: lambda _: readiness.order(),
            Deed.USE: profiles.use,
            Deed.INTENT: lambda intent: change(
                tr("The intent is {words}", words=Intent(intent).words), intent=Intent(intent)
            ),
            Deed.QUALITY: lambda step: handoff.quality(int(step)),
            Deed.AS_MADE: handoff.as_made,
            Deed.PREHEAT: lambda _: self._preheat(),
            Deed.PAGE: lambda page: pieces.take_page(pieces.reading(int(page))()),
            Deed.WHITEN: lambda _: pieces.purify("whiten"),
            Deed.BLACKEN: lambda _: pieces.purify("blacken"),
            Deed.SIZE: self._size,
            Deed.FIT_SHEET: lambda _: laying.largest(pieces.need().number, 0.0),
            Deed.TURN: lambda _: laying.turn_all(),
            Deed.NEST: lambda _: laying.nest(),
            Deed.PART: lambda _: laying.part(PanelPlan()),
            Deed.APART: lambda number: laying.apart(int(number)),
            Deed.PROPORTIONS: lambda number: laying.own_proportions(int(number)),
        }

    def act(self, action: Action) -> None:
        """Do what a finding's button says.

        Raises
        ------
        FideleError
            When it cannot be done for this card, or only in a window.
        """
        deed = self._deeds.get(action.deed)
        if deed is None:
            raise FideleError(tr("This is done in the window."))
        deed(action.on)

    def _confirm(self, meaning: str) -> None:
        """Keep that a person saw a setting as the card wants it."""
        wanted = next((r.wanted for r in self._live.state.route.rows if r.meaning == meaning), "off")
        self._handoff.confirm(meaning, wanted)

    def _preheat(self) -> None:
        press = self._live.state.need_card().press
        self._in_force.change(tr("Warmed for 10 s"), press=press.model_copy(update={"preheat": 10.0}))

    def _size(self, size: str) -> None:
        """Take another size of sheet, with the picture in its middle."""
        self._in_force.change(tr("Size {size}", size=size), size=size)
        self._handoff.bring(("size", "feed"))
        piece = self._live.state.piece
        if piece is not None:
            media, at = self._sheet.media(self._sheet.shown), piece.placing
            placing = Placing.centred(media, at.width, at.height, at.angle)
            turned = Placing.centred(media, at.width, at.height, (at.angle + 90) % 360)
            if placing.crosses(media, mirrored=False) and not turned.crosses(media, mirrored=False):
                placing = turned
            self._pieces.change(tr("Place the picture"), placing=placing)
