"""The shelf of profiles: the user's colour folder and the system's, read as they are at each look."""

from __future__ import annotations

import re
import zipfile
from dataclasses import dataclass
from pathlib import Path, PurePosixPath

from fidele.errors import FideleError
from fidele.files import read_bytes, reason, write_bytes
from fidele.icc.describe import Description, describe
from fidele.icc.profile import LARGEST, Profile, ProfileError

ENDINGS = (".icc", ".icm")
#: Bounds for what a zip may unfold into.
_ZIP_MEMBERS = 5000
_ZIP_BYTES = 512 * 2**20


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
class Installed:
    """What became of one file: 'installed', 'already' or 'refused', and why."""

    path: str
    status: str
    id: str = ""
    title: str = ""
    reason: str = ""


class Shelf:
    """Profiles in `own` (written to) and in `others` (read only)."""

    def __init__(self, own: Path, others: tuple[Path, ...] = ()) -> None:
        self.own = own
        self.others = others
        self._known: dict[tuple[Path, int, int], Entry] = {}

    def entries(self) -> list[Entry]:
        """Return all readable profiles, the user's first, each content once. Unreadable ones are left out."""
        found: dict[str, Entry] = {}
        for folder in (self.own, *self.others):
            if not folder.is_dir():
                continue
            for path in sorted(p for p in folder.rglob("*") if p.suffix.lower() in ENDINGS):
                entry = self._entry(path, own=folder == self.own)
                if entry is not None:
                    found.setdefault(entry.id, entry)
        return sorted(found.values(), key=lambda e: (not e.own, e.title.casefold()))

    def _entry(self, path: Path, own: bool) -> Entry | None:
        try:
            stat = path.stat()
            key = (path, stat.st_mtime_ns, stat.st_size)
            if key not in self._known:
                profile = Profile.open(path)
                self._known[key] = Entry(path, profile.content_id, describe(profile), own)
            return self._known[key]
        except (FideleError, OSError):
            return None

    def find(self, profile_id: str) -> Entry | None:
        """Return the entry with this id, or None."""
        return next((e for e in self.entries() if e.id == profile_id), None)

    def load(self, profile_id: str) -> Profile:
        """Return a profile by its id.

        Raises
        ------
        FideleError
            When it is not on the shelf.
        """
        entry = self.find(profile_id)
        if entry is None:
            raise FideleError("The profile of this printing condition is not on the shelf; drop it on the window.")
        return Profile.open(entry.path)

    def install(self, path: Path) -> list[Installed]:
        """Put a profile, or every profile inside a zip, on the shelf; one result for each.

        Nothing is overwritten: the same content is 'already' there, another one under the same name gets a number.
        """
        try:
            if path.suffix.lower() == ".zip" or (path.is_file() and zipfile.is_zipfile(path)):
                return self._install_zip(path)
            return [self._install(read_bytes(path, LARGEST), path.name, str(path))]
        except FideleError as error:
            return [Installed(str(path), "refused", reason=str(error))]

    def _install_zip(self, path: Path) -> list[Installed]:
        results: list[Installed] = []
        try:
            with zipfile.ZipFile(path) as bundle:
                members = [
                    m
                    for m in bundle.infolist()
                    if PurePosixPath(m.filename).suffix.lower() in ENDINGS and not m.is_dir()
                ]
                if len(members) > _ZIP_MEMBERS:
                    raise FideleError(f"{path} holds {len(members):,} profiles, more than can be meant.")
                room = _ZIP_BYTES
                for member in members:
                    shown = f"{path}: {member.filename}"
                    if member.flag_bits & 1:
                        results.append(Installed(shown, "refused", reason=f"{shown} is protected by a password."))
                        continue
                    with bundle.open(member) as packed:
                        data = packed.read(min(room, LARGEST) + 1)
                    if len(data) > min(room, LARGEST):
                        raise FideleError(
                            f"{shown} unfolds to more than {min(room, LARGEST) >> 20} MiB, which no profile needs."
                        )
                    room -= len(data)
                    try:
                        results.append(self._install(data, PurePosixPath(member.filename).name, shown))
                    except FideleError as error:
                        results.append(Installed(shown, "refused", reason=str(error)))
        except (zipfile.BadZipFile, NotImplementedError, EOFError, RuntimeError) as error:
            raise FideleError(f"{path} is a damaged zip and was left alone.") from error
        except OSError as error:
            raise FideleError(f"{path} cannot be read: {reason(error)}.") from error
        except Exception as error:  # decompressors raise their own kinds on damaged data
            if isinstance(error, FideleError):
                raise
            raise FideleError(f"{path} is a damaged zip and was left alone.") from error
        if not results:
            raise FideleError(f"{path} holds no ICC profile (.icc or .icm).")
        return results

    def _install(self, data: bytes, name: str, shown: str) -> Installed:
        profile = Profile.parse(data, shown)
        what = describe(profile)
        stops = [p.message for p in what.problems if p.weight == "stop"]
        if stops:
            raise ProfileError(stops[0])
        if self.find(profile.content_id) is not None:
            return Installed(
                shown, "already", profile.content_id, what.description, "The same profile is on the shelf already."
            )
        stem = re.sub(r"[^\w .,+()-]", "_", Path(name).stem).strip(" .")[:100] or "profile"
        target = self.own / f"{stem}.icc"
        number = 2
        while target.exists():
            target = self.own / f"{stem} ({number}).icc"
            number += 1
        write_bytes(target, data)
        return Installed(shown, "installed", profile.content_id, what.description)

    def remove(self, profile_id: str) -> tuple[Path, bytes]:
        """Take a profile off the user's folder; return its place and bytes, so that it can be put back.

        Raises
        ------
        FideleError
            When it is not there, or belongs to the system.
        """
        entry = self.find(profile_id)
        if entry is None:
            raise FideleError("This profile is not on the shelf any more.")
        if not entry.own:
            raise FideleError(f"{entry.path} belongs to the system; only an administrator can remove it.")
        data = read_bytes(entry.path, LARGEST)
        try:
            entry.path.unlink()
        except OSError as error:
            raise FideleError(f"{entry.path} cannot be removed: {reason(error)}.") from error
        return entry.path, data
