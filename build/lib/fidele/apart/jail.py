"""What a process takes from itself before it looks at a file of unknown origin. Linux's own means: rlimits, Landlock
(which files), seccomp (no network, no other programs, no other processes). A kernel without one of them has the others.
"""

from __future__ import annotations

import ctypes
import os
import platform
import resource
import struct
import sys
from collections.abc import Iterable
from pathlib import Path

#: What libraries read beside the interpreter's own.
_LIBRARIES = (
    *("/lib", "/lib64", "/usr/lib", "/usr/local/lib", "/etc/ld.so.cache"),
    *("/dev/null", "/dev/urandom", "/proc/cpuinfo", "/sys/devices/system/cpu"),
)

_LIBC = ctypes.CDLL(None, use_errno=True)
_NO_NEW_PRIVILEGES, _SECCOMP, _DIE_WITH_PARENT = 38, 22, 1

#: Landlock's system calls are numbered alike everywhere (Linux, Documentation/userspace-api/landlock.rst).
_CREATE, _ADD, _RESTRICT = 444, 445, 446
_READ_FILE, _READ_DIR = 1 << 2, 1 << 3
#: All rights to files that each version of Landlock knows; those that are handled are refused unless allowed.
_RIGHTS = {1: (1 << 13) - 1, 2: (1 << 14) - 1, 3: (1 << 15) - 1, 4: (1 << 15) - 1}
_ALL_RIGHTS = (1 << 16) - 1

#: System calls that nothing which decodes a picture needs: audit's name of the machine, then the calls' numbers.
_CALLS = {
    "x86_64": (
        0xC000003E,
        # socket, connect, bind, fork, vfork, execve, kill, ptrace, process_vm_readv and _writev, execveat, io_uring
        (41, 42, 49, 57, 58, 59, 62, 101, 310, 311, 322, 425),
        56,  # clone
    ),
    "aarch64": (0xC00000B7, (198, 203, 200, 221, 129, 117, 270, 271, 281, 425), 220),
}
_CLONE3, _THREAD = 435, 0x10000  # clone3 and CLONE_THREAD
#: Instructions of classic BPF: load a word, jump if equal, jump if a bit is set, return.
_LOAD, _IF_EQUAL, _IF_SET, _RETURN = 0x20, 0x15, 0x45, 0x06
_ALLOW, _REFUSE = 0x7FFF0000, 0x00050000
_NOT_PERMITTED, _NOT_THERE = 1, 38


def confine(files: Iterable[Path], seconds: float, memory: int) -> None:
    """Give up everything but reading libraries and `files`; for good.

    Parameters
    ----------
    seconds
        Computing time after which the kernel ends this process.
    memory
        Bytes that may be taken beside what is held already; see `room_for`.
    """
    _LIBC.prctl(_DIE_WITH_PARENT, 9, 0, 0, 0)
    whole = max(1, round(seconds + 0.5))
    resource.setrlimit(resource.RLIMIT_CPU, (whole, whole + 1))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    held = int(Path("/proc/self/statm").read_text().split()[0]) * resource.getpagesize()
    most = max(held + memory, os.sysconf("SC_PHYS_PAGES") * os.sysconf("SC_PAGE_SIZE") * 3 // 4)
    resource.setrlimit(resource.RLIMIT_AS, (held + memory, most))
    _LIBC.prctl(_NO_NEW_PRIVILEGES, 1, 0, 0, 0)
    _only_read(files)
    _only_compute()


def room_for(size: int) -> None:
    """Let a confined process take `size` bytes more: its file stated, within bounds, that it needs them."""
    soft, hard = resource.getrlimit(resource.RLIMIT_AS)
    if soft != resource.RLIM_INFINITY:
        hard = sys.maxsize if hard == resource.RLIM_INFINITY else hard
        resource.setrlimit(resource.RLIMIT_AS, (min(soft + size, hard), hard))


def _only_read(files: Iterable[Path]) -> None:
    """Leave reading of libraries and of `files`, by Landlock; do nothing where the kernel has none."""
    version = _LIBC.syscall(_CREATE, None, 0, 1)
    if version < 1:
        return
    rights = _RIGHTS.get(version, _ALL_RIGHTS)
    attributes = struct.pack("<Q", rights)
    rules = _LIBC.syscall(_CREATE, attributes, len(attributes), 0)
    package = str(Path(__file__).parent.parent)
    for name in (sys.prefix, sys.base_prefix, package, *_LIBRARIES, *map(str, files)):
        try:
            fd = os.open(name, os.O_PATH | os.O_CLOEXEC)
        except OSError:
            continue
        allowed = _READ_FILE | (_READ_DIR if os.path.isdir(name) else 0)
        _LIBC.syscall(_ADD, rules, 1, struct.pack("<Qi", allowed & rights, fd), 0)
        os.close(fd)
    _LIBC.syscall(_RESTRICT, rules, 0)
    os.close(rules)


def _only_compute() -> None:
    """Refuse network, other programs and other processes, by a filter on system calls; threads stay."""
    known = _CALLS.get(platform.machine())
    if known is None:
        return
    machine, refused, clone = known
    refuse, absent = (_RETURN, 0, 0, _REFUSE | _NOT_PERMITTED), (_RETURN, 0, 0, _REFUSE | _NOT_THERE)
    allow, number, flags = (_RETURN, 0, 0, _ALLOW), (_LOAD, 0, 0, 0), (_LOAD, 0, 0, 16)
    lines = [(_LOAD, 0, 0, 4), (_IF_EQUAL, 1, 0, machine), allow, number]
    for call in refused:
        lines += [(_IF_EQUAL, 0, 1, call), refuse]
    # clone3 keeps its flags where no filter sees them; where it is not there, threads are made by clone.
    lines += [(_IF_EQUAL, 0, 1, _CLONE3), absent]
    lines += [(_IF_EQUAL, 0, 3, clone), flags, (_IF_SET, 1, 0, _THREAD), refuse, allow]
    code = ctypes.create_string_buffer(b"".join(struct.pack("<HBBI", *line) for line in lines))
    _LIBC.prctl(_SECCOMP, 2, struct.pack("@HP", len(lines), ctypes.addressof(code)), 0, 0)
