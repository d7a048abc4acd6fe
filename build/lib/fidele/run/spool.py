"""Pages that are prepared and wait for their printer, as files: a roll of metres needs no memory."""

from __future__ import annotations

import re
import shutil
from pathlib import Path

import numpy as np

from fidele.arrays import Codes
from fidele.devices.protocol import Printer
from fidele.errors import FideleError
from fidele.files import in_work, replacing
from fidele.language import tr
from fidele.run.job import Job
from fidele.run.page import page_bands
from fidele.tiles import Progress


class Spool:
    """A folder with one page for each run."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def _path(self, run: int) -> Path:
        return self._folder / f"run-{run}.npy"

    def prepared(self, run: int) -> bool:
        """Whether the page of a run lies ready."""
        return self._path(run).exists()

    def prepare(self, run: int, job: Job, device: Printer, progress: Progress | None = None) -> None:
        """Make a run's page, band by band.

        Raises
        ------
        FideleError
            When there is no room for it.
        CancelledError
            When `progress` returned False.
        """
        (width, height), bands = page_bands(job, device, progress)
        kind = np.dtype(np.uint8 if device.format.bits == 8 else np.uint16)
        needed = width * height * 3 * kind.itemsize
        self._folder.mkdir(parents=True, exist_ok=True)
        free = shutil.disk_usage(self._folder).free
        if free < needed + (16 << 20):
            raise FideleError(
                tr(
                    "The page of run {run} needs {needed:,.0f} MB in {folder}, where {free:,.0f} MB are free. Make "
                    "room and print it again.",
                    run=run,
                    needed=needed / 1000000.0,
                    folder=self._folder,
                    free=free / 1000000.0,
                )
            )
        with replacing(self._path(run)) as temporary, temporary.open("wb") as file:
            header = {"descr": kind.str, "fortran_order": False, "shape": (height, width, 3)}
            np.lib.format.write_array_header_1_0(file, header)
            for _, band in bands:
                file.write(np.ascontiguousarray(band).data)

    def page(self, run: int) -> Codes:
        """Return a page that lies ready, read as it is used."""
        page: Codes = np.load(self._path(run), mmap_mode="r")
        return page

    def forget(self, run: int) -> None:
        """Throw a page away."""
        self._path(run).unlink(missing_ok=True)

    def sweep(self, keep: set[int]) -> None:
        """Throw away what belongs to no run that waits or is under way: a crash left it."""
        if self._folder.is_dir():
            for path in self._folder.iterdir():
                found = re.match(r"run-(\d+)\.npy", path.name)
                if not in_work(path) and (found is None or int(found[1]) not in keep):
                    path.unlink(missing_ok=True)
