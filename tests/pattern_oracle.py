"""Patterns evaluated in NumPy, step by step over whole arrays in float64: what compiled programs are compared with.

Only sources are asked of the program itself, at coordinates that are laid out here.
"""

import numpy as np
from scipy.interpolate import PchipInterpolator

from mat_shelf.document.pattern import Pattern, Placement
from mat_shelf.patterns import evaluation
from mat_shelf.patterns.points import FLAT, Points

AXES = {"x": 0, "y": 1, "z": 2}
LUMINANCE = np.array([0.212639, 0.715169, 0.072192])  # CIE Y of the primaries of Rec.709, from memory
TAPS = 16


def grey(values):
    return values if values.ndim == 1 else values @ LUMINANCE


def alike(one, other):
    """Both as colours where one of them is."""
    wide = max(one.ndim, other.ndim)
    return tuple(v[:, None] if v.ndim < wide else v for v in (one, other))


def evaluate(pattern, points, patterns, until=None):
    total = 0
    for weight, coordinates in layout(pattern.placement, points):
        values = run(pattern.steps[:until], coordinates, pattern, points, patterns)
        total = total + (weight if values.ndim == 1 else weight[:, None]) * values
    return total


def layout(placement, points):
    """(weight, coordinates) of each sheet, all of them everywhere."""
    frames, count = points.frames, len(points)
    rows = np.full(count, len(frames.salt) - 1) if placement.over == "product" else points.part
    ones = np.ones(count)
    if placement.projection in ("uv", "whole uv"):
        per = frames.per_uv[points.part] if placement.projection == "uv" else placement.size
        x, y = (points.uv * per).T
        return [(ones, fitted(x, y, 0 * x, placement))]
    turn = frames.turn[rows].astype(float)
    local = np.einsum("nji,nj->ni", turn, points.position - frames.shift[rows]) - frames.centre[rows]
    x, y, z = local.T
    axis = AXES[placement.axis]
    sides = [(-z, y, x), (x, -z, y), (x, y, z)]
    around = [(x, z, -y), (y, z, x), (z, x, y)][axis]
    if placement.projection == "planar":
        return [(ones, fitted(*sides[axis], placement))]
    if placement.projection == "solid":
        return [(ones, fitted(*[(x, y, z), (y, z, x), (z, x, y)][axis], placement))]
    if placement.projection == "box":
        normal = np.abs(np.einsum("nji,nj->ni", turn, points.normal))
        least = normal.max(1) * (1 - max(0.5 * placement.blend, 0.01))
        weights = np.maximum(normal - least[:, None], 0)
        weights /= weights.sum(1, keepdims=True)
        depth = 17.3 * placement.size
        return [
            (weights[:, side], fitted(a, b, np.full(count, depth * side), placement))
            for side, (a, b, _) in enumerate(sides)
        ]
    along, front, right = around
    share = (np.arctan2(right, front) - np.radians(placement.seam)) / (2 * np.pi) % 1
    off = np.hypot(front, right)
    radius = frames.radius[rows, 3 if placement.projection == "sphere" else axis]
    up = along
    if placement.projection == "sphere":
        up, off = np.arctan2(along, off) * radius, np.hypot(off, along)
    near = np.clip(np.minimum(share, 1 - share) / (0.25 * placement.blend or 1e-9), 0, 1)
    own = near * near * (3 - 2 * near)
    far = np.where(share < 0.5, share + 0.5, share - 0.5)
    return [
        (weight, fitted((place - 0.5) * 2 * np.pi * radius, up, off, placement))
        for weight, place in ((own, share), (1 - own, far))
    ]


def fitted(x, y, z, placement):
    c, s = np.cos(np.radians(placement.turn)), np.sin(np.radians(placement.turn))
    x, y = c * x + s * y, c * y - s * x
    x, y = x - placement.shift[0], y - placement.shift[1]
    return np.stack([x / (placement.size * placement.stretch), y / placement.size, z / placement.size])


def run(steps, coordinates, pattern, points, patterns):
    steps = [steps[0], *(step for step in steps[1:] if step.is_on)]
    if len(steps) == 1:
        return source(steps[0], coordinates, pattern, points)
    step, size = steps[-1], pattern.placement.size

    def before(shift=(0.0, 0.0)):
        moved = coordinates + np.stack([np.broadcast_to(s, coordinates.shape[1]) for s in (*shift, 0.0)])
        return run(steps[:-1], moved, pattern, points, patterns)

    def other(name):
        return evaluate(patterns[name], points, patterns) if name in patterns else None

    return STEPS[step.kind](step, before, other, size)


def source(step, coordinates, pattern, points):
    """A source at coordinates, which are laid out as they are; what reads the part itself at the points."""
    if not step.is_placed:
        return evaluation.evaluate(pattern.with_(steps=(step,)), points).astype(float)
    flat = Points(coordinates.T.astype(np.float32), points.normal, np.zeros(len(points), np.int32), FLAT, is_flat=True)
    deep = pattern.placement.projection in ("solid", "cylinder", "sphere")
    placement = Placement(projection="solid" if deep else "planar", size=1.0)
    return evaluation.evaluate(Pattern(id="s", name="S", steps=(step,), placement=placement), flat).astype(float)


def levels(step, before, other, size):
    t = np.clip((before() - step.black) / (step.white - step.black), 0, 1) ** (1 / step.grey)
    return step.low + (step.high - step.low) * t


def curve(step, before, other, size):
    places, values = np.array(step.nodes).T
    return PchipInterpolator(places, values)(np.clip(before(), max(places[0], 0), min(places[-1], 1)))


def ramp(step, before, other, size):
    places, colors = [p for p, _ in step.stops], np.array([c for _, c in step.stops])
    return np.stack([np.interp(grey(before()), places, colors[:, k]) for k in range(3)], axis=1)


def contrast(step, before, other, size):
    return np.maximum((before() - 0.5) * step.contrast + 0.5 + step.lift, 0) ** (1 / step.gamma)


def tint(step, before, other, size):
    values = before()
    values = values if values.ndim == 2 else np.repeat(values[:, None], 3, axis=1)
    light, angle = grey(values)[:, None], np.radians(step.hue)
    # Rodrigues: v cos + (k x v) sin + k (k.v)(1 - cos), about the grey axis.
    k = np.full(3, 1 / np.sqrt(3))
    v = values - light
    turned = v * np.cos(angle) + np.cross(k, v) * np.sin(angle) + k * (v @ k)[:, None] * (1 - np.cos(angle))
    return np.maximum((light + turned * step.saturation) * step.lightness, 0)


def smooth(t):
    t = np.clip(t, 0, 1)
    return t * t * (3 - 2 * t)


def combine(step, before, other, size):
    a, b, mask = before(), other(step.other), other(step.mask)
    if b is None:
        return a
    a, b = alike(a, b)
    share = np.full(len(a), step.amount) * (1 if mask is None else grey(mask))
    made = {
        "multiply": a * b,
        "add": a + b,
        "subtract": a - b,
        "screen": 1 - (1 - a) * (1 - b),
        "overlay": np.where(a < 0.5, 2 * a * b, 1 - 2 * (1 - a) * (1 - b)),
        "lighter": np.maximum(a, b),
        "darker": np.minimum(a, b),
        "difference": np.abs(a - b),
        "blend": b + 0 * a,
    }[step.way]
    return a + (made - a) * (share[:, None] if made.ndim == 2 else share)


def warp(step, before, other, size):
    pull = other(step.other)
    if pull is None:
        return before()
    pull = (grey(pull) - 0.5) * 2 * step.amount / size
    return before((pull, -0.7 * pull))


def softened(before, radius):
    angle = np.arange(TAPS) * np.pi * (3 - np.sqrt(5))
    away = radius * np.sqrt(-2 * np.log1p(-(np.arange(TAPS) + 0.5) / TAPS))
    return sum(before((away[k] * np.cos(angle[k]), away[k] * np.sin(angle[k]))) for k in range(TAPS)) / TAPS


def sharpen(step, before, other, size):
    here = before()
    return np.clip(here + step.amount * (here - softened(before, step.radius / 2 / size)), 0, 1)


def steepness(step, before, other, size):
    half = step.reach / size / 2
    across = grey(before((half, 0))) - grey(before((-half, 0)))
    up = grey(before((0, half))) - grey(before((0, -half)))
    return np.clip(0.25 * step.amount * size / step.reach * np.hypot(across, up), 0, 1)


STEPS = {
    "levels": levels,
    "curve": curve,
    "ramp": ramp,
    "invert": lambda step, before, other, size: 1 - before(),
    "contrast": contrast,
    "tint": tint,
    "threshold": lambda step, before, other, size: smooth((before() - step.edge) / step.softness + 0.5),
    "quantise": lambda step, before, other, size: (
        np.minimum(np.floor(np.clip(before(), 0, 1) * step.tones), step.tones - 1) / (step.tones - 1)
    ),
    "lines": lambda step, before, other, size: smooth(1 - np.abs(before() - step.at_value) / step.width),
    "combine": combine,
    "warp": warp,
    "soften": lambda step, before, other, size: softened(before, step.radius / 2 / size),
    "sharpen": sharpen,
    "steepness": steepness,
}
