"""A hundred finished pieces, judged by their artwork alone: right ones, and what was done to the others."""

from __future__ import annotations

import datetime
import tempfile
from collections import Counter
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from fidele.bench.printer import Machine
from fidele.check.tolerance import TOLERANCES
from fidele.errors import FideleError
from fidele.piece.check import PieceChecked, check_piece
from fidele.session.model import Session

#: What is done to a print, and the causes that name it.
FAULTS: dict[str, tuple[str, ...]] = {
    "right": ("right",),
    "converted twice": ("converted-twice",),
    "not converted": ("not-converted",),
    "wrong media": ("less-ink", "more-ink", "under-pressed", "unit", "other-media", "wrong-profile"),
    "one ink out": ("ink-weak",),
    "mirrored": ("mirrored",),
}
_ARTWORK = ("signal-flags.png", "lantern-parade-16bit.tif", "lanterns-no-space-stated.png", "harbour-at-dusk.png")
_INKS = ("cyan", "magenta", "yellow", "black")


@dataclass(frozen=True)
class Judged:
    """One piece: what was done, what was said, and how sure."""

    artwork: str
    fault: str
    said: str
    group: tuple[str, ...]
    passed: bool
    sure: float
    placed: bool
    blind: bool = False

    @property
    def good(self) -> bool:
        """Whether what was done is named, or one of a declared group."""
        kinds = FAULTS[self.fault]
        return any(code.partition(":")[0] in kinds for code in (self.said, *self.group)) if self.said else False


def run(data: Path, count: int = 100, seed: int = 5) -> list[Judged]:
    """Print, press, scan and judge so many pieces in a copy of the demo's workshop."""
    import dataclasses
    import shutil

    from fidele.bench import wren
    from fidele.session.places import Places

    wren.MODEL = dataclasses.replace(wren.MODEL, resolution=150)  # in a quarter of the time

    rng = np.random.default_rng(seed)
    with tempfile.TemporaryDirectory() as folder:
        shutil.copytree(data, Path(folder) / "workshop")
        session = Session(Places.under(Path(folder) / "workshop"))
        session.handoff.bring()
        session.handoff.confirm("ink_saving", "off")
        session.change_card("No strip", sheet=session.need_card().sheet.model_copy(update={"strip": False}))
        names, pictures = list(FAULTS), len(_ARTWORK)
        which = [(names[n % len(names)], _ARTWORK[(n // len(names)) % pictures]) for n in range(count)]
        return [_one(session, fault, artwork, rng) for fault, artwork in which]


def _one(session: Session, fault: str, artwork: str, rng: np.random.Generator) -> Judged:
    session.open_artwork(session.places.data / "artwork" / artwork)
    machine = _machine(session)
    ink = _INKS[int(rng.integers(4))]
    card = session.need_card()
    if fault == "converted twice":
        session.handoff.choose_setting("Blend", "Velm bright")
    elif fault == "not converted":
        session.change_card("Nobody", owner="driver")
    elif fault == "wrong media":
        offered = [v for v, _ in session.device.offers("stand_in", dict(card.driver)) if v != card.driver["stand_in"]]
        session.handoff.choose_setting("Stock", offered[int(rng.integers(len(offered)))])
        session.handoff.choose_setting("Blend", "Untouched")  # the driver puts its maker's colours back with the media
    elif fault == "one ink out":
        machine.store.clog(ink, 0.0)
    try:
        job = session.job()
        run = session.press_run(session.print_job(job, overridden="to judge the piece"))
        if fault == "not converted":
            session.change_card("Fidele", owner="fidele")
            run = replace(run, job=replace(session.job(), number=run.number))
        scan = session.devices.scanner.scan(run.piece, run.number).pixels  # type: ignore[union-attr]
    finally:
        machine.store.clog(ink, 1.0)
        session.change_card("As it was", owner="fidele", driver=dict(card.driver))
        session.handoff.bring()
    if fault == "mirrored":
        scan = np.ascontiguousarray(scan[:, ::-1])
    scan = np.ascontiguousarray(np.rot90(scan, int(rng.integers(4))))
    reader = replace(session.checking.reader(), tolerance=TOLERANCES["everyday"])
    try:
        checked: PieceChecked = check_piece(scan, reader.piece_aim(run.job), *reader.seen_through(False), False)
    except FideleError as error:
        return Judged(artwork, fault, f"refused: {error}", (), False, 0.0, False)
    cause = checked.cause
    group = cause.group if cause.suspects and cause.code == cause.suspects[0].code else ()
    moved = fault in ("right", "mirrored") or checked.comparison.mean > 1.5
    placed = checked.found.mirrored == (fault == "mirrored")
    return Judged(artwork, fault, cause.code, group, checked.comparison.passed, cause.sure, placed, not moved)


def _machine(session: Session) -> Machine:
    from fidele.devices.bench.bench import Bench

    return Bench(session.places.bench).machine(session.need_card().printer)


def document(judged: list[Judged]) -> str:
    """Return the figures as docs/pieces.md has them."""
    lines = [
        "# Pieces: judged by their artwork alone",
        "",
        f"Made by `./run bench pieces` on {datetime.date.today():%Y-%m-%d}. Pieces of the demo's artwork, really "
        "printed, pressed and scanned on the bench, laid on the glass in any quarter turn; a cause counts as named "
        "where it, or one of a declared group that shares its mend, is what was done. 'Moves nothing': the fault "
        "leaves this picture within a mean ΔE00 of 1.5, so that nobody could tell it by it; left out of the share.",
        "",
        "| done to it | pieces | found as it lay | moves nothing | named | said instead |",
        "|---|---|---|---|---|---|",
    ]
    for fault in FAULTS:
        mine = [j for j in judged if j.fault == fault]
        told = [j for j in mine if not j.blind]
        wrong = Counter(j.said for j in told if not j.good)
        words = ", ".join(f"{code} ({n})" for code, n in wrong.most_common())
        lines.append(
            f"| {fault} | {len(mine)} | {sum(j.placed for j in mine)} | {len(mine) - len(told)} | "
            f"{sum(j.good for j in told)} of {len(told)} | {words} |"
        )
    right = [j for j in judged if j.fault == "right"]
    lines += ["", f"Of {len(right)} right pieces {sum(j.passed for j in right)} pass."]
    return "\n".join(lines) + "\n"
