"""The screen that proofs are looked at on: through which profile they are shown, and how far that can be trusted."""

from __future__ import annotations

import datetime

from fidele.dataclass import dataclass
from fidele.icc.conform import created
from fidele.icc.profile import Profile
from fidele.icc.text import text_of
from fidele.language import quoted, tr

#: Screens drift: a profile older than this is asked about.
_OLD = 270


@dataclass(frozen=True)
class ScreenFound:
    """What was found out about a screen.

    Attributes
    ----------
    profile
        Its profile, None where none was found or none is to be used.
    how
        Where the profile comes from, or why there is none, in words.
    managed
        Whether the desktop itself converts for the screen, so that proofs are given to it in sRGB.
    """

    profile: Profile | None = None
    how: str = tr("no profile of this screen was found")
    managed: bool = False


@dataclass(frozen=True)
class Display:
    """How proofs are shown: the profile (None for sRGB), what that is in words, and advice, '' for none."""

    profile: Profile | None
    words: str
    advice: str = ""
    doubtful: bool = False


def display_of(found: ScreenFound, chosen: Profile | None, title: str, today: datetime.date) -> Display:
    """Return how proofs are shown on a screen: through the profile that a person chose, the one found, or sRGB."""
    if chosen is not None:
        return Display(
            chosen, tr("“{title}”, chosen by you{aged}", title=title, aged=_aged(chosen, today)), _advice(chosen, today)
        )
    if found.managed:
        return Display(None, tr("sRGB, {how}", how=found.how))
    if found.profile is not None:
        name = text_of(found.profile, "desc") or tr("its profile")
        words = f"{quoted(name)}, {found.how}{_aged(found.profile, today)}"
        return Display(found.profile, words, _advice(found.profile, today))
    return Display(
        None,
        tr("caution, taken for sRGB: {how}", how=found.how),
        tr("Have a profile made for it, or choose one on the shelf, before anybody approves colours here."),
        True,
    )


def _age(profile: Profile, today: datetime.date) -> int | None:
    made = created(profile)
    return (today - made.date()).days if made else None


def _aged(profile: Profile, today: datetime.date) -> str:
    days = _age(profile, today)
    if days is None or days < 0:
        return ""
    return tr(", {days} days old", days=days) if days < 60 else tr(", {days} months old", days=round(days / 30.4))


def _advice(profile: Profile, today: datetime.date) -> str:
    days = _age(profile, today)
    return tr("Screens drift: have a new profile made.") if days is not None and days > _OLD else ""
