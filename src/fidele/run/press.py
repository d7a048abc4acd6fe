"""The press half of a run: the stack, the steps, the clock, and what was really done."""

from __future__ import annotations

import datetime
import shutil
import time
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path

from fidele import units
from fidele.dataclass import dataclass
from fidele.devices.devices import Devices
from fidele.errors import FideleError
from fidele.files import reason, replacing
from fidele.language import named, tr
from fidele.route.condition import Card, PressData
from fidele.run.job import Printed
from fidele.sheet.placing import Placing
from fidele.store.logbook import Logbook
from fidele.tiles import Progress
from fidele.values import Document


@dataclass(frozen=True)
class Step:
    """One thing to do at the press: its key, what it is, and a sentence on how."""

    key: str
    name: str
    words: str


def layers(press: PressData, substrate: str) -> tuple[str, ...]:
    """Return what lies in the press, from the hot plate at the top down."""
    pair = (
        (named("transfer paper, print down"), substrate)
        if press.on_top == "paper"
        else (substrate, named("transfer paper, print up"))
    )
    cover = (named("cover sheet"),) if press.cover else ()
    return (named("hot plate"), *cover, *pair, named("silicone pad"))


def steps(press: PressData, substrate: str, is_chart: bool) -> tuple[Step, ...]:
    """Return the checklist of a press run, in its order."""
    found = []
    if is_chart:
        found.append(
            Step(
                "flat",
                tr("Flat piece"),
                tr("A flat piece of the same {substrate}: on a bent one patches blur.", substrate=substrate),
            )
        )
    if press.lint:
        found.append(Step("lint", tr("Lint off"), tr("Roll the piece and the paper: a fibre leaves a thread.")))
    if press.preheat > 0:
        words = tr("{preheat:.0f} s, the press open: damp leaves pale marks.", preheat=press.preheat)
        found.append(Step("warm", tr("Warm it"), words))
    face = (
        tr("Print down on the piece")
        if press.on_top == "paper"
        else tr("Paper below with its print up, the piece on it")
    )
    found.append(Step("lay", tr("Lay it in"), tr("{face}; tape it, so that it cannot slip.", face=face)))
    if press.cover:
        found.append(Step("cover", tr("Cover sheet"), tr("Clean paper on top: dye must not reach the hot plate.")))
    words = tr(
        "{temperature}, {pressure}. Start the clock as it closes.",
        temperature=units.temperature(press.temperature),
        pressure=units.pressure(press.pressure),
    )
    found.append(Step("close", tr("Close the press"), words))
    return tuple(found)


class PressClock:
    """Counts down to the moment at which the press is to be opened, and on beyond it. `now` gives seconds."""

    def __init__(self, now: Callable[[], float] = time.monotonic) -> None:
        self._now = now
        self._began: float | None = None
        self.seconds = 0.0
        self.what = ""

    def start(self, what: str, seconds: float) -> None:
        """Start counting: 'warm' or 'press'."""
        self.what, self.seconds, self._began = what, seconds, self._now()

    def stop(self) -> float:
        """Stop; return for how many seconds it ran."""
        ran = self.ran
        self._began = None
        return ran

    @property
    def running(self) -> bool:
        """Whether it runs."""
        return self._began is not None

    @property
    def ran(self) -> float:
        """Seconds since it was started, 0 while it stands."""
        return self._now() - self._began if self._began is not None else 0.0

    @property
    def remaining(self) -> float:
        """Seconds that are left; negative once it is over."""
        return self.seconds - self.ran

    @property
    def face(self) -> str:
        """What is shown: minutes and seconds left, with a plus once it is over."""
        left = self.remaining
        whole = -int(-left // 1) if left > 0 else int(-left)
        return f"{'+' if left <= -1 else ''}{whole // 60}:{whole % 60:02d}"


def groups(printed: Printed) -> list[tuple[Card, list[Placing]]]:
    """Return the conditions by which pieces of a sheet are pressed, each with where its pieces lie."""
    found: dict[str, tuple[Card, list[Placing]]] = {}
    for one in printed.job.lying:
        if one.card.process == "transfer":
            found.setdefault(one.card.id, (one.card, []))[1].append(one.placing)
    return list(found.values())


def pressed(
    devices: Devices,
    logbook: Logbook,
    printed: Printed,
    card: Card,
    done: PressData,
    note: str = "",
    ticked: Sequence[str] = (),
) -> Printed:
    """Press the pieces of a sheet that belong to a condition, as it was really done; kept in the logbook.

    Can run beside the interface. Where several conditions share the sheet, the others' pieces are cut off before. A
    sheet that came out of a real printer is pressed by a person; then only what was done is kept.

    Raises
    ------
    FideleError
        When the press, or its substrate, is beyond what there is.
    """
    if printed.only_file:
        raise FideleError(tr("This run went into a file: there is no sheet to press."))
    piece = None
    if printed.sheet is not None and devices.press is not None and devices.table is not None:
        mine = groups(printed)
        sheet = printed.sheet
        if len(mine) > 1:
            own = next(areas for one, areas in mine if one.id == card.id)
            sheet = devices.table.cut_out(sheet, _areas(printed, own, card))
        piece = devices.press.press(sheet, card.substrate, done)
    record: Document = done.model_dump() | {"at": _now(), "condition": card.name, "substrate": card.substrate}
    asked = {k: getattr(card.press, k) for k in ("temperature", "seconds", "pressure", "preheat")}
    if differs := {k: wanted for k, wanted in asked.items() if _off(wanted, getattr(done, k))}:
        record["asked"] = differs
    if note:
        record["note"] = note
    if ticked:
        record["ticked"] = list(ticked)
    logbook.add_press(printed.number, record)
    now = datetime.datetime.now()
    return replace(printed, piece=piece, pressed_at=now, pieces={**printed.pieces, card.id: piece})


def scanned(devices: Devices, printed: Printed, progress: Progress | None = None) -> Printed:
    """Lay the pressed piece on the scanner. Can run beside the interface.

    Raises
    ------
    FideleError
        When it has not been pressed, or there is no scanner that it can be laid on by itself.
    """
    if printed.piece is None and devices.table is not None and printed.sheet is not None:
        raise FideleError(tr("The print has not been pressed yet: only the pressed piece can be judged."))
    if devices.scanner is None:
        raise FideleError(tr("No scanner is known here: scan the piece with any program, and open the file."))
    scan = devices.scanner.scan(printed.piece, printed.number, progress)
    said = tuple(tr("The scanner: {one}.", one=one) for one in scan.cautions)
    return replace(printed, scan=scan.pixels, ppi=scan.ppi, scan_cautions=said)


def _areas(printed: Printed, mine: list[Placing], card: Card) -> list[tuple[float, float, float, float]]:
    """Return where on the paper the pieces of a condition lie, the control strip with the sheet's own."""
    job = printed.job
    if card.id == job.card.id and job.patches is not None:
        mine = [*mine, job.patches.placing]
    boxes = [p.bounds for p in mine]
    if job.card.mirror_by == "nobody":
        return boxes
    wide = job.media.width if job.media is not None else 0.0
    return [(wide - x1, y0, wide - x0, y1) for x0, y0, x1, y1 in boxes]  # left and right have changed sides


def _off(asked: float, done: float) -> bool:
    return abs(asked - done) > 0.02 * max(abs(asked), 1e-6)


def _now() -> str:
    return datetime.datetime.now().isoformat(timespec="seconds")


def deviation(card: Card, done: PressData) -> str:
    """Return in words in what a press run differed from its condition by more than 2 %, '' where it did not."""
    pairs = (
        (card.press.temperature, done.temperature, units.temperature),
        (card.press.seconds, done.seconds, lambda seconds: tr("{seconds:.3g} s", seconds=seconds)),
        (card.press.pressure, done.pressure, lambda bar: units.pressure(round(bar, 2))),
    )
    return ", ".join(
        tr("{say} instead of {split}", say=say(b), split=say(a).split(" ")[0]) for a, b, say in pairs if _off(a, b)
    )


def attach_photo(logbook: Logbook, folder: Path, run: int, path: Path) -> Path:
    """Keep a copy of a photo or scan of a piece with its run, in a folder; return where.

    Raises
    ------
    FideleError
        When it is no picture, or cannot be copied.
    """
    from fidele.artwork.open import open_artwork

    open_artwork(path)  # what is no picture is refused in its own words
    known = len(logbook.photos(run))
    target = folder / f"run-{run}{f'-{known + 1}' if known else ''}{path.suffix.lower()}"
    try:
        with replacing(target) as part:
            shutil.copyfile(path, part)
    except OSError as error:
        raise FideleError(tr("{path} cannot be kept: {reason}.", path=path, reason=reason(error))) from error
    logbook.add_photo(run, str(target))
    return target
