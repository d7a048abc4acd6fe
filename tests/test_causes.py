"""A small part of the fault matrix: real prints of the bench, each with a fault, and what the check desk says."""

from __future__ import annotations

import numpy as np
import pytest

from benchmarks.fault_matrix import cases, conditions, is_right, prepared, run_case
from fidele.icc.profile import Profile
from fidele.session.scanners import ScannerRecord


@pytest.fixture(scope="module")
def settings(demo, tmp_path_factory):
    """The tile condition as the demo made it, and the gallery sheets, characterised here."""
    folder = tmp_path_factory.mktemp("matrix")
    (tile, rag) = (c for c in conditions() if c[0] in ("Wren, tile", "Gannet, rag"))
    first = prepared(folder, *tile) if demo is None else _of_demo(demo, folder, *tile)
    return [first, prepared(folder, *rag)], folder


def _of_demo(demo, folder, name, card):
    from benchmarks.fault_matrix import Setting

    (path,) = demo.profiles.glob("*.icc")
    profile = Profile.open(path)
    (folder / "tile").mkdir()
    (folder / "tile" / "made.icc").write_bytes(profile.data)
    bench = folder / "tile" / "bench"
    bench.mkdir()
    return Setting(
        name, card.model_copy(update={"profile": profile.content_id}), profile, ScannerRecord.load(demo.data), bench
    )


PICKED = {
    "Wren, tile": (
        "right 1",
        "driver on top: Velm natural",
        "pressed 45 s",
        "cyan passes",
        "Light",
        "mirrored",
        "print sys",
    ),
    "Gannet, rag": ("right 2", "not converted", "another unit", "scanned without", "measured from", "-18"),
}


def test_faults_of_real_prints_are_named(settings):
    everyone, folder = settings
    said = []
    for setting in everyone:
        wanted = PICKED[setting.name]
        for case in cases(setting, everyone, np.random.default_rng(7)):
            if any(w in case.name for w in wanted):
                cause, mean = run_case(setting, case, everyone, 7, folder)
                said.append((setting.name, case.name, cause.code, round(mean, 1), is_right(case, cause)))
                if case.kinds == ("right",):
                    assert cause.code == "right"
                    assert mean < 1.0
    assert len(said) >= 14
    assert sum(ok for *_, ok in said) >= len(said) - 1, [s for s in said if not s[-1]]
