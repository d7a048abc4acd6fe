"""What the logbook keeps of a job, so that it can be printed again exactly as it was."""

from __future__ import annotations

import hashlib
import json
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Any

from fidele.artwork.open import open_artwork
from fidele.errors import FideleError
from fidele.route.condition import Card
from fidele.session.charts import chart_page
from fidele.session.runs import Job
from fidele.sheet.placing import Placing

if TYPE_CHECKING:
    from fidele.session.model import Session
    from fidele.store.logbook import KeptRun


def kept_job(job: Job) -> str:
    """Return a job as JSON: which artwork with its hash, its page, where it lies; a chart by its digest."""
    kept: dict[str, Any] = {"placing": asdict(job.placing), "keep": job.keep, "bare": job.bare, "page": job.page}
    if job.chart is not None:
        kept["chart"] = job.chart.digest
    else:
        path = job.artwork.path
        kept |= {"artwork": str(path.absolute()), "artwork_page": job.artwork.page}
        kept["sha256"] = file_hash(path) if path.exists() else ""
    if job.tuning is not None or job.replacements:
        kept["worked"] = True
    return json.dumps(kept)


def file_hash(path: Path) -> str:
    """Return the SHA-256 of a file."""
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
        When its artwork or profile is gone or is another one now, or it was worked on in a way that is not kept.
    """
    card = Card.model_validate_json(run.card)
    try:
        kept = json.loads(run.job or "{}")
        placing = Placing(**kept["placing"])
    except (ValueError, KeyError, TypeError):
        raise FideleError(
            f"Run {run.id} was printed by an earlier Fidele, which did not keep what is needed."
        ) from None
    profile = session.shelf.load(card.profile) if card.profile and card.owner == "fidele" else None
    if "chart" in kept:
        chart = next((c for c in session.charts.known() if c.digest == kept["chart"]), None)
        if chart is None:
            raise FideleError(f"The chart of run {run.id} is not known any more.")
        page = int(kept.get("page", 0))
        bare = bool(kept.get("bare"))
        return Job(chart_page(chart, page, card, 0, bare), placing, card, profile, chart, page, bare=bare)
    if kept.get("worked"):
        raise FideleError(
            f"Run {run.id} was printed with colours replaced or tuned; open {Path(kept['artwork']).name} "
            "and print it anew."
        )
    path = Path(kept["artwork"])
    if not path.exists():
        raise FideleError(f"{path} is gone, so run {run.id} cannot be printed again.")
    if kept.get("sha256") and file_hash(path) != kept["sha256"]:
        raise FideleError(f"{path} was changed since run {run.id}; open it and print it anew.")
    artwork = open_artwork(path, page=int(kept.get("artwork_page", 0)) or None, suppose=session.sources.suppose(path))
    return Job(artwork, placing, card, profile, keep=str(kept.get("keep", "")))
