"""Fuzz the parsers of our own by coverage: what reaches a line that nothing reached before is kept and changed further.

`python -m tests.fuzz.guided KIND MINUTES FOLDER` with KIND of `KINDS`; FOLDER takes the seeds and what was found. The
parsers run in this process, where the fuzzer sees them; decoders of pictures are left to `tests.fuzz`.
"""

from __future__ import annotations

import sys
from pathlib import Path

import atheris

with atheris.instrument_imports(include=["fidele"]):
    from fidele.apart import process
    from fidele.chart.measured_file import read_any
    from fidele.errors import FideleError
    from fidele.session.customers import read_colours
    from fidele.store.cards import card_of, read_export
    from fidele.store.parcel import open_parcel

from tests.fuzz.targets import Fuzz, as_profile

#: The kinds, and the ending by which each is told.
KINDS = {"measured": ".txt", "colours": ".csv", "cxf": ".cxf", "profile": ".icc"}
KINDS |= {"parcel": ".zip", "packed": "", "card": ""}
_READ = {
    "measured": read_any,
    "colours": read_colours,
    "cxf": read_any,
    "profile": as_profile,
    "packed": open_parcel,
    "parcel": read_export,
    "card": lambda path: card_of(path.read_bytes(), path.name),
}


def main(kind: str, minutes: float, folder: Path) -> None:
    """Fuzz one kind; the process ends with 0 where nothing was found."""
    process.inside = True
    corpus = folder / "corpus" / kind
    corpus.mkdir(parents=True, exist_ok=True)
    seeds = Fuzz(folder).seeds
    for name, data in seeds.get(kind, seeds["measured"]):
        (corpus / name).write_bytes(data[: 1 << 16])
    path = folder / f"case{KINDS[kind] or '.eml'}"

    def one(data: bytes) -> None:
        path.write_bytes(data)
        try:
            _READ[kind](path)
        except FideleError as error:
            assert "\n" not in str(error)

    limits = [f"-max_total_time={int(minutes * 60)}", "-timeout=5", "-rss_limit_mb=1024", "-max_len=65536"]
    told = ["-verbosity=0", "-print_final_stats=1", f"-artifact_prefix={folder}/found-"]
    atheris.Setup([sys.argv[0], *limits, *told, str(corpus)], one)
    atheris.Fuzz()


if __name__ == "__main__":
    main(sys.argv[1], float(sys.argv[2]), Path(sys.argv[3]))
