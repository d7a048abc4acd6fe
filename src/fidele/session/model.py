"""The session: one workshop with its card in force, the artwork in hand, the route as it is known, and the last run."""

from __future__ import annotations

import datetime
import math
from dataclasses import replace
from pathlib import Path
from typing import Any

from fidele.artwork.open import ENDINGS as PICTURE_ENDINGS
from fidele.artwork.picture import Artwork
from fidele.chart.definition import Chart
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.icc.transform import Intent
from fidele.output.device import PrintDevice
from fidele.output.workshop import Workshop
from fidele.proof.advice import Content, content_of
from fidele.proof.contrast import ContrastLoss
from fidele.proof.losses import Losses, losses
from fidele.proof.soft import ProofSettings
from fidele.route.condition import Card, Change
from fidele.route.finding import WEIGHTS, Finding
from fidele.route.layers import Chain, Layer, PrinterStatus, SettingRow
from fidele.route.probe import ProbeResult
from fidele.route.program import program_layer, program_rows
from fidele.session.charts import ChartOrder, Charts
from fidele.session.checking import Checking
from fidele.session.checks import Checked, verdict_of
from fidele.session.conditions import Conditions
from fidele.session.customers import Customers
from fidele.session.display import Display, ScreenFound, display_of
from fidele.session.findings import check_findings, due_findings, missing_profile, profile_findings
from fidele.session.handoff import Handoff
from fidele.session.history import History
from fidele.session.inbox import Inbox
from fidele.session.job import Job, Printed
from fidele.session.judging import Route, judged, own_layer, read_route
from fidele.session.laying import Laying
from fidele.session.looks import Looks
from fidele.session.making import Making
from fidele.session.observe import Observable
from fidele.session.person import person
from fidele.session.picture_findings import artwork_findings, proof_findings, quality_findings, resolution_findings
from fidele.session.pieces import Pieces
from fidele.session.places import Places
from fidele.session.press_findings import press_findings
from fidele.session.pressing import pressed
from fidele.session.profiles import Profiles
from fidele.session.queue import Queue
from fidele.session.readiness import Readiness
from fidele.session.receipt import receipt_findings
from fidele.session.remember import Remembered
from fidele.session.roles import Roles
from fidele.session.runs import finished_file
from fidele.session.scanners import ScannerRecord
from fidele.session.sheet import Sheet
from fidele.session.sheet_findings import on_sheet
from fidele.session.sources import Sources
from fidele.session.trial import Trial, run_trial, verified
from fidele.session.watch import Watch
from fidele.sheet.placing import Media, Placing
from fidele.store.cards import CardStore
from fidele.store.logbook import Logbook
from fidele.store.shelf import Installed, Shelf
from fidele.tiles import Progress

__all__ = ["PICTURE_ENDINGS", "Session"]

#: So many prints lie on the table at once.
_TABLE = 4


class Session(Observable):
    """Everything that the window shows. Topics: shelf, papers, arrivals, card, artwork, route, run, check,
    losses, log, said."""

    def __init__(self, places: Places) -> None:
        super().__init__()
        self.places = places
        self.workshop = Workshop(places.bench)
        self.shelf = Shelf(places.profiles, places.system_profiles, places.data)
        self.cards = CardStore(places.cards)
        self.logbook = Logbook(places.logbook)
        self.history = History()
        self.profiles = Profiles(self)
        self.conditions = Conditions(self)
        self.making = Making(self)
        self.handoff = Handoff(self)
        for printer in self.workshop.printers:
            printer.profile_path = self.handoff.profile_path
        self.roles = Roles(places.data / "roles.json")
        self.card: Card | None = None
        self.profile: Profile | None = None
        self.sources = Sources(self)
        self.pieces = Pieces(self)
        self.inbox = Inbox(self)
        self.customers = Customers(self)
        self.charts = Charts(self)
        self.checking = Checking(self)
        self.looks = Looks(self)
        self.sheet = Sheet(self)
        self.laying = Laying(self)
        self.queue = Queue(self)
        self.watch = Watch(self)
        self.readiness = Readiness(self)
        self._route = Route((), (), None)
        self.losses: Losses | None = None
        self.contrast: tuple[ContrastLoss, ...] = ()
        self._contents: Remembered[Content] = Remembered()
        self.chain: Chain | None = None
        self.rows: tuple[SettingRow, ...] = ()
        self.status: PrinterStatus | None = None
        self.findings: tuple[Finding, ...] = ()
        self.run: Printed | None = None
        self.table: tuple[Printed, ...] = ()
        self.checked: Checked | None = None
        self.probed: ProbeResult | None = None
        self.read_at: datetime.datetime | None = None
        self.said = ""
        self._kept: bytes | None = None
        self.paper_white = False
        self.screen_found = ScreenFound()
        cards = self.cards.cards()
        if cards:
            self.put_in_force(cards[0])
        for sentence in self.cards.damaged():
            self.say(sentence)
        cut_off = self.queue.after_a_crash()
        if cut_off:
            runs = ", ".join(map(str, cut_off))
            self.say(f"Fidele ended while run {runs} was being printed: look at what came out, and print it again.")
        if self.queue.paused:
            self.say(
                f"{len(self.queue.entries())} runs wait in the queue from before; let them go on at the print desk."
            )
        if self.logbook.rescued:
            self.say(
                f"The logbook was damaged. {self.logbook.saved} runs were saved into a new one; the damaged file is "
                f"kept as {self.logbook.rescued}."
            )
        if (last := self.logbook.clock_behind()) is not None:
            self.say(f"This machine's clock was set back: the last run is of {last:%d.%m.%Y %H:%M}. Set it right.")

    @property
    def artwork(self) -> Artwork | None:
        """The picture in hand, as it is worked on."""
        piece = self.pieces.current
        return piece.artwork if piece is not None else None

    @property
    def chart(self) -> Chart | None:
        """The chart that the picture in hand is, None where it is none."""
        piece = self.pieces.current
        return piece.chart if piece is not None else None

    @property
    def placing(self) -> Placing | None:
        """Where the picture in hand lies on the sheet."""
        piece = self.pieces.current
        return piece.placing if piece is not None else None

    @property
    def content(self) -> Content | None:
        """What sits in the picture in hand."""
        artwork = self.artwork
        if artwork is None:
            return None
        known = self._contents.get(artwork.pixels)
        if known is None:
            known = content_of(artwork.laid, artwork.profile)
            self._contents.keep(artwork.pixels, known)
        return known

    @property
    def device(self) -> PrintDevice:
        """The printer of the card in force, the nearest one where there is none."""
        return self.workshop.printer_of(self.card.printer) if self.card else self.workshop.printer

    # What was said last ------------------------------------------------------------------------------------------

    def say(self, sentence: str) -> None:
        """Say the last thing done, in the foot."""
        self.said = sentence
        self.tell("said")

    # What stands for screen and scanner --------------------------------------------------------------------------

    @property
    def scanner(self) -> ScannerRecord:
        """The profile that scans are read through: the one chosen on the shelf, else the one made here."""
        entry = self.shelf.find(chosen) if (chosen := self.roles.of("scanner")) else None
        return ScannerRecord(entry.path, math.nan, math.nan) if entry else ScannerRecord.load(self.places.data)

    def screen(self) -> Profile | None:
        """Return the profile that proofs are shown through, None for sRGB."""
        return self.display.profile

    @property
    def display(self) -> Display:
        """How proofs are shown: through the profile chosen on the shelf, this screen's own, or sRGB."""
        chosen, profile, title = self.roles.of("screen"), None, ""
        entry = self.shelf.find(chosen) if chosen else None
        if entry is not None:
            try:
                profile, title = self.shelf.load(chosen), self.profiles.row(entry).title
            except FideleError as error:
                self.say(str(error))
        return display_of(self.screen_found, profile, title, datetime.date.today())

    def take_screen(self, found: ScreenFound) -> None:
        """Follow the window to another screen."""
        if found != self.screen_found:
            self.screen_found = found
            self.tell("artwork")
            self.refresh()

    # The card ----------------------------------------------------------------------------------------------------

    def put_in_force(self, card: Card) -> None:
        """Take a card; the route is read anew."""
        self.card = card
        self.probed = None
        self.handoff.forget()
        self._kept = self.cards.kept(card.id)
        self._load_profile()
        self.tell("card")
        self.refresh()

    def _load_profile(self) -> None:
        self.profile = None
        if self.card is not None and self.card.profile is not None:
            try:
                self.profile = self.shelf.load(self.card.profile)
            except FideleError as error:
                self.say(str(error))

    def no_card(self) -> None:
        """Be without a condition again."""
        self.card, self.profile = None, None
        self.tell("card")
        self.refresh()

    def change_card(self, what: str, /, **changes: Any) -> None:
        """Change the card in force, as a step that can be undone."""
        card = self.need_card()
        before = {key: getattr(card, key) for key in changes}
        if before == changes:
            return
        if card.locked and not changes.keys() <= {"locked", "confirmed", "driver_version"}:
            raise FideleError(f"“{card.name}” is locked; unlock it, or copy it and change the copy.")
        change = Change(what=what, when=datetime.datetime.now().replace(microsecond=0), who=person())
        changes = changes | {"history": [*card.history, change][-200:]}
        before = before | {"history": card.history}

        def apply(values: dict[str, Any]) -> None:
            changed = self.need_card().model_copy(update=values)
            if changed.id != card.id:
                raise FideleError(f"“{card.name}” is not in force any more; put it in force first.")
            self._save(changed)
            self.card = changed
            if "profile" in values:
                self._load_profile()
            self.tell("card")
            self.refresh()

        self.history.do(what, lambda: apply(changes), lambda: apply(before))
        self.say(f"{what}.")

    def _save(self, card: Card) -> None:
        """Keep the card in force, unless somebody else changed it meanwhile: then theirs is taken, and it is said."""
        if self.cards.kept(card.id) != self._kept:
            self.follow_card()
            raise FideleError(
                f"“{card.name}” was changed by another window or by hand a moment ago. It was read again, as it is "
                "now; do your change once more."
            )
        self.cards.save(card)
        self._kept = self.cards.kept(card.id)

    def follow_card(self) -> None:
        """Take over what another window, a command or a person has made of the card in force."""
        card = self.card
        if card is None or (kept := self.cards.kept(card.id)) == self._kept:
            return
        if kept is None:
            rest = self.cards.cards()
            self.say(f"“{card.name}” was taken away elsewhere.")
            self.no_card() if not rest else self.put_in_force(rest[0])
            return
        try:
            read = self.cards.read(card.id)
        except FideleError as error:
            self.say(f"{error} What was in force stays until the file is mended.")
            self._kept = kept
            return
        self.card, self._kept = read, kept
        self._load_profile()
        self.tell("card")
        self.refresh()
        self.say(f"“{read.name}” was changed elsewhere; it is shown as it is now.")

    def start_card(self) -> None:
        """Make a first condition for the printer at hand and put it in force."""
        card = self.device.starter_card()
        default = self.profiles.defaults.of(self.device.id, card.media)
        if default and self.shelf.find(default) is not None:
            card = card.model_copy(update={"profile": default, "owner": "fidele"})
        self.cards.save(card)
        self.put_in_force(card)
        self.say(
            f"A first condition, with the profile that is the default for {card.media}."
            if card.profile
            else "A first condition: the driver converts until you give it a profile. Drop one on the window."
        )

    def use_profile(self, profile_id: str) -> None:
        """Make a profile on the shelf the one of the card in force.

        Raises
        ------
        FideleError
            When it cannot serve as an output profile.
        """
        entry = self.shelf.find(profile_id)
        if entry is None:
            raise FideleError("This profile is not on the shelf any more.")
        if not entry.description.usable_as_output:
            raise FideleError(
                f"“{entry.title}” cannot convert for a printer: it is a profile of class "
                f"{entry.description.class_words}."
            )
        # A condition that had none left the conversion to the driver; with a profile Fidele is the better owner.
        first = {"owner": "fidele"} if self.need_card().profile is None else {}
        title = self.profiles.row(entry).title
        self.change_card(
            f"“{title}” is the profile of this condition", profile=profile_id, profile_title=title, **first
        )

    def need_card(self) -> Card:
        """Return the card in force; an error where there is none."""
        if self.card is None:
            raise FideleError("There is no printing condition yet.")
        return self.card

    def _need_artwork(self) -> Artwork:
        if self.artwork is None:
            raise FideleError("There is no artwork yet: open a picture or drop one on the window.")
        return self.artwork

    @property
    def proof_settings(self) -> ProofSettings:
        """How the proof is made for the card in force."""
        card = self.need_card()
        return self.settings(card.intent)

    def settings(self, intent: Intent) -> ProofSettings:
        """Return how the picture in hand would be converted and shown with an intent."""
        piece, card = self.pieces.current, self.need_card()
        tuning, keep = (piece.tuning, piece.keep) if piece is not None else (None, "")
        return ProofSettings(intent, card.bpc, tuning, keep, self.paper_white)

    @property
    def media(self) -> Media:
        """What the sheet that is looked at is printed on."""
        return self.sheet.media(self.sheet.shown)

    # The shelf ---------------------------------------------------------------------------------------------------

    def install(self, path: Path) -> list[Installed]:
        """Put what a file or folder holds on the shelf, or let it wait for a choice; say what became of it."""
        try:
            return self.profiles.receive(self.shelf.look(path))
        except FideleError as error:
            self.say(str(error))
            return [Installed(str(path), "refused", reason=str(error))]

    def remove_profile(self, profile_id: str) -> None:
        """Take a profile off the shelf, as a step that can be undone."""
        self.profiles.remove(profile_id)

    def shelf_changed(self) -> None:
        """Follow the shelf after it changed, by us or by another program."""
        self._load_profile()
        self.tell("shelf")
        self.refresh()

    # Artwork and sheet -------------------------------------------------------------------------------------------

    def open_artwork(self, path: Path) -> None:
        """Open a picture and place it at its own size, or as large as fits where that is too large."""
        self.pieces.open(path)

    def open_chart(self, name: str) -> None:
        """Take a chart as the artwork, to be printed through the condition."""
        self.charts.take(self.charts.made(ChartOrder(name)))

    def place(self, placing: Placing, name: str = "Place the picture") -> None:
        """Place the picture, as a step that can be undone."""
        if self.placing is not None:
            self.pieces.change(name, placing=placing)

    # The route ---------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Read everything back and judge the route anew."""
        if self.card is None:
            self.chain, self.rows, self.findings = None, (), ()
            self.tell("route")
            return
        here = self.workshop.find(self.card.printer) is not None
        route = read_route(self.card, self.device, here, self.probed)
        self.rows, below, self.status = route.rows, route.below, route.status
        if route.said:
            self.say(route.said)
        if here and (program := self.handoff.program) is not None:
            there = program_rows(self.card, program.places, self.handoff.program_probe)
            self.rows = (*self.rows, *there)
            below = (program_layer(self.card, there, self.handoff.program_probe, program.runs_here), *below)
        self._route = replace(route, rows=self.rows, below=below)
        self.read_at = datetime.datetime.now()
        self.chain = Chain((self._own_layer(self.card), *below), self.card.twists_needed)
        self._judge()
        self.tell("route")

    def _own_layer(self, card: Card) -> Layer:
        piece = self.pieces.current
        return own_layer(card, self.shelf_title() if self.profile is not None else "", piece is not None and piece.bare)

    def shelf_title(self) -> str:
        """Return the title of the card's profile, '' when it has none."""
        entry = self.shelf.find(self.card.profile) if self.card and self.card.profile else None
        return self.profiles.row(entry).title if entry else ""

    def _judge(self) -> None:
        card = self.need_card()
        found: list[Finding] = []
        piece = self.pieces.current
        if self.chain is not None:
            here = self.workshop.find(card.printer) is not None
            found += judged(self.chain, card, self._route, here, piece is not None and piece.bare)
        if card.profile is not None and self.profile is None:
            found.insert(0, missing_profile(card, self.shelf.known()))
        entry = self.shelf.find(card.profile) if card.profile and self.profile is not None else None
        if entry is not None and card.owner == "fidele":
            found += profile_findings(self.profiles.row(entry), card, self.device)
        if self.artwork is not None:
            found += artwork_findings(self.artwork, self.profile, self.sources.doubt(self.artwork))
            mirrored = self.chain is not None and self.chain.twists % 2 == 1
            found += on_sheet(self.sheet, mirrored, self._larger)
            found += self.watch.findings(list(self.sheet.pieces))
            if piece is not None and piece.chart is None:
                placing = replace(piece.placing, width=piece.picture_width)
                fine = self.content is not None and self.content.flat
                found += resolution_findings(self.artwork, placing, card.artwork_ppi, fine)
                if (quality := self.pieces.quality()) is not None:
                    found += quality_findings(self.artwork, quality, placing, card.artwork_ppi)
        found += due_findings(card, self.checking.due(card, datetime.date.today()))
        if self.losses is not None:
            found += proof_findings(self.losses, self.contrast)
        found += self.readiness.findings(card, self.chart is not None, datetime.datetime.now())
        found += press_findings(card, piece is not None and piece.chart is not None)
        if self.run is not None:
            found += receipt_findings(self.run.number, self.run.receipt)
        if self.checked is not None:
            found += check_findings(self.checked, self.chain)
        self.findings = tuple(sorted(found, key=lambda f: WEIGHTS.index(f.weight)))

    def _larger(self, placing: Placing) -> str:
        """Return the first size of the card's printer that holds a placed picture, '' where none does."""
        x0, y0, x1, y1 = placing.bounds
        for size in self.device.sizes():
            media = self.device.media(size)
            left, top, right, bottom = media.printable
            if x1 - x0 <= right - left and (media.roll or y1 - y0 <= bottom - top):
                return size
        return ""

    @property
    def stops(self) -> tuple[Finding, ...]:
        """What holds the print. A verdict on the last print is no reason to hold the next."""
        return tuple(f for f in self.findings if f.weight == "stop" and f.desk != "check")

    # Proof -------------------------------------------------------------------------------------------------------

    def find_losses(self) -> Losses | None:
        """Compute the losses of the artwork in hand through the card; None where there is nothing to compute."""
        if self.artwork is None or self.profile is None or self.card is None:
            return None
        return losses(self.artwork.laid, self.artwork.profile, self.profile, self.proof_settings)

    def judge_again(self) -> None:
        """Judge what is known anew, without reading anything back."""
        if self.card is not None:
            self._judge()
        self.tell("losses")

    def take_losses(self, found: Losses | None, contrast: tuple[ContrastLoss, ...] = ()) -> None:
        """Show losses, and contrast lost between neighbours, that were computed elsewhere."""
        self.losses, self.contrast = found, contrast
        self.judge_again()

    # Print, press, check -----------------------------------------------------------------------------------------

    def job(self) -> Job:
        """Return what would be printed now: the sheet that is looked at."""
        self._need_artwork()
        return self.sheet.job()

    def print_job(self, job: Job, progress: Progress | None = None, overridden: str = "") -> Printed:
        """Order a job and print it at once; the logbook keeps the run. Can run beside the interface.

        Raises
        ------
        FideleError
            When findings hold the print and no reason was given to go on.
        """
        stops = self.stops
        if stops and not overridden:
            raise FideleError(f"Held: {stops[0].title.lower()}. {stops[0].remedy}")
        number = self.queue.order(job, overridden, stops, state="preparing")
        printed = self.queue.carry_out(number, progress, job)
        assert printed is not None  # it was not only to be prepared
        return printed

    def write_finished(self, job: Job, path: Path, progress: Progress | None = None) -> None:
        """Write what another program is to print as a finished file: converted, sized, mirrored as the card says.

        Raises
        ------
        FideleError
            When the file cannot be written, or its ending is not .png or .tif.
        """
        finished_file(job, self.workshop.printer_of(job.card.printer), path, progress)

    def press_run(self, printed: Printed) -> Printed:
        """Press a printed sheet just as its card says. Can run beside the interface."""
        return pressed(self, printed, printed.job.card, printed.job.card.press)

    def scan_run(self, printed: Printed) -> Printed:
        """Lay the pressed piece on the scanner. Can run beside the interface."""
        if printed.piece is None:
            raise FideleError("The print has not been pressed yet: only the pressed piece can be judged.")
        return replace(printed, scan=self.workshop.scan(printed.piece, printed.number))

    def try_profile(self, trial: Trial, progress: Progress | None = None) -> tuple[Trial, Checked, int]:
        """Try a profile on this printer: print, press, scan and read a quick chart. Can run beside the interface."""
        number = self.logbook.add_run(
            f"Quick chart, to try “{trial.title}”",
            trial.card.model_dump_json(),
            trial.card.profile,
            self.device.settings(),
            {},
            "",
        )
        limits = self.checking.tolerance
        checked = run_trial(trial, self.device, self.workshop, self.scanner, limits, number, progress)
        self.logbook.add_verdict(number, verdict_of(checked))
        return trial, checked, number

    def take_trial(self, done: tuple[Trial, Checked, int]) -> None:
        """Keep and say what a trial found."""
        trial, checked, number = done
        found = verified(checked, self.device, "Quick chart", number, self.scanner.residual_mean)
        self.profiles.verified(trial.card.profile or "", found)
        self.tell("log")
        self.say(f"“{trial.title}”: {found.sentence}")

    def take_run(self, printed: Printed) -> None:
        """Show a run that went on elsewhere; the last few prints stay on the table."""
        self.run = printed
        self.table = (printed, *(p for p in self.table if p.number != printed.number))[:_TABLE]
        self.tell("run")
        self.tell("log")

    def take_check(self, checked: Checked) -> None:
        """Show a check that was made elsewhere; what it says of the profile on this printer is kept with both."""
        self.checked = checked
        job = self.run.job if self.run is not None else None
        tells = checked.comparison.passed or checked.cause.code in ("right", "none")
        if job is not None and job.chart is not None and job.card.profile and job.card.owner == "fidele" and tells:
            number = self.run.number if self.run is not None else 0
            found = verified(checked, self.device, job.chart.title, number, self.scanner.residual_mean)
            self.profiles.verified(job.card.profile, found)
        self._judge()
        self.tell("check")
        self.tell("log")
        self.tell("route")
        reading = checked.reading
        how = (
            f"read, page turned by {reading.turned:.1f}°, light evened by {reading.unevenness * 100:.0f} %"
            if reading is not None
            else f"measured with {checked.measured.conditions.words()}"
        )
        self.say(f"{len(checked.comparison.ids)} patches {how}.")

    # Undo --------------------------------------------------------------------------------------------------------

    def undo(self) -> None:
        """Take the last step back."""
        name = self.history.undo()
        self.say(f"Undone: {name}." if name else "There is nothing to undo.")

    def redo(self) -> None:
        """Do the last undone step again."""
        name = self.history.redo()
        self.say(f"Done again: {name}." if name else "There is nothing to do again.")

    @property
    def intents(self) -> tuple[str, ...]:
        """The intents that the card's profile truly has."""
        entry = self.shelf.find(self.card.profile) if self.card and self.card.profile else None
        return entry.description.intents if entry else tuple(Intent)
