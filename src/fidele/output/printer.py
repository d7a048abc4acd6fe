"""A printer of the bench behind the protocol: what is meant, said in its driver's words, and what it tells back."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from fidele.bench.catalogue import carried
from fidele.bench.printer import Machine, Print
from fidele.bench.queue import PrintQueue
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.icc.tables import matrix_model
from fidele.icc.text import text_of
from fidele.output.device import CarriedMedia, Choice
from fidele.output.words import Words
from fidele.papers.leaflet import Vocabulary
from fidele.papers.model import MADE
from fidele.route.condition import Card, Owner
from fidele.route.layers import MEANINGS, Evidence, Layer, PrinterStatus, SettingRow, fingerprint
from fidele.route.probe import ProbeResult, nodes
from fidele.sheet.placing import Media
from fidele.tiles import Progress

#: Meanings that bend the numbers beside a conversion: a probe cannot tell them from one.
_BEND = ("improvement", "sliders", "purpose", "colour_mode", "watermark")


class BenchPrinter:
    """One printer with its driver, its queue in the print system, and its own panel."""

    space = "RGB"

    def __init__(self, machine: Machine, queue: PrintQueue, words: Words, starter: Card) -> None:
        self._machine = machine
        self._queue = queue
        self._words = words
        self._starter = starter
        model = machine.model
        self.ppi, self.bits, self.name = model.resolution, model.bits, model.title
        self.id = f"{model.title.lower().replace(' ', '-')}/{machine.unit.serial}"
        self.can_mirror = bool(words.control("mirroring"))
        self.profile_path: Callable[[str], Path | None] = lambda _: None

    # What it is --------------------------------------------------------------------------------------------------

    def media(self, size: str, feed: str = "") -> Media:
        """Return a sheet by name with the margins of this printer and feed; of a roll, a page of A4's length."""
        model, control, way = self._machine.model, self._words.control("size"), self._words.control("feed")
        values = model.defaults | {control: size if size in model.every(control) else model.every(control)[0]}
        if way and feed in model.every(way):
            values[way] = feed
        effect = model.effect(values)
        width, height = effect.sheet
        return Media(size, width, height or 297.0, effect.margins)

    def starter_card(self) -> Card:
        """Return a condition to begin with: no profile yet, so the driver converts."""
        return self._starter.model_copy(update={"driver_version": self._machine.model.version})

    def vocabulary(self) -> Vocabulary:
        """Return this driver's words, to understand leaflets by."""
        words = {m: w.controls[0] for m, w in self._words.meanings.items() if m in MADE and m != "mirroring"}
        words |= {m: c for m, c in self._words.by_hand.items() if m in MADE}
        every = {m: tuple(str(v) for v in self._every(c)) for m, c in words.items()}
        return Vocabulary({c: m for m, c in words.items()}, every, self._words.trade)

    def _every(self, control: str) -> tuple[Any, ...]:
        return self._machine.model.every(control, self._words.open_first)

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

    def offers(self, meaning: str, driver: dict[str, Any]) -> tuple[tuple[Any, str], ...]:
        """Return the values, with their words, that a card can ask for under a meaning beside other settings."""
        word = self._words.meanings.get(meaning)
        if word is None or len(word.controls) > 1 or meaning in ("colour", "mirroring", "input_space"):
            return ()
        model, control = self._machine.model, word.controls[0]
        beside = {self._words.control(m): v for m, v in driver.items() if self._words.control(m) and m != meaning}
        offered = model.settings[control].offers(model.defaults | self._words.open_first | beside) or ()
        return tuple((value, self._said(meaning, value)) for value in offered)

    def at_rest(self, meaning: str) -> Any:
        """Return the value under which a setting leaves things alone, None where there is none."""
        word = self._words.meanings.get(meaning)
        return word.rest if word is not None else None

    # What it is set to -------------------------------------------------------------------------------------------

    def settings(self) -> dict[str, Any]:
        """Return what the driver tells of its settings, in its own words."""
        return self._machine.driver.read_back()

    def state(self) -> dict[str, Any]:
        """Return everything between Fidele and the ink that can change: what a probe is true for."""
        return self.settings() | {"print system": f"{self._queue.source} to {self._queue.assigned}"}

    def choices(self) -> tuple[Choice, ...]:
        """Return every control of the driver with what it offers now."""
        driver, model, held = self._machine.driver, self._machine.model, self._machine.driver.held
        return tuple(
            Choice(n, model.settings[n].place, v, driver.offered(n), n in held)
            for n, v in self.settings().items()
            if not model.settings[n].at_printer
        )

    def choose(self, name: str, value: Any) -> None:
        """Change a control of the driver, in its own words."""
        self._machine.driver.change(name, value)

    def restore(self, settings: dict[str, Any]) -> None:
        """Put the driver's controls back to what they were, in an order in which each is on offer."""
        for name, value in self._words.open_first.items():
            self._set(name, value)
        first = [c for m in self._words.order for c in self._words.meanings[m].controls]
        last = list(self._words.open_first)
        reachable = [n for n in settings if not self._machine.model.settings[n].at_printer]
        rest = [n for n in reachable if n not in first and n not in last]
        for name in (*(n for n in first if n in settings and n not in last), *rest, *last):
            self._set(name, settings[name])

    def _set(self, name: str, value: Any) -> None:
        """Change a control unless it is locked: what an administrator holds stays as it is, and is shown as such."""
        if name not in self._machine.driver.held:
            self.choose(name, value)

    def reset(self) -> None:
        """Throw the driver's settings back to its maker's defaults, whatever state they are in."""
        self._machine.driver.reset()

    def _wanted(self, card: Card) -> dict[str, Any]:
        """Return the wanted values in the driver's words, by control; what nobody asks for is left out."""
        words = self._words
        wanted: dict[str, Any] = {}
        for meaning, word in words.meanings.items():
            value = card.driver.get(meaning, word.rest)
            if value is not None:
                wanted |= dict.fromkeys(word.controls, value)
        wanted[words.control("colour")] = {"driver": words.corrects, "driver-profile": words.by_profile}.get(
            card.owner, words.passes
        )
        if card.owner == "driver-profile" and words.profile:
            wanted[words.profile] = str(self.profile_path(card.profile or "") or "")
            if words.aim:
                wanted[words.aim] = words.aims[card.intent]
        if words.control("size"):
            wanted[words.control("size")] = card.size
        if words.control("mirroring"):
            plain = words.meanings["mirroring"].plain
            on = next(v for v, said in plain.items() if said == "on")
            off = next(v for v, said in plain.items() if said == "off")
            wanted[words.control("mirroring")] = on if card.mirror_by == "driver" else off
        if words.control("input_space") and card.owner in ("driver", "driver-profile"):
            wanted[words.control("input_space")] = "sRGB"  # what Fidele sends on when it does not convert itself
        return wanted

    def rows(self, card: Card) -> tuple[SettingRow, ...]:
        """Return wanted and found settings by their neutral meaning."""
        now, wanted = self.settings(), self._wanted(card)
        rows = []
        for meaning in MEANINGS:
            if meaning in self._words.meanings:
                row = self._row(meaning, card, now, wanted)
                if row is not None:
                    rows.append(row)
            elif meaning == "mirroring":
                said = "by Fidele" if card.mirror_by == "fidele" else "none"
                rows.append(SettingRow(meaning, said, "this driver cannot mirror", "", True, Evidence.READ_BACK, False))
            elif meaning in self._words.by_hand:
                rows.append(self._by_hand(meaning, card))
            elif meaning in self._words.at_printer:
                rows.append(self._at_printer(meaning, card, now))
            elif meaning == "system":
                rows.append(self._system_row(card))
            elif meaning in self._given and card.owner == "driver-profile":
                rows.append(self._given_row(meaning, now, wanted))
        return tuple(rows)

    def _row(self, meaning: str, card: Card, now: dict[str, Any], wanted: dict[str, Any]) -> SettingRow | None:
        word = self._words.meanings[meaning]
        control = word.controls[0]
        place = self._machine.model.settings[control].place
        if len(word.controls) > 1:
            moved = [f"{c} {now[c]:+d}" for c in word.controls if now[c] != word.rest]
            found = ", ".join(moved) or "all at rest"
            place = place.rsplit(" › ", 1)[0]
            held = self._held(*word.controls)
            return SettingRow(
                meaning, "all at rest", found, place, not moved, Evidence.READ_BACK, settable=not held, held=held
            )
        if control not in wanted:
            return None
        said = self._said(meaning, wanted[control])
        if meaning == "stand_in":
            said += f" for {card.media}"
        if meaning == "mirroring" and card.mirror_by == "fidele":
            said = "off: Fidele mirrors"
        agrees, held = wanted[control] == now[control], self._held(control)
        found = self._said(meaning, now[control])
        return SettingRow(meaning, said, found, place, agrees, Evidence.READ_BACK, settable=not held, held=held)

    @property
    def _given(self) -> dict[str, str]:
        """Meanings of what belongs to a given profile, and the controls of this driver for them."""
        both = {"given_profile": self._words.profile, "given_intent": self._words.aim}
        return {meaning: control for meaning, control in both.items() if control}

    def _given_row(self, meaning: str, now: dict[str, Any], wanted: dict[str, Any]) -> SettingRow:
        control = self._given[meaning]
        place = self._machine.model.settings[control].place
        said, found = str(wanted[control]), str(now[control])
        if meaning == "given_profile":
            alike = same_profile(said, found)
            return SettingRow(
                meaning,
                _profile_name(said),
                _profile_name(found),
                place,
                alike,
                Evidence.READ_BACK,
                held=self._held(control),
            )
        aims = {v: k.words for k, v in self._words.aims.items()}
        row = SettingRow(
            meaning, aims.get(said, said), aims.get(found, found), place, said == found, Evidence.READ_BACK
        )
        return replace(row, held=self._held(control))

    def _held(self, *controls: str) -> bool:
        return any(c in self._machine.driver.held for c in controls)

    def _system_row(self, card: Card) -> SettingRow:
        source, assigned = self._queue.source, self._queue.assigned
        mine = self.profile_path(card.profile or "") if card.owner == "system" else None
        through = passes_through(source, assigned)
        wanted = f"to {_profile_name(str(mine))}" if card.owner == "system" and mine else "passes"
        found = (
            "passes"
            if assigned is None
            else f"pass-through, {_profile_name(assigned)}"
            if through
            else f"to {_profile_name(assigned)}"
        )
        agrees = (assigned is None or through) if mine is None else same_profile(str(mine), assigned or "")
        return SettingRow(
            "system", wanted, found, "print system › printer's profile", agrees, Evidence.READ_BACK, False
        )

    def _said(self, meaning: str, value: Any) -> str:
        plain = self._words.meanings[meaning].plain.get(value)
        return plain or (f"“{value}”" if meaning == "stand_in" else str(value))

    def _by_hand(self, meaning: str, card: Card) -> SettingRow:
        said = card.confirmed.get(meaning)
        place = self._machine.model.settings[self._words.by_hand[meaning]].place
        if said is None:
            return SettingRow(meaning, "off", None, place, None, Evidence.NOT_KNOWN, False)
        row = SettingRow(meaning, "off", str(said.value), place, said.value == "off", Evidence.BY_HAND, False)
        return replace(row, when=said.when)

    def _at_printer(self, meaning: str, card: Card, now: dict[str, Any]) -> SettingRow:
        control = self._words.at_printer[meaning]
        wanted = card.driver.get("stand_in", now[control])
        place = self._machine.model.settings[control].place
        agrees = now[control] == wanted
        return SettingRow(meaning, f"“{wanted}”", f"“{now[control]}”", place, agrees, Evidence.READ_BACK, False)

    def bring(self, card: Card, meanings: tuple[str, ...] | None = None) -> None:
        """Set the driver to the card, all of it or some meanings only, in the order that its quirks need."""
        words, wanted = self._words, self._wanted(card)
        before = self.settings()
        for meaning in words.order:
            if meanings is not None and meaning not in meanings:
                continue
            if meaning == "colour" and card.owner != "driver":
                for name, value in words.open_first.items():
                    self._set(name, value)
            for control in words.meanings[meaning].controls:
                if control in wanted:
                    self._set(control, wanted[control])
        for meaning, control in self._given.items():
            if control in wanted and (meanings is None or {meaning, "colour"} & set(meanings)):
                self._set(control, wanted[control])
        if meanings is not None and "stand_in" in meanings:
            self._keep(before, meanings)

    def _keep(self, before: dict[str, Any], meanings: tuple[str, ...]) -> None:
        """Put back what a change of stock threw over, where only some settings were to be set."""
        for meaning in ("colour", "quality", "black_ink"):
            control = self._words.control(meaning)
            if control and meaning not in meanings and before[control] in self._machine.driver.offered(control):
                self._set(control, before[control])

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
            how = f"“{colour}”: " + (f"converts to {_profile_name(given)}" if given else "none is given, so it passes")
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
            how = f"pass-through: from “{_profile_name(assigned)}” to itself, so numbers stay"
            if verified and probe is not None:
                return Layer("system", False, how, Evidence.PROBED, when=probe.when)
            return Layer("system", False, how, Evidence.READ_BACK)
        name = _profile_name(source) if source else "sRGB"
        how = f"converts from {name} to {_profile_name(assigned)}"
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


def passes_through(source: str | None, target: str | None) -> bool:
    """Tell whether a layer converts from a matrix profile to the very same one, which leaves the numbers alone.

    A profile with tables does not do: from itself to itself it moves numbers by up to a tenth of their range.
    """
    if source is None or target is None:
        return False
    try:
        one, other = Profile.open(Path(source)), Profile.open(Path(target))
        tables = any(s[:3] in ("A2B", "B2A") for s in other.tags)
        return one.content_id == other.content_id and not tables and matrix_model(other) is not None
    except FideleError:
        return False


def same_profile(one: str, other: str) -> bool:
    """Tell whether two paths lead to the same profile, by its content."""
    if one == other:
        return True
    try:
        return bool(one and other) and Profile.open(Path(one)).content_id == Profile.open(Path(other)).content_id
    except FideleError:  # a file that is gone is no profile at all
        return False


def _profile_name(path: str) -> str:
    if not path:
        return "none"
    try:
        return text_of(Profile.open(Path(path)), "desc") or Path(path).name
    except FideleError:  # the print system may name a file that is gone
        return Path(path).name
