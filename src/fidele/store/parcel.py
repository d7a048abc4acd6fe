"""What profiles come in: a file, a zip, a tar, a compressed file, a saved mail; every kind unfolded within bounds.

Nothing is ever written while unfolding, so names that climb out of a folder, links and the like have no effect.
"""

from __future__ import annotations

import bz2
import contextlib
import gzip
import io
import lzma
import tarfile
import zipfile
from collections.abc import Iterator
from dataclasses import field
from pathlib import Path, PurePosixPath
from typing import IO, cast

from fidele.apart.ask import outside
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.files import read_bytes, reason
from fidele.icc.profile import LARGEST
from fidele.language import tr

ENDINGS = (".icc", ".icm")
#: Files that may say how a profile was made.
LEAFLETS = (".txt", ".pdf", ".eml", ".md", ".html", ".htm")
PACKED = (".zip", ".tar", ".tgz", ".gz", ".bz2", ".xz", ".eml", ".mbox")

#: Bounds: files looked at, bytes unfolded in all, wrappings inside each other.
_FILES, _BYTES, _DEPTH = 20_000, 512 * 2**20, 3
_LEAFLET = 8 * 2**20


@dataclass(frozen=True)
class Found:
    """A profile as it lies in a parcel: how messages call it, its file name, its bytes, and the wrapping it was in."""

    shown: str
    name: str
    data: bytes = field(repr=False)
    wrapping: str = ""  # '', 'zip', 'tar', 'compressed' or 'mail'


@dataclass(frozen=True)
class Parcel:
    """What a file holds: profiles, leaflets (name and bytes) that came with them, and what could not be read."""

    profiles: tuple[Found, ...]
    leaflets: tuple[tuple[str, bytes], ...] = ()
    refused: tuple[tuple[str, str], ...] = ()


class _Budget:
    def __init__(self) -> None:
        self.files, self.bytes = _FILES, _BYTES

    def read(self, stream: IO[bytes], shown: str) -> bytes:
        """Read a member whole, or refuse it when it unfolds to more than is left."""
        room = min(self.bytes, LARGEST)
        data = stream.read(room + 1)
        if len(data) > room:
            raise FideleError(
                tr("{shown} unfolds to more than {room} MiB, which no profile needs.", shown=shown, room=room >> 20)
            )
        self.bytes -= len(data)
        return data

    def count(self, shown: str) -> None:
        self.files -= 1
        if self.files < 0:
            raise FideleError(
                tr("{shown} holds more than {files:,} files, more than can be meant.", shown=shown, files=_FILES)
            )


def looks_like_profile(data: bytes) -> bool:
    """Tell whether bytes carry the signature of an ICC profile, whatever the file is called."""
    return data[36:40] == b"acsp"


def wrapping_of(head: bytes, name: str) -> str:
    """Tell from its first bytes and name what a file is wrapped in; '' for none that is known."""
    if head[:4] in (b"PK\3\4", b"PK\5\6"):
        return "zip"
    if head[:2] == b"\x1f\x8b" or head[:3] == b"BZh" or head[:6] == b"\xfd7zXZ\0":
        return "compressed"
    if head[257:262] == b"ustar":
        return "tar"
    return "mail" if PurePosixPath(name.lower()).suffix in (".eml", ".mbox") else ""


def open_parcel(path: Path) -> Parcel:
    """Unfold a file.

    Raises
    ------
    FideleError
        When it cannot be read, is too large, or is a damaged or boundless wrapping.
    """
    head = b""
    if path.is_file():  # a pipe would be waited for
        with contextlib.suppress(OSError), path.open("rb") as stream:  # what is wrong is told by `read_bytes`
            head = stream.read(600)
    if wrapping_of(head, path.name) and not looks_like_profile(head):
        return _open_packed(path)
    return Parcel((Found(str(path), path.name, read_bytes(path, LARGEST)),))


@outside
def _open_packed(path: Path) -> Parcel:
    return _unfolded(read_bytes(path, _BYTES), path.name, str(path))


def unfold(data: bytes, name: str, shown: str) -> Parcel:
    """Unfold bytes that are called `name`; messages call them `shown`. Raises as `open_parcel` does."""
    if not wrapping_of(data[:600], name) or looks_like_profile(data):
        if len(data) > LARGEST:
            raise FideleError(
                tr(
                    "{shown} is {n} MiB; no profile is larger than {largest} MiB.",
                    shown=shown,
                    n=len(data) >> 20,
                    largest=LARGEST >> 20,
                )
            )
        return Parcel((Found(shown, name, data),))
    return _unfold_apart(shown, data, name)


@outside
def _unfold_apart(shown: str, data: bytes, name: str) -> Parcel:
    return _unfolded(data, name, shown)


def _unfolded(data: bytes, name: str, shown: str) -> Parcel:
    profiles: list[Found] = []
    leaflets: list[tuple[str, bytes]] = []
    refused: list[tuple[str, str]] = []
    wrapping = wrapping_of(data[:600], name)
    budget = _Budget()
    for item in _unfold(data, name, shown, wrapping, budget, 0, refused):
        if _is_profile(item):
            profiles.append(item)
        elif PurePosixPath(item.name.lower()).suffix in LEAFLETS and len(item.data) <= _LEAFLET:
            leaflets.append((PurePosixPath(item.name).name, item.data))
    if wrapping == "mail" and profiles and len(data) <= _LEAFLET:
        leaflets.append((name, data))
    return Parcel(tuple(profiles), tuple(leaflets), tuple(refused))


def _is_profile(item: Found) -> bool:
    return looks_like_profile(item.data) or PurePosixPath(item.name.lower()).suffix in ENDINGS


def _unfold(
    data: bytes, name: str, shown: str, wrapping: str, budget: _Budget, depth: int, refused: list[tuple[str, str]]
) -> Iterator[Found]:
    """Yield everything inside a wrapping, wrappings within it unfolded too."""
    if depth >= _DEPTH:
        refused.append(
            (shown, tr("{shown} is wrapped more than {depth} times; unfold it by hand.", shown=shown, depth=_DEPTH))
        )
        return
    opener = {"zip": _zip, "tar": _tar, "compressed": _compressed, "mail": _mail}[wrapping]
    try:
        for item in opener(data, name, shown, budget, refused):
            inner = "" if looks_like_profile(item.data) else wrapping_of(item.data[:600], item.name)
            if inner:
                yield from _unfold(item.data, item.name, item.shown, inner, budget, depth + 1, refused)
            else:
                yield item
    except FideleError:
        raise
    except OSError as error:
        raise FideleError(tr("{shown} cannot be unfolded: {reason}.", shown=shown, reason=reason(error))) from error
    except Exception as error:  # decompressors raise their own kinds on damaged data
        kind = {"zip": "zip", "tar": tr("tar archive"), "mail": "mail"}.get(wrapping, tr("compressed file"))
        raise FideleError(tr("{shown} is a damaged {kind} and was left alone.", shown=shown, kind=kind)) from error


def _wanted(name: str) -> bool:
    suffix = PurePosixPath(name.lower()).suffix
    return suffix in ENDINGS or suffix in LEAFLETS or suffix in PACKED


def _zip(data: bytes, _name: str, shown: str, budget: _Budget, refused: list[tuple[str, str]]) -> Iterator[Found]:
    with zipfile.ZipFile(io.BytesIO(data)) as bundle:
        for member in bundle.infolist():
            budget.count(shown)
            name = _decoded(member)
            if member.is_dir() or not _wanted(name) or PurePosixPath(name).name.startswith("._"):
                continue
            inside = f"{shown}: {name}"
            if member.flag_bits & 1:
                refused.append((inside, tr("{inside} is protected by a password.", inside=inside)))
                continue
            if (member.external_attr >> 16) & 0o170000 == 0o120000:
                refused.append((inside, tr("{inside} is a link to elsewhere, not a file.", inside=inside)))
                continue
            with bundle.open(member) as packed:
                yield Found(inside, PurePosixPath(name).name, budget.read(packed, inside), "zip")


def _decoded(member: zipfile.ZipInfo) -> str:
    """Return a member's name: UTF-8 where it is, else as it reads in the code page that zips of old use."""
    if member.flag_bits & 0x800:
        name = member.filename
    else:
        raw = member.filename.encode("cp437", "replace")
        try:
            name = raw.decode("utf-8")
        except UnicodeDecodeError:
            name = member.filename
    clean = "".join(c if c.isprintable() else "_" for c in name.replace("\\", "/"))
    return clean or "unnamed"


def _tar(data: bytes, _name: str, shown: str, budget: _Budget, refused: list[tuple[str, str]]) -> Iterator[Found]:
    with tarfile.open(fileobj=io.BytesIO(data), mode="r:") as bundle:
        for member in bundle:
            budget.count(shown)
            if not _wanted(member.name):
                continue
            inside = f"{shown}: {member.name}"
            stream = bundle.extractfile(member) if member.isfile() else None
            if stream is None:
                refused.append((inside, tr("{inside} is a link to elsewhere, not a file.", inside=inside)))
                continue
            yield Found(inside, PurePosixPath(member.name).name, budget.read(stream, inside), "tar")


def _compressed(
    data: bytes, name: str, shown: str, budget: _Budget, _refused: list[tuple[str, str]]
) -> Iterator[Found]:
    with _opened(data) as stream:
        inner = PurePosixPath(name).stem if PurePosixPath(name.lower()).suffix in PACKED else name
        if name.lower().endswith(".tgz"):
            inner += ".tar"
        yield Found(shown, inner, budget.read(stream, shown), "compressed")


def _opened(data: bytes) -> IO[bytes]:
    """Return a stream that unfolds compressed bytes as it is read."""
    packed = io.BytesIO(data)
    if data[:2] == b"\x1f\x8b":
        return cast(IO[bytes], gzip.GzipFile(fileobj=packed))
    return cast(IO[bytes], bz2.BZ2File(packed) if data[:2] == b"BZ" else lzma.LZMAFile(packed))


def _mail(data: bytes, name: str, shown: str, budget: _Budget, _refused: list[tuple[str, str]]) -> Iterator[Found]:
    import email.policy

    if name.lower().endswith(".mbox"):
        parts = data.replace(b"\r\n", b"\n").split(b"\nFrom ")
        messages = [
            p.split(b"\n", 1)[1] if p.startswith(b"From ") or i else p for i, p in enumerate(parts) if b"\n" in p
        ]
    else:
        messages = [data]
    for message in messages:
        budget.count(shown)
        for part in email.message_from_bytes(message, policy=email.policy.default).walk():
            inside = part.get_filename()
            if part.is_multipart() or not inside:
                continue
            budget.count(shown)
            content = part.get_payload(decode=True)
            if isinstance(content, bytes):
                budget.bytes -= len(content)
                yield Found(f"{shown}: {inside}", PurePosixPath(inside).name, content, "mail")
