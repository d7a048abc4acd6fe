"""Whether a profile keeps to the letter of ICC.1: each finding in plain words, with the clause.

Source: ICC.1:2022 (version 4.4) for profiles of version 4, ICC.1:2001-04 (version 2.4) for those of version 2.
"""

from __future__ import annotations

import datetime
import hashlib
import itertools
import struct
from collections.abc import Iterator

import numpy as np

from fidele.colour.cie import D50
from fidele.dataclass import dataclass
from fidele.icc.profile import Profile, size_fault
from fidele.language import tr


@dataclass(frozen=True)
class Problem:
    """One thing that is wrong or doubtful: a stable code, a weight (stop, caution, note), a sentence, the clause."""

    code: str
    weight: str
    message: str
    clause: str = ""


_MATRIX = ("rXYZ", "gXYZ", "bXYZ", "rTRC", "gTRC", "bTRC")
_TABLES = ("A2B0", "B2A0", "A2B1", "B2A1", "A2B2", "B2A2", "gamt")

#: Clauses on the required tags, by class: of version 4 and of version 2.
_CLASS_CLAUSE = {
    "scnr": ("8.3", "6.3.1"),
    "mntr": ("8.4", "6.3.2"),
    "prtr": ("8.5", "6.3.3"),
    "link": ("8.6", "6.3.4.1"),
    "spac": ("8.7", "6.3.4.2"),
    "abst": ("8.8", "6.3.4.3"),
    "nmcl": ("8.9", "6.3.4.4"),
}

_PLAIN = {
    "desc": tr("a description"),
    "cprt": tr("a copyright"),
    "wtpt": tr("the white of the media"),
    "chad": tr("how it was adapted to D50"),
    "gamt": tr("a gamut table"),
    "A2B0": tr("a table from device to colour"),
    "B2A0": tr("a table from colour to device"),
    "A2B1": tr("a colorimetric table from device to colour"),
    "B2A1": tr("a colorimetric table from colour to device"),
    "A2B2": tr("a saturation table from device to colour"),
    "B2A2": tr("a saturation table from colour to device"),
    "kTRC": tr("the tone curve of grey"),
    "ncl2": tr("its list of colours"),
    "pseq": tr("the profiles that it was made of"),
}

_CURVE = {"curv", "para"}
_A2B, _B2A = {"mft1", "mft2", "mAB"}, {"mft1", "mft2", "mBA"}
#: The types that a tag may have, in version 4; what differs in version 2 is in `_TYPES_2`.
_TYPES = (
    {f"A2B{n}": _A2B for n in range(3)}
    | {f"B2A{n}": _B2A for n in range(3)}
    | {f"{c}XYZ": {"XYZ"} for c in "rgb"}
    | {f"{c}TRC": _CURVE for c in "rgbk"}
    | {"gamt": _B2A, "desc": {"mluc"}, "cprt": {"mluc"}, "wtpt": {"XYZ"}, "bkpt": {"XYZ"}, "lumi": {"XYZ"}}
    | {"chad": {"sf32"}, "targ": {"text"}, "dmnd": {"mluc"}, "dmdd": {"mluc"}, "tech": {"sig"}, "meas": {"meas"}}
    | {"view": {"view"}, "vued": {"mluc"}, "calt": {"dtim"}, "chrm": {"chrm"}, "clrt": {"clrt"}, "ncl2": {"ncl2"}}
    | {"pseq": {"pseq"}, "meta": {"dict"}}
)
_TYPES_2 = (
    {f"A2B{n}": {"mft1", "mft2"} for n in range(3)}
    | {f"B2A{n}": {"mft1", "mft2"} for n in range(3)}
    | {f"{c}TRC": {"curv"} for c in "rgbk"}
    | {"gamt": {"mft1", "mft2"}, "desc": {"desc"}, "cprt": {"text"}, "dmnd": {"desc"}, "dmdd": {"desc"}}
    | {"vued": {"desc"}}
)


def conformance(profile: Profile) -> list[Problem]:
    """Return what is not as ICC.1 has it. None of it alone keeps a profile from being used: damage does that."""
    newer = profile.header.version >= "4"
    found = [*_header(profile, newer), *_tag_table(profile, newer), *_types(profile, newer)]
    return [*found, *_required(profile, newer), *_white(profile, newer)]


def _clause(newer: bool, number_4: str, number_2: str) -> str:
    return f"ICC.1:2022, {number_4}" if newer else f"ICC.1:2001-04, {number_2}"


def _header(profile: Profile, newer: bool) -> Iterator[Problem]:
    header, data = profile.header, profile.data
    if not "2" <= header.version < "5":
        yield Problem(
            "version",
            "caution",
            tr("It says version {version}; Fidele knows 2 and 4.", version=header.version),
            _clause(newer, "7.2.4", "6.1.3"),
        )
    if np.abs(np.array(header.illuminant) - D50).max() > 0.0006:
        yield Problem(
            "illuminant",
            "caution",
            tr("The connection space's illuminant is not D50."),
            _clause(newer, "7.2.16", "6.1.11"),
        )
    if header.intent > 3:
        yield Problem(
            "header-intent",
            "note",
            tr("It asks for rendering intent {intent}, which there is not.", intent=header.intent),
            _clause(newer, "7.2.15", "6.1.10"),
        )
    if created(profile) is None:
        yield Problem("date", "note", tr("Its date of making is not a date."), _clause(newer, "7.2.8", "6.1.6"))
    if newer and any(header.profile_id) and header.profile_id != profile_md5(data):
        yield Problem(
            "profile-id",
            "caution",
            tr("Its checksum does not match: something changed it after it was made."),
            _clause(newer, "7.2.18", ""),
        )
    if newer and any(data[100:128]):
        yield Problem(
            "reserved", "note", tr("Bytes of the header that are to be zero are not."), _clause(True, "7.2.19", "")
        )


def created(profile: Profile) -> datetime.datetime | None:
    """Return the date of making, None where the header holds no date."""
    try:
        return datetime.datetime(*profile.header.created)
    except ValueError:
        return None


def profile_md5(data: bytes) -> bytes:
    """Return the profile ID (ICC.1:2022, 7.2.18): MD5 with flags, intent and the ID itself set to zero."""
    blank = bytearray(data)
    for start, end in ((44, 48), (64, 68), (84, 100)):
        blank[start:end] = bytes(end - start)
    return hashlib.md5(bytes(blank), usedforsecurity=False).digest()


def _tag_table(profile: Profile, newer: bool) -> Iterator[Problem]:
    clause = _clause(newer, "7.3", "6.2")
    wrong_size = size_fault(profile.header.size, len(profile.data))
    for fault in profile.faults:
        size = fault == wrong_size
        yield Problem(
            "size" if size else "structure", "caution", fault, _clause(newer, "7.2.2", "6.1.1") if size else clause
        )
    count = struct.unpack_from(">I", profile.data, 128)[0]
    table_end = 132 + 12 * count
    tags = sorted(profile.tags.values(), key=lambda t: (t.offset, t.size))
    for tag in tags:
        if tag.offset < table_end:
            yield Problem(
                "overlap", "caution", tr("Tag '{signature}' lies over the tag table.", signature=tag.signature), clause
            )
        elif tag.offset % 4:
            yield Problem(
                "alignment",
                "note",
                tr("Tag '{signature}' does not start at a multiple of four.", signature=tag.signature),
                clause,
            )
    for one, other in itertools.pairwise(tags):
        shared = (one.offset, one.size) == (other.offset, other.size)
        if not shared and other.offset < one.offset + one.size:
            yield Problem(
                "overlap",
                "caution",
                tr(
                    "Tags '{signature}' and '{signature2}' overlap without being one.",
                    signature=one.signature,
                    signature2=other.signature,
                ),
                clause,
            )


def _types(profile: Profile, newer: bool) -> Iterator[Problem]:
    allowed = _TYPES if newer else _TYPES | _TYPES_2
    for tag in profile.tags.values():
        if tag.signature in allowed and tag.kind not in allowed[tag.signature]:
            yield Problem(
                "type",
                "note",
                tr(
                    "Tag '{signature}' is of type '{kind}', which version {version} does not have there.",
                    signature=tag.signature,
                    kind=tag.kind,
                    version=profile.header.version,
                ),
                _clause(newer, "9.2", "6.4"),
            )
        elif tag.kind == "XYZ" and tag.size < 20:
            yield Problem(
                "size",
                "caution",
                tr("Tag '{signature}' is too short.", signature=tag.signature),
                _clause(newer, "10.31", "6.5.26"),
            )


def _required(profile: Profile, newer: bool) -> Iterator[Problem]:
    header, tags = profile.header, profile.tags
    device_class = header.device_class
    if device_class not in _CLASS_CLAUSE:
        return
    clause = _clause(newer, *_CLASS_CLAUSE[device_class])
    common = ("desc", "cprt") if device_class == "link" else ("desc", "cprt", "wtpt")
    wanted: tuple[str, ...] = ()
    if device_class in ("scnr", "mntr", "prtr"):
        if header.colour_space == "GRAY" and "A2B0" not in tags and "B2A0" not in tags:
            wanted = ("kTRC",)
        elif device_class == "prtr":
            wanted = _TABLES
        elif header.colour_space == "RGB" and any(t in tags for t in _MATRIX):
            wanted = _MATRIX
            if header.pcs != "XYZ":
                yield Problem(
                    "matrix-pcs",
                    "caution",
                    tr("A matrix profile must connect through XYZ; this one says L*a*b*."),
                    clause,
                )
        else:
            wanted = ("A2B0",) if device_class == "scnr" else ("A2B0", "B2A0")
    else:
        wanted = {"link": ("pseq", "A2B0"), "spac": ("A2B0", "B2A0"), "abst": ("A2B0",), "nmcl": ("ncl2",)}[
            device_class
        ]
    for signature in (*common, *wanted):
        if signature not in tags:
            light = signature in ("gamt", "A2B2", "B2A2", "A2B0", "pseq")
            what = _PLAIN.get(signature, tr("a colorant or its curve"))
            yield Problem(
                f"missing-{signature.lower()}",
                "note" if light else "caution",
                tr("It lacks {what} (tag '{signature}').", what=what, signature=signature),
                clause if signature in wanted else _clause(newer, "8.2", "6.3"),
            )


def _white(profile: Profile, newer: bool) -> Iterator[Problem]:
    white = profile.xyz("wtpt")
    clause = _clause(newer, "9.2, mediaWhitePointTag", "6.4, mediaWhitePointTag")
    if white is None:
        return
    if not 0.2 < white[1] <= 1.05 or (white < 0).any() or (white > 1.6).any():
        yield Problem("white", "caution", tr("The white that it states is none that a media can have."), clause)
    elif newer and profile.header.device_class == "mntr" and np.abs(white - D50).max() > 0.002:
        yield Problem("white", "note", tr("A display profile of version 4 must state D50 as its white."), clause)
