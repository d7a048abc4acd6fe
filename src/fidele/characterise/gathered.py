"""From measurement files to what a printer is fitted by: matched, repeats averaged, put right, and what is doubtful."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.characterise.fit import FEWEST, left_out, predictable
from fidele.chart.definition import Chart
from fidele.chart.ink_set import InkSet
from fidele.chart.ink_target import ramp_page
from fidele.chart.measurement import Measurement
from fidele.check.statistics import relative_to_white
from fidele.colour.cie import D50, lab_to_xyz, xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.colour.words import lab_words
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.icc.describe import describe
from fidele.icc.profile import Profile
from fidele.icc.spaces import srgb
from fidele.icc.tables import device_to_pcs_lab
from fidele.icc.transform import to_lab
from fidele.language import tr

#: By how much colours (n, 3) of device values (n, 3) differ from what is to be expected of them, ΔE00.
Agrees = Callable[[Floats, Floats], float]
#: Device values are the same patch within so much.
_SAME = 0.7 / 255
#: Repeats are told by device values in so many steps.
_STEPS = 255
#: Patches in a wrong order are predicted by the others worse than this, mean ΔE00, and in the right one at least so
#: many times better.
_JUMBLED, _BETTER = 5.0, 2.0
#: Where colours of moderate chroma come out as on a screen within so much, and greys, something converted them: bare
#: printers of any physics that was tried are off by 5.7 and more (docs/own-profiles.md).
_CONVERTED, _CONVERTED_GREYS = 4.3, 2.4
#: Pages of one print are of another printer or setting where they differ by so many times what each differs in itself.
_STRANGE, _APART = 2.5, 2.0
#: White that is so white is not absolute: the instrument took the paper out.
_TOO_WHITE = 0.3
#: A white that is off by so much, ΔE00, from what patches beside it say is not the paper's.
_WHITE = 3.5
#: Repeats of a patch that differ by more than this, ΔE00, are named.
_UNLIKE = 3.0


@dataclass(frozen=True, eq=False)
class Gathered:
    """Patches to fit a printer by.

    Attributes
    ----------
    ids, device, Lab
        Names, device values (n, k), 0 to 1, and absolute L*a*b* (n, 3). Device values are RGB, or 1 less the amounts of
        inks.
    put_right
        What was wrong in the files and was put right, in sentences.
    doubtful
        Names of patches whose repeats contradict each other.
    noise
        What repeats differ by, mean ΔE00; nan where there are none.
    cautions
        What else is to be known.
    missing
        Names of patches of the chart that were not measured.
    ink_names
        (k,) which inks the printer takes, where it takes inks.
    """

    ids: tuple[str, ...]
    device: Floats
    Lab: Floats
    put_right: tuple[str, ...] = ()
    doubtful: tuple[str, ...] = ()
    noise: float = float("nan")
    cautions: tuple[str, ...] = ()
    missing: tuple[str, ...] = ()
    ink_names: tuple[str, ...] = ()

    @property
    def inks(self) -> Floats | None:
        """Amounts (n, k) of `ink_names`, 0 to 1, where the printer takes inks."""
        return 1 - self.device if self.device.shape[1] > 3 else None

    @property
    def XYZ(self) -> Floats:
        """Absolute XYZ (n, 3)."""
        return np.asarray(lab_to_xyz(self.Lab))


@dataclass(frozen=True, eq=False)
class _Page:
    """One file: names, device values and L*a*b* of its samples."""

    name: str
    ids: tuple[str, ...]
    device: Floats
    Lab: Floats
    ink_names: tuple[str, ...] = ()


def gathered(
    files: Sequence[tuple[str, Measurement]], chart: Chart | None = None, old: Profile | None = None
) -> Gathered:
    """Put measurements of a bare target together.

    Device values stand beside the colours in the files, or come from the chart by the names of patches. Where a profile
    of the printer is there already, `old`, patches are held against it: few ones tell little about each other.

    Raises
    ------
    FideleError
        When they are worthless for a profile: too few, without device values, relative to the paper, converted on
        their way, or pages that are not of one printer.
    """
    said: list[str] = []
    cautions = [c for _, m in files for c in m.cautions]
    for _, other in files[1:]:
        cautions += files[0][1].conditions.mixed_with(other.conditions)
    agrees = predictable if old is None else _against(old)
    read = [_page(name, m, chart or _ramps_of(m), said) for name, m in files]
    _one_kind(read, old)
    pages = [_ordered(page, chart, said, agrees) for page in read]
    _one_printer(pages)
    whole = _averaged(pages)
    if old is None and len(whole.ids) < FEWEST:
        raise FideleError(
            tr("{n} patches are too few for a profile; it takes {fewest} at least.", n=len(whole.ids), fewest=FEWEST)
        )
    _absolute(whole)
    if old is None:
        whole = _true_white(whole, said)
    else:
        cautions += _other_white(whole, old)
    if whole.inks is None:
        _bare(whole)
    missing = tuple(s for s in chart.ids if s not in set(whole.ids)) if chart is not None else ()
    if missing:
        cautions.append(
            tr("{n} patches of the chart were not measured, {missing} first.", n=len(missing), missing=missing[0])
        )
    if whole.doubtful:
        cautions.append(
            tr(
                "Repeats contradict each other in {doubtful}: measure them again.",
                doubtful=", ".join(whole.doubtful[:8]),
            )
        )
    return replace(whole, put_right=tuple(said), cautions=tuple(dict.fromkeys(cautions)), missing=missing)


def _ramps_of(measured: Measurement) -> Chart | None:
    """Return the page of ink ramps, which is always the same, where a file without device values is of it."""
    if measured.rgb is not None or measured.inks is not None:
        return None
    ramps = ramp_page()
    return ramps if len(set(measured.ids) & set(ramps.ids)) > 0.5 * len(measured.ids) else None


def _one_kind(pages: Sequence[_Page], old: Profile | None) -> None:
    other = next((page for page in pages if page.ink_names != pages[0].ink_names), None)
    if other is not None and pages[0].ink_names and other.ink_names:
        raise FideleError(
            tr(
                "{name} is of {inks} and {name2} of {inks2}: a profile is of one printer.",
                name=pages[0].name,
                inks=InkSet(pages[0].ink_names).words,
                name2=other.name,
                inks2=InkSet(other.ink_names).words,
            )
        )
    if other is not None:
        raise FideleError(
            tr(
                "{name} is of an RGB printer and {name2} of one that takes inks: a profile is of one printer.",
                name=next(p.name for p in pages if not p.ink_names),
                name2=next(p.name for p in pages if p.ink_names),
            )
        )
    if old is not None and pages[0].device.shape[1] != old.channels:
        raise FideleError(tr("{name} is of another kind of printer than the profile: RGB or inks.", name=pages[0].name))


def _page(name: str, measured: Measurement, chart: Chart | None, said: list[str]) -> _Page:
    if chart is not None:
        known = {sample: row for row, sample in enumerate(chart.ids)}
        rows = [i for i, s in enumerate(measured.ids) if s in known]
        if len(rows) >= 0.5 * len(measured.ids):
            ids = tuple(measured.ids[i] for i in rows)
            return _Page(name, ids, chart.device[[known[s] for s in ids]], measured.Lab[rows], _inks(chart))
        if measured.rgb is None and measured.inks is None and len(measured.ids) == len(chart.ids):
            said.append(
                tr(
                    "{name}: its samples have other names than the chart's; they were taken in the chart's order.",
                    name=name,
                )
            )
            return _Page(name, chart.ids, chart.device, measured.Lab, _inks(chart))
    if measured.inks is not None and (chart is None or chart.inks is not None):
        device = 1 - measured.inks
        return _Page(name, _names_in(chart, device, measured.ids), device, measured.Lab, measured.ink_names)
    if measured.rgb is None:
        raise FideleError(
            tr("{name} states no device values (RGB or CMYK): give the chart that was printed with --chart.", name=name)
        )
    rgb, top = measured.rgb, float(measured.rgb.max())
    for scale, words in ((100 / 255, tr("0 to 100")), (1 / 255, tr("0 to 1"))):
        if abs(top - scale) < 1e-4:
            rgb = measured.rgb / scale
            said.append(tr("{name}: its RGB values run from {words}, and were read so.", name=name, words=words))
    if rgb.max() > 1.001 or rgb.min() < 0:
        raise FideleError(
            tr(
                "{name} has device values out of range: {min:.0f} to {max:.0f}.",
                name=name,
                min=rgb.min() * 255,
                max=rgb.max() * 255,
            )
        )
    return _Page(name, _names_in(chart, rgb, measured.ids), rgb, measured.Lab)


def _inks(chart: Chart) -> tuple[str, ...]:
    return chart.ink_names if chart.inks is not None else ()


def _names_in(chart: Chart | None, device: Floats, ids: tuple[str, ...]) -> tuple[str, ...]:
    """Return the chart's names of device values (n, k); what it does not have keeps its own name."""
    if chart is None or chart.device.shape[1] != device.shape[1]:
        return ids
    apart = np.abs(chart.device[None] - device[:, None]).max(axis=2)
    near = apart.argmin(axis=1)
    return tuple(chart.ids[k] if apart[i, k] < _SAME else ids[i] for i, k in enumerate(near))


def _against(old: Profile) -> Agrees:
    """Return what tells by how much patches differ from what a profile says of them, the middle ΔE00."""

    def agrees(rgb: Floats, Lab: Floats) -> float:
        relative = relative_to_white(Lab, Lab[rgb.min(axis=1).argmax()])
        return float(np.median(delta_e_2000(relative, device_to_pcs_lab(old, rgb))))

    return agrees


def _other_white(found: Gathered, old: Profile) -> list[str]:
    said = describe(old).white_lab
    if said is None or delta_e_2000(_white(found), np.array(said)) < _WHITE / 2:
        return []
    return [
        tr(
            "The bare media measures L*a*b* {white}, in the profile it is {said}: another paper, or an instrument that "
            "measures otherwise?",
            white=lab_words(_white(found)),
            said=lab_words(np.array(said)),
        )
    ]


def _ordered(page: _Page, chart: Chart | None, said: list[str], agrees: Agrees) -> _Page:
    """Return a page with its colours in the order of its device values, where they were mixed up."""
    count = len(page.ids)
    if count < FEWEST:
        return page
    given = agrees(page.device, page.Lab)
    if given < _JUMBLED:
        return page
    tries: dict[str, NDArray[np.int64]] = {tr("the last patch first"): np.arange(count)[::-1]}
    tries |= {tr("shifted by {k}", k=k): np.roll(np.arange(count), -k) for k in (1, -1, 2, -2)}
    columns = chart.layout.columns if chart is not None else 0
    halves = chart.per_page if chart is not None and chart.pages > 1 else 0
    if columns and count % columns == 0:
        grid = np.arange(count).reshape(-1, columns)
        tries[tr("from right to left")] = grid[:, ::-1].ravel()
        tries[tr("from the bottom up")] = grid[::-1].ravel()
        tries[tr("by columns instead of rows")] = np.arange(count).reshape(columns, -1).T.ravel()
    if halves and halves < count:
        each = [np.arange(a, min(a + halves, count)) for a in range(0, count, halves)]
        tries[tr("each page from its last patch")] = np.concatenate([one[::-1] for one in each])
        tries[tr("the pages exchanged")] = np.concatenate(each[::-1])
    found = {how: agrees(page.device, page.Lab[order]) for how, order in tries.items()}
    best = min(found, key=lambda how: found[how])
    if found[best] * _BETTER < given:
        said.append(
            tr("{name}: its patches were measured in another order ({best}), and put right.", name=page.name, best=best)
        )
        return replace(page, Lab=page.Lab[tries[best]])
    if agrees is not predictable:  # in no order: the printer itself has changed
        return page
    raise FideleError(
        tr(
            "{name}: colours and device values do not belong together (each patch is off by ΔE00 "
            "{given:.0f} from what its neighbours say). Is it the chart that was printed, and were rows "
            "measured in its order?",
            name=page.name,
            given=given,
        )
    )


def _one_printer(pages: Sequence[_Page]) -> None:
    """Refuse pages that were not printed and measured alike: patches that they share differ, or neighbours do."""
    if len(pages) < 2:
        return
    first = pages[0]
    for other in pages[1:]:
        apart = np.abs(first.device[:, None] - other.device[None]).max(axis=2) < _SAME
        mine, theirs = np.nonzero(apart)
        shared = delta_e_2000(first.Lab[mine], other.Lab[theirs]) if len(mine) else np.zeros(0)
        own = [predictable(p.device, p.Lab) for p in (first, other) if len(p.ids) >= 60]
        both = predictable(np.vstack([first.device, other.device]), np.vstack([first.Lab, other.Lab]))
        strange = bool(own) and both > max(_APART, _STRANGE * max(own))
        if (len(shared) >= 3 and float(np.median(shared)) > _APART + 1) or strange:
            raise FideleError(
                tr(
                    "{name} and {name2} are not of one printer and one setting: what they share differs by ΔE00 "
                    "{median:.1f}. Was one of them converted, or pressed otherwise? Print that page again.",
                    name=first.name,
                    name2=other.name,
                    median=(float(np.median(shared)) if len(shared) else both),
                )
            )


def _averaged(pages: Sequence[_Page]) -> Gathered:
    """Put pages together, the same device values once; every repeat counts alike."""
    device, Lab = np.vstack([p.device for p in pages]), np.vstack([p.Lab for p in pages])
    ids = [s for p in pages for s in p.ids]
    key = np.round(device * _STEPS).astype(int)
    _, first, inverse = np.unique(key, axis=0, return_index=True, return_inverse=True)
    order = np.argsort(first)
    place = np.empty(len(order), int)
    place[order] = np.arange(len(order))
    group = place[np.asarray(inverse).ravel()]
    XYZ, count = lab_to_xyz(Lab), np.bincount(group)
    mean = xyz_to_lab(np.stack([np.bincount(group, XYZ[:, k]) / count for k in range(3)], axis=1))
    again = count[group] > 1
    noise, doubtful = float("nan"), []
    if again.any():
        off = delta_e_2000(Lab[again], mean[group[again]])
        # Two values differ from their mean by less than from the truth.
        noise = float(off.mean() * np.sqrt(np.mean(count[group[again]] / (count[group[again]] - 1))))
        doubtful = [ids[i] for i, far in zip(np.flatnonzero(again), off, strict=True) if far > _UNLIKE / 2]
    rows = first[order]
    return Gathered(
        tuple(ids[i] for i in rows),
        device[rows],
        mean,
        doubtful=tuple(dict.fromkeys(doubtful)),
        noise=noise,
        ink_names=pages[0].ink_names,
    )


def _white(found: Gathered) -> Floats:
    full = found.device.min(axis=1) > 0.999
    if not full.any():
        raise FideleError(
            tr("The bare media (RGB 255 255 255, or no ink at all) was not measured: it is the white of the profile.")
        )
    return np.asarray(found.Lab[full].mean(axis=0))


def _absolute(found: Gathered) -> None:
    white = _white(found)
    if white[0] > 100 - _TOO_WHITE and np.abs(white[1:]).max() < _TOO_WHITE:
        raise FideleError(
            tr(
                "The bare media measures as a perfect white (L* 100): the instrument took the paper out. "
                "Measure again with absolute values; a profile needs the paper's own white."
            )
        )


def _true_white(found: Gathered, said: list[str]) -> Gathered:
    """Return patches with the white that the others speak for, where the white that was measured is another one."""
    full = np.flatnonzero(found.device.min(axis=1) > 0.999)
    expected = left_out(found.device, found.Lab)[full].mean(axis=0)
    white = _white(found)
    off = float(delta_e_2000(white, expected))
    if off < _WHITE:
        return found
    Lab = found.Lab.copy()
    Lab[full] = expected
    was, instead = lab_words(white), lab_words(expected)
    said.append(
        tr(
            "White ({ids}) measures L*a*b* {was}, which no patch beside it bears out: it was measured on "
            "something else. {instead} was taken, as its neighbours say; measure white again to be sure.",
            ids=found.ids[int(full[0])],
            was=was,
            instead=instead,
        )
    )
    return replace(found, Lab=Lab)


def _bare(found: Gathered) -> None:
    moderate = np.ptp(found.device, axis=1) < 0.45
    greys = (np.ptp(found.device, axis=1) < 0.02) & (found.device.max(axis=1) < 0.99)
    if moderate.sum() < 20 or greys.sum() < 4:
        return
    seen = relative_to_white(found.Lab, _white(found))
    dark = float(lab_to_xyz(np.array([seen[:, 0].min(), 0.0, 0.0]))[1])
    screen = lab_to_xyz(to_lab(found.device.astype(np.float32), srgb()).astype(float))
    off = delta_e_2000(seen, xyz_to_lab(screen * (1 - dark) + D50 * dark))
    if off[moderate].mean() < _CONVERTED and off[greys].mean() < _CONVERTED_GREYS:
        raise FideleError(
            tr(
                "These pages print as a picture looks on a screen (within ΔE00 {mean:.1f}): colour was "
                "converted on its way, by an application, the print system or the driver. A profile made of "
                "them would convert a second time. Print the target with nothing converting, and measure that.",
                mean=off[moderate].mean(),
            )
        )


def named(found: Gathered, index: Sequence[int]) -> list[str]:
    """Return the names of patches by index, with what they were to print."""
    inks = found.inks
    if inks is not None:
        return [
            tr(
                "{ids} ({inks} {value})",
                ids=found.ids[i],
                inks="".join(InkSet(found.ink_names).letters),
                value=" ".join(f"{v * 100:.0f}" for v in inks[i]),
            )
            for i in index
        ]
    return [
        tr("{ids} (RGB {value})", ids=found.ids[i], value=" ".join(f"{v * 255:.0f}" for v in found.device[i]))
        for i in index
    ]
