"""A printer of the bench that speaks IPP itself, on the loopback: it needs no driver, and converts as its panel is set.

As much of IPP Everywhere (PWG 5100.14) as a print service needs to make a queue for it, and to send PWG raster.
"""

from __future__ import annotations

import io
import itertools
import threading
import zlib
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

import numpy as np

from fidele.bench.driver import Values
from fidele.bench.printer import Machine, Print
from fidele.bench.service.ppd import ROLL_LENGTH, keyword
from fidele.errors import FideleError
from fidele.ipp.message import (
    BOOLEAN,
    CHARSET,
    COLLECTION,
    ENUM,
    INTEGER,
    JOB,
    KEYWORD,
    LANGUAGE,
    MIME,
    NAME,
    OPERATION,
    PRINTER,
    RESOLUTION,
    TEXT,
    URI,
    Attributes,
    Message,
    Typed,
    decode,
    one,
)
from fidele.ipp.raster import RasterPage, read_raster
from fidele.language import tr

_PRINT, _VALIDATE, _CREATE, _SEND, _CANCEL, _JOB, _JOBS, _PRINTER = 0x02, 0x04, 0x05, 0x06, 0x08, 0x09, 0x0A, 0x0B
_OK, _BAD, _NOT_FOUND, _FORMAT, _UNKNOWN = 0x0000, 0x0400, 0x0406, 0x040A, 0x0501
_LARGEST = 1 << 30
_PWG = "image/pwg-raster"
_ABORTED, _DONE, _WAITS = 8, 9, 3
#: Names of sheets by PWG 5101.1.
_STANDARD = {"A5": "iso_a5_148x210mm", "A4": "iso_a4_210x297mm", "A3": "iso_a3_297x420mm"}
#: Qualities of IPP by their number, and the step of the machine's that they stand for: least, middle, most.
_QUALITIES = (3, 4, 5)
_SOURCES = ("main", "rear", "by-pass-tray")


class DriverlessPrinter:
    """Serves one machine; use `start` and `stop`."""

    def __init__(self, machine: Machine, name: str, prints: Path) -> None:
        self._machine, self._name, self._prints = machine, name, prints
        self._jobs: dict[int, dict[str, Any]] = {}
        self._numbers = itertools.count(1)
        self._lock = threading.Lock()
        self.arrived: RasterPage | None = None
        outer = self

        class Handler(BaseHTTPRequestHandler):
            protocol_version = "HTTP/1.1"

            def do_POST(self) -> None:
                self._answer()

            def _answer(self) -> None:
                body = self._body()
                answer = outer.answer(body)
                self.send_response(200)
                self.send_header("Content-Type", "application/ipp")
                self.send_header("Content-Length", str(len(answer)))
                self.end_headers()
                self.wfile.write(answer)

            def _body(self) -> bytes:
                if self.headers.get("Expect", "").lower() == "100-continue":
                    pass  # the library has answered that already
                if "chunked" not in self.headers.get("Transfer-Encoding", ""):
                    return self.rfile.read(min(_LARGEST, int(self.headers.get("Content-Length") or 0)))
                whole = bytearray()
                while size := int(self.rfile.readline(64).split(b";")[0] or b"0", 16):
                    whole += self.rfile.read(size)
                    self.rfile.readline(8)
                    if len(whole) > _LARGEST:
                        raise ValueError("too large")
                self.rfile.readline(8)
                return bytes(whole)

            def log_message(self, *_: object) -> None:
                return

        self._server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        self._server.daemon_threads = True

    @property
    def title(self) -> str:
        """Maker and model."""
        return self._machine.model.title

    @property
    def uri(self) -> str:
        """Where it is reached."""
        return f"ipp://127.0.0.1:{self._server.server_address[1]}/ipp/print"

    def start(self) -> None:
        """Begin."""
        self._prints.mkdir(parents=True, exist_ok=True)
        threading.Thread(target=self._server.serve_forever, daemon=True, name="driverless printer").start()

    def stop(self) -> None:
        """Stop."""
        self._server.shutdown()
        self._server.server_close()

    def last_sheet(self) -> Print | None:
        """Return what was printed last."""
        done = [n for n, job in self._jobs.items() if job["state"] == _DONE]
        return Print.load(self._path(max(done))) if done else None

    def _path(self, number: int) -> Path:
        return self._prints / f"driverless-{number}.tif"

    def answer(self, body: bytes) -> bytes:
        """Return the answer to a request."""
        try:
            asked, at = decode(body)
        except FideleError:
            return Message(_BAD, 1, [(OPERATION, _heading())]).encode()
        status, groups = self._answered(asked, body[at:])
        return Message(status, asked.number, [(OPERATION, _heading()), *groups], asked.version).encode()

    def _answered(self, asked: Message, document: bytes) -> tuple[int, list[tuple[int, Attributes]]]:
        if asked.code == _PRINTER:
            return _OK, [(PRINTER, self._attributes())]
        if asked.code == _VALIDATE:
            return _OK, []
        if asked.code in (_PRINT, _CREATE):
            number = self._begin(asked)
            if asked.code == _PRINT:
                self._take(number, document)
            return _OK, [(JOB, self._job(number))]
        if asked.code == _JOBS:
            return _OK, [(JOB, self._job(n)) for n, job in self._jobs.items() if job["state"] == _WAITS]
        number = int(asked.first("job-id", 0) or str(asked.first("job-uri", "0")).rpartition("/")[2] or 0)
        if asked.code in (_SEND, _CANCEL, _JOB) and number not in self._jobs:
            return _NOT_FOUND, []
        if asked.code == _SEND:
            self._take(number, document)
            return _OK, [(JOB, self._job(number))]
        if asked.code == _CANCEL:
            self._jobs[number]["state"] = 7
            return _OK, []
        return (_OK, [(JOB, self._job(number))]) if asked.code == _JOB else (_UNKNOWN, [])

    def _begin(self, asked: Message) -> int:
        with self._lock:
            number = next(self._numbers)
            said = {n: v.values[0] for _, group in asked.groups for n, v in group.items() if v.values}
            self._jobs[number] = {"state": _WAITS, "said": "", "asked": said}
        return number

    def _take(self, number: int, document: bytes) -> None:
        job = self._jobs[number]
        try:
            page = next(read_raster(io.BytesIO(document)), None)
            if page is None:
                raise FideleError(tr("there was no page"))
            self.arrived = page
            pixels = page.pixels
            if self._machine.model.bits == 8 and pixels.dtype == np.uint16:
                pixels = (pixels >> 8).astype(np.uint8)
            sheet, _ = self._machine.sending(self._values(job["asked"])).print_page(pixels)
            sheet.save(self._path(number))
            job["state"] = _DONE
        except FideleError as error:
            job |= {"state": _ABORTED, "said": str(error)}

    def _values(self, asked: dict[str, Any]) -> Values:
        """Return the machine's values for what a job asks for; the rest is as its panel stands."""
        model = self._machine.model
        values: Values = {}
        media = asked.get("media-col", {})
        kind = media["media-type"].values[0] if isinstance(media, dict) and "media-type" in media else None
        stock = next((s for s in model.stocks if _keyword(s) == (kind or asked.get("media-type"))), None)
        if stock is not None:
            values[model.stock_control] = stock
            quality = asked.get("print-quality", 4)
            steps = model.stocks[stock].steps
            at = _QUALITIES.index(quality) if quality in _QUALITIES else 1
            values[model.step_control] = steps[min(len(steps) - 1, at * len(steps) // 3)]
        source = media["media-source"].values[0] if isinstance(media, dict) and "media-source" in media else None
        way = self._sources().get(source or asked.get("media-source"))
        if way:
            values[model.way_control] = way
        size = media.get("media-size") if isinstance(media, dict) else None
        if size is not None:
            width = size.values[0]["x-dimension"].values[0] / 100
            named = {n: self._sheet(n)[0] for n in model.every(model.size_control)}
            values[model.size_control] = min(named, key=lambda n: abs(named[n] - width))
        return values

    def _ways(self) -> tuple[str, ...]:
        """Return the ways in, the usual one first; '' where there is one only."""
        model = self._machine.model
        if not model.way_control:
            return ("",)
        usual = str(model.defaults[model.way_control])
        return (usual, *(str(w) for w in model.every(model.way_control) if w != usual))

    def _sources(self) -> dict[Any, str]:
        """Return the ways in by the names that IPP has for them (PWG 5100.7)."""
        return dict(zip(_SOURCES, self._ways(), strict=False))

    def _refused(self) -> Iterator[Attributes]:
        """Give the media that cannot go in by a way."""
        model = self._machine.model
        if not model.way_control:
            return
        for stock, (source, way) in itertools.product(model.stocks, self._sources().items()):
            offered = model.settings[model.way_control].offers(model.defaults | {model.stock_control: stock}) or ()
            if way not in offered:
                media = {"media-type": one(KEYWORD, _keyword(stock)), "media-source": one(KEYWORD, source)}
                yield {"resolver-name": one(NAME, "another-way"), "media-col": one(COLLECTION, media)}

    def _sheet(self, name: Any, way: str = "") -> tuple[float, float, tuple[float, float, float, float]]:
        model = self._machine.model
        fed = {model.way_control: way} if way else {}
        effect = model.effect(model.defaults | {model.size_control: name} | fed)
        return effect.sheet[0], effect.sheet[1] or ROLL_LENGTH, effect.margins

    def _job(self, number: int) -> Attributes:
        job = self._jobs[number]
        return {
            "job-id": one(INTEGER, number),
            "job-uri": one(URI, f"{self.uri}/{number}"),
            "job-state": one(ENUM, job["state"]),
            "job-state-reasons": one(KEYWORD, "none" if job["state"] in (_DONE, _WAITS) else "aborted-by-system"),
            "job-state-message": one(TEXT, job["said"]),
            "job-impressions-completed": one(INTEGER, int(job["state"] == _DONE)),
        }

    def _attributes(self) -> Attributes:
        model = self._machine.model
        supply = self._machine.store.read()
        sheets = {str(n): self._sheet(n) for n in model.every(model.size_control)}
        names = {n: f"custom_{keyword(n).lower()}_{w:g}x{h:g}mm" for n, (w, h, _) in sheets.items()}
        names |= {n: standard for n, standard in _STANDARD.items() if n in names}
        stocks = [_keyword(s) for s in model.stocks]
        sources = self._sources()
        columns = [
            _media(*self._sheet(size, way), stock, source)
            for size, (source, way), stock in itertools.product(sheets, sources.items(), stocks)
        ]
        refused = tuple(self._refused())
        default = str(model.defaults[model.size_control])
        return {
            "printer-uri-supported": one(URI, self.uri),
            "uri-security-supported": one(KEYWORD, "none"),
            "uri-authentication-supported": one(KEYWORD, "none"),
            "printer-name": one(NAME, self._name),
            "printer-info": one(TEXT, f"{model.title}, by itself"),
            "printer-location": one(TEXT, "on the bench"),
            "printer-make-and-model": one(TEXT, model.title),
            "printer-uuid": one(URI, f"urn:uuid:00000000-0000-4000-8000-{zlib.crc32(model.title.encode()):012x}"),
            "printer-device-id": one(TEXT, f"MFG:{model.maker};MDL:{model.name};CMD:PWGRaster;"),
            "printer-state": one(ENUM, 3 if supply.online else 5),
            "printer-state-reasons": one(KEYWORD, "none" if supply.online else "offline-report"),
            "printer-is-accepting-jobs": one(BOOLEAN, True),
            "printer-up-time": one(INTEGER, 1),
            "queued-job-count": one(INTEGER, 0),
            "ipp-versions-supported": one(KEYWORD, "1.1", "2.0"),
            "ipp-features-supported": one(KEYWORD, "ipp-everywhere"),
            "operations-supported": one(ENUM, _PRINT, _VALIDATE, _CREATE, _SEND, _CANCEL, _JOB, _JOBS, _PRINTER),
            "charset-configured": one(CHARSET, "utf-8"),
            "charset-supported": one(CHARSET, "utf-8"),
            "natural-language-configured": one(LANGUAGE, "en"),
            "generated-natural-language-supported": one(LANGUAGE, "en"),
            "document-format-default": one(MIME, _PWG),
            "document-format-supported": one(MIME, _PWG, "application/octet-stream"),
            "pdl-override-supported": one(KEYWORD, "attempted"),
            "compression-supported": one(KEYWORD, "none"),
            "multiple-document-jobs-supported": one(BOOLEAN, False),
            "color-supported": one(BOOLEAN, True),
            "print-color-mode-supported": one(KEYWORD, "color"),
            "print-color-mode-default": one(KEYWORD, "color"),
            "print-quality-supported": one(ENUM, *_QUALITIES),
            "print-quality-default": one(ENUM, 4),
            "print-scaling-supported": one(KEYWORD, "none"),
            "print-scaling-default": one(KEYWORD, "none"),
            "printer-resolution-supported": one(RESOLUTION, (model.resolution, model.resolution)),
            "printer-resolution-default": one(RESOLUTION, (model.resolution, model.resolution)),
            "pwg-raster-document-resolution-supported": one(RESOLUTION, (model.resolution, model.resolution)),
            "pwg-raster-document-type-supported": one(KEYWORD, "srgb_8"),
            "pwg-raster-document-sheet-back": one(KEYWORD, "normal"),
            "sides-supported": one(KEYWORD, "one-sided"),
            "sides-default": one(KEYWORD, "one-sided"),
            "copies-supported": one(0x33, (1, 1)),
            "copies-default": one(INTEGER, 1),
            "media-supported": one(KEYWORD, *names.values()),
            "media-default": one(KEYWORD, names.get(default, next(iter(names.values())))),
            "media-type-supported": one(KEYWORD, *stocks),
            "media-source-supported": one(KEYWORD, *sources),
            "media-col-supported": one(
                KEYWORD,
                *("media-size", "media-type", "media-source"),
                *(f"media-{edge}-margin" for edge in ("left", "top", "right", "bottom")),
            ),
            "media-col-database": Typed(COLLECTION, tuple(columns)),
            "media-col-default": one(
                COLLECTION, _media(*sheets[default], _keyword(str(model.defaults[model.stock_control])), _SOURCES[0])
            ),
            **({"job-constraints-supported": Typed(COLLECTION, refused)} if refused else {}),
            "marker-names": one(NAME, *supply.inks),
            "marker-levels": one(INTEGER, *(round(v * 100) for v in supply.inks.values())),
            "marker-types": one(KEYWORD, *("ink" for _ in supply.inks)),
            "marker-colors": one(NAME, *("none" for _ in supply.inks)),
        }


def _keyword(words: str) -> str:
    return words.lower().replace(" ", "-").replace("'", "")


def _heading() -> Attributes:
    return {"attributes-charset": one(CHARSET, "utf-8"), "attributes-natural-language": one(LANGUAGE, "en")}


def _media(
    width: float, height: float, margins: tuple[float, float, float, float], kind: str, source: str
) -> Attributes:
    left, top, right, bottom = (round(m * 100) for m in margins)
    size = {"x-dimension": one(INTEGER, round(width * 100)), "y-dimension": one(INTEGER, round(height * 100))}
    return {
        "media-size": Typed(COLLECTION, (size,)),
        "media-left-margin": one(INTEGER, left),
        "media-top-margin": one(INTEGER, top),
        "media-right-margin": one(INTEGER, right),
        "media-bottom-margin": one(INTEGER, bottom),
        "media-type": one(KEYWORD, kind),
        "media-source": one(KEYWORD, source),
    }
