"""Sources of patterns. A source that is listed here is a choice in the window."""

from mat_shelf.patterns.sources.cells import Cells
from mat_shelf.patterns.sources.grain import Grain
from mat_shelf.patterns.sources.granules import Cork, Paper, Ply
from mat_shelf.patterns.sources.knurl import Knurl
from mat_shelf.patterns.sources.leather import Leather
from mat_shelf.patterns.sources.noise import Noise
from mat_shelf.patterns.sources.painted import Painted
from mat_shelf.patterns.sources.pictured import Pictured
from mat_shelf.patterns.sources.plain import Checker, Constant, Gradient
from mat_shelf.patterns.sources.scratches import Scratches
from mat_shelf.patterns.sources.shape import Crevices, EachPart, Edges, Facing, Height, Nearby, Slope
from mat_shelf.patterns.sources.smudges import Smudges, WipeMarks
from mat_shelf.patterns.sources.speckle import Speckle
from mat_shelf.patterns.sources.water import DriedWater, Drips
from mat_shelf.patterns.sources.wood import Boards, Wood
from mat_shelf.patterns.sources.woven import Weave

SOURCES = (
    Noise,
    Cells,
    Speckle,
    Scratches,
    Grain,
    Smudges,
    WipeMarks,
    Drips,
    DriedWater,
    Leather,
    Wood,
    Boards,
    Cork,
    Paper,
    Ply,
    Weave,
    Knurl,
    Gradient,
    Checker,
    Constant,
    Pictured,
    Painted,
    Facing,
    Slope,
    Height,
    Edges,
    Crevices,
    Nearby,
    EachPart,
)
"""In the order in which they are offered."""
