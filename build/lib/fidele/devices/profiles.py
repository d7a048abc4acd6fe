"""Profiles that drivers and print systems are given by path: what they are called, whether two are the same."""

from __future__ import annotations

from pathlib import Path

from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.icc.tables import matrix_model
from fidele.icc.text import text_of


def passes_through(source: Path | None, target: Path | None) -> bool:
    """Tell whether a layer converts from a matrix profile to the very same one, which leaves the numbers alone.

    A profile with tables does not do: from itself to itself it moves numbers by up to a tenth of their range.
    """
    if source is None or target is None:
        return False
    try:
        one, other = Profile.open(source), Profile.open(target)
        tables = any(s[:3] in ("A2B", "B2A") for s in other.tags)
        return one.content_id == other.content_id and not tables and matrix_model(other) is not None
    except FideleError:
        return False


def same_profile(one: Path | str | None, other: Path | str | None) -> bool:
    """Tell whether two paths lead to the same profile, by its content."""
    if str(one) == str(other):
        return True
    try:
        return (
            one is not None
            and other is not None
            and "" not in (one, other)
            and Profile.open(Path(one)).content_id == Profile.open(Path(other)).content_id
        )
    except FideleError:  # a file that is gone is no profile at all
        return False


def profile_name(path: Path | str | None) -> str:
    """Return what the profile at a path calls itself, else the file's name; 'none' for no path."""
    if not path:
        return "none"
    try:
        return text_of(Profile.open(Path(path)), "desc") or Path(path).name
    except FideleError:  # the print system may name a file that is gone
        return Path(path).name
