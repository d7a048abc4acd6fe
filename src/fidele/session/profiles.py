"""The profiles of a workshop: how they get in, what is said of them, where they fit, which is the default."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Iterable
from dataclasses import replace
from functools import cached_property
from pathlib import Path

from fidele.dataclass import dataclass
from fidele.devices.devices import Devices
from fidele.devices.protocol import Printer
from fidele.errors import FideleError
from fidele.files import write_bytes
from fidele.icc.profile import Profile
from fidele.icc.spaces import pass_through
from fidele.language import lowered, quoted, tr, trn
from fidele.papers.fit import Fit, Purpose, fit
from fidele.papers.guess import Known, guess, plain
from fidele.papers.leaflet import Leaflet, Vocabulary, statements
from fidele.papers.model import ABOUT, MADE, Papers, Said, Verified
from fidele.route.condition import Card
from fidele.session.in_force import InForce
from fidele.session.live import Live
from fidele.session.news import Arrived, PapersChanged, RulesChanged, ShelfChanged
from fidele.session.person import person
from fidele.session.places import Places
from fidele.session.roles import Roles
from fidele.store.cards import CardStore
from fidele.store.papers import Defaults, PapersStore
from fidele.store.scanners import ScannerRecord
from fidele.store.shelf import Arrival, Delivery, Entry, Installed, Removed, Shelf


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

    def __init__(
        self, live: Live, in_force: InForce, shelf: Shelf, cards: CardStore, devices: Devices, places: Places
    ) -> None:
        self._live, self._in_force, self._cards, self._devices = live, in_force, cards, devices
        self.shelf = shelf
        self.store = PapersStore(places.papers)
        self.defaults = Defaults(places.data / "defaults.json")
        self.roles = Roles(places.data / "roles.json")
        self._through = places.data / "pass-through.icc"
        #: What was brought and still waits for a choice.
        self.pending: Delivery | None = None
        self._listed: tuple[tuple[Purpose, ...], dict[str, tuple[Papers | None, object, Entry, Row]]] = ((), {})
        self._guessed: tuple[Known, dict[str, dict[str, Said]]] = (Known(), {})
        #: Of profiles that nothing is kept of: guesses, purposes, and how they were judged beside the interface.
        self._judged: dict[str, tuple[dict[str, Said], tuple[Purpose, ...], Papers, Fit]] = {}
        #: What texts of leaflets say in the words of a driver, as they were read beside the interface.
        self._leafed: dict[str, tuple[Vocabulary, dict[str, Said]]] = {}

    # Getting in --------------------------------------------------------------------------------------------------

    def looking(self) -> Callable[[Path], Delivery]:
        """Return what looks into a file or folder beside the interface, and reads the leaflets in it."""
        shelf, leaf = self.shelf.beside(), self.leafing()

        def look(path: Path) -> Delivery:
            found = shelf.look(path)
            leaf(found.leaflets)
            return found

        return look

    def leafing(self) -> Callable[[Iterable[Leaflet]], None]:
        """Return what finds out beside the interface what leaflets say: it is known then when they are kept."""
        words = self._vocabulary()
        self._leafed = read = {}  # what was read before and not kept is let go

        def leaf(leaflets: Iterable[Leaflet]) -> None:
            for leaflet in leaflets:
                read[leaflet.text] = (words, statements(leaflet.text, words))

        return leaf

    def receive(self, delivery: Delivery) -> list[Installed]:
        """Take a delivery in: at once where there is nothing to choose, else it waits as `pending`."""
        fresh = {a.id: a for a in delivery.arrivals if a.status == "new"}
        rivals = [a for a in delivery.arrivals if a.status == "other-version"]
        if rivals or len(fresh) > 1:
            self.pending = delivery
            count = len(fresh) + len({a.id for a in rivals})
            self._live.say(
                tr("Another version of a profile that is on the shelf: choose what to do.")
                if count == 1
                else tr("{count} profiles have arrived: choose which to put on the shelf.", count=count)
            )
            self._live.tell(Arrived())
            return [Installed(a.found.shown, "choose", a.id, a.title, a.reason) for a in (*fresh.values(), *rivals)]
        results = self._take(list(fresh.values()), {}, delivery.leaflets) if fresh else []
        for arrival in delivery.arrivals:
            if arrival.status in ("already", "refused"):
                results.append(
                    Installed(arrival.found.shown, arrival.status, arrival.id, arrival.title, arrival.reason)
                )
        results += [Installed(shown, "refused", reason=why) for shown, why in delivery.refused]
        if not fresh:
            self._live.say(results[0].reason if results else tr("There was no profile in it."))
        return results

    def install(self, path: Path) -> list[Installed]:
        """Put what a file or folder holds on the shelf, or let it wait for a choice; say what became of it."""
        try:
            return self.receive(self.shelf.look(path))
        except FideleError as error:
            self._live.warn(str(error))
            return [Installed(str(path), "refused", reason=str(error))]

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
            self._live.say(tr("Nothing was put on the shelf."))
        self._live.tell(Arrived())
        return results

    def _take(self, arrivals: list[Arrival], instead: dict[str, str], leaflets: tuple[Leaflet, ...]) -> list[Installed]:
        results: list[Installed] = []
        gone: list[Removed] = []

        def put() -> None:
            results.clear()
            gone.clear()
            try:
                with self.shelf.together():
                    for arrival in arrivals:
                        results.append(self.shelf.put(arrival))
                        old = self.shelf.find(instead[arrival.id]) if arrival.id in instead else None
                        if old is not None:
                            gone.append(self.shelf.remove(old.id))
                            self._hand_over(old.id, arrival.id)
                        for leaflet in leaflets:
                            self._keep_leaflet(arrival.id, leaflet)
            except FideleError:
                back()  # all of them or none
                raise
            self.changed()

        def back() -> None:
            with self.shelf.together():
                for done in results:
                    if done.status == "installed" and self.shelf.find(done.id) is not None:
                        self.shelf.remove(done.id)
                    if done.id in instead:
                        self._hand_over(done.id, instead[done.id])
            for removed in gone:
                self.shelf.put_back(removed)
            self.changed()

        name = quoted(arrivals[0].title) + (tr(" and {n} more", n=len(arrivals) - 1) if len(arrivals) > 1 else "")
        self._live.history.do(tr("Put {name} on the shelf", name=name), put, back)
        replaced = tr(" in place of the other version") if instead else ""
        verb = tr("are") if len(arrivals) > 1 else tr("is")
        self._live.say(
            tr("{name} {verb} on the shelf{replaced}, ready to use.", name=name, verb=verb, replaced=replaced)
        )
        return results

    def _hand_over(self, old: str, new: str) -> None:
        """Let every condition and default that uses one profile use another."""
        self._in_force.hand_over(old, new)
        for printer, media in self.defaults.served_by(old):
            self.defaults.choose(printer, media, new)

    def changed(self) -> None:
        """Follow the shelf after it changed, by us or by another program."""
        self._in_force.load_profile()
        self._live.tell(ShelfChanged())
        self._live.refresh()

    def remove(self, profile_id: str) -> None:
        """Take a profile off the shelf, as a step that can be undone."""
        entry = self.need(profile_id)
        kept: list[Removed] = []

        def away() -> None:
            kept[:] = [self.shelf.remove(profile_id)]
            self.changed()

        def back() -> None:
            self.shelf.put_back(kept[0])
            self.changed()

        title = self.row(entry).title
        self._live.history.do(tr("Take “{title}” off the shelf", title=title), away, back)
        self._live.say(tr("“{title}” was taken off the shelf; undo puts it back.", title=title))

    def need(self, profile_id: str) -> Entry:
        """Return a profile on the shelf; `FideleError` where it is not there any more."""
        entry = self.shelf.find(profile_id)
        if entry is None:
            raise FideleError(tr("This profile is not on the shelf any more."))
        return entry

    # What is said of them ----------------------------------------------------------------------------------------

    def known(self) -> Known:
        """Return the names that this workshop knows."""
        cards, devices = self._cards.cards(), self._devices
        names, carried = (p.name for p in devices.printers), (m.name for m in devices.carried())
        return Known(
            printers=tuple(dict.fromkeys((*names, *(c.printer_name for c in cards)))),
            media=tuple(dict.fromkeys((*carried, *(c.media for c in cards)))),
            substrates=tuple(dict.fromkeys((*devices.substrates, *(c.substrate for c in cards)))),
        )

    def papers(self, entry: Entry) -> Papers:
        """Return what is said of a profile, with guesses where nobody has said anything."""
        return self.store.read(entry.id).with_guesses(self._guess(entry, self._guesses()))

    def guessing(self) -> Callable[[list[Entry]], None]:
        """Return what guesses, beside the interface, what profiles are for and judges it: their list is shown at once
        then."""
        guessed, kept, purposes, judged = self._guesses(), self.store.ids(), self._purposes(), self._judged

        def ahead(entries: list[Entry]) -> None:
            for entry in entries:
                guesses = self._guess(entry, guessed)
                if entry.id not in kept:
                    judged[entry.id] = (guesses, purposes, *_judge(entry, None, guesses, purposes))

        return ahead

    def _guesses(self) -> dict[str, dict[str, Said]]:
        """Return what was guessed with the names that the workshop knows now; other names, other guesses."""
        known = self.known()
        if self._guessed[0] != known:
            self._guessed = (known, {})
        return self._guessed[1]

    def _guess(self, entry: Entry, guessed: dict[str, dict[str, Said]]) -> dict[str, Said]:
        key = f"{entry.id} {entry.path.name}"
        if (found := guessed.get(key)) is None:
            found = guessed[key] = guess(entry.description, entry.path.name, self._guessed[0])
        return found

    def row(self, entry: Entry) -> Row:
        """Return a profile as the shelf lists it."""
        return self.rows([entry])[0]

    def rows(self, entries: list[Entry] | None = None) -> list[Row]:
        """Return all profiles as the shelf lists them, judged for the condition in force."""
        in_cards = {c.profile for c in self._cards.cards()}
        default = set(self.defaults.all().values())
        purposes = self._purposes()
        guessed, kept = self._guesses(), self.store.ids()
        if self._listed[0] != purposes:
            self._listed = (purposes, {})
        listed, made = self._listed[1], []
        for entry in self.shelf.known() if entries is None else entries:
            said = self.store.read(entry.id) if entry.id in kept else None
            guesses = self._guess(entry, guessed)
            used = (
                tr("pinned")
                if said is not None and said.pinned
                else tr("in a condition")
                if entry.id in in_cards
                else tr("default")
                if entry.id in default
                else tr("yours")
                if entry.own
                else ""
            )
            # Most stand as they stood: what was judged is judged again only where something else is said.
            known = listed.get(entry.id)
            if known and known[0] is said and known[1] is guesses and known[2] is entry and known[3].used == used:
                made.append(known[3])
                continue
            before = self._judged.pop(entry.id, None) if said is None else None
            if before is not None and before[0] is guesses and before[1] == purposes:
                papers, best = before[2:]
            else:
                papers, best = _judge(entry, said, guesses, purposes)
            made.append(Row(entry, papers, best, used))
            listed[entry.id] = (said, guesses, entry, made[-1])
        return made

    def _purposes(self) -> tuple[Purpose, ...]:
        """Return what a profile may be wanted for now: without a condition, whatever is here."""
        card, printers = self._live.state.card, self._devices.printers
        return (self.purpose(card),) if card or not printers else tuple(map(_any_media, printers))

    def change(self, profile_id: str, name: str, update: Callable[[Papers], Papers]) -> None:
        """Change what is kept of a profile, as a step that can be undone."""
        before = self.store.read(profile_id)
        after = update(before)
        if after == before:
            return

        def keep(papers: Papers) -> None:
            self.store.save(papers)
            self._live.tell(PapersChanged())
            self._live.refresh()

        self._live.history.do(name, lambda: keep(after), lambda: keep(before))
        self._live.say(f"{name}.")

    def say(self, profile_id: str, field: str, value: str) -> None:
        """Keep what a person says of a profile; '' takes it back."""
        label = lowered((ABOUT | MADE)[field])

        def update(papers: Papers) -> Papers:
            said = {k: v for k, v in papers.said.items() if k != field}
            if value.strip():
                said[field] = Said(value=value.strip(), origin="hand", when=_now(), who=person())
            return papers.model_copy(update={"said": said})

        what = (
            f"{label[:1].upper()}{label[1:]}: {value.strip()}"
            if value.strip()
            else tr("Nothing said of the {label}", label=label)
        )
        self.change(profile_id, what, update)

    def confirm(self, profile_id: str, fields: tuple[str, ...] = ()) -> None:
        """Turn guesses into what a person vouches for: those named, or all."""
        shown = self.papers(self.need(profile_id))
        guesses = {k: s for k, s in shown.said.items() if not s.certain and (not fields or k in fields)}
        if not guesses:
            return

        def update(papers: Papers) -> Papers:
            sure = {
                k: s.model_copy(update={"origin": "hand", "when": _now(), "who": person()}) for k, s in guesses.items()
            }
            return papers.model_copy(update={"said": papers.said | sure})

        count = len(guesses)
        first = lowered((ABOUT | MADE)[next(iter(guesses))])
        self.change(
            profile_id,
            tr("Confirmed: {first}", first=first) if count == 1 else tr("Confirmed {count} guesses", count=count),
            update,
        )

    def attach(self, profile_id: str, leaflet: Leaflet) -> int:
        """Keep a leaflet with a profile and offer what its text says as guesses; return how many things it says."""
        count = self._keep_leaflet(profile_id, leaflet)
        self._live.tell(PapersChanged())
        self._live.refresh()
        self._live.say(
            tr("{name} is kept with the profile; ", name=leaflet.name)
            + (
                trn("it says {count} thing to confirm.", "it says {count} things to confirm.", count, count=count)
                if count
                else tr("it says nothing of how the profile was made.")
            )
        )
        return count

    def _keep_leaflet(self, profile_id: str, leaflet: Leaflet) -> int:
        words = self._vocabulary()
        known, found = self._leafed.pop(leaflet.text, (None, {}))
        said = found if known == words else statements(leaflet.text, words)
        papers = self.store.read(profile_id)
        kept = self.store.keep_leaflet(profile_id, leaflet.name, leaflet.data)
        entry = self.shelf.find(profile_id)
        certain = self.papers(entry).said if entry else papers.said
        fresh = {k: s for k, s in said.items() if not (k in certain and certain[k].certain)}
        leaflets = [*papers.leaflets, *([] if kept in papers.leaflets else [kept])]
        self.store.save(papers.model_copy(update={"said": papers.said | fresh, "leaflets": leaflets}))
        return len(fresh)

    def _vocabulary(self) -> Vocabulary:
        return replace(self._devices.of(self._live.state.card).vocabulary(), media=self.known().media)

    def pin(self, profile_id: str, pinned: bool) -> None:
        """Keep a profile at the top of the shelf, or no longer."""
        title = self.row(self.need(profile_id)).title
        name = (
            tr("“{title}” is pinned to the shelf", title=title)
            if pinned
            else tr("“{title}” is no longer pinned", title=title)
        )
        self.change(profile_id, name, lambda p: p.model_copy(update={"pinned": pinned, "hidden": False}))

    def hide(self, profile_id: str, hidden: bool) -> None:
        """Keep a profile off the shelf without removing it, or show it again."""
        title = self.row(self.need(profile_id)).title
        name = (
            tr("“{title}” is hidden; search still finds it", title=title)
            if hidden
            else tr("“{title}” is shown again", title=title)
        )
        self.change(profile_id, name, lambda p: p.model_copy(update={"hidden": hidden, "pinned": False}))

    def verified(self, profile_id: str, found: Verified) -> None:
        """Keep what a chart said of a profile on a printer."""
        papers = self.store.read(profile_id)
        self.store.save(papers.model_copy(update={"verified": [*papers.verified, found][-50:]}))
        self._live.tell(PapersChanged())
        self._live.refresh()

    # Using them --------------------------------------------------------------------------------------------------

    def fitting(self, card: Card) -> list[Row]:
        """Return output profiles for a card, each with the reason why it may not fit.

        The one that was chosen for printer and media comes first, then what fits, and of that what a chart on this very
        printer has confirmed before what was never tried.
        """
        rows = [r for r in self.rows() if r.entry.description.device_class == "prtr" and not r.papers.hidden]
        purpose = self.purpose(card)
        for_card = [Row(r.entry, r.papers, fit(r.entry.description, r.papers, purpose), r.used) for r in rows]
        device = self._devices.of(card)
        default = self.defaults.of(device.id, card.media)

        def order(row: Row) -> tuple[bool, bool, int, int, bool, str]:
            seen = row.papers.on(device.id)
            tried = 1 if seen is None else 0 if seen.passed else 2
            wrong = row.fit.grade == "not"
            return wrong, row.entry.id != default, row.fit.rank, tried, not row.papers.pinned, row.title.casefold()

        return sorted(for_card, key=order)

    def purpose(self, card: Card | None) -> Purpose:
        """Return what a profile is wanted for: a card, or any media in the printer at hand."""
        if card is None:
            return _any_media(self._devices.nearest)
        return Purpose(card.printer_name, card.media, card.substrate, card.ink, self._devices.of(card).format.space)

    def printers_for(self, row: Row) -> list[Printer]:
        """Return the printers that are here and that a profile is for, or may be for: those of its very name first."""
        judged = [(fit(row.entry.description, row.papers, _any_media(p)), p) for p in self._devices.printers]
        said = plain(row.papers.value("printer"))
        able = [(p.name, p) for found, p in judged if found.grade != "not"]
        return [p for name, p in sorted(able, key=lambda one: (plain(one[0]) != said, len(one[0])))]

    def choose_default(self, profile_id: str, media: str) -> None:
        """Make a profile the default for this printer and a media, as a step that can be undone; '' for none."""
        device = self._devices.of(self._live.state.card)
        printer = device.id
        before = self.defaults.of(printer, media)

        def choose(value: str) -> None:
            self.defaults.choose(printer, media, value)
            self._live.tell(PapersChanged())

        title = self.row(self.need(profile_id)).title if profile_id else tr("nothing")
        name = tr("“{title}” is the default for {media} on the {name}", title=title, media=media, name=device.name)
        self._live.history.do(name, lambda: choose(profile_id), lambda: choose(before))
        self._live.say(f"{name}.")

    def stand_for(self, role: str, profile_id: str) -> None:
        """Let a profile stand for the screen or the scanner, as a step that can be undone; '' for none."""
        before = self.roles.of(role)

        def choose(value: str) -> None:
            self.roles.choose(role, value)
            self._live.tell(RulesChanged())
            self._live.refresh()

        none = {"screen": "sRGB", "scanner": tr("the profile made here")}[role]
        chosen = quoted(self.row(self.need(profile_id)).title) if profile_id else none
        name = {
            "screen": tr("Proofs are shown through {profile}", profile=chosen),
            "scanner": tr("Scans are read through {profile}", profile=chosen),
        }[role]
        self._live.history.do(name, lambda: choose(profile_id), lambda: choose(before))
        self._live.say(f"{name}.")

    def use(self, profile_id: str) -> None:
        """Make a profile on the shelf the one of the card in force.

        Raises
        ------
        FideleError
            When it cannot serve as an output profile.
        """
        row = self.row(self.need(profile_id))
        what = row.entry.description
        if not what.usable_as_output:
            raise FideleError(
                tr(
                    "“{title}” cannot convert for a printer: it is a profile of class {class_words}.",
                    title=row.entry.title,
                    class_words=what.class_words,
                )
            )
        # A condition that had none left the conversion to the driver; with a profile Fidele is the better owner.
        first = {"owner": "fidele"} if self._live.state.need_card().profile is None else {}
        words = tr("“{title}” is the profile of this condition", title=row.title)
        self._in_force.change(words, profile=profile_id, profile_title=row.title, **first)

    @property
    def title_in_force(self) -> str:
        """Title of the profile of the card in force, '' when it has none."""
        entry = self.in_force
        return self.row(entry).title if entry is not None else ""

    @property
    def in_force(self) -> Entry | None:
        """The profile of the card in force, None when it has none or none that is on the shelf."""
        card = self._live.state.card
        return self.shelf.find(card.profile) if card is not None and card.profile else None

    def scanner(self, data: Path) -> ScannerRecord:
        """Return the profile that scans are read through: the one chosen on the shelf, else the one made here."""
        entry = self.shelf.find(chosen) if (chosen := self.roles.of("scanner")) else None
        return ScannerRecord.of_another(data, entry.path, entry.id) if entry else ScannerRecord.load(data)

    def pass_through_file(self) -> Path:
        """Return the file of the pass-through profile, written where other programs can read it."""
        if not self._through.exists():
            write_bytes(self._through, pass_through().data)
        return self._through

    def as_space(self, profile_id: str) -> Profile:
        """Return a profile on the shelf as a space that a picture can be in.

        Raises
        ------
        FideleError
            When it does not lead from device values to colour.
        """
        entry = self.need(profile_id)
        if entry.description.device_class not in ("mntr", "spac", "scnr", "prtr"):
            raise FideleError(
                tr(
                    "“{title}” is a profile of class {class_words}: no source space.",
                    title=entry.title,
                    class_words=entry.description.class_words,
                )
            )
        return self.shelf.load(profile_id)


def _judge(
    entry: Entry, said: Papers | None, guesses: dict[str, Said], purposes: tuple[Purpose, ...]
) -> tuple[Papers, Fit]:
    """Return what is said of a profile, with guesses, and how well it fits what it may be wanted for."""
    papers = (said or Papers(id=entry.id)).with_guesses(guesses)
    return papers, min((fit(entry.description, papers, p) for p in purposes), key=lambda f: f.rank)


def _any_media(device: Printer) -> Purpose:
    return Purpose(device.name, "", space=device.format.space)


def _now() -> datetime.datetime:
    return datetime.datetime.now().replace(microsecond=0)
