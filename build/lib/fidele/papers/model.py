"""The papers of a profile: title, printer, ink, media, and the conditions it was made under, each with who says so."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from fidele.language import tr
from fidele.route.condition import Id, Kept, Moment

#: What people call a profile and what it is for, in the order in which they think of it.
ABOUT = {
    "title": "Title",
    "maker": tr("Maker"),
    "printer": tr("Printer"),
    "unit": tr("Made on"),
    "ink": tr("Ink"),
    "media": tr("Media"),
    "substrate": tr("Piece"),
    "notes": tr("Notes"),
}

#: The conditions that a profile was made under, by their neutral meaning.
MADE = {
    "stand_in": tr("Stand-in media"),
    "quality": tr("Quality"),
    "direction": tr("Direction"),
    "colour": tr("Colour correction"),
    "black_ink": tr("Black ink"),
    "density": tr("Ink density"),
    "colour_mode": tr("Colour mode"),
    "ink_saving": tr("Ink saving"),
    "feed": tr("Feed"),
    "mirroring": tr("Mirroring"),
    "resolution": tr("Resolution"),
    "dithering": tr("Dithering"),
    "intent": tr("Intent asked for"),
    "press_temperature": tr("Press temperature"),
    "press_seconds": tr("Press time"),
    "press_pressure": tr("Press pressure"),
}

#: What must be stated before a profile can be trusted unseen; the rest is for the record.
NEEDED = ("stand_in", "quality", "direction", "ink_saving", "press_temperature", "press_seconds")

Origin = Literal["description", "file name", "text tag", "leaflet", "maker", "hand"]

ORIGIN_WORDS = {
    "description": tr("guessed from its description"),
    "file name": tr("guessed from the file's name"),
    "text tag": tr("guessed from its text"),
    "leaflet": tr("from a leaflet, to confirm"),
    "maker": tr("stated by its maker"),
    "hand": tr("confirmed by you"),
}


class Said(Kept):
    """One thing said of a profile. `sentence` is where it was read; several values are parted by commas."""

    value: str
    origin: Origin
    sentence: str = ""
    when: Moment | None = None
    who: str = ""

    @property
    def certain(self) -> bool:
        """Whether it is more than a guess."""
        return self.origin in ("maker", "hand")

    @property
    def values(self) -> tuple[str, ...]:
        """The values one by one: a profile may be valid for several quality steps."""
        return tuple(v.strip() for v in self.value.split(",") if v.strip())


class Verified(Kept):
    """A chart printed through the profile on one printer, and what it said."""

    unit: str
    printer: str
    when: Moment
    mean: float
    p95: float
    passed: bool
    sentence: str
    chart: str = ""
    run: int = 0


class Papers(Kept):
    """Everything that is said of one profile, kept beside it and never in it."""

    version: int = 1
    id: Id
    said: dict[str, Said] = Field(default_factory=dict)
    leaflets: list[str] = Field(default_factory=list)
    verified: list[Verified] = Field(default_factory=list)
    pinned: bool = False
    hidden: bool = False

    def value(self, name: str) -> str:
        """Return what is said under a name, '' where nothing is."""
        return self.said[name].value if name in self.said else ""

    def on(self, unit: str) -> Verified | None:
        """Return the last check of this profile on a printer, None where there was none."""
        return next((v for v in reversed(self.verified) if v.unit == unit), None)

    def with_guesses(self, guesses: dict[str, Said]) -> Papers:
        """Return papers in which guesses fill what nobody has said."""
        missing = {name: said for name, said in guesses.items() if name not in self.said}
        return self.model_copy(update={"said": self.said | missing}) if missing else self
