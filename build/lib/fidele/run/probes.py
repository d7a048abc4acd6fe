"""Known numbers sent down a route without ink."""

from __future__ import annotations

import datetime
import threading
from dataclasses import replace
from pathlib import Path

import numpy as np

from fidele.arrays import Floats
from fidele.artwork.save import save_picture
from fidele.devices.protocol import Printer, Probing, Program
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.language import tr
from fidele.route.layers import fingerprint
from fidele.route.probe import ProbeResult, lattice_page, read_lattice
from fidele.route.program import ProgramProbe, compare_probes
from fidele.run.measured_driver import as_probe
from fidele.sheet.placing import Media


def probing_of(device: Printer) -> Probing:
    """Return the way to probe a printer; `FideleError` where there is none."""
    if device.probing is None:
        raise FideleError(tr("The {name} cannot be probed: look at its settings, and print a chart.", name=device.name))
    return device.probing


def probe(device: Printer, media: Media, now: datetime.datetime) -> ProbeResult:
    """Send the lattice down the route as it is set, without ink, as if on a page of this media.

    Raises
    ------
    FideleError
        When this printer cannot be probed, or the page does not come back whole.
    """
    out = probing_of(device).dry_run(lattice_page(), (media.width, media.height))
    return read_lattice(out, fingerprint(device.state()), now)


def probe_through(
    program: Program,
    device: Printer,
    media: Media,
    folder: Path,
    says: Profile | None,
    direct: ProbeResult,
    asked: Floats | None = None,
) -> tuple[ProbeResult, ProgramProbe]:
    """Let another program send the lattice, on a page of this media, in a file in `folder` that says `says` of itself.

    Returns what came out before ink, and what the program did: how that differs from `direct`, the probe without it.
    `asked` are the lattice's values (4913, 3) as the program is to convert them, None where it is to leave them alone.
    """
    # Half the printer's resolution: cells become twice as large, and the page is sent in a quarter of the time.
    lattice, ppi = lattice_page(), device.format.ppi / 2
    shape = (round(media.height / 25.4 * ppi), round(media.width / 25.4 * ppi), 3)
    page = np.full(shape, 255, np.uint8)
    y, x = (shape[0] - lattice.shape[0]) // 2, (shape[1] - lattice.shape[1]) // 2
    page[y : y + lattice.shape[0], x : x + lattice.shape[1]] = lattice
    file = folder / "probe.png"
    save_picture(file, page, says, ppi)
    came = read_lattice(program.dry_run(file, device, media), direct.settings, direct.when)
    through = replace(came, scale=came.scale * ppi / device.format.ppi)
    return through, compare_probes(through, direct, asked)


def probe_correction(device: Printer, now: datetime.datetime) -> ProbeResult:
    """Ask the driver what its own correction would make of the lattice, whatever it is set to."""
    return read_lattice(probing_of(device).dry_run_corrected(lattice_page()), (), now)


class Corrections:
    """What drivers' own corrections do, probed once for each way they are set; can be asked beside the interface."""

    def __init__(self) -> None:
        self._known: dict[tuple[object, ...], ProbeResult] = {}
        self._lock = threading.Lock()

    def of(self, device: Printer | None) -> ProbeResult | None:
        """Return what a driver does by its own correction, probed or measured; None where neither was done."""
        if device is None:
            return None
        if device.probing is None or not device.probing.knows_correction:
            measured = getattr(device, "measured_correction", lambda: None)()
            return as_probe(*measured) if measured is not None else None
        key = (device.id, fingerprint(device.settings()))
        with self._lock:
            if key not in self._known:
                self._known[key] = probe_correction(device, datetime.datetime.now())
            return self._known[key]
