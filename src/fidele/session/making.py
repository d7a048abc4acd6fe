"""Making a printing condition in the order in which people think: piece, printer, profile, settings, the rest."""

from __future__ import annotations

import dataclasses

from fidele.dataclass import dataclass
from fidele.devices.devices import Devices
from fidele.devices.protocol import CarriedMedia, Printer
from fidele.errors import FideleError
from fidele.language import tr
from fidele.papers.guess import likeness
from fidele.route.condition import Card
from fidele.run.trial import trial_card
from fidele.session.conditions import Conditions
from fidele.session.handoff import Handoff
from fidele.session.live import Live
from fidele.session.materials import OwnMaterials
from fidele.session.profiles import Profiles, Row
from fidele.values import Settings, Value

#: What is printed on where the paper itself is the piece.
ON_PAPER = tr("the paper itself")
#: Offered where nobody has named a piece yet; any other can be typed.
_PIECES = ("ceramic tile", tr("ceramic mug"), "polyester cloth", tr("coated metal sheet"))


@dataclass(frozen=True)
class Draft:
    """What has been decided so far; '' for what has not."""

    piece: str = ""
    printer: str = ""
    media: str = ""
    profile: str = ""
    stand_in: str = ""
    size: str = ""
    name: str = ""


class Making:
    """What can be decided at each step, and the card that comes of it."""

    def __init__(
        self,
        live: Live,
        conditions: Conditions,
        handoff: Handoff,
        profiles: Profiles,
        devices: Devices,
        materials: OwnMaterials,
    ) -> None:
        self._live, self._conditions, self._handoff, self._materials = live, conditions, handoff, materials
        self._profiles, self._devices = profiles, devices

    def with_profile(self, profile_id: str) -> Draft:
        """Return a draft with what a profile's papers say; an empty one for ''."""
        if not profile_id:
            return Draft()
        row = self._profiles.row(self._profiles.need(profile_id))
        able = self._profiles.printers_for(row)
        printer = able[0].id if len(able) == 1 or (able and row.papers.value("printer")) else ""
        piece, media = row.papers.value("substrate"), row.papers.value("media")
        return Draft(piece, printer, media, profile_id)

    def pieces(self) -> tuple[str, ...]:
        """Return what can be printed on."""
        known = self._profiles.known().substrates
        mine = self._materials.names("substrate")
        return (*dict.fromkeys((*mine, *(known or _PIECES))), ON_PAPER)

    def printers(self, piece: str) -> tuple[Printer, ...]:
        """Return the printers that can print on a piece."""
        process = "direct" if piece == ON_PAPER else "transfer"
        return tuple(p for p in self._devices.printers if p.process in (process, "any"))

    def media(self, draft: Draft) -> tuple[str, ...]:
        """Return media names for a draft, those first for which there is a profile that fits printer and piece."""
        known = self._profiles.known().media
        told = [r.papers.value("media") for r in self._profiles.rows() if r.entry.description.usable_as_output]
        mine = [
            m.name
            for p in self._devices.printers
            if p.id == draft.printer and p.carries
            for m in p.carries.media_list()
        ]
        return tuple(dict.fromkeys(filter(None, (*told, *mine, *self._materials.names("media"), *known))))

    def profiles(self, draft: Draft) -> list[Row]:
        """Return profiles that fit a draft or may fit it, what fits first."""
        return [r for r in self._profiles.fitting(self._bare(draft)) if r.fit.grade != "not"]

    def first(self, draft: Draft) -> str:
        """Return the id of the profile that a draft takes: the chosen default, else what fits; empty for none."""
        rows = self.profiles(draft)
        default = self._profiles.defaults.of(draft.printer, draft.media)
        return next((r.entry.id for r in rows[:1] if r.fit.grade == "fits" or r.entry.id == default), "")

    def stand_ins(self, draft: Draft) -> tuple[CarriedMedia, ...]:
        """Return the driver's media names worth trying for a media that it does not know, the likeliest first.

        The media itself comes first where the driver has it, then names that share words with it, the maker's own name
        apart; else the heaviest ink load, which transfer wants.
        """
        device = self._device(draft)
        return tuple(sorted(device.stand_ins(), key=lambda m: -likeness(draft.media, m.name, device.name)))

    def sizes(self, draft: Draft) -> tuple[str, ...]:
        """Return the sizes that the printer of a draft offers."""
        return self._device(draft).sizes()

    def expect(self, draft: Draft) -> str:
        """Say what to expect of a draft, honestly."""
        if not draft.profile:
            return tr(
                "Without a profile the driver converts, by what its maker thinks right for its own media. "
                "Expect colours that please rather than agree: greys may lean, and the proof can say nothing. "
                "Next: print the picture with each stand-in and keep the best; then have a profile made, or "
                "order one from the paper's maker."
            )
        row = next((r for r in self.profiles(draft) if r.entry.id == draft.profile), None)
        if row is None:
            return ""
        last = row.papers.on(self._device(draft).id)
        if last is not None:
            return last.sentence
        missing = "" if row.fit.grade == "fits" else f" {row.fit.words}"
        return tr("Never tried on this printer: try it before the first piece.{missing}", missing=missing)

    def _device(self, draft: Draft) -> Printer:
        return self._devices.printer_of(draft.printer)

    def _bare(self, draft: Draft) -> Card:
        device = self._device(draft)
        base = _for_piece(device.starter_card(), draft.piece) if device.process == "any" else device.starter_card()
        piece = {"substrate": draft.piece} if draft.piece and draft.piece != ON_PAPER else {}
        media = {"media": draft.media} if draft.media else {}
        if base.process == "direct" and draft.media not in ("", base.media):
            piece = {"substrate": draft.media}  # another paper is another piece
        return base.model_copy(update=piece | media)

    def card(self, draft: Draft) -> Card:
        """Return the card that a draft comes to, with everything that follows from what was decided.

        Raises
        ------
        FideleError
            When the piece, the printer or the media is not decided yet.
        """
        for field, words in (
            ("piece", tr("what to print on")),
            ("printer", tr("the printer")),
            ("media", tr("the media")),
        ):
            if not getattr(draft, field):
                raise FideleError(tr("Decide {words} first.", words=words))
        device = self._device(draft)
        card = self._bare(draft)
        name = draft.name.strip() or (
            draft.media
            if card.process == "direct"
            else tr("{media} on {substrate}", media=draft.media, substrate=card.substrate)
        )
        update = {"id": self._conditions.fresh(name), "name": name, "size": draft.size or card.size}
        if draft.profile:
            entry = self._profiles.shelf.find(draft.profile)
            if entry is None:
                raise FideleError(tr("This profile is not on the shelf any more."))
            row = self._profiles.row(entry)
            kept = {"media": card.media, "substrate": card.substrate, "profile_title": row.title}
            intent = row.papers.value("intent")
            made = trial_card(device, row.papers, card)
            if intent in entry.description.intents:
                kept["intent"] = type(card.intent)(intent)
            elif card.intent.value not in entry.description.intents:
                kept["intent"] = type(card.intent)("relative")
            return made.model_copy(update=kept | update)
        names = self.stand_ins(draft)
        stand_in = draft.stand_in or (names[0].name if names else "")
        best = device.best_quality(stand_in)
        driver = (
            card.driver | ({"stand_in": stand_in} if stand_in else {}) | ({"quality": best} if best is not None else {})
        )
        driver |= _offered(device, driver)
        return card.model_copy(update=update | {"driver": driver, "profile": None, "owner": "driver"})

    def make(self, draft: Draft) -> Card:
        """Make the card of a draft, put it in force and set everything to it, as a step that can be undone."""
        card, store = self.card(draft), self._conditions.store
        self._handoff.take(
            tr("Make “{name}”", name=card.name), card, lambda: store.save(card), lambda: store.remove(card.id)
        )
        self._live.say(tr("“{name}” is in force. {still_open}", name=card.name, still_open=self._handoff.still_open()))
        return card

    def stand_in_trials(self, draft: Draft, count: int = 3) -> list[Card]:
        """Make a condition for each of the stand-ins most worth trying, so that each print tells which it was.

        The likeliest is put in force, and everything set to it: one step that can be undone.
        """
        made: list[Card] = []
        for media in self.stand_ins(draft)[:count]:
            name = tr("{media} as {name}", media=draft.media, name=media.name)
            card = self.card(dataclasses.replace(draft, stand_in=media.name, name=name, profile=""))
            made.append(card.model_copy(update={"id": self._conditions.fresh(name, [c.id for c in made])}))
        store = self._conditions.store

        def keep() -> None:
            for card in made:
                store.save(card)

        def remove() -> None:
            for card in made:
                store.remove(card.id)

        if made:
            self._handoff.take(tr("Make conditions for {n} stand-ins", n=len(made)), made[0], keep, remove)
        return made


def _offered(device: Printer, driver: Settings) -> Settings:
    """Return what is on offer in place of settings, by meaning, that go with another media than the one that is set."""
    instead: dict[str, Value] = {}
    for meaning, value in driver.items():
        offered = [v for v, _ in device.offers(meaning, driver)]
        if offered and value not in offered and meaning != "stand_in":
            instead[meaning] = offered[0]
    return instead


def _for_piece(card: Card, piece: str) -> Card:
    """Return a card of a printer that presses or prints straight, as what is printed on asks for."""
    if piece == ON_PAPER:
        return card.model_copy(update={"process": "direct", "mirror_by": "nobody", "substrate": card.media})
    return card.model_copy(update={"process": "transfer", "mirror_by": "fidele"})
