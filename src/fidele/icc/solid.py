"""The gamut as a solid: a closed triangulated surface in L*a*b*, its volume, slices, and what it shares with another.

A convex hull overstates a gamut by some 10 %, because gamuts are hollow between their tips; the surface of the device
cube (or, for other than three channels, of the rays from its middle) is the gamut's own.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.dataclass import dataclass
from fidele.icc.profile import Profile, ProfileError
from fidele.icc.tables import device_to_pcs_lab

#: Edge of the cells in which two solids are compared, in units of L*a*b*.
_CELL = 2.0
_REACH = 160.0
#: Meshes of the net that is drawn, along each side.
_MESHES = 4


@dataclass(frozen=True)
class Solid:
    """A closed surface: vertices (n, 3) in L*a*b*, triangles (m, 3) as indices, wound so that the volume is positive.

    `net` are the coordinates (n, k), 0 to 1, of the net that the vertices are knots of: device values for a cube.
    """

    vertices: Floats
    triangles: NDArray[np.int64]
    net: Floats

    @cached_property
    def volume(self) -> float:
        """Volume in cubic units of L*a*b*, by the divergence theorem."""
        p, q, r = (self.vertices[self.triangles[:, i]] for i in range(3))
        return float(np.einsum("ij,ij->i", p, np.cross(q, r)).sum() / 6)

    def inside(self, Lab: Floats) -> NDArray[np.bool_]:
        """Tell which colours (n, 3) lie in the solid."""
        from fidele.kernels.solids import winding_at

        out = np.empty(len(Lab), np.int32)
        winding_at(np.ascontiguousarray(Lab, float), self.vertices, self.triangles, out)
        return out != 0

    def cells(self) -> NDArray[np.bool_]:
        """Tell which cells of a common grid over a*, b* and L* lie in the solid."""
        axis = np.arange(-_REACH, _REACH, _CELL) + 0.37 * _CELL
        return self.raster(axis, axis, np.arange(0.5 * _CELL, 100, _CELL))

    def raster(self, a: Floats, b: Floats, levels: Floats) -> NDArray[np.bool_]:
        """Tell which points of a grid (len(a), len(b), len(levels)) lie in the solid; all three evenly spaced."""
        from fidele.kernels.solids import winding_columns

        out = np.zeros((len(a), len(b), len(levels) + 1), np.int32)
        winding_columns(self.vertices, self.triangles, a, b, levels, out)
        return np.cumsum(out, axis=2)[:, :, :-1] != 0

    @cached_property
    def wires(self) -> NDArray[np.int64]:
        """Pairs of vertices (n, 2) that draw the net's lines, `_MESHES` meshes along each side."""
        edges = np.concatenate([self.triangles[:, [0, 1]], self.triangles[:, [1, 2]], self.triangles[:, [2, 0]]])
        one, other = self.net[edges[:, 0]], self.net[edges[:, 1]]
        same = np.abs(one - other) < 1e-9
        on_line = np.abs(one * _MESHES - np.rint(one * _MESHES)) < 1e-6
        along = (~same).sum(axis=1) == 1
        return np.unique(np.sort(edges[along & (on_line | ~same).all(axis=1)], axis=1), axis=0)

    def slice_at(self, lightness: float) -> Floats:
        """Return the cut at a lightness as segments (n, 2, 2) in a*, b*."""
        corners = self.vertices[self.triangles]
        above = corners[:, :, 0] > lightness
        crossing = corners[above.any(axis=1) & ~above.all(axis=1)]
        ends = []
        for i, j in ((0, 1), (1, 2), (2, 0)):
            one, other = crossing[:, i], crossing[:, j]
            cut = (one[:, 0] > lightness) != (other[:, 0] > lightness)
            share = (lightness - one[:, 0]) / np.where(cut, other[:, 0] - one[:, 0], 1)
            ends.append(np.where(cut[:, None], one[:, 1:] + share[:, None] * (other - one)[:, 1:], np.nan))
        points = np.stack(ends, axis=1)  # two of the three edges of each triangle are cut
        order = np.argsort(np.isnan(points[:, :, 0]), axis=1, kind="stable")[:, :2]
        return np.take_along_axis(points, order[:, :, None], axis=1)


def solid_of(profile: Profile, steps: int = 32) -> Solid | None:
    """Return the media-relative gamut of a profile, None for one that has no solid (grey, links, named colours).

    Parameters
    ----------
    steps
        Cells along an edge of the device cube.
    """
    header = profile.header
    if header.device_class in ("link", "nmcl", "abst") or header.colour_space in ("GRAY", "Lab", "XYZ"):
        return None
    if not 3 <= profile.channels <= 7:  # more inks have more faces than can be walked along
        return None
    try:
        if profile.channels == 3:
            return cube_solid(lambda device: device_to_pcs_lab(profile, device), steps)
        return _of_rays(profile, steps)
    except ProfileError:
        return None


def cube_solid(forward: Callable[[Floats], Floats], steps: int) -> Solid:
    """Map the six faces of the RGB cube, which are the gamut's surface.

    Parameters
    ----------
    forward
        Device values (n, 3), 0 to 1, to coordinates (n, 3) of a space whose first one is lightness.
    steps
        Cells along an edge of the cube.
    """
    u, v, face = _square(steps + 1)
    device: list[Floats] = []
    triangles: list[NDArray[np.int64]] = []
    for fixed in range(3):
        for side in (0.0, 1.0):
            points = np.insert(np.stack([u, v], axis=1), fixed, side, axis=1)
            # Outward on one side is inward on the other, and the middle axis turns the sense once more.
            outward = (side == 1.0) != (fixed == 1)
            triangles.append((face if outward else face[:, ::-1]) + len(device) * len(u))
            device.append(points)
    rgb = np.concatenate(device)
    return _wound(forward(rgb), np.concatenate(triangles), rgb)


def _of_rays(profile: Profile, steps: int) -> Solid:
    """Take the farthest colour in each direction from the middle: for inks, of which several give one colour.

    The surface of what four or more inks can print lies on the two-dimensional faces of the cube of device values.
    """
    from fidele.kernels.solids import farthest

    device, faces = _two_faces(profile.channels, max(2, min(steps // 2, 16 if profile.channels == 4 else 6)))
    Lab = np.ascontiguousarray(device_to_pcs_lab(profile, device))
    top, bottom = Lab[Lab[:, 0].argmax()], Lab[Lab[:, 0].argmin()]
    middle = np.array([(top[0] + bottom[0]) / 2, 0, 0])
    turns, rises = 3 * steps, 3 * steps // 2
    up = np.cos(np.linspace(0, np.pi, rises + 1))
    angle = np.radians(np.arange(turns) * 360 / turns)
    flat = np.sqrt(np.maximum(0, 1 - up**2))
    direction = np.stack(
        [np.tile(up, (turns, 1)), np.cos(angle)[:, None] * flat, np.sin(angle)[:, None] * flat], axis=-1
    )
    far = np.empty(turns * (rises + 1))
    farthest(middle, direction.reshape(-1, 3), Lab, faces, far)
    vertices = middle + direction.reshape(-1, 3) * far[:, None]
    index = np.arange(turns * (rises + 1)).reshape(turns, rises + 1)
    beside = np.roll(index, -1, axis=0)
    p, q, r, s = (m.ravel() for m in (index[:, :-1], beside[:, :-1], beside[:, 1:], index[:, 1:]))
    share = np.meshgrid(np.arange(turns) / turns, np.linspace(0, 1, rises + 1), indexing="ij")
    triangles = np.concatenate([np.stack([p, q, r], axis=1), np.stack([p, r, s], axis=1)])
    return _wound(vertices, triangles, np.stack(share, axis=-1).reshape(-1, 2))


def _square(size: int) -> tuple[Floats, Floats, NDArray[np.int64]]:
    """Return coordinates u, v (size², each) of a square's grid, and its triangles."""
    axis = np.linspace(0, 1, size)
    u, v = (m.ravel() for m in np.meshgrid(axis, axis, indexing="ij"))
    corner = np.arange(size * size).reshape(size, size)
    p, q, r, s = (m.ravel() for m in (corner[:-1, :-1], corner[1:, :-1], corner[1:, 1:], corner[:-1, 1:]))
    return u, v, np.concatenate([np.stack([p, q, r], axis=1), np.stack([p, r, s], axis=1)])


def _two_faces(channels: int, steps: int) -> tuple[Floats, NDArray[np.int64]]:
    """Return device values and triangles of all two-dimensional faces of a cube of so many channels."""
    u, v, face = _square(steps + 1)
    device: list[Floats] = []
    triangles: list[NDArray[np.int64]] = []
    for one, other in itertools.combinations(range(channels), 2):
        for corner in itertools.product((0.0, 1.0), repeat=channels - 2):
            points = np.empty((len(u), channels))
            points[:, [i for i in range(channels) if i not in (one, other)]] = corner
            points[:, one], points[:, other] = u, v
            triangles.append(face + len(device) * len(u))
            device.append(points)
    return np.concatenate(device), np.concatenate(triangles)


def _wound(vertices: Floats, triangles: NDArray[np.int64], net: Floats) -> Solid:
    made = Solid(np.ascontiguousarray(vertices), np.ascontiguousarray(triangles), net)
    if made.volume < 0:
        made = Solid(made.vertices, np.ascontiguousarray(triangles[:, ::-1]), net)
    return made


@dataclass(frozen=True)
class Overlap:
    """Two gamuts laid over each other: both volumes, and the share (0 to 1) of each that the other covers."""

    volume_a: float
    volume_b: float
    a_in_b: float
    b_in_a: float


def overlap(a: Solid, b: Solid) -> Overlap:
    """Compare two solids cell by cell."""
    cells_a, cells_b = a.cells(), b.cells()
    both = float((cells_a & cells_b).sum())
    return Overlap(a.volume, b.volume, both / max(1.0, float(cells_a.sum())), both / max(1.0, float(cells_b.sum())))
