"""The colour daemon: which profile it has assigned to which printer, and which one it would choose for a job.

It is asked over the system's bus (its interface: org.freedesktop.ColorManager). A filter of the print service asks it
the same way and converts where it names a profile.
"""

from __future__ import annotations

import contextlib
import hashlib
import stat
import threading
from pathlib import Path
from typing import Any

from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.files import read_bytes
from fidele.language import tr

_NAME = "org.freedesktop.ColorManager"
_ROOT = "/org/freedesktop/ColorManager"
_SECONDS = 3.0


@dataclass(frozen=True)
class AssignedProfile:
    """A profile that the daemon has for a printer: where it lies, its title, and what it is for.

    `qualifier` is 'colour model.media.resolution', '*' standing for any.
    """

    path: Path
    title: str
    qualifier: str

    @property
    def named(self) -> bool:
        """Whether it is a file at all: print services register empty ones for what a driver leaves open."""
        return self.path.name != ""


class ColourDaemon:
    """The daemon, as far as it is there; a connection is made for each question, which is rare and cheap."""

    def __init__(self) -> None:
        self._lock = threading.Lock()

    def missing(self) -> str:
        """Return what it takes to use it, '' where it answers."""
        try:
            self._ask([(_ROOT, "org.freedesktop.DBus.Peer", "Ping", "", ())])
        except FideleError as error:
            return str(error)
        return ""

    def assigned(self, queue: str) -> tuple[AssignedProfile, ...]:
        """Return what is assigned to a queue, the default one first; nothing where the daemon does not know it.

        Raises
        ------
        FideleError
            When it is not there or does not answer.
        """
        device = self._device(queue)
        every = [self._profile(path) for path in self._get(device, "Device", "Profiles")] if device else []
        return tuple(p for p in every if p.named)

    def chosen(self, queue: str, qualifiers: tuple[str, ...]) -> AssignedProfile | None:
        """Return the profile that it would choose for a job, by qualifiers of which the best stands first."""
        device = self._device(queue)
        if device is None:
            return None
        try:
            found = self._call(device, f"{_NAME}.Device", "GetProfileForQualifiers", "as", (list(qualifiers),))
        except FideleError:  # none of them fits
            return None
        chosen = self._profile(found[0])
        return chosen if chosen.named else None

    def assign(self, queue: str, profile: Path, qualifier: str) -> None:
        """Assign a profile to a queue and make it the default; one that has the same qualifier gives way.

        Raises
        ------
        FideleError
            When the print service's filters, which run as another user, cannot read the profile.
        """
        hidden = next((p for p in (profile, *profile.resolve().parents) if not _open_to_others(p)), None)
        if hidden is not None:
            raise FideleError(
                tr(
                    "The print service cannot read {name}: {hidden} is closed to others. Put the profile where "
                    "others may read it, or let Fidele convert.",
                    name=profile.name,
                    hidden=hidden,
                )
            )
        device = (
            self._device(queue)
            or self._call(
                _ROOT,
                _NAME,
                "CreateDevice",
                "ssa{ss}",
                (f"cups-{queue}", "disk", {"Kind": "printer", "Mode": "physical"}),
            )[0]
        )
        for old in self._get(device, "Device", "Profiles"):
            if self._profile(old).qualifier == qualifier:
                self._call(device, f"{_NAME}.Device", "RemoveProfile", "o", (old,))
        # The name that desktops give a file of this content; 'normal' is what the daemon keeps until it is restarted.
        name = f"icc-{hashlib.md5(read_bytes(profile, 64 << 20), usedforsecurity=False).hexdigest()}"
        path = self._made(name, profile, qualifier) or self._made(
            f"{name}-{hashlib.sha256(str(profile).encode()).hexdigest()[:8]}", profile, qualifier
        )
        self._call(device, f"{_NAME}.Device", "AddProfile", "so", ("hard", path))
        with contextlib.suppress(FideleError):  # it may be that already
            self._call(device, f"{_NAME}.Device", "MakeProfileDefault", "o", (path,))

    def _made(self, name: str, profile: Path, qualifier: str) -> str | None:
        """Return a file as the daemon knows it by a name, made known where it is new; None where that is another."""
        try:
            path = str(self._call(_ROOT, _NAME, "FindProfileById", "s", (name,))[0])
        except _NotFoundError:
            properties = {"Filename": str(profile), "Qualifier": qualifier, "Format": "ColorSpace.MediaType.Resolution"}
            return str(self._call(_ROOT, _NAME, "CreateProfile", "ssa{ss}", (name, "normal", properties))[0])
        if self._profile(path).path != profile:  # the same content elsewhere, or gone from there
            return None
        with contextlib.suppress(FideleError):
            self._call(path, f"{_NAME}.Profile", "SetProperty", "ss", ("Qualifier", qualifier))
        return path

    def take_away(self, queue: str, qualifiers: tuple[str, ...] = ()) -> None:
        """Take every profile from a queue, or as many as could be chosen by some qualifiers."""
        device = self._device(queue)
        if device is None:
            return
        while qualifiers and self.chosen(queue, qualifiers) is not None:
            (found,) = self._call(device, f"{_NAME}.Device", "GetProfileForQualifiers", "as", (list(qualifiers),))
            self._call(device, f"{_NAME}.Device", "RemoveProfile", "o", (found,))
        if qualifiers:
            return
        for path in self._get(device, "Device", "Profiles"):
            self._call(device, f"{_NAME}.Device", "RemoveProfile", "o", (path,))

    # How it is asked ---------------------------------------------------------------------------------------------

    def _device(self, queue: str) -> str | None:
        try:
            return str(self._call(_ROOT, _NAME, "FindDeviceById", "s", (f"cups-{queue}",))[0])
        except _NotFoundError:
            return None

    def _profile(self, path: str) -> AssignedProfile:
        said = {name: self._get(path, "Profile", name) for name in ("Filename", "Title", "Qualifier")}
        return AssignedProfile(Path(said["Filename"]), said["Title"], said["Qualifier"])

    def _get(self, path: str, kind: str, name: str) -> Any:
        answer = self._call(path, "org.freedesktop.DBus.Properties", "Get", "ss", (f"{_NAME}.{kind}", name))
        return answer[0][1]

    def _call(self, path: str, interface: str, method: str, signature: str, arguments: tuple[Any, ...]) -> Any:
        return self._ask([(path, interface, method, signature, arguments)])[0]

    def _ask(self, calls: list[tuple[str, str, str, str, tuple[Any, ...]]]) -> list[Any]:
        try:
            from jeepney import DBusAddress, MessageType, new_method_call
            from jeepney.io.blocking import open_dbus_connection
        except ImportError as error:
            raise FideleError(
                tr("The colour daemon cannot be asked: the Python package jeepney is missing.")
            ) from error
        answers = []
        try:
            with self._lock, open_dbus_connection("SYSTEM") as bus:
                for path, interface, method, signature, arguments in calls:
                    address = DBusAddress(path, _NAME, interface)
                    message = new_method_call(address, method, signature or None, arguments)
                    reply = bus.send_and_get_reply(message, timeout=_SECONDS)
                    if reply.header.message_type == MessageType.error:
                        raise _refused(str(reply.header.fields), reply.body)
                    answers.append(reply.body)
        except TimeoutError as error:
            raise FideleError(
                tr("The colour daemon does not answer: nothing came for {seconds:g} s.", seconds=_SECONDS)
            ) from error
        except (OSError, KeyError, ValueError, EOFError) as error:
            raise FideleError(tr("The colour daemon cannot be reached: this machine has no system bus.")) from error
        return answers


def _open_to_others(path: Path) -> bool:
    try:
        mode = path.stat().st_mode
    except OSError:
        return False
    return bool(mode & (stat.S_IXOTH if stat.S_ISDIR(mode) else stat.S_IROTH))


class _NotFoundError(FideleError):
    """The daemon knows no such thing."""


def _refused(fields: str, body: tuple[Any, ...]) -> FideleError:
    said = str(body[0])[:160] if body else tr("no reason given")
    if "NotFound" in fields or "Nothing" in fields or "does not exist" in said:
        return _NotFoundError(tr("The colour daemon knows no such thing: {said}.", said=said))
    if "ServiceUnknown" in fields or "NameHasNoOwner" in fields or "not provided by any" in said:
        return FideleError(tr("There is no colour daemon on this machine (package colord): nothing assigns profiles."))
    return FideleError(tr("The colour daemon refused: {said}.", said=said))
