"""EXR files: the picture and its passes, in one part or in several."""

from collections.abc import Mapping

import numpy as np
import OpenImageIO

from mat_shelf.exchange.image_form import Form

_CHANNELS = {"normal": "XYZ", "position": "XYZ", "depth": "Z"}
_LENGTHS_AND_NUMBERS = ("depth", "position", "Crypto")
"""What halves, and packing that loses something, would spoil."""
_COLORS = ("albedo", "light", "kind")


def encode_exr(name: str, light: np.ndarray, alpha, form: Form, layers: Mapping[str, np.ndarray], describe) -> None:
    """Writes a picture and its passes to a path of a file in memory.

    Parameters
    ----------
    name : str
        The path.
    light : (H, W, 3) float32
        Multiplied by alpha, where there is one.
    alpha : (H, W, 1) float32 or None
    form : Form
        Bits, packing and attributes. What is packed with losses, and what must not be, are parts of their own.
    layers : mapping from name to (H, W, C) float32
        Passes, which become channels ``name.R`` and so on.
    describe : callable
        Writes resolution and words into an `OpenImageIO.ImageSpec`.

    Raises
    ------
    OSError
        If it could not be encoded.
    """
    planes = {name: light[..., k] for k, name in enumerate("RGB")}
    if alpha is not None:
        planes["A"] = alpha[..., 0]
    parts = {"picture": planes}
    for layer, pixels in layers.items():
        # All masks of a kind together: those who read Cryptomatte look for its ranks in one part.
        kind = layer.partition(".")[0].rstrip("0123456789")
        is_beside = form.packing == "zip" or kind in _COLORS
        part = kind if form.has_parts else "picture" if is_beside else "data"
        parts.setdefault(part, {}).update(_channels(layer, pixels))
    specs, pictures = [], []
    for part, channels in parts.items():
        spec = OpenImageIO.ImageSpec(*light.shape[1::-1], len(channels), "float")
        spec.channelnames = tuple(channels)
        if form.bits == 16:
            depths = [OpenImageIO.TypeDesc("float" if _is_exact(channel) else "half") for channel in channels]
            spec.channelformats = tuple(depths)
        is_packed = part == "picture" or part in _COLORS
        spec.attribute("compression", form.packing if is_packed else "zip")
        describe(spec, form)
        for key, words in form.attributes:
            spec.attribute(key, words)
        if len(parts) > 1:
            spec.attribute("oiio:subimagename", part)
        specs.append(spec)
        pictures.append(np.stack([np.asarray(plane, np.float32) for plane in channels.values()], axis=2))
    output = OpenImageIO.ImageOutput.create("openexr")
    is_written = output.open(name, tuple(specs))
    for place, pixels in enumerate(pictures):
        if place:
            is_written = is_written and output.open(name, specs[place], "AppendSubimage")
        is_written = is_written and output.write_image(pixels)
    if not (is_written and output.close()):
        raise OSError(f"the image could not be encoded ({output.geterror().strip() or 'it may be too large'})")


def _is_exact(channel: str) -> bool:
    """Light and shares fit halves; lengths, and the numbers of Cryptomatte, lose what they are for."""
    return channel.startswith(_LENGTHS_AND_NUMBERS)


def _channels(layer: str, pixels: np.ndarray) -> dict[str, np.ndarray]:
    """Planes of a pass by channel name, (H, W) float32."""
    letters = _CHANNELS.get(layer, {3: "RGB", 4: "RGBA"}.get(pixels.shape[2], "Y"))
    # A dot sets a channel apart from its layer, so names of parts must not bring more of them.
    kind, _, rest = layer.partition(".")
    plain = f"{kind}.{rest.replace('.', '_')}" if rest else kind
    return {f"{plain}.{letter}": pixels[..., k] for k, letter in enumerate(letters)}
