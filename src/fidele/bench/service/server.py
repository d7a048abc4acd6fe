"""A private print server on the loopback, with the bench's printers as its queues.

It needs no rights and leaves the machine's own server alone: configuration, spool and logs lie in a folder of its
own, its filters and backends are links to the system's and two small scripts. The driver's filter puts the job's
options before the raster; the backend hands both to the machine, which is carried out here, and waits for it.
"""

from __future__ import annotations

import contextlib
import grp
import os
import pwd
import shutil
import socket
import subprocess
import tempfile
import time
from pathlib import Path
from urllib.parse import quote

from fidele.bench.driver import Model
from fidele.bench.service.parent import with_parent
from fidele.bench.service.ppd import ppd_of
from fidele.dataclass import dataclass
from fidele.errors import FideleError
from fidele.language import tr

#: Where Debian and others keep the server and what it runs.
_SERVERS = ("/usr/sbin/cupsd", "/usr/local/sbin/cupsd")
_PROGRAMS, _DATA = Path("/usr/lib/cups"), Path("/usr/share/cups")
_PREFIX = "fidele-service-"
_FILTER = """#!/bin/sh
# The job's options and the driver's defaults, then the raster as it came.
printf 'options %s\\n' "$5"
grep '^\\*Default' "$PPD" | sed 's/^\\*Default/default /'
printf 'raster\\n'
exec cat ${6:+"$6"}
"""
_BACKEND = """#!/bin/sh
# Hands a job to the machine, and waits for what becomes of it.
[ $# -eq 0 ] && { echo 'direct bench "Fidele bench" "Printers of the bench"'; exit 0; }
job="@DROP@/$PRINTER-$1"
trap 'rm -f "$job".*; exit 1' TERM INT
umask 0
cat ${6:+"$6"} > "$job.part" && mv "$job.part" "$job.job" || { echo 'ERROR: no room for the page' >&2; exit 1; }
while :; do
  [ -f "$job.done" ] && { cat "$job.done" >&2; rm -f "$job.done"; exit 0; }
  [ -f "$job.failed" ] && { cat "$job.failed" >&2; rm -f "$job.failed"; exit 1; }
  sleep 0.1
done
"""
_FILES = """ServerRoot {root}/etc
ServerBin {root}/bin
DataDir {data}
CacheDir {root}/cache
StateDir {root}/state
RequestRoot {root}/spool
TempDir {root}/tmp
DocumentRoot {root}/etc
AccessLog {root}/log/access
ErrorLog {root}/log/error
PageLog {root}/log/page
User {user}
Group {group}
SystemGroup {others}
Sandboxing relaxed
FatalErrors none
{environment}
"""
_SERVER = """Listen 127.0.0.1:{port}
Listen {socket}
ServerName 127.0.0.1
Browsing No
WebInterface No
DefaultAuthType None
LogLevel debug
MaxLogSize 1m
PreserveJobHistory Yes
PreserveJobFiles No
MultipleOperationTimeout 30
ErrorPolicy stop-printer
<Location />
  Order allow,deny
  Allow from 127.0.0.1
</Location>
<Location /admin>
  Order allow,deny
  Allow from 127.0.0.1
</Location>
<Policy default>
  JobPrivateAccess all
  JobPrivateValues none
  SubscriptionPrivateAccess all
  SubscriptionPrivateValues none
  <Limit All>
    Order deny,allow
  </Limit>
</Policy>
"""


@dataclass(frozen=True)
class Queue:
    """A queue that is to be served: its name, what people call it, and the printer behind it."""

    name: str
    info: str
    model: Model
    place: str = "on the bench"


def server_program() -> Path | None:
    """Return the print server that this machine has, None where there is none."""
    return next((Path(p) for p in _SERVERS if os.access(p, os.X_OK)), None)


class PrintServer:
    """A private server: `prepare`, `start`, `stop`, `clear`."""

    def __init__(self, queues: tuple[Queue, ...]) -> None:
        self._queues = queues
        self._process: subprocess.Popen | None = None
        self.root = Path()
        self.port = 0

    @property
    def address(self) -> str:
        """What CUPS_SERVER is to be."""
        return f"127.0.0.1:{self.port}"

    @property
    def drop(self) -> Path:
        """Where jobs are handed to the machines."""
        return self.root / "drop"

    def prepare(self) -> None:
        """Make its folder.

        Raises
        ------
        FideleError
            When there is no print server to be had.
        """
        if server_program() is None:
            raise FideleError(tr("There is no print server on this machine: install the package cups-daemon."))
        # Below the system's own folder for such things: those who filter and print need not be who started it.
        self.root = Path(tempfile.mkdtemp(prefix=_PREFIX, dir=_reachable()))
        self.root.chmod(0o755)
        for name in ("etc/ppd", "etc/ssl", "bin", "cache/rss", "state/certs", "spool/tmp", "tmp", "log", "drop", "bus"):
            (self.root / name).mkdir(parents=True)

    def start(self, environment: dict[str, str], seconds: float = 20.0) -> None:
        """Start it; `environment` is what its filters are told.

        Raises
        ------
        FideleError
            When it does not start.
        """
        program = server_program()
        self._furnish(environment)
        if program is None or self._run(program, seconds, environment):
            return
        # Where the system's server is confined to its own folders, a copy of it is not.
        copy = self.root / "cupsd"
        shutil.copy2(program, copy)
        if not self._run(copy, seconds, environment):
            raise FideleError(tr("The private print server did not start: {words}", words=self._last_words()))

    def stop(self) -> None:
        """Stop it."""
        if self._process is not None:
            self._process.terminate()
            try:
                self._process.wait(5)
            except subprocess.TimeoutExpired:
                self._process.kill()
                self._process.wait()
            self._process = None

    def clear(self) -> None:
        """Clear its folder away."""
        if self.root.name.startswith(_PREFIX):
            shutil.rmtree(self.root, ignore_errors=True)

    def alive(self) -> bool:
        """Whether it runs."""
        return self._process is not None and self._process.poll() is None

    def kill(self) -> None:
        """Let it die as a power cut would."""
        if self._process is not None:
            self._process.kill()
            self._process.wait()

    def _run(self, program: Path, seconds: float, environment: dict[str, str]) -> bool:
        self.port = _free_port()
        config = _SERVER.format(port=self.port, socket=self.root / "state" / "socket")
        (self.root / "etc" / "cupsd.conf").write_text(config)
        files = [self.root / "etc/cupsd.conf", self.root / "etc/files.conf"]
        self._process = subprocess.Popen(
            [str(program), "-f", "-c", str(files[0]), "-s", str(files[1])],
            stdout=subprocess.DEVNULL,
            stderr=(self.root / "log/start").open("wb"),
            env=os.environ | environment,
            preexec_fn=with_parent,  # noqa: PLW1509 - one call of the kernel, and nothing else
        )
        until = time.monotonic() + seconds
        while time.monotonic() < until and self._process.poll() is None:
            with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", self.port), 1):
                return True
            time.sleep(0.05)
        self._process.kill()
        self._process.wait()
        return False

    def _last_words(self) -> str:
        for name in ("log/start", "log/error"):
            path = self.root / name
            lines = path.read_text(errors="replace").split("\n") if path.exists() else []
            said = [line for line in lines if line.strip()]
            if said:
                return said[-1][:200]
        return "it said nothing"

    def _furnish(self, told: dict[str, str]) -> None:
        root = self.root
        for name in ("filter", "backend"):
            (root / "bin" / name).mkdir()
            for program in (_PROGRAMS / name).iterdir():
                (root / "bin" / name / program.name).symlink_to(program)
        for name in ("daemon", "notifier", "cgi-bin", "monitor", "driver"):
            if (_PROGRAMS / name).is_dir():
                (root / "bin" / name).symlink_to(_PROGRAMS / name)
        self._script("filter/rastertobench", _FILTER)
        self._script("backend/bench", _BACKEND.replace("@DROP@", str(self.drop)))
        user, group = _other_user()
        environment = "\n".join(f"SetEnv {name} {value}" for name, value in told.items())
        (root / "etc/files.conf").write_text(
            _FILES.format(
                root=root, data=_DATA, user=user, group=group, others=grp.getgrgid(0).gr_name, environment=environment
            )
        )
        said = []
        for queue in self._queues:
            (root / "etc/ppd" / f"{queue.name}.ppd").write_text(ppd_of(queue.model))
            said.append(
                f"<Printer {queue.name}>\nInfo {queue.info}\nLocation {queue.place}\n"
                f"MakeModel {queue.model.title}\nDeviceURI bench:/{quote(queue.name)}\nState Idle\nAccepting Yes\n"
                "Shared No\nJobSheets none none\nErrorPolicy stop-printer\n</Printer>\n"
            )
        (root / "etc/printers.conf").write_text("".join(said))
        # Whatever this process keeps from others, those who filter and print must get in.
        for path in (root, *root.rglob("*")):
            if not path.is_symlink() and not path.is_socket() and root / "bus" not in path.parents:
                path.chmod(0o755 if path.is_dir() or path.parent.parent == root / "bin" else 0o644)
        if os.geteuid() == 0:
            uid, gid = pwd.getpwnam(user).pw_uid, grp.getgrnam(group).gr_gid
            for name in ("drop", "tmp", "spool/tmp", "cache", "state", "spool", "log"):
                os.chown(root / name, 0, gid)
                (root / name).chmod(0o770)
            os.chown(root / "drop", uid, gid)

    def _script(self, name: str, text: str) -> None:
        path = self.root / "bin" / name
        path.write_text(text)
        path.chmod(0o755)


def _reachable() -> str | None:
    """Return a folder that any user can reach, None for the usual one."""
    return "/var/tmp" if os.geteuid() == 0 and Path("/var/tmp").is_dir() else None


def _other_user() -> tuple[str, str]:
    """Return user and group that filters run as: one's own, or, where that is root, the print system's."""
    if os.geteuid() != 0:
        return pwd.getpwuid(os.geteuid()).pw_name, grp.getgrgid(os.getegid()).gr_name
    for name in ("lp", "nobody"):
        with contextlib.suppress(KeyError):
            return name, grp.getgrgid(pwd.getpwnam(name).pw_gid).gr_name
    raise FideleError(tr("This machine has no user 'lp' that a print server could run as."))


def _free_port() -> int:
    with socket.socket() as one:
        one.bind(("127.0.0.1", 0))
        return int(one.getsockname()[1])
