"""A render written to a file."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from mat_shelf.document.project import Project
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.image_reading import ImageError, read_map
from mat_shelf.exchange.image_writing import ending_of, write_image
from mat_shelf.exchange.supplies import prepare_supplies
from mat_shelf.rendering.aovs import render_aovs
from mat_shelf.rendering.final_render import Rendered, relit, render_picture
from mat_shelf.rendering.region import PictureRegion
from mat_shelf.system.file_reader import read_file


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
    denoise, cut_out, straight : bool
        Noise removed; backdrop left out; straight light through glass.
    deep : bool
        16 bits per channel, for PNG and TIFF.
    region : PictureRegion or None
        The only part that is rendered.
    keep_rest : bool
        Whether the rest of a region is taken from the picture that the file holds, instead of being transparent.
    keeps_apart : bool
        Whether the film keeps lights apart, so that `write_relit` can write the render once more with others.
    passes : sequence of str
        Names out of `rendering.aovs.PASSES`, for EXR.
    """

    width: int = 1280
    height: int = 860
    samples: int = 128
    seed: int = 1
    seconds: float | None = None
    denoise: bool = True
    cut_out: bool = False
    straight: bool = False
    deep: bool = False
    keeps_apart: bool = False
    passes: Sequence[str] = ()
    region: PictureRegion | None = None
    keep_rest: bool = False


def render_to_file(
    project: Project,
    assets: Assets,
    path: Path,
    settings: RenderSettings = RenderSettings(),
    progress: Callable[[int, int], bool] = lambda done, total: True,
    preparing: Callable[[str, int, int], bool] = lambda what, done, total: True,
) -> tuple[Rendered, list[str]]:
    """Renders the view and set in use of a project to a PNG, EXR, TIFF or JPEG.

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
    rest, region = None, settings.region
    if region is not None:
        region = region.within(settings.width, settings.height)
        if region is None:
            raise ImageError("nothing of the region lies in the picture")
        if settings.passes:
            raise ImageError("passes are of whole pictures; leave them out, or the region")
        ending_of(path, settings.cut_out or not settings.keep_rest, settings.deep)
        rest = _kept(path, settings) if settings.keep_rest else None
    words = prepare_supplies(project, assets, preparing)
    rendered = render_picture(
        project,
        assets,
        settings.width,
        settings.height,
        settings.samples,
        seed=settings.seed,
        seconds=settings.seconds,
        denoise=settings.denoise,
        cut_out=settings.cut_out,
        straight=settings.straight,
        progress=progress,
        region=region,
        keeps_apart=settings.keeps_apart or "lights" in settings.passes,
    )
    _write(project, rendered, path, settings, rest)
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
    again = relit(rendered, project, assets)
    _write(project, again, path, settings, None)
    return again


def _write(project: Project, rendered: Rendered, path: Path, settings: RenderSettings, rest) -> None:
    extra = render_aovs(project, rendered, settings.passes)
    region = settings.region and settings.region.within(settings.width, settings.height)
    alpha = rendered.alpha if rest is None or settings.cut_out else None
    inside = region.slices() if region is not None else (slice(None), slice(None))
    write_image(path, rendered.light, alpha, settings.deep, extra, project.set.exact_colors, rest, inside)


def _kept(path: Path, settings: RenderSettings) -> np.ndarray:
    """The picture that a file holds, which all but the region is kept of. Raises ImageError."""
    if not path.is_file():
        raise ImageError(f"there is no {path.name} yet that the rest could be kept of; render all of it first")
    kept = read_map(read_file(path))
    if kept.shape[:2] != (settings.height, settings.width):
        raise ImageError(
            f"{path.name} is {kept.shape[1]} by {kept.shape[0]} pixels; render the region at that size, or all of it"
        )
    depth = "float32" if ending_of(path) == ".exr" else "uint16" if settings.deep else "uint8"
    if kept.dtype.name != depth:  # said before the render, not after it
        raise ImageError(f"{path.name} has other bits per channel; choose the same, or render all of it")
    return kept
