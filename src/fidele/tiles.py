"""Long arrays worked on in pieces, on all cores, with progress and cancel.

Only code that releases the interpreter's lock gains by it: LittleCMS and our compiled kernels do.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor, wait

#: Told the share done so far (0 to 1); returning False asks for a stop.
Progress = Callable[[float], bool]

CORES = max(1, os.cpu_count() or 1)

#: Pools whose threads have nothing to do. Each call has one to itself, so that a short one never waits for a long one;
#: starting threads anew would take longer than many a call.
_idle: list[ThreadPoolExecutor] = []
os.register_at_fork(after_in_child=_idle.clear)  # a forked child has none of these threads


class CancelledError(Exception):
    """The person asked to stop."""


def in_tiles(
    work: Callable[[slice], None], length: int, tile: int, progress: Progress | None = None, least: int | None = None
) -> None:
    """Call `work` with consecutive slices of `tile` out of `length` items, spread over the cores.

    More than `least` items are shared among all cores, even where one tile would hold them.

    Raises
    ------
    CancelledError
        When `progress` returned False; slices already begun are finished first.
    """
    if least is not None and length > least:
        tile = min(tile, -(-length // CORES))
    slices = [slice(start, min(start + tile, length)) for start in range(0, length, tile)]
    if len(slices) <= 1 or CORES == 1:
        for done, piece in enumerate(slices, 1):
            work(piece)
            if progress and not progress(done / len(slices)):
                raise CancelledError
        return
    try:
        pool = _idle.pop()
    except IndexError:
        pool = ThreadPoolExecutor(CORES)
    futures = [pool.submit(work, piece) for piece in slices]
    try:
        for done, future in enumerate(futures, 1):
            future.result()
            if progress and not progress(done / len(slices)):
                raise CancelledError
    finally:
        for future in futures:
            future.cancel()
        wait(futures)
        _idle.append(pool)
