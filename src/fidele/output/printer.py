"""A printer of the bench behind the protocol: what is meant, said in its driver's words, and what it tells back."""

from __future__ import annotations

import copy
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from fidele.bench.catalogue import carried
from fidele.bench.printer import Machine, Print
from fidele.bench.queue import PrintQueue
from fidele.errors import FideleError
from fidele.output.device import CarriedMedia
from fidele.output.profiles import passes_through, profile_name
from fidele.output.settings import DriverSettings
from fidele.output.words import Words
from fidele.papers.leaflet import Vocabulary
from fidele.papers.model import MADE
from fidele.route.condition import Card, Owner
from fidele.route.layers import Evidence, Layer, PrinterStatus, fingerprint
from fidele.route.probe import ProbeResult, nodes
from fidele.sheet.placing import Media
from fidele.tiles import Progress

#: Meanings that bend the numbers beside a conversion: a probe cannot tell them from one.
_BEND = ("improvement", "sliders", "purpose", "colour_mode", "watermark")


class BenchPrinter(DriverSettings):
    """One printer with its driver, its queue in the print system, and its own panel."""

    space = "RGB"

    def __init__(self, machine: Machine, queue: PrintQueue, words: Words, starter: Card) -> None:
        super().__init__(machine, queue, words)
        self._starter = starter
        model = machine.model
        self.ppi, self.bits, self.name = model.resolution, model.bits, model.title
        self.id = f"{model.title.lower().replace(' ', '-')}/{machine.unit.serial}"
        self.can_mirror = bool(words.control("mirroring"))

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

    def vocabulary(self) -> Vocabulary:
        """Return this driver's words, to understand leaflets by."""
        words = {m: w.controls[0] for m, w in self._words.meanings.items() if m in MADE and m != "mirroring"}
        words |= {m: c for m, c in self._words.by_hand.items() if m in MADE}
        every = {m: tuple(str(v) for v in self._every(c)) for m, c in words.items()}
        return Vocabulary({c: m for m, c in words.items()}, every, self._words.trade)

    def media_list(self) -> tuple[CarriedMedia, ...]:
        """Return the maker's own media, each of which the printer carries a profile for."""
        maker = self._machine.model.maker
        return tuple(
            CarriedMedia(name if name.startswith(maker) else f"{maker} {name}", self._load_words(name))
            for name in self._machine.model.stocks
        )

    def _load_words(self, name: str) -> str:
        stock = self._machine.model.stocks[name]
        steps = " or ".join(map(str, stock.steps))
        return f"ink load {stock.load:.0%}, {steps} {self._words.control('quality').lower()}"

    def media_profile(self, name: str) -> bytes:
        """Return the profile that the printer carries for one of its media."""
        model = self._machine.model
        stock = name if name in model.stocks else name.removeprefix(f"{model.maker} ")
        if stock not in model.stocks:
            raise FideleError(f"The {self.name} carries no profile for '{name}'.")
        return carried(model, stock, self._states(stock))

    def _states(self, stock: str) -> dict[str, str]:
        """Return how the maker made the profile for one of its stocks, in this driver's words."""
        words, model = self._words, self._machine.model
        one_way = next(v for v, said in words.meanings["direction"].plain.items() if said == "one way")
        made = {"stand_in": stock, "quality": max(model.stocks[stock].steps), "direction": one_way, "colour": "off"}
        if words.by_hand:
            made["ink_saving"] = "off"
        if model.process == "transfer":
            made |= {"mirroring": "once", "press_temperature": 200, "press_seconds": 180, "press_pressure": 2.5}
        return {f"made.{meaning}": str(value) for meaning, value in made.items()}

    def settings_of(self, said: dict[str, tuple[str, ...]]) -> dict[str, Any]:
        """Return driver settings, by meaning, for what is said of how a profile was made; unknown words are left."""
        settings = {}
        for meaning, values in said.items():
            if meaning in self._words.meanings and meaning not in ("colour", "mirroring"):
                trade = self._words.trade.get(meaning, {})
                offered = self._every(self._words.control(meaning))
                known = [v for w in values for v in offered if str(v) == trade.get(w, w)]
                if known:
                    settings[meaning] = known[0]
        return settings

    def possible(self, driver: dict[str, Any]) -> dict[str, Any]:
        """Return driver settings, by meaning, with the step of quality that its stock allows, the nearest one."""
        stock, wanted = self._machine.model.stocks.get(str(driver.get("stand_in"))), driver.get("quality")
        if stock is None or not isinstance(wanted, int) or wanted in stock.steps:
            return driver
        return driver | {"quality": min(stock.steps, key=lambda step: (abs(step - wanted), -step))}

    def owners(self) -> tuple[Owner, ...]:
        """Return who can convert on this printer's route."""
        return ("fidele", "system", "driver", *(("driver-profile",) if self._words.by_profile else ()))

    @property
    def process(self) -> str:
        """'transfer' where prints are pressed on a piece, 'direct' where the paper is the piece."""
        return self._machine.model.process

    def sizes(self) -> tuple[str, ...]:
        """Return the sizes of sheet or roll that the driver offers, by name."""
        return tuple(str(v) for v in self._every(self._words.control("size")))

    def stand_ins(self) -> tuple[CarriedMedia, ...]:
        """Return the driver's media names, heaviest ink load first."""
        stocks = self._machine.model.stocks
        return tuple(CarriedMedia(n, self._load_words(n)) for n in sorted(stocks, key=lambda n: -stocks[n].load))

    def best_quality(self, stand_in: str) -> int | None:
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

    def sending(self, settings: dict[str, Any]) -> BenchPrinter:
        """Return this printer as it is for one job that brings its own settings; the driver's stay as they are."""
        made = copy.copy(self)
        made._machine = self._machine.sending(settings)
        return made

    # What it does ------------------------------------------------------------------------------------------------

    def layers(self, card: Card, probe: ProbeResult | None) -> tuple[Layer, ...]:
        """Return the layers from the print system to the printer's panel as they are known."""
        return (self._system_layer(probe), self._driver_layer(card, probe), self._panel_layer(card))

    def _driver_layer(self, card: Card, probe: ProbeResult | None) -> Layer:
        words, now = self._words, self.settings()
        colour = now[words.control("colour")]
        given = now[words.profile] if words.profile else ""
        converts: bool | None = colour != words.passes and not (colour == words.by_profile and not given)
        expects = now[words.control("input_space")] if words.control("input_space") else words.space
        if colour == words.by_profile:
            how = f"“{colour}”: " + (f"converts to {profile_name(given)}" if given else "none is given, so it passes")
        else:
            how = f"“{colour}”: " + (f"converts from {expects} by the maker's correction" if converts else "passes")
        evidence, when = Evidence.READ_BACK, None
        if probe is not None and probe.settings == fingerprint(self.state()):
            bent = any(now[c] != w.rest for m in _BEND if (w := words.meanings.get(m)) for c in w.controls)
            converts = converts if bent else not self._passed_by_driver(probe)
            evidence, when = Evidence.PROBED, probe.when
        effect = self._machine.effect()
        mirrors, turned = effect.mirrors, effect.turned
        media = self.media(card.size, card.feed)
        scale = round(effect.scale(media.width, media.height), 4)
        if probe is not None and evidence is Evidence.PROBED:
            mirrors, turned = probe.mirrored, probe.turned
            # A probe tells the size to a third of a per cent; where it agrees, what was read back is finer.
            scale = scale if abs(probe.scale - scale) < 0.004 else round(probe.scale, 3)
        return Layer(
            "driver",
            converts,
            how,
            evidence,
            mirrors=mirrors,
            turned=turned,
            scale=scale,
            expects=expects if converts else "",
            when=when,
            assumes=", ".join(
                f"{self._words.control(m).lower()} {self._said(m, now[self._words.control(m)])}"
                for m in ("stand_in", "quality", "size")
                if self._words.control(m)
            ),
        )

    def _passed_by_driver(self, probe: ProbeResult) -> bool:
        """Tell whether a probe came out of the driver as the print system had handed it on."""
        sent = np.rint(nodes() * 255).astype(np.uint8)[None]
        handed = self._queue.passed_on(sent).reshape(-1, 3).astype(float)
        return float(np.abs(probe.table.reshape(-1, 3) * 255 - handed).max()) < 0.5

    def _panel_layer(self, card: Card) -> Layer:
        said = {meaning: card.confirmed.get(meaning) for meaning in self._words.by_hand}
        seen = [s for s in said.values() if s is not None]
        evidence = (
            Evidence.READ_BACK if not said else Evidence.BY_HAND if len(seen) == len(said) else Evidence.NOT_KNOWN
        )
        return Layer(
            "panel",
            False,
            "does nothing to colour; passes",
            evidence,
            when=min((s.when for s in seen), default=None),
            who=seen[0].who if seen else "",
            doubtful=evidence is Evidence.NOT_KNOWN,
            assumes=", ".join(f"{self.settings()[c]} loaded" for c in self._words.at_printer.values()),
        )

    def _system_layer(self, probe: ProbeResult | None) -> Layer:
        assigned, source = self._queue.assigned, self._queue.source
        if assigned is None:
            return Layer("system", False, "no profile assigned, passes", Evidence.READ_BACK)
        if passes_through(source, assigned):
            verified = probe is not None and probe.passes and probe.settings == fingerprint(self.state())
            how = f"pass-through: from “{profile_name(assigned)}” to itself, so numbers stay"
            if verified and probe is not None:
                return Layer("system", False, how, Evidence.PROBED, when=probe.when)
            return Layer("system", False, how, Evidence.READ_BACK)
        name = profile_name(source) if source else "sRGB"
        how = f"converts from {name} to {profile_name(assigned)}"
        return Layer("system", True, how, Evidence.READ_BACK, expects=name, insists=self._queue.insists)

    @property
    def system_profile(self) -> tuple[Path | None, Path | None]:
        """What the print system converts from and to for this printer; None where nothing is said."""
        source, assigned = self._queue.source, self._queue.assigned
        return Path(source) if source else None, Path(assigned) if assigned else None

    @property
    def system_insists(self) -> bool:
        """Whether the print system will not go without a profile for its printers."""
        return self._queue.insists

    def assign_system_profile(self, profile: Path | None, source: Path | None = None) -> None:
        """Assign a profile to the printer in the print system, or take it away; `source` is what it converts from."""
        self._queue.assign(profile, source)

    def dry_run(self, page: NDArray[np.uint8], of: tuple[float, float] | None = None) -> NDArray[np.uint8]:
        """Return the numbers that would become ink for a small page, without printing; scaled as a page `of` mm is."""
        return self._machine.dry_run(self._queue.passed_on(page), of=of)

    def dry_run_corrected(self, page: NDArray[np.uint8]) -> NDArray[np.uint8]:
        """Return what the maker's own correction makes of a small page, whatever the driver is set to."""
        words = self._words
        instead = dict(words.open_first) | {words.control("colour"): words.corrects}
        for meaning in (*_BEND, "turn", "mirroring"):
            word = words.meanings.get(meaning)
            if word is not None and word.rest is not None:
                instead |= dict.fromkeys(word.controls, word.rest)
        return self._machine.dry_run(page, instead)

    def print_page(self, page: NDArray[Any], progress: Progress | None = None) -> tuple[Print, dict[str, Any]]:
        """Print a page; return the sheet and what the driver says it did."""
        return self._machine.print_page(self._queue.passed_on(page), progress)
