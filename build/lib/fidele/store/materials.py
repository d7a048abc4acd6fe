"""What a workshop works with and no driver knows: inks, papers, pieces and processes of its own, by name."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Literal

from pydantic import Field, TypeAdapter

from fidele.language import tr
from fidele.route.condition import Kept, PressData
from fidele.statefile import StateFile

Kind = Literal["ink", "media", "substrate", "process"]
#: What people call each, one of it.
KINDS: dict[str, str] = {"ink": tr("Ink"), "media": tr("Paper"), "substrate": tr("Piece"), "process": tr("Process")}


class Material(Kept):
    """An ink, a paper, a piece to press on, or a process.

    `lot` is the one in use; `press`, `pressed` and `seen_from` are those of a process.
    """

    kind: Kind
    name: str = Field(min_length=1, max_length=120)
    lot: str = Field(default="", max_length=60)
    notes: str = Field(default="", max_length=2000)
    pressed: Literal["transfer", "direct"] = "transfer"
    seen_from: Literal["front", "back"] = "front"
    press: PressData = Field(default_factory=lambda: PressData())


_ALL = TypeAdapter(tuple[Material, ...])


class Materials:
    """The materials of a workshop, in one small file."""

    def __init__(self, path: Path) -> None:
        self._file = StateFile[tuple[Material, ...]](path, lambda data: _ALL.validate_json(data), tuple)
        self._every = self._file.read()

    def all(self, kind: str = "") -> tuple[Material, ...]:
        """Return every material, or those of a kind, by name."""
        found = (m for m in self._every if kind in ("", m.kind))
        return tuple(sorted(found, key=lambda m: (list(KINDS).index(m.kind), m.name.casefold())))

    def find(self, kind: str, name: str) -> Material | None:
        """Return a material by kind and name."""
        return next((m for m in self._every if (m.kind, m.name) == (kind, name)), None)

    def keep(self, made: Material) -> None:
        """Keep a material; one of the same kind and name gives way."""
        self._write((*(m for m in self._every if (m.kind, m.name) != (made.kind, made.name)), made))

    def remove(self, kind: str, name: str) -> None:
        """Forget a material; conditions and runs that name it keep its name."""
        self._write(tuple(m for m in self._every if (m.kind, m.name) != (kind, name)))

    def _write(self, every: tuple[Material, ...]) -> None:
        kept = [m.model_dump(mode="json") for m in every]
        self._file.write(json.dumps(kept, indent=1, ensure_ascii=False).encode())
        self._every = every
