"""The passes that a retoucher asks for beside a picture: albedo, normal, depth, position, masks, and each light.

Albedo, normal and masks are those of what each sample sees first, averaged as the picture is, so that they lie exactly
over it, blur of the lens included. Depth and position are not: a mean of two distances is the place of nothing. They
are seen through the middle of each pixel.
"""

from collections.abc import Iterator, Sequence

import numpy as np

from mat_shelf.document.project import Project
from mat_shelf.numerics.low_discrepancy import even_draws
from mat_shelf.rendering import wave_state
from mat_shelf.rendering.camera import white_gains
from mat_shelf.rendering.camera_rays import generate
from mat_shelf.rendering.final_render import Rendered
from mat_shelf.rendering.finish_masks import area_masks, shows
from mat_shelf.rendering.first_hit import find_first_hits, pixel_rays
from mat_shelf.rendering.render_task import RenderTask
from mat_shelf.rendering.wave_state import KINDS, SHADOW
from mat_shelf.scene.bodies import visible_parts
from mat_shelf.scene.interior_list import OUTSIDE
from mat_shelf.scene.relighting import layer_names
from mat_shelf.scene.supplies import Supplies

PASSES = ("albedo", "normal", "depth", "position", "parts", "materials", "lights", "kinds")
MASK_SAMPLES = 64
"""Enough for edges of 64 greys; more would cost time that nobody sees."""
_BAND = 1 << 17
"""Pixels whose samples are looked at together."""
BACKDROP, NOTHING = "Backdrop", "No part"


def render_aovs(project: Project, rendered: Rendered, wanted: Sequence[str] = PASSES[:-1]) -> dict[str, np.ndarray]:
    """Passes of a finished picture.

    Parameters
    ----------
    project : Project
        The project.
    rendered : Rendered
        The render.
    wanted : names out of `PASSES`
        All but the kinds, which the lights leave no room for in a film.

    Returns
    -------
    dict of (H, W, C) float32
        ``albedo`` and ``normal`` (of the world, unit length inside a surface), ``depth`` (along the view, mm, infinite
        where nothing is), ``position`` (mm, 0 where nothing is); and a mask for each part or material that is
        seen, named ``part.NAME`` or ``material.NAME``. The masks of a kind, those of the backdrop and of nothing
        included, sum to 1. ``light.NAME`` for each light, the surround and what glows, which sum to the picture; and so
        do ``kind.NAME`` for each of `wave_state.KINDS` but the last, ``kind.shadow``: the light that is missing for
        what stands in its way.

    Raises
    ------
    ValueError
        If lights or kinds are wanted of a picture that did not keep them apart.
    """
    project = project.as_seen()
    film, task = rendered.film, rendered.task
    made = {}
    if "albedo" in wanted:
        made["albedo"] = np.clip(film.picture("albedo"), 0, 1)
    if "normal" in wanted:
        made["normal"] = film.picture("normal")
    if {"depth", "position"} & set(wanted):
        depth = find_first_hits(project, task.geometry, project.view.camera, film.width, film.height).depth[..., None]
        if "depth" in wanted:
            made["depth"] = depth
        if "position" in wanted:
            origins, directions, cosines = pixel_rays(task.view, film.width, film.height)
            reach = np.where(np.isfinite(depth), depth, 0).reshape(-1) / cosines
            place = origins + directions * reach[:, None]
            made["position"] = np.where(np.isfinite(depth), place.reshape(*depth.shape[:2], 3), 0).astype(np.float32)
    if "lights" in wanted:
        made |= _by_light(project, rendered)
    if "kinds" in wanted:
        made |= _by_kind(project, rendered)
    if {"parts", "materials"} & set(wanted):
        made |= _masks(project, rendered, wanted)
    return made


def _by_light(project: Project, rendered: Rendered) -> dict[str, np.ndarray]:
    """Share of each layer of the film in the picture, which may have lost its noise."""
    lit = rendered.lit
    if lit is None:
        raise ValueError("the picture has not kept its lights apart")
    return _shares(rendered, [f"light.{name}" for name in layer_names(lit, project.product)], "light.Backplate")


def _by_kind(project: Project, rendered: Rendered) -> dict[str, np.ndarray]:
    """The same for kinds of light; and the light that shadows lack."""
    film = rendered.film
    if not rendered.task.by_kind:
        raise ValueError("the picture has not kept kinds of light apart")
    made, gains = _shares(rendered, [f"kind.{name}" for name in KINDS], "kind.backplate"), film.gains
    film.mix(np.eye(len(gains), dtype=np.float32)[SHADOW][:, None].repeat(3, axis=1))
    exposed = white_gains(project.view.camera) * np.float32(2.0**project.set.exposure)
    made[f"kind.{KINDS[SHADOW]}"] = np.maximum(film.picture() * exposed, 0)
    film.mix(gains)
    return made


def _shares(rendered: Rendered, names: list[str], plate: str) -> dict[str, np.ndarray]:
    """Pictures of the layers of a film that are seen, which sum to the picture; `plate` is the one more, if any."""
    film, gains = rendered.film, rendered.film.gains
    names = names + [plate] * (film.layers - len(names))
    layers = {}
    for layer, name in enumerate(names):
        if gains[layer].any():
            film.mix(np.where(np.arange(len(names))[:, None] == layer, gains, 0).astype(np.float32))
            layers[name] = film.picture()
    film.mix(gains)
    share = rendered.light / np.maximum(np.sum(list(layers.values()), axis=0), np.float32(1e-12))
    return {name: picture * share for name, picture in layers.items()}


def seen_samples(rendered: Rendered) -> Iterator[tuple[slice, np.ndarray, np.ndarray]]:
    """The things that samples of a picture see first, some pixels at a time.

    Parameters
    ----------
    rendered : Rendered
        The render.

    Yields
    ------
    pixels : slice
        Of the picture, row by row.
    geometry, primitive : (S, n) int32
        As `Geometry.intersect` has them, of each sample.
    """
    film, task = rendered.film, rendered.task
    samples = min(int(film.sums.counts.max()), MASK_SAMPLES)  # of a region, the pixels outside of it have none
    count = film.width * film.height
    numbers = np.arange(samples, dtype=np.int32)
    even = even_draws(numbers, task.seed)
    begin = wave_state.Beginning(film.width, film.height, numbers, 1, *even, task.seed, OUTSIDE, False, _BAND)
    for first in range(0, count, _BAND):
        every = np.arange(first, min(first + _BAND, count), dtype=np.int32)
        paths = wave_state.new_paths(len(every))
        geometry = np.empty((samples, len(every)), np.int32)
        primitive = np.empty_like(geometry)
        for sample in range(samples):
            generate(task.view, every, 0, len(every), begin, sample, paths, 0)
            geometry[sample], primitive[sample] = task.geometry.intersect(paths.origin, paths.direction)[:2]
        yield slice(first, first + len(every)), geometry, primitive


def _masks(project: Project, rendered: Rendered, wanted: Sequence[str]) -> dict[str, np.ndarray]:
    film, task = rendered.film, rendered.task
    made: dict[tuple[str, int], np.ndarray] = {}
    for pixels, geometry, primitive in seen_samples(rendered):
        for kind, seen in (("parts", geometry), ("materials", seen_rows(task, geometry, primitive))):
            if kind in wanted:
                for index in np.unique(seen):
                    mask = made.setdefault((kind, int(index)), np.zeros(film.width * film.height, np.float32))
                    mask[pixels] = (seen == index).mean(axis=0)
    parts = [project.product.parts[k].name for k in visible_parts(project)]
    materials = [NOTHING, *(material.name for material in project.materials)]
    named: dict[str, np.ndarray] = {}
    for (kind, index), mask in sorted(made.items(), key=lambda each: each[0]):
        names, word = (parts, "part") if kind == "parts" else (materials, "material")
        name = f"{word}.{_name(names, index)}"
        named[name] = named.get(name, 0) + mask.reshape(film.height, film.width, 1)
    return named


def _name(names: Sequence[str], index: int) -> str:
    return names[index] if 0 <= index < len(names) else BACKDROP if index >= 0 else NOTHING


def finish_masks(project: Project, rendered: Rendered, supplies: Supplies) -> dict[str, np.ndarray]:
    """Masks of the adjustments of things in a project's finish, as exact as its passes.

    Parameters
    ----------
    project : Project
        The project.
    rendered : Rendered
        A render of it.
    supplies : Supplies
        Its faces of zones.

    Returns
    -------
    dict of (H, W) float32
        By the adjustments' ids.
    """
    project = project.as_seen()
    film, task = rendered.film, rendered.task
    painted = area_masks(project.finish, project.current_view, film.width, film.height)
    working = [each for each in project.finish.working if each.kind not in ("tones", "area")]
    if project.finish.changes_nothing or not working:
        return {} if project.finish.changes_nothing else painted
    places = np.full(task.geometry.count + 1, -1, np.int32)
    visible = visible_parts(project)
    places[: len(visible)] = visible
    made = {each.id: np.zeros(film.width * film.height, np.float32) for each in working}
    for pixels, geometry, primitive in seen_samples(rendered):
        faces = task.geometry.own_faces(geometry, primitive)
        for each in working:
            made[each.id][pixels] = shows(each, project, supplies, places[geometry], faces).mean(axis=0)
    return painted | {key: mask.reshape(film.height, film.width) for key, mask in made.items()}


def seen_rows(task: RenderTask, geometry: np.ndarray, primitive: np.ndarray) -> np.ndarray:
    """Parameter row of each hit.

    Parameters
    ----------
    task : RenderTask
        Scene, camera and settings.
    geometry, primitive : (N,) int32
        As `Geometry.intersect` has them.

    Returns
    -------
    (N,) int32
        -1 where nothing was hit.
    """
    material_table = task.material_table
    rows = np.where(geometry >= 0, material_table.rows[geometry], -1)
    first = material_table.zone_first[geometry]
    zoned = (geometry >= 0) & (first >= 0)
    rows[zoned] = material_table.zone_rows[first[zoned] + primitive[zoned]]
    return rows
