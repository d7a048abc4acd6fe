"""A colour daemon on a bus of its own, for the bench's queues: the machine's own is left alone.

The daemon keeps what it knows in one folder of the system's; a folder of ours is mounted there for it alone.
"""

from __future__ import annotations

import contextlib
import os
import shutil
import subprocess
import time
from pathlib import Path

from fidele.bench.service.parent import with_parent

_DAEMON = "/usr/libexec/colord"
_KEPT = "/var/lib/colord"
_CONFIG = """<!DOCTYPE busconfig PUBLIC "-//freedesktop//DTD D-Bus Bus Configuration 1.0//EN"
 "http://www.freedesktop.org/standards/dbus/1.0/busconfig.dtd">
<busconfig>
  <type>custom</type>
  <listen>unix:path={socket}</listen>
  <auth>EXTERNAL</auth>
  <policy context="default">
    <allow send_destination="*" eavesdrop="true"/><allow eavesdrop="true"/><allow own="*"/><allow user="*"/>
  </policy>
</busconfig>
"""


class PrivateBus:
    """A bus with a colour daemon on it; `address` is '' where it cannot be had."""

    def __init__(self, folder: Path) -> None:
        self._folder, self._running = folder, list[subprocess.Popen]()
        self.address = ""

    def start(self) -> None:
        """Start both, as far as this machine lets us."""
        bus = shutil.which("dbus-daemon")
        unshare = shutil.which("unshare")
        if bus is None or unshare is None or not os.access(_DAEMON, os.X_OK) or not Path(_KEPT).is_dir():
            return
        socket, kept = self._folder / "bus", self._folder / "colour"
        kept.mkdir(parents=True, exist_ok=True)
        config = self._folder / "bus.conf"
        config.write_text(_CONFIG.format(socket=socket))
        self._begin([bus, f"--config-file={config}", "--nofork", "--nopidfile", "--nosyslog"], {})
        if not self._comes(lambda: socket.exists()):
            self.stop()
            return
        socket.chmod(0o777)  # the filters run as another user
        apart = [unshare, "--mount"] if os.geteuid() == 0 else [unshare, "--map-root-user", "--mount"]
        command = f'mount --bind "{kept}" {_KEPT} && exec {_DAEMON}'
        address = f"unix:path={socket}"
        self._begin([*apart, "sh", "-c", command], {"DBUS_SYSTEM_BUS_ADDRESS": address})
        if self._comes(lambda: (kept / "mapping.db").exists()):
            self.address = address
        else:
            self.stop()

    def stop(self) -> None:
        """Stop both."""
        for process in reversed(self._running):
            process.terminate()
            with contextlib.suppress(subprocess.TimeoutExpired):
                process.wait(3)
            process.kill()
            process.wait()
        self._running.clear()

    def _begin(self, command: list[str], environment: dict[str, str]) -> None:
        quiet = subprocess.DEVNULL
        self._running.append(
            subprocess.Popen(
                command,
                stdin=quiet,
                stdout=quiet,
                stderr=quiet,
                env=os.environ | environment,
                preexec_fn=with_parent,  # noqa: PLW1509 - one call of the kernel, and nothing else
            )
        )

    def _comes(self, there: object, seconds: float = 8.0) -> bool:
        until = time.monotonic() + seconds
        while time.monotonic() < until and self._running[-1].poll() is None:
            if there():  # type: ignore[operator]
                return True
            time.sleep(0.05)
        return False
