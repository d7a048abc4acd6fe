"""Which inks a printer is sent: cyan, magenta, yellow and black, and further ones beside them.

A further ink stands between two of the first three (orange, green, violet …), where it reaches colours that both of
them together do not, or is a lighter one of them, which prints light tones without visible dots. What asks for colours
by cyan, magenta and yellow alone is spread over all of them (`InkSet.spread`).
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from fidele.arrays import Floats
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import tr

#: The inks that four channels are, in the order in which files hold them.
PROCESS = ("cyan", "magenta", "yellow", "black")
#: Further ones: the two that one stands between, or the one that it is lighter than.
FURTHER = {
    "light cyan": ("cyan",),
    "light magenta": ("magenta",),
    "light yellow": ("yellow",),
    "orange": ("magenta", "yellow"),
    "red": ("magenta", "yellow"),
    "green": ("cyan", "yellow"),
    "blue": ("cyan", "magenta"),
    "violet": ("cyan", "magenta"),
}
#: Names, as they are said: what is said to a person goes through the catalogue.
_SAID = [tr("cyan"), tr("magenta"), tr("yellow"), tr("black"), tr("light cyan"), tr("light magenta")]
_SAID += [tr("light yellow"), tr("orange"), tr("red"), tr("green"), tr("blue"), tr("violet")]
#: So many at most: a table of more channels has too few nodes along each to be of use.
MOST = 7
#: The column of black.
BLACK = 3
#: A lighter ink comes to its end at this place of the dark one, which begins at the other; at the last it is gone.
_LIGHT_FULL, _DARK_BEGINS = 0.42, 0.22
#: On a screen a further ink takes so much of the light that each of the two would take which it stands between; and a
#: lighter one so much of its own.
_TAKE, _LIGHT_TAKE = 0.7, 0.4


@dataclass(frozen=True)
class InkSet:
    """The inks of a printer, in the order in which files hold them: the first four are cyan, magenta, yellow, black.

    Raises
    ------
    FideleError
        When one is unknown, stands there twice, or two stand at the same place, or there are too many.
    """

    names: tuple[str, ...] = PROCESS

    def __post_init__(self) -> None:
        if self.names[:4] != PROCESS:
            raise FideleError(tr("The first four inks have to be cyan, magenta, yellow and black, in this order."))
        for name in self.names[4:]:
            if name not in FURTHER:
                known = ", ".join(FURTHER)
                raise FideleError(tr("There is no ink “{name}” here; there are {known}.", name=name, known=known))
        places = [FURTHER[name] for name in self.names[4:]]
        if len(set(places)) < len(places):
            raise FideleError(tr("Two of the inks stand at the same place: {names}.", names=", ".join(self.names[4:])))
        if len(self.names) > MOST:
            raise FideleError(tr("{n} inks are more than the {most} that are possible.", n=len(self.names), most=MOST))

    def __len__(self) -> int:
        return len(self.names)

    @property
    def columns(self) -> tuple[str, ...]:
        """What a CGATS table calls their columns (ISO 28178: CMYK_C, 6CLR_1)."""
        count = len(self.names)
        if count == len(PROCESS):
            return tuple(f"CMYK_{c}" for c in "CMYK")
        return tuple(f"{count}CLR_{i + 1}" for i in range(count))

    @property
    def words(self) -> str:
        """Their names for a person."""
        return ", ".join(tr(name) for name in self.names)

    @property
    def letters(self) -> tuple[str, ...]:
        """A short name of each, for plots and lists: C, M, Y, K, lc, O."""
        short = {"black": "K"} | {name: f"l{name.split()[1][0]}" for name in FURTHER if name.startswith("light ")}
        return tuple(short.get(name, name[0].upper()) for name in self.names)

    @property
    def space(self) -> str:
        """The colour space of a profile of them, as its header states it."""
        return "CMYK" if len(self.names) == len(PROCESS) else f"{len(self.names)}CLR"

    def on_screen(self, amounts: Floats) -> Floats:
        """Return RGB (n, 3) that stands for amounts of ink (n, k) in a list: what light they leave, no more."""
        left = (1 - amounts[:, :BLACK]) * (1 - amounts[:, BLACK, None])
        for number, name in enumerate(self.names[BLACK + 1 :], BLACK + 1):
            takes = _TAKE if len(FURTHER[name]) > 1 else _LIGHT_TAKE
            for one in FURTHER[name]:
                left[:, PROCESS.index(one)] *= 1 - takes * amounts[:, number]
        return np.asarray(left)

    def spread(self, colour: Floats) -> Floats:
        """Return places (n, k) of all inks but none of black for places (n, 3) of cyan, magenta and yellow.

        Where two of them meet, the ink that stands between takes their part; a lighter one takes the light tones.
        """
        out = np.zeros((len(colour), len(self.names)))
        out[:, :3] = colour
        for number, name in enumerate(self.names[BLACK + 1 :], BLACK + 1):
            of = [PROCESS.index(one) for one in FURTHER[name]]
            if len(of) == 2:
                one, other = colour[:, of[0]], colour[:, of[1]]
                most, least = np.maximum(one, other), np.minimum(one, other)
                # Where the third is there as well, that is grey, and the three print it as they would without.
                third = colour[:, 3 - sum(of)]
                pure = np.clip(1 - third / np.maximum(least, 1e-9), 0, 1)
                share = least / np.maximum(most, 1e-9) * pure
                out[:, number] = least * pure
                out[:, of[0]] *= 1 - share**2
                out[:, of[1]] *= 1 - share**2
        for number, name in enumerate(self.names[BLACK + 1 :], BLACK + 1):
            of = [PROCESS.index(one) for one in FURTHER[name]]
            if len(of) == 1:
                place = out[:, of[0]].copy()
                late = np.clip((place - _LIGHT_FULL) / (1 - _LIGHT_FULL), 0, 1)
                out[:, number] = np.minimum(place / _LIGHT_FULL, 1) * (1 - late)
                out[:, of[0]] = np.clip((place - _DARK_BEGINS) / (1 - _DARK_BEGINS), 0, 1)
        return out


def ink_set(further: Sequence[str] = ()) -> InkSet:
    """Return cyan, magenta, yellow, black and further inks; errors as `InkSet` raises them."""
    return InkSet((*PROCESS, *(" ".join(name.lower().replace("-", " ").split()) for name in further)))
