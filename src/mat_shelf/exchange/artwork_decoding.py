"""Art as it comes from layout programs: colour profiles, inks, layers, pages, sheets of several labels.

What decodes is called in a process of its own, by `image_reading`.
"""

import io
from contextlib import contextmanager
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np
import pypdfium2
from PIL import Image, ImageCms
from scipy.ndimage import find_objects, label

from mat_shelf.exchange.image_decoding import ImageError, check_bytes

if TYPE_CHECKING:
    from psd_tools import PSDImage

MOST_LAYERS = 500
_BAND = 256
"""Rows that are converted at a time."""
PAGE_PIXELS = 8192
"""Longer side of the picture that a page becomes, unless that were finer than 1200 dots an inch."""
_MOST_PER_POINT = 1200 / 72
_LEAST_PIECE = 8
"""Pixels across under which what lies on a sheet is a speck, not a label."""


def decode_artwork(data: bytes) -> bytes:
    """A picture whose numbers are sRGB colours: itself, or a PNG where it has a colour profile or inks.

    Profiles are followed with littlecms, relative colorimetric with black point compensation, in 8 bits. Of inks
    without a profile (CMYK) each takes its share of white, as screens show them.

    Parameters
    ----------
    data : bytes
        Content of the file.

    Returns
    -------
    bytes

    Raises
    ------
    ImageError
        If it is damaged.
    """
    try:
        with Image.open(io.BytesIO(data)) as picture:
            profile, mode = picture.info.get("icc_profile"), picture.mode
            if picture.format not in ("PNG", "JPEG", "TIFF", "WEBP", "PSD") or not (profile or mode == "CMYK"):
                return data
            check_bytes(picture.width * picture.height * 4)
            to_srgb = _to_srgb(picture.mode, profile) if profile else None
            if to_srgb is None and mode not in ("CMYK", "LAB"):
                return data
            shown = picture.convert("RGB") if to_srgb is None else _converted(picture, to_srgb)
            out = io.BytesIO()
            shown.save(out, "PNG", compress_level=1)
            return out.getvalue()
    except (ImageError, MemoryError):
        raise
    except Image.UnidentifiedImageError:
        return data  # of a kind that Pillow does not read; whoever reads it says what is wrong
    except Exception as fault:  # readers of damaged files raise whatever they stumble over
        raise ImageError("the image is damaged and cannot be read") from fault


def _changes_nothing(transform) -> bool:
    """True if a transform from RGB leaves colours as they are: most profiles in files are sRGB's own."""
    levels = np.linspace(0, 255, 17).round().astype(np.uint8)
    colors = np.stack(np.meshgrid(levels, levels, levels), axis=-1).reshape(17, -1, 3)
    shown = np.asarray(ImageCms.applyTransform(Image.fromarray(colors), transform))
    return np.abs(shown.astype(int) - colors).max() <= 1


_PLAIN = {"RGBA": "RGB", "LA": "L", "P": "RGB"}
"""Modes of pictures as those that colours are converted from."""


def _to_srgb(mode: str, profile: bytes) -> ImageCms.ImageCmsTransform | None:
    """Transform of a profile's colours to sRGB; None where they are that already, or it is damaged."""
    try:
        to_srgb = ImageCms.buildTransform(
            ImageCms.ImageCmsProfile(io.BytesIO(profile)),
            ImageCms.createProfile("sRGB"),
            _PLAIN.get(mode, mode),
            "RGB",
            renderingIntent=ImageCms.Intent.RELATIVE_COLORIMETRIC,
            flags=ImageCms.Flags.BLACKPOINTCOMPENSATION,
        )
    except (ImageCms.PyCMSError, OSError, ValueError):
        return None
    return None if _PLAIN.get(mode, mode) == "RGB" and _changes_nothing(to_srgb) else to_srgb


def _converted(picture: Image.Image, to_srgb: ImageCms.ImageCmsTransform) -> Image.Image:
    """A picture with converted colours, and the alpha it has."""
    shown = Image.new("RGB", picture.size)
    for top in range(0, picture.height, _BAND):  # the whole of it at once would take three times its memory
        band = picture.crop((0, top, picture.width, min(top + _BAND, picture.height)))
        shown.paste(ImageCms.applyTransform(band.convert(_PLAIN.get(picture.mode, picture.mode)), to_srgb), (0, top))
    if picture.mode in ("RGBA", "LA"):
        shown.putalpha(picture.getchannel("A"))
    return shown


@lru_cache(maxsize=2)
def _layered(data: bytes) -> "PSDImage":
    from psd_tools import PSDImage  # where it is needed: half a second of every start

    try:
        document = PSDImage.open(io.BytesIO(data))
    except MemoryError:
        raise
    except Exception as fault:  # as above
        raise ImageError("the image is damaged and cannot be read") from fault
    check_bytes(document.width * document.height * 4)
    return document


def decode_layer_names(data: bytes) -> list[str]:
    """Names of the layers of a PSD that hold pixels, the lowest first; those of groups come with the group's name.

    Parameters
    ----------
    data : bytes
        Content of the file.

    Returns
    -------
    list of str

    Raises
    ------
    ImageError
        If it is damaged, or has more than `MOST_LAYERS`.
    """
    return [name for name, _ in _layers(data)]


def _layers(data: bytes) -> list[tuple[str, object]]:
    found = []
    try:
        for layer in _layered(data).descendants():
            if len(found) >= MOST_LAYERS:
                raise ImageError(f"it has more than {MOST_LAYERS} layers; merge some of them")
            if not layer.is_group() and layer.width > 0 and layer.height > 0:
                parent = layer.parent
                group = f"{parent.name} / " if parent is not None and parent.parent is not None else ""
                found.append((f"{group}{layer.name}"[:80], layer))
    except (ImageError, MemoryError):
        raise
    except Exception as fault:  # as above
        raise ImageError("its layers are damaged and cannot be read") from fault
    return found


def decode_layer(data: bytes, place: int) -> bytes:
    """One layer of a PSD, on the whole of its canvas, as a PNG with alpha.

    Parameters
    ----------
    data : bytes
        Content of the file.
    place : int
        Layer, 0 for the lowest.

    Returns
    -------
    bytes

    Raises
    ------
    ImageError
        If there is no such layer, or it cannot be read.
    """
    layers = _layers(data)
    if not 0 <= place < len(layers):
        raise ImageError("there is no such layer")
    document, layer = _layered(data), layers[place][1]
    try:
        pixels = layer.topil()
    except MemoryError:
        raise
    except Exception as fault:  # as above
        raise ImageError(f"the layer '{layers[place][0]}' is damaged and cannot be read") from fault
    if pixels is None:
        raise ImageError(f"the layer '{layers[place][0]}' holds no pixels")
    canvas = Image.new("RGBA", (document.width, document.height))
    canvas.paste(pixels.convert("RGBA"), (layer.left, layer.top))
    out = io.BytesIO()
    canvas.save(out, "PNG", compress_level=1)
    return out.getvalue()


def decode_page_count(data: bytes) -> int:
    """Pages of a PDF. Raises ImageError if it cannot be read.

    Parameters
    ----------
    data : bytes
        Content of the file.

    Returns
    -------
    int
    """
    with _document(data) as document:
        if not 0 < len(document) <= MOST_LAYERS:
            raise ImageError(f"it has no pages, or more than {MOST_LAYERS}")
        return len(document)


def decode_pixels_per_mm(data: bytes) -> float | None:
    """Pixels a millimetre that a picture is meant to be printed at; None where it does not say.

    Screens' 72 and 96 an inch, which most programs write without being asked, say nothing.

    Parameters
    ----------
    data : bytes
        Content of the file.

    Returns
    -------
    float or None
    """
    try:
        with Image.open(io.BytesIO(data)) as picture:
            per_inch = float(picture.info.get("dpi", (0, 0))[0])
    except Exception:  # readers of damaged files raise whatever they stumble over
        return None
    return per_inch / 25.4 if 100 <= per_inch <= 10_000 else None


def decode_page(data: bytes, place: int) -> bytes:
    """One page of a PDF as a PNG with alpha, clear wherever nothing is printed, that says how large it is.

    Parameters
    ----------
    data : bytes
        Content of the file.
    place : int
        Page, counted from 0.

    Returns
    -------
    bytes

    Raises
    ------
    ImageError
        If there is no such page, or it cannot be read.
    """
    with _document(data) as document:
        if not 0 <= place < len(document):
            raise ImageError("there is no such page")
        try:
            page = document[place]
            scale = min(PAGE_PIXELS / max(page.get_size()), _MOST_PER_POINT)
            pixels = page.render(scale=scale, fill_color=(0, 0, 0, 0), maybe_alpha=True, rev_byteorder=True)
            shown = pixels.to_pil().convert("RGBA")
        except MemoryError:
            raise
        except Exception as fault:  # as above
            raise ImageError("the page is damaged and cannot be read") from fault
    out = io.BytesIO()
    shown.save(out, "PNG", compress_level=1, dpi=(scale * 72, scale * 72))
    return out.getvalue()


@contextmanager
def _document(data: bytes):
    try:
        document = pypdfium2.PdfDocument(data)
    except Exception as fault:  # as above
        raise ImageError("the PDF cannot be read; save one with a password without it") from fault
    try:
        yield document
    finally:
        document.close()


def piece_images(pixels: np.ndarray) -> list[tuple[bytes, tuple[slice, slice]]]:
    """The single labels on a sheet as PNG, each with its place on the sheet; see `separate_pieces`.

    Parameters
    ----------
    pixels : (H, W, 1 to 4) uint8 or uint16

    Returns
    -------
    list[tuple[bytes, tuple[slice, slice]]]
    """
    made = []
    for rows, columns in separate_pieces(pixels):
        part = pixels[rows, columns]
        part = (part >> 8).astype(np.uint8) if part.dtype == np.uint16 else part
        out = io.BytesIO()
        Image.fromarray(part[..., 0] if part.shape[2] == 1 else part).save(out, "PNG", compress_level=1)
        made.append((out.getvalue(), (rows, columns)))
    return made


def separate_pieces(pixels: np.ndarray, apart: int = 4) -> list[tuple[slice, slice]]:
    """The single labels on a sheet, told by its alpha.

    Parameters
    ----------
    pixels : (H, W, 2 or 4) uint8 or uint16
    apart : int
        Pixels of clear ground that part two labels; what is nearer belongs together.

    Returns
    -------
    list of (rows, columns)
        From the top, then from the left; one that is all of the sheet where nothing parts it.
    """
    cover = pixels[..., -1] > 0
    if pixels.shape[2] not in (2, 4) or cover.all():
        return [(slice(0, pixels.shape[0]), slice(0, pixels.shape[1]))]
    coarse = np.pad(cover, [(0, -side % apart) for side in cover.shape])
    coarse = coarse.reshape(coarse.shape[0] // apart, apart, -1, apart).any(axis=(1, 3))
    numbers, _ = label(coarse, np.ones((3, 3)))
    found = []
    for rows, columns in find_objects(numbers):
        rows = slice(rows.start * apart, min(rows.stop * apart, cover.shape[0]))
        columns = slice(columns.start * apart, min(columns.stop * apart, cover.shape[1]))
        tall, wide = (np.flatnonzero(cover[rows, columns].any(axis=axis)) for axis in (1, 0))
        rows = slice(rows.start + int(tall[0]), rows.start + int(tall[-1]) + 1)
        columns = slice(columns.start + int(wide[0]), columns.start + int(wide[-1]) + 1)
        if rows.stop - rows.start >= _LEAST_PIECE and columns.stop - columns.start >= _LEAST_PIECE:
            found.append((rows, columns))
    return sorted(found, key=lambda piece: (piece[0].start // 32, piece[1].start))
