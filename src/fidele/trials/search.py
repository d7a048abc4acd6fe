"""What to try next: from the answers so far to the next steps of one setting, or to the end.

For settings whose values stand in an order: a slider, a density, seconds. Each round puts three values beside each
other; the next goes halfway from the best to its neighbours, or beyond it where the best stood at the edge. It ends
where nothing lies between, or where eyes see no difference any more.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

from fidele.dataclass import dataclass
from fidele.language import tr

#: So many prints a round compares.
COUNT = 3
#: The first round reaches so far to either side, as a share of all that is offered.
_REACH = 0.25
#: Of more values than this a first round takes five, spread over all of them.
_LONG, _SPREAD = 24, 5


@dataclass(frozen=True)
class Round:
    """Prints that were compared: the places of their values among all that are offered, and which was best.

    `best` is one of the places, None where no difference was seen.
    """

    places: tuple[int, ...]
    best: int | None


@dataclass(frozen=True)
class Next:
    """What is proposed: places to try, () at the end; where it is best by now, and within what the best is believed."""

    places: tuple[int, ...]
    best: int
    between: tuple[int, int]
    words: str

    @property
    def ended(self) -> bool:
        """Whether nothing more is to be gained."""
        return not self.places


def beginning(count: int, at: int) -> tuple[int, ...]:
    """Return where to begin among `count` values of which the one at place `at` is set now."""
    if count > _LONG:
        return tuple(round((k + 0.5) * (count - 1) / _SPREAD) for k in range(_SPREAD))
    step = max(1, round(count * _REACH))
    low = max(0, min(at - step, count - 1 - 2 * step))
    return tuple(dict.fromkeys(min(count - 1, max(0, p)) for p in (low, low + step, low + 2 * step)))


def following(count: int, rounds: Sequence[Round]) -> Next:
    """Return what to try after these rounds, the oldest first, among `count` values.

    Raises
    ------
    ValueError
        Without any round.
    """
    last = rounds[-1]
    tried = sorted({p for one in rounds for p in one.places})
    if last.best is None:
        # What looked alike is as good as another; an earlier winner among them is the surest.
        won = [one.best for one in rounds if one.best in last.places]
        middle = sorted(last.places)[len(last.places) // 2]
        best = won[-1] if won and won[-1] is not None else middle
        span = (min(last.places), max(last.places))
        return Next((), best, span, tr("No difference was seen: further steps of this kind cannot be seen either."))
    best = last.best
    here = tried.index(best)
    below = tried[here - 1] if here else -1
    above = tried[here + 1] if here + 1 < len(tried) else count
    step = max(1, min((b - a for a, b in pairwise(tried)), default=1))
    # At the edge of what was tried: as far beyond it as the steps were wide.
    low = best - step if below < 0 else (below + best) // 2 if best - below > 1 else best
    high = best + step if above >= count else -((-best - above) // 2) if above - best > 1 else best
    places = {max(0, low), best, min(count - 1, high)}
    new = [p for p in places if p not in tried]
    span = (max(0, below if below >= 0 else best), min(count - 1, above if above < count else best))
    if not new:
        return Next((), best, span, tr("Nothing that is offered lies between: this is the best step."))
    return Next(tuple(sorted(places)), best, span, tr("The best lies near it: what is proposed goes halfway."))
