"""Rooms: what surrounds a set at infinity, as latitude-longitude pictures."""

import math
from collections.abc import Mapping

import numpy as np
from scipy.ndimage import gaussian_filter1d, map_coordinates

from mat_shelf.document.set import Set
from mat_shelf.optics.parameters import WHITE
from mat_shelf.scene.sky import sky_room


def room_of(studio: Set, rooms: Mapping[str, np.ndarray]) -> np.ndarray:
    """The room of a set, turned and brightened as it says, (H, 2H, 3) float32, 1 = 1000 cd/m2.

    Parameters
    ----------
    studio : Set
        The set.
    rooms : mapping from SHA-256 to (H, 2H, 3) float32
        Environment images. Raises KeyError where the set's own is not among them.

    Returns
    -------
    (H, 2H, 3) float32
    """
    if studio.sky is not None:
        return _turned(sky_room(studio.sky), studio.turn)
    if studio.room is None:
        return plain_room(studio.surround, studio.ground)
    room = rooms[studio.room.digest]
    if studio.room_most > 0:
        room = np.minimum(room, np.float32(studio.room_most))
    if studio.room_blur > 0:
        room = blurred(room, studio.room_blur)
    if studio.room_tilt != 0:
        room = tilted(room, studio.room_tilt)
    return _turned(room, studio.turn) * np.float32(studio.room_luminance / WHITE)


def seen_in(room: np.ndarray, directions: np.ndarray) -> np.ndarray:
    """Light of a room from some directions.

    Parameters
    ----------
    room : (H, 2H, 3) float32
        The room.
    directions : (..., 3) float
        Unit directions.

    Returns
    -------
    (..., 3) float32
    """
    x, y, z = np.moveaxis(directions, -1, 0)
    height, width = room.shape[:2]
    row = np.arccos(np.clip(y, -1, 1)) / np.pi * height - 0.5
    column = (np.arctan2(-x, z) / (2 * np.pi) + 0.5) * width - 0.5
    # A column more on either side, so that it goes round.
    wide = np.concatenate([room[:, -1:], room, room[:, :1]], axis=1)
    places = np.clip(row, 0, height - 1), column + 1
    return np.stack([map_coordinates(wide[..., k], places, order=1, mode="nearest") for k in range(3)], axis=-1)


def _turned(room: np.ndarray, degrees: float) -> np.ndarray:
    # Column 0 looks to -z and columns run to the viewer's right, so a positive turn carries them back.
    return np.roll(room, -round(degrees / 360 * room.shape[1]), axis=1)


def blurred(room: np.ndarray, degrees: float) -> np.ndarray:
    """A room out of focus, of about the same light.

    Parameters
    ----------
    room : (H, 2H, 3) float32
        The room.
    degrees : float
        Standard deviation of the blur.

    Returns
    -------
    (H, 2H, 3) float32
    """
    height, width = room.shape[:2]
    rows = degrees / 180 * height
    # Beyond a pole lies what is on the other side of it.
    over = min(int(4 * rows) + 1, height)
    beyond = np.roll(room[::-1], width // 2, axis=1)
    tall = np.concatenate([beyond[height - over :], room, beyond[:over]])
    tall = gaussian_filter1d(tall, rows, axis=0)[over : over + height]
    # A circle of latitude is shorter the nearer it lies to a pole.
    shrink = np.maximum(np.sin((np.arange(height) + 0.5) / height * np.pi), 1e-3)
    waves = np.arange(width // 2 + 1)
    damping = np.exp(-0.5 * (waves[None, :] * (math.radians(degrees) / shrink)[:, None]) ** 2)
    soft = np.fft.irfft(np.fft.rfft(tall, axis=1) * damping[..., None], width, axis=1)
    return np.maximum(soft, 0).astype(np.float32)


def tilted(room: np.ndarray, degrees: float) -> np.ndarray:
    """A room tilted about the axis that runs from left to right: what lies in front comes up.

    Parameters
    ----------
    room : (H, 2H, 3) float32
        The room.
    degrees : float
        The angle.

    Returns
    -------
    (H, 2H, 3) float32
    """
    height, width = room.shape[:2]
    polar = ((np.arange(height) + 0.5) / height * np.pi)[:, None]
    around = (np.arange(width) + 0.5) / width * 2 * np.pi - np.pi
    x, y, z = -np.sin(polar) * np.sin(around), np.cos(polar) * np.ones(width), np.sin(polar) * np.cos(around)
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    y, z = c * y - s * z, c * z + s * y
    row = np.arccos(np.clip(y, -1, 1)) / np.pi * height - 0.5
    column = (np.arctan2(-x, z) / (2 * np.pi) + 0.5) * width - 0.5
    padded = np.concatenate([room, room[:, :1]], axis=1)
    column = np.mod(column, width)
    places = np.stack([np.clip(row, 0, height - 1), column])
    return np.stack([map_coordinates(padded[..., k], places, order=1, mode="nearest") for k in range(3)], axis=-1)


def plain_room(above: float, below: float, height: int = 64) -> np.ndarray:
    """A room that fades from `above` to `below` (cd/m2) across the horizon, (height, 2 * height, 3) float32.

    Parameters
    ----------
    above, below : float
        Luminance, cd/m2.
    height : int
        Rows.

    Returns
    -------
    array
    """
    up = np.cos((np.arange(height) + 0.5) / height * np.pi)
    share = 1 / (1 + np.exp(-up * 6))
    value = (below + (above - below) * share) / WHITE
    return np.broadcast_to(value[:, None, None], (height, 2 * height, 3)).astype(np.float32)
