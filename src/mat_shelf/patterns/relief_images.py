"""Pictures of height and of normals, made from each other and from photographs."""

import numpy as np
from scipy.fft import fft2, fftfreq, ifft2
from scipy.ndimage import gaussian_filter

from mat_shelf.numerics.interpolation import smoothsteps
from mat_shelf.optics.color import luminance


def grey_of(pixels: np.ndarray) -> np.ndarray:
    """Brightness of an image, (H, W) float32 in [0, 1]; alpha is left out.

    Parameters
    ----------
    pixels : (H, W, C) uint8, uint16 or float32

    Returns
    -------
    (H, W) float32
    """
    whole = {"uint8": 255.0, "uint16": 65535.0}.get(pixels.dtype.name, 1.0)
    values = pixels.astype(np.float32) / np.float32(whole)
    return values[..., 0] if values.shape[2] < 3 else luminance(values[..., :3])


def height_of_photograph(pixels: np.ndarray, even: float = 0.15, fine: float = 1.0, broad: float = 1.0) -> np.ndarray:
    """A height map from a photograph that was lit evenly: dark is deep.

    Light that falls unevenly over the whole is taken out, and what is left is parted into a broad and a fine band
    (common practice).

    Parameters
    ----------
    pixels : (H, W, C) uint8, uint16 or float32
    even : float
        Part of the picture's width over which light is evened out; 0 leaves it.
    fine, broad : float
        How much of each band is kept.

    Returns
    -------
    (H, W) float32 in [0, 1], its middle 98 percent from 0 to 1
    """
    grey = grey_of(pixels)
    width = grey.shape[1]
    if even > 0:
        grey = grey - gaussian_filter(grey, even * width, mode="reflect")
    base = gaussian_filter(grey, max(width / 160, 1.0), mode="reflect")
    made = np.float32(broad) * base + np.float32(fine) * (grey - base)
    low, high = np.percentile(made, (1, 99))
    return np.clip((made - low) / max(high - low, 1e-6), 0, 1).astype(np.float32)


def flattened(height: np.ndarray, level: float, within: float) -> np.ndarray:
    """A height map in which all that is near a level lies flat on it, with a soft border.

    Parameters
    ----------
    height : (H, W) float32
    level : float in [0, 1]
    within : float
        Heights that far from the level become flat; twice as far, none is changed.

    Returns
    -------
    array
    """
    away = np.abs(height - np.float32(level)) / np.float32(max(within, 1e-6))
    keep = smoothsteps(np.clip(away - 1, 0, 1))
    return (np.float32(level) + (height - np.float32(level)) * keep).astype(np.float32)


def normals_of_height(height: np.ndarray, rise: float) -> np.ndarray:
    """A picture of normals, green up (glTF), of a height map that repeats.

    Parameters
    ----------
    height : (H, W) float32 in [0, 1]
    rise : float
        From 0 to 1, in widths of the picture.

    Returns
    -------
    (H, W, 3) float32 in [0, 1]; flat is (0.5, 0.5, 1)
    """
    per_pixel = np.float32(rise * height.shape[1])
    right = (np.roll(height, -1, axis=1) - np.roll(height, 1, axis=1)) * np.float32(0.5) * per_pixel
    up = (np.roll(height, 1, axis=0) - np.roll(height, -1, axis=0)) * np.float32(0.5) * per_pixel
    normal = np.stack([-right, -up, np.ones_like(right)], axis=-1)
    normal /= np.linalg.norm(normal, axis=-1, keepdims=True)
    return (0.5 + 0.5 * normal).astype(np.float32)


def height_of_normals(pixels: np.ndarray, is_green_down: bool = False) -> tuple[np.ndarray, float]:
    """The height map whose slopes come nearest to a picture of normals that repeats.

    Parameters
    ----------
    pixels : (H, W, C) array
        Pixels.
    is_green_down : bool
        Whether green points down.

    Returns
    -------
    height : (H, W) float32 in [0, 1]
    rise : float
        From 0 to 1, in widths of the picture.

    References
    ----------
    Frankot and Chellappa 1988, A Method for Enforcing Integrability in Shape from Shading Algorithms.
    """
    whole = {"uint8": 255.0, "uint16": 65535.0}.get(pixels.dtype.name, 1.0)
    x, y, z = (2 * pixels[..., k].astype(np.float64) / whole - 1 for k in range(3))
    z = np.maximum(z, 0.05)
    right, down = -x / z, (-y if is_green_down else y) / z
    rows, columns = right.shape
    u, v = np.meshgrid(np.sin(2 * np.pi * fftfreq(columns)), np.sin(2 * np.pi * fftfreq(rows)))
    squares = u * u + v * v
    squares[squares < 1e-12] = np.inf  # the mean height, and what central differences cannot see
    height = np.real(ifft2((-1j * u * fft2(right) - 1j * v * fft2(down)) / squares))
    low, high = float(height.min()), float(height.max())
    return ((height - low) / max(high - low, 1e-9)).astype(np.float32), (high - low) / columns
