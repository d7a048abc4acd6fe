"""Marl, who makes profiles to order: sends a target, reads what comes back printed, and answers with a parcel.

Like a maker elsewhere it knows its own target and nothing of the printer: it finds the frame on the piece, measures the
patches with an instrument of its own, and fits them in its own plain way.
"""

from __future__ import annotations

import datetime
import io
import zipfile

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.bench.maker import lattice, profile_of
from fidele.bench.press import Piece
from fidele.bench.spectrophotometer import Spectrophotometer
from fidele.colour.cie import lab_to_xyz, xyz_to_lab
from fidele.colour.spectra import spectra_to_xyz
from fidele.errors import FideleError
from fidele.language import tr

NAME, MAIL = "Marl profiles", "targets@marl.example"
_PATCH, _ACROSS, _DOWN, _FRAME = 8.5, 20, 22, 1.5  # mm
_PPI = 300


def values() -> NDArray[np.uint8]:
    """Return the RGB (n, 3) of the patches in the order in which they stand, row by row."""
    cube = np.rint(lattice(7) * 255)
    greys = np.rint(np.linspace(0, 255, 33))[:, None].repeat(3, axis=1)
    rng = np.random.default_rng(20)
    between = np.rint(rng.random((_ACROSS * _DOWN - len(cube) - len(greys), 3)) * 255)
    every = np.concatenate([cube, greys, between]).astype(np.uint8)
    return every[rng.permutation(len(every))]


def target() -> tuple[str, bytes]:
    """Return name and content of the target that Marl sends: a TIFF at true size, no profile in it."""
    import tifffile

    scale = _PPI / 25.4
    size = (round((_DOWN * _PATCH + 2 * _FRAME) * scale), round((_ACROSS * _PATCH + 2 * _FRAME) * scale))
    page = np.zeros((*size, 3), np.uint8)
    for number, value in enumerate(values()):
        row, column = divmod(number, _ACROSS)
        y0, y1 = (round((_FRAME + at * _PATCH) * scale) for at in (row, row + 1))
        x0, x1 = (round((_FRAME + at * _PATCH) * scale) for at in (column, column + 1))
        page[y0:y1, x0:x1] = value
    memory = io.BytesIO()
    tifffile.imwrite(
        memory, page, photometric="rgb", compression="zlib", resolution=(_PPI, _PPI), resolutionunit="INCH"
    )
    return "marl-target-440.tif", memory.getvalue()


def centres(piece: Piece) -> Floats:
    """Return the middles (n, 2) of the patches on a piece, in mm, by the black frame around them.

    Raises
    ------
    FideleError
        When the frame is not there, or not of its true size.
    """
    import cv2

    every = max(1, round(piece.ppi / 75))
    seen = Piece(np.ascontiguousarray(piece.ink[::every, ::every]), piece.ppi, piece.model).xyz()[..., 1]
    dark = (seen < 0.3 * seen.max()).astype(np.uint8)
    _, _, found, _ = cv2.connectedComponentsWithStats(dark, connectivity=8)
    mm = 25.4 / (piece.ppi / every)
    wide, high = _ACROSS * _PATCH + 2 * _FRAME, _DOWN * _PATCH + 2 * _FRAME
    boxes = [row[:4] * mm for row in found[1:]]
    best = max(boxes, key=lambda box: box[2] * box[3], default=None)
    if best is None or best[2] * best[3] < 0.1 * wide * high:
        raise FideleError(tr("{name} write: there is no target of ours on this piece.", name=NAME))
    if abs(best[2] / wide - 1) > 0.02 or abs(best[3] / high - 1) > 0.02:
        raise FideleError(
            tr(
                "{name} write: the target was printed {across:.0f} x {down:.0f} mm large in place of "
                "{wide:.0f} x {high:.0f}; print it at true size.",
                name=NAME,
                across=best[2],
                down=best[3],
                wide=wide,
                high=high,
            )
        )
    across, down = np.meshgrid(np.arange(_ACROSS) + 0.5, np.arange(_DOWN) + 0.5)
    places = np.stack([across.ravel(), down.ravel()], axis=1) * _PATCH + _FRAME
    return places * [best[2] / wide, best[3] / high] + [best[0], best[1]]


def answer(number: str, about: dict[str, str], piece: Piece, made: datetime.datetime) -> tuple[str, bytes]:
    """Return the parcel that answers an order: a profile and a letter, zipped.

    Raises
    ------
    FideleError
        When the piece cannot be read as our target.
    """
    from scipy.interpolate import RBFInterpolator

    places, device = centres(piece), values() / 255.0
    measured = spectra_to_xyz(Spectrophotometer(name="Marl M3", noise=0.0008, seed=77).measure(piece, places))
    rgb, inverse = np.unique(device, axis=0, return_inverse=True)  # a value that stands there twice is averaged
    Lab = xyz_to_lab(measured)
    mean = np.stack([np.bincount(inverse, Lab[:, c]) / np.bincount(inverse) for c in range(3)], axis=1)
    fitted = RBFInterpolator(rgb, mean, kernel="thin_plate_spline", smoothing=1e-4)(lattice())
    fitted[:, 0] = np.clip(fitted[:, 0], 0, 100)
    printer, media = about.get("printer", ""), about.get("media", "")
    title = f"{number} {printer}, {media}, {about.get('substrate', '')}".rstrip(", ")
    states = {f"about.{key}": value for key, value in about.items() if value}
    profile = profile_of(lab_to_xyz(fitted), title, "Marl", states, made)
    letter = (
        f"Your order {number}\n\nProfile for the {printer}, {media}.\n"
        f"We measured {len(device)} patches of target 440. Print with the very settings that you printed it with, and "
        "switch every other correction off.\nRegards, Marl\n"
    )
    memory = io.BytesIO()
    with zipfile.ZipFile(memory, "w", zipfile.ZIP_DEFLATED) as bundle:
        bundle.writestr(f"{number} {printer}.icc", profile)
        bundle.writestr(f"letter {number}.txt", letter)
    return f"marl-{number}.zip", memory.getvalue()
