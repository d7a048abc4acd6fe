"""A probe: known numbers sent down the route without ink, and what came out."""

from __future__ import annotations

import datetime
from dataclasses import field

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import tr

SIZE = 17
_CELL = 4
_COLUMNS = 70
_ROWS = -(-(SIZE**3) // _COLUMNS)
#: Around the cells: white, a black frame that tells size and place, and white again, so many pixels each.
_RIM = 8


def lattice_page() -> NDArray[np.uint8]:
    """Return a small page (h, w, 3) of all combinations of 17 levels per channel, each in a cell of its own.

    A black frame around them tells how large the page came out.
    """
    flat = np.full((_ROWS * _COLUMNS, 3), 255, np.uint8)
    flat[: SIZE**3] = np.rint(nodes() * 255).astype(np.uint8)
    cells = np.repeat(np.repeat(flat.reshape(_ROWS, _COLUMNS, 3), _CELL, axis=0), _CELL, axis=1)
    for value in (255, 0, 255):
        cells = np.pad(cells, ((_RIM, _RIM), (_RIM, _RIM), (0, 0)), constant_values=value)
    return cells


def nodes() -> Floats:
    """Return the lattice's values (4913, 3), 0 to 1."""
    axis = np.linspace(0, 1, SIZE)
    return np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)


@dataclass(frozen=True)
class ProbeResult:
    """What the driver made of the lattice: a function on device values, and how much it changed them.

    Attributes
    ----------
    table
        (17, 17, 17, 3) numbers that came out, 0 to 1.
    largest, mean
        Change in 8-bit code values.
    settings
        The driver's settings that it is true for.
    mirrored, turned
        Whether the page came out mirrored left to right, or turned by 180 degrees.
    scale
        Factor between the frame's size as sent and as it came out, to a third of a per cent.
    """

    table: NDArray[np.float32] = field(repr=False)
    largest: float
    mean: float
    when: datetime.datetime
    settings: tuple[tuple[str, object], ...]
    mirrored: bool = False
    turned: bool = False
    scale: float = 1.0

    @property
    def passes(self) -> bool:
        """Whether every number came out as it went in."""
        return self.largest < 0.5

    def __call__(self, device: Floats) -> Floats:
        """Return what the driver makes of device values (n, 3), 0 to 1, interpolated."""
        from fidele.kernels.grids import tetrahedral3

        codes = np.ascontiguousarray(np.clip(device, 0, 1), dtype=np.float32)
        out = np.empty((len(codes), 3), np.float32)
        tetrahedral3(codes, self.table, out)
        return out.astype(float)


def read_lattice(
    page: NDArray[np.uint8], settings: tuple[tuple[str, object], ...], when: datetime.datetime
) -> ProbeResult:
    """Read the numbers that came out of the route for `lattice_page`, from the middle of each cell.

    The page may have come out at another size, and with more paper around it: its frame is found. Which way round it
    came out is told by the bare cells at the end of the last row: whatever a conversion does, it leaves them alike,
    and nowhere else on the page do so many alike stand together.

    Raises
    ------
    FideleError
        When there is no frame, or the page was cut.
    """
    sent = np.rint(nodes() * 255)
    cells, scale = _cells(page)
    ways: dict[tuple[bool, bool], NDArray[np.uint8]] = {}
    for mirrored in (False, True):
        for turned in (False, True):
            laid = cells[::-1, ::-1] if turned else cells
            laid = laid[:, ::-1] if mirrored else laid
            ways[mirrored, turned] = laid.reshape(-1, 3)
    mirrored, turned = min(ways, key=lambda way: float(ways[way][SIZE**3 :].std(axis=0).sum()))
    middle = ways[mirrored, turned][: SIZE**3]
    change = np.abs(middle.astype(float) - sent)
    table = np.ascontiguousarray(middle.reshape(SIZE, SIZE, SIZE, 3) / 255, dtype=np.float32)
    return ProbeResult(table, float(change.max()), float(change.mean()), when, settings, mirrored, turned, scale)


def _cells(page: NDArray[np.uint8]) -> tuple[NDArray[np.uint8], float]:
    """Return the number in the middle of each cell (rows, columns, 3), and how large the page came out."""
    marked = (np.abs(page.astype(int) - page[0, 0].astype(int)) > 60).any(axis=2)
    down, across = np.flatnonzero(marked.any(axis=1)), np.flatnonzero(marked.any(axis=0))
    if not len(down) or min(down[0], across[0]) < 1 or down[-1] > len(page) - 2 or across[-1] > page.shape[1] - 2:
        raise FideleError(tr("The probe did not come back whole: the page was cut, or came out bare."))
    framed = _COLUMNS * _CELL + 4 * _RIM, _ROWS * _CELL + 4 * _RIM
    scale = float(across[-1] - across[0] + 1) / framed[0], float(down[-1] - down[0] + 1) / framed[1]
    columns = across[0] + (2 * _RIM + _CELL * (np.arange(_COLUMNS) + 0.5)) * scale[0]
    rows = down[0] + (2 * _RIM + _CELL * (np.arange(_ROWS) + 0.5)) * scale[1]
    return np.ascontiguousarray(page[rows.astype(int)][:, columns.astype(int)]), (scale[0] + scale[1]) / 2
