"""The Velm Wren of the bench behind the protocol: what each meaning is called in its driver."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from fidele.bench import wren
from fidele.bench.catalogue import carried
from fidele.bench.printer import Print, Wren, page_scale
from fidele.bench.queue import PrintQueue
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.icc.tables import matrix_model
from fidele.icc.text import text_of
from fidele.output.device import CarriedMedia, Choice
from fidele.papers.leaflet import Vocabulary
from fidele.papers.model import MADE
from fidele.route.condition import Card
from fidele.route.layers import Evidence, Layer, SettingRow, fingerprint
from fidele.route.probe import ProbeResult
from fidele.sheet.placing import Media
from fidele.tiles import Progress

_SLIDERS = ("Light", "Strength", "Warmth")


@dataclass(frozen=True)
class _Word:
    """How the driver says one meaning: its controls, and its values with their plain words."""

    controls: tuple[str, ...]
    plain: dict[Any, str]


_WORDS = {
    "colour": _Word(
        ("Blend",),
        {
            "Untouched": "leave the numbers alone",
            "Velm natural": "maker's colours",
            "Velm bright": "maker's colours, brighter",
        },
    ),
    "stand_in": _Word(("Stock",), {}),
    "quality": _Word(("Passes",), {}),
    "direction": _Word(("Carriage",), {"there": "one way", "there and back": "both ways"}),
    "improvement": _Word(("Polish",), {"off": "off", "on": "on"}),
    "sliders": _Word(_SLIDERS, {}),
    "size": _Word(("Format",), {}),
    "scaling": _Word(
        ("Fit",), {"as it is": "none", "into the frame": "shrunk to fit", "over the edge": "enlarged over the edge"}
    ),
    "turn": _Word(("Turn",), {"no": "none", "half": "by 180°"}),
}

#: The order in which controls must be set: stock before blend, which it resets; polish before blend, which it hides.
_ORDER = ("stand_in", "quality", "direction", "improvement", "colour", "sliders", "size", "scaling", "turn")


def wren_card(card_id: str, name: str, profile: str | None, owner: Literal["fidele", "driver"]) -> Card:
    """Return a condition for a Velm Wren with Fen 100 paper on ceramic tiles, set as its paper's maker asks."""
    settings = {
        "stand_in": "Dull heavy",
        "quality": 3,
        "direction": "there",
        "improvement": "off",
        "scaling": "as it is",
        "turn": "no",
    }
    return Card(
        id=card_id,
        name=name,
        printer="velm-wren/W-0417",
        printer_name=f"{wren.MAKER} {wren.MODEL}",
        media="Fen 100",
        substrate="ceramic tile",
        profile=profile,
        owner=owner,
        driver=settings,
    )


class WrenDevice:
    """One Velm Wren with its driver, its queue in the print system, and its own panel."""

    ppi = wren.RESOLUTION
    bits = wren.BITS
    space = "RGB"
    can_mirror = False

    def __init__(self, machine: Wren, queue: PrintQueue) -> None:
        self._machine = machine
        self._queue = queue
        self.id = f"velm-wren/{machine.unit.serial}"
        self.name = f"{wren.MAKER} {wren.MODEL}"

    def media(self, size: str) -> Media:
        """Return a sheet by name with the margins of this printer."""
        width, height = wren.FORMATS.get(size, wren.FORMATS["A4"])
        return Media(size, width, height, wren.MARGINS)

    def starter_card(self) -> Card:
        """Return a condition to begin with: no profile yet, so the driver converts."""
        return wren_card("first-condition", "First condition", None, "driver")

    def vocabulary(self) -> Vocabulary:
        """Return this driver's words, to understand leaflets by."""
        every = wren.every_value()
        meanings = {m: w for m, w in _WORDS.items() if m in MADE}
        return Vocabulary(
            controls={w.controls[0]: m for m, w in meanings.items()} | {"Thrift": "ink_saving"},
            values={m: tuple(str(v) for v in every[w.controls[0]]) for m, w in meanings.items()}
            | {"ink_saving": tuple(every["Thrift"])},
            plain={"direction": {"one way": "there", "both ways": "there and back", "one direction": "there"}},
        )

    def media_list(self) -> tuple[CarriedMedia, ...]:
        """Return the maker's own media, each of which the printer carries a profile for."""
        return tuple(
            CarriedMedia(f"Velm {name}", f"ink load {stock.load:.0%}, {' or '.join(map(str, stock.passes))} passes")
            for name, stock in wren.STOCKS.items()
        )

    def media_profile(self, name: str) -> bytes:
        """Return the profile that the printer carries for one of its media."""
        stock = name.removeprefix("Velm ")
        if stock not in wren.STOCKS:
            raise FideleError(f"The {self.name} carries no profile for '{name}'.")
        return carried(stock)

    def settings_of(self, said: dict[str, tuple[str, ...]]) -> dict[str, Any]:
        """Return driver settings, by meaning, for what is said of how a profile was made; unknown words are left."""
        every = wren.every_value()
        settings = {}
        for meaning, values in said.items():
            if meaning in _WORDS and meaning != "colour":
                known = [v for w in values for v in every[_WORDS[meaning].controls[0]] if str(v) == w]
                if known:
                    settings[meaning] = known[0]
        return settings

    def possible(self, driver: dict[str, Any]) -> dict[str, Any]:
        """Return driver settings, by meaning, with the number of passes that its stock allows, the nearest one."""
        stock, wanted = wren.STOCKS.get(str(driver.get("stand_in"))), driver.get("quality")
        if stock is None or not isinstance(wanted, int) or wanted in stock.passes:
            return driver
        return driver | {"quality": min(stock.passes, key=lambda passes: (abs(passes - wanted), -passes))}

    def settings(self) -> dict[str, Any]:
        """Return what the driver tells of its settings, in its own words."""
        return self._machine.driver.read_back()

    def state(self) -> dict[str, Any]:
        """Return everything between Fidele and the ink that can change: what a probe is true for."""
        return self.settings() | {"print system": f"{self._queue.source} to {self._queue.assigned}"}

    def choices(self) -> tuple[Choice, ...]:
        """Return every control of the driver with what it offers now."""
        now = self.settings()
        driver = self._machine.driver
        return tuple(Choice(n, wren.SETTINGS[n].place, v, driver.offered(n)) for n, v in now.items())

    def choose(self, name: str, value: Any) -> None:
        """Change a control of the driver, in its own words."""
        self._machine.driver.change(name, value)

    def restore(self, settings: dict[str, Any]) -> None:
        """Put the driver's controls back to what they were, in an order in which each is on offer."""
        self.choose("Polish", "off")  # brings every blend on offer
        for name in ("Stock", *(n for n in settings if n not in ("Stock", "Polish")), "Polish"):
            self.choose(name, settings[name])

    def reset(self) -> None:
        """Throw the driver's settings back to its maker's defaults, whatever state they are in."""
        self._machine.driver.reset()

    @staticmethod
    def _wanted(card: Card) -> dict[str, Any]:
        """Return the wanted values in the driver's words, by control."""
        wanted = {_WORDS[m].controls[0]: v for m, v in card.driver.items() if m in _WORDS and m != "sliders"}
        wanted |= dict.fromkeys(_SLIDERS, 0)
        wanted["Blend"] = "Untouched" if card.owner == "fidele" else "Velm natural"
        wanted["Format"] = card.size
        return wanted

    def rows(self, card: Card) -> tuple[SettingRow, ...]:
        """Return wanted and found settings by their neutral meaning."""
        now, wanted = self.settings(), self._wanted(card)
        rows = []
        for meaning, word in _WORDS.items():
            place = wren.SETTINGS[word.controls[0]].place
            if meaning == "sliders":
                moved = [f"{c} {now[c]:+d}" for c in _SLIDERS if now[c]]
                rows.append(
                    SettingRow(
                        meaning,
                        "all at rest",
                        ", ".join(moved) or "all at rest",
                        place.rsplit(" › ", 1)[0],
                        not moved,
                        Evidence.READ_BACK,
                    )
                )
                continue
            control = word.controls[0]
            want, found = wanted[control], now[control]
            said = self._said(meaning, want)
            if meaning == "stand_in":
                said += f" for {card.media}"
            rows.append(SettingRow(meaning, said, self._said(meaning, found), place, want == found, Evidence.READ_BACK))
        rows.append(
            SettingRow(
                "mirroring",
                "by Fidele" if card.mirror_by == "fidele" else "none",
                "this driver cannot mirror",
                "",
                True,
                Evidence.READ_BACK,
                False,
            )
        )
        rows.append(self._ink_saving(card))
        return tuple(rows)

    @staticmethod
    def _said(meaning: str, value: Any) -> str:
        plain = _WORDS[meaning].plain.get(value)
        return plain or (f"“{value}”" if meaning == "stand_in" else str(value))

    @staticmethod
    def _ink_saving(card: Card) -> SettingRow:
        said = card.confirmed.get("ink_saving")
        place = wren.SETTINGS["Thrift"].place
        if said is None:
            return SettingRow("ink_saving", "off", None, place, None, Evidence.NOT_KNOWN, False)
        return SettingRow("ink_saving", "off", str(said.value), place, said.value == "off", Evidence.BY_HAND, False)

    def bring(self, card: Card, meanings: tuple[str, ...] | None = None) -> None:
        """Set the driver to the card, all of it or some meanings only, in the order that its quirks need."""
        wanted = self._wanted(card)
        before = self.settings()
        for meaning in _ORDER:
            if meanings is not None and meaning not in meanings:
                continue
            if meaning == "colour" and wanted["Blend"] == "Untouched":
                self.choose("Polish", "off")
            for control in _WORDS[meaning].controls:
                self.choose(control, wanted[control])
        if meanings is not None and "stand_in" in meanings and "colour" not in meanings:
            self.choose("Blend", before["Blend"])  # a change of stock threw it back

    def layers(self, card: Card, probe: ProbeResult | None) -> tuple[Layer, ...]:
        """Return the layers from the print system to the printer's panel as they are known."""
        system = self._system_layer(probe)
        now = self.settings()
        converts: bool | None = now["Blend"] != "Untouched"
        how = f"“{now['Blend']}”: " + ("converts from sRGB by the maker's correction" if converts else "passes")
        evidence, when = Evidence.READ_BACK, None
        if probe is not None and probe.settings == fingerprint(self.state()):
            converts = not probe.passes if now["Polish"] == "off" and not any(now[s] for s in _SLIDERS) else converts
            evidence, when = Evidence.PROBED, probe.when
        width, height = (
            round(mm / 25.4 * self.ppi) for mm in wren.FORMATS[card.size if card.size in wren.FORMATS else "A4"]
        )
        driver = Layer(
            "driver",
            converts,
            how,
            evidence,
            mirrors=False,
            turned=now["Turn"] == "half",
            scale=round(page_scale(now, width, height), 4),
            expects="sRGB" if converts else "",
            when=when,
        )
        saving = card.confirmed.get("ink_saving")
        panel = Layer(
            "panel",
            False,
            "does nothing to colour; passes",
            Evidence.BY_HAND if saving else Evidence.NOT_KNOWN,
            when=saving.when if saving else None,
            who=saving.who if saving else "",
            doubtful=saving is None,
        )
        return (system, driver, panel)

    def _system_layer(self, probe: ProbeResult | None) -> Layer:
        """Return what the print system does: nothing, a pass-through, or a conversion."""
        assigned, source = self._queue.assigned, self._queue.source
        if not assigned:
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
    def system_insists(self) -> bool:
        """Whether the print system will not go without a profile for its printers."""
        return self._queue.insists

    def assign_system_profile(self, profile: Path | None, source: Path | None = None) -> None:
        """Assign a profile to the printer in the print system, or take it away; `source` is what it converts from."""
        self._queue.assign(profile, source)

    def dry_run(self, page: NDArray[np.uint8]) -> NDArray[np.uint8]:
        """Return the numbers that would become ink for a small page, without printing."""
        return self._machine.dry_run(self._queue.passed_on(page))

    def dry_run_corrected(self, page: NDArray[np.uint8]) -> NDArray[np.uint8]:
        """Return what the maker's own correction makes of a small page, whatever the driver is set to."""
        return self._machine.dry_run(page, {"Blend": "Velm natural", "Polish": "off"} | dict.fromkeys(_SLIDERS, 0))

    def print_page(self, page: NDArray[np.uint8], progress: Progress | None = None) -> tuple[Print, dict[str, Any]]:
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


def _profile_name(path: str) -> str:
    try:
        return text_of(Profile.open(Path(path)), "desc") or Path(path).name
    except FideleError:  # the print system may name a file that is gone
        return Path(path).name
