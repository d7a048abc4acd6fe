"""Strangers kept from being looked at: `python -m tests.street.seal` tells which, and `open` runs them, once.

Whatever is tuned is tuned on the others. When the work is done, the sealed ones are run a single time, and their
figures are kept in `sealed.json` as they came out. A piece of work that follows adds seals of its own.
"""

from __future__ import annotations

import datetime
import json
import sys
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from importlib import import_module
from pathlib import Path
from typing import Any

from tests.street.kinds import KINDS, Stranger, made

#: The piece of work in which two prints tell which choice of a driver leaves the numbers alone.
PROVING = "ink proves"
#: And that in which causes of wrong prints are named.
CAUSES = "honest check"
#: And that in which own profiles are fitted.
OWN = "own profiles"
#: And that in which greys are made neutral without a profile.
NEUTRAL = "no profile"
#: And that in which small targets begin from a profile of the same printer.
KIN = "same printer"
#: And that in which a profile is mended where an ink drifts.
DRIFT = "drift"
#: And that in which a second unit prints like the first.
ALIKE = "units alike"
#: And that in which printers of inks are fitted and separated.
INKS = "inks"
#: And that in which printers of more than four inks are.
MORE_INKS = "more inks"
#: And that in which the same is asked on three media each.
MEDIA = "three media"
#: By the first words of a piece of work, the module that judges a stranger; and whether each has one row.
_JUDGES = {
    OWN: ("fitted", False),
    NEUTRAL: ("neutral", True),
    KIN: ("kin", False),
    DRIFT: ("drift", False),
    ALIKE: ("alike", False),
    INKS: ("inked", False),
    MORE_INKS: ("more_inks", False),
    MEDIA: ("media", False),
}
_FILE = Path(__file__).with_name("sealed.json")


class SealedError(RuntimeError):
    """A stranger was asked for that may not be looked at yet."""


def kept() -> dict:
    return json.loads(_FILE.read_text())


def open_seeds(work: str) -> list[tuple[str, int]]:
    """Return kinds and seeds that may be looked at for a piece of work."""
    entry = kept()[work]
    return [(kind, seed) for kind in KINDS if kind not in entry["kinds"] for seed in entry["open seeds"]]


def sealed_seeds(work: str) -> list[tuple[str, int]]:
    """Return what is sealed: the sealed seeds of every kind, and the open ones of the sealed kinds."""
    entry = kept()[work]
    seeds = [(kind, seed) for kind in KINDS for seed in entry["seeds"]]
    return seeds + [(kind, seed) for kind in entry["kinds"] for seed in entry["open seeds"]]


def stranger(work: str, kind: str, seed: int) -> Stranger:
    """Return a stranger that may be looked at.

    Raises
    ------
    SealedError
        When it is sealed.
    """
    if (kind, seed) not in open_seeds(work):
        raise SealedError(f"{kind} {seed} is sealed for '{work}'.")
    return made(kind, seed)


def main(arguments: list[str]) -> int:
    """Tell what is sealed, or open the seals of a piece of work."""
    if not arguments:
        for work, entry in kept().items():
            state = f"opened {entry['opened']}" if entry.get("opened") else "sealed"
            print(f"{work}: {state}; kinds {', '.join(entry['kinds'])}; seeds {entry['seeds']} of every kind")
        return 0
    if len(arguments) != 2 or arguments[0] != "open" or arguments[1] not in kept():
        print("usage: python -m tests.street.seal [open WORK]", file=sys.stderr)
        return 2
    work, entries = arguments[1], kept()
    if entries[work].get("opened"):
        print(f"'{work}' was opened on {entries[work]['opened']} already; its figures stand.", file=sys.stderr)
        return 1
    from benchmarks.truth import WORK, write_sealed

    # Noted first: what is broken off half-way has been looked at as well.
    entries[work]["opened"] = datetime.date.today().isoformat()
    _FILE.write_text(json.dumps(entries, indent=1) + "\n")
    every = sealed_seeds(work)
    with ProcessPoolExecutor(2) as pool:
        if work.startswith(CAUSES):
            from tests.street.caused import summed as causes

            entries[work]["figures"] = causes(list(pool.map(_caused, every)))
            _FILE.write_text(json.dumps(entries, indent=1) + "\n")
            print(json.dumps(entries[work]["figures"], indent=1))
            return 0
        for name, (module, apart) in _JUDGES.items():
            if not work.startswith(name):
                continue
            rows = list(pool.map(partial(_row, module), every))
            summed = import_module(f"tests.street.{module}").summed
            entries[work]["figures"] = summed(rows if apart else [row for one in rows for row in one])
            _FILE.write_text(json.dumps(entries, indent=1) + "\n")
            print(json.dumps(entries[work]["figures"], indent=1))
            return 0
        found = pool.map(_proved if work == PROVING else _judged, every)
        entries[work]["figures"] = {f"{kind} {seed}": one for (kind, seed), one in zip(every, found, strict=True)}
    _FILE.write_text(json.dumps(entries, indent=1) + "\n")
    if work == WORK:
        write_sealed()
    return 0


def _row(module: str, one: tuple[str, int]) -> Any:
    return import_module(f"tests.street.{module}").judged(made(*one))


def _proved(one: tuple[str, int]) -> dict[str, float]:
    from tests.street.proving import judged

    return judged(made(*one))


def _caused(which: tuple[str, int]) -> list[dict]:
    from tests.street.caused import judged

    kind, seed = which
    return judged(kind, seed, _fellow(seed))


def caused_by_few(which: tuple[str, int, int]) -> list[dict]:
    """Return what is said of a stranger's prints, of which only so many patches were measured."""
    from tests.street.caused import judged_by_few

    kind, seed, count = which
    return judged_by_few(kind, seed, _fellow(seed), count)


def _fellow(seed: int) -> int:
    """Return the other media of a stranger's shelf: another seed of its kind, its fellow in the list it stands in."""
    lists = [entry[key] for work, entry in kept().items() if work.startswith(CAUSES) for key in ("seeds", "open seeds")]
    near = next(one for one in lists if seed in one)
    return next(s for s in near if s != seed)


def _judged(one: tuple[str, int]) -> dict[str, float]:
    from tests.street.judge import judged

    return judged(made(*one))


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
