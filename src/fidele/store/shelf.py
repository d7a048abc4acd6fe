"""The shelf of profiles: the user's colour folder and the system's, followed as other programs change them.

What a file holds is remembered in an index beside Fidele's data, by path, time and size, so that a machine with
thousands of profiles is listed at once. The index is a memory only: without it, everything is read anew.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
import re
from collections.abc import Iterable, Iterator
from dataclasses import field
from pathlib import Path

from pydantic import TypeAdapter, ValidationError

from fidele import __version__
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.files import read_bytes, reason, write_bytes, write_new
from fidele.icc.describe import Description, describe
from fidele.icc.profile import LARGEST, Profile, ProfileError
from fidele.language import tr
from fidele.papers.leaflet import Leaflet, read_leaflet
from fidele.store.parcel import ENDINGS, LEAFLETS, PACKED, Found, Parcel, looks_like_profile, open_parcel, unfold
from fidele.tiles import CancelledError, Progress

#: Raised when what is remembered of a profile changes in meaning.
_RECIPE = 1
_FOLDER_FILES = 5000


@dataclass(frozen=True)
class Entry:
    """A profile on the shelf."""

    path: Path
    id: str
    description: Description
    own: bool  # in the user's folder, so that it can be removed

    @property
    def title(self) -> str:
        """What it calls itself."""
        return self.description.description


@dataclass(frozen=True)
class Arrival:
    """A profile at the door: what it is, and whether anything speaks against putting it on the shelf.

    `status` is 'new', 'already' (the same bytes are there), 'other-version' (another profile has the same
    description: `rivals`), or 'refused' (with the reason).
    """

    found: Found
    status: str
    reason: str = ""
    id: str = ""
    description: Description | None = None
    rivals: tuple[Entry, ...] = ()

    @property
    def title(self) -> str:
        """What it calls itself, or its file's name."""
        return self.description.description if self.description else self.found.name


@dataclass(frozen=True)
class Delivery:
    """What a person brought: profiles, leaflets with them, and what could not be read (name, reason)."""

    arrivals: tuple[Arrival, ...]
    leaflets: tuple[Leaflet, ...] = field(default=(), repr=False)
    refused: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True)
class Installed:
    """What became of one file: 'installed', 'already', 'refused' or 'choose', and why."""

    path: str
    status: str
    id: str = ""
    title: str = ""
    reason: str = ""


@dataclass(frozen=True)
class Removed:
    """A profile that was taken off: where it lay, and where its bytes are kept."""

    path: Path
    kept: Path


@dataclass
class _Row:
    """What the index remembers of a file; `description` is None for one that is no readable profile."""

    time: int
    size: int
    id: str = ""
    description: Description | None = None
    reason: str = ""


_INDEX: TypeAdapter[dict[str, _Row]] = TypeAdapter(dict[str, _Row])


class Shelf:
    """Profiles in `own` (written to) and in `others` (read only); `data` is where the index and removed ones are.

    `most` bounds how many files that are not remembered yet one look reads; a window sets it, and lets another shelf
    on the same index read the rest beside it.
    """

    def __init__(self, own: Path, others: tuple[Path, ...] = (), data: Path | None = None) -> None:
        self.most: int | None = None
        self.own = own
        self.others = others
        self.data = data or own.parent / "fidele"
        self._rows: dict[str, _Row] | None = None
        self._entries: dict[str, Entry] = {}
        self._broken: tuple[tuple[Path, str], ...] = ()
        self._together = False
        #: How often it was looked at or changed; of one beside another: how often that one had been by then.
        self._turns = 0
        self._since = 0

    def beside(self) -> Shelf:
        """Return another shelf on the same folders and index, to be looked at beside the interface."""
        made = Shelf(self.own, self.others, self.data)
        made._since = self._turns
        return made

    # Looking -----------------------------------------------------------------------------------------------------

    def snapshot(self) -> dict[str, tuple[int, int]]:
        """Return time and size of every file that may be a profile, the user's folder first."""
        seen: dict[str, tuple[int, int]] = {}
        for folder in (self.own, *self.others):
            for at, folders, names in os.walk(folder):
                folders.sort()
                for name in sorted(n for n in names if n[-4:].lower() in ENDINGS and n[0] != "."):
                    path = os.path.join(at, name)
                    with contextlib.suppress(OSError):  # gone again, or a link to nothing
                        stat = os.stat(path)
                        seen.setdefault(path, (stat.st_mtime_ns, stat.st_size))
        return seen

    def unread(self) -> int:
        """Return how many files would have to be read before the shelf is complete."""
        rows = self._index()
        return sum((path not in rows or (rows[path].time, rows[path].size) != s) for path, s in self.snapshot().items())

    def entries(self, progress: Progress | None = None) -> list[Entry]:
        """Return all readable profiles, the user's first, each content once.

        Raises
        ------
        CancelledError
            When `progress` returned False; what was read so far is remembered.
        """
        self._turns += 1
        rows, seen = self._index(), self.snapshot()
        every = set(seen)
        new = [p for p, s in seen.items() if p not in rows or (rows[p].time, rows[p].size) != s]
        for path in new[self.most :] if self.most is not None else ():
            seen.pop(path)
        new = new[: self.most]
        gone = [p for p in rows if p not in every]
        for path in gone:
            del rows[path]
        try:
            for done, path in enumerate(new, 1):
                row = self._read(Path(path), *seen[path])
                if row is None:
                    seen.pop(path)
                    rows.pop(path, None)
                else:
                    rows[path] = row
                if progress is not None and not progress(done / len(new)):
                    raise CancelledError
        finally:
            if new or gone:
                self._remember()
        own = f"{self.own}{os.sep}"
        found: dict[str, Entry] = {}
        broken = []
        for path in seen:
            row = rows[path]
            if row.description is None:
                broken.append((Path(path), row.reason))
            else:
                found.setdefault(row.id, Entry(Path(path), row.id, row.description, path.startswith(own)))
        self._entries, self._broken = found, tuple(broken)
        return sorted(found.values(), key=lambda e: (not e.own, e.title.casefold()))

    def take_over(self, other: Shelf) -> None:
        """Take over what a shelf beside this one has read; nothing is read, unless this one changed meanwhile."""
        if self._turns == other._since:
            self._rows, self._entries, self._broken = other._rows, other._entries, other._broken
            return
        # What was put here meanwhile may lie where the other had looked before.
        self._rows = None
        self.entries()

    def known(self) -> list[Entry]:
        """Return the profiles as they were at the last look."""
        if not self._entries and not self._together:
            return self.entries()
        return sorted(self._entries.values(), key=lambda e: (not e.own, e.title.casefold()))

    @property
    def broken(self) -> tuple[tuple[Path, str], ...]:
        """Files in the folders, at the last look, that are no readable profiles, and why."""
        return self._broken

    @staticmethod
    def _read(path: Path, time: int, size: int) -> _Row | None:
        try:
            profile = Profile.open(path)
            return _Row(time, size, profile.content_id, describe(profile))
        except FideleError as error:
            return _Row(time, size, reason=str(error)) if path.exists() else None

    def _index(self) -> dict[str, _Row]:
        if self._rows is None:
            self._rows = {}
            with contextlib.suppress(FideleError, ValidationError, ValueError):
                stamp, _, body = read_bytes(self.data / "shelf.index", 1 << 28).partition(b"\n")
                if stamp == self._stamp():
                    self._rows = _INDEX.validate_json(body)
        return self._rows

    def _remember(self) -> None:
        with contextlib.suppress(FideleError):  # without it, the next look takes longer
            write_bytes(self.data / "shelf.index", self._stamp() + b"\n" + _INDEX.dump_json(self._index()))

    @staticmethod
    def _stamp() -> bytes:
        return f"fidele {__version__} {_RECIPE}".encode()

    def find(self, profile_id: str) -> Entry | None:
        """Return the entry with this id, or None. Looks again only where the file has changed."""
        entry = self._entries.get(profile_id)
        if entry is not None:
            row = self._index().get(str(entry.path))
            with contextlib.suppress(OSError):
                stat = entry.path.stat()
                if row is not None and (row.time, row.size) == (stat.st_mtime_ns, stat.st_size):
                    return entry
        if self._together:
            return None
        self.entries()
        return self._entries.get(profile_id)

    def load(self, profile_id: str) -> Profile:
        """Return a profile by its id.

        Raises
        ------
        FideleError
            When it is not on the shelf.
        """
        entry = self.find(profile_id)
        if entry is None:
            raise FideleError(tr("The profile of this printing condition is not on the shelf; drop it on the window."))
        return Profile.open(entry.path)

    # At the door -------------------------------------------------------------------------------------------------

    def look(self, path: Path) -> Delivery:
        """Look into a file, a wrapping or a folder without putting anything on the shelf.

        Raises
        ------
        FideleError
            When it cannot be read, or holds no profile at all.
        """
        with self._one_look():
            delivery = self._look_folder(path) if path.is_dir() else self._delivery(open_parcel(path))
        if not delivery.arrivals and not delivery.refused:
            raise FideleError(tr("{path} holds no ICC profile.", path=path))
        return delivery

    def look_into(self, name: str, data: bytes) -> Delivery:
        """Look into bytes that came from elsewhere under a name. Raises as `look` does."""
        with self._one_look():
            return self._delivery(unfold(data, name, name))

    def _delivery(self, parcel: Parcel) -> Delivery:
        return Delivery(tuple(self.judge(f) for f in parcel.profiles), _read(parcel.leaflets), parcel.refused)

    def _look_folder(self, folder: Path) -> Delivery:
        arrivals: list[Arrival] = []
        leaflets: list[tuple[str, bytes]] = []
        refused: list[tuple[str, str]] = []
        for number, path in enumerate(sorted(p for p in folder.rglob("*") if p.is_file())):
            if number >= _FOLDER_FILES:
                refused.append(
                    (
                        str(folder),
                        tr(
                            "{folder} holds more than {folder_files:,} files; the rest was left.",
                            folder=folder,
                            folder_files=_FOLDER_FILES,
                        ),
                    )
                )
                break
            suffix = path.suffix.lower()
            try:
                if suffix in ENDINGS or suffix in PACKED:
                    parcel = open_parcel(path)
                    arrivals += [self.judge(f) for f in parcel.profiles]
                    leaflets += parcel.leaflets
                    refused += parcel.refused
                elif suffix in LEAFLETS and path.stat().st_size <= 8 << 20:
                    leaflets.append((path.name, read_bytes(path, 8 << 20)))
            except FideleError as error:
                refused.append((str(path), str(error)))
        return Delivery(tuple(arrivals), _read(leaflets), tuple(refused))

    def judge(self, found: Found) -> Arrival:
        """Say what a profile at the door is, and whether it is on the shelf already."""
        try:
            profile = Profile.parse(found.data, found.shown)
            what = describe(profile)
            stops = [p.message for p in what.problems if p.weight == "stop"]
            if stops:
                raise ProfileError(stops[0])
        except FideleError as error:
            return Arrival(found, "refused", str(error))
        if self.find(profile.content_id) is not None:
            return Arrival(found, "already", tr("The same profile is on the shelf already."), profile.content_id, what)
        same = what.description.casefold(), what.device_class
        rivals = tuple(e for e in self.known() if (e.title.casefold(), e.description.device_class) == same)
        if rivals:
            return Arrival(
                found,
                "other-version",
                tr(
                    "Another profile on the shelf has the same description: {difference}.",
                    difference=difference(what, rivals[0].description),
                ),
                profile.content_id,
                what,
                rivals,
            )
        return Arrival(found, "new", "", profile.content_id, what)

    def put(self, arrival: Arrival, instead: Entry | None = None) -> Installed:
        """Put an arrival on the shelf, beside what is there, or in place of one profile of the user's.

        Raises
        ------
        FideleError
            When the folder cannot be written, or `instead` belongs to the system.
        """
        if arrival.status == "refused":
            return Installed(arrival.found.shown, "refused", reason=arrival.reason)
        if instead is not None and not instead.own:
            raise FideleError(
                tr("{path} belongs to the system; only an administrator can replace it.", path=instead.path)
            )
        with contextlib.nullcontext() if self._together else self._alone():
            if self.find(arrival.id) is not None:
                return Installed(
                    arrival.found.shown,
                    "already",
                    arrival.id,
                    arrival.title,
                    tr("The same profile is on the shelf already."),
                )
            stem = re.sub(r"[^\w .,+()-]", "_", Path(arrival.found.name).stem).strip(" .")[:100] or "profile"
            path = write_new(self.own, stem, ".icc", arrival.found.data)
        if not self._together:
            self.entries()
        else:
            stat = path.stat()
            row = _Row(stat.st_mtime_ns, stat.st_size, arrival.id, arrival.description)
            self._index()[str(path)] = row
            if arrival.description is not None:
                self._turns += 1
                self._entries[arrival.id] = Entry(path, arrival.id, arrival.description, True)
        if instead is not None:
            self.remove(instead.id)
        return Installed(arrival.found.shown, "installed", arrival.id, arrival.title)

    def install(self, path: Path, every: bool = False, keep_both: bool = False) -> list[Installed]:
        """Put what a file or folder holds on the shelf; one result for each profile.

        Where there is something to choose (several profiles, or another version under the same description) nothing
        is put there and the result is 'choose', unless `every` or `keep_both` says what to do.
        """
        try:
            delivery = self.look(path)
        except FideleError as error:
            return [Installed(str(path), "refused", reason=str(error))]
        results = [Installed(shown, "refused", reason=why) for shown, why in delivery.refused]
        fresh = {a.id for a in delivery.arrivals if a.status in ("new", "other-version")}
        for arrival in delivery.arrivals:
            shown, title = arrival.found.shown, arrival.title
            if arrival.status == "refused":
                results.append(Installed(shown, "refused", reason=arrival.reason))
            elif arrival.status == "already":
                results.append(Installed(shown, "already", arrival.id, title, arrival.reason))
            elif arrival.status == "other-version" and not keep_both:
                results.append(Installed(shown, "choose", arrival.id, title, arrival.reason))
            elif len(fresh) > 1 and not every:
                why = tr("{path} holds {n} profiles that are not on the shelf: say which.", path=path, n=len(fresh))
                results.append(Installed(shown, "choose", arrival.id, title, why))
            else:
                try:
                    results.append(self.put(arrival))
                except FideleError as error:
                    results.append(Installed(shown, "refused", reason=str(error)))
        return results

    @contextlib.contextmanager
    def together(self) -> Iterator[None]:
        """Put or remove many as one: the folders are looked at once before and once after, and the index written once.

        Raises
        ------
        FideleError
            When the folder cannot be written.
        """
        with self._alone():
            try:
                with self._one_look():
                    yield
            finally:
                self.entries()
                self._remember()

    @contextlib.contextmanager
    def _one_look(self) -> Iterator[None]:
        """Look at the folders once, for however much is asked meanwhile."""
        self.entries()
        self._together = True
        try:
            yield
        finally:
            self._together = False

    @contextlib.contextmanager
    def _alone(self) -> Iterator[None]:
        """Keep another Fidele from putting the same profile there at the same moment."""
        try:
            self.data.mkdir(parents=True, exist_ok=True)
            with (self.data / "shelf.lock").open("w") as lock:
                fcntl.flock(lock, fcntl.LOCK_EX)
                yield
        except OSError as error:
            raise FideleError(
                tr("{data} cannot be written: {reason}.", data=self.data, reason=reason(error))
            ) from error

    # Taking off --------------------------------------------------------------------------------------------------

    def remove(self, profile_id: str) -> Removed:
        """Take a profile off the user's folder; its bytes are kept, so that it can be put back.

        Raises
        ------
        FideleError
            When it is not there, or belongs to the system.
        """
        entry = self.find(profile_id)
        if entry is None:
            raise FideleError(tr("This profile is not on the shelf any more."))
        if not entry.own:
            raise FideleError(tr("{path} belongs to the system; only an administrator can remove it.", path=entry.path))
        kept = self.data / "removed" / f"{profile_id}.icc"
        write_bytes(kept, read_bytes(entry.path, LARGEST))
        try:
            entry.path.unlink()
        except OSError as error:
            raise FideleError(
                tr("{path} cannot be removed: {reason}.", path=entry.path, reason=reason(error))
            ) from error
        if self._together:
            self._index().pop(str(entry.path), None)
            self._turns += 1
            self._entries.pop(profile_id, None)
        else:
            self.entries()
        return Removed(entry.path, kept)

    def put_back(self, removed: Removed) -> None:
        """Put a removed profile back where it lay, or beside what has taken its place.

        Raises
        ------
        FideleError
            When the kept bytes are gone or the folder cannot be written.
        """
        data = read_bytes(removed.kept, LARGEST)
        if not looks_like_profile(data):
            raise FideleError(tr("{kept} is no profile any more.", kept=removed.kept))
        write_new(removed.path.parent, removed.path.stem, removed.path.suffix, data)
        self.entries()


def _read(leaflets: Iterable[tuple[str, bytes]]) -> tuple[Leaflet, ...]:
    return tuple(read_leaflet(name, data) for name, data in leaflets)


def difference(new: Description, old: Description) -> str:
    """Say in a few words how two profiles of the same description differ."""
    if new.made and old.made and new.made != old.made:
        return (
            tr("this one was made {made}, that one {made2}", made=new.made[:10], made2=old.made[:10])
            if new.made[:10] != old.made[:10]
            else (tr("this one was made at {made}, that one at {made2}", made=new.made[11:], made2=old.made[11:]))
        )
    if new.version != old.version:
        return tr("this one is of version {version}, that one {version2}", version=new.version, version2=old.version)
    if new.size != old.size:
        return tr("this one has {size:,} bytes, that one {size2:,}", size=new.size, size2=old.size)
    return tr("their tables differ")
