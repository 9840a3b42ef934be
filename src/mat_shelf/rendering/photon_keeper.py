"""The photons of the samples under way, sent only where what decides on their way has changed."""

from collections.abc import Callable

from mat_shelf.rendering.photon_map import (
    Aiming,
    first_radius,
    in_order,
    learnt,
    photons_to_send,
    sends_photons,
    sharp_looks,
)
from mat_shelf.rendering.photons import Photons, no_photons

_KEPT = 3
"""Samples that are kept: those that one edit after another begins with, and the last."""


class PhotonKeeper:
    """Photons of one scene at a time.

    Parameters
    ----------
    send : callable (RenderTask, Aiming, Photons, int)
        Sends the photons of a sample on their way.
    """

    def __init__(self, send: Callable):
        self._send = send
        self._scene: tuple = ()
        self._aiming: Aiming | None = None
        self._first: tuple = ()
        self._radius = 0.0
        self._maps: dict[int, Photons] = {}

    def photons(self, task, size: tuple[int, int], sample: int) -> Photons:
        """Photons of a sample, in order.

        Parameters
        ----------
        task : RenderTask
            Scene, camera and settings.
        size : (int, int)
            Pixels across, and from top to bottom.
        sample : int
            Number of the sample.

        Returns
        -------
        Photons
        """
        table, lights = task.material_table, task.lights
        if task.straight or not task.photons:
            return no_photons(len(lights.table), task.geometry.count)
        scene = task.geometry, lights, sharp_looks(table)
        if not _alike(scene, self._scene):
            self._aiming = sends_photons(task.geometry, table, lights)
            self._scene, self._first = scene, ()
            if self._aiming is not None:
                self._aiming = learnt(self._aiming, self._sent(task, 0, 0))
        if self._aiming is None:
            return no_photons(len(lights.table), task.geometry.count)
        first = task.view, size, task.seed, task.depth, task.fed_depth, task.marked_depth
        if first != self._first:
            self._first, self._maps = first, {}
            sent = self._sent(task, size[0] * size[1], 0)
            self._radius = first_radius(sent, task.view, size[1])
            self._maps[0] = in_order(sent, self._radius)
        if sample not in self._maps:
            # Knaus and Zwicker 2011, (20), with alpha 2/3.
            self._maps[sample] = in_order(
                self._sent(task, size[0] * size[1], sample), self._radius * (sample + 1) ** (-1 / 6)
            )
        while len(self._maps) > _KEPT:
            del self._maps[next(kept for kept in self._maps if kept not in (0, sample))]
        return self._maps[sample]

    def _sent(self, task, pixels: int, sample: int) -> Photons:
        sent = photons_to_send(self._aiming, pixels)
        self._send(task, self._aiming, sent, sample)
        return sent


def _alike(scene: tuple, other: tuple) -> bool:
    return bool(other) and scene[0] is other[0] and scene[1] is other[1] and scene[2] == other[2]
