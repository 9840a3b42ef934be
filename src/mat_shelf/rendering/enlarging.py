"""Enlarging of small pictures of a scene whose surfaces were seen at full size before, as while a light is moved, or a
colour changed that lights all the rest.

What is enlarged is the light that falls on surfaces, between points of the same part that face the same way; what
these surfaces look like, as words of a label, is kept at its full size.
"""

from typing import NamedTuple
from weakref import ref

import numpy as np

from mat_shelf.numerics.kernels import F, kernel
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.render_task import RenderTask
from mat_shelf.rendering.renewal import same_fields
from mat_shelf.scene.looks import has_details_of
from mat_shelf.system.processors import in_parts

_FEWEST = 2
"""Samples by which surfaces are known well enough."""
_DARKEST = F(0.05)
"""Albedo below which a surface counts as a mirror, whose light is enlarged as it is."""
_ELSEWHERE = F(2e-3)
"""Weight of a point of another part."""
_ALIKE = F(12)
"""How quickly the weight of points falls with the difference of their albedo."""


class Guides(NamedTuple):
    """Surfaces that each pixel sees.

    Attributes
    ----------
    albedo : (H, W, 3) float32
    normal : (H, W, 3) float32
    part : (H, W) int32
    """

    albedo: np.ndarray
    normal: np.ndarray
    part: np.ndarray


def guides_of(film: Film) -> Guides:
    """Surfaces that the pixels of a film see, through clear glass.

    Parameters
    ----------
    film : Film
        A film with a sample of each pixel at least.

    Returns
    -------
    Guides
    """
    albedo = np.clip(film.picture("guide_albedo"), 0, 1)
    return Guides(albedo, film.picture("guide_normal"), np.ascontiguousarray(film.part))


def reduced(guides: Guides, height: int, width: int) -> Guides:
    """Surfaces as a smaller picture sees them, without noise.

    Parameters
    ----------
    guides : Guides
        Surfaces of the full size.
    height, width : int
        Size of the smaller picture.

    Returns
    -------
    Guides
        Means of albedo and normal over each of its pixels; the part in the middle.
    """
    (rows, columns), wanted = guides.part.shape, (height, width)
    first = [np.arange(n) * whole // n for n, whole in zip(wanted, (rows, columns), strict=True)]
    counts = np.diff(first[0], append=rows)[:, None] * np.diff(first[1], append=columns)
    both = np.concatenate([guides.albedo, guides.normal], axis=2)
    sums = np.add.reduceat(np.add.reduceat(both, first[0], axis=0), first[1], axis=1)
    means = (sums / counts[..., None]).astype(np.float32)
    middle = [(2 * np.arange(n) + 1) * whole // (2 * n) for n, whole in zip(wanted, (rows, columns), strict=True)]
    part = np.ascontiguousarray(guides.part[np.ix_(*middle)])
    return Guides(np.ascontiguousarray(means[..., :3]), np.ascontiguousarray(means[..., 3:]), part)


def enlarged(light: np.ndarray, seen: Guides, wanted: Guides) -> np.ndarray:
    """A small picture at the size of what is known of its surfaces.

    Parameters
    ----------
    light : (h, w, 3) float32
        The small picture, without noise.
    seen : Guides
        Surfaces that it shows, (h, w).
    wanted : Guides
        Surfaces of the full size, (H, W).

    Returns
    -------
    (H, W, 3) float32

    References
    ----------
    Kopf and others 2007, Joint Bilateral Upsampling, ACM Transactions on Graphics 26(3), section 3.
    """
    fallen = light / np.maximum(seen.albedo, _DARKEST)
    out = np.empty((*wanted.part.shape, 3), np.float32)
    in_parts(len(out), lambda first, last: _enlarge(fallen, *seen, *wanted, first, last, out))
    return out


class KnownSurfaces:
    """Surfaces that the pixels of a picture saw before its light changed."""

    def __init__(self):
        self._geometry = self._material_table = self._view = None
        self._samples = 0
        self._whole: Guides | None = None
        self._small: Guides | None = None

    def keep(self, task: RenderTask, film: Film) -> None:
        """Keeps the surfaces of a film, unless the same are known by more samples.

        Parameters
        ----------
        task : RenderTask
            What the film is of.
        film : Film
            The film; of one on a photograph, or of too few samples, nothing is kept.
        """
        if film.caught is not None or film.samples < _FEWEST:
            return
        if self._whole is None or self._samples < film.samples or not self._is_of(task, film.part.shape):
            # Geometry is large, and known only for as long as something else needs it.
            self._geometry, self._material_table, self._view = ref(task.geometry), task.material_table, task.view
            self._samples, self._whole, self._small = film.samples, guides_of(film), None

    def at(self, task: RenderTask, shape: tuple[int, int], film: Film) -> "Surfaces | None":
        """Surfaces of a task, and as a film of fewer pixels sees them.

        Parameters
        ----------
        task : RenderTask
            The task, of the full size.
        shape : (H, W)
            That size.
        film : Film
            The small film; on a photograph nothing is known of it.

        Returns
        -------
        Surfaces or None
            None where they are not known.
        """
        if film.caught is not None or self._whole is None or not self._is_of(task, shape):
            return None
        if self._small is None or self._small.part.shape != film.part.shape:
            self._small = reduced(self._whole, film.height, film.width)
        return Surfaces(self._whole, self._small)

    def _is_of(self, task: RenderTask, shape: tuple[int, int]) -> bool:
        is_same = self._geometry() is task.geometry and shape == self._whole.part.shape
        return (
            is_same and same_fields(self._view, task.view) and has_details_of(self._material_table, task.material_table)
        )


class Surfaces(NamedTuple):
    """Surfaces at the full size, and as a smaller picture sees them."""

    whole: Guides
    small: Guides


@kernel
def _enlarge(fallen, albedo, normal, part, wide_albedo, wide_normal, wide_part, first, last, out):
    height, width = part.shape
    down, across = F(height) / F(out.shape[0]), F(width) / F(out.shape[1])
    for row in range(first, last):
        y = max((F(row) + F(0.5)) * down - F(0.5), F(0))
        top = min(int(y), max(height - 2, 0))
        v = min(y - F(top), F(1))
        for column in range(out.shape[1]):
            x = max((F(column) + F(0.5)) * across - F(0.5), F(0))
            left = min(int(x), max(width - 2, 0))
            u = min(x - F(left), F(1))
            own = wide_part[row, column]
            red, green, blue, whole = F(0), F(0), F(0), F(0)
            for k in range(4):
                i, j = min(top + k // 2, height - 1), min(left + k % 2, width - 1)
                weight = (v if k >= 2 else F(1) - v) * (u if k % 2 else F(1) - u) + F(1e-4)
                apart = F(0)
                facing = F(0)
                for c in range(3):
                    difference = albedo[i, j, c] - wide_albedo[row, column, c]
                    apart += difference * difference
                    facing += normal[i, j, c] * wide_normal[row, column, c]
                weight *= F(1) / (F(1) + _ALIKE * _ALIKE * apart)
                facing = max(facing, F(0.05))
                weight *= facing * facing * facing * facing
                if part[i, j] != own:
                    weight *= _ELSEWHERE
                red += weight * fallen[i, j, 0]
                green += weight * fallen[i, j, 1]
                blue += weight * fallen[i, j, 2]
                whole += weight
            out[row, column, 0] = red / whole * max(wide_albedo[row, column, 0], _DARKEST)
            out[row, column, 1] = green / whole * max(wide_albedo[row, column, 1], _DARKEST)
            out[row, column, 2] = blue / whole * max(wide_albedo[row, column, 2], _DARKEST)
