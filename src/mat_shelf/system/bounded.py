"""Functions run in another process, with bounds on what they take."""

import atexit
import os
import select
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from typing import Any, NamedTuple

from mat_shelf.system.message import MessageError, receive, send

_LOOK_S = 0.05
"""How often a caller's `progress` is asked."""
_LARGE = 1 << 30
"""Bytes once resident after which a process is not used again: what was freed is seldom given back."""
_PATIENCE = 6
"""Times as long as a call may take of a processor that it may take in all: it may wait for one, but not for ever."""
KEPT = 2
"""Processes that wait for the next call; as many calls are best made at once."""


class Limits(NamedTuple):
    """Limits of one call.

    Attributes
    ----------
    memory : int
        Bytes beyond what the process already has.
    output : int
        Bytes of its result.
    seconds : float
        Of a processor, so that a busy machine does not make a sound file too slow.
    """

    memory: int = 1 << 30
    output: int = (1 << 30) + (1 << 20)
    seconds: float = 20.0


USUAL = Limits()


class LimitError(Exception):
    """A call that ended without a result: it took too much or crashed. The message says which."""


class TooLongError(LimitError):
    """A call that was ended because it took too long."""


class FaultError(Exception):
    """An exception on the other side.

    Attributes
    ----------
    kind : str
        Name of its class.
    """

    def __init__(self, kind: str, words: str):
        super().__init__(words)
        self.kind = kind


class _Child:
    """One process and the connection to it."""

    def __init__(self, modules: tuple[str, ...] = ()):
        ours, theirs = socket.socketpair()
        lifeline, self._held = os.pipe()
        handles = (theirs.fileno(), lifeline)
        environment = os.environ | {"OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1", "MALLOC_ARENA_MAX": "2"}
        # With -P nothing is imported from the folder that the program was started in.
        try:
            self.process = subprocess.Popen(
                [sys.executable, "-P", "-m", "mat_shelf.system.child", *map(str, handles), *modules],
                pass_fds=handles,
                stdin=subprocess.DEVNULL,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
                env=environment,
            )
        except OSError:
            os.close(self._held)
            ours.close()
            raise
        finally:
            theirs.close()
            os.close(lifeline)
        self.connection = ours

    def seconds_used(self) -> float:
        """Processor time that it took so far; 0 if it has ended."""
        try:
            with open(f"/proc/{self.process.pid}/stat") as file:
                fields = file.read().rpartition(")")[2].split()
        except (OSError, IndexError):
            return 0.0
        return (int(fields[11]) + int(fields[12])) / os.sysconf("SC_CLK_TCK")

    def end(self) -> None:
        with suppress(OSError):
            self.process.kill()
        self.connection.close()
        with suppress(OSError):
            os.close(self._held)
        self.process.wait()


_idle: list[_Child] = []
_lock = threading.Lock()


def prepare(*modules: str) -> None:
    """Start the processes that wait for calls, with some modules loaded, as far as they do not wait yet."""
    with _lock, suppress(OSError):  # the call itself says why
        while len(_idle) < KEPT:
            _idle.append(_Child(modules))


def run_bounded(
    function: Callable,
    *arguments: Any,
    limits: Limits = USUAL,
    progress: Callable[[str], bool] = lambda text: True,
) -> Any:
    """The result of a function of a module, called in another process.

    Parameters
    ----------
    function : callable
        One that can be imported by its name.
    *arguments
        Dicts, lists, numbers, text, None, bytes and arrays; the same it may return.
    progress : callable (str) -> bool
        Called several times a second with what was said last; False cancels.

    Raises
    ------
    FaultError
        If it raised.
    LimitError
        If it took more than it may, or crashed.
    InterruptedError
        If `progress` said so.
    """
    request = {
        "function": f"{function.__module__}:{function.__qualname__}",
        "arguments": arguments,
        "memory": limits.memory,
        "output": limits.output,
    }
    child = _taken()
    try:
        try:
            send(child.connection, request)
        except (BrokenPipeError, ConnectionResetError):  # it had ended while it waited
            child.end()
            child = _taken(fresh=True)
            send(child.connection, request)
        answer = _answer(child, limits, progress)
    except BaseException:
        child.end()
        raise
    if answer.get("fault") == "MemoryError" or answer["most"] > _LARGE:
        child.end()
    else:
        _give_back(child)
    if answer.get("fault") == "MemoryError":
        raise LimitError(f"it takes more than {_size(limits.memory)} of memory to read")
    if "fault" in answer:
        if answer["fault"] == "OSError" and "File too large" in answer["words"]:
            raise LimitError(f"it would take more than {_size(limits.output)}")
        raise FaultError(answer["fault"], answer["words"])
    return answer["result"]


def _answer(child: _Child, limits: Limits, progress: Callable[[str], bool]) -> dict:
    began, said = child.seconds_used(), ""
    ends = time.monotonic() + _PATIENCE * limits.seconds
    while True:
        if select.select([child.connection], [], [], _LOOK_S)[0]:
            try:
                answer = receive(child.connection)
            except MessageError:
                raise LimitError("it is damaged, or asks for more than it may") from None
            if not isinstance(answer, dict):
                raise LimitError("it is damaged, or asks for more than it may")
            if "said" not in answer:
                return answer
            said = answer["said"]
        if not progress(said):
            raise InterruptedError("cancelled")
        if child.seconds_used() - began > limits.seconds or time.monotonic() > ends:
            raise TooLongError(f"it takes longer than {limits.seconds:.0f} s to read")


def _taken(fresh: bool = False) -> _Child:
    with _lock:
        while _idle and not fresh:
            child = _idle.pop()
            if child.process.poll() is None:
                return child
            child.end()
    try:
        return _Child()
    except OSError as fault:
        raise LimitError(f"the process that reads it could not be started ({fault.strerror})") from fault


def _give_back(child: _Child) -> None:
    with _lock:
        if len(_idle) < KEPT:
            _idle.append(child)
            return
    child.end()


def close() -> None:
    """End the processes that wait."""
    with _lock:
        children, _idle[:] = list(_idle), []
    for child in children:
        child.end()


atexit.register(close)


def _size(count: int) -> str:
    return f"{count / (1 << 30):.1f} GB" if count >= 1 << 30 else f"{count / (1 << 20):.0f} MB"
