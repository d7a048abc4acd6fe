"""Decode a profile's transforms and evaluate them in double precision.

This is the second way of computing beside LittleCMS: it checks what LittleCMS is given, and it is what the tests
compare with. Device and table values are from 0 to 1; profile connection values are real L*a*b* or XYZ.
"""

from __future__ import annotations

import struct

import numpy as np
from numpy.typing import ArrayLike

from fidele.arrays import Floats
from fidele.colour.cie import D50, lab_to_xyz, xyz_to_lab
from fidele.dataclass import dataclass
from fidele.icc.profile import Profile, ProfileError, fixed
from fidele.language import tr


@dataclass(frozen=True)
class Curve:
    """A one-dimensional curve: samples over 0 to 1, or the five parametric forms (ICC.1:2022, 10.18)."""

    samples: Floats | None = None
    form: int = 0
    parameters: tuple[float, ...] = (1.0,)

    def __call__(self, x: Floats) -> Floats:
        with np.errstate(over="ignore", invalid="ignore"):  # a damaged curve may hold any number
            return self._at(x)

    def _at(self, x: Floats) -> Floats:
        if self.samples is not None:
            if len(self.samples) == 1:
                return np.full_like(x, self.samples[0])
            return np.interp(x, np.linspace(0, 1, len(self.samples)), self.samples)
        x = np.maximum(x, 0)
        g, a, b, c, d, e, f = (*self.parameters, *(0.0,) * 7)[:7]
        if self.form == 0:
            return x**g
        power = np.maximum(a * x + b, 0) ** g
        if self.form == 1:
            return np.where(a * x + b >= 0, power, 0)
        if self.form == 2:
            return np.where(a * x + b >= 0, power + c, c)
        if self.form == 3:
            return np.where(x >= d, power, c * x)
        return np.where(x >= d, power + e, c * x + f)

    def invert(self, values: Floats) -> Floats:
        """Return where a rising curve takes values: exactly for samples; for forms on 4096 points, most in the dark."""
        many = self.samples is not None and len(self.samples) > 1
        x = np.linspace(0, 1, len(self.samples)) if many and self.samples is not None else np.linspace(0, 1, 4096) ** 2
        return np.interp(values, np.maximum.accumulate(self(x)), x)


@dataclass(frozen=True)
class Lut:
    """The stages of a lut8, lut16, lutAToB or lutBToA in the order in which they act; unused ones are None.

    `grid` is (g1, …, gn, outputs); `matrix` is (3, 4) with the offset last, acting where the type says.
    """

    inputs: int
    outputs: int
    first: tuple[Curve, ...] | None
    matrix_first: Floats | None
    middle_in: tuple[Curve, ...] | None
    grid: Floats | None
    middle_out: tuple[Curve, ...] | None
    matrix_last: Floats | None
    last: tuple[Curve, ...] | None
    #: 'legacy' for the 16-bit L*a*b* encoding of lut16, where FF00h is L* 100; else 'standard'.
    lab_encoding: str

    def __call__(self, x: Floats, tetrahedral: bool) -> Floats:
        """Evaluate encoded values (n, inputs) to encoded values (n, outputs)."""
        x = _apply(self.first, x)
        if self.matrix_first is not None:
            x = x @ self.matrix_first[:, :3].T + self.matrix_first[:, 3]
        x = _apply(self.middle_in, x)
        if self.grid is not None:
            x = interpolate(self.grid, np.clip(x, 0, 1), tetrahedral)
        x = _apply(self.middle_out, x)
        if self.matrix_last is not None:
            x = x @ self.matrix_last[:, :3].T + self.matrix_last[:, 3]
        return _apply(self.last, x)


def _apply(curves: tuple[Curve, ...] | None, x: Floats) -> Floats:
    if curves is None:
        return x
    return np.stack([curve(np.clip(x[:, i], 0, 1)) for i, curve in enumerate(curves)], axis=1)


def interpolate(grid: Floats, x: Floats, tetrahedral: bool) -> Floats:
    """Interpolate grid (g1, …, gn, k) at x (m, n) in 0 to 1; result (m, k).

    Multilinear, or with the last three dimensions tetrahedral (Sakamoto's method) as LittleCMS does for device
    input.
    """
    dimensions = x.shape[1]
    sizes = np.array(grid.shape[:-1])
    place = x * (sizes - 1)
    low = np.clip(np.floor(place).astype(np.int64), 0, np.maximum(sizes - 2, 0))
    part = place - low
    strides = np.array([int(np.prod(sizes[i + 1 :])) for i in range(dimensions)])
    step = np.where(sizes > 1, strides, 0)
    flat = grid.reshape(-1, grid.shape[-1])
    base = low @ strides
    linear = dimensions - 3 if tetrahedral and dimensions >= 3 else dimensions
    out = np.zeros((len(x), grid.shape[-1]))
    for corner in range(1 << linear):
        weight = np.ones(len(x))
        index = base.copy()
        for axis in range(linear):
            if corner >> axis & 1:
                weight *= part[:, axis]
                index += step[axis]
            else:
                weight *= 1 - part[:, axis]
        if linear == dimensions:
            out += weight[:, None] * flat[index]
            continue
        order = np.argsort(-part[:, linear:], axis=1, kind="stable") + linear
        ranked = np.take_along_axis(part, order, axis=1)
        previous = np.ones(len(x))
        for rank in range(3):
            out += (weight * (previous - ranked[:, rank]))[:, None] * flat[index]
            index = index + step[order[:, rank]]
            previous = ranked[:, rank]
        out += (weight * previous)[:, None] * flat[index]
    return out


def _curves(raw: bytes, place: int, count: int) -> tuple[Curve, ...]:
    """Decode `count` embedded curves, each padded to four bytes."""
    curves = []
    for _ in range(count):
        curve, used = decode_curve(raw[place:])
        curves.append(curve)
        place += (used + 3) // 4 * 4
    return tuple(curves)


def decode_curve(raw: bytes) -> tuple[Curve, int]:
    """Decode a curveType or parametricCurveType at the start of `raw`; also say how many bytes it took.

    Raises
    ------
    ValueError, struct.error
        When the bytes are no curve.
    """
    kind = raw[:4]
    if kind == b"curv":
        count = struct.unpack_from(">I", raw, 8)[0]
        end = 12 + 2 * count
        if end > len(raw):
            raise ValueError(tr("a curve is longer than its tag"))
        values = np.frombuffer(raw[12:end], ">u2")
        if count == 0:
            return Curve(), end
        if count == 1:
            return Curve(parameters=(float(values[0]) / 256,)), end
        return Curve(values / 65535), end
    if kind == b"para":
        form = struct.unpack_from(">H", raw, 8)[0]
        if form > 4:
            raise ValueError(tr("parametric curve of unknown form {form}", form=form))
        count = (1, 3, 4, 5, 7)[form]
        end = 12 + 4 * count
        if end > len(raw):
            raise ValueError(tr("a parametric curve is cut off"))
        return Curve(None, form, tuple(fixed(raw[12:end]).tolist())), end
    raise ValueError(tr("a curve of unknown type"))


def decode_lut(raw: bytes) -> Lut:
    """Decode a lut8, lut16, lutAToB or lutBToA tag.

    Raises
    ------
    ValueError, struct.error
        When the bytes contradict themselves or are cut off.
    """
    kind = raw[:4]
    if kind in (b"mft1", b"mft2"):
        return _decode_mft(raw, wide=kind == b"mft2")
    if kind in (b"mAB ", b"mBA "):
        return _decode_stages(raw, forward=kind == b"mAB ")
    raise ValueError(tr("table of unknown type {kind!r}", kind=kind))


def _decode_mft(raw: bytes, wide: bool) -> Lut:
    inputs, outputs, points = raw[8], raw[9], raw[10]
    if not (1 <= inputs <= 15 and 1 <= outputs <= 15 and points >= 2):
        raise ValueError(tr("a table with impossible dimensions"))
    matrix = fixed(raw[12:48]).reshape(3, 3)
    if wide:
        before, after = struct.unpack_from(">HH", raw, 48)
        place, unit, top = 52, ">u2", 65535.0
        if not (2 <= before <= 4096 and 2 <= after <= 4096):
            raise ValueError(tr("a table with impossible curves"))
    else:
        before = after = 256
        place, unit, top = 48, ">u1", 255.0
    width = 2 if wide else 1
    cells = points**inputs * outputs
    if place + width * (before * inputs + cells + after * outputs) > len(raw):
        raise ValueError(tr("a table is cut off"))
    values = np.frombuffer(raw, unit, count=before * inputs + cells + after * outputs, offset=place) / top
    first = values[: before * inputs].reshape(inputs, before)
    grid = values[before * inputs : before * inputs + cells].reshape((points,) * inputs + (outputs,))
    last = values[before * inputs + cells :].reshape(outputs, after)
    use_matrix = inputs == 3 and not np.allclose(matrix, np.eye(3))
    return Lut(
        inputs,
        outputs,
        None,
        np.hstack([matrix, np.zeros((3, 1))]) if use_matrix else None,
        tuple(Curve(c) for c in first),
        grid,
        None,
        None,
        tuple(Curve(c) for c in last),
        "legacy" if wide else "standard",
    )


def _decode_stages(raw: bytes, forward: bool) -> Lut:
    inputs, outputs = raw[8], raw[9]
    if not (1 <= inputs <= 15 and 1 <= outputs <= 15):
        raise ValueError(tr("a table with impossible dimensions"))
    b, matrix_at, m, clut, a = struct.unpack_from(">5I", raw, 12)
    if max(b, matrix_at, m, clut, a) >= len(raw) or b == 0:
        raise ValueError(tr("a table whose parts lie outside it"))
    matrix = None
    if matrix_at:
        if matrix_at + 48 > len(raw):
            raise ValueError(tr("a table's matrix is cut off"))
        numbers = fixed(raw[matrix_at : matrix_at + 48])
        matrix = np.hstack([numbers[:9].reshape(3, 3), numbers[9:].reshape(3, 1)])
    grid = _decode_grid(raw, clut, inputs, outputs) if clut else None
    if grid is None and inputs != outputs:
        raise ValueError(tr("a table without a grid that changes the number of channels"))
    device, pcs = (inputs, outputs) if forward else (outputs, inputs)
    curves_b = _curves(raw, b, pcs)
    curves_m = _curves(raw, m, pcs) if m else None
    curves_a = _curves(raw, a, device) if a else None
    if matrix is not None and pcs != 3:
        raise ValueError(tr("a matrix beside other than three channels"))
    if forward:
        return Lut(inputs, outputs, None, None, curves_a, grid, curves_m, matrix, curves_b, "standard")
    return Lut(inputs, outputs, curves_b, matrix, curves_m, grid, None, None, curves_a, "standard")


def _decode_grid(raw: bytes, place: int, inputs: int, outputs: int) -> Floats:
    if place + 20 > len(raw):
        raise ValueError(tr("a table's grid is cut off"))
    points = tuple(raw[place : place + inputs])
    width = raw[place + 16]
    if min(points) < 2 or width not in (1, 2):
        raise ValueError(tr("a table's grid has impossible dimensions"))
    cells = outputs
    for count in points:
        cells *= count
        if cells * width > len(raw):
            raise ValueError(tr("a table's grid is cut off"))
    if place + 20 + cells * width > len(raw):
        raise ValueError(tr("a table's grid is cut off"))
    values = np.frombuffer(raw, ">u2" if width == 2 else ">u1", count=cells, offset=place + 20)
    return (values / (65535.0 if width == 2 else 255.0)).reshape((*points, outputs))


@dataclass(frozen=True)
class MatrixModel:
    """A matrix/TRC or grey TRC profile: curves, then (for three channels) the colorant matrix to XYZ."""

    curves: tuple[Curve, ...]
    matrix: Floats

    def to_xyz(self, device: Floats) -> Floats:
        """Device (n, channels) to XYZ (n, 3)."""
        return _apply(self.curves, device) @ self.matrix.T

    def from_xyz(self, XYZ: Floats) -> Floats:
        """XYZ (n, 3) to device (n, 3), clipped to 0 to 1. Three channels only."""
        linear = np.clip(XYZ @ np.linalg.inv(self.matrix).T, 0, 1)
        return np.stack([c.invert(linear[:, i]) for i, c in enumerate(self.curves)], axis=1)


def matrix_model(profile: Profile) -> MatrixModel | None:
    """Return the matrix/TRC or grey model of a profile, or None when it has none.

    Raises
    ------
    ProfileError
        When it has one that is damaged.
    """
    try:
        if profile.header.colour_space == "GRAY" and "kTRC" in profile.tags:
            curve, _ = decode_curve(profile.raw("kTRC"))
            return MatrixModel((curve,), D50[:, None])
        if profile.header.colour_space != "RGB" or not {"rXYZ", "gXYZ", "bXYZ"} <= profile.tags.keys():
            return None
        colorants = [profile.xyz(f"{c}XYZ") for c in "rgb"]
        if any(c is None for c in colorants):
            raise ValueError(tr("a colorant is damaged"))
        curves = tuple(decode_curve(profile.raw(f"{c}TRC"))[0] for c in "rgb")
    except KeyError as error:
        raise ProfileError(tr("{name} is damaged: tag {error} is missing.", name=profile.name, error=error)) from error
    except (ValueError, struct.error) as error:
        raise ProfileError(tr("{name} is damaged: {error}.", name=profile.name, error=error)) from error
    return MatrixModel(curves, np.stack([c for c in colorants if c is not None], axis=1))


def lut_of(profile: Profile, signature: str) -> Lut | None:
    """Decode a table tag (A2B0 … B2A2, gamt); None when it is not there.

    Raises
    ------
    ProfileError
        When it is damaged or does not suit the profile's spaces.
    """
    if signature not in profile.tags or profile.header.device_class == "nmcl":
        return None
    try:
        lut = decode_lut(profile.raw(signature))
        device = profile.channels
        pcs = 3 if profile.header.device_class != "link" else lut.outputs
        wanted = (device, pcs) if signature.startswith("A2B") else (3, device)
        if signature == "gamt":
            wanted = (3, 1)
        if (lut.inputs, lut.outputs) != wanted:
            raise ValueError(
                tr(
                    "'{signature}' goes from {inputs} to {outputs} channels, not {wanted} to {wanted2}",
                    signature=signature,
                    inputs=lut.inputs,
                    outputs=lut.outputs,
                    wanted=wanted[0],
                    wanted2=wanted[1],
                )
            )
    except (ValueError, struct.error, IndexError) as error:
        raise ProfileError(
            tr("{name} is damaged: in '{signature}' {error}.", name=profile.name, signature=signature, error=error)
        ) from error
    return lut


def same_table(profile: Profile, one: str, other: str) -> bool:
    """Tell whether two table tags hold the same bytes, so that one merely repeats the other."""
    return one in profile.tags and other in profile.tags and profile.raw(one) == profile.raw(other)


def table_for(profile: Profile, direction: str, intent: int) -> str | None:
    """Return the tag that serves an intent (0 perceptual, 1 colorimetric, 2 saturation), by ICC.1:2022, 8.10."""
    for signature in (f"{direction}{intent}", f"{direction}0"):
        if signature in profile.tags:
            return signature
    return None


def device_to_pcs_lab(profile: Profile, device: ArrayLike, intent: int = 1) -> Floats:
    """Evaluate device values (…, channels), 0 to 1, to media-relative D50 L*a*b* (…, 3)."""
    device = np.asarray(device, dtype=float)
    flat = device.reshape(-1, device.shape[-1])
    signature = table_for(profile, "A2B", intent)
    lut = lut_of(profile, signature) if signature else None
    if lut is not None:
        encoded = lut(flat, tetrahedral=True)
        Lab = decode_lab(encoded, lut.lab_encoding) if profile.header.pcs == "Lab" else xyz_to_lab(decode_xyz(encoded))
    else:
        model = matrix_model(profile)
        if model is None:
            raise ProfileError(tr("{name} has no table from device to colour.", name=profile.name))
        XYZ = model.to_xyz(flat)
        # A grey profile with an L*a*b* connection space has L* itself behind its curve.
        lightness = profile.header.colour_space == "GRAY" and profile.header.pcs == "Lab"
        Lab = XYZ[:, 1:2] * np.array([100.0, 0, 0]) if lightness else xyz_to_lab(XYZ)
    return Lab.reshape((*device.shape[:-1], 3))


def pcs_lab_to_device(profile: Profile, Lab: ArrayLike, intent: int = 1) -> Floats:
    """Evaluate media-relative D50 L*a*b* (…, 3) to device values (…, channels), 0 to 1."""
    Lab = np.asarray(Lab, dtype=float)
    flat = Lab.reshape(-1, 3)
    signature = table_for(profile, "B2A", intent)
    lut = lut_of(profile, signature) if signature else None
    if lut is not None:
        if profile.header.pcs == "Lab":
            device = lut(encode_lab(flat, lut.lab_encoding), tetrahedral=False)
        else:
            device = lut(np.clip(lab_to_xyz(flat) * (32768 / 65535), 0, 1), tetrahedral=True)
    else:
        model = matrix_model(profile)
        if model is None:
            raise ProfileError(tr("{name} has no table from colour to device.", name=profile.name))
        device = model.from_xyz(lab_to_xyz(flat))
    return device.reshape((*Lab.shape[:-1], device.shape[-1]))


def decode_lab(encoded: Floats, encoding: str) -> Floats:
    """Turn table values 0 to 1 into L*a*b* (ICC.1:2022, 6.3.4.2 and table 42)."""
    if encoding == "legacy":
        return encoded * (65535 / 65280) * np.array([100, 255, 255]) - np.array([0, 128, 128])
    return encoded * np.array([100, 255, 255]) - np.array([0, 128, 128])


def encode_lab(Lab: Floats, encoding: str) -> Floats:
    """Turn L*a*b* into table values 0 to 1, clipped."""
    encoded = (Lab + np.array([0, 128, 128])) / np.array([100, 255, 255])
    return np.clip(encoded * (65280 / 65535) if encoding == "legacy" else encoded, 0, 1)


def decode_xyz(encoded: Floats) -> Floats:
    """Turn table values 0 to 1 into XYZ (ICC.1:2022, 6.3.4.2)."""
    return encoded * (65535 / 32768)
