"""How well printers are fitted, on strangers that may be looked at; what the seals told: docs/own-profiles.md."""

from __future__ import annotations

import json
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path

from tests.street import seal

_FILE = Path(seal.__file__).with_name("sealed.json")


def run() -> dict:
    """Fit the strangers that may be looked at, keep the figures, and return them."""
    from tests.street.fitted import summed

    with ProcessPoolExecutor(2) as pool:
        rows = [row for one in pool.map(partial(seal._row, "fitted"), seal.open_seeds(seal.OWN)) for row in one]
    kept = seal.kept()
    kept[seal.OWN]["open figures"] = summed(rows)
    _FILE.write_text(json.dumps(kept, indent=1) + "\n")
    return dict(kept[seal.OWN]["open figures"])
