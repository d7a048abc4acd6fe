"""The filters that a queue's jobs go through, and a page sent down them without ink.

Which programs turn one kind of document into another, and what each costs, stands in the print system's own tables
(`mime.convs`); the cheapest chain is taken, as the service takes it. The chain is run here with the queue's own
description and name, so that it looks up the colour daemon as it does for a job.
"""

from __future__ import annotations

import heapq
import io
import os
import subprocess
import tempfile
from pathlib import Path

from fidele.errors import FideleError
from fidele.ipp.raster import RasterPage, read_raster
from fidele.language import tr

_DATA, _PROGRAMS = Path("/usr/share/cups"), Path("/usr/lib/cups")
_SECONDS = 60.0
#: A larger raster than this is no page of a probe.
_MOST = 512 << 20


def chain_of(kind: str, ends: tuple[str, ...]) -> tuple[str, ...] | None:
    """Return the programs that bring a document to one of the kinds that a driver takes; None where there is no way."""
    ways: dict[str, list[tuple[int, str, str]]] = {}
    for table in sorted((_DATA / "mime").glob("*.convs")):
        for line in table.read_text(errors="replace").splitlines():
            parts = line.split()
            if len(parts) == 4 and not line.startswith("#") and parts[2].isdigit():
                ways.setdefault(parts[0], []).append((int(parts[2]), parts[1], parts[3]))
    reached: set[str] = set()
    open_ends: list[tuple[int, str, tuple[str, ...]]] = [(0, kind, ())]
    while open_ends:
        cost, at, run = heapq.heappop(open_ends)
        if at in ends:
            return run
        if at in reached:
            continue
        reached.add(at)
        for more, to, program in ways.get(at, ()):
            there = program == "-" or (_PROGRAMS / "filter" / program).exists()
            if there and to not in reached:
                heapq.heappush(open_ends, (cost + more, to, run if program == "-" else (*run, program)))
    return None


def run_chain(
    programs: tuple[str, ...], document: bytes, queue: str, ppd: Path, options: dict[str, str], kinds: tuple[str, str]
) -> RasterPage:
    """Send a document through filters as a job of a queue, and return the page that comes out.

    Parameters
    ----------
    kinds
        What the document is, and what the driver takes.

    Raises
    ------
    FideleError
        When a filter fails, takes too long, or gives no raster.
    """
    said = " ".join(f"{name}={value}" for name, value in options.items())
    with tempfile.TemporaryDirectory(prefix="fidele-probe-") as folder:
        environment = {
            "PATH": "/usr/bin:/bin",
            "PPD": str(ppd),
            "PRINTER": queue,
            "CUPS_DATADIR": str(_DATA),
            "CUPS_SERVERBIN": str(_PROGRAMS),
            "CONTENT_TYPE": kinds[0],
            "FINAL_CONTENT_TYPE": kinds[1],
            "TMPDIR": folder,
            "HOME": folder,
            "CHARSET": "utf-8",
            "LANG": "C.UTF-8",
        } | {n: os.environ[n] for n in ("DBUS_SYSTEM_BUS_ADDRESS",) if n in os.environ}
        passed = document
        for program in programs:
            path = _PROGRAMS / "filter" / program
            arguments = [str(path), "1", "fidele", "probe", "1", said]
            try:
                done = subprocess.run(
                    arguments, input=passed, capture_output=True, timeout=_SECONDS, env=environment, check=False
                )
            except subprocess.TimeoutExpired:
                raise FideleError(
                    tr(
                        "The filter {program} took longer than {seconds:g} s with a probe.",
                        program=program,
                        seconds=_SECONDS,
                    )
                ) from None
            except OSError as error:
                raise FideleError(
                    tr("The filter {program} cannot be run here: {strerror}.", program=program, strerror=error.strerror)
                ) from error
            if done.returncode != 0 or not done.stdout:
                raise FideleError(
                    tr(
                        "The filter {program} failed with a probe: {last_error}",
                        program=program,
                        last_error=_last_error(done.stderr),
                    )
                )
            passed = done.stdout
    page = next(read_raster(io.BytesIO(passed), _MOST), None)
    if page is None:
        raise FideleError(tr("The queue's filters gave no page for a probe."))
    return page


def _last_error(said: bytes) -> str:
    lines = [line for line in said.decode(errors="replace").splitlines() if line.startswith(("ERROR:", "CRIT:"))]
    return (lines[-1].partition(":")[2].strip() if lines else tr("it gave no reason"))[:200]
