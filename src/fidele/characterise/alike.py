"""A second printer like the first: a profile through which one unit prints what another prints, and what that costs.

Everything comes from the two units' profiles. What a picture looks like on the first (its profile's table to the
device, then what it prints) is looked for on the second, relative to each one's paper: for each intent a table of its
own, so that whoever prints through the profile gets the first unit's look and needs to know nothing of it.
"""

from __future__ import annotations

import datetime
from dataclasses import replace

import numpy as np

from fidele.arrays import Floats
from fidele.characterise.inverse import Inverse, Mapping
from fidele.characterise.printer import GRID, SIZES, PrinterGrid, Sizes, make_profile
from fidele.colour.cie import D50, lab_to_xyz, xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.colour.words import hue_name
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.icc.describe import describe
from fidele.icc.profile import Profile
from fidele.icc.solid import cube_solid, overlap
from fidele.icc.tables import device_to_pcs_lab, pcs_lab_to_device, table_for
from fidele.language import quoted, tr
from fidele.tiles import Progress

#: ΔE00 from which a difference between two prints is seen.
_SEEN = 2.0
#: Whites that differ by more are told: the look is then carried over relative to each paper.
_WHITE = 1.0
#: What the made profile's own tables err by, mean ΔE00 (docs/own-profiles.md).
_TABLES = 0.17
#: So many device values stand for everything that a unit prints.
_MANY = 12_000
#: Below this chroma a colour is a grey, and has no name of a hue.
_GREY = 8.0


class _Likeness:
    """What the first unit makes of colours through one of its profile's intents."""

    #: Not 1: the first unit's own steps are what is wanted, even where they are uneven.
    chroma = 0.0

    def __init__(self, first: Profile, inverse: Inverse, intent: int) -> None:
        self._first, self._inverse, self._intent = first, inverse, intent

    def forward(self, Lab: Floats) -> Floats:
        """Return what the first prints for colours (n, 3)."""
        device = np.clip(pcs_lab_to_device(self._first, Lab, self._intent), 0, 1)
        return device_to_pcs_lab(self._first, device)

    def inverse(self, Lab: Floats) -> Floats:
        """Return the colours (n, 3) that the first prints as given ones, or as what is nearest to them."""
        return device_to_pcs_lab(self._first, self._inverse(Lab), self._intent)


@dataclass(frozen=True, eq=False)
class Cost:
    """What it costs to print like another unit.

    Attributes
    ----------
    before, after
        Mean ΔE00 between the two, all over what the first prints: with the same device values, and as alike as the
        second can.
    lost, by
        Share (0 to 1) of what the first prints that the second cannot, seen side by side; and its mean ΔE00.
    hue
        Where most of that lies, '' for nowhere.
    unused
        Share of the second's own gamut that is not used, because the first has not got it.
    white
        ΔE00 between the two papers.
    """

    before: float
    after: float
    lost: float
    by: float
    hue: str
    unused: float
    white: float
    #: Mean ΔE00 that the two profiles state of themselves, root of the sum of squares; 0 where one states nothing.
    stated: float = 0.0

    @property
    def expected(self) -> float:
        """Mean ΔE00 that is to be expected between the two prints."""
        return float(np.sqrt(self.after**2 + self.stated**2 + _TABLES**2))

    @property
    def words(self) -> list[str]:
        """What it gains and costs, in sentences."""
        said = [
            tr(
                "With the same numbers the two differ by a mean ΔE00 of {before:.2f}; through this profile by "
                "{after:.2f} is expected.",
                before=self.before,
                after=self.expected,
            )
            if self.stated
            else tr(
                "With the same numbers the two differ by a mean ΔE00 of {before:.2f}; through this profile by "
                "{after:.2f} is expected, beside what the two profiles err by themselves.",
                before=self.before,
                after=self.after,
            )
        ]
        if self.lost < 0.001:
            said.append(tr("This unit can print all that the other prints."))
        else:
            said.append(
                tr(
                    "{lost:.1f} % of what the other prints is out of this unit's reach, by ΔE00 {by:.1f} on average, "
                    "most of it {hue}.",
                    lost=100 * self.lost,
                    by=self.by,
                    hue=self.hue,
                )
            )
        if self.unused >= 0.005:
            said.append(tr("{share:.0f} % of what this unit could print is not used for it.", share=100 * self.unused))
        if self.white > _WHITE:
            said.append(
                tr(
                    "The two papers differ by ΔE00 {white:.1f}: colours are alike beside each one's own white.",
                    white=self.white,
                )
            )
        return said


@dataclass(frozen=True, eq=False)
class Both:
    """One profile for two units: its bytes, and how far each is off from it (mean and 95th percentile ΔE00)."""

    profile: bytes
    title: str
    first: tuple[float, float]
    second: tuple[float, float]

    @property
    def words(self) -> list[str]:
        """How far each unit is off, in sentences."""
        return [
            tr(
                "One profile for both: the one is off from it by a mean ΔE00 of {first:.2f} ({first95:.1f} for one "
                "colour in twenty), the other by {second:.2f} ({second95:.1f}).",
                first=self.first[0],
                first95=self.first[1],
                second=self.second[0],
                second95=self.second[1],
            )
        ]


def grid_of(profile: Profile) -> PrinterGrid:
    """Return what an RGB printer's profile says that it prints.

    Raises
    ------
    FideleError
        When it is no output profile of a printer that takes RGB, or has no table from device values.
    """
    what = describe(profile)
    if why := next((p.message for p in what.problems if p.weight == "stop"), ""):
        raise FideleError(f"{quoted(what.description)}: {why}")
    if not what.usable_as_output or profile.channels != 3 or table_for(profile, "A2B", 1) is None:
        raise FideleError(tr("“{title}” is no profile of a printer that takes RGB.", title=what.description))
    axis = np.linspace(0, 1, GRID)
    nodes = np.stack(np.meshgrid(axis, axis, axis, indexing="ij"), axis=-1).reshape(-1, 3)
    Lab = device_to_pcs_lab(profile, nodes)
    Lab[-1] = [100, 0, 0]
    white = _white(profile)
    black = lab_to_xyz(Lab[Lab[:, 0].argmin()]) / D50 * white
    table = np.ascontiguousarray(Lab.reshape(GRID, GRID, GRID, 3), dtype=np.float32)
    return PrinterGrid(table, white, black)


def _white(profile: Profile) -> Floats:
    """Return XYZ (3,) of a profile's paper; D50 where it says nothing of it."""
    said = describe(profile).white_lab
    return np.asarray(lab_to_xyz(np.asarray(said)) if said is not None else D50, float)


def _anywhere() -> Floats:
    rng = np.random.default_rng(12)
    return np.concatenate([rng.random((_MANY, 3)), np.linspace(0, 1, 65)[:, None] * np.ones(3)])


def cost(first: PrinterGrid, second: PrinterGrid) -> Cost:
    """Return what it costs the second unit to print like the first."""
    device = _anywhere()
    wanted = first(device)
    off = delta_e_2000(wanted, Inverse(second).printed(wanted))
    seen = off > _SEEN
    hue = ""
    if seen.any():
        lost = wanted[seen]
        names = np.array([_name(Lab) for Lab in lost])
        kinds, counts = np.unique(names, return_counts=True)
        hue = str(kinds[counts.argmax()])
    gamuts = overlap(cube_solid(first, 32), cube_solid(second, 32))
    white = float(delta_e_2000(*(_lab(grid.white_XYZ) for grid in (first, second)))[0])
    return Cost(
        float(delta_e_2000(wanted, second(device)).mean()),
        float(off.mean()),
        float(seen.mean()),
        float(off[seen].mean()) if seen.any() else 0.0,
        hue,
        1 - gamuts.b_in_a,
        white,
    )


def _name(Lab: Floats) -> str:
    if np.hypot(Lab[1], Lab[2]) < _GREY:
        return tr("dark greys") if Lab[0] < 50 else tr("light greys")
    return hue_name(float(np.degrees(np.arctan2(Lab[2], Lab[1]))) % 360)


def _lab(XYZ: Floats) -> Floats:
    return xyz_to_lab(XYZ[None])


def alike(
    first: Profile,
    second: Profile,
    title: str,
    created: datetime.datetime,
    states: dict[str, str] | None = None,
    progress: Progress | None = None,
    sizes: Sizes = SIZES,
) -> tuple[bytes, Cost]:
    """Make the profile through which the second unit prints like the first; return it, and what that costs.

    Raises
    ------
    FideleError
        When one of them is no profile of an RGB printer with tables both ways.
    CancelledError
        When `progress` returned False.
    """
    one, other = grid_of(first), grid_of(second)
    if table_for(first, "B2A", 1) is None:
        raise FideleError(tr("“{title}” has no table to the printer.", title=describe(first).description))
    errors = [describe(profile).stated_error for profile in (first, second)]
    stated = float(np.hypot(*errors)) if None not in errors else 0.0  # type: ignore[arg-type]
    found, inverse = replace(cost(one, other), stated=stated), Inverse(one)
    ways: dict[int, Mapping] = {intent: _Likeness(first, inverse, intent) for intent in range(3)}
    said = (states or {}) | {
        "alike.like": describe(first).description,
        "alike.like_id": first.content_id,
        "alike.of": describe(second).description,
        "alike.of_id": second.content_id,
        "alike.expected_de00": f"{found.expected:.3f}",
    }
    return make_profile(other, title, created, "", progress, said, sizes, ways), found


def between(one: PrinterGrid, other: PrinterGrid) -> tuple[PrinterGrid, list[Floats]]:
    """Return what lies in the middle between two units, and by how much (n,) each is off from it all over, ΔE00."""
    grid = ((one.grid.astype(float) + other.grid) / 2).astype(np.float32)
    middle = PrinterGrid(grid, (one.white_XYZ + other.white_XYZ) / 2, (one.black_XYZ + other.black_XYZ) / 2)
    device = _anywhere()
    return middle, [delta_e_2000(middle(device), unit(device)) for unit in (one, other)]


def for_both(
    first: Profile,
    second: Profile,
    title: str,
    created: datetime.datetime,
    states: dict[str, str] | None = None,
    progress: Progress | None = None,
) -> Both:
    """Make one profile for two units: what lies in the middle between them; how far each is off is said.

    Raises as `alike` does.
    """
    middle, off = between(grid_of(first), grid_of(second))
    said = (states or {}) | {
        "alike.both": f"{describe(first).description}; {describe(second).description}",
        "alike.off_de00": " ".join(f"{o.mean():.3f}" for o in off),
    }
    data = make_profile(middle, title, created, "", progress, said)
    figures = [(float(o.mean()), float(np.percentile(o, 95))) for o in off]
    return Both(data, title, figures[0], figures[1])
