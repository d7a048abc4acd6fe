"""Whether the numbers behind pictures, losses and prints are true: on the bench, and on printers that it never knew.

Writes docs/truth.md. Strangers that are sealed are not run here: see `tests.street.seal`.
"""

from __future__ import annotations

import tempfile
import textwrap
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np

from benchmarks.fault_matrix import conditions, prepared
from fidele.bench.sketch import NAME, Sketch
from fidele.chart.family import control_chart
from fidele.colour.cie import xyz_to_lab
from fidele.colour.difference import delta_e_2000
from fidele.colour.spectra import spectra_to_xyz
from fidele.devices.bench.bench import Bench
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent
from fidele.proof.soft import printed_lab
from fidele.run.chart_page import chart_artwork, chart_placing, on_piece
from fidele.run.job import Job
from fidele.run.page import finished_file, prepare_page
from fidele.run.probes import Corrections
from fidele.session.looks import settings_for
from fidele.session.way import way_of
from tests.street import seal
from tests.street.judge import figures, judged
from tests.street.kinds import made

WORK = "true colour 5"
_SEALED = "## Sealed"
_DOC = Path(__file__).resolve().parent.parent / "docs" / "truth.md"
_SAID = (
    """Made by `./run bench truth`. Three conditions of the bench, and the printers of a street of strangers
    (`tests/street`): other halves, inks, papers, separations and drivers than the bench's, each with an instrument
    that is off by ΔE 0.05 to 0.5. Of each a target of 900 patches is printed and measured, and a profile made.""",
    """*Move*: over sRGB colours that can be printed (nearest printable one within ΔE00 1, found by search), ΔE00
    between what is wanted (white on white, black on a neutral as dark as the printer's darkest colorant) and what
    the perceptual table prints; asked: mean at most 1.0, 95th percentile at most 2.5.""",
    """*L\\* back*, *smallest step*: along 24 ramps from black and white to twelve hues and three hue circles, by how
    much L\\* turns back where the source rises, and the smallest step as a share of the source's; asked: 0.2 and
    0.1. *Hue* in Oklab, of colours with some chroma; asked: 3°.""",
    """*A2B∘B2A*: a random printable colour, its device values, and back: mean and worst ΔE00. The mapped tables come
    back worse than the colorimetric one: the shell into which all that lies beyond is squeezed is stretched on the
    way back. *gamt*: share of printable colours that the gamut table flags, and of those that lie more than ΔE00 3
    beyond that it misses; asked: 0.02 each.""",
)
_PROVED = """

## Ink proves

Two prints of the driver chart, under two choices of a driver that nobody knows, tell which leaves the numbers alone
(`tests/street/proving.py`; every other stranger is read by a scanner that nobody characterised). Opened {opened}, once:
of {some} sealed drivers {right} were named rightly, {wrong} wrongly, and of {none} it was said that it cannot be told.
What was said with more than 90 %: {sure_right} of {sure}.
"""
_SHOWN = (
    "fit, mean",
    "printable share",
    "perceptual move, mean",
    "perceptual move, 95th",
    "ramps: L* back, worst",
    "ramps: smallest step",
    "hue turned, degrees",
    "perceptual, chroma kept",
    "saturation, chroma kept",
    "saturation, mean ΔE00",
    "A2B0∘B2A0, mean",
    "A2B0∘B2A0, worst",
    "A2B1∘B2A1, mean",
    "A2B1∘B2A1, worst",
    "A2B2∘B2A2, mean",
    "A2B2∘B2A2, worst",
    "gamt: printable flagged, share",
    "gamt: beyond 3 missed, share",
)


def truth() -> dict[str, Any]:
    """Measure everything that may be looked at, and write it down."""
    rows: dict[str, dict[str, float]] = {}
    owners: dict[str, dict[str, float]] = {}
    # A folder of its own: what an earlier run made would tell of an earlier program.
    with tempfile.TemporaryDirectory() as folder:
        for name, card in conditions():
            if name not in ("Wren, tile", "Gannet, rag", "Longship, cloth"):
                continue
            setting = prepared(Path(folder), name, card)
            rows[name] = figures(setting.profile)
            owners[name] = _owners(setting)
            print(name, rows[name], owners[name], flush=True)
    with ProcessPoolExecutor(2) as pool:
        for (kind, number), found in zip(seal.open_seeds(WORK), pool.map(_judged, seal.open_seeds(WORK)), strict=True):
            rows[f"{kind} {number}"] = found
            print(kind, number, found, flush=True)
    _write(rows, owners, seal.kept()[WORK])
    return {"name": "truth", "rows": rows, "owners": owners}


def _judged(one: tuple[str, int]) -> dict[str, float]:
    return judged(made(*one))


def _owners(setting: Any) -> dict[str, float]:
    """Mean ΔE00 between the proof and the piece, printed and measured, for each owner of the conversion."""
    found = {}
    chart = control_chart()
    for owner in ("fidele", "system", "driver", "driver-profile", "program"):
        bench = Bench(setting.folder)
        device = bench.printer_of(setting.card.printer)
        if owner != "program" and owner not in device.owners():
            continue
        card = setting.card.model_copy(
            update={"owner": owner, "intent": Intent.RELATIVE, "printed_from": NAME if owner == "program" else ""}
        )
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "given.icc"
            path.write_bytes(setting.profile.data)
            device.profile_path = lambda _id, path=path: path
            device.bring(card)
            if device.system is not None:
                device.system.assign(path if owner == "system" else None)
            way = way_of(card, device, setting.profile, Corrections())
            media = device.media(card.size, card.feed)
            job = Job.of(chart_artwork(chart, 0, owner), chart_placing(chart, media), card, setting.profile, chart)
            if owner == "program":
                sketch = Sketch(Path(folder) / "sketch.json")
                for control, value in (("Inks by", str(path)), ("Aims at", "likeness"), ("Lay out", "as drawn")):
                    sketch.set(control, value)
                finished_file(job, device, Path(folder) / "page.png")
                page = sketch.page(Path(folder) / "page.png", (media.width, media.height), device.format.ppi)
            else:
                page = prepare_page(job, device)
            sheet = device.print_page(page).sheet
            if device.system is not None:
                device.system.assign(None)
        piece = bench.table.as_printed(sheet)
        if card.process == "transfer":
            piece = bench.press.press(sheet, card.substrate, card.press)
        centres = on_piece(chart.centres(0), chart, job.placing)
        measured = xyz_to_lab(spectra_to_xyz(bench.instrument.measure(piece, centres)))
        how = settings_for(card, way, None, "", paper_white=True)
        predicted = printed_lab(chart.rgb.astype(np.float32), srgb(), setting.profile, how).astype(float)
        found[owner] = round(float(delta_e_2000(predicted, measured).mean()), 2)
    return found


def _write(rows: dict[str, dict[str, float]], owners: dict[str, dict[str, float]], entry: dict[str, Any]) -> None:
    lines = [
        "# How true the numbers are",
        "",
        *(part for text in _SAID for part in (textwrap.fill(" ".join(text.split()), 118), "")),
        *_reached(rows),
        "",
        f"| | {' | '.join(_SHOWN)} |",
        f"|---|{'---|' * len(_SHOWN)}",
        *(f"| {name} | {' | '.join(str(row.get(k, '')) for k in _SHOWN)} |" for name, row in rows.items()),
        "",
        "## The proof beside the piece",
        "",
        "A control chart, converted by each owner in turn, printed, pressed and measured on the bench: mean ΔE00",
        "between proof and piece (asked: at most 1.0).",
        "",
    ]
    every = sorted({owner for found in owners.values() for owner in found})
    lines += [f"| | {' | '.join(every)} |", f"|---|{'---|' * len(every)}"]
    lines += [f"| {n} | {' | '.join(str(f.get(o, 'cannot')) for o in every)} |" for n, f in owners.items()]
    _DOC.write_text("\n".join([*lines, "", _SEALED, *_sealed(entry)]) + _proved())


def write_sealed() -> None:
    """Write what came out of the sealed ones into docs/truth.md, and leave the rest of it as it is."""
    said = _DOC.read_text().partition(_SEALED)[0]
    _DOC.write_text(said + "\n".join([_SEALED, *_sealed(seal.kept()[WORK])]) + _proved())


#: What is asked of a mapping, and its words: figure, whether it is reached.
_ASKED = (
    ("perceptual move, mean", lambda v: v <= 1.0, "mean move at most 1.0"),
    ("perceptual move, 95th", lambda v: v <= 2.5, "95th percentile at most 2.5"),
    ("ramps: L* back, worst", lambda v: v <= 0.2, "L* back at most 0.2"),
    ("ramps: smallest step", lambda v: v >= 0.1, "smallest step at least 0.1"),
    ("hue turned, degrees", lambda v: v <= 3.0, "hue within 3°"),
)


def _reached(rows: dict[str, dict[str, float]]) -> list[str]:
    """Return how many printers reach what is asked, and which do not."""
    said = []
    for key, holds, words in _ASKED:
        missed = [f"{name} ({row[key]:.2f})" for name, row in rows.items() if not holds(row[key])]
        said.append(
            f"* {words}: {len(rows) - len(missed)} of {len(rows)}" + (f"; not {', '.join(missed)}" if missed else "")
        )
    return said


def _sealed(entry: dict[str, Any]) -> list[str]:
    if not entry.get("figures"):
        return ["", f"Not opened yet: {', '.join(entry['kinds'])}, and seeds {entry['seeds']} of every kind."]
    head = [f"| | {' | '.join(_SHOWN)} |", f"|---|{'---|' * len(_SHOWN)}"]
    rows = [f"| {n} | {' | '.join(str(f.get(k, '')) for k in _SHOWN)} |" for n, f in entry["figures"].items()]
    said = f"Opened {entry['opened']}, once, after everything was tuned; as it came out."
    return ["", said, "", *_reached(entry["figures"]), "", *head, *rows]


def _proved() -> str:
    entry = seal.kept()[seal.PROVING]
    found = list(entry.get("figures", {}).values())
    if not found:
        return "\n"
    named, sure = [f["named"] for f in found], [f for f in found if f["sure"] > 0.9]
    return _PROVED.format(
        opened=entry["opened"],
        some=len(found),
        right=named.count(1.0),
        wrong=named.count(0.0),
        none=named.count(-1.0),
        sure=len(sure),
        sure_right=sum(f["named"] == 1 for f in sure),
    )
