"""The machines behind the served queues: they take what the backend hands over, print it, and report.

What a job brings are the options of its PPD in keywords and the raster that the driver was given; what has been
printed lies in a folder, by queue and job.
"""

from __future__ import annotations

import contextlib
import io
import shlex
import threading
from pathlib import Path

import numpy as np

from fidele.arrays import Codes, top_of
from fidele.bench.driver import Values
from fidele.bench.printer import AwayError, EmptyError, Machine, Print
from fidele.bench.service.ppd import values_of
from fidele.bench.supply import TANKS
from fidele.errors import FideleError
from fidele.files import reason
from fidele.ipp.raster import RasterPage, read_raster
from fidele.language import tr

_LOOK = 0.05


class Carrying:
    """Carries out jobs as they are dropped, one after the other, until it is stopped."""

    def __init__(self, drop: Path, machines: dict[str, Machine], prints: Path) -> None:
        self._drop, self._machines, self._prints = drop, machines, prints
        self._over = threading.Event()
        self._thread = threading.Thread(target=self._work, daemon=True, name="bench machines")
        #: The raster of the last job of each queue, as it arrived.
        self.arrived: dict[str, RasterPage] = {}

    def start(self) -> None:
        """Begin."""
        try:
            self._prints.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise FideleError(
                tr("{path} cannot be made: {reason}.", path=self._prints, reason=reason(error))
            ) from error
        self._thread.start()

    def stop(self) -> None:
        """Finish what is under way, and stop."""
        self._over.set()
        if self._thread.is_alive():
            self._thread.join(30)

    def sheet(self, queue: str, job: int) -> Print | None:
        """Return what a job printed, None where it lies nowhere."""
        path = self._prints / f"{queue}-{job}.tif"
        return Print.load(path) if path.exists() else None

    def _work(self) -> None:
        while not self._over.wait(_LOOK):
            with contextlib.suppress(OSError):  # the folder goes with the server
                for path in sorted(self._drop.glob("*.job")):
                    self._take(path)

    def _take(self, path: Path) -> None:
        queue, _, job = path.stem.rpartition("-")
        machine = self._machines.get(queue)
        try:
            if machine is None:
                raise FideleError(tr("There is no machine behind {queue}.", queue=queue))
            said = self._carried(machine, queue, path.read_bytes())
            said[0].save(self._prints / f"{queue}-{job}.tif")
            end, words = "done", said[1]
        except FideleError as error:
            end, words = "failed", f"{_reason(error)}\nERROR: {error}\n"
        made = path.with_suffix(".said")
        made.write_text(words + (_levels(machine) if machine is not None else ""))
        path.unlink(missing_ok=True)
        made.rename(path.with_suffix(f".{end}"))

    def _carried(self, machine: Machine, queue: str, data: bytes) -> tuple[Print, str]:
        head, _, raster = data.partition(b"\nraster\n")
        page = next(read_raster(io.BytesIO(raster)), None)
        if page is None:
            raise FideleError(tr("the job held no page"))
        self.arrived[queue] = page
        values = values_of(machine.model, _options(head.decode("utf-8", "replace")))
        sending = machine.sending(values)
        sheet, _ = sending.print_page(_whole(page, machine, values))
        return sheet, "STATE: -media-empty-error,offline-report,marker-supply-empty-error\nPAGE: 1 1\n"


def _options(head: str) -> dict[str, str]:
    """Return a job's options by keyword: the driver's defaults, and over them what the job says."""
    found: dict[str, str] = {}
    for line in head.splitlines():
        kind, _, rest = line.partition(" ")
        if kind == "default":
            name, _, value = rest.partition(":")
            found.setdefault(name.strip(), value.strip())
        elif kind == "options":
            for word in shlex.split(rest):
                name, _, value = word.partition("=")
                found[name] = value
    return found


def _whole(page: RasterPage, machine: Machine, values: Values) -> Codes:
    """Lay a raster of the printable area on its page, as its header says where it lies."""
    pixels = page.pixels
    if pixels.shape[2] != 3:
        raise FideleError(tr("the driver takes RGB alone"))
    if machine.model.bits == 8 and pixels.dtype == np.uint16:
        pixels = (pixels >> 8).astype(np.uint8)
    ppi = page.ppi[0]
    width, height = (round(v / 72 * ppi) for v in page.points)
    left, top = round(page.margins[0] / 72 * ppi), round(page.margins[3] / 72 * ppi)
    whole = np.full(
        (max(height, top + pixels.shape[0]), max(width, left + pixels.shape[1]), 3), top_of(pixels), pixels.dtype
    )
    whole[top : top + pixels.shape[0], left : left + pixels.shape[1]] = pixels
    if ppi * 2 == machine.model.resolution:  # the driver doubles every dot
        whole = whole.repeat(2, axis=0).repeat(2, axis=1)
    return whole[: max(height, 1), :]


def _reason(error: FideleError) -> str:
    if isinstance(error, AwayError):
        return "STATE: +offline-report"
    return "STATE: +marker-supply-empty-error" if isinstance(error, EmptyError) else "STATE: +other-error"


def _levels(machine: Machine) -> str:
    inks = machine.store.read().inks
    levels = ",".join(str(round(inks[t] * 100)) for t in TANKS)
    kinds = ",".join("ink" for _ in TANKS)
    return f"ATTR: marker-names={','.join(TANKS)}\nATTR: marker-levels={levels}\nATTR: marker-types={kinds}\n"
