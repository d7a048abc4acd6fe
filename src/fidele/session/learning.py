"""Learning what a choice of a driver does: by a chart under two choices, or by the word of somebody who knows."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from fidele.arrays import Floats
from fidele.chart.driver import patches
from fidele.chart.family import made
from fidele.check.choice import Told, which_passes
from fidele.check.statistics import relative_to_white
from fidele.devices.devices import Devices
from fidele.devices.protocol import Printer
from fidele.errors import FideleError
from fidele.files import write_bytes
from fidele.icc.spaces import srgb
from fidele.icc.transform import to_lab
from fidele.run.chart_page import chart_page, chart_placing
from fidele.run.job import Job
from fidele.run.queue import Queue


def learnable(device: Printer) -> bool:
    """Whether a printer's driver has options whose meaning can be learned."""
    return getattr(device, "learned", None) is not None


def options_of(device: Printer) -> dict[str, tuple[str, ...]]:
    """Return the options of a driver that may shape colour, by name, with every choice of each."""
    every = getattr(device, "every_choice", None)
    if every is None:
        return {}
    named = {c.name: every(c.name) for c in device.choices() if c.meaning not in ("size", "feed", "way_in")}
    return {name: choices for name, choices in named.items() if 2 <= len(choices) <= 12}


def say(devices: Devices, device: Printer, control: str, passes: str, corrects: str, who: str) -> None:
    """Keep that one choice of an option leaves the numbers alone, and that another one converts, as somebody says.

    Raises
    ------
    FideleError
        When the driver has no such option or choice.
    """
    _kept(devices, device, control, passes, corrects, "hand", who)


def order_chart(queue: Queue, device: Printer, control: str, choice: str) -> int:
    """Print the driver chart under a choice, nothing else converting; return the number of its run.

    Raises
    ------
    FideleError
        When it cannot be printed.
    """
    _need(device, control, choice)
    card = device.starter_card().model_copy(
        update={"owner": "fidele", "mirror_by": "nobody", "process": "direct", "printed_from": "", "name": "Learning"}
    )
    settings = device.settings_for(card) | {control: choice}
    for other in device.sending(settings).choices():
        if other.value not in other.offered and other.name != control:
            settings |= {other.name: other.offered[0]}
    chart = made("driver")
    page = chart_page(chart, 0, card, 0, True, f"{control}: {choice}")
    media = device.media(card.size, card.feed)
    job = Job.of(page, chart_placing(chart, media), card, None, chart, 0, True)
    number = queue.order(job, f"to learn what “{control}: {choice}” does", (), settings, state="preparing")
    queue.carry_out(number, None, job)
    return number


def read_pair(
    devices: Devices, device: Printer, control: str, choices: tuple[str, str], files: tuple[Path, Path]
) -> Told:
    """Read two prints of the chart, scans or measurements, tell which choice leaves the numbers alone, and keep it.

    What is only likely is told and not kept.

    Raises
    ------
    FideleError
        When a file cannot be read, or is not of this chart.
    """
    for choice in choices:
        _need(device, control, choice)
    found = which_passes(*(_lab_of(path) for path in files))
    if found.first is not None and found.proved:
        passes, corrects = choices if found.first else choices[::-1]
        _kept(devices, device, control, passes, corrects, "ink", "")
    return found


def write_words(device: Printer, path: Path) -> None:
    """Write what is known of a printer's driver as a file for a colleague."""
    learned = getattr(device, "learned", None)
    if learned is None:
        raise FideleError(f"The {device.name} has no driver whose options could be learned.")
    write_bytes(path, learned.model_dump_json(indent=1).encode())


def _lab_of(path: Path) -> Floats:
    """Return the chart's L*a*b* (244, 3) relative to its white, in the order of its values."""
    from fidele.artwork.open import open_artwork
    from fidele.chart.measured_file import read_any
    from fidele.chart.read import read_scan

    chart = made("driver")
    if path.suffix.lower() in (".tif", ".tiff", ".png", ".jpg", ".jpeg"):
        reading = read_scan(open_artwork(path).pixels, chart)
        seen, index = to_lab(reading.rgb.astype(np.float32), srgb()).astype(float), np.asarray(reading.index)
    else:
        measured = read_any(path).rows(chart.ids)
        seen, index = measured.Lab, np.arange(len(chart.ids))
    if len(index) != len(chart.ids):
        raise FideleError(f"{path.name} shows {len(index)} of the chart's {len(chart.ids)} patches: scan it again.")
    Lab = np.empty((len(chart.ids), 3))
    Lab[index] = seen
    # The page is scrambled: back into the order in which the values were made.
    wanted = np.round(np.concatenate(list(patches().values())) * 255)
    places = {tuple(v): at for at, v in enumerate(np.round(chart.rgb * 255).astype(int).tolist())}
    ordered = Lab[[places[tuple(v)] for v in wanted.astype(int).tolist()]]
    white = ordered[np.flatnonzero((wanted == 255).all(axis=1))].mean(axis=0)
    return relative_to_white(ordered, white)


def _need(device: Printer, control: str, choice: str) -> None:
    offered = options_of(device)
    if control not in offered:
        raise FideleError(f"The driver of the {device.name} has no option '{control}'; it has {', '.join(offered)}.")
    if choice not in offered[control]:
        raise FideleError(f"'{control}' has no choice '{choice}'; it has {', '.join(offered[control])}.")


def _kept(devices: Devices, device: Printer, control: str, passes: str, corrects: str, how: str, who: str) -> None:
    for choice in (passes, *([corrects] if corrects else [])):
        _need(device, control, choice)
    words = devices.learned
    learned = getattr(device, "learned", None)
    if words is None or learned is None:
        raise FideleError(f"The {device.name} has no driver whose options could be learned.")
    words.keep(learned.with_colour(control, passes, corrects, how, who))
