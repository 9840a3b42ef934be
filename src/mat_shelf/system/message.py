"""Values between processes: JSON for what is small, one sealed memory file for arrays and bytes.

Nothing that comes from another process is run or trusted: there are no pickles, every array must lie inside its
memory file, and that can no longer change once it is here.
"""

import fcntl
import json
import mmap
import os
import socket
import struct
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from math import prod
from typing import Any

import numpy as np

_HEADER = struct.Struct("<QQ")
_LARGEST_TEXT = 64 << 20
_ALIGNMENT = 64
_SEALS = fcntl.F_SEAL_SHRINK | fcntl.F_SEAL_GROW | fcntl.F_SEAL_WRITE


class MessageError(Exception):
    """The other side is gone, or sent what is no message."""


@dataclass
class Blocks:
    """An array that is sent as it comes to be, so that it is never whole in the sender's memory.

    Attributes
    ----------
    shape : tuple of int
    dtype : numpy dtype
    parts : iterator of arrays of that dtype
        Together they hold as many elements as the shape says.
    """

    shape: tuple[int, ...]
    dtype: np.dtype
    parts: Iterator[np.ndarray]


def send(connection: socket.socket, value: Any) -> None:
    """Send a value of dicts, lists, numbers, text, None, bytes, arrays and `Blocks`. Raises OSError."""
    with _Memory() as memory:
        text = json.dumps(_written(value, memory)).encode()
        memory.seal()
        socket.send_fds(connection, [_HEADER.pack(len(text), memory.size)], [memory.handle])
    connection.sendall(text)


def receive(connection: socket.socket) -> Any:
    """The next value. Raises MessageError."""
    try:
        header, handles, _, _ = socket.recv_fds(connection, _HEADER.size, 1)
        while header and len(header) < _HEADER.size:
            more = connection.recv(_HEADER.size - len(header))
            header = header + more if more else b""
    except OSError as fault:
        raise MessageError(str(fault)) from fault
    try:
        if not header or len(handles) != 1:
            raise MessageError("the other side is gone")
        length, size = _HEADER.unpack(header)
        if length > _LARGEST_TEXT or os.fstat(handles[0]).st_size != size:
            raise MessageError("a message that is too large")
        if fcntl.fcntl(handles[0], fcntl.F_GET_SEALS) & _SEALS != _SEALS:
            raise MessageError("a message that can still change")
        text = _exactly(connection, length)
        # Pages are shared until someone writes to them.
        memory = mmap.mmap(handles[0], size, access=mmap.ACCESS_COPY) if size else b""
        return _read(json.loads(text), memory)
    except (OSError, ValueError, TypeError, KeyError, RecursionError) as fault:
        raise MessageError(str(fault)) from fault
    finally:
        for handle in handles:
            os.close(handle)


class _Memory:
    """A memory file that grows, and can be sealed."""

    def __enter__(self):
        self.handle = os.memfd_create("mat-shelf", os.MFD_CLOEXEC | os.MFD_ALLOW_SEALING)
        self.size = 0
        return self

    def __exit__(self, *_):
        os.close(self.handle)

    def add(self, parts) -> tuple[int, int]:
        """Append arrays or bytes; returns where they start and how many bytes they are."""
        start = self.size = -(-self.size // _ALIGNMENT) * _ALIGNMENT
        for part in parts:
            view = memoryview(part).cast("B") if not isinstance(part, np.ndarray) else _plain_bytes(part)
            while view:
                done = os.pwrite(self.handle, view, self.size)
                self.size += done
                view = view[done:]
        os.ftruncate(self.handle, self.size)
        return start, self.size - start

    def seal(self) -> None:
        fcntl.fcntl(self.handle, fcntl.F_ADD_SEALS, _SEALS)


def _plain_bytes(array: np.ndarray) -> memoryview:
    return memoryview(np.ascontiguousarray(array).reshape(-1).view(np.uint8))


def _written(value: Any, memory: _Memory) -> Any:
    if isinstance(value, np.ndarray):
        value = Blocks(value.shape, value.dtype, iter([value]))
    if isinstance(value, Blocks):
        dtype = np.dtype(value.dtype)
        start, length = memory.add(value.parts)
        if length != prod(value.shape) * dtype.itemsize:
            raise ValueError("an array that is not as long as its shape")
        return {"array": [start, list(value.shape), dtype.str]}
    if isinstance(value, bytes | bytearray | memoryview):
        return {"bytes": memory.add([value])}
    if isinstance(value, dict):
        return {"map": {str(key): _written(item, memory) for key, item in value.items()}}
    if isinstance(value, list | tuple):
        return [_written(item, memory) for item in value]
    if isinstance(value, np.generic):
        return value.item()
    return value


def _read(value: Any, memory) -> Any:
    if isinstance(value, list):
        return [_read(item, memory) for item in value]
    if not isinstance(value, dict):
        return value
    ((kind, content),) = value.items()
    if kind == "map":
        return {key: _read(item, memory) for key, item in content.items()}
    if kind == "bytes":
        start, length = content
        return bytes(memoryview(memory)[_inside(start, length, memory) :][:length])
    if kind != "array":
        raise ValueError("a message of an unknown kind")
    start, shape, name = content
    dtype = np.dtype(name)
    if dtype.kind not in "buif" or min(shape, default=0) < 0:
        raise ValueError("an array of an unknown kind")
    count = prod(shape)
    if not count:
        return np.zeros(shape, dtype)
    _inside(start, count * dtype.itemsize, memory)
    return np.frombuffer(memory, dtype, count, start).reshape(shape)


def _inside(start: int, length: int, memory) -> int:
    if not 0 <= start <= start + length <= len(memory):
        raise ValueError("an array that lies outside of its message")
    return start


def _exactly(connection: socket.socket, length: int) -> bytes:
    received = bytearray()
    while len(received) < length:
        with suppress(InterruptedError):
            part = connection.recv(min(length - len(received), 1 << 20))
            if not part:
                raise MessageError("the other side is gone")
            received += part
    return bytes(received)
