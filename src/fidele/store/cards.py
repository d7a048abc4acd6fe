"""Printing conditions on disk: one JSON file each."""

from __future__ import annotations

import io
import zipfile
import zlib
from pathlib import Path

from pydantic import ValidationError

from fidele.apart.ask import outside
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.files import read_bytes, reason, write_bytes
from fidele.icc.profile import LARGEST
from fidele.language import tr
from fidele.route.condition import Card
from fidele.statefile import StateFile, below, complain, printable


class CardStore:
    """Cards in a folder."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def cards(self) -> list[Card]:
        """Return all readable cards by name; damaged ones stay on disk and are told (`statefile.damaged`)."""
        cards = []
        for path in sorted(self.folder.glob("*.json")):
            try:
                cards.append(self._read(path))
                complain(path)
            except FideleError as error:
                complain(path, str(error).rstrip("."))
        return sorted(cards, key=lambda c: c.name.casefold())

    @staticmethod
    def _read(path: Path) -> Card:
        """Read a card. Its file's name is its id: a copy by hand is another card, and never the original."""
        card = card_of(read_bytes(path, 1 << 20), str(path))
        return card if card.id == path.stem else card.model_copy(update={"id": below(path.parent, path.stem).name})

    def read(self, card_id: str) -> Card:
        """Return one card by its id.

        Raises
        ------
        FideleError
            When it is not there, or damaged.
        """
        return self._read(self._path(card_id))

    def kept(self, card_id: str) -> bytes | None:
        """Return what is kept of a card, to notice whether somebody else changed it; None where nothing is."""
        try:
            return read_bytes(self._path(card_id), 1 << 20)
        except FideleError:
            return None

    def snapshot(self) -> tuple[tuple[str, int], ...]:
        """Return names and times of all cards' files, to notice that some changed."""
        found = []
        for path in sorted(self.folder.glob("*.json")):
            try:
                found.append((path.name, path.stat().st_mtime_ns))
            except OSError:  # it went away between the look and the question
                continue
        return tuple(found)

    def save(self, card: Card) -> None:
        """Write a card, whole or not at all; a damaged file in its place is kept aside."""
        StateFile(self._path(card.id), lambda data: card_of(data, card.id), lambda: card).write(
            card.model_dump_json(indent=2).encode()
        )

    def _path(self, card_id: str) -> Path:
        return below(self.folder, card_id, ".json")

    def find(self, name: str) -> Card | None:
        """Return a card by its id, else the one of this name."""
        cards = self.cards()
        return next((c for c in cards if c.id == name), next((c for c in cards if c.name == name), None))

    def remove(self, card_id: str) -> None:
        """Take a card away; one that is not there is no error.

        Raises
        ------
        FideleError
            When the folder cannot be written.
        """
        path = self._path(card_id)
        try:
            path.unlink(missing_ok=True)
        except OSError as error:
            raise FideleError(tr("{path} cannot be removed: {reason}.", path=path, reason=reason(error))) from error


#: What a card and its profile are called in the file that they are sent in.
_CARD, _PROFILE = "condition.json", "profile.icc"


def export_card(card: Card, profile: bytes | None, path: Path) -> None:
    """Write a card with its profile as one zip, readable by anything that opens zips.

    Raises
    ------
    FideleError
        When the file cannot be written.
    """
    memory = io.BytesIO()
    with zipfile.ZipFile(memory, "w", zipfile.ZIP_DEFLATED) as bundle:
        bundle.writestr(_CARD, card.model_dump_json(indent=2))
        if profile is not None:
            bundle.writestr(_PROFILE, profile)
    write_bytes(path, memory.getvalue())


@dataclass(frozen=True)
class Exported:
    """What a file holds that a card was sent in: the card and its profile, and how the file is called."""

    card: Card
    profile: bytes | None
    name: str


def read_export(path: Path) -> Exported:
    """Return the card and the profile in a file that was exported.

    Raises
    ------
    FideleError
        When it is no such file, or damaged.
    """
    text, profile = _packed(path)
    return Exported(card_of(text, str(path)), profile, path.name)


@outside
def _packed(path: Path) -> tuple[bytes, bytes | None]:
    data = read_bytes(path, 2 * LARGEST)
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as bundle:
            names = bundle.namelist()
            if _CARD not in names:
                raise FideleError(tr("{path} holds no printing condition.", path=path))
            with bundle.open(_CARD) as stream:
                text = stream.read(1 << 20)
            profile = None
            if _PROFILE in names:
                with bundle.open(_PROFILE) as stream:
                    profile = stream.read(LARGEST + 1)
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError) as error:
        raise FideleError(tr("{path} is damaged, or no printing condition.", path=path)) from error
    if profile is not None and len(profile) > LARGEST:
        raise FideleError(tr("{path} holds a profile larger than any can be.", path=path))
    return text, profile


@outside
def holds_card(path: Path) -> bool:
    """Tell whether a file is an exported printing condition."""
    try:
        with zipfile.ZipFile(io.BytesIO(read_bytes(path, 2 * LARGEST))) as bundle:
            return _CARD in bundle.namelist()
    except (FideleError, zipfile.BadZipFile, ValueError, EOFError, NotImplementedError):
        return False


def card_of(text: bytes, name: str) -> Card:
    """Return the card in JSON text; `name` is how messages call it.

    Raises
    ------
    FideleError
        When it is none.
    """
    try:
        return Card.model_validate_json(text)
    except ValidationError as error:
        first = error.errors()[0]
        place = printable(".".join(str(p) for p in first["loc"])) or tr("the file")
        raise FideleError(
            tr(
                "The printing condition in {name} cannot be read: {place}: {first}.",
                name=name,
                place=place,
                first=first["msg"].lower(),
            )
        ) from error
