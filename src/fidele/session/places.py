"""Where things lie on this machine."""

from __future__ import annotations

import os
from pathlib import Path

from fidele.dataclass import dataclass
from fidele.files import write_bytes

#: Lies in the bench's folder where it was switched on.
_SWITCH = "switched-on"


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
    #: Whether the bench's stand-ins are offered, and whether the queues of this machine are.
    bench_on: bool = False
    queues_on: bool = True

    @property
    def devices(self) -> dict[str, Path]:
        """What each kind of device keeps its own things in, by kind; what is not offered is left out."""
        kinds = {"bench": self.bench} if self.bench_on else {}
        kinds |= {"queues": self.data / "printers"} if self.queues_on else {}
        kinds |= {"scanners": self.data} if self.queues_on else {}
        return kinds | {"described": self.data / "printers" / "described"}

    @property
    def demo(self) -> bool:
        """Whether this is the demo's workshop, where everything is invented."""
        return (self.data / "demo.json").exists()

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
        return Places(data, home / "icc", system, data / "bench", state, bench_on=(data / "bench" / _SWITCH).exists())

    def switch_bench(self, on: bool) -> None:
        """Have the bench's stand-ins offered from now on, or no more; takes effect when Fidele is started."""
        switch = self.bench / _SWITCH
        if on:
            switch.parent.mkdir(parents=True, exist_ok=True)
            write_bytes(switch, b"")
        else:
            switch.unlink(missing_ok=True)

    @staticmethod
    def under(root: Path, queues: bool = False) -> Places:
        """Return everything under one folder, apart from the user's own things."""
        return Places(
            root,
            root / "icc",
            (),
            root / "bench",
            root / "state",
            (root / "downloads",),
            bench_on=True,
            queues_on=queues,
        )
