"""The photons of the samples under way, sent only where what decides on their way has changed."""

from collections.abc import Callable
from dataclasses import replace
from typing import NamedTuple

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
from mat_shelf.rendering.render_task import MOST_BOUNCES, RenderTask

_KEPT = 3
"""Samples of a picture that are kept, the first, with which one edit after another begins, and the last; and pictures:
panes take turns."""


class _Scene(NamedTuple):
    """Photons of a scene.

    Attributes
    ----------
    key : (Geometry, Lights, tuple)
        What they depend on.
    aiming : Aiming or None
    pictures : dict
        Of each picture the radius of its first sample and the photons of some samples.
    """

    key: tuple
    aiming: Aiming | None
    pictures: dict[tuple, tuple[float, dict[int, Photons]]]


class PhotonKeeper:
    """Photons of two scenes at a time: on a photograph a set is rendered with the product and without it.

    Parameters
    ----------
    send : callable (RenderTask, Aiming, Photons, int)
        Sends the photons of a sample on their way.
    """

    def __init__(self, send: Callable):
        self._send = send
        self._scenes: list[_Scene] = []
        self._asked: tuple = (None, None, None)
        self._found: _Scene | None = None

    def photons(self, task: RenderTask, size: tuple[int, int], sample: int) -> Photons:
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
        lights = task.lights
        if task.straight or not task.photons:
            return no_photons(len(lights.table), task.geometry.count)
        scene = self._scene(task)
        if scene.aiming is None:
            return no_photons(len(lights.table), task.geometry.count)
        picture, pixels = (task.view, size, task.seed, task.depth, task.fed_depth, task.marked_depth), size[0] * size[1]
        if picture not in scene.pictures:
            sent = self._sent(task, scene.aiming, pixels, 0)
            radius = first_radius(sent, task.view, size[1])
            scene.pictures[picture] = radius, {0: in_order(sent, radius)}
            while len(scene.pictures) > _KEPT:
                del scene.pictures[next(iter(scene.pictures))]
        radius, maps = scene.pictures[picture]
        if sample not in maps:
            # Knaus and Zwicker 2011, (20), with alpha 2/3.
            sent = self._sent(task, scene.aiming, pixels, sample)
            maps[sample] = in_order(sent, radius * (sample + 1) ** (-1 / 6))
        while len(maps) > _KEPT:
            del maps[next(kept for kept in maps if kept not in (0, sample))]
        return maps[sample]

    def _scene(self, task: RenderTask) -> _Scene:
        asked = task.geometry, task.lights, task.material_table
        if not all(known is now for known, now in zip(self._asked, asked, strict=True)):
            self._asked, self._found = asked, self._scene_of(task)
        return self._found

    def _scene_of(self, task: RenderTask) -> _Scene:
        key = task.geometry, task.lights, sharp_looks(task.material_table)
        for scene in self._scenes:
            if _alike(scene.key, key):
                return scene
        aiming = sends_photons(task.geometry, task.material_table, task.lights)
        if aiming is not None:
            # The same whatever picture of the scene comes first.
            plain = replace(task, seed=1, depth=MOST_BOUNCES, fed_depth=MOST_BOUNCES, marked_depth=MOST_BOUNCES)
            aiming = learnt(aiming, self._sent(plain, aiming, 0, 0))
        self._scenes = [*self._scenes[-1:], _Scene(key, aiming, {})]
        return self._scenes[-1]

    def _sent(self, task: RenderTask, aiming: Aiming, pixels: int, sample: int) -> Photons:
        sent = photons_to_send(aiming, pixels)
        self._send(task, aiming, sent, sample)
        return sent


def _alike(scene: tuple, other: tuple) -> bool:
    return scene[0] is other[0] and scene[1] is other[1] and scene[2] == other[2]
