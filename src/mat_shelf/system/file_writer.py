"""The one writer of files: at every moment the old file or the new one stands at the path, whole."""

import errno
import fcntl
import os
import secrets
import stat
import time
from contextlib import suppress
from pathlib import Path
from typing import BinaryIO, NamedTuple

_CHUNK = 1 << 20
_SWEPT_AFTER_S = 60.0
"""Age below which a temporary file that nobody holds may still be about to be locked."""
_WORDS = {
    errno.ENOSPC: "the disk is full; free some space or choose another folder",
    errno.EDQUOT: "your share of the disk is used up; free some space or choose another folder",
    errno.EACCES: "it may not be written; change its permissions or choose another folder",
    errno.EPERM: "it may not be written; change its permissions or choose another folder",
    errno.EROFS: "that disk can only be read; choose another folder",
    errno.ENAMETOOLONG: "the name is too long; choose a shorter one",
    errno.EFBIG: "the file would be larger than the disk allows; choose another disk",
    errno.EIO: "the disk reports a fault; choose another disk",
    errno.EISDIR: "a folder of that name is there; choose another name",
    errno.ENOENT: "it cannot be created there; choose another folder",
}


class WriteError(OSError):
    """A file that could not be written; the message says why and what to do. What stood at the path is untouched."""


class ChangedElsewhereError(WriteError):
    """The file at the path is not the one that was read or written last."""


class Stamp(NamedTuple):
    """State of a file on disk, to tell it from another."""

    inode: int
    size: int
    modified_ns: int


ANY = object()
"""For `write_file`: whatever stands at the path may be replaced."""


def stamp_of(path: Path) -> Stamp | None:
    """The present state of the file that a path leads to; None where there is none."""
    try:
        found = os.stat(path)
    except OSError:
        return None
    return Stamp(found.st_ino, found.st_size, found.st_mtime_ns)


def words_of(fault: Exception) -> str:
    """Why something was refused, and what to do about it where the system did."""
    if isinstance(fault, MemoryError):
        return str(fault) or "it needs more memory than there is; close other programs"
    if isinstance(fault, OSError):
        return _WORDS.get(fault.errno) or fault.strerror or str(fault)
    return str(fault)


def write_file(path: Path, content: bytes | BinaryIO, keep_previous: bool = False, expected=ANY) -> Stamp:
    """Write a file beside its place, then put it there.

    A symbolic link is followed, so that what it leads to is replaced and not the link. The mode of a file that was
    there is kept.

    Parameters
    ----------
    content : bytes or seekable binary stream
        All of the stream is taken, from its start.
    keep_previous : bool
        Whether the file that was there stays, with ``~`` behind its name.
    expected : Stamp or None, optional
        What `stamp_of` said of the path when it was last read or written; by default anything is replaced.

    Returns
    -------
    Stamp
        Of the new file.

    Raises
    ------
    ChangedElsewhereError
        If something else than `expected` is there.
    WriteError
        If it cannot be written.
    """
    path = Path(path)
    target = Path(os.path.realpath(path))
    if not target.parent.is_dir():
        raise WriteError(f"the folder {path.parent} does not exist; choose another")
    mode = _mode_of(target, path)
    present = stamp_of(target)
    if expected is not ANY and present is not None and present != expected:
        raise ChangedElsewhereError(f"{path.name} was changed by another program since it was read or saved here")
    temporary = previous = None
    try:
        temporary = _written_beside(target, content, mode)
        if keep_previous and present is not None:
            previous = _another_of(target, mode)
            os.replace(previous, target.with_name(target.name + "~"))
            previous = None
        os.replace(temporary, target)
        temporary = None
        _sync_folder(target.parent)
    except OSError as fault:
        raise WriteError(f"{path.name} could not be written: {words_of(fault)}") from fault
    finally:
        for left in (temporary, previous):
            if left is not None:
                with suppress(OSError):
                    os.unlink(left)
    return stamp_of(target)


def sweep(folder: Path) -> int:
    """Remove the temporary files that programs which were killed left in a folder; returns how many."""
    removed = 0
    with suppress(OSError):
        for left in Path(folder).glob(".ms-*.part"):
            with suppress(OSError):
                removed += _remove_if_left(left)
    return removed


def _mode_of(target: Path, path: Path) -> int | None:
    """Permission bits of the file that is there; None where there is none. Raises WriteError if it must stay."""
    try:
        found = os.stat(target)
    except OSError:
        return None
    if stat.S_ISDIR(found.st_mode):
        raise WriteError(f"{path.name} is a folder; choose another name")
    if not stat.S_ISREG(found.st_mode):
        raise WriteError(f"{path.name} is no ordinary file; choose another name")
    if not os.access(target, os.W_OK):
        raise WriteError(f"{path.name} is write-protected; change its permissions or choose another name")
    return stat.S_IMODE(found.st_mode)


def _written_beside(target: Path, content: bytes | BinaryIO, mode: int | None) -> Path:
    """A new file in the same folder, whole and on the disk. Raises OSError."""
    path = target.with_name(f".ms-{secrets.token_hex(4)}.part")
    handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, 0o666)
    try:
        with suppress(OSError):  # a disk without locks; the file's age alone then says that it was left behind
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        if mode is not None:
            with suppress(OSError):  # a disk without permissions
                os.fchmod(handle, mode)
        count = 0
        for block in _blocks(content):
            while block:
                done = os.write(handle, block)
                count += done
                block = block[done:]
        os.fsync(handle)
        if os.fstat(handle).st_size != count:
            raise OSError(errno.EIO, "the disk kept less than was written")
    except BaseException:
        with suppress(OSError):
            os.unlink(path)
        raise
    finally:
        os.close(handle)
    return path


def _blocks(content: bytes | BinaryIO):
    if isinstance(content, bytes | bytearray | memoryview):
        yield memoryview(content)
        return
    content.seek(0)
    while block := content.read(_CHUNK):
        yield memoryview(block)


def _another_of(target: Path, mode: int) -> Path:
    """A second name for the file that is there, or a copy of it on disks that know no second names."""
    other = target.with_name(f".ms-{secrets.token_hex(4)}.part")
    try:
        os.link(target, other)
    except OSError:
        with target.open("rb") as stream:
            return _written_beside(target, stream, mode)
    return other


def _sync_folder(folder: Path) -> None:
    """Bring a folder's entries to the disk, where the disk can do that."""
    try:
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    except OSError:
        return  # a folder that may be written but not listed
    try:
        os.fsync(handle)
    except OSError as fault:
        if fault.errno not in (errno.EINVAL, errno.ENOTSUP, errno.EBADF):
            raise
    finally:
        os.close(handle)


def _remove_if_left(path: Path) -> bool:
    handle = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC)
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        if abs(time.time() - os.fstat(handle).st_mtime) < _SWEPT_AFTER_S:
            return False
        os.unlink(path)
        return True
    finally:
        os.close(handle)
