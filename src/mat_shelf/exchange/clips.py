"""Clips that run on screens: films, animations, or images one after the other."""

from collections.abc import Sequence
from pathlib import Path

from mat_shelf.document.ids import name_from
from mat_shelf.document.image import ImageRef
from mat_shelf.document.mark import MOST_FRAMES, Clip
from mat_shelf.exchange.assets import Assets
from mat_shelf.exchange.clip_decoding import decode_clip, still_frame
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.image_reading import read_image
from mat_shelf.system.bounded import FaultError, LimitError, Limits, run_bounded
from mat_shelf.system.file_reader import read_file

CLIP_ENDINGS = (".mp4", ".mov", ".webm", ".mkv", ".gif", ".webp", ".png", ".jpg", ".jpeg", ".tiff")
_LARGEST, _SIDE = 256 << 20, 512
"""Bytes of a file, and pixels of the longer side of a frame."""
_LIMITS = Limits(1 << 30, 256 << 20, 120.0)
_RATE = 24.0
"""Images a second of a sequence, which does not say."""


def read_clip(paths: Sequence[Path], assets: Assets) -> Clip:
    """Reads a clip; its frames become pictures of the project.

    Parameters
    ----------
    paths : sequence of Path
        A film or animation; or several images, which run by their names.
    assets : Assets
        Files of the project.

    Returns
    -------
    Clip

    Raises
    ------
    ImageError, OSError
        If it cannot be read; the message says why.
    """
    paths = sorted(Path(path) for path in paths)
    if len(paths) == 1:
        seconds, *frames = _decoded(read_file(paths[0], _LARGEST))
    else:
        seconds = len(paths) / _RATE
        count = min(len(paths), MOST_FRAMES)
        chosen = [paths[k * len(paths) // count] for k in range(count)]
        frames = [still_frame(read_image(read_file(path, _LARGEST))[0], _SIDE) for path in chosen]
    refs = []
    for number, data in enumerate(frames):
        key, kind = assets.add_map(data)
        refs.append(ImageRef(name=name_from(f"{paths[0].stem} {number}.jpg", "Frame"), digest=key, kind=kind))
    return Clip(frames=tuple(refs), seconds=min(max(seconds, 0.02), 3600.0))


def _decoded(data: bytes) -> list:
    try:
        return run_bounded(decode_clip, data, MOST_FRAMES, _SIDE, limits=_LIMITS)
    except FaultError as fault:
        if fault.kind == ImageError.__name__:
            raise ImageError(str(fault)) from None
        raise ImageError("the film is damaged and cannot be read") from fault
    except LimitError as fault:
        raise ImageError(f"it cannot be read: {fault}; cut it shorter, or scale it down") from None
