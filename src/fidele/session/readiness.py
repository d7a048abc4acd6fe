"""Whether a printer is ready: when its readiness page is due, and what a page says, by eye or by scan."""

from __future__ import annotations

import datetime
import json
import re
from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from fidele import units
from fidele.arrays import Codes
from fidele.chart.read import read_scan
from fidele.chart.readiness import INKS, PAGE, STEPS, readiness_chart
from fidele.dataclass import dataclass
from fidele.devices.devices import Devices
from fidele.devices.protocol import Scan
from fidele.errors import FideleError
from fidele.files import read_bytes, write_bytes
from fidele.judge.finding import Finding
from fidele.language import tr
from fidele.route.condition import Card
from fidele.run.chart_page import readiness_page
from fidele.run.job import Job, Printed
from fidele.run.queue import Queue
from fidele.session.live import Live
from fidele.session.news import LogChanged
from fidele.sheet.placing import Placing
from fidele.statefile import WRONG, below
from fidele.store.logbook import Logbook
from fidele.store.records import Verdict

#: Below such a share of the ink that a sound page had, an ink is weak; below the second it is missing.
_WEAK, _MISSING = 0.88, 0.3
_TITLE = tr("Readiness page")


@dataclass(frozen=True)
class InkState:
    """What a readiness page says of one ink: its share of what a sound page had (1 is as then), and in a word."""

    ink: str
    share: float
    words: str

    @property
    def sound(self) -> bool:
        """Whether it prints as it should."""
        return self.words == tr("complete")


def shares(scanned: NDArray[np.floating], sound: NDArray[np.floating]) -> dict[str, float]:
    """Return how much of each ink there is on a scanned page (16, 3), of what a sound page (16, 3) had.

    Both are scanner values, 0 to 1, of bare white and the steps. Ink is counted as density, darkest step and all.
    """
    found = {}
    for row, name in enumerate(INKS):
        steps = slice(row * len(STEPS), (row + 1) * len(STEPS))
        now, then = (-np.log10(np.clip(v[steps], 1e-3, 1)) for v in (scanned, sound))
        each = now.sum(axis=0) / np.maximum(then.sum(axis=0), 1e-6)
        # A colour is seen best where it is darkest. Black is made of all inks: what another one lacks is seen in its
        # own channel alone, what black lacks in all of them.
        found[name] = float(each.max() if name == "black" else each[int(then.sum(axis=0).argmax())])
    return found


class Readiness:
    """Readiness pages of the printers of a session."""

    def __init__(self, live: Live, devices: Devices, queue: Queue, logbook: Logbook, folder: Path) -> None:
        self._live, self._devices, self._queue, self._logbook, self._folder = live, devices, queue, logbook, folder

    def job(self, card: Card) -> Job:
        """Return the page as a job by a condition, with nothing converting."""
        device = self._devices.printer_of(card.printer)
        media = device.media(card.size, card.feed)
        artwork = readiness_page(card, 0)
        _, end = media.inset
        if media.room[0] < PAGE[0] or (media.room[1] and media.room[1] < PAGE[1]):
            raise FideleError(
                tr("The readiness page takes {size}; {name} has less.", size=units.size(180, 120), name=media.name)
            )

        placing = Placing((media.width - PAGE[0]) / 2, end + 2, *PAGE)
        if media.roll:
            media = replace(media, height=PAGE[1] + 2 * end + 4)
        job = Job.of(artwork, placing, card, None, readiness_chart(), 0, True)
        return replace(job, media=media)

    def order(self) -> int:
        """Put the readiness page of the card in force in the queue, before everything else; return its run."""
        card = self._live.state.need_card()
        # Whoever converts: lines are missing or not whatever their colour.
        passed = [Finding(code, "stop", "converts", "", "") for code in _NOT_ABOUT_COLOUR]
        number = self._queue.order(self.job(card), tr("a readiness page is not about colour"), passed)
        first = next((e.id for e in self._queue.entries() if e.state in ("held", "waiting")), number)
        if first != number:
            self._queue.move(number, first)
        self._queue.release(number)
        return number

    # Due ---------------------------------------------------------------------------------------------------------

    def due(self, card: Card, is_chart: bool, now: datetime.datetime) -> str:
        """Return why a readiness page is due before the next print by a condition, '' where it is not."""
        hours = card.sheet.readiness_hours
        if hours <= 0:
            return ""
        last, page = self._logbook.last_printed(card.printer, _TITLE)
        if page is not None and (now - page).total_seconds() < hours * 3600:
            return ""
        if is_chart:
            return tr("A chart tells nothing when a nozzle is clogged.")
        if last is None:
            return tr("Nothing was printed on this printer yet.")
        pause = (now - last).total_seconds() / 3600
        if pause < hours:
            return ""
        return tr("The last print was {pause:.0f} hours ago; nozzles dry in a pause.", pause=pause)

    def failed(self, card: Card) -> tuple[str, ...]:
        """Return the inks that the printer's last readiness page found wanting, with what is wrong with each."""
        last = self._logbook.last_verdict(card.printer, _TITLE)
        return tuple(filter(None, last[2].split(", "))) if last is not None and last[1] == "fail" else ()

    # Judging -----------------------------------------------------------------------------------------------------

    def _file(self, card: Card) -> Path:
        printer = re.sub(r"[^\w .-]", " ", card.printer)
        return below(self._folder, f"{printer}, {card.process}", ".json")

    def sound(self, card: Card) -> NDArray[np.float64] | None:
        """Return the scanner values (16, 3) of this printer's last sound page, None where there is none yet."""
        try:
            values = np.array(json.loads(read_bytes(self._file(card), 1 << 16)), float)
        except WRONG:
            return None
        return values if values.shape == (len(INKS) * len(STEPS), 3) and np.isfinite(values).all() else None

    def scan(self, printed: Printed) -> Scan | None:
        """Lay a page as it came out on the stand-in's scanner; None where a person must do that."""
        table, scanner = self._devices.table, self._devices.scanner
        if printed.sheet is None or table is None or scanner is None:
            return None
        return scanner.scan(table.as_printed(printed.sheet), printed.number)

    def read(self, printed: Printed, scan: Codes) -> tuple[InkState, ...]:
        """Read a scan of a page as it came out of the printer, against the last sound one; kept in the logbook.

        Raises
        ------
        FideleError
            When the page is not found on the scan, or no sound page is known yet.
        """
        card = printed.job.card
        values = read_scan(scan, readiness_chart(), follows=False).rgb
        sound = self.sound(card)
        if sound is None:
            raise FideleError(tr("No sound page of this printer is known yet: look at this one, and say what you see."))
        states = tuple(
            InkState(
                ink, share, tr("complete") if share >= _WEAK else tr("weak") if share >= _MISSING else tr("missing")
            )
            for ink, share in shares(values, sound).items()
        )
        self._keep(printed.number, states, tr("by scan"))
        return states

    def seen(self, printed: Printed, complete: dict[str, bool]) -> tuple[InkState, ...]:
        """Keep what a person sees of each ink; a page that is complete becomes the sound one that scans go by."""
        states = tuple(
            InkState(ink, 1.0 if ok else 0.5, tr("complete") if ok else tr("lines missing"))
            for ink, ok in complete.items()
        )
        if all(s.sound for s in states) and (scan := self.scan(printed)) is not None:
            values = read_scan(scan.pixels, readiness_chart()).rgb
            write_bytes(self._file(printed.job.card), json.dumps(values.round(5).tolist()).encode())
        self._keep(printed.number, states, tr("by eye"))
        return states

    def _keep(self, run: int, states: tuple[InkState, ...], how: str) -> None:
        bad = [s for s in states if not s.sound]
        words = tuple(f"{s.ink}: {s.words}" for s in states)
        cause = ", ".join(f"{s.ink} {s.words}" for s in bad)
        worst = max((1 - s.share for s in states), default=0.0) * 100
        verdict = Verdict(worst, worst, worst, "fail" if bad else "pass", cause, words, _TITLE, "", "", how)
        self._logbook.add_verdict(run, verdict)
        self._live.tell(LogChanged())  # waits for the session's own thread where it is told on another


#: What may be wrong with colour does not matter to lines.
_NOT_ABOUT_COLOUR = (
    "not-ready",
    "converts-a-bare-chart",
    "two-conversions",
    "no-conversion",
    "wrong-owner",
    "not-mirrored",
    "mirrored-twice",
    "turned-not-mirrored",
)
