"""Shots rendered one after the other; what is done stays done, whatever comes in between."""

import os
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from mat_shelf.document.project import Project
from mat_shelf.document.shot import Shot
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.checkpoint import Checkpoint
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.render_file import render_to_file
from mat_shelf.exchange.shot_files import (
    check_shot,
    film_key,
    form_key,
    samples_to_come,
    shot_paths,
    shot_project,
    shot_settings,
)
from mat_shelf.exchange.turntable import check_turntable, first_file, render_turntable, shot_turn
from mat_shelf.system.file_writer import words_of

if TYPE_CHECKING:
    from mat_shelf.exchange.cluster import Crew


@dataclass(frozen=True)
class ShotState:
    """Progress of a shot.

    Attributes
    ----------
    kind : str
        It waits, is prepared, rendered or written, is done, was done before, was stopped with its samples kept, or
        failed.
    samples, of : int
        Samples that it has, and those asked for; of all frames of a turn.
    left : float or None
        Seconds until it is done, about.
    words : str
        Why it failed, or what should be known of it.
    """

    kind: Literal["waits", "prepares", "renders", "writes", "done", "was done", "stopped", "failed"] = "waits"
    samples: int = 0
    of: int = 1
    left: float | None = None
    words: str = ""


Told = Callable[[str, ShotState], None]


def kept_state(project: Project, shot: Shot, path: Path | None) -> ShotState:
    """State of a shot before a run, by what an earlier one has left.

    Parameters
    ----------
    project : Project
        The project.
    shot : Shot
        One of its shots.
    path : Path or None
        Its file, where that is known.

    Returns
    -------
    ShotState
    """
    try:
        shown = shot_project(project, shot)
    except ImageError as fault:
        return ShotState("failed", of=samples_to_come(shot), words=str(fault))
    film = Checkpoint(film_key(shown, shot))
    if path is not None and film.is_written(_file_of(shot, path), form_key(project, shot)):
        return ShotState("was done", 1, 1)
    samples, expected = film.samples, samples_to_come(shot)
    return ShotState("stopped" if samples else "waits", min(samples, expected), expected)


def foreign_files(project: Project, shots: Sequence[Shot], folder: Path) -> list[Path]:
    """Files that shots would replace, and that no shot was written to before.

    Parameters
    ----------
    project : Project
        The project.
    shots : sequence of Shot
        Some of its shots.
    folder : Path
        Folder of the files.

    Returns
    -------
    list of Path

    Raises
    ------
    ImageError
        If a file name or a variant is wrong.
    """
    paths = shot_paths(project, shots, folder)
    found = []
    for shot in shots:
        path = _file_of(shot, paths[shot.id])
        if path.exists() and not Checkpoint(film_key(shot_project(project, shot), shot)).has_written(path):
            found.append(path)
    return found


def _file_of(shot: Shot, path: Path) -> Path:
    """The file that a shot is known by: of a turn that becomes images, the first of them."""
    return path if shot.turn is None else first_file(path, shot.frames)


def render_shots(
    project: Project,
    assets: Assets,
    shots: Sequence[Shot],
    folder: Path,
    told: Told,
    is_stopped: Callable[[], bool] = lambda: False,
    memory: int | None = None,
    crew: "Crew | None" = None,
) -> bool:
    """Renders shots one after the other; one that fails is told, and the next one comes.

    Parameters
    ----------
    project : Project
        The project.
    assets : Assets
        Its files.
    shots : sequence of Shot
        Those of its shots that are rendered, in their order.
    folder : Path
        Folder of the files.
    told : callable (id, ShotState) -> None
        Told how far each shot is.
    is_stopped : callable () -> bool
        True stops; the samples so far are kept, and the next run goes on with them.
    memory : int, optional
        Bytes that may be used.
    crew : Crew, optional
        Workers that render in place of this process.

    Returns
    -------
    bool
        False where it was stopped.

    Raises
    ------
    ImageError
        Before anything is rendered, if files cannot be named, or a shot cannot be written as it is asked for.
    """
    paths = shot_paths(project, shots, folder)
    if not folder.is_dir():
        raise ImageError(f"the folder {folder} does not exist; choose another")
    if not os.access(folder, os.W_OK | os.X_OK):
        raise ImageError(f"nothing can be written to {folder}; choose another folder")
    for shot in shots:
        check_shot(shot, paths[shot.id], memory)
        if shot.turn is not None:
            _check_turn(project, shot, paths[shot.id])
    for shot in shots:
        if is_stopped():
            return False
        try:
            _render(
                project, assets, shot, paths[shot.id], lambda state, key=shot.id: told(key, state), is_stopped, crew
            )
        except InterruptedError:
            told(shot.id, kept_state(project, shot, paths[shot.id]))
            return False
        except (ImageError, OSError, ValueError, MemoryError) as fault:
            told(shot.id, ShotState("failed", of=samples_to_come(shot), words=words_of(fault)))
    return True


def _check_turn(project: Project, shot: Shot, path: Path) -> None:
    """Says before the render what would be refused of a turn after it. Raises ImageError."""
    try:
        check_turntable(path, shot_turn(shot), shot_project(project, shot))
    except ImageError as fault:
        raise ImageError(f"{shot.name}: {fault}") from None


def _render(project, assets, shot: Shot, path: Path, tell: Callable[[ShotState], None], is_stopped, crew) -> None:
    shown = shot_project(project, shot)
    film, form, known = Checkpoint(film_key(shown, shot)), form_key(project, shot), _file_of(shot, path)
    if film.is_written(known, form):
        tell(ShotState("was done", 1, 1))
        return
    tell(ShotState("prepares", of=samples_to_come(shot)))
    began: list[tuple[float, int]] = []

    def progress(done: int, total: int) -> bool:
        """Tell samples and the time left, by those of this run."""
        now = time.monotonic()
        if not began:
            began.append((now, done))
        passed, new = now - began[0][0], done - began[0][1]
        left = passed / new * (total - done) if new else None
        if left is not None and shot.minutes:
            left = min(left, max(shot.minutes * 60 - passed, 0.0))
        tell(ShotState("writes" if done >= total else "renders", done, total, left))
        return not is_stopped()

    if shot.turn is not None:

        def of_frames(done: int, total: int) -> bool:
            """Tell the samples of frames."""
            return progress(done * shot.samples, total * shot.samples)

        render_turntable(shown, assets, path, shot_turn(shot), of_frames, is_stopped, crew)
        film.note_written(known, form)
        tell(ShotState("done", 1, 1, 0.0))
        return
    _, words = render_to_file(
        shown,
        assets,
        path,
        shot_settings(shot),
        progress,
        lambda *_: not is_stopped(),
        keeper=film,
        is_stopped=is_stopped,
        crew=crew,
    )
    film.note_written(path, form)
    told_words = [*words, f"not kept while rendering: {film.problem}"] if film.problem else words
    tell(ShotState("done", 1, 1, 0.0, " ".join(told_words)))
