"""Try a profile on the printer that stands here: a quick chart through it, pressed, scanned, and a plain answer."""

from __future__ import annotations

import datetime
from collections.abc import Callable

import numpy as np

from fidele.arrays import Codes
from fidele.chart.definition import Chart
from fidele.chart.family import quick_chart
from fidele.check.statistics import Comparison, Tolerance
from fidele.colour.words import hue_name
from fidele.dataclass import dataclass
from fidele.devices.devices import Devices
from fidele.devices.protocol import Printer
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.language import tr
from fidele.papers.model import Papers, Verified
from fidele.route.condition import Card, PressData
from fidele.run.chart_page import chart_artwork, chart_placing
from fidele.run.job import Job
from fidele.run.page import prepare_page
from fidele.run.reading import Aim, Checked, check_scan
from fidele.store.scanners import ScannerRecord
from fidele.tiles import CancelledError, Progress


@dataclass(frozen=True)
class Trial:
    """What a trial needs: the card it prints by and the profile it prints through."""

    card: Card
    profile: Profile
    title: str


def trial_card(device: Printer, papers: Papers, base: Card | None) -> Card:
    """Return a card that prints through a profile as its papers say it was made."""
    card = base or device.starter_card()
    made = {name: said.values for name, said in papers.said.items()}
    driver = device.possible(card.driver | device.settings_of(made))
    press = card.press
    numbers = {}
    for field, name in (
        ("temperature", "press_temperature"),
        ("seconds", "press_seconds"),
        ("pressure", "press_pressure"),
    ):
        try:
            numbers[field] = float(papers.value(name))
        except ValueError:
            continue
    if numbers:
        try:
            press = PressData.model_validate(press.model_dump() | numbers)
        except ValueError:
            press = card.press
    changes = {"owner": "fidele", "profile": papers.id, "driver": driver, "press": press}
    for name in ("media", "substrate"):
        if papers.value(name):
            changes[name] = papers.value(name)
    return card.model_copy(update=changes)


def run_trial(
    trial: Trial,
    device: Printer,
    devices: Devices,
    scanner: ScannerRecord,
    tolerance: Tolerance,
    number: int,
    progress: Progress | None = None,
) -> Checked:
    """Print the quick chart through a profile, press it, scan it, and compare.

    The settings of the card go with the job alone: the driver stays as it is, whatever happens meanwhile.

    Raises
    ------
    FideleError
        When something else would convert too, or no stand-in press and scanner are at hand.
    CancelledError
        When `progress` returned False; the sheet is then wasted.
    """

    def told(share: float) -> bool:
        if progress is not None and not progress(share):
            raise CancelledError
        return True

    sending = device.sending(device.settings_for(trial.card))
    also = [x.name for x in sending.layers(trial.card, None) if x.converts]
    if also:
        words = {"system": tr("the print system"), "driver": tr("the driver")}.get(also[0], also[0])
        raise FideleError(
            tr("A trial would tell nothing: {words} converts as well. Mend the hand-off first.", words=words)
        )
    label = tr("Trial · {title} · {name}", title=trial.title, name=device.name)
    scan = pressed_and_scanned(trial.card, trial.profile, label, sending, devices, number, told)
    names = {"instrument": devices.scanner_name, "profile": scanner.title}
    aim = Aim(trial.card, trial.profile, tolerance)
    made = check_scan(scan, quick_chart(), aim, scanner.profile(), scanner.residual_mean, names)
    told(1.0)
    return made


def pressed_and_scanned(
    card: Card,
    profile: Profile | None,
    label: str,
    device: Printer,
    devices: Devices,
    number: int,
    told: Callable[[float], bool],
    chart: Chart | None = None,
) -> Codes:
    """Print a chart, the quick one, by a card on a printer as it is for this job, press it, and return its scan.

    Raises
    ------
    FideleError
        When no table, press and scanner stand beside it: a person must print, press and scan the chart.
    """
    table, press, scanner = devices.table, devices.press, devices.scanner
    if table is None or press is None or scanner is None:
        raise FideleError(tr("Nothing here can press and scan by itself: print the chart, and open its scan."))
    chart = quick_chart() if chart is None else chart
    artwork = chart_artwork(chart, 0, label)
    placing = chart_placing(chart, device.media(card.size, card.feed))
    page = prepare_page(Job.of(artwork, placing, card, profile, chart), device, lambda share: told(0.3 * share))
    sheet = device.print_page(page, lambda share: told(0.3 + 0.2 * share)).sheet
    if sheet is None:
        raise FideleError(tr("The {name} has printed the chart: press it, and open its scan.", name=device.name))
    told(0.55)
    piece = table.as_printed(sheet) if card.process == "direct" else press.press(sheet, card.substrate, card.press)
    told(0.65)
    scan = scanner.scan(piece, number)
    told(0.85)
    return scan.pixels


def verified(checked: Checked, device: Printer, chart: str, run: int, residual: float) -> Verified:
    """Return what a chart said of a profile on a printer, in a form that is kept."""
    c = checked.comparison
    return Verified(
        unit=device.id,
        printer=device.name,
        when=datetime.datetime.now().replace(microsecond=0),
        mean=round(c.mean, 2),
        p95=round(c.p95, 2),
        passed=c.passed,
        sentence=answer(c, residual),
        chart=chart,
        run=run,
    )


def answer(c: Comparison, residual: float) -> str:
    """Say in a sentence how well a profile describes a printer. 'Within' holds for nineteen patches of twenty."""
    greys = grey_words(c)
    if c.passed:
        floor = tr(" of what this scanner can see") if c.p95 < 3 * residual else ""
        return tr(
            "Describes your printer within {p95:.1f}{floor}{value}.",
            p95=c.p95,
            floor=floor,
            value=(f"; {greys}" if greys else ""),
        )
    lighter = float((c.measured[:, 0] - c.wanted[:, 0]).mean())
    way = (
        (tr("; prints come out lighter") if lighter > 0 else tr("; prints come out darker")) if abs(lighter) > 2 else ""
    )
    return tr(
        "Does not describe your printer: off by {mean:.1f} on average, {p95:.1f} for one patch in twenty{way}{value}.",
        mean=c.mean,
        p95=c.p95,
        way=way,
        value=(f"; {greys}" if greys else ""),
    )


def grey_words(c: Comparison) -> str:
    """Say whether the near-neutral patches lean to a hue, '' where nothing is to be said."""
    grey = (np.hypot(c.wanted[:, 1], c.wanted[:, 2]) < 6) & (c.wanted[:, 0] < 96)
    if grey.sum() < 3:
        return ""
    cast = (c.measured[grey, 1:] - c.wanted[grey, 1:]).mean(axis=0)
    strength = float(np.hypot(*cast))
    if strength < 0.7:
        return tr("greys neutral") if c.passed else ""
    how = tr("a little") if strength < 2 else tr("clearly")
    return tr(
        "greys {how} {hue_name}", how=how, hue_name=hue_name(float(np.degrees(np.arctan2(cast[1], cast[0]))) % 360)
    )
