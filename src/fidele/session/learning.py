"""Learning what a choice of a driver does: by a chart under two choices, or by the word of somebody who knows."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from fidele.arrays import Floats
from fidele.chart.driver import patches
from fidele.chart.family import made
from fidele.check.choice import Told, which_passes
from fidele.check.statistics import relative_to_white
from fidele.dataclass import dataclass
from fidele.devices.devices import Devices
from fidele.devices.protocol import Printer
from fidele.errors import FideleError
from fidele.files import write_bytes
from fidele.icc.spaces import srgb
from fidele.icc.transform import to_lab
from fidele.language import tr
from fidele.run.chart_page import chart_page, chart_placing
from fidele.run.job import Job
from fidele.run.measured_driver import measured_correction
from fidele.run.queue import Queue

#: A size is true within so much: scanners are no better.
_TRUE = 0.01


@dataclass(frozen=True)
class Shown:
    """What two prints showed of two choices: colour, whether each mirrors, and the size of each (1: true).

    None stands for what could not be told.
    """

    told: Told
    mirrors: tuple[bool | None, bool | None]
    scales: tuple[float | None, float | None]

    def said(self, first: str, second: str) -> str:
        """Return what was found, in sentences."""
        sentences = [self.told.said(first, second)]
        for name, mirrors, scale in zip((first, second), self.mirrors, self.scales, strict=True):
            does = [tr("mirrors")] if mirrors else []
            if scale is not None and abs(scale - 1) >= _TRUE:
                does.append(tr("prints at {scale:.1f} % of the size", scale=100 * scale))
            if does:
                sentences.append(tr("“{name}” {does}.", name=name, does=tr(" and ").join(does)))
        if not any(self.mirrors) and None not in self.mirrors:
            sentences.append(tr("Neither mirrors."))
        if all(s is not None and abs(s - 1) < _TRUE for s in self.scales):
            sentences.append(tr("Both print at true size."))
        return " ".join(sentences)


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
        update={
            "owner": "fidele",
            "mirror_by": "nobody",
            "process": "direct",
            "printed_from": "",
            "name": tr("Learning"),
        }
    )
    settings = device.settings_for(card) | {control: choice}
    for other in device.sending(settings).choices():
        if other.value not in other.offered and other.name != control:
            settings |= {other.name: other.offered[0]}
    chart = made("driver")
    page = chart_page(chart, 0, card, 0, True, f"{control}: {choice}")
    media = device.media(card.size, card.feed)
    job = Job.of(page, chart_placing(chart, media), card, None, chart, 0, True)
    number = queue.order(
        job,
        tr("to learn what “{control}: {choice}” does", control=control, choice=choice),
        (),
        settings,
        state="preparing",
    )
    queue.carry_out(number, None, job)
    return number


def read_pair(
    devices: Devices,
    device: Printer,
    control: str,
    choices: tuple[str, str],
    files: tuple[Path, Path],
    pressed: bool = False,
) -> Shown:
    """Read two prints of the chart, scans or measurements, tell what the choices do, and keep what is proved.

    What is only likely is told and not kept.

    Parameters
    ----------
    pressed
        Whether the prints were pressed on something, which mirrors them.

    Raises
    ------
    FideleError
        When a file cannot be read, or is not of this chart.
    """
    for choice in choices:
        _need(device, control, choice)
    seen = tuple(_seen(path, device) for path in files)
    told = which_passes(seen[0].Lab, seen[1].Lab)
    shown = Shown(told, _mirrors(seen, pressed), (seen[0].scale, seen[1].scale))
    if told.first is not None and told.proved:
        passes, corrects = choices if told.first else choices[::-1]
        _kept(devices, device, control, passes, corrects, "ink", "")
        keep = getattr(device, "keep_correction", None)
        if keep is not None:
            plain, bent = (seen[0].Lab, seen[1].Lab) if told.first else (seen[1].Lab, seen[0].Lab)
            keep(measured_correction(plain, bent))
    _keep_shape(devices, device, control, choices, shown)
    return shown


def _mirrors(seen: tuple[_Seen, ...], pressed: bool) -> tuple[bool | None, bool | None]:
    """Return whether each choice mirrors, None where that cannot be told."""
    first, second = (None if one.mirrored is None else one.mirrored != pressed for one in seen)
    return first, second


def _keep_shape(devices: Devices, device: Printer, control: str, choices: tuple[str, str], shown: Shown) -> None:
    """Keep what is proved of mirroring and size: which choice does it, or that behind the last raster nobody does."""
    words, learned = devices.learned, getattr(device, "learned", None)
    if words is None or learned is None:
        return
    true = tuple(None if s is None else abs(s - 1) < _TRUE for s in shown.scales)
    made = learned
    if shown.told.ink != 1.0 and not any(control in m.options and learned.sure(n) for n, m in learned.meanings.items()):
        made = made.with_rest("density", control, None, "ink")
    for meaning, behind, plain in (
        ("mirroring", "driver_mirroring", tuple(None if m is None else not m for m in shown.mirrors)),
        ("scaling", "driver_size", true),
    ):
        if None in plain:
            continue
        if plain[0] != plain[1]:
            made = made.with_rest(meaning, control, choices[0 if plain[0] else 1], "ink")
        if any(plain):
            made = made.model_copy(update={"alone": made.alone | {behind: "ink"}})
    if made is not learned:
        words.keep(made)


def write_words(device: Printer, path: Path) -> None:
    """Write what is known of a printer's driver as a file for a colleague."""
    learned = getattr(device, "learned", None)
    if learned is None:
        raise FideleError(tr("The {name} has no driver whose options could be learned.", name=device.name))
    write_bytes(path, learned.model_dump_json(indent=1).encode())


@dataclass(frozen=True)
class _Seen:
    """A print of the chart: L*a*b* (244, 3) relative to its white; how it lay and its size, None without a scan."""

    Lab: Floats
    mirrored: bool | None = None
    scale: float | None = None


def _seen(path: Path, device: Printer) -> _Seen:
    """Read a print of the chart, in the order of its values."""
    from fidele.artwork.open import open_artwork
    from fidele.chart.measured_file import read_any
    from fidele.chart.read import read_scan

    chart = made("driver")
    mirrored: bool | None = None
    scale: float | None = None
    if path.suffix.lower() in (".tif", ".tiff", ".png", ".jpg", ".jpeg"):
        picture = open_artwork(path)
        reading = read_scan(picture.pixels, chart)
        mirrored = reading.mirrored
        if picture.ppi:
            card = device.starter_card()
            meant = chart_placing(chart, device.media(card.size, card.feed)).width / chart.layout.page[0]
            scale = float(np.sqrt(np.prod(reading.pixels_per_mm))) * 25.4 / picture.ppi / meant
        seen, index = to_lab(reading.rgb.astype(np.float32), srgb()).astype(float), np.asarray(reading.index)
    else:
        measured = read_any(path).rows(chart.ids)
        seen, index = measured.Lab, np.arange(len(chart.ids))
    if len(index) != len(chart.ids):
        raise FideleError(
            tr(
                "{name} shows {n} of the chart's {n2} patches: scan it again.",
                name=path.name,
                n=len(index),
                n2=len(chart.ids),
            )
        )
    Lab = np.empty((len(chart.ids), 3))
    Lab[index] = seen
    # The page is scrambled: back into the order in which the values were made.
    wanted = np.round(np.concatenate(list(patches().values())) * 255)
    places = {tuple(v): at for at, v in enumerate(np.round(chart.rgb * 255).astype(int).tolist())}
    ordered = Lab[[places[tuple(v)] for v in wanted.astype(int).tolist()]]
    white = ordered[np.flatnonzero((wanted == 255).all(axis=1))].mean(axis=0)
    return _Seen(relative_to_white(ordered, white), mirrored, scale)


def _need(device: Printer, control: str, choice: str) -> None:
    offered = options_of(device)
    if control not in offered:
        raise FideleError(
            tr(
                "The driver of the {name} has no option '{control}'; it has {offered}.",
                name=device.name,
                control=control,
                offered=", ".join(offered),
            )
        )
    if choice not in offered[control]:
        raise FideleError(
            tr(
                "'{control}' has no choice '{choice}'; it has {offered}.",
                control=control,
                choice=choice,
                offered=", ".join(offered[control]),
            )
        )


def _kept(devices: Devices, device: Printer, control: str, passes: str, corrects: str, how: str, who: str) -> None:
    for choice in (passes, *([corrects] if corrects else [])):
        _need(device, control, choice)
    words = devices.learned
    learned = getattr(device, "learned", None)
    if words is None or learned is None:
        raise FideleError(tr("The {name} has no driver whose options could be learned.", name=device.name))
    words.keep(learned.with_colour(control, passes, corrects, how, who))
