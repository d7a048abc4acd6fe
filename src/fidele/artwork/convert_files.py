"""Convert files to files: one or many, by a name pattern, in memory or in strips."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable
from dataclasses import field, replace
from pathlib import Path

import numpy as np

from fidele.artwork.convert import convert_artwork, record_of
from fidele.artwork.depth import to_eight
from fidele.artwork.open import Suppose, open_artwork
from fidele.artwork.picture import Artwork
from fidele.artwork.replace import Replacement, replaced
from fidele.artwork.save import WRITTEN, save_picture
from fidele.artwork.stream import convert_in_strips, is_large
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.files import reason
from fidele.icc.profile import Profile
from fidele.icc.transform import Intent
from fidele.language import tr
from fidele.tiles import Progress
from fidele.tuning.conversion import Conversion

NAME = tr("{name}, converted.tif")
#: No file system takes names of more bytes.
_LONGEST = 250


@dataclass(frozen=True)
class Order:
    """How files are converted.

    Attributes
    ----------
    bits
        8 reduces deeper pictures with a dither, None keeps their depth.
    condition
        Name of the printing condition that stands in the file, '' for none.
    ppi
        Resolution at which drawings are drawn.
    choose
        What chooses the intent for a picture, in place of that of `how`; None where that stands. Not asked for
        pictures so large that they are converted in strips.
    """

    target: Profile
    how: Conversion = field(default_factory=Conversion)
    mirror: bool = False
    bits: int | None = None
    condition: str = ""
    assume: Profile | None = None
    page: int | None = None
    ppi: float = 300.0
    choose: Callable[[Artwork], Intent] | None = None


def named(artwork: Iterable[Path], folder: Path, name: str = NAME) -> dict[Path, Path]:
    """Return where each picture goes by a name pattern, in which '{name}' stands for the picture's own.

    Raises
    ------
    FideleError
        When two would become one file, one its own artwork, or the ending is none that Fidele writes.
    """
    targets: dict[Path, Path] = {}
    for path in artwork:
        room = _LONGEST - len(os.fsencode(name.replace("{name}", "")))
        own = (
            os.fsencode(path.stem)[: max(1, room)].decode(errors="ignore") if len(os.fsencode(path.stem)) > room else ""
        )
        to = folder / name.replace("{name}", own or path.stem)
        if to in targets.values():
            raise FideleError(tr("Two pictures would be written as {to}; use {{name}} in the name pattern.", to=to))
        require_writable(path, to)
        targets[path] = to
    return targets


def require_writable(path: Path, to: Path) -> None:
    """Refuse an ending that Fidele does not write, and a picture's own file.

    Raises
    ------
    FideleError
        In one sentence.
    """
    if to.suffix.lower() not in WRITTEN:
        raise FideleError(
            tr(
                "{to}: Fidele writes {written} files, not '{suffix}'.",
                to=to,
                written=", ".join(WRITTEN),
                suffix=to.suffix or tr("no ending"),
            )
        )
    try:
        same = to.exists() and path.exists() and to.samefile(path)
    except OSError as error:
        raise FideleError(tr("{to} cannot be written: {reason}.", to=to, reason=reason(error))) from error
    if same:
        raise FideleError(tr("{to} is the artwork itself, which is never changed; give another name.", to=to))


def convert_file(
    path: Path,
    out: Path,
    order: Order,
    suppose: Suppose | None = None,
    replacements: tuple[Replacement, ...] = (),
    progress: Progress | None = None,
) -> Artwork:
    """Convert a file; return what it was. The file itself is never changed, and no part of `out` is ever left.

    Raises
    ------
    FideleError
        When it cannot be opened, converted or written, or has several pages of which none is named.
    CancelledError
        When `progress` returned False.
    """
    require_writable(path, out)
    if not replacements and out.suffix.lower() in (".tif", ".tiff") and is_large(path, order.page):
        return convert_in_strips(
            path,
            out,
            order.target,
            order.how,
            order.assume,
            suppose,
            order.page,
            order.mirror,
            order.bits,
            order.condition,
            progress,
        )
    picture = open_artwork(path, order.assume, suppose, order.page, order.ppi)
    if picture.page < 0:
        raise FideleError(tr("{path} has {pages} pages; say which one is meant.", path=path, pages=picture.pages))
    if replacements:
        picture = replace(picture, pixels=replaced(picture.pixels, replacements))
    if order.choose is not None:
        order = replace(order, how=replace(order.how, intent=order.choose(picture)))
    write_converted(picture, out, order, progress)
    return picture


def write_converted(picture: Artwork, out: Path, order: Order, progress: Progress | None = None) -> None:
    """Convert a picture in hand and write it as a file.

    Raises
    ------
    FideleError
        When it cannot be converted or written.
    CancelledError
        When `progress` returned False.
    """
    done = convert_artwork(picture, order.target, order.how, progress)
    pixels, alpha = done.pixels, done.alpha
    if order.mirror:
        pixels, alpha = pixels[:, ::-1], alpha[:, ::-1] if alpha is not None else None
    if pixels.dtype == np.uint16 and (order.bits == 8 or out.suffix.lower() in (".jpg", ".jpeg")):
        pixels = to_eight(np.ascontiguousarray(pixels))
        alpha = (alpha >> 8).astype(np.uint8) if alpha is not None else None
    pixels = np.ascontiguousarray(pixels)
    record = record_of(picture, order.target, order.how, pixels, order.mirror, order.condition)
    save_picture(out, pixels, order.target, done.ppi, alpha, record)
