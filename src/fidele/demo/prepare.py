"""Set the demo up in a folder: pictures, a workshop, and a profile that is really made on the bench."""

from __future__ import annotations

import datetime
import io
import json
import shutil
import zipfile
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np

from fidele import __version__
from fidele.artwork.depth import to_eight
from fidele.artwork.save import save_picture
from fidele.bench import drum
from fidele.characterise.ink_setup import setup_of
from fidele.characterise.printer import PrinterModel, fit_printer, make_profile
from fidele.characterise.scanner import fit_scanner
from fidele.chart.cgats import Table, dump
from fidele.chart.definition import Chart
from fidele.chart.family import target_chart
from fidele.chart.ink_target import ink_target, ramp_page
from fidele.chart.read import read_scan
from fidele.colour.cie import xyz_to_lab
from fidele.colour.spectra import spectra_to_xyz
from fidele.demo import pictures
from fidele.devices.bench.bench import Bench
from fidele.devices.bench.starters import wren_card
from fidele.errors import FideleError
from fidele.files import read_bytes, write_bytes
from fidele.icc.profile import Profile
from fidele.icc.spaces import oprgb, sgrey, srgb
from fidele.icc.transform import Intent, convert
from fidele.language import tr
from fidele.route.condition import Card
from fidele.run.chart_page import chart_artwork, chart_placing, on_piece
from fidele.run.job import Job
from fidele.run.page import prepare_page
from fidele.session.places import Places
from fidele.store.cards import CardStore
from fidele.store.scanners import ScannerRecord
from fidele.store.shelf import Shelf

Told = Callable[[str, float], None]

#: All that the demo writes carries this date, so that the same code makes the same files.
CREATED = datetime.datetime(2026, 6, 13, 9, 0)
PROFILE_TITLE = "Velm Wren, Fen 100, ceramic tile"
SUPPLIER_ZIP = "fen-100-velm-wren.zip"

LEAFLET = """Fen 100 transfer paper on coated ceramic - output profile for the Velm Wren

Made with: Stock "Dull heavy" standing in for Fen 100, Passes 3, Carriage "there", Polish off,
Blend "Untouched", Fit "as it is", all of Taste at rest. Thrift off at the printer.
Print mirrored, once. Press face down: 200 C, 180 s, 2.5 bar.
Perceptual suits pictures, media-relative suits flat colours with black point compensation.
"""


def demo_card(profile_id: str | None) -> Card:
    """Return the condition of the demo's house-number tiles, whose profile is made here."""
    return wren_card("house-number-tiles", "House-number tiles", profile_id, "fidele")


def prepare(root: Path, tell: Told = lambda _words, _share: None) -> Places:
    """Make the demo in `root` unless it is there already; return its folders.

    Takes some 20 seconds the first time: the target is printed with nothing converting, pressed, measured with the
    spectrophotometer and scanned; printer and scanner are characterised from that.
    """
    places = Places.under(root)
    mark = root / "demo.json"
    stamp = {"version": __version__, "made": CREATED.isoformat(), "recipe": 10}
    try:
        made = json.loads(read_bytes(mark, 1 << 16))
    except (FideleError, ValueError):
        made = None
    if made == stamp:
        return places
    if made is not None:
        clear_outdated(root)
    tell(tr("Drawing the pictures"), 0.02)
    bench = Bench(places.bench)
    card = demo_card(None)
    with ThreadPoolExecutor(1) as beside:  # pictures and downloads on one core, the profile on another
        drawn = beside.submit(draw_pictures, root / "artwork")
        filled = beside.submit(fill_downloads, bench, root / "downloads")
        inks = beside.submit(measure_inks, root / "ink printer")
        _, profile, measured = characterise(bench, card, places, lambda words, share: tell(words, 0.04 + 0.92 * share))
        drawn.result()
        filled.result()
        inks.result()
    tell(tr("Putting the profile on the shelf"), 0.97)
    bundle = root / "from the supplier" / SUPPLIER_ZIP
    write_bytes(
        bundle,
        _zip(
            {
                f"profiles/{PROFILE_TITLE}.icc": profile,
                "READ ME FIRST.txt": LEAFLET.encode(),
                "measured.txt": measured.encode(),
            }
        ),
    )
    Shelf(places.profiles, (), places.data).install(bundle)
    made = demo_card(Profile.parse(profile).content_id)
    printer = bench.printer_of(card.printer)
    version = printer.status(made).version
    CardStore(places.cards).save(made.model_copy(update={"driver_version": version}))
    printer.bring(card)
    printer.choose("Blend", "Velm natural")  # what the operator will find: the maker's colours are back
    places.switch_bench(True)  # wherever this workshop is taken, its printers go along
    write_bytes(mark, json.dumps(stamp).encode())
    tell(tr("Ready"), 1.0)
    return places


def clear_outdated(root: Path) -> None:
    """Take away what an earlier Fidele made for the demo, so that two of each do not lie side by side."""
    (root / "demo.json").unlink(missing_ok=True)
    for name in (
        "artwork", "bench", "conditions", "downloads", "from the supplier", "icc", "ink printer", "profiles",
        "scanner",
    ):  # fmt: skip
        shutil.rmtree(root / name, ignore_errors=True)


def fill_downloads(bench: Bench, folder: Path) -> None:
    """Leave profiles where people leave them: in a zip, a mail, under a wrong name, thrown away, broken off."""
    files = {item.file: bench.catalogue.fetch(item) for item in bench.catalogue.listing()}
    for name in ("fen-100-profiles.zip", "fen-140-polyester.eml", "tarn-120-wren.icc"):
        write_bytes(folder / name, files[name])
    write_bytes(folder / "Velm_Wren_Tarn_light_60.icc.txt", files["Velm_Wren_Tarn_light_60.icc"])
    write_bytes(folder / "Trash" / "files" / "gallery rag.icc", files["Orrin Gannet gallery rag.icc"])


def measure_inks(folder: Path) -> None:
    """Leave what was measured of a printer that takes inks: its page of ramps, and a target within what they tell."""
    ramps = ramp_page()
    assert ramps.inks is not None
    setup = setup_of(ramps.inks, _measured_of(ramps, folder / "ramps.txt"))
    _measured_of(ink_target(300, lambda places: setup.laid(setup.limited(places))), folder / "target.txt")


def _measured_of(chart: Chart, path: Path) -> np.ndarray:
    assert chart.inks is not None
    spectra = drum.measured(chart.inks)
    Lab = xyz_to_lab(spectra_to_xyz(spectra))
    columns = {f"CMYK_{c}": 100 * chart.inks[:, i] for i, c in enumerate("CMYK")}
    columns |= {f"LAB_{c}": Lab[:, i] for i, c in enumerate("LAB")}
    keywords = {
        "ORIGINATOR": "Bench P1",
        "DESCRIPTOR": f"Tove Drum on gallery rag, {chart.title.lower()}",
        "CREATED": CREATED.date().isoformat(),
        "INSTRUMENTATION": "Bench P1",
        "FIDELE_MODE": "M1",
    }
    write_bytes(path, dump(Table(chart.ids, columns, keywords)).encode())
    return Lab


def _zip(files: dict[str, bytes]) -> bytes:
    memory = io.BytesIO()
    with zipfile.ZipFile(memory, "w", zipfile.ZIP_DEFLATED) as bundle:
        for name, data in files.items():
            bundle.writestr(zipfile.ZipInfo(name, (2026, 6, 13, 9, 0, 0)), data)
    return memory.getvalue()


def draw_pictures(folder: Path) -> None:
    """Draw the demo's pictures into a folder: 8 and 16 bit, RGB and grey, with and without a stated space."""

    def eight(image: np.ndarray) -> np.ndarray:
        return np.rint(image * 255).astype(np.uint8)

    save_picture(folder / "harbour-at-dusk.png", eight(pictures.harbour()), srgb(), 300)
    parade = np.rint(pictures.parade() * 65535).astype(np.uint16)
    save_picture(folder / "lantern-parade-16bit.tif", convert(parade, srgb(), oprgb(), Intent.RELATIVE), oprgb(), 300)
    save_picture(folder / "signal-flags.png", eight(pictures.flags()), srgb(), 300)
    save_picture(folder / "tide-table-no-space-stated.png", eight(pictures.tide_table()), None, 300)
    lanterns = convert(np.rint(pictures.parade(1050, 750) * 65535).astype(np.uint16), srgb(), oprgb(), Intent.RELATIVE)
    save_picture(folder / "lanterns-no-space-stated.png", to_eight(lanterns), None, 300)  # in truth opRGB
    save_picture(folder / "lighthouse-engraving.tif", eight(pictures.engraving())[..., None], sgrey(), 300)


def characterise(bench: Bench, card: Card, places: Places, tell: Told) -> tuple[PrinterModel, bytes, str]:
    """Characterise printer and scanner on the bench; return the fitted model, the profile, and the measurements."""
    target = target_chart()
    device = bench.printer_of(card.printer)
    device.bring(card)  # the owner is Fidele, so the driver passes numbers: nothing converts
    XYZ, scanned = [], []
    media = device.media(card.size, card.feed)
    for page in range(target.pages):
        tell(tr("Printing target page {n} with nothing converting", n=page + 1), page * 0.28)
        artwork = chart_artwork(target, page, f"{card.name} · nothing converts")
        placing = chart_placing(target, media)
        job = Job.of(artwork, placing, card, None, target, page)
        sheet = device.print_page(prepare_page(job, device)).sheet
        assert sheet is not None  # the bench lays every print on its table
        tell(tr("Pressing target page {n}", n=page + 1), page * 0.28 + 0.06)
        piece = bench.table.as_printed(sheet)
        if card.process == "transfer":
            piece = bench.press.press(sheet, card.substrate, card.press)
        tell(tr("Measuring target page {n}", n=page + 1), page * 0.28 + 0.10)
        XYZ.append(spectra_to_xyz(bench.instrument.measure(piece, on_piece(target.centres(page), target, placing))))
        tell(tr("Scanning target page {n}", n=page + 1), page * 0.28 + 0.16)
        reading = read_scan(bench.scanner.scan(piece, 1000 + page).pixels, target)
        scanned.append(reading.rgb)
    tell(tr("Fitting the printer"), 0.58)
    measured = np.concatenate(XYZ)
    model = fit_printer(target.rgb, measured)
    text = dump(_measurements(target, measured, bench.instrument.name))

    def progress(share: float) -> bool:
        tell(tr("Making the profile"), 0.60 + 0.37 * share)
        return True

    profile = make_profile(model, PROFILE_TITLE, CREATED, text, progress, stated(card))
    tell(tr("Characterising the scanner"), 0.98)
    fit = fit_scanner(
        np.concatenate(scanned),
        xyz_to_lab(measured),
        f"{bench.scanner.name}, {card.media} on {card.substrate}",
        CREATED,
    )
    ScannerRecord.keep(places.data, fit)
    return model, profile, text


def stated(card: Card) -> dict[str, str]:
    """Return what a profile made under a card states of itself, for its metadata tag."""
    return {
        "about.printer": card.printer_name,
        "about.unit": card.printer,
        "about.ink": card.ink,
        "about.media": card.media,
        "about.substrate": card.substrate,
        "made.stand_in": str(card.driver["stand_in"]),
        "made.quality": str(card.driver["quality"]),
        "made.direction": str(card.driver["direction"]),
        "made.colour": "off",
        "made.ink_saving": "off",
        "made.mirroring": "once",
        "made.press_temperature": f"{card.press.temperature:g}",
        "made.press_seconds": f"{card.press.seconds:g}",
        "made.press_pressure": f"{card.press.pressure:g}",
    }


def _measurements(target: Chart, XYZ: np.ndarray, instrument: str) -> Table:
    Lab = xyz_to_lab(XYZ)
    columns = {f"RGB_{c}": target.rgb[:, i] * 255 for i, c in enumerate("RGB")}
    columns |= {f"XYZ_{c}": XYZ[:, i] * 100 for i, c in enumerate("XYZ")}
    columns |= {f"LAB_{c}": Lab[:, i] for i, c in enumerate("LAB")}
    keywords = {
        "ORIGINATOR": "Fidele",
        "DESCRIPTOR": target.title,
        "CREATED": CREATED.date().isoformat(),
        "INSTRUMENTATION": instrument,
    }
    return Table(target.ids, columns, keywords)
