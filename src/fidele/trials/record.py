"""What is kept of a trial: its prints by letter, what each differs in, what was seen and measured, and by whom."""

from __future__ import annotations

import datetime

from pydantic import Field

from fidele.language import tr
from fidele.route.condition import Card, Id, Kept, Moment

#: Prints of a trial are told apart by these.
LETTERS = "ABCDEF"
#: Light that prints are looked at in; another may be typed. '' is not said.
LIGHTS = (
    tr("a D50 booth"),
    tr("daylight at a window"),
    tr("LED light of the room"),
    tr("fluorescent tubes"),
    tr("warm lamps"),
)
#: Answers that are no letter: no difference between them.
NO_DIFFERENCE = ""


class TrialPrint(Kept):
    """One print of a trial: its letter, what it is in words, the condition that it is printed by, and its run."""

    letter: str
    title: str
    card: Card
    run: int = 0


class Judged(Kept):
    """What somebody saw: in which family, which print is nearest ('' for no difference), and in what light."""

    family: str
    best: str
    who: str
    when: Moment
    light: str = ""


class Measured(Kept):
    """What a reading said: mean ΔE00 to the picture by family and letter, which leads, and through what it was read."""

    when: Moment
    off: dict[str, dict[str, float]]
    best: dict[str, str]
    sentence: str
    through: str
    notes: dict[str, tuple[str, ...]] = Field(default_factory=dict)


class TrialRecord(Kept):
    """A trial: what is varied ('owner' or a setting's meaning), on what, and everything that came of it."""

    version: int = 1
    id: Id
    title: str
    made: Moment
    #: The meaning of the setting that is varied, 'owner' for who converts.
    varied: str
    #: Name of the chart that is printed, '' for none; and the picture of one's own, alone or beside it.
    chart: str = ""
    picture: str = ""
    prints: tuple[TrialPrint, ...] = ()
    seen: tuple[Judged, ...] = ()
    measured: tuple[Measured, ...] = ()
    #: The letter that was taken, '' while none was.
    taken: str = ""
    ended: bool = False

    def of_run(self, run: int) -> TrialPrint | None:
        """Return the print that a run is."""
        return next((p for p in self.prints if p.run == run and run), None)

    def letter(self, letter: str) -> TrialPrint | None:
        """Return a print by its letter."""
        return next((p for p in self.prints if p.letter == letter), None)

    def answer(self, family: str) -> Judged | None:
        """Return what was answered last for a family."""
        return next((s for s in reversed(self.seen) if s.family == family), None)

    @property
    def result(self) -> str | None:
        """Letter of the print that is best, '' where no difference is seen, None where nothing was seen or measured.

        Eyes count before the scan: what they do not see is no difference.
        """
        last = {s.family: s.best for s in self.seen}
        if last:
            counts = {p.letter: sum(best == p.letter for best in last.values()) for p in self.prints}
            most = max(counts.values())
            leaders = [letter for letter, count in counts.items() if count == most and most]
            alike = sum(best == NO_DIFFERENCE for best in last.values())
            return leaders[0] if len(leaders) == 1 and most > alike else NO_DIFFERENCE
        return self.measured[-1].best.get("all", NO_DIFFERENCE) if self.measured else None

    @property
    def by_eye(self) -> str:
        """What eyes came to, in a sentence; '' where nobody looked."""
        last = {s.family: s.best for s in self.seen}
        if not last:
            return ""
        counts = {p.letter: sum(best == p.letter for best in last.values()) for p in self.prints}
        most = max(counts.values(), default=0)
        leaders = [letter for letter, count in counts.items() if count == most and most]
        alike = sum(best == NO_DIFFERENCE for best in last.values())
        said = tr("By eye, no difference in {alike} of {n}", alike=alike, n=len(last)) if alike else ""
        if len(leaders) == 1 and most > alike:
            led = tr("By eye {leaders} is nearest in {most} of {n}", leaders=leaders[0], most=most, n=len(last))
            return tr("{led}; no difference in {alike}.", led=led, alike=alike) if alike else f"{led}."
        return tr("{said}; nobody leads.", said=said) if said else tr("By eye nobody leads.")


def now() -> datetime.datetime:
    """Return this moment, in whole seconds."""
    return datetime.datetime.now().replace(microsecond=0)
