"""The leather pen sleeve, modelled upright with its mouth at the top, then laid on its back. Millimetres."""

import numpy as np

from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.solids import loft, moved, rotation

LENGTH, HALF_WIDTH, SKIN = 142.0, 22.0, 2.1
SLEEVE_BACK = 2.6
"""How far the flat back lies behind the seam."""


def sleeve() -> Mesh:
    """A flat pocket that bulges where the pen goes, with a scooped mouth and rolled edges."""
    angle = np.linspace(0, 2 * np.pi, 192, endpoint=False)
    outside = [(s, 0.0) for s in (*np.linspace(0, 0.06, 14), *np.linspace(0.06, 1, 90)[1:])]
    mouth = [(1 + 0.006 * np.sin(t), SKIN * (0.5 - 0.5 * np.cos(t))) for t in np.linspace(0, np.pi, 9)[1:-1]]
    inside = [(s, SKIN) for s in np.linspace(1, 0.08, 60)]
    sections = [_section(angle, s, inset) for s, inset in (*outside, *mouth, *inside)]
    tips = [np.broadcast_to(end.mean(axis=0), end.shape) for end in (sections[0], sections[-1])]
    standing = loft([tips[0], *sections, tips[1]], crease_degrees=60)
    return moved(standing, (0, SLEEVE_BACK, 0), rotation("x", 90) @ rotation("y", 180))


def _section(angle: np.ndarray, s: float, inset: float) -> np.ndarray:
    """The outline at a share of the length, moved in by `inset`; z points to the front, where the bulge is."""
    end = np.sqrt(np.clip(1 - (1 - np.minimum(s / 0.06, 1)) ** 2, 0.02, 1))  # rounded at the foot
    half = (HALF_WIDTH * (0.86 + 0.14 * s) - (1 - end) * 6) - inset
    bulge = 4.4 + 6.2 * np.sin(np.pi * np.clip(s * 0.62 + 0.12, 0, 1)) ** 1.5
    front = max(bulge * end - inset, 0.3)
    back = max(SLEEVE_BACK * end - inset * 0.95, 0.12)
    c, d = np.cos(angle), np.sin(angle)
    x = half * np.sign(c) * np.abs(c) ** 0.75
    # The skins meet in a thin seam at the sides and the pen lifts the middle of the front one.
    lift = 0.42 + 0.58 * np.exp(-((x / (0.5 * HALF_WIDTH)) ** 2))
    z = np.where(d < 0, front * np.abs(d) ** 0.55 * lift, -back * np.abs(d) ** 0.4)
    scoop = 9.0 * np.clip((s - 0.75) / 0.25, 0, 1) ** 2 * np.clip(1 - (x / half) ** 2, 0, 1) * (d < 0)
    return np.stack([x, s * LENGTH - scoop * np.abs(d) ** 0.3, z], axis=1)
