"""What each driver calls what we mean: meanings to controls, values to plain words, and the order its quirks need.

This is all that Fidele knows of a driver beyond what it tells when asked.
"""

from __future__ import annotations

from dataclasses import field

from fidele.dataclass import dataclass
from fidele.icc.transform import Intent
from fidele.language import quoted
from fidele.sheet.placing import Media
from fidele.values import Settings, Value

#: A factor, 'fit', 'cover', or the name of a control.
Scale = float | str


@dataclass(frozen=True)
class Word:
    """How a driver says one meaning: its controls, its values in plain words, and the value that leaves things alone.

    `rest` None: there is none, the card says what is wanted.
    """

    controls: tuple[str, ...]
    plain: dict[Value, str] = field(default_factory=dict)
    rest: Value | None = None


@dataclass(frozen=True)
class Words:
    """One driver's words.

    Attributes
    ----------
    meanings
        Word by neutral meaning (`fidele.route.layers.MEANINGS`), those that are set in the driver.
    order
        Meanings in the order in which they must be set.
    passes, corrects, by_profile
        The values of 'colour' that leave the numbers alone, convert the maker's way, and convert through a profile
        that was given; '' where there is no such thing.
    open_first
        Controls and values that bring `passes` on offer.
    profile, aim, aims
        The controls of a given profile and of its intent, and what the intents are called.
    own_aim
        The intent by which a given profile is used where none can be chosen.
    space
        The space that the maker's correction expects, where it cannot be chosen.
    by_hand
        Meaning to control of what only a person at the printer can see.
    at_printer
        Meaning to control of what is set at the printer and told to the driver.
    trade
        Words of the trade that leaflets use, by meaning.
    scales, over
        What values of a control do to the size: a factor, 'fit' (shrunk into the printable area), 'cover' (enlarged
        over the edge, by `over` beyond it), or the name of a control that holds per cent.
    """

    meanings: dict[str, Word]
    order: tuple[str, ...]
    passes: str
    corrects: str
    by_profile: str = ""
    open_first: Settings = field(default_factory=dict)
    profile: str = ""
    aim: str = ""
    aims: dict[Intent, str] = field(default_factory=dict)
    own_aim: Intent = Intent.PERCEPTUAL
    space: str = "sRGB"
    by_hand: dict[str, str] = field(default_factory=dict)
    at_printer: dict[str, str] = field(default_factory=dict)
    trade: dict[str, dict[str, str]] = field(default_factory=dict)
    scales: dict[str, dict[Value, Scale]] = field(default_factory=dict)
    over: float = 1.0

    def control(self, meaning: str) -> str:
        """Return the first control of a meaning, '' where this driver has none."""
        word = self.meanings.get(meaning)
        return word.controls[0] if word else ""

    def said(self, meaning: str, value: Value) -> str:
        """Return a value in plain words; where there are none, as the driver calls it."""
        plain = self.meanings[meaning].plain.get(value)
        return plain or (quoted(value) if meaning == "stand_in" else str(value))

    def value(self, meaning: str, plain: str) -> Value:
        """Return the driver's value for something said in plain words; `StopIteration` where it has none."""
        return next(v for v, said in self.meanings[meaning].plain.items() if said == plain)

    def scale(self, now: Settings, page: Media, sheet: Media) -> float:
        """Return by what factor settings change the millimetres of a page on the sheet that the driver is set to."""
        factor = 1.0
        for control, ways in self.scales.items():
            way = ways[now[control]]
            if way == "fit":
                left, top, right, bottom = sheet.printable
                factor *= min((right - left) / page.width, (bottom - top) / page.height)
            elif way == "cover":
                factor *= max(sheet.width / page.width, sheet.height / page.height) * self.over
            else:
                factor *= float(now[way]) / 100 if isinstance(way, str) else way
        return factor
