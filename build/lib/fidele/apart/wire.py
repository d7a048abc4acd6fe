"""Values between two processes: small parts pickled, arrays and long bytes fetched from the other's memory, once."""

from __future__ import annotations

import ctypes
import dataclasses
import enum
import importlib
import io
import pickle
import socket
import struct
import threading
from typing import Any

import numpy as np

from fidele.arrays import Codes
from fidele.errors import FideleError
from fidele.language import tr

_LIBC = ctypes.CDLL(None, use_errno=True)
_HEAD = struct.Struct("<QQ")
#: Up to so many bytes of arrays are sent as they are.
_SMALL = 1 << 16
#: Arrays from this size on are fetched in halves, by two threads.
_LARGE = 8 << 20
#: No answer's small parts are larger.
_LARGEST = 1 << 28
#: What an answer may be made of beside Fidele's own records and enumerations.
_PLAIN = {
    ("builtins", name) for name in ("tuple", "list", "dict", "set", "frozenset", "bytearray", "complex", "slice")
} | {
    ("numpy", "ndarray"),
    ("numpy", "dtype"),
    ("numpy._core.multiarray", "_reconstruct"),
    ("numpy._core.multiarray", "scalar"),
    ("numpy._core.numeric", "_frombuffer"),
    ("pathlib", "PosixPath"),
    ("datetime", "datetime"),
    ("datetime", "date"),
    ("xml.etree.ElementTree", "Element"),
}


class _Span(ctypes.Structure):
    """struct iovec."""

    _fields_ = (("base", ctypes.c_void_p), ("length", ctypes.c_size_t))


def send(to: socket.socket, value: object) -> None:
    """Send a value. Where its arrays are large, the other side fetches them, and this waits until it has them."""
    buffers: list[pickle.PickleBuffer] = []
    data = pickle.dumps(value, protocol=5, buffer_callback=buffers.append)
    views = [np.frombuffer(b.raw(), np.uint8) for b in buffers]
    places = [number for v in views for number in (v.ctypes.data, v.nbytes)]
    to.sendall(_HEAD.pack(len(data), len(views)) + struct.pack(f"<{len(places)}Q", *places) + data)
    if sum(v.nbytes for v in views) <= _SMALL or to.recv(1) == b"n":
        for view in views:
            to.sendall(view.data)


def receive(of: socket.socket, sender: int | None = None, place: Codes | None = None) -> Any:
    """Return the value that the other side sent.

    Parameters
    ----------
    sender
        The process that it comes from, which is not trusted: its answer is built from plain values, arrays and
        Fidele's own records alone. None trusts.
    place
        Bytes that were made ready for the first large array that has room there.

    Raises
    ------
    EOFError
        When the other side ended before it had sent all.
    pickle.UnpicklingError
        When it sent anything else.
    """
    length, count = _HEAD.unpack(_exactly(of, _HEAD.size))
    if length > _LARGEST or count > 1 << 20:
        raise pickle.UnpicklingError(tr("larger than any answer"))
    places = struct.unpack(f"<{2 * count}Q", _exactly(of, 16 * count))
    data = _exactly(of, length)
    parts = []
    for size in places[1::2]:
        fits = place is not None and _LARGE < size <= place.nbytes
        parts.append(place[:size] if fits and place is not None else np.empty(size, np.uint8))
        place = None if fits else place
    fetched = False
    if sum(places[1::2]) > _SMALL:
        fetched = sender is not None and all(map(_fetched, parts, places[::2], [sender] * count))
        of.sendall(b"y" if fetched else b"n")
    if not fetched:
        for part in parts:
            _fill(of, part.data)
    if sender is None:
        return pickle.loads(data, buffers=parts)
    return _Plain(io.BytesIO(data), buffers=parts).load()


def _fetched(into: Codes, place: int, sender: int) -> bool:
    """Copy from the memory of another process; False where the kernel does not let this one."""
    middle = into.nbytes // 2 if into.nbytes >= _LARGE else 0
    done: list[bool] = []
    other = threading.Thread(target=lambda: done.append(_copied(into[:middle], place, sender)))
    if middle:
        other.start()
    done.append(_copied(into[middle:], place + middle, sender))
    if middle:
        other.join()
    return all(done)


def _copied(into: Codes, place: int, sender: int) -> bool:
    at = 0
    while at < into.nbytes:
        here = _Span(into.ctypes.data + at, into.nbytes - at)
        there = _Span(place + at, into.nbytes - at)
        count = _LIBC.process_vm_readv(sender, ctypes.byref(here), 1, ctypes.byref(there), 1, 0)
        if count <= 0:
            return False
        at += count
    return True


class _Plain(pickle.Unpickler):
    def find_class(self, module: str, name: str) -> Any:
        if (module, name) in _PLAIN:
            return getattr(importlib.import_module(module), name)
        if module.startswith("fidele.") and "." not in name:
            found = getattr(importlib.import_module(module), name, None)
            if isinstance(found, type) and (
                dataclasses.is_dataclass(found) or issubclass(found, (enum.Enum, FideleError))
            ):
                return found
        raise pickle.UnpicklingError(tr("{module}.{name} is nothing that an answer may hold", module=module, name=name))


def _exactly(of: socket.socket, count: int) -> bytearray:
    held = bytearray(count)
    _fill(of, memoryview(held))
    return held


def _fill(of: socket.socket, view: memoryview) -> None:
    while len(view):
        count = of.recv_into(view)
        if not count:
            raise EOFError
        view = view[count:]
