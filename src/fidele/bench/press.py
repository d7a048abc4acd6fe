"""The heat press: dye goes from paper into a piece, as temperature, time and pressure allow."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from fidele.bench.inks import SUBSTRATES, InkModel, sublimation_densities, transfer_paper
from fidele.bench.printer import FULL, Print, Unit
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import tr

#: Rows that are pressed at a time.
_ROWS = 1024


@dataclass(frozen=True)
class PressSettings:
    """What the press is set to, and what the person did before closing it."""

    temperature: float = 200.0  # °C
    seconds: float = 180.0
    pressure: float = 2.5  # bar
    dried: bool = True
    dusted: bool = True


@dataclass(frozen=True)
class Piece:
    """What lies before a person: dye amounts (h, w, 4) uint16 in or on something, as it is seen."""

    ink: NDArray[np.uint16]
    ppi: int
    model: InkModel

    @property
    def substrate(self) -> str:
        """Return what it is made of."""
        return self.model.substrate.name

    def xyz(self) -> NDArray[np.float32]:
        """Return XYZ (h, w, 3) as it looks under D50."""
        return self.model.page_table()(self.ink)


def unpressed(sheet: Print, unit: Unit) -> Piece:
    """Return the printed transfer paper as it lies on the table: dull."""
    return Piece(sheet.ink, sheet.ppi, InkModel(sublimation_densities(), transfer_paper(), unit.gain))


def press(sheet: Print, unit: Unit, substrate: str, settings: PressSettings, lot: str = "") -> Piece:
    """Press a print face down on a substrate of some lot; the piece shows it mirrored.

    Raises
    ------
    FideleError
        When the substrate is not on the bench or the settings are beyond the press.
    """
    import cv2

    if substrate not in SUBSTRATES:
        raise FideleError(
            tr(
                "There is no '{substrate}' on the bench; there is {offered}.",
                substrate=substrate,
                offered=", ".join(SUBSTRATES),
            )
        )
    if not (20 <= settings.temperature <= 240 and 0 < settings.seconds <= 900 and 0 < settings.pressure <= 8):
        raise FideleError(tr("The press goes to 240 °C, 900 s and 8 bar."))
    base = SUBSTRATES[substrate]().of_lot(lot)
    share = transferred(settings)
    dose = settings.seconds / 180 * 2 ** ((settings.temperature - 200) / 9)
    # How brown the coating goes: nothing up to 1.6 times the dose, then ever closer to 1.
    scorch = 1 - np.exp(-max(0.0, dose - 1.6) / 4)
    # A press spreads dye a little; too long or too hot spreads it more.
    spread = (0.035 + 0.4 * scorch) / 25.4 * sheet.ppi
    height, width = sheet.ink.shape[:2]
    rng = np.random.default_rng([unit.seed, height, width, round(settings.seconds)])
    spoilt = _spoilt((height, width), settings, rng)
    ink = np.empty_like(sheet.ink)
    reach = round(spread * 8 + 1) // 2 + 1
    for first in range(0, height, _ROWS):
        # Band by band, with as many rows around as the dye spreads: a roll of metres needs no more memory than its ink.
        last = min(height, first + _ROWS)
        top, bottom = max(0, first - reach), min(height, last + reach)
        amounts = np.ascontiguousarray(sheet.ink[top:bottom, ::-1]).astype(np.float32)
        amounts *= (share / FULL).astype(np.float32)
        amounts = cv2.GaussianBlur(amounts, (0, 0), spread)[first - top : last - top]
        if spoilt is not None:
            amounts *= spoilt[first:last, :, None]
        ink[first:last] = np.rint(np.clip(amounts, 0, 1) * FULL)
    yellowed = base.reflectance * (1 - 0.7 * scorch * np.exp(-np.arange(36) / 12))
    return Piece(ink, sheet.ppi, InkModel(sublimation_densities(), replace(base, reflectance=yellowed), unit.gain))


def transferred(settings: PressSettings) -> NDArray[np.float64]:
    """Return the share (4,) of each ink that goes over; each dye has its own energy."""
    dose = settings.seconds / 180 * 2 ** ((settings.temperature - 200) / 9)
    contact = 1 - np.exp(-settings.pressure / 0.5)
    return 0.97 * contact * (1 - np.exp(-dose * np.array([3.4, 4.2, 5.0, 3.0])))


def _spoilt(shape: tuple[int, int], settings: PressSettings, rng: np.random.Generator) -> NDArray[np.float32] | None:
    """Return the share (h, w) of the dye that damp and lint let through; None where there was neither."""
    import cv2

    if settings.dried and settings.dusted:
        return None
    height, width = shape
    through = np.ones(shape, np.float32)
    if not settings.dried:
        damp = cv2.GaussianBlur(rng.standard_normal((64, 64), dtype=np.float32), (0, 0), 3)
        damp = cv2.resize(damp / damp.std(), (width, height), interpolation=cv2.INTER_CUBIC)
        through *= 1 - 0.18 * np.clip(damp, 0, 2.5)
    if not settings.dusted:
        fibres = np.ones(shape, np.float32)
        for _ in range(max(3, height * width // 400_000)):
            x, y = rng.integers(0, width), rng.integers(0, height)
            bend = rng.normal(0, 25, 4)
            points = np.array([[x, y], [x + bend[0], y + bend[1]], [x + bend[2], y + bend[3]]]).astype(np.int32)
            cv2.polylines(fibres, [points], False, 0.35, 2, cv2.LINE_AA)
        through *= fibres
    return through
