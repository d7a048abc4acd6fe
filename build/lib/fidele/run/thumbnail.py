"""A whole sheet as a small picture: as its artwork was sent, for the logbook; as it was promised, for the press."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Codes
from fidele.proof.soft import as_sent
from fidele.run.job import Job, Lying
from fidele.sheet.placing import Media
from fidele.sheet.shapes import inside

SIDE = 180

#: Shows pixels of a picture of a sheet as 8-bit pixels of the screen.
ShowLying = Callable[[Lying, Codes], NDArray[np.uint8]]


def _sent(one: Lying, pixels: Codes) -> NDArray[np.uint8]:
    return as_sent(pixels, one.artwork.profile)


def sheet_picture(
    job: Job,
    size: tuple[int, int],
    scale: float,
    show: ShowLying = _sent,
    paper: tuple[int, int, int] = (250, 250, 250),
) -> NDArray[np.uint8]:
    """Return the sheet of a job as it will be on the piece, (h, w, 3) of `size` (width, height), for the screen.

    `scale` is in pixels per mm; `paper` is the colour of what nothing lies on.
    """
    page = np.empty((size[1], size[0], 3), np.uint8)
    page[:] = paper
    for one in job.lying:
        _paste(page, one, scale, show)
    return page


def _paste(page: NDArray[np.uint8], one: Lying, scale: float, show: ShowLying) -> None:
    import cv2

    x, y, wide, high = one.behind or (0.0, 0.0, one.placing.width, one.placing.height)
    pixels = one.artwork.laid
    size = (max(1, round(wide * scale)), max(1, round(high * scale)))
    step = max(1, int(min(pixels.shape[1] / size[0], pixels.shape[0] / size[1]) / 2))
    kind = cv2.INTER_AREA if size[0] < pixels.shape[1] else cv2.INTER_LINEAR
    less = cv2.resize(np.ascontiguousarray(pixels[::step, ::step]), size, interpolation=kind)
    small = show(one, less.reshape(size[1], size[0], -1))
    # From the small picture to the sheet: into the placing, then turned about its middle.
    cx, cy = one.placing.centre
    turn = np.radians(one.placing.angle)
    cos, sin = np.cos(turn), np.sin(turn)
    left, top = x - one.placing.width / 2, y - one.placing.height / 2
    matrix = np.array([[cos, sin, 0.0], [-sin, cos, 0.0]])
    matrix[:, 2] = scale * (matrix[:, :2] @ [left, top] + [cx, cy])
    x0, y0, x1, y1 = (v * scale for v in one.placing.bounds)
    left_px, top_px = max(0, int(x0)), max(0, int(y0))
    right_px, bottom_px = min(page.shape[1], int(np.ceil(x1))), min(page.shape[0], int(np.ceil(y1)))
    if right_px <= left_px or bottom_px <= top_px:
        return
    matrix[:, 2] -= [left_px, top_px]
    window = (left_px, top_px, right_px, bottom_px)
    canvas = cv2.warpAffine(small, matrix, (right_px - left_px, bottom_px - top_px), flags=cv2.INTER_LINEAR)
    mask = inside(one.shape, one.placing, scale, window)
    np.copyto(page[top_px:bottom_px, left_px:right_px], canvas, where=mask[..., None])


def thumbnail_png(job: Job, media: Media, side: int = SIDE) -> bytes:
    """Return the sheet as its artwork was sent, its longer side `side` pixels, as PNG."""
    import imagecodecs

    scale = side / max(media.width, media.height)
    size = (max(1, round(media.width * scale)), max(1, round(media.height * scale)))
    return bytes(imagecodecs.png_encode(sheet_picture(job, size, scale), level=6))
