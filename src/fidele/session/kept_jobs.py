"""What the logbook keeps of a job, so that it can be printed again exactly as it was."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator
from dataclasses import asdict, replace
from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING, Any

from fidele.artwork.open import open_artwork
from fidele.artwork.picture import Artwork, SourceSlip
from fidele.artwork.replace import Replacement, replaced
from fidele.errors import FideleError
from fidele.icc.profile import Profile
from fidele.route.condition import Card
from fidele.session.charts import chart_page, visual_chart
from fidele.session.job import Job, Lying
from fidele.session.watch import stamp_of
from fidele.sheet.placing import Media, Placing
from fidele.tuning.model import Tuning

if TYPE_CHECKING:
    from fidele.session.model import Session
    from fidele.store.records import KeptRun


def kept_job(job: Job) -> str:
    """Return a job as JSON: which artworks with their hashes, how worked on, where they lie; a chart by its digest."""
    kept: dict[str, Any] = {"media": asdict(job.media) if job.media is not None else None}
    if job.chart is not None:
        kept |= {"chart": job.chart.digest, "page": job.page, "bare": job.bare, "placing": asdict(job.placing)}
    else:
        kept["lying"] = [_kept_lying(one, job.card) for one in job.lying]
    return json.dumps(kept)


def _kept_lying(one: Lying, card: Card) -> dict[str, Any]:
    path = one.artwork.path
    kept: dict[str, Any] = {
        "artwork": str(path.absolute()),
        "artwork_page": one.artwork.page,
        "sha256": file_hash(path) if path.exists() else "",
        "placing": asdict(one.placing),
        "copy": one.copy,
        "copies": one.copies,
    }
    if one.artwork.slip.kind != "stated":  # a rule that supposes otherwise tomorrow must not change it
        kept["source"], kept["slip"] = one.artwork.profile.content_id, one.artwork.slip.words
    if one.card.id != card.id:
        kept["card"] = json.loads(one.card.model_dump_json())
    if one.tuning is not None:
        kept["tuning"] = one.tuning.model_dump()
    if one.replacements:
        kept["replacements"] = [asdict(r) for r in one.replacements]
    plain = {"keep": one.keep, "behind": one.behind, "panel": one.panel}
    kept |= {k: v for k, v in plain.items() if v}
    return kept | ({"shape": one.shape} if one.shape != "rectangle" else {})


def profiles_of(job: Job) -> Iterator[tuple[str, str, bytes]]:
    """Yield id, title and content of every profile that a job cannot be printed again without."""
    for one in job.lying:
        if one.profile is not None and one.card.owner == "fidele":
            yield one.profile.content_id, one.card.profile_title, one.profile.data
        if job.chart is None and one.artwork.slip.kind != "stated":
            yield one.artwork.profile.content_id, one.artwork.slip.words, one.artwork.profile.data


def file_hash(path: Path) -> str:
    """Return the SHA-256 of a file."""
    return _hash(path, stamp_of(path))


@lru_cache(maxsize=512)
def _hash(path: Path, _stamp: tuple[int, int]) -> str:
    digest = hashlib.sha256()
    try:
        with path.open("rb") as source:
            while block := source.read(1 << 20):
                digest.update(block)
    except OSError as error:
        raise FideleError(f"{path} cannot be read: {error.strerror}.") from error
    return digest.hexdigest()


def job_again(session: Session, run: KeptRun) -> Job:
    """Return the job of a run as it was, whatever has been changed since.

    Raises
    ------
    FideleError
        When its artwork is gone or is another one now, or the run was kept by an earlier Fidele.
    """
    card = Card.model_validate_json(run.card)
    try:
        kept = json.loads(run.job or "{}")
        media = _media(kept["media"])
        if "chart" in kept:
            return _chart_again(session, run, kept, card, media)
        opened: dict[tuple[str, int, str], Artwork] = {}
        lying = tuple(_lying_again(session, run, one, card, opened) for one in kept["lying"])
        if not lying:
            raise ValueError
    except (ValueError, KeyError, TypeError):
        raise FideleError(
            f"Run {run.id} was printed by an earlier Fidele, which did not keep what is needed."
        ) from None
    return Job(lying, card, media=media)


def _media(kept: dict[str, Any] | None) -> Media | None:
    return Media(**(kept | {"margins": tuple(kept["margins"])})) if kept else None


def _chart_again(session: Session, run: KeptRun, kept: dict[str, Any], card: Card, media: Media | None) -> Job:
    known = [visual_chart(), *session.charts.known()]
    chart = next((c for c in known if c.digest == kept["chart"]), None)
    if chart is None:
        raise FideleError(f"The chart of run {run.id} is not known any more.")
    page, bare = int(kept["page"]), bool(kept["bare"])
    artwork = chart_page(chart, page, card, 0, bare)
    profile = _profile(session, card, run.id)
    return replace(Job.of(artwork, Placing(**kept["placing"]), card, profile, chart, page, bare), media=media)


def _profile(session: Session, card: Card, run: int) -> Profile | None:
    """Return the profile of a card, from the logbook where it is not on the shelf any more."""
    if not card.profile or card.owner != "fidele":
        return None
    return _of_id(session, card.profile, run)


def _of_id(session: Session, profile_id: str, run: int) -> Profile:
    data = session.logbook.profile(profile_id)
    if data is not None:
        return Profile.parse(data, f"the profile of run {run}")
    return session.shelf.load(profile_id)


def _lying_again(
    session: Session, run: KeptRun, kept: dict[str, Any], card: Card, opened: dict[tuple[str, int, str], Artwork]
) -> Lying:
    mine = Card.model_validate(kept["card"]) if "card" in kept else card
    replacements = tuple(
        Replacement(tuple(r["wanted"]), tuple(r["instead"]), r["soft"]) for r in kept.get("replacements", ())
    )
    key = (kept["artwork"], int(kept["artwork_page"]), json.dumps(kept.get("replacements", ())))
    if key not in opened:
        opened[key] = _artwork_again(session, run, kept, replacements)
    behind = kept.get("behind")
    return Lying(
        opened[key],
        Placing(**kept["placing"]),
        mine,
        _profile(session, mine, run.id),
        Tuning.model_validate(kept["tuning"]) if "tuning" in kept else None,
        str(kept.get("keep", "")),
        replacements,
        (behind[0], behind[1], behind[2], behind[3]) if behind else None,
        kept.get("shape", "rectangle"),
        int(kept["copy"]),
        int(kept["copies"]),
        str(kept.get("panel", "")),
    )


def _artwork_again(
    session: Session, run: KeptRun, kept: dict[str, Any], replacements: tuple[Replacement, ...]
) -> Artwork:
    path = Path(kept["artwork"])
    if not path.exists():
        raise FideleError(f"{path} is gone, so run {run.id} cannot be printed.")
    if kept["sha256"] and file_hash(path) != kept["sha256"]:
        raise FideleError(f"{path} was changed since run {run.id} was ordered; open it and print it anew.")
    page = int(kept["artwork_page"])
    artwork = open_artwork(path, page=page if page > 0 else None, suppose=session.sources.suppose(path))
    if "source" in kept and kept["source"] != artwork.profile.content_id:
        source = _of_id(session, kept["source"], run.id)
        artwork = replace(artwork, profile=source, slip=SourceSlip("chosen", kept["slip"]))
    return replace(artwork, pixels=replaced(artwork.pixels, replacements)) if replacements else artwork
