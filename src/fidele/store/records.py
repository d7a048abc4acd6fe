"""What the logbook keeps, as it is handed out."""

from __future__ import annotations

import datetime
import json
from functools import cached_property

from fidele.dataclass import dataclass
from fidele.language import named

#: States of a run that is yet to be printed, being printed, or done with.
WAITING = (named("held"), named("waiting"))
BUSY = (named("preparing"), named("printing"))
DONE = (named("printed"), named("failed"), named("cancelled"), named("interrupted"))


@dataclass(frozen=True)
class Verdict:
    """What a check said: ΔE00 figures, 'pass' or 'fail', the cause's code, and by what it was judged."""

    mean: float
    p95: float
    largest: float
    verdict: str
    cause: str
    words: tuple[str, ...] = ()
    chart: str = ""
    tolerance: str = ""
    against: str = ""
    instrument: str = ""
    uncertainty: float = 0.0


@dataclass(frozen=True)
class Check:
    """A check of a run, as the logbook keeps it: when, which run, and the card as it was, as JSON."""

    at: datetime.datetime
    run: int
    card: str
    settings: str
    verdict: Verdict


@dataclass(frozen=True)
class KeptRun:
    """Everything that is kept of a run; `settings`, `receipt` and `press` as JSON. `verdict` is that of its last check:
    'pass', 'fail', or '' where it was not checked."""

    id: int
    at: datetime.datetime
    title: str
    card: str
    profile: str | None
    settings: str
    receipt: str
    overridden: str
    press: str | None
    state: str
    job: str
    why: str
    passed: str
    target: str
    not_before: str
    media_mm2: float
    card_name: str
    verdict: str
    mean: float | None
    cause: str

    @cached_property
    def text(self) -> str:
        """What it can be searched by, in small letters: title, condition, state, reason, day and artwork."""
        artwork = " ".join(one["artwork"] for one in json.loads(self.job or "{}").get("lying", ()))
        said = f"{self.id} {self.title} {self.card_name} {self.state} {self.overridden} {self.at:%d.%m.%Y} {artwork}"
        return said.casefold()


@dataclass(frozen=True)
class Queued:
    """A run that is yet to be printed or being printed: `card` is the condition's id, `card_name` its name."""

    id: int
    at: datetime.datetime
    title: str
    card: str
    card_name: str
    state: str
    why: str
    place: float
    target: str
    not_before: datetime.datetime | None
