"""A fault report: versions, log and the state of the devices in one file; no artwork, no logbook."""

from __future__ import annotations

import io
import json
import zipfile
from pathlib import Path

from fidele.errors import FideleError
from fidele.files import write_bytes
from fidele.language import tr
from fidele.logs import log_files
from fidele.session.model import Session
from fidele.values import Document, Json
from fidele.versions import versions


def write_report(session: Session, path: Path) -> None:
    """Write a fault report as a zip.

    Raises
    ------
    FideleError
        When it cannot be written.
    """
    memory = io.BytesIO()
    with zipfile.ZipFile(memory, "w", zipfile.ZIP_DEFLATED) as bundle:
        bundle.writestr("versions.json", json.dumps(versions(), indent=1))
        bundle.writestr("devices.json", json.dumps(_devices(session), indent=1, ensure_ascii=False, default=str))
        for file in log_files(session.places.state):
            bundle.write(file, f"log/{file.name}")
    write_bytes(path, memory.getvalue())
    session.say(
        tr(
            "Versions, log and the state of the devices are in {path}; no artwork, and nothing of the logbook.",
            path=path,
        )
    )


def _devices(session: Session) -> Document:
    """Return what is known of the route in force and of each printer."""
    state, printers = session.state, dict[str, Json]()
    for printer in session.devices.printers:
        try:
            printers[printer.id] = {"name": printer.name, "settings": {**printer.settings()}}
        except FideleError as error:
            printers[printer.id] = {"name": printer.name, "settings": str(error)}
    return {
        "condition": json.loads(state.card.model_dump_json()) if state.card is not None else None,
        "layers": [f"{x.name}: {x.how} ({x.evidence.value})" for x in state.chain.layers] if state.chain else [],
        "settings": [
            tr("{label}: {found}, wanted {wanted}", label=r.label, found=r.found, wanted=r.wanted)
            for r in state.route.rows
        ],
        "findings": [f"{f.weight} {f.code}: {f.title}" for f in state.findings],
        "printers": printers,
        "scanner": session.devices.scanner_name,
    }
