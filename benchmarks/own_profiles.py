"""How well printers are fitted: docs/own-profiles.md, from strangers that may be looked at and those once sealed."""

from __future__ import annotations

import json
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

from tests.street import seal

_FILE = Path(seal.__file__).with_name("sealed.json")


def run() -> dict:
    """Fit the strangers that may be looked at, keep the figures, and return them."""
    from tests.street.fitted import summed

    with ProcessPoolExecutor(2) as pool:
        rows = [row for one in pool.map(seal._fitted, seal.open_seeds(seal.OWN)) for row in one]
    kept = seal.kept()
    kept[seal.OWN]["open figures"] = summed(rows)
    _FILE.write_text(json.dumps(kept, indent=1) + "\n")
    return dict(kept[seal.OWN]["open figures"])


def document() -> str:
    """Return the document, as the figures are kept."""
    entry = seal.kept()[seal.OWN]
    lines = [
        "# Own profiles: how good a fit is, and how truly that is stated",
        "",
        "Made by `./run bench own_profiles` and, once, by `python -m tests.street.seal open 'own profiles'`. "
        "Printers of other physics than the bench's (tests/street), measured by an instrument with noise; each fit is "
        "held against the printer's own colours without noise at 2,000 device values anywhere, and beside a plain "
        "thin-plate spline of the same patches (no smoothing). ΔE00; the middle of all printers, and 19 in 20.",
        "",
    ]
    both = (("Looked at while this was made", "open figures"), ("Sealed, opened once when it was done", "figures"))
    for title, key in both:
        if (f := entry.get(key)) is None:
            continue
        lines += [
            f"## {title}",
            "",
            "| patches | noise | mean error, middle | 19 in 20 | plain: middle | 19 in 20 | mean beside plain | 95th "
            "percentile beside plain | stated interval holds | patches left out |",
            "|---|---|---|---|---|---|---|---|---|---|",
        ]
        for row in f["table"]:
            lines.append(
                f"| {row['patches']} | {row['noise']:g} | {row['mean'][0]:.2f} | {row['mean'][1]:.2f} | "
                f"{row['plain mean'][0]:.2f} | {row['plain mean'][1]:.2f} | {row['mean beside plain']:.2f} | "
                f"{row['p95 beside plain']:.2f} | {100 * row['stated holds']:.0f} % | {row['left out']} |"
            )
        kinds = ", ".join(f"{kind} {mean:.2f} (at most {most:.2f})" for kind, (mean, most) in f["kinds"].items())
        lines += [
            "",
            "The interval is to hold in nine of ten cases. With many patches and much noise it states too much: the "
            "fit is then better than it says.",
        ]
        lines += ["", f"{f['prints']} fits. Mean error beside the plain spline's, by kind of printer: {kinds}.", ""]
    return "\n".join([*lines, *_kin()])


def _kin() -> list[str]:
    """Return the figures of small targets that begin from a profile of the same printer."""
    if (table := seal.kept()[seal.KIN].get("figures")) is None:
        return []
    lines = [
        "## Begun from a profile of the same printer and inks",
        "",
        "The same printers on another media (other gain and hold of each ink, another tint and shine), by `python -m "
        "tests.street.seal open 'same printer'`, opened once. What is known is a profile of 900 patches on the first "
        "media, measured with the same noise. ΔE00; the middle of all printers, and 19 in 20.",
        "",
        "| patches | noise | begun from it | 19 in 20 | from nothing | 19 in 20 | 400 from nothing | 19 in 20 | beside "
        "nothing | beside 400 | worse than nothing by over 5 % | stated interval holds |",
        "|---|---|---|---|---|---|---|---|---|---|---|---|",
    ]
    for row in table:
        pairs = [f"{v:.2f}" for key in ("begun from it", "from nothing", "400 from nothing") for v in row[key]]
        lines.append(
            f"| {row['patches']} | {row['noise']:g} | {' | '.join(pairs)} | {row['beside nothing']:.2f} | "
            f"{row['beside 400']:.2f} | {row['worse than nothing by 5 %']} | {100 * row['stated holds']:.0f} % |"
        )
    return [*lines, ""]


def into(path: Path) -> None:
    """Write the document."""
    path.write_text(document(), "utf-8")
