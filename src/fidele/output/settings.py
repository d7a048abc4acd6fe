"""What a printer of the bench is set to: the card's wishes in its driver's words, read back, and brought about."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

from fidele.bench.printer import Machine
from fidele.bench.queue import PrintQueue
from fidele.output.device import Choice
from fidele.output.profiles import passes_through, profile_name, same_profile
from fidele.output.words import Words
from fidele.route.condition import Card
from fidele.route.layers import MEANINGS, Evidence, SettingRow


class DriverSettings:
    """The setting half of a printer: what is wanted, what was found, and how to get from one to the other."""

    def __init__(self, machine: Machine, queue: PrintQueue, words: Words) -> None:
        self._machine = machine
        self._queue = queue
        self._words = words
        self.profile_path: Callable[[str], Path | None] = lambda _: None

    def _every(self, control: str) -> tuple[Any, ...]:
        return self._machine.model.every(control, self._words.open_first)

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
                profile_name(said),
                profile_name(found),
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
        wanted = f"to {profile_name(str(mine))}" if card.owner == "system" and mine else "passes"
        found = (
            "passes"
            if assigned is None
            else f"pass-through, {profile_name(assigned)}"
            if through
            else f"to {profile_name(assigned)}"
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
