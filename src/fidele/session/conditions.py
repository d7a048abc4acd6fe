"""What people do with printing conditions: copy with one thing changed, lock, compare, send, take in, remove."""

from __future__ import annotations

import re
from collections.abc import Collection
from pathlib import Path

from fidele.devices.devices import Devices
from fidele.devices.protocol import Printer
from fidele.errors import FideleError
from fidele.icc.transform import Intent
from fidele.language import lowered, tr
from fidele.route.condition import Card
from fidele.route.differences import Difference, differences, plain
from fidele.route.layers import MEANINGS
from fidele.run.trial import trial_card
from fidele.session.handoff import Handoff
from fidele.session.in_force import InForce
from fidele.session.live import Live
from fidele.session.news import ConditionsChanged
from fidele.session.profiles import Profiles, Row
from fidele.store.cards import CardStore, Exported, export_card


class Conditions:
    """The cards of a workshop; what changes them goes through the session's history."""

    def __init__(
        self, live: Live, in_force: InForce, handoff: Handoff, profiles: Profiles, cards: CardStore, devices: Devices
    ) -> None:
        self._live, self._in_force, self._handoff, self._profiles = live, in_force, handoff, profiles
        self.store, self._devices = cards, devices

    def need(self, name: str) -> Card:
        """Return a card by id or name.

        Raises
        ------
        FideleError
            When there is none.
        """
        found = self.store.find(name)
        if found is None:
            raise FideleError(tr("There is no printing condition '{name}'.", name=name))
        return found

    def copy(self, card_id: str, name: str, **changed: object) -> list[Difference]:
        """Make a copy of a card with one thing changed, put it in force, and return all that differs.

        What has to change along with it does: another media brings the profile that is its default, the driver
        settings and the press that its papers state, and the best quality that its stand-in allows.
        """
        old = self.need(card_id)
        new = old.model_copy(
            update={"id": self.fresh(name), "name": name, "locked": False, "history": [], "confirmed": {}} | changed
        )
        if changed.get("media", old.media) != old.media:
            new = self._for_media(new)
        name_of_step = tr("Copy “{name}” as “{name2}”", name=old.name, name2=name)
        self._handoff.take(name_of_step, new, lambda: self.store.save(new), lambda: self.store.remove(new.id))
        found = differences(old, new)
        self._live.say(
            tr(
                "“{name}” is in force; it differs in {label}.",
                name=name,
                label=", ".join(lowered(d.label) for d in found) or tr("nothing"),
            )
        )
        return found

    def other_printers(self, card: Card) -> list[Printer]:
        """Return the other printers that are here."""
        return [p for p in self._devices.printers if p.id != card.printer]

    def copy_to(self, card_id: str, printer: Printer) -> list[str]:
        """Make a copy of a card for another printer, put it in force, and return what could not be taken along.

        Settings, hand values and size go along where the other driver offers them; profile and curves where it is
        another unit of the same model, for they are true for a printer: they are to be tried there.
        """
        old, start = self.need(card_id), printer.starter_card()
        same = printer.name == old.printer_name
        lost = []
        driver = dict(start.driver)
        for meaning, value in old.driver.items():
            if value in {v for v, _ in printer.offers(meaning, driver)}:
                driver[meaning] = value
            elif driver.get(meaning) != value:
                lost.append(f"{lowered(MEANINGS.get(meaning, meaning))} {plain(value)}")
        handles = {c.name: c.offered for c in printer.handles()}
        hand = {name: value for name, value in old.hand.items() if value in handles.get(name, ())}
        lost += [
            tr("{name} {value} by hand", name=name, value=plain(value))
            for name, value in old.hand.items()
            if name not in hand
        ]
        name = f"{old.name}, {printer.name}"
        changes: dict[str, object] = {
            "id": self.fresh(name),
            "name": name,
            "printer": printer.id,
            "printer_name": printer.name,
            "driver": printer.possible(driver),
            "hand": hand,
            "size": old.size if old.size in printer.sizes() else start.size,
            "ink": old.ink if same else start.ink,
            "locked": False,
            "history": [],
            "confirmed": {},
            "driver_version": "",
        }
        if not same:
            changes |= {"profile": None, "profile_title": "", "owner": "driver", "balance": None}
            lost += ([tr("its profile")] if old.profile else []) + (
                [tr("its curves")] if old.balance is not None else []
            )
        new = old.model_copy(update=changes)
        step = tr("Copy “{name}” for the {name2}", name=old.name, name2=printer.name)
        self._handoff.take(step, new, lambda: self.store.save(new), lambda: self.store.remove(new.id))
        left = tr("Not taken along: {lost}.", lost=", ".join(lost)) if lost else tr("Everything was taken along.")
        tried = tr(" Try its profile there: two printers of one model differ.") if same and new.profile else ""
        self._live.say(tr("“{name}” is in force. {left}{tried}", name=new.name, left=left, tried=tried))
        return lost

    def other_media(self, card: Card) -> list[str]:
        """Return other media for which a profile on the shelf says that it fits this card's printer."""
        rows = [r for r in self._profiles.rows() if r.entry.description.usable_as_output]
        fit = [r for r in rows if r.papers.value("printer") in ("", card.printer_name)]
        return sorted({m for r in fit if (m := r.papers.value("media")) and m != card.media})

    def _for_media(self, card: Card) -> Card:
        device, profiles = self._devices.of(card), self._profiles
        default = profiles.defaults.of(device.id, card.media)
        entry = profiles.shelf.find(default) if default else None
        if entry is None:
            fits = [r for r in profiles.fitting(card) if r.fit.grade == "fits"]
            entry = fits[0].entry if len(fits) == 1 else None
        if entry is None:
            return card.model_copy(update={"profile": None, "profile_title": "", "owner": "driver"})
        papers = profiles.papers(entry)
        kept = {"media": card.media, "substrate": card.substrate, "profile_title": profiles.row(entry).title}
        made = trial_card(device, papers, card).model_copy(update=kept)
        if not papers.value("quality"):
            best = device.best_quality(str(made.driver.get("stand_in")))
            made = made.model_copy(update={"driver": made.driver | ({"quality": best} if best is not None else {})})
        return made

    def fresh(self, name: str, besides: Collection[str] = ()) -> str:
        """Return an id that no card has yet, nor any of those `besides`, made from a name."""
        stem = re.sub(r"[^a-z0-9]+", "-", name.casefold()).strip("-")[:40] or "condition"
        taken = {c.id for c in self.store.cards()} | set(besides)
        number, made = 2, stem
        while made in taken:
            number, made = number + 1, f"{stem}-{number}"
        return made

    def lock(self, locked: bool) -> None:
        """Lock the card in force against changes, or unlock it."""
        self._in_force.change(tr("This condition is locked") if locked else tr("Unlocked"), locked=locked)

    def own_sheet(self, name: str) -> None:
        """Let the condition in force be printed on a sheet of one's own size, by name; '' for the driver's size."""
        habits = self._live.state.need_card().sheet
        if name != habits.own:
            what = tr("Printed on “{name}”", name=name) if name else tr("Printed on the driver's size")
            self._in_force.change(what, sheet=habits.model_copy(update={"own": name}))

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
        profile = self._profiles.shelf.load(card.profile).data if card.profile else None
        export_card(card, profile, path)
        self._live.say(
            tr("“{name}” is written to {name2}", name=card.name, name2=path.name)
            + (tr(", its profile inside.") if profile else ".")
        )

    def take_in(self, held: Exported) -> Card:
        """Take in a card that was exported (`read_export`), with its profile, as a step that can be undone.

        It is not put in force.

        Raises
        ------
        FideleError
            When the file is damaged, or cannot be kept.
        """
        theirs = held.card.confirmed
        card = held.card.model_copy(update={"confirmed": {}, "claimed": held.card.claimed | theirs, "locked": False})
        profile = held.profile
        there = self.store.find(card.id)
        if there is not None and there in (card, held.card):
            card = there
        elif there is not None:
            card = card.model_copy(
                update={"id": self.fresh(card.name), "name": tr("{name} (taken in)", name=card.name)}
            )
        if profile is not None:
            delivery = self._profiles.shelf.look_into(f"{card.profile_title or card.name}.icc", profile)
            refused = [a.reason for a in delivery.arrivals if a.status == "refused"]
            if refused:
                raise FideleError(tr("The profile in {name} is refused: {refused}", name=held.name, refused=refused[0]))
            for arrival in delivery.arrivals:
                self._profiles.shelf.put(arrival)

        def put() -> None:
            self.store.save(card)
            self._live.tell(ConditionsChanged())

        def back() -> None:
            self.store.remove(card.id)
            self._live.tell(ConditionsChanged())

        self._live.history.do(tr("Take in “{name}”", name=card.name), put, back)
        self._profiles.changed()
        self._live.say(tr("“{name}” was taken in", name=card.name) + (tr(", with its profile.") if profile else "."))
        return card

    def start(self, printer: Printer | None = None) -> None:
        """Make a first condition for a printer, or for the one at hand, and put it in force.

        Raises
        ------
        FideleError
            When no printer is here.
        """
        if printer is None and not self._devices.printers:
            raise FideleError(tr("There is no printer yet: set one up on this machine, or describe one."))
        device, profiles = printer or self._devices.of(self._live.state.card), self._profiles
        card = device.starter_card()
        if self.store.find(card.id) is not None:
            name = card.name
            card = card.model_copy(update={"id": self.fresh(name)})
        default = profiles.defaults.of(device.id, card.media)
        if default and profiles.shelf.find(default) is not None:
            card = card.model_copy(update={"profile": default, "owner": "fidele"})
        self.store.save(card)
        self._in_force.put(card)
        self._live.say(
            tr("A first condition, with the profile that is the default for {media}.", media=card.media)
            if card.profile
            else tr("A first condition: the driver converts until you give it a profile. Drop one on the window.")
        )

    def start_with(self, profile_id: str) -> None:
        """Make a printing condition with a profile, set as its papers say it was made, and put it in force.

        Raises
        ------
        FideleError
            When it cannot serve as an output profile, or is for no printer that is here.
        """
        row = self._profiles.row(self._profiles.need(profile_id))
        if not row.entry.description.usable_as_output:
            raise FideleError(tr("“{title}” {words}", title=row.title, words=lowered(row.fit.words)))
        card = trial_card(self._printer_with(row), row.papers, None)
        if not row.papers.value("media"):  # not that of the printer's first condition: nobody has said which
            card = card.model_copy(update={"media": tr("media of “{title}”", title=row.title[:40])})
        said = row.papers.value("intent")
        intent = {"intent": Intent(said)} if said in row.entry.description.intents else {}
        card_id = self.fresh(f"condition-{profile_id}")
        made = card.model_copy(update={"id": card_id, "name": row.title[:60], **intent})
        name = tr("Start a condition with “{title}”", title=row.title)
        self._in_force.step(name, made, lambda: self.store.save(made), lambda: self.store.remove(made.id))
        self._live.say(
            tr("A condition with “{title}” is in force; the hand-off shows what is still to set.", title=row.title)
        )

    def undecided(self, profile_id: str) -> bool:
        """Tell whether a person must say for which printer a profile is: it does not say so, and several are here."""
        row = self._profiles.row(self._profiles.need(profile_id))
        named, able = row.papers.value("printer"), self._profiles.printers_for(row)
        mine = self._live.state.card
        return not named and len(able) > 1 and (mine is None or mine.printer not in {p.id for p in able})

    def _printer_with(self, row: Row) -> Printer:
        """Return the printer that a profile is for: that of the condition in force where it may be that one."""
        able, mine = self._profiles.printers_for(row), self._live.state.card
        if not able:
            said = row.papers.value("printer")
            space = row.entry.description.colour_space
            takes = sorted({p.format.space for p in self._devices.printers})
            if takes and space not in takes:
                raise FideleError(
                    tr(
                        "“{title}” is for {space} values; the printers here take {takes}.",
                        title=row.title,
                        space=space,
                        takes=tr(" or ").join(takes),
                    )
                )
            raise FideleError(
                tr(
                    "“{title}” was made for the {said}, which is not here. Set that printer up, or say on the "
                    "profile's page what it is for.",
                    title=row.title,
                    said=said,
                )
                if said
                else tr("There is no printer yet: set one up on this machine, or describe one.")
            )
        return next((p for p in able if mine is not None and p.id == mine.printer), able[0])

    def remove(self, card_id: str) -> None:
        """Take a card away, as a step that can be undone."""
        card = self.need(card_id)
        if card.locked:
            raise FideleError(tr("“{name}” is locked; unlock it first.", name=card.name))
        mine = self._live.state.card
        in_force = mine is not None and mine.id == card.id

        def away() -> None:
            self.store.remove(card.id)
            rest = self.store.cards()
            if not in_force:
                self._live.tell(ConditionsChanged())
            else:
                self._in_force.put(rest[0] if rest else None)

        def back() -> None:
            self.store.save(card)
            if in_force:
                self._in_force.put(card)
            self._live.tell(ConditionsChanged())

        self._live.history.do(tr("Remove “{name}”", name=card.name), away, back)
        self._live.say(tr("“{name}” was removed; undo brings it back.", name=card.name))
