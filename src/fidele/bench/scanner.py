"""A flatbed scanner whose sensors do not see as the eye does (they violate the Luther condition)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from fidele.bench.inks import WAVELENGTHS
from fidele.bench.press import Piece
from fidele.dataclass import dataclass
from fidele.tiles import in_tiles


def _bell(centre: float, width: float) -> NDArray[np.float64]:
    return np.exp(-0.5 * ((WAVELENGTHS - centre) / width) ** 2)


def response() -> NDArray[np.float64]:
    """Return sensor times lamp (36, 3) for R, G and B; a perfect white gives 0.92."""
    lamp = 0.55 + 0.35 * _bell(450, 12) + 0.6 * _bell(560, 75)
    sensors = np.stack(
        [
            _bell(612, 30) + 0.06 * _bell(450, 25),
            _bell(538, 33) + 0.05 * _bell(610, 20),
            _bell(462, 24) + 0.04 * _bell(530, 30),
        ],
        axis=1,
    )
    seen = sensors * lamp[:, None]
    return seen / seen.sum(axis=0) * 0.92


@dataclass(frozen=True)
class Scanner:
    """A 300 ppi scanner; everything about a scan repeats with its seed."""

    name: str = "Bench S1"
    seed: int = 5

    def scan(self, piece: Piece, run: int = 0, mirrored: bool = False, turn: float | None = None) -> NDArray[np.uint16]:
        """Scan a piece laid on the glass by hand: RGB (h, w, 3) uint16 at the piece's resolution.

        It lies turned by a degree or so (or by `turn` degrees), slightly skewed; light falls off toward the edges;
        flare and noise are added.
        """
        import cv2

        rng = np.random.default_rng([self.seed, run])
        linear = piece.model.page_table(response())(piece.ink)
        if mirrored:
            linear = np.ascontiguousarray(linear[:, ::-1])
        height, width = linear.shape[:2]
        angle = np.radians(rng.uniform(-1.6, 1.6) if turn is None else turn)
        skew = rng.uniform(-0.002, 0.002)
        turned = np.array([[np.cos(angle), -np.sin(angle) + skew], [np.sin(angle), np.cos(angle)]])
        corners = np.array([[0, 0], [width, 0], [0, height], [width, height]]) @ turned.T
        size = np.ceil(np.ptp(corners, axis=0)).astype(int) + 2 * (margin := round(6 / 25.4 * piece.ppi))
        matrix = np.hstack([turned, (margin - corners.min(axis=0))[:, None]])
        lid = [0.62, 0.62, 0.62]
        seen = cv2.warpAffine(
            linear,
            matrix,
            (int(size[0]), int(size[1])),
            flags=cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_CONSTANT,
            borderValue=lid,
        )
        tilt = rng.uniform(-0.02, 0.02, 2)
        # Flare: a little of what lies around comes back everywhere.
        small = cv2.resize(seen, None, fx=1 / 16, fy=1 / 16, interpolation=cv2.INTER_AREA)
        around = cv2.GaussianBlur(small, (0, 0), 12 / 25.4 * piece.ppi / 16)
        flare = cv2.resize(around, (int(size[0]), int(size[1])), interpolation=cv2.INTER_LINEAR)
        noise = rng.standard_normal((512, 512, 3), dtype=np.float32)
        shift = rng.integers(0, 512, int(size[1]))
        x = np.linspace(-1, 1, int(size[0]), dtype=np.float32)
        y = np.linspace(-1, 1, int(size[1]), dtype=np.float32)
        codes = np.empty(seen.shape, np.uint16)

        def work(rows: slice) -> None:
            falloff = 1 - 0.02 * y[rows, None] ** 2 + tilt[1] * y[rows, None] + (tilt[0] * x - 0.045 * x**2)
            block = seen[rows] * falloff[..., None] + np.float32(0.012) * flare[rows] + np.float32(0.002)
            columns = (np.arange(int(size[0])) + shift[rows.start]) % 512
            grain = noise[np.arange(rows.start, rows.stop) % 512][:, columns]
            block += grain * (np.float32(0.0012) + np.float32(0.004) * np.sqrt(np.clip(block, 0, 1)))
            codes[rows] = np.rint(np.clip(block, 0, 1) ** np.float32(1 / 2.2) * 65535)

        in_tiles(work, int(size[1]), 64)
        return codes
