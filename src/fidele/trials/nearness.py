"""Which of several prints comes nearest to an aim, family by family; a winner only where that is seen and measured."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import field

import numpy as np

from fidele.arrays import Floats
from fidele.colour.difference import delta_e_2000
from fidele.colour.words import hue_name
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import named, tr, trn
from fidele.trials.aim import FAMILIES, families_of, relative, screen_aim

#: Two prints side by side look alike where their colours differ by less than this on average, ΔE00.
SEEN = 1.0
#: One print leads where it is nearer by so much on average: less is not seen against the picture.
_LEAD = 0.5
#: Readings of one print differ by about so much, mean ΔE00, where nothing else is known.
REPEAT = 0.3


@dataclass(frozen=True, eq=False)
class PrintRead:
    """A print as it was read: its letter, what it is, its patches' RGB (n, 3) and measured L*a*b* (n, 3)."""

    letter: str
    title: str
    rgb: Floats
    Lab: Floats


@dataclass(frozen=True)
class Family:
    """How near each print comes in one family, mean ΔE00 by letter; `best` is '' where none leads."""

    name: str
    off: dict[str, float]
    best: str
    patches: int
    #: The letters that none leads over, the nearest first: `best` alone where there is one.
    leaders: tuple[str, ...] = ()

    @property
    def words(self) -> str:
        """Which is nearest, or which are, or that there is no difference to be seen."""
        if len(self.leaders) < len(self.off):
            return tr(" and ").join(sorted(self.leaders))
        # Far apart, and yet not sure: the patches of this family say different things.
        return tr("no difference") if np.ptp(list(self.off.values())) < SEEN else tr("not certain")


@dataclass(frozen=True)
class Standing:
    """What several prints come to beside each other.

    Attributes
    ----------
    families
        By name, 'all' first.
    apart
        Mean ΔE00 between two prints, by their letters.
    notes
        What stands out in each print by itself, by letter: its greys, its black, its tones.
    against
        What they were held against, in words.
    aim, seen
        That, and each print by its letter: L*a*b* (n, 3) relative to white.
    """

    families: tuple[Family, ...]
    apart: dict[tuple[str, str], float]
    notes: dict[str, tuple[str, ...]] = field(default_factory=dict)
    against: str = named("the picture")
    aim: Floats = field(default_factory=lambda: np.zeros((0, 3)), compare=False)
    seen: dict[str, Floats] = field(default_factory=dict, compare=False)

    @property
    def best(self) -> str:
        """Letter of the print that is nearest all in all, '' for a draw."""
        return self.families[0].best

    @property
    def sentence(self) -> str:
        """What came of it, in a sentence or two."""
        won: dict[str, list[str]] = {}
        for family in self.families[1:]:
            if family.best:
                won.setdefault(family.best, []).append(FAMILIES[family.name])
        first = self.families[0]
        if not self.best and 1 < len(first.leaders) < len(first.off):
            near, rest = tr(" and ").join(sorted(first.leaders)), sorted(set(first.off) - set(first.leaders))
            far = trn("{rest} is farther off", "{rest} are farther off", len(rest), rest=tr(" and ").join(rest))
            return tr(
                "{near} come nearest to {against}, and no difference between them is seen; {far}.",
                near=near,
                against=tr(self.against),
                far=far,
            )
        if not self.best and not won:
            if all(d < SEEN for d in self.apart.values()):
                return tr("A draw: these prints look alike. Further steps of this kind would not be seen.")
            return tr("A draw: they differ, and none of them is nearer to {against}.", against=tr(self.against))
        said = [
            tr("{best} comes nearest to {against} all in all.", best=self.best, against=tr(self.against))
            if self.best
            else tr("None leads all in all.")
        ]
        for letter, names in won.items():
            if letter != self.best:
                said.append(tr("{letter} is nearer in {names}.", letter=letter, names=", ".join(names)))
        even = [FAMILIES[f.name] for f in self.families[1:] if not f.best]
        if self.best and even and len(even) < len(self.families) - 1:
            said.append(tr("In {even} no difference is seen.", even=", ".join(even)))
        return " ".join(said)


def standing(prints: Sequence[PrintRead], repeat: float = REPEAT, proof: Floats | None = None) -> Standing:
    """Compare prints of the same patches with one aim, and with each other.

    Each is taken relative to its own white. The aim is the proof, L*a*b* (n, 3) relative to its white, where there is
    one; else the picture on the screen between white and the deepest black that any of the prints reaches. `repeat` is
    by how much two readings of one print differ, mean ΔE00.

    Raises
    ------
    FideleError
        When there are fewer than two, or they are not of the same patches.
    """
    if len(prints) < 2:
        raise FideleError(tr("One print is nothing to compare: it takes two of the same chart."))
    rgb = prints[0].rgb
    if any(p.rgb.shape != rgb.shape or np.abs(p.rgb - rgb).max() > 1e-3 for p in prints):
        raise FideleError(tr("These prints are of different charts: only prints of one chart can be compared."))
    seen = {p.letter: relative(p.Lab, rgb) for p in prints}
    aim = screen_aim(rgb, min(float(Lab[:, 0].min()) for Lab in seen.values())) if proof is None else proof
    off = {letter: delta_e_2000(Lab, aim) for letter, Lab in seen.items()}
    masks = {"all": np.ones(len(rgb), bool), **families_of(rgb)}
    families = tuple(
        Family(
            name,
            {letter: float(e[mask].mean()) for letter, e in off.items()},
            leaders[0] if len(leaders) == 1 else "",
            int(mask.sum()),
            leaders,
        )
        for name, mask in masks.items()
        for leaders in (_leaders({k: e[mask] for k, e in off.items()}, {k: v[mask] for k, v in seen.items()}, repeat),)
    )
    letters = list(seen)
    apart = {
        (a, b): float(delta_e_2000(seen[a], seen[b]).mean()) for i, a in enumerate(letters) for b in letters[i + 1 :]
    }
    said = {letter: notes(rgb, Lab, aim) for letter, Lab in seen.items()}
    return Standing(families, apart, said, named("the picture") if proof is None else named("the proof"), aim, seen)


def _leaders(off: dict[str, Floats], seen: dict[str, Floats], repeat: float) -> tuple[str, ...]:
    """Return the nearest, and those that it does not lead over: they look alike, or are about as near.

    It leads where it is nearer by more than what readings of one print differ by, and by more than twice the error of
    that lead as its patches scatter.
    """
    first, *others = sorted(off, key=lambda letter: float(off[letter].mean()))
    beside = [first]
    for other in others:
        lead = off[other] - off[first]
        error = float(lead.std(ddof=1) / np.sqrt(len(lead))) if len(lead) > 2 else 0.0
        apart = float(delta_e_2000(seen[first], seen[other]).mean())
        if not (lead.mean() > max(_LEAD, 2 * repeat, 2 * error) and apart > max(SEEN, 2 * repeat)):
            beside.append(other)
    return tuple(beside)


def notes(rgb: Floats, Lab: Floats, aim: Floats) -> tuple[str, ...]:
    """Say what stands out in one print, relative L*a*b* (n, 3): the lean of its greys, its tones, its black."""
    grey = (np.ptp(rgb, axis=1) < 0.02) & (rgb.min(axis=1) > 0.1) & (rgb.max(axis=1) < 0.99)
    said = []
    if grey.sum() >= 3:
        cast = Lab[grey, 1:].mean(axis=0)
        strength = float(np.hypot(*cast))
        if strength > 2:
            how = "clearly" if strength > 5 else tr("a little")
            said.append(
                tr(
                    "greys lean {how} {hue_name}",
                    how=how,
                    hue_name=hue_name(float(np.degrees(np.arctan2(cast[1], cast[0]))) % 360),
                )
            )
        lighter = float((Lab[grey, 0] - aim[grey, 0]).mean())
        if abs(lighter) > 3:
            said.append(
                tr("tones are light by L* {lighter:.0f}", lighter=abs(lighter))
                if lighter > 0
                else tr("tones are dark by L* {lighter:.0f}", lighter=abs(lighter))
            )
    black = float(Lab[:, 0].min())
    if black > aim[:, 0].min() + 4:
        said.append(tr("its black is L* {black:.0f} only", black=black))
    return tuple(said)
