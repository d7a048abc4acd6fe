"""Patches that are doubtful or missing, printed and measured once more: what is measured then takes their place."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.characterise.fit import Fit
from fidele.characterise.gathered import Gathered
from fidele.chart.definition import Chart
from fidele.chart.family import chosen_patches
from fidele.chart.measurement import Measurement
from fidele.dataclass import dataclass

#: Device values are the same patch within so much.
_SAME = 0.7 / 255
#: Each is printed so often, the bare media as well; and a page has at least so many patches.
_TIMES, _FEWEST = 2, 12


@dataclass(frozen=True, eq=False)
class Read:
    """A file of measurements: its name, what was measured, and the chart that it is of, None where nobody knows."""

    name: str
    measured: Measurement
    chart: Chart | None

    @property
    def rgb(self) -> Floats | None:
        """Device values (n, 3) of its samples, 0 to 1; None where it has none."""
        if self.chart is not None:
            rows = {sample: row for row, sample in enumerate(self.chart.ids)}
            if all(sample in rows for sample in self.measured.ids):
                return np.asarray(self.chart.rgb[[rows[sample] for sample in self.measured.ids]])
        rgb = self.measured.rgb
        return rgb if rgb is None or rgb.max() <= 1.001 else None


def doubtful(found: Gathered, fit: Fit, chart: Chart, chosen: Sequence[Chart] = ()) -> Floats:
    """Return the device values (n, 3) of patches that were left out, contradict their repeats, or were not measured.

    Pages of the target of which nothing was measured are still to be printed, and none of these; nor is what stands on
    none of the charts: patches that count from other prints are left out for good.
    """
    rows = {sample: row for row, sample in enumerate(found.ids)}
    mine = [int(i) for i in fit.out] + [rows[sample] for sample in found.doubtful if sample in rows]
    pages = [chart.on_page(page) for page in range(chart.pages)]
    begun = {i for page in pages if any(chart.ids[i] in rows for i in page) for i in page}
    lost = [i for i, sample in enumerate(chart.ids) if sample in set(found.missing) and i in begun]
    printed, known = found.device[mine].reshape(-1, 3), np.concatenate([chart.rgb, *(one.rgb for one in chosen)])
    every = np.concatenate([printed[_among(printed, known)], chart.rgb[lost].reshape(-1, 3)])
    return np.asarray(np.unique(np.round(every * 255), axis=0) / 255)


def again(title: str, rgb: Floats, mark: str) -> Chart:
    """Return a chart of device values (n, 3) that are to be measured again, each twice, with the bare media."""
    times = max(_TIMES, -(-_FEWEST // (len(rgb) + 1)))
    return chosen_patches(title, np.tile(np.concatenate([rgb, np.ones((1, 3))]), (times, 1)), mark)


def is_again(chart: Chart, others: Sequence[Chart]) -> bool:
    """Whether a chart has nothing that others do not have: it was printed to measure some of it again."""
    known = np.concatenate([np.ones((1, 3)), *(one.rgb for one in others)])
    return bool(_among(chart.rgb, known).all())


def replaced(read: Sequence[Read], again: Sequence[Chart]) -> list[Read]:
    """Return what was read without those patches that were measured again later; the bare media stays in each."""
    later = {chart.digest for chart in again}
    fresh = [one.rgb for one in read if _of(one, later) and one.rgb is not None]
    if not fresh:
        return list(read)
    values = np.concatenate(fresh)
    values = values[values.min(axis=1) < 0.999]
    kept = []
    for one in read:
        rgb = one.rgb
        if not _of(one, later) and rgb is not None and (old := _among(rgb, values)).any():
            ids = tuple(sample for sample, gone in zip(one.measured.ids, old, strict=True) if not gone)
            if not ids:
                continue
            kept.append(Read(one.name, one.measured.rows(ids), one.chart))
        else:
            kept.append(one)
    return kept


def _of(one: Read, charts: set[str]) -> bool:
    return one.chart is not None and one.chart.digest in charts


def _among(rgb: Floats, known: Floats) -> NDArray[np.bool_]:
    return np.asarray((np.abs(rgb[:, None] - known[None]).max(axis=2) < _SAME).any(axis=1))
