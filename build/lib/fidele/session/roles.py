"""Which profile on the shelf stands for the screen, and which for the scanner."""

from __future__ import annotations

import json
from pathlib import Path

from fidele.icc.describe import Description
from fidele.statefile import StateFile, words_in

#: Roles, with the class of profile that can take them.
ROLES = {"screen": "mntr", "scanner": "scnr"}


class Roles:
    """Kept in one small file; '' where no profile was chosen."""

    def __init__(self, path: Path) -> None:
        self._file = StateFile[dict[str, str]](path, words_in, dict)

    def all(self) -> dict[str, str]:
        """Return profile ids by role."""
        return {k: v for k, v in self._file.read().items() if k in ROLES}

    def of(self, role: str) -> str:
        """Return the id of the profile in a role."""
        return self.all().get(role, "")

    def choose(self, role: str, profile_id: str) -> None:
        """Put a profile in a role; '' for none."""
        stored = {k: v for k, v in self.all().items() if k != role}
        if profile_id:
            stored[role] = profile_id
        self._file.write(json.dumps(stored, indent=2).encode())


def role_for(what: Description) -> str:
    """Return the role that a profile can take, '' for none."""
    sound = not any(p.weight == "stop" and p.code.startswith("damaged") for p in what.problems)
    roles = [role for role, kind in ROLES.items() if kind == what.device_class]
    return roles[0] if roles and sound and what.colour_space == "RGB" else ""
