"""Qt faces of objects that know no Qt: the same attributes, and their signals as Qt signals.

Views connect to Qt signals, which are disconnected when a view is deleted, are queued between threads, and go on to the
next view where one fails.
"""

from inspect import getmembers

import psygnal
from PyQt6.QtCore import QObject, pyqtSignal


class Face(QObject):
    """Base of the classes that `face_of` makes.

    Parameters
    ----------
    model : object
        What it is a face of.
    """

    signal_names: tuple[str, ...] = ()

    def __init__(self, model: object):
        super().__init__()
        object.__setattr__(self, "model", model)
        for name in self.signal_names:
            mirrored = getattr(self, name)
            getattr(model, name).connect(lambda *values, mirrored=mirrored: mirrored.emit(*values))

    def __getattr__(self, name: str):
        if name == "model":  # it is asked for before there is one
            raise AttributeError(name)
        return getattr(self.model, name)

    def __setattr__(self, name: str, value) -> None:
        if hasattr(type(self.model), name) or name in vars(self.model):
            setattr(self.model, name, value)
        else:
            super().__setattr__(name, value)


def face_of(model: type) -> type[Face]:
    """A class of Qt faces for the instances of a class with psygnal signals."""
    signals = {name: signal for name, signal in getmembers(model) if isinstance(signal, psygnal.Signal)}
    members = {
        name: pyqtSignal(*(kind.annotation for kind in signal.signature.parameters.values()))
        for name, signal in signals.items()
    }
    return type(f"{model.__name__}Face", (Face,), members | {"signal_names": tuple(signals)})
