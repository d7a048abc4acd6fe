"""What is done with a case, and what must hold: an answer or one sentence, in time, in bounds, and nothing lost."""

from __future__ import annotations

import json
import random
import shutil
import sqlite3
from collections.abc import Callable
from contextlib import closing, suppress
from dataclasses import dataclass, field
from pathlib import Path

import click

from fidele.apart.ask import usage
from fidele.artwork.open import open_artwork
from fidele.chart.measured_file import read_any
from fidele.cli import cli
from fidele.errors import FideleError
from fidele.icc.describe import describe
from fidele.icc.profile import Profile
from fidele.icc.spaces import srgb
from fidele.icc.transform import Intent, convert
from fidele.papers.leaflet import read_leaflet
from fidele.run.log import export, facts, totals
from fidele.session.customers import read_colours
from fidele.session.model import Session
from fidele.session.places import Places
from fidele.store.cards import card_of, read_export
from fidele.store.parcel import open_parcel
from tests.fuzz.mutate import mutated
from tests.fuzz.seeds import seeds
from tests.known import unpacked

SAMPLE = Path(__file__).parent.parent / "data" / "workshop-0.1.tar.xz"
_MOST = 1 << 30
#: Values that no row of a table was meant to hold.
_STRANGE = [
    None,
    "",
    "x",
    -1,
    10**18,
    float("inf"),
    b"\xff\xfe\0",
    "[]",
    "{}",
    "null",
    "2026-02-31",
    '{"id": 5}',
    "é" * 9,
]
_ODD = [
    "nan",
    "inf",
    "-inf",
    "1e20",
    "-1",
    "0",
    "",
    "5 x 5",
    "120x80mm",
    "\udcff",
    "a" * 300,
    "/dev/full",
    ".",
    "#ffg",
    "1,2",
]
_COMMANDS = (
    "nearest {odd} --to {profile}",
    "nearest #1144aa --to {odd}",
    "convert {picture} --to {profile} --out {out} --ppi {odd}",
    "convert {picture} --to {profile} --out {odd}",
    "convert {picture} --to {profile} --out-dir {out} --name {odd}",
    "losses {picture} --to {profile} --page {odd}",
    "proof {picture} --to {profile} --out {odd}",
    "proof {odd} --to {profile} --out {out}",
    "chart make {odd} --out {out}",
    "chart make quick --out {out} --patch {odd}",
    "chart make quick --out {out} --page {odd}",
    "check {odd} {odd}",
    "profile show {odd}",
    "tune {odd}",
    "{odd} {odd}",
)


@dataclass
class Fuzz:
    """A workshop of the earlier version to work on, sound files of every kind, and what went wrong."""

    folder: Path
    found: list[str] = field(default_factory=list)

    def __post_init__(self) -> None:
        unpacked(SAMPLE, self.folder / "sample")
        self.workshop = self.folder / "sample" / "workshop"
        self.seeds = seeds(self.workshop, self.folder / "sample" / "parcel.condition.zip")
        self.profile = self.folder / "to.icc"
        self.profile.write_bytes(self.seeds["profile"][-1][1])
        self.picture = self.folder / "sound.png"
        self.picture.write_bytes(self.seeds["picture"][0][1])
        self.targets: dict[str, Callable[[random.Random, Path], None]] = {
            "picture": self._file("picture", lambda p: open_artwork(p, Profile.open(self.profile))),
            "measured": self._file("measured", lambda p: (read_any(p), read_colours(p))),
            "profile": self._file("profile", as_profile),
            "packed": self._file("packed", open_parcel),
            "leaflet": self._file("leaflet", lambda p: read_leaflet(p.name, p.read_bytes())),
            "parcel": self._file("parcel", read_export),
            "card": self._file("card", lambda p: card_of(p.read_bytes(), p.name)),
            "state": self._state,
            "rows": self._rows,
            "pages": self._pages,
            "command": self._command,
        }

    def case(self, number: int, kind: str) -> None:
        """Do one case, known by its number and kind; AssertionError where something does not hold."""
        rng = random.Random(f"{kind} {number}")
        folder = self.folder / "case"
        shutil.rmtree(folder, ignore_errors=True)
        folder.mkdir()
        usage.peak = 0
        self.targets[kind](rng, folder)
        assert usage.peak < _MOST, f"{usage.peak >> 20} MiB in a child"

    def _file(self, kind: str, call: Callable[[Path], object]) -> Callable[[random.Random, Path], None]:
        def run(rng: random.Random, folder: Path) -> None:
            name, data = rng.choice(self.seeds[kind])
            path = folder / name
            path.write_bytes(mutated(data, rng.choice(self.seeds[kind])[1], rng))
            _one_sentence(lambda: call(path))

        return run

    def _open(self, folder: Path) -> None:
        """Open the workshop as the window does, look at all runs, and keep something."""
        session = Session(Places.under(folder))
        runs = session.logbook.everything()
        for run in runs:
            facts(run)
        totals(runs)
        export(runs, folder / "runs.json")
        session.queue.entries()
        for said in session.damaged():
            assert "\n" not in said
        session.customers.add("Tern", "#112233")
        if (card := session.card) is not None:
            session.cards.save(card)
        Session(Places.under(folder))

    def _copy(self, folder: Path) -> Path:
        shutil.copytree(self.workshop, folder / "w", ignore=shutil.ignore_patterns("icc", "artwork", "downloads"))
        return folder / "w"

    def _state(self, rng: random.Random, folder: Path) -> None:
        here = self._copy(folder)
        kept = sorted(p for p in here.rglob("*.json") if "bench" not in p.parts)
        path = rng.choice(kept)
        data = mutated(path.read_bytes(), rng.choice(kept).read_bytes(), rng)
        path.write_bytes(data)
        _one_sentence(lambda: self._open(here))
        held = [p.read_bytes() for p in here.rglob("*") if p.is_file() and path.name in p.name]
        changed = path.name in ("customer-colours.json",) or path.parent.name == "conditions"
        assert data in held or changed, f"{path.name} is lost"

    def _rows(self, rng: random.Random, folder: Path) -> None:
        here = self._copy(folder)
        with closing(sqlite3.connect(here / "logbook.sqlite")) as db, db:
            for _ in range(rng.choice((1, 3))):
                table = rng.choice(("run", "run", "run", "verdict", "photo", "profile"))
                names = [r[1] for r in db.execute(f"PRAGMA table_info({table})") if r[1] not in ("id", "run")]
                try:
                    query = f"UPDATE {table} SET {rng.choice(names)} = ? WHERE rowid % 2 = ?"
                    db.execute(query, (rng.choice(_STRANGE), rng.randrange(2)))
                except (sqlite3.IntegrityError, OverflowError):
                    continue
            count = db.execute("SELECT COUNT(*) FROM run").fetchone()
        self._open(here)
        with closing(sqlite3.connect(here / "logbook.sqlite")) as db:
            assert db.execute("SELECT COUNT(*) FROM run").fetchone() == count

    def _pages(self, rng: random.Random, folder: Path) -> None:
        here = self._copy(folder)
        path = here / "logbook.sqlite"
        data = bytearray(path.read_bytes())
        for _ in range(rng.choice((1, 2, 5))):
            at = rng.randrange(0, len(data), 512)
            data[at : at + 512] = rng.choice((bytes(512), rng.randbytes(512), data[:512]))
        if rng.random() < 0.3:
            del data[rng.randrange(len(data)) :]
        path.write_bytes(data)
        _one_sentence(lambda: self._open(here))

    def _command(self, rng: random.Random, folder: Path) -> None:
        words = rng.choice(_COMMANDS).split()
        fixed = {"{profile}": self.profile, "{picture}": self.picture, "{out}": folder / "out"}
        arguments = [str(fixed[w]) if w in fixed else rng.choice(_ODD) if w == "{odd}" else w for w in words]
        with suppress(click.ClickException, click.exceptions.Exit, SystemExit):
            _one_sentence(lambda: cli(arguments, standalone_mode=False))
        assert self.picture.read_bytes() == self.seeds["picture"][0][1]


def as_profile(path: Path) -> None:
    profile = Profile.open(path)
    what = describe(profile)
    json.dumps(str(what))
    if what.usable_as_output:
        import numpy as np

        convert(np.linspace(0, 1, 30, dtype=np.float32).reshape(-1, 3), srgb(), profile, Intent.RELATIVE)


def _one_sentence(call: Callable[[], object]) -> None:
    try:
        call()
    except FideleError as error:
        said = str(error)
        assert 0 < len(said) < 2000, len(said)
        assert "\n" not in said, repr(said)
        assert "Traceback" not in said, repr(said)
