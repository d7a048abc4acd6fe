"""Convert a TIFF of any size from strip to strip: what is in memory at once does not grow with the picture."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any, cast

import numpy as np

from fidele.apart.ask import apart_in_parts, outside
from fidele.arrays import Codes
from fidele.artwork.convert import converted_already, record_of
from fidele.artwork.depth import to_eight
from fidele.artwork.limits import take_room
from fidele.artwork.open import Suppose, head_of, identify
from fidele.artwork.picture import Artwork, Decoded
from fidele.artwork.raster import (
    CHANNELS,
    TIFF_HEADS,
    apart_tiff,
    bear_padding,
    lab_encoded,
    page_chosen,
    tiff_ppi,
    tiff_space,
    without_gaps,
)
from fidele.artwork.record import claimed_in, hash_begun, packet
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.files import replacing
from fidele.icc.describe import require_target
from fidele.icc.profile import Profile
from fidele.language import tr
from fidele.tiles import CORES, CancelledError, Progress
from fidele.tuning.conversion import Conversion, device_values

#: Pictures from this many pixels on are converted in strips.
FROM_PIXELS = 60_000_000
#: About so many pixels are converted at once.
_BLOCK = 4 << 20
#: So many bytes are read and written at once.
_READ = 16 << 20
#: Side of the squares that are written.
_TILE = 256


@dataclass(frozen=True)
class _Leaf:
    """What a page of a TIFF says of itself.

    `kind` is the type of its numbers, `extra` its channels beside colour; a `plain` one can be read in strips.
    """

    width: int
    height: int
    samples: int
    extra: tuple[int, ...]
    photometric: int
    kind: str
    space: str
    icc: bytes | None
    xmp: bytes | None
    ppi: float | None
    plain: bool


def is_large(path: Path, page: int | None = None) -> bool:
    """Tell whether a file is a TIFF so large that it is better converted in strips, and of a kind that can be."""
    try:
        if not path.is_file() or head_of(path)[:4] not in TIFF_HEADS:
            return False
        leaf = _leaf_of(path, page)
        return leaf.plain and leaf.width * leaf.height >= FROM_PIXELS
    except FideleError:  # what is wrong with it is said when it is opened
        return False


@outside
def _leaf_of(path: Path, page: int | None) -> _Leaf:
    """Return what a page of a TIFF says of itself."""
    leaf = next(strips(path, page))
    assert isinstance(leaf, _Leaf)
    return leaf


def strips(path: Path, page: int | None) -> Iterator[_Leaf | Codes]:
    """Give what a page of a TIFF says of itself, then its picture from top to bottom as runs of whole rows.

    The rows are (h, width, samples). Meant for a process apart (`fidele.apart`).

    Raises
    ------
    FideleError
        When the file is damaged, or of a kind that Fidele does not open.
    """
    import tifffile

    try:
        with tifffile.TiffFile(path) as tiff:
            chosen = page_chosen(page, len(tiff.pages), path)
            leaf = tiff.pages[max(0, chosen)]
            if not isinstance(leaf, tifffile.TiffPage):
                leaf = leaf.aspage()
            space = tiff_space(leaf, path)
            width, height = leaf.imagewidth, leaf.imagelength
            if width <= 0 or height <= 0:
                raise FideleError(tr("{path} has no pixels.", path=path))
            said = leaf.tags[700].value if 700 in leaf.tags else None
            xmp = bytes(said) if isinstance(said, (bytes, tuple)) else None
            icc = bytes(leaf.tags[34675].value) if 34675 in leaf.tags else None
            extra, kind = tuple(int(e) for e in leaf.extrasamples), leaf.dtype
            upright = 274 not in leaf.tags or int(leaf.tags[274].value) == 1
            plain = leaf.photometric in (1, 2, 5, 8, 9) and leaf.planarconfig == 1 and kind in (np.uint8, np.uint16)
            facts = (leaf.samplesperpixel, extra, int(leaf.photometric), str(np.dtype(kind)), space, icc, xmp)
            yield _Leaf(width, height, *facts, tiff_ppi(leaf), plain and upright)
            without_gaps(leaf, path)
            bear_padding(leaf)
            across = leaf.imagewidth + leaf.tilewidth
            take_room(across * (leaf.tilelength if leaf.is_tiled else leaf.rowsperstrip) + 2 * _BLOCK, path)
            yield from _rows(leaf)
    except FideleError:
        raise
    except Exception as error:  # decoders raise whatever they like on damaged files
        raise FideleError(
            tr(
                "{path} is damaged and cannot be converted ({name}: {error}).",
                path=path,
                name=type(error).__name__,
                error=error,
            )
        ) from error


def convert_in_strips(
    path: Path,
    out: Path,
    target: Profile,
    how: Conversion,
    assume: Profile | None = None,
    suppose: Suppose | None = None,
    page: int | None = None,
    mirror: bool = False,
    bits: int | None = None,
    condition: str = "",
    progress: Progress | None = None,
) -> Artwork:
    """Convert a TIFF to another one, a BigTIFF where that is needed; return what it was, with one pixel for all.

    Parameters
    ----------
    bits
        8 reduces with a dither, None keeps the depth.

    Raises
    ------
    FideleError
        When the file is damaged, of a kind that is not converted in strips, converted already, or cannot be written.
    CancelledError
        When `progress` returned False; nothing is written then.
    """
    require_target(target)
    parts = apart_in_parts(strips, path, page, files=[path])
    leaf = next(parts)
    assert isinstance(leaf, _Leaf)
    whole = _facts(leaf, path, assume, suppose)
    claimed = claimed_in(leaf.xmp) if leaf.xmp is not None else None
    if claimed is not None and claimed.kind == "space":
        claimed = None
    if claimed is not None and claimed.output_id != whole.profile.content_id:
        claimed = None
    why = converted_already(whole) or (claimed.words if claimed is not None else "")
    if why or whole.profile.content_id == target.content_id:
        raise FideleError(tr("{path} is not converted again, which would spoil it. {why}", path=path, why=why))
    _write(leaf, cast("Iterator[Codes]", parts), path, out, whole, target, how, mirror, bits, condition, progress)
    return whole


def _facts(leaf: _Leaf, path: Path, assume: Profile | None, suppose: Suppose | None) -> Artwork:
    """Return what the picture is, with a single pixel in place of all."""
    one = np.zeros((1, 1, CHANNELS[leaf.space]), leaf.kind)
    found = Decoded(one, leaf.space, None, leaf.icc, says="Lab" if leaf.space == "Lab" else "")
    profile, slip, doubts = identify(found, assume, suppose, path)
    _, _, left = apart_tiff(np.zeros((1, 1, leaf.samples), leaf.kind), CHANNELS[leaf.space], leaf.extra, path)
    return Artwork(path, one, None, profile, slip, leaf.ppi, (*left, *doubts))


def _rows(leaf: Any) -> Iterator[Codes]:
    """Give the picture from top to bottom as runs of whole rows (h, width, samples)."""
    width, height, samples = leaf.imagewidth, leaf.imagelength, leaf.samplesperpixel
    held: list[Codes] = []
    many = 0
    if leaf.is_tiled:
        across = -(-width // leaf.tilewidth)
        row = np.empty((leaf.tilelength, width, samples), leaf.dtype)
        for number, (data, _, _) in enumerate(leaf.segments(maxworkers=1, sort=True, buffersize=_READ)):
            y, x = divmod(number, across)
            piece = np.zeros((1, leaf.tilelength, leaf.tilewidth, samples), leaf.dtype) if data is None else data
            right = min(width, (x + 1) * leaf.tilewidth)
            row[:, x * leaf.tilewidth : right] = piece.reshape(-1, piece.shape[-2], samples)[
                : leaf.tilelength, : right - x * leaf.tilewidth
            ]
            if x == across - 1:
                yield row[: min(leaf.tilelength, height - y * leaf.tilelength)].copy()
        return
    for data, _, shape in leaf.segments(maxworkers=1, sort=True, buffersize=_READ):
        rows = shape[-3]
        piece = np.zeros((rows, width, samples), leaf.dtype) if data is None else data.reshape(-1, width, samples)
        held.append(piece[:rows])
        many += rows
        if many * width >= _BLOCK:
            yield np.concatenate(held)
            held, many = [], 0
    if held:
        yield np.concatenate(held)


def _write(
    leaf: _Leaf,
    parts: Iterator[Codes],
    path: Path,
    out: Path,
    whole: Artwork,
    target: Profile,
    how: Conversion,
    mirror: bool,
    bits: int | None,
    condition: str,
    progress: Progress | None,
) -> None:
    import tifffile

    space = whole.profile.header.colour_space
    has_alpha = any(kind in (1, 2) for kind in leaf.extra)
    width, height = leaf.width, leaf.height
    eight = bits == 8 or leaf.kind == "uint8"
    kind = np.dtype(np.uint8 if eight else np.uint16)
    channels = target.channels + has_alpha
    running = hash_begun((height, width, target.channels), kind)
    photometric = {1: "minisblack", 3: "rgb", 4: "separated"}[target.channels]

    def tiles() -> Iterator[Codes]:
        """Give the squares of which the file is made, row by row; what reaches beyond the picture is nought."""
        for band in bands():
            for left in range(0, width, _TILE):
                square = np.zeros((_TILE, _TILE, channels), kind)
                part = band[:, left : left + _TILE]
                square[: part.shape[0], : part.shape[1]] = part
                yield square if channels > 1 else square[..., 0]

    def bands() -> Iterator[Codes]:
        done = 0
        rest: Codes | None = None
        for rows in parts:
            colours, alpha, _ = apart_tiff(rows, CHANNELS[space], leaf.extra, path)
            if leaf.photometric in (8, 9):
                colours = lab_encoded(colours, leaf.photometric)
            made = device_values(colours, whole.profile, target, how)
            if mirror:
                made, alpha = made[:, ::-1], alpha[:, ::-1] if alpha is not None else None
            if eight and made.dtype == np.uint16:
                made = to_eight(np.ascontiguousarray(made), done)
                alpha = (alpha >> 8).astype(np.uint8) if alpha is not None else None
            made = np.ascontiguousarray(made)
            running.update(made.view(np.uint8).reshape(-1).data)
            full = made if alpha is None else np.concatenate([made, alpha[..., None]], axis=2)
            done += len(rows)
            rest = full if rest is None else np.concatenate([rest, full])
            while len(rest) >= _TILE:
                yield rest[:_TILE]
                rest = rest[_TILE:]
            if progress is not None and not progress(min(0.999, done / height)):
                raise CancelledError
        if rest is not None and len(rest):
            yield rest

    record = record_of(whole, target, how, whole.pixels, mirror, condition)
    xmp = packet(record)
    options: dict[str, Any] = {
        "shape": (height, width, channels) if channels > 1 else (height, width),
        "dtype": kind,
        "photometric": photometric,
        "tile": (_TILE, _TILE),
        "compression": "zlib",
        "compressionargs": {"level": 1},
        "predictor": True,
        "software": "Fidele",
        "bigtiff": height * width * channels * kind.itemsize > 2**31,
        "metadata": None,
        "iccprofile": target.data,
        "extratags": [(700, "B", len(xmp), xmp, True)],
        "maxworkers": CORES,
        "buffersize": _READ,
    }
    if has_alpha:
        options["extrasamples"] = ["unassalpha"]
    if whole.ppi:
        options["resolution"], options["resolutionunit"] = (whole.ppi, whole.ppi), "INCH"
    with replacing(out) as temporary:
        tifffile.imwrite(temporary, tiles(), **options)
        final = packet(replace(record, pixels=running.hexdigest()[:32]))
        with tifffile.TiffFile(temporary, mode="r+b") as written:
            written.pages[0].tags[700].overwrite(final)  # type: ignore[union-attr]
