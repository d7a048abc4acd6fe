"""Many files converted at once: looked at first, asked about once, and told of one by one in a report."""

from __future__ import annotations

import csv
import datetime
import io
import os
from collections.abc import Callable, Iterable, Iterator, Mapping
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from fidele.artwork.convert_files import NAME, Order, convert_file, named
from fidele.artwork.lay import over_white
from fidele.artwork.open import ENDINGS, Suppose, open_artwork
from fidele.artwork.picture import Artwork, SourceSlip
from fidele.artwork.stream import is_large
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.files import write_bytes
from fidele.icc.profile import Profile
from fidele.icc.transform import white_of
from fidele.language import tr, trn
from fidele.proof.soft import as_sent
from fidele.session.live import Live
from fidele.session.person import person
from fidele.session.sources import Sources, Supposing
from fidele.tiles import CancelledError, Progress

#: The longer side of a small picture, and how many files are looked for in folders.
_SIDE, _MOST = 88, 5000
#: What the report is called.
REPORT = tr("conversion report.csv")


@dataclass(frozen=True, eq=False)
class Listed:
    """A picture of a batch.

    Attributes
    ----------
    space
        What its colours are taken for, in words.
    open
        Kind of values ('RGB', 'GRAY', 'CMYK') where nothing says what they mean: a person must; '' where it is known.
    small
        (h, w, 3) for the screen, None where it could not be opened: `problem` says why.
    """

    path: Path
    size: str = ""
    space: str = ""
    open: str = ""
    small: NDArray[np.uint8] | None = None
    problem: str = ""


@dataclass(frozen=True)
class Done:
    """What became of a picture: where it was written, '' where it was not, and what is to be known of it."""

    path: Path
    to: str
    space: str
    said: str


def pictures_in(paths: Iterable[Path]) -> list[Path]:
    """Return the pictures among files and in folders with all that is in them, each once, by their names."""
    found: dict[Path, None] = {}
    for path in paths:
        for one in sorted(_under(path)) if path.is_dir() else [path]:
            found[one.absolute()] = None
            if len(found) > _MOST:
                raise FideleError(
                    tr("{path} holds more than {most:,} pictures: choose a smaller folder.", path=path, most=_MOST)
                )
    return list(found)


def _under(folder: Path) -> Iterator[Path]:
    for root, folders, names in os.walk(folder):
        folders[:] = sorted(f for f in folders if not f.startswith("."))
        yield from (Path(root) / n for n in names if not n.startswith(".") and Path(n).suffix.lower() in ENDINGS)


class Batch:
    """The batch of a session: its pictures, the open questions with their answers, and what became of each."""

    def __init__(self, live: Live, sources: Sources) -> None:
        self._live, self._sources = live, sources
        self.listed: tuple[Listed, ...] = ()
        #: Key of the space that pictures of a kind without one are taken for; '' leaves them out, None is not decided.
        self.answers: dict[str, str | None] = {}
        self.done: dict[Path, Done] = {}
        self._unwritten = ""

    def questions(self) -> dict[str, int]:
        """Return the kinds of values that nothing says the meaning of, each with the number of its pictures."""
        kinds = [one.open for one in self.listed if one.open]
        return {kind: kinds.count(kind) for kind in dict.fromkeys(kinds)}

    @property
    def ready(self) -> bool:
        """Whether there is something to convert and every question is answered."""
        return bool(self.convertible()) and all(self.answers.get(kind) is not None for kind in self.questions())

    def convertible(self) -> list[Listed]:
        """Return the pictures that can be converted by the answers so far."""
        return [one for one in self.listed if not one.problem and (not one.open or self.answers.get(one.open) != "")]

    def clear(self) -> None:
        """Begin anew."""
        self.listed, self.answers, self.done = (), {}, {}

    def leave_out(self, paths: Iterable[Path]) -> None:
        """Take pictures off the list; the files stay."""
        gone = set(paths)
        self.listed = tuple(one for one in self.listed if one.path not in gone)

    def answer(self, kind: str, key: str | None) -> None:
        """Say what pictures of a kind that state nothing are taken for: the key of a space, '' to leave them out."""
        self.answers[kind] = key

    def looking(self, paths: Iterable[Path]) -> Callable[[Progress], tuple[Listed, ...]]:
        """Return the work of looking at pictures and folders, beside the interface."""
        every, supposing = list(paths), self._sources.supposing()
        there = {one.path for one in self.listed}

        def work(progress: Progress) -> tuple[Listed, ...]:
            new = [path for path in pictures_in(every) if path not in there]
            found = []
            for number, path in enumerate(new):
                if not progress(number / len(new)):
                    raise CancelledError
                found.append(_looked_at(path, supposing))
            return tuple(found)

        return work

    def take(self, found: tuple[Listed, ...]) -> None:
        """Put pictures that were looked at on the list."""
        self.listed = (*self.listed, *found)
        refused = sum(bool(one.problem) for one in found)
        words = (
            tr("{n} pictures are on the list", n=len(found)) if len(found) != 1 else tr("One picture is on the list")
        )
        self._live.say(
            tr("{words}; {refused} of them cannot be opened.", words=words, refused=refused)
            if refused
            else tr("{words}.", words=words)
        )

    def converting(self, order: Order, folder: Path, name: str = NAME) -> Callable[[Progress], list[Done]]:
        """Return the work of converting what is on the list into a folder, with a report beside the files.

        One that fails keeps no other from it; cancelled, what was written stays, and the report tells of that.

        Raises
        ------
        FideleError
            When a question is open, or two files would get one name.
        """
        if not self.ready:
            raise FideleError(tr("Say first what the pictures that state no colour space are taken for."))
        chosen = self.convertible()
        targets = _targets([one.path for one in chosen], folder, name)
        supposing, answers = self._sources.supposing(), self._answers()
        left = [one for one in self.listed if one not in chosen]

        def work(progress: Progress) -> list[Done]:
            out = [
                Done(one.path, "", one.space, one.problem or tr("left out: it states no colour space")) for one in left
            ]
            try:
                for number, one in enumerate(chosen):
                    share = _part(progress, number, len(chosen))
                    suppose = _answering(one.path, supposing.of(one.path), answers)
                    out.append(_converted(one, targets[one.path], order, suppose, share))
            except CancelledError:
                rest = chosen[len(out) - len(left) :]
                out += [Done(one.path, "", one.space, tr("not converted: cancelled")) for one in rest]
                write_bytes(folder / REPORT, report(out, order))
                raise
            try:
                write_bytes(folder / REPORT, report(out, order))
            except FideleError as error:  # what was converted is told all the same
                self._unwritten = tr(" The report is missing: {error}", error=error)
            return out

        self._unwritten = ""
        return work

    def _answers(self) -> dict[str, tuple[Profile, SourceSlip]]:
        found = {}
        for kind, key in self.answers.items():
            space = self._sources.space(kind, key) if key else None
            if space is not None:
                words = tr(
                    "{title}: the file states nothing, and {person} said so for all that state nothing",
                    title=space.title,
                    person=person(),
                )
                found[kind] = (space.load(), SourceSlip("chosen", words))
        return found

    def took(self, done: list[Done], folder: Path) -> None:
        """Keep what became of each picture, and say it in short."""
        self.done = {one.path: one for one in done}
        written = sum(bool(one.to) for one in done)
        left = len(done) - written
        rest = trn("; {left} was not, see the list", "; {left} were not, see the list", left, left=left) if left else ""
        tells = self._unwritten.strip() or tr("{report} in {folder} tells of each.", report=REPORT, folder=folder)
        self._live.say(
            tr(
                "{written} of {n} pictures are converted{rest}. {tells}",
                written=written,
                n=len(done),
                rest=rest,
                tells=tells,
            )
        )


def _targets(paths: list[Path], folder: Path, name: str) -> dict[Path, Path]:
    """Return where each picture goes; those of one name in several folders are told apart by a number."""
    if "{name}" not in name:
        return named(paths, folder, name)  # which refuses what would become one file
    targets: dict[Path, Path] = {}
    taken: set[Path] = set()
    for path in paths:
        (to,) = named([path], folder, name).values()
        free = (to.with_stem(f"{to.stem} ({n})") if n > 1 else to for n in range(1, len(paths) + 2))
        targets[path] = next(one for one in free if one not in taken)
        taken.add(targets[path])
    return targets


def _part(progress: Progress, number: int, count: int) -> Progress:
    return lambda share: progress((number + share) / count)


def _answering(path: Path, suppose: Suppose, answers: Mapping[str, tuple[Profile, SourceSlip]]) -> Suppose:
    """Return what answers for a file: a rule of the house, then what a person said for the batch; never a guess."""

    def ask(kind: str) -> tuple[Profile, SourceSlip] | None:
        try:
            known = suppose(kind)
        except FideleError:
            known = None
        if known is not None and known[1].rule:
            return known
        if kind not in answers:
            raise FideleError(
                tr("{name} states no colour space, and nobody said which it is: left out.", name=path.name)
            )
        return answers[kind]

    return ask


def _looked_at(path: Path, supposing: Supposing) -> Listed:
    try:
        if path.suffix.lower() in (".tif", ".tiff") and is_large(path, None):
            return Listed(path, tr("large: converted in strips"), tr("as the file states it"))
        found = open_artwork(path, suppose=supposing.of(path))
    except FideleError as error:
        return Listed(path, problem=str(error))
    kind = found.profile.header.colour_space.strip()
    asked = kind if found.slip.kind == "supposed" and not found.slip.rule and not found.drawing else ""
    space = f"{found.slip.words}" if not asked else tr("states no colour space")
    if found.page < 0:
        pages = tr("has {pages} pages: open it and choose one", pages=found.pages)
        return Listed(path, _size(found), space, "", _small(found), f"{path.name} {pages}.")
    return Listed(path, _size(found), space, asked, _small(found))


def _size(found: Artwork) -> str:
    return tr("{width} x {height} pixels", width=found.width, height=found.height)


def _small(found: Artwork) -> NDArray[np.uint8]:
    step = max(1, max(found.pixels.shape[:2]) // _SIDE)
    pixels = np.ascontiguousarray(found.pixels[::step, ::step])
    alpha = None if found.alpha is None else np.ascontiguousarray(found.alpha[::step, ::step])
    return as_sent(over_white(pixels, alpha, white_of(found.profile, pixels.dtype)), found.profile)


def _converted(one: Listed, to: Path, order: Order, suppose: Suppose, share: Progress) -> Done:
    try:
        picture = convert_file(one.path, to, order, suppose, progress=share)
    except FideleError as error:
        return Done(one.path, "", one.space, str(error))
    return Done(one.path, str(to), picture.slip.words, "converted")


def report(done: Iterable[Done], order: Order) -> bytes:
    """Return the report as a table (CSV, UTF-8): each file, where it went, what its colours were taken for, and why."""
    out = io.StringIO()
    rows = csv.writer(out)
    now = datetime.datetime.now().isoformat(timespec="seconds")
    rows.writerow(
        [
            tr("picture"),
            tr("written as"),
            tr("taken for"),
            tr("result"),
            tr("for {condition}, {now}", condition=order.condition or tr("a profile"), now=now),
        ]
    )
    rows.writerows([str(one.path), one.to, one.space, one.said, ""] for one in done)
    return out.getvalue().encode()
