"""Jobs on disk: one JSON file each, and which of them is in hand."""

from __future__ import annotations

import datetime
import io
import zipfile
from pathlib import Path

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from fidele.artwork.replace import Replacement
from fidele.errors import FideleError
from fidele.files import read_bytes, write_bytes
from fidele.language import tr
from fidele.route.condition import Id, Kept, Moment
from fidele.sheet.page import Behind
from fidele.sheet.panels import Area
from fidele.sheet.placing import Placing
from fidele.sheet.shapes import Shape
from fidele.statefile import StateFile, below, complain
from fidele.tuning.model import Tuning

_LARGEST = 16 << 20
#: What a job and its pictures are called in the file that it is sent in; pictures of more than this are not taken in.
_JOB, _FOLDER, _LARGEST_PICTURE = "job.json", "artwork", 2 << 30


class KeptCopy(BaseModel):
    """Where one copy lies."""

    model_config = ConfigDict(defer_build=True, frozen=True)
    placing: Placing
    page: int = 0
    locked: bool = False


class KeptPanels(BaseModel):
    """How a piece is split into panels."""

    model_config = ConfigDict(defer_build=True, frozen=True)
    overlap: float = 10.0
    columns: int = 0
    rows: int = 0
    largest: tuple[float, float] = (0.0, 0.0)
    keep_clear: tuple[Area, ...] = ()
    skip: tuple[str, ...] = ()
    across: tuple[float, ...] = ()
    down: tuple[float, ...] = ()


class KeptPicture(BaseModel):
    """A picture of a job as it was worked on; `source` and `slip` say what it was taken for where nothing states it."""

    model_config = ConfigDict(defer_build=True, frozen=True)
    number: int
    artwork: Path
    artwork_page: int = 0
    sha256: str = ""
    source: str = ""
    slip: str = ""
    replacements: tuple[Replacement, ...] = ()
    mirrored: bool = False
    tuning: Tuning | None = None
    keep: str = ""
    copies: tuple[KeptCopy, ...] = ()
    sheet: int = 0
    card: str = ""
    blank: str = ""
    behind: Behind | None = None
    shape: Shape = "rectangle"
    panels: KeptPanels | None = None
    #: Digest of the chart that it is, '' for a picture; which page of it, and whether nothing is to convert it.
    chart: str = ""
    chart_page: int = 0
    bare: bool = False


class JobRecord(Kept):
    """A job: its pictures as they are worked on and laid out, its condition, whose it is."""

    version: int = 1
    id: Id
    name: str
    customer: str = ""
    made: Moment
    changed: Moment
    archived: bool = False
    card: str = ""
    shown: int = 0
    pictures: tuple[KeptPicture, ...] = Field(default=())

    @property
    def title(self) -> str:
        """Name, and whose it is."""
        return f"{self.name}, {self.customer}" if self.customer else self.name


class JobStore:
    """The jobs of a workshop."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._current = StateFile(folder / "in-hand.txt", lambda data: data.decode().strip(), str)

    def all(self) -> list[JobRecord]:
        """Return all readable jobs, the last changed first; damaged ones stay on disk and are told."""
        found = []
        for path in sorted(self.folder.glob("*.json")):
            try:
                found.append(_parsed(read_bytes(path, _LARGEST), str(path)))
                complain(path)
            except FideleError as error:
                complain(path, str(error).rstrip("."))
        return sorted(found, key=lambda j: (j.changed, j.id), reverse=True)

    def read(self, job_id: str) -> JobRecord:
        """Return a job.

        Raises
        ------
        FideleError
            When it is not there, or damaged.
        """
        path = below(self.folder, job_id, ".json")
        return _parsed(read_bytes(path, _LARGEST), str(path))

    def fresh(self) -> str:
        """Return an id that no job has."""
        day = f"{datetime.date.today():%Y%m%d}"
        return next(i for n in range(1, 100_000) if not (self.folder / f"{(i := f'{day}-{n}')}.json").exists())

    def save(self, job: JobRecord) -> None:
        """Write a job, whole or not at all; a damaged file in its place is kept aside.

        Raises
        ------
        FideleError
            When the folder cannot be written.
        """
        path = below(self.folder, job.id, ".json")
        file = StateFile(path, lambda data: _parsed(data, str(path)), lambda: job, _LARGEST)
        file.write(job.model_dump_json(indent=1).encode())

    @property
    def in_hand(self) -> str:
        """Id of the job in hand, '' for none."""
        return self._current.read()

    def take_in_hand(self, job_id: str) -> None:
        """Note which job is in hand."""
        self._current.write(job_id.encode())


def _parsed(data: bytes, name: str) -> JobRecord:
    try:
        return JobRecord.model_validate_json(data)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(map(str, first["loc"])) or tr("all of it")
        raise FideleError(
            tr("The job {name} is damaged ({where}: {first}).", name=name, where=where, first=first["msg"].lower())
        ) from error


def export_job(job: JobRecord, path: Path, with_artwork: bool) -> None:
    """Write a job as one zip that anything opens: its JSON, and its pictures or where they lie.

    Raises
    ------
    FideleError
        When a picture cannot be read, or the file cannot be written.
    """
    memory = io.BytesIO()
    with zipfile.ZipFile(memory, "w", zipfile.ZIP_DEFLATED) as bundle:
        names: dict[Path, str] = {}
        pictures = []
        for one in job.pictures:
            if with_artwork and not one.chart:
                if one.artwork not in names:
                    taken = set(names.values())
                    plain = one.artwork.name
                    free = (plain, *(f"{n} {plain}" for n in range(2, 1000)))
                    names[one.artwork] = next(n for n in free if f"{_FOLDER}/{n}" not in taken)
                    names[one.artwork] = f"{_FOLDER}/{names[one.artwork]}"
                    bundle.writestr(names[one.artwork], read_bytes(one.artwork, _LARGEST_PICTURE))
                one = one.model_copy(update={"artwork": Path(names[one.artwork])})  # noqa: PLW2901
            pictures.append(one)
        sent = job.model_copy(update={"pictures": tuple(pictures)})
        bundle.writestr(_JOB, sent.model_dump_json(indent=1))
    write_bytes(path, memory.getvalue())


def is_job(path: Path) -> bool:
    """Tell whether a zip is a job that was exported."""
    try:
        with zipfile.ZipFile(path) as bundle:
            return _JOB in bundle.namelist()
    except (OSError, zipfile.BadZipFile):
        return False


def take_in_job(path: Path, store: JobStore, folder: Path) -> JobRecord:
    """Take in a job that somebody exported: its pictures are put below a folder, and it gets an id of its own.

    Raises
    ------
    FideleError
        When it is no such file, is damaged, or its pictures lead elsewhere or are too large.
    """
    try:
        with zipfile.ZipFile(path) as bundle:
            sizes = {i.filename: i.file_size for i in bundle.infolist()}
            if _JOB not in sizes or sizes[_JOB] > _LARGEST:
                raise FideleError(tr("{name} is no job that was exported.", name=path.name))
            job = _parsed(bundle.read(_JOB), path.name)
            job = job.model_copy(update={"id": store.fresh(), "archived": False})
            pictures = []
            for one in job.pictures:
                inside = one.artwork.as_posix()
                if inside.startswith(f"{_FOLDER}/"):
                    if inside not in sizes or sizes[inside] > _LARGEST_PICTURE:
                        raise FideleError(
                            tr("{name} lacks {name2}, or it is too large.", name=path.name, name2=one.artwork.name)
                        )
                    there = below(folder / job.id, one.artwork.stem, one.artwork.suffix)
                    write_bytes(there, bundle.read(inside))
                    one = one.model_copy(update={"artwork": there})  # noqa: PLW2901
                pictures.append(one)
    except (OSError, zipfile.BadZipFile, RuntimeError, NotImplementedError, EOFError) as error:
        raise FideleError(tr("{name} cannot be read as a job: it is damaged, or locked.", name=path.name)) from error
    made = job.model_copy(update={"pictures": tuple(pictures)})
    store.save(made)
    return made
