"""Turns of a product as a film, an animation, a sequence of images, or a page in which it is turned by hand."""

import hashlib
import io
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
from PIL import Image, UnidentifiedImageError

from mat_shelf.document.project import Project
from mat_shelf.document.shot import Shot
from mat_shelf.document.turn import Turn
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.checkpoint import make_room, render_folder
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.image_form import Form
from mat_shelf.exchange.image_writing import encoded_picture
from mat_shelf.exchange.render_file import finished_light
from mat_shelf.exchange.shot_files import film_key, form_key
from mat_shelf.exchange.supplies import prepare_supplies
from mat_shelf.exchange.turn_page import turn_page
from mat_shelf.rendering.camera_path import check_path
from mat_shelf.rendering.final_render import render_picture
from mat_shelf.rendering.turning import turned
from mat_shelf.system.file_writer import write_file

if TYPE_CHECKING:
    from mat_shelf.exchange.cluster import Crew

TURN_ENDINGS = (".mp4", ".webm", ".webp", ".html", ".png")
"""Of films, animations, pages, and images."""
_MOST_BYTES = 4 << 30
"""Of all frames together, which are in memory when they are written."""
_CODECS = {".mp4": ("libx264", {"crf": "16", "preset": "slow"}), ".webm": ("libvpx-vp9", {"crf": "24", "b": "0"})}
_PAGE_QUALITY, _ANIMATION_QUALITY = 88, 85


@dataclass(frozen=True)
class TurnSettings:
    """Settings of a turntable.

    Attributes
    ----------
    turn : Turn
        Frames, length, angle, and what goes round.
    width, height, samples : int
        Of each frame.
    background : str
        As `Shot.background`; without an alpha only.
    is_finished : bool
        Whether the project's finish is applied.
    """

    turn: Turn = Turn()
    width: int = 960
    height: int = 640
    samples: int = 64
    background: str = "set"
    is_finished: bool = True


def shot_turn(shot: Shot) -> TurnSettings:
    """Settings that a shot which is a turn is rendered and written with.

    Parameters
    ----------
    shot : Shot
        The shot.

    Returns
    -------
    TurnSettings
    """
    return TurnSettings(shot.turn, shot.width, shot.height, shot.samples, shot.background, shot.is_finished)


def first_file(path: Path, frames: int) -> Path:
    """The file that a turn is known by: the first of its images, or the only one.

    Parameters
    ----------
    path : Path
        The file that it is written to.
    frames : int
        Its frames.

    Returns
    -------
    Path
    """
    return _numbered(path, 0, frames) if path.suffix.lower() == ".png" else path


def _numbered(path: Path, number: int, frames: int) -> Path:
    """File of one image of a turn."""
    return path.with_name(f"{path.stem}-{number:0{max(len(str(frames - 1)), 3)}d}.png")


def check_turntable(path: Path, settings: TurnSettings, project: Project | None = None) -> str:
    """Says before the render what would be refused after it; the ending of the file.

    Parameters
    ----------
    path : Path
        File to write.
    settings : TurnSettings
        The settings.
    project : Project, optional
        The project, whose views a move is between.

    Returns
    -------
    str

    Raises
    ------
    ImageError
        If it cannot be written so.
    """
    ending = path.suffix.lower()
    if ending not in TURN_ENDINGS:
        raise ImageError(f"'{path.name}' must end in {', '.join(TURN_ENDINGS[:-1])} or {TURN_ENDINGS[-1]}")
    if ending in _CODECS and (settings.width % 2 or settings.height % 2):
        raise ImageError("a film needs an even width and height; change them by a pixel")
    if ending in _CODECS and not 1 <= settings.turn.rate <= 240:
        raise ImageError(f"{settings.turn.rate:.3g} frames a second are no film; choose 1 to 240")
    size = settings.turn.frames * settings.width * settings.height * 3
    if size > _MOST_BYTES:
        raise ImageError(f"its frames take {size / 1e9:.0f} GB of memory; choose fewer, or smaller ones")
    if settings.background not in ("set", "white"):
        raise ImageError("a turn has no alpha; choose white, or the set's own background")
    if not path.resolve().parent.is_dir():
        raise ImageError(f"the folder {path.resolve().parent} does not exist; choose another")
    if settings.turn.going == "view" and project is not None:
        _check_move(project, settings.turn.to)
    return ending


def _check_move(project: Project, to: str | None) -> None:
    """Refuses a move that leads nowhere. Raises ImageError."""
    end = next((view for view in project.views if view.id == to), None)
    if end is None or end.camera == project.view.camera:
        raise ImageError("choose another view for the camera to go to; it starts from the view in use")
    try:
        check_path(project.view.camera, end.camera)
    except ValueError as fault:
        raise ImageError(str(fault)) from fault


def render_turntable(
    project: Project,
    assets: Assets,
    path: Path,
    settings: TurnSettings = TurnSettings(),
    progress: Callable[[int, int], bool] = lambda done, total: True,
    is_stopped: Callable[[], bool] = lambda: False,
    crew: "Crew | None" = None,
) -> None:
    """Renders a turn of the view and set in use, and writes it.

    Frames that an earlier run has rendered of the same are taken from the user's cache.

    Parameters
    ----------
    project : Project
        The project.
    assets : Assets
        Its files.
    path : Path
        File to write; of images its name is followed by their numbers.
    settings : TurnSettings
        The settings.
    progress : callable (done, total) -> bool
        Told the frames that are done; False cancels.
    is_stopped : callable () -> bool
        Asked many times a second; True cancels within a frame.
    crew : Crew, optional
        Workers that render in place of this process.

    Raises
    ------
    InterruptedError
        If it was cancelled; frames that are done stay in the cache.
    ImageError, OSError
        If it cannot be written.
    """
    ending = check_turntable(path, settings, project)
    frames = []
    for number in range(settings.turn.frames):
        frames.append(_frame(turned(project, assets, settings.turn, number), assets, settings, is_stopped, crew))
        if not progress(number + 1, settings.turn.frames):
            raise InterruptedError("cancelled")
    write_turntable(path, frames, settings, ending, project.product.name)


def _frame(project: Project, assets: Assets, settings: TurnSettings, is_stopped, crew) -> np.ndarray:
    """One frame, (H, W, 3) uint8, from the cache where it is there."""
    project = project.as_seen()
    shot = Shot(
        id="frame",
        name="Frame",
        view=project.current_view,
        set=project.current_set,
        width=settings.width,
        height=settings.height,
        samples=settings.samples,
        background=settings.background,
        is_finished=settings.is_finished,
    )
    key = hashlib.sha256(f"{film_key(project, shot)} {form_key(project, shot)}".encode()).hexdigest()[:40]
    kept = render_folder() / f"frame-{key}.png"
    try:
        with Image.open(kept) as image:
            found = np.asarray(image.convert("RGB"))
        if found.shape == (settings.height, settings.width, 3):
            return found
    except (OSError, ValueError, UnidentifiedImageError, SyntaxError):
        pass  # not rendered yet, or damaged
    prepare_supplies(project, assets, lambda *_: not is_stopped())
    cut_out = settings.background != "set"
    size = settings.width, settings.height, settings.samples
    workers = None if crew is None else crew.of(project, assets)
    rendered = render_picture(project, assets, *size, cut_out=cut_out, is_stopped=is_stopped, crew=workers)
    light = finished_light(project, assets, rendered) if settings.is_finished else rendered.light
    table = project.finish.table if settings.is_finished and project.finish.is_on else None
    form = Form(on_white=settings.background == "white", table=table)
    pixels = encoded_picture(light, rendered.alpha, form, project.set.tone_curve)
    try:
        kept.parent.mkdir(parents=True, exist_ok=True)
        encoded = _encoded([pixels], "PNG")
        make_room(encoded.getbuffer().nbytes, kept)
        write_file(kept, encoded)
    except OSError:
        pass  # a full disk costs time at the next run, nothing more
    return pixels


def write_turntable(
    path: Path, frames: Sequence[np.ndarray], settings: TurnSettings, ending: str, name: str = "Product"
) -> None:
    """Writes the frames of a turn.

    Parameters
    ----------
    path : Path
        File to write.
    frames : sequence of (H, W, 3) uint8
        Its frames.
    settings : TurnSettings
        The settings.
    ending : str
        Kind of file, as `check_turntable` has it.
    name : str
        Name of the product, for a page.

    Raises
    ------
    OSError
        If it cannot be written.
    """
    if ending == ".png":
        for number, frame in enumerate(frames):
            write_file(_numbered(path, number, len(frames)), _encoded([frame], "PNG"))
    elif ending == ".webp":
        every = round(1000 / settings.turn.rate)
        animation = {"save_all": True, "duration": every, "loop": 0, "quality": _ANIMATION_QUALITY}
        write_file(path, _encoded(frames, "WEBP", **animation))
    elif ending == ".html":
        images = [_encoded([frame], "WEBP", quality=_PAGE_QUALITY).getvalue() for frame in frames]
        write_file(path, turn_page(images, frames[0].shape[1::-1], settings.turn.is_whole, name).encode())
    else:
        write_file(path, _film(frames, settings, ending))


def _encoded(frames: Sequence[np.ndarray], kind: str, **options) -> io.BytesIO:
    first, *rest = (Image.fromarray(np.ascontiguousarray(frame)) for frame in frames)
    out = io.BytesIO()
    first.save(out, kind, **({"append_images": rest} if rest else {}), **options)
    out.seek(0)
    return out


def _film(frames: Sequence[np.ndarray], settings: TurnSettings, ending: str) -> io.BytesIO:
    """A film in memory, so that a full disk leaves no half of one."""

    import av  # of films alone

    codec, options = _CODECS[ending]
    out = io.BytesIO()
    with av.open(out, "w", format={".mp4": "mp4", ".webm": "webm"}[ending]) as film:
        stream = film.add_stream(codec, rate=Fraction(settings.turn.rate).limit_denominator(1001), options=options)
        stream.width, stream.height, stream.pix_fmt = settings.width, settings.height, "yuv420p"
        for frame in frames:
            shown = av.VideoFrame.from_ndarray(np.ascontiguousarray(frame), format="rgb24")
            film.mux(stream.encode(shown))
        film.mux(stream.encode())
    out.seek(0)
    return out
