"""Layered pictures for retouching, as OpenRaster: the picture, the product alone, masks of parts and materials, passes.

References
----------
OpenRaster, baseline 0.0.6 of the open raster specification (Create project): a zip whose first entry names its kind.
"""

import io
import tempfile
import zipfile
from collections.abc import Mapping, Sequence
from pathlib import Path
from xml.etree import ElementTree

import numpy as np
from PIL import Image

from mat_shelf.document.set import ToneCurve
from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.exchange.image_form import Form
from mat_shelf.exchange.image_writing import encoded_picture, png_bytes
from mat_shelf.rendering.aovs import BACKDROP, NOTHING
from mat_shelf.system.file_writer import write_file

HELD = ("albedo", "normal", "depth", "parts", "materials")
"""Passes that it has room for: others are light or places, which 16 bits of sRGB are not enough for."""
_GROUPS = {"part": "Parts", "material": "Materials"}
_THUMBNAIL = 256


def layered_passes(wanted: Sequence[str]) -> tuple[str, ...]:
    """Passes that a layered picture gets: those asked for that it can hold, and masks in any case.

    Parameters
    ----------
    wanted : sequence of str
        Names out of `aovs.PASSES`.

    Returns
    -------
    tuple of str
    """
    return tuple(name for name in HELD if name in wanted or name in ("parts", "materials"))


def check_layered(wanted: Sequence[str]) -> None:
    """Refuses passes that a layered picture has no room for.

    Parameters
    ----------
    wanted : sequence of str
        Names out of `aovs.PASSES`.

    Raises
    ------
    ImageError
        If there are any.
    """
    others = [name for name in wanted if name not in HELD]
    if others:
        raise ImageError(f"an OpenRaster file has no room for {', '.join(others)}; leave that out, or choose EXR")


def write_layered(
    path: Path,
    light: np.ndarray,
    alpha: np.ndarray | None,
    form: Form,
    layers: Mapping[str, np.ndarray],
    tone_curve: ToneCurve = "neutral",
) -> None:
    """Writes a picture and layers over it; the masks and passes are there and switched off.

    Parameters
    ----------
    path : Path
        File to write.
    light : (H, W, 3) float32
        Scene-linear, exposed; multiplied by alpha where there is one.
    alpha : (H, W, 1) float32 or None
        Share of each pixel that is covered.
    form : Form
        Bits, colour space, resolution and words.
    layers : mapping from name to (H, W, C) float32
        As `aovs.render_aovs` has them.
    tone_curve : str
        As for `tone.tone_map`.

    Raises
    ------
    OSError
        If it cannot be written; an older file there stays whole.
    """
    height, width = light.shape[:2]
    picture = encoded_picture(light, alpha, form._replace(on_white=False), tone_curve)
    merged = encoded_picture(light, alpha, form, tone_curve)
    image = ElementTree.Element(
        "image", version="0.0.3", w=str(width), h=str(height), xres=str(round(form.dpi)), yres=str(round(form.dpi))
    )
    stack = ElementTree.SubElement(image, "stack")
    with tempfile.TemporaryFile() as out:
        with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as package:
            package.writestr("mimetype", "image/openraster")
            counted = iter(range(1 << 20))

            def add(parent: ElementTree.Element, name: str, pixels: np.ndarray, is_shown: bool) -> None:
                """Adds a layer under those that a stack has.

                Parameters
                ----------
                parent : Element
                    The stack.
                name : str
                    Name of the layer.
                pixels : (H, W, C) uint8 or uint16
                    Its pixels.
                is_shown : bool
                    Whether it is seen.
                """
                source = f"data/layer{next(counted):03d}.png"
                package.writestr(source, png_bytes(pixels, form))
                words = {"name": name, "src": source, "x": "0", "y": "0", "opacity": "1.0"}
                visibility = "visible" if is_shown else "hidden"
                ElementTree.SubElement(
                    parent, "layer", words | {"visibility": visibility, "composite-op": "svg:src-over"}
                )

            for kind, title in _GROUPS.items():
                own = {name: mask for name, mask in layers.items() if name.startswith(f"{kind}.")}
                if own:
                    group = ElementTree.SubElement(stack, "stack", name=title, visibility="visible")
                    for name, mask in own.items():
                        add(group, name.partition(".")[2], _white(mask, form.bits), False)
            shown = {name: layers[name] for name in ("albedo", "normal", "depth") if name in layers}
            if shown:
                group = ElementTree.SubElement(stack, "stack", name="Passes", visibility="visible")
                for name, layer in shown.items():
                    add(group, name.capitalize(), _as_picture(name, layer, form), False)
            product = _product(layers) if alpha is None else None
            if product is not None:
                add(stack, "Product alone", _with_alpha(picture, product), False)
            elif form.on_white:
                add(stack, "Product alone", picture, False)
            # On white it is whole already: edges are mixed as light, which programs that stack layers do not.
            add(stack, "Picture", merged, True)
            package.writestr("stack.xml", ElementTree.tostring(image, "utf-8", xml_declaration=True))
            package.writestr("mergedimage.png", png_bytes(merged, form))
            package.writestr("Thumbnails/thumbnail.png", _thumbnail(merged))
        write_file(path, out)


def _product(layers: Mapping[str, np.ndarray]) -> np.ndarray | None:
    """Share of each pixel that shows a part; None where no masks of parts are there."""
    parts = [mask for name, mask in layers.items() if name.startswith("part.")]
    others = [layers[f"part.{name}"] for name in (BACKDROP, NOTHING) if f"part.{name}" in layers]
    return np.clip(1 - sum(others, np.zeros_like(parts[0])), 0, 1) if parts else None


def _quantized(values: np.ndarray, bits: int) -> np.ndarray:
    whole, depth = (65535, np.uint16) if bits == 16 else (255, np.uint8)
    return np.round(np.clip(values, 0, 1) * whole).astype(depth)


def _white(mask: np.ndarray, bits: int) -> np.ndarray:
    white = np.ones((*mask.shape[:2], 3), np.float32)
    return _quantized(np.concatenate([white, mask], axis=2), bits)


def _with_alpha(picture: np.ndarray, alpha: np.ndarray) -> np.ndarray:
    whole = np.iinfo(picture.dtype).max
    return np.concatenate([picture[..., :3], np.round(alpha * whole).astype(picture.dtype)], axis=2)


def _as_picture(name: str, layer: np.ndarray, form: Form) -> np.ndarray:
    """A pass in what can be seen: directions around a middle grey, depth from near (white) to far."""
    if name == "normal":
        return _quantized(layer * 0.5 + 0.5, form.bits)
    if name == "albedo":
        return encoded_picture(layer, None, form._replace(on_white=False, table=None), "exact")
    there = np.isfinite(layer)
    near, far = (layer[there].min(), layer[there].max()) if there.any() else (0.0, 1.0)
    share = np.where(there, 1 - (layer - near) / max(far - near, 1e-6), 0)
    return _quantized(np.repeat(share, 3, axis=2).astype(np.float32), form.bits)


def _thumbnail(merged: np.ndarray) -> bytes:
    pixels = merged if merged.dtype == np.uint8 else (merged >> 8).astype(np.uint8)
    picture = Image.fromarray(pixels)
    picture.thumbnail((_THUMBNAIL, _THUMBNAIL))
    out = io.BytesIO()
    picture.save(out, "PNG")
    return out.getvalue()
