"""The language that Fidele speaks: every sentence in whole phrases, from gettext catalogues, with numbers as it
writes them.

It is chosen once, when the process starts, so that labels made while modules are read are in it, too: by
FIDELE_LANGUAGE, by what the user chose in the settings, by the locale's messages, in this order. What programs read
(files, JSON) is not written through it.
"""

from __future__ import annotations

import gettext
import os
import string
from collections.abc import Sequence
from pathlib import Path
from typing import Any

CATALOGUES = Path(__file__).parent / "data" / "locale"
#: What can be chosen, and what each is called by those who speak it.
LANGUAGES = {"en": "English", "de": "Deutsch", "es": "español"}
#: Chosen by the user of this account, for all workshops.
_KEPT = "language"


def _folder() -> Path:
    return Path(os.environ.get("XDG_CONFIG_HOME") or Path.home() / ".config") / "fidele"


def chosen() -> str:
    """Return the language that the user chose, '' for that of the desktop."""
    try:
        kept = (_folder() / _KEPT).read_text(encoding="ascii").strip()
    except (OSError, ValueError):
        return ""
    return kept if kept in LANGUAGES else ""


def choose(language: str) -> None:
    """Keep a language for the next start; '' for that of the desktop.

    Raises
    ------
    OSError
        When it cannot be kept.
    """
    folder = _folder()
    folder.mkdir(parents=True, exist_ok=True)
    beside = folder / f".{_KEPT}.new"
    beside.write_text(language, encoding="ascii")
    beside.replace(folder / _KEPT)


def of_the_desktop() -> str:
    """Return the language of the locale's messages, English where Fidele does not speak it."""
    said = next((v for n in ("LC_ALL", "LC_MESSAGES", "LANG") if (v := os.environ.get(n))), "")
    wished = [*os.environ.get("LANGUAGE", "").split(":"), said] if said not in ("", "C", "POSIX") else [said]
    return next((code for w in wished if (code := w[:2].lower()) in LANGUAGES), "en")


def _now() -> str:
    forced = os.environ.get("FIDELE_LANGUAGE", "")
    return forced if forced in LANGUAGES else chosen() or of_the_desktop()


LANGUAGE = _now()
_WISHED = os.environ.get("LANGUAGE")


def _catalogue() -> gettext.NullTranslations:
    if LANGUAGE == "en":
        return gettext.NullTranslations()
    return gettext.translation("fidele", CATALOGUES, [LANGUAGE], fallback=True)


def lend() -> None:
    """Let libraries that ask gettext themselves, as the one that reads the command line does, speak it too."""
    gettext.bindtextdomain("fidele", str(CATALOGUES))
    gettext.textdomain("fidele")
    os.environ["LANGUAGE"] = LANGUAGE


def take_back() -> None:
    """Give the environment back as it was, for whoever is started in this one's place."""
    if _WISHED is None:
        os.environ.pop("LANGUAGE", None)
    else:
        os.environ["LANGUAGE"] = _WISHED


class _Written(string.Formatter):
    """Formats as `str.format` does, with a comma for the point of decimals."""

    def get_value(self, key: int | str, args: Sequence[Any], kwargs: Any) -> Any:
        return kwargs[key]

    def format_field(self, value: Any, spec: str) -> Any:
        said = format(value, spec)
        # What takes a number's spec is a number; text and dates are left alone.
        if isinstance(value, str) or not hasattr(value, "__float__"):
            return said
        return decimals(said)


_QUOTES = {"en": "“{}”", "de": "„{}“", "es": "«{}»"}
_SWAPPED = str.maketrans({".": ",", ",": "."})
_catalogue_now = _catalogue()
_written = _Written()


def decimals(number: str) -> str:
    """Return a number as Python writes it in the way of the language: 1,234.5 as 1.234,5."""
    return number if LANGUAGE == "en" else number.translate(_SWAPPED)


def filled(said: str, /, **values: object) -> str:
    """Return a phrase that is in the user's language already, with its named values put in as `str.format` does."""
    return said.format(**values) if LANGUAGE == "en" else _written.vformat(said, (), values)


def tr(text: str, /, **values: object) -> str:
    """Return a phrase in the user's language, with its named values put in."""
    said = _catalogue_now.gettext(text) if text else text
    return filled(said, **values) if values else said


def trn(one: str, many: str, number: int, /, **values: object) -> str:
    """Return the phrase for one or for many in the user's language, with its named values put in."""
    said = _catalogue_now.ngettext(one, many, int(number))
    return filled(said, **values) if values else said


def quoted(name: object, /) -> str:
    """Return a name between the quotation marks of the user's language."""
    return _QUOTES[LANGUAGE].format(name)


def named(text: str, /) -> str:
    """Return a phrase as it is: a name by which the program knows something, said through `tr` where it is shown."""
    return text


def lowered(words: str, /) -> str:
    """Return a label as it stands in a sentence: in small letters, but in German, where nouns keep theirs."""
    return words if LANGUAGE == "de" else words.lower()
