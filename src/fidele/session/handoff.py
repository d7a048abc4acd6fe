"""What people do at the hand-off: bring driver and print system to the card, choose who converts, confirm, probe."""

from __future__ import annotations

import datetime
import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from fidele.errors import FideleError
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent
from fidele.output.device import PrintDevice
from fidele.output.program import Program
from fidele.route.condition import OWNER_WORDS, Card, Confirmation
from fidele.route.layers import MEANINGS
from fidele.route.probe import ProbeResult
from fidele.route.program import WANTED, ProgramProbe
from fidele.session.person import person
from fidele.session.pieces import PanelPlan
from fidele.session.probing import in_words, suspects
from fidele.session.runs import probe, probe_correction, probe_through
from fidele.session.trial import trial_card
from fidele.sheet.placing import Placing

if TYPE_CHECKING:
    from fidele.session.model import Session


@dataclass(frozen=True)
class Probes:
    """What came out before ink: sent by Fidele itself, and through another program, and what that program did."""

    direct: ProbeResult
    through: ProbeResult | None = None
    program: ProgramProbe | None = None


class Handoff:
    """Acts on the route of a session's card; what can be undone goes through the session's history."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self._corrections: dict[str, ProbeResult] = {}
        #: What the last probe through the other program says that it does, None where none was sent.
        self.program_probe: ProgramProbe | None = None
        #: What came out before ink when it was sent.
        self.through: ProbeResult | None = None

    def forget(self) -> None:
        """Forget what was probed: another card is in force, or something was changed."""
        self.program_probe = self.through = None

    @property
    def _device(self) -> PrintDevice:
        """The printer of the card in force, which must be there."""
        session = self._session
        card = session.need_card()
        if session.workshop.find(card.printer) is None:
            raise FideleError(f"The {card.printer_name} of “{card.name}” is not here: nothing can be set or sent.")
        return session.device

    # In force ----------------------------------------------------------------------------------------------------

    def put_in_force(self, card: Card) -> None:
        """Put a card in force and set everything to it in one act, then read it back; a step that can be undone."""
        session, before = self._session, self._session.card
        restore = self.snapshot(card)

        def do() -> None:
            session.put_in_force(card)
            self.set_all()

        def back() -> None:
            restore()
            if before is not None:
                session.put_in_force(before)
            else:
                session.no_card()

        session.history.do(f"Put “{card.name}” in force", do, back)
        session.say(f"“{card.name}” is in force. {self.still_open()}")

    def snapshot(self, card: Card) -> Callable[[], None]:
        """Return what puts driver and print system of a card's printer back to what they are now."""
        device = self._session.workshop.find(card.printer)
        if device is None:
            return lambda: None
        try:
            settings, system = device.settings(), device.system_profile
        except FideleError:  # a damaged driver has nothing to go back to
            return lambda: None

        def restore() -> None:
            device.assign_system_profile(system[1], system[0])
            device.restore(settings)

        return restore

    def set_all(self) -> None:
        """Set driver and print system to the card in force, as far as they let themselves be set, and read back."""
        session = self._session
        card = session.need_card()
        device = session.workshop.find(card.printer)
        if device is not None:
            try:
                device.bring(card)
                self._set_system(card, None)
            except FideleError as error:
                session.say(str(error))
        session.refresh()

    def still_open(self) -> str:
        """Say what was read back differently, and what only a person can look up."""
        differ = [r.label.lower() for r in self._session.rows if r.agrees is False]
        unseen = [r.label.lower() for r in self._session.rows if r.found is None]
        said = f"Different: {', '.join(differ)}." if differ else "Set, and read back."
        return said + (f" To be looked up by hand: {', '.join(unseen)}." if unseen else "")

    # Setting -----------------------------------------------------------------------------------------------------

    def bring(self, meanings: tuple[str, ...] | None = None) -> None:
        """Set the driver to the card, all or in part, then read back; a step that can be undone."""
        session, device = self._session, self._device
        again = {"preset-lost", "driver-updated"} & {f.code for f in session.findings}
        if again and session.need_card().confirmed:
            # Whoever threw the driver's settings over may have changed what only a person can see as well.
            session.change_card("What cannot be read back is asked for again", confirmed={})
        version = device.status(session.need_card()).version
        if meanings is None and session.need_card().driver_version not in ("", version):
            session.change_card(f"Set with version {version} of the driver", driver_version=version)
        card = session.need_card()
        before, system = device.settings(), device.system_profile

        def bring() -> None:
            device.bring(card, meanings)
            self._set_system(card, meanings)
            session.refresh()

        def back() -> None:
            device.assign_system_profile(system[1], system[0])
            self._restore(before)

        session.history.do("Set the driver to the card", bring, back)
        left = [
            r.label.lower()
            for r in session.rows
            if r.agrees is False and (r.settable or r.held) and (meanings is None or r.meaning in meanings)
        ]
        session.say(f"Still different: {', '.join(left)}." if left else "Set, and read back from the driver.")

    def _set_system(self, card: Card, meanings: tuple[str, ...] | None) -> None:
        """Let the print system convert where the card says so; take its profile off where another layer does."""
        device, mine = self._device, self.profile_path(card.profile or "")
        if meanings is not None and "system" not in meanings:
            return
        if card.owner == "system" and mine is not None:
            device.assign_system_profile(mine)
        elif device.system_profile[1] is not None:
            through = self._session.profiles.pass_through_file() if device.system_insists else None
            device.assign_system_profile(through, through)

    def profile_path(self, profile_id: str) -> Path | None:
        """Return where a profile of the shelf lies, for drivers and print systems that are given one."""
        entry = self._session.shelf.find(profile_id) if profile_id else None
        return entry.path if entry else None

    def choose_owner(self, owner: str) -> None:
        """Give the conversion to one of those who can; everything that follows is set too.

        Raises
        ------
        FideleError
            When it converts through a profile and the condition has none, or the printer is not there.
        """
        session = self._session
        who = OWNER_WORDS[owner][:1].upper() + OWNER_WORDS[owner][1:]
        if owner in ("system", "driver-profile") and session.profile is None:
            raise FideleError(f"{who} needs an output profile; choose one for this condition first.")
        if owner not in self._device.owners():
            raise FideleError(f"{who} cannot convert on the way to the {session.need_card().printer_name}.")
        session.change_card(f"{who} converts", owner=owner)
        rest = () if owner == "driver" else ("improvement",)
        self.bring((*rest, "colour", "input_space", "system"))

    def choose_setting(self, name: str, value: Any) -> None:
        """Change a control of the driver in its own words, as a step that can be undone."""
        device = self._device
        before = device.settings()

        def change() -> None:
            device.choose(name, value)
            self._session.refresh()

        self._session.history.do(f"{name}: {value}", change, lambda: self._restore(before))
        self._session.say(f"{name} is now “{value}”, read back from the driver.")

    def _restore(self, settings: dict[str, Any]) -> None:
        self._device.restore(settings)
        self._session.refresh()

    # Another program ---------------------------------------------------------------------------------------------

    def print_from(self, name: str) -> None:
        """Let Fidele print, '', or another program, which gets a finished file."""
        who = name or "Fidele"
        self.forget()
        self._session.change_card(
            f"{who[:1].upper()}{who[1:]} prints", printed_from=name, confirmed=self._without_program()
        )

    def _without_program(self) -> dict[str, Confirmation]:
        confirmed = self._session.need_card().confirmed
        return {m: said for m, said in confirmed.items() if not m.startswith("program_")}

    @property
    def program(self) -> Program | None:
        """The program that prints, None where Fidele does."""
        card = self._session.card
        return self._session.workshop.program(card.printed_from) if card and card.printed_from else None

    # Knowing -----------------------------------------------------------------------------------------------------

    def confirm(self, meaning: str, value: Any) -> None:
        """Keep what a person looked up and vouches for."""
        card = self._session.need_card()
        said = dict(card.confirmed)
        said[meaning] = Confirmation(value=value, who=person(), when=datetime.datetime.now().replace(microsecond=0))
        if meaning.startswith("program_"):
            self.forget()  # what a person sees now is newer than what was probed before
        self._session.change_card(f"Confirmed by hand: {value}", confirmed=said)

    def probe(self) -> ProbeResult:
        """Send known numbers down the route without ink; the result is evidence until a setting changes."""
        return self.take_probe(self.send_probe())

    def send_probe(self) -> Probes:
        """Send known numbers down the route without ink, and once more through another program where one prints.

        Changes nothing, and can run beside the interface.
        """
        session, device, program = self._session, self._device, self.program
        card, media = session.need_card(), session.media
        direct = probe(device, media, datetime.datetime.now())
        if program is None or not program.runs_here:
            return Probes(direct)
        with tempfile.TemporaryDirectory() as folder:
            tag = srgb() if card.file_says == "sRGB" else None
            through, done = probe_through(program, device, media, Path(folder), tag, direct)
        return Probes(direct, through, done)

    def take_probe(self, sent: Probes) -> ProbeResult:
        """Take what a probe found as evidence, and say it."""
        session, program = self._session, self.program
        found, done = sent.direct, sent.program
        session.probed, self.through, self.program_probe = found, sent.through, done
        said = ""
        if done is not None and program is not None:
            what = [] if done.passes else ["changes the colours"]
            what += [f"scales to {done.scale * 100:.1f} %"] if not done.true_size else []
            what += ["mirrors"] if done.mirrored else []
            said = f" {program.name} {' and '.join(what) or 'passes everything on'}."
        session.refresh()
        ranked = [] if found.passes else suspects(found, self.correction(), session.profile)
        session.say(f"Probed. {in_words(found, ranked)}{said}")
        return found

    def correction(self) -> ProbeResult:
        """Return what the driver's own correction does, probed once."""
        device = self._device
        if device.id not in self._corrections:
            self._corrections[device.id] = probe_correction(device, datetime.datetime.now())
        return self._corrections[device.id]

    # What the findings' buttons do -------------------------------------------------------------------------------

    def act(self, action: str) -> None:
        """Do what a finding's button says.

        Raises
        ------
        FideleError
            When it cannot be done for this card.
        """
        session = self._session
        card = session.need_card()
        kind, _, argument = action.partition(":")
        simple: dict[str, Callable[[], object]] = {
            "bring": self.bring,
            "probe": self.probe,
            "system-convert": lambda: self.bring(("system",)),
            "driver-convert": lambda: self.bring(("colour", "given_profile")),
            "driver-true-size": lambda: self.bring(("scaling",)),
            "driver-no-turn": lambda: self.bring(("turn",)),
            "system-pass": self._let_system_pass,
            "fidele-convert": lambda: session.change_card("Fidele converts", owner="fidele"),
            "mirror-on": lambda: self._mirror("fidele"),
            "mirror-off": lambda: self._mirror("nobody"),
            "driver-no-mirror": lambda: self._mirror("fidele"),
            "driver-mirror-off": lambda: self._mirror("nobody"),
            "driver-pass": self._let_driver_pass,
            "driver-reset": self._reset,
            "lay-in": self._lay_in,
            "confirm-program": self._confirm_program,
            "nest": session.laying.nest,
            "preheat": lambda: session.change_card(
                "Warmed for 10 s", press=card.press.model_copy(update={"preheat": 10.0})
            ),
            "part": lambda: session.laying.part(PanelPlan()),
        }
        wanted = next((r.wanted for r in session.rows if r.meaning == argument), "off")
        with_argument: dict[str, Callable[[], object]] = {
            "set": lambda: self.bring((argument,)),
            "owner": lambda: self.choose_owner(argument),
            "confirm": lambda: self.confirm(argument, wanted),
            "use": lambda: session.use_profile(argument),
            "size": lambda: self._size(argument),
            "intent": lambda: session.change_card(f"The intent is {Intent(argument).words}", intent=Intent(argument)),
            "quality": lambda: self._quality(argument),
            "made": lambda: self._as_made(argument),
            "apart": lambda: session.laying.apart(int(argument)),
            "proportions": lambda: session.laying.own_proportions(int(argument)),
        }
        if action == "fit-sheet" and (piece := session.pieces.current) is not None:
            session.laying.largest(piece.number, 0.0)
        elif action in simple:
            simple[action]()
        elif argument and kind in with_argument:
            with_argument[kind]()
        else:
            raise FideleError(f"'{action}' cannot be done for {card.name}.")

    def _confirm_program(self) -> None:
        """Keep that a person has looked up everything that the other program must be set to."""
        card, now = self._session.need_card(), datetime.datetime.now().replace(microsecond=0)
        said = {m: Confirmation(value=value, who=person(), when=now) for m, value in WANTED.items()}
        self.forget()
        self._session.change_card(
            f"{card.printed_from} is set as it must be".capitalize(), confirmed=card.confirmed | said
        )

    def _mirror(self, who: str) -> None:
        self._session.change_card("Fidele mirrors" if who == "fidele" else "Nothing mirrors", mirror_by=who)
        if any(r.meaning == "mirroring" and r.settable for r in self._session.rows):
            self.bring(("mirroring",))

    def _let_driver_pass(self) -> None:
        if self._session.need_card().owner_layer == "driver":
            self._session.change_card("Fidele converts", owner="fidele")
        self.bring(("improvement", "colour"))

    def _reset(self) -> None:
        self._device.reset()
        self.bring()

    def _lay_in(self) -> None:
        self._device.lay_in(self._session.need_card())
        self._session.refresh()
        self._session.say(f"The printer says that {self._session.need_card().size} lies in it.")

    def _size(self, size: str) -> None:
        session = self._session
        session.change_card(f"Size {size}", size=size)
        self.bring(("size", "feed"))
        if (placing := session.placing) is not None:
            session.place(Placing.centred(session.media, placing.width, placing.height, placing.angle))

    def _quality(self, step: str) -> None:
        card = self._session.need_card()
        self._session.change_card(f"Quality {step}", driver=card.driver | {"quality": int(step)})
        self.bring(("quality",))

    def _let_system_pass(self) -> None:
        """Take the profile off the print system; where it insists on one, give it a pass-through and probe that."""
        session, device = self._session, self._device
        if not device.system_insists:
            device.assign_system_profile(None)
            session.refresh()
            session.say("The print system passes the numbers on.")
            return
        file = session.profiles.pass_through_file()
        device.assign_system_profile(file, file)
        found = self.probe()
        session.say(
            "The print system has a pass-through, the same profile in and out; probed: the numbers stay."
            if found.passes
            else "The print system has a pass-through, but numbers still change: look at the driver."
        )

    def _as_made(self, meaning: str) -> None:
        """Set the card as the profile's papers say it was made."""
        session = self._session
        card = session.need_card()
        entry = session.shelf.find(card.profile or "")
        if entry is None:
            raise FideleError("The profile of this condition is not on the shelf.")
        made = trial_card(session.device, session.profiles.papers(entry), card)
        if meaning == "press":
            session.change_card("Press set as the profile was made", press=made.press)
        else:
            session.change_card(f"{MEANINGS[meaning]} set as the profile was made", driver=made.driver)
            self.bring((meaning,))
