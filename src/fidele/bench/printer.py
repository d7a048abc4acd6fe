"""The printers themselves: numbers to ink on paper."""

from __future__ import annotations

import copy
import itertools
import json
from functools import lru_cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Codes, top_of
from fidele.bench.driver import Driver, Effect, Model, SentAlong, Values
from fidele.bench.separation import separate
from fidele.bench.supply import TANKS, Store, Supply
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.files import replacing
from fidele.language import tr
from fidele.tiles import Progress, in_tiles

#: Ink amounts are kept as 16-bit codes; this one is full coverage.
FULL = 65535


class AwayError(FideleError):
    """The machine is switched off, or was in mid-run."""


class EmptyError(FideleError):
    """A tank is empty."""


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

        about = json.dumps({"paper": self.paper, "unit": self.unit, "ppi": self.ppi})
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
                return Print(tiff.asarray(), about["ppi"], about["paper"], about["unit"])
        except (OSError, ValueError, LookupError, tifffile.TiffFileError) as error:
            raise FideleError(tr("{path} is not a print of this bench.", path=path)) from error


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


def device_table(effect: Effect, unit: Unit, size: int = 33) -> NDArray[np.float32]:
    """Return the driver's table (size³, 4) from the RGB it is sent to ink amounts, under its present settings."""
    axis = np.linspace(0, 1, size)
    rgb = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1)
    numbers = np.clip(effect.numbers(rgb), 0, 1)
    return np.ascontiguousarray(np.clip(separate(numbers) * effect.load * unit.load, 0, 1), dtype=np.float32)


class Machine:
    """One printer with its driver, kept in a folder."""

    def __init__(self, folder: Path, model: Model, serial: str, seed: int = 20260613) -> None:
        self.model = model
        self.driver = Driver(folder / f"{model.name.lower()}-{serial}.json", model)
        self.store = Store(folder / f"supply-{model.name.lower()}-{serial}.json", model.loaded)
        self.unit = Unit.of(serial, seed)
        self.paper = model.paper
        self._sheets = itertools.count()

    def sending(self, settings: Values) -> Machine:
        """Return this machine as it is for one job that brings its own settings."""
        made = copy.copy(self)
        made.driver = SentAlong(self.driver, settings)
        return made

    def effect(self, instead: Values | None = None) -> Effect:
        """Return what the settings come to, `instead` being sent with one job alone."""
        return self.model.effect(self.driver.values() | (instead or {}))

    def dry_run(self, page: Codes, instead: Values | None = None, of: tuple[float, float] | None = None) -> Codes:
        """Return the numbers that the driver would turn into ink for a page (h, w, 3), in the page's own depth.

        The page comes out as the driver lays it down: mirrored or turned where it does so, and scaled as it would
        scale a page `of` so many millimetres, whose nearest pixels are taken; None leaves the scale alone.
        `instead` are settings sent with this job alone; the driver's own stay as they are.
        """
        if page.size > 3 << 20:
            raise FideleError(tr("A dry run takes a page of at most one megapixel."))
        self._check(page)
        full = top_of(page)
        effect = self.effect(instead)
        laid = _laid(page, effect)
        if of is not None:
            laid = nearest(laid, effect.scale(*of))
        return np.round(np.clip(effect.numbers(laid / full), 0, 1) * full).astype(page.dtype)

    def _check(self, page: Codes) -> None:
        depths = (np.uint8,) if self.model.bits == 8 else (np.uint8, np.uint16)
        if page.dtype not in depths or page.ndim != 3 or page.shape[2] != 3:
            raise FideleError(
                tr("The {printer} takes {bits}-bit RGB pages.", printer=self.model.name, bits=self.model.bits)
            )

    def print_page(self, page: Codes, progress: Progress | None = None) -> tuple[Print, Values]:
        """Print a page of RGB (h, w, 3) at the printer's resolution; return the sheet and the driver's receipt.

        Raises
        ------
        FideleError
            When the page is not RGB of a depth that this printer takes, or it does not answer, or a tank is empty.
        CancelledError
            When `progress` returned False; the sheet is then wasted.
        """
        from fidele.kernels.grain import grained
        from fidele.kernels.grids import tetrahedral3

        self._check(page)
        supply = self.store.read()
        self._check_supply(supply)
        effect = self.effect()
        full = np.float32(top_of(page))
        placed = self._place(page, effect)
        height, width = placed.shape[:2]
        table = device_table(effect, self.unit) * np.array([supply.flow[t] for t in TANKS], np.float32)
        grain = _grain_tile(self.unit.seed)
        shift = np.random.default_rng([self.unit.seed, next(self._sheets)]).integers(0, 1024, 2)
        swath = _swaths(height, effect.banded)
        ink = np.empty((height, width, 4), np.uint16)
        left, top, right, bottom = (self._pixels(m) for m in effect.margins)
        columns, rough = (np.arange(width) + shift[0]) % len(grain), np.float32(effect.rough)

        def work(rows: slice) -> None:
            if not self.store.read().online:
                raise AwayError(
                    tr("The {printer} stopped answering in mid-run; the sheet is spoilt.", printer=self.model.title)
                )
            codes = placed[rows].reshape(-1, 3).astype(np.float32) / full
            flat = np.empty((len(codes), 4), np.float32)
            tetrahedral3(codes, table, flat)
            swaths = np.ascontiguousarray(swath[rows], np.float32)
            start = (rows.start + int(shift[1])) % len(grain)
            grained(flat.reshape(-1, width, 4), grain, start, columns, swaths, rough, np.float32(FULL), ink[rows])

        in_tiles(work, height, 128, progress)
        ink[:top] = 0
        ink[height - bottom :] = 0
        ink[:, :left] = 0
        ink[:, width - right :] = 0
        self._cut(ink, effect, supply)
        used = self.store.use(ink, self.model.resolution)
        receipt = {"printer": self.model.title, "serial": self.unit.serial, "pixels": [width, height], "ink ml": used}
        return Print(ink, self.model.resolution, self.paper, self.unit.serial), receipt | self.driver.read_back()

    def _check_supply(self, supply: Supply) -> None:
        if not supply.online:
            raise AwayError(
                tr("The {printer} does not answer: it is switched off or unplugged.", printer=self.model.title)
            )
        empty = [t for t in TANKS if supply.inks[t] <= 0]
        if empty:
            raise EmptyError(tr("The {printer} has no {ink} ink left.", printer=self.model.title, ink=tr(empty[0])))

    def _cut(self, ink: NDArray[np.uint16], effect: Effect, supply: Supply) -> None:
        """Leave bare what would fall beside the sheet that really lies there, in the middle of the way in."""
        real = self.loaded_sheet(supply)
        height, width = ink.shape[:2]
        for axis, (there, asked) in enumerate(zip(real, effect.sheet, strict=True)):
            size = width if axis == 0 else height
            beside = max(0, (size - self._pixels(there)) // 2) if there and asked else 0
            if beside:
                flat = ink if axis else ink.swapaxes(0, 1)
                flat[:beside] = 0
                flat[size - beside :] = 0

    def loaded_sheet(self, supply: Supply) -> tuple[float, float]:
        """Return width and length in mm of what lies in the way that the driver is set to; 0 for a roll's length."""
        values = self.driver.values()
        way = str(values.get(self.model.way_control, "")) if self.model.way_control else ""
        return self.model.effect(values | {self.model.size_control: supply.loaded[way]}).sheet

    def _pixels(self, mm: float) -> int:
        return round(mm / 25.4 * self.model.resolution)

    def _place(self, page: Codes, effect: Effect) -> Codes:
        """Put the page on the sheet: mirrored, turned, scaled and cut as the driver is set."""
        import cv2

        page = _laid(page, effect)
        per_mm = self.model.resolution / 25.4
        factor = effect.scale(page.shape[1] / per_mm, page.shape[0] / per_mm)
        width, height = (self._pixels(mm) for mm in effect.sheet)
        height = height or max(1, round(page.shape[0] * factor))
        sheet = np.full((height, width, 3), top_of(page), page.dtype)
        if factor != 1.0:
            size = (max(1, round(page.shape[1] * factor)), max(1, round(page.shape[0] * factor)))
            page = cv2.resize(page, size, interpolation=cv2.INTER_AREA if factor < 1 else cv2.INTER_LINEAR)
        x, y = (width - page.shape[1]) // 2, (height - page.shape[0]) // 2
        x0, y0 = max(0, x), max(0, y)
        x1, y1 = min(width, x + page.shape[1]), min(height, y + page.shape[0])
        sheet[y0:y1, x0:x1] = page[y0 - y : y1 - y, x0 - x : x1 - x]
        return sheet


def _laid(page: Codes, effect: Effect) -> Codes:
    """Return the page as the driver lays it down: mirrored left to right, turned by half."""
    if effect.mirrors:
        page = page[:, ::-1]
    return np.ascontiguousarray(page[::-1, ::-1] if effect.turned else page)


def nearest(page: Codes, factor: float) -> Codes:
    """Return a page scaled by a factor, each pixel the nearest one: numbers stay what they are."""
    if factor == 1.0:
        return page
    height, width = (max(1, round(n * factor)) for n in page.shape[:2])
    rows = np.minimum(((np.arange(height) + 0.5) / factor).astype(int), page.shape[0] - 1)
    columns = np.minimum(((np.arange(width) + 0.5) / factor).astype(int), page.shape[1] - 1)
    return np.ascontiguousarray(page[rows][:, columns])


def _swaths(height: int, banded: bool) -> NDArray[np.float32]:
    """Return the load of each row: printing there and back leaves bands."""
    if not banded:
        return np.ones(height, np.float32)
    band = (np.arange(height) // 54) % 2
    return np.where(band == 0, 1.012, 0.985).astype(np.float32)
