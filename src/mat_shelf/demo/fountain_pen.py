"""The fountain pen, modelled upright with its nib at the top, then laid down. Millimetres."""

import numpy as np

from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.solids import lathe, loft, merged, moved, rotation, rounded

RADIUS = 6.3
BARREL = 74.0


def barrel() -> Mesh:
    return lathe(
        rounded(
            [(0, 0), (4.2, 0.2), (5.4, 16), (RADIUS, 44), (6.1, BARREL), (0, BARREL)],
            [0, 2.6, 40, 60, 0.3, 0],
            12,
        ),
        segments=160,
    )


def pen_ring() -> Mesh:
    return _band(BARREL + 0.06, 2.4, 6.35)


def grip() -> Mesh:
    low, high = BARREL + 2.52, BARREL + 21.5
    return lathe(
        rounded(
            [
                (0, low),
                (5.6, low),
                (4.9, low + 9),
                (4.75, high - 2),
                (5.2, high - 0.9),
                (5.0, high),
                (0, high),
            ],
            [0, 0.3, 20, 3, 0.5, 0.3, 0],
            8,
        ),
        segments=128,
    )


def nib() -> Mesh:
    """Two leaves that meet at the shoulder and part along the slit."""
    start, length = BARREL + 19.5, 24.0
    along = np.concatenate([np.linspace(0, 0.4, 24), np.linspace(0.4, 0.55, 24)[1:], np.linspace(0.55, 1, 40)[1:]])
    return merged([_leaf(along, start, length, side) for side in (-1, 1)])


def _leaf(along, start: float, length: float, side: int) -> Mesh:
    width = np.interp(along, [0, 0.3, 0.42, 0.75, 0.97, 1], [3.9, 4.1, 4.0, 1.75, 0.55, 0.4])
    hole = 0.62 * np.sqrt(np.clip(1 - ((along - 0.47) / 0.028) ** 2, 0, 1))
    gap = np.where(along > 0.46, 0.055, 0.0) + hole
    lift = 4.75 - 2.4 * along**1.6  # from the feed's top down to the paper
    sections = []
    across = np.linspace(0, 1, 18)
    for s, half, open_, height in zip(along, width, gap, lift, strict=True):
        x = open_ + (half - open_) * across
        thickness = 0.42 * (1 - 0.35 * s)
        bend = 5.2 + 6 * s
        drop = bend - np.sqrt(bend**2 - np.minimum(x, bend * 0.98) ** 2)
        edge = np.clip((1 - across) * half / 0.18, 0, 1) ** 0.5
        top = np.stack([side * x, height - drop], axis=1)
        bottom = np.stack([side * x, height - drop - thickness * np.maximum(edge, 0.35)], axis=1)[::-1]
        ring_ = np.concatenate([top, bottom])
        if side < 0:
            ring_ = ring_[::-1]
        sections.append(np.stack([ring_[:, 0], np.full(len(ring_), start + s * length), ring_[:, 1]], axis=1))
    ends = [np.broadcast_to(end.mean(axis=0), end.shape) for end in (sections[0], sections[-1])]
    return loft([ends[0], *sections, ends[1]], crease_degrees=35)


def pen_cap() -> Mesh:
    return lathe(
        rounded(
            [(6.35, 0.1), (7.0, 0.1), (7.25, 24), (6.6, 54), (4.4, 60.6), (0, 61.4)],
            [0, 0.5, 60, 30, 3, 0],
            12,
        )[1:],
        segments=160,
    )


def cap_lining() -> Mesh:
    """The inside of the cap, facing inward."""
    return lathe([(0, 50), (6.2, 48), (6.35, 0.15), (6.9, 0.12)], segments=160)


def cap_ring() -> Mesh:
    return _band(7.0, 4.2, 7.42)


def clip() -> Mesh:
    along = np.linspace(0, 1, 40)
    sections = []
    angle = np.linspace(0, 2 * np.pi, 32, endpoint=False)
    for s in along:
        half_width = 1.55 - 0.35 * s
        round_off = np.sqrt(np.clip(1 - (np.abs(2 * s - 1)) ** 14, 0.02, 1))
        x = half_width * round_off * np.sign(np.cos(angle)) * np.abs(np.cos(angle)) ** 0.5
        rise = 7.7 + 1.1 * np.sin(np.pi * min(s * 1.1, 1)) ** 0.7 + (0.4 if s > 0.9 else 0) * (s - 0.9) / 0.1
        z = rise + 0.5 * round_off * np.sign(np.sin(angle)) * np.abs(np.sin(angle)) ** 0.5
        sections.append(np.stack([x, np.full(32, 56 - 40 * s), z], axis=1))
    tips = [np.broadcast_to(end.mean(axis=0), end.shape) for end in (sections[0], sections[-1])]
    upward = [tips[1], *sections[::-1], tips[0]]
    return loft([section[::-1] for section in upward], crease_degrees=50)


def _band(low: float, height: float, radius: float) -> Mesh:
    inner = radius - 0.8
    return lathe(
        rounded(
            [(inner, low), (radius, low), (radius, low + height), (inner, low + height), (inner, low)],
            [0, 0.45, 0.45, 0, 0],
            8,
        ),
        segments=160,
    )


def laid(mesh: Mesh, at: tuple[float, float, float], heading: float, roll: float = 0.0, pitch: float = 0.0) -> Mesh:
    """An upright piece laid on its side, its top towards +x turned by `heading` degrees about y."""
    turn = rotation("y", heading) @ rotation("z", pitch) @ rotation("z", -90) @ rotation("y", roll)
    return moved(mesh, at, turn)
