"""Draw a page of a PDF (ISO 32000-2), its own colour spaces respected.

The renderer (PDFium) knows RGB alone: what is in the device's RGB passes through it untouched, everything else it
turns into sRGB. So a page whose colours all lie in one RGB profile, by ICCBased spaces or by the output intent, is
drawn with that profile's numbers and keeps the profile; pages with inks or several spaces come out in sRGB, which is
said.
"""

from __future__ import annotations

import io
import itertools
import math
from collections.abc import Iterator
from dataclasses import field, replace
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from fidele.artwork.limits import bounded
from fidele.artwork.picture import Decoded
from fidele.artwork.raster import CHANNELS, decoded_by_pillow, page_chosen
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.files import read_bytes
from fidele.icc.profile import LARGEST, Profile, ProfileError
from fidele.language import quoted, tr

if TYPE_CHECKING:
    import pikepdf


_LARGEST = 1 << 30
_MOST_PIXELS = 200_000_000
#: Operators of a content stream that choose a device's space (ISO 32000-2, table 73).
_OPERATORS = {"g": "Grey", "G": "Grey", "rg": "RGB", "RG": "RGB", "k": "CMYK", "K": "CMYK"}
_DEVICE = {"/DeviceGray": "Grey", "/G": "Grey", "/CalGray": "Grey", "/DeviceRGB": "RGB", "/RGB": "RGB"} | {
    "/DeviceCMYK": "CMYK",
    "/CMYK": "CMYK",
    "/CalRGB": tr("calibrated RGB"),
    "/Lab": "L*a*b*",
    "/Separation": tr("spot inks"),
    "/DeviceN": tr("spot inks"),
}
#: Colorants that are no inks beside the process colours (ISO 32000-2, 8.6.6.4).
_PROCESS = {"Cyan", "Magenta", "Yellow", "Black", "All", "None"}
_DEEPEST = 12


@dataclass
class _Spaces:
    """What a page's colours are in: kinds, and the embedded RGB profiles by their content."""

    kinds: set[str] = field(default_factory=set)
    rgb: dict[str, Profile] = field(default_factory=dict)
    #: Streams whose ICCBased spaces of three channels stand for the device's RGB once they are replaced.
    places: list[tuple[pikepdf.Object, pikepdf.Object]] = field(default_factory=list)
    #: Places that name the device's CMYK, and owners of content that does, with their resources.
    inks: list[tuple[pikepdf.Object, pikepdf.Object]] = field(default_factory=list)
    inked: list[tuple[pikepdf.Object, pikepdf.Object]] = field(default_factory=list)
    #: Names of inks beside the process colours, and whether anything is set to overprint.
    named: set[str] = field(default_factory=set)
    overprints: bool = False


def read_pdf(path: Path, page: int | None, ppi: float) -> Decoded:
    """Draw a page on white at a resolution.

    Raises
    ------
    FideleError
        When it is damaged, locked with a password, or larger than Fidele opens.
    """
    import pikepdf

    data = read_bytes(path, _LARGEST)
    try:
        document = pikepdf.open(io.BytesIO(data))
    except pikepdf.PasswordError as error:
        raise FideleError(tr("{path} is locked with a password; ask for one without.", path=path)) from error
    except pikepdf.PdfError as error:
        raise FideleError(
            tr(
                "{path} is damaged and cannot be opened ({splitlines}).",
                path=path,
                splitlines=str(error).splitlines()[0][:100],
            )
        ) from error
    with document:
        count = len(document.pages)
        if count == 0:
            raise FideleError(tr("{path} has no pages.", path=path))
        chosen = page_chosen(page, count, path)
        leaf = document.pages[max(0, chosen)]
        box = [float(side) for side in leaf.mediabox]
        if len(box) != 4 or min(abs(box[2] - box[0]), abs(box[3] - box[1])) < 0.1:
            raise FideleError(
                tr("{path}: page {value} has no size; ask for another copy of it.", path=path, value=max(0, chosen) + 1)
            )
        intent = _output_intent(document)
        alone = _sole_picture(document, leaf, intent, path)
        if alone is not None:
            return replace(alone, page=chosen, pages=count)
        spaces = _Spaces()
        _gather(leaf.obj, leaf.resources, spaces, 0, set())
        icc, says, doubts = _settle(spaces, intent, document, leaf, path.name)
        memory = io.BytesIO()
        document.save(memory)
    pixels = _drawn(memory.getvalue(), max(0, chosen), path, ppi)
    return Decoded(
        pixels,
        "RGB",
        None,
        icc,
        ppi,
        says,
        doubts=doubts,
        page=chosen,
        pages=count,
        drawing="picture" not in spaces.kinds,  # a page with pictures has their resolution
    )


def _sole_picture(document: pikepdf.Object, leaf: pikepdf.Object, intent: Profile | None, path: Path) -> Decoded | None:
    """Return the picture of a page that is nothing but one picture (a scan, a finished file), its own pixels untouched.

    None for every other page, and where the picture is of a kind that the renderer had better decode.
    """
    import pikepdf

    box = [float(v) for v in leaf.mediabox]
    wide, high = box[2] - box[0], box[3] - box[1]
    steps = []
    try:
        for instruction in itertools.islice(pikepdf.parse_content_stream(leaf), 12):
            if (operator := str(instruction.operator)) not in ("q", "Q"):
                steps.append((operator, list(instruction.operands)))
    except pikepdf.PdfError:
        return None
    if [s[0] for s in steps] != ["cm", "Do"] or int(leaf.obj.get("/Rotate", 0)) or "/CropBox" in leaf.obj:
        return None
    matrix = [float(v) for v in steps[0][1]]
    place = np.array([matrix[0] - wide, matrix[1], matrix[2], matrix[3] - high, matrix[4] - box[0], matrix[5] - box[1]])
    image = leaf.resources.get("/XObject", pikepdf.Dictionary()).get(str(steps[1][1][0]))
    if np.abs(place).max() > 0.02 or image is None or image.get("/Subtype") != "/Image":
        return None
    if any(key in image for key in ("/SMask", "/Mask", "/Decode", "/ImageMask")):
        return None
    bounded(int(image["/Width"]), int(image["/Height"]), path, _MOST_PIXELS)
    found = _pixels_of(image, path)
    if found is None:
        return None
    space, icc = _space_of(image.get("/ColorSpace"))
    if found.space != space:
        return None
    if icc is None and intent is not None and intent.header.colour_space == space:
        icc = intent.data
    metadata = document.Root.get("/Metadata")
    xmp = bytes(metadata.read_bytes()) if isinstance(metadata, pikepdf.Stream) else None
    return replace(found, icc=icc, ppi=int(image["/Width"]) / wide * 72, says="", xmp=xmp)


def _pixels_of(image: pikepdf.Object, path: Path) -> Decoded | None:
    """Decode a PDF's picture of 8 or 16 bits per channel, None for other kinds."""
    import pikepdf

    filters = image.get("/Filter")
    names = [str(f) for f in _items(filters)] or ([str(filters)] if filters is not None else [])
    if names == ["/DCTDecode"]:
        return decoded_by_pillow(bytes(image.read_raw_bytes()), path, "JPEG")
    space, _ = _space_of(image.get("/ColorSpace"))
    bits = int(image.get("/BitsPerComponent", 0))
    if set(names) - {"/FlateDecode", "/LZWDecode"} or bits not in (8, 16) or space not in CHANNELS:
        return None
    try:
        data = bytes(image.read_bytes())
    except pikepdf.PdfError:
        return None
    shape = (int(image["/Height"]), int(image["/Width"]), CHANNELS[space])
    kind = np.dtype(">u2" if bits == 16 else "u1")
    if len(data) != math.prod(shape) * kind.itemsize:
        return None
    return Decoded(np.frombuffer(data, kind).reshape(shape).astype(kind.newbyteorder("=")), space)


def _space_of(found: pikepdf.Object) -> tuple[str, bytes | None]:
    """Return the kind of colour of a picture and its embedded profile; '' for kinds that are left to the renderer."""
    plain = {"/DeviceGray": "GRAY", "/DeviceRGB": "RGB", "/DeviceCMYK": "CMYK"}
    parts = _items(found)
    if parts and str(parts[0]) == "/ICCBased" and len(parts) > 1:
        kinds = {1: "GRAY", 3: "RGB", 4: "CMYK"}
        return kinds.get(int(parts[1].get("/N", 0)), ""), _bytes(parts[1])
    return plain.get(str(found), ""), None


def _settle(
    spaces: _Spaces, intent: Profile | None, document: pikepdf.Object, leaf: pikepdf.Object, name: str
) -> tuple[bytes | None, str, tuple[str, ...]]:
    """Decide what the drawn numbers will mean: an embedded profile's bytes, or a space that is stated, and doubts."""
    kinds = spaces.kinds - {"picture", "Grey"}
    profiles = dict(spaces.rgb)
    if "RGB" in kinds and intent is not None and intent.header.colour_space == "RGB":
        profiles[intent.content_id] = intent
    alone = next(iter(profiles.values())) if len(profiles) == 1 else None
    device = "RGB" in kinds and (intent is None or intent.header.colour_space != "RGB")
    separate = _separate(spaces, name)
    if alone is not None and kinds <= {"RGB"} and not device:
        for holder, key in spaces.places:
            holder[key] = _device_rgb()
        return alone.data, "", ()
    if not profiles and kinds <= {"RGB"}:
        return None, "", ()
    if "CMYK" in kinds and intent is not None and intent.header.colour_space == "CMYK":
        _mean_by(document, leaf, spaces, intent)
        kinds = (kinds - {"CMYK"}) | {tr("CMYK by its output intent")}
    held = sorted(kinds | {tr("RGB with a profile") for _ in spaces.rgb})
    said = tr(
        "The page holds {held}; it was drawn in sRGB, so that colours beyond sRGB are cut off.",
        held=tr(" and ").join(held),
    )
    if "CMYK" in kinds:
        said += tr(" Its CMYK has no profile: ask for one with an output intent.")
    return None, "sRGB", (f"{name}: {said[0].lower()}{said[1:]}", *separate)


def _separate(spaces: _Spaces, name: str) -> tuple[str, ...]:
    """Tell of inks that were drawn as their alternates, and of overprinting, which the renderer does not draw."""
    said = []
    if spaces.named:
        names = ", ".join(quoted(ink) for ink in sorted(spaces.named)[:6])
        more = tr(" and {n} more", n=len(spaces.named) - 6) if len(spaces.named) > 6 else ""
        several = len(spaces.named) > 1
        said.append(
            (
                tr(
                    "{name} holds the inks {names}{more} beside process colours. They were drawn in the colour "
                    "that the file gives in place of {value}; a cutting line or a white ground among them would be "
                    "printed as a colour.",
                    name=name,
                    names=names,
                    more=more,
                    value=(tr("them") if several else tr("it")),
                )
                if several
                else tr(
                    "{name} holds the inks {names}{more} beside process colours. It was drawn in the colour that "
                    "the file gives in place of {value}; a cutting line or a white ground among them would be "
                    "printed as a colour.",
                    name=name,
                    names=names,
                    more=more,
                    value=(tr("them") if several else tr("it")),
                )
            )
            if several
            else (
                tr(
                    "{name} holds the ink {names}{more} beside process colours. They were drawn in the colour that "
                    "the file gives in place of {value}; a cutting line or a white ground among them would be "
                    "printed as a colour.",
                    name=name,
                    names=names,
                    more=more,
                    value=(tr("them") if several else tr("it")),
                )
                if several
                else tr(
                    "{name} holds the ink {names}{more} beside process colours. It was drawn in the colour that "
                    "the file gives in place of {value}; a cutting line or a white ground among them would be "
                    "printed as a colour.",
                    name=name,
                    names=names,
                    more=more,
                    value=(tr("them") if several else tr("it")),
                )
            )
        )
    if spaces.overprints and spaces.kinds & {"CMYK", tr("CMYK with a profile"), tr("spot inks")}:
        said.append(
            tr(
                "{name} lets inks print over each other (overprint), which is not drawn: what lies below is "
                "left out there. Ask for a file in which it is flattened.",
                name=name,
            )
        )
    return tuple(said)


def _device_rgb() -> pikepdf.Object:
    import pikepdf

    return pikepdf.Name("/DeviceRGB")


def _mean_by(document: pikepdf.Object, leaf: pikepdf.Object, spaces: _Spaces, profile: Profile) -> None:
    """Let the page's plain CMYK mean what an output intent says; the renderer itself does not look at that."""
    import pikepdf

    stream = document.make_stream(profile.data, {"/N": 4})
    space = document.make_indirect(pikepdf.Array([pikepdf.Name("/ICCBased"), stream]))
    for holder, key in spaces.inks:
        holder[key] = space
    for owner, resources in spaces.inked:
        made = []
        for instruction in pikepdf.parse_content_stream(owner):
            if (operator := str(instruction.operator)) in ("k", "K"):
                choose, fill = ("cs", "sc") if operator == "k" else ("CS", "SC")
                made += [([pikepdf.Name("/FideleInk")], pikepdf.Operator(choose))]
                made += [(list(instruction.operands), pikepdf.Operator(fill))]
            else:
                made.append(instruction)
        data = pikepdf.unparse_content_stream(made)
        if owner.objgen == leaf.obj.objgen:
            leaf.obj["/Contents"] = document.make_stream(data)
        else:
            owner.write(data)
        if "/ColorSpace" not in resources:
            resources["/ColorSpace"] = pikepdf.Dictionary()
        resources["/ColorSpace"]["/FideleInk"] = space


def _output_intent(document: pikepdf.Object) -> Profile | None:
    """Return the profile of the document's output intent, None where it embeds none."""
    for intent in _items(document.Root.get("/OutputIntents")):
        stream = intent.get("/DestOutputProfile")
        if stream is not None:
            try:
                return Profile.parse(_bytes(stream), tr("The output intent"))
            except ProfileError:
                return None
    return None


def _bytes(stream: pikepdf.Object) -> bytes:
    data = bytes(stream.read_bytes())
    if len(data) > LARGEST:
        raise ProfileError(tr("The profile inside the PDF is too large."))
    return data


def _items(array: pikepdf.Object) -> list[pikepdf.Object]:
    import pikepdf

    return list(array) if isinstance(array, pikepdf.Array) else []


def _gather(
    owner: pikepdf.Object, resources: pikepdf.Object, spaces: _Spaces, depth: int, seen: set[tuple[int, int]]
) -> None:
    """Collect the spaces that a page, form or pattern draws in, with all that it uses."""
    import pikepdf

    if depth > _DEEPEST or (owner.objgen != (0, 0) and owner.objgen in seen):
        return
    seen.add(owner.objgen)
    try:
        for instruction in pikepdf.parse_content_stream(owner):
            operator = str(instruction.operator)
            if operator in _OPERATORS:
                spaces.kinds.add(_OPERATORS[operator])
                if operator in ("k", "K") and resources is not None and (owner, resources) not in spaces.inked:
                    spaces.inked.append((owner, resources))
            elif operator in ("cs", "CS") and instruction.operands:
                spaces.kinds.update(k for k in [_DEVICE.get(str(instruction.operands[0]), "")] if k)
            elif operator == "INLINE IMAGE":
                spaces.kinds.add("picture")
                _space(instruction.operands[0].obj, "/ColorSpace", spaces)
    except (pikepdf.PdfError, AttributeError, TypeError):
        pass  # drawn as far as it can be
    if resources is None:
        return
    for holder, key in _named(resources.get("/ColorSpace")):
        if not key.startswith("/Default"):
            _space(holder, key, spaces)
    for holder, key in _named(resources.get("/ExtGState")):
        spaces.overprints |= any(holder[key].get(way) is not None and bool(holder[key][way]) for way in ("/OP", "/op"))
    for holder, key in _named(resources.get("/Shading")):
        _space(holder[key], "/ColorSpace", spaces)
    for kind in ("/XObject", "/Pattern"):
        for holder, key in _named(resources.get(kind)):
            inner = holder[key]
            if inner.get("/Subtype") == "/Image":
                spaces.kinds.add("picture")
                _space(inner, "/ColorSpace", spaces)
            elif inner.get("/Shading") is not None:
                _space(inner["/Shading"], "/ColorSpace", spaces)
            elif isinstance(inner, pikepdf.Stream):
                _gather(inner, inner.get("/Resources"), spaces, depth + 1, seen)


def _named(dictionary: pikepdf.Object) -> Iterator[tuple[pikepdf.Object, str]]:
    import pikepdf

    if isinstance(dictionary, pikepdf.Dictionary):
        for key in list(dictionary.keys()):
            yield dictionary, key


def _space(holder: pikepdf.Object, key: str | int, spaces: _Spaces, depth: int = 0) -> None:
    """Note the space that stands at `holder[key]`, and where it could be replaced."""
    found = holder[key] if isinstance(key, int) else holder.get(key)
    if found is None or depth > 4:
        return
    parts = _items(found)
    name = str(parts[0]) if parts else str(found)
    if name == "/ICCBased" and len(parts) > 1:
        channels = int(parts[1].get("/N", 0))
        if channels == 3:
            try:
                profile = Profile.parse(_bytes(parts[1]), tr("The profile inside the PDF"))
            except ProfileError:
                spaces.kinds.add(tr("a damaged profile"))
                return
            if profile.header.colour_space == "RGB":
                spaces.rgb[profile.content_id] = profile
                spaces.places.append((holder, key))
            else:
                spaces.kinds.add("L*a*b*")
        elif channels == 4:
            spaces.kinds.add(tr("CMYK with a profile"))
        else:
            spaces.kinds.add("Grey")
    elif name in ("/Indexed", "/I") and len(parts) > 1:
        _space(found, 1, spaces, depth + 1)
    elif name in _DEVICE:
        spaces.kinds.add(_DEVICE[name])
        if name in ("/Separation", "/DeviceN") and len(parts) > 1:
            own = _items(parts[1]) or [parts[1]]
            spaces.named |= {str(ink)[1:] for ink in own} - _PROCESS
        if _DEVICE[name] == "CMYK":
            spaces.inks.append((holder, key))


def _drawn(data: bytes, page: int, path: Path, ppi: float) -> np.ndarray:
    import pypdfium2

    document = pypdfium2.PdfDocument(data)
    try:
        leaf = document[page]
        scale = ppi / 72 * (1 - 1e-5)  # the renderer takes the next larger number of pixels: a whole one stays whole
        width, height = (math.ceil(side * scale) for side in leaf.get_size())
        bounded(width, height, path, _MOST_PIXELS)
        bitmap = leaf.render(scale=scale, rev_byteorder=True, fill_color=(255, 255, 255, 255), may_draw_forms=True)
        return np.ascontiguousarray(bitmap.to_numpy()[..., :3])
    finally:
        document.close()
