"""The options of a queue as controls: what they are for Fidele's jobs, changed and kept here, and sent with each job.

The queue's own defaults are left alone: other programs print by them.
"""

from __future__ import annotations

import json
from pathlib import Path

from fidele.devices.cups.learned import controls_of, values_of
from fidele.devices.cups.ppd import Ppd
from fidele.devices.cups.sizes import own_media, rolls
from fidele.errors import FideleError
from fidele.files import read_bytes, write_bytes
from fidele.language import tr
from fidele.values import Settings, Value

#: How a page is sent: a control of Fidele's own, beside those of the driver.
WAY = tr("Sent as")
WAY_PLACE = tr("Fidele › Sent as")
_SIZE = "PageSize"


class QueueControls:
    """The controls of one queue.

    Parameters
    ----------
    defaults
        What the server's administrator and this user have set for every job, by keyword.
    ways
        How pages can be sent, best first.
    """

    def __init__(self, ppd: Ppd, defaults: dict[str, str], ways: tuple[str, ...], path: Path) -> None:
        self._ppd, self._defaults, self._ways, self._path = ppd, defaults, ways, path
        self._options = controls_of(ppd)
        self._values = {name: values_of(option) for name, option in self._options.items()}
        self._sent: Settings = {}

    def sending(self, settings: Settings) -> QueueControls:
        """Return them as they are for one job that brings its own settings."""
        made = QueueControls(self._ppd, self._defaults, self._ways, self._path)
        made._sent = dict(settings)
        return made

    def read_back(self) -> Settings:
        """Return what each option is for a job that is sent now, in the words that people read."""
        kept = self._kept()
        now: Settings = {}
        for name, option in self._options.items():
            choice = kept.get(option.keyword, self._defaults.get(option.keyword, option.default))
            if option.keyword == _SIZE and own_media(self._ppd, choice) is not None:
                now[name] = choice
                continue
            if choice not in option.choices:
                choice = option.default if option.default in option.choices else next(iter(option.choices))
            now[name] = next(v for v, k in self._values[name].items() if k == choice)
        if len(self._ways) > 1:
            way = kept.get(WAY, self._ways[0])
            now[WAY] = way if way in self._ways else self._ways[0]
        return now | {n: v for n, v in self._sent.items() if self._takes(n, v)}

    def keywords(self) -> dict[str, str]:
        """Return the options of a job by keyword."""
        now = self.read_back()
        return {o.keyword: self._choice(name, now[name]) for name, o in self._options.items()}

    def _choice(self, name: str, value: Value) -> str:
        """Return the driver's word for a value; of a size of one's own its name stands for itself."""
        return self._values[name].get(str(value), str(value))

    def _takes(self, name: str, value: Value) -> bool:
        sized = name in self._options and self._options[name].keyword == _SIZE
        return value in self.every(name) or (sized and own_media(self._ppd, str(value)) is not None)

    @property
    def way(self) -> str:
        """How a page is sent."""
        return str(self.read_back().get(WAY, self._ways[0] if self._ways else ""))

    def change(self, name: str, value: Value) -> None:
        """Change an option for the jobs that Fidele sends.

        Raises
        ------
        FideleError
            When there is no such option, or it does not offer the value beside the others.
        """
        if name not in self.read_back():
            raise FideleError(tr("This driver has no option '{name}'.", name=name))
        if not self._takes(name, value):
            raise FideleError(tr("The driver does not offer '{value}' under {name}.", value=value, name=name))
        if value in self.every(name) and value not in self.offered(name):
            raise FideleError(
                tr(
                    "The driver does not offer '{value}' under {name} beside its other settings.",
                    value=value,
                    name=name,
                )
            )
        keyword = self._options[name].keyword if name in self._options else WAY
        choice = self._choice(name, value) if name in self._options else str(value)
        self._write(self._kept() | {keyword: choice})

    def reset(self) -> None:
        """Forget what was chosen here: the queue's own defaults hold again."""
        self._write({})

    def held(self) -> tuple[str, ...]:
        """Return nothing: who may print may choose."""
        return ()

    def offered(self, name: str, beside: Settings | None = None) -> tuple[Value, ...]:
        """Return what an option offers beside the others as they are, or as they were to be."""
        if name not in self._options:
            return self._ways if name == WAY else ()
        now = self.read_back() | {n: v for n, v in (beside or {}).items() if self._takes(n, v)}
        others = {o.keyword: self._choice(n, now[n]) for n, o in self._options.items() if n != name}
        option = self._options[name]
        listed = tuple(v for v, k in self._values[name].items() if not self._ppd.excluded(option.keyword, k, others))
        return (*listed, *rolls(self._ppd)) if option.keyword == _SIZE else listed

    def every(self, name: str) -> tuple[Value, ...]:
        """Return every value that an option can ever offer."""
        if name == WAY:
            return self._ways
        sized = name in self._options and self._options[name].keyword == _SIZE
        return (*self._values.get(name, ()), *(rolls(self._ppd) if sized else ()))

    def place(self, name: str) -> str:
        """Return where an option stands; of what lies behind the driver, where to look."""
        if name == WAY:
            return WAY_PLACE
        if name not in self._options:
            return tr("driver and printer: behind what can be probed")
        group = self._options[name].group
        return (
            tr("queue's options › {group} › {name}", group=group, name=name)
            if group
            else tr("queue's options › {name}", name=name)
        )

    def at_printer(self, name: str) -> bool:
        """Whether it is set at the printer itself: no option is."""
        return False

    def _kept(self) -> dict[str, str]:
        if not self._path.exists():
            return {}
        try:
            kept = json.loads(read_bytes(self._path, 1 << 20))
        except (ValueError, FideleError):
            return {}
        return {str(k): str(v) for k, v in kept.items()} if isinstance(kept, dict) else {}

    def _write(self, values: dict[str, str]) -> None:
        self._path.parent.mkdir(parents=True, exist_ok=True)
        write_bytes(self._path, json.dumps(values, indent=1).encode())
