"""A printer of the bench behind the protocol."""

from __future__ import annotations

import copy
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Codes
from fidele.bench.catalogue import carried
from fidele.bench.printer import Machine
from fidele.bench.queue import PrintQueue, SentThrough
from fidele.devices.protocol import CarriedMedia, CarriesMedia, PageFormat, Probing, Sent, Supplies, SystemProfile
from fidele.devices.settings import BEND, DriverSettings
from fidele.devices.vocabulary import Words
from fidele.errors import FideleError
from fidele.icc.transform import Intent
from fidele.language import tr
from fidele.route.condition import Card, Owner
from fidele.route.layers import PrinterStatus
from fidele.route.probe import ProbeResult, nodes
from fidele.sheet.placing import Media
from fidele.tiles import Progress
from fidele.values import Settings, Value


class MachineControls:
    """The controls of a bench machine's driver."""

    def __init__(self, machine: Machine, opened: Settings) -> None:
        self._machine, self._opened = machine, opened
        driver = machine.driver
        self.read_back, self.change, self.reset = driver.read_back, driver.change, driver.reset

    def held(self) -> tuple[str, ...]:
        """Return the controls that an administrator has locked."""
        return self._machine.driver.held

    def offered(self, name: str, beside: Settings | None = None) -> tuple[Value, ...]:
        """Return what a control offers now, or beside other settings."""
        if beside is None:
            return self._machine.driver.offered(name)
        return self._machine.model.settings[name].offers(self._machine.model.defaults | beside) or ()

    def every(self, name: str) -> tuple[Value, ...]:
        """Return every value that a control can ever offer."""
        return self._machine.model.every(name, self._opened)

    def place(self, name: str) -> str:
        """Return where a control stands in the driver."""
        return self._machine.model.settings[name].where

    def at_printer(self, name: str) -> bool:
        """Whether it is set at the printer itself."""
        return self._machine.model.settings[name].at_printer


class QueueProfile:
    """The profile that the bench's print system has for a printer; it converts by one intent for every program."""

    intent = Intent.PERCEPTUAL

    def __init__(self, queue: PrintQueue) -> None:
        self._queue = queue
        self.assign = queue.assign

    def assigned(self) -> tuple[Path | None, Path | None]:
        """Return what it converts from and to; None where nothing is said."""
        source, assigned = self._queue.source, self._queue.assigned
        return Path(source) if source else None, Path(assigned) if assigned else None

    def insists(self) -> bool:
        """Whether it will not go without a profile."""
        return self._queue.insists


class BenchPrinter(DriverSettings):
    """One printer with its driver, its queue in the print system, and its own panel."""

    def __init__(self, machine: Machine, queue: PrintQueue, words: Words, starter: Card) -> None:
        super().__init__(MachineControls(machine, words.open_first), words, QueueProfile(queue))
        self._machine, self._queue, self._starter = machine, queue, starter
        model = machine.model
        halves = (model.resolution // 2,) if model.halves else ()
        self.format = PageFormat(model.resolution, model.bits, also=halves)
        self.name, self.process = model.title, model.process
        self.id = f"{model.title.lower().replace(' ', '-')}/{machine.unit.serial}"
        self.system: SystemProfile | None = QueueProfile(queue)

    knows_correction = True

    @property
    def probing(self) -> Probing | None:
        """Numbers can be sent down its route without ink."""
        return self

    @property
    def supplies(self) -> Supplies | None:
        """It tells of its ink and of what lies in it."""
        return self

    @property
    def carries(self) -> CarriesMedia | None:
        """It carries profiles for its maker's media."""
        return self

    # What it is --------------------------------------------------------------------------------------------------

    def media(self, size: str, feed: str = "") -> Media:
        """Return a sheet by name with the margins of this printer and feed; of a roll, a page of A4's length."""
        model, control, way = self._machine.model, self._words.control("size"), self._words.control("feed")
        values = model.defaults | {control: size if size in model.every(control) else model.every(control)[0]}
        if way and feed in model.every(way):
            values[way] = feed
        effect = model.effect(values)
        width, height = effect.sheet
        return Media(size, width, height or 297.0, effect.margins, not height)

    def starter_card(self) -> Card:
        """Return a condition to begin with: no profile yet, so the driver converts."""
        return self._starter.model_copy(update={"driver_version": self._machine.model.version})

    def media_list(self) -> tuple[CarriedMedia, ...]:
        """Return the maker's own media, each of which the printer carries a profile for."""
        maker = self._machine.model.maker
        stocks = self._machine.model.stocks
        return tuple(
            CarriedMedia(name if name.startswith(maker) else f"{maker} {name}", self._load_words(name))
            for name in stocks
        )

    def _load_words(self, name: str) -> str:
        stock = self._machine.model.stocks[name]
        steps = tr(" or ").join(map(str, stock.steps))
        return f"ink load {stock.load:.0%}, {steps} {self._words.control('quality').lower()}"

    def media_profile(self, name: str) -> bytes:
        """Return the profile that the printer carries for one of its media."""
        model = self._machine.model
        stock = name if name in model.stocks else name.removeprefix(f"{model.maker} ")
        if stock not in model.stocks:
            raise FideleError(tr("The {name} carries no profile for '{name2}'.", name=self.name, name2=name))
        return carried(model, stock, self._states(stock))

    def _states(self, stock: str) -> dict[str, str]:
        """Return how the maker made the profile for one of its stocks, in this driver's words."""
        words, model = self._words, self._machine.model
        one_way = words.value("direction", "one way")
        made = {"stand_in": stock, "quality": max(model.stocks[stock].steps), "direction": one_way, "colour": "off"}
        if words.by_hand:
            made["ink_saving"] = "off"
        if model.process == "transfer":
            made |= {"mirroring": "once", "press_temperature": 200, "press_seconds": 180, "press_pressure": 2.5}
        return {f"made.{meaning}": str(value) for meaning, value in made.items()}

    def possible(self, driver: Settings) -> Settings:
        """Return driver settings, by meaning, with the step of quality that its stock allows, the nearest one."""
        stock, wanted = self._machine.model.stocks.get(str(driver.get("stand_in"))), driver.get("quality")
        if stock is None or not isinstance(wanted, int) or wanted in stock.steps:
            return driver
        return driver | {"quality": min(stock.steps, key=lambda step: (abs(step - wanted), -step))}

    def owners(self) -> tuple[Owner, ...]:
        """Return who can convert on this printer's route."""
        return ("fidele", "system", "driver", *(("driver-profile",) if self._words.by_profile else ()))

    def stand_ins(self) -> tuple[CarriedMedia, ...]:
        """Return the driver's media names, heaviest ink load first."""
        stocks = self._machine.model.stocks
        return tuple(CarriedMedia(n, self._load_words(n)) for n in sorted(stocks, key=lambda n: -stocks[n].load))

    def best_quality(self, stand_in: str) -> Value | None:
        """Return the best step of quality that one of the maker's stocks allows."""
        stock = self._machine.model.stocks.get(stand_in)
        return max(stock.steps) if stock else None

    def status(self, card: Card) -> PrinterStatus:
        """Return what the printer says of itself, and the size of what lies where the card feeds from."""
        supply, driver = self._machine.store.read(), self._machine.driver
        loaded = supply.loaded.get(card.feed, supply.loaded.get("", ""))
        return PrinterStatus(supply.online, self._machine.model.ink_name, supply.inks, driver.version, loaded)

    def lay_in(self, card: Card) -> None:
        """Tell the printer that the sheet or roll that a card calls for lies in it now."""
        loaded = self._machine.store.read().loaded
        self._machine.store.lay_in(card.size, card.feed if card.feed in loaded else "")

    # What it does ------------------------------------------------------------------------------------------------

    def sending(self, settings: Settings, system: Path | None = None) -> BenchPrinter:
        """Return this printer as it is for one job that brings its own settings; the driver's stay as they are."""
        made = copy.copy(self)
        made._machine = self._machine.sending(settings)
        made._controls = MachineControls(made._machine, self._words.open_first)
        if system is not None:
            made._queue = SentThrough(self._queue, system)
            made.system = QueueProfile(made._queue)
        return made

    def _passed_by_driver(self, probe: ProbeResult) -> bool:
        """Tell whether a probe came out of the driver as the print system had handed it on."""
        sent = np.rint(nodes() * 255).astype(np.uint8)[None]
        handed = self._queue.passed_on(sent).reshape(-1, 3).astype(float)
        return float(np.abs(probe.table.reshape(-1, 3) * 255 - handed).max()) < 0.5

    def dry_run(self, page: NDArray[np.uint8], of: tuple[float, float] | None = None) -> NDArray[np.uint8]:
        """Return the numbers that would become ink for a small page, without printing; scaled as a page `of` mm is."""
        return self._machine.dry_run(self._queue.passed_on(page), of=of).astype(np.uint8)

    def dry_run_corrected(self, page: NDArray[np.uint8]) -> NDArray[np.uint8]:
        """Return what the maker's own correction makes of a small page, whatever the driver is set to."""
        words = self._words
        instead = words.open_first | {words.control("colour"): words.corrects}
        for meaning in (*BEND, "turn", "mirroring"):
            word = words.meanings.get(meaning)
            if word is not None and word.rest is not None:
                instead |= dict.fromkeys(word.controls, word.rest)
        return self._machine.dry_run(page, instead).astype(np.uint8)

    def print_page(self, page: Codes, progress: Progress | None = None) -> Sent:
        """Print a page; return the sheet and what the driver says it did."""
        if self.format.also and self._is_half(page):  # the driver doubles every dot
            page = page.repeat(2, axis=0).repeat(2, axis=1)
        sheet, receipt = self._machine.print_page(self._queue.passed_on(page), progress)
        return Sent(receipt, sheet)

    def _is_half(self, page: Codes) -> bool:
        """Tell whether a page comes at half the resolution, by the width of the sheet that is set."""
        width = self._machine.effect().sheet[0] / 25.4 * self.format.ppi
        return page.shape[1] < 0.6 * width
