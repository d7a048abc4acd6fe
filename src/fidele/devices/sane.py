"""Scanners of this machine, through SANE's own program (`scanimage`) as a child process.

A child that hangs or crashes with its driver leaves the window alone, and what it cannot do it says in its own words.
"""

from __future__ import annotations

import contextlib
import io
import json
import re
import shutil
import subprocess
import tempfile
import threading
import time
from collections.abc import Callable
from dataclasses import field
from functools import cache
from importlib.resources import files
from pathlib import Path

import numpy as np

from fidele.arrays import Codes
from fidele.dataclass import dataclass
from fidele.devices.protocol import Lies, Scan
from fidele.errors import FideleError
from fidele.language import tr
from fidele.tiles import CancelledError, Progress

#: Seconds: a list of scanners (they may have to be woken over the network), their options, a scan that stands still.
_LISTING, _ASKING, _STILL = 20.0, 15.0, 120.0
#: Pixels to the inch of a look at the glass.
_COARSE = 75
_OPTION = re.compile(r"^ {4}-{1,2}([\w-]+)(?:\[=\([^)]*\)\])?(?: (?!\[)(.*?))?(?: \[([^\]]*)\])?((?: \[[\w-]+\])*)$")
_PROGRESS = re.compile(rb"Progress: +([\d.]+)%")
_SAID = {
    "busy": tr("it is busy with somebody else's scan"),
    "jammed": tr("paper is jammed"),
    "out of documents": tr("nothing lies in its feeder"),
    "cover": tr("its lid is open"),
    "I/O": tr("it does not answer: switched off or unplugged"),
    "denied": tr("this user may not use it"),
    "open of device": tr("there is no such scanner here, or it does not answer"),
    "Invalid argument": tr("it does not take one of the settings"),
    "Out of memory": tr("it has no room for an area of this size"),
}


@dataclass(frozen=True)
class ScanOption:
    """One option: its group, what it offers ('a|b', a range), how it stands (None: inactive), whether it can be set."""

    name: str
    group: str
    offers: str
    value: str | None
    settable: bool = True

    @property
    def choices(self) -> tuple[str, ...]:
        """What it offers where that is a list, without units."""
        if "|" not in self.offers:
            return ("yes", "no") if self.value in ("yes", "no") else ()
        return tuple(c for part in self.offers.split("|") if (c := re.sub(r"(dpi|mm|%)$", "", part.strip())))

    def takes(self, value: str) -> bool:
        """Whether a value is among what it offers."""
        if self.choices:
            return value in self.choices
        bounds = re.match(r"(-?[\d.]+)\.\.(-?[\d.]+)", self.offers)
        with contextlib.suppress(ValueError):
            return bounds is None or float(bounds[1]) <= float(value) <= float(bounds[2])
        return False


@dataclass(frozen=True)
class Rested:
    """How a scanner is set for a scan: options with their values, and what could not be put to rest, in words."""

    options: dict[str, str] = field(default_factory=dict)
    cautions: tuple[str, ...] = ()
    ppi: float = 300.0
    bits: int = 8


@cache
def _rest() -> dict[str, list[str]]:
    return json.loads((files("fidele") / "data/scanners/rest.json").read_text("utf-8"))["rest"]


def program() -> str | None:
    """Return SANE's program, None where it is not installed."""
    return shutil.which("scanimage")


def scanners() -> tuple[SaneScanner, ...]:
    """Return the scanners of this machine.

    Raises
    ------
    FideleError
        When SANE is not installed, or does not answer.
    """
    said = _asked(["-f", "%d%n%v %m (%t)%n"], _LISTING).decode(errors="replace").splitlines()
    return tuple(SaneScanner(said[at], said[at + 1].strip()) for at in range(0, len(said) - 1, 2) if said[at])


class SaneScanner:
    """One scanner. `also` are options that are set beside what Fidele sets."""

    def __init__(self, device: str, name: str = "", also: dict[str, str] | None = None) -> None:
        self.device, self.name, self._also = device, name or device, also or {}

    def options(self, settings: dict[str, str] | None = None) -> dict[str, ScanOption]:
        """Return its options as they stand once `settings` are made, in the order in which it names them."""
        text = _asked(["-d", self.device, *_said(settings or {}), "-A"], _ASKING).decode(errors="replace")
        found: dict[str, ScanOption] = {}
        group = ""
        for line in text.splitlines():
            if re.match(r"^ {2}\S.*:$", line):
                group = line.strip(" :")
                continue
            match = _OPTION.match(line)
            if match is not None:
                name, offers, value, flags = match[1], (match[2] or "").strip(), match[3], match[4] or ""
                inactive = value in ("inactive", "read-only") or "[inactive]" in flags
                settable = not inactive and "[read-only]" not in flags
                found[name] = ScanOption(name, group, offers, None if inactive else value, settable)
        if not found:
            raise FideleError(tr("The scanner {name} tells nothing of its options.", name=self.name))
        return found

    def at_rest(self, ppi: int = 300) -> Rested:
        """Return settings under which it tells what it sees: colour, as deep as it goes, every improvement at rest.

        What they came to is read back; what stays as it is is said.
        """
        asked = dict(self._also)
        first = self.options(asked)
        mode = next((c for c in _choices(first, "mode") if c.casefold().startswith(("color", "colour"))), "")
        asked |= {"mode": mode} if mode else {}
        if "16" in _choices(first, "depth"):
            asked["depth"] = "16"
        steps = [float(c) for c in _choices(first, "resolution") if c.replace(".", "").isdigit()]
        best = min(steps, key=lambda s: (s < ppi, abs(s - ppi))) if steps else ppi
        if "resolution" in first:
            asked["resolution"] = f"{best:g}"
        asked |= self._restful(self.options(asked))
        now = self.options(asked)
        cautions = list(self._left(now))
        if mode == "" and first.get("mode") is not None:
            cautions.append(tr("it has no colour mode that is known here"))
        depth = now.get("depth")
        bits = int(depth.value) if depth is not None and depth.value and depth.value.isdigit() else 8
        seen = re.match(r"[\d.]+", (now["resolution"].value or "") if "resolution" in now else "")
        return Rested(asked, tuple(cautions), float(seen[0]) if seen else float(best), bits)

    def _restful(self, now: dict[str, ScanOption]) -> dict[str, str]:
        wanted = {}
        for name, option in now.items():
            rest = next((v for v in _rest().get(name, ()) if option.takes(v)), None)
            if rest is not None and option.value not in (None, rest) and option.settable:
                wanted[name] = rest
        return wanted

    def _left(self, now: dict[str, ScanOption]) -> list[str]:
        """Say what still changes what it sees."""
        said = []
        for name, option in now.items():
            rest = _rest().get(name)
            value = (option.value or "").rstrip("%")
            if rest and option.value is not None and value not in rest:
                said.append(tr("“{name}” stays at {value}", name=name, value=option.value))
            elif rest is None and "nhancement" in option.group and option.value == "yes":
                said.append(tr("“{name}” is on, and what it does is not known", name=name))
        return said

    def preview(self, progress: Progress | None = None) -> Scan:
        """Scan all of the glass as coarsely as is of use."""
        return self.scanned(self.at_rest(_COARSE), progress)

    def scanned(
        self, rested: Rested, progress: Progress | None = None, area: tuple[float, float, float, float] | None = None
    ) -> Scan:
        """Scan with settings; `area` is left, top, width and height in mm, None for all of the glass.

        Raises
        ------
        FideleError
            When it cannot, with its own reason in words.
        CancelledError
            When `progress` returned False; the lamp goes home.
        """
        options = dict(rested.options)
        if area is not None:
            options |= {k: f"{v:g}" for k, v in zip("ltxy", area, strict=True)}
        with tempfile.TemporaryDirectory(prefix="fidele-scan-") as folder:
            path = Path(folder) / "scan.tif"
            arguments = [_need(), "-d", self.device, *_said(options), "--format=tiff", "-p", "-o", str(path)]
            child = subprocess.Popen(arguments, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE)
            said = _watched(child, progress)
            if child.returncode != 0 or not path.exists() or not path.stat().st_size:
                raise FideleError(tr("{name} did not scan: {reason}.", name=self.name, reason=_reason(said)))
            pixels = _picture(path.read_bytes())
        return Scan(pixels, rested.ppi, rested.cautions)


class AnyScanner:
    """The first scanner of this machine, looked for when it is first wanted: that can take its time."""

    name = tr("the scanner of this machine")

    def __init__(self) -> None:
        self._found: SaneScanner | None = None

    def scan(self, lies: Lies | None, run: int, progress: Progress | None = None) -> Scan:
        """Scan what lies on its glass; `FideleError` where there is no scanner, or it cannot."""
        return self.scan_part(None, progress)

    def scan_part(self, area: tuple[float, float, float, float] | None, progress: Progress | None = None) -> Scan:
        """Scan a part of the glass (left, top, width, height in mm), None for all of it."""
        found = self._need()
        return found.scanned(found.at_rest(), progress, area)

    def preview(self, progress: Progress | None = None) -> Scan:
        """Return all of the glass, coarsely."""
        return self._need().preview(progress)

    def _need(self) -> SaneScanner:
        if self._found is None:
            here = scanners()
            if not here:
                raise FideleError(
                    tr("No scanner answers on this machine: switch it on, or open a scan made elsewhere.")
                )
            self._found = here[0]
            self.name = self._found.name
        return self._found


def _choices(options: dict[str, ScanOption], name: str) -> tuple[str, ...]:
    option = options.get(name)
    if option is None:
        return ()
    if option.choices:
        return option.choices
    bounds = re.match(r"([\d.]+)\.\.([\d.]+)", option.offers)
    return tuple(
        str(n) for n in (_COARSE, 150, 200, 300, 400, 600) if bounds and float(bounds[1]) <= n <= float(bounds[2])
    )


def _said(settings: dict[str, str]) -> list[str]:
    return [part for n, v in settings.items() for part in ((f"-{n}", v) if len(n) == 1 else (f"--{n}={v}",))]


def _need() -> str:
    found = program()
    if found is None:
        raise FideleError(tr("Scanners of this machine are out of reach: install the package sane-utils."))
    return found


def _asked(arguments: list[str], seconds: float) -> bytes:
    try:
        done = subprocess.run([_need(), *arguments], capture_output=True, timeout=seconds, check=False)
    except subprocess.TimeoutExpired:
        raise FideleError(tr("The scanner does not answer: nothing came for {seconds:g} s.", seconds=seconds)) from None
    if done.returncode != 0:
        raise FideleError(tr("The scanner cannot be asked: {reason}.", reason=_reason(done.stderr)))
    return done.stdout


def _reason(said: bytes) -> str:
    text = said.decode(errors="replace")
    known = next((words for sign, words in _SAID.items() if sign.lower() in text.lower()), None)
    lines = [line for line in text.splitlines() if line.strip() and "Progress" not in line]
    return known or (lines[-1].removeprefix("scanimage: ")[:160].rstrip(".") if lines else tr("it gave no reason"))


def _watched(child: subprocess.Popen, progress: Progress | None) -> bytes:
    """Wait for a scan, telling how far it is; end it where nobody wants it any more, or nothing moves."""
    said, moved = bytearray(), [time.monotonic()]

    def read() -> None:
        assert child.stderr is not None
        while part := child.stderr.read1(4096) if hasattr(child.stderr, "read1") else child.stderr.read(1):
            said.extend(part)
            moved[0] = time.monotonic()

    reader = threading.Thread(target=read, daemon=True)
    reader.start()
    end: Callable[[], None] = child.terminate
    while child.poll() is None:
        shares = _PROGRESS.findall(bytes(said[-200:]))
        if progress is not None and not progress(float(shares[-1]) / 100 if shares else 0.0):
            _ended(child, end)
            raise CancelledError
        if time.monotonic() - moved[0] > _STILL:
            _ended(child, end)
            raise FideleError(tr("The scanner stands still: nothing came for {still:g} s.", still=_STILL))
        time.sleep(0.05)
    reader.join(2)
    return bytes(said)


def _ended(child: subprocess.Popen, end: Callable[[], None]) -> None:
    end()
    try:
        child.wait(5)
    except subprocess.TimeoutExpired:
        child.kill()
        child.wait()


def _picture(data: bytes) -> Codes:
    import tifffile

    try:
        pixels = tifffile.imread(io.BytesIO(data))
    except (ValueError, OSError, tifffile.TiffFileError) as error:
        raise FideleError(tr("What came from the scanner is no picture.")) from error
    if pixels.ndim == 2:
        pixels = np.repeat(pixels[..., None], 3, axis=2)
    return np.ascontiguousarray(pixels[..., :3])
