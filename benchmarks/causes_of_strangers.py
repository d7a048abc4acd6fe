"""How often the check names what happened on strangers' prints: the section of docs/causes.md on them."""

from __future__ import annotations

import json
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

from tests.street import seal

#: So many patches of a chart alone: a strip, and pieces with few and with many even areas.
FEW = (12, 24, 48)
#: The section begins with this line; what stands before it is the bench's.
HEAD = "# Strangers"
_FILE = Path(seal.__file__).with_name("sealed.json")


def run() -> dict:
    """Judge the prints of the strangers that may be looked at, keep the figures, and return them."""
    from tests.street.caused import summed

    with ProcessPoolExecutor(2) as pool:
        figures = summed(list(pool.map(seal._caused, seal.open_seeds(seal.CAUSES))))
    kept = seal.kept()
    kept[seal.CAUSES]["open figures"] = figures
    _FILE.write_text(json.dumps(kept, indent=1) + "\n")
    return figures


def run_few() -> dict:
    """Judge the same prints by few of their patches each, as strips and pieces are, and keep the figures."""
    from tests.street.caused import summed

    kept, found = seal.kept(), {}
    with ProcessPoolExecutor(2) as pool:
        for count in FEW:
            figures = summed(
                list(pool.map(seal.caused_by_few, [(*one, count) for one in seal.open_seeds(seal.CAUSES)]))
            )
            found[str(count)] = {k: figures[k] for k in ("faulty", "named", "said over 0.9", "of these right")}
            found[str(count)] |= {k: figures[k] for k in ("right prints", "called wrong", "reliability")}
    kept[seal.CAUSES]["by few patches"] = found
    _FILE.write_text(json.dumps(kept, indent=1) + "\n")
    return found


def section() -> list[str]:
    """Return the section on strangers, as its figures are kept."""
    entry = seal.kept()[seal.CAUSES]
    lines = [
        HEAD,
        "",
        "Made by `./run bench strangers` and, once, by `python -m tests.street.seal open 'honest check'`. Printers of "
        "other physics than the bench's (tests/street), each with a profile made from its own measured chart, print a "
        "control chart with a fault each (tests/street/faults.py); half are read through a scanner that errs smoothly, "
        "half by an instrument with noise; of three in ten the driver's own correction is not known. A cause counts as "
        "named where it, or one of at most three that are declared together because they share a mend, is what was "
        "done; 'not known' counts as not named. Faults that move nothing by 3 are left out. Intervals come from "
        "resampling printers, not prints. The bench's own section above has the faults that the bench really does.",
        "",
    ]
    again, third, fourth, fifth, sixth = (seal.kept()[f"{seal.CAUSES} {number}"] for number in (2, 3, 4, 5, 6))
    every = (
        ("Looked at while this was made", entry.get("open figures")),
        ("Sealed, opened once when it was done", entry.get("figures")),
        ("A second seal: 30 printers of other seeds, opened once after damp was added", again.get("figures")),
        ("A third seal: 30 of other seeds again, opened once after brightener was added", third.get("figures")),
        (
            "A fourth seal: 30 of other seeds, opened once after what is beyond the limits was no longer called right",
            fourth.get("figures"),
        ),
        (
            "A fifth seal: 30 of other seeds, opened once after a unit within the limits was no longer called wrong",
            fifth.get("figures"),
        ),
        (
            "A sixth seal: 30 of other seeds, opened once after what units differ by was held against every cause of a "
            "print within its limits",
            sixth.get("figures"),
        ),
    )
    for title, f in every:
        if f is not None:
            lines += [f"## {title}", "", *_figures(f), ""]
    return lines + _by_few(entry)


def _by_few(entry: dict) -> list[str]:
    """Return the table of strips and pieces: few patches of the same prints."""
    rows = []
    for whose, key in (("looked at", "by few patches"), ("others", "by few patches, others")):
        for count, f in entry.get(key, {}).items():
            low = next(b for b in f["reliability"] if b[0] == 0.5)
            rows.append(
                f"| {whose} | {count} | {f['faulty']} | {100 * f['named']:.1f} % | {f['said over 0.9']} | "
                f"{100 * f['of these right']:.1f} % | {100 * (low[3] or 0):.0f} % of {low[2]} | "
                f"{f['called wrong']} of {f['right prints']} |"
            )
    head = [
        "## By few patches, as of strips and pieces",
        "",
        "The same prints, of which so many patches alone were measured, others for every print. How sure a cause is "
        "said to be by few was set on those looked at (before: their figures here); the others were judged by it.",
        "",
        "| strangers | patches | faulty | named | said over 0.9 | of these right | said 0.5 to 0.8, right | right "
        "called wrong |",
        "|---|---|---|---|---|---|---|---|",
    ]
    return [*head, *rows, ""] if rows else []


def _let_through(f: dict) -> str:
    """Return how many prints with a fault were let through; earlier figures do not tell the two apart."""
    if "of these called right" not in f:
        return f"{f['of these called right or passed']} were called right or passed"
    passed = f["of these called right or passed"] - f["of these called right"]
    return f"{f['of these called right']} were called right, and {passed} passed their limits with the cause named"


def _by_spread(f: dict) -> str:
    """Return what came of units that differ by over 5 without a fault; earlier figures count them as right ones."""
    if not f.get("over 5 by spread alone"):
        return ""
    return (
        f" (beside {f['over 5 by spread alone']} that their unit's own spread moves by over ΔE00 5 in a solid, a grey "
        f"or the black: {f['of these failed']} of these failed)"
    )


def _figures(f: dict) -> list[str]:
    low, high = f["interval"]
    curve = [
        f"| {one[0]:.2f} to {min(one[1], 1):.2f} | {one[2]} | {'' if one[3] is None else f'{100 * one[3]:.0f} %'} |"
        for one in f["reliability"]
    ]
    return [
        f"{f['strangers']} printers, {f['faulty']} faulty prints: **{100 * f['named']:.1f} %** named "
        f"({100 * low:.1f} to {100 * high:.1f}), {100 * f['by the cause itself']:.1f} % by the cause itself. Of "
        f"{f['said over 0.9']} that were said with over 0.9, {100 * f['of these right']:.1f} % are right. Of "
        f"{f['right prints']} right prints {f['called wrong']} were called wrong, {f['not passed']} did not pass"
        f"{_by_spread(f)}. Of {f['over 5 in solids, greys, black']} prints with a fault over ΔE00 5 in solids, greys "
        f"or black {_let_through(f)}.",
        "",
        "| said to be sure | prints | right |",
        "|---|---|---|",
        *curve,
        "",
        "Missed: " + ("; ".join(f["missed"]) or "none") + ".",
    ]


def into(document: Path) -> None:
    """Write the section at the end of a document, in place of the one that stands there."""
    text = document.read_text("utf-8").split(f"\n{HEAD}\n")[0].rstrip()
    document.write_text("\n".join([text, "", *section()]).rstrip() + "\n", "utf-8")
