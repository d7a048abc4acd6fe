"""What people do at the hand-off: bring driver and print system to the card, choose who converts, confirm, probe."""

from __future__ import annotations

import datetime
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Literal

import numpy as np

from fidele.devices.devices import Devices
from fidele.devices.protocol import Printer, Program
from fidele.errors import FideleError
from fidele.icc.spaces import SENDS
from fidele.icc.transform import convert
from fidele.language import lowered, tr
from fidele.route.condition import OWNER_WORDS, Card, Confirmation, Owner
from fidele.route.layers import MEANINGS
from fidele.route.probe import ProbeResult, nodes
from fidele.route.program import wanted_of
from fidele.run.page import says_of
from fidele.run.probes import Corrections, probe, probe_through, probing_of
from fidele.run.trial import trial_card
from fidele.session.in_force import InForce
from fidele.session.live import Live
from fidele.session.news import News, PrintersChanged
from fidele.session.person import person
from fidele.session.probing import in_words, suspects
from fidele.session.profiles import Profiles
from fidele.session.sheet import Sheet
from fidele.session.state import Probed, Probes
from fidele.values import Value


class Handoff:
    """Acts on the route of a session's card; what can be undone goes through the session's history."""

    def __init__(
        self,
        live: Live,
        in_force: InForce,
        profiles: Profiles,
        devices: Devices,
        sheet: Sheet,
        corrections: Corrections,
    ) -> None:
        self._live, self._in_force, self._profiles, self._devices = live, in_force, profiles, devices
        self._sheet, self._corrections = sheet, corrections
        live.listen(self._heard)
        self._meet()

    def _meet(self) -> None:
        """Let every printer know where profiles lie."""
        for printer in self._devices.printers:
            printer.profile_path = self.profile_path

    def _heard(self, news: News) -> None:
        if isinstance(news, PrintersChanged):
            self._meet()

    def forget(self) -> None:
        """Forget what was probed: something was changed since."""
        self._live.change(Probed(None))

    @property
    def _device(self) -> Printer:
        """The printer of the card in force, which must be there."""
        card = self._live.state.need_card()
        device = self._devices.find(card.printer)
        if device is None:
            raise FideleError(
                tr(
                    "The {printer_name} of “{name}” is not here: nothing can be set or sent.",
                    printer_name=card.printer_name,
                    name=card.name,
                )
            )
        return device

    # In force ----------------------------------------------------------------------------------------------------

    def put_in_force(self, card: Card) -> None:
        """Put a card in force and set everything to it in one act, then read it back; a step that can be undone."""
        self.take(tr("Put “{name}” in force", name=card.name), card, lambda: None, lambda: None)
        self._live.say(tr("“{name}” is in force. {still_open}", name=card.name, still_open=self.still_open()))

    def take(self, name: str, card: Card, do: Callable[[], None], undo: Callable[[], None]) -> None:
        """Do something, put a card in force and set everything to it, as one step; undone, all of it goes back."""
        restore, before = self._snapshot(card), self._live.state.card

        def go() -> None:
            do()
            self._in_force.put(card, read=False)
            self._set_all()

        def back() -> None:
            restore()
            undo()
            self._in_force.put(before)

        self._live.history.do(name, go, back)

    def _snapshot(self, card: Card) -> Callable[[], None]:
        """Return what puts driver and print system of a card's printer back to what they are now."""
        device = self._devices.find(card.printer)
        if device is None:
            return lambda: None
        try:
            return _restoring(device)
        except FideleError:  # a damaged driver has nothing to go back to
            return lambda: None

    def _set_all(self) -> None:
        """Set driver and print system to the card in force, as far as they let themselves be set, and read back."""
        card = self._live.state.need_card()
        device = self._devices.find(card.printer)
        if device is not None:
            try:
                device.bring(card)
                self._set_system(card, None)
            except FideleError as error:
                self._live.warn(str(error))
        self._live.refresh()

    def still_open(self) -> str:
        """Say what was read back differently, and what only a person can look up."""
        differ = [lowered(r.label) for r in self._live.state.route.rows if r.agrees is False]
        unseen = [lowered(r.label) for r in self._live.state.route.rows if r.found is None]
        said = tr("Different: {differ}.", differ=", ".join(differ)) if differ else tr("Set, and read back.")
        return said + (tr(" To be looked up by hand: {unseen}.", unseen=", ".join(unseen)) if unseen else "")

    # Setting -----------------------------------------------------------------------------------------------------

    def bring(self, meanings: tuple[str, ...] | None = None) -> None:
        """Set the driver to the card, all or in part, then read back; a step that can be undone."""
        live, device = self._live, self._device
        again = {"preset-lost", "driver-updated"} & {f.code for f in live.state.findings}
        if again and live.state.need_card().confirmed:
            # Whoever threw the driver's settings over may have changed what only a person can see as well.
            self._in_force.change(tr("What cannot be read back is asked for again"), confirmed={})
        card = live.state.need_card()
        version = device.supplies.status(card).version if device.supplies is not None else ""
        if meanings is None and card.driver_version not in ("", version):
            self._in_force.change(
                tr("Set with version {version} of the driver", version=version), driver_version=version
            )
        card, restore = live.state.need_card(), _restoring(device)

        def bring() -> None:
            device.bring(card, meanings)
            self._set_system(card, meanings)
            live.refresh()

        def back() -> None:
            restore()
            live.refresh()

        live.history.do(tr("Set the driver to the card"), bring, back)
        left = [
            lowered(r.label)
            for r in live.state.route.rows
            if r.agrees is False and (r.settable or r.held) and (meanings is None or r.meaning in meanings)
        ]
        live.say(
            tr("Still different: {left}.", left=", ".join(left)) if left else tr("Set, and read back from the driver.")
        )

    def _set_system(self, card: Card, meanings: tuple[str, ...] | None) -> None:
        """Let the print system convert where the card says so; take its profile off where another layer does."""
        system, mine = self._device.system, self.profile_path(card.profile or "")
        if system is None or (meanings is not None and "system" not in meanings):
            return
        if card.owner == "system" and mine is not None:
            system.assign(mine)
        elif system.assigned()[1] is not None:
            through = self._profiles.pass_through_file() if system.insists() else None
            system.assign(through, through)

    def profile_path(self, profile_id: str) -> Path | None:
        """Return where a profile of the shelf lies, for drivers and print systems that are given one."""
        entry = self._profiles.shelf.find(profile_id) if profile_id else None
        return entry.path if entry else None

    def choose_owner(self, owner: str) -> None:
        """Give the conversion to one of those who can; everything that follows is set too.

        Raises
        ------
        FideleError
            When it converts through a profile and the condition has none, or the printer is not there.
        """
        who = OWNER_WORDS[owner][:1].upper() + OWNER_WORDS[owner][1:]
        if owner in ("system", "driver-profile", "program") and self._live.state.profile is None:
            raise FideleError(tr("{who} needs an output profile; choose one for this condition first.", who=who))
        if owner not in self.owners():
            raise FideleError(
                tr(
                    "{who} cannot convert on the way to the {printer_name}.",
                    who=who,
                    printer_name=self._live.state.need_card().printer_name,
                )
            )
        self._in_force.change(tr("{who} converts", who=who), owner=owner, sends=self._expected(owner))
        rest = () if owner == "driver" else ("improvement",)
        self.bring((*rest, "colour", "input_space", "system"))

    def send_in(self, space: str) -> None:
        """Send artwork in a space, by its name, to whoever converts, and let the driver expect it."""
        self._in_force.change(tr("Artwork is sent in {space}", space=space), sends=space)
        if any(r.meaning == "input_space" and r.settable for r in self._live.state.route.rows):
            self.bring(("input_space",))

    def _expected(self, owner: str) -> str:
        """Return the space that an owner is sent: the one that its driver was set to expect, by whoever set it."""
        if owner not in ("driver", "driver-profile"):
            return "sRGB"
        row = next((r for r in self._live.state.route.rows if r.meaning == "input_space"), None)
        now = next((c.value for c in self._device.choices() if c.meaning == "input_space"), row.found if row else None)
        return str(now) if now in SENDS else "sRGB"

    def owners(self) -> tuple[Owner, ...]:
        """Return who can convert: those of this printer's route, and the other program where one prints."""
        card = self._live.state.need_card()
        device = self._devices.find(card.printer)
        mine = device.owners() if device is not None else (card.owner,)
        return (*mine, *(("program",) if card.printed_from and "program" not in mine else ()))

    def keep_hands(self) -> None:
        """Keep on the card what the driver's hand controls are set to now, as a step that can be undone.

        Raises
        ------
        FideleError
            When the driver has no such controls, or the card is locked.
        """
        handles = self._device.handles()
        if not handles:
            raise FideleError(
                tr("The driver of the {name} has no controls that shape colour by hand.", name=self._device.name)
            )
        rest = self._device.at_rest("sliders")
        hand = {c.name: c.value for c in handles if c.value != rest}
        said = ", ".join(f"{name} {value}" for name, value in hand.items()) or tr("all neutral")
        self._in_force.change(tr("By hand: {said}", said=said), hand=hand)
        self._live.refresh()
        self._live.say(tr("Kept on the card: {said}. From now on it is set with the rest, and read back.", said=said))

    def choose_setting(self, name: str, value: Value) -> None:
        """Change a control of the driver in its own words, as a step that can be undone."""
        device = self._device
        before = device.settings()

        def change() -> None:
            device.choose(name, value)
            self._live.refresh()

        def back() -> None:
            device.restore(before)
            self._live.refresh()

        self._live.history.do(f"{name}: {value}", change, back)
        self._live.say(tr("{name} is now “{value}”, read back from the driver.", name=name, value=value))

    # Another program ---------------------------------------------------------------------------------------------

    def print_from(self, name: str) -> None:
        """Let Fidele print, '', or another program, which gets a finished file."""
        who = name or "Fidele"
        self.forget()
        # What another program converted is Fidele's again where it prints by itself.
        back = {"owner": "fidele"} if not name and self._live.state.need_card().owner == "program" else {}
        self._in_force.change(
            tr("{who}{who2} prints", who=who[:1].upper(), who2=who[1:]),
            printed_from=name,
            confirmed=self._without_program(),
            **back,
        )

    def _without_program(self) -> dict[str, Confirmation]:
        confirmed = self._live.state.need_card().confirmed
        return {m: said for m, said in confirmed.items() if not m.startswith("program_")}

    @property
    def program(self) -> Program | None:
        """The program that prints, None where Fidele does."""
        card = self._live.state.card
        return self._devices.program(card.printed_from) if card is not None and card.printed_from else None

    # Knowing -----------------------------------------------------------------------------------------------------

    def confirm(self, meaning: str, value: Value) -> None:
        """Keep what a person looked up and vouches for."""
        card = self._live.state.need_card()
        said = dict(card.confirmed)
        said[meaning] = Confirmation(value=value, who=person(), when=datetime.datetime.now().replace(microsecond=0))
        if meaning.startswith("program_"):
            self.forget()  # what a person sees now is newer than what was probed before
        self._in_force.change(tr("Confirmed by hand: {value}", value=tr(str(value))), confirmed=said)

    def probe(self) -> ProbeResult:
        """Send known numbers down the route without ink; the result is evidence until a setting changes."""
        return self.take_probe(self.probing()())

    def probing(self) -> Callable[[], Probes]:
        """Return the work of a probe, and of another one through another program where one prints.

        It changes nothing, and can be done beside the interface.
        """
        device, program, card = self._device, self.program, self._live.state.need_card()
        media = self._sheet.media(self._sheet.shown)
        probing_of(device)  # a clear word now where it has none
        profile = self._live.state.profile
        asked = None
        if card.owner == "program" and profile is not None:
            sent = nodes().astype(np.float32)
            asked = convert(sent, SENDS[card.sends](), profile, card.intent, card.bpc).astype(float)

        def send() -> Probes:
            direct = probe(device, media, datetime.datetime.now())
            if program is None or not program.runs_here:
                return Probes(direct)
            with tempfile.TemporaryDirectory() as folder:
                tag = says_of(card)
                through, done = probe_through(program, device, media, Path(folder), tag, direct, asked)
            return Probes(direct, through, done)

        return send

    def take_probe(self, sent: Probes) -> ProbeResult:
        """Take what a probe found as evidence, and say it."""
        live, program = self._live, self.program
        found, done = sent.direct, sent.program
        live.change(Probed(sent))
        said = ""
        if done is not None and program is not None:
            what = (
                [tr("converts as it was asked to")]
                if done.as_asked
                else []
                if done.passes
                else [tr("changes the colours")]
            )
            what += [tr("scales to {scale:.1f} %", scale=done.scale * 100)] if not done.true_size else []
            what += [tr("mirrors")] if done.mirrored else []
            said = f" {program.name} {tr(' and ').join(what) or tr('passes everything on')}."
        live.refresh()
        correction = self._corrections.of(self._device)
        ranked = [] if found.passes else suspects(found, correction, live.state.profile)
        live.say(tr("Probed. {in_words}{said}", in_words=in_words(found, ranked), said=said))
        return found

    # What the findings' buttons do -------------------------------------------------------------------------------

    def confirm_program(self) -> None:
        """Keep that a person has looked up everything that the other program must be set to."""
        card, now = self._live.state.need_card(), datetime.datetime.now().replace(microsecond=0)
        wanted = wanted_of(card, self._profiles.title_in_force)
        said = {m: Confirmation(value=value, who=person(), when=now) for m, value in wanted.items()}
        self.forget()
        self._in_force.change(
            tr("{printed_from} is set as it must be", printed_from=card.printed_from).capitalize(),
            confirmed=card.confirmed | said,
        )

    def mirror(self, who: Literal["fidele", "nobody"]) -> None:
        """Let Fidele mirror, or nobody; where the driver can, it is told not to."""
        self._in_force.change(tr("Fidele mirrors") if who == "fidele" else tr("Nothing mirrors"), mirror_by=who)
        if any(r.meaning == "mirroring" and r.settable for r in self._live.state.route.rows):
            self.bring(("mirroring",))

    def fidele_converts(self) -> None:
        """Let Fidele convert; where print system or driver did, they are set to leave the numbers alone."""
        others = {"system", "driver"} & set(self._live.state.chain.knots if self._live.state.chain is not None else ())
        if others and self._live.state.need_card().owner != "fidele":
            self.choose_owner("fidele")
        else:
            self._in_force.change(tr("Fidele converts"), owner="fidele")

    def let_driver_pass(self) -> None:
        """Let the driver leave the numbers alone."""
        if self._live.state.need_card().owner_layer == "driver":
            self._in_force.change(tr("Fidele converts"), owner="fidele")
        self.bring(("improvement", "colour"))

    def let_system_pass(self) -> None:
        """Take the profile off the print system; where it insists on one, give it a pass-through and probe that."""
        device = self._device
        if device.system is None:
            return
        if not device.system.insists():
            device.system.assign(None)
            self._live.refresh()
            self._live.say(tr("The print system passes the numbers on."))
            return
        file = self._profiles.pass_through_file()
        device.system.assign(file, file)
        words = tr("The print system has a pass-through, the same profile in and out")
        if device.probing is None:
            self._live.refresh()
            self._live.say(f"{words}.")
            return
        passes = self.probe().passes
        end = tr("; probed: the numbers stay.") if passes else tr(", but numbers still change: look at the driver.")
        self._live.say(f"{words}{end}")

    def reset(self) -> None:
        """Throw the driver's settings away and set it to the card."""
        self._device.reset()
        self.bring()

    def lay_in(self) -> None:
        """Say to the printer that what the card calls for lies in it."""
        card, device = self._live.state.need_card(), self._device
        if device.supplies is not None:
            device.supplies.lay_in(card)
        self._live.refresh()
        self._live.say(tr("The printer says that {size} lies in it.", size=card.size))

    def quality(self, step: int) -> None:
        """Ask for another step of quality on the card."""
        card = self._live.state.need_card()
        self._in_force.change(tr("Quality {step}", step=step), driver=card.driver | {"quality": step})
        self.bring(("quality",))

    def stand_in(self, name: str) -> None:
        """Let the card set a media by the driver's name for it, with the best quality that it allows."""
        card, best = self._live.state.need_card(), self._device.best_quality(name)
        quality = {"quality": best} if best is not None else {}
        self._in_force.change(tr("Set as “{name}”", name=name), driver=card.driver | {"stand_in": name} | quality)
        self.bring(("stand_in", "quality"))

    def as_made(self, meaning: str) -> None:
        """Set the card as the profile's papers say it was made; 'press' for the press."""
        card, entry = self._live.state.need_card(), self._profiles.in_force
        if entry is None:
            raise FideleError(tr("The profile of this condition is not on the shelf."))
        made = trial_card(self._devices.of(card), self._profiles.papers(entry), card)
        if meaning == "press":
            self._in_force.change(tr("Press set as the profile was made"), press=made.press)
        else:
            self._in_force.change(
                tr("{meanings} set as the profile was made", meanings=MEANINGS[meaning]), driver=made.driver
            )
            self.bring((meaning,))


def _restoring(device: Printer) -> Callable[[], None]:
    """Return what puts a printer's driver and print system back to what they are now."""
    settings = device.settings()
    system = device.system.assigned() if device.system is not None else None

    def restore() -> None:
        if device.system is not None and system is not None:
            device.system.assign(system[1], system[0])
        device.restore(settings)

    return restore
