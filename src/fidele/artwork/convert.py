"""Convert a picture straight from its own space to a printer's values."""

from __future__ import annotations

from dataclasses import replace

from fidele.arrays import Codes
from fidele.artwork.picture import Artwork, SourceSlip
from fidele.artwork.record import ConversionRecord, pixel_hash
from fidele.errors import FideleError
from fidele.icc.blackpoint import compensates
from fidele.icc.describe import describe, require_target
from fidele.icc.profile import Profile
from fidele.icc.transform import Intent
from fidele.language import tr
from fidele.tiles import Progress
from fidele.tuning.conversion import Conversion, device_values


def convert_artwork(artwork: Artwork, target: Profile, how: Conversion, progress: Progress | None = None) -> Artwork:
    """Return the picture in the values of an output profile, same size, depth and resolution.

    Raises
    ------
    FideleError
        When `target` is neither an output profile nor a working space, or the picture is in a printer's values already.
    """
    what = require_target(target)
    already = converted_already(artwork)
    if artwork.profile.content_id == target.content_id or already:
        why = already or tr("It is converted to this profile already.")
        raise FideleError(tr("{path} is not converted again, which would spoil it. {why}", path=artwork.path, why=why))
    pixels = device_values(artwork.pixels, artwork.profile, target, how, progress)
    return replace(
        artwork,
        pixels=pixels,
        profile=target,
        slip=SourceSlip("stated", tr("converted to {description}", description=what.description)),
    )


def converted_already(artwork: Artwork) -> str:
    """Say in a sentence that a picture is in a printer's values already, '' where it is not.

    Its record says so, or, where another program has taken that away, an embedded RGB output profile.
    """
    if artwork.record is not None and artwork.record.kind != "space":
        return artwork.record.words
    header = artwork.profile.header
    if header.device_class == "prtr" and header.colour_space == "RGB":
        return tr(
            "It carries an output profile, “{description}”: it is in a printer's values.",
            description=describe(artwork.profile).description,
        )
    return ""


def record_of(
    artwork: Artwork, target: Profile, how: Conversion, pixels: Codes, mirrored: bool, condition: str
) -> ConversionRecord:
    """Return what stands in a file with `pixels` that were converted from a picture."""
    return ConversionRecord(
        source=describe(artwork.profile).description,
        output=describe(target).description,
        output_id=target.content_id,
        intent=how.intent.words,
        compensated="yes" if compensates(target, how.intent.code, how.bpc) else "no",
        mirrored="yes" if mirrored else "no",
        condition=condition,
        pixels=pixel_hash(pixels),
        tuning=(how.tuning.name or how.tuning.words) if how.tuning is not None and how.tuning.moves else "",
        kept=how.keep,
        kind="printer" if target.header.device_class == "prtr" else "space",
    )


def bpc_note(target: Profile, intent: Intent, bpc: bool) -> str | None:
    """Return a sentence where the choice of black point compensation has no effect, else None.

    Perceptual and saturation of version 4 are always compensated (`icc.blackpoint.compensates`); absolute never is.
    """
    if not bpc and compensates(target, intent.code, bpc):
        return tr(
            "Black point compensation stays on: a version 4 profile includes it in its {value} intent.",
            value=intent.words,
        )
    if bpc and intent is Intent.ABSOLUTE:
        return tr("Black point compensation has no part in the absolute intent and was left out.")
    return None
