"""Guess what a profile is for from its description, its file's name and its texts. Guesses are marked as guesses."""

from __future__ import annotations

import re
from dataclasses import dataclass

from fidele.icc.describe import Description
from fidele.papers.model import ABOUT, MADE, Said


@dataclass(frozen=True)
class Known:
    """Names that this workshop knows: of printers, media, pieces and inks."""

    printers: tuple[str, ...] = ()
    media: tuple[str, ...] = ()
    substrates: tuple[str, ...] = ()
    inks: tuple[str, ...] = ()


def plain(text: str) -> str:
    """Return text in small letters, with everything but letters and digits as single blanks."""
    return " ".join(re.findall(r"[^\W_]+", text.casefold()))


def named(text: str, names: tuple[str, ...]) -> str:
    """Return the longest of `names` that stands in `text` as whole words, or by one telling word; '' when none does."""
    padded = f" {plain(text)} "
    whole = max((n for n in names if plain(n) and f" {plain(n)} " in padded), key=len, default="")
    if whole:
        return whole
    # One telling word of a name will do where no other name has it: 'slate' for 'coated slate'.
    for name in names:
        for word in plain(name).split():
            others = [n for n in names if n != name and f" {word} " in f" {plain(n)} "]
            if len(word) > 4 and word.isalpha() and not others and f" {word} " in padded:
                return name
    return ""


def guess(what: Description, file_name: str, known: Known) -> dict[str, Said]:
    """Return what can be guessed of a profile.

    Statements in its metadata tag (names beginning with 'about.' or 'made.') are its maker's own, and no guesses.
    """
    found: dict[str, Said] = {}
    for name, value in what.meta.items():
        kind, _, field = name.partition(".")
        if ((kind == "about" and field in ABOUT) or (kind == "made" and field in MADE)) and value.strip():
            found[field] = Said(value=value.strip(), origin="maker", sentence="the profile's metadata")
    if what.maker:
        found.setdefault("maker", Said(value=what.maker, origin="text tag", sentence=what.maker))
    stem = re.sub(r"\.ic[cm]$", "", file_name, flags=re.IGNORECASE)
    for text, origin in ((what.description, "description"), (stem, "file name"), (what.model, "text tag")):
        for field, names in (
            ("printer", known.printers),
            ("media", known.media),
            ("substrate", known.substrates),
            ("ink", known.inks),
        ):
            name = named(text, names)
            if name and field not in found:
                found[field] = Said(value=name, origin=origin, sentence=text)  # type: ignore[arg-type]
    if what.device_class == "prtr":
        _by_place(what.description, found)
    return found


def _by_place(description: str, found: dict[str, Said]) -> None:
    """Take 'printer, media, piece' for what it looks like where the names are not known here."""
    parts = [p.strip() for p in re.split(r"\s*[,;/|]\s*|\s+[-–]\s+", description) if p.strip()]
    if len(parts) < 2:
        return
    for field, part in zip(("printer", "media", "substrate"), parts, strict=False):
        taken = {plain(s.value) for s in found.values()}
        if field not in found and plain(part) not in taken:
            found[field] = Said(value=part, origin="description", sentence=description)
