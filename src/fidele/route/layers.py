"""The layers of the hand-off, what each does to the numbers, and how that is known."""

from __future__ import annotations

import datetime
from enum import StrEnum

from fidele.dataclass import dataclass
from fidele.language import named, tr
from fidele.values import Settings

#: What each layer is called in a sentence.
LAYER_WORDS = {
    "Fidele": "Fidele",
    "program": tr("the other program"),
    "system": tr("the print system"),
    "driver": tr("the driver"),
    "panel": tr("the printer's panel"),
}


class Evidence(StrEnum):
    """How a layer's state is known, best first."""

    PROBED = named("probed")
    READ_BACK = named("read back")
    BY_HAND = named("confirmed by hand")
    NOT_KNOWN = named("not known")


#: Settings by their neutral meaning, in the order in which people check them, and what each is called.
MEANINGS = {
    "way_in": tr("Sent as"),
    "colour": tr("Colour"),
    "input_space": tr("Expects"),
    "given_profile": "Given profile",
    "given_intent": tr("Given intent"),
    "system": tr("Print system"),
    "stand_in": tr("Media set"),
    "panel_media": tr("Media told"),
    "quality": tr("Quality"),
    "direction": tr("Direction"),
    "fast": tr("Fast mode"),
    "resolution": tr("Resolution"),
    "dithering": tr("Dithering"),
    "black_ink": tr("Black ink"),
    "density": tr("Ink density"),
    "colour_mode": tr("Colour mode"),
    "improvement": tr("Improvement"),
    "purpose": tr("Purpose"),
    "sliders": tr("Hand sliders"),
    "size": tr("Size"),
    "feed": tr("Feed"),
    "scaling": tr("Scaling"),
    "borderless": tr("Over the edge"),
    "turn": tr("Turning"),
    "mirroring": tr("Mirroring"),
    "two_sided": "Two-sided",
    "watermark": tr("Overprint"),
    "copies": tr("Copies"),
    "ink_saving": tr("Ink saving"),
    "driver_colour": tr("Driver: colour"),
    "driver_size": tr("Driver: size"),
    "driver_mirroring": tr("Driver: mirror"),
    "program_colour": tr("Program: colour"),
    "program_size": tr("Program: size"),
    "program_mirroring": tr("Program: mirror"),
}


@dataclass(frozen=True)
class SettingRow:
    """One setting: what the card calls for, what was found, and where it stands in this driver.

    `found` is None when it cannot be read back and nobody has confirmed it; `agrees` is then None too. `held` means
    that it is greyed out: an administrator has locked it.
    """

    meaning: str
    wanted: str
    found: str | None
    place: str
    agrees: bool | None
    evidence: Evidence
    settable: bool = True
    held: bool = False
    #: When a person confirmed it.
    when: datetime.datetime | None = None

    @property
    def label(self) -> str:
        """The plain name of the setting."""
        return MEANINGS[self.meaning]


@dataclass(frozen=True)
class PrinterStatus:
    """What a printer says of itself: whether it answers, its ink set and what is left of it (0 to 1), the version of
    its driver, the size of what lies in the way that the card feeds from, '' where it does not tell, and anything else
    that it reports, in words."""

    online: bool
    ink: str
    inks: dict[str, float]
    version: str
    loaded: str
    says: str = ""


@dataclass(frozen=True)
class Layer:
    """One layer of the hand-off.

    Attributes
    ----------
    name
        'Fidele', 'program' (another one that prints), 'system', 'driver' or 'panel'.
    converts
        Whether it produces the printer's device values (a knot); None when that is not known.
    how
        What it does, in a few words.
    mirrors, turned
        Whether it mirrors, or turns by 180 degrees; None when not known.
    scale
        By what factor it changes the printed millimetres; None when not known.
    expects
        The source space that a converting layer takes for granted, or ''.
    """

    name: str
    converts: bool | None
    how: str
    evidence: Evidence
    mirrors: bool | None = False
    turned: bool | None = False
    scale: float | None = 1.0
    expects: str = ""
    when: datetime.datetime | None = None
    who: str = ""
    #: Something of this layer is not known, though not whether it converts, mirrors or scales.
    doubtful: bool = False
    #: Media, quality and size that it takes for granted, in words.
    assumes: str = ""
    #: A probe can be sent through it.
    probeable: bool = False
    #: It will not go without a profile, so only a pass-through keeps it from converting.
    insists: bool = False


@dataclass(frozen=True)
class Chain:
    """All layers in the order that the numbers pass, and how many twists the piece needs."""

    layers: tuple[Layer, ...]
    twists_needed: int

    @property
    def knots(self) -> tuple[str, ...]:
        """Names of the layers that convert."""
        return tuple(layer.name for layer in self.layers if layer.converts)

    @property
    def unknown(self) -> tuple[str, ...]:
        """Names of the layers of which something is not known."""
        return tuple(
            layer.name
            for layer in self.layers
            if None in (layer.converts, layer.mirrors, layer.scale, layer.turned) or layer.doubtful
        )

    @property
    def twists(self) -> int:
        """How many layers mirror, as far as known."""
        return sum(bool(layer.mirrors) for layer in self.layers)

    @property
    def turned(self) -> bool:
        """Whether the page is turned by 180 degrees in the end."""
        return sum(bool(layer.turned) for layer in self.layers) % 2 == 1

    @property
    def scale(self) -> float:
        """Factor between wanted and printed millimetres, as far as known."""
        factor = 1.0
        for layer in self.layers:
            factor *= layer.scale if layer.scale is not None else 1.0
        return factor

    @property
    def true_size(self) -> bool:
        """Whether nothing scales by more than a fifth of a per cent."""
        return abs(self.scale - 1) < 0.002

    def layer(self, name: str) -> Layer:
        """Return a layer by name."""
        return next(layer for layer in self.layers if layer.name == name)

    @property
    def headline(self) -> str:
        """The conversions in two or three words."""
        count = len(self.knots)
        if any(layer.converts is None for layer in self.layers):
            return tr("Conversions not known")
        return (
            (tr("Not converted"), tr("Converted once"), tr("Converted twice"))[count]
            if count < 3
            else tr("Converted {count} times", count=count)
        )

    @property
    def sentence(self) -> str:
        """Who converts, how often mirrored, and whether the size is true."""
        by = tr(", then by ").join(LAYER_WORDS[k] for k in self.knots)
        mirrored = (tr("not mirrored"), tr("mirrored once"), tr("mirrored twice"))[min(self.twists, 2)]
        size = tr("true size") if self.true_size else tr("scaled to {scale:.0f} %", scale=self.scale * 100)
        start = tr("by {by}. ", by=by) if by else ""
        return f"{start}{mirrored.capitalize()}, {size}."


def fingerprint(values: Settings) -> tuple[tuple[str, str], ...]:
    """Return settings as something that can be compared: a probe is true for these settings only."""
    return tuple(sorted((k, str(v)) for k, v in values.items()))
