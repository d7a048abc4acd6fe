"""Say under which licences what ships is, from the list of parts; end with an error where one is not known to be free.

python packaging/licences.py SBOM TREE
"""

from __future__ import annotations

import json
import re
import sys
from importlib.metadata import Distribution, distributions
from pathlib import Path

#: Words by which a licence is known to be a free one that the GPL, version 3 or later, can take in.
FREE = re.compile(
    r"\b(MIT|MIT-CMU|BSD|0BSD|Apache|ISC|PSF|Python|HPND|Zlib|MPL|LGPL|GPL-3|GPLv3|GPL-2\.0-or-later|Unlicense|CC0"
    r"|Expat|BSL|Boost|FreeType|FTL)\b",
    re.IGNORECASE,
)


def licences(tree: Path) -> dict[str, str]:
    """Return the licence that each part states, by its name."""
    found = {}
    for part in distributions(path=[str(tree)]):
        said = part.metadata.get("License-Expression") or ""
        classed = [
            c.rpartition(" :: ")[2] for c in part.metadata.get_all("Classifier") or () if c.startswith("License")
        ]
        text = (part.metadata.get("License") or "").strip().splitlines()
        found[part.metadata["Name"]] = said or "; ".join(classed) or (text[0] if text else "") or _by_text(part)
    return found


def _by_text(part: Distribution) -> str:
    """Return a licence by the text that comes along, where a part states none in words."""
    for file in part.files or ():
        if "licen" in file.name.lower() and "hereby granted, free of charge, to any person" in file.read_text():
            return "MIT (by its text)"
    return ""


def main(sbom: Path, tree: Path) -> int:
    """Print each part with version and licence."""
    parts = {c["name"]: c["version"] for c in json.loads(sbom.read_text("utf-8")).get("components", ())}
    said = licences(tree)
    missing = sorted(set(said) - set(parts) - {"fidele"})
    wrong = [f"{name}: {said[name] or 'states no licence'}" for name in said if not FREE.search(said[name])]
    for name in sorted(said, key=str.casefold):
        print(f"{name} {parts.get(name, '')}: {said[name]}")
    for fault in (*(f"{name} is not in the list of parts" for name in missing), *wrong):
        print(fault, file=sys.stderr)
    return 1 if missing or wrong else 0


if __name__ == "__main__":
    sys.exit(main(Path(sys.argv[1]), Path(sys.argv[2])))
