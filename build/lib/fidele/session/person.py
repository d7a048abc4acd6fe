"""Who sits before the machine."""

from __future__ import annotations

import getpass

from fidele.language import tr


def person() -> str:
    """Return the user's name as the system knows it."""
    try:
        return getpass.getuser()
    except (OSError, KeyError):
        return tr("somebody")
