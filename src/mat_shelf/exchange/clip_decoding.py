"""Films and animations as a few still frames; runs in a bounded process."""

import io
from collections.abc import Iterator

import numpy as np
from PIL import Image, ImageOps, ImageSequence

from mat_shelf.exchange.image_decoding import ImageError

_QUALITY = 92
_LARGEST = 1 << 25
"""Pixels of a frame."""
_MOST_DECODED = 30_000
_ANIMATIONS = {b"GIF8": "GIF", b"RIFF": "WEBP", b"\x89PNG": "PNG"}
_TENTH = 0.1
"""Seconds of a frame of an animation that does not say (common practice)."""


def decode_clip(data: bytes, most: int, side: int) -> list:
    """Frames of a film or an animation, evenly over its length.

    Parameters
    ----------
    data : bytes
        An MP4, MOV, WebM or Matroska film; an animated GIF, WebP or PNG.
    most : int
        Frames at most.
    side : int
        Pixels of their longer side at most.

    Returns
    -------
    list
        Seconds, and then the frames: JPEG.

    Raises
    ------
    ImageError
        If it is none of these, is damaged, or does not move.
    """
    try:
        times, seconds, count = _film(data) if _is_film(data) else _animation(data)
        if not (seconds > 0 and count >= 2):
            raise ImageError("it holds one picture alone; choose it as artwork, or a film or animation")
        wanted, seen, made, number = min(most, count), None, [], 0
        for number, (time, picture) in enumerate(times):
            while seen is not None and len(made) < wanted and (len(made) + 0.5) / wanted * seconds < time:
                made.append(_small(seen, side))  # as it is in the middle of its share of the time
            if len(made) == wanted or number > _MOST_DECODED:
                break
            seen = picture
    except (ImageError, MemoryError):
        raise
    except Exception as fault:  # damage ends in whatever the reader of that kind raises
        raise ImageError("the film is damaged and cannot be read") from fault
    if number < 1:
        raise ImageError("the film is damaged: hardly a frame of it can be read")
    return [float(seconds), *made, *[_small(seen, side)] * (wanted - len(made))]


def still_frame(pixels: np.ndarray, side: int) -> bytes:
    """One frame of a sequence of images.

    Parameters
    ----------
    pixels : (H, W, 3) uint8
        sRGB.
    side : int
        Pixels of its longer side at most.

    Returns
    -------
    bytes
        JPEG.
    """
    return _small(Image.fromarray(pixels), side)


def _is_film(data: bytes) -> str:
    """Name of the container, for the library that reads it; empty where it is none."""
    if data[4:8] == b"ftyp":
        return "mov"
    return "matroska" if data[:4] == b"\x1aE\xdf\xa3" else ""


def _film(data: bytes) -> tuple[Iterator, float, int]:
    """Times and pictures of a film, its seconds, and about how many frames it has. Raises what the library does."""
    import av  # of films alone

    # Its kind is said, so that nothing is taken for a list of other files.
    film = av.open(io.BytesIO(data), format=_is_film(data))
    stream = film.streams.video[0]
    if stream.codec_context.width * stream.codec_context.height > _LARGEST:
        raise ImageError("its frames are too large; scale it down")
    seconds = float(film.duration or 0) / 1e6
    rate = float(stream.average_rate or 25)

    def frames() -> Iterator:
        for frame in film.decode(stream):
            yield float(frame.time or 0.0), frame.to_image()

    return frames(), seconds, max(round(seconds * rate), 1)


def _animation(data: bytes) -> tuple[Iterator, float, int]:
    """The same of an animation. Raises ImageError."""
    kind = next((kind for start, kind in _ANIMATIONS.items() if data.startswith(start)), None)
    if kind is None:
        raise ImageError("it is no film (MP4, MOV, WebM) and no animation (GIF, WebP, PNG)")
    image = Image.open(io.BytesIO(data), formats=[kind])
    if image.width * image.height > _LARGEST:
        raise ImageError("its frames are too large; scale it down")
    count, lengths = getattr(image, "n_frames", 1), []
    for number in range(min(count, _MOST_DECODED)):
        image.seek(number)
        image.load()  # some kinds tell the length of a frame only then
        lengths.append(image.info.get("duration", 0) / 1000 or _TENTH)
    starts = np.concatenate([[0.0], np.cumsum(lengths)])
    frames = ((float(t), frame.convert("RGB")) for t, frame in zip(starts, ImageSequence.Iterator(image), strict=False))
    return frames, float(starts[-1]), max(round(starts[-1] / min(lengths)), 1) if count > 1 else 1


def _small(picture: Image.Image, side: int) -> bytes:
    picture = ImageOps.exif_transpose(picture).convert("RGB")
    picture.thumbnail((side, side), Image.Resampling.LANCZOS)
    out = io.BytesIO()
    picture.save(out, "JPEG", quality=_QUALITY, subsampling=0)
    return out.getvalue()
