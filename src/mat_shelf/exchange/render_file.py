"""A render written to a file."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from mat_shelf.document.project import Project
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.image_writing import write_image
from mat_shelf.exchange.supplies import prepare_supplies
from mat_shelf.rendering.aovs import render_aovs
from mat_shelf.rendering.session import Rendered, render_picture


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
    passes: Sequence[str] = ()


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
    )
    extra = render_aovs(project, rendered, settings.passes)
    write_image(path, rendered.light, rendered.alpha, settings.deep, extra, project.set.exact_colors)
    return rendered, words
