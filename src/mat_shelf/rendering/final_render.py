"""Finished pictures: all samples, every bounce."""

import math
import time
from collections.abc import Callable
from dataclasses import replace
from typing import NamedTuple, Protocol

import numpy as np

from mat_shelf.document.project import Project
from mat_shelf.document.set import Set
from mat_shelf.rendering.adaptive import SamplePlan
from mat_shelf.rendering.camera import make_camera_view, white_gains
from mat_shelf.rendering.denoise import clean_alpha, denoise_film
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.photon_map import sends_photons, turns_sharply
from mat_shelf.rendering.plate import (
    SEEN_THROUGH,
    bare_scene,
    cut_with_shadow,
    film_gains,
    for_shadows,
    has_plate,
    on_plate,
    plain_plate,
    plate_light,
)
from mat_shelf.rendering.region import PictureRegion
from mat_shelf.rendering.render_task import BRIGHTEST, RenderTask
from mat_shelf.rendering.tracer import Tracer
from mat_shelf.scene.backdrop import seen_from
from mat_shelf.scene.bodies import visible_parts
from mat_shelf.scene.displacement import fill_displacements
from mat_shelf.scene.geometry_map_lookup import geometry_map_lookup
from mat_shelf.scene.geometry_maps import fill_geometry_maps
from mat_shelf.scene.lights import set_lights
from mat_shelf.scene.material_table import project_material_table
from mat_shelf.scene.part_lights import glowing_parts
from mat_shelf.scene.project_geometry import project_geometry
from mat_shelf.scene.relighting import whole_set
from mat_shelf.scene.reshaped_parts import reshaped_parts
from mat_shelf.scene.supplies import Supplies


class Rendered(NamedTuple):
    """A finished picture.

    Attributes
    ----------
    light : (H, W, 3) float32
        Scene-linear; where the product is cut out, multiplied by alpha.
    alpha : (H, W, 1) float32 or None
    task, film
        What it was made from, for its passes.
    lit : Set or None
        The set as its lights were rendered, where they were kept apart.
    is_clean : bool
        Whether noise was removed.
    """

    light: np.ndarray
    alpha: np.ndarray | None
    task: RenderTask
    film: Film
    lit: Set | None = None
    is_clean: bool = True


class PictureRequest(NamedTuple):
    """All that the samples of a picture depend on beside its project.

    Attributes
    ----------
    width, height : int
        Pixels.
    seed : int
    straight, cut_out, keeps_apart, by_kind : bool
        As `RenderTask` has them.
    has_shadow : bool
        Whether what is cut out comes with its shadow.
    """

    width: int
    height: int
    seed: int = 1
    straight: bool = False
    cut_out: bool = False
    keeps_apart: bool = False
    has_shadow: bool = False
    by_kind: bool = False

    def of(self, project: Project) -> Project:
        """A project as the picture shows it.

        Parameters
        ----------
        project : Project
            The project.

        Returns
        -------
        Project
        """
        project = seen_from(project, project.view.camera)
        return project.with_set(for_shadows(project.set)) if self.cut_out and self.has_shadow else project


class PixelCrew(Protocol):
    """Renders pixels elsewhere; see `exchange.cluster.ProjectCrew`."""

    def fill(self, film, request, samples, due, has_photons, told, is_stopped) -> None:
        """Renders some pixels of a film up to a number of samples.

        Parameters
        ----------
        film : Film
            The film.
        request : PictureRequest
            The picture.
        samples : int
            Samples of each pixel in the end.
        due : (N,) int32
            Pixels that miss some.
        has_photons : bool
            Whether photons are sent for each sample.
        told : callable () -> bool
            Called now and then; False cancels.
        is_stopped : callable () -> bool
            Asked many times a second; True cancels.
        """


class FilmKeeper(Protocol):
    """Keeps what a render has so far, so that it can go on after the process has ended."""

    def fill(self, film: Film) -> None:
        """Puts the samples of an earlier run into an empty film of the same picture, if there are any.

        Parameters
        ----------
        film : Film
            The film.
        """

    def keep(self, film: Film, is_last: bool = False) -> None:
        """Takes the samples so far, now and then.

        Parameters
        ----------
        film : Film
            The film.
        is_last : bool
            Whether no more samples come.
        """


def render_picture(
    project: Project,
    supplies: Supplies,
    width: int,
    height: int,
    samples: int,
    seed: int = 1,
    denoise: bool = True,
    cut_out: bool = False,
    has_shadow: bool = False,
    straight: bool = False,
    seconds: float | None = None,
    progress=lambda done, total: True,
    threads: int | None = None,
    keeps_apart: bool = False,
    region: PictureRegion | None = None,
    keeper: FilmKeeper | None = None,
    is_stopped: Callable[[], bool] = lambda: False,
    noise: float | None = None,
    crew: PixelCrew | None = None,
    by_kind: bool = False,
) -> Rendered:
    """A finished picture, scene-linear, exposure applied.

    Parameters
    ----------
    project : Project
        The project.
    supplies : Supplies
        Meshes, images, geometry maps and true relief.
    width : int
        Pixels across.
    height : int
        Pixels from top to bottom.
    samples : int
        Samples per pixel, at most.
    seed : int
        Seed of the random numbers.
    denoise : bool
        Whether noise is removed.
    cut_out, has_shadow : bool
        Whether the product stands alone, without backdrop; the picture then has an alpha, also of its clear glass.
    straight : bool
        As `RenderTask.straight`.
    seconds : float, optional
        Time after which no sample is begun, however many are still missing; at least one is taken.
    progress : callable (done, total) -> bool
        Called after each sample; False cancels.
    threads : int or None
        Number of threads; all that the process may use by default.
    keeps_apart : bool
        As `RenderTask.keeps_apart`; of whole pictures only. Lights that are off are rendered too, and not shown.
    region : PictureRegion, optional
        The only part that is rendered; the picture has an alpha of 0 outside.
    keeper : FilmKeeper, optional
        Has samples of an earlier run, and takes those of this one.
    is_stopped : callable () -> bool
        Asked many times a second; True cancels within a sample.
    noise : float, optional
        Noise of the light, as a share of it, at which the picture is clean enough; samples go where they lower it most.
    crew : PixelCrew, optional
        Renders in place of this process; without `noise` and `seconds`.
    by_kind : bool
        As `RenderTask.by_kind`; of whole pictures only.

    Returns
    -------
    Rendered

    Raises
    ------
    ValueError
        If nothing of the region lies in the picture.
    InterruptedError
        If `progress` or `is_stopped` said so.
    """
    request = PictureRequest(width, height, seed, straight, cut_out, keeps_apart and region is None, has_shadow)
    request = request._replace(by_kind=by_kind and region is None)
    project = request.of(project)
    studio, keeps_apart = project.set, request.keeps_apart
    lit = whole_set(studio, glowing_parts(project)) if keeps_apart else studio
    task = picture_task(project, supplies, request)
    film = task.film(width, height)
    region = region and _inside(region, width, height)
    pixels = None if region is None else region.pixels(width)
    tracer = Tracer(threads)
    ends = time.monotonic() + seconds if seconds is not None else math.inf
    if noise is not None:
        film.halve()
        if keeps_apart or (film.caught is not None and not request.by_kind):
            film.mix(film_gains(lit if keeps_apart else None, studio, project.view.camera))
    if request.by_kind:
        film.mix(film_gains(None, studio, project.view.camera, True))
    if keeper is not None:
        keeper.fill(film)
    plan = SamplePlan(film, samples, noise, white_gains(project.view.camera) * 2.0**studio.exposure, pixels)
    try:
        if film.samples and not progress(*plan.progress()):
            raise InterruptedError("cancelled")
        if crew is not None:
            _have_filled(crew, film, task, request, plan, progress, keeper, is_stopped)
        began, before = time.monotonic(), film.mean_samples
        while (due := plan.due())[1]:
            pixels, most = due
            if seconds is not None:
                now = time.monotonic()
                each = (now - began) / max(film.mean_samples - before, 1e-3)
                most = min(most, max(int((ends - now) / max(each, 1e-6)), 1))
            if not tracer.add_samples(task, film, is_stopped, pixels, most):
                raise InterruptedError("cancelled")
            if not progress(*plan.progress()):
                raise InterruptedError("cancelled")
            if keeper is not None:
                keeper.keep(film)
            if time.monotonic() >= ends:
                break
        else:
            if noise is not None and not progress(*2 * (max(round(film.mean_samples), 1),)):
                raise InterruptedError("cancelled")
    finally:
        if keeper is not None:
            keeper.keep(film, is_last=True)
        tracer.close()
    if region is None:
        made = Rendered(np.empty(0), None, task, film, lit if keeps_apart else None, denoise)
        return relit(made, project, supplies)
    if film.caught is not None and not film.is_cut_out:
        film.plate = plate_light(studio, supplies, project.view.camera, width, height)
        film.mix(film_gains(None, studio, project.view.camera))
    rows, columns = region.slices()
    part = film.crop(rows, columns)
    light, alpha = np.zeros((height, width, 3), np.float32), np.zeros((height, width, 1), np.float32)
    if task.bears_shadow:
        light[rows, columns], alpha[rows, columns] = cut_with_shadow(part, part.gains, denoise)
    else:
        light[rows, columns] = denoise_film(part, "high") if denoise else part.picture()
        alpha[rows, columns] = clean_alpha(part, denoise) if cut_out else 1
    shown = light * white_gains(project.view.camera) * np.float32(2.0**studio.exposure)
    return Rendered(shown, alpha, task, film, None, denoise)


def _have_filled(crew: PixelCrew, film: Film, task: RenderTask, request, plan, progress, keeper, is_stopped) -> None:
    """Has all samples of a film rendered elsewhere."""
    pixels, _ = plan.due()
    if not len(pixels):
        return

    def told() -> bool:
        if keeper is not None:
            keeper.keep(film)
        return progress(max(round(float(film.sums.counts[pixels].mean())), 1), plan.most)

    has_photons = task.photons and not task.straight
    has_photons = has_photons and sends_photons(task.geometry, task.material_table, task.lights) is not None
    crew.fill(film, request, plan.most, pixels, has_photons, told, is_stopped)


def picture_task(project: Project, supplies: Supplies, request: PictureRequest) -> RenderTask:
    """Scene, camera and settings of a picture.

    Parameters
    ----------
    project : Project
        The project.
    supplies : Supplies
        Meshes, images, geometry maps and true relief.
    request : PictureRequest
        The picture.

    Returns
    -------
    RenderTask
    """
    width, height, seed, straight, cut_out, keeps_apart, has_shadow, by_kind = request
    project, bears_shadow = request.of(project), cut_out and has_shadow
    cut_out, studio = cut_out and not has_shadow, project.set
    fill_geometry_maps(project, supplies)
    fill_displacements(project, supplies)
    displaced = reshaped_parts(project, supplies)
    geometry = project_geometry(project, supplies.meshes, displaced=displaced)
    geometry.shapes = geometry_map_lookup(project, geometry, supplies.geometry_maps)
    task = RenderTask(
        geometry,
        project_material_table(project, supplies, displaced=displaced),
        set_lights(
            whole_set(studio, glowing_parts(project)) if keeps_apart else studio,
            supplies,
            [project.product.parts[k].id for k in visible_parts(project)],
        ),
        make_camera_view(project.view.camera, width, height),
        brightest=BRIGHTEST * 2.0**-studio.exposure,
        seed=seed,
        straight=straight,
        cut_out=cut_out,
        bears_shadow=bears_shadow,
        keeps_apart=keeps_apart,
        by_kind=by_kind,
    )
    if cut_out and turns_sharply(task.material_table).any():
        task = replace(task, catches=True)
    if has_plate(studio) and not cut_out:
        across = max(round(SEEN_THROUGH * width / height), 1)
        seen = plain_plate(studio, supplies, project.view.camera, across, SEEN_THROUGH)
        task = on_plate(task, bare_scene(project, supplies), seen)
    return task


def relit(rendered: Rendered, project: Project, supplies: Supplies) -> Rendered:
    """The same samples with the lights, the exposure and the white balance of a project as they are now.

    Parameters
    ----------
    rendered : Rendered
        A whole picture; of other lights only where they were kept apart.
    project : Project
        The project, with the view and a set of the same `relighting.mixing_key` in use.
    supplies : Supplies
        Its images.

    Returns
    -------
    Rendered
    """
    film, studio = rendered.film, project.set
    if rendered.task.bears_shadow:
        studio = for_shadows(studio)
        gains = film_gains(rendered.lit, studio, project.view.camera, rendered.task.by_kind)
        light, alpha = cut_with_shadow(film, gains, rendered.is_clean)
        shown = light * white_gains(project.view.camera) * np.float32(2.0**studio.exposure)
        return rendered._replace(light=shown, alpha=alpha)
    if film.caught is not None and not film.is_cut_out:
        film.plate = plate_light(studio, supplies, project.view.camera, film.width, film.height)
    if rendered.lit is not None or film.caught is not None or rendered.task.by_kind:
        film.mix(film_gains(rendered.lit, studio, project.view.camera, rendered.task.by_kind))
    light = denoise_film(film, "high") if rendered.is_clean else film.picture()
    shown = light * white_gains(project.view.camera) * np.float32(2.0**studio.exposure)
    alpha = clean_alpha(film, rendered.is_clean) if rendered.task.cut_out else None
    return rendered._replace(light=shown, alpha=alpha)


def _inside(region: PictureRegion, width: int, height: int) -> PictureRegion:
    inside = region.within(width, height)
    if inside is None:
        raise ValueError("nothing of the region lies in the picture")
    return inside
