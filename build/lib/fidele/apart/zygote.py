"""The process that children are forked from: it has everything loaded that decodes, and has never seen a file.

A fork of it takes a few milliseconds and ends with its one job, so that nothing a file did to it stays.
"""

from __future__ import annotations

import gc
import importlib
import logging
import os
import resource
import signal
import socket
import struct
import sys
import traceback
import types

from fidele.apart import jail, process, wire
from fidele.errors import FideleError

#: What is loaded once for all children.
_LOADED = ("fidele.artwork.open", "imagecodecs", "PIL.Image", "PIL.ImageOps", "tifffile", "fidele.chart.measured_file")
#: Decoders that imagecodecs loads when they are first used, which a child does but once.
_CODECS = ("png", "zlib", "deflate", "lzw", "packbits", "delta", "jpeg8", "zstd", "lzma")
_LATER = (
    *("fidele.store.cards", "fidele.store.parcel", "fidele.artwork.svg", "fidele.artwork.pdf"),
    *("fidele.artwork.stream", "fidele.papers.leaflet", "email.policy", "pikepdf", "pypdfium2", "resvg_py"),
)


def serve(control: socket.socket) -> None:
    """Fork a child for each socket that comes in, until the other side goes."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)
    later = list(_LATER)
    for name in _LOADED:
        importlib.import_module(name)
    from PIL import Image

    for name in _CODECS:
        getattr(importlib.import_module("imagecodecs"), f"{name}_decode")
    Image.preinit()
    gc.freeze()  # what is loaded is no garbage, and a child that looked at it all would copy it all
    spare = _forked(control)
    while True:
        control.settimeout(0.0 if later else None)
        try:
            said, fds, _, _ = socket.recv_fds(control, 1, 1)
        except BlockingIOError:
            importlib.import_module(later.pop(0))
            continue
        if not said or not fds:
            return
        socket.send_fds(spare, [b"c"], [fds[0]])
        spare.close()
        os.close(fds[0])
        spare = _forked(control)


def _forked(*others: socket.socket) -> socket.socket:
    """Fork a child that waits for its asker, before one is there: a fork takes longer than handing it over."""
    ours, theirs = socket.socketpair()
    if os.fork() == 0:
        for other in (ours, *others):
            other.close()
        said, fds, _, _ = socket.recv_fds(theirs, 1, 1)
        if said and fds:
            _work(socket.socket(fileno=fds[0]))
        os._exit(0)
    theirs.close()
    return ours


def _work(asker: socket.socket) -> None:
    """Do one job and end."""
    try:
        asker.setblocking(True)
        asker.sendall(struct.pack("<Q", os.getpid()))
        module, name, args, named, files, seconds, memory = wire.receive(asker)
        nothing = os.open(os.devnull, os.O_RDWR)
        for stream in (0, 1, 2):
            os.dup2(nothing, stream)
        logging.disable(logging.NOTSET)
        process.inside = True
        process.tell = lambda size: wire.send(asker, ("expect", size, 0))
        try:
            function = getattr(importlib.import_module(module), name)
            jail.confine(files, seconds, memory)
            answer = ("done", _in_parts(asker, function(*args, **named)))
        except FideleError as error:
            answer = ("refused", error)
        except MemoryError:
            answer = ("memory", "")
        except BaseException:
            answer = ("failed", traceback.format_exc())
        try:
            wire.send(asker, (*answer, _peak()))
        except (MemoryError, OSError):
            del answer
            wire.send(asker, ("memory", "", _peak()))
    finally:
        os._exit(0)


def _peak() -> int:
    """Return the most bytes that this process has held."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss << 10


def _in_parts(asker: socket.socket, answer: object) -> object:
    """Send what comes in parts, each when the one before has been taken; return what comes whole."""
    if not isinstance(answer, types.GeneratorType):
        return answer
    for part in answer:
        wire.send(asker, ("part", part, _peak()))
        if not asker.recv(1):
            os._exit(0)
    return None


if __name__ == "__main__":
    serve(socket.socket(fileno=int(sys.argv[1])))
