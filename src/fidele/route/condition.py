"""The printing condition: everything that a profile is true for, as a card that is kept as readable JSON."""

from __future__ import annotations

import datetime
import hashlib
from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, StringConstraints

from fidele.icc.transform import Intent
from fidele.language import tr
from fidele.tuning.balance import Balance
from fidele.values import Settings, Value

#: Who converts: Fidele; the print system by the profile assigned to the printer; the driver by its maker's correction;
#: the driver by a profile that it was given; another program that prints, through the condition's profile.
Owner = Literal["fidele", "system", "driver", "driver-profile", "program"]


#: The same in words, within a sentence.
OWNER_WORDS: dict[str, str] = {
    "fidele": "Fidele",
    "system": tr("the print system"),
    "driver": tr("the driver"),
    "driver-profile": tr("the driver, by its given profile,"),
    "program": tr("the other program, through the profile,"),
}


def _local(when: datetime.datetime) -> datetime.datetime:
    """Return a time as this machine's clock shows it: what others wrote may carry a zone."""
    return when if when.tzinfo is None else when.astimezone().replace(tzinfo=None)


#: A time by this machine's clock.
Moment = Annotated[datetime.datetime, AfterValidator(_local)]
#: What names a file: letters, digits and a few signs, nothing that leads elsewhere (`statefile.below`).
Id = Annotated[str, StringConstraints(pattern=r"^[\w][\w .,+()'&-]*$", max_length=120)]


class Kept(BaseModel):
    """What is kept as JSON. Fields that a newer Fidele adds are kept and written back."""

    model_config = ConfigDict(defer_build=True, extra="allow", validate_assignment=True, allow_inf_nan=False)


class PressData(Kept):
    """What the press is set to: °C, seconds, bar."""

    temperature: float = Field(default=200.0, ge=20, le=240)
    seconds: float = Field(default=180.0, gt=0, le=900)
    pressure: float = Field(default=2.5, gt=0, le=8)
    #: Seconds for which paper and piece are warmed before, to drive out damp.
    preheat: float = Field(default=10.0, ge=0, le=120)
    #: What lies nearer to the hot plate, the paper or the piece; whether lint is taken off, and a cover sheet laid on.
    on_top: Literal["paper", "piece"] = "paper"
    lint: bool = True
    cover: bool = True


class SheetHabits(Kept):
    """How sheets of a condition are laid out, what stands on them beside the pieces, and how its runs are sent."""

    #: Millimetres between pieces, and whether they may be turned by 90° to save media: cloth has a grain.
    gap: float = Field(default=3.0, ge=0, le=200)
    may_turn: bool = True
    #: A line beside each piece that says which run, copy and setting it is, for eyes and for a machine.
    identity: bool = False
    #: Signs to cut, to fold, and to lay the sheet on the press by.
    cut: bool = False
    fold: bool = False
    press: bool = False
    #: A strip of patches along the edge that the check desk reads.
    strip: bool = False
    #: A run waits until somebody releases it.
    hold: bool = False
    #: Name of the sheet of one's own size that lies in, '' for the size that the driver is set to.
    own: str = ""
    #: Name of the jig that it is pressed with, '' for none.
    jig: str = ""
    #: After so many hours without a print, a readiness page is asked for first; 0 never.
    readiness_hours: float = Field(default=0.0, ge=0, le=1000)


class Confirmation(Kept):
    """Something that a person looked up and vouches for, because it cannot be read back."""

    value: Value | None
    who: str
    when: Moment


class Change(Kept):
    """One change of a card: what, when, and by whom."""

    what: str
    when: Moment
    who: str


class Card(Kept):
    """A printing condition.

    `driver` holds the wanted settings by their neutral meaning (see `fidele.route.layers.MEANINGS`); what this
    driver calls them is the business of the printer's adapter.
    """

    version: int = 1
    id: Id
    name: str
    process: Literal["transfer", "direct"] = "transfer"
    printer: str
    printer_name: str
    #: The ink set that the profile is true for, '' where nobody has said.
    ink: str = ""
    media: str
    size: str = "A4"
    substrate: str
    seen_from: Literal["front", "back"] = "front"
    profile: Id | None = None
    #: What the profile called itself when it was chosen: its id is its content, so another version is another profile.
    profile_title: str = ""
    intent: Intent = Intent.PERCEPTUAL
    bpc: bool = True
    owner: Owner = "fidele"
    #: Where another one converts: the space that it is sent artwork in, and whether tunings are worked into that.
    sends: Literal["sRGB", "opRGB"] = "sRGB"
    bake: bool = False
    mirror_by: Literal["fidele", "driver", "nobody"] = "fidele"
    #: The program that prints, '' for Fidele itself; and what Fidele's finished file then says of its colours.
    printed_from: str = ""
    file_says: Literal["nothing", "sRGB"] = "nothing"
    #: Below so many pixels per printed inch, artwork is too coarse for this work.
    artwork_ppi: int = Field(default=200, ge=30, le=1200)
    #: What pages are prepared at where the printer takes several resolutions, 0 for its usual one.
    page_ppi: int = Field(default=0, ge=0, le=4800)
    driver: Settings
    #: What hands found: values of the driver's own controls that shape colour, by the driver's name for each; those
    #: that are not named are to leave colour alone.
    hand: Settings = Field(default_factory=dict)
    #: Fidele's own correction where the driver converts without a profile: what it is sent is bent by these curves.
    balance: Balance | None = None
    #: What those curves aim at: '' neutral and even, '*screen', '*livelier', or the id of another condition.
    balance_like: str = ""
    press: PressData = Field(default_factory=lambda: PressData())
    sheet: SheetHabits = Field(default_factory=lambda: SheetHabits())
    confirmed: dict[str, Confirmation] = Field(default_factory=dict)
    #: What somebody else confirmed on a machine of theirs: shown as theirs, and no confirmation here.
    claimed: dict[str, Confirmation] = Field(default_factory=dict)
    #: The version of the driver when everything was last set to this card.
    driver_version: str = ""
    #: The lots in use of what makes the colour, by field: 'ink', 'media', 'substrate'.
    lots: dict[str, str] = Field(default_factory=dict)
    notes: str = ""
    locked: bool = False
    history: list[Change] = Field(default_factory=list)

    @property
    def owner_layer(self) -> str:
        """The layer that is to convert."""
        return {"fidele": "Fidele", "system": "system", "program": "program"}.get(self.owner, "driver")

    @property
    def digits(self) -> str:
        """Four hexadecimal digits of what it sets: printer, media, driver settings, profile, press."""
        settings = sorted(self.driver.items())
        settings += sorted(self.hand.items()) + ([("balance", str(self.balance))] if self.balance else [])
        parts = (self.printer, self.media, self.substrate, self.profile, self.intent, self.bpc, settings, self.press)
        return hashlib.sha256(repr(parts).encode()).hexdigest()[:4]

    @property
    def feed(self) -> str:
        """How the sheet goes in, in the driver's word; '' where there is one way only."""
        return str(self.driver.get("feed", ""))

    @property
    def twists_needed(self) -> int:
        """How often the picture must be mirrored: once for a transfer that is seen from the front, else never."""
        return 1 if self.process == "transfer" and self.seen_from == "front" else 0

    @property
    def summary(self) -> str:
        """Printer, media, process and size in a line."""
        return f"{self.printer_name} · {self.media} · {self.substrate} {tr(self.process)} · {self.size}"


def prints_alike(one: Card, other: Card) -> bool:
    """Whether two states of a card print alike, but for the curves of their own balance."""
    return all(
        getattr(one, name) == getattr(other, name) for name in ("driver", "hand", "media", "owner", "sends", "press")
    )
