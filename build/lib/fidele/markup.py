"""Parse XML from files of unknown origin: no entities of their own, by which a small file can grow without end."""

from __future__ import annotations

from pathlib import Path
from xml.etree import ElementTree

from fidele.errors import FideleError
from fidele.language import tr


def parsed(data: bytes, path: Path) -> ElementTree.Element:
    """Return the root of a document; names carry their namespace as '{namespace}name'.

    Raises
    ------
    FideleError
        When it is damaged or defines entities; `path` is how the message calls it.
    """
    from defusedxml import DefusedXmlException
    from defusedxml.ElementTree import fromstring

    try:
        root: ElementTree.Element = fromstring(data)
        return root
    except DefusedXmlException as error:
        raise FideleError(tr("{path} defines entities of its own, which Fidele does not follow.", path=path)) from error
    except (ElementTree.ParseError, ValueError, LookupError) as error:
        raise FideleError(tr("{path} is damaged and cannot be opened ({error}).", path=path, error=error)) from error
