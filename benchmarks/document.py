"""What the benchmarks of speed are asked for, and the document that they write."""

from __future__ import annotations

import os
import platform
from datetime import date
from pathlib import Path

#: What is asked of each, by its function.
ASKED = {
    "conversion": "2 times libvips, off by at most 0.05",
    "conversion_eight": "2 times libvips, off by at most 0.3",
    "conversion_cmyk": "2 times libvips",
    "conversion_table": "20 MP/s, exact",
    "gigapixel": "1.5 times libvips, at most 400 MB",
    "difference": "10 times colour-science",
    "start": "0.8 s",
    "first_picture": "0.5 s",
    "proof": "0.05 s",
    "reading": "0.6 s",
    "nesting": "98 % in 0.3 s",
    "shelf": "1 s",
    "opening": "5 % over this process",
    "gaps": "0.05 s",
    "events": "0.05 s",
    "logbook": "0.2 s",
    "fresh": "60 s",
    "suite": "10 minutes",
}

_HEAD = """# How fast it is

Written by `./run bench`, row by row (last {day}; {machine}).
Each row is a run of ours and of a named alternative, taken in turns where both are short, the shortest of several. What
is exact is measured in the same run: a conversion that is not what LittleCMS computes in float is not used
([architecture.md](architecture.md), `icc.fast`). A quiet machine is needed; the ratios hold on others, the seconds do
not.

| work | ours | against | times as fast | asked | |
|---|---|---|---|---|---|
"""


_TAIL = """
## What limits it

* **Start.** Half of it are numpy, pydantic, click and Qt's binding, which an empty window that loads nothing else takes
  as well (see its row). The rest is loading some 290 modules and 270 classes of our own, and making the first desk.
  What is loaded later costs then: the parts of a session know each other, so that leaving one out leaves out little.
* **To CMYK.** 1.7 to 2.6 times from run to run; libvips' time varies more than ours. A pixel is six curves, a
  matrix, three roots and eight nodes of four, some 18 ns of one core as to RGB, and four output curves, another 8: each
  of four places has to leave its vector, fetch a pair, and come back. libvips is quicker to CMYK than to RGB, and off
  by half a ΔE00.
* **A gigapixel.** Unpacking and packing take as long as converting, and both cores are busy.
* **A fresh machine.** Installing is the package installer's unpacking, beside which the kernels are compiled, then a
  target that is really printed and measured, and its profile made.
* **The suite.** Two processes on two cores, neither of which waits. Where cores are shared with other machines it takes
  up to twice as long, and passes.
"""


def _processor() -> str:
    try:
        lines = Path("/proc/cpuinfo").read_text("utf-8").splitlines()
        return next(line.split(":", 1)[1].strip() for line in lines if line.startswith("model name"))
    except (OSError, StopIteration):
        return platform.machine()


def document(before: str, results: dict[str, dict[str, object]]) -> str:
    """Return the document as it was, with the rows of results, by function, made anew."""
    machine = f"{os.cpu_count()} cores of {_processor()}, Python {platform.python_version()}"
    rows = {line.split(" | ")[0]: line for line in before.splitlines() if line.startswith("| ")}
    rows = {name: line for name, line in rows.items() if name != "| work"}
    for key, row in results.items():
        if "alternative" in row:
            rows[f"| {row['name']}"] = (
                f"| {row['name']} | {row['seconds']:.3g} s | {row['alternative']}, {row['alternative_seconds']:.3g} s "
                f"| {row['ratio']:.2f} | {ASKED.get(key, '')} | {row.get('note', '')} |"
            )
    return _HEAD.format(day=date.today().isoformat(), machine=machine) + "\n".join(rows.values()) + "\n" + _TAIL
