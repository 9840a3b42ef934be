"""Faults that a worker survives, handed to whoever takes what nothing else caught."""

import sys


def report(fault: BaseException) -> None:
    """Have a fault told and kept; called on any thread."""
    sys.excepthook(type(fault), fault, fault.__traceback__)
