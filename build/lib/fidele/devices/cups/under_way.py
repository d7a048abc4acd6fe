"""The job that is under way at the print service: how it stands, and holding it there."""

from __future__ import annotations

from fidele.devices.cups.service import JobState, PrintService
from fidele.language import tr

_HELD = 4


class JobUnderWay:
    """One queue's job that Fidele follows; shared by all that stand for the queue."""

    def __init__(self, service: PrintService) -> None:
        self._service = service
        self._now: JobState | None = None

    def is_now(self, state: JobState | None) -> None:
        """Take how the job stands, None where none is under way any more."""
        self._now = state

    @property
    def words(self) -> str:
        """How it stands, in words, '' where none is under way."""
        return (
            tr("job {number} {words}", number=self._now.number, words=self._now.words) if self._now is not None else ""
        )

    @property
    def held(self) -> bool:
        """Whether it is held at the service."""
        return self._now is not None and self._now.state == _HELD

    def hold(self, held: bool) -> None:
        """Hold it, or let it go on; `FideleError` where the service refuses."""
        if self._now is not None:
            self._service.hold(self._now.number, held)
