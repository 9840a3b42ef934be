"""Pictures as files."""

import io
import os
import tempfile
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path
from types import MappingProxyType

import numpy as np
import OpenEXR
import OpenImageIO
from PIL import Image, ImageOps

from mat_shelf.exchange.atomic import write_atomically
from mat_shelf.rendering.film import develop, develop_deep

ENDINGS = (".png", ".exr", ".tiff", ".jpg")


class PictureError(ValueError):
    """A picture that cannot be read or written; the message says why and what to do."""


def ending_of(path: Path, alpha: bool = False, deep: bool = False, layers: bool = False) -> str:
    """The kind of picture a path asks for. Raises PictureError for any other, or one that cannot hold that much."""
    ending = {".tif": ".tiff", ".jpeg": ".jpg"}.get(path.suffix.lower(), path.suffix.lower())
    if ending not in ENDINGS:
        raise PictureError(f"'{path.name}' must end in {', '.join(ENDINGS[:-1])} or {ENDINGS[-1]}")
    if ending == ".jpg" and (alpha or deep):
        raise PictureError("a JPEG has neither alpha nor 16 bits; choose PNG, TIFF or EXR")
    if layers and ending != ".exr":
        raise PictureError("passes need an EXR; give the picture the ending .exr")
    return ending


KINDS = {"PNG": "png", "JPEG": "jpg", "TIFF": "tiff", "WEBP": "webp"}
"""Pictures that are read, by Pillow's name."""
MOST_PIXELS = 100_000_000


def _opened(data: bytes) -> Image.Image:
    try:
        picture = Image.open(io.BytesIO(data), formats=list(KINDS))
    except Image.DecompressionBombError:
        raise PictureError(_TOO_LARGE) from None
    except Exception as fault:  # damage ends in whatever the reader of that kind raises
        raise PictureError("this is no PNG, JPEG, TIFF or WebP picture, or it is damaged") from fault
    if picture.width * picture.height > MOST_PIXELS:
        raise PictureError(_TOO_LARGE)
    return picture


_TOO_LARGE = f"the picture has more than {MOST_PIXELS // 1_000_000} million pixels; make it smaller"


def picture_kind(data: bytes) -> str:
    """Ending of the kind of picture this is; it is decoded to be sure. Raises PictureError."""
    read_picture(data)
    return KINDS[_opened(data).format]


def read_picture(data: bytes) -> np.ndarray:
    """A picture from bytes that come from anywhere, (H, W, 3) uint8, sRGB, turned as its camera says.

    Raises
    ------
    PictureError
        If it is no picture, is damaged or too large.
    """
    picture = _opened(data)
    try:
        return np.asarray(ImageOps.exif_transpose(picture).convert("RGB"))
    except Exception as fault:  # as above
        raise PictureError("the picture is damaged and cannot be shown") from fault


MOST_MAP_PIXELS = 1 << 28
"""16384 x 16384."""
_SIGNATURES = (
    (b"\x89PNG", "png"),
    (b"\xff\xd8\xff", "jpg"),
    (b"II*\0", "tiff"),
    (b"MM\0*", "tiff"),
    (b"8BPS", "psd"),
    (b"\x76\x2f\x31\x01", "exr"),
    (b"RIFF", "webp"),
)


def map_kind(data: bytes) -> str:
    """Ending of the kind of picture file that this claims to be. Raises PictureError."""
    for start, kind in _SIGNATURES:
        if data.startswith(start):
            return kind
    raise PictureError("this is no PNG, JPEG, TIFF, EXR, PSD or WebP picture")


def read_map(data: bytes) -> np.ndarray:
    """A picture for patterns, with the depth it has, from bytes that come from anywhere.

    Returns
    -------
    (H, W, C) uint8, uint16 or float32
        1 to 4 channels. Pictures of layers come as they were saved flattened.

    Raises
    ------
    PictureError
        If it is of no kind that is read, damaged, too large, or holds what is no number.
    """
    kind = map_kind(data)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"map.{kind}"
        path.write_bytes(data)
        source = _opened_input(path)
        try:
            spec = source.spec()
            if spec.width < 1 or spec.height < 1 or spec.width * spec.height > MOST_MAP_PIXELS:
                raise PictureError("the picture is empty or larger than 16384 by 16384 pixels")
            depth = {"uint8": OpenImageIO.UINT8, "uint16": OpenImageIO.UINT16}.get(str(spec.format), OpenImageIO.FLOAT)
            pixels = source.read_image(0, 0, 0, min(spec.nchannels, 4), depth)
        finally:
            source.close()
    if pixels is None:
        raise PictureError("the picture is damaged and cannot be read")
    if pixels.dtype == np.float32 and not np.isfinite(pixels).all():
        raise PictureError("the picture holds values that are not numbers; save it again where it was made")
    return np.ascontiguousarray(pixels)


def _opened_input(path: Path):
    """OpenImageIO's reader of a file. Raises PictureError."""
    hints = OpenImageIO.ImageSpec()
    hints.attribute("oiio:UnassociatedAlpha", 1)  # colour beside alpha, not multiplied by it
    source = OpenImageIO.ImageInput.open(str(path), hints)
    if source is None:
        with suppress(UnicodeDecodeError):  # its words may quote the damaged file
            OpenImageIO.geterror()
        raise PictureError("the picture is damaged and cannot be read")
    return source


MOST_ROOM_PIXELS = 1 << 26
"""8192 x 8192: what is larger takes longer to read than any light in it is worth."""
ROOM_WIDTH = 2048
"""Wider room pictures are averaged down: beyond it reflections look no sharper, and shadows never do."""


def read_room(data: bytes) -> tuple[np.ndarray, str]:
    """A latitude-longitude picture of a room from an EXR or HDR file that comes from anywhere.

    Returns
    -------
    room : (H, 2H, 3) float32
        Scene-linear, not negative; at most `ROOM_WIDTH` wide.
    kind : {"exr", "hdr"}

    Raises
    ------
    PictureError
        If it is neither, is damaged, too large, not twice as wide as high, or holds what is no number.
    """
    kind = "exr" if data[:4] == b"\x76\x2f\x31\x01" else "hdr" if data[:2] == b"#?" else None
    if kind is None:
        raise PictureError("this is no EXR or HDR picture")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"room.{kind}"
        path.write_bytes(data)
        pixels = _float_pixels(path)
    if not np.isfinite(pixels).all():
        raise PictureError("the picture holds values that are not numbers; save it again where it was made")
    if not pixels.max() > 0:
        raise PictureError("the picture is black throughout; a room needs some light")
    if pixels.shape[1] > ROOM_WIDTH:
        buffer = OpenImageIO.ImageBuf(np.ascontiguousarray(pixels))
        region = OpenImageIO.ROI(0, ROOM_WIDTH, 0, ROOM_WIDTH // 2)
        pixels = OpenImageIO.ImageBufAlgo.resize(buffer, filtername="box", roi=region).get_pixels(OpenImageIO.FLOAT)
    return np.ascontiguousarray(np.maximum(pixels, 0), np.float32), kind


def _float_pixels(path: Path) -> np.ndarray:
    """(H, 2H, 3) float32. Raises PictureError."""
    source = _opened_input(path)
    try:
        spec = source.spec()
        if spec.width * spec.height > MOST_ROOM_PIXELS:
            raise PictureError("the picture is larger than 8192 by 8192 pixels; make it smaller")
        if spec.width != 2 * spec.height:
            raise PictureError(
                f"a room picture must be twice as wide as high; this one is {spec.width} by {spec.height} pixels"
            )
        if spec.nchannels not in (1, 3, 4):
            raise PictureError("the picture has neither one channel nor red, green and blue")
        pixels = source.read_image(0, 0, 0, min(spec.nchannels, 3), OpenImageIO.FLOAT)
        if pixels is None:
            raise PictureError("the picture is damaged and cannot be read")
    finally:
        source.close()
    return np.repeat(pixels, 3, axis=2) if pixels.shape[2] == 1 else pixels


def write_picture(
    path: Path,
    light: np.ndarray,
    alpha: np.ndarray | None = None,
    deep: bool = False,
    layers: Mapping[str, np.ndarray] = MappingProxyType({}),
) -> None:
    """Writes scene-linear light, exposure applied: EXR as it is, the others tone-mapped to sRGB.

    Parameters
    ----------
    light : (H, W, 3) float32
        Multiplied by alpha, where there is one. An EXR keeps it so; PNG and TIFF get the colour without it.
    alpha : (H, W, 1) float32, optional
    deep : bool
        16 bits a channel instead of 8, in PNG and TIFF.
    layers : mapping from name to (H, W, C) float32
        Passes, which become channels ``name.R`` and so on of an EXR.

    Raises
    ------
    PictureError
        For an unknown ending, or one that cannot hold what it should.
    OSError
        If the place cannot be written; an older picture there stays whole.
    """
    ending = ending_of(path, alpha is not None, deep, bool(layers))

    def write(temporary: Path) -> None:
        if ending == ".exr":
            channels = _exr_channels(light, alpha, layers)
            header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
            with OpenEXR.File(header, channels) as file:
                file.write(str(temporary))
            if not temporary.exists() or not os.path.getsize(temporary):
                raise OSError("nothing was written")
            return
        pixels = _developed(light, alpha, deep)
        spec = OpenImageIO.ImageSpec(*pixels.shape[1::-1], pixels.shape[2], str(pixels.dtype))
        spec.attribute("oiio:UnassociatedAlpha", 1)
        spec.attribute("oiio:ColorSpace", "sRGB")
        spec.attribute("compression", {".jpg": "jpeg:95", ".tiff": "zip"}.get(ending, "zip"))
        spec.attribute("jpeg:subsampling", "4:4:4")
        output = OpenImageIO.ImageOutput.create(str(temporary))
        if not output.open(str(temporary), spec) or not output.write_image(pixels) or not output.close():
            raise OSError(output.geterror().strip() or "the disk may be full")

    write_atomically(path, write)


def write_pixels(path: Path, pixels: np.ndarray) -> None:
    """Writes plain pixels, (H, W) or (H, W, C) uint8, uint16 or float32, as they are. Raises OSError."""
    pixels = np.ascontiguousarray(pixels.reshape(*pixels.shape[:2], -1))

    def write(temporary: Path) -> None:
        depth = {"float32": "float"}.get(pixels.dtype.name, pixels.dtype.name)
        spec = OpenImageIO.ImageSpec(*pixels.shape[1::-1], pixels.shape[2], depth)
        output = OpenImageIO.ImageOutput.create(str(temporary))
        if not output.open(str(temporary), spec) or not output.write_image(pixels) or not output.close():
            raise OSError(output.geterror().strip() or "the disk may be full")

    write_atomically(path, write)


def _developed(light: np.ndarray, alpha: np.ndarray | None, deep: bool) -> np.ndarray:
    """(H, W, 3 or 4) uint8 or uint16."""
    if alpha is None:
        return np.ascontiguousarray(develop_deep(light) if deep else develop(light))
    color = light / np.maximum(alpha, 1e-4)
    whole = 65535 if deep else 255
    color = develop_deep(color) if deep else develop(color)
    return np.concatenate([color, np.round(alpha * whole).astype(color.dtype)], axis=2)


_CHANNELS = {"normal": "XYZ", "position": "XYZ", "depth": "Z"}


def _exr_channels(light, alpha, layers) -> dict[str, np.ndarray]:
    """Planes by channel name, (H, W) float32."""
    planes = {name: light[..., k] for k, name in enumerate("RGB")}
    if alpha is not None:
        planes["A"] = alpha[..., 0]
    for name, layer in layers.items():
        letters = _CHANNELS.get(name, "RGB" if layer.shape[2] == 3 else "Y")
        # A dot sets a channel apart from its layer, so names of parts must not bring more of them.
        kind, _, rest = name.partition(".")
        plain = f"{kind}.{rest.replace('.', '_')}" if rest else kind
        planes |= {f"{plain}.{letter}": layer[..., k] for k, letter in enumerate(letters)}
    return {name: np.ascontiguousarray(plane, np.float32) for name, plane in planes.items()}
