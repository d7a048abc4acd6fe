"""What the logbook keeps of a job, so that it can be printed again exactly as it was."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace
from functools import lru_cache
from pathlib import Path

from pydantic import AliasChoices, BaseModel, ConfigDict, Field, ValidationError

from fidele.artwork.open import Suppose, open_artwork
from fidele.artwork.picture import Artwork, SourceSlip
from fidele.artwork.replace import Replacement, worked
from fidele.chart.definition import Chart
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.files import stamp_of
from fidele.icc.profile import Profile
from fidele.language import tr
from fidele.route.condition import Card
from fidele.run.chart_page import chart_page, visual_chart
from fidele.run.job import Job, Lying
from fidele.sheet.page import Behind
from fidele.sheet.placing import Media, Placing
from fidele.sheet.shapes import Shape
from fidele.store.cards import card_of
from fidele.store.records import KeptRun
from fidele.tuning.model import Tuning


@dataclass(frozen=True)
class Sources:
    """Where what a kept job names is found, as it was at a moment: to be used beside the interface.

    Attributes
    ----------
    suppose
        Given a file, what answers for its space where it states none.
    profile
        Given an id, the profile from the logbook or the shelf; `FideleError` where it is on neither.
    charts
        The charts that are known.
    """

    suppose: Callable[[Path], Suppose]
    profile: Callable[[str], Profile]
    charts: Callable[[], Sequence[Chart]]


class _Kept(BaseModel):
    model_config = ConfigDict(defer_build=True, frozen=True)


class KeptLying(_Kept):
    """One picture of a kept job; `source` and `slip` say what it was taken for where its file does not state it."""

    artwork: Path
    artwork_page: int
    sha256: str
    placing: Placing
    number: int = Field(validation_alias=AliasChoices("copy", "number"), serialization_alias="copy")
    copies: int
    source: str = ""
    slip: str = ""
    #: What measured pages told of its print, where its card has no profile: the profile's id.
    shown_by: str = ""
    card: Card | None = None
    tuning: Tuning | None = None
    replacements: tuple[Replacement, ...] = ()
    keep: str = ""
    behind: Behind | None = None
    panel: str = ""
    shape: Shape = "rectangle"
    mirrored: bool = False


class KeptJob(_Kept):
    """A job as JSON: artworks with their hashes, how worked on, where they lie; or a chart by its digest, and what lies
    beside it."""

    media: Media | None = None
    chart: str = ""
    page: int = 0
    bare: bool = False
    placing: Placing | None = None
    lying: tuple[KeptLying, ...] = ()


def kept_job(job: Job) -> str:
    """Return a job as JSON."""
    if job.chart is not None:
        beside = tuple(_kept_lying(one, job.card) for one in job.lying[1:])
        kept = KeptJob(
            media=job.media, chart=job.chart.digest, page=job.page, bare=job.bare, placing=job.placing, lying=beside
        )
    else:
        lying = tuple(_kept_lying(one, job.card) for one in job.lying)
        kept = KeptJob(media=job.media, bare=job.bare, lying=lying)
    return kept.model_dump_json(by_alias=True, exclude_defaults=True)


def _kept_lying(one: Lying, card: Card) -> KeptLying:
    path, slip = one.artwork.path, one.artwork.slip
    supposed = slip.kind != "stated"  # a rule that supposes otherwise tomorrow must not change it
    return KeptLying(
        artwork=path.absolute(),
        artwork_page=one.artwork.page,
        sha256=file_hash(path) if path.exists() else "",
        placing=one.placing,
        number=one.copy,
        copies=one.copies,
        source=one.artwork.profile.content_id if supposed else "",
        slip=slip.words if supposed else "",
        shown_by=one.profile.content_id if one.profile is not None and one.card.profile is None else "",
        card=one.card if one.card.id != card.id else None,
        tuning=one.tuning,
        replacements=one.replacements,
        keep=one.keep,
        behind=one.behind,
        panel=one.panel,
        shape=one.shape,
        mirrored=one.mirrored,
    )


def profiles_of(job: Job) -> Iterator[tuple[str, str, bytes]]:
    """Yield id, title and content of every profile that a job cannot be printed again without."""
    for number, one in enumerate(job.lying):
        if one.profile is not None and (_needs_profile(one.card) or one.card.profile is None):
            yield one.profile.content_id, one.card.profile_title or one.profile.name, one.profile.data
        if (number or job.chart is None) and one.artwork.slip.kind != "stated":
            yield one.artwork.profile.content_id, one.artwork.slip.words, one.artwork.profile.data


def file_hash(path: Path) -> str:
    """Return the SHA-256 of a file; one that was not changed since is not read again."""
    return _hash(path, stamp_of(path))


@lru_cache(maxsize=512)
def _hash(path: Path, _stamp: tuple[int, int]) -> str:
    try:
        with path.open("rb") as source:
            return hashlib.file_digest(source, "sha256").hexdigest()
    except OSError as error:
        raise FideleError(tr("{path} cannot be read: {strerror}.", path=path, strerror=error.strerror)) from error


def job_of(run: KeptRun) -> KeptJob:
    """Return what is kept of a run's job; nothing where it was printed by a Fidele that did not keep it."""
    try:
        return KeptJob.model_validate_json(run.job or "{}")
    except ValidationError:
        return KeptJob()


class ChangedError(FideleError):
    """An artwork is gone or is another one now: what was ordered cannot be printed as it was."""


def job_again(sources: Sources, run: KeptRun, now: Mapping[str, Card] | None = None) -> Job:
    """Return the job of a run as it was, whatever has been changed since; with `now`, as things are.

    `now` has the conditions, by their ids, that take the place of those that it was ordered by; artworks are then taken
    as they are on disk.

    Raises
    ------
    ChangedError
        When its artwork is gone, or is another one now and `now` is not given.
    FideleError
        When the run was kept by an earlier Fidele.
    """
    card, kept = card_of(run.card.encode(), tr("run {id}", id=run.id)), job_of(run)
    if now is not None:
        card = now.get(card.id, card)
        anew = [one.model_copy(update={"sha256": "", "card": _now_of(one.card, now)}) for one in kept.lying]
        kept = kept.model_copy(update={"lying": tuple(anew)})
    if not kept.lying and not kept.chart:
        raise FideleError(
            tr("Run {id} was printed by an earlier Fidele, which did not keep what is needed.", id=run.id)
        )
    opened: dict[tuple[Path, int, tuple[Replacement, ...], bool], Artwork] = {}
    lying = tuple(_lying_again(sources, run, one, card, opened) for one in kept.lying)
    if kept.chart and kept.placing is not None:
        page = _chart_again(sources, run, kept, kept.placing, card)
        return replace(page, lying=page.lying + lying)
    return Job(lying, card, bare=kept.bare, media=kept.media)


def _now_of(card: Card | None, now: Mapping[str, Card]) -> Card | None:
    return now.get(card.id, card) if card is not None else None


def _chart_again(sources: Sources, run: KeptRun, kept: KeptJob, placing: Placing, card: Card) -> Job:
    chart = next((c for c in (visual_chart(), *sources.charts()) if c.digest == kept.chart), None)
    if chart is None:
        raise FideleError(tr("The chart of run {id} is not known any more.", id=run.id))
    artwork, profile = chart_page(chart, kept.page, card, 0, kept.bare), _profile(sources, card)
    return replace(Job.of(artwork, placing, card, profile, chart, kept.page, kept.bare), media=kept.media)


def _profile(sources: Sources, card: Card) -> Profile | None:
    """Return the profile of a card, None where its page is made without it."""
    return sources.profile(card.profile) if card.profile and _needs_profile(card) else None


def _needs_profile(card: Card) -> bool:
    """Tell whether a page is made by the card's profile: converted through it, or tuned by what its printer holds."""
    return card.owner == "fidele" or card.bake


def _lying_again(
    sources: Sources,
    run: KeptRun,
    kept: KeptLying,
    card: Card,
    opened: dict[tuple[Path, int, tuple[Replacement, ...], bool], Artwork],
) -> Lying:
    mine, key = kept.card or card, (kept.artwork, kept.artwork_page, kept.replacements, kept.mirrored)
    if key not in opened:
        opened[key] = _artwork_again(sources, run, kept)
    return Lying(
        opened[key],
        kept.placing,
        mine,
        sources.profile(kept.shown_by) if kept.shown_by else _profile(sources, mine),
        kept.tuning,
        kept.keep,
        kept.replacements,
        kept.behind,
        kept.shape,
        kept.number,
        kept.copies,
        kept.panel,
        kept.mirrored,
    )


def _artwork_again(sources: Sources, run: KeptRun, kept: KeptLying) -> Artwork:
    path, page = kept.artwork, kept.artwork_page
    if not path.exists():
        raise ChangedError(
            tr("{path} is gone, so run {id} cannot be printed. Put it back, or cancel the run.", path=path, id=run.id)
        )
    if kept.sha256 and file_hash(path) != kept.sha256:
        raise ChangedError(
            tr(
                "{path} was changed since run {id} was ordered. Order it anew as it is now, or edit it.",
                path=path,
                id=run.id,
            )
        )
    artwork = open_artwork(path, page=page if page > 0 else None, suppose=sources.suppose(path))
    if kept.source and kept.source != artwork.profile.content_id:
        artwork = replace(artwork, profile=sources.profile(kept.source), slip=SourceSlip("chosen", kept.slip))
    return worked(artwork, kept.replacements, kept.mirrored)
