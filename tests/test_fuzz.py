"""A short, seeded part of what `./run fuzz` does for as long as one likes."""

from __future__ import annotations

import time
from pathlib import Path

import pytest

from tests.fuzz.targets import Fuzz
from tests.thorough import part


@pytest.fixture(scope="module")
def fuzz(tmp_path_factory: pytest.TempPathFactory) -> Fuzz:
    return Fuzz(tmp_path_factory.mktemp("fuzz"))


@pytest.mark.parametrize(
    "kind",
    ["picture", "measured", "profile", "packed", "leaflet", "parcel", "card", "state", "rows", "pages", "command"],
)
def test_whatever_comes_is_answered_in_a_sentence(fuzz: Fuzz, kind: str, tmp_path: Path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    for number in range(part(40, 16)):
        own = time.thread_time()
        fuzz.case(number, kind)
        assert time.thread_time() - own < 5, number
    assert kind in fuzz.targets
