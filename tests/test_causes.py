"""A small part of the fault matrix: real prints of the bench, each with a fault, and what the check desk says."""

from __future__ import annotations

import numpy as np
import pytest

from benchmarks.fault_matrix import Setting, cases, conditions, is_right, run_case
from fidele.icc.profile import Profile
from fidele.store.scanners import ScannerRecord
from tests.thorough import THOROUGH, part


@pytest.fixture(scope="module")
def setting(demo, tmp_path_factory):
    """The tile condition as the demo made it, in a bench of its own."""
    folder = tmp_path_factory.mktemp("matrix")
    name, card = conditions()[0]
    (path,) = demo.profiles.glob("*.icc")
    profile = Profile.open(path)
    (folder / "tile" / "bench").mkdir(parents=True)
    (folder / "tile" / "made.icc").write_bytes(profile.data)
    card = card.model_copy(update={"profile": profile.content_id})
    return Setting(name, card, profile, ScannerRecord.load(demo.data), folder / "tile" / "bench"), folder


PICKED = ("right 1", "driver on top: Velm natural", "pressed 45 s", "cyan passes", "Light", "mirrored", "print sys")
MORE = ("not converted", *(("another unit", "scanned without", "measured from", "banding") if THOROUGH else ()))


def test_faults_of_real_prints_are_named(setting):
    """Some of the cases that `./run bench causes` runs all of, with a seed of their own."""
    one, folder = setting
    said = []
    for case in cases(one, [one], np.random.default_rng(7)):
        if any(w in case.name for w in PICKED + MORE):
            cause, mean = run_case(one, case, [one], 7, folder)
            said.append((case.name, cause.code, round(mean, 1), is_right(case, cause)))
            if case.kinds == ("right",):
                assert cause.code == "right"
                assert mean < 1.0
    assert len(said) >= part(12, 7)
    assert sum(ok for *_, ok in said) >= len(said) - 1, [s for s in said if not s[-1]]
