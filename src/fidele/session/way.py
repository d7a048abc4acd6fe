"""Which way the numbers of a card go to its printer: what the proof, the losses and the findings are to follow."""

from __future__ import annotations

from pathlib import Path

from fidele.devices.protocol import Printer
from fidele.errors import FideleError
from fidele.icc.describe import describe
from fidele.icc.profile import Profile
from fidele.icc.spaces import SENDS, srgb
from fidele.icc.transform import Intent
from fidele.language import tr
from fidele.route.as_measured import as_measured
from fidele.route.condition import Card
from fidele.route.layers import fingerprint
from fidele.run.probes import Corrections
from fidele.tuning.way import Way


def way_of(card: Card, device: Printer | None, profile: Profile | None, corrections: Corrections) -> Way | None:
    """Return how numbers become the printer's where another one than Fidele converts, None where Fidele does.

    A `profile` beside a card of the driver's that has none is what measured pages tell of that print.

    What the owner is set to counts, not what the card would like: the profile that is assigned or given, the intent
    that it always takes, the correction that a probe found.

    Raises
    ------
    FideleError
        When it is not known what the owner does, in a sentence that says what is missing.
    """
    if card.owner == "fidele":
        return None
    if device is None:
        raise FideleError(
            tr(
                "The {printer_name} is not here, and what converts on the way to it cannot be asked.",
                printer_name=card.printer_name,
            )
        )
    if card.owner == "driver":
        if card.profile is None and profile is not None:
            return as_measured(card)
        return _by_driver(card, device, corrections)
    if card.owner == "system":
        return _by_system(card, device, profile)
    if profile is None:
        raise FideleError(tr("Choose the output profile that is converted through: without it nothing can be shown."))
    sends = SENDS[card.sends]()
    through, intent, bpc = profile, card.intent, card.bpc
    if card.owner == "driver-profile":
        given, aim = device.given()
        through, intent = _opened(given) or profile, aim or card.intent
    words = tr("through “{title}”, {words}", title=_title(through), words=intent.words)
    who = card.printed_from if card.owner == "program" else tr("the driver of the {name}", name=device.name)
    return Way(
        _key(card, through, sends, intent, bpc), f"{who} {words}", sends, sends, through, intent, bpc, None, card.bake
    )


def _by_driver(card: Card, device: Printer, corrections: Corrections) -> Way:
    found = corrections.of(device)
    if found is None:
        raise FideleError(
            tr(
                "What the {name}'s own correction makes of numbers is not known: it cannot be probed. Let "
                "Fidele convert, or print a chart and look at it.",
                name=device.name,
            )
        )
    sends = SENDS[card.sends]()
    key = f"driver {device.id} {card.sends} {card.bake} {hash(found.table.tobytes())} {hash(card.balance)}"
    words = tr("the driver of the {name} by its maker's correction", name=device.name)
    return Way(key, words, sends, sends, correction=found, balance=card.balance, baked=card.bake)


def _by_system(card: Card, device: Printer, profile: Profile | None) -> Way:
    if device.system is None:
        raise FideleError(tr("The print system does not convert on the way to the {name}.", name=device.name))
    source, assigned = device.system.assigned()
    through = _opened(assigned) or profile
    if through is None:
        raise FideleError(
            tr("No profile is assigned to this printer in the print system: assign one, or let Fidele convert.")
        )
    taken = _opened(source) or srgb()
    # The print system has an intent of its own, and does not compensate black.
    intent = device.system.intent
    words = tr("the print system through “{title}”, {words}", title=_title(through), words=intent.words)
    key = _key(card, through, taken, intent, False)
    return Way(key, words, srgb(), taken, through, intent, False, None, card.bake)


def _opened(path: Path | None) -> Profile | None:
    return Profile.open(path) if path is not None else None


def _title(profile: Profile) -> str:
    return describe(profile).description or profile.name


def _key(card: Card, through: Profile, space: Profile, intent: Intent, bpc: bool) -> str:
    return f"{card.owner} {through.content_id} {space.content_id} {intent} {bpc} {card.bake}"


class Ways:
    """The way of the card in force, found again only where something of it has changed."""

    def __init__(self, corrections: Corrections) -> None:
        self._corrections = corrections
        self._for: object = None
        self._way: Way | None = None
        self._missing = ""

    def find(self, card: Card, device: Printer | None, profile: Profile | None) -> tuple[Way | None, str]:
        """Return the way and '', or None and why it is not known; None and '' where Fidele converts."""
        if card.owner == "fidele":
            return None, ""
        try:
            state = fingerprint(device.state()) if device is not None else ()
        except FideleError as error:  # the way is looked for anew once the driver can be read again
            self._for = None
            return None, str(error)
        colour = (card.owner, card.intent, card.bpc, card.sends, card.bake, card.printed_from, card.balance)
        now = (device and device.id, state, colour, profile and profile.content_id)
        if now != self._for:
            self._for, self._way, self._missing = now, None, ""
            try:
                self._way = way_of(card, device, profile, self._corrections)
            except FideleError as error:
                self._missing = str(error)
        return self._way, self._missing
