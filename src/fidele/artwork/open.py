"""Open a picture and find out its colour space."""

from __future__ import annotations

import contextlib
import logging
import warnings
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np

from fidele.apart.ask import outside
from fidele.artwork import png
from fidele.artwork.picture import Artwork, Decoded, SourceSlip
from fidele.artwork.raster import TIFF_HEADS, read_by_pillow, read_png, read_tiff
from fidele.artwork.record import record_in
from fidele.colour.difference import delta_e_2000
from fidele.errors import FideleError
from fidele.icc.describe import describe, require_sound
from fidele.icc.profile import Profile, ProfileError
from fidele.icc.spaces import lab, oprgb, sgrey, srgb
from fidele.icc.text import text_of
from fidele.icc.transform import to_lab
from fidele.language import tr

KINDS = ("*.png", "*.jpg", "*.jpeg", "*.tif", "*.tiff", "*.webp", "*.pdf", "*.svg", "*.svgz")
ENDINGS = tuple(kind[1:] for kind in KINDS)
_KINDS_OF = {
    "PNG": (".png",),
    "JPEG": (".jpg", ".jpeg"),
    "TIFF": (".tif", ".tiff"),
    "WebP": (".webp",),
    "PDF": (".pdf",),
    "SVG": (".svg", ".svgz"),
}
#: Drawings are drawn at this resolution unless asked otherwise.
DRAWN = 300.0

#: Told 'RGB', 'GRAY' or 'CMYK', returns what pictures that state nothing are supposed to be in, None for no idea.
Suppose = Callable[[str], tuple[Profile, SourceSlip] | None]


def open_artwork(
    path: Path,
    assume: Profile | None = None,
    suppose: Suppose | None = None,
    page: int | None = None,
    ppi: float = DRAWN,
) -> Artwork:
    """Open a PNG, JPEG, TIFF, WebP, PDF or SVG.

    Parameters
    ----------
    assume
        The space, chosen by a person, of a picture that states none. What a file states wins over it.
    suppose
        House rules for the same; sRGB and its tone curve where neither says anything.
    page
        Which page of several, from 0; the first one where nobody says, and the picture says so (`Artwork.page`).
    ppi
        Resolution at which a drawing is drawn.

    Raises
    ------
    FideleError
        When the file is missing, damaged, of another kind, too large, or in a form that Fidele does not print.
    """
    if not path.is_file():
        raise FideleError(
            tr("{path} is not a file.", path=path) if path.exists() else tr("{path} does not exist.", path=path)
        )
    found, kind = decoded(path, page, ppi)
    profile, slip, doubts = identify(found, assume, suppose, path)
    if (ending := path.suffix.lower()) in ENDINGS and ending not in _KINDS_OF[kind]:
        doubts = (tr("{name} is a {kind}, whatever its ending says.", name=path.name, kind=kind), *doubts)
    ppi_stated = found.ppi if found.ppi is not None and 1 < found.ppi < 100_000 else None
    return Artwork(
        path,
        found.pixels,
        found.alpha,
        profile,
        slip,
        ppi_stated,
        (*found.doubts, *doubts),
        record_in(found.xmp, found.pixels),
        found.page,
        found.pages,
        found.drawing,
    )


@outside
def decoded(path: Path, page: int | None, ppi: float) -> tuple[Decoded, str]:
    """Return what a file holds and of which kind it is; what its decoder warned of is among its doubts.

    Raises
    ------
    FideleError
        As `open_artwork` does.
    """
    with _noticing() as noticed:
        found, kind = _read(path, page, ppi)
    if noticed:
        more = tr(", and {n} more", n=len(noticed) - 1) if len(noticed) > 1 else ""
        doubt = tr(
            "{name} is not quite sound ({noticed}{more}); look at it closely.",
            name=path.name,
            noticed=noticed[0],
            more=more,
        )
        found = replace(found, doubts=(*found.doubts, doubt))
    return found, kind


@contextlib.contextmanager
def _noticing() -> Iterator[list[str]]:
    """Collect what decoders warn of, which would else be printed by them."""
    noticed: list[str] = []

    class Ear(logging.Handler):
        def emit(self, record: logging.LogRecord) -> None:
            line = _short(ValueError(record.getMessage()))
            if line not in noticed:
                noticed.append(line)

    ear = Ear(logging.WARNING)
    loggers = [logging.getLogger(name) for name in ("tifffile", "PIL", "pikepdf", "pypdfium2")]
    for logger in loggers:
        logger.addHandler(ear)
    try:
        with warnings.catch_warnings(record=True) as said:
            warnings.simplefilter("always", UserWarning)
            yield noticed
        noticed += [_short(ValueError(str(w.message))) for w in said if issubclass(w.category, UserWarning)]
    finally:
        for logger in loggers:
            logger.removeHandler(ear)


def _read(path: Path, page: int | None, ppi: float) -> tuple[Decoded, str]:
    head = head_of(path)
    try:
        if head.startswith(png.SIGNATURE):
            return read_png(path), "PNG"
        if head.startswith(b"\xff\xd8\xff"):
            return read_by_pillow(path, "JPEG"), "JPEG"
        if head[:4] == b"RIFF" and head[8:12] == b"WEBP":
            return read_by_pillow(path, "WEBP"), "WebP"
        if head[:4] in TIFF_HEADS:
            return read_tiff(path, page), "TIFF"
        if b"%PDF-" in head:
            from fidele.artwork.pdf import read_pdf

            return read_pdf(path, page, ppi), "PDF"
        if path.suffix.lower() in (".svg", ".svgz") or b"<svg" in head:
            from fidele.artwork.svg import read_svg

            return read_svg(path, ppi), "SVG"
        raise FideleError(tr("{path} is not a PNG, JPEG, TIFF, WebP, PDF or SVG picture.", path=path))
    except FideleError:
        raise
    except MemoryError as error:
        raise FideleError(tr("{path} is too large for the memory of this machine.", path=path)) from error
    except Exception as error:  # decoders raise whatever they like on damaged files
        raise FideleError(
            tr("{path} is damaged and cannot be opened ({short}).", path=path, short=_short(error))
        ) from error


def head_of(path: Path) -> bytes:
    """Return the first bytes of a file."""
    try:
        with path.open("rb") as source:
            return source.read(1024)
    except OSError as error:
        raise FideleError(
            tr(
                "{path} cannot be read: {strerror}.",
                path=path,
                strerror=(error.strerror or tr("unknown reason")).lower(),
            )
        ) from error


def _short(error: Exception) -> str:
    # A decoder found something missing, or speaks of its own insides.
    if isinstance(error, (AttributeError, KeyError, TypeError, IndexError)) or " object at 0x" in str(error):
        return tr("its structure is broken")
    return (str(error).strip().splitlines() or [type(error).__name__])[0][:120]


def identify(
    found: Decoded, assume: Profile | None, suppose: Suppose | None, path: Path
) -> tuple[Profile, SourceSlip, tuple[str, ...]]:
    """Find the space of a decoded picture: stated by an embedded profile, a tag or the format, else chosen or supposed.

    Returns the profile, the slip, and what was odd as sentences; for the parameters see `open_artwork`.

    Raises
    ------
    FideleError
        When inks state nothing and nobody says what they are.
    """
    doubts: list[str] = []
    odd = ""
    if found.says == "Lab":
        return lab(), SourceSlip("stated", tr("L*a*b*, stated by the file")), ()
    tagged = {"sRGB": srgb, "opRGB": oprgb}[found.says]() if found.says and found.space == "RGB" else None
    if found.icc is not None:
        try:
            profile = Profile.parse(found.icc, tr("The profile inside {name}", name=path.name))
            require_sound(profile)
            if profile.header.colour_space != found.space:
                raise ProfileError(
                    tr(
                        "The profile inside {name} is for {colour_space}, not for this picture.",
                        name=path.name,
                        colour_space=profile.header.colour_space,
                    )
                )
            name = describe(profile).description
            if tagged is not None and not _alike(profile, tagged):
                odd = "contradicts"
                doubts.append(
                    tr(
                        "{name} contradicts itself: a tag says {says}, its embedded profile is “{name2}”. The profile "
                        "was believed.",
                        name=path.name,
                        says=found.says,
                        name2=name,
                    )
                )
            return profile, SourceSlip("stated", tr("{name}, stated by the file", name=name), odd=odd), tuple(doubts)
        except ProfileError as error:
            odd = "left-aside"
            doubts.append(tr("{error} It was left aside.", error=error))
    if tagged is not None:
        slip = SourceSlip("stated", tr("{says}, stated by the file", says=found.says), odd=odd)
        return tagged, slip, tuple(doubts)
    if assume is not None and assume.header.colour_space == found.space:
        return (
            assume,
            SourceSlip("chosen", tr("{text_of}, chosen", text_of=text_of(assume, "desc") or assume.name)),
            tuple(doubts),
        )
    ruled = suppose(found.space) if suppose is not None else None
    if ruled is not None:
        return ruled[0], replace(ruled[1], odd=odd), tuple(doubts)
    if found.space == "CMYK":
        raise FideleError(
            tr("{path} is CMYK and states no profile; say which one with a CMYK profile to assume.", path=path)
        )
    word = tr("grey with the curve of sRGB") if found.space == "GRAY" else "sRGB"
    space = sgrey() if found.space == "GRAY" else srgb()
    slip = SourceSlip("supposed", tr("{word}, supposed: the file states nothing", word=word), odd=odd)
    return space, slip, tuple(doubts)


def _alike(one: Profile, other: Profile) -> bool:
    """Tell whether two RGB spaces mean the same colours."""
    steps = np.linspace(0, 1, 4, dtype=np.float32)
    nodes = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1).reshape(-1, 3)
    return float(delta_e_2000(to_lab(nodes, one), to_lab(nodes, other)).mean()) < 1.0
