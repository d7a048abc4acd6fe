"""Where things lie on this machine."""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class Places:
    """Folders: Fidele's own data, the user's colour profiles, the system's, and the bench."""

    data: Path
    profiles: Path
    system_profiles: tuple[Path, ...]
    bench: Path
    #: Where the log is kept.
    state: Path
    #: Where lost profiles are looked for; () for the user's home.
    search: tuple[Path, ...] = ()

    @property
    def cards(self) -> Path:
        """Printing conditions."""
        return self.data / "conditions"

    @property
    def logbook(self) -> Path:
        """The logbook's file."""
        return self.data / "logbook.sqlite"

    @property
    def work(self) -> Path:
        """Scans and measurements of this workshop."""
        return self.data / "work"

    @property
    def papers(self) -> Path:
        """What is said of profiles, and their leaflets."""
        return self.data / "profiles"

    @staticmethod
    def of_user() -> Places:
        """Return the folders of the freedesktop base directory specification."""
        import platformdirs

        data = Path(platformdirs.user_data_dir("fidele"))
        home = Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")
        shared = os.environ.get("XDG_DATA_DIRS") or "/usr/local/share:/usr/share"
        system = tuple(Path(p) / "color" / "icc" for p in shared.split(":") if p)
        state = Path(platformdirs.user_state_dir("fidele"))
        return Places(data, home / "icc", system, data / "bench", state)

    @staticmethod
    def under(root: Path) -> Places:
        """Return everything under one folder, apart from the user's own things."""
        return Places(root, root / "icc", (), root / "bench", root / "state", (root / "downloads",))
