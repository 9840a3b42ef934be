"""Areas painted over pictures as masks, and spots of pictures filled from their surroundings."""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from PIL import Image, ImageDraw
from scipy.ndimage import gaussian_filter

from mat_shelf.document.finish import Finish
from mat_shelf.document.retouch import PaintedArea
from mat_shelf.rendering.region import film_size

_SHARPEST = 0.6
"""Pixels, standard deviation of the edge of a stroke without softness, so that it is no staircase."""
_AWAY, _WAYS = (2.3, 3.2, 4.5), 24
"""Where the fill of a spot may come from: distances in radii, and how many directions."""
_RING = 1.35
"""Outer radius of the ring round a spot by which fills are compared, in radii."""
_FEATHER = 0.2
"""Share of the radius in which a fill ends gradually."""
_ROUND = 48
"""Places round a spot at which its fill is fitted to what is there."""


_kept: list[tuple] = []
"""Strokes, size and mask of areas but for their last strokes, which grow while they are painted."""
_MOST_KEPT = 4


class Spot(NamedTuple):
    """A disc of a picture, in pixels.

    Attributes
    ----------
    x, y : float
        Its middle, from the left and the top.
    radius : float
    """

    x: float
    y: float
    radius: float


def area_mask(area: PaintedArea, width: int, height: int) -> np.ndarray:
    """Share of each pixel that is in a painted area.

    Parameters
    ----------
    area : PaintedArea
        The area.
    width, height : int
        Pixels of the picture.

    Returns
    -------
    (H, W) float32
    """
    scale, begun, made = width / film_size(width, height)[0], 0, np.zeros((height, width), np.float32)
    for strokes, size, mask in tuple(_kept):
        is_begin = begun < len(strokes) <= len(area.strokes) and size == (width, height)
        if is_begin and all(a is b for a, b in zip(strokes, area.strokes, strict=False)):
            begun, made = len(strokes), mask
    last = len(area.strokes) - 1
    for place, stroke in enumerate(area.strokes[begun:], begun):
        if place == last and last > begun:
            _kept[:] = [(area.strokes[:last], (width, height), made), *_kept[: _MOST_KEPT - 1]]
        across = max(stroke.brush.width * scale, 1.0)
        soft = max(stroke.brush.softness * across / 4, _SHARPEST)
        across = max(across - 2 * soft, 1.0)  # so that it stays about as wide, however soft it is
        sheet = Image.new("L", (width, height))
        pen = ImageDraw.Draw(sheet)
        line = [(x * scale + width / 2 - 0.5, y * scale + height / 2 - 0.5) for x, y in stroke.points]
        if len(line) > 1:
            pen.line(line, 255, round(across), "curve")
        for x, y in (line[0], line[-1]):
            pen.ellipse((x - across / 2, y - across / 2, x + across / 2, y + across / 2), 255)
        share = gaussian_filter(np.asarray(sheet, np.float32) / 255, soft, mode="nearest", truncate=3.0)
        made = made * (1 - share) if stroke.erases else made + (1 - made) * share
    return made


def spots_of(finish: Finish, view: str, width: int, height: int) -> list[Spot]:
    """The spots of a finish that are healed in a view.

    Parameters
    ----------
    finish : Finish
        The finish.
    view : id
        The view.
    width, height : int
        Pixels of the picture.

    Returns
    -------
    list of Spot
    """
    scale = width / film_size(width, height)[0]
    return [
        Spot(each.place[0] * scale + width / 2, each.place[1] * scale + height / 2, max(each.radius * scale, 1.0))
        for each in finish.healed
        if each.view == view
    ]


def healed(light: np.ndarray, spots: Sequence[Spot]) -> np.ndarray:
    """A picture in which spots are filled from their surroundings, one after the other.

    The fill is the disc, some radii away, whose ring is most like that of the spot; at the border it is brought to the
    light that is there, and inside by as much as at the border around, weighted by the inverse square of the distance.

    Parameters
    ----------
    light : (H, W, 3) float32
        Scene-linear.
    spots : sequence of Spot
        Those beyond the picture, or with no room to take a fill from, stay.

    Returns
    -------
    (H, W, 3) float32
        The same array where there are none.
    """
    if not spots:
        return light
    made = np.array(light, np.float32)
    for spot in spots:
        _heal(made, spot)
    return made


def _heal(light: np.ndarray, spot: Spot) -> None:
    height, width = light.shape[:2]
    reach = int(np.ceil(spot.radius * _RING)) + 1
    left, top = int(spot.x) - reach, int(spot.y) - reach
    side = 2 * reach + 1
    rows, columns = np.mgrid[top : top + side, left : left + side]
    far = np.hypot(columns + 0.5 - spot.x, rows + 0.5 - spot.y) / spot.radius
    is_in = (rows >= 0) & (rows < height) & (columns >= 0) & (columns < width)
    ring, disc = is_in & (far > 1) & (far < _RING), is_in & (far <= 1)
    if not ring.any() or not disc.any():
        return
    around, best = np.log1p(light[rows[ring], columns[ring]]), None
    for distance in _AWAY:
        for angle in np.arange(_WAYS) * (2 * np.pi / _WAYS):
            across, down = (round(distance * spot.radius * way) for way in (np.cos(angle), np.sin(angle)))
            if not (left + across >= 0 and left + across + side <= width):
                continue
            if not (top + down >= 0 and top + down + side <= height):
                continue
            there = np.log1p(light[rows[ring] + down, columns[ring] + across])
            apart = there - around
            # A difference all over is made up for; one of pattern is not.
            cost = float(np.var(apart, axis=0).sum() + 0.05 * np.square(apart.mean(axis=0)).sum())
            if best is None or cost < best[0]:
                best = cost, across, down
    if best is None:
        return
    _, across, down = best
    border = np.flatnonzero(ring.ravel())
    border = border[:: max(len(border) // _ROUND, 1)]
    at = rows.ravel()[border], columns.ravel()[border]
    lift = light[at] - light[at[0] + down, at[1] + across]
    y, x = rows[disc], columns[disc]
    near = 1 / (np.square(y[:, None] - at[0]) + np.square(x[:, None] - at[1]) + 1e-3)
    fill = light[y + down, x + across] + (near @ lift) / near.sum(axis=1, keepdims=True)
    share = np.clip((1 - far[disc]) / _FEATHER, 0, 1)[:, None]
    light[y, x] += (np.maximum(fill, 0) - light[y, x]) * share
