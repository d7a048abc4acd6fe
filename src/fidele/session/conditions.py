"""What people do with printing conditions: copy with one thing changed, lock, compare, send, take in, remove."""

from __future__ import annotations

import re
from pathlib import Path
from typing import TYPE_CHECKING, Any

from fidele.errors import FideleError
from fidele.route.condition import Card
from fidele.route.differences import Difference, differences
from fidele.session.trial import trial_card
from fidele.store.cards import export_card, read_export

if TYPE_CHECKING:
    from fidele.session.model import Session


class Conditions:
    """The cards of a workshop; what changes them goes through the session's history."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self.store = session.cards

    def need(self, name: str) -> Card:
        """Return a card by id or name.

        Raises
        ------
        FideleError
            When there is none.
        """
        found = self.store.find(name)
        if found is None:
            raise FideleError(f"There is no printing condition '{name}'.")
        return found

    def copy(self, card_id: str, name: str, **changed: Any) -> list[Difference]:
        """Make a copy of a card with one thing changed, put it in force, and return all that differs.

        What has to change along with it does: another media brings the profile that is its default, the driver
        settings and the press that its papers state, and the best quality that its stand-in allows.
        """
        session, old = self._session, self.need(card_id)
        new = old.model_copy(
            update={"id": self.fresh(name), "name": name, "locked": False, "history": [], "confirmed": {}} | changed
        )
        if changed.get("media", old.media) != old.media:
            new = self._for_media(new)
        before, restore = session.card, session.handoff.snapshot(new)

        def make() -> None:
            self.store.save(new)
            session.put_in_force(new)
            session.handoff.set_all()

        def back() -> None:
            restore()
            self.store.remove(new.id)
            if before is not None:
                session.put_in_force(before)
            else:
                session.no_card()

        session.history.do(f"Copy “{old.name}” as “{name}”", make, back)
        found = differences(old, new)
        session.say(f"“{name}” is in force; it differs in {', '.join(d.label.lower() for d in found) or 'nothing'}.")
        return found

    def other_media(self, card: Card) -> list[str]:
        """Return other media for which a profile on the shelf says that it fits this card's printer."""
        session = self._session
        rows = [r for r in session.profiles.rows() if r.entry.description.usable_as_output]
        fit = [r for r in rows if r.papers.value("printer") in ("", card.printer_name)]
        return sorted({m for r in fit if (m := r.papers.value("media")) and m != card.media})

    def _for_media(self, card: Card) -> Card:
        session = self._session
        device = session.workshop.printer_of(card.printer)
        default = session.profiles.defaults.of(device.id, card.media)
        entry = session.shelf.find(default) if default else None
        if entry is None:
            fits = [r for r in session.profiles.fitting(card) if r.fit.grade == "fits"]
            entry = fits[0].entry if len(fits) == 1 else None
        if entry is None:
            return card.model_copy(update={"profile": None, "profile_title": "", "owner": "driver"})
        papers = session.profiles.papers(entry)
        kept = {"media": card.media, "substrate": card.substrate, "profile_title": session.profiles.row(entry).title}
        made = trial_card(device, papers, card).model_copy(update=kept)
        if not papers.value("quality"):
            best = device.best_quality(str(made.driver.get("stand_in")))
            made = made.model_copy(update={"driver": made.driver | ({"quality": best} if best is not None else {})})
        return made

    def fresh(self, name: str) -> str:
        """Return an id that no card has yet, made from a name."""
        stem = re.sub(r"[^a-z0-9]+", "-", name.casefold()).strip("-")[:40] or "condition"
        taken = {c.id for c in self.store.cards()}
        number, made = 2, stem
        while made in taken:
            number, made = number + 1, f"{stem}-{number}"
        return made

    def lock(self, locked: bool) -> None:
        """Lock the card in force against changes, or unlock it."""
        self._session.change_card("This condition is locked" if locked else "Unlocked", locked=locked)

    def compare(self, one: str, other: str) -> list[Difference]:
        """Return in what two cards differ."""
        return differences(self.need(one), self.need(other))

    def export(self, card_id: str, path: Path) -> None:
        """Write a card with its profile inside as one file.

        Raises
        ------
        FideleError
            When the profile is not on the shelf, or the file cannot be written.
        """
        card = self.need(card_id)
        profile = self._session.shelf.load(card.profile).data if card.profile else None
        export_card(card, profile, path)
        self._session.say(f"“{card.name}” is written to {path.name}" + (", its profile inside." if profile else "."))

    def take_in(self, path: Path) -> Card:
        """Take in a card that was exported, with its profile, as a step that can be undone; it is not put in force.

        Raises
        ------
        FideleError
            When the file is damaged, or cannot be kept.
        """
        session = self._session
        card, profile = read_export(path)
        there = self.store.find(card.id)
        if there is not None and there != card:
            card = card.model_copy(update={"id": self.fresh(card.name), "name": f"{card.name} (taken in)"})
        if profile is not None:
            delivery = session.shelf.look_into(f"{card.profile_title or card.name}.icc", profile)
            refused = [a.reason for a in delivery.arrivals if a.status == "refused"]
            if refused:
                raise FideleError(f"The profile in {path.name} is refused: {refused[0]}")
            for arrival in delivery.arrivals:
                session.shelf.put(arrival)

        def put() -> None:
            self.store.save(card)
            session.tell("card")

        def back() -> None:
            self.store.remove(card.id)
            session.tell("card")

        session.history.do(f"Take in “{card.name}”", put, back)
        session.shelf_changed()
        session.say(f"“{card.name}” was taken in" + (", with its profile." if profile else "."))
        return card

    def remove(self, card_id: str) -> None:
        """Take a card away, as a step that can be undone."""
        session, card = self._session, self.need(card_id)
        if card.locked:
            raise FideleError(f"“{card.name}” is locked; unlock it first.")
        in_force = session.card is not None and session.card.id == card.id

        def away() -> None:
            self.store.remove(card.id)
            rest = self.store.cards()
            if not in_force:
                session.tell("card")
            elif rest:
                session.put_in_force(rest[0])
            else:
                session.no_card()

        def back() -> None:
            self.store.save(card)
            if in_force:
                session.put_in_force(card)
            session.tell("card")

        session.history.do(f"Remove “{card.name}”", away, back)
        session.say(f"“{card.name}” was removed; undo brings it back.")
