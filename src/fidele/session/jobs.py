"""Jobs in the session: the work in hand saves itself, is listed, and is opened again exactly as it was."""

from __future__ import annotations

import datetime
import threading
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path

from fidele.artwork.open import open_artwork
from fidele.artwork.picture import Artwork, SourceSlip
from fidele.artwork.replace import worked
from fidele.chart.definition import Chart
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.files import stamp_of
from fidele.icc.profile import Profile
from fidele.language import tr
from fidele.route.condition import Card
from fidele.run.chart_page import chart_page, visual_chart
from fidele.run.kept import Sources as KeptSources
from fidele.run.kept import file_hash
from fidele.session.in_force import InForce
from fidele.session.live import Live
from fidele.session.news import ConditionsChanged, JobsChanged, News
from fidele.session.piece import Copy, PanelPlan, Piece
from fidele.session.state import PiecesChanged, Touched
from fidele.store.cards import CardStore
from fidele.store.jobs import JobRecord, JobStore, KeptCopy, KeptPanels, KeptPicture, export_job, take_in_job
from fidele.tiles import CancelledError, Progress

#: Seconds for which changes are gathered before they are written.
_REST = 0.3
#: So many folders are searched for a picture that has moved.
_FOLDERS = 400


@dataclass(frozen=True)
class Opened:
    """A job that was read: its pictures, and a sentence for each that cannot be had or is another one now."""

    job: JobRecord
    pieces: tuple[Piece, ...]
    shown: int
    said: tuple[str, ...]


class Jobs:
    """The jobs of a session; the one in hand follows every change once `follow` was called."""

    def __init__(
        self,
        live: Live,
        in_force: InForce,
        cards: CardStore,
        sources: Callable[[], KeptSources],
        folder: Path,
        pictures: Path,
    ) -> None:
        self._live, self._in_force, self._cards, self._sources = live, in_force, cards, sources
        self.store, self._pictures = JobStore(folder), pictures
        #: The job in hand, None while nothing is.
        self.current: JobRecord | None = None
        self._writer: _Writer | None = None
        self._taking = False

    # Following ---------------------------------------------------------------------------------------------------

    def follow(self) -> None:
        """Save the work in hand from now on, beside the interface."""
        if self._writer is None:
            self._writer = _Writer(self.store, self._live.say)
            self._live.listen(self._heard)

    def stop(self) -> None:
        """Write what is left to write."""
        if self._writer is not None:
            self._writer.end()
            self._writer = None

    def settled(self, seconds: float = 5.0) -> bool:
        """Wait until everything is written; False where that took too long."""
        return self._writer is None or self._writer.settled(seconds)

    def _heard(self, news: News) -> None:
        if self._writer is None or self._taking:
            return
        dragged = isinstance(news, PiecesChanged) and news.touched is Touched.DRAGGED
        if (isinstance(news, PiecesChanged) and not dragged) or isinstance(news, ConditionsChanged):
            self._note()

    def _note(self) -> None:
        state = self._live.state
        if self.current is None:
            if not state.pieces:
                return
            first = state.pieces[0]
            name = first.chart.title if first.chart is not None else first.opened.path.stem
            self.current = self.fresh(name)
            self._hold(self.current.id)
        self._keep(self.current, changed=True)

    def _hold(self, job_id: str) -> None:
        try:
            self.store.take_in_hand(job_id)
        except FideleError as error:
            self._live.warn(str(error))

    def _keep(self, job: JobRecord, changed: bool = False) -> None:
        state = self._live.state
        update: dict[str, object] = {"card": state.card.id if state.card is not None else job.card}
        if changed:
            update |= {"changed": _now(), "shown": state.current}
        self.current = job.model_copy(update=update)
        if self._writer is not None:
            self._writer.write(self.current, state.pieces)

    def fresh(self, name: str) -> JobRecord:
        """Return a new job without pictures."""
        now = _now()
        return JobRecord(id=self.store.fresh(), name=name, made=now, changed=now)

    # Naming and listing ------------------------------------------------------------------------------------------

    def all(self, archived: bool = False) -> list[JobRecord]:
        """Return the jobs that are kept, the last changed first; those that are archived only where asked for."""
        kept = {j.id: j for j in self.store.all()}
        if self.current is not None:  # its file may be a moment behind
            pictures = kept[self.current.id].pictures if self.current.id in kept else ()
            kept[self.current.id] = self.current.model_copy(update={"pictures": pictures})
        listed = sorted(kept.values(), key=lambda j: (j.changed, j.id), reverse=True)
        return [j for j in listed if archived or not j.archived]

    def name(self, job_id: str, name: str, customer: str) -> None:
        """Name a job, and say whose it is, as a step that can be undone.

        Raises
        ------
        FideleError
            When it has no name.
        """
        if not name.strip():
            raise FideleError(tr("A job needs a name."))
        self._change(job_id, tr("Name the job"), name=name.strip(), customer=customer.strip())

    def archive(self, job_id: str, yes: bool = True) -> None:
        """Put a job into the archive, or take it out again, as a step that can be undone."""
        self._change(job_id, tr("Archive the job") if yes else tr("Take the job out of the archive"), archived=yes)

    def _change(self, job_id: str, what: str, **changes: object) -> None:
        self.settled()
        job = self._of(job_id)
        before = {key: getattr(job, key) for key in changes}

        def apply(values: dict[str, object]) -> None:
            changed = self._of(job_id).model_copy(update=values)
            if self.current is not None and self.current.id == job_id:
                self.current = self.current.model_copy(update=values)
                self._keep(self.current)
                self.settled()
            else:
                self.store.save(changed)
            self._live.tell(JobsChanged())

        self._live.history.do(what, lambda: apply(changes), lambda: apply(before))

    def _of(self, job_id: str) -> JobRecord:
        if self.current is not None and self.current.id == job_id:
            return self.current
        return self.store.read(job_id)

    def duplicate(self, job_id: str) -> JobRecord:
        """Make a job that is much like another one; return it."""
        self.settled()
        now = _now()
        old = self.store.read(job_id)
        update = {
            "id": self.store.fresh(),
            "name": tr("{name}, copy", name=old.name),
            "made": now,
            "changed": now,
            "archived": False,
        }
        made = old.model_copy(update=update)
        self.store.save(made)
        self._live.tell(JobsChanged())
        return made

    def export(self, job_id: str, path: Path, with_artwork: bool = True) -> None:
        """Write a job as one file, its pictures in it or named. Can run beside the interface."""
        self.settled()
        export_job(self.store.read(job_id), path, with_artwork)

    def take_in(self, path: Path) -> JobRecord:
        """Take in a job that somebody exported. Can run beside the interface."""
        return take_in_job(path, self.store, self._pictures)

    # Opening -----------------------------------------------------------------------------------------------------

    def new(self) -> None:
        """Begin with nothing in hand; the job that was in hand is kept as it is."""
        self.settled()
        self._put(None, (), 0)
        self._live.say(tr("A new job: open its pictures, or drop them. The one before is kept under “Jobs”."))

    def opening(self, job_id: str) -> Callable[[Progress], Opened]:
        """Return the work of reading a job and its pictures, beside the interface."""
        self.settled()
        sources, cards = self._sources(), self._cards

        def work(progress: Progress) -> Opened:
            job = self.store.read(job_id)
            return _opened(job, sources, cards.find(job.card) if job.card else None, progress)

        return work

    def opening_of(self, job: JobRecord) -> Callable[[Progress], Opened]:
        """Return the work of reading the pictures of a job that was never in hand, beside the interface."""
        self.settled()
        sources, card = self._sources(), self._cards.find(job.card) if job.card else None
        return lambda progress: _opened(job, sources, card, progress)

    def take(self, opened: Opened) -> None:
        """Put a job in hand as it was read, and its condition in force."""
        card = self._cards.find(opened.job.card) if opened.job.card else None
        self._taking = True
        try:
            if card is not None and (self._live.state.card is None or card.id != self._live.state.card.id):
                self._in_force.put(card)
            self._put(opened.job, opened.pieces, opened.shown)
        finally:
            self._taking = False
        said = list(opened.said)
        if opened.job.card and card is None:
            said.append(tr("Its condition, {card}, is not here any more.", card=opened.job.card))
        self._live.say(" ".join([tr("“{title}” is open as it was left.", title=opened.job.title), *said]))

    def _put(self, job: JobRecord | None, pieces: tuple[Piece, ...], shown: int) -> None:
        taking, self._taking = self._taking, True
        try:
            self.current = job
            self._hold(job.id if job is not None else "")
            self._live.history.clear()
            self._live.change(PiecesChanged(pieces, shown, same_print=False))
            self._live.refresh()
        finally:
            self._taking = taking
        self._live.tell(JobsChanged())

    @property
    def left(self) -> str:
        """Id of the job that was in hand when the workshop was closed, '' for none."""
        job_id = self.store.in_hand
        return job_id if job_id and (self.store.folder / f"{job_id}.json").exists() else ""


class _Writer(threading.Thread):
    """Writes the newest state of a job beside the interface; what comes meanwhile takes the place of what waits."""

    def __init__(self, store: JobStore, say: Callable[[str], None]) -> None:
        super().__init__(name="jobs", daemon=True)
        self._store, self._say = store, say
        self._change = threading.Condition()
        self._waiting: tuple[JobRecord, tuple[Piece, ...]] | None = None
        self._busy = self._ends = False
        self._failed = ""
        self.start()

    def write(self, job: JobRecord, pieces: tuple[Piece, ...]) -> None:
        """Let a job be written soon."""
        with self._change:
            other = self._waiting is not None and self._waiting[0].id != job.id
        if other:  # the one before is written whole before another is begun
            self.settled(5.0)
        with self._change:
            self._waiting = (job, pieces)
            self._change.notify_all()

    def settled(self, seconds: float) -> bool:
        """Wait until nothing waits."""
        with self._change:
            self._change.notify_all()
            return self._change.wait_for(lambda: self._waiting is None and not self._busy, seconds)

    def end(self) -> None:
        """Write what waits, and end."""
        with self._change:
            self._ends = True
            self._change.notify_all()
        self.join(5.0)

    def run(self) -> None:
        while True:
            with self._change:
                self._change.wait_for(lambda: self._waiting is not None or self._ends)
                if self._waiting is None:
                    return
                if not self._ends:
                    self._change.wait(_REST)
                (job, pieces), self._waiting, self._busy = self._waiting, None, True
            try:
                self._store.save(job.model_copy(update={"pictures": tuple(_kept(p) for p in pieces)}))
                self._failed = ""
            except FideleError as error:
                if str(error) != self._failed:
                    self._failed = str(error)
                    self._say(tr("The job is not saved: {error}", error=error))
            finally:
                with self._change:
                    self._busy = False
                    self._change.notify_all()


def _kept(piece: Piece) -> KeptPicture:
    path, slip = piece.opened.path, piece.opened.slip
    supposed = slip.kind != "stated" and piece.chart is None
    plan = piece.panels
    panels = None
    if plan is not None:
        panels = KeptPanels(
            overlap=plan.overlap,
            columns=plan.columns,
            rows=plan.rows,
            largest=plan.largest,
            keep_clear=plan.keep_clear,
            skip=tuple(sorted(plan.skip)),
            across=plan.across,
            down=plan.down,
        )
    return KeptPicture(
        number=piece.number,
        artwork=path.absolute() if piece.chart is None else path,
        artwork_page=piece.opened.page,
        sha256=_hash(path) if piece.chart is None else "",
        source=piece.opened.profile.content_id if supposed else "",
        slip=slip.words if supposed else "",
        replacements=piece.replacements,
        mirrored=piece.mirrored,
        tuning=piece.tuning,
        keep=piece.keep,
        copies=tuple(KeptCopy(placing=c.placing, page=c.page, locked=c.locked) for c in piece.copies),
        sheet=piece.sheet,
        card=piece.card,
        blank=piece.blank,
        behind=piece.behind,
        shape=piece.shape,
        panels=panels,
        chart=piece.chart.digest if piece.chart is not None else "",
        chart_page=piece.chart_page,
        bare=piece.bare,
    )


def _hash(path: Path) -> str:
    try:
        return file_hash(path)
    except (FideleError, OSError):
        return ""


def _opened(job: JobRecord, sources: KeptSources, card: Card | None, progress: Progress) -> Opened:
    pieces: list[Piece] = []
    said: list[str] = []
    numbers: dict[int, int] = {}
    for done, one in enumerate(job.pictures):
        if not progress(done / max(1, len(job.pictures))):
            raise CancelledError
        try:
            piece = _chart_piece(one, sources, card) if one.chart else _picture(one, sources, job, said)
        except FideleError as error:
            said.append(str(error))
            continue
        numbers[one.number] = piece.number
        pieces.append(piece)
    # Pictures that lay on one sheet lie on one again, by the numbers that they have now.
    together = tuple(replace(p, sheet=numbers.get(p.sheet, 0)) if p.sheet else p for p in pieces)
    shown = numbers.get(job.shown, together[0].number if together else 0)
    return Opened(job, together, shown, tuple(said))


def _rest(one: KeptPicture) -> dict[str, object]:
    plan = None if one.panels is None else one.panels.model_dump()
    return {
        "copies": tuple(Copy(c.placing, c.page, c.locked) for c in one.copies),
        "sheet": one.sheet,
        "card": one.card,
        "blank": one.blank,
        "behind": one.behind,
        "shape": one.shape,
        "tuning": one.tuning,
        "keep": one.keep,
        "panels": None if plan is None else PanelPlan(**plan | {"skip": frozenset(plan["skip"])}),
    }


def _chart_piece(one: KeptPicture, sources: KeptSources, card: Card | None) -> Piece:
    charts: list[Chart] = [visual_chart(), *sources.charts()]
    chart = next((c for c in charts if c.digest == one.chart), None)
    if chart is None:
        raise FideleError(tr("{name}: its chart is not known any more.", name=one.artwork.name))
    artwork = chart_page(chart, one.chart_page, card, 0, one.bare)
    made = Piece(artwork, artwork, (), chart, bare=one.bare, chart_page=one.chart_page)
    return replace(made, **_rest(one))  # type: ignore[arg-type]


def _picture(one: KeptPicture, sources: KeptSources, job: JobRecord, said: list[str]) -> Piece:
    path = one.artwork
    if not path.exists():
        path = _found_again(one, job)
        said.append(tr("{name} has moved: it was found in {parent}.", name=one.artwork.name, parent=path.parent))
    elif one.sha256 and _hash(path) != one.sha256:
        said.append(tr("{name} was changed since: look at it before you print.", name=path.name))
    page = one.artwork_page if one.artwork_page > 0 else None
    opened: Artwork = open_artwork(path, suppose=sources.suppose(path), page=page)
    if one.source and one.source != opened.profile.content_id:
        profile: Profile = sources.profile(one.source)
        opened = replace(opened, profile=profile, slip=SourceSlip("chosen", one.slip))
    artwork = worked(opened, one.replacements, one.mirrored)
    made = Piece(opened, artwork, (), None, one.replacements, one.mirrored, bare=one.bare, stamp=stamp_of(path))
    return replace(made, **_rest(one))  # type: ignore[arg-type]


def _found_again(one: KeptPicture, job: JobRecord) -> Path:
    """Return where a picture lies now that is not where it was: near the others, or near where it was, by its content.

    Raises
    ------
    FideleError
        When it is not found.
    """
    for path in _candidates(one, job):
        if not one.sha256 or _hash(path) == one.sha256:
            return path
    raise FideleError(
        tr("{artwork} is gone, and was not found near it; open it again where it lies now.", artwork=one.artwork)
    )


def _candidates(one: KeptPicture, job: JobRecord) -> Iterator[Path]:
    roots: list[Path] = []
    for other in (one, *job.pictures):
        folder = other.artwork.parent
        roots += [p for p in (folder, folder.parent) if p.is_dir() and p not in roots and len(p.parts) > 2]
    looked = 0
    for root in roots:
        for folder in (root, *(p for p in sorted(root.iterdir()) if p.is_dir() and not p.is_symlink())):
            looked += 1
            if looked > _FOLDERS:
                return
            try:
                if (there := folder / one.artwork.name).is_file():
                    yield there
            except OSError:
                continue


def _now() -> datetime.datetime:
    return datetime.datetime.now().replace(microsecond=0)
