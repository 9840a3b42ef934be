"""The other end of a cluster: a band of a picture's pixels, rendered by a worker."""

import hashlib
from functools import cache
from pathlib import Path
from threading import Lock
from typing import NamedTuple

import numpy as np

from mat_shelf.document.project import Project
from mat_shelf.exchange.assets import gather_assets
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.supplies import prepare_supplies
from mat_shelf.rendering.film import Film
from mat_shelf.rendering.final_render import PictureRequest, picture_task
from mat_shelf.rendering.render_task import RenderTask
from mat_shelf.rendering.tracer import Tracer


class _Picture(NamedTuple):
    """A picture that this worker has bands of."""

    key: tuple
    task: RenderTask
    film: Film
    tracer: Tracer


_one_at_a_time = Lock()
_pictures: list[_Picture] = []


@cache
def program_digest() -> str:
    """Digest of the program itself, but for the window: another one may render other samples."""
    digest = hashlib.sha256()
    package = Path(__file__).parents[1]
    for path in sorted(package.rglob("*.py")):
        if package / "app" not in path.parents:
            digest.update(path.read_bytes())
    return digest.hexdigest()


def render_band(
    program: str,
    text: bytes,
    files: dict[str, bytes],
    request: PictureRequest,
    pixels: np.ndarray,
    samples: int,
    kept: dict[str, np.ndarray] | None,
    threads: int | None,
) -> dict[str, np.ndarray]:
    """Takes some pixels of a picture through their samples.

    Parameters
    ----------
    program : str
        `program_digest` of whoever asks.
    text : bytes
        The project, as JSON.
    files : dict of bytes
        Its files, by their names in `assets.asset_names`.
    request : PictureRequest
        All that samples depend on beside the project.
    pixels : (N,) int32
        The pixels.
    samples : int
        Samples of each in the end.
    kept : dict of array, or None
        What the film has of them so far.
    threads : int or None
        As `Tracer` has it.

    Returns
    -------
    dict of array
        Rows of `Film.arrays` of those pixels.

    Raises
    ------
    ImageError
        If the program is another one than the one that asks.
    """
    if program != program_digest():
        raise ImageError("a worker runs another version of Mat Shelf; install the same one everywhere")
    with _one_at_a_time:
        picture = _picture(text, files, request, threads)
        film = picture.film
        arrays = film.arrays()
        for name, own in arrays.items():
            own[pixels] = kept[name] if kept is not None else -1 if name.endswith("/part") else 0
        while len(due := pixels[film.sums.counts[pixels] < samples]):
            most = samples - int(film.sums.counts[due].min())
            picture.tracer.add_samples(picture.task, film, pixels=due, most=most)
        return {name: own[pixels] for name, own in arrays.items()}


def _picture(text: bytes, files: dict[str, bytes], request: PictureRequest, threads: int | None) -> _Picture:
    """The picture, from the last one where it is the same."""
    key = hashlib.sha256(text).hexdigest(), request, threads
    if not _pictures or _pictures[0].key != key:
        if _pictures:
            _pictures.pop().tracer.close()
        project = Project.model_validate_json(text)
        assets = gather_assets(project, files.get)
        prepare_supplies(project, assets)
        task = picture_task(project, assets, request)
        _pictures.append(_Picture(key, task, task.film(request.width, request.height), Tracer(threads)))
    return _pictures[0]
