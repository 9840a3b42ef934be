"""Finishing: what is done to the light of a render before the tone curve, as `document.finish` says."""

import math
import threading
from collections.abc import Mapping, Sequence
from functools import lru_cache
from types import MappingProxyType

import numpy as np
from scipy.fft import irfft2, next_fast_len, rfft2
from scipy.ndimage import gaussian_filter

from mat_shelf.document.color_table import MOST_NODES
from mat_shelf.document.finish import STRAIGHT, Adjustment, Finish
from mat_shelf.document.set import ToneCurve
from mat_shelf.numerics.interpolation import curve_table
from mat_shelf.numerics.kernels import F
from mat_shelf.optics.color import black_body, decode_srgb, encode_srgb
from mat_shelf.rendering.color_lookup import looked_up
from mat_shelf.rendering.finish_kernels import (
    PER_ROOT,
    ROOTS,
    adjust,
    finish_edges,
    gather_above,
    new_memory,
    read_shares,
    spread,
)
from mat_shelf.rendering.pixel_blocks import new_block
from mat_shelf.rendering.retouching import Spot, healed
from mat_shelf.rendering.tone import light_shown_as, tone_map
from mat_shelf.system.processors import in_parts

MIDDLE_GREY = 0.18
"""Luminance that contrast leaves as it is (common practice)."""
_PLAIN_WHITE = 6504.0
_SHADOWS_END, _HIGHLIGHTS_END = -5.0, 4.0
"""Stops from a middle grey at which shadows and highlights are moved by all that is asked for."""
_SHADOW_STOPS, _HIGHLIGHT_STOPS = (-3.5, -1.0), (0.3, 2.0)
"""Stops from a middle grey where all is shadow, and nothing any more; nothing yet is highlight, and all."""
_LEAST = 1e-6
_PLAIN_EDGES = F(0), F(0)
_MOST_KEPT = 3 * 4_000_000
"""Numbers of a picture whose memory is kept from one finish to the next."""
_NOTHING = np.empty(0, np.float32)
_own = threading.local()
_CURVE_PLACES = 1024
_GLARE_ROWS, _STAR_REACH = 400, 5.0
"""Rows of the picture that rays are made in, and their length, of that at which a third of their light is left."""
_FINEST = 2.0
"""Least width of a blur, in pixels of the smaller picture that it is made in."""


def white_shift(warmth: float, tint: float) -> np.ndarray:
    """Gains of the three channels that make a picture warmer, of luminance 1.

    Parameters
    ----------
    warmth : float
        Mired; the reciprocal temperature of the light grows by as much.
    tint : float
        As `document.light.Light.tint` has it.

    Returns
    -------
    (3,) float32
    """
    if warmth == 0 and tint == 0:
        return np.ones(3, np.float32)
    warmer = black_body(1e6 / (1e6 / _PLAIN_WHITE + warmth), tint)
    return (np.maximum(warmer, 0.02) / np.maximum(black_body(_PLAIN_WHITE), 0.02)).astype(np.float32)


def tone_gains(adjustment: Adjustment) -> np.ndarray:
    """Gains of light for contrast, shadows, highlights and the curve, by the fourth root of its luminance.

    The stops from a middle grey are stretched by the contrast; then those below and above are moved, the more the
    further away they are, and never past each other; then the curve is followed.

    Parameters
    ----------
    adjustment : Adjustment
        Its contrast, shadows, highlights and curve.

    Returns
    -------
    (4096,) float32
    """
    root = np.arange(ROOTS, dtype=np.float64) / PER_ROOT
    stops = np.log2(np.maximum(root**4, _LEAST) / MIDDLE_GREY)
    stretched = stops * adjustment.contrast
    moved = stretched + adjustment.shadows * _eased(stretched / _SHADOWS_END)
    moved += adjustment.highlights * _eased(stretched / _HIGHLIGHTS_END)
    gains = np.exp2(moved - stops)
    return (gains * _curve_gains(adjustment, MIDDLE_GREY * np.exp2(moved))).astype(np.float32)


def _curve_gains(adjustment: Adjustment, shown: np.ndarray) -> np.ndarray:
    """Gains of luminances by the curve; all that is brighter than white has that of white."""
    if adjustment.curve == STRAIGHT:
        return np.ones(1)
    within = np.clip(shown, _LEAST, 1)
    places = encode_srgb(within) * (_CURVE_PLACES - 1)
    table = curve_table(adjustment.curve, _CURVE_PLACES)
    return decode_srgb(np.interp(places, np.arange(_CURVE_PLACES), table)) / within


def _eased(share: np.ndarray) -> np.ndarray:
    """0 up to 0, 1 from 1, smooth between (a cubic, whose slope is at most 1.5)."""
    share = np.clip(share, 0, 1)
    return share * share * (3 - 2 * share)


def adjusted(
    light: np.ndarray, adjustment: Adjustment, mask: np.ndarray | None = None, out: np.ndarray | None = None
) -> np.ndarray:
    """Light with an adjustment.

    Parameters
    ----------
    light : (H, W, 3) float32
        Scene-linear, exposed.
    adjustment : Adjustment
        What is changed.
    mask : (H, W) float32, optional
        Where, from 0 to 1.
    out : (H, W, 3) float32, optional
        Taken for the result; it may be the light itself.

    Returns
    -------
    (H, W, 3) float32
        The same array where nothing changes.
    """
    if adjustment == Adjustment():
        return light
    flat = np.ascontiguousarray(light, np.float32).reshape(-1, 3)
    share = np.zeros(0, np.float32) if mask is None else np.ascontiguousarray(mask, np.float32).reshape(-1)
    made = np.empty_like(flat) if out is None else out.reshape(-1, 3)
    asked = _asked(adjustment)

    def run(first: int, last: int) -> None:
        """Adjust some pixels.

        Parameters
        ----------
        first, last : int
            The first of them, and the one behind the last.
        """
        adjust(flat, asked, share, first, last, new_block(), made)

    in_parts(len(flat), run)
    return made.reshape(light.shape)


def _asked(adjustment: Adjustment) -> tuple:
    """An adjustment as kernels take it; with an empty table where nothing changes."""
    gains = (white_shift(adjustment.warmth, adjustment.tint) * 2.0**adjustment.exposure).astype(np.float32)
    tones = np.empty(0, np.float32) if adjustment == Adjustment() else tone_gains(adjustment)
    return gains, tones, F(adjustment.saturation), F(adjustment.muted)


def tone_mask(light: np.ndarray, tones: str) -> np.ndarray:
    """Share of each pixel that is of a range of tone; the three of them sum to 1.

    Parameters
    ----------
    light : (H, W, 3) float32
        Scene-linear, exposed.
    tones : str
        Key of `document.finish.TONES`; of any other, nothing is.

    Returns
    -------
    (H, W) float32
    """
    root = np.arange(ROOTS, dtype=np.float64) / PER_ROOT
    stops = np.log2(np.maximum(root**4, _LEAST) / MIDDLE_GREY)
    dark = _eased((_SHADOW_STOPS[1] - stops) / (_SHADOW_STOPS[1] - _SHADOW_STOPS[0]))
    bright = _eased((stops - _HIGHLIGHT_STOPS[0]) / (_HIGHLIGHT_STOPS[1] - _HIGHLIGHT_STOPS[0]))
    tables = {"shadows": dark, "highlights": bright, "middle": 1 - dark - bright}
    table = tables.get(tones, np.zeros(ROOTS)).astype(np.float32)
    flat = np.ascontiguousarray(light, np.float32).reshape(-1, 3)
    out = np.empty(len(flat), np.float32)
    in_parts(len(flat), lambda first, last: read_shares(flat, table, first, last, out))
    return out.reshape(light.shape[:2])


def with_bloom(
    light: np.ndarray,
    amount: float,
    threshold: float,
    size: float,
    out: np.ndarray | None = None,
    after: Adjustment | None = None,
    edges: tuple[np.float32, np.float32] = _PLAIN_EDGES,
) -> np.ndarray:
    """Light of which what is above a threshold is spread, its sum kept.

    Parameters
    ----------
    light : (H, W, 3) float32
        Scene-linear.
    amount : float
        Share of what is above the threshold, in [0, 1].
    threshold : float
        Luminance.
    size : float
        Standard deviation of the spread, in heights of the picture.
    out : (H, W, 3) float32, optional
        Taken for the result, unless edges are finished; it may be the light itself.
    after : Adjustment, optional
        What is changed afterwards, in the same turn.
    edges : tuple of float32, float32, optional
        Vignette and sharpening, of what comes of that.

    Returns
    -------
    (H, W, 3) float32
    """
    if amount <= 0:
        return _with_edges(adjusted(light, after or Adjustment(), out=out), edges)
    width = max(size * len(light), 0.3)
    side = max(int(width / _FINEST), 1)

    def blur(small: np.ndarray) -> np.ndarray:
        """Blur a picture of what is above the threshold.

        Parameters
        ----------
        small : (h, w, 3) float32
            The picture.

        Returns
        -------
        (h, w, 3) float32
        """
        made = np.empty_like(small)
        for k in range(3):
            gaussian_filter(small[..., k], width / side, output=made[..., k], mode="reflect", truncate=3.0)
        return made

    return _spread(light, amount, threshold, side, blur, out, after or Adjustment(), edges)


def with_glare(
    light: np.ndarray,
    amount: float,
    threshold: float,
    size: float,
    rays: int,
    out: np.ndarray | None = None,
) -> np.ndarray:
    """Light of which what is above a threshold is spread into rays, as by the edges of a diaphragm.

    Along each it falls off with an exponential function, which is common practice; in life it does with the square of
    the distance, and in colours. What goes beyond the picture's border is lost.

    Parameters
    ----------
    light : (H, W, 3) float32
        Scene-linear.
    amount : float
        Share of what is above the threshold, in [0, 1].
    threshold : float
        Luminance.
    size : float
        Length at which a ray has a third of its light left, in heights of the picture.
    rays : int
        Number of rays; the first goes up.
    out : (H, W, 3) float32, optional
        As for `with_bloom`.

    Returns
    -------
    (H, W, 3) float32
    """
    if amount <= 0:
        return light
    side = max(len(light) // _GLARE_ROWS, 1)
    star = _star(max(size * len(light) / side, 0.5), rays, -(-max(light.shape[:2]) // side))

    def spread_out(small: np.ndarray) -> np.ndarray:
        """Spread a picture of what is above the threshold.

        Parameters
        ----------
        small : (h, w, 3) float32
            The picture.

        Returns
        -------
        (h, w, 3) float32
        """
        return np.maximum(_convolved(small, star), 0)

    return _spread(light, amount, threshold, side, spread_out, out, Adjustment(), _PLAIN_EDGES)


@lru_cache(maxsize=4)
def _star(length: float, rays: int, most: int) -> np.ndarray:
    """Rays about the middle of a small picture, of sum 1, (2n + 1, 2n + 1) float32."""
    reach = max(min(math.ceil(_STAR_REACH * length), most), 1)
    y, x = np.mgrid[-reach : reach + 1, -reach : reach + 1].astype(np.float32)
    made = np.zeros_like(x)
    for k in range(rays):
        turn = math.pi / 2 + 2 * math.pi * k / rays
        along, across = x * math.cos(turn) - y * math.sin(turn), x * math.sin(turn) + y * math.cos(turn)
        made += np.where(along > -0.5, np.clip(1.2 - np.abs(across), 0, 1) * np.exp(-np.abs(along) / length), 0)
    return made / made.sum()


def _convolved(small: np.ndarray, star: np.ndarray) -> np.ndarray:
    """A small picture in which each pixel is spread like a star; what leaves it is lost."""
    high, wide = small.shape[:2]
    room = [next_fast_len(a + b - 1, real=True) for a, b in zip((high, wide), star.shape, strict=True)]
    spread_out = irfft2(rfft2(small, room, axes=(0, 1)) * rfft2(star, room)[..., None], room, axes=(0, 1))
    top, left = star.shape[0] // 2, star.shape[1] // 2
    return spread_out[top : top + high, left : left + wide]


def _with_edges(light: np.ndarray, edges: tuple[np.float32, np.float32]) -> np.ndarray:
    """Light with a vignette, and sharpened."""
    if edges == _PLAIN_EDGES:
        return light
    light = np.ascontiguousarray(light, np.float32)
    out = np.empty_like(light)
    wide = light.shape[1]
    in_parts(len(light), lambda first, last: finish_edges(light, edges, first, last, new_memory(wide), out))
    return out


def _spread(
    light: np.ndarray, amount: float, threshold: float, side: int, blur, out, after: Adjustment, edges
) -> np.ndarray:
    """Light of which a share above a threshold is spread by a function of a smaller picture of it; then the rest."""
    light = np.ascontiguousarray(light, np.float32)
    high, wide = light.shape[:2]
    small = np.empty((-(-high // side), -(-wide // side), 3), np.float32)

    def gather(first: int, last: int) -> None:
        """Gather what is above the threshold, for some rows of the small picture.

        Parameters
        ----------
        first, last : int
            The first of them, and the one behind the last.
        """
        sums = np.empty((3, small.shape[1] * side), np.float32)
        gather_above(light, F(threshold), side, first, last, new_block(), sums, small)

    in_parts(len(small), gather)
    blurred = blur(small)
    out = np.empty_like(light) if out is None or edges != _PLAIN_EDGES else out
    at = np.clip((np.arange(wide, dtype=np.float32) + 0.5) / side - 0.5, 0, small.shape[1] - 1).astype(np.float32)
    left, asked = at.astype(np.int32), _asked(after)
    spreading = side, F(threshold), F(amount), left, (at - left).astype(np.float32)

    def run(first: int, last: int) -> None:
        """Spread the light of some rows.

        Parameters
        ----------
        first, last : int
            The first of them, and the one behind the last.
        """
        spread(light, blurred, spreading, asked, edges, first, last, new_memory(wide), out)

    in_parts(high, run)
    return out


def finished(
    light: np.ndarray,
    finish: Finish,
    masks: Mapping[str, np.ndarray] = MappingProxyType({}),
    spots: Sequence[Spot] = (),
    scale: float = 1.0,
) -> np.ndarray:
    """Light of a render with its finish, all but the tone curve and the colour table.

    Parameters
    ----------
    light : (H, W, 3) float32
        Scene-linear, balanced and exposed.
    finish : Finish
        The finish.
    masks : mapping from id to (H, W) float32
        Where each masked adjustment of a thing works; those without a mask are passed over.
    spots : sequence of Spot
        What is healed.
    scale : float
        Pixels of the light in one pixel of the render that it stands for; sharpening is left out of smaller ones.

    Returns
    -------
    (H, W, 3) float32
        The same array where nothing changes.
    """
    if finish.changes_nothing:
        return light
    between = _memory_between(light.shape)
    light = healed(light, spots)
    for each in finish.working:
        mask = tone_mask(light, each.target) if each.kind == "tones" else masks.get(each.id)
        if mask is not None:
            light = adjusted(light, each.adjustment, mask, between)
    light = with_glare(light, finish.glare, finish.bloom_above, finish.glare_size / 100, finish.glare_rays, between)
    edges = F(finish.vignette), F(finish.sharpening if scale >= 1 else 0.0)
    made = with_bloom(light, finish.bloom, finish.bloom_above, finish.bloom_size / 100, None, finish.whole, edges)
    return made.copy() if np.may_share_memory(made, between) else made


def _memory_between(shape: tuple[int, ...]) -> np.ndarray:
    """Memory for what is not handed out: of a whole picture, fresh memory takes as long as a step of the finish."""
    kept, count = getattr(_own, "memory", _NOTHING), math.prod(shape)
    if len(kept) < count:
        kept = np.empty(count, np.float32)
        _own.memory = kept if count <= _MOST_KEPT else _NOTHING
    return kept[:count].reshape(shape)


def baked_colors(finish: Finish, tone_curve: ToneCurve = "neutral", count: int = MOST_NODES) -> np.ndarray:
    """Colours as the whole of a finish and its colour table show them, by colours as they are shown without.

    Parameters
    ----------
    finish : Finish
        The finish.
    tone_curve : str
        As for `tone_map`.
    count : int
        Nodes along each side.

    Returns
    -------
    (N, N, N, 3) float32
        sRGB-coded, by coded red, green and blue.
    """
    side = np.linspace(0, 1, count)
    coded = np.stack(np.meshgrid(side, side, side, indexing="ij"), axis=3)
    light = light_shown_as(decode_srgb(coded).reshape(count, -1, 3), tone_curve)
    shown = tone_map(finished(light, Finish(whole=finish.whole)), tone_curve)
    shown = shown if finish.table is None else looked_up(shown, finish.table)
    return encode_srgb(np.clip(shown, 0, 1)).reshape(coded.shape).astype(np.float32)
