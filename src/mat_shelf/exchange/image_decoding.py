"""Pictures out of files. What decodes is called in a process of its own, by `image_reading`."""

import io
import os
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager, suppress
from math import prod

import numpy as np
import OpenImageIO
from PIL import Image, ImageOps

from mat_shelf.system.message import Blocks

Image.MAX_IMAGE_PIXELS = None  # every reader here bounds the bytes of what it decodes itself


class ImageError(ValueError):
    """A picture that cannot be read or written; the message says why and what to do."""


IMAGE_KINDS = {"PNG": "png", "JPEG": "jpg", "TIFF": "tiff", "WEBP": "webp"}
"""Pictures that are shown as a reference, by Pillow's name."""
MOST_BYTES = 1 << 30
"""Of a decoded picture: 16384 x 16384 pixels with four channels of 8 bits."""
MOST_REFERENCE_BYTES = 400_000_000
_BLOCK_BYTES = 32 << 20
_SIGNATURES = (
    (b"\x89PNG", "png"),
    (b"\xff\xd8\xff", "jpg"),
    (b"II*\0", "tiff"),
    (b"MM\0*", "tiff"),
    (b"8BPS", "psd"),
    (b"\x76\x2f\x31\x01", "exr"),
    (b"RIFF", "webp"),
)
_FORMATS = {"jpg": "jpeg", "exr": "openexr"}
"""Kinds that OpenImageIO knows by other names."""


def check_bytes(count: int, most: int = MOST_BYTES) -> None:
    """Refuse a picture that would decode to too many bytes. Raises ImageError.

    Parameters
    ----------
    count : int
        Bytes of the decoded image.
    most : int
        Bytes that are allowed.
    """
    if count > most:
        takes = f"{count / 1e9:.1f} GB" if count >= 1e9 else f"{count / 1e6:.0f} MB"
        raise ImageError(f"the image would take {takes} of memory, more than {most / 1e9:.1f} GB; make it smaller")


def decode_image(data: bytes) -> tuple[np.ndarray, str]:
    """A photograph to compare with, turned as its camera says.

    Parameters
    ----------
    data : bytes
        Content of the file.

    Returns
    -------
    pixels : (H, W, 3) uint8
        sRGB.
    kind : str
        Ending of its kind.

    Raises
    ------
    ImageError
        If it is no image, is damaged or too large.
    """
    try:
        picture = Image.open(io.BytesIO(data), formats=list(IMAGE_KINDS))
    except Exception as fault:  # damage ends in whatever the reader of that kind raises
        raise ImageError("this is no PNG, JPEG, TIFF or WebP image, or it is damaged") from fault
    check_bytes(picture.width * picture.height * 3, MOST_REFERENCE_BYTES)
    kind = IMAGE_KINDS[picture.format]
    try:
        return np.asarray(ImageOps.exif_transpose(picture).convert("RGB")), kind
    except MemoryError:
        raise
    except Exception as fault:  # as above
        raise ImageError("the image is damaged and cannot be shown") from fault


def map_kind(data: bytes) -> str:
    """Ending of the kind of picture file that this claims to be. Raises ImageError.

    Parameters
    ----------
    data : bytes
        Content of the file.

    Returns
    -------
    str
    """
    for start, kind in _SIGNATURES:
        if data.startswith(start):
            return kind
    raise ImageError("this is no PNG, JPEG, TIFF, EXR, PSD or WebP image")


def decode_map(data: bytes) -> Blocks:
    """A picture for patterns, with the depth it has: (H, W, C) uint8, uint16 or float32 of 1 to 4 channels.

    Pictures of layers come as they were saved flattened.

    Parameters
    ----------
    data : bytes
        Content of the file.

    Returns
    -------
    Blocks

    Raises
    ------
    ImageError
        If it is of no kind that is read, damaged, too large, or holds what is no number.
    """
    with ExitStack() as stack:
        source = stack.enter_context(_opened(data, map_kind(data)))
        spec = source.spec()
        if spec.width < 1 or spec.height < 1 or spec.depth > 1:
            raise ImageError("the image is empty, or it is a volume")
        depth = {"uint8": np.uint8, "uint16": np.uint16}.get(str(spec.format), np.float32)
        shape = (spec.height, spec.width, min(spec.nchannels, 4))
        check_bytes(prod(shape) * np.dtype(depth).itemsize)
        return Blocks(shape, np.dtype(depth), _rows(source, shape, depth, stack.pop_all()))


def _rows(source, shape, depth, stack: ExitStack) -> Iterator[np.ndarray]:
    """Rows of a picture, some at a time where its file has them in that order; then the stack is left.

    Raises ImageError.
    """
    height, width, channels = shape
    kind = {np.uint8: OpenImageIO.UINT8, np.uint16: OpenImageIO.UINT16}.get(depth, OpenImageIO.FLOAT)
    spec = source.spec()
    step = height
    if not spec.tile_width:
        step = max(_BLOCK_BYTES // (width * channels * np.dtype(depth).itemsize) // 64 * 64, 64)
    with stack:
        for row in range(0, height, step):
            last = min(row + step, height)
            if step == height:
                pixels = source.read_image(0, 0, 0, channels, kind)
            else:
                pixels = source.read_scanlines(0, 0, spec.y + row, spec.y + last, spec.z, 0, channels, kind)
            if pixels is None or pixels.size != (last - row) * width * channels:
                raise ImageError("the image is damaged and cannot be read")
            if depth == np.float32 and not np.isfinite(pixels).all():
                raise ImageError("the image holds values that are not numbers; save it again")
            yield pixels


@contextmanager
def _opened(data: bytes, kind: str):
    """OpenImageIO's reader of a file in memory. Raises ImageError."""
    hints = OpenImageIO.ImageSpec()
    hints.attribute("oiio:UnassociatedAlpha", 1)  # colour beside alpha, not multiplied by it
    with open(os.memfd_create("picture", os.MFD_CLOEXEC), "r+b") as file:
        file.write(data)
        file.flush()
        source = OpenImageIO.ImageInput.open(f"/proc/self/fd/{file.fileno()}", hints)  # it goes by what is in it
        if source is None or source.format_name() != _FORMATS.get(kind, kind):
            with suppress(UnicodeDecodeError):  # its words may quote the damaged file
                OpenImageIO.geterror()
            raise ImageError("the image is damaged and cannot be read")
        try:
            yield source
        finally:
            source.close()


MOST_ENVIRONMENT_PIXELS = 1 << 26
"""8192 x 8192: what is larger takes longer to read than any light in it is worth."""
ENVIRONMENT_WIDTH = 2048
"""Wider room pictures are averaged down: beyond it reflections look no sharper, and shadows never do."""


def decode_environment(data: bytes) -> tuple[np.ndarray, str]:
    """A latitude-longitude picture of a room from an EXR or HDR file.

    Parameters
    ----------
    data : bytes
        Content of the file.

    Returns
    -------
    room : (H, 2H, 3) float32
        Scene-linear, not negative; at most `ENVIRONMENT_WIDTH` wide.
    kind : {"exr", "hdr"}

    Raises
    ------
    ImageError
        If it is neither, is damaged, too large, not twice as wide as high, or holds what is no number.
    """
    kind = "exr" if data[:4] == b"\x76\x2f\x31\x01" else "hdr" if data[:2] == b"#?" else None
    if kind is None:
        raise ImageError("this is no EXR or HDR image")
    with _opened(data, kind) as source:
        spec = source.spec()
        if spec.width * spec.height > MOST_ENVIRONMENT_PIXELS:
            raise ImageError("the image is larger than 8192 by 8192 pixels; make it smaller")
        if spec.width != 2 * spec.height:
            raise ImageError(
                f"an environment must be twice as wide as high; this one is {spec.width} by {spec.height} pixels"
            )
        if spec.nchannels not in (1, 3, 4):
            raise ImageError("the image has neither one channel nor red, green and blue")
        shape = (spec.height, spec.width, min(spec.nchannels, 3))
        pixels = np.concatenate(
            [part.reshape(-1, *shape[1:]) for part in _rows(source, shape, np.float32, ExitStack())]
        )
    if not pixels.max() > 0:
        raise ImageError("the image is black throughout; an environment needs some light")
    if pixels.shape[1] > ENVIRONMENT_WIDTH:
        buffer = OpenImageIO.ImageBuf(np.ascontiguousarray(pixels))
        region = OpenImageIO.ROI(0, ENVIRONMENT_WIDTH, 0, ENVIRONMENT_WIDTH // 2)
        pixels = OpenImageIO.ImageBufAlgo.resize(buffer, filtername="box", roi=region).get_pixels(OpenImageIO.FLOAT)
    pixels = np.repeat(pixels, 3, axis=2) if pixels.shape[2] == 1 else pixels
    return np.ascontiguousarray(np.maximum(pixels, 0), np.float32), kind
