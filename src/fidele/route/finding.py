"""One thing that is wrong or doubtful: what, why it matters, and how to mend it."""

from __future__ import annotations

from dataclasses import dataclass

WEIGHTS = ("stop", "caution", "note")


@dataclass(frozen=True)
class Finding:
    """One finding. `action` is the code of what mends it at a press, '' where only a person can; `button` its label.

    `desk` is the station where it belongs.
    """

    code: str
    weight: str
    title: str
    why: str
    remedy: str
    button: str = ""
    action: str = ""
    desk: str = "hand-off"
