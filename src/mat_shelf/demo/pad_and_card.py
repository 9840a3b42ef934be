"""The cork pad under the bottle and the maker's card. Millimetres."""

import numpy as np

from mat_shelf.geometry.mesh import Mesh
from mat_shelf.geometry.solids import lathe, loft, rounded, rounded_square

PAD_RADIUS, PAD = 46.0, 5.0
CARD = (88.0, 0.55, 54.0)


def pad() -> Mesh:
    line = rounded([(0, 0), (PAD_RADIUS, 0), (PAD_RADIUS, PAD), (0, PAD)], [0, 0.6, 1.1, 0], 8)
    # Rings across the face keep its shading even.
    face = [(r, PAD) for r in np.linspace(line[-2][0], 0, 12)[1:]]
    return lathe([*line[:-1], *face], segments=224)


def card() -> Mesh:
    """A stiff card, its ends lifted a little by the damp, as card does."""
    width, thick, depth = CARD
    line = [(0.06, 0.0), (0.0, 0.06), (0.0, thick - 0.06), (0.06, thick)]
    rings = [rounded_square(width / 2 - inset, depth / 2 - inset, 1.6, y, steps=10) for inset, y in line]
    inner = np.linspace(0.92, 0, 12)
    sections = [
        *(rings[0] * (share, 1, share) for share in inner[::-1]),
        *rings,
        *(rings[-1] * (share, 1, share) for share in inner),
    ]
    lifted = [section + [0, 1, 0] * (1.5 * (section[:, :1] / (width / 2)) ** 2) for section in sections]
    return loft(lifted, crease_degrees=40)
