"""Colours as a profile prints them; runs in a bounded process, since profiles come from anywhere."""

import io

import numpy as np
from PIL import Image, ImageCms

from mat_shelf.exchange.image_decoding import ImageError
from mat_shelf.optics.color import color_difference, decode_srgb, lab_from_linear

_MARK = (0, 217, 89)
"""sRGB of what cannot be printed: a colour that few products have."""
_HELD = 3.0
"""CIEDE2000 from which a print is said not to hold a colour: a difference seen side by side (common practice)."""
_FLAGS = ImageCms.Flags.SOFTPROOFING | ImageCms.Flags.BLACKPOINTCOMPENSATION | ImageCms.Flags.HIGHRESPRECALC


def proof_levels(data: bytes, count: int) -> list[np.ndarray]:
    """Colours of a grid as they are printed, and with those marked that the print does not hold.

    Colours go to the print relative to its paper, with black point compensation, and come back without it, so that the
    black of its inks is as light as it is (by littlecms).

    Parameters
    ----------
    data : bytes
        The profile.
    count : int
        Nodes along each side.

    Returns
    -------
    list of (N, N, N, 3) uint8
        sRGB, by coded red, green and blue.

    Raises
    ------
    ImageError
        If it is no profile of a printing process.
    """
    try:
        profile = ImageCms.ImageCmsProfile(io.BytesIO(data))
        kind, space = profile.profile.device_class.strip(), profile.profile.xcolor_space.strip()
    except (OSError, TypeError, ValueError) as fault:
        raise ImageError("it is no ICC profile") from fault
    if kind != "prtr":
        raise ImageError("it is the profile of no printing process; choose one that the printer works with")
    if space not in ("CMYK", "RGB", "GRAY"):
        raise ImageError(f"profiles of {space} are not supported; choose one of CMYK, RGB or grey")
    side = np.round(np.linspace(0, 255, count)).astype(np.uint8)
    grid = np.stack(np.meshgrid(side, side, side, indexing="ij"), axis=3)
    flat = Image.fromarray(grid.reshape(count * count, count, 3), "RGB")
    screen, relative = ImageCms.createProfile("sRGB"), ImageCms.Intent.RELATIVE_COLORIMETRIC
    try:
        proof = ImageCms.buildProofTransform(screen, screen, profile, "RGB", "RGB", relative, relative, _FLAGS)
    except ImageCms.PyCMSError as fault:
        raise ImageError("it cannot be printed by: colours to the print, or back, are missing from it") from fault
    printed = np.asarray(ImageCms.applyTransform(flat, proof)).reshape(grid.shape)
    before, after = (lab_from_linear(decode_srgb(levels.astype(np.float64) / 255)) for levels in (grid, printed))
    is_lost = color_difference(before, after) > _HELD
    return [printed.copy(), np.where(is_lost[..., None], np.uint8(_MARK), printed)]
