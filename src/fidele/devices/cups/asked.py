"""What a driverless printer says of itself beyond its queue's description: margins by way in, what excludes what.

The print service makes a description (PPD) for such a queue, in which both are lost. They are asked for in IPP
(RFC 8011; PWG 5100.7 for `media-col-database`, PWG 5100.13 for `job-constraints-supported`).
"""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Any
from urllib.parse import urlsplit

from fidele.dataclass import dataclass
from fidele.devices.cups.ppd import Ppd
from fidele.errors import FideleError
from fidele.ipp.message import CHARSET, COLLECTION, KEYWORD, LANGUAGE, OPERATION, URI, Message, Typed, decode, one
from fidele.language import tr

_GET, _SECONDS, _MOST = 0x000B, 4.0, 4 << 20
_WANTED = ("media-col-database", "job-constraints-supported")
#: Attributes of a job, and the options that stand for them in a queue's description.
_OPTIONS = {
    "media-type": "MediaType",
    "media-source": "InputSlot",
    "print-quality": "cupsPrintQuality",
    "sides": "Duplex",
    "print-color-mode": "ColorModel",
}
_QUALITIES = {3: "draft", 4: "normal", 5: "high"}
_SIDES = {"one-sided": "none", "two-sided-long-edge": "duplexnotumble", "two-sided-short-edge": "duplextumble"}
_MODES = {"monochrome": "gray", "color": "rgb"}

Margins = tuple[float, float, float, float]


@dataclass(frozen=True)
class Beyond:
    """What a printer said.

    Attributes
    ----------
    margins
        Left, top, right and bottom in mm by width and length in mm, rounded, and way in ('' where none is named).
    excludes
        Pairs of attribute and value, in plain letters, that cannot go together.
    """

    margins: dict[tuple[int, int, str], Margins]
    excludes: tuple[tuple[str, str, str, str], ...] = ()

    def on(self, ppd: Ppd) -> Ppd:
        """Return a queue's description with what excludes what beside what it says itself."""
        choices = {(o.keyword, _plain(k)): k for o in ppd.options for k in o.choices}
        found = []
        for one_, its, other, others in self.excludes:
            a, b = (choices.get((_OPTIONS[n], v)) for n, v in ((one_, its), (other, others)))
            if a is not None and b is not None:
                found.append((_OPTIONS[one_], a, _OPTIONS[other], b))
        return replace(ppd, conflicts=(*ppd.conflicts, *(c for c in found if c not in ppd.conflicts)))

    def margins_of(self, width: float, height: float, feed: str) -> Margins | None:
        """Return the margins of a sheet in mm fed by a choice of the way in; None where nothing is said of it."""
        size = round(width), round(height)
        return self.margins.get((*size, _plain(feed)), self.margins.get((*size, "")))


def ask_printer(uri: str) -> Beyond:
    """Ask a printer, by its address (ipp: or ipps:), for what its queue's description leaves out.

    Raises
    ------
    FideleError
        When it does not answer, or answers with something else.
    """
    import http.client  # what speaks over the network is slow to load, and few ask for it
    import ssl

    where = urlsplit(uri)
    host, port = where.hostname or "", where.port or 631
    asked = Message(
        _GET,
        1,
        [
            (
                OPERATION,
                {
                    "attributes-charset": one(CHARSET, "utf-8"),
                    "attributes-natural-language": one(LANGUAGE, "en"),
                    "printer-uri": one(URI, uri),
                    "requested-attributes": Typed(KEYWORD, _WANTED),
                },
            )
        ],
    )
    connection: http.client.HTTPConnection
    try:
        if where.scheme == "ipps":
            # Printers sign for themselves; nothing is told to them here, and nothing of the answer acts.
            context = ssl._create_unverified_context()
            connection = http.client.HTTPSConnection(host, port, timeout=_SECONDS, context=context)
        else:
            connection = http.client.HTTPConnection(host, port, timeout=_SECONDS)
        connection.request("POST", where.path or "/", asked.encode(), {"Content-Type": "application/ipp"})
        data = connection.getresponse().read(_MOST)
        connection.close()
    except (OSError, http.client.HTTPException, ValueError) as error:
        raise FideleError(tr("The printer at {host} does not answer.", host=host)) from error
    return read_answer(data)


def read_answer(data: bytes) -> Beyond:
    """Read a printer's answer; `FideleError` where it is none."""
    message, _ = decode(data)
    margins: dict[tuple[int, int, str], Margins] = {}
    excludes: list[tuple[str, str, str, str]] = []
    for _, group in message.groups:
        for column in _collections(group, "media-col-database"):
            _add_margins(margins, column)
        for refused in _collections(group, "job-constraints-supported"):
            excludes += _pairs(refused)
    return Beyond(margins, tuple(excludes))


def _collections(group: dict[str, Typed], name: str) -> list[dict[str, Typed]]:
    found = group.get(name)
    return [v for v in found.values if isinstance(v, dict)] if found is not None and found.kind == COLLECTION else []


def _first(column: dict[str, Typed], name: str) -> Any:
    found = column.get(name)
    return found.values[0] if found is not None and found.values else None


def _add_margins(margins: dict[tuple[int, int, str], Margins], column: dict[str, Typed]) -> None:
    size = _first(column, "media-size")
    if not isinstance(size, dict):
        return
    sides = [_first(size, f"{side}-dimension") for side in "xy"]
    edges = [_first(column, f"media-{edge}-margin") for edge in ("left", "top", "right", "bottom")]
    if not all(isinstance(v, int) and v >= 0 for v in (*sides, *edges)):
        return  # a range: sizes of one's own
    made = (edges[0] / 100, edges[1] / 100, edges[2] / 100, edges[3] / 100)
    width, height = (round(v / 100) for v in sides)
    for source in {_plain(str(_first(column, "media-source") or "")), ""}:
        known = margins.get((width, height, source))
        # Where it says several, the widest hold: what is laid within them is printed whichever way it is fed.
        margins[width, height, source] = made if known is None else _widest(known, made)


def _widest(one_: Margins, other: Margins) -> Margins:
    left, top, right, bottom = (max(a, b) for a, b in zip(one_, other, strict=True))
    return left, top, right, bottom


def _pairs(refused: dict[str, Typed]) -> list[tuple[str, str, str, str]]:
    """Return what a constraint between two attributes excludes, value by value; of more than two nothing is told."""
    said: dict[str, list[str]] = {}
    for name, attribute in refused.items():
        if name == "media-col":
            for column in (v for v in attribute.values if isinstance(v, dict)):
                for inner, values in column.items():
                    said.setdefault(inner, []).extend(_words(inner, values.values))
        elif name != "resolver-name":
            said.setdefault(name, []).extend(_words(name, attribute.values))
    if len(said) != 2 or not said.keys() <= _OPTIONS.keys():
        return []
    (one_, its), (other, others) = said.items()
    return [(one_, a, other, b) for a in its for b in others]


def _words(name: str, values: tuple[Any, ...]) -> list[str]:
    tables: dict[str, dict] = {"print-quality": _QUALITIES, "sides": _SIDES, "print-color-mode": _MODES}
    table = tables.get(name, {})
    return [str(table.get(v, _plain(str(v)))) for v in values]


def _plain(word: str) -> str:
    """Return a keyword as both sides write it: 'by-pass-tray' and 'ByPassTray' are one."""
    return re.sub(r"[^a-z0-9]", "", word.casefold())
