"""Run all benchmarks, or those whose names are given; print a line for each, and keep it in docs/speed.md."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import time
import warnings
from collections.abc import Callable
from pathlib import Path

import numpy as np

from benchmarks.document import document


def best(call: Callable[[], object], times: int = 3) -> float:
    """Return the shortest of several runs in seconds: the one that was disturbed least."""
    shortest = float("inf")
    for _ in range(times):
        start = time.perf_counter()
        call()
        shortest = min(shortest, time.perf_counter() - start)
    return shortest


def line(name: str, ours: float, theirs: float, alternative: str, note: str = "") -> dict[str, object]:
    ratio = theirs / ours
    print(f"{name}: {ours:.3f} s; {alternative} {theirs:.3f} s; {ratio:.2f} times as fast{'. ' + note if note else ''}")
    return {
        "name": name,
        "seconds": round(ours, 4),
        "alternative": alternative,
        "alternative_seconds": round(theirs, 4),
        "ratio": round(ratio, 3),
        "note": note,
    }


def demo_places():  # type: ignore[no-untyped-def]
    """Return the demo that `./run demo` uses, made now if it is not there."""
    import platformdirs

    from fidele.demo.prepare import prepare

    return prepare(
        Path(platformdirs.user_data_dir("fidele")) / "demo", lambda words, _: print(f"  ({words})", file=sys.stderr)
    )


def _conversion(name: str, depth: int, source_path: Path | None, target_path: Path) -> dict[str, object]:
    """Convert 8 megapixels and compare time and exactness with libvips' ICC transform on the same cores."""
    import pyvips

    from fidele.colour.difference import delta_e_2000
    from fidele.demo.pictures import harbour
    from fidele.icc.profile import Profile
    from fidele.icc.spaces import srgb
    from fidele.icc.transform import Intent, convert, to_lab

    source = Profile.open(source_path) if source_path else srgb()
    printer = Profile.open(target_path)
    kind = np.uint16 if depth == 16 else np.uint8
    pixels = np.rint(harbour(4000, 2000) * ((1 << depth) - 1)).astype(kind)  # a photo-like picture, with its noise
    with tempfile.TemporaryDirectory() as folder:
        stated = Path(folder) / "source.icc"
        stated.write_bytes(source.data)

        def vips() -> np.ndarray:
            image = pyvips.Image.new_from_memory(pixels.tobytes(), 4000, 2000, 3, "ushort" if depth == 16 else "uchar")
            image = image.copy(interpretation="rgb16" if depth == 16 else "srgb")
            done = image.icc_transform(str(target_path), input_profile=str(stated), intent="relative", depth=depth)
            return np.frombuffer(done.write_to_memory(), kind).reshape(2000, 4000, printer.channels)

        def mine() -> np.ndarray:
            return convert(pixels, source, printer, Intent.RELATIVE)

        mine()  # the first call puts the transform together
        ours = theirs = float("inf")
        for _ in range(5):  # in turns, so that what else the machine does falls on both
            ours, theirs = min(ours, best(mine, 1)), min(theirs, best(vips, 1))
        part = np.s_[:200]
        exact = to_lab(convert(as_real(pixels[part]), source, printer, Intent.RELATIVE), printer)
        off = [delta_e_2000(exact, to_lab(got()[part], printer)) for got in (mine, vips)]
    note = (
        f"{8 / ours:.1f} MP/s, off by mean {off[0].mean():.4f}, at most {off[0].max():.3f} ΔE00 from LittleCMS in "
        f"float; theirs by {off[1].mean():.2f} and {off[1].max():.1f}"
    )
    return line(name, ours, theirs, "libvips", note)


def as_real(pixels: np.ndarray) -> np.ndarray:
    """Return integer pixels as float32 from 0 to 1, for which there is no fast path."""
    return (pixels / np.iinfo(pixels.dtype).max).astype(np.float32)


_CMYK = Path("/usr/share/color/icc/ghostscript/default_cmyk.icc")


def _printer() -> Path:
    (path,) = demo_places().profiles.glob("*.icc")
    return path


def conversion() -> dict[str, object]:
    """16-bit sRGB to the demo's output profile."""
    return _conversion("Conversion, RGB 16 bit to RGB table", 16, None, _printer())


def conversion_eight() -> dict[str, object]:
    """8-bit sRGB to the demo's output profile."""
    return _conversion("Conversion, RGB 8 bit to RGB table", 8, None, _printer())


def conversion_cmyk() -> dict[str, object]:
    """16-bit sRGB to a CMYK output profile."""
    return _conversion("Conversion, RGB 16 bit to CMYK table", 16, None, _CMYK)


def conversion_table() -> dict[str, object]:
    """16 bit from one table to another, which LittleCMS does without its optimisations."""
    return _conversion("Conversion, RGB table 16 bit to CMYK table", 16, _printer(), _CMYK)


def difference() -> dict[str, object]:
    """ΔE00 of 10 million pairs, against colour-science."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        import colour

    from fidele.colour.difference import delta_e_2000

    rng = np.random.default_rng(0)
    one = rng.random((10_000_000, 3)) * [100, 160, 160] - [0, 80, 80]
    other = one + rng.normal(0, 5, one.shape)
    delta_e_2000(one[:10], other[:10])
    ours = best(lambda: delta_e_2000(one, other))
    theirs = best(lambda: colour.delta_E(one, other, method="CIE 2000"), times=1)
    return line("ΔE00, 10 million pairs", ours, theirs, "colour-science")


def start() -> dict[str, object]:
    """From the shell to a usable window on the demo, against a bare interpreter that only imports and opens Qt."""
    places = demo_places()
    window = (
        "from pathlib import Path; from fidele.session.places import Places\n"
        "from fidele.cli import desk_application; desk = desk_application()\n"
        f"w = desk.open_window(Places.under(Path({str(places.data)!r}))); w.show()\n"
        "desk.application().processEvents()\n"
        "import os; os._exit(0)"
    )
    bare = (
        "import sys; from PySide6.QtWidgets import QApplication, QMainWindow\n"
        "a = QApplication(sys.argv); w = QMainWindow(); w.resize(1280, 800); w.show(); a.processEvents()\n"
        "import os; os._exit(0)"
    )

    # Where an environment forbids Python to keep what it compiled, every start would compile all sources again.
    environment = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}

    def run(code: str) -> None:
        subprocess.run([sys.executable, "-c", code], check=True, capture_output=True, env=environment)

    libraries = bare.replace("import sys;", "import sys, numpy, click; from pydantic import BaseModel;")
    ours, theirs, loaded = (best(lambda code=code: run(code), 5) for code in (window, bare, libraries))
    note = f"an empty window with numpy, pydantic and click loaded takes {loaded:.2f} s"
    return line("Start to usable window", ours, theirs, "an empty Qt window", note)


def first_picture() -> dict[str, object]:
    """From a file dropped on a window that was just started to its picture on the desk, against decoding it alone."""
    from benchmarks.daily import copied
    from benchmarks.daily import first_picture as run

    ours, theirs = min(copied(demo_places().data, run) for _ in range(3))
    return line("First picture dropped to shown", ours, theirs, "decoding the file", "in a child, as it was dropped")


def fresh() -> dict[str, object]:
    """Setting up with everything downloaded, and making the demo, against copying what is installed."""
    from benchmarks.fresh import run

    setting, making, copying = run()
    note = f"setting up {setting:.0f} s, the demo {making:.0f} s"
    return line("From a clone to the demo's window", setting + making, copying, "copying the same files", note)


def proof() -> dict[str, object]:
    """A switch of intent at window size: building a link and showing 0.4 megapixels, against the exact path."""
    from fidele.icc.profile import Profile
    from fidele.icc.spaces import srgb
    from fidele.icc.transform import Intent
    from fidele.proof.soft import ProofLink, ProofSettings, soft_proof

    (path,) = demo_places().profiles.glob("*.icc")
    printer = Profile.open(path)
    pixels = np.random.default_rng(0).integers(0, 65536, (500, 800, 3), dtype=np.uint16)
    settings = ProofSettings(Intent.RELATIVE)
    ours = best(lambda: ProofLink(srgb(), printer, settings)(pixels), 5)
    theirs = best(lambda: soft_proof(pixels, srgb(), printer, settings), 5)
    return line("Proof after a switch of intent", ours, theirs, "the exact path")


def reading() -> dict[str, object]:
    """Reading a page of 1,000 patches from a 300 ppi A4 scan, against reading the picture file alone."""
    import tifffile

    from fidele.chart.definition import Chart
    from fidele.chart.draw import draw_page
    from fidele.chart.family import made
    from fidele.chart.layout import laid_out
    from fidele.chart.read import read_scan

    whole, count = made("full-1500"), 1000
    layout = laid_out((210.0, 297.0), count, 5.0, 1.2)
    chart = Chart("bench", "Bench", whole.ids[:count], whole.rgb[:count], whole.families[:count], layout, 4)
    page = draw_page(chart, 0, "")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "scan.tif"
        tifffile.imwrite(path, page, photometric="rgb", compression="zlib")
        ours, theirs = best(lambda: read_scan(page, chart)), best(lambda: tifffile.imread(path))
    return line(f"Reading a page of {count} patches", ours, theirs, "decoding the scan's TIFF")


def shelf() -> dict[str, object]:
    """Listing 2,000 profiles after the first look, with what is said of each, against reading them all anew."""
    from benchmarks.shelf import generated
    from fidele.icc.describe import describe
    from fidele.icc.profile import Profile
    from fidele.session.model import Session
    from fidele.session.places import Places

    with tempfile.TemporaryDirectory() as folder:
        places = Places.under(Path(folder))
        places.profiles.mkdir()
        paths = generated(places.profiles, 2000)
        Session(places).profiles.rows()

        def listed() -> None:
            assert len(Session(places).profiles.rows()) == 2000

        ours = best(listed)
        theirs = best(lambda: [describe(Profile.open(p)) for p in paths], times=1)
    return line("A shelf of 2,000 profiles, listed", ours, theirs, "reading every file")


def opening() -> dict[str, object]:
    """Opening 24 megapixels in a child that can do nothing else, against in this process; by kind of file."""
    import imagecodecs
    import tifffile
    from PIL import Image

    from fidele.apart import process
    from fidele.artwork.open import decoded

    y, x = np.mgrid[0:4000, 0:6000]
    grain = np.random.default_rng(0).integers(0, 300, (4000, 6000, 3))
    deep = (np.stack([x * 10, y * 15, (x + y) * 6], axis=-1) % 65_000 + grain).astype(np.uint16)
    flat = (deep >> 8).astype(np.uint8)
    apart, within = 0.0, 0.0
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        Image.fromarray(flat).save(folder / "8 bit JPEG.jpg", quality=90)
        (folder / "8 bit PNG.png").write_bytes(imagecodecs.png_encode(flat, level=3))
        (folder / "16 bit PNG.png").write_bytes(imagecodecs.png_encode(deep, level=3))
        tifffile.imwrite(
            folder / "16 bit TIFF, packed.tif", deep, photometric="rgb", compression="zlib", tile=(256, 256)
        )
        tifffile.imwrite(folder / "16 bit TIFF.tif", deep, photometric="rgb")
        for path in sorted(folder.iterdir()):
            ours = best(lambda path=path: decoded(path, None, 300.0), 7)  # type: ignore[misc]
            process.inside = True
            theirs = best(lambda path=path: decoded(path, None, 300.0), 7)  # type: ignore[misc]
            process.inside = False
            print(f"  {path.stem}: {ours * 1000:.0f} ms, {theirs * 1000:.0f} ms in this process", file=sys.stderr)
            apart, within = apart + ours, within + theirs
    return line("Opening 24 megapixels, five kinds", apart, within, "in this process")


def gigapixel() -> dict[str, object]:
    """A TIFF of a gigapixel, in strips and in tiles, against libvips in the same form; memory is bounded by 500 MB."""
    from benchmarks.large import gigapixel as run

    done = run(_printer())
    for kind, seconds, memory, theirs in done:
        print(f"  {kind}: {seconds:.0f} s, {memory:.0f} MB; libvips {theirs:.0f} s", file=sys.stderr)
    worst = max(memory for _, _, memory, _ in done)
    ours, theirs = sum(d[1] for d in done), sum(d[3] for d in done)
    note = f"at most {worst:.0f} MB"
    return line("A TIFF of a gigapixel, converted", ours, theirs, "libvips", note)


def gaps() -> dict[str, object]:
    """How long the interface is not to be talked to while a 24 megapixel picture is moved; the budget is 50 ms."""
    import shutil

    from benchmarks.large import gaps as run

    with tempfile.TemporaryDirectory() as folder:
        root = Path(folder) / "demo"
        shutil.copytree(demo_places().data, root)
        found = run(root)
    for name, each in found.items():
        print(
            f"  {name}: longest gap {max(each):.0f} ms, 99 % within {np.percentile(each, 99):.0f} ms", file=sys.stderr
        )
    worst = max(max(each) for each in found.values())
    return line("Longest gap while moving and switching", worst / 1000, 0.05, "the budget", "of 50 ms")


def events() -> dict[str, object]:
    """Fifty pictures dropped, every desk in both themes, tuned and undone: the longest event of the window's thread."""
    from benchmarks.daily import copied
    from benchmarks.daily import events as run

    times = sorted(copied(demo_places().data, run), reverse=True)
    for _, what in times[:8]:
        print(f"  {what}", file=sys.stderr)
    over = sum(took > 0.05 for took, _ in times)
    note = f"of 50 ms; {over} of {len(times)} events are over it"
    return line("Longest event of the window's own thread", times[0][0], 0.05, "the budget", note)


def logbook() -> dict[str, object]:
    """The logbook's desk with 20,000 runs, against reading the rows alone; 0.2 s is asked."""
    from benchmarks.daily import copied
    from benchmarks.daily import logbook as run

    ours, rows = copied(demo_places().data, run)
    return line("Logbook of 20,000 runs", ours, rows, "reading its rows alone")


def causes() -> dict[str, object]:
    """How often the check desk names the fault of a print of the bench; writes the confusion matrix into docs."""
    from benchmarks.fault_matrix import written

    start = time.perf_counter()
    with tempfile.TemporaryDirectory() as folder:
        right, count = written(Path(folder), Path(__file__).parents[1] / "docs" / "causes.md")
    seconds = time.perf_counter() - start
    print(f"Causes named rightly: {right} of {count}; docs/causes.md", file=sys.stderr)
    return {"name": "Causes named rightly", "right": right, "of": count, "seconds": round(seconds, 1)}


def pieces() -> dict[str, object]:
    """How often a finished piece is judged rightly by its artwork; writes docs/pieces.md."""
    from benchmarks.pieces import document, run

    start = time.perf_counter()
    judged = run(demo_places().data)
    (Path(__file__).parents[1] / "docs" / "pieces.md").write_text(document(judged), "utf-8")
    told = [j for j in judged if not j.blind]
    print(f"Pieces judged rightly: {sum(j.good for j in told)} of {len(told)}; docs/pieces.md", file=sys.stderr)
    seconds = time.perf_counter() - start
    return {"name": "Pieces judged rightly", "right": sum(j.good for j in told), "of": len(told), "seconds": seconds}


def own_profiles() -> dict[str, object]:
    """How well strangers are fitted from their targets, beside a plain spline; kept in tests/street/sealed.json."""
    from benchmarks.own_profiles import run

    start = time.perf_counter()
    figures = run()
    for row in figures["table"]:
        print(f"  {row}", file=sys.stderr)
    return {"name": "Fits of strangers", "fits": figures["prints"], "seconds": round(time.perf_counter() - start, 1)}


def strangers() -> dict[str, object]:
    """How often the fault of a stranger's print is named; writes its section into docs."""
    from benchmarks.causes_of_strangers import into, run

    start = time.perf_counter()
    figures = run()
    into(Path(__file__).parents[1] / "docs" / "causes.md")
    print(f"Causes of strangers named: {figures['named']}; docs/causes.md", file=sys.stderr)
    seconds = time.perf_counter() - start
    return {"name": "Causes of strangers named", "named": figures["named"], "seconds": round(seconds, 1)}


def roll() -> dict[str, object]:
    """A roll of 61 cm with 40 nested pieces, prepared as a file; memory is bounded by 600 MB."""
    from benchmarks.large import roll as run

    length, use, memory, seconds = run(_printer())
    note = f"{length / 1000:.1f} m, {use * 100:.0f} % used; the budget is 600 MB"
    print(f"A roll of 40 pieces, prepared: {memory:.0f} MB, {seconds:.0f} s. {note}", file=sys.stderr)
    return {"name": "A roll of 40 pieces, prepared", "megabytes": round(memory), "seconds": round(seconds, 1)}


def nesting() -> dict[str, object]:
    """200 rectangles on a roll, against the best of 28 presets of rectpack; a second, and no worse use, are asked."""
    from benchmarks.sheets import nesting as run

    use, seconds, theirs, their_seconds, name = run()
    note = f"{use * 100:.1f} % of the roll is used, against {theirs * 100:.1f} % ({name})"
    return line("Nesting 200 rectangles", seconds, their_seconds, "rectpack's best preset", note) | {
        "use": round(use, 4),
        "alternative_use": round(theirs, 4),
    }


def sheet_desk() -> dict[str, object]:
    """The sheet desk with 200 pieces: the longest of each deed, in milliseconds."""
    from benchmarks.sheets import desk

    times = desk(demo_places().data)
    print("Sheet desk, 200 pieces: " + ", ".join(f"{n} {t:.0f} ms" for n, t in times.items()), file=sys.stderr)
    return {"name": "Sheet desk with 200 pieces", "milliseconds": {n: round(t) for n, t in times.items()}}


def truth() -> dict[str, object]:
    from benchmarks.truth import truth as measured

    return measured()


ALL = {
    f.__name__: f
    for f in (
        conversion,
        conversion_eight,
        conversion_cmyk,
        conversion_table,
        difference,
        start,
        first_picture,
        proof,
        reading,
        shelf,
        opening,
        gigapixel,
        roll,
        nesting,
        sheet_desk,
        gaps,
        events,
        logbook,
    )
}


def suite() -> dict[str, object]:
    """The whole suite, lint and types, from a clean clone and an empty home, against what it may take."""
    from benchmarks.suite import run

    took, said = run()
    return line("The suite", took, 600.0, "the budget", said.partition(" in ")[0])


#: Asked for by name only: they measure verdicts, take long, or download.
BY_NAME = {
    "fresh": fresh,
    "suite": suite,
    "causes": causes,
    "own_profiles": own_profiles,
    "pieces": pieces,
    "strangers": strangers,
    "truth": truth,
}


def main() -> None:
    known = ALL | BY_NAME
    wanted = sys.argv[1:] or list(ALL)
    unknown = [name for name in wanted if name not in known]
    if unknown:
        sys.exit(f"There is no benchmark '{unknown[0]}'; there is {', '.join(known)}.")
    path, results = Path(__file__).parents[1] / "docs" / "speed.md", {}
    for name in wanted:
        results[name] = known[name]()
        before = path.read_text("utf-8") if path.exists() else ""
        path.write_text(document(before, {name: results[name]}), "utf-8")
    print(json.dumps(list(results.values()), ensure_ascii=False))


if __name__ == "__main__":
    main()
