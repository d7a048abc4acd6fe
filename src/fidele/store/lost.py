"""Find profiles that lie where no program looks for them, and say what keeps each from being used."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path

from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.files import reason
from fidele.icc.profile import LARGEST
from fidele.language import tr
from fidele.store.parcel import ENDINGS, PACKED, Found, looks_like_profile, open_parcel, wrapping_of
from fidele.store.shelf import Arrival, Shelf
from fidele.tiles import CancelledError, Progress

#: Folders that hold no profile of anybody's and would take long.
_SKIP = {"node_modules", ".git", "__pycache__", ".cache", ".venv", "venv", "site-packages", "proc", "sys", "dev"}
_MOST_FILES, _DEEPEST = 400_000, 12
#: Wrappings larger than this are not unfolded in a search.
_LARGEST_PARCEL = 200 * 2**20


@dataclass(frozen=True)
class Lost:
    """A profile that was found: where, what it is, what keeps it from being used, and what would mend that.

    `obstacle` is one of 'elsewhere', 'in-zip', 'in-mail', 'compressed', 'in-trash', 'wrong-name', 'other-version',
    'damaged', 'unreadable', 'not-printing', 'hidden'. `mend` is the label of the button, '' where only a person can.
    """

    path: Path
    shown: str
    obstacle: str
    why: str
    mend: str = ""
    arrival: Arrival | None = None
    id: str = ""

    @property
    def title(self) -> str:
        """What it calls itself, or its file's name."""
        return self.arrival.title if self.arrival else self.path.name


def usual_places() -> tuple[Path, ...]:
    """Return where profiles are put by mistake: all of the user's home, and the shared temporary folder."""
    home = Path.home()
    places = [home]
    for name in ("XDG_DOWNLOAD_DIR", "XDG_DATA_HOME", "XDG_CONFIG_HOME"):
        value = os.environ.get(name)
        if value and not Path(value).is_relative_to(home):
            places.append(Path(value))
    return tuple(places)


def find_lost(shelf: Shelf, places: tuple[Path, ...], progress: Progress | None = None) -> list[Lost]:
    """Search folders for profiles that are not on the shelf; each content once, the most useful first.

    Raises
    ------
    FideleError
        When one of the places is no folder.
    CancelledError
        When `progress` returned False.
    """
    for place in places:
        if not place.is_dir():
            raise FideleError(
                tr("{place} is not a folder.", place=place)
                if place.exists()
                else tr("{place} does not exist.", place=place)
            )
    shelf.entries()
    inside = tuple(str(f) + os.sep for f in (shelf.own, *shelf.others))
    found: list[Lost] = []
    seen: set[str] = set()
    ours = {str(shelf.data / name) for name in ("bench", "profiles", "removed", "scanner")}
    for path, share in _walk(places, ours):
        if progress is not None and not progress(share):
            raise CancelledError
        on_shelf = str(path).startswith(inside)
        for lost in _look_at(shelf, path, on_shelf):
            key = lost.arrival.id if lost.arrival and lost.arrival.id else lost.shown
            if key not in seen:
                seen.add(key)
                found.append(lost)
    for path, why in shelf.broken:
        if str(path) not in seen:
            found.append(
                Lost(path, str(path), "damaged", tr("It lies in the right folder but is damaged: {why}", why=why))
            )
    order = ("elsewhere", "in-zip", "in-mail", "compressed", "wrong-name", "in-trash", "other-version")
    return sorted(found, key=lambda f: (order.index(f.obstacle) if f.obstacle in order else 9, f.shown))


def _walk(places: tuple[Path, ...], ours: set[str]) -> Iterator[tuple[Path, float]]:
    """Yield files that may hold a profile, with how far the search is as a guess from the folders at the top.

    `ours` are folders in which Fidele keeps things of its own.
    """
    count = 0
    for number, place in enumerate(places):
        base = len(place.parts)
        tops: list[str] = []
        for at, folders, names in os.walk(place):
            parts = Path(at).parts
            deep = len(parts) - base
            wanted = [f for f in sorted(folders) if f not in _SKIP and os.path.join(at, f) not in ours]
            folders[:] = wanted if deep < _DEEPEST else []
            if deep == 0:
                tops = list(folders)
            top = parts[base] if deep else ""
            share = (tops.index(top) + 1) / (len(tops) + 1) if top in tops else 0.0
            for name in sorted(names):
                count += 1
                if count > _MOST_FILES:
                    return
                yield Path(at) / name, (number + share) / len(places)


def _look_at(shelf: Shelf, path: Path, on_shelf: bool) -> Iterator[Lost]:
    suffix = path.suffix.lower()
    named = suffix in ENDINGS
    try:
        if not path.is_file():
            return
        size = path.stat().st_size
        if named and size == 0:
            yield Lost(path, str(path), "damaged", tr("It is empty: the download broke off. Fetch it again."))
            return
        if size < 132 or size > _LARGEST_PARCEL:
            return
        with path.open("rb") as stream:
            head = stream.read(600)
    except OSError as error:
        if named:
            yield Lost(
                path,
                str(path),
                "unreadable",
                tr("It cannot be read: {reason}. Ask who it belongs to.", reason=reason(error)),
            )
        return
    if looks_like_profile(head):
        if on_shelf and named:
            return  # it is where it should be
        if size <= LARGEST:
            yield from _single(shelf, path, on_shelf)
    elif named and not wrapping_of(head, path.name):
        yield Lost(path, str(path), "damaged", tr("It is called a profile but is none. Ask for it again."))
    elif (suffix in PACKED or wrapping_of(head, path.name) or ".icc" in path.name.lower()) and not on_shelf:
        yield from _wrapped(shelf, path)


def _single(shelf: Shelf, path: Path, on_shelf: bool) -> Iterator[Lost]:
    try:
        arrival = shelf.judge(Found(str(path), path.name, path.read_bytes()))
    except OSError:
        return
    if arrival.status == "already":
        return
    if arrival.status == "refused":
        yield _damaged(path, str(path), arrival)
    elif path.suffix.lower() not in ENDINGS:
        what = tr("ends in nothing") if not path.suffix else tr("ends in {suffix}", suffix=path.suffix)
        where = tr("the right folder") if on_shelf else str(path.parent)
        why = tr("Its name {what}, so no program takes it for a profile. It lies in {where}.", what=what, where=where)
        yield _offer(path, str(path), "wrong-name", why, arrival)
    elif _in_trash(path):
        yield _offer(path, str(path), "in-trash", tr("It was thrown away."), arrival)
    else:
        yield _offer(
            path,
            str(path),
            "elsewhere",
            tr("It lies in {parent}, where no program looks for it.", parent=path.parent),
            arrival,
        )


def _wrapped(shelf: Shelf, path: Path) -> Iterator[Lost]:
    try:
        parcel = open_parcel(path)
    except FideleError as error:
        if any(ending in path.name.lower() for ending in ENDINGS):
            yield Lost(path, str(path), "damaged", str(error))
        return
    for item in parcel.profiles:
        arrival = shelf.judge(item)
        if arrival.status == "already":
            continue
        if arrival.status == "refused":
            yield _damaged(path, item.shown, arrival)
            continue
        obstacle, why = {
            "mail": ("in-mail", tr("It is still attached to the mail {name}.", name=path.name)),
            "compressed": ("compressed", tr("It is compressed: {name} must be unfolded first.", name=path.name)),
        }.get(item.wrapping, ("in-zip", tr("It is still inside {name}.", name=path.name)))
        if _in_trash(path):
            why += tr(" That was thrown away.")
        yield _offer(path, item.shown, obstacle, why, arrival)


def _offer(path: Path, shown: str, obstacle: str, why: str, arrival: Arrival) -> Lost:
    what = arrival.description
    if arrival.status == "other-version":
        return Lost(
            path, shown, "other-version", f"{why} {arrival.reason}", tr("Put it beside the other"), arrival, arrival.id
        )
    if what is not None and not what.usable_as_output:
        why += tr(" It is a profile of class {class_words}, not for printing.", class_words=what.class_words)
    return Lost(path, shown, obstacle, why, tr("Put it on the shelf"), arrival, arrival.id)


def _damaged(path: Path, shown: str, arrival: Arrival) -> Lost:
    return Lost(
        path,
        shown,
        "damaged",
        tr("{reason} Fetch it again, or ask its supplier.", reason=arrival.reason),
        arrival=arrival,
    )


def _in_trash(path: Path) -> bool:
    return any(p.casefold() in ("trash", ".trash") or p.startswith(".Trash-") for p in path.parts[:-1])
