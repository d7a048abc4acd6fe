"""What a printer is set to: a card's wishes in its driver's words, read back, and brought about.

It serves every driver whose settings are named controls: what those are called is a vocabulary, and how they are read
and changed is `Controls`.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable
from pathlib import Path
from typing import Protocol

from fidele.devices.profiles import passes_through, profile_name, same_profile
from fidele.devices.protocol import Choice, FollowedJob, SystemProfile
from fidele.devices.vocabulary import Word, Words
from fidele.errors import FideleError
from fidele.icc.transform import Intent
from fidele.language import quoted, tr
from fidele.papers.leaflet import Vocabulary
from fidele.papers.model import MADE
from fidele.route.behind import looked_up
from fidele.route.condition import Card
from fidele.route.layers import MEANINGS, Evidence, Layer, SettingRow, fingerprint
from fidele.route.probe import ProbeResult
from fidele.sheet.placing import Media
from fidele.values import Settings, Value

#: Meanings that bend the numbers beside a conversion: a probe cannot tell them from one.
BEND = ("improvement", "sliders", "purpose", "colour_mode", "watermark")


class Controls(Protocol):
    """A driver's controls as they are met from outside."""

    def read_back(self) -> Settings:
        """Return what it tells of its settings; `FideleError` where it cannot be read."""
        ...

    def change(self, name: str, value: Value) -> None:
        """Change a control; `FideleError` where it does not offer that now."""
        ...

    def reset(self) -> None:
        """Go back to the maker's defaults."""
        ...

    def held(self) -> tuple[str, ...]:
        """Return the controls that an administrator has locked."""
        ...

    def offered(self, name: str, beside: Settings | None = None) -> tuple[Value, ...]:
        """Return what a control offers now, or beside other settings; just what it holds where any text will do."""
        ...

    def every(self, name: str) -> tuple[Value, ...]:
        """Return every value that a control can ever offer."""
        ...

    def place(self, name: str) -> str:
        """Return where a control stands in the driver."""
        ...

    def at_printer(self, name: str) -> bool:
        """Whether it is set at the printer itself."""
        ...


class DriverSettings(ABC):
    """The setting half of a printer: what is wanted, what was found, and how to get from one to the other."""

    #: Nothing stands between Fidele and such a printer that would tell of a job.
    under_way: FollowedJob | None = None

    def __init__(self, controls: Controls, words: Words, system: SystemProfile | None) -> None:
        self._controls = controls
        self._words = words
        self.system = system
        self.can_mirror = bool(words.control("mirroring"))
        self.profile_path: Callable[[str], Path | None] = lambda _: None
        self._meaning_of = {c: m for m, w in words.meanings.items() for c in w.controls} | {
            c: m for m, c in self._given.items()
        }

    @abstractmethod
    def media(self, size: str, feed: str = "") -> Media:
        """Return a sheet by name with the margins of this printer and feed."""

    # What it offers ----------------------------------------------------------------------------------------------

    def vocabulary(self) -> Vocabulary:
        """Return this driver's words, to understand leaflets by."""
        words = {m: w.controls[0] for m, w in self._words.meanings.items() if m in MADE and m != "mirroring"}
        words |= {m: c for m, c in self._words.by_hand.items() if m in MADE}
        every = {m: tuple(str(v) for v in self._controls.every(c)) for m, c in words.items()}
        return Vocabulary({c: m for m, c in words.items()}, every, self._words.trade)

    def offers(self, meaning: str, driver: Settings) -> tuple[tuple[Value, str], ...]:
        """Return the values, with their words, that a card can ask for under a meaning beside other settings."""
        word = self._words.meanings.get(meaning)
        if word is None or len(word.controls) > 1 or meaning in ("colour", "mirroring", "input_space"):
            return ()
        beside = {self._words.control(m): v for m, v in driver.items() if self._words.control(m) and m != meaning}
        offered = self._controls.offered(word.controls[0], self._words.open_first | beside)
        return tuple((value, self._words.said(meaning, value)) for value in offered)

    def handles(self) -> tuple[Choice, ...]:
        """Return the driver's controls that shape colour by hand, as they are set now; none where it cannot be read."""
        word = self._words.meanings.get("sliders")
        mine = word.controls if word is not None else ()
        try:
            return tuple(c for c in self.choices() if c.name in mine)
        except FideleError:  # its file is damaged, and the hand-off says so
            return ()

    def at_rest(self, meaning: str) -> Value | None:
        """Return the value under which a setting leaves things alone, None where there is none."""
        word = self._words.meanings.get(meaning)
        return word.rest if word is not None else None

    def settings_of(self, said: dict[str, tuple[str, ...]]) -> Settings:
        """Return driver settings, by meaning, for what is said of how a profile was made; unknown words are left."""
        settings = {}
        for meaning, values in said.items():
            if meaning in self._words.meanings and meaning not in ("colour", "mirroring"):
                trade = self._words.trade.get(meaning, {})
                offered = self._controls.every(self._words.control(meaning))
                known = [v for w in values for v in offered if str(v) == trade.get(w, w)]
                if known:
                    settings[meaning] = known[0]
        return settings

    def sizes(self) -> tuple[str, ...]:
        """Return the sizes of sheet or roll that the driver offers, by name."""
        if not self._words.control("size"):
            return ()
        return tuple(str(v) for v in self._controls.every(self._words.control("size")))

    def own_size(self, width: float, height: float) -> str:
        """Return the name of a sheet of one's own size in mm; here '': the driver takes what it lists."""
        return ""

    def given(self) -> tuple[Path | None, Intent | None]:
        """Return the profile that the driver was given and the intent it is used with; None where there is none."""
        now, words = self.settings(), self._words
        path = str(now[words.profile]) if words.profile else ""
        chosen = next((i for i, called in words.aims.items() if words.aim and called == now[words.aim]), None)
        aim = chosen if words.aim else words.own_aim
        return (Path(path) if path else None), aim

    # What it is set to -------------------------------------------------------------------------------------------

    def settings(self) -> Settings:
        """Return what the driver tells of its settings, in its own words."""
        return self._controls.read_back()

    def state(self) -> Settings:
        """Return everything between Fidele and the ink that can change: what a probe is true for."""
        source, assigned = self.system.assigned() if self.system is not None else (None, None)
        return self.settings() | {"print system": tr("{source} to {assigned}", source=source, assigned=assigned)}

    def choices(self) -> tuple[Choice, ...]:
        """Return every control of the driver with what it offers now."""
        controls, held = self._controls, self._controls.held()
        return tuple(
            Choice(n, controls.place(n), v, controls.offered(n), n in held, self._meaning_of.get(n, ""))
            for n, v in self.settings().items()
            if not controls.at_printer(n)
        )

    def choose(self, name: str, value: Value) -> None:
        """Change a control of the driver, in its own words."""
        self._controls.change(name, value)

    def reset(self) -> None:
        """Throw the driver's settings back to its maker's defaults, whatever state they are in."""
        self._controls.reset()

    def _set(self, name: str, value: Value) -> None:
        """Change a control unless it is locked: what an administrator holds stays as it is, and is shown as such."""
        if name not in self._controls.held():
            self.choose(name, value)

    def restore(self, settings: Settings) -> None:
        """Put the driver's controls back to what they were, in an order in which each is on offer."""
        for name, value in self._words.open_first.items():
            self._set(name, value)
        first = [c for m in self._words.order for c in self._words.meanings[m].controls]
        last = list(self._words.open_first)
        reachable = [n for n in settings if not self._controls.at_printer(n)]
        rest = [n for n in reachable if n not in first and n not in last]
        for name in (*(n for n in first if n in settings and n not in last), *rest, *last):
            self._set(name, settings[name])

    # What is wanted ----------------------------------------------------------------------------------------------

    def _wanted(self, card: Card) -> Settings:
        """Return the wanted values in the driver's words, by control; what nobody asks for is left out."""
        words = self._words
        wanted: Settings = {}
        for meaning, word in words.meanings.items():
            value = card.driver.get(meaning, word.rest)
            if value is not None:
                wanted |= dict.fromkeys(word.controls, value)
            if len(word.controls) > 1:
                wanted |= {c: card.hand[c] for c in word.controls if c in card.hand}
        owners = {"driver": words.corrects, "driver-profile": words.by_profile}
        colour = owners.get(card.owner, words.passes)
        if words.control("colour") and colour:
            wanted[words.control("colour")] = colour
        if card.owner == "driver-profile" and words.profile:
            wanted[words.profile] = str(self.profile_path(card.profile or "") or "")
            if words.aim:
                wanted[words.aim] = words.aims[card.intent]
        if words.control("size"):
            wanted[words.control("size")] = card.size
        if words.control("mirroring"):
            wanted[words.control("mirroring")] = words.value("mirroring", "on" if card.mirror_by == "driver" else "off")
        if words.control("input_space") and card.owner in ("driver", "driver-profile"):
            wanted[words.control("input_space")] = card.sends  # what Fidele sends when it does not convert itself
        return wanted

    def settings_for(self, card: Card) -> Settings:
        """Return the settings that a job by a card brings with it; nothing is changed."""
        opened = self._words.open_first if card.owner != "driver" else {}
        return self.settings() | opened | self._wanted(card)

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

    def _keep(self, before: Settings, meanings: tuple[str, ...]) -> None:
        """Put back what a change of stock threw over, where only some settings were to be set."""
        for meaning in ("colour", "quality", "black_ink"):
            control = self._words.control(meaning)
            if control and meaning not in meanings and before[control] in self._controls.offered(control):
                self._set(control, before[control])

    # Wanted beside found -----------------------------------------------------------------------------------------

    def rows(self, card: Card) -> tuple[SettingRow, ...]:
        """Return wanted and found settings by their neutral meaning."""
        words, now, wanted = self._words, self.settings(), self._wanted(card)
        rows: list[SettingRow | None] = []
        for meaning in MEANINGS:
            if meaning in words.meanings:
                rows.append(self._row(meaning, card, now, wanted))
            elif meaning == "mirroring":
                said = tr("by Fidele") if card.mirror_by == "fidele" else tr("none")
                rows.append(
                    SettingRow(meaning, said, tr("this driver cannot mirror"), "", True, Evidence.READ_BACK, False)
                )
            elif meaning in words.by_hand:
                rows.append(self._by_hand(meaning, card))
            elif meaning in words.at_printer:
                rows.append(self._at_printer(meaning, card, now))
            elif meaning == "system" and self.system is not None:
                rows.append(self._system_row(card, self.system))
            elif meaning in self._given and card.owner == "driver-profile":
                rows.append(self._given_row(meaning, now, wanted))
        return tuple(row for row in rows if row is not None)

    def _row(self, meaning: str, card: Card, now: Settings, wanted: Settings) -> SettingRow | None:
        word, read = self._words.meanings[meaning], Evidence.READ_BACK
        control = word.controls[0]
        place, held = self._controls.place(control), self._held(*word.controls)
        if len(word.controls) > 1:
            asked, found = (_moved(word, values) for values in (wanted, now))
            agrees = all(now[c] == wanted[c] for c in word.controls)
            place = place.rsplit(" › ", 1)[0]
            return SettingRow(meaning, asked, found, place, agrees, read, settable=not held, held=held)
        if control not in wanted:
            return None
        said = self._words.said(meaning, wanted[control])
        if meaning == "stand_in":
            said += tr(" for {media}", media=card.media)
        if meaning == "mirroring" and card.mirror_by == "fidele":
            said = tr("off: Fidele mirrors")
        found, agrees = self._words.said(meaning, now[control]), wanted[control] == now[control]
        return SettingRow(meaning, said, found, place, agrees, read, settable=not held, held=held)

    @property
    def _given(self) -> dict[str, str]:
        """Meanings of what belongs to a given profile, and the controls of this driver for them."""
        both = {"given_profile": self._words.profile, "given_intent": self._words.aim}
        return {meaning: control for meaning, control in both.items() if control}

    def _given_row(self, meaning: str, now: Settings, wanted: Settings) -> SettingRow:
        control = self._given[meaning]
        said, found = str(wanted[control]), str(now[control])
        agrees = same_profile(said, found) if meaning == "given_profile" else said == found
        if meaning == "given_profile":
            said, found = profile_name(said), profile_name(found)
        else:
            aims = {v: k.words for k, v in self._words.aims.items()}
            said, found = aims.get(said, said), aims.get(found, found)
        place, held = self._controls.place(control), self._held(control)
        return SettingRow(meaning, said, found, place, agrees, Evidence.READ_BACK, held=held)

    def _held(self, *controls: str) -> bool:
        held = self._controls.held()
        return any(c in held for c in controls)

    def _system_row(self, card: Card, system: SystemProfile) -> SettingRow:
        source, assigned = system.assigned()
        mine = self.profile_path(card.profile or "") if card.owner == "system" else None
        through = passes_through(source, assigned)
        wanted, found = tr("to {profile_name}", profile_name=profile_name(mine)) if mine else tr("passes"), tr("passes")
        if assigned is not None:
            found = (
                tr("pass-through, {profile_name}", profile_name=profile_name(assigned))
                if through
                else tr("to {profile_name}", profile_name=profile_name(assigned))
            )
        agrees = (assigned is None or through) if mine is None else same_profile(mine, assigned)
        place = tr("print system › printer's profile")
        return SettingRow("system", wanted, found, place, agrees, Evidence.READ_BACK, False)

    def _by_hand(self, meaning: str, card: Card) -> SettingRow:
        return looked_up(card, meaning, "off", self._controls.place(self._words.by_hand[meaning]))

    def _at_printer(self, meaning: str, card: Card, now: Settings) -> SettingRow:
        control = self._words.at_printer[meaning]
        wanted, place = card.driver.get("stand_in", now[control]), self._controls.place(control)
        agrees = now[control] == wanted
        return SettingRow(meaning, quoted(wanted), quoted(now[control]), place, agrees, Evidence.READ_BACK, False)

    # Layers ------------------------------------------------------------------------------------------------------

    def layers(self, card: Card, probe: ProbeResult | None) -> tuple[Layer, ...]:
        """Return the layers from the print system to the printer's panel as they are known."""
        fresh = probe if probe is not None and probe.settings == fingerprint(self.state()) else None
        system = (self._system_layer(self.system, fresh),) if self.system is not None else ()
        return (*system, self._driver_layer(card, fresh), self._panel_layer(card))

    def _driver_layer(self, card: Card, probe: ProbeResult | None) -> Layer:
        words, now = self._words, self.settings()
        colour = now[words.control("colour")]
        given = str(now[words.profile]) if words.profile else ""
        converts: bool | None = colour != words.passes and not (colour == words.by_profile and not given)
        space = words.control("input_space")
        expects = str(now[space]) if space else words.space
        if colour == words.by_profile:
            how = f"{quoted(colour)}: " + (
                tr("converts to {profile_name}", profile_name=profile_name(given))
                if given
                else tr("none is given, so it passes")
            )
        else:
            how = f"{quoted(colour)}: " + (
                tr("converts from {expects} by the maker's correction", expects=expects) if converts else tr("passes")
            )
        mirror, turn = words.control("mirroring"), words.meanings.get("turn")
        mirrors = bool(mirror) and now[mirror] == words.value("mirroring", "on")
        turned = turn is not None and now[turn.controls[0]] != turn.rest
        sheet = self.media(str(now.get(words.control("size"))), str(now.get(words.control("feed"), "")))
        scale = round(words.scale(now, self.media(card.size, card.feed), sheet), 4)
        if probe is not None:
            bent = any(now[c] != w.rest for m in BEND if (w := words.meanings.get(m)) for c in w.controls)
            converts = converts if bent else not self._passed_by_driver(probe)
            mirrors, turned = probe.mirrored, probe.turned
            # A probe tells the size to a third of a per cent; where it agrees, what was read back is finer.
            scale = scale if abs(probe.scale - scale) < 0.004 else round(probe.scale, 3)
        assumed = [m for m in ("stand_in", "quality", "size") if words.control(m)]
        return Layer(
            "driver",
            converts,
            how,
            Evidence.PROBED if probe is not None else Evidence.READ_BACK,
            mirrors=mirrors,
            turned=turned,
            scale=scale,
            expects=expects if converts else "",
            when=probe.when if probe is not None else None,
            assumes=", ".join(f"{words.control(m).lower()} {words.said(m, now[words.control(m)])}" for m in assumed),
        )

    def _passed_by_driver(self, probe: ProbeResult) -> bool:
        """Tell whether a probe came out of the driver as the print system had handed it on."""
        return probe.passes

    def _panel_layer(self, card: Card) -> Layer:
        said = {meaning: card.confirmed.get(meaning) for meaning in self._words.by_hand}
        seen = [s for s in said.values() if s is not None]
        known = Evidence.BY_HAND if len(seen) == len(said) else Evidence.NOT_KNOWN
        evidence = known if said else Evidence.READ_BACK
        return Layer(
            "panel",
            False,
            tr("does nothing to colour; passes"),
            evidence,
            when=min((s.when for s in seen), default=None),
            who=seen[0].who if seen else "",
            doubtful=evidence is Evidence.NOT_KNOWN,
            assumes=", ".join(
                tr("{settings} loaded", settings=self.settings()[c]) for c in self._words.at_printer.values()
            ),
        )

    def _system_layer(self, system: SystemProfile, probe: ProbeResult | None) -> Layer:
        source, assigned = system.assigned()
        if assigned is None:
            return Layer("system", False, tr("no profile assigned, passes"), Evidence.READ_BACK)
        name = profile_name(assigned)
        if passes_through(source, assigned):
            verified = probe is not None and probe.passes
            how = tr("pass-through: from “{name}” to itself, so numbers stay", name=name)
            evidence = Evidence.PROBED if verified else Evidence.READ_BACK
            return Layer("system", False, how, evidence, when=probe.when if verified and probe else None)
        taken = profile_name(source) if source else "sRGB"
        how = tr("converts from {taken} to {name}", taken=taken, name=name)
        return Layer("system", True, how, Evidence.READ_BACK, expects=taken, insists=system.insists())


def _moved(word: Word, values: Settings) -> str:
    """Return which of several controls do not rest, in words."""
    moved = [f"{c} {_signed(values[c])}" for c in word.controls if values[c] != word.rest]
    return ", ".join(moved) or tr("all neutral")


def _signed(value: Value) -> str:
    return f"{value:+d}" if isinstance(value, int) and not isinstance(value, bool) else str(value)
