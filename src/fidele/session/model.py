"""The session: one open workshop, put together of its parts; and what they have in common."""

from __future__ import annotations

import datetime
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path

from fidele.arrays import Codes
from fidele.artwork.open import ENDINGS as PICTURES
from fidele.artwork.picture import Artwork
from fidele.chart.definition import Chart
from fidele.chart.measured_file import ENDINGS as MEASURED
from fidele.devices.devices import Devices
from fidele.devices.protocol import Printer
from fidele.devices.registry import devices_here
from fidele.errors import FideleError
from fidele.files import keep_private
from fidele.icc.profile import Profile
from fidele.icc.transform import Intent
from fidele.judge.finding import Action, Finding
from fidele.judge.judge import judge
from fidele.language import lowered, tr
from fidele.proof.advice import Content
from fidele.proof.contrast import ContrastLoss
from fidele.proof.losses import Losses, losses
from fidele.proof.soft import ProofSettings
from fidele.route.condition import Card
from fidele.route.layers import Chain, SettingRow
from fidele.route.program import program_layer, program_rows
from fidele.run.instructions import Instructions, instructions_of
from fidele.run.job import Job, Printed
from fidele.run.kept import Sources as KeptSources
from fidele.run.page import finished_file
from fidele.run.press import pressed, scanned
from fidele.run.probes import Corrections
from fidele.run.queue import Queue
from fidele.run.reading import Checked
from fidele.run.route import own_layer, read_route
from fidele.session.actions import Actions
from fidele.session.balancing import Balancing
from fidele.session.batch import Batch
from fidele.session.charts import ChartOrder, Charts
from fidele.session.checking import Checking
from fidele.session.conditions import Conditions
from fidele.session.customers import Customers
from fidele.session.display import Display, ScreenFound, display_of
from fidele.session.facts import Gathering
from fidele.session.fields import Fields
from fidele.session.first_print import FirstPrint
from fidele.session.follow import Follow
from fidele.session.handles import Handles
from fidele.session.handoff import Handoff
from fidele.session.holding import Holding, candidate, ranked
from fidele.session.in_force import InForce
from fidele.session.inbox import Inbox
from fidele.session.ink_profiles import InkProfiles
from fidele.session.jigs import Jigs
from fidele.session.jobs import Jobs
from fidele.session.known_prints import KnownPrints
from fidele.session.laying import Laying
from fidele.session.live import Live
from fidele.session.looks import Looks, settings_for
from fidele.session.making import Making
from fidele.session.materials import OwnMaterials
from fidele.session.measured_pages import MeasuredPages
from fidele.session.measures import Measures
from fidele.session.news import LogChanged, News, QueueChanged, RulesChanged
from fidele.session.orders import Orders
from fidele.session.own_profiles import OwnProfiles
from fidele.session.pieces import Pieces
from fidele.session.places import Places
from fidele.session.print_trials import PrintTrials
from fidele.session.profiles import Profiles
from fidele.session.queueing import Queueing
from fidele.session.readiness import Readiness
from fidele.session.sheet import Sheet
from fidele.session.sources import Sources
from fidele.session.state import Judged, KnownPrint, LossesFound, RouteRead, RunTaken, ScreenSeen, State, WhiteChosen
from fidele.session.trials import Trials
from fidele.session.units_alike import UnitsAlike
from fidele.session.watch import Watch
from fidele.session.way import Ways
from fidele.sheet.placing import Media, Placing
from fidele.statefile import damaged
from fidele.store.cards import CardStore
from fidele.store.logbook import Logbook
from fidele.store.materials import Materials
from fidele.store.scanners import ScannerRecord
from fidele.store.shelf import Installed, Shelf
from fidele.tiles import Progress
from fidele.tuning.way import Way

#: So many prints lie on the table at once.
_TABLE = 4


#: So many runs of the logbook are looked at when a workshop is opened.
_LOOKED_AT = 200


class Session:
    """One workshop with its parts; the state is in `live`, and every part is handed only what it uses."""

    def __init__(self, places: Places, devices: Devices | None = None) -> None:
        self.places = places
        self._damaged: list[tuple[str, str]] = []
        keep_private(places.data, places.state / "written-to")
        self.live = live = Live()
        live.refresh, live.judge = self.refresh, self.judge_again
        self.history = live.history
        self.devices = devices = devices or devices_here(places.devices)
        self.measures = Measures(live, places.data / "units.json")
        self.shelf = Shelf(places.profiles, places.system_profiles, places.data)
        self.cards = CardStore(places.cards)
        self.logbook = Logbook(places.logbook)
        self.corrections = Corrections()
        self._ways = Ways(self.corrections)
        self.in_force = InForce(live, self.cards, self.shelf)
        self.profiles = Profiles(live, self.in_force, self.shelf, self.cards, devices, places)
        self.sources = Sources(live, self.profiles, places.data / "house-rules.json")
        self.batch = Batch(live, self.sources)
        self.sheet = Sheet(live, self.cards, self.shelf, devices, places.data / "blanks.json")
        self.pieces = Pieces(live, self.sources, self.sheet, places)
        self.laying = Laying(live, self.sheet, self.pieces, self.cards)
        self.jigs = Jigs(live, self.sheet, self.pieces)
        self.customers = Customers(live, places.data / "customer-colours.json")
        self.charts = Charts(live, self.customers, self.pieces, places.data / "charts")
        self.handoff = Handoff(live, self.in_force, self.profiles, devices, self.sheet, self.corrections)
        self.conditions = Conditions(live, self.in_force, self.handoff, self.profiles, self.cards, devices)
        self.materials = OwnMaterials(live, Materials(places.data / "materials.json"), self.history, self.in_force)
        self.making = Making(live, self.conditions, self.handoff, self.profiles, devices, self.materials)
        self.fields = Fields(live, self.in_force, self.handoff, self.profiles, devices, self.materials)
        self.queue = Queue(
            self.logbook,
            devices,
            places.work,
            lambda: (self.kept_sources(), live.state.probes.direct if live.state.probes else None),
            lambda: live.tell(QueueChanged()),
        )
        self.checking = Checking(live, self.profiles, self.charts, devices, self.corrections, self.logbook, places)
        self.print_trials = PrintTrials(
            live,
            self.in_force,
            devices,
            self.charts,
            self.sheet,
            self.queue,
            self.checking,
            self.profiles,
            self.logbook,
            places,
        )
        self.measured_pages = MeasuredPages(
            self.charts, self.logbook, self.print_trials.store, devices, self.corrections, places
        )
        self.own_profiles = OwnProfiles(
            live,
            self.in_force,
            self.handoff,
            self.profiles,
            self.charts,
            devices,
            self.logbook,
            self.measured_pages,
            places,
        )
        self.ink_profiles = InkProfiles(live, self.profiles, places)
        self.units_alike = UnitsAlike(live, self.in_force, self.profiles, places)
        self.balancing = Balancing(
            live, self.in_force, self.handoff, self.profiles, self.cards, self.charts, self.logbook, places
        )
        self.known_prints = KnownPrints(live, self.measured_pages)
        self.handles = Handles(live, self.in_force, devices, self.print_trials, self.logbook, places)
        self.trials = Trials(live, self.profiles, self.checking, devices, self.logbook)
        self.orders = Orders(
            live,
            self.in_force,
            self.handoff,
            self.profiles,
            self.pieces,
            self.sheet,
            self.sources,
            self.cards,
            devices,
            self.logbook,
            places.data / "orders",
        )
        self.readiness = Readiness(live, devices, self.queue, self.logbook, places.data / "readiness")
        self.jobs = Jobs(
            live, self.in_force, self.cards, self.kept_sources, places.data / "jobs", places.work / tr("taken in")
        )
        self.queueing = Queueing(live, self.queue, self.logbook, self.cards, self.jobs)
        self.first_print = FirstPrint(live, devices, self.profiles, self.cards, self.logbook)
        self.inbox = Inbox(live, places.data / "watched.json")
        takes = tr("scans and measurements that arrive there are read and")
        self.measured = Inbox(live, places.data / "watched-measured.json", (*PICTURES, *MEASURED), takes)
        self.watch = Watch(live, self.sources)
        self.follow = Follow(
            live,
            devices,
            self.in_force,
            self.profiles,
            self.cards,
            self.watch,
            self.inbox,
            self.measured,
            self.corrections,
        )
        self.looks = Looks(lambda: live.state.shown_by, self.screen)
        self._gathering = Gathering(
            live,
            devices,
            self.profiles,
            self.sources,
            self.pieces,
            self.sheet,
            self.checking,
            self.readiness,
            self.watch,
            lambda: tuple(self._damaged),
            lambda _: self.way,
        )
        self._actions = Actions(
            live, self.in_force, self.handoff, self.profiles, self.pieces, self.sheet, self.laying, self.readiness
        )
        self._open()

    def _open(self) -> None:
        """Put the first condition in force, and say what has to be said at the start."""
        cards = self.cards.cards()
        if cards:
            self.put_in_force(cards[0])
        for sentence in self.damaged():
            self.say(sentence)
        if cut_off := self.queue.after_a_crash():
            runs = ", ".join(map(str, cut_off))
            self.say(
                tr(
                    "Fidele ended while run {runs} was being printed: look at what came out, and print it again.",
                    runs=runs,
                )
            )
        if self.queue.paused:
            count = len(self.queue.entries())
            self.say(tr("{count} runs wait in the queue from before; let them go on at the print desk.", count=count))
        if (last := self.logbook.clock_behind()) is not None:
            self.say(
                tr(
                    "This machine's clock was set back: the last run is of {last:%d.%m.%Y %H:%M}. Set it right.",
                    last=last,
                )
            )

    def damaged(self) -> list[str]:
        """Look at what is kept; return a sentence for each thing that cannot be read and was left out."""
        for kept in (self.profiles.defaults, self.profiles.roles, self.sources.rules):
            kept.all()  # those that are read when they are first needed
        ScannerRecord.load(self.places.data)
        self.profiles.scanner(self.places.data)  # one from elsewhere has a record of its own
        self.logbook.runs(_LOOKED_AT)
        found = [(sentence, str(path.parent)) for path, sentence in damaged(self.places.data)]
        book = str(self.places.data)
        for number, why in sorted(self.logbook.unreadable.items()):
            found.append(
                (
                    tr(
                        "Run {number} of the logbook is left out: {why}. Its row stays as it is.",
                        number=number,
                        why=why,
                    ),
                    book,
                )
            )
        if self.logbook.is_newer:
            found.append(
                (tr("A newer Fidele wrote the logbook: it is read, and nothing is added to it; update."), book)
            )
        if self.logbook.rescued:
            saved = tr("{saved} runs were saved into a new one", saved=self.logbook.saved)
            kept_as = tr("the damaged file is kept as {rescued}", rescued=self.logbook.rescued)
            found.append((tr("The logbook was damaged. {saved}; {kept_as}.", saved=saved, kept_as=kept_as), book))
        if found != self._damaged:
            self._damaged = found
            self.live.judge()
        return [sentence for sentence, _ in found]

    # What is known -----------------------------------------------------------------------------------------------

    @property
    def state(self) -> State:
        """Everything that is known at this moment."""
        return self.live.state

    @property
    def card(self) -> Card | None:
        """The condition in force."""
        return self.live.state.card

    @property
    def profile(self) -> Profile | None:
        """Its profile, None where it has none or none that is on the shelf."""
        return self.live.state.profile

    @property
    def shown_by(self) -> Profile | None:
        """What prints are shown by: its profile, or else what its measured pages tell."""
        return self.live.state.shown_by

    @property
    def known(self) -> KnownPrint | None:
        """What measured pages tell of the print of the condition in force, None where it has a profile."""
        return self.live.state.by_pages

    @property
    def artwork(self) -> Artwork | None:
        """The picture in hand, as it is worked on."""
        return self.live.state.artwork

    @property
    def chart(self) -> Chart | None:
        """The chart that the picture in hand is, None where it is none."""
        return self.live.state.chart

    @property
    def laid(self) -> Codes | None:
        """Its pixels over bare substrate, where it is transparent; None without a picture."""
        artwork = self.live.state.artwork
        return artwork.laid if artwork is not None else None

    @property
    def placing(self) -> Placing | None:
        """Where the picture in hand lies on the sheet."""
        piece = self.live.state.piece
        return piece.placing if piece is not None else None

    @property
    def content(self) -> Content | None:
        """What sits in the picture in hand."""
        return self._gathering.content

    def look_into(self, artwork: Artwork) -> None:
        """Find out beside the interface what a picture will be shown and judged with once it is in hand."""
        self.looks.as_sent(artwork.profile)
        self.sources.hint(artwork)
        self._gathering.content_of(artwork)

    @property
    def device(self) -> Printer:
        """The printer of the card in force, the nearest one where there is none."""
        return self.devices.of(self.card)

    @property
    def chain(self) -> Chain | None:
        """The layers from Fidele to the ink."""
        return self.live.state.chain

    @property
    def rows(self) -> tuple[SettingRow, ...]:
        """Wanted and found settings of driver, panel and programs."""
        return self.live.state.route.rows

    @property
    def findings(self) -> tuple[Finding, ...]:
        """What is wrong or doubtful, what holds the print first."""
        return self.live.state.findings

    @property
    def stops(self) -> tuple[Finding, ...]:
        """What holds the print."""
        return self.live.state.stops

    @property
    def run(self) -> Printed | None:
        """The print in hand."""
        return self.live.state.run

    @property
    def checked(self) -> Checked | None:
        """What the last chart says."""
        return self.live.state.checked

    @property
    def losses(self) -> Losses | None:
        """What the picture in hand loses, None while it is not known."""
        return self.live.state.losses

    @property
    def media(self) -> Media:
        """What the sheet that is looked at is printed on."""
        return self.sheet.media(self.sheet.shown)

    @property
    def said(self) -> str:
        """What was said last."""
        return self.live.said

    def say(self, sentence: str) -> None:
        """Say the last thing done, in the foot."""
        self.live.say(sentence)

    def warn(self, sentence: str) -> None:
        """Say what went wrong, in the foot."""
        self.live.warn(sentence)

    def listen(self, listener: Callable[[News], None]) -> None:
        """Call `listener` with all news from now on."""
        self.live.listen(listener)

    # Screen ------------------------------------------------------------------------------------------------------

    def screen(self) -> Profile | None:
        """Return the profile that proofs are shown through, None for sRGB."""
        return self.display.profile

    @property
    def display(self) -> Display:
        """How proofs are shown: through the profile chosen on the shelf, this screen's own, or sRGB."""
        chosen, profile, title = self.profiles.roles.of("screen"), None, ""
        entry = self.shelf.find(chosen) if chosen else None
        if entry is not None:
            try:
                profile, title = self.shelf.load(chosen), self.profiles.row(entry).title
            except FideleError as error:
                self.say(str(error))
        return display_of(self.live.state.screen, profile, title, datetime.date.today())

    def take_screen(self, found: ScreenFound) -> None:
        """Follow the window to another screen."""
        if found != self.live.state.screen:
            self.live.change(ScreenSeen(found))
            self.live.tell(RulesChanged())
            self.refresh()

    def show_white(self, on: bool) -> None:
        """Show proofs on the substrate's own white, or on the screen's."""
        before = self.live.state.paper_white
        if on != before:
            name = tr("Show the piece's white") if on else tr("Show the screen's white")
            change = self.live.change
            self.history.do(name, lambda: change(WhiteChosen(on)), lambda: change(WhiteChosen(before)))

    # The card ----------------------------------------------------------------------------------------------------

    def put_in_force(self, card: Card) -> None:
        """Take a card; the route is read anew."""
        self.in_force.put(card)

    def change_card(self, what: str, /, **changes: object) -> None:
        """Change the card in force, as a step that can be undone."""
        self.in_force.change(what, **changes)

    def need_card(self) -> Card:
        """Return the card in force; an error where there is none."""
        return self.live.state.need_card()

    def act(self, action: Action) -> None:
        """Do what a finding's button says. See `Actions.act`."""
        self._actions.act(action)

    @property
    def proof_settings(self) -> ProofSettings:
        """How the proof is made for the card in force."""
        return self.settings(self.need_card().intent)

    def settings(self, intent: Intent) -> ProofSettings:
        """Return how the picture in hand would be converted and shown with an intent."""
        state = self.live.state
        tuning, keep = (state.piece.tuning, state.piece.keep) if state.piece is not None else (None, "")
        return settings_for(state.need_card(), self.way[0], tuning, keep, state.paper_white, intent)

    @property
    def way(self) -> tuple[Way | None, str]:
        """How numbers go where another one converts, and why that is not known; None and '' where Fidele does."""
        card = self.need_card()
        return self._ways.find(card, self.devices.find(card.printer), self.live.state.shown_by)

    def under_each(self, artwork: Artwork) -> Callable[[Progress | None], list[Holding]]:
        """Return what finds how every condition prints a picture, the best first; to be called beside the interface."""
        find = partial(candidate, load=self.shelf.load, devices=self.devices, corrections=self.corrections)
        return partial(ranked, artwork.laid, artwork.profile, self.cards.cards(), find)

    @property
    def intents(self) -> tuple[str, ...]:
        """The intents that the card's profile truly has."""
        entry = self.profiles.in_force
        return entry.description.intents if entry else tuple(Intent)

    # Shelf, artwork and sheet ------------------------------------------------------------------------------------

    def install(self, path: Path) -> list[Installed]:
        """Put what a file or folder holds on the shelf, or let it wait for a choice; say what became of it."""
        return self.profiles.install(path)

    def open_artwork(self, path: Path) -> None:
        """Open a picture and place it at its own size, or as large as fits where that is too large."""
        self.pieces.open(path)

    def open_chart(self, name: str) -> None:
        """Take a chart as the artwork, to be printed through the condition."""
        self.charts.take(self.charts.made(ChartOrder(name)))

    def place(self, placing: Placing, name: str = tr("Place the picture")) -> None:
        """Place the picture, as a step that can be undone."""
        if self.placing is not None:
            self.pieces.change(name, placing=placing)

    # The route ---------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Read everything back and judge the route anew."""
        state, card = self.live.state, self.card
        if card is None:
            self.live.change(RouteRead(State().route, None, None))
            self.live.change(Judged(()))
            return
        probes = state.probes
        route = read_route(card, self.devices.find(card.printer), probes.direct if probes is not None else None)
        if route.said:
            self.say(route.said)
        rows, below = route.rows, route.below
        if route.here and (program := self.handoff.program) is not None:
            found = probes.program if probes is not None else None
            there = program_rows(card, self.profiles.title_in_force, program.places, found)
            rows = (*rows, *there)
            below = (program_layer(card, there, found, program.runs_here), *below)
        title = self.profiles.title_in_force if state.profile is not None else ""
        chain = Chain((own_layer(card, title, state.bare), *below), card.twists_needed)
        self.live.change(RouteRead(replace(route, rows=rows, below=below), chain, datetime.datetime.now()))
        self.live.change(Judged(judge(self._gathering.facts(card))))

    def judge_again(self) -> None:
        """Judge what is known anew, without reading anything back."""
        found = judge(self._gathering.facts(self.card)) if self.card is not None else ()
        self.live.change(Judged(found))

    # Proof -------------------------------------------------------------------------------------------------------

    def finding_losses(self) -> Callable[[], Losses] | None:
        """Return what computes the losses of the artwork in hand, beside the interface; None where there is nothing."""
        state = self.live.state
        artwork, profile = state.artwork, state.shown_by
        if artwork is None or profile is None or state.card is None or state.bare:
            return None
        settings = self.proof_settings
        return lambda: losses(artwork.laid, artwork.profile, profile, settings)

    def take_losses(self, found: Losses | None, contrast: tuple[ContrastLoss, ...] = ()) -> None:
        """Show losses, and contrast lost between neighbours, that were computed elsewhere."""
        self.live.change(LossesFound(found, contrast))
        self.judge_again()

    # Print, press, check -----------------------------------------------------------------------------------------

    def job(self) -> Job:
        """Return what would be printed now: the sheet that is looked at."""
        return self.sheet.job()

    def kept_sources(self) -> KeptSources:
        """Return where what kept jobs name is found, as it is now: to be used beside the interface."""
        paths, logbook = {e.id: e.path for e in self.shelf.known()}, self.logbook

        def profile(profile_id: str) -> Profile:
            data = logbook.profile(profile_id)
            if data is not None:
                return Profile.parse(data, tr("the profile of the run"))
            if profile_id not in paths:
                raise FideleError(tr("The profile of this run is not on the shelf any more."))
            return Profile.open(paths[profile_id])

        return KeptSources(self.sources.supposing().of, profile, self.charts.known)

    def print_job(self, job: Job, progress: Progress | None = None, overridden: str = "") -> Printed:
        """Order a job and print it at once; the logbook keeps the run.

        Raises
        ------
        FideleError
            When findings hold the print and no reason was given to go on.
        """
        stops = self.stops
        if stops and not overridden:
            raise FideleError(tr("Held: {title}. {remedy}", title=lowered(stops[0].title), remedy=stops[0].remedy))
        number = self.queue.order(job, overridden, stops, state="preparing")
        printed = self.queue.carry_out(number, progress, job)
        assert printed is not None  # it was not only to be prepared
        return printed

    def write_finished(self, job: Job, path: Path, progress: Progress | None = None) -> None:
        """Write what another program is to print as a finished file: converted, sized, mirrored as the card says.

        Can run beside the interface.

        Raises
        ------
        FideleError
            When the file cannot be written, or its ending is not .png or .tif.
        """
        finished_file(job, self.devices.of(job.card), path, progress)

    def printed_elsewhere(self, printed: Printed) -> None:
        """Keep that the finished file of a run was printed now, from its own program."""
        now = datetime.datetime.now().replace(microsecond=0)
        receipt = printed.receipt | {"printed by hand": now.isoformat()}
        self.logbook.end_run(printed.number, "printed", receipt)
        self.take_run(replace(printed, receipt=receipt, at=now))
        self.say(
            tr(
                "Run {number} is printed. Press it, then scan the piece or bring its measurements.",
                number=printed.number,
            )
        )

    def instructions(self, file: str, run: int = 0) -> Instructions:
        """Return what somebody who prints a finished file is to do."""
        return instructions_of(self.need_card(), self.state.route.rows, file, run)

    def press_run(self, printed: Printed) -> Printed:
        """Press a printed sheet just as its card says."""
        return pressed(self.devices, self.logbook, printed, printed.job.card, printed.job.card.press)

    def scan_run(self, printed: Printed) -> Printed:
        """Lay the pressed piece on the scanner. Can run beside the interface."""
        return scanned(self.devices, printed)

    def take_run(self, printed: Printed) -> None:
        """Show a run that went on elsewhere; the last few prints stay on the table."""
        rest = (p for p in self.live.state.table if p.number != printed.number)
        self.live.change(RunTaken(printed, (printed, *rest)[:_TABLE]))
        self.live.tell(LogChanged())

    def take_check(self, checked: Checked) -> None:
        """Show a check that was made elsewhere; what it says of the profile on this printer is kept with both."""
        self.checking.take(checked)

    # Undo --------------------------------------------------------------------------------------------------------

    def undo(self) -> None:
        """Take the last step back."""
        name = self.history.undo()
        self.say(tr("Undone: {name}.", name=name) if name else tr("There is nothing to undo."))

    def undo_to(self, steps: int) -> None:
        """Take so many steps back, or do so many again where it is below zero."""
        names = [self.history.undo() if steps > 0 else self.history.redo() for _ in range(abs(steps))]
        word = tr("Undone") if steps > 0 else tr("Done again")
        self.say(
            tr("{word}: {name} and more.", word=word, name=", ".join(name for name in names[:3] if name))
            if len(names) > 3
            else tr("{word}: {name}.", word=word, name=", ".join(name for name in names[:3] if name))
        )

    def redo(self) -> None:
        """Do the last undone step again."""
        name = self.history.redo()
        self.say(tr("Done again: {name}.", name=name) if name else tr("There is nothing to do again."))
