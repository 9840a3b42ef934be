"""The other side of `bounded.run`: does what it is asked, one thing after another, until its parent is gone."""

import importlib
import os
import resource
import socket
import sys
import threading
from contextlib import suppress

from mat_shelf.system.message import MessageError, receive, send

_MOST_WORDS = 400


def say(text: str) -> None:
    """Tell the parent what is being done; nothing where there is no parent."""
    if _connection is not None:
        send(_connection, {"said": text[:_MOST_WORDS]})


_connection: socket.socket | None = None


def serve(handle: int, lifeline: int, ready: list[str]) -> None:
    """Serve one parent.

    Parameters
    ----------
    handle, lifeline : int
        Of the connection, and of a pipe that closes when the parent is gone.
    ready : list of str
        Modules to load before the first request.
    """
    global _connection
    _connection = socket.socket(fileno=handle)
    threading.Thread(target=_end_with, args=(lifeline,), daemon=True).start()
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    for module in ready:
        with suppress(Exception):  # whoever needs it is told then
            importlib.import_module(module)
    while True:
        try:
            request = receive(_connection)
        except MessageError:
            return
        try:
            _bound(resource.RLIMIT_DATA, _data_now() + request["memory"])
            _bound(resource.RLIMIT_FSIZE, request["output"])
            module, name = request["function"].split(":")
            _answer({"result": getattr(importlib.import_module(module), name)(*request["arguments"])})
        except MessageError:
            return
        except BaseException as fault:
            _bound(resource.RLIMIT_DATA, resource.RLIM_INFINITY)
            _answer({"fault": type(fault).__name__, "words": _words(fault)})


def _answer(answer: dict) -> None:
    answer["most"] = _peak()
    with suppress(BrokenPipeError, ConnectionResetError):
        send(_connection, answer)


def _words(fault: BaseException) -> str:
    try:
        return " ".join(str(fault).split())[:_MOST_WORDS]
    except Exception:  # damaged text inside a message
        return ""


def _bound(kind: int, most: int) -> None:
    hard = resource.getrlimit(kind)[1]
    resource.setrlimit(kind, (most if hard == resource.RLIM_INFINITY else min(most, hard), hard))


def _data_now() -> int:
    """Bytes of private memory that count against RLIMIT_DATA."""
    with open("/proc/self/statm") as file:
        return int(file.read().split()[5]) * resource.getpagesize()


def _peak() -> int:
    """Most bytes that were resident. What ``getrusage`` says begins with those of the program that started this one."""
    with open("/proc/self/status") as file:
        return int(file.read().partition("VmHWM:")[2].split()[0]) * 1024


def _end_with(lifeline: int) -> None:
    os.read(lifeline, 1)
    os._exit(1)


if __name__ == "__main__":
    # The module must be the same one that readers import `say` from.
    from mat_shelf.system import child

    child.serve(int(sys.argv[1]), int(sys.argv[2]), sys.argv[3:])
