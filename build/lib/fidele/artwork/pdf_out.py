"""Write a converted picture as a PDF page with an output intent (ISO 32000-2, 14.11.5)."""

from __future__ import annotations

import io
import zlib
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from fidele.arrays import Codes
from fidele.artwork.record import ConversionRecord, packet
from fidele.files import write_bytes
from fidele.icc.describe import describe
from fidele.icc.profile import Profile

if TYPE_CHECKING:
    import pikepdf


_SPACES = {1: "/DeviceGray", 3: "/DeviceRGB", 4: "/DeviceCMYK"}


def write_pdf(
    path: Path, pixels: Codes, profile: Profile | None, ppi: float, alpha: Codes | None, record: ConversionRecord | None
) -> None:
    """Write pixels (h, w, channels), 8 or 16 bit, as the whole of one page at their resolution.

    The numbers stand in the device's space and the profile is the output intent's, so that whoever prints the page
    passes them on as they are.
    """
    import pikepdf

    document = pikepdf.new()
    height, width = pixels.shape[:2]
    size = (width / ppi * 72, height / ppi * 72)
    document.add_blank_page(page_size=size)
    page = document.pages[0]
    image = _image(document, pixels, _SPACES[pixels.shape[2]])
    if alpha is not None:
        image["/SMask"] = _image(document, alpha[..., None], "/DeviceGray")
    page.obj.Resources = pikepdf.Dictionary({"/XObject": pikepdf.Dictionary({"/P": image})})
    page.obj.Contents = document.make_stream(f"q {size[0]:.4f} 0 0 {size[1]:.4f} 0 0 cm /P Do Q".encode())
    if profile is not None:
        name = describe(profile).description
        stream = document.make_stream(profile.data, {"/N": profile.channels})
        document.Root.OutputIntents = pikepdf.Array(
            [
                pikepdf.Dictionary(
                    Type=pikepdf.Name("/OutputIntent"),
                    S=pikepdf.Name("/GTS_PDFX"),
                    OutputConditionIdentifier="Custom",
                    Info=name,
                    DestOutputProfile=stream,
                )
            ]
        )
    if record is not None:
        document.Root.Metadata = document.make_stream(
            packet(record), {"/Type": pikepdf.Name("/Metadata"), "/Subtype": pikepdf.Name("/XML")}
        )
    memory = io.BytesIO()
    document.save(memory, deterministic_id=True)
    write_bytes(path, memory.getvalue())


def _image(document: pikepdf.Object, pixels: Codes, space: str) -> pikepdf.Object:
    import pikepdf

    bits = pixels.dtype.itemsize * 8
    raw = np.ascontiguousarray(pixels.astype(">u2") if bits == 16 else pixels).tobytes()
    stream = document.make_stream(zlib.compress(raw, 6))
    stream["/Type"], stream["/Subtype"] = pikepdf.Name("/XObject"), pikepdf.Name("/Image")
    stream["/Width"], stream["/Height"], stream["/BitsPerComponent"] = pixels.shape[1], pixels.shape[0], bits
    stream["/ColorSpace"], stream["/Filter"] = pikepdf.Name(space), pikepdf.Name("/FlateDecode")
    return stream
