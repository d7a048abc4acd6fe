"""A catalogue of profiles as makers offer them: bare, zipped with other things, damaged, for another printer.

Makers, papers and leaflets are invented. What is fetched is made at that moment, which takes about as long as a
download.
"""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable
from dataclasses import replace
from email.message import EmailMessage

from fidele.bench.driver import Model
from fidele.bench.inks import ceramic_tile, gallery_paper, polyester, slate
from fidele.bench.maker import Recipe, make
from fidele.bench.wren import STOCKS
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import tr


@dataclass(frozen=True)
class Item:
    """One line of the catalogue: what the supplier calls it, who offers it, and the file that one gets."""

    name: str
    supplier: str
    file: str
    words: str


_WREN_TILE = Recipe("Fen 100 ceramic Velm Wren", "Fen", ceramic_tile(), STOCKS["Dull heavy"].load)
_LEAFLET = """Fen 100 transfer paper
Profile for coated ceramic on the Velm Wren, February 2026.

The driver knows no Fen paper: Stock "Dull heavy" stands in for Fen 100. Passes 3. Carriage "there".
Polish off, Blend "Untouched", and leave all of Taste at rest.
Thrift off at the printer: Menu, Care, Thrift.
Mirror the picture once. Dry the tile.
Press face down at 200 °C for 180 s with 2.5 bar.
Rendering intent: perceptual for pictures; media-relative for flat colours.
"""


def _zip(files: dict[str, bytes]) -> bytes:
    memory = io.BytesIO()
    with zipfile.ZipFile(memory, "w", zipfile.ZIP_DEFLATED) as bundle:
        for name, data in files.items():
            bundle.writestr(zipfile.ZipInfo(name, (2026, 2, 3, 10, 0, 0)), data)
    return memory.getvalue()


def pdf(text: str) -> bytes:
    """Return a text as a PDF of one page."""
    from reportlab.pdfgen.canvas import Canvas

    memory = io.BytesIO()
    canvas = Canvas(memory, pagesize=(420, 595), invariant=1)
    lines = canvas.beginText(36, 550)
    lines.setFont("Helvetica", 8)
    for line in text.splitlines():
        lines.textLine(line)
    canvas.drawText(lines)
    canvas.showPage()
    canvas.save()
    return memory.getvalue()


def _bundle() -> bytes:
    longship = replace(_WREN_TILE, title="Fen 100 ceramic Skarn Longship", load=0.86, gain=0.74)
    slates = replace(_WREN_TILE, title="Fen 100 slate Velm Wren", substrate=slate())
    return _zip(
        {
            "Fen 100/profiles/fen100_ceramic_wren.icc": make(_WREN_TILE),
            "Fen 100/profiles/fen100_slate_wren.icc": make(slates),
            "Fen 100/profiles/fen100_ceramic_longship.icc": make(longship),
            "Fen 100/leaflet Fen 100.pdf": pdf(_LEAFLET),
            "Fen 100/licence.txt": b"Free to use with paper bought from Fen.\n",
            "Fen 100/swatch.png": b"\x89PNG\r\n\x1a\n",
        }
    )


def _mail() -> bytes:
    cloth = replace(_WREN_TILE, title="F140 cloth", substrate=polyester(), load=STOCKS["Board"].load, perceptual=False)
    message = EmailMessage()
    message["Subject"] = "Your profile for Fen 140 on polyester"
    message["From"], message["To"] = "profiles@fen.example", "workshop@tern-harbour.example"
    message["Date"] = "Tue, 03 Feb 2026 10:00:00 +0000"
    message.set_content(
        "Hello,\nhere is the profile for your Velm Wren. We made it with Stock Board, Passes 2 or 3, Carriage there.\n"
        "Press the cloth at 195 °C, 45 s, 3 bar. Please switch colour correction off.\nRegards, Fen\n"
    )
    message.add_attachment(make(cloth), maintype="application", subtype="vnd.iccprofile", filename="F140_cloth.icc")
    return message.as_bytes()


_GANNET = Recipe(
    "Orrin Gannet, gallery rag",
    "Orrin",
    gallery_paper(),
    0.9,
    ink="pigment",
    states={
        "about.printer": "Orrin Gannet",
        "about.media": "Orrin rag",
        "made.stand_in": "Orrin rag",
        "made.quality": "4",
        "made.direction": "no",
        "made.black_ink": "soft",
    },
)

_ITEMS: dict[Item, Callable[[], bytes]] = {
    Item(
        "Fen 100 on ceramic and slate",
        "Fen papers",
        "fen-100-profiles.zip",
        "Zip with profiles for Velm Wren and Skarn Longship, and a leaflet",
    ): _bundle,
    Item("Fen 140 on polyester", "Fen papers", "fen-140-polyester.eml", "Mail with one profile attached"): _mail,
    Item("Tarn light 60", "Tarn", "Velm_Wren_Tarn_light_60.icc", "Names printer and paper, and nothing else"): lambda: (
        make(
            replace(
                _WREN_TILE, title="Velm_Wren_Tarn_light_60", maker="", load=STOCKS["Everyday"].load, perceptual=False
            )
        )
    ),
    Item("Gallery rag", "Orrin", "Orrin Gannet gallery rag.icc", "For the Orrin Gannet, straight on paper"): lambda: (
        make(_GANNET)
    ),
    Item("Tarn heavy 120", "Tarn", "tarn-120-wren.icc", "For the Velm Wren; the file on their server is broken"): (
        lambda: make(replace(_WREN_TILE, title="Velm Wren, Tarn heavy 120"))[:61_440]
    ),
}


def listing() -> tuple[Item, ...]:
    """Return the catalogue."""
    return tuple(_ITEMS)


def fetch(item: Item) -> bytes:
    """Return the file of a line of the catalogue.

    Raises
    ------
    FideleError
        When there is no such line.
    """
    if item not in _ITEMS:
        raise FideleError(tr("The catalogue has no '{name}' any more.", name=item.name))
    return _ITEMS[item]()


def carried(model: Model, stock: str, states: dict[str, str]) -> bytes:
    """Return the profile that a printer itself carries for one of its maker's stocks, in the best of its steps."""
    values = model.defaults | {model.stock_control: stock, model.step_control: max(model.stocks[stock].steps)}
    load = model.effect(values).load
    media = stock if stock.startswith(model.maker) else f"{model.maker} {stock}"
    substrate = ceramic_tile() if model.process == "transfer" else gallery_paper()
    said = {"about.printer": model.title, "about.maker": model.maker, "about.ink": model.ink_name, "about.media": media}
    if model.process == "transfer":
        said |= {"about.substrate": substrate.name}
    title = f"{model.title}, {media}" + (f", {substrate.name}" if model.process == "transfer" else "")
    return make(Recipe(title, model.maker, substrate, load, ink=model.ink, states=said | states))
