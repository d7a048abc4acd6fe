"""Guess what a profile is for from its description, its file's name and its texts. Guesses are marked as guesses."""

from __future__ import annotations

import re
from functools import lru_cache

from fidele.dataclass import dataclass
from fidele.icc.describe import Description
from fidele.language import tr
from fidele.papers.model import ABOUT, MADE, Said


@dataclass(frozen=True)
class Known:
    """Names that this workshop knows: of printers, media, pieces and inks."""

    printers: tuple[str, ...] = ()
    media: tuple[str, ...] = ()
    substrates: tuple[str, ...] = ()
    inks: tuple[str, ...] = ()


@lru_cache(maxsize=8192)
def plain(text: str) -> str:
    """Return text in small letters, with everything but letters and digits as single blanks."""
    return " ".join(re.findall(r"[^\W_]+", text.casefold()))


def likeness(one: str, other: str, maker: str = "") -> float:
    """Say how much the names of two media are alike, 0 to 1: by their words, those of the maker left out."""
    own = set(plain(maker).split())
    a, b = set(plain(one).split()) - own, set(plain(other).split()) - own
    return len(a & b) / len(a | b) if a and b else 0.0


def named(text: str, names: tuple[str, ...]) -> str:
    """Return the longest of `names` that stands in `text` as whole words, or by one telling word; '' when none does."""
    return _named(_parts(text), names)


def _parts(text: str) -> list[str]:
    """Return the parts of 'printer, media, piece' in plain text."""
    return [p for p in map(plain, re.split(r"[,;/|]|\s[-–]\s", text)) if p]


def _named(parts: list[str], names: tuple[str, ...]) -> str:
    whole, telling = _index(names)
    padded = f" {' '.join(parts)} "
    for words, name in whole:
        if words in padded:
            return name
    for part in parts:
        own = part.split()
        found = next((telling[word] for word in own if word in telling), "")
        # Where the text has parts, each is a name of its own: 'Beck board' is not another maker's 'board'.
        if found and (len(parts) == 1 or set(own) <= set(plain(found).split())):
            return found
    return ""


@lru_cache(maxsize=64)
def _index(names: tuple[str, ...]) -> tuple[tuple[tuple[str, str], ...], dict[str, str]]:
    """Return names in padded plain text, the longest first, and the words that tell one of them from all others.

    One telling word will do where no other name has it: 'slate' for 'coated slate'.
    """
    words = {name: plain(name).split() for name in names if plain(name)}
    whole = tuple((f" {' '.join(words[n])} ", n) for n in sorted(words, key=len, reverse=True))
    telling = {
        word: name
        for name, own in words.items()
        for word in own
        if len(word) > 4 and word.isalpha() and sum(word in other for other in words.values()) == 1
    }
    return whole, telling


def guess(what: Description, file_name: str, known: Known) -> dict[str, Said]:
    """Return what can be guessed of a profile.

    Statements in its metadata tag (names beginning with 'about.' or 'made.') are its maker's own, and no guesses.
    """
    found: dict[str, Said] = {}
    for name, value in what.meta.items():
        kind, _, field = name.partition(".")
        if ((kind == "about" and field in ABOUT) or (kind == "made" and field in MADE)) and value.strip():
            found[field] = Said(value=value.strip(), origin="maker", sentence=tr("the profile's metadata"))
    if what.maker:
        found.setdefault("maker", Said(value=what.maker, origin="text tag", sentence=what.maker))
    stem = re.sub(r"\.ic[cm]$", "", file_name, flags=re.IGNORECASE)
    for text, origin in ((what.description, "description"), (stem, "file name"), (what.model, "text tag")):
        parts = _parts(text)
        for field, names in (
            ("printer", known.printers),
            ("media", known.media),
            ("substrate", known.substrates),
            ("ink", known.inks),
        ):
            name = _named(parts, names)
            if name and field not in found:
                found[field] = Said(value=name, origin=origin, sentence=text)  # type: ignore[arg-type]
    if what.device_class == "prtr":
        _by_place(what.description, found)
        _by_rest(what.description, found)
    return found


def _by_rest(description: str, found: dict[str, Said]) -> None:
    """Take what is left of a description that names its printer, and nothing else that is known, for its media."""
    printer = found.get("printer")
    if "media" in found or printer is None or len(_parts(description)) > 1:
        return
    taken = set(plain(printer.value).split())
    taken |= {w for name in ("substrate", "ink") if name in found for w in plain(found[name].value).split()}
    words = [w for w in re.findall(r"[^\W_]+", description) if w.casefold() not in taken]
    if words and any(w[0].isalpha() for w in words):
        found["media"] = Said(value=" ".join(words), origin="description", sentence=description)


def _by_place(description: str, found: dict[str, Said]) -> None:
    """Take 'printer, media, piece' for what it looks like where the names are not known here."""
    parts = [p.strip() for p in re.split(r"\s*[,;/|]\s*|\s+[-–]\s+", description) if p.strip()]
    if len(parts) < 2:
        return
    for field, part in zip(("printer", "media", "substrate"), parts, strict=False):
        taken = {plain(s.value) for s in found.values()}
        if field not in found and plain(part) not in taken:
            found[field] = Said(value=part, origin="description", sentence=description)
