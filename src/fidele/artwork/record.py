"""What was done to a converted picture, written into it as XMP and read back, so that it is never converted twice.

The packet is small and ours (ISO 16684-1 for the wrapping). It carries a hash of the pixels: where another program has
changed them, or copied the packet to another picture, it says nothing any more.
"""

from __future__ import annotations

import hashlib
import html
import re
from dataclasses import MISSING, fields
from typing import Any

import numpy as np

from fidele.arrays import Codes
from fidele.dataclass import dataclass
from fidele.language import tr

_SPACE = "https://fidele.invalid/ns/conversion/1.0/"
_LARGEST = 1 << 20


@dataclass(frozen=True)
class ConversionRecord:
    """How a picture was converted: profiles by name, the output profile's content, intent, compensation, and more.

    Attributes
    ----------
    compensated, mirrored
        'yes' or 'no'.
    condition
        Name of the printing condition, '' where there was none.
    pixels
        Hash of the pixels, see `pixel_hash`.
    tuning, kept
        What was tuned, and which pure colours were kept; '' for nothing.
    kind
        'printer' for a printer's values, 'space' for a working space, which can be converted on.
    """

    source: str
    output: str
    output_id: str
    intent: str
    compensated: str
    mirrored: str
    condition: str
    pixels: str
    tuning: str = ""
    kept: str = ""
    kind: str = "printer"

    @property
    def words(self) -> str:
        """What was done, in a sentence."""
        how = (
            tr("{intent}, with black point compensation", intent=self.intent)
            if self.compensated == "yes"
            else tr("{intent}, without black point compensation", intent=self.intent)
        )
        where = tr(" for “{condition}”", condition=self.condition) if self.condition else ""
        mirrored = tr(", mirrored") if self.mirrored == "yes" else ""
        tuned = tr(", tuned ({tuning})", tuning=self.tuning) if self.tuning else ""
        kept = (
            (tr(", pure black kept") if self.kept == "black" else tr(", pure black and primaries kept"))
            if self.kept
            else ""
        )
        return tr(
            "It was converted from {source} to {output}{where}: {how}{tuned}{kept}{mirrored}.",
            source=self.source,
            output=self.output,
            where=where,
            how=how,
            tuned=tuned,
            kept=kept,
            mirrored=mirrored,
        )


def pixel_hash(pixels: Codes) -> str:
    """Return a hash of pixels (h, w, channels), their shape and depth."""
    values = np.ascontiguousarray(pixels)
    made = hash_begun(values.shape, values.dtype)
    made.update(values.view(np.uint8).reshape(-1).data)
    return made.hexdigest()[:32]


def hash_begun(shape: tuple[int, ...], dtype: np.dtype[Any]) -> Any:
    """Return the hash of pixels of a shape and type before the first one; for pictures that come in strips."""
    return hashlib.sha256(f"{tuple(shape)} {dtype.str}".encode())


def _quoted(text: str) -> str:
    return html.escape(text, quote=False).replace('"', "&quot;")


def packet(record: ConversionRecord) -> bytes:
    """Return a record as an XMP packet."""
    said = " ".join(f'fidele:{f.name}="{_quoted(getattr(record, f.name))}"' for f in fields(record))
    return (
        '<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?>'
        '<x:xmpmeta xmlns:x="adobe:ns:meta/"><rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
        f'<rdf:Description rdf:about="" xmlns:fidele="{_SPACE}" {said}/>'
        '</rdf:RDF></x:xmpmeta><?xpacket end="w"?>'
    ).encode()


def record_in(data: bytes | None, pixels: Codes) -> ConversionRecord | None:
    """Return the record in an XMP packet, None where it holds none or speaks of other pixels."""
    record = claimed_in(data)
    return record if record is not None and record.pixels == pixel_hash(pixels) else None


def claimed_in(data: bytes | None) -> ConversionRecord | None:
    """Return the record in an XMP packet, of whatever pixels it speaks; None where it holds none."""
    if not data or len(data) > _LARGEST or _SPACE.encode() not in data:
        return None
    text = data.decode("utf-8", "replace")
    found = {}
    for field in fields(ConversionRecord):
        match = re.search(rf'fidele:{field.name}="([^"]{{0,1000}})"', text)
        if match is None and field.default is MISSING:
            return None
        if match is None:
            continue
        found[field.name] = html.unescape(match.group(1))
    return ConversionRecord(**found)
