"""Printing conditions on disk: one JSON file each."""

from __future__ import annotations

from pathlib import Path

from pydantic import ValidationError

from fidele.errors import FideleError
from fidele.files import read_bytes, reason, write_bytes
from fidele.route.condition import Card


class CardStore:
    """Cards in a folder."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def cards(self) -> list[Card]:
        """Return all readable cards by name; damaged ones stay on disk and are left out (see `damaged`)."""
        cards = []
        for path in sorted(self.folder.glob("*.json")):
            try:
                cards.append(self._read(path))
            except FideleError:
                continue
        return sorted(cards, key=lambda c: c.name.casefold())

    def damaged(self) -> list[str]:
        """Return a sentence for each card that cannot be read."""
        sentences = []
        for path in sorted(self.folder.glob("*.json")):
            try:
                self._read(path)
            except FideleError as error:
                sentences.append(str(error))
        return sentences

    @staticmethod
    def _read(path: Path) -> Card:
        try:
            return Card.model_validate_json(read_bytes(path, 1 << 20))
        except ValidationError as error:
            first = error.errors()[0]
            place = ".".join(str(p) for p in first["loc"]) or "the file"
            raise FideleError(
                f"The printing condition in {path} cannot be read: {place}: {first['msg'].lower()}."
            ) from error

    def save(self, card: Card) -> None:
        """Write a card, whole or not at all."""
        write_bytes(self.folder / f"{card.id}.json", card.model_dump_json(indent=2).encode())

    def remove(self, card_id: str) -> None:
        """Take a card away; one that is not there is no error.

        Raises
        ------
        FideleError
            When the folder cannot be written.
        """
        path = self.folder / f"{card_id}.json"
        try:
            path.unlink(missing_ok=True)
        except OSError as error:
            raise FideleError(f"{path} cannot be removed: {reason(error)}.") from error
