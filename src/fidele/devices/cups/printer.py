"""A queue of the print service behind the protocol: its options, the ways into it, its filters, and its jobs."""

from __future__ import annotations

import contextlib
import copy
import datetime
import getpass
import re
import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Codes, top_of
from fidele.dataclass import dataclass
from fidele.devices.cups.asked import Beyond, ask_printer
from fidele.devices.cups.colour import ColourDaemon
from fidele.devices.cups.controls import WAY, QueueControls
from fidele.devices.cups.document import PDF, PWG, RASTER, as_pdf, as_raster
from fidele.devices.cups.filters import chain_of, run_chain
from fidele.devices.cups.learned import HOW_WORDS, Learned, LearnedStore, words_of
from fidele.devices.cups.ppd import Ppd, Sheet, read_ppd
from fidele.devices.cups.service import PrintService, QueueState
from fidele.devices.cups.sizes import as_choice, from_choice, own_media, own_size
from fidele.devices.cups.under_way import JobUnderWay
from fidele.devices.profiles import passes_through, profile_name
from fidele.devices.protocol import CarriedMedia, CarriesMedia, Lies, PageFormat, Probing, Sent, Supplies
from fidele.devices.settings import DriverSettings
from fidele.devices.vocabulary import Word, Words
from fidele.errors import FideleError
from fidele.icc.transform import Intent
from fidele.ipp.raster import read_raster
from fidele.language import quoted, tr
from fidele.route.behind import behind_layer, behind_rows
from fidele.route.condition import Card, Owner
from fidele.route.layers import Evidence, Layer, PrinterStatus, SettingRow, fingerprint
from fidele.route.probe import ProbeResult
from fidele.sheet.placing import Media
from fidele.tiles import Progress
from fidele.values import Document, Settings, Value

#: Ways into a queue by what people read, best first, with the kind of document.
WAYS = {"raster, past every filter": RASTER, "PWG raster, past every filter": PWG, "PDF, through the filters": PDF}
#: Options of the print system's own filters under which they leave a page alone.
_AT_REST = {
    "print-scaling": "none",
    "fit-to-page": "false",
    "mirror": "false",
    "number-up": "1",
    "orientation-requested": "3",
    "nopdfAutoRotate": "true",
    "copies": "1",
}
#: Seconds for which what a queue says of its options is taken for true.
_FRESH = 2.0
#: Seconds after which a printer that did not answer is asked again.
_ASK_AGAIN = 60.0
#: Length in mm at which a roll is probed.
_SHOWN = 297.0
_PLAIN = Ppd(sheets={"A4": Sheet(210, 297, (5, 5, 5, 5))})


@dataclass(frozen=True)
class _Known:
    """What a queue said at a moment."""

    ppd: Ppd
    file: Path | None
    defaults: dict[str, str]
    at: float


class QueueColour:
    """What the print system converts to for a queue: as the colour daemon would choose, or as its driver says."""

    #: Filters take the page's own intent; Fidele's pages ask for this one.
    intent = Intent.RELATIVE

    def __init__(self, printer: QueuePrinter, daemon: ColourDaemon) -> None:
        self._printer, self._daemon = printer, daemon

    def assigned(self) -> tuple[Path | None, Path | None]:
        """Return what it converts from and to; nothing where pages go past its filters."""
        if self._printer.kind != PDF:
            return None, None
        queue, choices = self._printer.queue, self._printer.qualifiers()
        try:
            chosen = self._daemon.chosen(queue, choices)
        except FideleError:  # where no daemon is, nothing of it converts
            chosen = None
        if chosen is not None:
            return None, chosen.path
        named = self._printer.ppd.profiles
        own = next((named[q] for q in choices if q in named), "")
        path = Path(own) if own.startswith("/") else Path("/usr/share/cups/profiles") / own
        return None, path if own and path.exists() else None

    def insists(self) -> bool:
        """Whether it will not go without a profile: it never does."""
        return False

    def assign(self, profile: Path | None, source: Path | None = None) -> None:
        """Assign a profile for the media that is set, or take away what would be chosen for it."""
        choices = self._printer.qualifiers()
        if profile is None:
            self._daemon.take_away(self._printer.queue, choices)
        else:
            model, media, _ = choices[0].split(".")
            self._daemon.assign(self._printer.queue, profile, f"{model}.{media or '*'}.*")


class QueuePrinter(DriverSettings):
    """A printer of this machine.

    Parameters
    ----------
    sheets
        What lies within reach of a job that was printed, by its number, for stand-ins; None where nothing does.
    """

    #: Prints are pressed, or the paper is the piece: a queue cannot tell.
    process = "any"
    carries: CarriesMedia | None = None

    def __init__(
        self,
        service: PrintService,
        daemon: ColourDaemon,
        state: QueueState,
        folder: Path,
        store: LearnedStore,
        sheets: Callable[[str, int], Lies | None] | None = None,
    ) -> None:
        self._service, self._state, self._store, self._sheets = service, state, store, sheets
        self.queue, self.name, self.id = state.name, state.info, f"queue/{state.name}"
        self._path = folder / "queues" / f"{re.sub(r'[^A-Za-z0-9_.-]', '_', state.name)}.json"
        self._last: _Known | None = None
        self._sent: Settings = {}
        self._daemon = daemon
        self.system = QueueColour(self, daemon)
        self.under_way = self._job = JobUnderWay(service)
        self.profile_path = lambda _: None

    def is_now(self, state: QueueState) -> None:
        """Take what the service tells of it now."""
        self._state, self.name = state, state.info

    @property
    def state_words(self) -> str:
        """Its state in words, '' where it is ready."""
        return self._state.state

    @property
    def kind_words(self) -> str:
        """'driverless' or 'queue'."""
        return "driverless" if self._state.driverless else "queue"

    @property
    def may_say_more(self) -> bool:
        """Whether the printer itself can be asked for what its queue's description leaves out, and was not yet."""
        due = time.monotonic() - self._asked > _ASK_AGAIN
        return self._beyond is None and due and self._state.driverless and self._state.uri.startswith(("ipp:", "ipps:"))

    def ask_beyond(self) -> None:
        """Ask the printer itself; where it does not answer it is asked again after a while."""
        self._asked = time.monotonic()
        with contextlib.suppress(FideleError):
            self._beyond = ask_printer(self._state.uri)
            self._last = None

    _asked = float("-inf")
    #: What the printer itself said, None where it was not asked or did not answer.
    _beyond: Beyond | None = None

    # What it says ------------------------------------------------------------------------------------------------

    def _known(self) -> _Known:
        """Return what the queue says of itself, asked again when that is some seconds old."""
        if self._last is None or time.monotonic() - self._last.at > _FRESH:
            file = self._service.ppd(self.queue)
            if file is None:
                raise FideleError(
                    tr(
                        "The queue {queue} has no driver: it takes documents as they are, and tells nothing.",
                        queue=self.queue,
                    )
                )
            same = self._last is not None and self._last.file == file and self._stamp(file) == self._last_stamp
            ppd = self._last.ppd if same and self._last is not None else read_ppd(file)
            if not same and self._beyond is not None:
                ppd = self._beyond.on(ppd)
            self._last_stamp = self._stamp(file)
            self._last = _Known(ppd, file, self._service.defaults(self.queue), time.monotonic())
        return self._last

    _last_stamp: tuple[int, int] = (0, 0)

    @staticmethod
    def _stamp(file: Path) -> tuple[int, int]:
        found = file.stat()
        return found.st_mtime_ns, found.st_size

    @property
    def ppd(self) -> Ppd:
        """What its driver says of itself; what it said last where it cannot be asked now, a plain A4 where never."""
        try:
            return self._known().ppd
        except FideleError:
            return self._last.ppd if self._last is not None else _PLAIN

    @property
    def learned(self) -> Learned:
        """What is known of its driver's words."""
        ppd = self.ppd
        stamp = self._store.stamp(ppd)
        if self._meant is None or self._meant[0] is not ppd or self._meant[1] != stamp:
            learned = self._store.of(ppd)
            self._meant = (ppd, stamp, learned, words_of(ppd, learned))
        return self._meant[2]

    #: What was made of a driver's description and of what is kept of it, as both were then.
    _meant: tuple[Ppd, tuple[int, int], Learned, Words] | None = None

    @property
    def _words(self) -> Words:  # type: ignore[override]
        learned = self.learned
        words = self._meant[3] if self._meant is not None else words_of(self.ppd, learned)
        if len(self._ways()) < 2:
            return words
        if self._by_way is None or self._by_way[0] is not words:  # asked for a hundred times at every look at the route
            meanings = {"way_in": Word((WAY,))} | words.meanings
            self._by_way = (words, replace(words, meanings=meanings, order=("way_in", *words.order)))
        return self._by_way[1]

    #: A driver's words, and the same with the way in before them.
    _by_way: tuple[Words, Words] | None = None

    @property
    def _controls(self) -> QueueControls:  # type: ignore[override]
        known = self._known()
        if self._by_known is None or self._by_known[0] is not known:
            self._by_known = (known, QueueControls(known.ppd, known.defaults, self._ways(), self._path))
        controls = self._by_known[1]
        return controls.sending(self._sent) if self._sent else controls

    #: Its controls, by what it said last.
    _by_known: tuple[_Known, QueueControls] | None = None

    @property
    def _meaning_of(self) -> dict[str, str]:  # type: ignore[override]
        return {c: m for m, w in self._words.meanings.items() for c in w.controls}

    @property
    def can_mirror(self) -> bool:  # type: ignore[override]
        """Whether its driver mirrors where it is asked to."""
        return bool(self._words.control("mirroring"))

    @property
    def format(self) -> PageFormat:
        """The pages that it takes."""
        ppd = self.ppd
        option = ppd.option("Resolution")
        steps = sorted(ppd.resolutions.values()) or [300]
        usual = ppd.resolutions.get(option.default, steps[0]) if option is not None else steps[0]
        usual = min(usual, 720) if usual in steps else usual
        return PageFormat(usual, 16 if ppd.bits.get(self._model(), 8) == 16 else 8, "RGB", tuple({*steps} - {usual}))

    def _model(self) -> str:
        """Return the choice of the colour model that takes RGB, '' where there is none to choose."""
        option = self.ppd.option("ColorModel")
        if option is None:
            return ""
        if "RGB" in option.default.upper():
            return option.default
        return next((c for c in option.choices if "RGB" in c.upper()), "")

    @property
    def _measured_as(self) -> tuple[str, str, str]:
        """What a measured correction is true for: driver, version and media."""
        ppd, now = self.ppd, self.settings()
        return ppd.name, ppd.version, str(now.get(self._words.control("stand_in"), ""))

    def measured_correction(self) -> tuple[NDArray[np.float32], datetime.datetime] | None:
        """Return what ink said of the driver's own correction on the media that is set, None where it said nothing."""
        return self._store.table_of(*self._measured_as)

    def keep_correction(self, table: NDArray[np.float32]) -> None:
        """Keep what ink said of it."""
        self._store.keep_table(*self._measured_as, table)

    def every_choice(self, control: str) -> tuple[str, ...]:
        """Return every choice that an option can ever offer."""
        return tuple(str(v) for v in self._controls.every(control))

    def qualifiers(self) -> tuple[str, ...]:
        """Return what a filter asks the colour daemon for, the most particular first."""
        now = self._job_options()
        first, media = now.get("ColorModel", "RGB"), now.get("MediaType", "")
        steps = (f"{first}.{media}.{now.get('Resolution', '')}", f"{first}.{media}.*", f"{first}.*.*", "*")
        return tuple(dict.fromkeys(steps))

    def _ways(self) -> tuple[str, ...]:
        ppd, takes = self.ppd, self.ppd.takes
        direct = [w for w, kind in WAYS.items() if kind in takes]
        return (*direct[:1], *(w for w, kind in WAYS.items() if kind == PDF)) if ppd.sheets else ()

    @property
    def kind(self) -> str:
        """The kind of document that its pages are sent as now."""
        return WAYS.get(self._controls.way, PDF)

    # Beside ------------------------------------------------------------------------------------------------------

    @property
    def probing(self) -> Probing | None:
        """A page can be sent down its filters where they lie here."""
        return self if self._service.local and not self._state.remote else None

    @property
    def supplies(self) -> Supplies | None:
        """The service tells of its ink and state."""
        return self

    knows_correction = False

    def media(self, size: str, feed: str = "") -> Media:
        """Return a sheet by name with the margins that the driver states."""
        ppd = self.ppd
        own = own_media(ppd, size)
        if own is not None:
            return own
        option = ppd.option("PageSize")
        names = {text: key for key, text in option.choices.items()} if option is not None else {}
        key = names.get(size, size)
        if key not in ppd.sheets:
            key = option.default if option is not None and option.default in ppd.sheets else next(iter(ppd.sheets))
        sheet = ppd.sheets[key]
        margins = self._beyond.margins_of(sheet.width, sheet.height, self._feed(feed)) if self._beyond else None
        named = size if names.get(size, size) == key else key
        return Media(named, sheet.width, sheet.height, margins or sheet.margins)

    def _feed(self, feed: str) -> str:
        """Return the driver's word for a way in."""
        option = self.ppd.option("InputSlot")
        return next((k for k, text in option.choices.items() if text == feed), feed) if option is not None else feed

    def own_size(self, width: float, height: float) -> str:
        """Return the name of a sheet of one's own size, '' where the driver takes none such."""
        return own_size(self.ppd, width, height)

    def starter_card(self) -> Card:
        """Return a condition to begin with: as the queue is set now, and no profile yet."""
        now, words = self.settings(), self._words
        asked = ("stand_in", "quality", "direction", "feed", "black_ink", "density", "way_in")
        driver = {m: now[words.control(m)] for m in asked if words.control(m) in now}
        size = str(now.get(words.control("size"), "A4"))
        name = re.sub(r"[^\w .,+()'&-]", " ", self.name).strip() or tr("A printer of this machine")
        return Card(
            id=f"first-{re.sub(r'[^A-Za-z0-9]+', '-', self.queue).strip('-').lower()}"[:100],
            name=name[:100],
            printer=self.id,
            printer_name=self.name,
            media=str(driver.get("stand_in", "")) or tr("my media"),
            size=size,
            substrate=tr("my piece"),
            owner="driver",
            driver=driver,
            driver_version=self.ppd.version,
        )

    def owners(self) -> tuple[Owner, ...]:
        """Return who can convert on its route."""
        return ("fidele", "system", "driver") if PDF in {WAYS[w] for w in self._ways()} else ("fidele", "driver")

    def stand_ins(self) -> tuple[CarriedMedia, ...]:
        """Return the driver's media names, in its own order: what ink they lay down it does not tell."""
        control = self._words.control("stand_in")
        return tuple(CarriedMedia(str(v), "") for v in self._controls.every(control)) if control else ()

    def best_quality(self, stand_in: str) -> Value | None:
        """Return None: which of a driver's steps is the best it does not tell."""
        return None

    def possible(self, driver: Settings) -> Settings:
        """Return settings, by meaning, with those put right that exclude each other."""
        made, words, controls = dict(driver), self._words, self._controls
        for meaning, value in driver.items():
            control = words.control(meaning)
            if control:
                beside = {words.control(m): v for m, v in made.items() if words.control(m) and m != meaning}
                offered = controls.offered(control, beside)
                if value not in offered and offered:
                    made[meaning] = offered[0]
        return made

    def status(self, card: Card) -> PrinterStatus:
        """Return what the service says of it now."""
        state = self._service.queue(self.queue)
        self._state = replace(state, jobs=self._state.jobs, default=self._state.default)
        return PrinterStatus(state.answers and state.accepts, "", state.inks, self.ppd.version, "", state.state)

    def lay_in(self, card: Card) -> None:
        """Do nothing: what lies in it, it asks for itself."""

    # Layers ------------------------------------------------------------------------------------------------------

    def rows(self, card: Card) -> tuple[SettingRow, ...]:
        """Return wanted and found settings by their neutral meaning; of what is a guess, that it is one."""
        learned = self.learned
        return tuple(
            replace(row, place=f"{row.place} ({HOW_WORDS['guess']})")
            if row.meaning in learned.meanings and not learned.sure(row.meaning)
            else row
            for row in super().rows(card)
        )

    def _by_hand(self, meaning: str, card: Card) -> SettingRow:
        return behind_rows(card, (meaning,), self._controls.place(meaning))[0]

    def layers(self, card: Card, probe: ProbeResult | None) -> tuple[Layer, ...]:
        """Return the print system with its filters, and the driver behind their last raster."""
        fresh = probe if probe is not None and probe.settings == fingerprint(self.state()) else None
        return (self._filters_layer(fresh), self._behind_layer(card))

    def _filters_layer(self, probe: ProbeResult | None) -> Layer:
        source, assigned = self.system.assigned() if self.system is not None else (None, None)
        through = passes_through(source, assigned)
        converts = assigned is not None and not through
        if self.kind != PDF:
            how = tr("the page goes past every filter, as the driver takes it")
        elif assigned is None:
            how = tr(
                "filters {chain}; no profile assigned", chain=tr(" and ").join(self.chain()) or tr("of another machine")
            )
        elif through:
            how = tr("pass-through, {profile_name}", profile_name=profile_name(assigned))
        else:
            how = tr("converts from sRGB to {profile_name}", profile_name=profile_name(assigned))
        layer = Layer("system", converts, how, Evidence.READ_BACK, expects="sRGB" if converts else "", probeable=True)
        if probe is None:
            known = self.kind != PDF or self.probing is not None
            return layer if known else replace(layer, evidence=Evidence.NOT_KNOWN, doubtful=True)
        said = layer.how if probe.passes == (not converts) else tr("changes the numbers, though no profile is assigned")
        scale = 1.0 if abs(probe.scale - 1) < 0.004 else round(probe.scale, 3)
        return replace(
            layer,
            converts=not probe.passes,
            how=said,
            evidence=Evidence.PROBED,
            mirrors=probe.mirrored,
            turned=probe.turned,
            scale=scale,
            when=probe.when,
        )

    def _behind_layer(self, card: Card) -> Layer:
        """Return the driver behind the last raster: as its words say where they are sure, else as confirmed by hand."""
        words, learned, now = self._words, self.learned, self.settings()
        layer = behind_layer(card, words.by_hand)
        control, mirror, turn = words.control("colour"), words.control("mirroring"), words.meanings.get("turn")
        if learned.sure("colour") and control:
            value = str(now[control])
            known = value in (words.passes, words.corrects)
            says = words.meanings["colour"].plain.get(value, tr("what it does is not known"))
            how = f"{quoted(value)}: {says} ({learned.how('colour')})"
            layer = replace(layer, converts=value != words.passes if known else None, how=how)
            layer = replace(layer, expects="sRGB" if layer.converts else "")
        elif layer.converts is None and control:
            layer = replace(
                layer, how=tr("{how}; “{control}” is “{now}”", how=layer.how, control=control, now=now[control])
            )
        if mirror and layer.mirrors is not None:
            layer = replace(layer, mirrors=now[mirror] == words.value("mirroring", "on"))
        assumed = [m for m in ("stand_in", "quality", "size") if words.control(m) in now]
        return replace(
            layer,
            turned=turn is not None and turn.rest is not None and now[turn.controls[0]] != turn.rest,
            assumes=", ".join(f"{words.control(m).lower()} {words.said(m, now[words.control(m)])}" for m in assumed),
        )

    def chain(self) -> tuple[str, ...]:
        """Return the print system's programs that a page goes through; nothing where it goes past them."""
        return () if self.kind != PDF else chain_of(PDF, self.ppd.takes or (RASTER,)) or ()

    # What it does ------------------------------------------------------------------------------------------------

    def sending(self, settings: Settings, system: Path | None = None) -> QueuePrinter:
        """Return this printer as it is for one job that brings its own settings."""
        made = copy.copy(self)
        made._sent = dict(settings)
        made.system = QueueColour(made, self._daemon)
        return made

    def _job_options(self, ppi: int = 0, length: float = _SHOWN) -> dict[str, str]:
        """Return all options of a job by keyword; a roll is cut after `length` mm."""
        options = self._controls.keywords()
        ppd = self.ppd
        own = own_media(ppd, options.get("PageSize", ""))
        if own is not None:
            options["PageSize"] = as_choice(own, length if own.roll else own.height)
        steps = {ppi: name for name, ppi in ppd.resolutions.items()}
        step = steps.get(ppi or self.format.ppi)
        options |= {"Resolution": step} if step else {}
        options |= {"ColorModel": self._model()} if self._model() else {}
        return options | ({"PageRegion": options["PageSize"]} if "PageSize" in options else {})

    def dry_run(self, page: NDArray[np.uint8], of: tuple[float, float] | None = None) -> NDArray[np.uint8]:
        """Return the raster that the driver would get for a small page, laid in the middle of a sheet of this size."""
        if self.probing is None:
            raise FideleError(
                tr("The {name} prints through another machine: its filters cannot be run here.", name=self.name)
            )
        known, ppi = self._known(), self.format.ppi
        options = self._job_options()
        sheet = self._sheet(options)
        shape = (round(sheet.height / 25.4 * ppi), round(sheet.width / 25.4 * ppi), 3)
        whole = np.full(shape, 255, np.uint8)
        y, x = (shape[0] - page.shape[0]) // 2, (shape[1] - page.shape[1]) // 2
        whole[y : y + page.shape[0], x : x + page.shape[1]] = page
        if self.kind == PDF:
            programs, kinds = self.chain(), (PDF, (self.ppd.takes or (RASTER,))[0])
            if not programs or known.file is None:
                raise FideleError(
                    tr(
                        "There is no chain of filters here that leads to the {name}: it cannot be probed.",
                        name=self.name,
                    )
                )
            document = b"".join(as_pdf(whole, ppi))
            came = run_chain(programs, document, self.queue, known.file, _AT_REST | options, kinds)
        else:
            import io

            parts = as_raster(whole, ppi, (sheet.width, sheet.height), sheet.margins, {}, self.kind == PWG)
            came = next(read_raster(io.BytesIO(b"".join(parts))))
        pixels = came.pixels
        if pixels.shape[2] != 3:
            raise FideleError(
                tr(
                    "The queue's filters hand {shape} channels to the driver: choose RGB as its colour model.",
                    shape=pixels.shape[2],
                )
            )
        return (pixels >> 8).astype(np.uint8) if pixels.dtype == np.uint16 else pixels.astype(np.uint8)

    def dry_run_corrected(self, page: NDArray[np.uint8]) -> NDArray[np.uint8]:
        """Refuse: what lies behind the last raster cannot be asked; `FideleError` always."""
        raise FideleError(
            tr("What the driver of the {name} makes of colour can only be measured on a print.", name=self.name)
        )

    def _sheet(self, options: dict[str, str]) -> Sheet:
        sheets = self.ppd.sheets
        own = from_choice(options.get("PageSize", ""))
        if own is not None:
            return Sheet(*own, self.ppd.own_margins)
        return sheets.get(options.get("PageSize", ""), next(iter(sheets.values())))

    def print_page(self, page: Codes, progress: Progress | None = None) -> Sent:
        """Send a page, and follow its job until it is printed."""
        state = self._service.queue(self.queue)
        if not state.accepts:
            raise FideleError(
                tr(
                    "The queue {queue} takes no jobs: {state}.",
                    queue=self.queue,
                    state=state.state or tr("it was closed"),
                )
            )
        ppi = self._ppi_of(page, self._sheet(self._job_options()))
        options = self._job_options(ppi, page.shape[0] / ppi * 25.4)
        sheet = self._sheet(options)
        rows = round(sheet.height / 25.4 * ppi)
        if from_choice(options.get("PageSize", "")) is not None and rows > page.shape[0]:
            page = np.pad(page, ((0, rows - page.shape[0]), (0, 0), (0, 0)), constant_values=top_of(page))
        size = (sheet.width, sheet.height)
        words = {"type": options.get("MediaType", ""), "size": options.get("PageSize", "")}
        if self.kind == PDF:
            parts, options = as_pdf(page, ppi), _AT_REST | options
        else:
            parts = as_raster(page, ppi, size, sheet.margins, words, self.kind == PWG)
        sent = _Counted(parts, page.nbytes)
        told = (lambda _: progress(sent.share)) if progress is not None else None
        title = tr("Fidele for {getuser}", getuser=getpass.getuser())
        number = self._service.send(self.queue, title, options, self.kind, sent, told)
        try:
            done = self._service.follow(number, self.queue, progress, self._job.is_now)
        finally:
            self._job.is_now(None)
        receipt: Document = {
            "printer": self.name,
            "queue": self.queue,
            "job": number,
            "sent as": self.kind,
            "sheets": done.sheets,
        }
        lies = self._sheets(self.queue, number) if self._sheets is not None else None
        return Sent(receipt | {**self.settings()}, lies)

    @staticmethod
    def _ppi_of(page: Codes, sheet: Sheet) -> int:
        return round(page.shape[1] / sheet.width * 25.4)


class _Counted:
    """Parts of a document, and what share of about so many bytes has been given."""

    def __init__(self, parts: Iterator[bytes], about: int) -> None:
        self._parts, self._about, self._given = parts, max(1, about), 0

    @property
    def share(self) -> float:
        return min(1.0, self._given / self._about)

    def __iter__(self) -> Iterator[bytes]:
        for part in self._parts:
            self._given += len(part)
            yield part
