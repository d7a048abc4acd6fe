"""What was measured, from whatever file it comes: L*a*b* by sample, and under what conditions (ISO 13655)."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import field, replace

import numpy as np
from numpy.typing import NDArray

from fidele.arrays import Floats
from fidele.chart.cgats import Table, amounts_of, ink_columns, inks_of
from fidele.chart.ink_set import PROCESS, InkSet
from fidele.colour.adaptation import adapt
from fidele.colour.cie import lab_to_xyz, xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.colour.spectra import spectra_to_xyz
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import named, tr

#: White points of illuminants that measurements are stated for, Y = 1 (CIE 15, 2 degree observer).
_WHITES = {
    "D50": (0.9642, 1.0, 0.8249),
    "D55": (0.95682, 1.0, 0.92149),
    "D65": (0.95047, 1.0, 1.08883),
    "A": (1.0985, 1.0, 0.35585),
}


@dataclass(frozen=True)
class Conditions:
    """How it was measured; '' where the file does not say.

    `mode` is M0 to M3 of ISO 13655; `backing` 'white' or 'black'; `kind` how far it is to be trusted: 'instrument',
    'scan', 'reference' or 'by eye'.
    """

    mode: str = ""
    illuminant: str = "D50"
    observer: str = "2"
    backing: str = ""
    instrument: str = ""
    kind: str = "instrument"

    def words(self) -> str:
        """Return them in a line."""
        said = [self.instrument or {"scan": tr("a scanner")}.get(self.kind, ""), self.mode]
        said += [
            tr("{backing} backing", backing=self.backing) if self.backing else "",
            f"{self.illuminant}, {self.observer}°",
        ]
        return ", ".join(filter(None, said))

    def mixed_with(self, other: Conditions) -> list[str]:
        """Return sentences about what makes two measurements hard to compare."""
        said = []
        if self.mode and other.mode and self.mode != other.mode:
            said.append(
                tr(
                    "One was measured in {mode}, the other in {mode2}: on paper with a brightener they differ.",
                    mode=self.mode,
                    mode2=other.mode,
                )
            )
        for what, mine, theirs in (
            ("illuminant", self.illuminant, other.illuminant),
            ("observer", f"{self.observer}°", f"{other.observer}°"),
        ):
            if mine and theirs and mine != theirs:
                said.append(tr("The {what} differs: {mine} and {theirs}.", what=what, mine=mine, theirs=theirs))
        if self.backing and other.backing and self.backing != other.backing:
            said.append(
                tr(
                    "One lay on {backing}, the other on {backing2}: thin media look different.",
                    backing=self.backing,
                    backing2=other.backing,
                )
            )
        return said


@dataclass(frozen=True, eq=False)
class Measurement:
    """Samples with their absolute L*a*b*, D50 and 2 degrees.

    Attributes
    ----------
    ids
        Of the samples.
    Lab
        (n, 3).
    rgb
        (n, 3) scanner or device values from 0 to 1, where the file has them.
    spectra, wavelengths
        (n, k) reflectance at (k,) nm, where the file has them.
    inks
        (n, k) amounts of ink, 0 to 1, where the file has them.
    ink_names
        (k,) which inks: cyan, magenta, yellow and black, and perhaps further ones.
    spread
        (n,) how much repeated measurements, or the pixels of a scan, differ.
    """

    ids: tuple[str, ...]
    Lab: Floats
    conditions: Conditions = field(default_factory=Conditions)
    rgb: Floats | None = None
    spectra: Floats | None = None
    wavelengths: Floats | None = None
    spread: Floats | None = None
    keywords: dict[str, str] = field(default_factory=dict)
    cautions: tuple[str, ...] = ()
    inks: Floats | None = None
    ink_names: tuple[str, ...] = PROCESS

    def rows(self, ids: tuple[str, ...]) -> Measurement:
        """Return these samples only, in this order.

        Raises
        ------
        FideleError
            When one is missing.
        """
        place = {sample: row for row, sample in enumerate(self.ids)}
        missing = [sample for sample in ids if sample not in place]
        if len(missing) == len(ids):
            raise FideleError(tr("They have no sample in common; is the measurement of another chart?"))
        if missing:
            raise FideleError(
                tr(
                    "The measurement lacks {n} samples of the reference, '{missing}' first.",
                    n=len(missing),
                    missing=missing[0],
                )
            )
        at = np.array([place[sample] for sample in ids])
        parts = {name: v[at] for name in ("rgb", "spectra", "spread", "inks") if (v := getattr(self, name)) is not None}
        return replace(self, ids=ids, Lab=self.Lab[at], **parts)


def matched(measured: Measurement, ids: tuple[str, ...], rgb: Floats | None) -> Measurement:
    """Return a measurement under the names of a reference's samples: by name, else by the numbers that were printed.

    Instruments' programs count samples from 1; the values (n, 3), 0 to 1, that stand beside them tell which is which.
    Samples of the same numbers are averaged.

    Raises
    ------
    FideleError
        When neither names nor numbers tell.
    """
    known = sum(s in set(ids) for s in measured.ids)
    if known >= len(ids) or rgb is None or measured.rgb is None:
        return measured
    sent = measured.rgb
    if sent.max() < 0.4:  # 0 to 100 was taken for 0 to 255
        sent = sent * 2.55
    apart = np.abs(rgb[:, None] - sent[None]).max(axis=2) < _SAME
    if not apart.any(axis=1).all():
        return measured
    share = apart / apart.sum(axis=1, keepdims=True)
    said = (*measured.cautions, tr("Samples were matched by the numbers that were printed, not by their names."))
    return Measurement(ids, share @ measured.Lab, measured.conditions, rgb, keywords=measured.keywords, cautions=said)


#: Numbers are the same within so much: half a step of 8 bits, and rounding in the file.
_SAME = 0.7 / 255
_SPECTRAL = re.compile(r"^(?:SPECTRAL_|SPEC_|R_|NM|SPECTRAL_NM_?|NM_)(?:NM)?_?(\d{3}(?:\.\d+)?)$")


def from_table(table: Table, name: str) -> Measurement:
    """Understand a table of samples: spectra before XYZ, XYZ before L*a*b*.

    Raises
    ------
    FideleError
        When it holds none of them, or values that nothing reflects.
    """
    conditions = _conditions(table.keywords)
    cautions: list[str] = []
    spectra = wavelengths = None
    found = sorted((float(m.group(1)), title) for title in table.columns if (m := _SPECTRAL.match(title)))
    if len(found) >= 8:
        wavelengths = np.array([nm for nm, _ in found])
        spectra = np.stack([table.columns[title] for _, title in found], axis=1)
        spectra = reflectance(spectra, name)
    rgb = table.RGB / 255 if all(f"RGB_{c}" in table.columns for c in "RGB") else None
    if spectra is not None and wavelengths is not None:
        Lab = xyz_to_lab(integrated(spectra, wavelengths, name))
        if conditions.illuminant not in ("D50", ""):
            cautions.append(
                tr(
                    "It was stated for {illuminant}; its spectra were integrated under D50.",
                    illuminant=conditions.illuminant,
                )
            )
        conditions = replace(conditions, illuminant="D50", observer="2")
    elif "XYZ_X" in table.columns:
        XYZ = table.triple("XYZ_X", "XYZ_Y", "XYZ_Z") / 100
        if XYZ.max() > 2 or XYZ.min() < -0.05:
            raise FideleError(tr("{name} has XYZ values that no print reflects.", name=name))
        Lab = xyz_to_lab(_to_d50(XYZ, conditions, cautions))
    elif "LAB_L" in table.columns:
        Lab = table.Lab
        if Lab[:, 0].max() > 150 or Lab[:, 0].min() < -5 or np.abs(Lab[:, 1:]).max() > 200:
            raise FideleError(tr("{name} has L*a*b* values that no print has.", name=name))
        if conditions.illuminant not in ("D50", ""):
            Lab = xyz_to_lab(_to_d50(lab_to_xyz(Lab), conditions, cautions))
    else:
        raise FideleError(tr("{name} holds neither L*a*b*, nor XYZ, nor spectra.", name=name))
    spread = table.columns.get("STDEV_RGB", table.columns.get("STDEV_DE"))
    inks, which = amounts_of(table, name), inks_of(table, name) or InkSet()
    measured = Measurement(
        table.ids, Lab, conditions, rgb, spectra, wavelengths, spread, table.keywords, tuple(cautions), inks
    )
    return replace(measured, ink_names=which.names)


def reflectance(spectra: Floats, name: str) -> Floats:
    """Return spectra (n, k) as factors: what runs to 100 is taken for per cent.

    Raises
    ------
    FideleError
        When they are beyond what anything reflects.
    """
    if np.percentile(spectra, 99) > 2.5:
        spectra = spectra / 100
    if spectra.max() > 2.5 or spectra.min() < -0.1:
        raise FideleError(
            tr(
                "{name} has spectra out of range: {min:.2f} to {max:.2f} of the light.",
                name=name,
                min=spectra.min(),
                max=spectra.max(),
            )
        )
    return spectra


def integrated(spectra: Floats, wavelengths: Floats, name: str) -> Floats:
    """Return XYZ (n, 3) under D50 of spectra (n, k) at wavelengths (k,) nm.

    Raises
    ------
    FideleError
        When the steps are uneven, too wide, or do not cover the visible range.
    """
    steps = np.diff(wavelengths)
    if len(steps) == 0 or np.ptp(steps) > 1e-6 or not 0.5 <= steps[0] <= 20:
        raise FideleError(tr("{name} has spectra in uneven steps, or in wider ones than 20 nm.", name=name))
    if wavelengths[0] > 420 or wavelengths[-1] < 680:
        raise FideleError(
            tr(
                "{name} has spectra from {wavelengths:g} to {wavelengths2:g} nm; 420 to 680 are needed.",
                name=name,
                wavelengths=wavelengths[0],
                wavelengths2=wavelengths[-1],
            )
        )
    return spectra_to_xyz(spectra, float(wavelengths[0]), float(steps[0]))


def _to_d50(XYZ: Floats, conditions: Conditions, cautions: list[str]) -> Floats:
    illuminant = conditions.illuminant
    if illuminant in ("D50", ""):
        return XYZ
    if illuminant not in _WHITES:
        cautions.append(
            tr("It was measured for {illuminant}, which is taken as if it were D50.", illuminant=illuminant)
        )
        return XYZ
    cautions.append(
        tr("It was measured for {illuminant}; it was adapted to D50, which is an estimate.", illuminant=illuminant)
    )
    return adapt(XYZ, np.array(_WHITES[illuminant]), np.array(_WHITES["D50"]))


def _conditions(keywords: dict[str, str]) -> Conditions:
    said = " ".join(f"{k} {v}" for k, v in keywords.items()).upper()
    mode = re.search(r"\bM([0-3])\b", said)
    illuminant = re.search(r"ILLUMINANT[\s,:=]*\"?(D\s?5[05]|D\s?65|D\s?75|A|C|E|F\s?\d{1,2}|LED-?\w+)\b", said)
    observer = re.search(r"OBSERVER[\s,:=]*\"?(10|2)\b|\b(10|2)\s*(?:°|DEG)", said)
    backing = re.search(r"\b(WHITE|BLACK)\b", keywords.get("SAMPLE_BACKING", keywords.get("BACKING", "")).upper())
    instrument = keywords.get("INSTRUMENTATION", keywords.get("MEASUREMENT_SOURCE", ""))
    scanned = "FIDELE_SCANNER_PROFILE" in keywords
    return Conditions(
        f"M{mode.group(1)}" if mode else "",
        illuminant.group(1).replace(" ", "") if illuminant else "D50",
        next((g for g in observer.groups() if g), "2") if observer else "2",
        backing.group(1).lower() if backing else "",
        instrument,
        keywords.get("FIDELE_KIND", "scan" if scanned else "instrument"),
    )


def to_table(measured: Measurement, title: str = "") -> Table:
    """Return a measurement as a CGATS table, everything that is known of it with it."""
    c = measured.conditions
    keywords = {"ORIGINATOR": "Fidele"} | {k: v for k, v in measured.keywords.items() if k != "WEIGHTING_FUNCTION"}
    if title:
        keywords["DESCRIPTOR"] = title
    if c.instrument:
        keywords["INSTRUMENTATION"] = c.instrument
    keywords["WEIGHTING_FUNCTION"] = f"ILLUMINANT {c.illuminant}, OBSERVER {c.observer} degree"
    if c.mode:
        keywords["FIDELE_MODE"] = c.mode
    if c.backing:
        keywords["SAMPLE_BACKING"] = c.backing
    keywords["FIDELE_KIND"] = c.kind
    columns: dict[str, Floats] = {}
    if measured.rgb is not None:
        columns |= {f"RGB_{n}": measured.rgb[:, i] * 255 for i, n in enumerate("RGB")}
    if measured.inks is not None:
        mine, which = ink_columns(measured.inks, measured.ink_names)
        columns |= mine
        keywords |= which
    columns |= {f"LAB_{n}": measured.Lab[:, i] for i, n in enumerate("LAB")}
    if measured.spread is not None:
        columns["STDEV_RGB" if c.kind == "scan" else "STDEV_DE"] = measured.spread
    if measured.spectra is not None and measured.wavelengths is not None:
        columns |= {f"SPECTRAL_NM{nm:g}": measured.spectra[:, i] for i, nm in enumerate(measured.wavelengths)}
    return Table(measured.ids, columns, keywords)


def averaged(measured: list[Measurement]) -> tuple[Measurement, float]:
    """Return the mean of measurements of one print, and their repeatability: mean ΔE00 of each from the mean.

    Raises
    ------
    FideleError
        When they are not of the same samples.
    """
    first = measured[0]
    same = [m.rows(first.ids) for m in measured]
    if any(len(m.ids) != len(first.ids) for m in measured):
        raise FideleError(tr("The measurements are not of the same samples, so they cannot be averaged."))
    cautions = {s for m in same[1:] for s in first.conditions.mixed_with(m.conditions)}
    if all(m.spectra is not None and m.spectra.shape == same[0].spectra.shape for m in same):  # type: ignore[union-attr]
        spectra = np.mean([np.asarray(m.spectra) for m in same], axis=0)
        Lab = xyz_to_lab(integrated(spectra, np.asarray(first.wavelengths), tr("the mean")))
    else:
        spectra = None
        Lab = xyz_to_lab(np.mean([lab_to_xyz(m.Lab) for m in same], axis=0))
    off = np.array([delta_e_2000(Lab, m.Lab) for m in same])
    values = [m.rgb for m in same if m.rgb is not None]
    rgb = np.mean(values, axis=0) if len(values) == len(same) else None
    mean = replace(
        first,
        Lab=Lab,
        rgb=rgb,
        spectra=spectra,
        wavelengths=first.wavelengths if spectra is not None else None,
        spread=off.mean(axis=0),
        cautions=tuple({*first.cautions, *cautions}),
    )
    return mean, float(off.mean())


_Order = Callable[[NDArray[np.int64], NDArray[np.int64], int, int], tuple[NDArray[np.int64], NDArray[np.int64]]]
#: How samples can have been measured in a wrong order, from the place (column, row) in a grid of columns and rows.
ORDERS: dict[str, _Order] = {
    named("from the bottom up"): lambda c, r, columns, rows: (c, rows - 1 - r),
    named("from right to left"): lambda c, r, columns, rows: (columns - 1 - c, r),
    named("upside down"): lambda c, r, columns, rows: (columns - 1 - c, rows - 1 - r),
}


def reordered(measured: Floats, wanted: Floats, columns: int) -> tuple[str, NDArray[np.int64]] | None:
    """Find a wrong order of patches: (how, order) such that measured[order] fits; None where the order is right.

    Looked for are rows or columns read backwards, the chart turned, and columns read in place of rows; an order is
    offered only where it fits twice as well as the one that was given.
    """
    count = len(wanted)
    rows = -(-count // columns)
    if rows * columns != count or count < 12:
        return None
    place = np.arange(count)
    column, row = place % columns, place // columns
    orders = {how: (at := call(column, row, columns, rows))[1] * columns + at[0] for how, call in ORDERS.items()}
    orders[named("by columns instead of rows")] = column * rows + row
    given = float(delta_e_2000(measured, wanted).mean())
    fits = {how: float(delta_e_2000(measured[order], wanted).mean()) for how, order in orders.items()}
    best = min(fits, key=lambda how: fits[how])
    return (best, orders[best]) if given > 6 and fits[best] < 0.5 * given else None
