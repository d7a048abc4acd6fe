"""What an earlier version left on disk still opens, and says the same."""

from __future__ import annotations

import json
import sqlite3
from contextlib import closing
from dataclasses import astuple
from pathlib import Path

import pytest

from fidele.run.kept import job_again
from fidele.session.model import Session
from fidele.session.places import Places
from fidele.store.cards import read_export
from tests.known import unpacked

SAMPLE = Path(__file__).parent / "data" / "workshop-0.1.tar.xz"
#: Where it lay when it was made: kept jobs and house rules name their artwork by its whole path.
_THERE = "/tmp/sample/workshop"


@pytest.fixture(scope="module")
def earlier(tmp_path_factory: pytest.TempPathFactory) -> Path:
    root = tmp_path_factory.mktemp("earlier")
    unpacked(SAMPLE, root)
    here = str(root / "workshop")
    with closing(sqlite3.connect(root / "workshop" / "logbook.sqlite")) as db, db:
        db.execute("UPDATE run SET job = replace(job, ?, ?)", (_THERE, here))
    rules = root / "workshop" / "house-rules.json"
    rules.write_text(rules.read_text().replace(_THERE, here))
    return root


@pytest.fixture(scope="module")
def expected(earlier: Path) -> dict:
    return json.loads((earlier / "expected.json").read_text().replace(_THERE, str(earlier / "workshop")))


@pytest.fixture(scope="module")
def session(earlier: Path) -> Session:
    return Session(Places.under(earlier / "workshop"))


def _of(kept: dict, now: dict) -> dict:
    """Return what stands now under the keys that were kept then: fields that came later have a default."""
    return {k: _of(v, now[k]) if isinstance(v, dict) else now[k] for k, v in kept.items()}


def test_conditions_and_what_is_kept_beside_them(session, expected):
    cards = {c.id: json.loads(c.model_dump_json()) for c in session.cards.cards()}
    for name, kept in expected["cards"].items():
        assert _of(kept, cards[name]) == kept, name
    assert cards.keys() == expected["cards"].keys()
    assert [[c.name, list(c.Lab), c.tolerance] for c in session.customers.colours] == expected["colours"]
    assert [r.model_dump() for r in session.sources.rules.all()] == expected["rules"]
    assert [[k, v] for k, v in session.profiles.defaults.all().items()] == expected["defaults"]


def test_profiles_with_all_that_was_said_of_them(session, expected):
    rows = {row.entry.id: row for row in session.profiles.rows() if row.entry.own}
    said = {i: {f: [list(s.values), s.origin] for f, s in row.papers.said.items()} for i, row in rows.items()}
    assert said == expected["papers"]
    assert rows[expected["pinned"]].papers.pinned


def test_the_logbook_with_jobs_that_can_be_printed_again(session, expected):
    runs = [
        {"id": r.id, "title": r.title, "state": r.state, "card": json.loads(r.card)["id"], "job": bool(r.job)}
        for r in session.logbook.everything()
    ]
    assert runs == [{k: v for k, v in run.items() if k != "why"} for run in expected["runs"]]
    for run in session.logbook.everything():
        job, kept = job_again(session.kept_sources(), run), expected["jobs"][str(run.id)]
        assert (job.title, len(job.lying), job.card.id) == (kept["title"], kept["pieces"], kept["card"])
        assert list(astuple(job.lying[0].placing)) == pytest.approx(kept["placing"], abs=1e-3)
        assert job.artwork.slip.words == kept["source"]
        assert [job.media.width, job.media.height] == kept["media"]
    checks = [
        {"run": k.run, "verdict": k.verdict.verdict, "mean": k.verdict.mean, "cause": k.verdict.cause}
        for k in session.logbook.checks()
    ]
    assert checks == expected["checks"]
    assert session.logbook.run(1).press is not None


def test_a_condition_that_was_sent(session, earlier, expected):
    taken = session.conditions.take_in(read_export(earlier / "parcel.condition.zip"))
    assert json.loads(taken.model_dump_json())["driver"] == expected["cards"]["house-number-tiles"]["driver"]
    assert session.readiness.sound(taken) is None or session.readiness.sound(taken).shape == (16, 3)
