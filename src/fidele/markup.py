"""Parse XML from files of unknown origin: no entities of their own, by which a small file can grow without end."""

from __future__ import annotations

from pathlib import Path
from xml.etree import ElementTree
from xml.parsers import expat

from fidele.errors import FideleError


def parsed(data: bytes, path: Path) -> ElementTree.Element:
    """Return the root of a document; names carry their namespace as '{namespace}name'.

    Raises
    ------
    FideleError
        When it is damaged or defines entities; `path` is how the message calls it.
    """
    builder = ElementTree.TreeBuilder()
    parser = expat.ParserCreate(namespace_separator="}")

    def name(raw: str) -> str:
        return "{" + raw if "}" in raw else raw

    def refuse(*_: object) -> None:
        raise FideleError(f"{path} defines entities of its own, which Fidele does not follow.")

    parser.EntityDeclHandler = refuse
    parser.StartElementHandler = lambda tag, given: builder.start(name(tag), {name(k): v for k, v in given.items()})
    parser.EndElementHandler = lambda tag: builder.end(name(tag))
    parser.CharacterDataHandler = builder.data
    try:
        parser.Parse(data, True)
        return builder.close()
    except (expat.ExpatError, AssertionError) as error:
        raise FideleError(f"{path} is damaged and cannot be opened ({error}).") from error
