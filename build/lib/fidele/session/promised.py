"""What a piece was promised to look like, at the very size and in the very light in which it lies there."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Codes
from fidele.icc.transform import white_of
from fidele.route.condition import Card
from fidele.run.job import Lying, Printed
from fidele.run.thumbnail import sheet_picture
from fidele.session.looks import Looks
from fidele.tuning.way import Way


def promised(
    looks: Looks, printed: Printed, card: Card, size: tuple[int, int], ppi: float, way: Way | None = None
) -> NDArray[np.uint8] | None:
    """Return the pieces of a condition on a sheet as their proofs promised them, on the substrate's own white.

    Comes as (h, w, 3) for the screen, `size` (width, height) at `ppi`; None where nothing was promised: without a
    profile, or for a chart that nothing converts. `way` is how numbers go where another one than Fidele converts.
    """
    mine = tuple(one for one in printed.job.lying if one.card.id == card.id)
    first = mine[0] if mine else None
    if first is None or first.profile is None or printed.job.bare or (card.owner != "fidele" and way is None):
        return None
    job = replace(printed.job, lying=mine)

    def show(one: Lying, pixels: Codes) -> NDArray[np.uint8]:
        profile = one.profile or first.profile
        assert profile is not None
        look = looks.on_sheet(one.artwork.profile, profile, one.card, one.tuning, one.keep, way, paper_white=True)
        return look(np.ascontiguousarray(pixels))

    kind = first.artwork.pixels.dtype
    white = np.asarray(white_of(first.artwork.profile, kind), kind).reshape(1, 1, -1)
    red, green, blue = (int(v) for v in show(first, white)[0, 0])
    return sheet_picture(job, size, ppi / 25.4, show, (red, green, blue))
