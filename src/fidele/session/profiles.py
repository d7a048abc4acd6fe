"""The profiles of a workshop: how they get in, what is said of them, where they fit, which is the default."""

from __future__ import annotations

import datetime
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from fidele.errors import FideleError
from fidele.files import write_bytes
from fidele.icc.profile import Profile
from fidele.icc.spaces import pass_through
from fidele.icc.transform import Intent
from fidele.papers.fit import Fit, Purpose, fit
from fidele.papers.guess import Known, guess
from fidele.papers.leaflet import Vocabulary, statements, text_of_leaflet
from fidele.papers.model import ABOUT, MADE, Papers, Said, Verified
from fidele.route.condition import Card
from fidele.session.person import person
from fidele.session.trial import Trial, trial_card
from fidele.store.papers import Defaults, PapersStore
from fidele.store.shelf import Arrival, Delivery, Entry, Installed, Removed

if TYPE_CHECKING:
    from fidele.session.model import Session

#: What must be stated before a profile can be trusted unseen; the rest is for the record.
NEEDED = ("stand_in", "quality", "direction", "ink_saving", "press_temperature", "press_seconds")


@dataclass(frozen=True)
class Row:
    """A profile as the shelf lists it."""

    entry: Entry
    papers: Papers
    fit: Fit
    #: Why it is among those that people use: 'pinned', 'in a condition', 'default', 'yours', or ''.
    used: str

    @property
    def title(self) -> str:
        """Its plain title, else what it calls itself."""
        return self.papers.value("title") or self.entry.title

    @cached_property
    def _text(self) -> str:
        what = self.entry.description
        said = " ".join(s.value for s in self.papers.said.values())
        text = f"{self.title} {what.description} {self.entry.path.name} {what.class_words} {what.colour_space} {said}"
        return text.casefold()

    def matches(self, words: list[str]) -> bool:
        """Tell whether every word, in small letters, stands somewhere in what is known of it."""
        return all(word in self._text for word in words)


class Profiles:
    """Everything that people do with profiles; what can be undone goes through the session's history."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self.shelf = session.shelf
        self.store = PapersStore(session.places.papers)
        self.defaults = Defaults(session.places.data / "defaults.json")
        #: What was brought and still waits for a choice.
        self.pending: Delivery | None = None
        self._guessed: dict[tuple[str, Known], dict[str, Said]] = {}

    # Getting in --------------------------------------------------------------------------------------------------

    def receive(self, delivery: Delivery) -> list[Installed]:
        """Take a delivery in: at once where there is nothing to choose, else it waits as `pending`."""
        fresh = {a.id: a for a in delivery.arrivals if a.status == "new"}
        rivals = [a for a in delivery.arrivals if a.status == "other-version"]
        if rivals or len(fresh) > 1:
            self.pending = delivery
            count = len(fresh) + len({a.id for a in rivals})
            self._session.say(
                "Another version of a profile that is on the shelf: choose what to do."
                if count == 1
                else f"{count} profiles are at the door: choose which to put on the shelf."
            )
            self._session.tell("arrivals")
            return [Installed(a.found.shown, "choose", a.id, a.title, a.reason) for a in (*fresh.values(), *rivals)]
        results = self._take(list(fresh.values()), {}, delivery.leaflets) if fresh else []
        for arrival in delivery.arrivals:
            if arrival.status in ("already", "refused"):
                results.append(
                    Installed(arrival.found.shown, arrival.status, arrival.id, arrival.title, arrival.reason)
                )
        results += [Installed(shown, "refused", reason=why) for shown, why in delivery.refused]
        if not fresh:
            self._session.say(results[0].reason if results else "There was no profile in it.")
        return results

    def settle(self, chosen: dict[str, str]) -> list[Installed]:
        """Act on what a person chose for what is pending: by profile id, 'put', 'leave', or 'instead:<id>'."""
        delivery = self.pending
        if delivery is None:
            return []
        wanted, instead = [], {}
        for arrival in {a.id: a for a in delivery.arrivals if a.id}.values():
            choice = chosen.get(arrival.id, "leave")
            if choice != "leave":
                wanted.append(arrival)
                if choice.startswith("instead:"):
                    instead[arrival.id] = choice.removeprefix("instead:")
        results = self._take(wanted, instead, delivery.leaflets) if wanted else []
        self.pending = None  # where it failed, the question stays open
        if not wanted:
            self._session.say("Nothing was put on the shelf.")
        self._session.tell("arrivals")
        return results

    def _take(
        self, arrivals: list[Arrival], instead: dict[str, str], leaflets: tuple[tuple[str, bytes], ...]
    ) -> list[Installed]:
        results: list[Installed] = []
        gone: list[Removed] = []

        def put() -> None:
            results.clear()
            gone.clear()
            try:
                for arrival in arrivals:
                    results.append(self.shelf.put(arrival))
                    old = self.shelf.find(instead[arrival.id]) if arrival.id in instead else None
                    if old is not None:
                        gone.append(self.shelf.remove(old.id))
                        self._hand_over(old.id, arrival.id)
                    for name, data in leaflets:
                        self._read_leaflet(arrival.id, name, data)
            except FideleError:
                back()  # all of them or none
                raise
            self._changed()

        def back() -> None:
            for done in results:
                if done.status == "installed" and self.shelf.find(done.id) is not None:
                    self.shelf.remove(done.id)
                if done.id in instead:
                    self._hand_over(done.id, instead[done.id])
            for removed in gone:
                self.shelf.put_back(removed)
            self._changed()

        name = f"“{arrivals[0].title}”" + (f" and {len(arrivals) - 1} more" if len(arrivals) > 1 else "")
        self._session.history.do(f"Put {name} on the shelf", put, back)
        replaced = " in place of the other version" if instead else ""
        verb = "are" if len(arrivals) > 1 else "is"
        self._session.say(f"{name} {verb} on the shelf{replaced}, ready to use.")
        return results

    def _hand_over(self, old: str, new: str) -> None:
        """Let every condition and default that uses one profile use another."""
        session = self._session
        for card in session.cards.cards():
            if card.profile == old:
                session.cards.save(card.model_copy(update={"profile": new}))
        if session.card is not None and session.card.profile == old:
            session.card = session.card.model_copy(update={"profile": new})
        for printer, media in self.defaults.served_by(old):
            self.defaults.choose(printer, media, new)

    def _changed(self) -> None:
        self._session.shelf_changed()

    def remove(self, profile_id: str) -> None:
        """Take a profile off the shelf, as a step that can be undone."""
        entry = self._need(profile_id)
        kept: list[Removed] = []

        def away() -> None:
            kept[:] = [self.shelf.remove(profile_id)]
            self._changed()

        def back() -> None:
            self.shelf.put_back(kept[0])
            self._changed()

        title = self.row(entry).title
        self._session.history.do(f"Take “{title}” off the shelf", away, back)
        self._session.say(f"“{title}” was taken off the shelf; undo puts it back.")

    def _need(self, profile_id: str) -> Entry:
        entry = self.shelf.find(profile_id)
        if entry is None:
            raise FideleError("This profile is not on the shelf any more.")
        return entry

    # What is said of them ----------------------------------------------------------------------------------------

    def known(self) -> Known:
        """Return the names that this workshop knows."""
        session = self._session
        cards = session.cards.cards()
        carried = tuple(m.name for p in session.workshop.printers for m in p.media_list())
        return Known(
            printers=tuple(
                dict.fromkeys((*(p.name for p in session.workshop.printers), *(c.printer_name for c in cards)))
            ),
            media=tuple(dict.fromkeys((*carried, *(c.media for c in cards)))),
            substrates=tuple(dict.fromkeys((*session.workshop.substrates, *(c.substrate for c in cards)))),
        )

    def papers(self, entry: Entry) -> Papers:
        """Return what is said of a profile, with guesses where nobody has said anything."""
        known = self.known()
        key = (f"{entry.id} {entry.path.name}", known)
        if key not in self._guessed:
            if len(self._guessed) > 20_000:
                self._guessed.clear()
            self._guessed[key] = guess(entry.description, entry.path.name, known)
        return self.store.read(entry.id).with_guesses(self._guessed[key])

    def row(self, entry: Entry) -> Row:
        """Return a profile as the shelf lists it."""
        return self.rows([entry])[0]

    def rows(self, entries: list[Entry] | None = None) -> list[Row]:
        """Return all profiles as the shelf lists them, judged for the condition in force."""
        session = self._session
        in_cards = {c.profile for c in session.cards.cards()}
        default = set(self.defaults.all().values())
        card = session.card
        purpose = self.purpose(card)
        known, kept = self.known(), self.store.ids()
        made = []
        for entry in self.shelf.known() if entries is None else entries:
            key = (f"{entry.id} {entry.path.name}", known)
            if key not in self._guessed:
                self._guessed[key] = guess(entry.description, entry.path.name, known)
            papers = self.store.read(entry.id) if entry.id in kept else Papers(id=entry.id)
            papers = papers.with_guesses(self._guessed[key])
            used = (
                "pinned"
                if papers.pinned
                else "in a condition"
                if entry.id in in_cards
                else "default"
                if entry.id in default
                else "yours"
                if entry.own
                else ""
            )
            made.append(Row(entry, papers, fit(entry.description, papers, purpose), used))
        return made

    def change(self, profile_id: str, name: str, update: Callable[[Papers], Papers]) -> None:
        """Change what is kept of a profile, as a step that can be undone."""
        before = self.store.read(profile_id)
        after = update(before)
        if after == before:
            return

        def keep(papers: Papers) -> None:
            self.store.save(papers)
            self._session.tell("papers")
            self._session.refresh()

        self._session.history.do(name, lambda: keep(after), lambda: keep(before))
        self._session.say(f"{name}.")

    def say(self, profile_id: str, field: str, value: str) -> None:
        """Keep what a person says of a profile; '' takes it back."""
        label = (ABOUT | MADE)[field].lower()

        def update(papers: Papers) -> Papers:
            said = {k: v for k, v in papers.said.items() if k != field}
            if value.strip():
                said[field] = Said(value=value.strip(), origin="hand", when=_now(), who=person())
            return papers.model_copy(update={"said": said})

        what = f"{label[:1].upper()}{label[1:]}: {value.strip()}" if value.strip() else f"Nothing said of the {label}"
        self.change(profile_id, what, update)

    def confirm(self, profile_id: str, fields: tuple[str, ...] = ()) -> None:
        """Turn guesses into what a person vouches for: those named, or all."""
        shown = self.papers(self._need(profile_id))
        guesses = {k: s for k, s in shown.said.items() if not s.certain and (not fields or k in fields)}
        if not guesses:
            return

        def update(papers: Papers) -> Papers:
            sure = {
                k: s.model_copy(update={"origin": "hand", "when": _now(), "who": person()}) for k, s in guesses.items()
            }
            return papers.model_copy(update={"said": papers.said | sure})

        count = len(guesses)
        first = (ABOUT | MADE)[next(iter(guesses))].lower()
        self.change(profile_id, f"Confirmed: {first}" if count == 1 else f"Confirmed {count} guesses", update)

    def attach(self, profile_id: str, name: str, data: bytes) -> int:
        """Keep a leaflet with a profile and offer what it says as guesses; return how many things it says.

        Raises
        ------
        FideleError
            When it holds no text that can be read.
        """
        text_of_leaflet(name, data)
        count = self._read_leaflet(profile_id, name, data)
        self._session.tell("papers")
        self._session.refresh()
        self._session.say(
            f"{name} is kept with the profile; "
            + (
                f"it says {count} {'thing' if count == 1 else 'things'} to confirm."
                if count
                else "it says nothing of how the profile was made."
            )
        )
        return count

    def _read_leaflet(self, profile_id: str, name: str, data: bytes) -> int:
        try:
            said = statements(text_of_leaflet(name, data), self._vocabulary())
        except FideleError:
            said = {}
        papers = self.store.read(profile_id)
        kept = self.store.keep_leaflet(profile_id, name, data)
        entry = self.shelf.find(profile_id)
        certain = self.papers(entry).said if entry else papers.said
        fresh = {k: s for k, s in said.items() if not (k in certain and certain[k].certain)}
        leaflets = [*papers.leaflets, *([] if kept in papers.leaflets else [kept])]
        self.store.save(papers.model_copy(update={"said": papers.said | fresh, "leaflets": leaflets}))
        return len(fresh)

    def _vocabulary(self) -> Vocabulary:
        return replace(self._session.device.vocabulary(), media=self.known().media)

    def pin(self, profile_id: str, pinned: bool) -> None:
        """Keep a profile at the top of the shelf, or no longer."""
        title = self.row(self._need(profile_id)).title
        name = f"“{title}” is pinned to the shelf" if pinned else f"“{title}” is no longer pinned"
        self.change(profile_id, name, lambda p: p.model_copy(update={"pinned": pinned, "hidden": False}))

    def hide(self, profile_id: str, hidden: bool) -> None:
        """Keep a profile off the shelf without removing it, or show it again."""
        title = self.row(self._need(profile_id)).title
        name = f"“{title}” is hidden; search still finds it" if hidden else f"“{title}” is shown again"
        self.change(profile_id, name, lambda p: p.model_copy(update={"hidden": hidden, "pinned": False}))

    def verified(self, profile_id: str, found: Verified) -> None:
        """Keep what a chart said of a profile on a printer."""
        papers = self.store.read(profile_id)
        self.store.save(papers.model_copy(update={"verified": [*papers.verified, found][-50:]}))
        self._session.tell("papers")
        self._session.refresh()

    # Using them --------------------------------------------------------------------------------------------------

    def fitting(self, card: Card) -> list[Row]:
        """Return output profiles for a card, what fits first, each with the reason why it may not."""
        rows = [r for r in self.rows() if r.entry.description.device_class == "prtr" and not r.papers.hidden]
        purpose = self.purpose(card)
        for_card = [Row(r.entry, r.papers, fit(r.entry.description, r.papers, purpose), r.used) for r in rows]
        return sorted(for_card, key=lambda r: (r.fit.rank, not r.papers.pinned, r.title.casefold()))

    def purpose(self, card: Card | None) -> Purpose:
        """Return what a profile is wanted for: a card, or any media in the printer at hand."""
        device = self._session.workshop.printer_of(card.printer) if card else self._session.device
        if card is None:
            return Purpose(device.name, "", space=device.space)
        return Purpose(card.printer_name, card.media, card.substrate, card.ink, device.space)

    def choose_default(self, profile_id: str, media: str) -> None:
        """Make a profile the default for this printer and a media, as a step that can be undone; '' for none."""
        session = self._session
        printer = session.device.id
        before = self.defaults.of(printer, media)

        def choose(value: str) -> None:
            self.defaults.choose(printer, media, value)
            session.tell("papers")

        title = self.row(self._need(profile_id)).title if profile_id else "nothing"
        name = f"“{title}” is the default for {media} on the {session.device.name}"
        session.history.do(name, lambda: choose(profile_id), lambda: choose(before))
        session.say(f"{name}.")

    def stand_for(self, role: str, profile_id: str) -> None:
        """Let a profile stand for the screen or the scanner, as a step that can be undone; '' for none."""
        session = self._session
        before = session.roles.of(role)

        def choose(value: str) -> None:
            session.roles.choose(role, value)
            session.tell("artwork")
            session.refresh()

        words = {"screen": "Proofs are shown through", "scanner": "Scans are read through"}[role]
        none = {"screen": "sRGB", "scanner": "the profile made here"}[role]
        name = f"{words} {f'“{self.row(self._need(profile_id)).title}”' if profile_id else none}"
        session.history.do(name, lambda: choose(profile_id), lambda: choose(before))
        session.say(f"{name}.")

    def start_condition(self, profile_id: str) -> None:
        """Make a printing condition with a profile, set as its papers say it was made, and put it in force.

        Raises
        ------
        FideleError
            When it cannot serve as an output profile.
        """
        session = self._session
        row = self.row(self._need(profile_id))
        if not row.entry.description.usable_as_output:
            raise FideleError(f"“{row.title}” {row.fit.words.lower()}")
        card = trial_card(session.device, row.papers, None)
        taken = {c.id for c in session.cards.cards()}
        stem = f"condition-{profile_id}"
        card_id, number = stem, 2
        while card_id in taken:
            card_id, number = f"{stem}-{number}", number + 1
        said = row.papers.value("intent")
        intent = {"intent": Intent(said)} if said in row.entry.description.intents else {}
        made = card.model_copy(update={"id": card_id, "name": row.title[:60], **intent})
        before = session.card

        def start() -> None:
            session.cards.save(made)
            session.put_in_force(made)

        def back() -> None:
            session.cards.remove(made.id)
            if before is not None:
                session.put_in_force(before)
            else:
                session.no_card()

        session.history.do(f"Start a condition with “{row.title}”", start, back)
        session.say(f"A condition with “{row.title}” is in force; the hand-off shows what is still to set.")

    def trial(self, profile_id: str) -> Trial:
        """Return what 'try it' needs.

        Raises
        ------
        FideleError
            When the profile cannot serve as an output profile here.
        """
        session = self._session
        row = self.row(self._need(profile_id))
        what = row.entry.description
        if not what.usable_as_output or what.colour_space != session.device.space:
            raise FideleError(f"“{row.title}” cannot be tried on the {session.device.name}: {row.fit.words}")
        session.scanner.profile()  # a clear word now rather than after the print
        card = trial_card(session.device, row.papers, session.card)
        if card.process == "transfer" and card.substrate not in session.workshop.substrates:
            base = session.card.substrate if session.card else session.workshop.substrates[0]
            card = card.model_copy(update={"substrate": base})
        return Trial(card, self.shelf.load(profile_id), row.title)

    def pass_through_file(self) -> Path:
        """Return the file of the pass-through profile, written where other programs can read it."""
        path = self._session.places.data / "pass-through.icc"
        if not path.exists():
            write_bytes(path, pass_through().data)
        return path

    def as_space(self, profile_id: str) -> Profile:
        """Return a profile on the shelf as a space that a picture can be in.

        Raises
        ------
        FideleError
            When it does not lead from device values to colour.
        """
        entry = self._need(profile_id)
        if entry.description.device_class not in ("mntr", "spac", "scnr", "prtr"):
            raise FideleError(
                f"“{entry.title}” is a profile of class {entry.description.class_words}: no source space."
            )
        return self.shelf.load(profile_id)


def _now() -> datetime.datetime:
    return datetime.datetime.now().replace(microsecond=0)
