"""The Velm Wren itself: numbers to ink on paper."""

from __future__ import annotations

import json
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from fidele.bench import wren
from fidele.bench.correction import maker_correction
from fidele.bench.separation import separate
from fidele.errors import FideleError
from fidele.files import replacing
from fidele.tiles import Progress, in_tiles

#: Ink amounts are kept as 16-bit codes; this one is full coverage.
FULL = 65535


@dataclass(frozen=True)
class Print:
    """A sheet as it lies on the table: ink amounts (h, w, 4) uint16, seen from the printed side."""

    ink: NDArray[np.uint16]
    ppi: int
    paper: str
    unit: str

    def save(self, path: Path) -> None:
        """Write it as a four-channel TIFF (separated, 16 bit), what it is in the description."""
        import tifffile

        about = json.dumps({"paper": self.paper, "unit": self.unit})
        with replacing(path) as temporary:
            tifffile.imwrite(
                temporary,
                self.ink,
                photometric="separated",
                resolution=(self.ppi, self.ppi),
                resolutionunit="INCH",
                compression="zlib",
                compressionargs={"level": 1},
                predictor=True,
                description=about,
            )

    @staticmethod
    def load(path: Path) -> Print:
        """Read a print back from its file."""
        import tifffile

        try:
            with tifffile.TiffFile(path) as tiff:
                about = json.loads(tiff.pages[0].description)  # type: ignore[union-attr]
                return Print(tiff.asarray(), wren.RESOLUTION, about["paper"], about["unit"])
        except (OSError, ValueError, LookupError, tifffile.TiffFileError) as error:
            raise FideleError(f"{path} is not a print of this bench.") from error


@dataclass(frozen=True)
class Unit:
    """What makes one machine differ from another of its model: load and gain per ink, and a seed."""

    serial: str
    load: NDArray[np.float64]
    gain: NDArray[np.float64]
    seed: int

    @staticmethod
    def of(serial: str, seed: int) -> Unit:
        """Draw the unit that carries this serial number."""
        rng = np.random.default_rng([seed, *serial.encode()])
        return Unit(serial, 1 + rng.normal(0, 0.02, 4), 0.80 * (1 + rng.normal(0, 0.02, 4)), seed)


@lru_cache(maxsize=4)
def _grain_tile(seed: int) -> NDArray[np.float32]:
    return np.random.default_rng([seed, 77]).standard_normal((1024, 1024, 4), dtype=np.float32)


def device_table(values: dict[str, Any], unit: Unit, size: int = 33) -> NDArray[np.float32]:
    """Return the driver's table (size³, 4) from the RGB it is sent to ink amounts, under its present settings."""
    axis = np.linspace(0, 1, size)
    rgb = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)
    numbers = numbers_before_ink(rgb, values)
    passes = {1: 0.90, 2: 0.97, 3: 1.0}[values["Passes"]]
    thrift = 0.85 if values["Thrift"] == "on" else 1.0
    load = wren.STOCKS[values["Stock"]].load * passes * thrift * unit.load
    return np.ascontiguousarray(np.clip(separate(numbers) * load, 0, 1), dtype=np.float32)


def numbers_before_ink(rgb: NDArray[np.float64], values: dict[str, Any]) -> NDArray[np.float64]:
    """Return what the driver makes of RGB (…, 3) before it is separated into inks, 0 to 1."""
    numbers = np.asarray(rgb, dtype=float)
    if values["Blend"] != "Untouched":
        numbers = maker_correction(numbers, bright=values["Blend"] == "Velm bright")
    if values["Polish"] == "on":
        numbers = numbers + 0.10 * np.sin(2 * np.pi * (numbers - 0.5)) / np.pi
    grey = numbers.mean(axis=-1, keepdims=True)
    numbers = grey + (numbers - grey) * (1 + 0.04 * values["Strength"])
    numbers = numbers + 0.02 * values["Light"] * 4 * numbers * (1 - numbers)
    warm = 0.012 * values["Warmth"] * 4 * numbers[..., :1] * (1 - numbers[..., :1])
    return np.clip(numbers + warm * np.array([1.0, 0.1, -1.0]), 0, 1)


class Wren:
    """One printer with its driver, kept in a folder."""

    def __init__(self, folder: Path, serial: str = "W-0417", seed: int = 20260613) -> None:
        self.driver = wren.WrenDriver(folder / f"wren-{serial}.json")
        self.unit = Unit.of(serial, seed)
        self.paper = "Fen 100 transfer paper"
        self._sheets = 0

    def dry_run(self, page: NDArray[np.uint8], instead: dict[str, Any] | None = None) -> NDArray[np.uint8]:
        """Return the numbers that the driver would turn into ink for a page (h, w, 3), as 8-bit RGB.

        `instead` are settings sent with this job alone; the driver's own stay as they are.
        """
        if page.size > 3 << 20:
            raise FideleError("A dry run takes a page of at most one megapixel.")
        return np.round(numbers_before_ink(page / 255, self.driver.values() | (instead or {})) * 255).astype(np.uint8)

    def print_page(self, page: NDArray[np.uint8], progress: Progress | None = None) -> tuple[Print, dict[str, Any]]:
        """Print a page of 8-bit RGB (h, w, 3) at 300 ppi; return the sheet and the driver's receipt.

        Raises
        ------
        FideleError
            When the page is not 8-bit RGB.
        CancelledError
            When `progress` returned False; the sheet is then wasted.
        """
        from fidele.kernels import tetrahedral3

        if page.dtype != np.uint8 or page.ndim != 3 or page.shape[2] != 3:
            raise FideleError(f"The {wren.MODEL} takes 8-bit RGB pages.")
        values = self.driver.values()
        placed = self._place(page, values)
        height, width = placed.shape[:2]
        table = device_table(values, self.unit)
        grain = _grain_tile(self.unit.seed)
        shift = np.random.default_rng([self.unit.seed, self._sheets]).integers(0, 1024, 2)
        self._sheets += 1
        rough = {1: 0.030, 2: 0.020, 3: 0.012}[values["Passes"]]
        swath = self._swaths(height, values["Carriage"])
        ink = np.empty((height, width, 4), np.uint16)
        left, top, right, bottom = (round(m / 25.4 * wren.RESOLUTION) for m in wren.MARGINS)
        columns = (np.arange(width) + shift[0]) % 1024

        def work(rows: slice) -> None:
            codes = placed[rows].reshape(-1, 3).astype(np.float32) / np.float32(255)
            flat = np.empty((len(codes), 4), np.float32)
            tetrahedral3(codes, table, flat)
            amounts = flat.reshape(-1, width, 4)
            noise = grain[(np.arange(rows.start, rows.stop) + shift[1]) % 1024][:, columns]
            amounts *= swath[rows, None, None]
            amounts += noise * (rough * np.sqrt(amounts * np.clip(1 - amounts, 0.02, None)))
            np.clip(amounts, 0, 1, out=amounts)
            ink[rows] = np.rint(amounts * FULL).astype(np.uint16)

        in_tiles(work, height, 128, progress)
        ink[:top] = 0
        ink[height - bottom :] = 0
        ink[:, :left] = 0
        ink[:, width - right :] = 0
        receipt = {"printer": f"{wren.MAKER} {wren.MODEL}", "serial": self.unit.serial, "pixels": [width, height]}
        return Print(ink, wren.RESOLUTION, self.paper, self.unit.serial), receipt | self.driver.read_back()

    def _swaths(self, height: int, carriage: str) -> NDArray[np.float32]:
        """Return the load of each row: printing there and back leaves bands."""
        if carriage == "there":
            return np.ones(height, np.float32)
        band = (np.arange(height) // 54) % 2
        return np.where(band == 0, 1.012, 0.985).astype(np.float32)

    def _place(self, page: NDArray[np.uint8], values: dict[str, Any]) -> NDArray[np.uint8]:
        """Put the page on the sheet: turned, scaled and cut as the driver is set."""
        import cv2

        if values["Turn"] == "half":
            page = page[::-1, ::-1]
        width, height = (round(mm / 25.4 * wren.RESOLUTION) for mm in wren.FORMATS[values["Format"]])
        factor = page_scale(values, page.shape[1], page.shape[0])
        sheet = np.full((height, width, 3), 255, np.uint8)
        if factor != 1.0:
            size = (max(1, round(page.shape[1] * factor)), max(1, round(page.shape[0] * factor)))
            page = cv2.resize(page, size, interpolation=cv2.INTER_AREA if factor < 1 else cv2.INTER_LINEAR)
        x, y = (width - page.shape[1]) // 2, (height - page.shape[0]) // 2
        x0, y0 = max(0, x), max(0, y)
        x1, y1 = min(width, x + page.shape[1]), min(height, y + page.shape[0])
        sheet[y0:y1, x0:x1] = page[y0 - y : y1 - y, x0 - x : x1 - x]
        return sheet


def page_scale(values: dict[str, Any], width: int, height: int) -> float:
    """Return the factor by which the driver enlarges or reduces a page of so many pixels."""
    sheet = [mm / 25.4 * wren.RESOLUTION for mm in wren.FORMATS[values["Format"]]]
    if values["Fit"] == "over the edge":
        return max(sheet[0] / width, sheet[1] / height) * 1.03
    if values["Fit"] == "into the frame":
        left, top, right, bottom = (m / 25.4 * wren.RESOLUTION for m in wren.MARGINS)
        return min((sheet[0] - left - right) / width, (sheet[1] - top - bottom) / height)
    return 1.0
