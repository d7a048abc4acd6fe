"""Text tags in every form: plain text, version 2 description, version 4 multi-localised Unicode."""

from __future__ import annotations

import struct

from fidele.icc.profile import Profile


def text_of(profile: Profile, signature: str) -> str:
    """Return the text of a tag in English where there is a choice; '' when it is missing or unreadable."""
    tag = profile.tags.get(signature)
    if tag is None:
        return ""
    raw = profile.raw(signature)
    if tag.kind == "text":
        return _clean(raw[8:].split(b"\0")[0].decode("utf-8", "replace"))
    if tag.kind == "desc":
        return _description(raw)
    if tag.kind == "mluc":
        return _localised(raw)
    return ""


def _clean(text: str) -> str:
    text = text.replace("\0", "")
    if not text.isprintable():  # some hold pages of text: what cannot be printed is few kinds of characters in it
        text = text.translate({ord(c): " " for c in set(text) if not c.isprintable()})
    return text.strip()


def _description(raw: bytes) -> str:
    """Decode textDescriptionType (ICC.1:2001-04, 6.5.17): ASCII, then Unicode, then a Macintosh script string."""
    if len(raw) < 12:
        return ""
    count = struct.unpack_from(">I", raw, 8)[0]
    if count > len(raw) - 12:
        return ""
    plain = _clean(raw[12 : 12 + count].split(b"\0")[0].decode("latin-1"))
    if plain:
        return plain
    place = 12 + count
    if place + 8 <= len(raw):
        units = struct.unpack_from(">I", raw, place + 4)[0]
        if units and place + 8 + 2 * units <= len(raw):
            wide = raw[place + 8 : place + 8 + 2 * units]
            order = "utf-16-le" if wide[:2] == b"\xff\xfe" else "utf-16-be"
            return _clean(wide.decode(order, "replace").lstrip("\ufeff").split("\0")[0])
    return ""


def _localised(raw: bytes) -> str:
    """Decode multiLocalizedUnicodeType (ICC.1:2022, 10.15)."""
    if len(raw) < 16:
        return ""
    count, size = struct.unpack_from(">II", raw, 8)
    best = ""
    for row in range(min(count, 200)):
        place = 16 + row * max(size, 12)
        if place + 12 > len(raw):
            break
        language, _country, length, offset = struct.unpack_from(">2s2sII", raw, place)
        if offset + length > len(raw):
            continue
        text = _clean(raw[offset : offset + length].decode("utf-16-be", "replace"))
        if language == b"en" and text:
            return text
        best = best or text
    return best


def dictionary_of(profile: Profile, signature: str) -> dict[str, str]:
    """Return names and values of a dictType tag (ICC Votable 'dict', ICC.1:2022, metadataTag); {} when unreadable."""
    tag = profile.tags.get(signature)
    if tag is None or tag.kind != "dict":
        return {}
    raw = profile.raw(signature)
    if len(raw) < 16:
        return {}
    count, size = struct.unpack_from(">II", raw, 8)
    if size not in (16, 24, 32):
        return {}
    found = {}
    for row in range(min(count, 500)):
        place = 16 + row * size
        if place + 16 > len(raw):
            break
        at, length, value_at, value_length = struct.unpack_from(">4I", raw, place)
        if at + length > len(raw) or value_at + value_length > len(raw):
            continue
        name, value = (
            _clean(raw[a : a + n].decode("utf-16-be", "replace")) for a, n in ((at, length), (value_at, value_length))
        )
        found[name] = value
    return found
