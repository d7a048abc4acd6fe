"""Profiles made to order: somebody's target printed bare, sent, waited for, matched, tried, and taken into use."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Sequence
from pathlib import Path

from fidele import units
from fidele.artwork.open import open_artwork
from fidele.artwork.picture import Artwork, SourceSlip
from fidele.dataclass import dataclass
from fidele.devices.devices import Devices
from fidele.devices.protocol import Lies
from fidele.errors import FideleError
from fidele.files import read_bytes
from fidele.icc.describe import Description
from fidele.icc.profile import Profile
from fidele.language import tr
from fidele.papers.guess import plain
from fidele.route.condition import Card
from fidele.route.layers import MEANINGS
from fidele.run.job import Job
from fidele.run.kept import job_of
from fidele.run.leaf import Section, write_leaf
from fidele.run.target import Arrives, arrives, of_kind, target_cautions
from fidele.run.trial import Trial
from fidele.session.handoff import Handoff
from fidele.session.in_force import InForce
from fidele.session.live import Live
from fidele.session.news import LogChanged, News, ShelfChanged
from fidele.session.pieces import Pieces
from fidele.session.profiles import Profiles
from fidele.session.sheet import Sheet
from fidele.session.sources import Sources
from fidele.session.trials import Tried
from fidele.store.cards import CardStore
from fidele.store.logbook import Logbook
from fidele.store.orders import Order, OrderStore, number_in
from fidele.store.shelf import Delivery
from fidele.tiles import Progress

#: A target's file is no larger than this.
_LARGEST = 1 << 29


@dataclass(frozen=True)
class Begun:
    """A target that can be ordered by: its file, how many pages it has, and what is odd about it."""

    path: Path
    data: bytes
    pages: int
    cautions: tuple[str, ...]


@dataclass(frozen=True)
class Opened:
    """A page of a target, opened to be laid on the sheet."""

    order: Order
    page: int
    artwork: Artwork


@dataclass(frozen=True)
class Match:
    """An order that a profile answers: which profile, whether its number says so, and the reasons in a sentence."""

    order: Order
    profile: str
    certain: bool
    words: str


class Orders:
    """The orders of a workshop."""

    def __init__(
        self,
        live: Live,
        in_force: InForce,
        handoff: Handoff,
        profiles: Profiles,
        pieces: Pieces,
        sheet: Sheet,
        sources: Sources,
        cards: CardStore,
        devices: Devices,
        logbook: Logbook,
        folder: Path,
    ) -> None:
        self._cards = cards
        #: An order whose profile waits at the door, to be put on the shelf by a person's choice.
        self._expected: Match | None = None
        live.listen(self._heard)
        self._live, self._in_force, self._handoff, self._profiles = live, in_force, handoff, profiles
        self._pieces, self._sheet, self._sources, self._devices = pieces, sheet, sources, devices
        self._logbook, self._store = logbook, OrderStore(folder)

    # What there is -----------------------------------------------------------------------------------------------

    def all(self) -> list[Order]:
        """Return all orders, the newest first."""
        return self._store.all()

    def need(self, number: str) -> Order:
        """Return an order by its number; `FideleError` where there is none."""
        found = self._store.find(number)
        if found is None:
            raise FideleError(tr("There is no order {number}.", number=number))
        return found

    def file(self, order: Order) -> Path:
        """Return the file of an order's target."""
        return self._store.of(order.number) / order.target

    def runs(self, order: Order) -> dict[int, int]:
        """Return by page the last run that printed it bare, 0 where none did."""
        found = dict.fromkeys(range(order.pages), 0)
        file = self.file(order).absolute()
        for run in self._logbook.printed_of(order.card.id, order.number):
            job = job_of(run)
            if job.bare and len(job.lying) == 1 and job.lying[0].artwork == file:
                page = max(0, job.lying[0].artwork_page)
                if page in found and not found[page]:
                    found[page] = run.id
        return found

    def state(self, order: Order) -> str:
        """Say how an order stands."""
        if order.ended is not None:
            return tr("given up on {day:%d.%m.%Y}", day=order.ended)
        if order.profile and self.used(order):
            return tr("in use")
        if order.profile:
            if not order.tried:
                return tr("here since {day:%d.%m.%Y}, not tried yet", day=order.here)
            return tr("here and right: use it") if order.passed else tr("here, and not right: ask its maker")
        if order.sent is not None:
            days = (datetime.datetime.now() - order.sent).days
            waiting = tr("waiting for {days} days", days=days) if days > 1 else tr("waiting")
            return tr("sent on {day:%d.%m.%Y}, {waiting}", day=order.sent, waiting=waiting)
        left = sum(not run for run in self.runs(order).values())
        if left:
            return tr("{left} of {n} pages to be printed", left=left, n=order.pages)
        return tr("printed, not sent yet")

    def used(self, order: Order) -> bool:
        """Whether its condition prints through the profile that came back."""
        return any(card.id == order.card.id and card.profile == order.profile for card in self._cards.cards())

    def waiting(self) -> list[Order]:
        """Return the orders whose profile is still to come."""
        return [order for order in self.all() if order.waits]

    # Beginning ---------------------------------------------------------------------------------------------------

    def looking(self, path: Path) -> Callable[[Progress], Begun]:
        """Return the work of looking whether a file can be a target for the condition in force."""
        space, known = self._devices.of(self._live.state.need_card()).format.space, self._sources.suppose(path)

        def suppose(kind: str) -> tuple[Profile, SourceSlip] | None:
            of_kind(path.name, kind, space)
            return known(kind)

        def work(_: Progress) -> Begun:
            artwork = open_artwork(path, suppose=suppose)
            return Begun(path, read_bytes(path, _LARGEST), artwork.pages, tuple(target_cautions(artwork, space)))

        return work

    def begin(self, begun: Begun, maker: str, mail: str = "") -> Order:
        """Begin an order for the condition in force, as a step that can be undone."""
        card, now = self._live.state.need_card(), _now()
        number = self._store.fresh(now.date())
        if not maker.strip():
            raise FideleError(tr("Say who makes the profile first."))
        ending = begun.path.suffix.lower()
        order = Order(
            number=number,
            made=now,
            maker=maker.strip(),
            mail=mail.strip(),
            card=card,
            target=f"{number} {tr('target')}{ending}",
            pages=begun.pages,
        )

        def go() -> None:
            self._store.begin(order, begun.data)
            self._live.tell(LogChanged())

        def back() -> None:
            self._store.remove(number)
            self._live.tell(LogChanged())

        self._live.history.do(tr("Begin order {number}", number=number), go, back)
        said = " ".join([tr("Order {number} is begun.", number=number), *begun.cautions])
        self._live.say(said)
        return order

    def _change(self, order: Order, what: str, **changes: object) -> Order:
        before = self.need(order.number)  # as it is now: another window may have gone on with it
        after = before.model_copy(update=changes)

        def keep(one: Order) -> None:
            self._store.save(one)
            self._live.tell(LogChanged())

        self._live.history.do(what, lambda: keep(after), lambda: keep(before))
        self._live.say(f"{what}.")
        return after

    # Printing ----------------------------------------------------------------------------------------------------

    def differs(self, order: Order) -> str:
        """Say what keeps the condition in force from being the order's, '' where nothing does."""
        card = self._live.state.card
        if card is None or card.id != order.card.id:
            return tr("The order is for “{name}”: put that condition in force.", name=order.card.name)
        other = [m for m, value in order.card.driver.items() if card.driver.get(m) != value]
        if other or card.hand != order.card.hand:
            names = ", ".join(MEANINGS.get(m, m) for m in other) or tr("the driver's controls of colour")
            return tr(
                "The condition was changed since the order was begun ({names}): a profile must be made and used with "
                "the same settings. Put them back, or begin anew.",
                names=names,
            )
        return ""

    def opening(self, order: Order, page: int) -> Callable[[Progress], Opened]:
        """Return the work of opening a page of the target, to be laid on the sheet."""
        if said := self.differs(order):
            raise FideleError(said)
        file, suppose = self.file(order), self._sources.suppose(self.file(order))
        which = page if order.pages > 1 else None
        return lambda _: Opened(order, page, open_artwork(file, suppose=suppose, page=which))

    def lay(self, opened: Opened) -> None:
        """Lay a page of the target on the sheet, at its own size, with nothing converting."""
        if self._live.state.need_card().owner != "fidele":
            self._handoff.choose_owner("fidele")
        self._pieces.adopt(opened.artwork, None, bare=True)
        of = tr(", page {page}", page=opened.page + 1) if opened.order.pages > 1 else ""
        self._live.say(
            tr(
                "The target of order {number}{of} lies on the sheet, to be printed with nothing converting.",
                number=opened.order.number,
                of=of,
            )
        )

    def arriving(self) -> Callable[[Progress], Arrives] | None:
        """Return the work of looking how the numbers of the target on the sheet leave; None where none lies there."""
        state = self._live.state
        if state.piece is None or not state.bare or state.chart is not None:
            return None
        job: Job = self._sheet.job()
        device = self._devices.of(job.card)
        return lambda progress: arrives(job, device, progress)

    def arrived(self, order: Order, page: int, found: Arrives) -> None:
        """Keep and say how a page's numbers leave for the printer."""
        now = self.need(order.number)
        self._store.save(now.model_copy(update={"flat": now.flat | {page: found.words}}))
        (self._live.say if found.right else self._live.warn)(found.words)
        self._live.tell(LogChanged())

    # Sending -----------------------------------------------------------------------------------------------------

    def about(self, order: Order) -> tuple[tuple[str, str], ...]:
        """Return what a maker must know, by name: printer, ink, media, piece, settings, press."""
        card = order.card
        rows = [
            (tr("Printer"), f"{card.printer_name} ({card.printer})"),
            (tr("Ink"), card.ink or tr("not said")),
            (tr("Media"), card.media),
        ]
        if card.process == "transfer":
            press = card.press
            rows += [
                (tr("Pressed on"), card.substrate),
                (tr("Press"), units.pressing(press.temperature, press.seconds, press.pressure)),
            ]
        rows += [(MEANINGS[m], str(card.driver[m])) for m in MEANINGS if m in card.driver]
        return tuple(rows)

    def letter(self, order: Order) -> tuple[str, str]:
        """Return subject and text of the mail that goes with the parcel."""
        card = order.card
        subject = tr(
            "Order {number}: a profile for {printer}, {media}",
            number=order.number,
            printer=card.printer_name,
            media=card.media,
        )
        pages = sorted(run for run in self.runs(order).values() if run)
        rows = "\n".join(f"{name}: {value}" for name, value in self.about(order))
        text = tr(
            "Hello {maker},\n\nour order {number} is on its way: your target, printed with nothing converting, at true "
            "size{runs}.\n\n{rows}\n\nPlease make an ICC output profile (RGB) of it, put the number {number} into its "
            "name, and tell us if a setting should be another one.\n\nKind regards\n",
            maker=order.maker,
            number=order.number,
            runs=tr(" (run {runs})", runs=", ".join(map(str, pages))) if pages else "",
            rows=rows,
        )
        return subject, text

    def slip(self, order: Order, path: Path) -> None:
        """Write the packing slip as a page of PDF.

        Raises
        ------
        FideleError
            When it does not fit on the page, or cannot be written.
        """
        runs = self.runs(order)
        inside = [
            (
                tr("Page {page}", page=page + 1),
                (tr("run {run}. ", run=run) if run else tr("not printed yet. ")) + order.flat.get(page, ""),
            )
            for page, run in runs.items()
        ]
        for_whom = f"{order.maker}, {order.mail}" if order.mail else order.maker
        sections = [
            Section(tr("For"), lines=(for_whom,)),
            Section(tr("In this parcel"), rows=tuple(inside)),
            Section(tr("Printed on, with, and pressed"), rows=self.about(order)),
            Section(
                tr("Wanted back"),
                lines=(
                    tr("An ICC output profile (RGB), with the number {number} in its name.", number=order.number),
                    tr("The target was printed with nothing converting: in neither program, print system nor driver."),
                ),
            ),
        ]
        full = tr("The slip does not fit on a page: shorten the names of printer and media.")
        write_leaf(tr("Packing slip, order {number}", number=order.number), sections, path, full)

    def sent(self, order: Order, how: str = "") -> None:
        """Keep that the printed target was sent, as a step that can be undone.

        Raises
        ------
        FideleError
            When a page was not printed yet.
        """
        missing = [page + 1 for page, run in self.runs(order).items() if not run]
        if missing:
            pages = ", ".join(map(str, missing))
            raise FideleError(
                tr("Page {pages} of order {number} was not printed yet.", pages=pages, number=order.number)
            )
        self._change(order, tr("Order {number} is sent", number=order.number), sent=_now(), how=how.strip())

    def end(self, order: Order) -> None:
        """Give an order up, or take it up again, as a step that can be undone."""
        if order.ended is None:
            self._change(order, tr("Order {number} is given up", number=order.number), ended=_now())
        else:
            self._change(order, tr("Order {number} is taken up again", number=order.number), ended=None)

    def handing(self, order: Order) -> Callable[[Progress], tuple[str, bytes]]:
        """Return the work of handing the pressed pages to the stand-in that makes profiles; it gives their parcel.

        Raises
        ------
        FideleError
            When there is no such stand-in, or a page does not lie pressed on the table.
        """
        maker = self._devices.maker
        if maker is None:
            raise FideleError(tr("Nobody here makes profiles: send the target, and press “It is sent”."))
        on_table = {printed.number: printed.piece for printed in self._live.state.table}
        pieces: list[Lies] = []
        for page, run in self.runs(order).items():
            piece = on_table.get(run)
            if piece is None:
                raise FideleError(
                    tr("Page {page} does not lie pressed on the table: print and press it.", page=page + 1)
                )
            pieces.append(piece)
        card = order.card
        about = {"printer": card.printer_name, "ink": card.ink, "media": card.media, "unit": card.printer}
        about |= {"substrate": card.substrate} if card.process == "transfer" else {}
        return lambda _: maker.answer(order.number, about, pieces)

    # Coming back -------------------------------------------------------------------------------------------------

    def match(self, delivery: Delivery, name: str = "") -> Match | None:
        """Return the waiting order that a delivery answers, None where it answers none; `name` is its file's."""
        waiting = self.waiting()
        able = [
            a
            for a in delivery.arrivals
            if a.description is not None and a.description.usable_as_output and a.status != "refused"
        ]
        if not waiting or not able:
            return None
        letters = " ".join(leaflet.text for leaflet in delivery.leaflets)
        for arrival in able:
            own = f"{arrival.found.shown} {arrival.found.name} {_said(arrival.description)}"
            for text in (own, name, letters if len(able) == 1 else ""):
                for number in number_in(text):
                    order = next((one for one in waiting if one.number == number), None)
                    if order is not None:
                        return Match(order, arrival.id, True, self._numbered(order, arrival.description))
        found = []
        for arrival in able:
            said = plain(f"{arrival.found.name} {_said(arrival.description)} {letters if len(able) == 1 else ''}")
            for order in waiting:
                if order.sent is not None and _names(order.card, said):
                    found.append((order, arrival.id))
        if len(found) != 1:
            return None
        order, profile = found[0]
        return Match(
            order,
            profile,
            False,
            tr(
                "It names the printer and the media of order {number}, and no number: look whether it is meant.",
                number=order.number,
            ),
        )

    def answered(self, delivery: Delivery, name: str = "") -> Match | None:
        """Look whether a delivery that was received answers an order, and keep that it did; return which.

        What waits for a person's choice answers it once it is on the shelf; what bears no number, once a person says so
        (`here`).
        """
        found = self.match(delivery, name)
        if found is not None and found.certain:
            self._expected = found
            self._heard(ShelfChanged())
        return found

    def _heard(self, news: News) -> None:
        match = self._expected
        if isinstance(news, ShelfChanged) and match is not None and self._profiles.shelf.find(match.profile):
            self._expected = None
            self.here(match)

    @staticmethod
    def _numbered(order: Order, description: Description | None) -> str:
        meta = description.meta if description is not None else {}
        printer = meta.get("about.printer", "")
        said = tr("It bears the number of order {number}.", number=order.number)
        if printer and plain(printer) != plain(order.card.printer_name):
            said += " " + tr(
                "But it says that it is for the {printer}, and the order is for the {name}: ask its maker.",
                printer=printer,
                name=order.card.printer_name,
            )
        return said

    def here(self, match: Match) -> Order:
        """Keep that a profile came back, as a step that can be undone; it is on the shelf by now."""
        order = match.order
        if self._profiles.shelf.find(match.profile) is None:
            raise FideleError(tr("The profile is not on the shelf."))
        sent = order.sent or _now()  # who gets an answer has sent it
        what = tr("The profile of order {number} is here", number=order.number)
        return self._change(order, what, here=_now(), profile=match.profile, matched=match.words, sent=sent)

    def trial(self, order: Order) -> Trial:
        """Return what a trial of the profile that came back needs: the order's own settings, whatever is in force."""
        self._profiles.need(order.profile)
        title = self._profiles.row(self._profiles.need(order.profile)).title
        card = order.card.model_copy(
            update={"owner": "fidele", "profile": order.profile, "profile_title": title, "printed_from": ""}
        )
        return Trial(card, self._profiles.shelf.load(order.profile), title)

    def tried(self, order: Order, done: Tried) -> None:
        """Keep what a trial said of the profile."""
        verified = self._profiles.papers(self._profiles.need(order.profile)).verified
        words = verified[-1].sentence if verified else ""
        now = self.need(order.number)
        self._store.save(now.model_copy(update={"tried": words, "passed": done.checked.comparison.passed}))
        self._live.tell(LogChanged())

    def take(self, order: Order) -> None:
        """Put the profile that came back into its condition, with the settings that its target was printed with.

        Raises
        ------
        FideleError
            When another condition is in force, or the profile is gone.
        """
        card = self._live.state.need_card()
        if card.id != order.card.id:
            raise FideleError(tr("The order is for “{name}”: put that condition in force.", name=order.card.name))
        title = self._profiles.row(self._profiles.need(order.profile)).title
        self._in_force.change(
            tr("Take “{title}”", title=title),
            profile=order.profile,
            profile_title=title,
            owner="fidele",
            driver=order.card.driver,
            hand=order.card.hand,
        )
        self._live.tell(LogChanged())
        self._live.say(tr("“{title}” is in use, with the settings that its target was printed with.", title=title))


def _said(description: Description | None) -> str:
    if description is None:
        return ""
    return " ".join([description.description, *description.meta.values()])


def _names(card: Card, said: str) -> bool:
    """Whether a text (in plain letters) names a card's printer and its media."""
    return bool(card.media) and all(f" {plain(n)} " in f" {said} " for n in (card.printer_name, card.media))


def _now() -> datetime.datetime:
    return datetime.datetime.now().replace(microsecond=0)


def recipients(orders: Sequence[Order]) -> list[tuple[str, str]]:
    """Return the makers of earlier orders with their mail, the last first, each once."""
    return list(dict.fromkeys((order.maker, order.mail) for order in orders))
