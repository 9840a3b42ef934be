"""A render written to a file."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from mat_shelf.document.project import Project
from mat_shelf.document.shot import Crop
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.image_form import PLAIN, Form, ending_of
from mat_shelf.exchange.image_reading import ImageError, read_map
from mat_shelf.exchange.image_writing import write_image
from mat_shelf.exchange.layered_image import check_layered, layered_passes, write_layered
from mat_shelf.exchange.supplies import prepare_supplies
from mat_shelf.rendering.aovs import finish_masks, render_aovs
from mat_shelf.rendering.cropping import crop_region, cropped, moved_inside
from mat_shelf.rendering.cryptomatte import cryptomatte
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.final_render import FilmKeeper, Rendered, relit, render_picture
from mat_shelf.rendering.finishing import finished
from mat_shelf.rendering.region import PictureRegion
from mat_shelf.rendering.retouching import spots_of
from mat_shelf.scene.bodies import visible_parts
from mat_shelf.system.file_reader import read_file

if TYPE_CHECKING:
    from mat_shelf.exchange.cluster import Crew

_LONGEST = 4000
"""Letters of the names of materials that a file keeps."""


@dataclass(frozen=True)
class RenderSettings:
    """Settings of a finished render.

    Attributes
    ----------
    width, height : int
        Pixels.
    samples : int
        Samples per pixel at most.
    seconds : float or None
        Time limit.
    noise : float or None
        As `render_picture` has it.
    denoise, cut_out, straight : bool
        Noise removed; backdrop left out; straight light through glass.
    form : Form
        Bits, colour space, resolution and words of the file.
    is_finished : bool
        Whether the project's finish is applied; passes are as rendered.
    has_shadow : bool
        Whether what is cut out comes with its shadow.
    has_ids : bool
        Whether an EXR has Cryptomatte layers.
    region : PictureRegion or None
        The only part that is rendered.
    keep_rest : bool
        Whether the rest of a region is taken from the picture that the file holds, instead of being transparent.
    keeps_apart : bool
        Whether the film keeps lights apart, so that `write_relit` can write the render once more with others.
    passes : sequence of str
        Names out of `rendering.aovs.PASSES`, for EXR.
    crop : Crop or None
        The part of the finished picture that is written.
    """

    width: int = 1280
    height: int = 860
    samples: int = 128
    seed: int = 1
    seconds: float | None = None
    noise: float | None = None
    denoise: bool = True
    cut_out: bool = False
    has_shadow: bool = False
    straight: bool = False
    form: Form = PLAIN
    is_finished: bool = True
    has_ids: bool = False
    keeps_apart: bool = False
    passes: Sequence[str] = ()
    region: PictureRegion | None = None
    keep_rest: bool = False
    crop: Crop | None = None


def render_to_file(
    project: Project,
    assets: Assets,
    path: Path,
    settings: RenderSettings = RenderSettings(),
    progress: Callable[[int, int], bool] = lambda done, total: True,
    preparing: Callable[[str, int, int], bool] = lambda what, done, total: True,
    keeper: FilmKeeper | None = None,
    is_stopped: Callable[[], bool] = lambda: False,
    crew: "Crew | None" = None,
) -> tuple[Rendered, list[str]]:
    """Renders the view and set in use of a project to a file.

    Parameters
    ----------
    project : Project
        The project.
    assets : Assets
        Files of the project.
    path : Path
        File to write.
    settings : RenderSettings
        Settings of the render.
    progress : callable (done, total) -> bool
        Told the samples that are done; False cancels.
    preparing : callable (what, done, total) -> bool
        Told what is made before; see `prepare_supplies`.
    keeper, is_stopped
        As `render_picture` has them.
    crew : Crew, optional
        Workers that render in place of this process.

    Returns
    -------
    rendered : Rendered
    words : list of str
        Sentences about relief that stays bump.

    Raises
    ------
    InterruptedError
        If it was cancelled.
    ImageError, OSError
        If the file cannot be written.
    """
    project, rest, region = project.as_seen(), None, settings.region
    if path.suffix.lower() == ".ora":
        check_layered(settings.passes)
        if region is not None and settings.keep_rest:
            raise ImageError("an OpenRaster file is written whole; render all of it, or the region to a PNG or TIFF")
    if region is not None:
        region = region.within(settings.width, settings.height)
        if region is None:
            raise ImageError("nothing of the region lies in the picture")
        if settings.passes:
            raise ImageError("passes are of whole pictures; leave them out, or the region")
        ending_of(path, settings.cut_out or not settings.keep_rest, settings.form.bits)
        rest = _kept(path, settings) if settings.keep_rest else None
    if "kinds" in settings.passes and (settings.keeps_apart or "lights" in settings.passes):
        raise ImageError("light is kept apart by light or by kind; leave one of them out, and render it by itself")
    if settings.crop is not None and region is not None:
        raise ImageError("a region keeps its place in the picture; leave the crop out, or the region")
    if crew is not None and (settings.noise is not None or settings.seconds is not None):
        raise ImageError(
            "workers take their pixels through all samples at once; leave the noise and the time limit out, or render "
            "on this machine alone"
        )
    words = prepare_supplies(project, assets, preparing)
    rendered = render_picture(
        project,
        assets,
        settings.width,
        settings.height,
        settings.samples,
        seed=settings.seed,
        seconds=settings.seconds,
        noise=settings.noise,
        denoise=settings.denoise,
        cut_out=settings.cut_out,
        has_shadow=settings.has_shadow,
        straight=settings.straight,
        progress=progress,
        region=region,
        keeps_apart=settings.keeps_apart or "lights" in settings.passes,
        by_kind="kinds" in settings.passes,
        keeper=keeper,
        is_stopped=is_stopped,
        crew=None if crew is None else crew.of(project, assets),
    )
    _write(project, assets, rendered, path, settings, rest)
    return rendered, words


def write_relit(project: Project, assets: Assets, rendered: Rendered, path: Path, settings: RenderSettings) -> Rendered:
    """Writes a finished render once more, with the lights as they are now.

    Parameters
    ----------
    project : Project
        The project, with its view and a set of the same `relighting.mixing_key` in use.
    assets : Assets
        Files of the project.
    rendered : Rendered
        The whole picture, whose lights were kept apart.
    path : Path
        File to write.
    settings : RenderSettings
        Settings that it was rendered with.

    Returns
    -------
    Rendered

    Raises
    ------
    ImageError, OSError
        If the file cannot be written.
    """
    project = project.as_seen()
    again = relit(rendered, project, assets)
    _write(project, assets, again, path, settings, None)
    return again


def _write(project: Project, assets: Assets, rendered: Rendered, path: Path, settings: RenderSettings, rest) -> None:
    is_layered, form = path.suffix.lower() == ".ora", settings.form
    extra = render_aovs(project, rendered, layered_passes(settings.passes) if is_layered else settings.passes)
    region = settings.region and settings.region.within(settings.width, settings.height)
    alpha = rendered.alpha if rest is None or settings.cut_out else None
    inside = region.slices() if region is not None else (slice(None), slice(None))
    light = rendered.light
    if settings.is_finished and not project.finish.changes_nothing:
        light, form = finished_light(project, assets, rendered), form._replace(table=project.finish.table)
    if settings.has_ids:
        layers, attributes = cryptomatte(project, rendered, assets)
        extra, form = extra | layers, form._replace(attributes=(*form.attributes, *attributes))
    form = form._replace(about=(*form.about, *about(project, rendered)))
    if alpha is not None and path.suffix.lower() != ".exr" and not form.on_white:
        alpha = bearing_alpha(light, alpha, rendered.film.cover())
    if settings.crop is not None:
        part = crop_region(settings.crop, project, rendered)
        if alpha is None:  # what is beyond the picture was not rendered
            part = moved_inside(part, settings.width, settings.height)
        light, alpha = cropped(light, part), None if alpha is None else cropped(alpha, part)
        extra = {name: cropped(layer, part) for name, layer in extra.items()}
    if is_layered:
        write_layered(path, light, alpha, form, extra, project.set.tone_curve)
        return
    write_image(path, light, alpha, form, extra, project.set.tone_curve, rest, inside)


def finished_light(project: Project, assets: Assets, rendered: Rendered) -> np.ndarray:
    """Light with the project's finish; the colour of what is cut out is finished without the share that it covers.

    Parameters
    ----------
    project : Project
        The project.
    assets : Assets
        Its files.
    rendered : Rendered
        A render of it.

    Returns
    -------
    (H, W, 3) float32
    """
    masks, film = finish_masks(project, rendered, assets), rendered.film
    spots = spots_of(project.finish, project.current_view, film.width, film.height)
    if rendered.alpha is None:
        return finished(rendered.light, project.finish, masks, spots)
    share = np.maximum(bearing_alpha(rendered.light, rendered.alpha, rendered.film.cover()), np.float32(1e-4))
    return finished(rendered.light / share, project.finish, masks, spots) * share


def bearing_alpha(light: np.ndarray, alpha: np.ndarray, cover: np.ndarray) -> np.ndarray:
    """Alpha under which no colour of a cut-out is brighter than white, for files that hold colours without it.

    A highlight on clear glass hides little and adds much. Such a file can only hold it where it hides more.

    Parameters
    ----------
    light : (H, W, 3) float32
        Exposed light, multiplied by `alpha`.
    alpha : (H, W, 1) float32
        Share that hides what is behind.
    cover : (H, W, 1) float32
        Share that the product covers, which is the most.

    Returns
    -------
    (H, W, 1) float32
    """
    return np.maximum(alpha, np.minimum(light.max(axis=-1, keepdims=True), cover))


def about(project: Project, rendered: Rendered) -> tuple[tuple[str, str], ...]:
    """Words of a file about a render: product, view, set, materials that it wears, samples.

    Parameters
    ----------
    project : Project
        The project.
    rendered : Rendered
        The render.

    Returns
    -------
    tuple of (str, str)
    """
    parts = [project.product.parts[k] for k in visible_parts(project)]
    worn = {thing.material for part in parts for thing in (part, *part.zones)}
    names = ", ".join(material.name for material in project.materials if material.id in worn)
    told = (("Product", project.product.name), ("View", project.view.name), ("Set", project.set.name))
    return (*told, ("Materials", names[:_LONGEST]), ("Samples", _sampled(rendered.film)))


def _sampled(film: Film) -> str:
    """Samples of a pixel, in words."""
    counts = film.sums.counts[film.sums.counts > 0]
    least, most = (int(counts.min()), int(counts.max())) if len(counts) else (0, 0)
    return str(least) if least == most else f"{least} to {most}, {film.mean_samples:.0f} on average"


def _kept(path: Path, settings: RenderSettings) -> np.ndarray:
    """The picture that a file holds, which all but the region is kept of. Raises ImageError."""
    if not path.is_file():
        raise ImageError(f"there is no {path.name} yet that the rest could be kept of; render all of it first")
    kept = read_map(read_file(path))
    if kept.shape[:2] != (settings.height, settings.width):
        raise ImageError(
            f"{path.name} is {kept.shape[1]} by {kept.shape[0]} pixels; render the region at that size, or all of it"
        )
    ending = ending_of(path)
    depth = "float32" if ending == ".exr" else {16: "uint16", 32: "float32"}.get(settings.form.bits, "uint8")
    if kept.dtype.name != depth:  # said before the render, not after it
        raise ImageError(f"{path.name} has other bits per channel; choose the same, or render all of it")
    return kept
