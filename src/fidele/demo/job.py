"""The demo job without a window: the same steps, files instead of screens."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from fidele.artwork.convert import convert_artwork
from fidele.artwork.save import save_picture
from fidele.chart.cgats import write as write_cgats
from fidele.colour.cie import D50, xyz_to_lab
from fidele.demo.prepare import prepare
from fidele.files import write_bytes
from fidele.icc.spaces import srgb
from fidele.language import tr, trn
from fidele.proof.soft import show, soft_proof
from fidele.route.condition import Card
from fidele.run.job import Printed
from fidele.session.model import Session
from fidele.sheet.signs import read_identities
from fidele.tuning.conversion import Conversion

#: Prints and pieces are written as pictures of so many pixels on a side at the most.
_LOOKED_AT = 1170
#: Each scenario: who converts, and what the driver is set to.
SCENARIOS = {
    "right": ("fidele", "Untouched"),
    "converted-twice": ("fidele", "Velm natural"),
    "not-converted": ("driver", "Untouched"),
}


def run_demo(out: Path, tell: Callable[[str], None] = print) -> dict[str, Any]:
    """Do the whole job three ways and write results and pictures into `out`; return the summary.

    `out` holds the profile, the converted artwork, the proof, and for each route the print before and after pressing,
    the scan, the measurements and, in summary.json, the verdict and the cause.
    """
    root = out / "workshop"
    session = Session(prepare(root, lambda words, _share: tell(words)))
    card, profile = session.card, session.profile
    if card is None or profile is None:
        raise AssertionError("the demo was prepared without a card")
    write_bytes(out / "profile.icc", profile.data)
    session.open_artwork(root / "artwork" / "lantern-parade-16bit.tif")
    artwork = session.artwork
    if artwork is None:
        raise AssertionError("the demo's picture did not open")
    tell(tr("Converting and proofing the artwork"))
    converted = convert_artwork(artwork, profile, Conversion(card.intent, card.bpc))
    save_picture(out / "artwork-converted.tif", converted.pixels, profile, converted.ppi)
    save_picture(
        out / "soft-proof.png",
        soft_proof(artwork.pixels, artwork.profile, profile, session.proof_settings),
        srgb(),
        artwork.ppi,
    )
    finding = session.finding_losses()
    losses = finding() if finding is not None else None
    session.take_losses(losses)
    session.handoff.bring()  # the right route for the artwork itself
    _through(session, "artwork", out, tell)
    sheet = _sheet(session, root / "artwork", out, tell)
    scenarios = {}
    for name, (owner, blend) in SCENARIOS.items():
        tell(tr("Route “{name}”", name=name))
        session.put_in_force(card.model_copy(update={"owner": owner}))
        session.device.bring(card)
        session.device.choose("Blend", blend)
        session.open_chart("control")
        run = session.scan_run(_through(session, name, out, tell))
        if run.scan is None:
            raise AssertionError("the scanner returned nothing")
        save_picture(out / f"{name}-scan.tif", run.scan, None, 300)
        # The chart is judged as if it had been printed through the condition, whatever the route really did.
        wanted = session.checking.check_run(_as_wanted(run, card), run.scan, run.ppi)
        write_cgats(out / f"{name}-measured.txt", wanted.table)
        c = wanted.comparison
        scenarios[name] = {
            "mean_de00": round(c.mean, 3),
            "p95_de00": round(c.p95, 3),
            "max_de00": round(c.largest, 3),
            "verdict": c.verdict,
            "cause": wanted.cause.code,
            "words": list(wanted.words),
            "route": session.chain.headline if session.chain else "",
            "stops": [f.code for f in session.stops],
            "suspects": {s.code: round(s.fit_de00, 2) for s in wanted.cause.suspects if s.Lab is not None},
        }
        said = tr("mean ΔE00 {mean:.2f}, 95th percentile {p95:.2f}", mean=c.mean, p95=c.p95)
        tell(f"  {said}: {c.said}, {wanted.cause.code}")
    limits = session.checking.tolerance
    summary: dict[str, Any] = {
        "scanner": {
            "residual_mean_de00": round(session.checking.scanner.residual_mean, 3),
            "residual_p95_de00": round(session.checking.scanner.residual_p95, 3),
        },
        "tolerance": {"name": limits.name, "mean": limits.mean, "p95": limits.p95},
        "scenarios": scenarios,
        "sheet": sheet,
    }
    if losses:
        summary["losses"] = {
            "out_of_gamut": round(losses.out_of_gamut, 4),
            "lost": round(losses.lost, 4),
            "mean_de00": round(losses.mean_de00, 3),
        }
    write_bytes(out / "summary.json", json.dumps(summary, indent=2, ensure_ascii=False).encode())
    tell(tr("Results: {path}", path=out / "summary.json"))
    return summary


def _sheet(session: Session, artwork: Path, out: Path, tell: Callable[[str], None]) -> dict[str, Any]:
    """Nest pieces on a sheet with their signs, print and press it, and read signs and control strip off its scan."""
    tell(tr("A sheet of several pieces, with identity lines and a control strip"))
    habits = session.need_card().sheet.model_copy(update={"identity": True, "cut": True, "strip": True})
    session.change_card("Signs", sheet=habits)
    for name, width, copies in (("signal-flags.png", 70.0, 3), ("harbour-at-dusk.png", 60.0, 2)):
        session.open_artwork(artwork / name)
        number = session.pieces.need().number
        session.laying.width(number, width)
        session.laying.copies(number, copies)
    session.laying.gather(p.number for p in session.pieces.all[-2:])
    session.laying.nest()
    run = session.scan_run(_through(session, "sheet", out, tell))
    if run.scan is None:
        raise AssertionError("the scanner returned nothing")
    checked = session.checking.check_run(run, run.scan, run.ppi)
    found = read_identities(run.scan)
    read = trn("{n} identity line read", "{n} identity lines read", len(found), n=len(found))
    tell("  " + tr("{read}; the control strip: {said}", read=read, said=checked.comparison.said))
    return {
        "pieces": len(run.job.lying),
        "use": round(session.sheet.use(0), 3),
        "identities": [[i.run, i.piece] for i in found],
        "strip": checked.comparison.verdict,
        "strip_mean_de00": round(checked.comparison.mean, 3),
    }


def _as_wanted(run: Printed, card: Card) -> Printed:
    return replace(run, job=replace(run.job, card=card))


def _through(session: Session, name: str, out: Path, tell: Callable[[str], None]) -> Printed:
    """Print and press the artwork in hand; write how it looks before and after pressing."""
    tell(tr("Printing and pressing: {name}", name=name))
    why = f"demo: {name}" if session.stops else ""
    run = session.press_run(session.print_job(session.job(), overridden=why))
    table = session.devices.table
    if table is None or run.sheet is None or run.piece is None:
        raise AssertionError("the demo's printer laid nothing on the table")
    for stage, piece in (("printed", table.as_printed(run.sheet)), ("pressed", run.piece)):
        XYZ, _ = table.look(piece, _LOOKED_AT)
        save_picture(out / f"{name}-{stage}.png", show(xyz_to_lab(XYZ, D50).astype(np.float32)), srgb(), 100)
    return run
