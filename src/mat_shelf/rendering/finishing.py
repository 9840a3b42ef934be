"""Finishing: what is done to the light of a render before the tone curve, as `document.finish` says."""

import math
import threading
from collections.abc import Mapping, Sequence
from types import MappingProxyType

import numpy as np

from mat_shelf.document.color_table import MOST_NODES
from mat_shelf.document.finish import Finish
from mat_shelf.document.set import ToneCurve
from mat_shelf.numerics.kernels import F
from mat_shelf.optics.color import decode_srgb, encode_srgb
from mat_shelf.rendering.adjusting import adjusted, tone_mask
from mat_shelf.rendering.blooming import with_bloom, with_glare
from mat_shelf.rendering.color_lookup import looked_up
from mat_shelf.rendering.retouching import Spot, healed
from mat_shelf.rendering.tone import light_shown_as, tone_map

_MOST_KEPT = 3 * 4_000_000
"""Numbers of a picture whose memory is kept from one finish to the next."""
_NOTHING = np.empty(0, np.float32)
_own = threading.local()


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
